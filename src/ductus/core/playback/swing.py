"""Swing as it sounds: where the page says "Swing", the first of two eighths is longer by its sign's share.

Triplets and other tuplets are played as they are written (common practice); notes shorter than the pair's go evenly
inside their half of it.
"""

from __future__ import annotations

import re
from bisect import bisect_right
from fractions import Fraction

from ductus.core.score.mark_language.swing import STRAIGHT, TWO_TO_ONE, pair_of
from ductus.core.score.model.piece import Piece
from ductus.core.time.ticks import QUARTER

IN_A_TEMPO = re.compile(r"\b(?:swing|swung|shuffle)\b", re.I)  # "Medium swing"


class SwingMap:
    """The swing of a piece from place to place; false where it has none."""

    def __init__(self, piece: Piece) -> None:
        self.timeline = piece.timeline
        signs = [
            (t.tick, 0, TWO_TO_ONE, QUARTER) for t in piece.tempi.values() if t.printed and IN_A_TEMPO.search(t.text)
        ]
        signs += [(m.tick, 1, m.share, pair_of(m.text)) for m in piece.marks.values() if m.kind == "swing"]
        signs.sort()
        self.ticks = [tick for tick, *_ in signs]
        self.signs = [(share, pair) for *_, share, pair in signs]

    def __bool__(self) -> bool:
        return any(share != STRAIGHT for share, _ in self.signs)

    def sounds(self, tick: int) -> int:
        """Where what is written at a tick sounds."""
        return self.heard(tick, tick)

    def heard(self, tick: int, written: int) -> int:
        """Where something sounds that an even player would play at ``tick`` and that is written at ``written``."""
        k = bisect_right(self.ticks, written) - 1
        if k < 0 or self.signs[k][0] == STRAIGHT:
            return tick
        share, pair = self.signs[k]
        bar = self.timeline.bar_at(max(written, 0))
        if bar.meter.bar_ticks % pair or (pair == QUARTER and bar.meter.compound):
            return tick
        place = written - bar.start + bar.missing
        if Fraction(place % pair, pair).denominator & (Fraction(place % pair, pair).denominator - 1):
            return tick  # in a tuplet
        past = tick - bar.start + bar.missing
        x = past % pair
        first = pair * share // 1000
        x = 2 * x * first // pair if 2 * x < pair else first + (2 * x - pair) * (pair - first) // pair
        return bar.start - bar.missing + past // pair * pair + x
