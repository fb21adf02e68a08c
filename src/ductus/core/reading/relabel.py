"""Bars of free playing, asked once more over the whole take: may the beat be twice as long, the bar another, the bar line elsewhere?

    tracks of the beam + chords -> siblings (octave, family, meter, phase) -> features over the take -> the order in which they are offered

A beam decides from chord to chord and its rivals soon share their past, so they end alike. Each of its few tracks is therefore labelled anew in all ways that a musician
would consider, and what tells them apart is measured over the whole take: how weight, loudness, length, harmony and bass lie on the bars, how many beats are
struck, how much is syncopated, how alike the bars are. The weights are a conditional logit fitted by ``tools/fit_bars.py``.

Conventions: places are in beats of the candidate's frame, bar lines at multiples of its beats.
"""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import lru_cache
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from ductus.core.reading.beam import HINT_RANGE, MEDIAN_PERIOD_S, TEMPO_SD, Frame, Track
from ductus.core.reading.chords import Chords
from ductus.core.reading.divisions import COMPOUND, SIMPLE, Floats, Ints

# How many beats of the new frame one of the old is worth, by (family before, family after).
SCALES: dict[tuple[int, int], tuple[Fraction, ...]] = {
    (SIMPLE, SIMPLE): (Fraction(1), Fraction(2), Fraction(1, 2)),
    (SIMPLE, COMPOUND): (Fraction(1), Fraction(1, 3), Fraction(2, 3)),
    (COMPOUND, SIMPLE): (Fraction(1), Fraction(3), Fraction(3, 2)),
    (COMPOUND, COMPOUND): (Fraction(1), Fraction(2), Fraction(1, 2)),
}
PERIODS_S = {SIMPLE: (0.24, 1.7), COMPOUND: (0.3, 2.4)}  # of a felt beat
MOST_PHASES = 12
SOURCE = 0.1  # how much the beam's doubt in a track tells against all its labellings: tracks of one label differ in slips that no feature sees
BITS: Ints = np.array([k.bit_count() for k in range(1 << 12)])  # how many pitch classes a set of them has
LEAST_SPREAD = 0.1  # deviations: rivals that differ by less in a feature are not set apart by it
NEAR = 0.07  # beats by which a chord may lie off a place
FEATURES = (
    "salience", "tempo", "meter", "finer", "off beat", "beats struck", "bars struck", "loud", "long", "gap after", "bass", "new bass", "fresh", "syncopated",
    "repeats", "repeats pitch", "first", "identity", "beam", "half bar", "middle", "alternates", "wanders",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Candidate:
    """A track as it may be labelled: ``source`` is the beam's track, ``own`` whether it is that track as it was found."""

    track: Track
    source: int
    own: bool


def siblings(
    tracks: Sequence[Track], frames: Sequence[Frame], time: Floats, tick_s: float | None = None
) -> list[Candidate]:
    """All labellings of the beam's best tracks under the frames that may be meant; those that are the same twice stand once. ``tick_s``: seconds of a
    tick at a rough tempo that was told; None: nothing is known."""
    out: list[Candidate] = []
    seen: set[tuple[object, ...]] = set()
    span = float(time[-1] - time[0])
    for source, track in enumerate(tracks):
        length = max(float(track.place[-1] - track.place[0]), 1e-6)
        for frame in frames:
            for scale in SCALES[track.frame.family, frame.family]:
                period = span / (length * float(scale))
                low, high = PERIODS_S[frame.family]
                if tick_s is not None:
                    expected = tick_s * frame.beat_ticks
                    low, high = expected / HINT_RANGE, expected * HINT_RANGE
                if not low <= period <= high:
                    continue
                grid = min(scale, Fraction(1)) if scale.numerator in (1, 2) else Fraction(1, scale.denominator)
                for k in range(min(int(frame.beats / grid), MOST_PHASES)):
                    shift = float(grid * k)
                    place = track.place * float(scale) + shift
                    own = scale == 1 and k == 0 and frame == track.frame
                    name = (
                        frame.meter,
                        round(period, 3),
                        round(float(place[0]) % frame.beats, 2),
                        round(float(place[len(place) // 2]) % frame.beats, 2),
                    )
                    if name in seen and not own:
                        continue
                    seen.add(name)
                    place = place - frame.beats * math.floor(place[0] / frame.beats)
                    out.append(
                        Candidate(
                            replace(track, frame=frame, place=place, period=track.period / float(scale)), source, own
                        )
                    )
    return out


def levels_of(track: Track) -> Ints:
    """Metrical level (see ``chords``) of each chord on a track."""
    place, frame = track.place, track.frame
    nearest = np.round(place)
    on = np.abs(place - nearest) < NEAR
    beat = nearest.astype(np.int64) % frame.beats
    out = np.full(len(place), 4, np.int64)
    parts = (1 / 3, 2 / 3) if frame.family == COMPOUND else (1 / 2,)
    inside = place % 1.0
    for part in parts:
        out[np.abs(inside - part) < NEAR] = 3
    out[on] = 2
    out[on & (beat == 0)] = 0
    if frame.beats > 2 and frame.beats % 2 == 0:
        out[on & (beat == frame.beats // 2)] = 1
    return out


def features_of_candidate(
    candidate: Candidate,
    chords: Chords,
    weight: Floats,
    time: Floats,
    prior: float,
    best: float,
    classes: Ints,
) -> Floats:
    """What tells candidates apart, in the order of FEATURES; ``weight`` is the salience of chords by level, ``best`` the score of the beam's best track,
    ``classes`` the pitch classes of each chord (see ``repetition``)."""
    track, f = candidate.track, chords.features
    level = levels_of(track)
    count = len(level)
    down, beat = level == 0, level <= 2
    period = float(time[-1] - time[0]) / max(float(track.place[-1] - track.place[0]), 1e-6)
    whole = np.unique(np.round(track.place[beat]).astype(np.int64))
    first, last = math.ceil(track.place[0]), math.floor(track.place[-1])
    beats = max(last - first + 1, 1)
    bars = max(beats / track.frame.beats, 1.0)

    def lean(values: Floats) -> float:
        """By how much more it lies on bar lines than elsewhere."""
        return float(values[down].mean() - values[~down].mean()) if down.any() and not down.all() else -0.5

    step = np.diff(track.place, append=track.place[-1] + 1)
    to_beat = np.ceil(track.place + NEAR) - track.place
    held_over = (level >= 3) & (step > to_beat + NEAR)
    return np.array(
        [
            float(weight[np.arange(count), level].mean()),
            -0.5 * ((math.log(period) - math.log(MEDIAN_PERIOD_S[track.frame.family])) / TEMPO_SD) ** 2,
            prior,
            float((level == 4).mean()),
            float((level >= 3).mean()),
            min(len(whole) / beats, 1.0),
            min(len(np.unique(np.round(track.place[down]).astype(np.int64))) / bars, 1.2),
            lean(f[:, 1]),
            lean(f[:, 5]),
            lean(f[:, 8]),
            lean(f[:, 10]),
            lean(f[:, 11]),
            lean(f[:, 13]),
            float(held_over.mean()),
            *repetition(track, classes),
            float(level[0] == 0),
            float(candidate.own),
            max(track.score - best, -60.0) / 20 if candidate.own else -1.0,
            lean(f[:, 6]) if track.frame.beats == 1 else 0.0,
            *halves(track, weight[:, 0], down),
            wandering(track.place, time),
        ]
    )


def halves(track: Track, heavy: Floats, down: NDArray[np.bool_]) -> tuple[float, float]:
    """By how much bar lines weigh more than the middle of the bar (0 where it has none on a beat), and by how much every other bar line weighs more than those
    between: a bar that is too long has a heavy middle, in one that is too short every other bar line is light. ``heavy``: how each chord speaks for a bar line."""
    beats = track.frame.beats
    nearest = np.round(track.place).astype(np.int64)
    on = np.abs(track.place - nearest) < NEAR
    middle = on & (nearest % beats == beats // 2) if beats % 2 == 0 else np.zeros(len(on), bool)
    inside = float(heavy[down].mean() - heavy[middle].mean()) if down.any() and middle.any() else 0.0
    odd = (nearest // beats) % 2 == 1
    even_bars, odd_bars = down & ~odd, down & odd
    across = abs(float(heavy[even_bars].mean() - heavy[odd_bars].mean())) if even_bars.any() and odd_bars.any() else 0.0
    return inside, across


def wandering(place: Floats, time: Floats) -> float:
    """How far the tempo goes from its middle: deviation of ln of the beat's length over stretches of some eight beats."""
    span = float(place[-1] - place[0])
    edges = np.linspace(place[0], place[-1], max(int(span / 8), 2) + 1)
    steps = np.diff(np.interp(edges, place, time))
    return float(np.log(np.maximum(steps, 1e-3)).std())


def repetition(track: Track, classes: Ints) -> tuple[float, float]:
    """How alike neighbouring bars are in their rhythm, and in the pitch classes at the same places (shares, 0 to 1). ``classes`` has one bit
    for each pitch class of a chord."""
    bar, inside = np.divmod(track.place + 1e-6, track.frame.beats)
    bar = bar.astype(np.int64) - int(bar[0])
    struck = np.zeros((int(bar.max()) + 1, 12 * track.frame.beats + 1), np.int64)
    struck[bar, np.round(inside * 12).astype(np.int64)] = classes
    here, after = struck[:-1], struck[1:]
    both, either = (here > 0) & (after > 0), (here > 0) | (after > 0)
    filled = (here > 0).any(1) & (after > 0).any(1)
    if not filled.any():
        return 0.0, 0.0
    alike = BITS[here & after] / np.maximum(BITS[here | after], 1)
    pitch = np.where(both, alike, 0.0).sum(1) / np.maximum(both.sum(1), 1)
    rhythm = both.sum(1) / np.maximum(either.sum(1), 1)
    return float(rhythm[filled].mean()), float(pitch[filled].mean())


@dataclass(frozen=True, slots=True)
class Weights:
    """Middle and deviation of each feature over the candidates of the fit, and the weights of what ``told_apart`` makes of them."""

    middle: Floats
    deviation: Floats
    weight: Floats


@lru_cache(maxsize=1)
def weights() -> Weights:
    """The fitted weights, in the order of FEATURES."""
    data = json.loads(resources.files("ductus.core.reading.tables").joinpath("bars.json").read_text("utf-8"))
    assert data["features"] == list(FEATURES)
    weight = np.concatenate([data["plain"], data["square"], data["among"]])
    return Weights(np.array(data["middle"]), np.array(data["deviation"]), weight)


def told_apart(rows: Floats, middle: Floats, deviation: Floats) -> Floats:
    """What the weights act on, shape (candidates, 3 * FEATURES): each feature in deviations from its middle, its square (too little and too much both speak
    against a labelling), and where it stands among the rivals of this take."""
    plain = (rows - middle) / deviation
    among = (rows - rows.mean(0)) / (rows.std(0) + LEAST_SPREAD * deviation)
    return np.concatenate([plain, plain * plain, among], axis=1)


def features_of(
    found: Sequence[Candidate],
    tracks: Sequence[Track],
    chords: Chords,
    weight: Floats,
    classes: Ints,
    priors: dict[str, float],
) -> Floats:
    """The features of all candidates, shape (candidates, FEATURES)."""
    best = max(t.score for t in tracks)
    rows = [
        features_of_candidate(c, chords, weight, chords.time, priors.get(str(c.track.frame.meter), -3.0), best, classes)
        for c in found
    ]
    return np.array(rows)


def in_order(
    tracks: Sequence[Track], frames: Sequence[Frame], chords: Chords, weight: Floats, classes: Ints,
    priors: dict[str, float], tick_s: float | None = None,
) -> list[Track]:  # fmt: skip
    """The labellings, the likeliest first; scores are log probabilities among them."""
    found = siblings(tracks, frames, chords.time, tick_s)
    if not found:
        return list(tracks)
    fitted = weights()
    rows = features_of(found, tracks, chords, weight, classes, priors)
    total = told_apart(rows, fitted.middle, fitted.deviation) @ fitted.weight
    best = max(t.score for t in tracks)
    total = total + SOURCE * np.array([max(tracks[c.source].score - best, -60.0) for c in found])
    total = total - np.logaddexp.reduce(total)
    order = np.argsort(-total, kind="stable")
    return [replace(found[int(k)].track, score=float(total[int(k)])) for k in order]
