"""Step (JOB 3.6): a step is written when all keys are up, at the stroke, or on an advance command."""

from __future__ import annotations

from dataclasses import replace

from ductus.core.entry.events import KeyDown, KeyUp, Pedal, Wait
from ductus.core.entry.lengthening import lengthen, shorten
from ductus.core.entry.state import GATHER_US, Beating, EntryState, Outcome, Sounding, evolved
from ductus.core.entry.ways import Way, gathered, let_go
from ductus.core.entry.writing import write_step
from ductus.core.score.piece import Piece


class Stepping(Way):
    """The three ways to end a step."""

    def key_down(self, state: EntryState, event: KeyDown, piece: Piece) -> Outcome:
        """Gather the key; at the stroke, a key after the gathering time begins the next step."""
        if state.when == "stroke" and state.held and event.time_us - state.held[0].down_us > GATHER_US:
            written = write_step(state, piece)
            after = written.change.apply(piece) if written.change else piece
            following = self.key_down(written.state, event, after)
            return replace(following, change=written.change, say=written.say)
        held = gathered(state.held, event)
        return Outcome(evolved(state, held=held), wake_us=GATHER_US if state.when == "stroke" else None)

    def key_up(self, state: EntryState, event: KeyUp, piece: Piece) -> Outcome:
        """With "all up" the last key up writes the chord; with "advance" what is let go is dropped."""
        if not any(h.key == event.key for h in state.held):
            return Outcome(state)
        held = let_go(state.held, event.key)
        if state.when == "advance":
            beating = state.beating if any(h.is_down for h in held) else Beating()
            return Outcome(evolved(state, held=tuple(h for h in held if h.is_down), beating=beating))
        state = evolved(state, held=held)
        if state.when == "all up" and not any(h.is_down for h in held):
            return write_step(state, piece)
        return Outcome(state)

    def pedal(self, state: EntryState, event: Pedal, piece: Piece) -> Outcome:
        """The pedal is the advance command, where one is wanted."""
        return self.advance(state, piece) if event.down and state.when == "advance" else Outcome(state)

    def advance(self, state: EntryState, piece: Piece) -> Outcome:
        """Held keys are written; again while holding lengthens them by a step; with nothing held it is a rest."""
        keys = tuple(sorted(h.key for h in state.held if h.is_down))
        sounding = state.beating.sounding
        if keys and sounding and sounding[0].keys == keys:
            return lengthen(state, piece, sounding)
        held = state.held
        outcome = write_step(state, piece)
        if not keys:
            return Outcome(evolved(outcome.state, beating=Beating()), outcome.change, outcome.say)
        ids = outcome.state.steps[-1].ids if outcome.state.steps else ()
        tick = outcome.state.steps[-1].tick if outcome.state.steps else state.tick
        open_chord = Beating(1, 0, (Sounding(tick, ids, keys),))
        return Outcome(evolved(outcome.state, held=held, beating=open_chord), outcome.change, outcome.say)

    def wait(self, state: EntryState, event: Wait, piece: Piece) -> Outcome:
        """The gathering time is over."""
        if state.when == "stroke" and state.held and event.time_us - state.held[0].down_us >= GATHER_US:
            return write_step(state, piece)
        return Outcome(state)

    def back(self, state: EntryState, piece: Piece) -> Outcome | None:
        """A chord that is still being lengthened gets shorter by a step; at zero it goes."""
        if state.when == "advance" and state.beating.sounding and state.steps:
            return shorten(state, piece, state.beating.sounding)
        return None
