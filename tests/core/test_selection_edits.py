"""Edits of selected notes (JOB 7): each does what it says, leaves full bars, and is undone exactly."""

from __future__ import annotations

from fractions import Fraction as F

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ductus.core.errors import BadInput
from ductus.core.notation.bars import notate_bar
from ductus.core.score.changes import Change
from ductus.core.score.piece import Piece, records_of
from ductus.core.score.records import Mark
from ductus.core.score.selection_edits import EDITS, edit_notes, paste, repeat, select
from ductus.core.time.ticks import QUARTER
from tests.building import piece_of, random_piece

LINE = ("p1", 1, 1)


def rhythm(piece: Piece, staff: int = 1) -> list[tuple[float, float]]:
    found = sorted((n for n in piece.notes.values() if n.staff == staff), key=lambda n: (n.tick, n.ticks))
    return [(n.tick / QUARTER, n.ticks / QUARTER) for n in found]


def everything(piece: Piece) -> list[str]:
    return list(piece.notes)


def after(piece: Piece, name: str, argument: str = "", ids: list[str] | None = None) -> Piece:
    return edit_notes(piece, name, ids or everything(piece), argument).apply(piece)


def test_hold_to_the_next_and_the_last_to_the_end_of_its_bar() -> None:
    piece = piece_of("4/4", [(0, F(1, 2)), (1, F(1, 4)), (3, F(1, 2))])
    assert rhythm(after(piece, "hold to the next")) == [(0, 1), (1, 2), (3, 1)]


def test_a_silence_that_was_meant_stays() -> None:
    piece = piece_of("4/4", [(0, 1), (3, 1)])
    meant = piece.with_rows([(None, Mark("m9", "silence", "p1", 1, 1, 2 * QUARTER, QUARTER))])
    assert rhythm(after(meant, "hold to the next")) == [(0, 2), (3, 1)]


@pytest.mark.parametrize(
    ("name", "argument", "expected"),
    [
        ("length", "half", [(0, 1), (1, 2)]),
        ("length", "eighth dot", [(0, 0.75), (1, 0.75)]),
        ("scale", "1/2", [(0, 0.5), (1, 0.5)]),
        ("scale", "2", [(0, 1), (1, 2)]),
        ("remove rest", "", [(0, 1), (1, 3)]),
        ("split", "2", [(0, 0.5), (0.5, 0.5), (1, 0.5), (1.5, 0.5)]),
        ("read again", "eighth", [(0, 0.5), (0.5, 0.5)]),
        ("correct value", "half", [(0, 2), (2, 1)]),
    ],
)
def test_lengths(name: str, argument: str, expected: list[tuple[float, float]]) -> None:
    assert rhythm(after(piece_of("4/4", [(0, 1), (1, 1)]), name, argument)) == expected


def test_reading_steps_again_moves_what_follows_in_the_voice() -> None:
    piece = piece_of("4/4", [(0, 1), (1, 1), (2, 1), (4, 2)])
    first_three = [n.id for n in piece.notes.values() if n.tick < 3 * QUARTER]
    assert rhythm(after(piece, "read again", "eighth", first_three)) == [(0, 0.5), (0.5, 0.5), (1, 0.5), (2.5, 2)]


def test_respell_octave_transpose_velocity_hand_and_voice() -> None:
    piece = piece_of("4/4", [(0, 1)], pitch="C#5")
    assert [str(n.pitch) for n in after(piece, "respell").notes.values()] == ["Db5"]
    assert [str(n.pitch) for n in after(after(piece, "respell"), "respell").notes.values()] == ["C#5"]
    assert [n.pitch.midi for n in after(piece, "octave", "-1").notes.values()] == [61]
    assert [n.pitch.midi for n in after(piece, "transpose", "-3").notes.values()] == [70]
    assert [n.velocity for n in after(piece, "velocity", "+100").notes.values()] == [127]
    assert [n.velocity for n in after(piece, "velocity", "40").notes.values()] == [40]
    assert [n.staff for n in after(piece, "other hand").notes.values()] == [2]
    assert [n.voice for n in after(piece, "voice", "3").notes.values()] == [3]
    assert not after(piece, "delete").notes


def test_copy_paste_and_repeat() -> None:
    piece = piece_of("4/4", [(0, 1), (1, F(1, 2)), (2, 2)])
    notes = list(piece.notes.values())
    pasted = paste(piece, notes, ("p1", 2, 1), 4 * QUARTER).apply(piece)
    assert rhythm(pasted, 2) == [(4, 1), (5, 0.5), (6, 2)]
    times = repeat(piece, notes, 3).apply(piece)
    assert rhythm(times) == [(4 * k + t, d) for k in range(4) for t, d in ((0, 1), (1, 0.5), (2, 2))]
    with pytest.raises(BadInput, match="Nothing was copied"):
        paste(piece, [], LINE, 0)


def test_selecting_by_place_pitch_and_order() -> None:
    piece = random_piece(3, "4/4", 4)
    right = {n.id for n in piece.notes.values() if n.staff == 1}
    assert set(select(piece, "staff", LINE, 0)) == right
    assert set(select(piece, "all", LINE, 0)) == set(piece.notes)
    assert all(piece.notes[i].pitch.midi < 70 for i in select(piece, "below Bb4", LINE, 0))
    assert {piece.timeline.bar_at(piece.notes[i].tick).index for i in select(piece, "bar", LINE, 5 * QUARTER)} == {1}
    one = select(piece, "right", LINE, 0)
    two = select(piece, "right", LINE, 0, one)
    assert len({piece.notes[i].tick for i in two}) == len({piece.notes[i].tick for i in one}) + 1
    assert len({piece.notes[i].tick for i in select(piece, "last 2", LINE, piece.end)}) == 2


def test_an_edit_of_nothing_or_an_unknown_one_is_refused() -> None:
    piece = piece_of("4/4", [(0, 1)])
    with pytest.raises(BadInput, match="Select some notes first"):
        edit_notes(piece, "respell", [])
    with pytest.raises(BadInput, match="no edit called"):
        edit_notes(piece, "polish", everything(piece))


ARGUMENTS = {
    "length": "quarter dot",
    "scale": "1/2",
    "split": "3",
    "octave": "1",
    "transpose": "2",
    "voice": "2",
    "read again": "eighth",
    "correct value": "half",
    "velocity": "+5",
    "steps": "-2",
    "move": "+480",
    "end": "-240",
}


@settings(max_examples=60, deadline=None)
@given(
    st.integers(0, 40),
    st.lists(st.tuples(st.sampled_from(sorted(EDITS)), st.integers(0, 10**6)), min_size=1, max_size=5),
)
def test_any_edits_leave_full_bars_and_are_undone_exactly(seed: int, edits: list[tuple[str, int]]) -> None:
    start = piece = random_piece(seed, "3/4", 3)
    made: list[Change] = []
    for name, pick in edits:
        ids = everything(piece)
        if not ids:
            break
        chosen = ids[pick % len(ids) :][:4]
        change = edit_notes(piece, name, chosen, ARGUMENTS.get(name, ""))
        made.append(change)
        piece = change.apply(piece)
    for bar in piece.bars():
        for voice in notate_bar(piece, "p1", bar.index).voices:
            assert sum(s.ticks for s in voice.symbols) == bar.ticks
    for change in reversed(made):
        piece = change.inverse().apply(piece)
    assert sorted(map(repr, records_of(piece))) == sorted(map(repr, records_of(start)))


def test_notes_move_by_staff_steps_with_the_accidentals_of_the_signature() -> None:
    piece = piece_of("4/4", [(0, 1), (1, 1)], fifths=2, pitch="C#5")
    names = [str(n.pitch) for n in piece.notes.values()]
    up = after(piece, "steps", "3")
    assert [n.pitch.diatonic for n in up.notes.values()] == [n.pitch.diatonic + 3 for n in piece.notes.values()]
    assert all(n.pitch.alter == (1 if n.pitch.step in "FC" else 0) for n in up.notes.values())
    assert [str(n.pitch) for n in after(up, "steps", "-3").notes.values()] == names
    with pytest.raises(BadInput, match="staff steps"):
        after(piece, "steps", "99")


def test_a_dragged_note_goes_to_its_place_and_overwrites_nothing() -> None:
    piece = piece_of("4/4", [(0, 1), (1, 1), (2, 2)])
    first, second, third = sorted(piece.notes.values(), key=lambda n: n.tick)
    moved = after(piece, "move", f"{first.id} {3 * QUARTER}", [first.id])
    assert moved.notes[first.id].tick == 3 * QUARTER
    assert moved.notes[first.id].voice == 2  # the third note sounds there in voice 1
    assert {moved.notes[third.id], moved.notes[second.id]} == {third, second}
    together = after(piece, "move", "+960", [first.id, second.id])
    assert [(together.notes[i].tick, together.notes[i].ticks) for i in (first.id, second.id)] == [
        (QUARTER, QUARTER),
        (2 * QUARTER, QUARTER),
    ]
    assert min(n.tick for n in after(piece, "move", "-9600").notes.values()) == 0


def test_a_note_is_made_longer_up_to_the_next_and_shorter_down_to_a_rest() -> None:
    piece = piece_of("4/4", [(0, F(1, 2)), (2, 1)])
    first = min(piece.notes.values(), key=lambda n: n.tick)
    assert rhythm(after(piece, "end", f"{first.id} {QUARTER * 3 // 2}", [first.id])) == [(0, 1.5), (2, 1)]
    assert rhythm(after(piece, "end", "+9600", [first.id])) == [(0, 2), (2, 1)]
    assert rhythm(after(piece, "end", "-240", [first.id])) == [(0, 0.25), (2, 1)]
    with pytest.raises(BadInput, match="distance"):
        after(piece, "end", "far", [first.id])
