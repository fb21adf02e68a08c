"""Marks from a take, only when asked for: the pedal where it went down and up, dynamics by how hard was played, words
of the tempo (see ``tempo_words``).

Dynamics are the loudness of bars, levelled over neighbours, and change only where it stays changed: one mark for a
level that holds, a hairpin where the bar before a new level leads to it. Levels are those that playback gives to the
marks, so that what is written sounds as it was played.
"""

from __future__ import annotations

import itertools
from bisect import bisect_left
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from statistics import median

from ductus.core.capture.takes import PEDAL_DOWN, SUSTAIN, Take
from ductus.core.errors import BadInput
from ductus.core.score.model.changes import Change, Draft
from ductus.core.score.model.note_signs import DYNAMIC_LEVELS
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Mark, Note, Reading
from ductus.core.time.bars import Timeline
from ductus.core.time.pulse_map import PulseMap
from ductus.core.words import count_words, listed

WRITTEN = ("pp", "p", "mp", "mf", "f", "ff")
KINDS_OF = {
    "pedal": ("pedal",),
    "dynamics": ("dynamic", "hairpin"),
    "tempo": ("tempo-word", "fermata"),
}  # kinds of marks, by what is asked for
NONE_OF = {"tempo": "rit., accel. or pause"}  # how it is said that nothing of a kind was found
STAYS = 10  # velocities within this of a level do not leave it
LEAST_SLOPE = 8  # velocities by which a bar must rise or fall to be a hairpin


@dataclass(frozen=True, slots=True)
class TakeMark:
    """A mark as a take gives it: see ``Mark``."""

    kind: str
    tick: int
    ticks: int = 0
    text: str = ""


def pedals_of(take: Take, pulses: PulseMap, notes: Sequence[Note], start: int) -> list[TakeMark]:
    """The pedal of a take, each time from the onset at which it went down to the one at which it was let go.

    ``start`` is the tick of the piece at tick 0 of the pulses.
    """
    onsets = sorted({n.tick for n in notes} | {n.end for n in notes})
    down: int | None = None
    out: list[TakeMark] = []
    for control in (c for c in take.controls if c.controller == SUSTAIN):
        place = nearest(onsets, round(pulses.tick_at(control.time_us)) + start)
        if control.value >= PEDAL_DOWN:
            down = place if down is None else down
        elif down is not None:
            if place > down:
                out.append(TakeMark("pedal", down, place - down))
            down = None
    return out


def dynamics_of(timeline: Timeline, notes: Sequence[Note]) -> list[TakeMark]:
    """Dynamics and hairpins proposed from the velocities of notes that came from a take."""
    by_bar: dict[int, list[Note]] = defaultdict(list)
    for note in notes:
        by_bar[timeline.bar_at(note.tick).index].append(note)
    bars = sorted(by_bar)
    loud = {b: float(median(n.velocity for n in by_bar[b])) for b in bars}
    smooth = {b: median([loud[c] for c in bars[max(k - 1, 0) : k + 2]]) for k, b in enumerate(bars)}
    now, out = "", []
    for k, b in enumerate(bars):
        wanted = min(WRITTEN, key=lambda name: abs(DYNAMIC_LEVELS[name] - smooth[b]))
        if now and (wanted == now or abs(smooth[b] - DYNAMIC_LEVELS[now]) <= STAYS):
            continue
        if now and k + 1 < len(bars) and abs(smooth[bars[k + 1]] - DYNAMIC_LEVELS[now]) <= STAYS:
            continue  # one bar alone makes no level
        if now and k and swells(by_bar[bars[k - 1]], DYNAMIC_LEVELS[wanted] - DYNAMIC_LEVELS[now]):
            before = timeline.bar(bars[k - 1])
            text = "<" if DYNAMIC_LEVELS[wanted] > DYNAMIC_LEVELS[now] else ">"
            out.append(TakeMark("hairpin", before.start, before.ticks, text))
        out.append(TakeMark("dynamic", min(n.tick for n in by_bar[b]), text=wanted))
        now = wanted
    return out


def put_marks(draft: Draft, marks: Iterable[TakeMark], reading: Reading) -> None:
    """Write marks of a take under its part."""
    last = draft.piece.part(reading.part).staves
    for m in marks:
        staff = last if m.kind == "pedal" else 1
        if m.kind == "fermata":
            here = draft.piece.notes_between(reading.part, m.tick, m.tick + 1)
            staff = min((n.staff for n in here if n.tick == m.tick), default=1)
        draft.put(Mark(draft.new_id("m"), m.kind, reading.part, staff, 1, m.tick, m.ticks, m.text, take=reading.take))


def marks_written(
    piece: Piece, found: Sequence[TakeMark], notes: Sequence[Note], reading: Reading, what: str
) -> Change:
    """Marks of a take ("pedal", "dynamics" or "tempo") at its part; what stood there before goes.

    Raises BadInput where the take has none.
    """
    draft = Draft(piece)
    kinds = KINDS_OF[what]
    if not found:
        raise BadInput(f"There is no {NONE_OF.get(what, what)} in this take. Nothing was changed.")
    first = min(min(m.tick for m in found), piece.timeline.bar_at(min(n.tick for n in notes)).start)
    end = max(n.end for n in notes)
    for mark in piece.marks.values():
        if mark.kind in kinds and mark.part == reading.part and first <= mark.tick < end:
            draft.drop(mark)
    put_marks(draft, found, reading)
    words = {
        kind: count_words(sum(m.kind == kind for m in found), word)
        for kind, word in (
            *(("pedal", "pedal mark"), ("dynamic", "dynamic"), ("hairpin", "hairpin")),
            *(("tempo-word", "tempo word"), ("fermata", "fermata")),
        )
        if any(m.kind == kind for m in found)
    }
    how = "from how it was played" if what == "dynamics" else "from the take"
    return draft.change(f"{listed(list(words.values()))} written {how}")


def marks_again(
    page: Piece, reading: Reading, own: Sequence[Mark], old: Sequence[TakeMark], new: Sequence[TakeMark], what: str
) -> Change:
    """The page (on which the take was read again) with the marks that came from the take in their new places:
    ``own`` are those that stood there, ``old`` those that the take gave then, ``new`` those that it gives now.
    What a person moved or took away of them stays so.
    """
    kinds = KINDS_OF[what]
    there = {(m.kind, m.tick, m.text): m for m in own if m.kind in kinds}
    if not there:
        return Change("")
    draft = Draft(page)
    others = []
    for mark in page.marks.values():
        if mark.kind in kinds and mark.part == reading.part:
            if mark.take == reading.take:
                draft.drop(mark)
            else:
                others.append(mark)
    free = [not any(o.kind == m.kind and o.tick <= m.tick < max(o.end, o.tick + 1) for o in others) for m in new]
    if len(old) != len(new):
        put_marks(draft, itertools.compress(new, free), reading)
    else:
        for was, m in itertools.compress(zip(old, new, strict=True), free):
            if (kept := there.get((was.kind, was.tick, was.text))) is not None:
                draft.put(replace(kept, tick=m.tick, ticks=m.ticks, text=m.text))
    return draft.change("")


def nearest(places: Sequence[int], tick: int) -> int:
    """The nearest of some places, in order."""
    if not places:
        return max(tick, 0)
    k = bisect_left(places, tick)
    return min(places[max(k - 1, 0) : k + 1], key=lambda p: abs(p - tick))


def swells(notes: Sequence[Note], toward: float) -> bool:
    """Do notes rise (or fall) steadily in the direction of a change of level?"""
    if len(notes) < 3:
        return False
    ordered = sorted(notes, key=lambda n: n.tick)
    third = max(len(ordered) // 3, 1)
    rise = median(n.velocity for n in ordered[-third:]) - median(n.velocity for n in ordered[:third])
    return rise * toward > 0 and abs(rise) >= LEAST_SLOPE
