"""Pages for print: the whole piece engraved once, its systems laid on pages by us.

piece -> balanced systems -> engraved on one long strip -> systems with their heights -> pages -> SVG

Systems are balanced over the piece, so that the last is as full as the others; pages are broken so that none holds a
single last system and that right-hand pages end, where they can, with a rest to turn in. What is printed, what is
previewed and the PDF are the same drawing. Lengths are millimetres outside, and units of the drawing inside: 180 to
a staff space.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from importlib import resources
from typing import Literal

import verovio
from lxml import etree

from ductus.core.errors import BadInput, NotThere
from ductus.core.notation.rests import long_rests
from ductus.core.progress import passed, stretch
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.mark_kinds import KINDS
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Facts, Part
from ductus.engraving.breaking import LEAST_GAP, SPACE, balanced, broken, ends_with_rest
from ductus.engraving.faces import FAMILY, letters_of, undrawn, with_signs
from ductus.engraving.finish import finished
from ductus.engraving.title_block import Line, rights_lines, running_head, title_block
from ductus.formats.musicxml_write import Window, write_musicxml

SIZES: dict[str, tuple[float, float]] = {"a4": (210.0, 297.0), "letter": (215.9, 279.4)}  # ISO 216; ANSI/ASME Y14.1
STAFF = 4 * SPACE
MARGINS = (14.0, 15.0)  # mm at the sides, above and below
SMALLEST, LARGEST = 3.0, 9.0  # mm a staff
MOST_STRETCH = 7 * SPACE  # what justification may add to the least gap between systems
LINE = 24000 / 100  # units of the drawing to one unit of ``layout``
SVG = "{http://www.w3.org/2000/svg}"
NUMBER = re.compile(r"-?\d+(?:\.\d+)?")
STYLE = (
    "path,rect,polygon,ellipse,polyline{stroke:currentColor}text,use,g.notehead *{stroke:none}polyline{fill:none}"
    f"text{{font-family:{FAMILY}}}[font-family=Leipzig]{{font-family:Leipzig;font-style:normal}}"
    "g.mNum{font-style:italic}"
)


@dataclass(frozen=True, slots=True)
class PageSetup:
    """How a piece is printed: page size, staff height in mm (None.

    Proposed from the music), one part only ("": all).
    """

    size: Literal["a4", "letter"] = "a4"
    staff_mm: float | None = None
    part: str = ""


@dataclass(frozen=True, slots=True)
class System:
    """An engraved system: its bars, where its ink begins and ends (units), and its drawing."""

    first: int
    last: int
    top: float
    bottom: float
    drawing: str


@dataclass(frozen=True, slots=True)
class Page:
    """A page: its number from 1, its systems and where each stands (units from the top of the page)."""

    number: int
    systems: tuple[System, ...]
    places: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class Printed:
    """A piece on pages: width and height in mm, the staff height that was taken, the pages as SVG.

    ``undrawn``: letters that no font here has, in order.
    """

    width_mm: float
    height_mm: float
    staff_mm: float
    pages: tuple[str, ...]
    undrawn: str = ""


@dataclass(frozen=True, slots=True)
class Paper:
    """What a page leaves to music, in units of the drawing.

    The length of its lines, its height, and what the title block takes of the first page; ``per_mm`` units are a
    millimetre.
    """

    wide: float
    high: float
    head: float
    per_mm: float

    @property
    def line(self) -> float:
        """The length of a line in units of ``layout``."""
        return self.wide / LINE


def paper_for(piece: Piece, size: str, staff: float, *, part: str = "") -> Paper:
    """The paper of a size with staves of so many millimetres; ``part``: the name of the one that is printed."""
    width, height = SIZES[size]
    per_mm = STAFF / staff
    wide, high = (width - 2 * MARGINS[0]) * per_mm, (height - 2 * MARGINS[1]) * per_mm
    return Paper(wide, high, title_block(piece.facts, width, part).high * per_mm, per_mm)


def proposed_staff(piece: Piece) -> float:
    """The staff height that suits the music.

    7 mm for one or two staves, smaller as the score grows (common practice).
    """
    staves = sum(p.staves for p in piece.parts.values())
    return 7.0 if staves <= 2 else 6.0 if staves <= 4 else 5.2 if staves <= 7 else 4.5 if staves <= 11 else 3.7


def printed(piece: Piece, setup: PageSetup) -> Printed:
    """The piece on pages. Raises BadInput for a staff that no page holds, NotThere for a part that is gone, Stopped."""
    if setup.part:
        piece = extract(piece, setup.part)
    staff = proposed_staff(piece) if setup.staff_mm is None else setup.staff_mm
    if not SMALLEST <= staff <= LARGEST:
        raise BadInput(f"A staff of {staff:g} mm cannot be printed; use {SMALLEST:g} to {LARGEST:g} mm.")
    width, height = SIZES[setup.size]
    name = piece.part(setup.part).name if setup.part else ""
    paper = paper_for(piece, setup.size, staff, part=name)
    passed(0.05)
    joined = long_rests(piece) if setup.part else {}
    ranges = balanced(piece, paper.line, joined)
    with stretch(0.15, 0.75):
        defs, systems = engraved_systems(piece, ranges, paper.wide, joined)
    tallest = max(s.bottom - s.top for s in systems)
    if tallest + paper.head > paper.high:
        raise BadInput(
            f"A page of {setup.size.upper()} is too small for these staves at {staff:g} mm; take a smaller staff or "
            "fewer parts."
        )
    pages = laid_out(piece, systems, paper)
    drawn = []
    for page in pages:
        drawn.append(_drawing(piece.facts, page, len(pages), defs, (width, height), paper.per_mm, name))
        passed(0.75 + 0.25 * page.number / len(pages))
    return Printed(width, height, staff, tuple(drawn), "".join(sorted(undrawn(letters_of(drawn)))))


def extract(piece: Piece, part_id: str) -> Piece:
    """The piece with one part only; words of tempo that stand over the score come along. Raises NotThere."""
    if part_id not in piece.parts:
        raise NotThere("That part is not in this piece any more.")
    draft = Draft(piece)
    for table in (piece.notes, piece.clefs, piece.readings):
        for record in table.values():
            if record.part != part_id:
                draft.drop(record)
    for mark in piece.marks.values():
        if mark.part != part_id:
            if KINDS[mark.kind].whole:
                draft.put(replace(mark, part=part_id, staff=1))
            else:
                draft.drop(mark)
    for part in piece.parts.values():
        if part.id != part_id:
            draft.drop(part)
    draft.put(replace(piece.facts, bars=piece.bar_count))
    return piece.with_rows(draft.rows())


# --- systems -------------------------------------------------------------------------------


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


# --- pages ---------------------------------------------------------------------------------


def laid_out(piece: Piece, systems: list[System], paper: Paper) -> list[Page]:
    """Systems on pages."""
    edges = broken(
        [s.bottom - s.top for s in systems], [ends_with_rest(piece, s.last) for s in systems], paper.head, paper.high
    )
    return [
        _placed(systems[a:b], k, paper.head, paper.high, last=b == len(systems))
        for k, (a, b) in enumerate(itertools.pairwise(edges))
    ]


def _placed(systems: list[System], index: int, head: float, high: float, *, last: bool) -> Page:
    """One page: what room is left goes between its systems, as far as that looks well."""
    begin = head if index == 0 else 0.0
    used = sum(s.bottom - s.top for s in systems) + LEAST_GAP * (len(systems) - 1)
    spare = high - begin - used
    gaps = max(len(systems) - 1, 1)
    extra = min(spare / gaps, MOST_STRETCH) if len(systems) > 1 else 0.0
    if last and extra * gaps < spare:
        extra = min(extra, 2.5 * SPACE)  # the end of a piece need not fill its page
    places, y = [], begin
    for system in systems:
        places.append(y)
        y += system.bottom - system.top + LEAST_GAP + extra
    return Page(index + 1, tuple(systems), tuple(places))


def _drawing(
    facts: Facts, page: Page, count: int, defs: str, size: tuple[float, float], per_mm: float, part: str
) -> str:
    width, height = size
    x0, y0 = MARGINS[0] * per_mm, MARGINS[1] * per_mm
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}mm" height="{height}mm" '
        f'viewBox="0 0 {width * per_mm:.0f} {height * per_mm:.0f}" color="#000" xml:space="preserve">',
        f"<style>{STYLE}</style><defs>{defs}</defs>",
        *(
            with_signs(line.drawn(per_mm, y0 if page.number == 1 else 0.0))
            for line in _heading(facts, page.number, width, part)
        ),
    ]
    for system, place in zip(page.systems, page.places, strict=True):
        out.append(f'<g transform="translate({x0:.0f}, {y0 + place - system.top:.0f})">{system.drawing}</g>')
    if page.number == 1 and facts.rights:
        out += (line.drawn(per_mm) for line in rights_lines(facts, width, height))
    if count > 1:
        out.append(Line(str(page.number), width / 2, height - 8, 3.4, "middle").drawn(per_mm))
    out.append("</svg>")
    return "".join(out)


def _heading(facts: Facts, number: int, width: float, part: str) -> tuple[Line, ...]:
    """What stands over the music of a page."""
    if number == 1:
        return title_block(facts, width, part).lines
    head = running_head(facts, width, part)
    return () if head is None else (head,)


def part_named(piece: Piece, name: str) -> Part:
    """A part by its name or short name. Raises NotThere, with the names that there are."""
    wanted = name.strip().casefold()
    found = next((p for p in piece.ordered_parts() if wanted in (p.name.casefold(), p.short.casefold(), p.id)), None)
    if found is None:
        raise NotThere(
            f"There is no part “{name[:60]}”; the parts are {', '.join(p.name for p in piece.ordered_parts())}."
        )
    return found
