"""Opening the database: WAL, foreign keys, migrations, one writer.

Migrations are the numbered files in ``migrations/``; each runs in one transaction together with the record
that it ran (``pragma user_version``). ``executescript`` is not used: it would commit on its own.
"""

from __future__ import annotations

import contextlib
import os
import sqlite3
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from importlib import resources
from pathlib import Path

from filelock import FileLock, Timeout

from ductus.core.errors import BadInput, NotKept
from ductus.store.wal import damage_of

BUSY_S = 1.0  # how long another program's lock is waited for before a person is told


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
    """One connection shared by the threads of the server, one transaction at a time.

    One process owns a library: a lock file beside it says who. The folder can be read by its owner only.
    """

    def __init__(self, path: Path | str) -> None:
        """Open or create the file and bring it up to date.

        Raises BadInput if it is no Ductus library, if a newer Ductus made it, or if another process has it open.
        ``damage`` says if the end of what was written last cannot be read.
        """
        self.path = Path(path)
        self._lock = threading.RLock()
        self._owner: FileLock | None = None
        self.damage = ""  # what is to be said of what could not be read
        if str(path) != ":memory:":
            make_private(self.path)
            self._owner = own(self.path)
            self.damage = damage_of(self.path)
        try:
            self._connection = sqlite3.connect(path, check_same_thread=False, isolation_level=None, timeout=BUSY_S)
        except sqlite3.Error as error:
            self._let_go()
            raise BadInput(f"{self.path.name} cannot be opened ({error}).") from error
        self._connection.row_factory = sqlite3.Row
        try:
            self._refuse_newer()
            self._connection.execute("pragma journal_mode = wal")
            self._connection.execute("pragma synchronous = full")
            self._connection.execute("pragma foreign_keys = on")
            self._migrate()
        except (sqlite3.Error, NotKept) as error:
            self._connection.close()
            self._let_go()
            raise BadInput(
                f"{self.path.name} cannot be opened as a Ductus library ({error}). It was left as it is."
            ) from error
        except BadInput:
            self._connection.close()
            self._let_go()
            raise

    def _refuse_newer(self) -> None:
        done = self._connection.execute("pragma user_version").fetchone()[0]
        known = migrations()[-1][0]
        if done > known:
            raise BadInput(
                f"{self.path.name} was made by a newer Ductus (its form is {done}, this one knows {known}). It was "
                "left as it is: "
                "open it with the newer one."
            )

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
        """Run statements as one transaction; an error rolls all of them back.

        Raises NotKept, with words, where the disk did not take it: nothing was written then, and the same can be
        tried again.
        """
        with self._lock:
            try:
                if self._connection.in_transaction:
                    yield self._connection
                    return
                self._connection.execute("begin immediate")
                try:
                    yield self._connection
                    self._connection.execute("commit")
                except BaseException:
                    if self._connection.in_transaction:
                        self._connection.execute("rollback")
                    raise
            except sqlite3.Error as error:
                if may_pass(error):
                    raise NotKept(trouble_words(error)) from error
                raise

    def close(self) -> None:
        """Bring everything into the one file and close it."""
        with self._lock:
            with contextlib.suppress(sqlite3.Error):
                self._connection.execute("pragma wal_checkpoint(truncate)")
            self._connection.close()
            self._let_go()

    def _let_go(self) -> None:
        if self._owner is not None:
            self._owner.release()
            self._owner = None


def may_pass(error: sqlite3.Error) -> bool:
    """Is it the disk's trouble, which may pass, or a mistake of ours, which would only be repeated?"""
    mistakes = (sqlite3.IntegrityError, sqlite3.DataError, sqlite3.InterfaceError)
    return not isinstance(error, mistakes) and (
        not isinstance(error, sqlite3.ProgrammingError) or "closed" in str(error)
    )


def trouble_words(error: sqlite3.Error) -> str:
    """What is wrong with the library, for musicians."""
    text = str(error).lower()
    if "locked" in text or "busy" in text:
        return "Another program is using the library file, so it cannot be written at the moment."
    if "full" in text:
        return "The disk is full, so the library cannot be written."
    if "readonly" in text or "read-only" in text:
        return "The library file may not be written (it is read-only)."
    if "closed" in text:
        return "The library is closed: Ductus is stopping."
    return f"The library cannot be written at the moment ({error})."


def make_private(path: Path) -> None:
    """Make the folder and the file so that only their owner can read them. Raises BadInput where that cannot be."""
    try:
        if not path.parent.exists():
            path.parent.mkdir(parents=True, mode=0o700)
        if is_mine(path.parent):
            path.parent.chmod(0o700)
        if not path.exists():
            os.close(os.open(path, os.O_CREAT | os.O_RDWR, 0o600))
        elif is_mine(path) and os.access(path, os.W_OK):
            path.chmod(0o600)
    except OSError as error:
        raise BadInput(f"The library {path} cannot be made or opened ({error.strerror}).") from error


def own(path: Path) -> FileLock:
    """Take the lock of a library. Raises BadInput with the owner's process number if somebody has it."""
    owner = path.with_name(path.name + ".owner")
    lock = FileLock(path.with_name(path.name + ".lock"), mode=0o600, thread_local=False, fallback_to_soft=False)
    try:
        lock.acquire(blocking=False)
    except Timeout:
        known = owner.read_text(encoding="utf-8")[:20].strip() if owner.is_file() else ""
        raise BadInput(
            f"This library is open in another Ductus (process {known or 'unknown'}). Stop that one first, or use "
            "--data for another library."
        ) from None
    except OSError as error:
        raise BadInput(f"The library {path} cannot be opened ({error.strerror}).") from error
    with contextlib.suppress(OSError):  # a name in an error is not worth a library
        owner.touch(mode=0o600)
        owner.write_text(str(os.getpid()), encoding="utf-8")
    return lock


def is_mine(path: Path) -> bool:
    """Does a file belong to the user? Where systems have no such owners, all that can be opened does."""
    return not hasattr(os, "getuid") or os.stat(path).st_uid == os.getuid()
