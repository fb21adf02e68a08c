"""Pulse hand: one hand strikes a pulse, the other plays the tune where it falls.

Each pulse but the first moves the pen on one step. A tune note lasts until its successor (or until it is let go, by
choice); the last one runs to the end of its bar. The pulse itself never becomes a note. A tune note within the
gathering time before a pulse belongs to it; otherwise to the pulse before.
"""

from __future__ import annotations

from dataclasses import replace

from ductus.core.entry.events import KeyDown, KeyUp, Pedal, Wait
from ductus.core.entry.modes.base import EntryMode, gathered, let_go
from ductus.core.entry.state import GATHER_US, Beating, EntryState, Outcome, Sounding, evolved
from ductus.core.entry.writing.held_chords import stretch
from ductus.core.entry.writing.step import put_chord, spell, step_words, strikes_of
from ductus.core.score.catalogues.drums import sound_words
from ductus.core.score.model.changes import Change, Draft, joined
from ductus.core.score.model.piece import Piece
from ductus.core.words import capital

LOW_KEY = 48  # below it, a key struck before any pulse may have been meant as one
NO_PULSE = (
    "No key beats the pulse yet: press the pedal or the advance key, or choose a pulse key in the line and play it. "
    "This key waits as a note; Backspace drops it"
)


class Pulse(EntryMode):
    """The pulse hand."""

    def key_down(self, state: EntryState, event: KeyDown, piece: Piece) -> Outcome:
        """A tune note waits for the gathering time, then belongs to the pulse before it; the pulse key is a pulse."""
        if event.key == state.pulse_key:
            return self.pulse(state, event.time_us, piece)
        say = NO_PULSE if state.pulse_key is None and not state.beating.count and event.key < LOW_KEY else ""
        return Outcome(evolved(state, held=gathered(state.held, event)), say=say, wake_us=GATHER_US)

    def key_up(self, state: EntryState, event: KeyUp, piece: Piece) -> Outcome:
        """With "until released", a note that is let go ends with the step of the present pulse."""
        state = evolved(state, held=let_go(state.held, event.key))
        if state.pulse_until != "release":
            return Outcome(state)
        left = tuple(s for s in state.beating.sounding if event.key not in s.keys)
        return Outcome(evolved(state, beating=replace(state.beating, sounding=left)))

    def pedal(self, state: EntryState, event: Pedal, piece: Piece) -> Outcome:
        """The pedal can beat the pulse."""
        return self.pulse(state, event.time_us, piece) if event.down else Outcome(state)

    def wait(self, state: EntryState, event: Wait, piece: Piece) -> Outcome:
        """Tune notes that no pulse claimed in time belong to the pulse before."""
        due = [h for h in state.held if event.time_us - h.down_us >= GATHER_US]
        if not due or not state.beating.count:
            return Outcome(state)
        return self.write(state, piece)

    def advance(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """The advance key can beat the pulse."""
        return self.pulse(state, time_us, piece)

    def pulse(self, state: EntryState, time_us: int, piece: Piece) -> Outcome:
        """A pulse: what came well before it is written first, then the pen moves on, what sounds goes on with it,
        and what was struck with it is written on it.
        """
        early = tuple(h for h in state.held if time_us - h.down_us > GATHER_US)
        change, said = None, ""
        if early and state.beating.count:
            before = self.write(evolved(state, held=early), piece)
            rest = tuple(h for h in state.held if h not in early)
            state, change, said = evolved(before.state, held=rest), before.change, before.say
            piece = change.apply(piece) if change else piece
        draft = Draft(piece)
        first = state.beating.count == 0
        tick = state.tick if first else state.tick + state.step.ticks
        if state.beating.sounding:
            stretch(draft, state, state.beating.sounding, tick, tick + state.step.ticks)
        state = evolved(
            state, tick=tick, beating=replace(state.beating, count=state.beating.count + 1, last_us=time_us)
        )
        grown = draft.change(f"Held to {piece.timeline.place_words(tick + state.step.ticks)}")
        piece = grown.apply(piece)
        waiting = bool(state.held)
        return Outcome(state, _both(change, grown), said, GATHER_US if waiting else None)

    def write(self, state: EntryState, piece: Piece) -> Outcome:
        """Write what is held on the present pulse; what sounded before ends there."""
        draft = Draft(piece)
        for chord in state.beating.sounding:
            for i in chord.ids:
                note = draft.note(i)
                if note is not None and chord.tick < state.tick < note.end:
                    draft.put(replace(note, ticks=state.tick - note.tick))
        strikes = strikes_of(piece, state, state.held)
        placed = put_chord(
            draft,
            evolved(state, policy="add") if self._same_pulse(state) else state,
            state.tick,
            state.step.ticks,
            strikes,
        )
        say = step_words(piece, state, placed, strikes)
        keys = tuple(h.key for h in state.held)
        sounding = Sounding(placed.tick, placed.ids, keys)
        kept = state.beating.sounding if self._same_pulse(state) else ()
        released = state.pulse_until == "release" and not any(h.is_down for h in state.held)
        beating = replace(state.beating, sounding=kept if released else (*kept, sounding))
        return Outcome(evolved(state, held=(), beating=beating), draft.change(capital(say)) or None, say)

    def _same_pulse(self, state: EntryState) -> bool:
        return any(s.tick == state.tick for s in state.beating.sounding)

    def back(self, state: EntryState, piece: Piece) -> Outcome | None:
        """A tune note that waits for its pulse is dropped."""
        if not state.held:
            return None
        dropped = state.held[-1]
        say = f"{sound_words(piece.part(state.part), spell(piece, state, dropped.key))} dropped before it was written"
        return Outcome(evolved(state, held=state.held[:-1]), say=say)

    def finish(self, state: EntryState, piece: Piece) -> Outcome:
        """The last note runs to the end of its bar."""
        change: Change | None = None
        if state.held and state.beating.count:
            written = self.write(state, piece)
            state, change = written.state, written.change
            piece = change.apply(piece) if change else piece
        draft = Draft(piece)
        end = piece.timeline.bar_at(state.tick).end
        stretch(draft, state, state.beating.sounding, state.tick, end)
        moved = end if state.beating.count else state.tick
        last = draft.change("The last note held to the end of its bar")
        return Outcome(evolved(state, tick=moved, held=(), beating=Beating()), _both(change, last))


def _both(first: Change | None, second: Change) -> Change | None:
    if not first:
        return second or None
    return joined(first.sentence, (first, second)) if second else first
