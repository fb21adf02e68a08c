"""The shelf: all pieces of one database, and the desks of those that are open."""

from __future__ import annotations

import secrets
import threading
from dataclasses import dataclass
from pathlib import Path

from ductus.app.desk import Desk
from ductus.core.performance.takes import Take
from ductus.core.reading.choices import Choices, choices_to_json
from ductus.core.score.piece import Piece
from ductus.core.score.records import Reading
from ductus.engraving.engraver import Engraver
from ductus.store import pieces, takes
from ductus.store.database import Database


@dataclass(frozen=True, slots=True)
class ShelfRow:
    """What the shelf shows of a piece."""

    id: str
    title: str
    subtitle: str
    composer: str
    parts: str
    meter: str
    notes: int
    takes: int
    changed_at: str


class Library:
    """Opens the database once; hands out desks, one for each open piece."""

    def __init__(self, path: Path | str) -> None:
        """Open (or make) the library at ``path``."""
        self.database = Database(path)
        self.engraver = Engraver()
        self._desks: dict[str, Desk] = {}
        self._lock = threading.Lock()

    def shelf(self) -> list[ShelfRow]:
        """All pieces that are not deleted, the latest first."""
        with self.database.transaction() as connection:
            return [
                ShelfRow(
                    r["id"],
                    r["title"],
                    r["subtitle"],
                    r["composer"],
                    r["parts"] or "",
                    r["meter"] or "4/4",
                    r["notes"],
                    r["takes"],
                    r["changed_at"],
                )
                for r in pieces.shelf(connection)
            ]

    def add(
        self,
        piece: Piece,
        take: Take | None = None,
        source: str = "file",
        choices: Choices | None = None,
        start: int = 0,
    ) -> str:
        """Put a new piece on the shelf and return its id. With ``take`` it was read from this performance as ``choices`` say, tick 0
        of its beats being tick ``start``; the notes then know their take, so that it can be read again."""
        piece_id = secrets.token_hex(5)
        with self.database.transaction() as connection:
            pieces.insert_piece(connection, piece_id, piece)
            if take is not None:
                take_id, _ = takes.insert_take(connection, piece_id, take, source if take.pulses else "free", {})
                if choices is not None:
                    part = piece.ordered_parts()[0].id
                    reading = Reading(f"r{piece.serial + 1}", take_id, part, 0, start, choices_to_json(choices))
                    pieces.insert_reading(connection, piece_id, reading)
        return piece_id

    def desk(self, piece_id: str) -> Desk:
        """The desk of a piece, opened if need be. Raises NotThere."""
        with self._lock:
            desk = self._desks.get(piece_id)
            if desk is None:
                desk = self._desks[piece_id] = Desk(piece_id, self.database, self.engraver)
            return desk

    def close_desk(self, piece_id: str) -> None:
        """Forget an open piece (all of it is in the database)."""
        with self._lock:
            self._desks.pop(piece_id, None)

    def delete(self, piece_id: str) -> None:
        """Take a piece off the shelf; ``restore`` brings it back. Raises NotThere."""
        with self.database.transaction() as connection:
            pieces.set_deleted(connection, piece_id, True)
        self.close_desk(piece_id)

    def restore(self, piece_id: str) -> None:
        """Put a deleted piece back on the shelf. Raises NotThere."""
        with self.database.transaction() as connection:
            pieces.set_deleted(connection, piece_id, False)

    def close(self) -> None:
        """Close the database."""
        self.database.close()
