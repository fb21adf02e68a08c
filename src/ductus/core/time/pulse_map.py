"""Pulse maps: where the beats of the written time lie in performed time.

Conventions: a pulse is a pair (tick, microseconds from the start of the take). Between pulses time runs
evenly; before the first and after the last the neighbouring tempo goes on. A map made by the metronome, by
a foot, by the engine or by hand has the same shape, so one reader serves them all. The arithmetic:
tempo = beats x 60 / seconds.
"""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass
from fractions import Fraction

from ductus.core.errors import BadInput
from ductus.core.time.ticks import QUARTER

US_PER_MINUTE = 60_000_000


@dataclass(frozen=True, slots=True)
class Pulse:
    """Written place ``tick`` falls at ``time_us``; ``by_hand`` marks one that a person set."""

    tick: int
    time_us: int
    by_hand: bool = False


@dataclass(frozen=True, slots=True)
class PulseMap:
    """Two or more pulses, both coordinates strictly rising.

    Raises BadInput otherwise.
    """

    pulses: tuple[Pulse, ...]

    def __post_init__(self) -> None:
        if len(self.pulses) < 2:
            raise BadInput("A pulse map needs at least two beats.")
        for a, b in zip(self.pulses, self.pulses[1:], strict=False):
            if b.tick <= a.tick or b.time_us <= a.time_us:
                raise BadInput(
                    f"Beats must follow each other: {b.time_us / 1e6:.3f} s does not come after {a.time_us / 1e6:.3f} "
                    "s."
                )

    def _segment(self, k: int) -> tuple[Pulse, Pulse]:
        k = min(max(k, 1), len(self.pulses) - 1)
        return self.pulses[k - 1], self.pulses[k]

    def tick_at(self, time_us: float) -> float:
        """Written place of a performed time, in ticks (not rounded)."""
        a, b = self._segment(bisect_right(self.pulses, time_us, key=lambda p: p.time_us))
        return a.tick + (time_us - a.time_us) * (b.tick - a.tick) / (b.time_us - a.time_us)

    def time_at(self, tick: int) -> int:
        """Performed time of a written place, in whole microseconds."""
        a, b = self._segment(bisect_right(self.pulses, tick, key=lambda p: p.tick))
        return a.time_us + round(Fraction((tick - a.tick) * (b.time_us - a.time_us), b.tick - a.tick))

    def moved(self, ticks: int, us: int = 0) -> PulseMap:
        """The same beats, their ticks and times counted from another place."""
        return PulseMap(tuple(Pulse(p.tick + ticks, p.time_us + us, p.by_hand) for p in self.pulses))

    def us_per_quarter_at(self, tick: int) -> float:
        """Microseconds to the quarter around a written place."""
        a, b = self._segment(bisect_right(self.pulses, tick, key=lambda p: p.tick))
        return (b.time_us - a.time_us) * QUARTER / (b.tick - a.tick)


def steady_map(quarters_per_minute: float, tick: int, time_us: int) -> PulseMap:
    """Return the map of a metronome: ``tick`` falls at ``time_us``, ``quarters_per_minute`` in every meter.

    >>> steady_map(120, 0, 0).time_at(QUARTER)
    500000
    """
    if not 5 <= quarters_per_minute <= 1000:
        raise BadInput(f"{quarters_per_minute:g} quarters a minute is no tempo that Ductus clicks (5 to 1000).")
    span = 4096 * QUARTER  # long, so that rounding to microseconds stays under 1 part in 10^9
    length_us = round(4096 * US_PER_MINUTE / quarters_per_minute)
    return PulseMap((Pulse(tick, time_us), Pulse(tick + span, time_us + length_us)))


def tempo_of(beats: float, seconds: float) -> float:
    """Beats a minute of a stretch (16 beats in 11.456 s are 83.80)."""
    return beats * 60 / seconds
