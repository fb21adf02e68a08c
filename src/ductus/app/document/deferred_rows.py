"""Brings rows that wait into their tables, a few at a time, so that a key that is pressed meanwhile waits for no
more than these few.

One thread writes for all desks. Nothing hangs on it: who loads a piece writes what still waits, and so does the next
start.
"""

from __future__ import annotations

import logging
import sqlite3
import threading
import time
from collections.abc import Sequence
from dataclasses import dataclass

from ductus.core.errors import NotKept
from ductus.core.score.model.piece import Row, record_of
from ductus.store.database import Database
from ductus.store.pending import all_written, write_some

FEW, MANY = 100, 2000  # rows that are written in one go while somebody plays, and when all is closed
PAUSE_S = 0.01  # after each of these
RETRY_S = 0.5
IDLE_S = 5.0  # with nothing to do for so long the thread ends
log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True, eq=False)
class Waiting:
    """Rows of a change of a piece, and the number that they wait under."""

    piece: str
    number: int
    rows: tuple[Row, ...]


class RowWriter:
    """Takes in changes that wait, from any thread, in the order in which they were committed."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._waiting: list[Waiting] = []
        self._wake = threading.Condition()
        self._closing = False
        self._thread: threading.Thread | None = None

    def take(self, piece: str, number: int, rows: tuple[Row, ...]) -> None:
        """Write these soon."""
        with self._wake:
            self._waiting.append(Waiting(piece, number, rows))
            if self._thread is None:
                self._thread = threading.Thread(target=self._run, name="rows", daemon=True)
                self._thread.start()
            self._wake.notify()

    def _run(self) -> None:
        while True:
            with self._wake:
                self._wake.wait_for(lambda: self._waiting or self._closing, IDLE_S)
                if not self._waiting:
                    self._thread = None
                    return
                piece = self._waiting[0].piece
                changes = [w for w in self._waiting if w.piece == piece]
            self._bring(piece, changes)
            with self._wake:
                self._waiting = [w for w in self._waiting if w not in changes]

    def _bring(self, piece: str, changes: Sequence[Waiting]) -> None:
        """Write what changes that follow each other have left behind."""
        last = {record_of(row).id: row for change in changes for row in change.rows}
        rows, at = [last[i] for i in sorted(last)], 0  # as they lie in their tables
        while at < len(rows):
            few = MANY if self._closing else FEW
            if not self._try(piece, changes[0].number, rows[at : at + few]):
                return
            at += few
            time.sleep(0 if self._closing else PAUSE_S)
        for change in changes:
            self._try(piece, change.number, [])

    def _try(self, piece: str, number: int, rows: Sequence[Row]) -> bool:
        """Some rows, or with none left the word that all are there; again and again where the disk does not take them.

        False: somebody else wrote them all, or it cannot be.
        """
        while True:
            try:
                with self._database.transaction() as connection:
                    if not rows:
                        all_written(connection, piece, number)
                        return True
                    return write_some(connection, piece, number, rows)
            except NotKept:
                if self._closing:
                    return False
                time.sleep(RETRY_S)
            except sqlite3.Error:
                log.exception("rows of %s could not be brought into their tables; they wait", piece)
                return False

    def close(self) -> None:
        """Write what waits and stop; what the disk does not take is written by who loads the piece next."""
        with self._wake:
            self._closing = True
            self._wake.notify()
            thread = self._thread
        if thread is not None:
            thread.join(5)
