"""A piece as a file, by the ending of its name: one table for the screen and the command line."""

from __future__ import annotations

import io
import unicodedata
import zipfile
from collections.abc import Callable
from dataclasses import dataclass, replace

from ductus.core.errors import BadInput
from ductus.core.playback.performance import AS_SET, PlaybackStyle
from ductus.core.progress import passed, stretch
from ductus.core.score.model.piece import Piece
from ductus.engraving.pages import PageSetup, extract, printed
from ductus.engraving.pdf import Imprint, pdf_of, with_fonts
from ductus.formats.archives import zipped
from ductus.formats.audio import FORMATS, write_audio
from ductus.formats.midi import write_midi
from ductus.formats.musicxml_write import write_musicxml
from ductus.store.packed import MEDIA_TYPE, Packed, to_file


@dataclass(frozen=True, slots=True)
class Wanted:
    """What of a piece is wanted, and how.

    Its pages (and with them the part), how it sounds, bars (first and last index; None: all).
    """

    pages: PageSetup = PageSetup()
    manner: PlaybackStyle = AS_SET
    bars: tuple[int, int] | None = None
    packed: Packed | None = None  # all that belongs to the piece, for a file of our own


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of file: its media type, and what writes it."""

    media_type: str
    make: Callable[[Piece, Wanted], bytes]

    def write(self, piece: Piece, setup: PageSetup, wanted: Wanted | None = None) -> bytes:
        """The piece as such a file. Raises BadInput."""
        return self.make(piece, replace(wanted or Wanted(), pages=setup))


SCRIPTS = {"CYRILLIC": "und-Cyrl", "GREEK": "el", "HEBREW": "he", "ARABIC": "und-Arab"}


def _musicxml(piece: Piece, wanted: Wanted) -> bytes:
    return write_musicxml(extract(piece, wanted.pages.part) if wanted.pages.part else piece)


def _midi(piece: Piece, wanted: Wanted) -> bytes:
    return write_midi(extract(piece, wanted.pages.part) if wanted.pages.part else piece, wanted.manner)


def _pdf(piece: Piece, wanted: Wanted) -> bytes:
    with stretch(0.0, 0.8):
        pages = printed(piece, wanted.pages).pages
    passed(0.8)
    return pdf_of(pages, Imprint(piece.facts.title, piece.facts.composer, language_of(piece)))


def language_of(piece: Piece) -> str:
    """The language of the words that are sung, as far as their letters tell it (BCP 47); "" for none."""
    sung = "".join(s.text for n in piece.notes.values() for s in n.lyrics)
    scripts = {unicodedata.name(c, "").split(" ")[0] for c in sung if c.isalpha()}
    told = [language for script, language in SCRIPTS.items() if script in scripts]
    return told[0] if len(told) == 1 and "LATIN" not in scripts else ""


def _svg(piece: Piece, wanted: Wanted) -> bytes:
    pages = printed(piece, wanted.pages).pages
    if len(pages) > 1:
        raise BadInput(f"There are {len(pages)} pages, one SVG file holds one; take .zip for all. Nothing was written.")
    return with_fonts(pages[0]).encode()


def _zip(piece: Piece, wanted: Wanted) -> bytes:
    """All pages as SVG files in one archive."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for k, page in enumerate(printed(piece, wanted.pages).pages):
            archive.writestr(f"page-{k + 1:03d}.svg", with_fonts(page))
    return out.getvalue()


def _mxl(piece: Piece, wanted: Wanted) -> bytes:
    """Compressed MusicXML: an archive whose container names the score (MusicXML 4.0)."""
    members = (("META-INF/container.xml", CONTAINER.encode()), ("score.musicxml", _musicxml(piece, wanted)))
    return zipped(iter(members), "application/vnd.recordare.musicxml")


CONTAINER = (
    '<?xml version="1.0" encoding="UTF-8"?>\n<container><rootfiles>'
    '<rootfile full-path="score.musicxml" media-type="application/vnd.recordare.musicxml+xml"/></rootfiles></container>'
)


def _ductus(piece: Piece, wanted: Wanted) -> bytes:
    return to_file([wanted.packed or Packed(piece)])


def bars_named(piece: Piece, text: str) -> tuple[int, int] | None:
    """Bars as people name them ("5-12", "7") as indices; None for none. Raises BadInput."""
    if not text:
        return None
    first, _, last = text.replace("–", "-").partition("-")
    try:
        numbers = int(first), int(last or first)
    except ValueError:
        raise BadInput(f"'{text[:20]}' names no bars; write 5-12. Nothing was written.") from None
    low, high = (piece.timeline.index_of(n) for n in numbers)
    if not 0 <= low <= high or low >= piece.bar_count:
        raise BadInput(f"There are no bars {text[:20]} in this piece. Nothing was written.")
    return low, min(high, piece.bar_count - 1)


def _audio(ending: str) -> Callable[[Piece, Wanted], bytes]:
    return lambda piece, wanted: write_audio(piece, ending, wanted.manner, wanted.pages.part, wanted.bars)


KINDS: dict[str, Kind] = {
    "musicxml": Kind("application/vnd.recordare.musicxml+xml", _musicxml),
    "xml": Kind("application/vnd.recordare.musicxml+xml", _musicxml),
    "mid": Kind("audio/midi", _midi),
    "midi": Kind("audio/midi", _midi),
    "pdf": Kind("application/pdf", _pdf),
    "svg": Kind("image/svg+xml", _svg),
    "zip": Kind("application/zip", _zip),
    "mxl": Kind("application/vnd.recordare.musicxml", _mxl),
    "ductus": Kind(MEDIA_TYPE, _ductus),
    **{ending: Kind(f"audio/{'mpeg' if ending == 'mp3' else ending}", _audio(ending)) for ending in FORMATS},
}


def kind_of(ending: str) -> Kind:
    """The kind of file with an ending. Raises BadInput."""
    found = KINDS.get(ending.lstrip(".").lower())
    if found is None:
        raise BadInput(f"Ductus writes {', '.join('.' + k for k in KINDS)}, not “{ending[:20]}”. Nothing was written.")
    return found
