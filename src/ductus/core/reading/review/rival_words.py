"""The readings of the whole that a free take is offered, in words that tell them apart.

times of the notes + (meter, pulse map) of each -> "4/4, ♩ ≈ 72, 16 bars, starts on beat 4, other beats after 7 bars"
"""

from __future__ import annotations

import statistics
from collections.abc import Sequence
from itertools import pairwise

from ductus.core.reading.review.prompt import pace_words
from ductus.core.time.bars import Timeline, beat_words
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import PulseMap
from ductus.core.time.ticks import QUARTER
from ductus.core.words import count_words

BEATS_APART, RHYTHM_APART = 1 / 2, 1 / 8  # of a beat
AGREE = 6  # notes in a row by which it is told whether two readings count on alike
OTHER_TEMPO = 0.3  # of the beats of a take more or fewer


def in_words(onsets: Sequence[int], end_us: int, proposals: Sequence[tuple[Meter, PulseMap]]) -> tuple[str, ...]:
    """Each proposal in words; ``onsets`` (microseconds, rising, at least one) are those of the take, and at
    ``end_us`` its last key is let go. Proposals of one meter say on which beat the first note falls where that
    differs, and each where its beats leave those of the first one; two that would be called alike say where their
    rhythms part.
    """
    starts = [_starts_on(onsets[0], meter, pulses) for meter, pulses in proposals]
    out: list[str] = []
    for (meter, pulses), beat in zip(proposals, starts, strict=True):
        like = {b for (m, _), b in zip(proposals, starts, strict=True) if m == meter}
        words = _plain(onsets[0], end_us, meter, pulses) + (f", starts on beat {beat}" if len(like) > 1 else "")
        if out and meter == proposals[0][0]:
            words += _parting("beats", bars_alike(onsets, meter, proposals[0][1], pulses, BEATS_APART))
        if words in out:
            bars = bars_alike(onsets, meter, proposals[out.index(words)][1], pulses, RHYTHM_APART)
            words += _parting("rhythm", bars) or ", other rhythm here and there"
        out.append(words)
    return tuple(out)


def bars_alike(onsets: Sequence[int], meter: Meter, first: PulseMap, other: PulseMap, share: float) -> int | None:
    """After how many whole bars of the first map the other counts more or fewer beats from note to note (by more
    than ``share`` of one); None if it never does, as where only its bar lines lie elsewhere, or if its tempo is
    another altogether.
    """
    near = share * min([t - s for s, t in pairwise(meter.beat_starts)] or [meter.bar_ticks])
    ticks = [first.tick_at(us) for us in onsets]
    apart = [other.tick_at(us) - t for us, t in zip(onsets, ticks, strict=True)]
    if abs(apart[-1] - apart[0]) > OTHER_TEMPO * max(ticks[-1] - ticks[0], 1):
        return None
    usual = statistics.median(apart[:AGREE])
    away = [abs(a - usual) > near for a in apart]
    for k in range(len(away)):
        if away[k] and 2 * sum(ahead := away[k : k + AGREE]) > len(ahead):
            return max(int((ticks[k] - ticks[0]) // meter.bar_ticks), 0)
    return None


def _parting(what: str, bars: int | None) -> str:
    if bars is None:
        return ""
    return f", other {what} after {count_words(bars, 'bar')}" if bars else f", other {what}"


def _plain(first_us: int, end_us: int, meter: Meter, pulses: PulseMap) -> str:
    begin, end = round(pulses.tick_at(first_us)), round(pulses.tick_at(end_us))
    over = max(end - begin, QUARTER)  # of a single chord: the beat after it
    quarter_us = (pulses.time_at(begin + over) - pulses.time_at(begin)) * QUARTER / over
    bars = max(round((end - begin) / meter.bar_ticks), 1)
    return f"{meter}, {pace_words(meter, quarter_us)}, {count_words(bars, 'bar')}"


def _starts_on(onset: int, meter: Meter, pulses: PulseMap) -> str:
    """The place of the first note in its bar: "2", "2 and", "2, 3rd of 3"."""
    inside = round(pulses.tick_at(onset)) % meter.bar_ticks
    beat = meter.beat_starts[meter.beat_at(inside)]
    length = (*meter.beat_starts, meter.bar_ticks)[meter.beat_at(inside) + 1] - beat
    parts = 6 if meter.compound else 4
    near = beat + round((inside - beat) * parts / length) * length // parts
    return beat_words(Timeline({0: meter}).bar(0), near % meter.bar_ticks)
