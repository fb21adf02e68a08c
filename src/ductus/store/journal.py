"""The journal: everything heard while a piece is open, and recordings that go on. This module owns the tables journal and recording; the
caller owns the transaction. Times are microseconds of the wall clock."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from ductus.core.performance.takes import Heard

INSERT_HEARD = """
insert into journal (piece, at_us, kind, key, value, channel, pen_down)
values (:piece, :at_us, :kind, :key, :value, :channel, :pen_down)"""
JOURNAL = """
select at_us, kind, key, value, channel from journal
where piece = :piece and at_us >= :from_us and at_us <= :to_us order by at_us, id"""
BEGIN = "insert into recording (piece, from_us, plan_json) values (:piece, :from_us, :plan)"
END = "delete from recording where id = :id"
CUT = "update recording set to_us = :to_us where piece = :piece and to_us is null"
CUT_OFF = """
select r.id, r.from_us, r.to_us, r.plan_json,
  (select count(*) from journal j where j.piece = r.piece and j.kind = 'down' and j.at_us between r.from_us and r.to_us) as notes
from recording r where r.piece = :piece and r.to_us is not null order by r.id"""


@dataclass(frozen=True, slots=True)
class CutOff:
    """A recording that was cut off: its stretch of wall-clock time, its plan, and how many keys were struck in it."""

    id: int
    from_us: int
    to_us: int
    plan: dict[str, Any]
    notes: int


def append_journal(connection: sqlite3.Connection, piece_id: str, heard: Iterable[tuple[Heard, bool]]) -> None:
    """Keep everything heard: (event with wall-clock microseconds, was the pen down)."""
    connection.executemany(
        INSERT_HEARD,
        (
            {
                "piece": piece_id,
                "at_us": h.time_us,
                "kind": h.kind,
                "key": h.key,
                "value": h.value,
                "channel": h.channel,
                "pen_down": int(down),
            }
            for h, down in heard
        ),
    )


def read_journal(connection: sqlite3.Connection, piece_id: str, from_us: int, to_us: int) -> list[Heard]:
    """What was heard in a stretch of wall-clock time."""
    rows = connection.execute(JOURNAL, {"piece": piece_id, "from_us": from_us, "to_us": to_us})
    return [Heard(r["at_us"], r["kind"], r["key"], r["value"], r["channel"]) for r in rows]


def begin_recording(connection: sqlite3.Connection, piece_id: str, from_us: int, plan: dict[str, Any]) -> int:
    """Remember that a recording goes on; returns its number."""
    number = connection.execute(BEGIN, {"piece": piece_id, "from_us": from_us, "plan": json.dumps(plan)}).lastrowid
    assert number is not None
    return number


def end_recording(connection: sqlite3.Connection, number: int) -> None:
    """The recording is over, and what came of it is kept (or a person dropped it)."""
    connection.execute(END, {"id": number})


def cut_off_recordings(connection: sqlite3.Connection, piece_id: str, now_us: int) -> list[CutOff]:
    """Recordings of a piece that nobody is making any more and nobody has kept; those found just now end at ``now_us``."""
    connection.execute(CUT, {"piece": piece_id, "to_us": now_us})
    rows = connection.execute(CUT_OFF, {"piece": piece_id})
    return [CutOff(r["id"], r["from_us"], r["to_us"], json.loads(r["plan_json"]), r["notes"]) for r in rows]
