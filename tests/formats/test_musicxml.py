"""MusicXML: valid against the published schema, and read back by an independent program (music21)."""

from __future__ import annotations

import io
from dataclasses import replace
from fractions import Fraction as F
from importlib.util import find_spec
from pathlib import Path
from typing import Any

import music21
import pytest
from lxml import etree

from ductus.core.score.model.piece import Piece
from ductus.demo.band import sparks
from ductus.demo.scenario import dance, waltz
from ductus.demo.shelf import PIECES
from ductus.engraving.engraver import Engraver
from ductus.engraving.layout import SystemRange
from ductus.formats.musicxml_write import Window, write_musicxml
from tests.building import piece_of, random_piece

# MusicXML 4.0, W3C Music Notation Community Group, as the package "musicxml" carries it.
_PACKAGE = Path(str(find_spec("musicxml").origin)).parent  # type: ignore[union-attr]
XSD = _PACKAGE / "generate_classes" / "musicxml_4_0.xsd"


@pytest.fixture(scope="module")
def schema() -> etree.XMLSchema:
    # The published schema refers to two small schemas by web address; they are not fetched.
    class Local(etree.Resolver):
        def resolve(self, url: str, public_id: str, context: Any) -> Any:  # type: ignore[override]
            if url.endswith("/xml.xsd"):
                return self.resolve_string(XML_XSD, context)  # type: ignore[call-arg]
            if url.endswith("/xlink.xsd"):
                return self.resolve_string(XLINK_XSD, context)  # type: ignore[call-arg]
            return None

    parser = etree.XMLParser(no_network=True)
    parser.resolvers.add(Local())
    return etree.XMLSchema(etree.parse(str(XSD), parser))


XML_XSD = """<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema"
  targetNamespace="http://www.w3.org/XML/1998/namespace">
<xs:attribute name="lang" type="xs:language"/><xs:attribute name="space" type="xs:NCName"/></xs:schema>"""
XLINK_XSD = """<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="http://www.w3.org/1999/xlink">
<xs:attribute name="href" type="xs:anyURI"/><xs:attribute name="type" type="xs:string"/><xs:attribute name="role"
  type="xs:token"/>
<xs:attribute name="title" type="xs:token"/><xs:attribute name="show" type="xs:token"/><xs:attribute
  name="actuate" type="xs:token"/></xs:schema>"""


def check(schema: etree.XMLSchema, data: bytes) -> None:
    tree = etree.parse(io.BytesIO(data), etree.XMLParser(load_dtd=False, no_network=True))
    assert schema.validate(tree), schema.error_log


RANDOM = [
    (1, "4/4", 0, F(0)),
    (2, "3/4", -3, F(1)),
    (3, "6/8", 4, F(1, 2)),
    (4, "5/8", 0, F(0)),
    (5, "7/8", -6, F(0)),
    (6, "12/8", 2, F(0)),
    (7, "2/2", 7, F(0)),
]


@pytest.mark.parametrize("args", RANDOM)
def test_what_we_write_is_valid_and_read_back_the_same(schema: etree.XMLSchema, args: tuple[int, str, int, F]) -> None:
    seed, meter, fifths, pickup = args
    piece = random_piece(seed, meter, 10, fifths, pickup)
    data = write_musicxml(piece)
    check(schema, data)
    compare(piece, data)


def test_a_piece_with_a_kit_and_a_transposing_part_is_valid(schema: etree.XMLSchema) -> None:
    check(schema, write_musicxml(sparks()))


@pytest.mark.parametrize("make", [make for make in PIECES if make is not sparks])
def test_the_demo_pieces_are_valid_and_read_back_the_same(schema: etree.XMLSchema, make: object) -> None:
    piece = make()  # type: ignore[operator]
    data = write_musicxml(piece)
    check(schema, data)
    compare(piece, data)


def tied_notes(part: music21.stream.Part) -> list[tuple[F, F, str]]:
    """(onset, length, spelling) of a part, ties merged by pitch and end (music21's own merging loses some in
    chords).
    """
    pieces = []
    for element in part.recurse().notes:
        if isinstance(element, music21.harmony.Harmony):
            continue
        onset = F(element.getOffsetInHierarchy(part)).limit_denominator(96)
        length = F(element.duration.quarterLength).limit_denominator(96)
        for note in element.notes if element.isChord else [element]:
            tie = note.tie.type if note.tie else "none"
            pieces.append((onset, length, note.pitch.nameWithOctave.replace("-", "b"), tie))
    open_ties: dict[str, tuple[F, F]] = {}
    out = []
    for onset, length, name, tie in sorted(pieces):
        start, before = onset, F(0)
        if tie in ("stop", "continue"):
            start, before = open_ties.pop(name)
            assert start + before == onset, f"the tie of {name} at {onset} does not begin where the note before ends"
        if tie in ("start", "continue"):
            open_ties[name] = (start, before + length)
        else:
            out.append((start, before + length, name))
    assert not open_ties
    return out


def compare(piece: Piece, data: bytes) -> None:
    """The file as music21 reads it has our onsets, lengths, spellings, bars, key and meter; every bar is full."""
    score = music21.converter.parseData(data.decode(), format="musicxml")
    theirs = [n for part in score.parts for n in tied_notes(part)]
    ours = [(F(n.tick, 23_063_040), F(n.ticks, 23_063_040), str(n.pitch)) for n in piece.notes.values()]
    ours += [(F(n.tick, 23_063_040), F(0), str(p)) for n in piece.notes.values() for p in n.grace_notes]
    assert sorted(theirs) == sorted(ours)
    for part in score.parts:
        measures = list(part.getElementsByClass("Measure"))
        for measure, bar in zip(measures, list(piece.bars()) * 2, strict=False):
            quarters = F(bar.ticks, 23_063_040)
            assert F(measure.duration.quarterLength).limit_denominator(96) == quarters
            for voice in measure.voices or [measure]:
                assert F(voice.highestTime).limit_denominator(96) == quarters
        assert measures[0].keySignature.sharps == piece.key_at(0).fifths
        assert measures[0].timeSignature.ratioString == str(piece.timeline.bar(0).meter)


def test_divisions_are_reduced() -> None:
    assert b"<divisions>1</divisions>" in write_musicxml(piece_of("4/4", [(0, 1)]))
    assert b"<divisions>3</divisions>" in write_musicxml(piece_of("4/4", [(0, F(1, 3))]))


def test_words_of_people_cannot_break_the_file(schema: etree.XMLSchema) -> None:
    from ductus.core.score.note_edits.write import change_facts

    piece = piece_of("4/4", [(0, 1)])
    piece = change_facts(piece, title='<b>&"\x00 ]]>').apply(piece)
    data = write_musicxml(piece)
    check(schema, data)
    assert b"&lt;b&gt;&amp;" in data


def test_systems_keep_ids_and_draw_ties_over_the_break_open() -> None:
    piece = piece_of("4/4", [(0, 4), (4, 8), (12, 4)])
    engraver = Engraver()
    first = engraver.engrave(piece, SystemRange(0, 1))
    second = engraver.engrave(piece, SystemRange(2, 3))
    note = sorted(piece.notes)[1]
    assert f'id="{note}"' in first.svg
    assert first.svg.count('class="tie') == 1
    assert second.svg.count('class="tie') == 1  # the other half of the same tie
    assert 'class="meterSig"' in first.svg
    assert engraver.engrave(piece, SystemRange(0, 1)) is first


def test_a_window_repeats_clef_and_key_but_prints_no_meter() -> None:
    xml = write_musicxml(random_piece(1, "4/4", 6, -2), Window(3, 4, heading=False))
    assert b'<time print-object="no">' in xml
    assert b"<fifths>-2</fifths>" in xml
    assert xml.count(b"<measure ") == 2


def test_ornaments_stand_in_the_file(schema: etree.XMLSchema) -> None:
    """The names of the elements and classes are those of MusicXML 4.0 and of music21's reader."""
    data = write_musicxml(dance())
    check(schema, data)
    score = music21.converter.parse(data.decode(), format="musicxml")
    notes = list(score.recurse().notes)
    assert sum(any(isinstance(e, music21.expressions.Trill) for e in n.expressions) for n in notes) == 3
    assert sum(any(isinstance(e, music21.expressions.Turn) for e in n.expressions) for n in notes) == 1
    assert sum(any(isinstance(e, music21.expressions.ArpeggioMark) for e in n.expressions) for n in notes) == 4
    grace = [n for n in notes if n.duration.isGrace]
    assert [n.pitch.nameWithOctave for n in grace] == ["D#5", "C#5", "B4"]
    assert all(n.duration.slash for n in grace)


def test_velocities_are_stated_and_music21_reads_them() -> None:
    piece = waltz()
    piece = piece.with_rows([(n, replace(n, velocity=20 + k % 100)) for k, n in enumerate(piece.notes.values())])
    loud = {n.id: n.velocity for n in piece.notes.values()}
    score = music21.converter.parseData(write_musicxml(piece).decode(), format="musicxml")
    heard = {n.id: n.volume.velocity for n in score.flatten().notes if not n.isChord and n.volume.velocity is not None}
    assert len(heard) > 40
    assert all(loud[name] == velocity for name, velocity in heard.items() if name in loud)
