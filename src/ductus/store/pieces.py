"""Pieces and their history.

This module owns the tables piece, history and opening; ``records`` and ``pending`` those of what stands in a piece.
Every function runs inside the caller's transaction.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import partial

from ductus.core.errors import CHANGED_ELSEWHERE, NotThere, Stale
from ductus.core.score.model.changes import Change
from ductus.core.score.model.piece import Piece, make_piece, records_of
from ductus.core.score.model.records import Record
from ductus.store.pending import write_all_pending, write_or_put_off, write_pending
from ductus.store.records import read_records, write_rows
from ductus.store.rows import Kept, change_from_kept, from_columns, kept_rows, pen_to_json, to_columns

INSERT_PIECE = """
insert into piece (id, made_at, changed_at, title, subtitle, composer, arranger, lyricist, rights, number, pickup, bars,
cautions)
values (:id, :now, :now, :title, :subtitle, :composer, :arranger, :lyricist, :rights, :number, :pickup, :bars,
:cautions)"""
GET_PIECE = "select * from piece where id = :piece and deleted_at is null"
GET_SETTING = "select value from setting where name = :name"
PUT_SETTING = "insert or replace into setting (name, value) values (:name, :value)"
SHELF = """
select p.id, p.title, p.subtitle, p.composer, p.changed_at, p.revision, p.tags,
  (select count(*) from note n where n.piece = p.id) as notes,
  (select group_concat(name, ', ') from (select name from part where part.piece = p.id order by "order")) as parts,
  (select count || '/' || unit from meter m where m.piece = p.id order by bar limit 1) as meter,
  (select count(*) from take t where t.piece = p.id and t.dropped = 0) as takes
from piece p where p.deleted_at is null order by p.changed_at desc, p.rowid desc"""
ADVANCE = """
update piece set revision = revision + 1, position = position + :by, changed_at = :now
where id = :piece and revision = :base and deleted_at is null"""
FORGET_UNDONE = "delete from history where piece = :piece and position > :position"
REMEMBER = """
insert into history (piece, position, sentence, rows_json, packed, pen_json, made_at)
values (:piece, :position, :sentence, :rows, :packed, :pen, :now)"""
RECALL = "select sentence, rows_json, packed, pen_json from history where piece = :piece and position = :position"
SENTENCE = "select sentence from history where piece = :piece and position = :position"


@dataclass(frozen=True, slots=True)
class Standing:
    """Where the history of a piece stands: its revision, what would be undone and redone next (or None)."""

    revision: int
    undo: str | None
    redo: str | None


@dataclass(frozen=True, slots=True)
class Written:
    """A change that was committed: the place in the history of the edit (that was made, taken back or made again),
    and the number under which its rows wait for their tables (0: they are there).
    """

    change: Change
    position: int
    waits: int


NOTHING: Mapping[int, Change] = {}
HABITS = "habits "  # before the id of a piece: how entry is set there


def now_text() -> str:
    """The time as the database keeps it (UTC, ISO 8601)."""
    return datetime.now(UTC).isoformat(timespec="milliseconds")


def insert_piece(connection: sqlite3.Connection, piece_id: str, piece: Piece) -> None:
    """Store a new piece with all its records and an empty history."""
    connection.execute(INSERT_PIECE, {"id": piece_id, "now": now_text(), **to_columns(piece.facts)})
    write_rows(connection, piece_id, ((None, record) for record in records_of(piece)))


def load_piece(connection: sqlite3.Connection, piece_id: str) -> Piece:
    """Return a piece; raises NotThere if there is none (deleted ones count as gone)."""
    write_pending(connection, piece_id)
    row = connection.execute(GET_PIECE, {"piece": piece_id}).fetchone()
    if row is None:
        raise NotThere("There is no piece at this address. It may have been deleted; the shelf shows what is there.")
    records: list[Record] = [from_columns("facts", row), *read_records(connection, piece_id)]
    return make_piece(records)


def shelf(connection: sqlite3.Connection) -> list[sqlite3.Row]:
    """One row for each piece that is not deleted, the latest worked on first."""
    write_all_pending(connection)
    return connection.execute(SHELF).fetchall()


def set_deleted(connection: sqlite3.Connection, piece_id: str, deleted: bool) -> None:
    """Take a piece off the shelf, or put it back. Raises NotThere."""
    done = connection.execute(
        "update piece set deleted_at = :at where id = :piece",
        {"piece": piece_id, "at": now_text() if deleted else None},
    )
    if not done.rowcount:
        raise NotThere("There is no piece at this address, so nothing was deleted.")


def standing(connection: sqlite3.Connection, piece_id: str) -> Standing:
    """Return the revision and what undo and redo would do. Raises NotThere."""
    row = connection.execute("select revision, position from piece where id = :piece", {"piece": piece_id}).fetchone()
    if row is None:
        raise NotThere("There is no piece at this address.")
    undo = connection.execute(SENTENCE, {"piece": piece_id, "position": row["position"]}).fetchone()
    redo = connection.execute(SENTENCE, {"piece": piece_id, "position": row["position"] + 1}).fetchone()
    return Standing(row["revision"], undo and undo["sentence"], redo and redo["sentence"])


def append_change(
    connection: sqlite3.Connection, piece_id: str, base: int, change: Change, kept: Kept | None = None
) -> Written:
    """Write a change on top of revision ``base`` and remember it; edits that were undone are forgotten.

    ``kept``: its rows, if they were made ready before.

    Raises Stale if ``base`` is not the revision any more.
    """
    kept = kept or kept_rows(change)
    _advance(connection, piece_id, base, 1)
    position = _position(connection, piece_id)
    connection.execute(FORGET_UNDONE, {"piece": piece_id, "position": position - 1})
    waits = write_or_put_off(connection, piece_id, base + 1, change, kept)
    connection.execute(
        REMEMBER,
        {
            "piece": piece_id,
            "position": position,
            "sentence": change.sentence,
            "rows": kept.text,
            "packed": kept.packed,
            "pen": pen_to_json(change),
            "now": now_text(),
        },
    )
    return Written(change, position, waits)


def undo_change(
    connection: sqlite3.Connection, piece_id: str, base: int, known: Mapping[int, Change] = NOTHING
) -> Written | None:
    """Take the latest edit back; returns the change that was applied, None at the beginning of the history.

    ``known``: changes by their places in the history, as far as they are still at hand.
    """
    return _travel(connection, piece_id, base, -1, known)


def redo_change(
    connection: sqlite3.Connection, piece_id: str, base: int, known: Mapping[int, Change] = NOTHING
) -> Written | None:
    """Do the latest undone edit again; None if there is none. ``known`` as for ``undo_change``."""
    return _travel(connection, piece_id, base, 1, known)


def _travel(
    connection: sqlite3.Connection, piece_id: str, base: int, by: int, known: Mapping[int, Change]
) -> Written | None:
    position = _position(connection, piece_id)
    position = position if by < 0 else position + 1
    found = connection.execute(RECALL, {"piece": piece_id, "position": position}).fetchone()
    if found is None:
        return None
    kept = Kept(found["rows_json"], found["packed"])
    change = known.get(position)
    if change is None or change.sentence != found["sentence"]:
        change = change_from_kept(found["sentence"], kept, found["pen_json"])
    change = change.inverse() if by < 0 else change
    _advance(connection, piece_id, base, by)
    return Written(change, position, write_or_put_off(connection, piece_id, base + 1, change, kept, back=by < 0))


def latest_large(connection: sqlite3.Connection, piece_id: str) -> tuple[int, Callable[[], Change]] | None:
    """The place of the edit that would be undone next, if it changed very many rows, and what reads it (which takes
    a while, and needs no transaction).
    """
    position = _position(connection, piece_id)
    found = connection.execute(RECALL, {"piece": piece_id, "position": position}).fetchone()
    if found is None or found["packed"] is None:
        return None
    kept = Kept(found["rows_json"], found["packed"])
    return position, partial(change_from_kept, found["sentence"], kept, found["pen_json"])


def _position(connection: sqlite3.Connection, piece_id: str) -> int:
    row = connection.execute("select position from piece where id = :piece", {"piece": piece_id}).fetchone()
    return int(row["position"]) if row else 0


def _advance(connection: sqlite3.Connection, piece_id: str, base: int, by: int) -> None:
    row = {"piece": piece_id, "base": base, "by": by, "now": now_text()}
    if connection.execute(ADVANCE, row).rowcount == 0:
        there = connection.execute("select deleted_at from piece where id = ?", (piece_id,)).fetchone()
        if there is None or there["deleted_at"] is not None:
            raise NotThere("This piece was deleted, so nothing was written. The shelf can bring it back.")
        raise Stale(CHANGED_ELSEWHERE)


def set_tags(connection: sqlite3.Connection, piece_id: str, tags: str) -> None:
    """Keep the tags of a piece, parted by commas. Raises NotThere."""
    if not connection.execute(
        "update piece set tags = :tags where id = :piece", {"tags": tags, "piece": piece_id}
    ).rowcount:
        raise NotThere("There is no piece at this address, so nothing was kept.")


def opening(connection: sqlite3.Connection, piece_id: str, revision: int) -> str | None:
    """The picture of the first bars as of a revision, if it was made."""
    row = connection.execute("select revision, svg from opening where piece = ?", (piece_id,)).fetchone()
    return row["svg"] if row is not None and row["revision"] == revision else None


def keep_opening(connection: sqlite3.Connection, piece_id: str, revision: int, svg: str) -> None:
    """Keep the picture of the first bars."""
    connection.execute(
        "insert or replace into opening (piece, revision, svg) values (?, ?, ?)", (piece_id, revision, svg)
    )


def set_last_place(connection: sqlite3.Connection, piece_id: str, tick: int) -> None:
    """Remember where work stopped, so that the piece opens there."""
    connection.execute("update piece set last_place = :tick where id = :piece", {"tick": tick, "piece": piece_id})


def last_place(connection: sqlite3.Connection, piece_id: str) -> int:
    """Where work stopped, in ticks."""
    row = connection.execute("select last_place from piece where id = :piece", {"piece": piece_id}).fetchone()
    return int(row["last_place"]) if row else 0


def setting(connection: sqlite3.Connection, name: str) -> str | None:
    """A setting that was kept, or None."""
    row = connection.execute(GET_SETTING, {"name": name}).fetchone()
    return row and str(row["value"])


def keep_setting(connection: sqlite3.Connection, name: str, value: str) -> None:
    """Keep a setting."""
    connection.execute(PUT_SETTING, {"name": name, "value": value})
