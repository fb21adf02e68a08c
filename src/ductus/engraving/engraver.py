"""One system as SVG, by the native verovio engraver (LGPL, project of the RISM office).

The window handed over is one bar wider on each side (and reaches to the ends of open slurs), then the
system's bars are selected, so that ties and slurs over the break are drawn open. One toolkit at a time: it is
not safe to share between threads.
"""

from __future__ import annotations

import hashlib
import re
import threading
from collections import OrderedDict
from dataclasses import dataclass

from ductus.core.score.model.mark_kinds import KINDS
from ductus.core.score.model.piece import Piece
from ductus.engraving.drawing import Apart, Drawing, Here, Order
from ductus.engraving.finish import finished
from ductus.engraving.layout import SystemRange
from ductus.formats.musicxml_write import Window, write_musicxml

PAGE_WIDTH = 2400  # verovio units; 960 px at scale 40
MARGINS = (30, 10, 30)  # left, right, above and below
OPTIONS = {
    "adjustPageHeight": True,
    "breaks": "encoded",
    "footer": "none",
    "header": "none",
    "minLastJustification": 0,
    "mnumInterval": 0,
    "pageHeight": 20000,
    "pageMarginBottom": MARGINS[2],
    "pageMarginLeft": MARGINS[0],
    "pageMarginRight": MARGINS[1],
    "pageMarginTop": MARGINS[2],
    "pageWidth": PAGE_WIDTH,
    "scale": 40,
    # no line breaks and indents between elements: a third less to send, and under half the nodes in the browser
    "svgFormatRaw": True,
    "svgRemoveXlink": True,
    "svgViewBox": True,
    "xmlIdSeed": 1,
    "font": "Leipzig",
    "spacingStaff": 9,
    "lyricSize": 4.8,
}
REACHING = tuple(k for k, kind in KINDS.items() if kind.spans and k != "tuplet")  # drawn open over a break
CACHE_SIZE = 600


@dataclass(frozen=True, slots=True)
class Engraved:
    """One system: its content hash, SVG text, and width and height in pixels at 100 %."""

    key: str
    svg: str


class Engraver:
    """Engraves systems and remembers them by content hash."""

    def __init__(self, apart: bool = False) -> None:
        """Make the engraver ready, in this process or ``apart`` in one of its own."""
        self._drawing: Drawing = Apart(OPTIONS) if apart else Here(OPTIONS)
        self._lock = threading.Lock()
        self._cache: OrderedDict[str, Engraved] = OrderedDict()
        self._warm_up()

    def _warm_up(self) -> None:
        """Engrave one empty bar: the first engraving reads the fonts and costs ten times the others."""
        from ductus.core.score.catalogues.layouts import new_piece

        self.engrave(new_piece(), SystemRange(0, 0))

    def engrave(self, piece: Piece, system: SystemRange, width: int = PAGE_WIDTH) -> Engraved:
        """Return a system of the piece on a line of a width (with its margins).

        One that was engraved before comes from the cache.
        """
        xml, first = self.window(piece, system)
        key = hashlib.blake2b(xml + f"{first} {width}".encode(), digest_size=12).hexdigest()
        with self._lock:
            found = self._cache.get(key)
            if found is None:
                found = Engraved(key, self._draw(xml.decode(), first, piece, system, key, width))
                self._cache[key] = found
                if len(self._cache) > CACHE_SIZE:
                    self._cache.popitem(last=False)
            else:
                self._cache.move_to_end(key)
        return found

    def close(self) -> None:
        """Let go of the engraver."""
        self._drawing.close()

    def window(self, piece: Piece, system: SystemRange) -> tuple[bytes, int]:
        """The MusicXML window of a system, and the place (from 1) of its first bar in it.

        It reaches a bar further where a tie crosses the break, and to the ends of open slurs, so that both are drawn
        open.
        """
        first = system.first - 1 if _tied_over(piece, system.first) else system.first
        last = system.last + 1 if _tied_over(piece, system.last + 1) else system.last
        here = range(system.first, system.last + 1)
        reaching = {
            m.id: m for part in piece.parts for bar in here for m in piece.marks_in_bar(part, bar) if m.kind in REACHING
        }
        for mark in reaching.values():
            a, b = piece.timeline.bar_at(mark.tick).index, piece.timeline.bar_at(max(mark.end - 1, mark.tick)).index
            first, last = min(first, a), min(max(last, b), piece.bar_count - 1)
        xml = write_musicxml(piece, Window(first, last, heading=False, sounds=False))
        return xml, system.first - first + 1

    def _draw(self, xml: str, first: int, piece: Piece, system: SystemRange, key: str, width: int) -> str:
        count = system.last - system.first + 1
        whole = first == 1 and xml.count('<measure number="') == count * xml.count("<part id=")
        svg = self._drawing.draw(Order(xml, first, count, whole, width))
        svg = finished(svg, xml, piece, system.first)
        # Glyph definitions get ids of their own per system, so that systems never draw each other's glyphs.
        return re.sub(r'((?:id="|href="#)[EeFf][0-9A-Fa-f]{3})-\w+"', rf'\1-{key[:8]}"', svg)


def _tied_over(piece: Piece, bar: int) -> bool:
    """Does a note of the bar before reach over the bar line at the start of ``bar``?"""
    if not 0 < bar < piece.bar_count:
        return False
    edge = piece.timeline.bar(bar).start
    return any(n.end > edge for part in piece.parts for n in piece.notes_in_bar(part, bar - 1))
