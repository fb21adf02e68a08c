"""The order in which the bars of a piece are played: repeats, endings, D.C., D.S., coda, fine (common practice).

After D.C. or D.S. repeats are not taken again and the last ending is played; "To Coda" and "Fine" count only then.
"""

from __future__ import annotations

from dataclasses import dataclass

from ductus.core.score.piece import Piece
from ductus.core.score.records import BarSign
from ductus.core.score.signs import JUMPS, numbers_of

MOST_TIMES = 20  # a repeat is played at most so often


@dataclass(frozen=True, slots=True)
class Stretch:
    """Bars first..last (indices, both included) played in a row, as ticks of the page [start, end)."""

    first: int
    last: int
    start: int
    end: int

    @property
    def ticks(self) -> int:
        """How long it is."""
        return self.end - self.start


def playing_order(piece: Piece, repeats: bool = True) -> tuple[Stretch, ...]:
    """The stretches of a piece as they are played; one stretch, if there is nothing to repeat or repeats are left out."""
    if not repeats or not any(
        s.kind == "repeat-end" or s.kind == "ending" or s.kind in JUMPS for s in piece.signs.values()
    ):
        return (_stretch(piece, 0, piece.bar_count - 1),)
    walk = _Walk(piece)
    order: list[int] = []
    while (bar := walk.next()) is not None:
        order.append(bar)
    out: list[Stretch] = []
    first = 0
    for k in range(1, len(order) + 1):
        if k == len(order) or order[k] != order[k - 1] + 1:
            out.append(_stretch(piece, order[first], order[k - 1]))
            first = k
    return tuple(out)


def _stretch(piece: Piece, first: int, last: int) -> Stretch:
    return Stretch(first, last, piece.timeline.bar(first).start, piece.timeline.bar(last).end)


class _Walk:
    """Steps through the bars as a player does."""

    def __init__(self, piece: Piece) -> None:
        self.count = piece.bar_count
        self.at: dict[int, dict[str, BarSign]] = {}
        for sign in piece.signs.values():
            self.at.setdefault(sign.bar, {})[sign.kind] = sign
        self.endings = sorted((s for s in piece.signs.values() if s.kind == "ending"), key=lambda s: s.bar)
        self.bar = 0
        self.start = 0  # where the present repeat goes back to
        self.time = 1  # which time it is played
        self.back: str | None = None  # the jump that was taken

    def next(self) -> int | None:
        """The next bar that is played, None at the end."""
        bar = self._skipped_endings(self.bar)
        if bar is None or bar >= self.count:
            return None
        if "repeat-start" in self.at.get(bar, {}) and bar != self.start:
            self.start, self.time = bar, 1
        following = self._after(bar)
        self.bar = self.count if following is None else following
        return bar

    def _skipped_endings(self, bar: int) -> int:
        """Past the endings that are not for this time."""
        for ending in self.endings:
            if ending.bar == bar and not self._plays(ending):
                bar = ending.bar + max(ending.bars, 1)
        return bar

    def _plays(self, ending: BarSign) -> bool:
        if self.back is None:
            return self.time in (numbers_of(ending.text) or (1,))
        return not any(e.bar == ending.bar + ending.bars for e in self.endings)  # the last of its row

    def _after(self, bar: int) -> int | None:
        """Where it goes on after a bar; None at the end."""
        here = self.at.get(bar, {})
        if self.back is not None:
            if "fine" in here and not self.back.endswith("coda"):
                return None
            if "to-coda" in here and self.back.endswith("coda"):
                coda = next((b for b, signs in self.at.items() if "coda" in signs), None)
                return coda if coda is not None else bar + 1
            return bar + 1
        if "repeat-end" in here and self.time < self._times(here["repeat-end"], bar):
            self.time += 1
            return self.start
        jump = next((k for k in JUMPS if k in here), None)
        if jump is not None:
            self.back = jump
            segno = next((b for b, signs in self.at.items() if "segno" in signs), 0)
            return 0 if jump.startswith("da-capo") else segno
        ended = any(e.bar + e.bars == bar + 1 for e in self.endings) or "repeat-end" in here
        if ended and not any(e.bar == bar + 1 for e in self.endings):
            self.start, self.time = bar + 1, 1
        return bar + 1

    def _times(self, sign: BarSign, bar: int) -> int:
        """How often the repeat is played: as it says, or once for each number of its endings, or twice."""
        told = numbers_of(sign.text)
        if told:
            return min(told[0], MOST_TIMES)
        mine = next((e for e in self.endings if e.bar <= bar < e.bar + e.bars), None)
        if mine is None:
            return 2
        follows = {e.bar: e for e in self.endings}
        most, at = max(numbers_of(mine.text) or (1,)), mine
        while (at := follows.get(at.bar + at.bars)) is not None:  # type: ignore[assignment]
            most = max(most, *(numbers_of(at.text) or (1,)))
        return min(max(most, 2), MOST_TIMES)


def played_ticks(order: tuple[Stretch, ...]) -> int:
    """How long the piece is as it is played."""
    return sum(s.ticks for s in order)
