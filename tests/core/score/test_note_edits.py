"""Edits of selected notes: each does what it says, leaves full bars, and is undone exactly."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction as F

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ductus.core.errors import BadInput
from ductus.core.notation.bars import notate_bar
from ductus.core.pitch.pitches import parse_pitch
from ductus.core.score.model.changes import Change, Draft
from ductus.core.score.model.piece import Piece, records_of
from ductus.core.score.model.records import Mark, Part
from ductus.core.score.note_edits.base import At, ConfirmationNeeded, Edit
from ductus.core.score.note_edits.clipboard import excerpt_of, paste
from ductus.core.score.note_edits.durations import (
    CorrectValue,
    EndAt,
    EndLater,
    EqualSteps,
    HoldToNext,
    Scale,
    SetLength,
    Split,
    TakeRest,
)
from ductus.core.score.note_edits.pitches import Octave, Respell, StaffSteps, Transpose, Velocity
from ductus.core.score.note_edits.positions import Delete, MoveBy, MoveTo, MoveToVoice, OtherHand
from ductus.core.score.note_edits.registry import EDITS, edit_notes
from ductus.core.score.note_edits.repeat_bars import Repeat
from ductus.core.score.note_edits.select import Select, SelectByPitch, SelectLast, select
from ductus.core.score.note_edits.write import mark_tuplet
from ductus.core.score.structure_edits.meter_key_tempo import KeyFrom
from ductus.core.time.note_values import NoteValue, Tuplet
from ductus.core.time.ticks import QUARTER
from tests.building import one_chord_at_a_time, piece_of, random_piece

LINE = ("p1", 1, 1)
AT = At(LINE, 0, QUARTER // 4)
EIGHTH, QUARTER_NOTE, HALF = NoteValue("eighth"), NoteValue("quarter"), NoteValue("half")


def rhythm(piece: Piece, staff: int = 1) -> list[tuple[float, float]]:
    found = sorted((n for n in piece.notes.values() if n.staff == staff), key=lambda n: (n.tick, n.ticks))
    return [(n.tick / QUARTER, n.ticks / QUARTER) for n in found]


def everything(piece: Piece) -> list[str]:
    return list(piece.notes)


def after(piece: Piece, edit: Edit, ids: list[str] | None = None, at: At = AT) -> Piece:
    return edit_notes(piece, edit, ids or everything(piece), at).apply(piece)


def test_hold_to_the_next_and_the_last_to_the_end_of_its_bar() -> None:
    piece = piece_of("4/4", [(0, F(1, 2)), (1, F(1, 4)), (3, F(1, 2))])
    assert rhythm(after(piece, HoldToNext())) == [(0, 1), (1, 2), (3, 1)]


def test_a_silence_that_was_meant_stays() -> None:
    piece = piece_of("4/4", [(0, 1), (3, 1)])
    meant = piece.with_rows([(None, Mark("m9", "silence", "p1", 1, 1, 2 * QUARTER, QUARTER))])
    assert rhythm(after(meant, HoldToNext())) == [(0, 2), (3, 1)]


@pytest.mark.parametrize(
    ("edit", "expected"),
    [
        (SetLength(HALF), [(0, 1), (1, 2)]),
        (SetLength(NoteValue("eighth", 1)), [(0, 0.75), (1, 0.75)]),
        (Scale(1, 2), [(0, 0.5), (0.5, 0.5)]),
        (Scale(2), [(0, 2), (2, 2)]),
        (TakeRest(), [(0, 1), (1, 3)]),
        (Split(2), [(0, 0.5), (0.5, 0.5), (1, 0.5), (1.5, 0.5)]),
        (EqualSteps(EIGHTH), [(0, 0.5), (0.5, 0.5)]),
        (CorrectValue(HALF), [(0, 2), (2, 1)]),
    ],
)
def test_lengths(edit: Edit, expected: list[tuple[float, float]]) -> None:
    assert rhythm(after(piece_of("4/4", [(0, 1), (1, 1)]), edit)) == expected


def test_reading_steps_again_moves_what_follows_in_the_voice() -> None:
    piece = piece_of("4/4", [(0, 1), (1, 1), (2, 1), (4, 2)])
    first_three = [n.id for n in piece.notes.values() if n.tick < 3 * QUARTER]
    assert rhythm(after(piece, EqualSteps(EIGHTH), first_three)) == [(0, 0.5), (0.5, 0.5), (1, 0.5), (2.5, 2)]


def test_respell_octave_transpose_velocity_hand_and_voice() -> None:
    piece = piece_of("4/4", [(0, 1)], pitch="C#5")
    assert [str(n.pitch) for n in after(piece, Respell()).notes.values()] == ["Db5"]
    twice = after(after(piece, Respell()), Respell())
    assert [str(n.pitch) for n in after(twice, Respell()).notes.values()] == ["C#5"]
    assert [n.pitch.midi for n in after(piece, Octave(-1)).notes.values()] == [61]
    assert [n.pitch.midi for n in after(piece, Transpose(-3)).notes.values()] == [70]
    assert [n.velocity for n in after(piece, Velocity(by=100)).notes.values()] == [127]
    assert [n.velocity for n in after(piece, Velocity(40)).notes.values()] == [40]
    assert [n.staff for n in after(piece, OtherHand()).notes.values()] == [2]
    assert [n.voice for n in after(piece, MoveToVoice(3)).notes.values()] == [3]
    assert not after(piece, Delete()).notes


def test_copy_paste_and_repeat() -> None:
    piece = piece_of("4/4", [(0, 1), (1, F(1, 2)), (2, 2)])
    notes = list(piece.notes.values())
    pasted = paste(piece, excerpt_of(piece, notes), At(("p1", 2, 1), 4 * QUARTER)).apply(piece)
    assert rhythm(pasted, 2) == [(4, 1), (5, 0.5), (6, 2)]
    times = after(piece, Repeat(3))
    assert rhythm(times) == [(4 * k + t, d) for k in range(4) for t, d in ((0, 1), (1, 0.5), (2, 2))]
    with pytest.raises(BadInput, match="Nothing was copied"):
        paste(piece, excerpt_of(piece, []), AT)


def test_selecting_by_place_pitch_and_order() -> None:
    piece = random_piece(3, "4/4", 4)
    right = {n.id for n in piece.notes.values() if n.staff == 1}
    assert set(select(piece, Select("staff"), LINE, 0)) == right
    assert set(select(piece, Select("all"), LINE, 0)) == set(piece.notes)
    assert all(piece.notes[i].pitch.midi < 70 for i in select(piece, SelectByPitch(70), LINE, 0))
    assert {
        piece.timeline.bar_at(piece.notes[i].tick).index for i in select(piece, Select("bar"), LINE, 5 * QUARTER)
    } == {1}
    one = select(piece, Select("right"), LINE, 0)
    two = select(piece, Select("right"), LINE, 0, one)
    assert len({piece.notes[i].tick for i in two}) == len({piece.notes[i].tick for i in one}) + 1
    assert len({piece.notes[i].tick for i in select(piece, SelectLast(2), LINE, piece.end)}) == 2


def test_an_edit_of_nothing_is_refused() -> None:
    with pytest.raises(BadInput, match="Select some notes first"):
        edit_notes(piece_of("4/4", [(0, 1)]), Respell(), [], AT)


VALUES = st.builds(NoteValue, st.sampled_from(["half", "quarter", "eighth", "16th"]), st.integers(0, 1))


def any_edit(kind: type[Edit]) -> st.SearchStrategy[Edit]:
    """Any arguments that the border lets through, notes and places near those of the piece."""
    fields = kind.__dataclass_fields__
    asked: dict[str, st.SearchStrategy[object]] = {
        "value": VALUES,
        "note": st.sampled_from(["n1", "n3", "n9"]),
        "tick": st.integers(0, 40).map(lambda k: k * QUARTER // 4),
        "times": st.integers(1, 3),
        "replacing": st.just(True),
        "velocity": st.none() | st.integers(1, 127),
    }
    if "by" in fields and kind in (MoveBy, EndLater):
        asked["by"] = st.sampled_from([-960, -480, -240, 240, 480, 1920])
    return st.builds(kind, **{f: asked[f] for f in asked if f in fields})


@settings(max_examples=60, deadline=None)
@given(
    st.integers(0, 40),
    st.lists(st.tuples(st.one_of([any_edit(k) for k in EDITS]), st.integers(0, 10**6)), min_size=1, max_size=5),
    st.sampled_from(["replace", "add", "keep"]),
)
def test_any_edits_leave_full_bars_one_chord_a_voice_and_are_undone_exactly(
    seed: int, edits: list[tuple[Edit, int]], policy: str
) -> None:
    start = piece = random_piece(seed, "3/4", 3)
    made: list[Change] = []
    for edit, pick in edits:
        ids = everything(piece)
        if not ids:
            break
        chosen = ids[pick % len(ids) :][:4]
        try:
            change = edit_notes(piece, edit, chosen, At(LINE, 0, QUARTER // 4, policy))
        except BadInput:
            continue
        made.append(change)
        piece = change.apply(piece)
        one_chord_at_a_time(piece)
    for bar in piece.bars():
        for voice in notate_bar(piece, "p1", bar.index).voices:
            assert sum(s.ticks for s in voice.symbols) == bar.ticks
    for change in reversed(made):
        piece = change.inverse().apply(piece)
    assert sorted(map(repr, records_of(piece))) == sorted(map(repr, records_of(start)))


def test_notes_move_by_staff_steps_with_the_accidentals_of_the_signature() -> None:
    piece = piece_of("4/4", [(0, 1), (1, 1)], fifths=2, pitch="C#5")
    names = [str(n.pitch) for n in piece.notes.values()]
    up = after(piece, StaffSteps(3))
    assert [n.pitch.diatonic for n in up.notes.values()] == [n.pitch.diatonic + 3 for n in piece.notes.values()]
    assert all(n.pitch.alter == (1 if n.pitch.step in "FC" else 0) for n in up.notes.values())
    assert [str(n.pitch) for n in after(up, StaffSteps(-3)).notes.values()] == names


def test_a_dragged_note_goes_to_its_place_and_overwrites_nothing() -> None:
    piece = piece_of("4/4", [(0, 1), (1, 1), (2, 2)])
    first, second, third = sorted(piece.notes.values(), key=lambda n: n.tick)
    moved = after(piece, MoveTo(first.id, 3 * QUARTER), [first.id])
    assert moved.notes[first.id].tick == 3 * QUARTER
    assert moved.notes[first.id].voice == 2  # the third note sounds there in voice 1
    assert {moved.notes[third.id], moved.notes[second.id]} == {third, second}
    together = after(piece, MoveBy(960), [first.id, second.id])
    assert [(together.notes[i].tick, together.notes[i].ticks) for i in (first.id, second.id)] == [
        (QUARTER, QUARTER),
        (2 * QUARTER, QUARTER),
    ]
    assert min(n.tick for n in after(piece, MoveBy(-9600)).notes.values()) == 0


def test_a_note_is_made_longer_up_to_the_next_and_shorter_down_to_a_rest() -> None:
    piece = piece_of("4/4", [(0, F(1, 2)), (2, 1)])
    first = min(piece.notes.values(), key=lambda n: n.tick)
    assert rhythm(after(piece, EndAt(first.id, QUARTER * 3 // 2), [first.id])) == [(0, 1.5), (2, 1)]
    assert rhythm(after(piece, EndLater(9600), [first.id])) == [(0, 2), (2, 1)]
    assert rhythm(after(piece, EndLater(-240), [first.id])) == [(0, 0.25), (2, 1)]


def test_doubling_moves_places_with_lengths_and_is_refused_where_notes_are_in_the_way() -> None:
    four = piece_of("4/4", [(k, 1) for k in range(4)])
    doubled = edit_notes(four, Scale(2), everything(four), AT)
    assert rhythm(doubled.apply(four)) == [(0, 2), (2, 2), (4, 2), (6, 2)]
    assert doubled.sentence == "4 notes twice as long"
    first_two = [n.id for n in four.notes.values() if n.tick < 2 * QUARTER]
    with pytest.raises(BadInput, match="2 notes from bar 1, beat 3 on stand in the way"):
        after(four, Scale(2), first_two)


def test_one_note_of_a_chord_with_a_value_of_its_own_gets_a_voice_of_its_own() -> None:
    piece = piece_of("4/4", [(0, 1)])
    (note,) = piece.notes.values()
    chord = piece.with_rows([(None, replace(note, id="n90", pitch=parse_pitch("E5")))])
    change = edit_notes(chord, SetLength(EIGHTH), ["n90"], AT)
    assert {(n.voice, n.ticks) for n in change.apply(chord).notes.values()} == {(1, QUARTER), (2, QUARTER // 2)}
    assert "1 note in another voice, since the own one sounds there" in change.sentence


def test_nothing_gets_shorter_than_a_step() -> None:
    piece = piece_of("4/4", [(0, 1)])
    at = At(LINE, 0, QUARTER)
    change = edit_notes(piece, EndLater(-960), everything(piece), at)
    assert not change
    assert "No note gets shorter than a step" in change.sentence
    (note,) = piece.notes.values()
    assert rhythm(after(piece, EndAt(note.id, 0), at=AT)) == [(0, 0.25)]


@pytest.mark.parametrize(
    ("fifths", "pitch", "names"),
    [
        (1, "F#5", ["Gb5", "E##5", "F#5"]),  # in G major, where F sharp is a tone of the key
        (-4, "Ab5", ["G#5", "Ab5"]),
        (0, "C5", ["B#4", "Dbb5", "C5"]),
        (6, "F5", ["Gbb5", "E#5", "F5"]),  # in F sharp major E sharp is the usual name
    ],
)
def test_respelling_goes_through_all_names(fifths: int, pitch: str, names: list[str]) -> None:
    """Enharmonic names with at most two accidentals (common practice): three of each key, but two of G sharp."""
    piece = piece_of("4/4", [(0, 1)], fifths=fifths, pitch=pitch)
    seen = []
    for _ in names:
        piece = after(piece, Respell())
        seen += [str(n.pitch) for n in piece.notes.values()]
    assert sorted(seen) == sorted(names)
    assert seen[-1] == pitch


def test_respelling_says_what_a_note_is_in_the_key() -> None:
    """Names of the degrees: common practice, as in any harmony book."""
    piece = piece_of("4/4", [(0, 1)], fifths=-2, pitch="Gb5")
    piece = KeyFrom(0, -2, "minor").change(piece).apply(piece)
    said = []
    for _ in range(3):
        change = edit_notes(piece, Respell(), everything(piece), AT)
        said.append(change.sentence)
        piece = change.apply(piece)
    assert "F sharp 5, leading note of G minor" in said
    assert "G flat 5, lowered first of G minor" in said


def test_pasting_keeps_brackets_and_goes_where_the_pen_is() -> None:
    seven = piece_of("4/4", [(F(k * 2, 7), F(2, 7)) for k in range(7)])
    bracket = Mark("m90", "tuplet", "p1", 1, 1, 0, 2 * QUARTER, tuplet=Tuplet(7, 8))
    seven = seven.with_rows([(None, bracket)])
    notes = list(seven.notes.values())
    copied = excerpt_of(seven, notes)
    pasted = paste(seven, copied, At(("p1", 2, 1), 2 * QUARTER)).apply(seven)
    assert sorted((m.staff, m.tick, m.tuplet) for m in pasted.marks.values()) == [
        (1, 0, Tuplet(7, 8)),
        (2, 2 * QUARTER, Tuplet(7, 8)),
    ]
    two = random_piece(3, "4/4", 2)
    singer = two.with_rows([(None, Part("p2", "Organ", "", 19, ("treble", "bass"), 1))])
    both = paste(singer, excerpt_of(singer, list(singer.notes.values())), At(("p2", 1, 1), 0)).apply(singer)
    staves = [sorted((n.staff, n.tick, n.pitch.midi) for n in both.notes.values() if n.part == p) for p in ("p1", "p2")]
    assert staves[0] == staves[1]


def test_repeating_asks_before_it_overwrites() -> None:
    piece = piece_of("4/4", [(0, 4), (4, 4)])
    first = [n.id for n in piece.notes.values() if n.tick == 0]
    with pytest.raises(ConfirmationNeeded, match="1 note of the same voices stand") as asked:
        after(piece, Repeat(1), first)
    assert rhythm(after(piece, asked.value.again, first)) == [(0, 4), (4, 4)]


def test_a_length_that_has_no_room_says_what_stands_in_the_way() -> None:
    piece = piece_of("4/4", [(0, F(1, 3)), (F(1, 3), F(1, 3)), (F(2, 3), F(1, 3))])
    draft = Draft(piece)
    mark_tuplet(draft, LINE, 0, NoteValue("eighth", 0, Tuplet(3, 2)))
    piece = draft.change("").apply(piece)
    first = min(piece.notes.values(), key=lambda n: n.tick)
    with pytest.raises(BadInput, match="inside a triplet stands in the way"):
        edit_notes(piece, SetLength(QUARTER_NOTE), [first.id], AT)


def test_a_corrected_value_may_move_the_rest_of_its_bar_only() -> None:
    piece = piece_of("4/4", [(0, 1), (1, 1), (2, 1), (3, 1), (4, 1)])
    first = min(piece.notes.values(), key=lambda n: n.tick)
    change = edit_notes(piece, CorrectValue(HALF, "bar"), [first.id], AT)
    assert rhythm(change.apply(piece)) == [(0, 2), (2, 1), (3, 1), (4, 1)]
    assert "1 note that did not fit is gone" in change.sentence
    shorter = after(piece, CorrectValue(EIGHTH, "bar"), [first.id])
    assert rhythm(shorter) == [(0, 0.5), (0.5, 1), (1.5, 1), (2.5, 1), (4, 1)]


def test_steps_that_are_read_again_keep_their_rests() -> None:
    piece = piece_of("4/4", [(0, 1), (1, 1), (3, 1), (4, 1)])
    change = edit_notes(piece, EqualSteps(EIGHTH), everything(piece), AT)
    assert rhythm(change.apply(piece)) == [(0, 0.5), (0.5, 0.5), (1.5, 0.5), (2, 0.5)]
    assert "with 1 rest between them" in change.sentence
