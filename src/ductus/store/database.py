"""Opening the database: WAL, foreign keys, migrations, one writer.

Migrations are the numbered files in ``migrations/``; each runs in one transaction together with the record
that it ran (``pragma user_version``). ``executescript`` is not used: it would commit on its own.
"""

from __future__ import annotations

import sqlite3
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from importlib import resources
from pathlib import Path

from ductus.core.errors import BadInput


def migrations() -> list[tuple[int, str]]:
    """(number, SQL text) of every migration, in order."""
    folder = resources.files("ductus.store") / "migrations"
    files = sorted((f for f in folder.iterdir() if f.name.endswith(".sql")), key=lambda f: f.name)
    return [(int(f.name[:4]), f.read_text(encoding="utf-8")) for f in files]


def statements(text: str) -> Iterator[str]:
    """Cut an SQL file into statements."""
    pending = ""
    for line in text.splitlines(keepends=True):
        pending += line
        if sqlite3.complete_statement(pending):
            yield pending
            pending = ""
    if pending.strip():
        yield pending


class Database:
    """One connection shared by the threads of the server, one transaction at a time."""

    def __init__(self, path: Path | str) -> None:
        """Open or create the file and bring it up to date. Raises BadInput if it is no Ductus database."""
        self.path = Path(path)
        if str(path) != ":memory:":
            self.path.parent.mkdir(parents=True, exist_ok=True)
        self._lock = threading.RLock()
        self._connection = sqlite3.connect(path, check_same_thread=False, isolation_level=None)
        self._connection.row_factory = sqlite3.Row
        try:
            self._connection.execute("pragma journal_mode = wal")
            self._connection.execute("pragma synchronous = full")
            self._connection.execute("pragma foreign_keys = on")
            self._migrate()
        except sqlite3.DatabaseError as error:
            self._connection.close()
            raise BadInput(
                f"{self.path.name} cannot be opened as a Ductus library ({error}). It was left as it is."
            ) from error

    def _migrate(self) -> None:
        done = self._connection.execute("pragma user_version").fetchone()[0]
        for number, text in migrations():
            if number > done:
                with self.transaction() as connection:
                    for statement in statements(text):
                        connection.execute(statement)
                    connection.execute(f"pragma user_version = {number:d}")

    @contextmanager
    def transaction(self) -> Iterator[sqlite3.Connection]:
        """Run statements as one transaction; an error rolls all of them back."""
        with self._lock:
            if self._connection.in_transaction:
                yield self._connection
                return
            self._connection.execute("begin immediate")
            try:
                yield self._connection
            except BaseException:
                self._connection.execute("rollback")
                raise
            self._connection.execute("commit")

    def close(self) -> None:
        """Close the file."""
        with self._lock:
            self._connection.close()
