"""The click: which places of a bar it marks, and when."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from ductus.core.errors import BadInput
from ductus.core.time.bars import MAX_BAR, Bar, Timeline
from ductus.core.time.meters import BEAT, MIDDLE
from ductus.core.time.pulse import US_PER_MINUTE, steady_map

Rank = Literal["bar", "strong", "beat", "half"]
MOST_COUNT_IN, MOST_BARS = 8, 400


@dataclass(frozen=True, slots=True)
class Click:
    """One click, ``time_us`` from the first bar line written (negative during the count-in)."""

    time_us: int
    rank: Rank


def click_ranks(bar: Bar, subdivide: bool | None = None) -> list[tuple[int, Rank]]:
    """(tick, rank) of the clicks in a bar; ``subdivide`` None means in compound meters only."""
    meter = bar.meter
    out: list[tuple[int, Rank]] = []
    for tick in bar.beats():
        level = bar.meter.level_at(bar.offset_of(tick))
        out.append((tick, "bar" if level == 0 else "strong" if level == MIDDLE and not meter.irregular else "beat"))
    if meter.compound if subdivide is None else subdivide:
        step = meter.unit_ticks if meter.compound or meter.irregular else meter.beat_ticks // 2
        taken = {t for t, _ in out}
        tick = bar.start
        while tick < bar.end:
            if tick not in taken and bar.level_at(tick) > BEAT:
                out.append((tick, "half"))
            tick += step
    return sorted(out)


def click_track(timeline: Timeline, bar: int, qpm: float, count_in: int, bars: int) -> list[Click]:
    """The click of a recording that starts to write at bar index ``bar``, at ``qpm`` quarters a minute: ``count_in`` bars (in the meter of
    the first full bar) and ``bars`` bars. Raises BadInput for a place or a length out of reach."""
    if not (0 <= bar <= MAX_BAR and 0 <= count_in <= MOST_COUNT_IN and 1 <= bars <= MOST_BARS):
        raise BadInput("That is no place to record from.")
    first = timeline.bar(bar)
    pulses = steady_map(qpm, 0, US_PER_MINUTE)
    counted = timeline.bar(max(bar, 1))
    out = []
    for k in range(-count_in, bars):
        model = timeline.bar(bar + k) if k >= 0 else counted
        start = model.start - first.start if k >= 0 else k * first.meter.bar_ticks
        for tick, rank in click_ranks(model):
            out.append(Click(pulses.time_at(start + tick - model.start) - US_PER_MINUTE, rank))
    return out
