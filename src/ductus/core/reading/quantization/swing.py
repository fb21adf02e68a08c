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

SHARES = tuple(s / 100 for s in range(55, 72))
MOST_LAG_S = 0.05
TOGETHER_S = 0.035  # onsets that follow each other so soon are one chord
LEAST_SD_S, MOST_SD_S, SD_START_S = 0.010, 0.040, 0.025
FLOOR = 0.02  # of onsets that belong to no place
ROUNDS = 8
LEAST_OFF = 4  # onsets between beats without which nothing is said
NEAR_BEAT = 0.2  # of a beat: what lies so near may be on it
WORTH = (4.0, 0.02)  # nats by which a swung reading must be likelier than an even one, and for each chord
BOTH_COST = 4.0  # of triplets beside even values
AS_TRIPLETS = 2.0  # so much more often near a third of the beat than at the fourth 16th: there are triplets
THIRD, FOURTH, LONG = (0.24, 0.43), 0.06, 0.1  # of a beat: where notes of triplets and of swung pairs are
RARE_THIRDS = 14.0  # nats: triplets whose middle note is never played are swung eighths
PRIOR = 1.0  # pseudo-counts of each place


@dataclass(frozen=True, slots=True)
class Swing:
    """``share`` of the beat that its first eighth takes, how late all notes come (seconds), and the beats that are
    triplets all the same, as they are played among swung eighths.
    """

    share: float
    lag: float = 0.0
    triplets: frozenset[int] = frozenset()


@dataclass(frozen=True, slots=True)
class _Fit:
    """Log likelihood of phases under one mixture, the weights of its places, and the lag (seconds)."""

    score: float
    weight: Floats
    lag: float


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
    quarters = (grid.family[beat] == SIMPLE) & (np.diff(grid.ticks)[beat] == QUARTER)
    return _Phases(beat[quarters], phase[quarters], length[quarters])


def fitted(found: _Phases, places: tuple[float, ...]) -> _Fit:
    """The mixture of onsets near these places of the beat, and nowhere else, that fits the phases best."""
    at = np.array([*places, 1.0])
    apart = (found.phase[:, None] - at) * found.length[:, None]
    weight, sd, lag = np.full(len(places), 1 / len(places)), SD_START_S, 0.0
    fold = np.append(np.arange(len(places)), 0)
    score = 0.0
    for _ in range(ROUNDS):
        density = np.exp(-0.5 * ((apart - lag) / sd) ** 2) / (sd * np.sqrt(2 * np.pi)) * found.length[:, None]
        each = (1 - FLOOR) * weight[fold] * density
        total = each.sum(1) + FLOOR
        score = float(np.log(total).sum())
        share = each / total[:, None]
        counts = np.bincount(np.tile(fold, len(share)), share.ravel(), len(places)) + PRIOR
        weight = counts / counts.sum()
        lag = float((share * apart).sum() / max(share.sum(), 1e-9))
        lag = min(max(lag, -MOST_LAG_S), MOST_LAG_S)
        sd = float(np.sqrt((share * (apart - lag) ** 2).sum() / max(share.sum(), 1e-9)))
        sd = min(max(sd, LEAST_SD_S), MOST_SD_S)
    return _Fit(score + float(np.log(weight).sum()) * PRIOR, weight, lag)


def swing_asked(take: Take, grid: BeatGrid, settings: ReadSettings) -> Swing | None:
    """The swing that was chosen, or else the one that is heard."""
    if settings.swing is not None:
        return Swing(settings.swing) if settings.swing != EVEN else None
    return swing_of(np.array([n.onset_us for n in take.notes], float) / 1e6, grid, settings.tuplets)


def triplet_beats(found: _Phases, swing: Swing) -> tuple[frozenset[int], int]:
    """The beats with a note near a third and none at the fourth 16th, and how many others have a long first eighth."""
    phase = found.phase - swing.lag / found.length
    third = set(found.beat[(phase > THIRD[0]) & (phase < THIRD[1])].tolist())
    fourth = set(found.beat[np.abs(phase - (1 + swing.share) / 2) < FOURTH].tolist())
    long = set(found.beat[np.abs(phase - swing.share) < LONG].tolist())
    return frozenset(third - fourth), len(long - third)


def swing_of(onset: Floats, grid: BeatGrid, tuplets: bool | None) -> Swing | None:
    """The swing of a take whose beats are known; None where it is even, or too little is heard between the beats."""
    found = _phases(onset, grid)
    off = np.abs(found.phase - np.round(found.phase)) > NEAR_BEAT
    if int(off.sum()) < LEAST_OFF:
        return None
    rivals = [fitted(found, (0, 1 / 4, 1 / 2, 3 / 4)).score]
    if tuplets is not False:
        rivals.append(fitted(found, (0, 1 / 3, 2 / 3)).score - RARE_THIRDS)
        rivals.append(fitted(found, (0, 1 / 4, 1 / 3, 1 / 2, 2 / 3, 3 / 4)).score - BOTH_COST)
    fits = [fitted(found, (0, s / 2, s, (1 + s) / 2)) for s in SHARES]
    share, best = max(zip(SHARES, fits, strict=True), key=lambda f: f[1].score)
    if best.score < max(rivals) + max(WORTH[0], WORTH[1] * len(found.phase)):
        return None
    swing = Swing(share, best.lag)
    if tuplets is False or best.weight[1] <= AS_TRIPLETS * best.weight[3]:
        return swing
    beats, swung = triplet_beats(found, swing)
    return replace(swing, triplets=beats) if swung > len(beats) else None


def evened(take: Take, grid: BeatGrid, swing: Swing) -> Take:
    """The take with its times made even inside each beat of a quarter."""
    length = np.diff(grid.seconds)
    swung = (grid.family == SIMPLE) & (np.diff(grid.ticks) == QUARTER)

    def even(time_us: int) -> int:
        seconds = time_us / 1e6 - swing.lag
        k = int(np.searchsorted(grid.seconds, seconds, "right")) - 1
        if not 0 <= k < len(length) or not swung[k] or k in swing.triplets:
            return time_us
        x = (seconds - grid.seconds[k]) / length[k]
        x = x / swing.share / 2 if x < swing.share else 0.5 + (x - swing.share) / (1 - swing.share) / 2
        return round(float(grid.seconds[k] + x * length[k] + swing.lag) * 1e6)

    notes = []
    for n in take.notes:
        on = even(n.onset_us)
        notes.append(replace(n, onset_us=on, release_us=max(even(n.release_us), on + 1)))
    return replace(take, notes=tuple(notes), controls=tuple(replace(c, time_us=even(c.time_us)) for c in take.controls))
