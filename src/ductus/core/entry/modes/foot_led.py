"""Foot-led: the player taps the beats and plays as the piece would go, at any speed.

At each tap the keys that are down are written for one step; those that were down at the last tap grow by it, so a
held note over a moving voice needs nothing else. A key let go before the tap stays grey (shown as pending) and is
written or dropped by choice.
"""

from __future__ import annotations

from dataclasses import replace

from ductus.core.entry.events import KeyDown, KeyUp, Pedal
from ductus.core.entry.modes.base import EntryMode, gathered, let_go
from ductus.core.entry.state import Beating, EntryState, Outcome, evolved
from ductus.core.entry.writing.held_chords import shorten, write_held
from ductus.core.score.model.piece import Piece


class Foot(EntryMode):
    """Taps lead, hands follow."""

    def key_down(self, state: EntryState, event: KeyDown, piece: Piece) -> Outcome:
        """A key waits for the next tap."""
        return Outcome(evolved(state, held=gathered(state.held, event)))

    def key_up(self, state: EntryState, event: KeyUp, piece: Piece) -> Outcome:
        """What was written ends here; what was not stays grey until the tap."""
        sounding = tuple(s for s in state.beating.sounding if event.key not in s.keys)
        held = let_go(state.held, event.key)
        was_written = len(sounding) < len(state.beating.sounding)
        if was_written:
            held = tuple(h for h in held if h.key != event.key)
        return Outcome(evolved(state, held=held, beating=replace(state.beating, sounding=sounding)))

    def pedal(self, state: EntryState, event: Pedal, piece: Piece) -> Outcome:
        """The foot."""
        return self.tap(state, event.time_us, piece) if event.down else Outcome(state)

    def advance(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """The advance key taps, too."""
        return self.tap(state, time_us, piece)

    def tap(self, state: EntryState, time_us: int, piece: Piece) -> Outcome:
        """Write one step of what is down and move on."""
        return write_held(state, piece, time_us, state.foot_grey)

    def back(self, state: EntryState, piece: Piece) -> Outcome | None:
        """What is still held gets shorter by a step."""
        return shorten(state, piece, state.beating.sounding) if state.beating.sounding and state.steps else None

    def finish(self, state: EntryState, piece: Piece) -> Outcome:
        """What is down ends where the pen stands."""
        return Outcome(evolved(state, held=(), beating=Beating()))
