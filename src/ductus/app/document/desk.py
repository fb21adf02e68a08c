"""An open piece: its state, its history, its sheet. One desk serves all browsers that look at the piece.

Memory follows the disk: what was changed is taken over after it was committed, and a desk can load its piece anew.
"""

from __future__ import annotations

import sqlite3
import threading
import weakref
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from functools import partial
from typing import Any, Protocol, TypeVar

from ductus.app.document.deferred_rows import RowWriter
from ductus.app.document.sheet import Order, Sheet, SystemView
from ductus.app.document.sheets import Sheets, View
from ductus.app.document.undo_cache import PreparedChange, Steps, step_of, taken_back
from ductus.core.capture.takes import Heard, Take
from ductus.core.errors import DuctusError, NotKept, NotThere, Stale
from ductus.core.score.model.changes import Change
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Part
from ductus.core.time.meters import Meter, parse_meter
from ductus.core.time.pulse_map import PulseMap
from ductus.engraving.engraver import Engraver
from ductus.engraving.layout import SystemRange
from ductus.store import journal, pieces, takes
from ductus.store.database import Database
from ductus.store.journal import CutOff, Stretch
from ductus.store.pieces import Written

Move = Callable[[sqlite3.Connection, str, int], Written | None]
Travel = Callable[..., Written | None]
Beside = Callable[[sqlite3.Connection], None]
Found = TypeVar("Found")
LOOK_BACK_S = 1.5  # after a piece was opened
APART_US = 8_000_000  # a silence of this length parts two stretches of the journal
MOST_STRETCHES = 500
LATE = "late_us"  # a setting of the library: how late the player's notes arrive, in microseconds
DELETED = "This piece was deleted, so nothing is written. The shelf can bring it back; everything in it is kept."


@dataclass(frozen=True, slots=True)
class History:
    """Where the history stands: what undo and redo would do, in words (None: nothing)."""

    revision: int
    undo: str | None
    redo: str | None


class Watcher(Protocol):
    """Somebody at a desk, with a view of the sheet, who is told of each change."""

    @property
    def view(self) -> View:
        """How it shows the sheet."""
        ...

    def seen(self, step: PreparedChange) -> None:
        """A change was made. Called under the lock."""


class Desk:
    """All use cases on one piece.

    Methods may be called from any thread; ``lock`` makes those that change it one at a time.
    """

    def __init__(self, piece_id: str, database: Database, engraver: Engraver, row_writer: RowWriter) -> None:
        """Load the piece. Raises NotThere, NotKept."""
        self.piece_id = piece_id
        self.lock = threading.RLock()
        self._database = database
        self._engraver = engraver
        self._row_writer = row_writer
        self._previewed: set[int] = set()
        self._preview: Piece | None = None
        self._reached = 0
        self._steps = Steps()
        self.deleted = False
        self.watchers: weakref.WeakSet[Watcher] = weakref.WeakSet()
        self.beside: Beside | None = (
            None  # what is written with each change that a message leads to: the place of its browser
        )
        self.recording_sessions = 0  # how many browsers are recording into the piece
        self._load()
        self.late_us = 0
        self.look_up_late_us()

    def _load(self) -> None:
        with self._database.transaction() as connection:
            piece = pieces.load_piece(connection, self.piece_id)
            history = self._standing(connection)
            last_place = pieces.last_place(connection, self.piece_id)
            rows = tuple(takes.list_takes(connection, self.piece_id))
            large = pieces.latest_large(connection, self.piece_id)
        self.piece, self.history, self.last_place, self._steps = piece, history, last_place, Steps()
        self.takes: tuple[takes.TakeRow, ...] = rows
        self._sheets = Sheets(piece, self._engraver)
        if large is not None:
            later = threading.Timer(LOOK_BACK_S, self._look_back, (*large, piece, history.revision))
            later.daemon = True
            later.start()

    def _look_back(self, position: int, change: Callable[[], Change], piece: Piece, revision: int) -> None:
        """Have the large edit at hand that was the last before the piece was opened, so that it is taken back at
        once.
        """
        step = taken_back(change(), piece)
        with self.lock:
            if self.history.revision == revision:
                self._steps.remember(position, step)

    def reload(self) -> None:
        """Load the piece anew from the disk. Raises NotThere, NotKept."""
        with self.lock:
            self._load()

    def _standing(self, connection: sqlite3.Connection) -> History:
        standing = pieces.standing(connection, self.piece_id)
        return History(standing.revision, standing.undo, standing.redo)

    @contextmanager
    def _writing(self) -> Iterator[sqlite3.Connection]:
        """A transaction that changes the piece, with what is written beside it."""
        with self._database.transaction() as connection:
            yield connection
            if self.beside is not None:
                self.beside(connection)

    @contextmanager
    def together(self) -> Iterator[None]:
        """All that is written of takes and the journal inside is one transaction.

        Where the disk does not take it, memory follows the disk; an error that is only words leaves what was written
        before it.
        """
        before, words = self.takes, None
        try:
            with self._writing():
                try:
                    yield
                except NotKept:
                    raise
                except DuctusError as error:
                    words = error
        except BaseException:
            self.takes = before
            raise
        if words is not None:
            raise words

    def looked_up(self, read: Callable[[sqlite3.Connection], Found]) -> Found:
        """Something read from the library. Raises NotKept."""
        with self._database.transaction() as connection:
            return read(connection)

    def keep_beside(self, write: Beside) -> None:
        """Write the place of a browser by itself. Raises NotKept."""
        with self._database.transaction() as connection:
            write(connection)

    # --- edits ------------------------------------------------------------------------

    def apply(self, change: Change, base: int | None = None) -> bool:
        """Write a change; ``base`` is the revision its author saw (None: the present one).

        Returns True if the systems were divided anew. Raises Stale, NotThere or NotKept, and then nothing has changed.
        """
        with self.lock:
            return self.go(step_of(change, self.piece), base)

    def made_ready(self, change: Change, piece: Piece) -> PreparedChange:
        """What a large change makes of the piece, with all that can be worked out before it is written.

        Needs no lock.
        """
        step = step_of(change, piece)
        return step.made_ready(self._sheets.foresee(step.after, step.bars))

    def go(self, step: PreparedChange, base: int | None = None) -> bool:
        """Write a change that was worked out on the piece as it is; otherwise as ``apply``. Called under the lock."""

        def write(connection: sqlite3.Connection, piece_id: str, revision: int) -> Written:
            return pieces.append_change(connection, piece_id, revision, step.change, step.kept)

        written = self._committed(write, base)
        assert written is not None
        self._steps.put(written.position, step)
        return self._take_over(step)

    def view_of(self, wanted: tuple[str, ...], staff: int, before: View) -> tuple[View, Part | None]:
        """A view of only these parts (none: all), of one alone only a staff (0: both), laid out as the one before; and
        the part that it shows alone. Called under the lock.
        """
        parts = self.piece.parts
        shown = [parts[i] for i in wanted if i in parts] or list(parts.values())
        one = staff if len(shown) == 1 and staff <= len(shown[0].clefs) and len(shown[0].clefs) > 1 else 0
        view = replace(before, hidden=frozenset(parts) - {p.id for p in shown}, staff=one)
        return view, shown[0] if len(shown) == 1 and (len(parts) > 1 or one) else None

    def sheet_for(self, view: View) -> Sheet:
        """The sheet as a window shows it. Called under the lock."""
        return self._sheets.of(view, (w.view for w in self.watchers))

    def undo(self, base: int | None = None) -> Change | None:
        """Take the latest edit back; None when there is none. Raises Stale, NotThere, NotKept."""
        with self.lock:
            return self._travel(pieces.undo_change, base, back=True)

    def redo(self, base: int | None = None) -> Change | None:
        """Do the latest undone edit again; None when there is none. Raises Stale, NotThere, NotKept."""
        with self.lock:
            return self._travel(pieces.redo_change, base, back=False)

    def _travel(self, move: Travel, base: int | None, *, back: bool) -> Change | None:
        written = self._committed(partial(move, known=self._steps.changes), base)
        if written is None:
            return None
        self._take_over(self._steps.travelled(written.position, written.change, self.piece, back=back))
        return written.change

    def _committed(self, move: Move, base: int | None) -> Written | None:
        """Commit first; what is committed is taken over then: a failed commit leaves memory and disk as they were."""
        if self.deleted:
            raise NotThere(DELETED)
        revision = self.history.revision if base is None else base
        try:
            with self._writing() as connection:
                written = move(connection, self.piece_id, revision)
                history = self._standing(connection)
        except Stale:
            if revision == self.history.revision:  # the disk is ahead of us: nobody else should have written there
                self.reload()
            raise
        self.history = history
        if written is not None and written.waits:
            self._row_writer.take(self.piece_id, written.waits, written.change.rows)
        return written

    def _take_over(self, step: PreparedChange) -> bool:
        self.piece = step.after
        for watcher in self.watchers:
            watcher.seen(step)
        previewed, self._previewed, self._preview = self._previewed, set(), None
        return self._sheets.update(self.piece, step.bars | previewed, step.everything, self.shown_bars, step.widths)

    def preview(self, piece: Piece, bars: set[int]) -> bool:
        """Show ``piece`` on the sheet without writing it: notes while they are played.

        ``bars`` are those that differ from what was shown last. The next edit, or ``end_preview``, shows the piece
        itself again. Returns True if the systems were divided anew.
        """
        self._previewed |= bars
        self._preview = piece
        return self._sheets.update(piece, bars, False, max(self.shown_bars, piece.bar_count))

    def end_preview(self) -> bool:
        """Show the piece as it is."""
        bars, self._previewed, self._preview = self._previewed, set(), None
        return self._sheets.update(self.piece, bars, False, self.shown_bars)

    @property
    def shown(self) -> Piece:
        """The piece as the sheet shows it: with the notes that are being played, while a recording goes on."""
        return self._preview or self.piece

    # --- the sheet --------------------------------------------------------------------

    @property
    def shown_bars(self) -> int:
        """Bars that the pens of this session have reached, at least those of the piece."""
        return max(self.piece.bar_count, self._reached)

    def reach(self, tick: int) -> bool:
        """Make sure that the bar at ``tick`` can be seen (the piece itself grows only when a note is written).

        Returns True if the systems were divided anew."""
        with self.lock:
            bar = self.piece.timeline.bar_at(tick).index + 1
            if bar <= self.shown_bars and self._sheets.bars >= bar:
                return False
            self._reached = bar
            return self._sheets.update(self.piece, set(), False, bar)

    def engrave(self, view: View, near_bar: int, known: set[str], within: int | None = None) -> SystemView | None:
        """Engrave the waiting system of a view that is nearest to a bar.

        None when all (within so many bars) are up to date. The work is done on a snapshot, without the lock.
        """
        while True:
            with self.lock:
                sheet = self.sheet_for(view)
                order: Order | None = sheet.order(near_bar, known, within)
            if order is None:
                return None
            made = sheet.engraved(order)
            with self.lock:
                placed = sheet.taken_over(order, made)
            if placed is not None:
                return placed

    def leaves(self, view: View) -> tuple[int, ...]:
        """The first system of each page; none on a scroll."""
        with self.lock:
            return self.sheet_for(view).leaves()

    def engraved_opening(self, page: Piece, bars: int) -> str:
        """The first bars of another page (how a take would open), as SVG."""
        return self._engraver.engrave(page, SystemRange(0, min(bars + bool(page.facts.pickup), page.bar_count) - 1)).svg

    # --- takes and journal --------------------------------------------------------------

    def keep_take(
        self, take: Take, source: str, settings: dict[str, Any], recording: int | None = None
    ) -> takes.TakeRow:
        """Keep a take (that came of a recording); returns its row."""
        with self.lock:
            with self._writing() as connection:
                take_id, _ = takes.insert_take(connection, self.piece_id, take, source, settings)
                if recording is not None:
                    journal.end_recording(connection, recording)
                rows = tuple(takes.list_takes(connection, self.piece_id))
            self.takes = rows
            return next(row for row in rows if row.id == take_id)

    def drop_take(self, take_id: int) -> None:
        """Mark a take as dropped from the page; it stays among the takes."""
        with self.lock:
            with self._writing() as connection:
                takes.set_dropped(connection, take_id, True)
                rows = tuple(takes.list_takes(connection, self.piece_id))
            self.takes = rows

    def take_row(self, take_id: int) -> takes.TakeRow:
        """A take of the list. Raises NotThere."""
        found = next((t for t in self.takes if t.id == take_id), None)
        if found is None:
            raise NotThere("That take is not among the takes of this piece.")
        return found

    def take(self, take_id: int) -> Take:
        """A take as it was played. Raises NotThere."""
        with self._database.transaction() as connection:
            return takes.load_take(connection, self.piece_id, take_id)

    def found_beats(self, take_id: int, hints: str) -> list[tuple[Meter, PulseMap]] | None:
        """Beats found earlier under these hints (their words); None if nobody looked yet."""
        with self._database.transaction() as connection:
            found = takes.found_beats(connection, take_id, hints)
        return [(parse_meter(name), pulses) for name, pulses in found] or None

    def keep_found_beats(self, take_id: int, hints: str, found: list[tuple[Meter, PulseMap]]) -> None:
        """Keep beats that were found in a take."""
        with self._database.transaction() as connection:
            takes.keep_found_beats(connection, take_id, hints, [(str(m), pulses) for m, pulses in found])

    def journal(self, from_us: int, to_us: int) -> list[Heard]:
        """What was heard in a stretch of wall-clock time."""
        with self._database.transaction() as connection:
            return journal.read_journal(connection, self.piece_id, from_us, to_us)

    def heard_and_left(self) -> list[Stretch]:
        """What was heard at this desk and neither written nor dropped, the latest first."""
        with self._database.transaction() as connection:
            return journal.stretches_left(connection, self.piece_id, APART_US, MOST_STRETCHES)

    def has_become(self, from_us: int, to_us: int, became: int) -> None:
        """Say what became of a stretch of the journal (see the store)."""
        with self._writing() as connection:
            journal.has_become(connection, self.piece_id, from_us, to_us, became)

    def begin_recording(self, from_us: int, plan: dict[str, Any]) -> int:
        """Remember that a recording goes on, so that it is found again if it is cut off; returns its number."""
        with self._writing() as connection:
            return journal.begin_recording(connection, self.piece_id, from_us, plan)

    def end_recording(self, number: int) -> None:
        """The recording came to nothing, or was dropped."""
        with self._writing() as connection:
            journal.end_recording(connection, number)

    def going_on(self, number: int) -> CutOff | None:
        """A recording that a browser comes back to goes on; None where it was kept or dropped meanwhile."""
        with self._database.transaction() as connection:
            return journal.take_up_recording(connection, self.piece_id, number)

    def cut_off(self, now_us: int) -> list[CutOff]:
        """Recordings that were cut off; those found just now end at ``now_us`` of the wall clock."""
        with self._database.transaction() as connection:
            return journal.cut_off_recordings(connection, self.piece_id, now_us)

    # --- what the desk remembers ----------------------------------------------------------

    def remember_place(self, tick: int) -> None:
        """Remember where work stopped."""
        self.last_place = tick
        with self._database.transaction() as connection:
            pieces.set_last_place(connection, self.piece_id, tick)

    def look_up_late_us(self) -> None:
        """Read anew how late the player's notes arrive, as the delay test found: one for the whole library.

        Raises NotKept.
        """
        with self._database.transaction() as connection:
            self.late_us = int(pieces.setting(connection, LATE) or 0)

    def keep_late_us(self, late_us: int) -> None:
        """Keep how late the player's notes arrive. Raises NotKept."""
        with self._database.transaction() as connection:
            pieces.keep_setting(connection, LATE, str(late_us))
        self.late_us = late_us

    def habits(self) -> str | None:
        """How entry was set when somebody last sat here (JSON); None if nobody did yet."""
        with self._database.transaction() as connection:
            return pieces.setting(connection, pieces.HABITS + self.piece_id)

    def keep_habits(self, text: str) -> None:
        """Keep how entry is set."""
        with self._database.transaction() as connection:
            pieces.keep_setting(connection, pieces.HABITS + self.piece_id, text)
