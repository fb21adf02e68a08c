"""Rhythm first (JOB 4.2): values by value keys or by tapping any key, then the pitches in order, at leisure.

In the first half every value key (or any key struck) writes a note of the step value on the middle line; "pitches" turns to the
second half, which is the way "over" from where this pass began.
"""

from __future__ import annotations

from dataclasses import replace

from ductus.core.entry.events import KeyDown, KeyUp
from ductus.core.entry.state import EntryState, Held, Outcome, evolved
from ductus.core.entry.ways import Way
from ductus.core.entry.writing import write_step
from ductus.core.score.piece import Piece

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


class Rhythm(Way):
    """Values now, pitches later."""

    def key_down(self, state: EntryState, event: KeyDown, piece: Piece) -> Outcome:
        """Any key writes the step value."""
        return write_value(state, piece, event.velocity)

    def key_up(self, state: EntryState, event: KeyUp, piece: Piece) -> Outcome:
        """Nothing is held."""
        return Outcome(state)
