"""The beats that a take is read against: where each lies in ticks and in seconds, and how it divides.

Conventions: tick 0 is a bar line. Beats are quarters in simple meters (also in 2/2) and dotted values in compound ones;
irregular meters alternate both (5/8 as 2+3: a quarter and a dotted quarter).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ductus.core.reading.quantization.subdivisions import COMPOUND, DIVISIONS, SIMPLE, Floats, Ints
from ductus.core.time.bars import BarLines
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import PulseMap
from ductus.core.time.ticks import QUARTER


@dataclass(frozen=True, slots=True)
class BeatGrid:
    """Beats k = 0 .. n-1: ``ticks[k]``, ``seconds[k]`` (both with one more entry for the end), ``family[k]``."""

    ticks: Ints
    seconds: Floats
    family: Ints

    def tick_of(self, beat: int, division: int, slot: int) -> int:
        """The exact tick of a place."""
        start, end = int(self.ticks[beat]), int(self.ticks[beat + 1])
        inside = (end - start) * DIVISIONS[division].slots[slot]
        return start + int(inside)


def beat_pattern(meter: Meter) -> list[tuple[int, int]]:
    """The beats of one bar as (ticks, family).

    >>> [f for _, f in beat_pattern(Meter(5, 8))]
    [0, 1]
    """
    out: list[tuple[int, int]] = []
    for group in meter.groups:
        ticks = group * meter.unit_ticks
        if group == 3 and meter.unit >= 8:
            out.append((ticks, COMPOUND))
            continue
        parts = max(ticks // QUARTER, 1) if ticks % QUARTER == 0 else 1
        out += [(ticks // parts, SIMPLE)] * parts
    return out


def grid_for(pulses: PulseMap, bars: BarLines, first_us: float, last_us: float) -> BeatGrid:
    """The beats that cover a stretch of performed time, with two to spare on each side."""
    low, high = pulses.tick_at(first_us), pulses.tick_at(last_us)
    spare = bars.meter.bar_ticks / len(beat_pattern(bars.meter)) * 2
    _, _, late = bars.bar_at(int(high))
    ahead = late.bar_ticks / len(beat_pattern(late)) * 2
    ticks: list[int] = []
    family: list[int] = []
    for start, end, meter in bars.between(math.floor(low - spare), math.ceil(high + ahead)):
        ticks = ticks or [start]
        for length, kind in beat_pattern(meter):
            ticks.append(ticks[-1] + length)
            family.append(kind)
        assert ticks[-1] == end
    seconds = np.array([pulses.time_at(t) for t in ticks], float) / 1e6
    return BeatGrid(np.array(ticks, np.int64), seconds, np.array(family, np.int64))
