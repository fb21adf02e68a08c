"""A rhythm struck in time on any one key, as places and lengths.

The first stroke stands at the pen; each later one is placed by the time since the stroke before it, so that a player
who drifts is followed. Viterbi over the places that the step value and triplets of the beat allow: a stroke between
places costs by how far it is off, a weak place costs more than a strong one, and mixing triplets with halves in a
beat costs most. The tempo is that of the piece, or up to a third slower or faster: the pace that explains the
strokes best is taken.
"""

from __future__ import annotations

import itertools
import math
import statistics
from collections.abc import Sequence
from dataclasses import dataclass

from ductus.core.score.model.piece import Piece
from ductus.core.time.bars import Bar
from ductus.core.time.note_values import BASE_TICKS

PACES = tuple(math.exp(k * math.log(4 / 3) / 8) for k in range(-8, 9))
PACE_SD = 0.15  # of ln(pace)
OFF_SD, OFF_SHARE = 0.055, 0.05  # spread of a gap: so many beats, and such a share of the gap
LEVEL_PRICE = (0.0, 0.0, 0.0, 0.6, 1.2, 1.8, 2.4, 3.0)  # nats, by metrical level: bar, middle, beat, half beat ...
TRIPLET_PRICE, MIXED_PRICE = 1.8, 2.5
FAR = 4  # spreads: what is farther off is not looked at, unless nothing else is there
USUAL_SHARE = 0.85  # of its value that a key is held when nothing else is known (common practice)
HELD_SHARE = 0.5  # let go before half the time to the next stroke: a rest follows


@dataclass(frozen=True, slots=True)
class Stroke:
    """A key that was struck and let go, in microseconds."""

    down_us: int
    up_us: int
    velocity: int = 80


@dataclass(frozen=True, slots=True)
class Spot:
    """A place a stroke may have: tick, price, beat it lies in, and whether it belongs to a triplet (True), to halves
    (False) or to both (None)."""

    tick: int
    price: float
    beat: int
    triplet: bool | None


def rhythm_in_time(strokes: Sequence[Stroke], piece: Piece, start: int, shortest: int) -> list[tuple[int, int]]:
    """(tick, ticks) of each stroke, the first at ``start``.

    ``shortest`` is the finest value in ticks, triplets of it included.

    ``strokes`` rise in time and are at least one.
    """
    beat = piece.timeline.bar_at(start).meter.beat_ticks
    tempo = piece.tempo_at(start)
    beat_us = 60e6 / tempo.bpm * beat / tempo.beat.ticks
    gaps = [(b.down_us - a.down_us) / beat_us for a, b in itertools.pairwise(strokes)]
    spots = spots_from(piece, start, beat, shortest, math.ceil(sum(gaps) * PACES[-1]) + len(gaps) + 3)
    ways = [placed(gaps, pace, spots, beat) for pace in PACES]
    _, ticks, pace = min(
        (cost + (math.log(p) / PACE_SD) ** 2 / 2, t, p) for (cost, t), p in zip(ways, PACES, strict=True)
    )
    values = [v for base in BASE_TICKS.values() for v in (base, base * 3 // 2) if v >= shortest]
    holds = [(s.up_us - s.down_us) / beat_us * pace * beat for s in strokes]
    shares = [h / (b - a) for h, a, b in zip(holds, ticks, ticks[1:], strict=False)]
    usual = min(max(statistics.median(shares), HELD_SHARE), 1.0) if shares else USUAL_SHARE
    out = []
    for k, (held, tick) in enumerate(zip(holds, ticks, strict=True)):
        last = k + 1 == len(ticks)
        whole = piece.timeline.bar_at(tick).end - tick if last else ticks[k + 1] - tick
        aimed = held / usual if last else held
        nearest = min((v for v in values if v <= whole), key=lambda v: abs(math.log(v / max(aimed, 1))), default=whole)
        out.append((tick, nearest if last or held < HELD_SHARE * whole else whole))
    return out


def spots_from(piece: Piece, start: int, beat: int, shortest: int, beats: int) -> list[Spot]:
    """All places from the pen on, in order."""
    bar: Bar = piece.timeline.bar_at(start)
    out: dict[int, Spot] = {start: Spot(start, 0.0, (start - bar.start) // beat, None)}
    edge = start + beats * beat
    number = 0
    while bar.start < edge:
        for a, b in itertools.pairwise(bar.stretches()):
            parts = max((b - a) // shortest, 1)
            for k in range(parts):
                tick = a + k * (b - a) // parts
                price = LEVEL_PRICE[min(bar.level_at(tick), len(LEVEL_PRICE) - 1)]
                if tick > start:
                    out[tick] = Spot(tick, price, number, False if k else None)
            simple = not bar.meter.compound and (b - a) % 3 == 0 and shortest <= (b - a) // 2
            for k in (1, 2) if simple else ():
                tick = a + k * (b - a) // 3
                if tick > start:
                    out.setdefault(tick, Spot(tick, TRIPLET_PRICE, number, True))
            number += 1
        bar = piece.timeline.bar(bar.index + 1)
    return sorted(out.values(), key=lambda s: s.tick)


def placed(gaps: Sequence[float], pace: float, spots: Sequence[Spot], beat: int) -> tuple[float, list[int]]:
    """Best places of all strokes at a pace: (cost, ticks)."""
    value: dict[int, tuple[float, tuple[int, ...]]] = {0: (0.0, (spots[0].tick,))}
    for gap in gaps:
        wanted = gap * pace
        spread = OFF_SD + OFF_SHARE * wanted
        found: dict[int, tuple[float, tuple[int, ...]]] = {}
        for i, (cost, path) in value.items():
            here, reached = spots[i], False
            for j in range(i + 1, len(spots)):
                there = spots[j]
                off = ((there.tick - here.tick) / beat - wanted) / spread
                if off > FAR and reached:
                    break
                if off < -FAR and j + 1 < len(spots):
                    continue
                reached = True
                clash = (
                    here.beat == there.beat
                    and None not in (here.triplet, there.triplet)
                    and here.triplet != there.triplet
                )
                total = cost + off * off / 2 + there.price + (MIXED_PRICE if clash else 0.0)
                if j not in found or total < found[j][0]:
                    found[j] = (total, (*path, there.tick))
        best = min(c for c, _ in found.values())
        value = {j: v for j, v in found.items() if v[0] < best + 12}
    cost, path = min(value.values())
    return cost, list(path)
