"""Changes: every edit is data, rows before and rows after, with a sentence that names it.

Nobody writes an undo by hand: the inverse of a change is its rows turned round.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from ductus.core.errors import BadInput
from ductus.core.score.model.mark_kinds import follow_notes
from ductus.core.score.model.persistent_map import PersistentMap
from ductus.core.score.model.piece import TABLES, Piece, Row, bars_touched, record_of, stays
from ductus.core.score.model.records import BarSign, Mark, Note, Part, Pattern, Reading, Record, TempoMark
from ductus.core.time.bars import MAX_BAR
from ductus.core.time.ticks import QUARTER

Line = tuple[str, int, int]  # part id, staff from 1, voice from 1


@dataclass(frozen=True, slots=True)
class PenPlace:
    """Where a pen stands: part id, staff and voice from 1, tick."""

    part: str
    staff: int
    voice: int
    tick: int


@dataclass(frozen=True, slots=True)
class Moved:
    """All music from tick ``at`` on went later by ``by`` ticks, or earlier, in place of what lay between.

    A pen from ``beyond`` on goes with it.
    """

    at: int
    by: int
    beyond: int

    def tick(self, tick: int) -> int:
        """Where a pen is afterwards that was at a tick."""
        if tick >= self.beyond:
            return tick + self.by
        return min(tick, self.at + self.by) if self.by < 0 else tick

    def inverse(self) -> Moved:
        """The same taken back."""
        return Moved(self.at + self.by, -self.by, self.at + self.by)


@dataclass(frozen=True, slots=True)
class Change:
    """Rows (before, after) and the sentence that names them, and where the pen that made it stood before and after:
    undo takes both back. A change with neither does nothing. ``moved``: bars came in or went.
    """

    sentence: str
    rows: tuple[Row, ...] = ()
    pen: tuple[PenPlace, PenPlace] | None = None
    moved: Moved | None = None

    def __bool__(self) -> bool:
        return bool(self.rows or self.pen)

    def inverse(self) -> Change:
        """The change that takes this one back."""
        pen = self.pen and (self.pen[1], self.pen[0])
        rows = tuple((after, before) for before, after in reversed(self.rows))
        return Change(self.sentence, rows, pen, self.moved and self.moved.inverse())

    def apply(self, piece: Piece) -> Piece:
        """Return the piece after the change."""
        return piece.with_rows(self.rows) if self.rows else piece

    def bars(self, piece: Piece) -> tuple[set[int], bool]:
        """Bars whose page content may differ (under ``piece``), and whether everything may."""
        found: set[int] = set()
        for row in self.rows:
            for record in row[1:] if stays(*row) else row:
                if isinstance(record, Note | Mark):
                    found.update(bars_touched(piece.timeline, record))
                elif isinstance(record, TempoMark):
                    if record.printed:
                        found.add(piece.timeline.bar_at(record.tick).index)
                elif isinstance(record, BarSign):
                    found.update(range(record.bar - 1, record.bar + record.bars + 1))
                elif record is not None and not isinstance(record, Reading | Pattern) and not unseen(row):
                    return found, True
        return found, False


def unseen(row: Row) -> bool:
    """Does a row change only what nobody sees: the level and place of a part, what its keys mean?"""
    before, after = row
    if not (isinstance(before, Part) and isinstance(after, Part)):
        return False
    return replace(before, level=after.level, pan=after.pan, kit=after.kit) == after


IDS_LEFT_FREE = 500
CELL = 4 * QUARTER  # ticks of a stretch by which a draft finds its own notes again


def cells_of(note: Note) -> range:
    """The stretches that a note reaches into."""
    return range(note.tick // CELL, max(note.end - 1, note.tick) // CELL + 1)


class Draft:
    """Collects rows against a piece while an edit is worked out; later rows see earlier ones.

    ``change(sentence)`` gives one row an id: what the first saw before, what the last left after.
    """

    def __init__(self, piece: Piece) -> None:
        self.piece = piece
        self.serial = piece.serial
        self._last_tick = piece.timeline.bar(MAX_BAR).end
        self._before: dict[str, Record | None] = {}
        self._after: dict[str, Record | None] = {}
        self._cells: dict[
            tuple[Line, int], dict[str, Note]
        ] = {}  # the draft's notes by voice and stretch of CELL ticks
        self._marks: dict[str, Mark] = {}

    def new_id(self, letter: str) -> str:
        """A fresh id such as "n17"."""
        self.serial += 1
        fresh = f"{letter}{self.serial}"
        self._before[fresh] = None
        return fresh

    def put(self, record: Record) -> None:
        """Add or replace a record.

        Raises BadInput for a note that would end behind the last bar that can be reached.
        """
        if isinstance(record, Note) and record.end > self._last_tick:
            raise BadInput(f"That would go past bar {MAX_BAR:,}, where pieces end. Nothing was changed.")
        self._remember(record.id, record)

    def drop(self, record: Record) -> None:
        """Remove a record."""
        self._remember(record.id, None)

    def has(self, record_id: str) -> bool:
        """Is a record of the piece still there (not dropped by this draft)?"""
        return self._after.get(record_id, True) is not None

    def note(self, note_id: str) -> Note | None:
        """A note as the draft has it; None where it is gone."""
        found = self._after[note_id] if note_id in self._after else self.piece.notes.get(note_id)
        return found if isinstance(found, Note) else None

    def written_notes(self) -> list[Note]:
        """The notes that this draft has put so far."""
        return [n for n in self._after.values() if isinstance(n, Note)]

    def _remember(self, record_id: str, after: Record | None) -> None:
        if record_id not in self._before:
            self._before[record_id] = _lookup(self.piece, record_id)
        old = self._after.get(record_id)
        if isinstance(old, Note):
            for cell in cells_of(old):
                self._cells[old.line, cell].pop(record_id, None)
        if isinstance(after, Note):
            for cell in cells_of(after):
                self._cells.setdefault((after.line, cell), {})[record_id] = after
        elif isinstance(after, Mark):
            self._marks[record_id] = after
        else:
            self._marks.pop(record_id, None)
        self._after[record_id] = after

    def line_between(self, line: tuple[str, int, int], start: int, end: int) -> list[Note]:
        """Notes of a line in [start, end), the draft's rows included."""
        found = {n.id: n for n in self.piece.line_between(line, start, end) if n.id not in self._after}
        if self._cells:
            for cell in range(start // CELL, max(end - 1, start) // CELL + 1):
                here = self._cells.get((line, cell))
                if here:
                    found.update((i, n) for i, n in here.items() if n.tick < end and n.end > start)
        return sorted(found.values(), key=lambda n: (n.tick, n.pitch.midi, n.id))

    def marks_between(self, line: tuple[str, int, int], kind: str, start: int, end: int) -> list[Mark]:
        """Marks of one kind and line that overlap [start, end), the draft's rows included."""
        bars = range(
            self.piece.timeline.bar_at(max(start, 0)).index, self.piece.timeline.bar_at(max(end - 1, 0)).index + 1
        )
        old = {m.id: m for bar in bars for m in self.piece.marks_in_bar(line[0], bar) if m.id not in self._after}
        both = {**old, **self._marks}.values()
        return [
            m for m in both if m.kind == kind and (m.part, m.staff, m.voice) == line and m.tick < end and m.end > start
        ]

    def mark(self, mark_id: str) -> Mark | None:
        """A mark as the draft has it; None where it is gone."""
        found = self._after[mark_id] if mark_id in self._after else self.piece.marks.get(mark_id)
        return found if isinstance(found, Mark) else None

    def rows(self) -> list[Row]:
        """All rows so far; those that end where they began are left out."""
        return [(self._before[i], after) for i, after in self._after.items() if self._before[i] != after]

    def change(self, sentence: str) -> Change:
        """All rows as one change. Marks follow their notes by the rules of ``marks``."""
        follow_notes(self)
        return Change(sentence, tuple(self.rows()))


def _lookup(piece: Piece, record_id: str) -> Record | None:
    if record_id == "facts":
        return piece.facts
    for name in ("notes", "marks", *(t for t in TABLES.values() if t not in ("notes", "marks"))):
        table: PersistentMap[str, Record] = getattr(piece, name)
        found = table.get(record_id)
        if found is not None:
            return found
    return None


def joined(sentence: str, changes: Iterable[Change]) -> Change:
    """One change out of several that were made one on top of the other."""
    changes = list(changes)
    first: dict[str, Record | None] = {}
    last: dict[str, Record | None] = {}
    for change in changes:
        for before, after in change.rows:
            record = record_of((before, after))
            first.setdefault(record.id, before)
            last[record.id] = after
    pens = [c.pen for c in changes if c.pen is not None]
    pen = (pens[0][0], pens[-1][1]) if pens else None
    moved = next((c.moved for c in changes if c.moved is not None), None)
    return Change(sentence, tuple((first[i], last[i]) for i in last if first[i] != last[i]), pen, moved)


def differences(old: Piece, new: Piece) -> list[Row]:
    """The rows that make the one piece the other. Quick where the new one came of the old by few changes."""
    rows: list[Row] = [(old.facts, new.facts)] if old.facts != new.facts else []
    for name in TABLES.values():
        table: PersistentMap[str, Record] = getattr(old, name)
        if table is not getattr(new, name):
            rows += table.differences(getattr(new, name))
    return rows


def rebased(change: Change, old: Piece, new: Piece) -> Change | None:
    """A change that was worked out on ``old`` as it is to be made on ``new``, or None where the two do not go
    together: a record that it replaces is another now, or a bar that it touches has other notes, marks, meter or
    key. Ids that it gave are given anew; a large change leaves some free for what is written while it is made
    ready.
    """
    if old is new:
        return change
    if old.timeline is not new.timeline or dict(old.keys) != dict(new.keys) or dict(old.parts) != dict(new.parts):
        return None
    fresh: dict[str, str] = {}
    serial = max(new.serial, old.serial) + (IDS_LEFT_FREE if len(change.rows) > IDS_LEFT_FREE else 0)
    for before, after in change.rows:
        record = before if before is not None else after
        assert record is not None
        if before is not None and _lookup(new, record.id) != before:
            return None
        if before is None and record.id[1:].isdecimal():
            serial += 1
            fresh[record.id] = f"{record.id[0]}{serial}"
    bars, everything = change.bars(old)
    if everything and old.by_bar is not new.by_bar:  # what was written meanwhile may have to move along
        return None
    if any(old.by_bar.get((part, bar)) is not new.by_bar.get((part, bar)) for part in old.parts for bar in bars):
        return None

    def renamed(record: Record | None) -> Record | None:
        if record is None or not fresh:
            return record
        if isinstance(record, Mark) and record.notes:
            record = replace(record, notes=tuple(fresh.get(i, i) for i in record.notes))
        return replace(record, id=fresh.get(record.id, record.id))

    return replace(change, rows=tuple((renamed(a), renamed(b)) for a, b in change.rows))
