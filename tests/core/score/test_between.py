"""What joins two neighbours of a voice (glissandi, tremolos between two notes), and cue notes.

On the page, in sound, in files.
"""

from __future__ import annotations

import io
import itertools
from dataclasses import replace

import mido
import music21
import pytest

from ductus.core.errors import BadInput
from ductus.core.notation.bars import notate_bar
from ductus.core.notation.reading_aloud import bar_aloud
from ductus.core.pitch.pitches import parse_pitch
from ductus.core.playback.performance import Sounded, performed
from ductus.core.playback.proof import chords_of
from ductus.core.score.mark_edits.commands import DropMarks, MarkReaches, NudgeMarks, Reword
from ductus.core.score.mark_edits.place_marks import marked, where
from ductus.core.score.mark_language.parser import wish_of
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Mark, Note
from ductus.core.score.model.validation import check_piece
from ductus.core.score.note_edits.base import At
from ductus.core.score.note_edits.clipboard import excerpt_of, paste
from ductus.core.score.note_edits.positions import Delete, MoveBy
from ductus.core.score.note_edits.registry import edit_notes
from ductus.core.time.ticks import QUARTER
from ductus.formats.midi import write_midi
from ductus.formats.musicxml_read import read_musicxml
from ductus.formats.musicxml_write import write_musicxml
from tests.core.score.test_marks import LINE, notes, put, quarters


def pitched(piece: Piece, *names: str) -> Piece:
    """The first quarters of a piece at these pitches."""
    draft = Draft(piece)
    for note, name in zip(notes(piece, 0, len(names) - 1), names, strict=True):
        draft.put(replace(note, pitch=parse_pitch(name)))
    return draft.change("").apply(piece)


def sounds(piece: Piece, first: int, last: int) -> list[Sounded]:
    """What sounds from a quarter to the end of another."""
    return [s for s in performed(piece).notes if first * QUARTER <= s.on < (last + 1) * QUARTER]


def only(piece: Piece) -> Mark:
    (mark,) = piece.marks.values()
    return mark


# Common practice: on the white keys, on the black ones from black to black, by half tones where there are no keys.
RUNS = [
    ("C5", "G5", 0, [74, 76, 77]),
    ("G5", "C5", 0, [77, 76, 74]),
    ("F#5", "C#6", 0, [80, 82]),
    ("C5", "F5", 73, [73, 74, 75, 76]),
]


@pytest.mark.parametrize(("first", "last", "programme", "between"), RUNS)
def test_a_glissando_runs_over_the_keys_between_its_notes(
    first: str, last: str, programme: int, between: list[int]
) -> None:
    piece = put(pitched(quarters(), first, last), "gliss.", 0, 1)
    part = piece.part("p1")
    piece = piece.with_rows([(part, replace(part, programme=programme))])
    heard = sounds(piece, 0, 1)
    assert [s.key for s in heard] == [parse_pitch(first).midi, *between, parse_pitch(last).midi]
    assert heard[1].on == QUARTER // 2
    assert all(a.off <= b.on for a, b in itertools.pairwise(heard))


def test_a_note_alone_is_joined_with_the_next_and_the_pen_joins_what_it_stands_behind() -> None:
    piece = pitched(quarters(1), "C4", "D4", "E4", "C5")
    assert only(put(piece, "slide", 1)).notes == tuple(n.id for n in notes(piece, 1, 2))
    behind = marked(piece, wish_of("glissando"), where((), LINE, 4 * QUARTER))
    assert only(behind.apply(piece)).notes == tuple(n.id for n in notes(piece, 2, 3))
    assert behind.sentence == "Glissando from E 4 to C 5, at bar 1, beat 3"
    assert not put(put(piece, "gliss.", 0, 1), "glissando", 0, 1).marks
    for first, last in ((0, 2), (3, 3)):
        with pytest.raises(BadInput, match="the next one of its voice"):
            put(piece, "gliss.", first, last)


def test_two_notes_of_a_tremolo_are_written_as_long_as_both_and_struck_in_turn() -> None:
    piece = put(pitched(quarters(2), "C4", "G4"), "tremolo between 2", 0, 1)
    (voice, *_) = notate_bar(piece, "p1", 0).voices
    assert [(s.value.base, s.ticks, bool(s.span)) for s in voice.symbols[:3]] == [
        ("half", QUARTER, True), ("half", QUARTER, True), ("quarter", QUARTER, False),
    ]  # fmt: skip
    heard = sounds(piece, 0, 1)
    assert [s.key for s in heard] == [60, 67] * 4  # two strokes: sixteenths
    assert {s.off - s.on for s in heard} == {QUARTER // 4}
    assert [s.note for s in heard] == [n.id for n in notes(piece, 0, 1) for _ in range(4)]
    assert "C 4, half, tremolo between two notes begins; G 4, half, tremolo between two notes ends" in bar_aloud(
        piece, 0
    )


def test_whole_chords_are_struck_in_turn() -> None:
    piece = pitched(quarters(2), "E4", "C5")
    added = [
        Note("n900", *LINE, 0, QUARTER, parse_pitch("C4")),
        Note("n901", *LINE, QUARTER, QUARTER, parse_pitch("A4")),
    ]
    piece = put(piece.with_rows([(None, n) for n in added]), "tremolo between 1", 0, 1)
    assert [(s.on * 2 // QUARTER, s.key) for s in sounds(piece, 0, 1)] == [
        (0, 60), (0, 64), (1, 69), (1, 72), (2, 60), (2, 64), (3, 69), (3, 72),
    ]  # fmt: skip


def test_a_tremolo_follows_its_notes_and_goes_when_they_no_longer_share_its_time() -> None:
    piece = put(pitched(quarters(), "C4", "G4"), "tremolo between", 0, 1)
    first, last = notes(piece, 0, 1)
    at = At(LINE, 0)
    assert not edit_notes(piece, Delete(), [last.id], at).apply(piece).marks
    assert not edit_notes(piece, MoveBy(960), [last.id], at).apply(piece).marks
    draft = Draft(piece)
    draft.put(replace(last, ticks=QUARTER // 2))
    assert not draft.change("").apply(piece).marks
    both = edit_notes(piece, MoveBy(960), [first.id, last.id], at).apply(piece)
    assert only(both).tick == QUARTER
    copied = paste(piece, excerpt_of(piece, [first, last]), At(LINE, 16 * QUARTER)).apply(piece)
    assert sorted(m.tick for m in copied.marks.values()) == [0, 16 * QUARTER]
    again = Reword("tremolo between 1").change(piece, [only(piece).id]).apply(piece)
    assert only(again).text == "1"
    with pytest.raises(BadInput, match="cannot stand in the place"):
        Reword("gliss.").change(piece, [only(piece).id])
    with pytest.raises(BadInput, match="from a note to the next"):
        MarkReaches(4 * QUARTER).change(piece, [only(piece).id])
    with pytest.raises(BadInput, match="cannot be moved by hand"):
        NudgeMarks(10).change(piece, [only(piece).id])
    assert not DropMarks().change(piece, [only(piece).id]).apply(piece).marks


def test_a_tremolo_over_a_bar_line_or_of_unequal_notes_is_refused() -> None:
    piece = quarters()
    with pytest.raises(BadInput, match="equally long notes of one bar"):
        put(piece, "tremolo between", 3, 4)
    draft = Draft(piece)
    draft.put(replace(notes(piece, 1, 1)[0], ticks=QUARTER // 2))
    with pytest.raises(BadInput, match="equally long notes of one bar"):
        put(draft.change("").apply(piece), "tremolo between", 0, 1)


def test_a_cue_note_is_seen_and_not_heard() -> None:
    piece = put(quarters(2), "cue", 1)
    assert [s.on // QUARTER for s in performed(piece).notes] == [0, 2, 3, 4, 5, 6, 7]
    assert [t // QUARTER for t, _ in chords_of(piece, "p1")] == [0, 2, 3, 4, 5, 6, 7]  # nor asked for in a proof
    assert "cue note, not played" in bar_aloud(piece, 0)


def test_files_hold_them_and_music21_reads_them() -> None:
    piece = put(
        put(put(pitched(quarters(2), "C4", "G4", "C5", "A4"), "tremolo between", 0, 1), "gliss.", 2, 3), "cue", 5
    )
    xml = write_musicxml(piece)
    score = music21.converter.parseData(xml.decode(), format="musicxml")
    (shake,) = score.recurse().getElementsByClass(music21.expressions.TremoloSpanner)
    assert (shake.numberOfMarks, [n.nameWithOctave for n in shake.getSpannedElements()]) == (3, ["C4", "G4"])
    assert [n.duration.type for n in shake.getSpannedElements()] == ["half", "half"]
    (slide,) = score.recurse().getElementsByClass(music21.spanner.Glissando)
    assert [n.nameWithOctave for n in slide.getSpannedElements()] == ["C5", "A4"]
    assert [n.style.noteSize for n in score.recurse().notes if n.style.noteSize] == ["cue"]
    back = read_musicxml(xml)
    assert back.losses == ()
    assert sorted((m.kind, m.tick, m.ticks, m.text) for m in back.piece.marks.values()) == sorted(
        (m.kind, m.tick, m.ticks, m.text) for m in piece.marks.values()
    )
    assert performed(back.piece).notes
    assert [(s.on, s.off, s.key) for s in performed(back.piece).notes] == [
        (s.on, s.off, s.key) for s in performed(piece).notes
    ]
    struck = [
        m
        for t in mido.MidiFile(file=io.BytesIO(write_midi(piece))).tracks
        for m in t
        if m.type == "note_on" and m.velocity
    ]
    assert len(struck) == len(performed(piece).notes)


@pytest.mark.parametrize(
    ("kind", "text", "count"), [("tremolo", "x", 2), ("tremolo", "", 2), ("tremolo", "2", 1), ("glissando", "", 0)]
)
def test_a_piece_with_half_a_tremolo_or_glissando_is_refused(kind: str, text: str, count: int) -> None:
    """As a damaged or hostile file could hold it."""
    piece = quarters(1)
    ids = tuple(n.id for n in notes(piece, 0, count - 1)) if count else ()
    check_piece(piece)
    with pytest.raises(BadInput, match="a piece that cannot be"):
        check_piece(piece.with_rows([(None, Mark("m900", kind, *LINE, 0, 2 * QUARTER, text, notes=ids))]))
