"""A new tempo in the middle of a free take: found by the times between chords, which all become shorter or longer by
one factor, where the music itself only shifts between its usual values (a half, a third, a quarter of each other).

times of chords -> where it changes and by how much -> the take as if it had one tempo -> beats -> back again
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from ductus.core.capture.takes import Take
from ductus.core.reading.quantization.subdivisions import Floats
from ductus.core.time.pulse_map import PulseMap

# Of our own choice, by trial on simulated players of open scores with and without a change (docs/research).
LEAST_FACTOR, MOST_FACTOR = 1.18, 1.7  # more is the way from one note value to the next
FACTORS = 37
SHORTEST_S, LONGEST_S = 0.06, 3.0  # times between chords that are compared
BANDWIDTH = 0.05  # of the density of their logarithms
STRAY, STRAY_DENSITY = 0.1, 0.25  # the share of times that fit nothing, and their density
AROUND = 120  # times on either side that are compared
LEAST_AROUND = 16
PLACES = 60  # that are tried
LEAST_GAIN = 45.0  # nats by which the times on both sides must fit each other better
LOW = 35  # percent of the notes that are the low ones
AROUND_LOW, LEAST_LOW, LEAST_GAIN_LOW = 60, 6, 15.0  # of the low notes: where a tune goes over to triplets, they do not


@dataclass(frozen=True, slots=True)
class TempoChange:
    """From ``at_s`` (seconds) on the tempo is ``factor`` times what it was."""

    at_s: float
    factor: float

    def steady(self, time_us: int) -> int:
        """When something would have been played without the change."""
        at = round(self.at_s * 1e6)
        return time_us if time_us <= at else at + round((time_us - at) * self.factor)

    def played(self, time_us: int) -> int:
        """The way back from ``steady``."""
        at = round(self.at_s * 1e6)
        return time_us if time_us <= at else at + round((time_us - at) / self.factor)

    def without(self, take: Take) -> Take:
        """The take as if it had been played at the tempo of its beginning."""
        notes = []
        for n in take.notes:
            on = self.steady(n.onset_us)
            notes.append(replace(n, onset_us=on, release_us=max(self.steady(n.release_us), on + 1)))
        controls = tuple(replace(c, time_us=self.steady(c.time_us)) for c in take.controls)
        return replace(take, notes=tuple(notes), controls=controls)

    def back(self, pulses: PulseMap) -> PulseMap:
        """Beats of the take without the change, as they were played."""
        return PulseMap(tuple(replace(p, time_us=self.played(p.time_us)) for p in pulses.pulses))


def tempo_change(take: Take, time: Floats) -> TempoChange | None:
    """The one change of tempo in the middle of a take with chords at these times (seconds); None where there is none.

    On each side of a place the density of the logarithms of the times between chords is estimated by kernels
    (Parzen 1962); how well each side fits the density of the other, shifted by a factor, is compared with how well it
    fits unshifted.
    """
    between = np.diff(time)
    kept = (between > SHORTEST_S) & (between < LONGEST_S)
    logs, begins = np.log(between[kept]), time[:-1][kept]
    count = len(logs)
    if count < 4 * LEAST_AROUND:
        return None
    size = np.geomspace(LEAST_FACTOR, MOST_FACTOR, FACTORS // 2)
    factors = np.concatenate((1 / size[::-1], size))
    best = (LEAST_GAIN, 0.0, 1.0)
    for k in range(max(LEAST_AROUND, count // 5), min(count - LEAST_AROUND, 4 * count // 5), max(1, count // PLACES)):
        before, behind = logs[max(k - AROUND, 0) : k], logs[k : k + AROUND]
        fit = partial(_fit, before, behind)
        plain = fit(0.0)
        gains = [fit(-math.log(f)) - plain for f in factors]
        top = int(np.argmax(gains))
        if gains[top] > best[0] and 0 < top < len(gains) - 1:
            best = (gains[top], float(begins[k]), float(factors[top]))
    if not best[1] or not _below_too(take, best[1], best[2]):
        return None
    return TempoChange(best[1], best[2])


def _below_too(take: Take, at_s: float, factor: float) -> bool:
    """Do the low notes change their pace with the others? Where there are few, they are not asked."""
    limit = float(np.percentile([n.key for n in take.notes], LOW))
    low = np.array([n.onset_us / 1e6 for n in take.notes if n.key <= limit])
    between = np.diff(low)
    kept = (between > SHORTEST_S) & (between < 2 * LONGEST_S)
    logs, begins = np.log(between[kept]), low[:-1][kept]
    before, behind = logs[begins < at_s][-AROUND_LOW:], logs[begins >= at_s][:AROUND_LOW]
    if min(len(before), len(behind)) < LEAST_LOW:
        return True
    return _fit(before, behind, -math.log(factor)) - _fit(before, behind, 0.0) > LEAST_GAIN_LOW


def _fit(before: Floats, behind: Floats, shift: float) -> float:
    """ln likelihood of each side under the density of the other, the later one shifted back."""
    apart = (behind[:, None] - shift - before[None, :]) / BANDWIDTH
    kernel = np.exp(-0.5 * apart * apart) / (BANDWIDTH * math.sqrt(2 * math.pi))
    return float(_ln(kernel.mean(axis=1)).sum() + _ln(kernel.mean(axis=0)).sum())


def _ln(density: Floats) -> Floats:
    return np.log((1 - STRAY) * density + STRAY * STRAY_DENSITY)
