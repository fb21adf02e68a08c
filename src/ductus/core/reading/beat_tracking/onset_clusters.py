"""Notes that sound as one event, when nothing is known of the beat; and how weighty each event is.

onsets, releases, keys, velocities -> chords -> features -> log ratios for the metrical levels

Salience after Dixon 2001 (from memory: duration, dynamics, pitch), with features of the bass added; how each feature
speaks for bar lines, half bars, beats, half beats and the rest is fitted by ``tools/fit_salience.py`` as a
multinomial logit.
"""

from __future__ import annotations

import itertools
import json
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources

import numpy as np

from ductus.core.reading.quantization.subdivisions import Floats, Ints

GAP_S, SPAN_S = 0.030, 0.075
SPREAD_STEP_S, SPREAD_S, SHARE, LOW_STEP = 0.085, 0.12, 0.42, 15
FEATURES = 17
LEVELS = 5  # bar line, half bar, beat, half beat (third of a compound beat), anything finer
AROUND = 8  # chords on each side that a chord is compared with


@dataclass(frozen=True, slots=True)
class Chords:
    """Events in order: ``time`` (mean onset, s), ``first`` note index of each and one more for the end, ``order`` of
    the notes.
    """

    time: Floats
    first: Ints
    features: Floats


def cluster(onset: Floats, release: Floats, key: Ints, velocity: Ints) -> Chords:
    """Group notes (sorted by onset) whose onsets lie within 30 ms of each other and 75 ms in all."""
    first = [0]
    for n in range(1, len(onset)):
        start = first[-1]
        if onset[n] - onset[n - 1] > GAP_S or onset[n] - onset[start] > SPAN_S or key[n] in key[start:n]:
            first.append(n)
    starts = np.array(first)
    size = np.diff(np.append(starts, len(onset)))
    time = np.add.reduceat(onset, starts) / size
    return Chords(time, np.append(starts, len(onset)), features_of(time, starts, size, release, key, velocity))


def spread_joined(chords: Chords, onset: Floats, release: Floats, key: Ints, velocity: Ints) -> Chords:
    """Chords that hands spread wider than a struck chord.

    Neighbours are joined where their step is short beside the steps around (SHARE of the local LOW_STEP percentile)
    and in itself, and no key is struck twice.
    """
    time = chords.time
    if len(time) < 2 * AROUND:
        return chords
    step = np.diff(time)
    padded = np.pad(step, AROUND, mode="edge")
    usual = np.percentile(np.lib.stride_tricks.sliding_window_view(padded, 2 * AROUND + 1), LOW_STEP, axis=1)
    keys_at = [set(key[a:b].tolist()) for a, b in itertools.pairwise(chords.first.tolist())]
    first = [0]
    begun, held = float(onset[0]), set(keys_at[0])
    for q in range(1, len(time)):
        last = float(onset[chords.first[q + 1] - 1])
        close = step[q - 1] < SPREAD_STEP_S and step[q - 1] < SHARE * usual[q - 1]
        if close and last - begun <= SPREAD_S and not held & keys_at[q]:
            held |= keys_at[q]
            continue
        first.append(int(chords.first[q]))
        begun, held = float(onset[chords.first[q]]), set(keys_at[q])
    starts = np.array(first)
    size = np.diff(np.append(starts, len(onset)))
    joined = np.add.reduceat(onset, starts) / size
    return Chords(joined, np.append(starts, len(onset)), features_of(joined, starts, size, release, key, velocity))


def features_of(time: Floats, starts: Ints, size: Ints, release: Floats, key: Ints, velocity: Ints) -> Floats:
    """What speaks for weight, shape (chords, FEATURES); everything relative to the neighbourhood."""
    count = len(time)
    loud = np.maximum.reduceat(velocity.astype(float), starts)
    low = np.minimum.reduceat(key.astype(float), starts)
    high = np.maximum.reduceat(key.astype(float), starts)
    longest = np.log(np.maximum(np.maximum.reduceat(release, starts) - time, 0.03))
    owner = np.repeat(np.arange(count), size)
    lowest_at = np.array([starts[q] + int(np.argmin(key[starts[q] : starts[q] + size[q]])) for q in range(count)])
    bass_length = np.log(np.maximum(release[lowest_at] - time, 0.03))
    before = np.log(np.maximum(np.diff(time, prepend=time[0] - 0.5), 0.03))
    after = np.log(np.maximum(np.diff(time, append=time[-1] + 1.0), 0.03))
    is_bass = low <= local(low, np.median) - 3
    is_lowest = low <= local(low, np.min) + 2
    basses = low[np.maximum.accumulate(np.where(is_bass, np.arange(count), 0))]
    changed = is_bass & (np.concatenate(([True], basses[1:] != basses[:-1])))
    fresh = np.zeros(count)
    recent: dict[int, float] = {}
    for n in range(len(key)):
        pc = int(key[n]) % 12
        if time[owner[n]] - recent.get(pc, -9.0) > 1.2:
            fresh[owner[n]] += 1
        recent[pc] = float(time[owner[n]])
    out = np.zeros((count, FEATURES))
    out[:, 0] = 1.0
    out[:, 1] = (loud - local(loud, np.mean)) / 8
    out[:, 2] = np.log(size) - local(np.log(size), np.mean)
    out[:, 3] = (local(low, np.mean) - low) / 12
    out[:, 4] = (high - local(high, np.mean)) / 12
    out[:, 5] = longest - local(longest, np.mean)
    out[:, 6] = bass_length - local(bass_length, np.mean)
    out[:, 7] = before - local(before, np.mean)
    out[:, 8] = after - local(after, np.mean)
    out[:, 9], out[:, 10], out[:, 11] = is_bass, is_lowest, changed
    out[:, 12] = changed * np.maximum(out[:, 6], 0)
    out[:, 13] = fresh / np.maximum(size, 1)
    out[:, 14] = np.minimum(out[:, 5], 0)
    out[:, 15] = (size == 1) & ~is_bass
    out[:, 16] = np.minimum(after, -1.2) + 1.2
    return np.clip(out, -3, 3)


def local(values: Floats | Ints, how: object, around: int = AROUND) -> Floats:
    """Mean, median or minimum over the neighbourhood of each chord, so many on each side."""
    padded = np.pad(values, around, mode="edge")
    windows = np.lib.stride_tricks.sliding_window_view(padded, 2 * around + 1)
    return np.asarray(how(windows, axis=1))  # type: ignore[operator]


@lru_cache(maxsize=1)
def salience_weights() -> Floats:
    """Weights of the logit, shape (FEATURES, LEVELS)."""
    data = json.loads(resources.files("ductus.core.reading.tables").joinpath("salience.json").read_text("utf-8"))
    return np.array(data["weights"])


def salience(chords: Chords) -> Floats:
    """ln(probability of a level given the chord / probability of the level), shape (chords, LEVELS)."""
    z = chords.features @ salience_weights()
    z = z - np.logaddexp.reduce(z, axis=1, keepdims=True)
    data = json.loads(resources.files("ductus.core.reading.tables").joinpath("salience.json").read_text("utf-8"))
    out: Floats = z - np.log(np.array(data["shares"]))[None, :]
    return out
