"""Walking: the place moves on by itself at a set rate while keys are held, and stops when all are up.

A pedal tap moves on one step with nothing held, for rests.
"""

from __future__ import annotations

from dataclasses import replace

from ductus.core.entry.events import KeyDown, KeyUp, Pedal, Wait
from ductus.core.entry.modes.base import gathered
from ductus.core.entry.modes.foot_led import Foot
from ductus.core.entry.state import GATHER_US, Beating, EntryState, Outcome, evolved
from ductus.core.score.model.piece import Piece


class Walking(Foot):
    """Foot-led entry whose taps come by themselves."""

    def key_down(self, state: EntryState, event: KeyDown, piece: Piece) -> Outcome:
        """The first key starts the walk: its step is written after the gathering time."""
        state = evolved(state, held=gathered(state.held, event))
        if state.beating.count:
            return Outcome(state, wake_us=max(state.beating.last_us + state.walk_us - event.time_us, 1))
        return Outcome(evolved(state, beating=replace(state.beating, last_us=event.time_us)), wake_us=GATHER_US)

    def key_up(self, state: EntryState, event: KeyUp, piece: Piece) -> Outcome:
        """When all keys are up the walk stops; a key struck and left within the gathering time is one step."""
        outcome = super().key_up(state, event, piece)
        state = outcome.state
        if any(h.is_down for h in state.held):
            return outcome
        change, say = None, ""
        if state.held:  # never written: it gets its step
            tapped = self.tap(evolved(state, foot_grey="write"), event.time_us, piece)
            state, change, say = evolved(tapped.state, foot_grey=state.foot_grey), tapped.change, tapped.say
        return Outcome(evolved(state, held=(), beating=Beating()), change, say)

    def wait(self, state: EntryState, event: Wait, piece: Piece) -> Outcome:
        """A step of the walk is due."""
        if not any(h.is_down for h in state.held):
            return Outcome(state)
        due = state.beating.last_us + (state.walk_us if state.beating.count else GATHER_US)
        if event.time_us < due:
            return Outcome(state, wake_us=due - event.time_us)
        if state.repeats:  # what was written has ended; the same keys are struck again
            state = evolved(state, beating=replace(state.beating, sounding=()))
        outcome = self.tap(state, event.time_us, piece)
        return replace(outcome, wake_us=state.walk_us)

    def pedal(self, state: EntryState, event: Pedal, piece: Piece) -> Outcome:
        """A tap keeps the walk going for a rest."""
        if not event.down or any(h.is_down for h in state.held):
            return Outcome(state)
        outcome = self.tap(state, event.time_us, piece)
        return replace(outcome, state=evolved(outcome.state, beating=Beating()))
