"""The journal: everything heard while a piece is open, and recordings that go on.

This module owns the tables journal and recording; the caller owns the transaction. Times are microseconds of the
wall clock.
"""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from ductus.core.capture.takes import Heard

INSERT_HEARD = """
insert into journal (piece, at_us, kind, key, value, channel, pen_down, became)
values (:piece, :at_us, :kind, :key, :value, :channel, :written, :written)"""
JOURNAL = """
select at_us, kind, key, value, channel from journal
where piece = :piece and at_us >= :from_us and at_us <= :to_us order by at_us, id"""
BECAME = "update journal set became = :became where piece = :piece and at_us >= :from_us and at_us <= :to_us"
# Keys that nothing was made of, cut where nothing was heard for a while; what belongs to a recording that goes on or
# was cut off is told there.
LEFT = """
select min(at_us) as from_us, max(at_us) as to_us, count(*) as notes from (
  select at_us, sum(apart) over (order by at_us, id) as stretch from (
    select at_us, id, at_us - lag(at_us, 1, 0) over (order by at_us, id) > :gap as apart from journal
    where piece = :piece and became = 0 and kind = 'down'))
group by stretch order by from_us desc limit :most"""
BEGIN = "insert into recording (piece, from_us, plan_json) values (:piece, :from_us, :plan)"
GOING = "select from_us, plan_json from recording where piece = :piece and id = :id"
TAKE_UP = "update recording set to_us = null where id = :id"
END = "delete from recording where id = :id"
CUT = "update recording set to_us = :to_us where piece = :piece and to_us is null"
CUT_OFF = """
select r.id, r.from_us, r.to_us, r.plan_json,
  (select count(*) from journal j
     where j.piece = r.piece and j.kind = 'down' and j.at_us between r.from_us and r.to_us) as notes
from recording r where r.piece = :piece and r.to_us is not null order by r.id"""


@dataclass(frozen=True, slots=True)
class CutOff:
    """A recording that was cut off: its stretch of wall-clock time, its plan, and how many keys were struck in it."""

    id: int
    from_us: int
    to_us: int
    plan: dict[str, Any]
    notes: int


@dataclass(frozen=True, slots=True)
class Stretch:
    """Something heard of which nothing was made.

    Wall-clock microseconds of its first and last key, and how many keys were struck.
    """

    from_us: int
    to_us: int
    notes: int


def stretches_left(connection: sqlite3.Connection, piece_id: str, gap_us: int, most: int) -> list[Stretch]:
    """What was heard and neither written nor dropped, the latest first; a silence of ``gap_us`` parts two stretches."""
    rows = connection.execute(LEFT, {"piece": piece_id, "gap": gap_us, "most": most})
    return [Stretch(r["from_us"], r["to_us"], r["notes"]) for r in rows]


def has_become(connection: sqlite3.Connection, piece_id: str, from_us: int, to_us: int, became: int) -> None:
    """Say what became of a stretch: 0 nothing, 1 written, 2 dropped."""
    connection.execute(BECAME, {"piece": piece_id, "from_us": from_us, "to_us": to_us, "became": became})


def append_journal(connection: sqlite3.Connection, piece_id: str, heard: Iterable[tuple[Heard, bool]]) -> None:
    """Keep everything heard: (event with wall-clock microseconds, was something written from it)."""
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
                "written": int(written),
            }
            for h, written in heard
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


def take_up_recording(connection: sqlite3.Connection, piece_id: str, number: int) -> CutOff | None:
    """A recording goes on after a break; None where it is not there any more.

    It has no end then; its notes are not counted.
    """
    found = connection.execute(GOING, {"piece": piece_id, "id": number}).fetchone()
    if found is None:
        return None
    connection.execute(TAKE_UP, {"id": number})
    return CutOff(number, found["from_us"], found["from_us"], json.loads(found["plan_json"]), 0)


def cut_off_recordings(connection: sqlite3.Connection, piece_id: str, now_us: int) -> list[CutOff]:
    """Recordings of a piece that nobody is making any more and nobody has kept.

    Those found just now end at ``now_us``.
    """
    connection.execute(CUT, {"piece": piece_id, "to_us": now_us})
    rows = connection.execute(CUT_OFF, {"piece": piece_id})
    return [CutOff(r["id"], r["from_us"], r["to_us"], json.loads(r["plan_json"]), r["notes"]) for r in rows]
