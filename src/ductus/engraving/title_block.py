"""The words around the music of a page: the title block, the line at the head of later pages, the copyright line.

A line that is too long for the page shrinks a little, then goes on in a second line; nothing leaves the page.
Lengths are millimetres.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

from lxml import etree

from ductus.core.score.model.records import Facts
from ductus.engraving.faces import text_width

SIDE = 14.0  # margin at the sides of a page
GAP = 8.0  # between what stands at the left and at the right
TITLE, LEAST_TITLE = 8.0, 6.4  # size of type
SUBTITLE, LEAST_SUBTITLE = 4.6, 3.8
LEADING = 1.22  # from line to line, in sizes of type
RUNNING, RIGHTS = 3.2, 2.8
BELOW = 4.0  # from the block to the music


@dataclass(frozen=True, slots=True)
class Line:
    """A line of words: where it is anchored ("start", "middle", "end"), its baseline and size of type."""

    text: str
    x: float
    y: float
    size: float
    anchor: str
    italic: bool = False

    def drawn(self, per_mm: float, top: float = 0.0) -> str:
        """It as SVG, with so many units of the drawing to a millimetre, ``top`` units down."""
        element = etree.Element("text", x=f"{self.x * per_mm:.0f}", y=f"{self.y * per_mm + top:.0f}")
        element.set("font-size", f"{self.size * per_mm:.0f}px")
        element.set("text-anchor", self.anchor)
        if self.italic:
            element.set("font-style", "italic")
        element.text = self.text
        return str(etree.tostring(element, encoding="unicode"))


@dataclass(frozen=True, slots=True)
class TitleBlock:
    """The lines over the music of the first page, from the top margin down, and how high they are in all."""

    lines: tuple[Line, ...]
    high: float


@lru_cache(maxsize=32)
def title_block(facts: Facts, width: float, part: str = "") -> TitleBlock:
    """The title block of a page so wide; ``part``: the name of the one that is printed."""
    room, y = width - 2 * SIDE, 0.0
    out: list[Line] = []
    for text, size, least, above, below, italic in (
        (facts.title, TITLE, LEAST_TITLE, 8.0, 3.0, False),
        (facts.subtitle, SUBTITLE, LEAST_SUBTITLE, 4.0, 2.5, True),
    ):
        if text:
            size, lines = fitted(text, room, size, least, italic=italic)
            y += above
            out += (
                Line(words, width / 2, y + k * size * LEADING, size, "middle", italic) for k, words in enumerate(lines)
            )
            y += (len(lines) - 1) * size * LEADING + below
    left = [w for w in (part, facts.number, facts.lyricist) if w]
    right = [w for w in (facts.composer, facts.arranger) if w]
    half = (room - GAP) / 2 if left and right else room
    sides = []
    for names, size, x, anchor in ((left, 4.0, SIDE, "start"), (right, 3.8, width - SIDE, "end")):
        lines = [line for name in names for line in fitted(name, half, size, size * 0.85)[1]]
        out += (Line(words, x, y + 3.5 + 5 * k, size, anchor) for k, words in enumerate(lines))
        sides.append(len(lines))
    y += 5.0 * max(sides)
    return TitleBlock(tuple(out), y + BELOW if out else 0.0)


def running_head(facts: Facts, width: float, part: str = "") -> Line | None:
    """The line at the head of the pages behind the first: as much of the title as a line holds."""
    words = " · ".join(w for w in (facts.title, part) if w)
    if not words:
        return None
    most = (width - 2 * SIDE) / RUNNING
    text = words
    if text_width(words, italic=True) > most:
        first = wrapped(words, most - text_width(" …", italic=True), italic=True)[0]
        text = f"{first.rstrip(' ,;:–—-')} …"
    return Line(text, width / 2, 9.0, RUNNING, "middle", italic=True)


def rights_lines(facts: Facts, width: float, height: float) -> list[Line]:
    """The copyright line at the foot of the first page, upwards from its place where it is long."""
    size, lines = fitted(facts.rights, width - 2 * SIDE, RIGHTS, RIGHTS * 0.85)
    last = height - 12
    return [
        Line(words, width / 2, last - (len(lines) - 1 - k) * size * LEADING, size, "middle")
        for k, words in enumerate(lines)
    ]


def fitted(text: str, room: float, size: float, least: float, *, italic: bool = False) -> tuple[float, list[str]]:
    """The size of type, and the lines, at which a text is no wider than the room: first smaller, then broken."""
    wide = text_width(text, italic=italic)
    if wide * size <= room:
        return size, [text]
    if wide * least <= room:
        return room / wide, [text]
    return least, wrapped(text, room / least, italic=italic)


def wrapped(text: str, most: float, *, italic: bool = False) -> list[str]:
    """A text in lines of at most so many em; words that are longer than a line are broken, too."""
    out: list[str] = []
    for word in _pieces(text, most, italic):
        longer = f"{out[-1]} {word}" if out else word
        if out and text_width(longer, italic=italic) <= most:
            out[-1] = longer
        else:
            out.append(word)
    return out or [""]


def _pieces(text: str, most: float, italic: bool) -> Iterator[str]:
    for word in text.split():
        part = ""
        for letter in word:
            if part and text_width(part + letter, italic=italic) > most:
                yield part
                part = ""
            part += letter
        yield part
