"""Step: a step is written when you let go, at the stroke, or on an advance command."""

from __future__ import annotations

from dataclasses import replace

from ductus.core.entry.events import KeyDown, KeyUp, Pedal, Wait
from ductus.core.entry.modes.base import EntryMode, gathered, let_go
from ductus.core.entry.state import GATHER_US, EntryState, Outcome, evolved
from ductus.core.entry.writing.graces import brushed
from ductus.core.entry.writing.held_chords import shorten, write_held
from ductus.core.entry.writing.step import write_step
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Mark


class Stepping(EntryMode):
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
        """With "all up" the last key up writes the chord.

        With "advance" what is let go ends, or is dropped if it was not written.
        """
        if state.when == "advance":
            sounding = tuple(s for s in state.beating.sounding if event.key not in s.keys)
            held = tuple(h for h in state.held if h.key != event.key)
            return Outcome(evolved(state, held=held, beating=replace(state.beating, sounding=sounding)))
        if not any(h.key == event.key for h in state.held):
            return Outcome(state)
        state = brushed(state, event) or evolved(state, held=let_go(state.held, event.key))
        if state.when == "all up" and not any(h.is_down for h in state.held):
            return write_step(state, piece)
        return Outcome(state)

    def pedal(self, state: EntryState, event: Pedal, piece: Piece) -> Outcome:
        """The pedal is the advance command where one is wanted.

        Else it is kept as pedal: from the pen to where it is let go.
        """
        if state.when == "advance":
            return self.advance(state, piece, event.time_us) if event.down else Outcome(state)
        if event.down:
            place = piece.timeline.place_words(state.tick)
            return Outcome(evolved(state, pedal_from=state.tick), say=f"Pedal from {place}")
        return pedal_kept(state, piece)

    def advance(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """Held keys are written; again while holding lengthens them by a step; with nothing held it is a rest.

        Where keys write by themselves, letting them go afterwards writes nothing more.
        """
        return write_held(state, piece, time_us) if state.when == "advance" else write_step(state, piece)

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


def pedal_kept(state: EntryState, piece: Piece) -> Outcome:
    """The pedal was let go: a mark over what was written meanwhile."""
    start, state = state.pedal_from, evolved(state, pedal_from=None)
    if start is None or start >= state.tick:
        return Outcome(state)
    staff = piece.part(state.part).staves
    draft = Draft(piece)
    for old in draft.marks_between((state.part, staff, 1), "pedal", start, state.tick):
        draft.drop(old)
    draft.put(Mark(draft.new_id("m"), "pedal", state.part, staff, 1, start, state.tick - start))
    say = f"Pedal from {piece.timeline.place_words(start)} to {piece.timeline.place_words(state.tick)}"
    return Outcome(state, draft.change(say), say)
