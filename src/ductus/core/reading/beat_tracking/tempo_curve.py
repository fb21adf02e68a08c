"""The tempo of a take bar by bar: tempo = beats x 60 / seconds."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass

import numpy as np

from ductus.core.reading.model import ReadingResult
from ductus.core.score.catalogues.layouts import counted_beat, felt_beat
from ductus.core.time.note_values import NoteValue
from ductus.core.time.pulse_map import tempo_of
from ductus.core.time.ticks import QUARTER


@dataclass(frozen=True, slots=True)
class TempoCurve:
    """``bars`` are (bar index from tick 0, microseconds of its bar line, beats a minute in it), in order.

    ``average``: all beats by all seconds; ``lowest`` and ``highest``: of the slowest and of the fastest bar.
    """

    bars: tuple[tuple[int, int, float], ...]
    average: float
    lowest: float
    highest: float


def tempo_curve(result: ReadingResult) -> TempoCurve:
    """The curve over all bars that were played (a pick-up is none), counted in beats (in the units of a slow
    compound meter).
    """
    first, last = played_stretch(result)
    quarter_us, pulses = average_quarter_us(result), result.pulses
    bars = []
    for begin, after, meter in result.bars.between(max(first, 0) if last > result.meter.bar_ticks else first, last):
        start, end = pulses.time_at(begin), pulses.time_at(after)
        counted = counted_beat(meter, quarter_us)
        beats = len(meter.beat_starts) if counted == felt_beat(meter) else (after - begin) / counted.ticks
        bars.append((result.bars.number_at(begin), start, tempo_of(beats, max(end - start, 1) / 1e6)))
    tempi = [tempo for _, _, tempo in bars]
    throughout = beats_a_minute(result, _quarter_us(result, first, last))[0]
    return TempoCurve(tuple(bars), throughout, min(tempi), max(tempi))


def played_stretch(result: ReadingResult) -> tuple[int, int]:
    """Ticks of the first note and of the beat after the last."""
    low, high = min(n.tick for n in result.notes), max(n.tick + n.ticks for n in result.notes)
    begin, end, meter = result.bars.bar_at(max(high - 1, low))
    return low, next((begin + at for at in meter.beat_starts if begin + at >= high), end)


def _quarter_us(result: ReadingResult, first: int, last: int) -> float:
    return (result.pulses.time_at(last) - result.pulses.time_at(first)) * QUARTER / (last - first)


def average_quarter_us(result: ReadingResult) -> float:
    """Microseconds to the quarter over the stretch that was played, up to where a new tempo begins: the tempo that the
    page begins with, wherever it is said.
    """
    return tempo_sections(result)[0][1]


def average_tempo(result: ReadingResult) -> tuple[float, NoteValue]:
    """The same in beats a minute, with the beat that is counted."""
    return beats_a_minute(result, average_quarter_us(result))


def beats_a_minute(result: ReadingResult, quarter_us: float) -> tuple[float, NoteValue]:
    """A tempo in beats a minute, with the beat that is counted."""
    beat = counted_beat(result.meter, quarter_us)
    return 60e6 / quarter_us * QUARTER / beat.ticks, beat


LEAST_STEP = math.log(1.18)  # of a new tempo
LEAST_BARS = 4  # on each side of it
STEADY = 0.3  # of the step: how far bars may lie from the tempo of their side (standard deviation)
AT_ONCE = 0.6  # of the step: what lies between the two bars before a new tempo and the two behind it


def tempo_sections(result: ReadingResult) -> tuple[tuple[int, float], ...]:
    """Where a tempo begins (ticks of the reading), and its microseconds to the quarter: one, or two where the player
    goes over to a new tempo at a bar line and stays there. A rit. or accel. is none.
    """
    first, last = played_stretch(result)
    begins = [begin for begin, _, _ in result.bars.between(max(first, 0), last)]
    edges = [*begins, last]
    paces = np.array([math.log(_quarter_us(result, a, b)) for a, b in itertools.pairwise(edges) if b > a])
    whole = ((first, _quarter_us(result, first, last)),)
    count = len(paces)
    if count < 2 * LEAST_BARS or len(begins) != count:
        return whole
    parted = [paces[:k].var() * k + paces[k:].var() * (count - k) for k in range(LEAST_BARS, count - LEAST_BARS + 1)]
    k = LEAST_BARS + int(np.argmin(parted))
    step = abs(float(np.median(paces[k:]) - np.median(paces[:k])))
    spread = math.sqrt(min(parted) / count)
    near = abs(float(paces[k : k + 2].mean() - paces[k - 2 : k].mean()))
    if step < LEAST_STEP or spread > STEADY * step or near < AT_ONCE * step:
        return whole
    return (first, _quarter_us(result, first, begins[k])), (begins[k], _quarter_us(result, begins[k], last))
