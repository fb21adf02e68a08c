"""Rhythm first: values by value keys or played on any one key, then the pitches in order, at leisure.

In the first half every value key writes a note on the middle line. A key of the instrument writes the step value at
once, or (``rhythm_by`` "time") the rhythm is struck in time and read when it is over: after a silence or with the
advance command. "pitches" turns to the second half, which is the way "over" from where this pass began.
"""

from __future__ import annotations

from dataclasses import replace

from ductus.core.entry.events import KeyDown, KeyUp, Wait
from ductus.core.entry.modes.base import EntryMode
from ductus.core.entry.modes.rescale_beat import OneBeat
from ductus.core.entry.state import GATHER_US, NO_FIGURE, RHYTHM_OVER_US, EntryState, Held, Outcome, evolved
from ductus.core.entry.writing.step import spell, write_step
from ductus.core.entry.writing.timed_rhythm import Stroke, rhythm_in_time
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.note_edits.write import Strike, clear_brackets, clear_span, place_chord
from ductus.core.time.note_values import BASE_TICKS
from ductus.core.words import count_words

MIDDLE_LINE = {
    "treble": 71,
    "bass": 50,
    "treble-8": 59,
    "alto": 60,
    "tenor": 57,
    "percussion": 71,
}  # MIDI key of the third line
VELOCITY = 80


def write_value(state: EntryState, piece: Piece, velocity: int = VELOCITY) -> Outcome:
    """A note of the step value on the middle line."""
    clef = piece.part(state.part).clefs[state.staff - 1]
    held = (Held(MIDDLE_LINE[clef], velocity, 0, False),)
    plain = evolved(state, harmony="off", held=held)
    outcome = write_step(plain, piece)
    return replace(outcome, state=evolved(outcome.state, harmony=state.harmony))


class Rhythm(EntryMode):
    """Values now, pitches later."""

    def key_down(self, state: EntryState, event: KeyDown, piece: Piece) -> Outcome:
        """Any key writes the step value, or begins a stroke of the rhythm."""
        if state.rhythm_by == "step":
            return write_value(state, piece, event.velocity)
        return OneBeat().key_down(state, event, piece)

    def key_up(self, state: EntryState, event: KeyUp, piece: Piece) -> Outcome:
        """A stroke ends; the rhythm may be over after a silence."""
        if state.rhythm_by == "step":
            return Outcome(state)
        outcome = OneBeat().key_up(state, event, piece)
        return replace(outcome, wake_us=outcome.wake_us and RHYTHM_OVER_US)

    def wait(self, state: EntryState, event: Wait, piece: Piece) -> Outcome:
        """Silence ends the rhythm."""
        notes = state.figure.notes
        if not notes or state.held or event.time_us - max(b for *_, b in notes) < RHYTHM_OVER_US:
            return Outcome(state)
        return self.write(state, piece, event.time_us)

    def advance(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """The advance key writes the step value, or ends the rhythm."""
        return write_value(state, piece) if self._by_step(state) else self.write(state, piece, time_us)

    @staticmethod
    def _by_step(state: EntryState) -> bool:
        return state.rhythm_by == "step"

    def finish(self, state: EntryState, piece: Piece) -> Outcome:
        """What was struck and not yet read is written."""
        return self.write(state, piece, 0) if state.figure.notes else Outcome(state)

    def write(self, state: EntryState, piece: Piece, now_us: int) -> Outcome:
        """Write the strokes so far at the pen, and move on behind them."""
        strokes: list[Stroke] = []
        for _, velocity, down, up in sorted(state.figure.notes, key=lambda n: n[2]):
            if not strokes or down - strokes[-1].down_us > GATHER_US:
                strokes.append(Stroke(down, up or max(now_us, down + 1), velocity))
        if not strokes:
            return Outcome(state, say="Nothing was struck yet")
        clef = piece.part(state.part).clefs[state.staff - 1]
        places = rhythm_in_time(strokes, piece, state.tick, BASE_TICKS[state.step.base])
        end = places[-1][0] + places[-1][1]
        draft = Draft(piece)
        if state.policy == "replace":
            clear_span(draft, state.line, state.tick, end)
            clear_brackets(draft, state.line, state.tick, end)
        for stroke, (tick, ticks) in zip(strokes, places, strict=True):
            pitch = spell(piece, evolved(state, tick=tick, harmony="off"), MIDDLE_LINE[clef])
            place_chord(draft, state.line, tick, ticks, [Strike(pitch, stroke.velocity)], "add")
        say = f"{count_words(len(strokes), 'stroke')} from {piece.timeline.place_words(state.tick)}"
        after = evolved(state, tick=end, held=(), figure=NO_FIGURE)
        return Outcome(after, draft.change(say) or None, say)
