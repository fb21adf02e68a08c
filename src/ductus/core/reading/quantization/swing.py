"""Swing: one share of all the beats of a take that the first of two eighths has, where it is not a half.

onsets + beats -> ``Swing`` or None; with it the take's times are made even inside each beat, and read as usual

Method: phases of all onsets in their beats, the player's lag taken out, under a few mixtures whose weights and
deviation are found by expectation and maximisation (Dempster, Laird & Rubin 1977, from memory): even halves and
quarters, triplets, both, and a long-short pair of each share. The likeliest wins, with a lead for what is usual.

Conventions: shares are of a pair of eighths: .5 even, two thirds as in a triplet; seconds.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ductus.core.capture.takes import Take
from ductus.core.reading.model import EVEN, ReadSettings
from ductus.core.reading.quantization.beat_grid import BeatGrid
from ductus.core.reading.quantization.subdivisions import SIMPLE, Floats
from ductus.core.time.ticks import QUARTER

SHARES = tuple(s / 100 for s in range(54, 72))
TOGETHER_S = 0.035  # onsets that follow each other so soon are one chord
LEAST_SD_S, MOST_SD_S, SD_START_S = 0.010, 0.040, 0.025
FLOOR = 0.02  # of onsets that belong to no place
ROUNDS = 8
LEAST_OFF = 4  # onsets between beats without which nothing is said
NEAR_BEAT = 0.2  # of a beat: what lies so near is on it, for the lag
WORTH = (4.0, 0.02)  # nats by which a swung reading must be likelier than an even one, and for each chord
BOTH_COST = 4.0  # of triplets beside even values
# Notes near a third of the beat as often as near two thirds, and far more often than the fourth 16th: triplets.
AS_TRIPLETS = (0.3, 3.0)
PRIOR = 1.0  # pseudo-counts of each place


@dataclass(frozen=True, slots=True)
class Swing:
    """``share`` of the beat that its first eighth takes; ``triplets``: beats with an onset at a third are triplets."""

    share: float
    triplets: bool = False


@dataclass(frozen=True, slots=True)
class _Phases:
    """Chords in simple beats: phase (-.5 .. 1.5 of its beat) and the length of its beat in seconds."""

    beat: np.ndarray
    phase: Floats
    length: Floats


def _phases(onset: Floats, grid: BeatGrid) -> _Phases:
    """The chords that lie in beats of a quarter."""
    onset = np.sort(onset)
    chord = np.cumsum(np.append(False, np.diff(onset) > TOGETHER_S))
    when = np.bincount(chord, onset) / np.bincount(chord)
    beat = np.clip(np.searchsorted(grid.seconds, when, "right") - 1, 0, len(grid.family) - 1)
    length = np.diff(grid.seconds)[beat]
    phase = (when - grid.seconds[beat]) / length
    near = np.abs(phase - np.round(phase)) < NEAR_BEAT
    lag = float(np.median(((phase - np.round(phase)) * length)[near])) if near.any() else 0.0
    beat = np.clip(np.searchsorted(grid.seconds, when - lag, "right") - 1, 0, len(grid.family) - 1)
    length = np.diff(grid.seconds)[beat]
    phase = (when - lag - grid.seconds[beat]) / length
    quarters = (grid.family[beat] == SIMPLE) & (np.diff(grid.ticks)[beat] == QUARTER)
    return _Phases(beat[quarters], phase[quarters], length[quarters])


def likelihood(found: _Phases, places: tuple[float, ...]) -> tuple[float, Floats]:
    """Log likelihood of the phases if onsets fall near these places only, and the weights of the places."""
    at = np.array([*places, 1.0])
    apart = (found.phase[:, None] - at) * found.length[:, None]
    weight, sd = np.full(len(places), 1 / len(places)), SD_START_S
    fold = np.append(np.arange(len(places)), 0)
    score = 0.0
    for _ in range(ROUNDS):
        density = np.exp(-0.5 * (apart / sd) ** 2) / (sd * np.sqrt(2 * np.pi)) * found.length[:, None]
        each = (1 - FLOOR) * weight[fold] * density
        total = each.sum(1) + FLOOR
        score = float(np.log(total).sum())
        share = each / total[:, None]
        counts = np.bincount(np.tile(fold, len(share)), share.ravel(), len(places)) + PRIOR
        weight = counts / counts.sum()
        sd = float(np.sqrt((share * apart**2).sum() / max(share.sum(), 1e-9)))
        sd = min(max(sd, LEAST_SD_S), MOST_SD_S)
    return score + float(np.log(weight).sum()) * PRIOR, weight


def swing_asked(take: Take, grid: BeatGrid, settings: ReadSettings) -> Swing | None:
    """The swing that was chosen, or else the one that is heard."""
    if settings.swing is not None:
        return Swing(settings.swing) if settings.swing != EVEN else None
    return swing_of(np.array([n.onset_us for n in take.notes], float) / 1e6, grid, settings.tuplets)


def swing_of(onset: Floats, grid: BeatGrid, tuplets: bool | None) -> Swing | None:
    """The swing of a take whose beats are known; None where it is even, or too little is heard between the beats."""
    found = _phases(onset, grid)
    off = np.abs(found.phase - np.round(found.phase)) > NEAR_BEAT
    if int(off.sum()) < LEAST_OFF:
        return None
    even = likelihood(found, (0, 1 / 4, 1 / 2, 3 / 4))[0]
    rivals = [even]
    if tuplets is not False:
        rivals.append(likelihood(found, (0, 1 / 3, 2 / 3))[0])
        rivals.append(likelihood(found, (0, 1 / 4, 1 / 3, 1 / 2, 2 / 3, 3 / 4))[0] - BOTH_COST)
    fits = [likelihood(found, (0, s / 2, s, (1 + s) / 2)) for s in SHARES]
    scores = [score for score, _ in fits]
    best = int(np.argmax(scores))
    _, early, long, late = fits[best][1]
    if tuplets is not False and early > AS_TRIPLETS[0] * long and early > AS_TRIPLETS[1] * late:
        return None
    if scores[best] < max(rivals) + max(WORTH[0], WORTH[1] * len(found.phase)):
        return None
    return Swing(SHARES[best])


def evened(take: Take, grid: BeatGrid, swing: Swing) -> Take:
    """The take with its times made even inside each beat of a quarter."""
    length = np.diff(grid.seconds)
    swung = (grid.family == SIMPLE) & (np.diff(grid.ticks) == QUARTER)

    def even(time_us: int) -> int:
        seconds = time_us / 1e6
        k = int(np.searchsorted(grid.seconds, seconds, "right")) - 1
        if not 0 <= k < len(length) or not swung[k]:
            return time_us
        x = (seconds - grid.seconds[k]) / length[k]
        x = x / swing.share / 2 if x < swing.share else 0.5 + (x - swing.share) / (1 - swing.share) / 2
        return round(float(grid.seconds[k] + x * length[k]) * 1e6)

    notes = []
    for n in take.notes:
        on = even(n.onset_us)
        notes.append(replace(n, onset_us=on, release_us=max(even(n.release_us), on + 1)))
    return replace(take, notes=tuple(notes), controls=tuple(replace(c, time_us=even(c.time_us)) for c in take.controls))
