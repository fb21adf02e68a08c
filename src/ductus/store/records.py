"""Records in their tables: part, meter, key_signature, tempo, clef, bar_sign, note, mark, reading, pattern, and the
head of the piece. Every function runs inside the caller's transaction.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable, Iterator
from itertools import groupby

from ductus.core.score.model.piece import Row
from ductus.core.score.model.records import KIND_OF, Facts, Record
from ductus.store.rows import Columns, from_columns, to_columns

PUT = {
    "facts": """
update piece set title = :title, subtitle = :subtitle, composer = :composer, arranger = :arranger, lyricist = :lyricist,
rights = :rights, number = :number,
  pickup = :pickup, bars = :bars, cautions = :cautions where id = :piece""",
    "part": """
insert or replace into part (piece, id, name, short, programme, clefs, "order", lyrics, transpose, level, pan, kit)
values (:piece, :id, :name, :short, :programme, :clefs, :order, :lyrics, :transpose, :level, :pan, :kit)""",
    "meter": """
insert or replace into meter (piece, id, bar, count, unit, groups, sign)
values (:piece, :id, :bar, :count, :unit, :groups, :sign)""",
    "key": """
insert or replace into key_signature (piece, id, bar, fifths, mode) values (:piece, :id, :bar, :fifths, :mode)""",
    "tempo": """
insert or replace into tempo (piece, id, tick, bpm, beat, dots, text, printed, shown)
values (:piece, :id, :tick, :bpm, :beat, :dots, :text, :printed, :shown)""",
    "clef": """
insert or replace into clef (piece, id, part, staff, tick, clef) values (:piece, :id, :part, :staff, :tick, :clef)""",
    "sign": """
insert or replace into bar_sign (piece, id, kind, bar, text, bars, dx, dy) values (:piece, :id, :kind, :bar, :text,
:bars, :dx, :dy)""",
    "note": """
insert or replace into note (piece, id, part, staff, voice, tick, ticks, step, "alter", octave, velocity,
  sounds_late, sounds_ticks, articulations, lyric, take, event, crushed, played_late, played_ticks)
values (:piece, :id, :part, :staff, :voice, :tick, :ticks, :step, :alter, :octave, :velocity,
  :sounds_late, :sounds_ticks, :articulations, :lyric, :take, :event, :crushed, :played_late, :played_ticks)""",
    "reading": """
insert or replace into reading (piece, id, take, part, staff, start, choices)
values (:piece, :id, :take, :part, :staff, :start, :choices)""",
    "pattern": """
insert or replace into pattern (piece, id, part, start, ticks, times, cells)
values (:piece, :id, :part, :start, :ticks, :times, :cells)""",
    "mark": """
insert or replace into mark (piece, id, kind, part, staff, voice, tick, ticks, text, actual, normal, notes, dx, dy,
side, bend, take, share)
values (:piece, :id, :kind, :part, :staff, :voice, :tick, :ticks, :text, :actual, :normal, :notes, :dx, :dy, :side,
:bend, :take, :share)""",
}
DELETE = {
    "part": "delete from part where piece = :piece and id = :id",
    "meter": "delete from meter where piece = :piece and id = :id",
    "key": "delete from key_signature where piece = :piece and id = :id",
    "tempo": "delete from tempo where piece = :piece and id = :id",
    "clef": "delete from clef where piece = :piece and id = :id",
    "sign": "delete from bar_sign where piece = :piece and id = :id",
    "note": "delete from note where piece = :piece and id = :id",
    "mark": "delete from mark where piece = :piece and id = :id",
    "pattern": "delete from pattern where piece = :piece and id = :id",
    "reading": "delete from reading where piece = :piece and id = :id",
}
SELECT = {
    "part": "select * from part where piece = :piece",
    "meter": "select * from meter where piece = :piece",
    "key": "select * from key_signature where piece = :piece",
    "tempo": "select * from tempo where piece = :piece",
    "clef": "select * from clef where piece = :piece",
    "sign": "select * from bar_sign where piece = :piece",
    "note": "select * from note where piece = :piece",
    "mark": "select * from mark where piece = :piece",
    "pattern": "select * from pattern where piece = :piece",
    "reading": "select * from reading where piece = :piece",
}


def read_records(connection: sqlite3.Connection, piece_id: str) -> Iterator[Record]:
    """All records of a piece but its head, kind by kind."""
    for kind, query in SELECT.items():
        for row in connection.execute(query, {"piece": piece_id}):
            yield from_columns(kind, row)


def write_rows(connection: sqlite3.Connection, piece_id: str, changed: Iterable[Row]) -> None:
    """Rows in their order; those of one kind that come one after the other go in one statement."""
    for (kind, puts), rows in groupby((r for r in changed if r != (None, None)), key=_sort_of):
        if puts:
            connection.executemany(PUT[kind], ({"piece": piece_id, **to_columns(after)} for _, after in rows if after))
        elif kind != "facts":
            connection.executemany(
                DELETE[kind], [{"piece": piece_id, "id": b.id} for b, _ in rows if b and not isinstance(b, Facts)]
            )


def _sort_of(row: Row) -> tuple[str, bool]:
    """Kind of a row, and whether a record stands after it."""
    before, after = row
    return KIND_OF[type(after or before)], after is not None


def put_columns(connection: sqlite3.Connection, piece_id: str, kind: str, columns: Columns) -> None:
    """Write a record as its columns, in place of one of its id."""
    connection.execute(PUT[kind], {"piece": piece_id, **columns})
