"""The file of our own: all of a piece goes out and comes back, in another library, too.

What is damaged or newer is refused in words.
"""

from __future__ import annotations

import contextlib
import io
import json
import sqlite3
import zipfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ductus.app.document.jobs import carry_out
from ductus.app.document.journal_writer import Entry
from ductus.app.files.importing import take_in
from ductus.app.library import Library
from ductus.app.session.saved_settings import habits_json
from ductus.core.capture.takes import Heard
from ductus.core.entry.state import EntryState
from ductus.core.errors import BadInput, NotKept
from ductus.core.recording.settings import RecordChoices
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.field_types import well_typed
from ductus.core.score.model.piece import records_of
from ductus.core.score.note_edits.write import change_facts
from ductus.demo.scenario import bends, waltz
from ductus.demo.shelf import PIECES
from ductus.formats.midi import write_midi
from ductus.store.packed import VERSION, Packed, from_file, put_packed, to_file

HABITS = habits_json(EntryState(part="p1", policy="add", way="pulse"), RecordChoices(count_in=3))
KEEPS: tuple[str, ...] = ("notes", "controls", "pulses")


def opened(data: bytes) -> dict[str, Any]:
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return {n: json.loads(archive.read(n)) for n in archive.namelist() if n.endswith(".json")}


def closed(members: dict[str, Any]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("mimetype", "application/vnd.ductus+zip", zipfile.ZIP_STORED)
        for name, value in members.items():
            archive.writestr(name, value if isinstance(value, bytes) else json.dumps(value))
    return out.getvalue()


@pytest.fixture
def played(library: Library) -> str:
    """A piece that was read from a performance, edited, undone once, and heard at."""
    arrived = take_in(library, write_midi(bends()), "bends.mid")
    assert arrived.job is not None
    piece = arrived.pieces[0]
    desk = library.desk(piece)
    carry_out(desk, arrived.job)
    for title in ("One", "Two", "Three"):
        desk.apply(change_facts(desk.piece, title=title))
    desk.undo()
    library.tag(piece, ["river"])
    desk.keep_habits(HABITS)
    library.journal.hear(
        Entry(
            piece,
            ((Heard(1_700_000_000_000_000, "down", 60, 70), False), (Heard(1_700_000_000_400_000, "up", 60, 0), False)),
        )
    )
    library.journal.flush()
    return piece


def test_everything_of_a_piece_comes_back_in_another_library(library: Library, played: str, tmp_path: Path) -> None:
    data = to_file([library.packed(played, history=True)])
    other = Library(tmp_path / "other" / "library.sqlite")
    other.add(waltz())
    other.add_packed(library.packed(played, history=False))  # so that takes have other numbers there
    (piece,) = take_in(other, data, "kept.ductus").pieces
    here, there = library.desk(played), other.desk(piece)
    assert there.piece.facts == here.piece.facts
    assert len(there.piece.notes) == len(here.piece.notes) > 50
    take, again = here.take(here.takes[0].id), there.take(there.takes[0].id)
    assert all(getattr(take, k) == getattr(again, k) for k in KEEPS)
    assert {n.take for n in there.piece.notes.values()} == {there.takes[0].id}
    assert {n.event for n in there.piece.notes.values()} == {n.event for n in here.piece.notes.values()}
    assert there.heard_and_left() == here.heard_and_left()
    assert [r.tags for r in other.shelf() if r.id == piece] == [("river",)]
    assert json.loads(there.habits() or "") == json.loads(HABITS)
    there.redo()
    assert there.piece.facts.title == "Three"
    while there.undo() is not None:
        pass
    assert len(there.piece.notes) == 0  # the page before it was read
    while there.redo() is not None:
        pass
    assert len(there.piece.notes) == len(here.piece.notes)
    other.close()


@pytest.mark.parametrize("make", PIECES)
def test_a_piece_of_the_demo_is_the_same_record_for_record(make: Callable[[], Any]) -> None:
    piece = make()
    (back,) = from_file(to_file([Packed(piece)]))
    assert sorted(map(repr, records_of(back.piece))) == sorted(map(repr, records_of(piece)))


def test_without_history_there_is_nothing_to_undo(library: Library, played: str) -> None:
    (piece,) = library.add_packed(library.packed(played, history=False))
    assert library.desk(piece).undo() is None
    assert len(library.desk(piece).takes) == 1


def test_others_can_read_the_file(library: Library, played: str) -> None:
    """As docs/file-format.md describes it, with nothing but zip and JSON."""
    members = opened(to_file([library.packed(played, history=True)]))
    assert members["ductus.json"]["version"] == VERSION
    piece = members["pieces/1/piece.json"]
    note = piece["records"]["note"][0]
    assert {"part", "staff", "voice", "tick", "ticks", "step", "alter", "octave", "velocity"} <= note.keys()
    (take,) = [v for k, v in members.items() if "/takes/" in k]
    assert len(take["notes"][0]) == 5
    assert members["pieces/1/history.json"]["position"] == 3


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda m: m["ductus.json"].update(version=VERSION + 1), "newer Ductus"),
        (lambda m: m["ductus.json"].update(format="other"), "no file of Ductus"),
        (lambda m: m.pop("pieces/1/piece.json"), "missing"),
        (lambda m: m.update({"pieces/1/piece.json": b"{"}), "damaged"),
        (lambda m: m["pieces/1/piece.json"]["records"]["note"][0].update(part="nobody"), "cannot be: note"),
        (lambda m: m["pieces/1/piece.json"]["records"]["note"][0].update(octave=40), "cannot be: the pitch"),
        (lambda m: m["pieces/1/piece.json"]["records"]["note"][0].update(tick=-5), "cannot be: note"),
        (lambda m: m["pieces/1/piece.json"]["records"]["note"][0].update(take=99), "cannot be: the take"),
        (lambda m: m["pieces/1/piece.json"]["records"]["part"][0].update(programme=2**70), "damaged"),
        (lambda m: m["pieces/1/piece.json"].update(last_place=2**70), "damaged"),
        (lambda m: m["pieces/1/piece.json"]["records"]["tempo"][0].update(bpm=float("inf")), "damaged"),
        (lambda m: m["pieces/1/piece.json"]["records"].update(organ=[{}]), "does not know"),
        (lambda m: m["pieces/1/piece.json"]["records"]["part"][0].update(clefs="wooden"), "cannot be: the clefs"),
        (lambda m: m["pieces/1/piece.json"]["records"].pop("part"), "cannot be: its parts"),
    ],
)
def test_a_file_that_cannot_be_used_is_refused_in_words(change: Callable[[dict[str, Any]], Any], words: str) -> None:
    members = opened(to_file([Packed(waltz())]))
    change(members)
    with pytest.raises(BadInput, match=words) as refused:
        from_file(closed(members))
    assert "Nothing was imported" in str(refused.value)


def test_a_history_that_is_not_whole_is_refused(library: Library, played: str) -> None:
    members = opened(to_file([library.packed(played, history=True)]))
    del members["pieces/1/history.json"]["changes"][1]
    with pytest.raises(BadInput, match="not whole"):
        from_file(closed(members))


@settings(max_examples=30, deadline=None)
@given(st.data())
def test_a_damaged_file_is_read_or_refused_in_words(data: st.DataObject) -> None:
    good = to_file([Packed(waltz())])
    at = data.draw(st.integers(0, len(good) - 1))
    length = data.draw(st.integers(0, 200))
    with contextlib.suppress(BadInput):
        from_file(good[:at] + data.draw(st.binary(max_size=8)) + good[at + length :])


def test_a_piece_that_fails_half_way_leaves_nothing_behind(library: Library) -> None:
    packed = Packed(waltz(), history=((1, "a", '[["note", null]]', None, "now"),))
    with pytest.raises(ValueError, match="unpack"):
        library.add_packed(replace(packed, position=1))
    assert library.shelf() == []


def test_records_are_looked_at_field_by_field_before_they_come_in(library: Library, played: str) -> None:
    """Each number and each text of each record put in the place of the other kind is refused in words, never found
    out later.
    """
    members = opened(to_file([library.packed(played, history=False)]))
    name = next(n for n in members if n.endswith("piece.json"))
    tried = 0
    for kind, rows in members[name]["records"].items():
        for field, value in rows[0].items():
            for wrong in ([1], "x" if isinstance(value, int) else 7.5):
                before, rows[0][field] = rows[0][field], wrong
                with contextlib.suppress(BadInput):
                    for packed in from_file(closed(members)):
                        for record in records_of(packed.piece):
                            assert well_typed(record), (kind, field, wrong)
                rows[0][field] = before
                tried += 1
    assert tried > 100


def test_a_member_that_is_too_large_is_refused(library: Library, played: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("ductus.store.packed.MAX_MEMBER", 1000)
    with pytest.raises(BadInput, match="Ductus takes no more"):
        from_file(to_file([library.packed(played, history=True)]))


def test_of_several_pieces_all_come_back_or_none(library: Library, monkeypatch: pytest.MonkeyPatch) -> None:
    for title in ("One", "Two", "Three"):
        library.add(new_piece(title=title))
    data = library.backup()
    before = library.shelf()
    put = put_packed
    calls: list[str] = []

    def full_at_the_third(connection: sqlite3.Connection, piece_id: str, packed: Packed) -> None:
        calls.append(piece_id)
        if len(calls) == 3:
            raise sqlite3.OperationalError("database or disk is full")
        put(connection, piece_id, packed)

    monkeypatch.setattr("ductus.app.library.put_packed", full_at_the_third)
    with pytest.raises(NotKept):
        take_in(library, data, "all.ductus")
    assert library.shelf() == before
    monkeypatch.undo()
    assert len(take_in(library, data, "all.ductus").pieces) == 3
