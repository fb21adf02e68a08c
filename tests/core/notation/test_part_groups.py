"""Brackets by families of instruments: who is bracketed, and where bar lines go through (common practice of scores)."""

from __future__ import annotations

from pathlib import Path

import music21
import pytest

from ductus.core.notation.part_groups import PartGroup, family_of, part_groups
from ductus.core.score.catalogues.instruments import INSTRUMENTS, instrument
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Part
from ductus.core.score.structure_edits.parts import AddPart, RemovePart
from ductus.engraving.pages import PageSetup, printed
from ductus.formats.musicxml_read.score import read_musicxml
from ductus.formats.musicxml_write import write_musicxml

CORPUS = Path(music21.__file__).parent / "corpus"


def score(*names: str) -> Piece:
    piece = new_piece()
    for name in names:
        piece = AddPart(name).change(piece).apply(piece)
    first = piece.ordered_parts()[0].id
    return RemovePart(first, sure=True).change(piece).apply(piece)


def groups(*names: str) -> list[tuple[int, int, bool]]:
    return [(g.first, g.last, g.through) for g in part_groups(score(*names).ordered_parts())]


def test_neighbours_of_one_family_are_bracketed() -> None:
    assert groups("Violin", "Violin", "Viola", "Cello") == [(0, 3, True)]
    assert groups("Flute", "Oboe", "Horn in F", "Trombone", "Timpani", "Violin", "Cello") == [
        (0, 1, True),
        (2, 3, True),
        (5, 6, True),
    ]
    assert groups("Soprano", "Alto", "Tenor", "Bass (voice)", "Piano") == [(0, 3, False)]
    assert groups("Singer", "Piano") == []
    assert groups("Flute", "Violin", "Flute") == []


@pytest.mark.parametrize("name", [i.name for i in INSTRUMENTS if i.family in ("voices", "winds", "brass", "strings")])
def test_each_instrument_of_the_list_is_in_its_family(name: str) -> None:
    wanted = instrument(name)
    assert family_of(wanted.part("p1", 0)) == ("" if len(wanted.clefs) > 1 else wanted.family)


@pytest.mark.parametrize(
    ("name", "family"),
    [
        ("Violino I", "strings"), ("Bratsche", "strings"), ("Violoncello", "strings"), ("Flauti", "winds"),
        ("Fagott", "winds"), ("Corno in Fa", "brass"), ("Posaune", "brass"), ("Cantus", "voices"), ("S.", "voices"),
        ("Bass Guitar", ""), ("Keys", ""),
    ],
)  # fmt: skip
def test_a_part_of_a_file_without_a_sound_is_known_by_its_name(name: str, family: str) -> None:
    assert family_of(Part("p1", name, clefs=("treble",))) == family


def test_brackets_are_in_the_file_and_on_the_page() -> None:
    piece = score("Violin", "Violin", "Viola", "Cello")
    read = music21.converter.parseData(write_musicxml(piece).decode(), format="musicxml")
    (group,) = read.recurse().getElementsByClass(music21.layout.StaffGroup)
    assert (group.symbol, group.barTogether, len(group)) == ("bracket", True, 4)
    (page,) = printed(piece, PageSetup()).pages
    assert 'class="grpSym"' in page


def test_a_quartet_from_elsewhere_is_bracketed_and_no_part_is_named_by_the_program() -> None:
    piece = read_musicxml((CORPUS / "haydn/opus1no1/movement1.mxl").read_bytes()).piece
    parts = piece.ordered_parts()
    assert part_groups(parts) == [PartGroup(0, len(parts) - 1, True)]
    nameless = write_musicxml(piece).replace(parts[0].name.encode(), b"MusicXML Part")
    assert "MusicXML Part" not in {p.name for p in read_musicxml(nameless).piece.ordered_parts()}
