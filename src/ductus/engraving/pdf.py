"""Pages as PDF and as SVG files: drawn by librsvg's ``rsvg-convert`` (Debian package librsvg2-bin), vector all
through, fonts embedded.

The converter finds only the fonts that ship with Ductus: the music font of the engraver and the text font of the
page.
"""

from __future__ import annotations

import base64
import io
import re
import shutil
import subprocess
import tempfile
from collections.abc import Sequence
from functools import lru_cache
from importlib import resources
from pathlib import Path

import verovio
from fontTools.ttLib import TTFont

from ductus.core.errors import DuctusError

CONVERTER = "rsvg-convert"
MISSING = (
    "To make a PDF Ductus needs the program rsvg-convert, which is not installed here: on Debian it comes with "
    "“apt install librsvg2-bin” (make setup brings it). Pages as SVG can be made without it."
)
TEXT_FONTS = re.compile(r"^alegreya-latin(-ext)?-(400|500)-(normal|italic)[^/]*\.woff2$")
FONTS_CONF = """<?xml version="1.0"?><!DOCTYPE fontconfig SYSTEM "fonts.dtd">
<fontconfig><dir>{folder}</dir><cachedir>{folder}/cache</cachedir></fontconfig>"""
PDF_TIME_S = 120


class NoConverter(DuctusError):
    """The program that makes PDF files is not there."""


@lru_cache(maxsize=1)
def music_font() -> bytes:
    """The engraver's music font (WOFF2), out of the style sheet that it ships."""
    css = (resources.files(verovio) / "data" / "Leipzig.css").read_text(encoding="utf-8")
    found = re.search(r"base64,([A-Za-z0-9+/=]+)", css)
    assert found is not None, "the engraver has no music font"
    return base64.b64decode(found.group(1))


@lru_cache(maxsize=1)
def text_fonts() -> dict[str, bytes]:
    """The text fonts of the page by file name (WOFF2)."""
    folder = resources.files("ductus.web") / "static" / "assets"
    if not folder.is_dir():
        return {}
    return {f.name: f.read_bytes() for f in folder.iterdir() if TEXT_FONTS.match(f.name)}


@lru_cache(maxsize=1)
def plain_fonts() -> dict[str, bytes]:
    """The same fonts as TrueType or OpenType files: the converter embeds no compressed ones."""
    out = {}
    for name, data in {"Leipzig.woff2": music_font(), **text_fonts()}.items():
        font = TTFont(io.BytesIO(data))
        font.flavor = None
        plain = io.BytesIO()
        font.save(plain)
        out[name.replace(".woff2", ".ttf")] = plain.getvalue()
    return out


def pdf_of(pages: Sequence[str]) -> bytes:
    """One PDF of all pages. Raises NoConverter, with words, where it cannot be made."""
    program = shutil.which(CONVERTER)
    if program is None:
        raise NoConverter(MISSING)
    with tempfile.TemporaryDirectory(prefix="ductus-pdf-") as name:
        folder = Path(name)
        fonts = folder / "fonts"
        fonts.mkdir()
        for file, data in plain_fonts().items():
            (fonts / file).write_bytes(data)
        (folder / "fonts.conf").write_text(FONTS_CONF.format(folder=fonts), encoding="utf-8")
        files = []
        for k, page in enumerate(pages):
            file_path = folder / f"page-{k + 1:04d}.svg"
            file_path.write_text(page, encoding="utf-8")
            files.append(str(file_path))
        out = folder / "out.pdf"
        done = subprocess.run(
            [program, "--format=pdf", "--unlimited", "--keep-aspect-ratio", f"--output={out}", *files],
            env={
                "FONTCONFIG_FILE": str(folder / "fonts.conf"),
                "HOME": name,
                "PATH": "/usr/bin:/bin",
                "LC_ALL": "C.UTF-8",
            },
            capture_output=True,
            timeout=PDF_TIME_S,
            check=False,
        )
        if done.returncode or not out.exists():
            raise NoConverter(
                f"The PDF could not be made: "
                f"{done.stderr.decode(errors='replace').strip()[:200] or 'rsvg-convert failed'}."
            )
        return out.read_bytes()


def with_fonts(page: str) -> str:
    """A page that stands alone: with its fonts inside."""
    faces = [_face("Leipzig", "normal", "400", music_font())]
    for name, data in sorted(text_fonts().items()):
        if "-latin-ext-" not in name:
            faces.append(
                _face("Alegreya", "italic" if "italic" in name else "normal", "500" if "-500-" in name else "400", data)
            )
    return page.replace("<style>", "<style>" + "".join(faces), 1)


def _face(family: str, style: str, weight: str, data: bytes) -> str:
    source = base64.b64encode(data).decode()
    return (
        f"@font-face{{font-family:{family};font-style:{style};font-weight:{weight};"
        f"src:url(data:font/woff2;base64,{source})}}"
    )
