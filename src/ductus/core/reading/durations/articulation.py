"""How detached playing is written: in full with dots, or short with rests.

lengths + what sounded -> lengths, staccato dots
"""

from __future__ import annotations

import math

import numpy as np

from ductus.core.capture.takes import Take
from ductus.core.reading.durations.parallel_passages import alike
from ductus.core.reading.model import ReadSettings
from ductus.core.time.bars import BarLines
from ductus.core.time.note_values import BASE_TICKS
from ductus.core.time.pulse_map import PulseMap
from ductus.core.time.ticks import QUARTER

DETACHED = 0.5  # played for less than this share of its value: a staccato dot (common practice)
# A note that sounded for more than this of the way to the next, and for less of its own value, is detached: no rest
# follows.
FULL_FROM, FULL_BELOW = 0.3, 0.75


def articulations(take: Take, pulses: PulseMap, lengths: list[int], settings: ReadSettings) -> list[tuple[str, ...]]:
    """Staccato dots on short values that sounded for less than half of their length."""
    if settings.staccato != "dot":
        return [()] * len(lengths)
    out: list[tuple[str, ...]] = []
    for note, length in zip(take.notes, lengths, strict=True):
        sounded = pulses.tick_at(note.release_us) - pulses.tick_at(note.onset_us)
        out.append(("staccato",) if sounded < DETACHED * length and length <= QUARTER else ())
    return out


def full_lengths(
    take: Take,
    pulses: PulseMap,
    bars: BarLines,
    ticks: list[int],
    lengths: list[int],
    hand: list[int],
    order: list[int],
) -> list[int]:
    """Detached notes in full: a short note that was let go early even for its own value, as its hand did in like
    places, reaches the next onset of its hand if that is not far. ``order`` are the notes that are written, by
    tick.
    """
    sounded = [pulses.tick_at(take.notes[n].release_us) - pulses.tick_at(take.notes[n].onset_us) for n in order]
    like = alike(
        [ticks[n] for n in order], sounded, [hand[n] for n in order], [bars.bar_at(ticks[n])[1] for n in order]
    )
    out = list(lengths)
    for n, own, way, others in zip(order, sounded, like.way.tolist(), like.share.tolist(), strict=True):
        if not lengths[n] < way <= QUARTER:
            continue
        usual = own if math.isnan(others) else way * math.exp(others)
        if FULL_FROM * way < own and max(own, usual) < FULL_BELOW * lengths[n]:
            out[n] = way
    return out


def detached_lengths(take: Take, pulses: PulseMap, lengths: list[int], shortest: int) -> list[int]:
    """Short values with rests instead of dots.

    The plain value nearest to what sounded, where that is clearly shorter.
    """
    plain = sorted({v for v in BASE_TICKS.values() if v >= shortest})
    out = []
    for note, length in zip(take.notes, lengths, strict=True):
        sounded = pulses.tick_at(note.release_us) - pulses.tick_at(note.onset_us)
        nearest = min(plain, key=lambda v: abs(np.log(max(sounded, 1) / v)))
        out.append(nearest if sounded < 0.7 * length and nearest < length else length)
    return out
