"""Pages: every bar once and in order, nothing outside its page, balanced systems, no single last system; the PDF as
a reader sees it.
"""

from __future__ import annotations

import re
import shutil
import subprocess
import zipfile
from dataclasses import replace
from io import BytesIO
from pathlib import Path

import music21
import pytest

from ductus.app.files.exporting import kind_of
from ductus.core.errors import BadInput, NotThere
from ductus.core.notation.rests import long_rests
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import BarSign, Mark, Record, TempoMark
from ductus.core.score.structure_edits.parts import AddPart
from ductus.core.time.note_values import NoteValue
from ductus.core.time.ticks import QUARTER
from ductus.demo.scenario import song
from ductus.demo.shelf import PIECES
from ductus.engraving import pdf
from ductus.engraving.breaking import SPACE, balanced
from ductus.engraving.layout import bar_units
from ductus.engraving.pages import SIZES, PageSetup, extract, part_named, printed, proposed_staff
from ductus.formats.musicxml_read.score import read_musicxml
from tests.building import piece_of, random_piece

needs_converter = pytest.mark.skipif(shutil.which(pdf.CONVERTER) is None, reason=pdf.MISSING)


def bars_on(page: str) -> list[int]:
    return [int(b) for b in re.findall(r'<g id="b(\d+)-p1" class="measure', page)]


@pytest.mark.parametrize("bars", [1, 7, 60, 150])
@pytest.mark.parametrize("size", list(SIZES))
def test_every_bar_is_printed_once_and_in_order(bars: int, size: str) -> None:
    piece = random_piece(bars, "4/4", bars)
    made = printed(piece, PageSetup(size))  # type: ignore[arg-type]
    assert [b for page in made.pages for b in bars_on(page)] == list(range(piece.bar_count))
    assert (made.width_mm, made.height_mm) == SIZES[size]


def systems_of(page: str) -> int:
    return page.count('class="system"')


@pytest.mark.parametrize("bars", [22, 37, 40])
def test_no_page_ends_a_piece_with_a_single_system(bars: int, monkeypatch: pytest.MonkeyPatch) -> None:
    piece = random_piece(1, "4/4", bars)
    assert systems_of(printed(piece, PageSetup(staff_mm=7.0)).pages[-1]) > 1
    monkeypatch.setattr("ductus.engraving.breaking.ORPHAN", 0.0)
    assert systems_of(printed(piece, PageSetup(staff_mm=7.0)).pages[-1]) == 1  # filled page by page, it would


def test_systems_are_about_equally_full() -> None:
    piece = random_piece(2, "3/4", 61)
    widths = [sum(bar_units(piece, b) for b in range(first, last + 1)) for first, last in balanced(piece, 100.0)]
    assert min(widths) > 0.7 * max(widths)


def test_what_is_drawn_stays_inside_its_page() -> None:
    for make in PIECES:
        for page in printed(make(), PageSetup()).pages:
            box = re.search(r'viewBox="0 0 (\d+) (\d+)"', page)
            assert box is not None
            wide, high = map(float, box.groups())
            moves = [
                (float(x), float(y)) for x, y in re.findall(r'<g transform="translate\((-?\d+), (-?\d+)\)">', page)
            ]
            assert moves
            for (x, y), drawing in zip(
                moves, re.split(r'<g transform="translate\(-?\d+, -?\d+\)">', page)[1:], strict=True
            ):
                for px, py in re.findall(r"[ML](-?\d+) (-?\d+)", drawing):
                    assert 0 <= float(px) + x <= wide
                    assert 0 <= float(py) + y <= high


def test_the_staff_is_as_high_as_was_asked_for() -> None:
    page = printed(random_piece(3, "4/4", 8), PageSetup(staff_mm=6.0)).pages[0]
    wide = float(re.search(r'viewBox="0 0 (\d+) ', page).group(1))  # type: ignore[union-attr]
    assert 4 * SPACE / (wide / SIZES["a4"][0]) == pytest.approx(6.0, abs=0.01)


def test_the_staff_is_proposed_smaller_as_the_score_grows() -> None:
    piece: Piece = random_piece(1, "4/4", 4)
    sizes = [proposed_staff(piece)]
    for _ in range(9):
        change = AddPart("Violin").change(piece)
        piece = change.apply(piece)
        sizes.append(proposed_staff(piece))
    assert sizes == sorted(sizes, reverse=True)
    assert sizes[0] == 7.0


def test_the_staff_is_a_little_smaller_where_that_saves_a_fifth_of_the_pages() -> None:
    path = music21.corpus.getWork("johnson_j_r/lift_every_voice")  # four voices with three verses each
    piece = read_musicxml(Path(str(path)).read_bytes()).piece
    staff = proposed_staff(piece)
    assert 0.9 * 6 <= staff < 6
    assert len(printed(piece, PageSetup()).pages) <= 0.8 * len(printed(piece, PageSetup(staff_mm=6.0)).pages)


def test_a_part_is_printed_alone_with_its_name_and_the_tempo() -> None:
    piece = song()
    singer = part_named(piece, "singer")
    pages = printed(piece, PageSetup(part=singer.id)).pages
    assert all('-p2" class="measure' not in page for page in pages)
    assert singer.name in pages[0]
    assert {n.part for n in extract(piece, singer.id).notes.values()} == {singer.id}
    with pytest.raises(NotThere, match="the parts are"):
        part_named(piece, "oboe")


def test_a_page_too_small_for_its_staves_says_so() -> None:
    piece = random_piece(1, "4/4", 2)
    for _ in range(30):
        piece = AddPart("Piano").change(piece).apply(piece)
    with pytest.raises(BadInput, match="too small for these staves"):
        printed(piece, PageSetup(staff_mm=9.0))
    with pytest.raises(BadInput, match="cannot be printed"):
        printed(piece, PageSetup(staff_mm=20.0))


def test_the_head_of_the_piece_stands_on_the_first_page_and_page_numbers_on_all() -> None:
    piece = random_piece(4, "4/4", 90)
    facts = {
        "title": "Seven <Lanterns> & one",
        "subtitle": "by the lock",
        "composer": "M. Reed",
        "arranger": "arr. O. Lamp",
        "number": "12",
        "lyricist": "words: N. Oar",
        "rights": "© 2026 the barge",
    }
    from ductus.core.score.note_edits.write import change_facts

    piece = change_facts(piece, **facts).apply(piece)
    pages = printed(piece, PageSetup()).pages
    assert "Seven &lt;Lanterns&gt; &amp; one" in pages[0]
    assert all(
        words in pages[0]
        for words in ("by the lock", "M. Reed", "arr. O. Lamp", ">12<", "words: N. Oar", "© 2026 the barge")
    )
    assert not any("the barge" in page for page in pages[1:])
    assert all(f">{k}</text>" in page for k, page in enumerate(pages, 1))


@needs_converter
def test_the_pdf_has_its_pages_size_and_fonts(tmp_path: Path) -> None:
    """Read back by poppler where it is installed; else by the file's own structure (PDF 1.5, ISO 32000-1, 7.7.3)."""
    piece = random_piece(5, "4/4", 70)
    count = len(printed(piece, PageSetup("letter")).pages)
    data = kind_of(".pdf").write(piece, PageSetup("letter"))
    assert data.startswith(b"%PDF-")
    file = tmp_path / "score.pdf"
    file.write_bytes(data)
    if shutil.which("pdfinfo") is None:
        assert data.count(b"/Type /Page") >= count
        return
    told = subprocess.run(["pdfinfo", str(file)], capture_output=True, text=True, check=True).stdout
    assert re.search(rf"Pages:\s+{count}\b", told)
    assert re.search(r"Page size:\s+612 x 792", told)
    fonts = subprocess.run(["pdffonts", str(file)], capture_output=True, text=True, check=True).stdout
    assert "Alegreya" in fonts
    assert all(line.split()[-5] == "yes" for line in fonts.splitlines()[2:])  # embedded


def test_without_the_converter_it_is_said_what_is_missing(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(shutil, "which", lambda _: None)
    with pytest.raises(pdf.NoConverter, match="librsvg2-bin"):
        pdf.pdf_of(["<svg/>"])


def test_pages_as_svg_stand_alone() -> None:
    piece = random_piece(5, "4/4", 70)
    archive = zipfile.ZipFile(BytesIO(kind_of("zip").write(piece, PageSetup())))
    names = archive.namelist()
    assert len(names) == len(printed(piece, PageSetup()).pages)
    assert all(b"@font-face" in archive.read(n) and b"http://www.w3.org/2000/svg" in archive.read(n) for n in names)
    with pytest.raises(BadInput, match="one SVG file holds one"):
        kind_of("svg").write(piece, PageSetup())
    assert kind_of("svg").write(random_piece(1, "4/4", 3), PageSetup()).startswith(b"<svg")


def test_bars_of_silence_are_joined_in_a_part_and_end_where_something_is_to_be_seen() -> None:
    piece = piece_of("4/4", [(0, 1), (24, 4), (60, 2)])  # quarters from the start: bars 1, 7 and 16
    rows: list[tuple[None, Record]] = [
        (None, BarSign("s901", "section", 10, "B")),
        (None, TempoMark("t901", 18 * 4 * QUARTER, 66, NoteValue("quarter"))),
        (None, Mark("m901", "text", "p1", 1, 1, 22 * 4 * QUARTER, 0, "colla voce")),
    ]
    piece = piece.with_rows([(piece.facts, replace(piece.facts, bars=30)), *rows])
    assert long_rests(piece) == {1: 5, 7: 3, 10: 5, 16: 2, 18: 4, 23: 7}
    made = printed(piece, PageSetup(part="p1"))
    shown = [b for page in made.pages for b in bars_on(page)]
    assert shown == [0, 1, 6, 7, 10, 15, 16, 18, 22, 23]
    page = "".join(made.pages)
    assert page.count('class="multiRest"') == 2 * 6  # both staves of the piano
    assert page.count('class="reh"') == 1
    assert "colla voce" in page
    whole = printed(piece, PageSetup())
    assert [b for page in whole.pages for b in bars_on(page)] == list(range(30))  # the score shows every bar


def test_a_score_of_several_parts_joins_nothing_and_a_long_silence_is_one_bar_wide() -> None:
    assert not long_rests(song())
    quiet = piece_of("3/4", [(0, 1)])
    quiet = quiet.with_rows([(quiet.facts, replace(quiet.facts, bars=300))])
    assert long_rests(quiet) == {1: 299}
    assert [systems_of(page) for page in printed(quiet, PageSetup(part="p1")).pages] == [1]


# Pages as a copyist plans them, from the density of the music: so many bars of 4/4 eighths fit a line of 182 mm at
# 7 mm, so many systems a page (from memory of printed editions; the rag as its first edition of four pages).
PLANNED = {
    "joplin/maple_leaf_rag.mxl": (4, 5),
    "mozart/k545/movement1_exposition.mxl": (1, 1),
    "schumann_robert/opus48no2.mxl": (1, 2),
    "haydn/opus74no1/movement1.mxl": (10, 13),
    "schubert/Lindenbaum.xml": (5, 6),
}


@pytest.mark.parametrize("name", PLANNED)
def test_a_score_takes_the_pages_that_a_copyist_plans(name: str) -> None:
    piece = read_musicxml((Path(music21.__file__).parent / "corpus" / name).read_bytes()).piece
    least, most = PLANNED[name]
    assert least <= len(printed(piece, PageSetup()).pages) <= most
