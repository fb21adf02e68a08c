"""Commands that beat time or write at once: advance, a value of a rhythm, dividing a beat, a letter, a click."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated, Literal

from ductus.core.entry.commands.base import PEN_UP, Base, EntryCommand
from ductus.core.entry.commands.pen import PlacePen
from ductus.core.entry.modes.registry import way_of
from ductus.core.entry.modes.rescale_beat import beat_at, bracket_for
from ductus.core.entry.modes.rhythm_first import write_value
from ductus.core.entry.state import EntryState, Held, Outcome, evolved
from ductus.core.entry.writing.step import last_note, moved_on, put_step, step_words, write_step
from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le, MaxLen
from ductus.core.notation.drawn import pitch_drawn_at
from ductus.core.pitch.pitches import parse_pitch
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.note_edits.write import Strike, clear_span, place_chord
from ductus.core.words import article, capital

CLICKED_VELOCITY = 80


@dataclass(frozen=True, slots=True)
class Advance(EntryCommand):
    """One key for "go on": it writes the step, beats the pulse, taps the foot, ends the figure, as the way has it."""

    name: Literal["advance"] = "advance"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        return way_of(state).advance(state, piece, time_us) if state.down else Outcome(state, say=PEN_UP)


@dataclass(frozen=True, slots=True)
class RhythmValue(EntryCommand):
    """Choose a value; in "rhythm first" a note of that value is written."""

    base: Base
    name: Literal["rhythm-value"] = "rhythm-value"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        state = evolved(state, step=replace(state.step, base=self.base, custom=None, added=None))
        if state.down and state.way == "rhythm":
            return write_value(state, piece)
        words = state.step.words
        return Outcome(state, say=f"Each step {article(words)} {words}{state.step.latch_words}")


@dataclass(frozen=True, slots=True)
class DivideBeat(EntryCommand):
    """Divide the beat at the pen into equal parts of what stands on it."""

    parts: Annotated[int, Ge(1), Le(16)]
    name: Literal["divide"] = "divide"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        start, stop = beat_at(piece, state.tick)
        there = [n for n in piece.line_between(state.line, start, stop) if n.tick <= start]
        if not there:
            return Outcome(state, say="There is nothing on this beat to divide")
        draft = Draft(piece)
        strikes = [Strike(n.pitch, n.velocity) for n in sorted(there, key=lambda n: n.pitch.midi)]
        clear_span(draft, state.line, start, stop)
        for mark in draft.marks_between(state.line, "tuplet", start, stop):
            draft.drop(mark)
        bracket_for(draft, state, start, stop, self.parts)
        for k in range(self.parts):
            a, b = start + (stop - start) * k // self.parts, start + (stop - start) * (k + 1) // self.parts
            place_chord(draft, state.line, a, b - a, strikes, "add")
        say = f"{piece.timeline.place_words(start)} divided in {self.parts}"
        return Outcome(evolved(state, held=()), draft.change(capital(say)) or None, say)


@dataclass(frozen=True, slots=True)
class WriteLetter(EntryCommand):
    """Write a note by its letter ("C", "F#"): the octave nearest to the note before."""

    letter: Annotated[str, MaxLen(4)]
    name: Literal["letter"] = "letter"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        if not state.down:
            return Outcome(state, say=PEN_UP)
        before = last_note(piece, state)
        near = before.pitch.midi if before else (72 if state.staff == 1 else 48)
        pitch = parse_pitch(f"{self.letter.strip()}4")
        key = min((pitch.midi + 12 * o for o in range(-4, 5)), key=lambda k: abs(k - near))
        return write_step(evolved(state, held=(Held(key, state.touch.velocity or 80, 0, False),)), piece)


@dataclass(frozen=True, slots=True)
class ClickNote(EntryCommand):
    """Write a note of the step value where a person clicked.

    ``diatonic`` staff steps above C0 as the staff is read, with the accidental of its signature and the velocity
    that the line states. The pen goes behind it. With the pen up, or where clicks place the pen, it goes there and
    nothing is written.
    """

    part: Annotated[str, MaxLen(40)]
    staff: Annotated[int, Ge(1), Le(2)]
    tick: Annotated[int, Ge(0), Le(2**52)]
    diatonic: Annotated[int, Ge(7), Le(66)]
    name: Literal["click"] = "click"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        if not state.down or state.clicks == "place":
            return PlacePen(self.part, self.staff, self.tick).run(state, piece, time_us)
        if self.staff > piece.part(self.part).staves:
            raise BadInput("A click needs a place on a staff.")
        tick = PlacePen(self.part, self.staff, self.tick).run(state, piece, time_us).state.tick
        pitch = pitch_drawn_at(piece, piece.part(self.part), self.staff, tick, self.diatonic)
        voice = state.voice if (self.part, self.staff) == (state.part, state.staff) else 1
        there = evolved(state.fresh(), part=self.part, staff=self.staff, voice=voice, tick=tick, hands="one")
        draft = Draft(piece)
        strike = Strike(pitch, state.touch.velocity or CLICKED_VELOCITY)
        here = [n for n in piece.line_between(there.line, tick, tick + 1) if n.tick == tick]
        same = bool(here) and all(n.ticks == there.step.ticks for n in here)
        placed = put_step(draft, evolved(there, policy="add") if same else there, tick, there.step.ticks, [strike])
        say = step_words(piece, there, placed, [strike])
        after = evolved(moved_on(there, placed.tick, placed.ids, placed.slot), hands=state.hands)
        return Outcome(after, draft.change(capital(say)) or None, say)
