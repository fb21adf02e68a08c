"""Bars inserted, removed and copied, parts, transposing: the music goes along, and what was put in comes out again."""

from __future__ import annotations

import random
from dataclasses import replace

import music21
import pytest

from ductus.core.errors import BadInput, DuctusError
from ductus.core.pitch.pitches import parse_pitch
from ductus.core.score.catalogues.instruments import INSTRUMENTS
from ductus.core.score.mark_edits.commands import FlipMarks, NudgeMarks
from ductus.core.score.mark_edits.place_marks import marked, where
from ductus.core.score.mark_language.parser import wish_of
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece, make_piece, records_of
from ductus.core.score.model.records import Note
from ductus.core.score.structure_edits.bars import CopyBars, EmptyBars, InsertBars, RemoveBars, SectionAgain, TrimBars
from ductus.core.score.structure_edits.base import FrameConfirmationNeeded, FrameEdit
from ductus.core.score.structure_edits.meter_key_tempo import KeyFrom, MeterFrom
from ductus.core.score.structure_edits.parts import AddPart, ChangePart, ClefFrom, MovePart, RemovePart, StavesOf
from ductus.core.score.structure_edits.registry import FRAME_EDITS
from ductus.core.score.structure_edits.transpose import TransposeBy, TransposeTo
from ductus.core.time.ticks import QUARTER
from ductus.demo.shelf import PIECES
from ductus.formats.musicxml_write import write_musicxml
from tests.building import random_piece
from tests.core.score.test_marks import quarters
from tests.inventing import ROUNDS


def made(piece: Piece, *edits: FrameEdit) -> Piece:
    for edit in edits:
        piece = edit.change(piece).apply(piece)
    return piece


def content(piece: Piece) -> list[str]:
    """Everything but ids and the counter of bars."""
    return sorted(str(replace(r, id="")) for r in records_of(piece) if type(r).__name__ not in ("Facts", "Mark"))


def marked_piece(seed: int) -> Piece:
    """A random piece with marks of all sorts."""
    rng = random.Random(seed)
    piece = random_piece(seed, rng.choice(["4/4", "3/4", "6/8"]), 8, rng.choice([-2, 0, 3]))
    words = (
        "mf",
        "slur",
        "<",
        "staccato",
        "rit.",
        "pedal",
        "8va",
        "Am7",
        "[A]",
        "1st ending",
        "repeat end",
        "fermata",
        "trill",
        "bass clef",
    )
    for _ in range(12):
        some = [n for n in piece.notes.values() if n.line == rng.choice(list(piece.notes.values())).line]
        begin = rng.randrange(max(len(some) - 4, 1))
        try:
            piece = marked(piece, wish_of(rng.choice(words)), where(some[begin : begin + 4], some[0].line, 0)).apply(
                piece
            )
        except BadInput:
            continue
    return piece


@pytest.mark.parametrize("seed", range(20))
def test_bars_that_are_inserted_and_removed_leave_all_as_it_was(seed: int) -> None:
    piece = marked_piece(seed)
    at = random.Random(seed).randrange(1, 6)
    inside = [n for n in piece.notes.values() if n.tick < piece.timeline.bar(at).start < n.end]
    later = made(piece, InsertBars(at, 3))
    assert later.bar_count == piece.bar_count + 3
    assert made(later, RemoveBars(at, at + 2)).bar_count == piece.bar_count
    if not inside:  # a note that is tied over the place would be cut by the bars that go
        assert content(made(later, RemoveBars(at, at + 2))) == content(piece)


@pytest.mark.parametrize("seed", range(10 * ROUNDS))
def test_any_edit_of_the_frame_is_undone_whole_and_leaves_no_loose_end(seed: int) -> None:
    rng = random.Random(seed)
    piece = marked_piece(seed)
    bar = rng.randrange(piece.bar_count)
    part = next(iter(piece.parts))
    edits: list[FrameEdit] = [
        InsertBars(bar, 2), RemoveBars(bar, bar), EmptyBars(bar, bar + 1), TrimBars(), CopyBars(1, 2, bar),
        MeterFrom(bar, "5/8"), MeterFrom(bar, "2/2"),
        MeterFrom(bar, "2/4", "scaled"), KeyFrom(bar, 2), KeyFrom(bar, -3, "minor", "nearest"),
        ClefFrom(part, 1, piece.timeline.bar(bar).start, "alto"),
        AddPart("Clarinet in B flat"), ChangePart(part, instrument="Viola"), StavesOf(part, 1), TransposeBy(1, 2),
        TransposeTo(-4), SectionAgain("A", bar),
    ]  # fmt: skip
    rng.shuffle(edits)
    for edit in edits[:8]:
        try:
            change = edit.change(piece)
        except DuctusError:
            continue
        after = change.apply(piece)
        assert sorted(map(str, records_of(change.inverse().apply(after)))) == sorted(map(str, records_of(piece))), edit
        assert make_piece(records_of(after)).by_bar == after.by_bar or dict(
            make_piece(records_of(after)).by_bar
        ) == dict(after.by_bar)
        for mark in after.marks.values():
            assert mark.part in after.parts
            assert min(mark.tick, mark.ticks) >= 0
            assert all(i in after.notes for i in mark.notes)
        assert all(n.part in after.parts and n.staff <= after.parts[n.part].staves for n in after.notes.values())
        music21.converter.parseData(write_musicxml(after).decode(), format="musicxml")
        piece = after


def test_marks_go_with_the_bars_that_are_inserted_before_them() -> None:
    piece = PIECES[0]()
    first = min(piece.notes.values(), key=lambda n: n.tick)
    notes = sorted((n for n in piece.notes.values() if n.line == first.line), key=lambda n: n.tick)[6:10]
    for word in ("slur", "<", "f"):
        piece = marked(piece, wish_of(word), where(notes, first.line, 0)).apply(piece)
    bar = piece.timeline.bar_at(notes[0].tick).index
    later = made(piece, InsertBars(bar, 1))
    by = piece.timeline.bar(bar).ticks
    for mark in piece.marks.values():
        if mark.tick >= piece.timeline.bar(bar).start:
            assert later.marks[mark.id].tick == mark.tick + by


def test_a_section_is_played_again_by_its_name() -> None:
    piece = random_piece(3, "4/4", 6)
    line = next(iter(piece.notes.values())).line
    for bar, name in ((0, "A"), (2, "B")):
        piece = marked(piece, wish_of(f"[{name}]"), where((), line, piece.timeline.bar(bar).start)).apply(piece)
    last = max(piece.last_end) + 1
    again = made(piece, SectionAgain("a", last))
    shift = again.timeline.bar(last).start
    source = [(n.tick, n.pitch.midi) for n in piece.notes.values() if n.tick < piece.timeline.bar(2).start]
    copied = [(n.tick - shift, n.pitch.midi) for n in again.notes.values() if n.tick >= shift]
    assert sorted(copied) == sorted(source)
    with pytest.raises(BadInput, match="sections are A, B"):
        SectionAgain("C", 0).change(piece)


def test_values_are_scaled_into_a_meter_half_as_long() -> None:
    piece = random_piece(1, "4/4", 4)
    after = made(piece, MeterFrom(0, "4/8", "scaled"))
    assert sorted((n.tick * 2, n.pitch.midi) for n in after.notes.values()) == sorted(
        (n.tick, n.pitch.midi) for n in piece.notes.values()
    )
    with pytest.raises(BadInput, match="not twice or half"):
        MeterFrom(0, "3/4", "scaled").change(piece)
    for text in ("17/64", "0/4", "4/0", "four"):
        with pytest.raises(BadInput, match="no meter"):
            MeterFrom(0, text).change(piece)


@pytest.mark.parametrize(
    ("steps", "semitones", "named"),
    [(1, 2, "M2"), (-2, -3, "m-3"), (4, 7, "P5"), (2, 4, "M3"), (3, 5, "P4"), (-1, -1, "m-2"), (7, 12, "P8")],
)
def test_transposing_agrees_with_music21(steps: int, semitones: int, named: str) -> None:
    """music21 as the reference for spelling: a diatonic interval moves letter and sound together."""
    piece = random_piece(5, "4/4", 6)
    after = made(piece, TransposeBy(steps, semitones))
    interval = music21.interval.Interval(named)
    for note in piece.notes.values():
        theirs = music21.pitch.Pitch(str(note.pitch).replace("b", "-")).transpose(interval)
        ours = after.notes[note.id].pitch
        if abs(theirs.alter) <= 2:
            assert (ours.step, ours.alter, ours.octave) == (theirs.step, int(theirs.alter), theirs.octave)
        else:
            assert ours.midi == theirs.midi


def test_a_transposing_part_is_written_transposed_and_sounds_as_before() -> None:
    piece = made(random_piece(2, "4/4", 4, -1), ChangePart("p1", instrument="Clarinet in B flat"))
    score = music21.converter.parseData(write_musicxml(piece).decode(), format="musicxml")
    keys = [k.sharps for k in score.parts[0].recurse().getElementsByClass(music21.key.KeySignature)]
    assert keys[0] == 1  # F major sounds, G major is read
    sounding = score.toSoundingPitch()
    theirs = sorted(
        p.midi for n in sounding.parts[0].recurse().notes for p in n.pitches if not (n.tie and n.tie.type != "start")
    )
    ours = sorted(n.pitch.midi for n in piece.notes.values() if n.part == "p1" and n.staff == 1)
    assert set(theirs) == set(ours)


def test_parts_come_and_go() -> None:
    piece = made(PIECES[0](), AddPart("Clarinet in B flat"), AddPart("Violin"), AddPart("Violin"))
    assert [p.name for p in piece.ordered_parts()][1:] == ["Clarinet in B flat", "Violin", "Violin 2"]
    moved = made(piece, MovePart(piece.ordered_parts()[3].id, "up"))
    assert [p.name for p in moved.ordered_parts()][1:] == ["Clarinet in B flat", "Violin 2", "Violin"]
    first = piece.ordered_parts()[0].id
    with pytest.raises(FrameConfirmationNeeded, match="holds") as asked:
        RemovePart(first).change(piece)
    without = asked.value.again.change(piece).apply(piece)
    assert first not in without.parts
    assert not without.notes
    assert not without.marks
    one = made(without, *(RemovePart(p.id) for p in without.ordered_parts()[1:]))
    with pytest.raises(BadInput, match="at least one part"):
        RemovePart(next(iter(one.parts))).change(one)


def test_two_staves_become_one_and_no_note_is_lost() -> None:
    piece = PIECES[0]()
    part = next(p for p in piece.ordered_parts() if p.staves == 2)
    one = made(piece, StavesOf(part.id, 1))
    assert sorted((n.tick, n.pitch.midi) for n in one.notes.values()) == sorted(
        (n.tick, n.pitch.midi) for n in piece.notes.values()
    )
    assert {n.staff for n in one.notes.values() if n.part == part.id} == {1}


def test_a_clef_does_not_change_inside_a_tuplet() -> None:
    piece = random_piece(1, "4/4", 2)
    draft = Draft(piece)
    from ductus.core.score.model.records import Mark
    from ductus.core.time.note_values import TRIPLET

    draft.put(Mark(draft.new_id("m"), "tuplet", "p1", 1, 1, 0, QUARTER, tuplet=TRIPLET))
    piece = draft.change("").apply(piece)
    with pytest.raises(BadInput, match="inside a tuplet"):
        ClefFrom("p1", 1, QUARTER // 3, "bass").change(piece)


def test_the_head_of_the_piece_takes_over_what_a_first_bar_that_goes_left_to_the_next() -> None:
    piece = made(random_piece(4, "4/4", 6), MeterFrom(1, "3/4"), KeyFrom(1, 2))
    after = made(piece, RemoveBars(0, 0))
    assert str(after.timeline.bar(0).meter) == "3/4"
    assert after.key_at(0).fifths == 2


def test_every_instrument_can_be_a_part_and_sounds_within_general_midi() -> None:
    assert all(0 <= i.programme <= 127 and 1 <= len(i.clefs) <= 2 for i in INSTRUMENTS)
    assert len({i.name for i in INSTRUMENTS}) == len(INSTRUMENTS)
    # General MIDI 1 sound set (MIDI Manufacturers Association), programme numbers from 1
    table = {
        "Piano": 1,
        "Harpsichord": 7,
        "Celesta": 9,
        "Harp": 47,
        "Violin": 41,
        "Cello": 43,
        "Trumpet in C": 57,
        "Oboe": 69,
        "Flute": 74,
        "Bassoon": 71,
    }
    assert all(next(i.programme for i in INSTRUMENTS if i.name == name) + 1 == number for name, number in table.items())


def test_every_edit_has_its_own_name() -> None:
    assert len({e.__dataclass_fields__["name"].default for e in FRAME_EDITS}) == len(FRAME_EDITS)


def test_a_note_that_reaches_over_inserted_bars_is_struck_again_behind_them() -> None:
    piece = random_piece(1, "4/4", 1)
    draft = Draft(piece)
    for note in piece.notes.values():
        draft.drop(note)
    draft.put(Note("n900", "p1", 1, 1, 3 * QUARTER, 2 * QUARTER, parse_pitch("C4")))
    piece = draft.change("").apply(piece)
    after = made(piece, InsertBars(1, 1))
    assert sorted((n.tick, n.ticks) for n in after.notes.values()) == [(3 * QUARTER, QUARTER), (8 * QUARTER, QUARTER)]


def test_copied_bars_keep_what_a_hand_did_to_their_marks() -> None:
    """A dynamic under a staff that is silent there stands by no note that would take it along."""
    piece = quarters(4)
    piece = marked(piece, wish_of("mf"), where((), ("p1", 2, 1), 4 * QUARTER)).apply(piece)
    mark = next(iter(piece.marks.values()))
    piece = FlipMarks().change(piece, [mark.id]).apply(piece)
    piece = NudgeMarks(-5, 15).change(piece, [mark.id]).apply(piece)
    copied = CopyBars(1, 1, 3).change(piece).apply(piece)
    assert sorted((m.tick // QUARTER, m.text, m.side, m.shift) for m in copied.marks.values()) == [
        (4, "mf", "above", (-5, 15)), (12, "mf", "above", (-5, 15)),
    ]  # fmt: skip
