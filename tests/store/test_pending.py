"""Large changes: committed at once, in their tables soon, and whole whenever the process ends."""

from __future__ import annotations

import random
import sqlite3
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from ductus.app.document.deferred_rows import RowWriter, Waiting
from ductus.app.document.desk import Desk
from ductus.app.library import Library
from ductus.core.score.model.changes import Change
from ductus.core.score.model.piece import Piece, records_of
from ductus.core.score.model.records import Note
from ductus.core.score.note_edits.write import change_facts
from ductus.store.pending import all_written, write_some
from ductus.store.rows import MANY_ROWS, change_from_kept
from tests.building import random_piece

BARS = 60  # of a random piece: more than MANY_ROWS notes


def rows(piece: Piece) -> list[str]:
    return sorted(map(repr, records_of(piece)))


def louder(piece: Piece, by: int, share: float = 1.0) -> Change:
    notes = [n for n in piece.notes.values() if int(n.id[1:]) % 100 < share * 100]
    return Change(f"louder by {by}", tuple((n, replace(n, velocity=(n.velocity + by) % 128)) for n in notes))


def waiting(library: Library) -> int:
    with library.database.transaction() as connection:
        return int(connection.execute("select count(*) from pending_rows").fetchone()[0])


def in_tables(library: Library) -> int:
    """The loudest note in the table of notes, whatever waits."""
    with library.database.transaction() as connection:
        return int(connection.execute("select max(velocity) from note").fetchone()[0])


@pytest.fixture
def held(monkeypatch: pytest.MonkeyPatch) -> list[Waiting]:
    """Nothing is brought into the tables; what should be is listed."""
    held: list[Waiting] = []

    def take(self: RowWriter, piece: str, number: int, rows: tuple[tuple[Note, Note], ...]) -> None:
        held.append(Waiting(piece, number, rows))

    monkeypatch.setattr(RowWriter, "take", take)
    return held


@pytest.fixture
def desk(library: Library) -> Desk:
    found = library.desk(library.add(random_piece(5, "4/4", BARS)))
    assert len(found.piece.notes) > MANY_ROWS
    return found


def test_a_large_change_is_committed_at_once_and_its_rows_come_soon(library: Library, desk: Desk) -> None:
    desk.apply(louder(desk.piece, 20))
    now = rows(desk.piece)
    for _ in range(500):
        if not waiting(library):
            break
        time.sleep(0.02)
    assert not waiting(library)
    desk.reload()
    assert rows(desk.piece) == now


def test_whoever_loads_the_piece_finds_it_whole(library: Library, desk: Desk, held: list[Waiting]) -> None:
    before = in_tables(library)
    desk.apply(louder(desk.piece, 1))
    desk.apply(change_facts(desk.piece, title="After a large change"))
    desk.undo()
    desk.undo()
    desk.redo()
    assert [len(w.rows) for w in held] == [len(desk.piece.notes), 1, 1, len(desk.piece.notes), len(desk.piece.notes)]
    assert waiting(library) == 5
    assert in_tables(library) == before
    now = rows(desk.piece)
    desk.reload()
    assert rows(desk.piece) == now
    assert waiting(library) == 0
    assert in_tables(library) == before + 1


def test_shelf_file_and_opening_are_of_the_piece_as_it_is(library: Library, desk: Desk, held: list[Waiting]) -> None:
    gone = list(desk.piece.notes.values())[:-7]
    desk.apply(Change("most of it taken away", tuple((n, None) for n in gone)))
    assert library.packed(desk.piece_id, history=True).piece.notes.keys() == desk.piece.notes.keys()
    desk.undo()
    assert library.shelf()[0].notes == len(desk.piece.notes)
    desk.redo()
    assert library.shelf()[0].notes == 7


@pytest.mark.parametrize("seed", range(6))
def test_killed_at_any_moment_nothing_is_lost(tmp_path: Path, seed: int, held: list[Waiting]) -> None:
    rng = random.Random(seed)
    library = Library(tmp_path / "l.sqlite")
    piece_id = library.add(random_piece(seed, "4/4", BARS))
    for _ in range(4):
        desk = library.desk(piece_id)
        for k in range(rng.randint(1, 8)):
            do = rng.choice(("large", "small", "undo", "redo", "undo"))
            if do in ("large", "small"):
                desk.apply(louder(desk.piece, k + 1, 1.0 if do == "large" else 0.05))
            else:
                desk.undo() if do == "undo" else desk.redo()
        killed_while_writing(library, rng, held)
        now, history = rows(desk.piece), desk.history
        del desk
        library.close()
        library = Library(tmp_path / "l.sqlite")
        assert rows(library.desk(piece_id).piece) == now
        assert library.desk(piece_id).history == history
    library.close()


def killed_while_writing(library: Library, rng: random.Random, held: list[Waiting]) -> None:
    """Some of the rows that wait come into their tables, in their order, and then no more."""
    for change in held:
        some = change.rows if rng.random() < 0.6 else change.rows[: rng.randrange(len(change.rows))]
        with library.database.transaction() as connection:
            write_some(connection, change.piece, change.number, some)
            if some is change.rows:
                all_written(connection, change.piece, change.number)
        if some is not change.rows:
            break
    held.clear()


def test_rows_that_somebody_else_wrote_are_not_written_again(library: Library, desk: Desk, held: list[Waiting]) -> None:
    desk.apply(louder(desk.piece, 1))
    desk.reload()  # writes them
    before = in_tables(library)
    desk.apply(louder(desk.piece, 2))
    with library.database.transaction() as connection:
        assert not write_some(
            connection,
            desk.piece_id,
            held[0].number,
            [(None, replace(n, velocity=127)) for n in desk.piece.notes.values()],
        )
    assert in_tables(library) == before


def test_closing_the_library_brings_all_rows_in(tmp_path: Path) -> None:
    library = Library(tmp_path / "l.sqlite")
    desk = library.desk(library.add(random_piece(5, "4/4", BARS)))
    for k in range(5):
        desk.apply(louder(desk.piece, k + 1))
    now = max(n.velocity for n in desk.piece.notes.values())
    library.close()
    file = sqlite3.connect(tmp_path / "l.sqlite")
    assert file.execute("select count(*) from pending_rows").fetchone() == (0,)
    assert file.execute("select max(velocity) from note").fetchone() == (now,)
    file.close()


def test_a_disk_that_is_locked_for_a_while_gets_the_rows_later(
    library: Library, desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("ductus.app.document.deferred_rows.RETRY_S", 0.01)
    tried = []

    def locked_at_first(*args: object) -> bool:
        tried.append(1)
        if len(tried) < 4:
            raise sqlite3.OperationalError("database is locked")
        return write_some(*args)  # type: ignore[arg-type]

    monkeypatch.setattr("ductus.app.document.deferred_rows.write_some", locked_at_first)
    desk.apply(louder(desk.piece, 20))
    for _ in range(500):
        if not waiting(library):
            break
        time.sleep(0.02)
    assert not waiting(library)
    assert len(tried) > 4


def test_the_history_of_a_large_change_is_packed_and_goes_into_the_file(library: Library, desk: Desk) -> None:
    before = rows(desk.piece)
    desk.apply(louder(desk.piece, 20))
    with library.database.transaction() as connection:
        row = connection.execute("select rows_json, packed from history").fetchone()
    assert row["rows_json"] == ""
    assert len(row["packed"]) < 40 * len(desk.piece.notes)
    other = library.desk(library.add_packed(library.packed(desk.piece_id, history=True))[0])
    assert rows(other.piece) == rows(desk.piece)
    assert other.undo() is not None
    assert rows(other.piece) == before


def nobody_reads(monkeypatch: pytest.MonkeyPatch) -> None:
    """From now on no change is read and no piece made anew in this thread.

    A piece that another test opened a moment ago may still look back beside it.
    """
    here = threading.current_thread()

    def never(done: Callable[..., Any]) -> Callable[..., Any]:
        def asked(*given: Any, **named: Any) -> Any:
            assert threading.current_thread() is not here, "the change is at hand: nobody has to read it"
            return done(*given, **named)

        return asked

    monkeypatch.setattr("ductus.store.pieces.change_from_kept", never(change_from_kept))
    monkeypatch.setattr(Piece, "with_rows", never(Piece.with_rows))


class Statements(list[str]):
    """What was asked of the database."""

    def rows_written(self) -> int:
        return sum(text.lstrip().startswith(("insert or replace into note", "delete from note")) for text in self)


def test_undo_of_a_large_change_writes_none_of_its_rows_while_somebody_waits(
    library: Library, desk: Desk, held: list[Waiting], monkeypatch: pytest.MonkeyPatch
) -> None:
    before = desk.piece
    desk.apply(louder(desk.piece, 20))
    after = desk.piece

    nobody_reads(monkeypatch)
    done = Statements()
    connection = desk._database._connection
    connection.set_trace_callback(done.append)
    for _ in range(3):
        assert desk.undo() is not None
        assert desk.piece.notes is before.notes
        assert desk.piece.by_bar is before.by_bar
        assert desk.redo() is not None
        assert desk.piece.notes is after.notes
    connection.set_trace_callback(None)
    assert done.rows_written() == 0
    assert len(done) < 6 * 12


def test_ids_of_notes_that_were_taken_back_are_not_given_again(desk: Desk) -> None:
    first = desk.piece.serial
    fresh = replace(next(iter(desk.piece.notes.values())), id=f"n{first + 1}")
    desk.apply(Change("one more", ((None, fresh),)))
    desk.undo()
    assert desk.piece.serial == first + 1
    desk.redo()
    assert fresh.id in desk.piece.notes


def test_many_edits_and_their_undoing_are_the_same_as_without_what_is_at_hand(library: Library, desk: Desk) -> None:
    states: list[list[str]] = [rows(desk.piece)]
    for k in range(70):  # more than are kept at hand
        desk.apply(louder(desk.piece, k % 9 + 1, 1.0 if k % 10 == 0 else 0.03))
        states.append(rows(desk.piece))
    check_backwards(desk, states)
    desk.reload()
    assert rows(desk.piece) == states[0]
    for expected in states[1:]:
        desk.redo()
        assert rows(desk.piece) == expected


def check_backwards(desk: Desk, states: Sequence[list[str]]) -> None:
    for expected in states[-2::-1]:
        desk.undo()
        assert rows(desk.piece) == expected


def test_a_large_edit_of_before_is_at_hand_soon_after_the_piece_was_opened(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("ductus.app.document.desk.LOOK_BACK_S", 0.0)
    library = Library(tmp_path / "l.sqlite")
    desk = library.desk(library.add(random_piece(5, "4/4", BARS)))
    before = rows(desk.piece)
    desk.apply(louder(desk.piece, 20))
    after = rows(desk.piece)
    library.close()
    library = Library(tmp_path / "l.sqlite")
    desk = library.desk(desk.piece_id)
    for _ in range(500):
        if desk._steps.changes:
            break
        time.sleep(0.02)

    nobody_reads(monkeypatch)
    assert desk.undo() is not None
    assert rows(desk.piece) == before
    assert desk.redo() is not None
    assert rows(desk.piece) == after
    library.close()
