"""The form of a piece, made from its signs.

The order in which bars are played, what is never heard, what does not hold together.

Repeats, endings, D.C., D.S., coda and fine are read as players read them (common practice). After D.C. or D.S.
repeats are not taken again and the last ending is played; "To Coda" and "Fine" count only then. A first ending that
a second follows is repeated, with or without a sign.
"""

from __future__ import annotations

import itertools
from collections import Counter, OrderedDict
from collections.abc import Iterable
from dataclasses import dataclass

from ductus.core.score.model.note_signs import JUMPS, numbers_of
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import BarSign

MOST_TIMES = 20  # a repeat is played at most so often
MOST_BARS = 200_000  # that are played in all
KEPT_FORMS = 16


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


@dataclass(frozen=True, slots=True)
class FormProblem:
    """Something of the form that does not hold together: its kind, the bar (index) where it stands, and words."""

    kind: str
    bar: int
    words: str


@dataclass(frozen=True, slots=True)
class Form:
    """How a piece is played: its stretches in order, the endings (signs) that are never played, and what does not
    hold together.
    """

    order: tuple[Stretch, ...]
    idle_endings: tuple[BarSign, ...] = ()
    problems: tuple[FormProblem, ...] = ()


_kept: OrderedDict[tuple[int, int, int], tuple[tuple[object, ...], Form]] = OrderedDict()


def form_of(piece: Piece) -> Form:
    """The form of a piece; it is kept as long as signs, bar lines and length stay."""
    name = (id(piece.signs), id(piece.timeline), piece.bar_count)
    known = _kept.get(name)
    if known is None:
        known = _kept[name] = (
            (piece.signs, piece.timeline),
            _form(piece),
        )  # the objects are kept, so that no other takes their identity
        while len(_kept) > KEPT_FORMS:
            _kept.popitem(last=False)
    return known[1]


def _form(piece: Piece) -> Form:
    order = playing_order(piece)
    if not piece.signs:
        return Form(order)
    played = {bar for s in order for bar in range(s.first, s.last + 1)}
    endings = sorted((s for s in piece.signs.values() if s.kind == "ending"), key=lambda s: s.bar)
    idle = tuple(e for e in endings if e.bar < piece.bar_count and not set(_bars_of(e)) & played)
    return Form(order, idle, tuple(_problems(piece, played, endings)))


def _bars_of(ending: BarSign) -> range:
    return range(ending.bar, ending.bar + max(ending.bars, 1))


def _problems(piece: Piece, played: set[int], endings: list[BarSign]) -> Iterable[FormProblem]:
    there = {s.kind: s for s in piece.signs.values()}
    for first, last in _runs(bar for bar in range(piece.bar_count) if bar not in played):
        words = bars_words(piece, first, last)
        yield FormProblem("unheard", first, f"{words} {'is' if first == last else 'are'} never heard")
    for one, other in itertools.pairwise(endings):
        if other.bar < one.bar + one.bars:
            yield FormProblem("overlap", other.bar, f"two endings stand over {piece.timeline.bar_words(other.bar)}")
    for jump in (s for s in piece.signs.values() if s.kind in JUMPS):
        if jump.kind.startswith("dal-segno") and "segno" not in there:
            yield FormProblem("no segno", jump.bar, "D.S. finds no segno and goes to the beginning")
        if jump.kind.endswith("fine") and "fine" not in there:
            yield FormProblem("no fine", jump.bar, "al Fine finds no Fine and goes on to the end")
        if jump.kind.endswith("coda") and not {"to-coda", "coda"} <= set(there):
            yield FormProblem("no coda", jump.bar, "al Coda finds no way to the coda and goes on to the end")


def _runs(bars: Iterable[int]) -> Iterable[tuple[int, int]]:
    first = last = -2
    for bar in bars:
        if bar != last + 1:
            if first >= 0:
                yield first, last
            first = bar
        last = bar
    if first >= 0:
        yield first, last


def bars_words(piece: Piece, first: int, last: int) -> str:
    """Bars as people count: "bar 9", "bars 9 to 12"."""
    if first == last:
        return piece.timeline.bar_words(first)
    numbers = [piece.timeline.number_of(b) for b in (first, last)]
    if numbers[0] == numbers[1]:
        return f"bar {numbers[0]}"
    return f"bars {numbers[0]} to {numbers[1]}" if numbers[0] else f"the pick-up to bar {numbers[1]}"


def new_problems(before: Form, after: Form) -> tuple[FormProblem, ...]:
    """What does not hold together in a form that did in the one before; bars may have moved between the two."""
    left = Counter(p.kind for p in before.problems)
    fresh = []
    for problem in after.problems:
        if left[problem.kind]:
            left[problem.kind] -= 1
        else:
            fresh.append(problem)
    return tuple(fresh)


def implied_end(endings: Iterable[BarSign], bar: int) -> bool:
    """Does an ending stop at a bar that another one follows, for a later time? Then it is repeated from there."""
    endings = tuple(endings)
    mine = next((e for e in endings if e.bar + max(e.bars, 1) == bar + 1), None)
    following = next((e for e in endings if e.bar == bar + 1), None)
    if mine is None or following is None:
        return False
    return max(numbers_of(following.text) or (2,)) > max(numbers_of(mine.text) or (1,))


def playing_order(piece: Piece, repeats: bool = True) -> tuple[Stretch, ...]:
    """The stretches of a piece as they are played.

    One stretch, if there is nothing to repeat or repeats are left out.
    """
    if not repeats or not any(
        s.kind == "repeat-end" or s.kind == "ending" or s.kind in JUMPS for s in piece.signs.values()
    ):
        return (_stretch(piece, 0, piece.bar_count - 1),)
    walk = _Walk(piece)
    order: list[int] = []
    while len(order) < MOST_BARS and (bar := walk.next()) is not None:
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
        if any(e.bar == ending.bar + ending.bars for e in self.endings):
            return False  # not the last of its row
        end = ending.bar + max(ending.bars, 1) - 1
        sign = self.at.get(end, {}).get("repeat-end")
        return sign is None or self._times(sign, end) in (numbers_of(ending.text) or (1,))

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
        sign = here.get("repeat-end")
        if (sign is not None or implied_end(self.endings, bar)) and self.time < self._times(sign, bar):
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

    def _times(self, sign: BarSign | None, bar: int) -> int:
        """How often the repeat is played: as it says, or once for each number of its endings, or twice."""
        told = numbers_of(sign.text) if sign is not None else ()
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
