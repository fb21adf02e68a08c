"""Pages as PDF and as SVG files: drawn by librsvg's ``rsvg-convert`` (Debian package librsvg2-bin), vector all
through, fonts embedded.

The converter finds only the fonts that ship with Ductus: the music font of the engraver and the text font of the
page.
"""

from __future__ import annotations

import base64
import io
import math
import os
import shutil
import subprocess
import tempfile
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import lru_cache, partial
from pathlib import Path

from fontTools.ttLib import TTFont

from ductus.core.errors import DuctusError
from ductus.engraving.faces import faces_for, letters_of, missing, music_font, plain, undrawn, unmarked

CONVERTER = "rsvg-convert"
MISSING = (
    "To make a PDF Ductus needs the program rsvg-convert, which is not installed here: on Debian it comes with "
    "“apt install librsvg2-bin” (make setup brings it). Pages as SVG can be made without it."
)
FONTS_CONF = """<?xml version="1.0"?><!DOCTYPE fontconfig SYSTEM "fonts.dtd">
<fontconfig><dir>{folder}</dir>{more}<cachedir>{folder}/cache</cachedir></fontconfig>"""
MACHINE_FONTS = ("/usr/share/fonts", "/usr/local/share/fonts", "/Library/Fonts", "/System/Library/Fonts")
NO_LETTER = "?"  # in place of a letter that no font has: the converter would draw a box as high as the page
PDF_TIME_S = 120
LEAST_TOGETHER = 3  # pages that one process of the converter draws: each has its own fonts in the file


class NoConverter(DuctusError):
    """The program that makes PDF files is not there."""


@lru_cache(maxsize=1)
def _plain_music_font() -> bytes:
    font = TTFont(io.BytesIO(music_font()))
    font.flavor = None
    out = io.BytesIO()
    font.save(out)
    return out.getvalue()


@dataclass(frozen=True, slots=True)
class Imprint:
    """What a PDF says of itself: its title, who wrote it, and the language of its words (BCP 47; "": not known)."""

    title: str = ""
    author: str = ""
    language: str = ""


def signed(parts: Sequence[bytes], imprint: Imprint) -> bytes:
    """The PDF of these parts, which says what it is (ISO 32000-1, 14.3.3, 14.9.2).

    Viewers show its title, readers know its language.
    """
    from pypdf import PdfWriter  # here, since it takes long to load
    from pypdf.generic import BooleanObject, DictionaryObject, NameObject, TextStringObject

    writer = PdfWriter(clone_from=io.BytesIO(parts[0]))
    for part in parts[1:]:
        writer.append(io.BytesIO(part))
    said = {"/Title": imprint.title, "/Author": imprint.author, "/Creator": "Ductus"}
    writer.add_metadata({name: words for name, words in said.items() if words})
    if imprint.language:
        writer.root_object[NameObject("/Lang")] = TextStringObject(imprint.language)
    if imprint.title:
        shown = DictionaryObject({NameObject("/DisplayDocTitle"): BooleanObject(True)})
        writer.root_object[NameObject("/ViewerPreferences")] = shown
    out = io.BytesIO()
    writer.write(out)
    return out.getvalue()


def pdf_of(pages: Sequence[str], imprint: Imprint | None = None) -> bytes:
    """One PDF of all pages. Raises NoConverter, with words, where it cannot be made."""
    program = shutil.which(CONVERTER)
    if program is None:
        raise NoConverter(MISSING)
    with tempfile.TemporaryDirectory(prefix="ductus-pdf-") as name:
        folder = Path(name)
        fonts = folder / "fonts"
        fonts.mkdir()
        (fonts / "Leipzig.otf").write_bytes(_plain_music_font())
        letters = letters_of(pages)
        for face in faces_for(letters):
            (fonts / face.name.replace(".woff2", ".ttf")).write_bytes(plain(face.name))
        more = "".join(f"<dir>{d}</dir>" for d in MACHINE_FONTS) if missing(letters) else ""
        (folder / "fonts.conf").write_text(FONTS_CONF.format(folder=fonts, more=more), encoding="utf-8")
        none = {ord(c): NO_LETTER for c in undrawn(letters)} | {ord(c): "" for c in unmarked(letters)}
        files = []
        for k, page in enumerate(pages):
            file_path = folder / f"page-{k + 1:04d}.svg"
            file_path.write_text(page.translate(none), encoding="utf-8")
            files.append(str(file_path))
        each = max(math.ceil(len(files) / (os.cpu_count() or 1)), LEAST_TOGETHER)
        shares = [files[k : k + each] for k in range(0, len(files), each)]
        with ThreadPoolExecutor(len(shares)) as workers:
            parts = list(workers.map(partial(_converted, program, folder), range(len(shares)), shares))
        return signed(parts, imprint or Imprint())


def _converted(program: str, folder: Path, number: int, files: list[str]) -> bytes:
    """The PDF of some pages, drawn with the fonts of a folder. Raises NoConverter."""
    out = folder / f"out-{number}.pdf"
    done = subprocess.run(
        [program, "--format=pdf", "--unlimited", "--keep-aspect-ratio", f"--output={out}", *files],
        env={
            "FONTCONFIG_FILE": str(folder / "fonts.conf"),
            "HOME": str(folder),
            "PATH": "/usr/bin:/bin",
            "LC_ALL": "C.UTF-8",
        },
        capture_output=True,
        timeout=PDF_TIME_S,
        check=False,
    )
    if done.returncode or not out.exists():
        raise NoConverter(
            f"The PDF could not be made: {done.stderr.decode(errors='replace').strip()[:200] or 'rsvg-convert failed'}."
        )
    return out.read_bytes()


def with_fonts(page: str) -> str:
    """A page that stands alone: with its fonts inside."""
    inside = [_face("Leipzig", "normal", "400", music_font())]
    inside += (_face(f"'{f.family}'", f.style, f.weight, f.data) for f in faces_for(letters_of([page])))
    return page.replace("<style>", "<style>" + "".join(inside), 1)


def _face(family: str, style: str, weight: str, data: bytes) -> str:
    source = base64.b64encode(data).decode()
    return (
        f"@font-face{{font-family:{family};font-style:{style};font-weight:{weight};"
        f"src:url(data:font/woff2;base64,{source})}}"
    )
