"""The text faces that ship with Ductus: which letters they have, and how wide a line of words is.

Alegreya has the Latin, Greek and Cyrillic letters; Hebrew and Arabic ones come from two faces of the Noto family (all
under the SIL Open Font License). What no face has may be in a font of the machine; see ``undrawn``.
"""

from __future__ import annotations

import base64
import html
import io
import re
import shutil
import subprocess
import unicodedata
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources

import verovio
from fontTools.pens.boundsPen import BoundsPen
from fontTools.ttLib import TTFont

FILE = re.compile(
    r"^(?P<face>alegreya|noto-serif-hebrew|noto-naskh-arabic)-(?!sans)(?P<subset>[a-z-]+)-(?P<weight>400|500|700)"
    r"-(?P<style>normal|italic)[^/]*\.woff2$"
)
FAMILIES = {
    "alegreya": "Alegreya", "noto-serif-hebrew": "Noto Serif Hebrew", "noto-naskh-arabic": "Noto Naskh Arabic",
}  # fmt: skip
FAMILY = "Alegreya,'Noto Serif Hebrew','Noto Naskh Arabic',Georgia,serif"
WIDE = 1.0  # em: what a letter of no known width takes, as ideographs do
PRIVATE = "Co"  # signs of the music font
SEARCH_S = 10
# Signs that people type among words and that no text face has: the music font draws them. Its code points (SMuFL 1.4),
# and their size as a share of the words' (its em is four staff spaces).
NOTE, SIGN, ACCIDENTAL = 1.6, 1.2, 1.15
RAISED = 0.24  # em of the words: a flat stands on their line with its bowl, not around it
SIGNS: dict[str, tuple[str, float]] = {
    "𝅗𝅥": ("\ueca3", NOTE), "♩": ("\ueca5", NOTE), "♪": ("\ueca7", NOTE), "𝅝": ("\ueca2", NOTE),
    "♭": ("\ue260", ACCIDENTAL), "♮": ("\ue261", ACCIDENTAL), "♯": ("\ue262", ACCIDENTAL),
    "𝄋": ("\ue047", SIGN), "𝄌": ("\ue048", SIGN), "⊕": ("\ue048", SIGN), "✱": ("\ue655", SIGN),
}  # fmt: skip
_TYPED = re.compile("|".join(SIGNS))
_WORDS = re.compile(f">([^<>]*(?:{_TYPED.pattern})[^<>]*)<")


@dataclass(frozen=True, slots=True)
class Face:
    """One file of a face: its name, family, weight, style, and the width of each letter that it has (em)."""

    name: str
    family: str
    weight: str
    style: str
    data: bytes
    widths: dict[int, float]


@lru_cache(maxsize=1)
def faces() -> tuple[Face, ...]:
    """All text faces that were built with the pages of the interface; none in a checkout that was never built."""
    folder = resources.files("ductus.web") / "static" / "assets"
    if not folder.is_dir():
        return ()
    found = []
    for file in sorted(folder.iterdir(), key=lambda f: f.name):
        match = FILE.match(file.name)
        if match is not None:
            data = file.read_bytes()
            font = TTFont(io.BytesIO(data), lazy=True)
            unit, advances = font["head"].unitsPerEm, font["hmtx"]
            widths = {code: advances[glyph][0] / unit for code, glyph in font.getBestCmap().items()}
            found.append(Face(file.name, FAMILIES[match["face"]], match["weight"], match["style"], data, widths))
    return tuple(found)


@lru_cache(maxsize=1)
def music_font() -> bytes:
    """The engraver's music font (WOFF2), out of the style sheet that it ships."""
    css = (resources.files(verovio) / "data" / "Leipzig.css").read_text(encoding="utf-8")
    found = re.search(r"base64,([A-Za-z0-9+/=]+)", css)
    assert found is not None, "the engraver has no music font"
    return base64.b64decode(found.group(1))


@lru_cache(maxsize=1)
def _music() -> TTFont:
    return TTFont(io.BytesIO(music_font()))


@lru_cache(maxsize=1)
def _sign_widths() -> dict[int, float]:
    font = _music()
    unit, advances = font["head"].unitsPerEm, font["hmtx"]
    return {code: advances[glyph][0] / unit for code, glyph in font.getBestCmap().items()}


@lru_cache(maxsize=512)
def sign_bounds(code: int) -> tuple[float, float, float, float] | None:
    """Left, lowest, right and highest edge of a sign of the music font (em, from its origin, up is more); None for one
    that it has not.
    """
    font = _music()
    name = font.getBestCmap().get(code)
    if name is None:
        return None
    glyphs = font.getGlyphSet()
    pen = BoundsPen(glyphs)
    glyphs[name].draw(pen)
    unit = font["head"].unitsPerEm
    if pen.bounds is None:
        return None
    left, low, right, high = (edge / unit for edge in pen.bounds)
    return left, low, right, high


def sign_width(code: int) -> float:
    """How wide a sign of the music font is, by its code point: a share of its em."""
    return _sign_widths().get(code, WIDE)


@lru_cache(maxsize=64)
def plain(name: str) -> bytes:
    """A face as a TrueType or OpenType file: the converter embeds no compressed ones."""
    font = TTFont(io.BytesIO(next(f.data for f in faces() if f.name == name)))
    font.flavor = None
    out = io.BytesIO()
    font.save(out)
    return out.getvalue()


def with_signs(svg: str) -> str:
    """A drawing whose words have their musical signs ("B♭", "♩ = ♪") in the music font."""

    def drawn(words: re.Match[str]) -> str:
        first, *rest = _TYPED.split(words.group(1))
        out, low = first, 0.0  # low: how far the line lies above where it began (em)
        for sign, behind in zip(_TYPED.findall(words.group(1)), rest, strict=True):
            glyph, size = SIGNS[sign]
            up = RAISED if size == ACCIDENTAL else 0.0
            style = f'font-family="Leipzig" font-style="normal" font-weight="normal" font-size="{size}em"'
            out += f'<tspan {style} dy="{(low - up) / size:.3f}em">{glyph}</tspan>'
            low = up
            if behind:
                out += f'<tspan dy="{low}em">{behind}</tspan>' if low else behind
                low = 0.0
        return f">{out}<"

    return _WORDS.sub(drawn, svg)


def letters_of(pages: Iterable[str]) -> frozenset[str]:
    """The letters that stand on pages (SVG), without the signs of the music font."""
    text = html.unescape(re.sub(r"<style>.*?</style>|<[^>]*>", " ", " ".join(pages), flags=re.DOTALL))
    return frozenset(c for c in text if unicodedata.category(c) not in (PRIVATE, "Cc", "Cf", "Zs"))


def faces_for(letters: Iterable[str]) -> list[Face]:
    """The faces that have some of these letters; the usual Latin ones always."""
    codes = {ord(c) for c in letters}
    return [f for f in faces() if "alegreya-latin-4" in f.name or not codes.isdisjoint(f.widths)]


def missing(letters: Iterable[str]) -> frozenset[str]:
    """Those of some letters that no face of ours has."""
    known = _known()
    return frozenset(c for c in letters if ord(c) not in known and not unicodedata.combining(c))


@lru_cache(maxsize=1)
def _known() -> frozenset[int]:
    return frozenset(code for face in faces() for code in face.widths)


@lru_cache(maxsize=512)
def _on_this_machine(letter: str) -> bool:
    """Has a font of the machine this letter? (By fontconfig's ``fc-list``; without it, no.)"""
    program = shutil.which("fc-list")
    if program is None:
        return False
    done = subprocess.run(
        [program, f":charset={ord(letter):x}", "family"], capture_output=True, timeout=SEARCH_S, check=False
    )
    return bool(done.stdout.strip())


def undrawn(letters: Iterable[str]) -> frozenset[str]:
    """Those of some letters that neither a face of ours nor a font of this machine has."""
    return frozenset(c for c in missing(letters) if not _on_this_machine(c))


def unmarked(letters: Iterable[str]) -> frozenset[str]:
    """Marks over letters that neither a face of ours nor a font of this machine has: they are left out."""
    strange = {c for c in letters if unicodedata.combining(c) and ord(c) not in _known()}
    return frozenset(c for c in strange if not _on_this_machine(c))


def text_width(text: str, *, italic: bool = False) -> float:
    """How wide a line of words is (em), by the widths of its letters."""
    style = "italic" if italic else "normal"
    usual = [f.widths for f in faces() if f.weight == "400" and (f.style == style or f.family != "Alegreya")]
    width = 0.0
    for letter in text:
        if unicodedata.combining(letter):
            continue
        width += next((w[ord(letter)] for w in usual if ord(letter) in w), WIDE)
    return width
