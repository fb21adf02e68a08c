"""A player at the pen, without a desk: events in, the piece and what was said out."""

from __future__ import annotations

from dataclasses import replace

from ductus.core.entry.commands.base import EntryCommand
from ductus.core.entry.events import Command, Event, KeyDown, KeyUp
from ductus.core.entry.machine import advance_entry
from ductus.core.entry.state import EntryState
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.changes import Change
from ductus.core.score.model.piece import Piece
from ductus.core.time.ticks import QUARTER


class Player:
    """Feeds events to the machine and keeps the piece, as an open desk does."""

    def __init__(self, piece: Piece | None = None, **state: object) -> None:
        self.piece = piece or new_piece()
        self.state = EntryState("p1", down=True, **state)  # type: ignore[arg-type]
        self.said: list[str] = []
        self.changes: list[Change] = []
        self.now_us = 0

    def do(self, event: Event) -> Player:
        outcome = advance_entry(self.state, event, self.piece)
        self.state = outcome.state
        if outcome.change:
            self.changes.append(outcome.change)
            self.piece = outcome.change.apply(self.piece)
        if outcome.say:
            self.said.append(outcome.say)
        return self

    def give(self, command: EntryCommand, time_us: int = 0) -> Player:
        return self.do(Command(command, time_us))

    def undo(self) -> Player:
        """Take the last change back, pen included, as a desk does."""
        change = self.changes.pop().inverse()
        self.piece = change.apply(self.piece)
        assert change.pen is not None
        place = change.pen[1]
        self.state = replace(self.state.fresh(), part=place.part, staff=place.staff, voice=place.voice, tick=place.tick)
        return self

    def chord(self, *keys: int) -> Player:
        for key in keys:
            self.now_us += 5_000
            self.do(KeyDown(self.now_us, key, 70))
        for key in keys:
            self.now_us += 5_000
            self.do(KeyUp(self.now_us, key))
        return self

    def notes(self) -> list[tuple[float, float, int]]:
        """(onset, length) in quarters and key of everything written, in order."""
        found = sorted(self.piece.notes.values(), key=lambda n: (n.tick, n.pitch.midi))
        return [(n.tick / QUARTER, n.ticks / QUARTER, n.pitch.midi) for n in found]
