"""The sheet of an open piece: systems, which of them must be engraved again, and what the browser needs to know.

A system is known by the hash of its content; ``None`` means that it waits to be engraved.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from ductus.core.notation.bars import notate_bar
from ductus.core.score.piece import Piece
from ductus.engraving.engraver import Engraver
from ductus.engraving.layout import SystemRange, bar_units, relayout


@dataclass(slots=True)
class SystemState:
    """A system of the sheet: its bars, the key of its engraving or None, and whether that is still true."""

    bars: SystemRange
    key: str | None = None
    dirty: bool = True


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
    """An engraved system: ``columns`` are (tick, id of the first symbol that begins there), in order."""

    key: str
    svg: str
    first: int
    last: int
    bars: tuple[BarView, ...]
    columns: tuple[tuple[int, str], ...]


class Sheet:
    """Keeps the systems of one piece up to date with few engravings."""

    def __init__(self, piece: Piece, engraver: Engraver) -> None:
        self._engraver = engraver
        self._widths: dict[int, float] = {}
        self.bars_asked = piece.bar_count  # bars shown, with those the pen has reached
        self.piece = piece
        self.systems: list[SystemState] = []
        self._lay_out()

    def update(self, piece: Piece, bars: set[int], everything: bool, at_least: int = 0) -> bool:
        """Take over a new state of the piece; ``bars`` are the bars whose content changed.

        Returns True if the division into systems changed.
        """
        self.bars_asked = max(piece.bar_count, at_least)
        before = self.piece.bar_count
        facts = replace(piece.facts, bars=self.bars_asked)
        self.piece = piece if piece.bar_count == self.bars_asked else piece.with_rows([(piece.facts, facts)])
        bars = bars | ({before - 1, before, self.piece.bar_count - 1} if before != self.piece.bar_count else set())
        if everything:
            self._widths.clear()
            for system in self.systems:
                system.dirty = True
        for index in bars:
            self._widths.pop(index, None)
        reach = {b + d for b in bars for d in (-1, 0, 1)}
        for system in self.systems:
            if not system.dirty and any(system.bars.first <= b <= system.bars.last for b in reach):
                system.dirty = True
        return self._lay_out()

    def _lay_out(self) -> bool:
        old = [s.bars for s in self.systems]
        fresh = relayout(self.piece, old, self.piece.bar_count, self._width)
        if fresh == old:
            return False
        known = {s.bars: s for s in self.systems}
        self.systems = [known.get(bars) or SystemState(bars) for bars in fresh]
        return True

    def _width(self, index: int) -> float:
        width = self._widths.get(index)
        if width is None:
            width = self._widths[index] = bar_units(self.piece, index)
        return width

    def next_to_show(self, near_bar: int, known: set[str]) -> int | None:
        """Index of the system to engrave or send next: the one that holds ``near_bar``, then outwards from it.

        ``known`` are the keys that the browser has; a system that changed is always due."""
        waiting = [k for k, s in enumerate(self.systems) if s.dirty or s.key not in known]

        def distance(k: int) -> int:
            bars = self.systems[k].bars
            return max(bars.first - near_bar, near_bar - bars.last, 0)

        return min(waiting, key=distance, default=None)

    def engrave(self, k: int) -> SystemView:
        """Engrave system ``k`` (or take it from the cache) and return it."""
        system = self.systems[k]
        engraved = self._engraver.engrave(self.piece, system.bars)
        system.key, system.dirty = engraved.key, False
        return self._view(system.bars, engraved.key, engraved.svg)

    def _view(self, system: SystemRange, key: str, svg: str) -> SystemView:
        timeline = self.piece.timeline
        bars: list[BarView] = []
        columns: dict[int, str] = {}
        for index in range(system.first, system.last + 1):
            bar = timeline.bar(index)
            bars.append(
                BarView(index, timeline.number_of(index), bar.start, bar.ticks, bar.missing, tuple(bar.beats()))
            )
            for part in self.piece.ordered_parts():
                for voice in notate_bar(self.piece, part.id, index).voices:
                    for symbol in voice.symbols:
                        if not symbol.hidden and not (symbol.whole_bar and symbol.tick in columns):
                            columns.setdefault(symbol.tick, symbol.id)
        return SystemView(key, svg, system.first, system.last, tuple(bars), tuple(sorted(columns.items())))
