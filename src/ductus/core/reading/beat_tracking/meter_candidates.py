"""Bars of free playing, asked once more over the whole take.

May the beat be twice as long, the bar another, the bar line elsewhere?

tracks of the beam + chords -> siblings (octave, family, meter, phase) -> features over the take -> the order in
which they are offered

A beam decides from chord to chord and its rivals soon share their past, so they end alike. Each of its few tracks is
therefore labelled anew in all ways that a musician would consider, and what tells them apart is measured over the
whole take (``bar_features``, ``melody_features``). The weights are a conditional logit fitted by
``tools/fit_bars.py``.

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

from ductus.core.reading.beat_tracking.bar_features import (
    MEASURED,
    Evidence,
    Judged,
    beat_s,
    divided,
    measured,
    on_slots,
    pace_of_kind,
    struck,
)
from ductus.core.reading.beat_tracking.beam_search import HINT_RANGE, HINT_SD, Frame, Track
from ductus.core.reading.beat_tracking.melody_features import ON_BARS, RETURNS, line_returns, lines_on_bars
from ductus.core.reading.quantization.subdivisions import COMPOUND, SIMPLE, Floats

# How many beats of the new frame one of the old is worth, by (family before, family after).
SCALES: dict[tuple[int, int], tuple[Fraction, ...]] = {
    (SIMPLE, SIMPLE): (Fraction(1), Fraction(2), Fraction(1, 2)),
    (SIMPLE, COMPOUND): (Fraction(1), Fraction(1, 3), Fraction(2, 3)),
    (COMPOUND, SIMPLE): (Fraction(1), Fraction(3), Fraction(3, 2)),
    (COMPOUND, COMPOUND): (Fraction(1), Fraction(2), Fraction(1, 2)),
}
# Of every labelling; what is measured apart for each kind of bar comes after them.
MEASURES = (*MEASURED, *ON_BARS, *RETURNS)
PERIODS_S = {SIMPLE: (0.24, 1.7), COMPOUND: (0.3, 2.4)}  # of a felt beat
SLOWEST_S = 60 / 40  # where no meter is told: the slowest mark of a metronome (common practice)
PARTS = ("plain", "square", "slots", "tune", "divided", "pace")  # of the weights, in the order of what they act on
MOST_PHASES = 12
BY_METER = 0.6  # how much a labelling goes by its meter as a whole; by trial on pieces left out of the fit
# how much the beam's doubt in a track tells against all its labellings: tracks of one label differ in slips that no
# feature sees
SOURCE = 0.1


@dataclass(frozen=True, slots=True)
class Candidate:
    """A track as it may be labelled: ``source`` is the beam's track, ``own`` whether it is that track as it was
    found.
    """

    track: Track
    source: int
    own: bool


def siblings(
    tracks: Sequence[Track], frames: Sequence[Frame], time: Floats, tick_s: float | None = None
) -> list[Candidate]:
    """All labellings of the beam's best tracks under the frames that may be meant.

    Those that are the same twice stand once. ``tick_s``: seconds of a tick at a rough tempo that was told; None:
    nothing is known.
    """
    out: list[Candidate] = []
    seen: set[tuple[object, ...]] = set()
    span, told = float(time[-1] - time[0]), len({f.beats * f.beat_ticks for f in frames}) == 1
    for source, track in enumerate(tracks):
        length = max(float(track.place[-1] - track.place[0]), 1e-6)
        for frame in frames:
            for scale in SCALES[track.frame.family, frame.family]:
                period = span / (length * float(scale))
                low, high = PERIODS_S[frame.family]
                if not told:
                    high = min(high, SLOWEST_S)
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


@dataclass(frozen=True, slots=True)
class Weights:
    """Middle and deviation of each measure over the candidates of the fit, and the weights of what ``told_apart``
    makes of them.
    """

    middle: Floats
    deviation: Floats
    weight: Floats


@lru_cache(maxsize=1)
def weights() -> Weights:
    """The fitted weights: of the measures and their squares (each in the order of MEASURES), then of what is
    measured apart for each kind of bar.
    """
    data = json.loads(resources.files("ductus.core.reading.tables").joinpath("bars.json").read_text("utf-8"))
    assert data["features"] == list(MEASURES)
    weight = np.concatenate([data[part] for part in PARTS])
    return Weights(np.array(data["middle"]), np.array(data["deviation"]), weight)


def told_apart(rows: Floats, middle: Floats, deviation: Floats) -> Floats:
    """What the weights act on, for rows of ``features_of``.

    Each measure in deviations from its middle, its square (too little and too much both speak against a labelling),
    and what is measured apart for each kind of bar, as it is.
    """
    own, by_kind = np.split(rows, [len(MEASURES)], axis=1)
    plain = (own - middle) / deviation
    return np.concatenate([plain, plain * plain, by_kind], axis=1)


def behind(found: Sequence[Candidate], tracks: Sequence[Track]) -> Floats:
    """How far the track of each candidate is behind the best of the beam, in nats (0 to -60)."""
    best = max(t.score for t in tracks)
    return np.array([max(tracks[c.source].score - best, -60.0) for c in found])


def features_of(
    found: Sequence[Candidate], tracks: Sequence[Track], take: Evidence, priors: dict[str, float]
) -> Floats:
    """What is measured of all candidates (see ``bar_features`` and ``melody_features``), one row for each."""
    rows, length = [], take.chords.features[:, 5]
    returns: dict[tuple[int, float, int], Floats] = {}
    for candidate, late in zip(found, behind(found, tracks), strict=True):
        track = candidate.track
        bar = (candidate.source, track.period, track.frame.beats)
        if bar not in returns:
            returns[bar] = line_returns(track, take)
        judged = Judged(priors.get(str(track.frame.meter), -3.0), candidate.own, float(late))
        by_kind = (
            on_slots(track, length),
            struck(track, track.place[take.lines.tune]),
            divided(track),
            pace_of_kind(track, take.chords.time),
        )
        rows.append(np.concatenate([measured(track, judged, take), lines_on_bars(track, take), returns[bar], *by_kind]))
    return np.array(rows)


def in_order(
    tracks: Sequence[Track],
    frames: Sequence[Frame],
    take: Evidence,
    priors: dict[str, float],
    tick_s: float | None = None,
) -> list[Track]:
    """The labellings, the likeliest first (see ``by_meter``); scores are log probabilities among them.

    A tempo that was told (``tick_s``) is doubted as the beams doubt it.
    """
    found = siblings(tracks, frames, take.chords.time, tick_s)
    if not found:
        return list(tracks)
    fitted = weights()
    rows = features_of(found, tracks, take, priors)
    total = told_apart(rows, fitted.middle, fitted.deviation) @ fitted.weight + SOURCE * behind(found, tracks)
    if tick_s is not None:
        told = [math.log(beat_s(c.track, take.chords.time) / (tick_s * c.track.frame.beat_ticks)) for c in found]
        total = total - 0.5 * (np.array(told) / HINT_SD) ** 2
    total = total - np.logaddexp.reduce(total)
    order = np.argsort(-by_meter(total, [str(c.track.frame.meter) for c in found]), kind="stable")
    return [replace(found[int(k)].track, score=float(total[int(k)])) for k in order]


def by_meter(total: Floats, meters: Sequence[str]) -> Floats:
    """By what labellings are ordered: their own ``total`` (ln of their probability) and that of all labellings of
    their meter, by BY_METER. Long bars have more places where they may begin, so that what speaks for their meter
    is shared among more of them.
    """
    names, which = np.unique(meters, return_inverse=True)
    whole = np.array([np.logaddexp.reduce(total[which == k]) for k in range(len(names))])
    out: Floats = BY_METER * whole[which] + (1 - BY_METER) * total
    return out
