"""The ways of working: one small module each, all with the same four functions.

A way has ``key_down``, ``key_up``, ``pedal`` and ``wait``; each is (state, event, piece) -> Outcome. What a way does
not need comes from ``EntryMode``, which does nothing.
"""

from __future__ import annotations

from ductus.core.entry.events import KeyDown, KeyUp, Pedal, Wait
from ductus.core.entry.state import EntryState, Held, Outcome
from ductus.core.score.model.piece import Piece


class EntryMode:
    """A way of working that hears nothing."""

    def key_down(self, state: EntryState, event: KeyDown, piece: Piece) -> Outcome:
        """A key goes down."""
        return Outcome(state)

    def key_up(self, state: EntryState, event: KeyUp, piece: Piece) -> Outcome:
        """A key is let go."""
        return Outcome(state)

    def pedal(self, state: EntryState, event: Pedal, piece: Piece) -> Outcome:
        """The pedal goes down or up."""
        return Outcome(state)

    def wait(self, state: EntryState, event: Wait, piece: Piece) -> Outcome:
        """Time has passed."""
        return Outcome(state)

    def advance(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """The advance command."""
        return Outcome(state)

    def back(self, state: EntryState, piece: Piece) -> Outcome | None:
        """Step back, if the way has a meaning of its own for it."""
        return None

    def finish(self, state: EntryState, piece: Piece) -> Outcome:
        """The pen is lifted or the way is left."""
        return Outcome(state)


def gathered(held: tuple[Held, ...], event: KeyDown) -> tuple[Held, ...]:
    """The held keys with one more; a key that is struck again while it is held was let go in between."""
    return (*(h for h in held if h.key != event.key), Held(event.key, event.velocity, event.time_us))


def let_go(held: tuple[Held, ...], key: int) -> tuple[Held, ...]:
    """The held keys with one marked as up."""
    return tuple(Held(h.key, h.velocity, h.down_us, h.is_down and h.key != key) for h in held)
