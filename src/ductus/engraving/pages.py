"""Pages for print: the whole piece engraved once, its systems laid on pages by us.

piece -> balanced systems -> engraved on one long strip -> systems with their heights -> pages -> SVG

Systems are balanced over the piece, so that the last is as full as the others; pages are broken so that none holds a
single last system and that right-hand pages end, where they can, with a rest to turn in. What is printed, what is
previewed and the PDF are the same drawing. Lengths are millimetres outside, and units of the drawing inside: 180 to
a staff space.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Literal

from ductus.core.errors import BadInput, NotThere
from ductus.core.notation.rests import long_rests
from ductus.core.progress import passed, stretch
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.mark_kinds import KINDS
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Facts, Part
from ductus.engraving.breaking import LEAST_GAP, SPACE, TURN, TURN_AT_RESTS, balanced, broken, ends_with_rest
from ductus.engraving.faces import FAMILY, letters_of, undrawn, with_signs
from ductus.engraving.layout import IN_PRINT, bar_units, begun_by_hand
from ductus.engraving.systems import System, engraved_systems
from ductus.engraving.title_block import Line, rights_lines, running_head, title_block

SIZES: dict[str, tuple[float, float]] = {"a4": (210.0, 297.0), "letter": (215.9, 279.4)}  # ISO 216; ANSI/ASME Y14.1
STAFF = 4 * SPACE
MARGINS = (14.0, 15.0)  # mm at the sides, above and below
SMALLEST, LARGEST = 3.0, 9.0  # mm a staff
LEAST_SHARE, WORTH = 0.9, 0.8  # of the usual height that is proposed at least; of the pages that it must save
STAVES_HIGH, VERSE_HIGH = (
    2.2,
    0.48,
)  # staves that a staff, and a verse under it, usually take, as the engraver sets them
STAFF_STEP = 0.1  # mm, by which staves grow smaller until a piece fits
MOST_PAGES = 400  # that can be asked for
MOST_STRETCH = 7 * SPACE  # what justification may add to the least gap between systems
LINE = 24000 / 100  # units of the drawing to one unit of ``layout``
STYLE = (
    "path,rect,polygon,ellipse,polyline{stroke:currentColor}text,use,g.notehead *{stroke:none}polyline{fill:none}"
    f"text{{font-family:{FAMILY}}}[font-family=Leipzig]{{font-family:Leipzig;font-style:normal}}"
    "g.mNum{font-style:italic}"
)


@dataclass(frozen=True, slots=True)
class PageSetup:
    """How a piece is printed: page size, staff height in mm (None: proposed from the music), one part only ("": all).

    ``pages``: the most that it may take, on staves as large as that allows, unless their height is given, too;
    ``turn_at_rests``: right-hand pages end with a rest wherever one is near.
    """

    size: Literal["a4", "letter"] = "a4"
    staff_mm: float | None = None
    part: str = ""
    pages: int | None = None
    turn_at_rests: bool = False


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


def usual_staff(piece: Piece) -> float:
    """7 mm for one or two staves, smaller as the score grows (common practice)."""
    staves = sum(p.staves for p in piece.parts.values())
    return 7.0 if staves <= 2 else 6.0 if staves <= 4 else 5.2 if staves <= 7 else 4.5 if staves <= 11 else 3.7


def proposed_staff(piece: Piece, size: str = "a4", units: Callable[[int], float] | None = None) -> float:
    """The staff height that suits the music: the usual one, or a little less where that saves a fifth of the pages.

    Pages are estimated from how many systems there would be and how high they are usually engraved. ``units``: the
    widths of bars, where they are known.
    """
    usual = usual_staff(piece)
    widths = [(units or partial(bar_units, piece, density=IN_PRINT))(b) for b in range(piece.bar_count)]
    counts: list[tuple[int, float]] = []
    staff = usual
    while staff >= LEAST_SHARE * usual:
        counts.append((_pages_at(piece, size, staff, widths), -staff))
        staff = round(staff - 2 * STAFF_STEP, 2)
    fewest, staff = min(counts)
    return -staff if fewest <= WORTH * counts[0][0] else usual


def _pages_at(piece: Piece, size: str, staff: float, widths: Sequence[float]) -> int:
    """About how many pages a piece takes at a staff height."""
    paper = paper_for(piece, size, staff)
    systems = len(balanced(piece, paper.line, units=widths.__getitem__))
    verses = sum(len({s.verse for n in piece.notes_between(p, 0, piece.end) for s in n.lyrics}) for p in piece.parts)
    staves = sum(p.staves for p in piece.parts.values())
    high = (STAVES_HIGH * staves + VERSE_HIGH * verses) * STAFF + LEAST_GAP
    first = max(int((paper.high - paper.head + LEAST_GAP) / high), 1)
    each = max(int((paper.high + LEAST_GAP) / high), 1)
    return 1 + math.ceil(max(systems - first, 0) / each)


def printed(piece: Piece, setup: PageSetup) -> Printed:
    """The piece on pages.

    Raises BadInput for a staff that no page holds and for pages that cannot hold the piece, NotThere for a part that
    is gone, Stopped.
    """
    if setup.part:
        piece = extract(piece, setup.part)
    staff = proposed_staff(piece, setup.size) if setup.staff_mm is None else setup.staff_mm
    if not SMALLEST <= staff <= LARGEST:
        raise BadInput(f"A staff of {staff:g} mm cannot be printed; use {SMALLEST:g} to {LARGEST:g} mm.")
    width, height = SIZES[setup.size]
    name = piece.part(setup.part).name if setup.part else ""
    passed(0.05)
    with stretch(0.15, 0.75):
        laid = _laid_out(piece, setup, staff, name) if setup.pages is None else fitted(piece, setup, staff, name)
    staff, paper, defs, pages = laid.staff, laid.paper, laid.defs, laid.pages
    drawn = []
    for page in pages:
        drawn.append(_drawing(piece.facts, page, len(pages), defs, (width, height), paper.per_mm, name))
        passed(0.75 + 0.25 * page.number / len(pages))
    return Printed(width, height, staff, tuple(drawn), "".join(sorted(undrawn(letters_of(drawn)))))


@dataclass(frozen=True, slots=True)
class Laid:
    """A piece laid on pages at a staff height (mm): the paper, its glyphs, its systems in order and its pages."""

    staff: float
    paper: Paper
    defs: str
    systems: list[System]
    pages: list[Page]


def _laid_out(piece: Piece, setup: PageSetup, staff: float, name: str) -> Laid:
    """A piece on pages at a staff height. Raises BadInput where a system is higher than a page."""
    paper = paper_for(piece, setup.size, staff, part=name)
    joined = long_rests(piece) if setup.part else {}
    defs, systems = engraved_systems(piece, balanced(piece, paper.line, joined), paper.wide, joined)
    tallest = max(s.bottom - s.top for s in systems)
    if tallest + paper.head > paper.high:
        raise BadInput(
            f"A page of {setup.size.upper()} is too small for these staves at {staff:g} mm; take a smaller staff or "
            "fewer parts."
        )
    return Laid(staff, paper, defs, systems, laid_out(piece, systems, paper, turn_at_rests=setup.turn_at_rests))


def fitted(piece: Piece, setup: PageSetup, usual: float, name: str) -> Laid:
    """A piece on at most ``setup.pages`` pages, its staves as large as that allows, but not larger than usual.

    Raises BadInput, with the count that the smallest staves take, where it takes more pages even then.
    """
    most = setup.pages or 1
    laid, high = _laid_out(piece, setup, usual, name), usual
    while len(laid.pages) > most:
        high = _smaller(piece, setup, laid, name, high - STAFF_STEP)
        if high < SMALLEST:
            least = _laid_out(piece, setup, SMALLEST, name)
            if len(least.pages) <= most:
                return least
            raise BadInput(
                f"Even with staves of {SMALLEST:g} mm this takes {len(least.pages)} pages. Ask for as many, or print "
                "parts by themselves."
            )
        laid = _laid_out(piece, setup, high, name)
    return laid


def _smaller(piece: Piece, setup: PageSetup, laid: Laid, name: str, at_most: float) -> float:
    """The largest staff height up to ``at_most`` that may take ``setup.pages`` pages, by systems as high as these.

    Less than SMALLEST where none does.
    """
    heights = sorted(s.bottom - s.top for s in laid.systems)
    usual = heights[len(heights) // 2]
    joined = long_rests(piece) if setup.part else {}
    staff = at_most
    while staff >= SMALLEST:
        paper = paper_for(piece, setup.size, staff, part=name)
        count = len(balanced(piece, paper.line, joined))
        edges = broken([usual] * count, [True] * count, paper.head, paper.high)
        if len(edges) - 1 <= (setup.pages or 1):
            break
        staff -= STAFF_STEP
    return round(staff, 2)


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


def laid_out(piece: Piece, systems: list[System], paper: Paper, *, turn_at_rests: bool = False) -> list[Page]:
    """Systems on pages; a page that ends by hand is not stretched, as the last is not."""
    begun = begun_by_hand(piece, ("page-break",))
    by_hand = {k for k, s in enumerate(systems) if s.first in begun}
    edges = broken(
        [s.bottom - s.top for s in systems],
        [ends_with_rest(piece, s.last) for s in systems],
        paper.head,
        paper.high,
        by_hand,
        TURN_AT_RESTS if turn_at_rests else TURN,
    )
    return [
        _placed(systems[a:b], k, paper.head, paper.high, last=b == len(systems) or b in by_hand)
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
