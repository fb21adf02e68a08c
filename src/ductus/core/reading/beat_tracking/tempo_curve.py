"""The tempo of a take bar by bar: tempo = beats x 60 / seconds."""

from __future__ import annotations

from dataclasses import dataclass

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
    return TempoCurve(tuple(bars), average_tempo(result)[0], min(tempi), max(tempi))


def played_stretch(result: ReadingResult) -> tuple[int, int]:
    """Ticks of the first note and of the beat after the last."""
    low, high = min(n.tick for n in result.notes), max(n.tick + n.ticks for n in result.notes)
    begin, end, meter = result.bars.bar_at(max(high - 1, low))
    return low, next((begin + at for at in meter.beat_starts if begin + at >= high), end)


def average_quarter_us(result: ReadingResult) -> float:
    """Microseconds to the quarter over the stretch that was played: its one tempo, wherever it is said."""
    first, last = played_stretch(result)
    return (result.pulses.time_at(last) - result.pulses.time_at(first)) * QUARTER / (last - first)


def average_tempo(result: ReadingResult) -> tuple[float, NoteValue]:
    """The same in beats a minute, with the beat that is counted."""
    quarter_us = average_quarter_us(result)
    beat = counted_beat(result.meter, quarter_us)
    return 60e6 / quarter_us * QUARTER / beat.ticks, beat
