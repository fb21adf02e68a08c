"""What becomes of the time of a free take: the bars follow the player, one steady tempo, or the tempo of the piece.

The page keeps its notes in all of them; only the tempo map of the piece changes. Fine changes are tempo marks that
are not printed: they play, and go into MIDI. A printed mark and the fine changes behind it agree at every beat (the
first beat is made up for inside it).
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from ductus.core.playback.tempo_map import written_tempo_map
from ductus.core.reading.beat_tracking.tempo_curve import average_tempo, beats_a_minute, tempo_sections
from ductus.core.reading.model import ReadingResult
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import TempoMark
from ductus.core.time.pulse_map import US_PER_MINUTE
from ductus.core.words import count_words

Outcome = Literal["follow", "steady", "fitted"]
OUTCOMES: dict[Outcome, str] = {
    "follow": "the bars follow me",
    "steady": "one steady tempo",
    "fitted": "fitted to the tempo of the piece",
}
HEARD_MS = 5  # a note that moves by less is not counted
FIRST_SHARE = 8  # the printed mark holds for this part of the first beat


def tempo_marks(
    result: ReadingResult, start: int, lead: int, outcome: Outcome, rounded: float | None
) -> list[TempoMark]:
    """The tempo marks of a reading, ticks of the piece; ids are left open.

    The first is printed and stands at ``lead``, at the latest on the first beat; so is one where a new tempo begins.
    """
    beats = beats_played(result, start)
    if outcome == "fitted" or len(beats) < 2:
        return []
    average, beat = average_tempo(result)
    shown = rounded or float(round(average))  # a printed tempo is a whole number
    marks = [TempoMark("", min(lead, beats[0][0]), shown, beat)]
    if outcome == "steady":
        return marks
    later = {tick + start: beats_a_minute(result, quarter_us) for tick, quarter_us in tempo_sections(result)[1:]}
    for k, ((tick, us), (after, us_after)) in enumerate(itertools.pairwise(beats)):
        at, left = tick, float(us_after - us)
        if not k and lead >= tick:
            at = tick + (after - tick) // FIRST_SHARE
            left -= (at - tick) / beat.ticks * US_PER_MINUTE / shown
        if tick in later:  # a new tempo, printed in the same way
            bpm, counted = later[tick]
            marks.append(TempoMark("", tick, float(round(bpm)), counted))
            at = tick + (after - tick) // FIRST_SHARE
            left -= (at - tick) / counted.ticks * US_PER_MINUTE / round(bpm)
        if left > 1000:
            marks.append(TempoMark("", at, bpm_of(at, after, left, beat.ticks), beat, printed=False))
    return marks


def beats_played(result: ReadingResult, start: int) -> list[tuple[int, int]]:
    """(tick of the piece, microseconds) of every beat from that of the first note to the one after the last."""
    low = min(n.tick for n in result.notes)
    high = max(n.tick + n.ticks for n in result.notes)
    ticks = []
    for begin, end, meter in result.bars.between(low, high):
        ticks += [begin + at for at in meter.beat_starts]
        last = end
    kept = [t for t in [*ticks, last] if t + start >= 0]
    inside = [
        t for k, t in enumerate(kept) if (k + 1 == len(kept) or kept[k + 1] > low) and (not k or kept[k - 1] < high)
    ]
    if low + start >= 0 and low < inside[0]:
        inside.insert(0, low)
    return [(t + start, result.pulses.time_at(t)) for t in inside]


def bpm_of(tick: int, after: int, us: float, beat_ticks: int) -> float:
    """Tempo of a stretch: beats x 60 / seconds."""
    return (after - tick) / beat_ticks * US_PER_MINUTE / us


def put_tempo(draft: Draft, marks: Sequence[TempoMark], first: int, last: int) -> None:
    """Lay tempo marks over [first, last).

    Those there that are not printed go; the first new one is printed at the beginning of the piece, or where a
    printed one stands already. Behind the stretch the tempo is what it was.
    """
    piece = draft.piece
    hidden = [t for t in piece.tempi.values() if first <= t.tick < last and not t.printed]
    here = next((t for t in piece.tempi.values() if t.tick == first and t.printed), None)
    for old in hidden:
        draft.drop(old)
    if not marks:
        return
    usual = max((t for t in piece.tempi.values() if t.printed and t.tick < last), key=lambda t: t.tick, default=None)
    begin = marks[0]
    if here is not None:
        draft.put(replace(begin, id=here.id, text=here.text))
    else:
        draft.put(replace(begin, id=draft.new_id("t"), printed=first == 0))
    printed = {t.tick: t for t in piece.tempi.values() if t.printed}
    for mark in marks[1:]:
        there = printed.get(mark.tick) if mark.printed else None
        draft.put(replace(mark, id=there.id if there else draft.new_id("t"), text=there.text if there else ""))
    goes_on = any(n.tick >= last for n in piece.notes.values())
    if goes_on and usual is not None and not any(t.tick == last and t.printed for t in piece.tempi.values()):
        draft.put(replace(usual, id=draft.new_id("t"), tick=last, text="", printed=False))


@dataclass(frozen=True, slots=True)
class Moves:
    """How many notes sound at another time, and by how much at most (microseconds)."""

    notes: int
    most_us: int

    @property
    def words(self) -> str:
        """The page keeps its notes; what moves."""
        if not self.notes:
            return "nothing moves"
        return f"playback of {count_words(self.notes, 'note')} moves by up to {round(self.most_us / 1000)} ms"


def moves_between(before: Piece, after: Piece, ticks: Sequence[int]) -> Moves:
    """What another tempo map does to notes that begin at these ticks; times count from the first of them."""
    if not ticks:
        return Moves(0, 0)
    old, new = written_tempo_map(before), written_tempo_map(after)
    first = min(ticks)
    apart = [abs((new.time_at(t) - new.time_at(first)) - (old.time_at(t) - old.time_at(first))) for t in ticks]
    return Moves(sum(a > HEARD_MS * 1000 for a in apart), max(apart))
