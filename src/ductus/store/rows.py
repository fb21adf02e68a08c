"""Records of the piece as table rows and back; the same rows, as JSON, are the history."""

from __future__ import annotations

import json
import zlib
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ductus.core.pitch.pitches import Pitch, parse_pitch
from ductus.core.score.mark_edits.lyrics import syllables
from ductus.core.score.model.changes import Change, PenPlace
from ductus.core.score.model.piece import record_of
from ductus.core.score.model.records import (
    KIND_OF,
    BarSign,
    Cell,
    ClefChange,
    Facts,
    KeyChange,
    Mark,
    MeterChange,
    Note,
    Part,
    Pattern,
    Reading,
    Record,
    Syllable,
    TempoMark,
)
from ductus.core.time.meters import Meter
from ductus.core.time.note_values import NoteValue, Tuplet

Columns = dict[str, Any]
MANY_ROWS = 500  # changes of so many rows are packed, and their rows come into the tables bit by bit
QUICK = 1  # zlib's fastest: an eighteenth of the size in a tenth of the time that it takes to make the JSON


DUMPED_AT_ONCE = 200  # rows; other threads wait as long as one call of json takes


@dataclass(frozen=True, slots=True)
class Kept:
    """The rows of a change as the library keeps them: as JSON, or packed where they are many."""

    text: str
    packed: bytes | None = None

    @property
    def json(self) -> str:
        """The rows as JSON."""
        return self.text if self.packed is None else zlib.decompress(self.packed).decode()


def words(items: tuple[str, ...]) -> str:
    """A tuple of words in one column."""
    return " ".join(items)


def _part_columns(part: Part) -> Columns:
    return {
        "id": part.id,
        "name": part.name,
        "short": part.short,
        "programme": part.programme,
        "clefs": words(part.clefs),
        "order": part.order,
        "lyrics": int(part.lyrics),
        "transpose": words(tuple(map(str, part.transpose))),
        "level": part.level,
        "pan": part.pan,
        "kit": words(tuple(f"{key}:{drum}" for key, drum in part.kit)),
    }


def _part_from(r: Mapping[str, Any]) -> Part:
    steps, semitones = (int(n) for n in given(r, "transpose", "0 0").split())
    keys = (pair.split(":") for pair in given(r, "kit", "").split())
    return Part(
        r["id"],
        r["name"],
        r["short"],
        r["programme"],
        tuple(r["clefs"].split()),
        r["order"],
        bool(r["lyrics"]),
        (steps, semitones),
        given(r, "level", 100),
        given(r, "pan", 64),
        tuple((int(key), int(drum)) for key, drum in keys),
    )


def _tempo_columns(tempo: TempoMark) -> Columns:
    return {
        "id": tempo.id,
        "tick": tempo.tick,
        "bpm": tempo.bpm,
        "beat": tempo.beat.base,
        "dots": tempo.beat.dots,
        "text": tempo.text,
        "printed": int(tempo.printed),
        "shown": tempo.shown,
    }


def to_columns(record: Record) -> Columns:
    """The columns of a record, without its piece."""
    match record:
        case Facts():
            return {name: getattr(record, name) for name in FACTS}
        case Part():
            return _part_columns(record)
        case MeterChange():
            meter = record.meter
            groups = words(tuple(map(str, meter.groups)))
            return {
                "id": record.id,
                "bar": record.bar,
                "count": meter.count,
                "unit": meter.unit,
                "groups": groups,
                "sign": record.sign,
            }
        case KeyChange():
            return {"id": record.id, "bar": record.bar, "fifths": record.fifths, "mode": record.mode}
        case TempoMark():
            return _tempo_columns(record)
        case ClefChange():
            return {name: getattr(record, name) for name in CLEF}
        case BarSign():
            return {name: getattr(record, name) for name in SIGN} | {"dx": record.shift[0], "dy": record.shift[1]}
        case Note():
            return note_columns(record)
        case Mark():
            return mark_columns(record)
        case Reading():
            return {name: getattr(record, name) for name in READING}
        case Pattern():
            cells = json.dumps([[c.at, c.ticks, c.key, c.velocity] for c in record.cells])
            return {name: getattr(record, name) for name in PATTERN} | {"cells": cells}


def note_columns(record: Note) -> Columns:
    """The columns of a note."""
    return {
        "id": record.id,
        "part": record.part,
        "staff": record.staff,
        "voice": record.voice,
        "tick": record.tick,
        "ticks": record.ticks,
        "step": record.pitch.step,
        "alter": record.pitch.alter,
        "octave": record.pitch.octave,
        "velocity": record.velocity,
        "sounds_late": record.sounds_late,
        "sounds_ticks": record.sounds_ticks,
        "articulations": words(record.signs),
        "lyric": lyrics_text(record.lyrics),
        "take": record.take,
        "event": record.event,
        "crushed": words(tuple(map(str, record.grace_notes))),
        "played_late": record.played and record.played[0],
        "played_ticks": record.played and record.played[1],
    }


def mark_columns(record: Mark) -> Columns:
    """The columns of a mark."""
    return {
        "id": record.id,
        "kind": record.kind,
        "part": record.part,
        "staff": record.staff,
        "voice": record.voice,
        "tick": record.tick,
        "ticks": record.ticks,
        "text": record.text,
        "actual": record.tuplet.actual if record.tuplet else None,
        "normal": record.tuplet.normal if record.tuplet else None,
        "notes": words(record.notes),
        "dx": record.shift[0],
        "dy": record.shift[1],
        "side": record.side,
        "bend": record.bend,
        "take": record.take,
        "share": record.share,
    }


def lyrics_text(lyrics: tuple[Syllable, ...]) -> str:
    """Syllables in one column, as JSON: [[text, syllabic, verse, extends], ...]; nothing for none."""
    return (
        json.dumps([[s.text, s.syllabic, s.verse, int(s.extends)] for s in lyrics], ensure_ascii=False)
        if lyrics
        else ""
    )


def lyrics_from(text: str) -> tuple[Syllable, ...]:
    """Inverse of ``lyrics_text``; a plain text, as older pieces have it, is one syllable with its hyphens."""
    if not text:
        return ()
    if not text.startswith("[["):
        return syllables(text)
    return tuple(Syllable(t, s, v, bool(e)) for t, s, v, e in json.loads(text))


CLEF = ("id", "part", "staff", "tick", "clef")
SIGN = ("id", "kind", "bar", "text", "bars")
PATTERN = ("id", "part", "start", "ticks", "times")
READING = ("id", "take", "part", "staff", "start", "choices")
FACTS = ("title", "subtitle", "composer", "arranger", "lyricist", "rights", "number", "pickup", "bars", "cautions")


def given(row: Mapping[str, Any], name: str, otherwise: Any) -> Any:
    """A column that older history does not have."""
    try:
        return row[name]
    except (KeyError, IndexError):  # a record of the history, a row of SQLite
        return otherwise


def note_from(r: Mapping[str, Any]) -> Note:
    """The note of a row."""
    pitch = Pitch(r["step"], r["alter"], r["octave"])
    late, length = given(r, "played_late", None), given(r, "played_ticks", None)
    return Note(
        r["id"],
        r["part"],
        r["staff"],
        r["voice"],
        r["tick"],
        r["ticks"],
        pitch,
        r["velocity"],
        r["sounds_late"],
        r["sounds_ticks"],
        tuple(r["articulations"].split()),
        lyrics_from(r["lyric"]),
        r["take"],
        r["event"],
        tuple(parse_pitch(p) for p in given(r, "crushed", "").split()),
        None if late is None or length is None else (late, length),
    )


def mark_from(r: Mapping[str, Any]) -> Mark:
    """The mark of a row."""
    ratio = Tuplet(r["actual"], r["normal"]) if r["actual"] else None
    notes = tuple(r["notes"].split())
    return Mark(
        r["id"],
        r["kind"],
        r["part"],
        r["staff"],
        r["voice"],
        r["tick"],
        r["ticks"],
        r["text"],
        ratio,
        notes,
        (given(r, "dx", 0), given(r, "dy", 0)),
        given(r, "side", ""),
        given(r, "bend", 0),
        given(r, "take", None),
        given(r, "share", 0),
    )


def from_columns(kind: str, row: Mapping[str, Any]) -> Record:
    """The record of a row; inverse of ``to_columns``."""
    r = row
    match kind:
        case "facts":
            known = set(r.keys())  # a row of older history has fewer
            return Facts(**{name: r[name] for name in FACTS if name in known})
        case "part":
            return _part_from(r)
        case "meter":
            groups = tuple(int(g) for g in r["groups"].split())
            return MeterChange(r["id"], r["bar"], Meter(r["count"], r["unit"], groups), given(r, "sign", ""))
        case "key":
            return KeyChange(r["id"], r["bar"], r["fifths"], r["mode"])
        case "tempo":
            beat = NoteValue(r["beat"], r["dots"])
            return TempoMark(r["id"], r["tick"], r["bpm"], beat, r["text"], bool(r["printed"]), given(r, "shown", ""))
        case "clef":
            return ClefChange(**{name: r[name] for name in CLEF})
        case "sign":
            return BarSign(**{name: r[name] for name in SIGN}, shift=(given(r, "dx", 0), given(r, "dy", 0)))
        case "note":
            return note_from(r)
        case "mark":
            return mark_from(r)
        case "reading":
            return Reading(**{name: r[name] for name in READING})
        case "pattern":
            cells = tuple(Cell(*cell) for cell in json.loads(r["cells"]))
            return Pattern(**{name: r[name] for name in PATTERN}, cells=cells)
    raise ValueError(kind)


def change_to_json(change: Change) -> str:
    """The rows of a change as JSON: [[kind, before, after], ...]."""
    out: list[str] = []
    for at in range(0, len(change.rows), DUMPED_AT_ONCE):
        rows = []
        for before, after in change.rows[at : at + DUMPED_AT_ONCE]:
            rows.append(
                [KIND_OF[type(record_of((before, after)))], before and to_columns(before), after and to_columns(after)]
            )
        out.append(json.dumps(rows, separators=(",", ":"))[1:-1])
    return f"[{','.join(out)}]"


def pen_to_json(change: Change) -> str | None:
    """Where the pen stood before and after, as JSON; None for a change of no pen."""
    if change.pen is None:
        return None
    return json.dumps([[p.part, p.staff, p.voice, p.tick] for p in change.pen], separators=(",", ":"))


def kept_rows(change: Change) -> Kept:
    """The rows of a change as they are to be kept."""
    text = change_to_json(change)
    return Kept(text) if len(change.rows) < MANY_ROWS else Kept("", zlib.compress(text.encode(), QUICK))


def change_from_kept(sentence: str, kept: Kept, pen: str | None = None) -> Change:
    """Inverse of ``kept_rows`` and ``pen_to_json``."""
    return change_from_json(sentence, kept.json, pen)


def change_from_json(sentence: str, text: str, pen: str | None = None) -> Change:
    """Inverse of ``change_to_json`` and ``pen_to_json``."""
    rows = tuple(
        (before and from_columns(kind, before), after and from_columns(kind, after))
        for kind, before, after in json.loads(text)
    )
    places = tuple(PenPlace(*place) for place in json.loads(pen)) if pen else None
    return Change(sentence, rows, places)  # type: ignore[arg-type]
