"""The tempo of a take bar by bar: tempo = beats x 60 / seconds."""

from __future__ import annotations

from dataclasses import dataclass

from ductus.core.reading.settings import ReadingResult
from ductus.core.score.layouts import counted_beat, felt_beat
from ductus.core.time.bars import BarLines
from ductus.core.time.pulse import PulseMap, tempo_of
from ductus.core.time.ticks import QUARTER


@dataclass(frozen=True, slots=True)
class TempoCurve:
    """``bars`` are (bar index from tick 0, microseconds of its bar line, beats a minute in it), in order."""

    bars: tuple[tuple[int, int, float], ...]

    @property
    def lowest(self) -> float:
        """Beats a minute of the slowest bar."""
        return min(b[2] for b in self.bars)

    @property
    def highest(self) -> float:
        """Beats a minute of the fastest bar."""
        return max(b[2] for b in self.bars)

    @property
    def average(self) -> float:
        """Beats a minute over all bars together: all beats by all seconds."""
        return len(self.bars) / sum(1 / b[2] for b in self.bars)


def tempo_curve(pulses: PulseMap, lines: BarLines, first_tick: int, last_tick: int) -> TempoCurve:
    """The curve over all bars that a stretch of written time touches, counted in beats (in the units of a slow compound meter)."""
    last_tick = max(last_tick, first_tick + 1)
    quarter_us = max(pulses.time_at(last_tick) - pulses.time_at(first_tick), 1) / (last_tick - first_tick) * QUARTER
    bars = []
    for first, after, meter in lines.between(first_tick, last_tick):
        start, end = pulses.time_at(first), pulses.time_at(after)
        counted = counted_beat(meter, quarter_us)
        beats = len(meter.beat_starts) if counted == felt_beat(meter) else (after - first) / counted.ticks
        bars.append((lines.number_at(first), start, tempo_of(beats, max(end - start, 1) / 1e6)))
    return TempoCurve(tuple(bars))


def typical_quarter_us(result: ReadingResult) -> float:
    """Median microseconds to the quarter over the stretch that was played."""
    ticks = sorted({n.tick for n in result.notes})
    paces = sorted(result.pulses.us_per_quarter_at(t) for t in ticks)
    return paces[len(paces) // 2]
