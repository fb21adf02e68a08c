"""The stand-ins of the simulation: a clock, a journal and a disk that obey, and an engraver that only names."""

from __future__ import annotations

import asyncio
import contextlib
import random
import selectors
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from ductus.app.document.journal_writer import RETRY_S, Entry, Journal
from ductus.core.errors import NotKept
from ductus.core.score.model.piece import Piece
from ductus.engraving.engraver import PAGE_WIDTH, Engraved, Engraver
from ductus.engraving.layout import SystemRange
from ductus.store.database import Database

SLOW_S = 0.05  # the journal gathers for so long: longer than the real one, so that more happens meanwhile
LONGEST_S = 4000.0


class _Waiting(selectors.DefaultSelector):
    """Instead of waiting, the clock of the simulation goes on."""

    slept: Callable[[float | None], None]

    def select(self, timeout: float | None = None) -> Any:
        found = super().select(0)
        if not found:
            self.slept(timeout)
        return found


class Loop(asyncio.SelectorEventLoop):
    """An event loop in simulated time; what goes to a thread runs here, after a delay that is drawn."""

    def __init__(self, rng: random.Random) -> None:
        self._at, self._rng = 0.0, rng
        selector = _Waiting()
        selector.slept = self._sleep
        super().__init__(selector)

    def time(self) -> float:
        return self._at

    def _sleep(self, timeout: float | None) -> None:
        assert timeout is not None, "everything waits for something that never comes"
        self._at += max(timeout, 1e-6)
        assert self._at < LONGEST_S, "the simulation does not come to rest"

    def run_in_executor(self, executor: Any, func: Any, *args: Any) -> Any:  # type: ignore[override]
        future = self.create_future()

        def run() -> None:
            if future.cancelled():
                return
            try:
                future.set_result(func(*args))
            except BaseException as error:
                future.set_exception(error)

        self.call_later(self._rng.choice((0.0, 0.001, 0.02)), run)
        return future


class Plain(Engraver):
    """Draws nothing: a system is its content's name."""

    def __init__(self) -> None:
        self.count = 0

    def engrave(self, piece: Piece, system: SystemRange, width: int = PAGE_WIDTH) -> Engraved:
        self.count += 1
        first, last = piece.timeline.bar(system.first).start, piece.timeline.bar(system.last).end
        notes = sorted((n.id, n.tick, n.ticks) for n in piece.notes.values() if first <= n.tick < last)
        return Engraved(f"{system} {width} {notes}", '<svg viewBox="0 0 10 10"></svg>')

    def close(self) -> None:
        pass


class Paced(Journal):
    """The journal without its thread: what is heard is written a moment later, on the loop."""

    loop: Loop
    _due = False

    def hear(self, entry: Entry) -> None:
        self._waiting.append(entry)
        self._wake_in(SLOW_S)

    def _wake_in(self, seconds: float) -> None:
        if not self._due:
            self._due = True
            self.loop.call_later(seconds, self._write_now)

    def _write_now(self) -> None:
        self._due = False
        if not self._closing.is_set() and not self.flush():
            self._wake_in(RETRY_S)


@dataclass
class Disk:
    """Refuses what would be written while it is full, when it is to be committed."""

    full: bool = False

    def watch(self, database: Database) -> None:
        """Stand between a database and its callers."""
        usual = database.transaction

        @contextlib.contextmanager
        def transaction() -> Iterator[Any]:
            with usual() as connection:
                before = connection.total_changes
                yield connection
                if self.full and connection.total_changes != before:
                    raise NotKept("The disk is full.")

        database.transaction = transaction  # type: ignore[method-assign]
