"""The systems of a piece for print: all of it engraved at once, cut into systems, with the reach of their ink.

Lengths are units of the drawing: 180 to a staff space.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from importlib import resources

import verovio
from lxml import etree

from ductus.core.progress import passed
from ductus.core.score.model.piece import Piece
from ductus.engraving.breaking import SPACE
from ductus.engraving.finish import finished
from ductus.formats.musicxml_write import Window, write_musicxml

SVG = "{http://www.w3.org/2000/svg}"
NUMBER = re.compile(r"-?\d+(?:\.\d+)?")


@dataclass(frozen=True, slots=True)
class System:
    """An engraved system: its bars, where its ink begins and ends (units), and its drawing."""

    first: int
    last: int
    top: float
    bottom: float
    drawing: str


def engraved_systems(
    piece: Piece, ranges: list[tuple[int, int]], wide: float, joined: Mapping[int, int]
) -> tuple[str, list[System]]:
    """Glyph definitions, and the systems of a piece on lines of a width (units)."""
    breaks = {first for first, _ in ranges[1:]}
    window = Window(
        0, piece.bar_count - 1, heading=False, sounds=False, breaks=frozenset(breaks), rests=tuple(joined.items())
    )
    xml = write_musicxml(piece, window).decode()
    verovio.enableLog(verovio.LOG_OFF)  # its warnings are for programmers
    toolkit = verovio.toolkit(False)  # in a thread it does not find its fonts by itself
    toolkit.setResourcePath(str(resources.files(verovio) / "data"))
    toolkit.setOptions(
        {
            "adjustPageHeight": True, "breaks": "line", "footer": "none", "header": "none", "minLastJustification": 0,
            "mnumInterval": 0,
            "pageHeight": 9000, "pageMarginBottom": 0, "pageMarginLeft": 0, "pageMarginRight": 0, "pageMarginTop": 0,
            "pageWidth": round(wide / 10), "scale": 100, "svgFormatRaw": True, "svgRemoveXlink": True,
            "svgViewBox": True, "xmlIdSeed": 1,
            "font": "Leipzig",
            "spacingStaff": 9, "lyricSize": 4.8, "multiRestStyle": "block",
        }
    )  # fmt: skip
    passed(0.05)
    if not toolkit.loadData(xml) or (joined and not toolkit.loadData(with_long_rests(toolkit.getMEI(), joined))):
        raise RuntimeError("verovio refused our own MusicXML")
    defs: dict[str, str] = {}
    systems: list[System] = []
    count = toolkit.getPageCount()
    for number in range(1, count + 1):
        passed(
            0.3 + 0.7 * (number - 1) / count
        )  # the engraver takes about a third of the time for the layout, all at once
        svg = finished(toolkit.renderToSVG(number), xml, piece, 0)
        root = etree.fromstring(svg.encode(), etree.XMLParser(huge_tree=True))
        for glyph in root.iterfind(f".//{SVG}defs/*"):
            defs[str(glyph.get("id"))] = _text(glyph)
        for group in root.iter(f"{SVG}g"):
            if group.get("class") == "system":
                systems.append(_system(group))
    return "".join(defs.values()), systems


LONG_REST = re.compile(r'<measure xml:id="b(\d+)-.*?</measure>', re.DOTALL)


def with_long_rests(mei: str, joined: Mapping[int, int]) -> str:
    """The rests of joined bars as rests of so many bars, on every staff. (From MusicXML the engraver takes them for
    the first staff only, and leaves out what else stands in such a bar.)
    """

    def join(measure: re.Match[str]) -> str:
        count = joined.get(int(measure.group(1)))
        return measure.group() if count is None else measure.group().replace("<mRest ", f'<multiRest num="{count}" ')

    return LONG_REST.sub(join, mei)


def _text(element: etree._Element) -> str:
    return etree.tostring(element, encoding="unicode", with_tail=False).replace(
        ' xmlns="http://www.w3.org/2000/svg"', ""
    )


def _system(group: etree._Element) -> System:
    """A system with the reach of its ink, as far as coordinates tell it."""
    bars = [
        int(m.group(1))
        for g in group.iter(f"{SVG}g")
        if g.get("class") == "measure" and (m := re.match(r"b(\d+)-", g.get("id") or ""))
    ]
    return System(min(bars), max(bars), *reach(group), _text(group))


def reach(group: etree._Element) -> tuple[float, float]:
    """From where to where the ink of a drawing goes, down the page."""
    top, bottom = 1e9, -1e9
    for element in group.iter():
        for low, high in heights(element):
            top, bottom = min(top, low), max(bottom, high)
    return top, bottom


def ink_height(svg: str) -> float:
    """How high the ink of an engraved system is, in units of the drawing."""
    root = etree.fromstring(svg.encode())
    group = next((g for g in root.iter(f"{SVG}g") if g.get("class") == "system"), root)
    top, bottom = reach(group)
    return max(bottom - top, 0.0)


def heights(element: etree._Element) -> Iterator[tuple[float, float]]:
    """How far down and up the ink of an element reaches."""
    tag = str(element.tag).removeprefix(SVG)
    if tag == "path":
        ys = [float(n) for n in NUMBER.findall(element.get("d", ""))][1::2]
    elif tag in ("polygon", "polyline"):
        ys = [float(n) for n in NUMBER.findall(element.get("points", ""))][1::2]
    elif tag == "rect":
        y = float(element.get("y", 0))
        ys = [y, y + float(element.get("height", 0))]
    elif tag == "ellipse":
        ys = [float(element.get("cy", 0))]
    elif tag == "text" and element.get("y"):
        y = float(element.get("y", 0))
        ys = [y - 1.6 * SPACE, y + 0.6 * SPACE]
    elif tag == "use":
        found = NUMBER.findall(element.get("transform", ""))
        ys = [float(found[1])] if len(found) > 1 else []
        parent = element.getparent()
        kind = parent.get("class", "") if parent is not None else ""
        if ys and kind.startswith(("clef", "dynam", "keyAccid", "accid")):
            ys = [ys[0] - 3 * SPACE if kind.startswith("clef") else ys[0] - SPACE, ys[0] + SPACE]
    else:
        return
    if ys:
        yield min(ys), max(ys)
