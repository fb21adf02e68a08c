"""Takes. This module owns take, take_note, take_control and found_beats; the caller owns the transaction.

Nothing here is ever altered once written, a take can only be marked as dropped from the page.
"""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from ductus.core.capture.takes import PlayedControl, PlayedNote, Take
from ductus.core.errors import NotThere
from ductus.core.time.pulse_map import Pulse, PulseMap
from ductus.store.pieces import now_text

JOINED = "joined"  # setting of a take that was made of others: their ids
VOTES = "votes"  # and what was voted on: [microseconds, key, takes that have it, of how many, kept] each
INSERT_TAKE = """
insert into take (piece, name, source, made_at, pulses_json, settings_json, notes, length_us)
values (:piece, :name, :source, :now, :pulses, :settings, :notes, :length)"""
INSERT_NOTE = """
insert into take_note (take, event, onset_us, release_us, key, velocity, channel) values (?, ?, ?, ?, ?, ?, ?)"""
INSERT_CONTROL = "insert into take_control (take, event, time_us, controller, value) values (?, ?, ?, ?, ?)"
LIST_TAKES = """
select id, name, source, made_at, dropped, settings_json, notes, length_us from take where piece = :piece order by id"""
FOUND = "select meter, pulses_json from found_beats where take = :take and hints = :hints order by rank"
KEEP_FOUND = """
insert or replace into found_beats (take, hints, rank, meter, pulses_json) values (:take, :hints, :rank, :meter,
:pulses)"""


@dataclass(frozen=True, slots=True)
class TakeRow:
    """A take in a list: ``settings`` is how it was last read."""

    id: int
    name: str
    source: str
    made_at: str
    dropped: bool
    notes: int
    length_us: int
    settings: dict[str, Any]


def pulses_text(pulses: PulseMap) -> str:
    """A pulse map as JSON."""
    return json.dumps([[p.tick, p.time_us, int(p.by_hand)] for p in pulses.pulses], separators=(",", ":"))


def pulses_from(text: str) -> PulseMap:
    """Inverse of ``pulses_text``."""
    return PulseMap(tuple(Pulse(a, b, bool(c)) for a, b, c in json.loads(text)))


def insert_take(
    connection: sqlite3.Connection, piece_id: str, take: Take, source: str, settings: dict[str, Any]
) -> tuple[int, str]:
    """Keep a take; returns its id and its name ("Take 3")."""
    count = connection.execute("select count(*) from take where piece = ?", (piece_id,)).fetchone()[0]
    name = f"Take {count + 1}"
    return insert_take_as(connection, piece_id, take, name, source, now_text(), settings), name


def insert_take_as(
    connection: sqlite3.Connection,
    piece_id: str,
    take: Take,
    name: str,
    source: str,
    made_at: str,
    settings: dict[str, Any],
    *,
    dropped: bool = False,
) -> int:
    """Keep a take under a name that it has already; returns its id."""
    pulses = pulses_text(take.pulses) if take.pulses else None
    cursor = connection.execute(
        INSERT_TAKE,
        {
            "piece": piece_id,
            "name": name,
            "source": source,
            "now": made_at,
            "pulses": pulses,
            "settings": json.dumps(settings),
            "notes": len(take.notes),
            "length": take.length_us,
        },
    )
    take_id = cursor.lastrowid
    assert take_id is not None
    connection.executemany(
        INSERT_NOTE,
        ((take_id, k, n.onset_us, n.release_us, n.key, n.velocity, n.channel) for k, n in enumerate(take.notes)),
    )
    connection.executemany(
        INSERT_CONTROL, ((take_id, k, c.time_us, c.controller, c.value) for k, c in enumerate(take.controls))
    )
    if dropped:
        set_dropped(connection, take_id, True)
    return take_id


def load_take(connection: sqlite3.Connection, piece_id: str, take_id: int) -> Take:
    """Return a take as it was played. Raises NotThere."""
    row = connection.execute("select pulses_json from take where id = ? and piece = ?", (take_id, piece_id)).fetchone()
    if row is None:
        raise NotThere("That take is not among the takes of this piece.")
    notes = connection.execute("select * from take_note where take = ? order by event", (take_id,))
    controls = connection.execute("select * from take_control where take = ? order by event", (take_id,))
    pulses = pulses_from(row["pulses_json"]) if row["pulses_json"] else None
    return Take(
        tuple(PlayedNote(n["onset_us"], n["release_us"], n["key"], n["velocity"], n["channel"]) for n in notes),
        tuple(PlayedControl(c["time_us"], c["controller"], c["value"]) for c in controls),
        pulses,
    )


def found_beats(connection: sqlite3.Connection, take_id: int, hints: str) -> list[tuple[str, PulseMap]]:
    """Beats found earlier in a take under these hints, best first: (meter, pulse map); empty if nobody looked yet."""
    rows = connection.execute(FOUND, {"take": take_id, "hints": hints})
    return [(r["meter"], pulses_from(r["pulses_json"])) for r in rows]


def keep_found_beats(
    connection: sqlite3.Connection, take_id: int, hints: str, found: Iterable[tuple[str, PulseMap]]
) -> None:
    """Keep what was found, so that it need not be looked for again."""
    connection.executemany(
        KEEP_FOUND,
        (
            {"take": take_id, "hints": hints, "rank": rank, "meter": meter, "pulses": pulses_text(pulses)}
            for rank, (meter, pulses) in enumerate(found)
        ),
    )


def list_takes(connection: sqlite3.Connection, piece_id: str) -> list[TakeRow]:
    """All takes of a piece, the oldest first, dropped ones included."""
    return [
        TakeRow(
            r["id"],
            r["name"],
            r["source"],
            r["made_at"],
            bool(r["dropped"]),
            r["notes"],
            r["length_us"],
            json.loads(r["settings_json"]),
        )
        for r in connection.execute(LIST_TAKES, {"piece": piece_id})
    ]


def set_dropped(connection: sqlite3.Connection, take_id: int, dropped: bool) -> None:
    """Mark a take as dropped from the page (it stays among the takes)."""
    connection.execute("update take set dropped = ? where id = ?", (int(dropped), take_id))
