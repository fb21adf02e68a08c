"""The end of what was written last, damaged: it is noticed, said, and put aside.

Form of the log: sqlite.org/fileformat2.html, section 4.
"""

from __future__ import annotations

import shutil
import sqlite3
from pathlib import Path

import pytest

from ductus.app.library import Library
from ductus.core.score.catalogues.layouts import new_piece
from ductus.store.wal import FRAME, HEADER, damage_of, unreadable


@pytest.fixture
def killed(tmp_path: Path) -> Path:
    """The files of a library as a killed server leaves them, with twenty pieces in the log."""
    library = Library(tmp_path / "here" / "library.sqlite")
    for k in range(20):
        library.add(new_piece(title=f"Piece {k}"))
    there = tmp_path / "there"
    there.mkdir()
    for name in ("library.sqlite", "library.sqlite-wal"):
        shutil.copy(tmp_path / "here" / name, there / name)
    library.close()
    return there / "library.sqlite"


def log_of(library: Path) -> Path:
    return library.with_name("library.sqlite-wal")


def titles(library: Path) -> int:
    opened = Library(library)
    try:
        return len(opened.shelf())
    finally:
        opened.close()


def test_a_log_as_sqlite_leaves_it_is_whole(killed: Path) -> None:
    assert log_of(killed).stat().st_size > 40_000
    assert damage_of(killed) == ""
    assert titles(killed) == 20


def test_a_log_that_was_begun_anew_over_an_older_one_is_whole(tmp_path: Path) -> None:
    """After a checkpoint SQLite writes over the old pages; those that are left behind its end have other salts."""
    connection = sqlite3.connect(tmp_path / "x.sqlite", isolation_level=None)
    connection.execute("pragma journal_mode = wal")
    connection.execute("create table t (x)")
    for _ in range(50):
        connection.execute("insert into t values (randomblob(3000))")
    connection.execute("pragma wal_checkpoint(restart)")
    connection.execute("insert into t values (1)")
    data = (tmp_path / "x.sqlite-wal").read_bytes()
    assert len(data) > 100_000
    assert unreadable(data) == 0
    connection.close()


@pytest.mark.parametrize("where", [0.1, 0.5, 0.95])
def test_a_damaged_place_is_said_and_what_was_damaged_is_put_aside(killed: Path, where: float) -> None:
    data = bytearray(log_of(killed).read_bytes())
    at = HEADER + int((len(data) - HEADER) * where)
    data[at] ^= 0xFF
    log_of(killed).write_bytes(data)
    library = Library(killed)
    assert "is damaged" in library.database.damage
    assert len(library.shelf()) <= 20
    library.close()
    aside = list(killed.parent.glob("*.damaged-*"))
    assert [a.read_bytes() for a in aside] == [bytes(data)]
    again = Library(killed)
    assert again.database.damage == ""  # said once
    again.close()


def test_pages_behind_the_damage_are_counted(killed: Path) -> None:
    data = bytearray(log_of(killed).read_bytes())
    page = 4096 + FRAME
    frames = (len(data) - HEADER) // page
    data[HEADER + 3 * page + FRAME + 7] ^= 1
    assert unreadable(bytes(data)) == frames - 3
    data[3] ^= 0xFF  # the head: nothing of it can be read
    assert unreadable(bytes(data)) == frames
