"""Changes that are committed but not yet in the tables.

Those of very many rows, and whatever was changed after them. This module owns the table pending_rows. Every function
runs inside the caller's transaction.

Whoever reads the tables of a piece writes what is pending first (``write_pending``); a process that is killed loses
nothing, since rows are whole records and can be written twice.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence

from ductus.core.score.model.changes import Change
from ductus.core.score.model.piece import Row
from ductus.store.records import write_rows
from ductus.store.rows import MANY_ROWS, Kept, change_from_kept

WAITS = "select exists (select 1 from pending_rows where piece = ?)"
PUT_OFF = (
    "insert into pending_rows (piece, number, back, rows_json, packed) values (:piece, :number, :back, :rows, :packed)"
)
WAITING = "select number, back, rows_json, packed from pending_rows where piece = ? order by number"
THERE = "select 1 from pending_rows where piece = ? and number = ?"
DONE = "delete from pending_rows where piece = ? and number = ?"
OWING = "select distinct piece from pending_rows"


def write_or_put_off(
    connection: sqlite3.Connection, piece_id: str, number: int, change: Change, kept: Kept, *, back: bool = False
) -> int:
    """Write the rows of a change, or put them off where they are many or others wait before them.

    Returns the number that they wait under (0: they are written). ``number``: the revision that the change makes,
    never given twice. ``kept`` are the rows of the change, or (``back``) of the change of which it is the inverse.
    """
    if len(change.rows) < MANY_ROWS and not connection.execute(WAITS, (piece_id,)).fetchone()[0]:
        write_rows(connection, piece_id, change.rows)
        return 0
    row = {"piece": piece_id, "number": number, "back": int(back), "rows": kept.text, "packed": kept.packed}
    connection.execute(PUT_OFF, row)
    return number


def write_some(connection: sqlite3.Connection, piece_id: str, number: int, rows: Sequence[Row]) -> bool:
    """Write some rows of a change that waits; False if it does not wait any more."""
    if connection.execute(THERE, (piece_id, number)).fetchone() is None:
        return False
    write_rows(connection, piece_id, rows)
    return True


def all_written(connection: sqlite3.Connection, piece_id: str, number: int) -> None:
    """All rows of a change that waited are in the tables."""
    connection.execute(DONE, (piece_id, number))


def write_pending(connection: sqlite3.Connection, piece_id: str) -> None:
    """Write all that waits of a piece."""
    for row in connection.execute(WAITING, (piece_id,)).fetchall():
        change = change_from_kept("", Kept(row["rows_json"], row["packed"]))
        write_rows(connection, piece_id, (change.inverse() if row["back"] else change).rows)
        all_written(connection, piece_id, row["number"])


def write_all_pending(connection: sqlite3.Connection) -> None:
    """Write all that waits, of every piece."""
    for row in connection.execute(OWING).fetchall():
        write_pending(connection, row["piece"])
