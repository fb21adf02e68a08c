"""The sheet of an open piece: systems, which of them must be engraved again, and what the browser needs to know.

A system is known by the hash of its content; ``None`` means that it waits to be engraved. Engraving works on a
snapshot (``Order``), so that nobody waits for it: what became old meanwhile is thrown away and ordered again.
"""

from __future__ import annotations

from collections.abc import Set as AbstractSet
from dataclasses import dataclass, replace
from statistics import median
from typing import Literal

from ductus.core.notation.bars import notate_bar
from ductus.core.score.model.persistent_map import ONE, PersistentMap
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Part
from ductus.engraving.breaking import balanced, broken, ends_with_rest
from ductus.engraving.engraver import MARGINS, PAGE_WIDTH, Engraver
from ductus.engraving.layout import (
    IN_PRINT,
    LINE_UNITS,
    ON_SCREEN,
    Density,
    SystemRange,
    bar_units,
    begun_by_hand,
    relayout,
)
from ductus.engraving.pages import Paper, paper_for, proposed_staff
from ductus.engraving.systems import ink_height

PageSize = Literal["", "a4", "letter"]
LineShare = Literal[100, 76, 58, 44, 34]  # of one scroll: how long its lines are, in percent of the longest
MANY_BARS, WIDTHS_KEPT = 200, 4  # a change of so many bars is large; of so many the widths are kept


@dataclass(slots=True)
class SystemState:
    """A system of the sheet: its bars, the key of its engraving or None, whether that is still true, and how high it
    was (units of the drawing; 0: not engraved yet).
    """

    bars: SystemRange
    key: str | None = None
    dirty: bool = True
    high: float = 0.0


@dataclass(frozen=True, slots=True, eq=False)
class Widths:
    """How wide bars are by estimate (units of the layout), in a piece as it is drawn, set so densely."""

    piece: Piece
    units: dict[int, float]
    density: Density

    def fit(self, piece: Piece) -> bool:
        """Are all bars of a piece just as wide? Parts that came or went count only if notes stand in them."""
        mine = self.piece
        if mine.by_bar is not piece.by_bar or mine.timeline is not piece.timeline:
            return False
        others = set(mine.parts) ^ set(piece.parts)
        return not any(piece.by_bar.get((part, bar)) for part in others for bar in range(piece.bar_count))


@dataclass(frozen=True, slots=True)
class BarView:
    """A bar as the browser sees it."""

    index: int
    number: int
    start: int
    ticks: int
    missing: int
    beats: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class SystemView:
    """An engraved system: ``index`` its place, ``columns`` (tick, id of the first symbol that begins there), in
    order; ``high`` as in ``SystemState``, if it stands on a page.
    """

    index: int
    key: str
    svg: str
    first: int
    last: int
    bars: tuple[BarView, ...]
    columns: tuple[tuple[int, str], ...]
    high: float = 0.0


@dataclass(frozen=True, slots=True)
class Order:
    """A system to engrave, as the piece was when it was ordered."""

    system: SystemState
    bars: SystemRange
    piece: Piece
    version: int
    width: int
    on_page: bool


class Sheet:
    """Keeps the systems of one piece up to date with few engravings.

    Its methods are called under the desk's lock, but for ``engraved``.
    """

    def __init__(self, piece: Piece, engraver: Engraver, size: PageSize = "", line: LineShare = 100) -> None:
        self._engraver = engraver
        self._widths: dict[int, float] = {}
        # By bars: what stands in it, and whether a page can be turned after it; the first systems of pages, and what
        # they were worked out from.
        self._turns: dict[int, tuple[tuple[object, ...], bool]] = {}
        self._leaves: tuple[object, tuple[int, ...]] | None = None
        self._widths_before: list[Widths] = []  # on both sides of large changes of late
        self.bars_asked = piece.bar_count  # bars shown, with those the pen has reached
        self.hidden: frozenset[str] = frozenset()  # parts that are not drawn
        self.size: PageSize = size  # of the pages that it is laid on; empty: one scroll
        self._line = line  # of a scroll
        self._paper: Paper | None = None
        self.staff = 0  # the one staff that is drawn of the one part that is (0: all)
        self._parts: tuple[object, frozenset[str], int, PersistentMap[str, Part]] | None = (
            None  # what is drawn of which parts
        )
        self.piece = piece
        self.systems: list[SystemState] = []
        self._version = 0
        self._by_hand: frozenset[int] = frozenset()
        self._lay_out()

    def update(
        self, piece: Piece, bars: AbstractSet[int], everything: bool, at_least: int = 0, foreseen: Widths | None = None
    ) -> bool:
        """Take over a new state of the piece.

        ``bars`` are the bars whose content changed, ``foreseen`` how wide they are if that is known.

        Returns True if the division into systems changed.
        """
        self._version += 1
        self.bars_asked = max(piece.bar_count, at_least)
        before = self.piece.bar_count
        facts = replace(piece.facts, bars=self.bars_asked)
        longer = piece if piece.bar_count == self.bars_asked else piece.with_rows([(piece.facts, facts)])
        if everything or len(bars) >= MANY_BARS:
            self._widths_before = [Widths(self.piece, self._widths.copy(), self._density), *self._widths_before][
                :WIDTHS_KEPT
            ]
        self.piece = self._without_hidden(longer)
        bars = bars | ({before - 1, before, self.piece.bar_count - 1} if before != self.piece.bar_count else set())
        if everything:
            self._paper = None
            for system in self.systems:
                system.dirty = True
        self._forget_widths(frozenset(self._widths) | bars if everything else bars, foreseen)
        low, high = min(bars, default=0), max(bars, default=-2)
        for system in self.systems:  # notes of a bar may change how its neighbours look
            first, last = system.bars.first - 1, system.bars.last + 1
            if not system.dirty and first <= high and last >= low and any(b in bars for b in range(first, last + 1)):
                system.dirty = True
        return self._lay_out(None if everything else bars)

    def _without_hidden(self, piece: Piece) -> Piece:
        """The piece with the parts that are drawn; the same table of parts as long as nothing about them changes."""
        if not self.hidden and not self.staff:
            return piece
        if self._parts is None or self._parts[0] is not piece.parts or self._parts[1:3] != (self.hidden, self.staff):
            left = [(i, p) for i, p in piece.parts.items() if i not in self.hidden]
            if len(left) == 1 and self.staff and len(left[0][1].clefs) >= self.staff:
                left = [(i, replace(p, only=self.staff)) for i, p in left]
            self._parts = (piece.parts, self.hidden, self.staff, PersistentMap(left, ONE))
        shown = self._parts[3]
        return replace(piece, parts=shown) if len(shown) else piece

    @property
    def paper(self) -> Paper | None:
        """The pages that it is laid on."""
        if self.size and self._paper is None:
            self._paper = paper_for(self.piece, self.size, proposed_staff(self.piece, self.size, self._width))
        return self._paper

    def leaves(self) -> tuple[int, ...]:
        """The first system of each page, broken as in print; none for a scroll.

        Systems that wait count as high as those that are there.
        """
        paper = self.paper
        if paper is None:
            return ()
        known = [s.high for s in self.systems if s.high]
        usual = median(known) if known else paper.high / 6
        tall = tuple(s.high or usual for s in self.systems)
        turns = tuple(self._turns_after(s.bars.last) for s in self.systems)
        pages = begun_by_hand(self.piece, ("page-break",))
        by_hand = frozenset(k for k, s in enumerate(self.systems) if s.bars.first in pages)
        asked = (tall, turns, paper.head, paper.high, by_hand)
        if self._leaves is None or self._leaves[0] != asked:
            self._leaves = (asked, tuple(broken(*asked)[:-1]))
        return self._leaves[1]

    def _turns_after(self, bar: int) -> bool:
        """Can a page be turned after a bar? Worked out when something in the bar has changed."""
        here = self.piece.timeline.bar(bar)
        content = (here, self.piece.parts, *(self.piece.by_bar.get((part, bar)) for part in self.piece.parts))
        known = self._turns.get(bar)
        if (
            known is None
            or len(known[0]) != len(content)
            or any(a is not b for a, b in zip(known[0], content, strict=True))
        ):
            known = self._turns[bar] = (content, ends_with_rest(self.piece, bar))
        return known[1]

    def _lay_out(self, touched: AbstractSet[int] | None = None) -> bool:
        old = [s.bars for s in self.systems]
        by_hand = begun_by_hand(self.piece)
        if by_hand != self._by_hand:
            gone = min(self._by_hand - by_hand, default=self.piece.bar_count + 1)
            old = [s for s in old if s.last + 1 < gone]  # the system in front of a break that is gone takes more bars
            touched, self._by_hand = None, by_hand
        paper = self.paper
        if paper is not None:
            fresh = [SystemRange(a, b) for a, b in balanced(self.piece, paper.line, units=self._width)]
        else:
            fresh = relayout(self.piece, old, self.piece.bar_count, self._width, touched, LINE_UNITS * self._line / 100)
        if fresh == [s.bars for s in self.systems]:
            return False
        known = {s.bars: s for s in self.systems}
        self.systems = [known.get(bars) or SystemState(bars) for bars in fresh]
        return True

    def _width(self, index: int) -> float:
        width = self._widths.get(index)
        if width is None:
            width = self._widths[index] = bar_units(self.piece, index, self._density)
        return width

    @property
    def _density(self) -> Density:
        return IN_PRINT if self.size else ON_SCREEN

    def foresee(self, piece: Piece, bars: AbstractSet[int]) -> Widths:
        """How wide these bars of a piece to come will be. Needs no lock."""
        shown = self._without_hidden(piece)
        units = {index: bar_units(shown, index, self._density) for index in bars if index < shown.bar_count}
        return Widths(shown, units, self._density)

    def _forget_widths(self, bars: AbstractSet[int], foreseen: Widths | None) -> None:
        """The piece has changed in these bars.

        Of large changes the widths before them are kept: they may be taken back.
        """
        if len(bars) < MANY_BARS:
            for index in bars:
                self._widths.pop(index, None)
            return
        known = next((w.units for w in self._widths_before if w.fit(self.piece)), None)
        if known is not None:
            self._widths = known.copy()
            return
        self._widths = {index: units for index, units in self._widths.items() if index not in bars}
        if foreseen is not None and foreseen.piece.parts is self.piece.parts and foreseen.density == self._density:
            self._widths.update(foreseen.units)

    def order(self, near_bar: int, known: set[str], within: int | None = None) -> Order | None:
        """The system to engrave or send next.

        The one that holds ``near_bar``, then outwards from it; None if nothing waits (within so many bars).
        ``known`` are the keys that the browser has; a system that changed is always due.
        """

        def distance(system: SystemState) -> int:
            return max(system.bars.first - near_bar, near_bar - system.bars.last, 0)

        waiting = [s for s in self.systems if s.dirty or s.key not in known]
        nearest = min(waiting, key=distance, default=None)
        if nearest is None or (within is not None and distance(nearest) > within):
            return None
        paper, margins = self.paper, MARGINS[0] + MARGINS[1]
        scroll = round((PAGE_WIDTH - margins) * self._line / 100) + margins
        width = scroll if paper is None else round(paper.wide / 10) + margins
        return Order(nearest, nearest.bars, self.piece, self._version, width, paper is not None)

    def engraved(self, order: Order) -> SystemView:
        """Engrave what was ordered (or take it from the cache). Needs no lock."""
        made = self._engraver.engrave(order.piece, order.bars, order.width)
        view = self._view(order, made.key, made.svg)
        return replace(view, high=ink_height(made.svg)) if order.on_page else view

    def taken_over(self, order: Order, view: SystemView) -> SystemView | None:
        """The engraving with its place on the sheet; None if the system is another by now."""
        place = next((k for k, s in enumerate(self.systems) if s is order.system), None)
        if place is None or (order.version != self._version and self._changed(order)):
            return None
        order.system.key, order.system.dirty, order.system.high = view.key, False, view.high
        return replace(view, index=place)

    def _changed(self, order: Order) -> bool:
        """Have the bars around a system changed since it was ordered? Pieces share what did not change."""
        old, new = order.piece, self.piece
        if old is new:
            return False
        if (
            old.timeline is not new.timeline
            or old.keys is not new.keys
            or old.tempi is not new.tempi
            or old.parts is not new.parts
            or old.clefs is not new.clefs
            or old.signs is not new.signs
            or old.facts != new.facts
        ):
            return True
        around = range(order.bars.first - 1, order.bars.last + 2)
        return any(
            old.by_bar.get((part, bar)) is not new.by_bar.get((part, bar)) for part in new.parts for bar in around
        )

    @staticmethod
    def _view(order: Order, key: str, svg: str) -> SystemView:
        piece, system = order.piece, order.bars
        timeline = piece.timeline
        bars: list[BarView] = []
        columns: dict[int, str] = {}
        for index in range(system.first, system.last + 1):
            bar = timeline.bar(index)
            bars.append(
                BarView(index, timeline.number_of(index), bar.start, bar.ticks, bar.missing, tuple(bar.beats()))
            )
            for part in piece.ordered_parts():
                for voice in notate_bar(piece, part.id, index).voices:
                    for symbol in voice.symbols:
                        if not symbol.hidden and not (symbol.whole_bar and symbol.tick in columns):
                            columns.setdefault(symbol.tick, symbol.id)
        return SystemView(0, key, svg, system.first, system.last, tuple(bars), tuple(sorted(columns.items())))
