"""An open piece: its state, its history, its sheet. One desk serves all browsers that look at the piece."""

from __future__ import annotations

import threading
from dataclasses import dataclass
from typing import Any

from ductus.app.sheet import Sheet
from ductus.core.performance.takes import Heard, Take
from ductus.core.score.changes import Change
from ductus.core.score.piece import Piece
from ductus.core.time.meters import Meter, parse_meter
from ductus.core.time.pulse import PulseMap
from ductus.engraving.engraver import Engraver
from ductus.store import pieces, takes
from ductus.store.database import Database


@dataclass(frozen=True, slots=True)
class History:
    """Where the history stands: what undo and redo would do, in words (None: nothing)."""

    revision: int
    undo: str | None
    redo: str | None


class Desk:
    """All use cases on one piece. Methods may be called from any thread; ``lock`` makes them one at a time."""

    def __init__(self, piece_id: str, database: Database, engraver: Engraver) -> None:
        """Load the piece. Raises NotThere."""
        self.piece_id = piece_id
        self.lock = threading.RLock()
        self._database = database
        with database.transaction() as connection:
            self.piece: Piece = pieces.load_piece(connection, piece_id)
            self._read_standing(connection)
            self.last_place = pieces.last_place(connection, piece_id)
        self.sheet = Sheet(self.piece, engraver)
        self._previewed: set[int] = set()
        self.readings: dict[str, Any] = {}  # readings worked out, by id (app.readings)

    def _read_standing(self, connection: object) -> None:
        standing = pieces.standing(connection, self.piece_id)  # type: ignore[arg-type]
        self.history = History(standing.revision, standing.undo, standing.redo)

    # --- edits ------------------------------------------------------------------------

    def apply(self, change: Change, base: int | None = None) -> bool:
        """Write a change; ``base`` is the revision its author saw (None: the present one).

        Returns True if the systems were divided anew. Raises Stale, and then nothing has changed.
        """
        with self.lock:
            with self._database.transaction() as connection:
                revision = self.history.revision if base is None else base
                pieces.append_change(connection, self.piece_id, revision, change)
                self._read_standing(connection)
            return self._take_over(change)

    def undo(self, base: int | None = None) -> Change | None:
        """Take the latest edit back; None when there is none. Raises Stale."""
        return self._travel(pieces.undo_change, base)

    def redo(self, base: int | None = None) -> Change | None:
        """Do the latest undone edit again; None when there is none. Raises Stale."""
        return self._travel(pieces.redo_change, base)

    def _travel(self, move: object, base: int | None) -> Change | None:
        with self.lock:
            with self._database.transaction() as connection:
                revision = self.history.revision if base is None else base
                change: Change | None = move(connection, self.piece_id, revision)  # type: ignore[operator]
                self._read_standing(connection)
            if change is not None:
                self._take_over(change)
            return change

    def _take_over(self, change: Change) -> bool:
        bars, everything = change.bars(self.piece)
        self.piece = change.apply(self.piece)
        after, more = change.bars(self.piece)
        previewed, self._previewed = self._previewed, set()
        return self.sheet.update(self.piece, bars | after | previewed, everything or more, self.shown_bars)

    def preview(self, piece: Piece, bars: set[int]) -> bool:
        """Show ``piece`` on the sheet without writing it: notes while they are played. ``bars`` are those that differ from what was
        shown last. The next edit, or ``end_preview``, shows the piece itself again. Returns True if the systems were divided anew."""
        self._previewed |= bars
        return self.sheet.update(piece, bars, False, max(self.shown_bars, piece.bar_count))

    def end_preview(self) -> bool:
        """Show the piece as it is."""
        bars, self._previewed = self._previewed, set()
        return self.sheet.update(self.piece, bars, False, self.shown_bars)

    # --- the sheet --------------------------------------------------------------------

    @property
    def shown_bars(self) -> int:
        """Bars that the pens of this session have reached, at least those of the piece."""
        return max(self.piece.bar_count, getattr(self, "_reached", 0))

    def reach(self, tick: int) -> bool:
        """Make sure that the bar at ``tick`` can be seen (the piece itself grows only when a note is written).

        Returns True if the systems were divided anew."""
        with self.lock:
            bar = self.piece.timeline.bar_at(tick).index + 1
            if bar <= self.shown_bars and self.sheet.piece.bar_count >= bar:
                return False
            self._reached = bar
            return self.sheet.update(self.piece, set(), False, bar)

    # --- takes and journal --------------------------------------------------------------

    def keep_take(self, take: Take, source: str, settings: dict[str, Any]) -> tuple[int, str]:
        """Keep a take; returns its id and name."""
        with self._database.transaction() as connection:
            return takes.insert_take(connection, self.piece_id, take, source, settings)

    def drop_take(self, take_id: int) -> None:
        """Mark a take as dropped from the page; it stays among the takes."""
        with self._database.transaction() as connection:
            takes.set_dropped(connection, take_id, True)

    def takes(self) -> list[takes.TakeRow]:
        """All takes, the oldest first."""
        with self._database.transaction() as connection:
            return takes.list_takes(connection, self.piece_id)

    def take(self, take_id: int) -> Take:
        """A take as it was played. Raises NotThere."""
        with self._database.transaction() as connection:
            return takes.load_take(connection, self.piece_id, take_id)

    def found_beats(
        self, take_id: int, meter: Meter | None, about: float | None
    ) -> list[tuple[Meter, PulseMap]] | None:
        """Beats found earlier under these hints; None if nobody looked yet."""
        with self._database.transaction() as connection:
            found = takes.found_beats(connection, take_id, f"{meter or ''} {about or ''}")
        return [(parse_meter(name), pulses) for name, pulses in found] or None

    def keep_found_beats(
        self, take_id: int, meter: Meter | None, about: float | None, found: list[tuple[Meter, PulseMap]]
    ) -> None:
        """Keep beats that were found in a take."""
        rows = [(str(m), pulses) for m, pulses in found]
        with self._database.transaction() as connection:
            takes.keep_found_beats(connection, take_id, f"{meter or ''} {about or ''}", rows)

    def write_journal(self, heard: list[tuple[Heard, bool]]) -> None:
        """Keep everything heard."""
        with self._database.transaction() as connection:
            takes.append_journal(connection, self.piece_id, heard)

    def journal(self, from_us: int, to_us: int) -> list[Heard]:
        """What was heard in a stretch of wall-clock time."""
        with self._database.transaction() as connection:
            return takes.read_journal(connection, self.piece_id, from_us, to_us)

    def remember_place(self, tick: int) -> None:
        """Remember where work stopped."""
        self.last_place = tick
        with self._database.transaction() as connection:
            pieces.set_last_place(connection, self.piece_id, tick)
