"""Everything that is heard is on disk within a moment, pen down or not; nothing is let go of before it is written.

One thread writes for all desks, so that neither reading nor engraving keeps it waiting. A failing disk is tried
again, and said after a while.
"""

from __future__ import annotations

import logging
import sqlite3
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from ductus.core.capture.takes import Heard
from ductus.core.errors import NotKept
from ductus.store.database import Database
from ductus.store.journal import append_journal, read_journal

log = logging.getLogger(__name__)
GATHER_S = 0.008  # what comes within this time is written together
RETRY_S = 0.25
TELL_S = 2.0  # a failing disk is said after this time


@dataclass(frozen=True, slots=True)
class Entry:
    """What was heard at a desk: events with wall-clock times, each with whether the pen was down.

    ``again``: perhaps written before.
    """

    piece: str
    heard: tuple[tuple[Heard, bool], ...]
    again: bool = False
    kept: Callable[[], None] | None = None


class Journal:
    """Takes in what is heard, from any thread."""

    def __init__(self, database: Database) -> None:
        """``trouble`` is what is said of a disk that cannot be written, "" when all is well."""
        self._database = database
        self._waiting: list[Entry] = []
        self._lock = threading.Lock()
        self._writing = threading.Lock()  # what one thread has taken is on disk before another looks
        self._wake = threading.Event()
        self._failing_since: float | None = None
        self._error = ""
        self._closing = threading.Event()
        self._thread: threading.Thread | None = None

    def hear(self, entry: Entry) -> None:
        """Write this soon."""
        with self._lock:
            self._waiting.append(entry)
            if self._thread is None:
                self._thread = threading.Thread(target=self._run, name="journal", daemon=True)
                self._thread.start()
        self._wake.set()

    @property
    def trouble(self) -> str:
        """What is wrong, once it has lasted for a moment."""
        since = self._failing_since
        if since is None or time.monotonic() - since < TELL_S:
            return ""
        with self._lock:
            waiting = sum(len(e.heard) for e in self._waiting)
        return f"{self._error} What you play is held in memory ({waiting:,} events) and written as soon as it can be."

    def flush(self) -> bool:
        """Write everything that waits, now, or wait until another thread has.

        False if the disk did not take it; then it waits on.
        """
        with self._writing:
            with self._lock:
                taken, self._waiting = self._waiting, []
            if not taken:
                return True
            try:
                self._write(taken)
            except NotKept as error:
                with self._lock:
                    self._waiting = taken + self._waiting
                self._error = str(error)
                if self._failing_since is None:
                    self._failing_since = time.monotonic()
                return False
        self._failing_since = None
        for entry in taken:
            if entry.kept is not None:
                entry.kept()
        return True

    def _write(self, taken: Sequence[Entry]) -> None:
        """Write entries in one transaction.

        What fails by itself, and would fail again, does not keep back the others. Raises NotKept.
        """
        try:
            with self._database.transaction() as connection:
                for entry in taken:
                    append_journal(connection, entry.piece, self._fresh(connection, entry))
        except NotKept:
            raise
        except Exception:
            log.exception("%d entries of the journal could not be written together", len(taken))
            if len(taken) > 1:
                for entry in taken:
                    self._write([entry])

    @staticmethod
    def _fresh(connection: sqlite3.Connection, entry: Entry) -> Sequence[tuple[Heard, bool]]:
        """Of what was sent again, only what is not there yet."""
        if not entry.again or not entry.heard:
            return entry.heard
        times = [h.time_us for h, _ in entry.heard]
        there = {(h.time_us, h.kind, h.key) for h in read_journal(connection, entry.piece, min(times), max(times))}
        return [(h, down) for h, down in entry.heard if (h.time_us, h.kind, h.key) not in there]

    def _run(self) -> None:
        while not self._closing.is_set():
            self._wake.wait()
            self._wake.clear()
            self._closing.wait(GATHER_S)
            while not self.flush() and not self._closing.is_set():
                self._closing.wait(RETRY_S)

    def close(self) -> None:
        """Write what waits and stop."""
        self._closing.set()
        self._wake.set()
        if self._thread is not None:
            self._thread.join(5)
        self.flush()
