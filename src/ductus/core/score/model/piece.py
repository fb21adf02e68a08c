"""The piece: an immutable set of records with what is derived from them.

A piece never changes; ``with_rows`` gives the next one and carries over what is still true (bar line
positions, notes by bar), so that one key press in a long piece costs what one bar costs.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from ductus.core.errors import NotThere
from ductus.core.score.model.persistent_map import MANY, ONE, PersistentMap
from ductus.core.score.model.records import (
    KIND_OF,
    BarSign,
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
    TempoMark,
)
from ductus.core.time.bars import Bar, Timeline
from ductus.core.time.meters import Meter

Row = tuple[Record | None, Record | None]  # before, after: None on the left adds, None on the right removes
DEFAULT_METER = Meter(4, 4)
NOTHING: dict[str, Note | Mark] = {}
NO_KEY = KeyChange("k0", 0, 0)


@dataclass(frozen=True, slots=True, eq=False)
class Piece:
    """All records by kind and id, the time line, and notes and marks by (part, bar they touch)."""

    facts: Facts
    parts: PersistentMap[str, Part]
    meters: PersistentMap[str, MeterChange]
    keys: PersistentMap[str, KeyChange]
    tempi: PersistentMap[str, TempoMark]
    clefs: PersistentMap[str, ClefChange]
    signs: PersistentMap[str, BarSign]
    notes: PersistentMap[str, Note]
    marks: PersistentMap[str, Mark]
    readings: PersistentMap[str, Reading]
    patterns: PersistentMap[str, Pattern]
    timeline: Timeline
    by_bar: PersistentMap[tuple[str, int], dict[str, Note | Mark]]
    serial: int
    last_end: PersistentMap[int, int]  # bar index -> how many notes touch it
    last_bar: int  # the last bar that a note touches, -1 for none

    # --- reading ---------------------------------------------------------------------

    @property
    def bar_count(self) -> int:
        """Bars on the page: those asked for and those that hold notes."""
        return max(self.facts.bars, self.last_bar + 1, 1)

    @property
    def end(self) -> int:
        """Tick of the last bar line."""
        return self.timeline.bar(self.bar_count - 1).end

    def ordered_parts(self) -> list[Part]:
        """Parts from the top of the page down."""
        return sorted(self.parts.values(), key=lambda p: (p.order, p.id))

    def part(self, part_id: str) -> Part:
        """Return a part; raises NotThere."""
        try:
            return self.parts[part_id]
        except KeyError:
            raise NotThere("That part is not in this piece any more.") from None

    def bars(self) -> Iterator[Bar]:
        """All bars on the page."""
        return (self.timeline.bar(i) for i in range(self.bar_count))

    def notes_in_bar(self, part: str, bar: int) -> list[Note]:
        """Notes of a part that sound in a bar, those tied in from before included, by tick and pitch."""
        found = [n for n in (self.by_bar.get((part, bar)) or NOTHING).values() if isinstance(n, Note)]
        return sorted(found, key=note_order)

    def notes_between(self, part: str, start: int, end: int) -> list[Note]:
        """Notes of a part that overlap the stretch [start, end) of ticks, by tick and pitch."""
        first, last = self.timeline.bar_at(max(start, 0)).index, self.timeline.bar_at(max(end - 1, 0)).index
        here = self.by_bar.get((part, first)) or NOTHING
        if last > first:
            here = {
                k: v for bar in range(first, last + 1) for k, v in (self.by_bar.get((part, bar)) or NOTHING).items()
            }
        found = [n for n in here.values() if n.__class__ is Note and n.tick < end and n.tick + n.ticks > start]
        return sorted(found, key=note_order) if len(found) > 1 else found

    def about_between(self, first: int, last: int) -> int:
        """About how many notes stand in bars (indices, both included): those over a bar line count in each."""
        return sum(self.last_end.get(bar) or 0 for bar in range(first, min(last, self.last_bar) + 1))

    def notes_from(self, tick: int) -> Iterator[Note]:
        """All notes that begin at a tick or later, in no particular order."""
        return (n for n in self.notes.values() if n.tick >= tick)

    def line_between(self, line: tuple[str, int, int], start: int, end: int) -> list[Note]:
        """Notes of one (part, staff, voice) that overlap [start, end)."""
        found = self.notes_between(line[0], start, end)
        return [n for n in found if (n.part, n.staff, n.voice) == line] if found else found

    def marks_in_bar(self, part: str, bar: int) -> list[Mark]:
        """Marks of a part that touch a bar, by tick."""
        found = [m for m in (self.by_bar.get((part, bar)) or NOTHING).values() if isinstance(m, Mark)]
        return sorted(found, key=lambda m: (m.tick, m.id))

    def key_at(self, bar: int) -> KeyChange:
        """The key signature in force in a bar."""
        found: KeyChange | None = None
        for key in self.keys.values():
            if key.bar <= bar and (found is None or key.bar >= found.bar):
                found = key
        return found or NO_KEY

    def clef_at(self, part: Part, staff: int, tick: int) -> str:
        """The clef in force on a staff at a tick."""
        mine = [c for c in self.clefs.values() if (c.part, c.staff) == (part.id, staff) and c.tick <= tick]
        return max(mine, key=lambda c: c.tick).clef if mine else part.clefs[staff - 1]

    def signs_at(self, bar: int) -> list[BarSign]:
        """What stands at a bar for all parts."""
        return sorted((s for s in self.signs.values() if s.bar == bar), key=lambda s: s.id)

    def tempo_at(self, tick: int) -> TempoMark:
        """The tempo in force at a tick (a quarter at 100 when none is set)."""
        before = [t for t in self.tempi.values() if t.tick <= tick]
        return max(before, key=lambda t: t.tick) if before else TempoMark("t0", 0, 100.0)

    # --- making the next piece -------------------------------------------------------

    def with_rows(self, rows: Iterable[Row]) -> Piece:
        """Return the piece with rows replaced; row order does not matter unless an id occurs twice."""
        changes: dict[str, dict[str, Record | None]] = {}
        facts, serial = self.facts, self.serial
        touched: dict[tuple[str, int], dict[str, Note | Mark]] = {}
        counts: dict[int, int] = {}
        rebar = False
        for before, after in rows:
            record = after if after is not None else before
            if record is None:
                continue
            kind = KIND_OF[type(record)]
            if kind == "facts":
                rebar |= isinstance(after, Facts) and after.pickup != facts.pickup
                facts = after if isinstance(after, Facts) else Facts()
                continue
            table = changes.setdefault(kind, {})
            old = table[record.id] if record.id in table else self._table(kind).get(record.id)
            table[record.id] = after
            if after is not None:
                serial = max(serial, number_in(after.id))
            if kind == "meter":
                rebar = True
            elif kind in ("note", "mark"):
                same = old is not None and after is not None and stays(old, after)
                if not same:
                    self._reindex(old, -1, touched, counts)
                self._reindex(after, 0 if same else 1, touched, counts)
        tables = {kind: self._table(kind).changed(rows_of) for kind, rows_of in changes.items()}
        return self._assemble(facts, tables, serial, rebar, touched, counts)

    def _reindex(
        self,
        record: Record | None,
        sign: int,
        touched: dict[tuple[str, int], dict[str, Note | Mark]],
        counts: dict[int, int],
    ) -> None:
        """``sign``: the record goes (-1), comes (1), or another stands in its place (0)."""
        if not isinstance(record, Note | Mark):
            return
        for bar in bars_touched(self.timeline, record):
            key = (record.part, bar)
            ids = touched.get(key)
            if ids is None:
                ids = touched[key] = dict(self.by_bar.get(key) or NOTHING)
            if sign >= 0:
                ids[record.id] = record
            else:
                ids.pop(record.id, None)
            if isinstance(record, Note):
                counts[bar] = counts.get(bar, 0) + sign

    def _table(self, kind: str) -> PersistentMap[str, Any]:
        table: PersistentMap[str, Any] = getattr(self, TABLES[kind])
        return table

    def _assemble(
        self,
        facts: Facts,
        tables: Mapping[str, PersistentMap[str, Any]],
        serial: int,
        rebar: bool,
        touched: dict[tuple[str, int], dict[str, Note | Mark]],
        counts: dict[int, int],
    ) -> Piece:
        got = {kind: tables[kind] if kind in tables else getattr(self, name) for kind, name in TABLES.items()}
        if rebar:
            return _build(facts, got, serial)
        by_bar, last_end, last_bar = self.by_bar, self.last_end, self.last_bar
        if touched:
            by_bar = by_bar.changed({key: ids or None for key, ids in touched.items()})
        if counts:
            now = {bar: (last_end.get(bar) or 0) + by for bar, by in counts.items()}
            last_end = last_end.changed({bar: count or None for bar, count in now.items()})
            full = [bar for bar, count in now.items() if count]
            if last_bar in now and not now[last_bar]:
                last_bar = max(last_end, default=-1)
            last_bar = max([last_bar, *full])
        return Piece(
            facts, got["part"], got["meter"], got["key"], got["tempo"], got["clef"], got["sign"], got["note"],
            got["mark"], got["reading"],
            got["pattern"],
            self.timeline, by_bar, serial, last_end, last_bar,
        )  # fmt: skip


TABLES = {
    "part": "parts",
    "meter": "meters",
    "key": "keys",
    "tempo": "tempi",
    "clef": "clefs",
    "sign": "signs",
    "note": "notes",
    "mark": "marks",
    "reading": "readings",
    "pattern": "patterns",
}  # kind of a record -> where a piece keeps them


def record_of(row: Row) -> Record:
    """The record of a row: as it is after it, or (where it is taken away) as it was before."""
    before, after = row
    record = after if after is not None else before
    assert record is not None
    return record


def note_order(note: Note) -> tuple[int, int, str]:
    """Sort key: by place, then from low to high."""
    return (note.tick, note.pitch.midi, note.id)


def number_in(record_id: str) -> int:
    """The counter inside an id: 17 for "n17"; 0 for ids that have none."""
    digits = record_id[1:]
    return int(digits) if digits.isdecimal() else 0


def stays(before: Record | None, after: Record | None) -> bool:
    """Do both stand over the same stretch of the same part?"""
    return (
        before.__class__ is after.__class__
        and isinstance(before, Note | Mark)
        and isinstance(after, Note | Mark)
        and (before.tick, before.ticks, before.part) == (after.tick, after.ticks, after.part)
    )


def bars_touched(timeline: Timeline, record: Note | Mark) -> range:
    """Indices of the bars that a note or mark reaches into."""
    first = timeline.bar_at(record.tick)
    end = record.tick + record.ticks
    if end <= first.end:
        return range(first.index, first.index + 1)
    return range(first.index, timeline.bar_at(end - 1).index + 1)


def _build(facts: Facts, tables: Mapping[str, Any], serial: int) -> Piece:
    large = ("note", "mark")
    tables = {
        k: t if isinstance(t, PersistentMap) else PersistentMap(t.items(), MANY if k in large else ONE)
        for k, t in tables.items()
    }
    meters: PersistentMap[str, MeterChange] = tables["meter"]
    by_index = {m.bar: m.meter for m in meters.values()}
    by_index.setdefault(0, DEFAULT_METER)
    timeline = Timeline(by_index, facts.pickup, {m.bar for m in meters.values() if m.sign == "none"})
    by_bar: dict[tuple[str, int], dict[str, Note | Mark]] = {}
    counts: dict[int, int] = {}
    for kind in ("note", "mark"):
        for record in tables[kind].values():
            assert isinstance(record, Note | Mark)
            for bar in bars_touched(timeline, record):
                by_bar.setdefault((record.part, bar), {})[record.id] = record
                if kind == "note":
                    counts[bar] = counts.get(bar, 0) + 1
    return Piece(
        facts,
        tables["part"],
        meters,
        tables["key"],
        tables["tempo"],
        tables["clef"],
        tables["sign"],
        tables["note"],
        tables["mark"],
        tables["reading"],
        tables["pattern"],
        timeline,
        PersistentMap(by_bar.items()),
        serial,
        PersistentMap(counts.items()),
        max(counts, default=-1),
    )


def make_piece(records: Iterable[Record]) -> Piece:
    """Build a piece from its records (facts optional)."""
    tables: dict[str, dict[str, Record]] = {kind: {} for kind in KIND_OF.values()}
    facts, serial = Facts(), 0
    for record in records:
        if isinstance(record, Facts):
            facts = record
        else:
            tables[KIND_OF[type(record)]][record.id] = record
            serial = max(serial, number_in(record.id))
    return _build(facts, tables, serial)


def records_of(piece: Piece) -> list[Record]:
    """All records, facts first: the inverse of ``make_piece``."""
    out: list[Record] = [piece.facts]
    for name in TABLES.values():
        table: PersistentMap[str, Record] = getattr(piece, name)
        out += list(table.values())
    return out
