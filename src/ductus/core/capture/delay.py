"""The delay test: how late notes arrive that were meant to fall on the click.

Conventions: a positive number means that notes arrive late. The mean is the ordinary one over all strokes that were
meant (those far from the others are left out and counted); the spread is their standard deviation.
"""

from __future__ import annotations

import itertools
import statistics
from collections.abc import Sequence
from dataclasses import dataclass

from ductus.core.errors import BadInput
from ductus.core.words import count_words

LEAST_STROKES = 6
MOST_LATE_US = 500_000
FAR_US = 60_000  # from the median: such a stroke was a slip
FAR_SPREADS = 4.0


@dataclass(frozen=True, slots=True)
class Delay:
    """Mean and spread in microseconds; ``points`` are (number of the click, played - click).

    ``left_out`` strokes were slips or doubled.
    """

    mean_us: int
    spread_us: int
    points: tuple[tuple[int, int], ...]
    left_out: int

    @property
    def words(self) -> str:
        """What was found, and what the number means."""
        size = abs(self.mean_us) / 1000
        found = f"Your notes arrive {size:.0f} ms {'late' if self.mean_us > 0 else 'early'}"
        if size < 0.5:
            found = "Your notes arrive on the click"
        slips = (
            f" {count_words(self.left_out, 'stroke').capitalize()} far from the others left out."
            if self.left_out
            else ""
        )
        return f"{found} on average, give or take {self.spread_us / 1000:.0f} ms.{slips}"


SIGN = "A positive number means: my notes arrive late; move them earlier."


def find_delay(clicks_us: Sequence[int], strokes_us: Sequence[int]) -> Delay:
    """The delay of strokes that were played to clicks. Raises BadInput for too few."""
    clicks_us = sorted(set(clicks_us))
    if len(clicks_us) < 2:
        raise BadInput("A delay test needs a click.")
    reach = min(b - a for a, b in itertools.pairwise(clicks_us)) / 2
    nearest: dict[int, int] = {}
    doubled = 0
    for stroke in sorted(strokes_us):
        k = min(range(len(clicks_us)), key=lambda i: abs(stroke - clicks_us[i]))
        if abs(stroke - clicks_us[k]) > reach:
            continue
        if k in nearest:
            doubled += 1
            continue
        nearest[k] = stroke - clicks_us[k]
    if len(nearest) < LEAST_STROKES:
        raise BadInput(
            f"{count_words(len(nearest), 'stroke').capitalize()} on the click {'was' if len(nearest) == 1 else 'were'} "
            "heard; the test needs "
            f"at least {LEAST_STROKES}. Nothing was changed."
        )
    middle = statistics.median(nearest.values())
    usual = statistics.median(abs(d - middle) for d in nearest.values()) * 1.4826  # of a normal spread
    far = max(FAR_US, FAR_SPREADS * usual)
    meant = {k: d for k, d in nearest.items() if abs(d - middle) <= far}
    return Delay(
        round(statistics.fmean(meant.values())),
        round(statistics.stdev(meant.values())) if len(meant) > 1 else 0,
        tuple(sorted(meant.items())),
        doubled + len(nearest) - len(meant),
    )
