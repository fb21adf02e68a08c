"""Foot-led (JOB 4.5): the player taps the beats and plays as the piece would go, at any speed.

At each tap the keys that are down are written for one step; those that were down at the last tap grow by it, so a held note over
a moving voice needs nothing else. A key let go before the tap stays grey (shown as pending) and is written or dropped by choice.
"""

from __future__ import annotations

from dataclasses import replace

from ductus.core.entry.events import KeyDown, KeyUp, Pedal
from ductus.core.entry.lengthening import stretch
from ductus.core.entry.state import Beating, EntryState, Outcome, Sounding, Step, evolved
from ductus.core.entry.ways import Way, gathered, let_go
from ductus.core.entry.writing import put_chord, step_words, strikes_of
from ductus.core.score.changes import Draft
from ductus.core.score.piece import Piece


class Foot(Way):
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

    def tap(self, state: EntryState, time_us: int, piece: Piece) -> Outcome:
        """Write one step of what is down and move on."""
        old = {k for s in state.beating.sounding for k in s.keys}
        new = [h for h in state.held if h.key not in old and (h.is_down or state.foot_grey == "write")]
        grey = sum(not h.is_down for h in state.held) if state.foot_grey == "drop" else 0
        start, end = state.tick, state.tick + state.step.ticks
        draft = Draft(piece)
        stretch(draft, state, state.beating.sounding, start, end)
        sounding, say = list(state.beating.sounding), ""
        if new or not old:
            policy = "add" if old else state.policy
            strikes = strikes_of(piece, state, new)
            placed = put_chord(draft, evolved(state, policy=policy), start, state.step.ticks, strikes)
            say = step_words(piece, state, placed, strikes)
            sounding += one_by_one(draft, placed.ids, [h.key for h in sorted(new, key=lambda h: h.key) if h.is_down])
        else:
            say = f"held to {piece.timeline.place_words(end)}"
        if grey:
            say += f"; {grey} let go before the tap, not written"
        down = tuple(h for h in state.held if h.is_down)
        beating = Beating(state.beating.count + 1, time_us, tuple(sounding))
        after = evolved(state, tick=end, held=down, beating=beating, steps=(*state.steps, Step(start, end - start)))
        return Outcome(after, draft.change(say[:1].upper() + say[1:]) or None, say)

    def finish(self, state: EntryState, piece: Piece) -> Outcome:
        """What is down ends where the pen stands."""
        return Outcome(evolved(state, held=(), beating=Beating()))


def one_by_one(draft: Draft, ids: tuple[str, ...], keys: list[int]) -> list[Sounding]:
    """Every note by itself, since fingers leave one by one."""
    out = []
    for i, key in zip(ids, keys, strict=False):
        note = draft.note(i)
        if note is not None:
            out.append(Sounding(note.tick, (i,), (key,)))
    return out
