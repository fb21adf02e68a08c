"""Files that are being read onto their pages, so that a server that was stopped meanwhile goes on with them.

This module owns the table arriving; the caller owns the transaction.
"""

from __future__ import annotations

import sqlite3
from dataclasses import asdict, dataclass

KEEP = "insert into arriving (piece, name, data) values (:piece, :name, :data)"
LOAD = "select piece, name, data from arriving where piece = ?"
DROP = "delete from arriving where piece = ?"


@dataclass(frozen=True, slots=True)
class Arriving:
    """A file by its name, and the piece that it becomes."""

    piece: str
    name: str
    data: bytes


def keep_arriving(connection: sqlite3.Connection, arriving: Arriving) -> None:
    """Remember a file until it has been read."""
    connection.execute(KEEP, asdict(arriving))


def arriving_at(connection: sqlite3.Connection, piece_id: str) -> Arriving | None:
    """The file that is being read onto the page of a piece, None if there is none."""
    row = connection.execute(LOAD, (piece_id,)).fetchone()
    return None if row is None else Arriving(**dict(row))


def arrived(connection: sqlite3.Connection, piece_id: str) -> None:
    """The file has been read, or will not be."""
    connection.execute(DROP, (piece_id,))
