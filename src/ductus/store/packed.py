"""The file of our own (``.ductus``): pieces with their takes, what was heard, and by choice their history, as an
archive of JSON.

docs/file-format.md describes it for those who want to read it with other programs. A library is kept as one such
file with many pieces.
"""

from __future__ import annotations

import json
import math
import sqlite3
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ductus import __version__
from ductus.core.capture.takes import PlayedControl, PlayedNote, Take
from ductus.core.errors import BadInput
from ductus.core.score.model.field_types import check_typed
from ductus.core.score.model.piece import TABLES, Piece, make_piece, records_of
from ductus.core.score.model.records import KIND_OF, Record
from ductus.core.score.model.validation import check_piece
from ductus.formats.archives import NOTHING, ZIP, Archive, opened, zipped
from ductus.store import pieces
from ductus.store.pieces import HABITS
from ductus.store.records import put_columns
from ductus.store.rows import Kept, change_from_json, from_columns, to_columns
from ductus.store.takes import JOINED, insert_take_as, load_take, pulses_from, pulses_text

VERSION = 1
MEDIA_TYPE = "application/vnd.ductus+zip"
DIGITS = 17  # of a whole number, with its sign: the library keeps 64 bits
MAX_BYTES = 1_500_000_000  # a library of 2,000 pieces with their takes has fewer
MAX_MEMBERS = 200_000
MAX_MEMBER = 60_000_000  # of one take, or of one piece; read, it takes some ten times as much memory
JOURNAL_COLUMNS = ("at_us", "kind", "key", "value", "channel", "pen_down", "became")
HISTORY_COLUMNS = ("position", "sentence", "rows_json", "pen_json", "made_at")
MOST_HABITS = 20_000  # letters
SOURCES = ("click", "free", "file", "journal")


@dataclass(frozen=True, slots=True)
class PackedTake:
    """A take with what the library says of it.

    ``number`` is its id in the file, by which notes and readings name it.
    """

    number: int
    name: str
    source: str
    made_at: str
    dropped: bool
    settings: dict[str, Any]
    take: Take


@dataclass(frozen=True, slots=True)
class Packed:
    """One piece as the file holds it.

    ``history`` are rows of HISTORY_COLUMNS, of which the first ``position`` have been done; ``journal`` rows of
    JOURNAL_COLUMNS; ``habits`` how entry was set when somebody last sat at it (JSON, see ``app.habits``).
    """

    piece: Piece
    takes: tuple[PackedTake, ...] = ()
    made_at: str = ""
    changed_at: str = ""
    last_place: int = 0
    tags: str = ""
    position: int = 0
    history: tuple[tuple[Any, ...], ...] = ()
    journal: tuple[tuple[Any, ...], ...] = ()
    habits: str = ""


# --- out ------------------------------------------------------------------------------------------


def to_file(packed: Sequence[Packed]) -> bytes:
    """One or several pieces as a file."""
    return zipped(_members(packed), MEDIA_TYPE)


def _members(packed: Sequence[Packed]) -> Iterator[tuple[str, bytes]]:
    folders = [f"pieces/{k}" for k in range(1, len(packed) + 1)]
    listing = [{"folder": f, "title": p.piece.facts.title} for f, p in zip(folders, packed, strict=True)]
    head = {"format": "ductus", "version": VERSION, "writer": f"Ductus {__version__}", "pieces": listing}
    yield "ductus.json", _json(head)
    for folder, one in zip(folders, packed, strict=True):
        records: dict[str, list[dict[str, Any]]] = {}
        for record in records_of(one.piece):
            records.setdefault(KIND_OF[type(record)], []).append(to_columns(record))
        about = {"made_at": one.made_at, "changed_at": one.changed_at, "last_place": one.last_place, "tags": one.tags}
        if one.habits:
            about["habits"] = json.loads(one.habits)
        yield f"{folder}/piece.json", _json({**about, "records": records})
        for take in one.takes:
            yield f"{folder}/takes/{take.number}.json", _json(_take_out(take))
        if one.history:
            rows = [dict(zip(HISTORY_COLUMNS, row, strict=True)) for row in one.history]
            yield f"{folder}/history.json", _json({"position": one.position, "changes": rows})
        if one.journal:
            yield f"{folder}/journal.json", _json({"columns": JOURNAL_COLUMNS, "rows": one.journal})


def _take_out(packed: PackedTake) -> dict[str, Any]:
    take = packed.take
    return {
        "name": packed.name,
        "source": packed.source,
        "made_at": packed.made_at,
        "dropped": packed.dropped,
        "settings": packed.settings,
        "pulses": json.loads(pulses_text(take.pulses)) if take.pulses else None,
        "notes": [[n.onset_us, n.release_us, n.key, n.velocity, n.channel] for n in take.notes],
        "controls": [[c.time_us, c.controller, c.value] for c in take.controls],
    }


def _json(value: object) -> bytes:
    return json.dumps(value, ensure_ascii=False, separators=(",", ":")).encode()


# --- in -------------------------------------------------------------------------------------------


def is_packed(data: bytes) -> bool:
    """Does a file begin as ours does?"""
    return data[:4] == ZIP and MEDIA_TYPE.encode() in data[:120]


def from_file(data: bytes) -> list[Packed]:
    """The pieces of a file.

    Raises BadInput for one that is damaged, newer than this Ductus, or holds what no piece can.
    """
    with opened(data, MAX_BYTES, MAX_MEMBERS, MAX_MEMBER) as archive:
        head = _read(archive, "ductus.json")
        version = head.get("version")
        if head.get("format") != "ductus" or not isinstance(version, int):
            raise BadInput(f"That is no file of Ductus. {NOTHING}")
        if version > VERSION:
            raise BadInput(
                f"That file was made by a newer Ductus ({str(head.get('writer'))[:40]}; its form is {version}, this "
                f"one knows {VERSION}). "
                f"Open it with the newer one. {NOTHING}"
            )
        try:
            return [_piece_in(archive, str(entry["folder"])) for entry in head["pieces"]]
        except (KeyError, TypeError, ValueError, AttributeError, IndexError, OverflowError) as error:
            raise BadInput(f"That file of Ductus is damaged ({str(error)[:60]}). {NOTHING}") from error


def _whole(text: str) -> int:
    """A number as the library can keep it. Raises ValueError."""
    if len(text) > DIGITS:
        raise ValueError(f"the number {text[:20]}")
    return int(text)


def _finite(text: str) -> float:
    """A number that is one. Raises ValueError."""
    if not math.isfinite(found := float(text)):
        raise ValueError(f"the number {text[:20]}")
    return found


def _parsed(text: str | bytes) -> Any:
    return json.loads(text, parse_int=_whole, parse_float=_finite, parse_constant=_finite)


def _read(archive: Archive, name: str) -> dict[str, Any]:
    try:
        value = _parsed(archive.read(name))
    except (ValueError, RecursionError) as error:
        raise BadInput(f"That file of Ductus is damaged ({name}). {NOTHING}") from error
    if not isinstance(value, dict):
        raise BadInput(f"That file of Ductus is damaged ({name}). {NOTHING}")
    return value


def _piece_in(archive: Archive, folder: str) -> Packed:
    about = _read(archive, f"{folder}/piece.json")
    records: list[Record] = []
    for kind, rows in about["records"].items():
        if kind not in ("facts", *TABLES):
            raise BadInput(f"That file holds “{kind[:20]}”, which this Ductus does not know. {NOTHING}")
        records += [from_columns(kind, row) for row in rows]
    for record in records:
        check_typed(record)
    piece = make_piece(records)
    takes = tuple(_take_in(archive, name) for name in archive.names if name.startswith(f"{folder}/takes/"))
    check_piece(piece, {t.number for t in takes})
    history: tuple[tuple[Any, ...], ...] = ()
    position = 0
    if f"{folder}/history.json" in archive.names:
        kept = _read(archive, f"{folder}/history.json")
        history = tuple(tuple(row.get(c) for c in HISTORY_COLUMNS) for row in kept["changes"])
        position = int(kept["position"])
        if [row[0] for row in history] != list(range(1, len(history) + 1)) or not 0 <= position <= len(history):
            raise BadInput(f"The history in that file is not whole. {NOTHING}")
        for row in history:
            if not all(isinstance(text, str) for text in (row[1], row[2], row[4])) or not isinstance(
                row[3], str | None
            ):
                raise ValueError("a change of its history")
            for both in change_from_json(row[1], row[2], row[3]).rows:
                for one in filter(None, both):
                    check_typed(one)
    journal: tuple[tuple[Any, ...], ...] = ()
    if f"{folder}/journal.json" in archive.names:
        journal = tuple(_heard(row) for row in _read(archive, f"{folder}/journal.json")["rows"])
    return Packed(
        piece, takes, str(about.get("made_at", "")), str(about.get("changed_at", "")),
        max(int(about.get("last_place", 0)), 0),
        str(about.get("tags", ""))[:400], position, history, journal, _habits_in(about.get("habits")),
    )  # fmt: skip


def _habits_in(habits: object) -> str:
    """Habits are looked at when somebody sits down; what is no such thing, or too much, is passed over."""
    text = json.dumps(habits) if isinstance(habits, dict) else ""
    return text if len(text) <= MOST_HABITS else ""


def _heard(row: Sequence[Any]) -> tuple[Any, ...]:
    at_us, kind, key, value, channel, pen_down, became = row
    if kind not in ("down", "up", "control"):
        raise ValueError(f"heard {kind}")
    return (
        int(at_us),
        kind,
        *(min(max(int(x), 0), 127) for x in (key, value, channel)),
        int(bool(pen_down)),
        min(max(int(became), 0), 2),
    )


def _take_in(archive: Archive, name: str) -> PackedTake:
    row = _read(archive, name)
    notes = tuple(PlayedNote(*map(int, n)) for n in row["notes"])
    if any(not (0 <= n.key <= 127 and 0 <= n.velocity <= 127 and 0 <= n.onset_us <= n.release_us) for n in notes):
        raise ValueError(f"a note of {row['name']}")
    controls = tuple(PlayedControl(*map(int, c)) for c in row["controls"])
    pulses = pulses_from(json.dumps(row["pulses"])) if row["pulses"] else None
    source = row["source"] if row["source"] in SOURCES else "file"
    number = int(name.rpartition("/")[2].removesuffix(".json"))
    return PackedTake(
        number, str(row["name"])[:100], source, str(row["made_at"]), bool(row["dropped"]), dict(row["settings"]),
        Take(notes, controls, pulses),
    )  # fmt: skip


# --- the library ----------------------------------------------------------------------------------

JOURNAL_OUT = f"select {', '.join(JOURNAL_COLUMNS)} from journal where piece = :piece order by id"
JOURNAL_IN = (
    "insert into journal (piece, at_us, kind, key, value, channel, pen_down, became) values (?, ?, ?, ?, ?, ?, ?, ?)"
)
HISTORY_OUT = f"select {', '.join(HISTORY_COLUMNS)}, packed from history where piece = :piece order by position"
HISTORY_IN = "insert into history (piece, position, sentence, rows_json, pen_json, made_at) values (?, ?, ?, ?, ?, ?)"
TAKES_OUT = "select id, name, source, made_at, dropped, settings_json from take where piece = :piece order by id"
ABOUT_OUT = "select made_at, changed_at, last_place, tags, position from piece where id = :piece"
ABOUT_IN = """
update piece set made_at = coalesce(nullif(:made_at, ''), made_at), changed_at = coalesce(nullif(:changed_at, ''),
changed_at),
  last_place = :last_place, tags = :tags, position = :position where id = :piece"""


def packed_from(connection: sqlite3.Connection, piece_id: str, *, history: bool) -> Packed:
    """A piece of the library with all that is kept of it; what was heard and not written goes along.

    Raises NotThere.
    """
    piece = pieces.load_piece(connection, piece_id)
    about = connection.execute(ABOUT_OUT, {"piece": piece_id}).fetchone()
    takes = tuple(
        PackedTake(
            r["id"], r["name"], r["source"], r["made_at"], bool(r["dropped"]), json.loads(r["settings_json"]),
            load_take(connection, piece_id, r["id"]),
        )
        for r in connection.execute(TAKES_OUT, {"piece": piece_id}).fetchall()
    )  # fmt: skip
    rows = tuple(_history_row(r) for r in connection.execute(HISTORY_OUT, {"piece": piece_id})) if history else ()
    heard = tuple(map(tuple, connection.execute(JOURNAL_OUT, {"piece": piece_id})))
    return Packed(
        piece,
        takes,
        about["made_at"],
        about["changed_at"],
        about["last_place"],
        about["tags"],
        about["position"] if history else 0,
        rows,
        heard,
        pieces.setting(connection, HABITS + piece_id) or "",
    )


def _history_row(row: sqlite3.Row) -> tuple[Any, ...]:
    """A row of HISTORY_COLUMNS, its rows as JSON however the library keeps them."""
    return (
        row["position"],
        row["sentence"],
        Kept(row["rows_json"], row["packed"]).json,
        row["pen_json"],
        row["made_at"],
    )


def put_packed(connection: sqlite3.Connection, piece_id: str, packed: Packed) -> None:
    """Store a piece out of a file as a new one of the library; its takes get numbers of this library."""
    numbers: dict[int, int] = {}
    blank = make_piece([packed.piece.facts])
    pieces.insert_piece(connection, piece_id, blank)
    for take in sorted(packed.takes, key=lambda t: t.number):
        made_of = take.settings.get(JOINED)
        here = {JOINED: [numbers[k] for k in made_of if k in numbers]} if isinstance(made_of, list) else {}
        settings = {**take.settings, **here}
        numbers[take.number] = insert_take_as(
            connection, piece_id, take.take, take.name, take.source, take.made_at, settings, dropped=take.dropped
        )
    for record in records_of(packed.piece):
        columns = _with_numbers(to_columns(record), numbers)
        put_columns(connection, piece_id, KIND_OF[type(record)], columns)
    for position, sentence, rows, pen, made_at in packed.history:
        changed = [
            [kind, before and _with_numbers(before, numbers), after and _with_numbers(after, numbers)]
            for kind, before, after in json.loads(rows)
        ]
        connection.execute(
            HISTORY_IN, (piece_id, position, sentence, json.dumps(changed, separators=(",", ":")), pen, made_at)
        )
    connection.executemany(JOURNAL_IN, ((piece_id, *row) for row in packed.journal))
    about = {
        "piece": piece_id, "made_at": packed.made_at, "changed_at": packed.changed_at, "last_place": packed.last_place,
        "tags": packed.tags, "position": packed.position,
    }  # fmt: skip
    connection.execute(ABOUT_IN, about)
    if packed.habits:
        pieces.keep_setting(connection, HABITS + piece_id, packed.habits)


def _with_numbers(columns: Mapping[str, Any], numbers: Mapping[int, int]) -> dict[str, Any]:
    """The columns of a record with the numbers that takes have here.

    A take that is not in the file is named no more.
    """
    if columns.get("take") is None:
        return dict(columns)
    return {**columns, "take": numbers.get(columns["take"])}
