"""A piece as a file, by the ending of its name: one table for the screen and the command line."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable
from dataclasses import dataclass

from ductus.core.errors import BadInput
from ductus.core.score.piece import Piece
from ductus.engraving.pages import PageSetup, extract, printed
from ductus.engraving.pdf import pdf_of, with_fonts
from ductus.formats.midi import write_midi
from ductus.formats.musicxml_write import write_musicxml


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of file: its media type, and what writes it."""

    media_type: str
    write: Callable[[Piece, PageSetup], bytes]


def _musicxml(piece: Piece, setup: PageSetup) -> bytes:
    return write_musicxml(extract(piece, setup.part) if setup.part else piece)


def _midi(piece: Piece, setup: PageSetup) -> bytes:
    return write_midi(extract(piece, setup.part) if setup.part else piece)


def _pdf(piece: Piece, setup: PageSetup) -> bytes:
    return pdf_of(printed(piece, setup).pages)


def _svg(piece: Piece, setup: PageSetup) -> bytes:
    pages = printed(piece, setup).pages
    if len(pages) > 1:
        raise BadInput(f"There are {len(pages)} pages, one SVG file holds one; take .zip for all. Nothing was written.")
    return with_fonts(pages[0]).encode()


def _zip(piece: Piece, setup: PageSetup) -> bytes:
    """All pages as SVG files in one archive."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for k, page in enumerate(printed(piece, setup).pages):
            archive.writestr(f"page-{k + 1:03d}.svg", with_fonts(page))
    return out.getvalue()


KINDS: dict[str, Kind] = {
    "musicxml": Kind("application/vnd.recordare.musicxml+xml", _musicxml),
    "xml": Kind("application/vnd.recordare.musicxml+xml", _musicxml),
    "mid": Kind("audio/midi", _midi),
    "midi": Kind("audio/midi", _midi),
    "pdf": Kind("application/pdf", _pdf),
    "svg": Kind("image/svg+xml", _svg),
    "zip": Kind("application/zip", _zip),
}


def kind_of(ending: str) -> Kind:
    """The kind of file with an ending. Raises BadInput."""
    found = KINDS.get(ending.lstrip(".").lower())
    if found is None:
        raise BadInput(f"Ductus writes {', '.join('.' + k for k in KINDS)}, not “{ending[:20]}”. Nothing was written.")
    return found
