"""One beat again: play a figure at any speed; its rhythm is scaled into the beat at the pen, the rest is untouched.

The figure ends when nothing was held for a moment, or with the advance command. Where its notes fall is rounded to the
division of the beat that explains them best, with a price for finer ones.
"""

from __future__ import annotations

from collections.abc import Sequence

from ductus.core.entry.events import KeyDown, KeyUp, Pedal, Wait
from ductus.core.entry.modes.base import EntryMode
from ductus.core.entry.state import FIGURE_OVER_US, GATHER_US, EntryState, Figure, Held, Outcome, evolved
from ductus.core.entry.writing.step import strikes_of
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.note_edits.write import clear_brackets, clear_span, mark_tuplet, place_chord
from ductus.core.time.note_values import NoteValue, Tuplet, value_for_ticks
from ductus.core.words import count_words

DIVISIONS = (1, 2, 3, 4, 6, 8, 5, 7, 12, 16)
OF_COMPOUND = (1, 3, 6, 12)
PRICE = 0.004  # squared share of the beat that each further part of the division costs


def beat_at(piece: Piece, tick: int) -> tuple[int, int]:
    """Start and end of the beat that holds a tick."""
    bar = piece.timeline.bar_at(tick)
    beats = bar.stretches()
    k = max(i for i, b in enumerate(beats[:-1]) if b <= tick)
    return beats[k], beats[k + 1]


def scaled(onsets: Sequence[float], count: int, compound: bool = False) -> tuple[int, list[int]]:
    """(division, part of each onset) for onsets in shares of the beat, the first 0, rising.

    A ``compound`` beat divides by 3, 6 and 12; by other numbers only where more notes were played than these hold
    evenly.
    """
    best: tuple[float, int, list[int]] | None = None
    natural = [n for n in OF_COMPOUND if n >= count]
    for n in natural if compound and natural else DIVISIONS:
        parts = [min(round(x * n), n - 1) for x in onsets]
        if len(set(parts)) < count:
            continue
        cost = sum((x - p / n) ** 2 for x, p in zip(onsets, parts, strict=True)) / count + PRICE * n / 4
        if best is None or cost < best[0]:
            best = (cost, n, parts)
    if best is None:  # more notes than any division holds: as even as they come
        return 16, [k * 16 // count for k in range(count)]
    return best[1], best[2]


class OneBeat(EntryMode):
    """A figure for one beat."""

    def key_down(self, state: EntryState, event: KeyDown, piece: Piece) -> Outcome:
        """A note of the figure begins."""
        figure = Figure((*state.figure.notes, (event.key, event.velocity, event.time_us, 0)))
        held = (*state.held, Held(event.key, event.velocity, event.time_us))
        return Outcome(evolved(state, figure=figure, held=held))

    def key_up(self, state: EntryState, event: KeyUp, piece: Piece) -> Outcome:
        """A note of the figure ends; if no other is held, the figure may be over."""
        notes = tuple(
            (k, v, a, event.time_us) if k == event.key and not b else (k, v, a, b) for k, v, a, b in state.figure.notes
        )
        held = tuple(h for h in state.held if h.key != event.key)
        return Outcome(evolved(state, figure=Figure(notes), held=held), wake_us=None if held else FIGURE_OVER_US)

    def pedal(self, state: EntryState, event: Pedal, piece: Piece) -> Outcome:
        """The pedal ends the figure."""
        return self.write(state, piece, event.time_us) if event.down else Outcome(state)

    def wait(self, state: EntryState, event: Wait, piece: Piece) -> Outcome:
        """Silence ends the figure."""
        notes = state.figure.notes
        if not notes or state.held:
            return Outcome(state)
        last = max(b for _, _, _, b in notes)
        return self.write(state, piece, last) if event.time_us - last >= FIGURE_OVER_US else Outcome(state)

    def advance(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """The advance key ends the figure."""
        return self.write(state, piece, time_us)

    def write(self, state: EntryState, piece: Piece, end_us: int) -> Outcome:
        """Scale the figure into the beat at the pen and move on to the next beat."""
        played = state.figure.notes
        if not played:
            return Outcome(state, say="Nothing was played for this beat")
        chords: list[list[tuple[int, int, int, int]]] = []
        for note in sorted(played, key=lambda n: n[2]):
            if chords and note[2] - chords[-1][0][2] <= GATHER_US:
                chords[-1].append(note)
            else:
                chords.append([note])
        first = chords[0][0][2]
        ends = [b for _, _, _, b in played if b]
        total = max((max(ends) if ends else end_us) - first, 1)
        start, stop = beat_at(piece, state.tick)
        beat = value_for_ticks(stop - start)
        onsets = [(c[0][2] - first) / total for c in chords]
        division, parts = scaled(onsets, len(chords), compound=beat is not None and beat.dots == 1)
        draft = Draft(piece)
        if state.policy == "replace":
            clear_span(draft, state.line, start, stop)
            clear_brackets(draft, state.line, start, stop)
        bracket_for(draft, state, start, stop, division)
        for chord, part, following in zip(chords, parts, [*parts[1:], division], strict=True):
            tick, end = start + (stop - start) * part // division, start + (stop - start) * following // division
            strikes = strikes_of(piece, evolved(state, tick=tick), [Held(k, v, a, False) for k, v, a, _ in chord])
            place_chord(draft, state.line, tick, end - tick, strikes, "add")
        say = f"{count_words(len(chords), 'stroke')} in {piece.timeline.place_words(start)}, divided in {division}"
        after = evolved(state, tick=stop, held=(), figure=Figure())
        return Outcome(after, draft.change(say) or None, say)


def bracket_for(draft: Draft, state: EntryState, start: int, stop: int, division: int) -> None:
    """The bracket that a division of the beat needs, if any."""
    beat = value_for_ticks(stop - start)
    compound = beat is not None and beat.dots == 1
    normal = 3 if compound else 1
    while normal * 2 <= division:
        normal *= 2
    if normal == division or division == 1:
        return
    base = value_for_ticks((stop - start) // normal)
    if base is not None and base.dots == 0:
        mark_tuplet(draft, state.line, start, NoteValue(base.base, 0, Tuplet(division, normal)))
