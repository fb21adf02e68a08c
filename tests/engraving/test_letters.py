"""Any letter prints, and no line of words leaves its page; the PDF is measured as a reader shows it (poppler)."""

from __future__ import annotations

import re
import shutil
import subprocess
from dataclasses import replace
from pathlib import Path

import music21
import pytest

from ductus.app.files.exporting import kind_of
from ductus.core.score.mark_edits.place_marks import marked, where
from ductus.core.score.mark_language.parser import wish_of
from ductus.core.score.model.piece import Piece
from ductus.core.score.note_edits.write import change_facts
from ductus.engraving import faces, pdf, title_block
from ductus.engraving.pages import PageSetup, printed
from ductus.formats.musicxml_read.score import read_musicxml
from ductus.formats.musicxml_write import write_musicxml
from tests.building import piece_of, random_piece

needs_reader = pytest.mark.skipif(
    shutil.which("pdftotext") is None or shutil.which(pdf.CONVERTER) is None, reason="poppler-utils is not here"
)
LONG = "The second entrance of the ferryman’s daughter with her two otters and a lantern, as it was played at " * 2
WORDS = {
    "Cyrillic": "Вечерняя песня",
    "Greek": "Ἑσπέρα καὶ νύξ",
    "Vietnamese": "Đêm trên sông",
    "Czech": "Žlutý měsíc nad řekou",
    "Hebrew": "שיר ערב",
    "Arabic": "أغنية المساء",
}


def with_words(words: str, piece: Piece | None = None) -> Piece:
    """Eight quarters with a word under each, and the same words as title and composer."""
    piece = piece or piece_of("4/4", [(k, 1) for k in range(8)])
    at = where(tuple(piece.notes.values()), ("p1", 1, 1), 0)
    piece = marked(piece, wish_of(f"lyrics {words}"), at).apply(piece)
    return change_facts(piece, title=words, composer=words).apply(piece)


@pytest.mark.parametrize("words", WORDS.values(), ids=list(WORDS))
def test_a_face_that_ships_has_every_letter(words: str) -> None:
    assert faces.missing(words.replace(" ", "")) == frozenset()
    assert printed(with_words(words), PageSetup()).undrawn == ""


def pdf_file(piece: Piece, folder: Path) -> Path:
    file = folder / "score.pdf"
    file.write_bytes(kind_of("pdf").write(piece, PageSetup()))
    return file


def blackness(file: Path) -> float:
    """The share of dark points of the first page."""
    picture = subprocess.run(
        ["pdftoppm", "-r", "40", "-gray", "-singlefile", str(file)], capture_output=True, check=True
    ).stdout
    header = re.match(rb"P5\s+(\d+)\s+(\d+)\s+255\s", picture)
    assert header
    points = picture[header.end() :]
    return sum(p < 128 for p in points) / len(points)


@needs_reader
@pytest.mark.parametrize(
    "words",
    [*WORDS.values(), "夕べの歌", "\U0001f9a6", "a\U0001d165b"],
    ids=[*WORDS, "Japanese", "otter", "strange mark"],
)
def test_no_letter_fills_a_page_of_the_pdf_and_words_can_be_searched(words: str, tmp_path: Path) -> None:
    """A letter that no font has was drawn as a box as high as the page."""
    file, plain_folder = pdf_file(with_words(words), tmp_path), tmp_path / "plain"
    plain_folder.mkdir()
    plain = pdf_file(with_words("Evening song"), plain_folder)
    assert blackness(file) < blackness(plain) + 0.01
    told = subprocess.run(["pdftotext", str(file), "-"], capture_output=True, check=True).stdout.decode()
    if words in list(WORDS.values())[:4]:
        assert words.split()[0] in told


@needs_reader
def test_a_pdf_says_what_it_is(tmp_path: Path) -> None:
    """Title and author as a reader's list shows them (ISO 32000-1, 14.3.3), the language of the words that are sung."""
    file = pdf_file(with_words("Ἑσπέρα"), tmp_path)
    told = subprocess.run(["pdfinfo", str(file)], capture_output=True, check=True).stdout.decode()
    assert re.search(r"Title:\s+Ἑσπέρα", told)
    assert re.search(r"Author:\s+Ἑσπέρα", told)
    assert b"/Lang (el)" in file.read_bytes()


def test_letters_that_no_font_has_are_told(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(faces, "_on_this_machine", lambda letter: letter == "歌")
    made = printed(with_words("夕べの歌"), PageSetup())
    assert made.undrawn == "".join(sorted("夕べの"))


def test_a_syllable_joined_to_the_next_keeps_its_undertie_there_and_back() -> None:
    piece = with_words("das͜ist ver-lo‿ren")
    xml = write_musicxml(piece)
    assert xml.count("<elision>‿</elision>".encode()) == 2
    again = read_musicxml(xml)
    sung = [s.text for n in sorted(again.piece.notes.values(), key=lambda n: n.tick) for s in n.lyrics]
    assert sung == ["das‿ist", "ver", "lo‿ren"]
    assert not any("elision" in loss for loss in again.losses)
    (first, *_) = music21.converter.parseData(xml.decode(), format="musicxml").recurse().notes
    assert [c.text for c in first.lyrics[0].components] == ["das", "ist"]


@pytest.mark.parametrize("size", [("a4", 210.0), ("letter", 215.9)])
def test_no_line_of_words_leaves_the_page(size: tuple[str, float]) -> None:
    piece = random_piece(4, "4/4", 60)
    piece = change_facts(
        piece,
        title=LONG.strip(),
        subtitle=LONG.strip(),
        composer=LONG[:90].strip(),
        lyricist="Llanfair" * 20,
        rights=LONG.strip(),
    ).apply(piece)
    made = printed(piece, PageSetup(size[0]))  # type: ignore[arg-type]
    block = title_block.title_block(piece.facts, size[1])
    lines = [*block.lines, *title_block.rights_lines(piece.facts, size[1], 297.0)]
    assert len(made.pages) > 1
    lines.append(title_block.running_head(piece.facts, size[1]))  # type: ignore[arg-type]
    for line in lines:
        wide = faces.text_width(line.text, italic=line.italic) * line.size
        left = {"start": line.x, "middle": line.x - wide / 2, "end": line.x - wide}[line.anchor]
        assert left >= title_block.SIDE - 0.5, line.text
        assert left + wide <= size[1] - title_block.SIDE + 0.5, line.text
        assert f"{line.text[:20]}" in made.pages[0] + made.pages[1]
    spoken = " ".join(line.text for line in block.lines if line.size == block.lines[0].size)
    assert spoken == LONG.strip()  # nothing is cut
    assert block.high == max(line.y for line in block.lines) - 3.5 + 5 + title_block.BELOW  # the music stands clear


def test_a_title_that_nearly_fits_is_set_smaller_on_one_line() -> None:
    piece = random_piece(4, "4/4", 4)
    title = "The Ferryman’s Daughter Waits by the Old Third Lock Gate"
    facts = replace(piece.facts, title=title)
    (line,) = title_block.title_block(facts, 210.0).lines
    assert line.text == title
    assert title_block.LEAST_TITLE <= line.size < title_block.TITLE


@needs_reader
def test_pages_drawn_by_several_processes_stand_in_order(tmp_path: Path) -> None:
    piece = change_facts(random_piece(4, "4/4", 150), title="Order").apply(random_piece(4, "4/4", 150))
    count = len(printed(piece, PageSetup()).pages)
    assert count > pdf.LEAST_TOGETHER
    told = subprocess.run(
        ["pdftotext", "-layout", str(pdf_file(piece, tmp_path)), "-"], capture_output=True, check=True
    ).stdout.decode()
    feet = [page.split()[-1] for page in told.split("\f")[:-1]]
    assert feet == [str(k) for k in range(1, count + 1)]


SIGNS = ("♩ = ♪", "𝅗𝅥 = ♩.", "in B♭", "F♯ minor", "from 𝄋 to ⊕", "✱")


@needs_reader
@pytest.mark.parametrize("words", SIGNS)
def test_signs_among_words_are_drawn_by_the_music_font(
    words: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(faces, "_on_this_machine", lambda _: False)  # as on a machine without other fonts
    piece = random_piece(1, "4/4", 2)
    wish = wish_of(words) if "=" in words else wish_of(f'"{words}"')
    piece = marked(piece, wish, where((), ("p1", 1, 1), 0)).apply(piece)
    piece = change_facts(piece, title=words).apply(piece)
    made = printed(piece, PageSetup())
    assert made.undrawn == ""
    assert not set(faces.SIGNS) & set("".join(made.pages))
    plain = pdf_file(random_piece(1, "4/4", 2), tmp_path)
    usual = blackness(plain)
    plain.write_bytes(pdf.pdf_of(made.pages))
    assert blackness(plain) < usual + 0.01
