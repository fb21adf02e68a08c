"""Every kind of mark in MusicXML 4.0: valid by the published schema, and read back by music21 as what was written."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import music21
import pytest
from lxml import etree
from music21 import articulations, chord, dynamics, expressions, harmony, spanner

from ductus.core.errors import BadInput
from ductus.core.pitch.chord_symbols import parse_chord
from ductus.core.score.mark_edits.place_marks import marked, where
from ductus.core.score.mark_language import parser as wording
from ductus.core.score.mark_language.modifiers import TEMPO_WORDS
from ductus.core.score.mark_language.parser import DYNAMICS, VOCABULARY, wish_of
from ductus.core.score.mark_language.terms import EXPRESSIONS
from ductus.core.score.model import mark_kinds as marks
from ductus.core.score.model.note_signs import NOTE_SIGNS
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.playing_order import playing_order
from ductus.core.score.model.records import Note
from ductus.core.score.note_edits.base import At
from ductus.core.score.note_edits.clipboard import excerpt_of, paste
from ductus.core.score.note_edits.positions import MoveBy
from ductus.core.score.note_edits.registry import edit_notes
from ductus.core.time.ticks import QUARTER
from ductus.demo.scenario import song
from ductus.formats import musicxml_marks
from ductus.formats.musicxml_read.score import read_musicxml
from ductus.formats.musicxml_write import write_musicxml
from tests.core.score.test_marks import ORDERS, bar, notes, put, quarters
from tests.formats.test_musicxml import check, schema

# What music21 does not expand as musicians play it.
NOT_EXPANDED = ("3 times", "1st and 2nd ending", "D.C. al Fine", "D.S. al Coda")

__all__ = ["schema"]


def read(piece: Piece) -> music21.stream.Score:
    return music21.converter.parseData(write_musicxml(piece).decode(), format="musicxml")


def found(piece: Piece, kind: type[Any]) -> list[Any]:
    return list(read(piece).recurse().getElementsByClass(kind))


PLAIN = [w for w, wish in VOCABULARY if wish.kind == "text"]  # of words without effect some stand for all


@pytest.mark.parametrize("text", [*PLAIN[::25], *(w for w, wish in VOCABULARY if wish.kind != "text")])
def test_every_word_of_the_vocabulary_makes_a_valid_file(schema: etree.XMLSchema, text: str) -> None:
    wish = wish_of(text)
    piece = put(quarters(4), "grace note", 4)  # of the note behind it, which moves up to 4
    last = 5 if wish.kind in marks.KINDS and marks.KINDS[wish.kind].pair else 6
    change = marked(piece, wish, where(notes(piece, 4, last), ("p1", 1, 1), 4 * QUARTER))
    assert change.rows
    check(schema, write_musicxml(change.apply(piece)))


def test_many_marks_at_once_make_a_valid_file(schema: etree.XMLSchema) -> None:
    piece = quarters(16)
    signs = [(text, wish) for text, wish in VOCABULARY if wish.kind != "text"]
    for k, (text, wish) in enumerate(signs):
        if wish.sort in ("note", "mark") and wish.kind != "bare-grace":  # that needs grace notes
            pair = wish.kind in marks.KINDS and marks.KINDS[wish.kind].pair
            piece = put(piece, text, k % 50 // 2 * 2, k % 50 // 2 * 2 + (1 if pair else 3))
    check(schema, write_musicxml(piece))


@pytest.mark.parametrize("text", DYNAMICS)
def test_dynamics_come_back(text: str) -> None:
    (read_back,) = found(put(quarters(2), text, 2), dynamics.Dynamic)
    assert read_back.value == ("other-dynamics" if text in musicxml_marks.UNNAMED else text)
    assert read_back.offset == 2
    (again,) = read_musicxml(write_musicxml(put(quarters(2), text, 2))).piece.marks.values()
    assert (again.kind, again.text) == ("dynamic", text)


READ_AS = {
    "staccato": articulations.Staccato, "staccatissimo": articulations.Staccatissimo, "tenuto": articulations.Tenuto,
    "portato": articulations.DetachedLegato, "accent": articulations.Accent, "marcato": articulations.StrongAccent,
    "breath": articulations.BreathMark, "caesura": articulations.Caesura, "fermata": expressions.Fermata,
    "rolled": expressions.ArpeggioMark,
    "trill": expressions.Trill, "turn": expressions.Turn, "inverted-turn": expressions.InvertedTurn,
    "mordent": expressions.Mordent,
    "inverted-mordent": expressions.InvertedMordent, "tremolo-1": expressions.Tremolo, "tremolo-2": expressions.Tremolo,
    "tremolo-3": expressions.Tremolo, "finger-3": articulations.Fingering,
}  # fmt: skip


@pytest.mark.parametrize("name", READ_AS)
def test_signs_of_notes_come_back(name: str) -> None:
    piece = put(quarters(2), NOTE_SIGNS[name].words, 1)
    signs = [x for n in read(piece).recurse().notes for x in (*n.articulations, *n.expressions)]
    assert [type(s) for s in signs] == [READ_AS[name]]


def test_stems_come_back() -> None:
    (first, *_) = read(put(quarters(1), "stem up", 0)).recurse().notes
    assert first.stemDirection == "up"


def test_slurs_hairpins_octave_lines_and_pedal_come_back_over_the_same_notes() -> None:
    piece = quarters(3)
    for text, first, last in (("slur", 0, 3), ("<", 4, 6), (">", 7, 8), ("8va", 9, 11), ("pedal", 0, 7)):
        piece = put(piece, text, first, last)
    score = read(piece)
    (slur,) = score.recurse().getElementsByClass(spanner.Slur)
    assert [n.getOffsetInHierarchy(score) for n in slur.getSpannedElements()] == [0, 3]
    wedges = {type(w).__name__: w for w in score.recurse().getElementsByClass(dynamics.DynamicWedge)}
    assert set(wedges) == {"Crescendo", "Diminuendo"}
    (line,) = score.recurse().getElementsByClass(spanner.Ottava)
    assert line.type == "8va"
    under = [n.getOffsetInHierarchy(score) for n in line.getSpannedElements()]
    assert (min(under), max(under)) == (9, 11)
    sounding = {p.midi for n in score.recurse().notes for p in n.pitches}
    assert sounding == {72}  # the line changes how notes are written, not what they are
    xml = write_musicxml(piece)
    assert xml.count(b'<pedal type="start"') == xml.count(b'<pedal type="stop"') == 1


@pytest.mark.parametrize(
    "text",
    [
        "C",
        "Bbm7",
        "D7/F#",
        "F#m7b5",
        "Gsus4",
        "Cmaj7",
        "A6",
        "Edim7",
        "Caug",
        "G9",
        "Dm9",
        "B7",
        "Am/C",
        "Ebmaj7",
        "G7",
    ],
)
def test_chord_symbols_come_back_with_their_pitches(text: str) -> None:
    piece = put(quarters(1), text, 1)
    (symbol,) = found(piece, harmony.ChordSymbol)
    assert {p.pitchClass for p in symbol.pitches} == parse_chord(text).classes
    assert symbol.offset == 1


def test_words_come_back() -> None:
    piece = put(put(quarters(2), "lyrics Ro-se _ red", 0, 7), "lyrics 2: Blue ri-ver", 0, 7)
    by_note = [
        [(x.number, x.text, x.syllabic) for x in n.lyrics if x.text] for n in list(read(piece).recurse().notes)[:4]
    ]
    assert by_note == [
        [(1, "Ro", "begin"), (2, "Blue", "single")], [(1, "se", "end"), (2, "ri", "begin")], [(2, "ver", "end")],
        [(1, "red", "single")],
    ]  # fmt: skip
    xml = write_musicxml(piece)
    assert xml.count(b'<extend type="start"/>') == xml.count(b'<extend type="stop"/>') == 1


@pytest.mark.parametrize("text", [*EXPRESSIONS[:6], *TEMPO_WORDS[:6], '"as if asleep"'])
def test_words_of_expression_and_tempo_come_back(text: str) -> None:
    score = read(put(quarters(2), text, 4, 5))
    said = [
        str(getattr(x, "content", getattr(x, "text", "")))
        for x in score.recurse().getElementsByClass((expressions.TextExpression, music21.tempo.TempoText))
    ]
    assert text.strip('"') in said


def test_clefs_sections_and_tempi_come_back() -> None:
    piece = put(
        put(put(put(quarters(3), "bass clef", 5), "treble clef", 8), "[B]", 4, 5), "Allegro, dotted quarter = 80", 4
    )
    score = read(piece)
    clefs = [
        (c.sign, c.getOffsetInHierarchy(score)) for c in score.parts[0].recurse().getElementsByClass(music21.clef.Clef)
    ]
    assert clefs == [("G", 0), ("F", 5), ("G", 8)]
    assert [m.content for m in score.recurse().getElementsByClass(expressions.RehearsalMark)] == ["B"]
    marks = [
        m for m in score.recurse().getElementsByClass(music21.tempo.MetronomeMark) if m.getOffsetInHierarchy(score) == 4
    ]
    assert [(m.number, m.referent.quarterLength) for m in marks] == [(80, 1.5)]


# music21 has its own reading of jumps; where both know what to do, they must agree.
SHARED = [
    row
    for row in ORDERS
    if not any(text in NOT_EXPANDED for text, *_ in row[0]) and row[1] != "1 2 3 5 6 7 8"
]  # fmt: skip


@pytest.mark.parametrize(("signs", "wanted"), SHARED)
def test_the_order_of_playing_agrees_with_music21(signs: list[tuple[str, int]], wanted: str) -> None:
    piece = quarters()
    for text, *bars in signs:
        piece = bar(piece, text, *bars)
    part = read(piece).parts[0]
    theirs = (
        [m.number for m in part.expandRepeats().getElementsByClass("Measure")]
        if signs
        else [m.number for m in part.getElementsByClass("Measure")]
    )
    ours = [b + 1 for s in playing_order(piece) for b in range(s.first, s.last + 1)]
    assert theirs == ours


def test_a_note_on_the_other_staff_is_written_there() -> None:
    piece = put(quarters(1), "other staff", 1)
    xml = write_musicxml(piece).decode()
    first_voice = xml.split("<backup>")[0]
    assert first_voice.count("<staff>2</staff></note>") == 1
    assert first_voice.count("<staff>1</staff></note>") == 3


def test_grace_notes_are_made_of_notes_and_come_back() -> None:
    piece = put(quarters(1), "grace note", 0)
    graces = [n for n in read(piece).recurse().notes if n.duration.isGrace]
    assert [n.pitch.nameWithOctave for n in graces] == ["C5"]
    assert sum(isinstance(n, Note) for n in piece.notes.values()) == 3
    assert not [c for c in read(piece).recurse().notes if isinstance(c, chord.Chord)]


def test_grace_notes_are_slurred_to_their_note_unless_it_is_said_otherwise() -> None:
    """Common practice; a slur over both reaches from the first grace note to the note."""
    piece = put(quarters(1), "grace note", 0)
    (slur,) = read(piece).recurse().getElementsByClass(spanner.Slur)
    assert [(n.duration.isGrace, n.offset) for n in slur.getSpannedElements()] == [(True, 0.0), (False, 0.0)]
    bare = put(piece, "no grace slur", 0)
    assert not read(bare).recurse().getElementsByClass(spanner.Slur)
    assert len(read(put(bare, "no grace slur", 0)).recurse().getElementsByClass(spanner.Slur)) == 1
    with pytest.raises(BadInput, match="None of these notes has grace notes"):
        put(piece, "no grace slur", 2)


def test_a_new_kind_of_mark_needs_three_rows(schema: etree.XMLSchema, monkeypatch: pytest.MonkeyPatch) -> None:
    """As docs/changing.md says: the table of kinds, its words, how it is written.

    Edits, copies and undo then know it.
    """
    monkeypatch.setitem(marks.KINDS, "bowing", marks.MarkKind("place", side="above", words="bowing"))
    monkeypatch.setitem(wording.EXACT, "bow free", wording.Wish("mark", "bowing", "bow free", "bow free"))
    monkeypatch.setitem(musicxml_marks.DIRECTIONS, "bowing", musicxml_marks.DIRECTIONS["text"])
    piece = put(quarters(4), "bow free", 4)
    (mark,) = piece.marks.values()
    assert (mark.kind, mark.tick) == ("bowing", 4 * QUARTER)
    moved = edit_notes(piece, MoveBy(960), [n.id for n in notes(piece, 4, 4)], At(("p1", 1, 1), 0)).apply(piece)
    assert moved.marks[mark.id].tick == 5 * QUARTER
    copied = paste(piece, excerpt_of(piece, notes(piece, 4, 5)), At(("p1", 1, 1), 12 * QUARTER)).apply(piece)
    assert len(copied.marks) == 2
    check(schema, write_musicxml(copied))
    assert write_musicxml(copied).count(b">bow free<") == 2
    assert not put(piece, "bow free", 4).marks


@pytest.mark.parametrize(
    ("side", "bend", "wanted"), [("above", 15, "40"), ("below", 15, "0"), ("above", -15, "0"), ("", 15, None)]
)
def test_a_bent_slur_says_its_control_points_where_its_side_is_known(
    schema: etree.XMLSchema, side: str, bend: int, wanted: str | None
) -> None:
    """MusicXML 4.0, ``bezier-y``: tenths from the end of the curve.

    A usual arch is taken to be 20 high, its middle goes 3/4 of the way.
    """
    piece = song()
    slur = next(m for m in piece.marks.values() if m.kind == "slur")
    data = write_musicxml(piece.with_rows([(slur, replace(slur, side=side, bend=bend))]))
    check(schema, data)
    root = etree.fromstring(data)
    ends = [e for e in root.iter("slur") if e.get("bezier-y") is not None]
    assert [e.get("bezier-y") for e in ends] == ([wanted] * 2 if wanted else [])
