"""The database: what is committed is there, undo has no limit and survives, migrations run once."""

from __future__ import annotations

import re
import sqlite3
from dataclasses import replace
from pathlib import Path

import pytest

from ductus.app.document.journal_writer import Entry
from ductus.app.library import Library
from ductus.core.capture.takes import Heard, take_of_events
from ductus.core.errors import BadInput, NotThere, Stale
from ductus.core.pitch.pitches import parse_pitch
from ductus.core.score.model.changes import Change
from ductus.core.score.model.piece import Piece, records_of
from ductus.core.score.model.records import KIND_OF, BarSign, ClefChange, Mark, Note, Pattern, Reading, Record
from ductus.core.score.note_edits.write import change_facts, delete_notes
from ductus.core.time.pulse_map import steady_map
from ductus.demo.band import sparks
from ductus.demo.scenario import bends, dance, song, waltz
from ductus.store.database import Database, migrations, statements
from ductus.store.records import PUT
from ductus.store.rows import change_from_json, change_to_json, from_columns, to_columns


def rows(piece: Piece) -> list[str]:
    return sorted(map(repr, records_of(piece)))


@pytest.mark.parametrize("make", [waltz, song, dance])
def test_a_piece_comes_back_as_it_was_stored(library: Library, make: object) -> None:
    piece = make()  # type: ignore[operator]
    assert rows(library.desk(library.add(piece)).piece) == rows(piece)


def test_an_edit_is_committed_for_a_second_connection(library: Library) -> None:
    piece_id = library.add(waltz())
    library.desk(piece_id).apply(change_facts(library.desk(piece_id).piece, title="Lock Gate Polka"))
    other = sqlite3.connect(library.database.path)
    assert other.execute("select title, revision from piece").fetchone() == ("Lock Gate Polka", 1)
    other.close()


def test_undo_and_redo_have_no_limit_and_survive_a_restart(tmp_path: Path) -> None:
    library = Library(tmp_path / "l.sqlite")
    piece_id = library.add(waltz())
    desk = library.desk(piece_id)
    states = [rows(desk.piece)]
    for note in list(desk.piece.notes.values())[:30]:
        desk.apply(Change("moved", ((note, replace(note, velocity=1)),)))
        states.append(rows(desk.piece))
    library.close()
    for direction in (-1, 1):
        library = Library(tmp_path / "l.sqlite")
        desk = library.desk(piece_id)
        order = states[::direction]
        assert rows(desk.piece) == order[0]
        for expected in order[1:]:
            assert (desk.undo() if direction < 0 else desk.redo()) is not None
            assert rows(desk.piece) == expected
        assert (desk.undo() if direction < 0 else desk.redo()) is None
        library.close()


def test_an_edit_after_undo_forgets_what_was_undone(library: Library) -> None:
    desk = library.desk(library.add(waltz()))
    desk.apply(change_facts(desk.piece, title="One"))
    desk.undo()
    desk.apply(change_facts(desk.piece, title="Two"))
    assert desk.redo() is None
    assert desk.history.undo == "Title block changed"


def test_a_stale_edit_is_refused_and_changes_nothing(library: Library) -> None:
    desk = library.desk(library.add(waltz()))
    desk.apply(change_facts(desk.piece, title="One"))
    before = rows(desk.piece)
    with pytest.raises(Stale, match="Nothing was lost"):
        desk.apply(delete_notes(desk.piece, list(desk.piece.notes)), base=0)
    assert rows(desk.piece) == before


def test_half_an_edit_is_never_kept(library: Library) -> None:
    piece_id = library.add(waltz())
    desk = library.desk(piece_id)
    good = Note("n900", "p1", 1, 1, 0, 10, parse_pitch("C4"))
    bad = replace(good, id="n901", velocity=None)  # type: ignore[arg-type]
    with pytest.raises(sqlite3.IntegrityError):
        desk.apply(Change("half", ((None, good), (None, bad))))
    library.close_desk(piece_id)
    assert "n900" not in library.desk(piece_id).piece.notes
    assert library.desk(piece_id).history.revision == 0


def test_takes_and_the_journal_are_kept_as_they_were_heard(library: Library) -> None:
    desk = library.desk(library.add(waltz()))
    heard = [Heard(5, "down", 60, 70), Heard(9, "control", 64, 127), Heard(20, "up", 60, 0), Heard(30, "down", 62, 5)]
    take = take_of_events(heard, 100, steady_map(96, 0, 0))
    row = desk.keep_take(take, "click", {"split": 60})
    take_id = row.id
    assert (row.name, row.notes, row.length_us) == ("Take 1", 2, 100)
    assert desk.take(take_id) == take
    assert [(n.key, n.release_us) for n in take.notes] == [(60, 20), (62, 100)]
    desk.drop_take(take_id)
    assert [(t.dropped, t.notes) for t in desk.takes] == [(True, 2)]
    assert desk.take(take_id) == take
    library.journal.hear(Entry(desk.piece_id, tuple((h, False) for h in heard)))
    library.journal.flush()
    assert desk.journal(0, 25) == heard[:3]
    with pytest.raises(NotThere):
        desk.take(99)


def test_a_deleted_piece_can_be_brought_back(library: Library) -> None:
    piece_id = library.add(waltz())
    library.delete(piece_id)
    assert library.shelf() == []
    with pytest.raises(NotThere, match="no piece at this address"):
        library.desk(piece_id)
    library.restore(piece_id)
    assert [r.title for r in library.shelf()] == ["Lock Gate Waltz"]
    with pytest.raises(NotThere):
        library.delete("nowhere")


def test_a_file_that_is_no_library_is_left_as_it_is(tmp_path: Path) -> None:
    path = tmp_path / "letter.sqlite"
    path.write_bytes(b"Dear band, " * 200)
    with pytest.raises(BadInput, match="left as it is"):
        Database(path)
    assert path.read_bytes().startswith(b"Dear band")


def test_migrations_are_numbered_and_run_once(tmp_path: Path) -> None:
    numbers = [n for n, _ in migrations()]
    assert numbers == list(range(1, len(numbers) + 1))
    for _ in range(2):
        Database(tmp_path / "m.sqlite").close()
    assert list(statements("select 1;\n-- a; b\nselect\n2;")) == ["select 1;\n", "-- a; b\nselect\n2;"]


def test_history_written_before_grace_notes_were_known_is_still_read() -> None:
    """A change kept as JSON by an earlier version has no grace notes; it is read, and a new one keeps them."""
    note = next(n for n in dance().notes.values() if n.grace_notes)
    row = to_columns(note)
    assert from_columns("note", row) == note
    old = {name: value for name, value in row.items() if name != "crushed"}
    assert from_columns("note", old) == replace(note, grace_notes=())
    change = Change("Grace notes", ((None, note), (replace(note, grace_notes=()), note)))
    assert change_from_json("Grace notes", change_to_json(change)) == change


def test_grace_notes_outlive_closing_the_library(tmp_path: Path) -> None:
    library = Library(tmp_path / "l.sqlite")
    piece = library.add(dance())
    library.close()
    reopened = Library(tmp_path / "l.sqlite")
    again = reopened.desk(piece).piece
    reopened.close()
    assert sorted(str(p) for n in again.notes.values() for p in n.grace_notes) == ["B4", "C#5", "D#5"]
    assert sum("trill" in n.signs for n in again.notes.values()) == 3


def test_patterns_played_times_and_the_sound_of_parts_are_kept(tmp_path: Path) -> None:
    page = sparks()
    part, note = page.part("p3"), next(iter(page.notes.values()))
    page = page.with_rows(
        [
            (part, replace(part, level=70, pan=20, kit=((40, 38), (61, 49)))),
            (note, replace(note, played=(-1234, 5678), sounds_late=-17)),
        ]
    )
    library = Library(tmp_path / "library.sqlite")
    piece_id = library.add(page)
    library.close()
    again = Library(tmp_path / "library.sqlite")
    back = again.desk(piece_id).piece
    assert dict(back.patterns) == dict(page.patterns) != {}
    assert back.part("p3") == page.part("p3")
    assert dict(back.notes) == dict(page.notes)
    again.close()


def test_every_column_of_every_kind_of_record_is_kept_by_its_statement() -> None:
    """A field that was added to a record and forgotten in the SQL would be lost without a word."""
    piece = bends()
    part, pitch = piece.ordered_parts()[0].id, parse_pitch("C4")
    samples: list[Record] = [
        piece.facts, *piece.parts.values(), *piece.meters.values(), *piece.keys.values(), *piece.tempi.values(),
        ClefChange("c1", part, 1, 0, "bass"), BarSign("s1", "section", 0, "A"), Note("n1", part, 1, 1, 0, 1, pitch),
        Mark("m1", "slur", part, 1, 1, 0), Pattern("p1", part, 0, 1, 1, ()), Reading("r1", 1, part, 0, 0, ""),
    ]  # fmt: skip
    assert {KIND_OF[type(r)] for r in samples} == set(KIND_OF.values()) == set(PUT)
    for record in samples:
        named = set(re.findall(r":(\w+)", PUT[KIND_OF[type(record)]]))
        columns = set(to_columns(record)) - ({"id"} if KIND_OF[type(record)] == "facts" else set())
        assert named - {"piece"} == columns, type(record).__name__


def test_a_mark_with_all_that_a_hand_did_to_it_outlives_closing_the_library(tmp_path: Path) -> None:
    library = Library(tmp_path / "l.sqlite")
    piece = waltz()
    notes = sorted((n for n in piece.notes.values() if n.staff == 1), key=lambda n: n.tick)[:2]
    slur = Mark(
        "m901", "slur", "p1", 1, 1, notes[0].tick, notes[-1].end - notes[0].tick,
        notes=tuple(n.id for n in notes), shift=(3, -4), side="below", bend=-12,
    )  # fmt: skip
    name = library.add(piece)
    library.desk(name).apply(Change("bent", ((None, slur),)))
    library.close()
    again = Library(tmp_path / "l.sqlite")
    assert again.desk(name).piece.marks["m901"] == slur
    again.close()
