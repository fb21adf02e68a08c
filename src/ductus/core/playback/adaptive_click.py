"""A click that goes with the player: what lies ahead is moved by a share of how late the last notes came, and slowed
or hurried a little.

After the two-process account of how people keep together with a beat (phase and period correction; Mates 1994, Repp
2005, from memory).
"""

from __future__ import annotations

import statistics
from collections.abc import Sequence

from ductus.core.time.pulse_map import Pulse, PulseMap

PHASE, PERIOD = 0.6, 0.4  # of the lateness: taken over by the next beat, and by the length of each beat after it
MOST_CHANGE = 0.12  # of the length of a beat, at a time
LEAST_US = 8_000  # nearer is on the click
NEAR = 0.4  # of a beat: a note that is farther from a beat is none of it


def off_beats(pulses: PulseMap, beat: int, length: int, onsets_us: Sequence[int]) -> list[int]:
    """How late notes came that belong to the beat at a tick, in microseconds."""
    at = pulses.time_at(beat)
    reach = NEAR * (pulses.time_at(beat + length) - at)
    return [us - at for us in onsets_us[-12:] if abs(us - at) < reach]


def lateness(residuals_us: Sequence[float]) -> float:
    """How late the notes of a beat came, in microseconds; 0 where none was played or they were on the click."""
    late = statistics.median(residuals_us) if residuals_us else 0.0
    return late if abs(late) >= LEAST_US else 0.0


def bent_click(pulses: PulseMap, tick: int, beat_ticks: int, late_us: float) -> PulseMap:
    """The map with everything after the beat at ``tick`` moved towards a player who is ``late_us`` late."""
    now, following = pulses.time_at(tick), pulses.time_at(tick + beat_ticks)
    beat_us = following - now
    most = MOST_CHANGE * beat_us
    shift = min(max(PHASE * late_us, -most), most)
    factor = 1 + min(max(PERIOD * late_us / beat_us, -MOST_CHANGE), MOST_CHANGE)
    arrives = round(now + beat_us * factor + shift)
    kept = [p for p in pulses.pulses if p.tick < tick]
    ahead = [
        Pulse(p.tick, arrives + round((p.time_us - following) * factor), p.by_hand)
        for p in pulses.pulses
        if p.tick > tick + beat_ticks
    ]
    return PulseMap((*kept, Pulse(tick, now), Pulse(tick + beat_ticks, arrives), *ahead))
