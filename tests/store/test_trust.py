"""Memory follows the disk: failed commits, locked and foreign libraries, the journal, recordings that were cut off."""

from __future__ import annotations

import sqlite3
import stat
import subprocess
import sys
import threading
from contextlib import AbstractContextManager
from pathlib import Path

import pytest

from ductus.app import wire as m
from ductus.app.library import Library
from ductus.core.entry.commands.pen import PenTo
from ductus.core.errors import BadInput, NotKept, NotThere
from ductus.core.score.catalogues.layouts import new_piece
from ductus.demo.keyboard import programme_events
from ductus.store.database import Database, migrations
from tests.app.driving import EPOCH_US, Sitter


def other_program(library: Library) -> sqlite3.Connection:
    """A program that is not Ductus and keeps the library locked."""
    other = sqlite3.connect(library.database.path, isolation_level=None)
    other.execute("begin immediate")
    return other


def test_a_second_ductus_is_told_who_has_the_library(library: Library) -> None:
    with pytest.raises(BadInput, match=r"open in another Ductus \(process \d+\)"):
        Library(library.database.path)
    code = f"from ductus.app.library import Library; Library({str(library.database.path)!r})"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert "open in another Ductus" in done.stderr
    library.close()
    Library(library.database.path).close()


def test_a_library_of_a_newer_ductus_is_refused_and_left_as_it_was(tmp_path: Path) -> None:
    path = tmp_path / "newer.sqlite"
    Database(path).close()
    with sqlite3.connect(path) as newer:
        newer.execute(f"pragma user_version = {migrations()[-1][0] + 1}")
    before = path.read_bytes()
    with pytest.raises(BadInput, match="made by a newer Ductus"):
        Database(path)
    assert path.read_bytes() == before
    with pytest.raises(BadInput, match="made by a newer Ductus"):  # the lock was let go
        Database(path)


def test_only_the_owner_can_read_the_library(tmp_path: Path) -> None:
    library = Library(tmp_path / "deep" / "library.sqlite")
    library.add(new_piece())
    assert stat.S_IMODE((tmp_path / "deep").stat().st_mode) == 0o700
    for file in (tmp_path / "deep").iterdir():
        assert stat.S_IMODE(file.stat().st_mode) == 0o600, file
    library.close()
    assert not (tmp_path / "deep" / "library.sqlite-wal").exists()  # everything is in the one file


def test_a_key_that_the_disk_did_not_take_is_not_lost_and_is_said(library: Library) -> None:
    at = Sitter(library, library.add(new_piece())).give(PenTo(True)).press(60)
    lock = other_program(library)
    at.press(62).press(64)
    assert at.session.blocked
    assert "Another program is using the library file" in at.latest(m.Keeping).trouble
    assert [key for *_, key in at.notes()] == [60]
    assert at.desk.history.revision == library.desk(at.piece_id).history.revision == 1
    lock.execute("rollback")
    lock.close()
    at.facts += [s.fact for s in at.session.drain().facts]
    assert [key for *_, key in at.notes()] == [60, 62, 64]
    assert at.latest(m.Keeping).trouble == ""
    assert "everything is saved again" in [s.text for s in at.all(m.Say)][-2] or "kept again" in at.said
    at.press(65)
    assert len(at.notes()) == 4


@pytest.mark.parametrize(
    ("make", "words"),
    [("pragma query_only = on", "read-only"), ("pragma max_page_count = 1", "disk is full")],
)
def test_a_full_or_read_only_disk_is_said_in_words(library: Library, make: str, words: str) -> None:
    at = Sitter(library, library.add(new_piece())).give(PenTo(True))
    connection = library.database._connection
    connection.execute(make)
    for key in range(50, 70):
        at.press(key)
    assert words in at.latest(m.Keeping).trouble
    connection.execute("pragma query_only = off")
    connection.execute("pragma max_page_count = 1000000")
    at.facts += [s.fact for s in at.session.drain().facts]
    assert len(at.notes()) == 20


def test_a_commit_that_fails_leaves_memory_and_disk_as_they_were(
    library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    at = Sitter(library, library.add(new_piece())).give(PenTo(True)).press(60)
    piece, history = at.piece, at.desk.history

    def fails(*_: object) -> None:
        raise sqlite3.OperationalError("disk I/O error")

    with monkeypatch.context() as broken:
        broken.setattr("ductus.store.pending.write_rows", fails)
        at.press(62)
    assert (at.piece, at.desk.history) == (piece, history)
    at.facts += [s.fact for s in at.session.drain().facts]
    assert [key for *_, key in at.notes()] == [60, 62]
    at.undo().undo()
    assert at.notes() == []


def test_a_desk_that_fell_behind_the_disk_loads_again(library: Library) -> None:
    at = Sitter(library, library.add(new_piece())).give(PenTo(True)).press(60)
    library.database._connection.execute("update piece set revision = revision + 1")
    at.press(62)
    assert at.latest(m.Problem).stale
    at.press(64)
    assert [key for *_, key in at.notes()] == [60, 64]


def test_a_deleted_piece_refuses_edits_also_from_a_desk_that_does_not_know(library: Library) -> None:
    at = Sitter(library, library.add(new_piece())).give(PenTo(True))
    with library.database.transaction() as connection:
        connection.execute("update piece set deleted_at = 'x'")
    at.press(60)
    assert "deleted, so nothing was written" in at.problems[-1]
    with pytest.raises(NotThere):
        library.desk("nowhere")


def test_the_journal_holds_what_it_could_not_write_and_writes_it_later(
    library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("ductus.app.document.journal_writer.TELL_S", 0.0)
    monkeypatch.setattr("ductus.app.document.journal_writer.GATHER_S", 3600)  # this test flushes by hand
    at = Sitter(library, library.add(new_piece()))
    lock = other_program(library)
    at.press(60, 64)
    assert not library.journal.flush()
    assert "held in memory (4 events)" in library.journal.trouble
    assert at.kept == []
    lock.execute("rollback")
    lock.close()
    assert library.journal.flush()
    assert library.journal.trouble == ""
    assert [h.key for h in at.desk.journal(EPOCH_US, EPOCH_US + 10**9) if h.kind == "down"] == [60, 64]
    assert at.kept == [1]


def test_who_asks_for_the_journal_waits_for_what_another_thread_is_writing(
    library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Else a card says fewer notes than were kept, and nobody tells it again."""
    monkeypatch.setattr("ductus.app.document.journal_writer.GATHER_S", 3600)  # this test flushes by hand
    at = Sitter(library, library.add(new_piece()))
    at.press(60, 64)
    taken, go_on = threading.Event(), threading.Event()

    class Busy:
        """A database that another thread keeps waiting for a moment."""

        def transaction(self) -> AbstractContextManager[sqlite3.Connection]:
            taken.set()
            go_on.wait(10)
            return library.database.transaction()

    monkeypatch.setattr(library.journal, "_database", Busy())
    other = threading.Thread(target=library.journal.flush)
    other.start()
    assert taken.wait(10)
    seen: list[int] = []
    asks = threading.Thread(
        target=lambda: seen.append(len(at.desk.journal(EPOCH_US, EPOCH_US + 10**9)) if library.journal.flush() else -1)
    )
    asks.start()
    asks.join(0.2)
    assert seen == []  # it waits
    go_on.set()
    for thread in (other, asks):
        thread.join(10)
    assert seen == [4]


def test_strokes_that_are_sent_again_stand_once_in_the_journal(library: Library) -> None:
    at = Sitter(library, library.add(new_piece()))
    at.hear((1000, "down", 60, 70), (2000, "up", 60, 0))
    library.journal.flush()
    at.hear((1000, "down", 60, 70), (2000, "up", 60, 0), (3000, "down", 62, 70), again=True)
    library.journal.flush()
    heard = at.desk.journal(EPOCH_US, EPOCH_US + 10**9)
    assert [(h.kind, h.key) for h in heard] == [("down", 60), ("up", 60), ("down", 62)]


def test_a_cut_off_recording_is_written_or_dropped(library: Library) -> None:
    at = Sitter(library, library.add(new_piece("keys", "", bpm=96)))
    at.record(qpm=96.0, shortest="eighth")
    events = programme_events("waltz-with-click")
    at.hear(*events)
    library.journal.flush()
    at.desk.recording_sessions = 0
    again = Sitter(library, at.piece_id, events[-1][0] / 1e6 + 5)
    assert again.latest(m.RecordingFact).going is False
    (cut,) = again.latest(m.TakesFact).cut_off
    assert cut.notes == sum(kind == "down" for _, kind, _, _ in events)
    again.tell(m.CutOffTake(cut.recording, "write"))
    assert again.latest(m.TakesFact).cut_off == ()
    assert [t.notes for t in again.latest(m.TakesFact).takes] == [sum(kind == "down" for _, kind, _, _ in events)]
    assert len(again.piece.notes) > 20
    again.tell(m.CutOffTake(cut.recording, "drop"))
    assert "not there any more" in again.problems[-1]


def test_a_library_that_is_closed_says_so(library: Library) -> None:
    library.database.close()
    with pytest.raises(NotKept, match="library is closed"), library.database.transaction():
        pass
