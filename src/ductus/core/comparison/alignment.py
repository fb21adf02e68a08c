"""Which note of one performance is which of another.

Wrong, extra and missing keys are told apart from those that agree.

two takes -> chords -> cheapest way through both (dynamic programming) -> a map of time -> notes that belong together

Chords are compared as sets of keys, so that the order in which a hand spreads them says nothing; what is left over
is then looked for by key near its time. After Nakamura, Yoshii and Katayose 2017, "Performance error detection and
post-processing for fast and accurate symbolic music alignment" (from memory), without their hidden Markov model.

Conventions: microseconds; notes by their index in their take.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ductus.core.capture.takes import Take

Floats = NDArray[np.float64]
GAP_US, SPAN_US = 35_000, 90_000  # onsets of a chord
BAND = 400  # chords by which two performances may run apart; longer ones are compared along a band
FAR_US = 450_000  # with a click: chords further apart are not the same
# as much as this off the other's time is as bad as a key that differs: repeated notes do not slip along each other
APART_US = 250_000
FREELY_APART_US = 600_000  # the same where the tempo is only known from the notes themselves
NEAR_US = 160_000  # a left-over key that is struck so near its time is the same
ANCHORS = 9  # chords around a place over which its time is mapped
WIDE = 25  # the same while it is not sure yet which note is which
LEAST_SHARE = 0.5  # of the notes that have to agree
BOTH, FIRST_ALONE, SECOND_ALONE = range(3)  # how the cheapest way comes to a place


@dataclass(frozen=True, slots=True)
class Alignment:
    """Pairs (note of the first, note of the second) of one key each.

    ``time`` holds anchors (time in the second, time in the first), rising.
    """

    pairs: tuple[tuple[int, int], ...]
    missing: tuple[int, ...]  # notes of the first that the second has not
    extra: tuple[int, ...]  # notes of the second that the first has not
    anchors: tuple[tuple[int, int], ...]

    @property
    def share(self) -> float:
        """How much of both agrees, 0 to 1."""
        count = 2 * len(self.pairs) + len(self.missing) + len(self.extra)
        return 2 * len(self.pairs) / count if count else 0.0


def grouped(take: Take) -> list[list[int]]:
    """The notes of a take in chords, by onset."""
    order = sorted(range(len(take.notes)), key=lambda k: (take.notes[k].onset_us, take.notes[k].key))
    out: list[list[int]] = []
    for k in order:
        at = take.notes[k].onset_us
        if out and at - take.notes[out[-1][-1]].onset_us <= GAP_US and at - take.notes[out[-1][0]].onset_us <= SPAN_US:
            out[-1].append(k)
        else:
            out.append([k])
    return out


def align(first: Take, second: Take, *, same_clock: bool = False) -> Alignment:
    """Align two performances of one piece. ``same_clock``: both were played to the same click from the same start."""
    a, b = grouped(first), grouped(second)
    if not a or not b:
        return Alignment((), tuple(range(len(first.notes))), tuple(range(len(second.notes))), ())
    bits_a, bits_b = _bits(first, a), _bits(second, b)
    time_a = np.array([first.notes[c[0]].onset_us for c in a], float)
    time_b = np.array([second.notes[c[0]].onset_us for c in b], float)
    if same_clock:
        path = _path(bits_a, bits_b, time_a, time_b, APART_US, FAR_US)
    else:  # first by keys alone; then, with what that says of the tempo, by time as well
        path = _path(bits_a, bits_b, time_a, time_b)
        _, anchors = _in_common(first, second, a, b, path)
        if len(anchors) > ANCHORS:
            path = _path(bits_a, bits_b, time_a, mapped(anchors, time_b, WIDE)[0], FREELY_APART_US)
    pairs, anchors = _in_common(first, second, a, b, path)
    pairs += _left_over(first, second, pairs, anchors)
    in_first, in_second = {i for i, _ in pairs}, {j for _, j in pairs}
    return Alignment(
        tuple(sorted(pairs)),
        tuple(k for k in range(len(first.notes)) if k not in in_first),
        tuple(k for k in range(len(second.notes)) if k not in in_second),
        tuple(anchors),
    )


def _in_common(
    first: Take, second: Take, a: list[list[int]], b: list[list[int]], path: list[tuple[int, int]]
) -> tuple[list[tuple[int, int]], list[tuple[int, int]]]:
    """The notes that chords on a way have in common, and anchors of time (second, first), rising."""
    pairs: list[tuple[int, int]] = []
    anchors: list[tuple[int, int]] = []
    for i, j in path:
        by_key = {second.notes[n].key: n for n in b[j]}
        both = [(n, by_key[first.notes[n].key]) for n in a[i] if first.notes[n].key in by_key]
        pairs += both
        if both:
            anchors.append((second.notes[both[0][1]].onset_us, first.notes[both[0][0]].onset_us))
    return pairs, _rising(anchors)


def _bits(take: Take, chords: list[list[int]]) -> Floats:
    out = np.zeros((len(chords), 128))
    for q, chord in enumerate(chords):
        out[q, [take.notes[k].key for k in chord]] = 1.0
    return out


def _path(
    bits_a: Floats, bits_b: Floats, time_a: Floats, time_b: Floats, apart_us: float = np.inf, far_us: float = np.inf
) -> list[tuple[int, int]]:
    """Pairs of chords on the cheapest way.

    A chord that is passed over costs its keys, a pair the keys that differ (and, without a common key, as much as
    the larger of the two), and as much again for each ``apart_us`` between their times; none are further apart than
    ``far_us``.
    """
    n, m = len(bits_a), len(bits_b)
    size_a, size_b = bits_a.sum(1), bits_b.sum(1)
    centre = np.searchsorted(time_b, time_a).astype(float) if np.isfinite(apart_us) else np.arange(n) * m / n
    low = np.clip(centre - BAND, 0, m).astype(int)
    high = np.clip(centre + BAND + 1, 0, m).astype(int)
    passed_over = np.concatenate(([0.0], np.cumsum(size_b)))  # what it costs to come so far in the second alone
    before = passed_over.copy()
    ways: list[NDArray[np.int8]] = []
    for i in range(n):
        j0, j1 = int(low[i]), int(high[i])
        both = bits_b[j0:j1] @ bits_a[i]
        pair = size_a[i] + size_b[j0:j1] - 2 * both
        pair = np.where(both == 0, np.maximum(size_a[i], size_b[j0:j1]) + 0.5, pair)
        if np.isfinite(apart_us):
            apart = np.abs(time_b[j0:j1] - time_a[i])
            pair = pair + np.where(apart > far_us, 1e6, apart / apart_us)
        alone = before[j0 : j1 + 1] + size_a[i]
        together = np.concatenate(([np.inf], before[j0:j1] + pair))
        best = np.minimum(together, alone)
        way = np.where(together <= alone, BOTH, FIRST_ALONE).astype(np.int8)
        along = passed_over[j0 : j1 + 1]
        row = np.minimum.accumulate(best - along) + along  # the second alone, from the best place before
        way[row < best - 1e-9] = SECOND_ALONE
        ways.append(way)
        before = np.full(m + 1, np.inf)
        before[j0 : j1 + 1] = row
    return _back(ways, low, m if np.isfinite(before[m]) else int(np.argmin(before)))


def _back(ways: Sequence[NDArray[np.int8]], low: NDArray[np.int64], end: int) -> list[tuple[int, int]]:
    """The pairs on the way that ends at so many chords of the second; ``low`` is where each row of ``ways`` begins."""
    out: list[tuple[int, int]] = []
    i, j = len(ways), end
    while i > 0 and j > 0:
        came = int(ways[i - 1][j - low[i - 1]])
        if came == BOTH:
            out.append((i - 1, j - 1))
            i, j = i - 1, j - 1
        elif came == FIRST_ALONE:
            i -= 1
        else:
            j -= 1
    return out[::-1]


def _rising(anchors: list[tuple[int, int]]) -> list[tuple[int, int]]:
    out: list[tuple[int, int]] = []
    for there, here in sorted(anchors):
        if not out or (there > out[-1][0] and here > out[-1][1]):
            out.append((there, here))
    return out


def mapped(
    anchors: tuple[tuple[int, int], ...] | list[tuple[int, int]], times: Floats, around: int = ANCHORS
) -> tuple[Floats, Floats]:
    """Times of the second performance on the clock of the first, and how much faster that runs there.

    A straight line through ``around`` anchors at each, so that the unevenness of single chords does not come along.
    """
    if len(anchors) < 2:
        shift = anchors[0][1] - anchors[0][0] if anchors else 0
        return times + shift, np.ones(len(times))
    at = np.array(anchors, float)
    out, slope = np.empty(len(times)), np.empty(len(times))
    where = np.searchsorted(at[:, 0], times)
    half = around // 2
    for k, (time, middle) in enumerate(zip(times, where, strict=True)):
        start = int(np.clip(middle - half, 0, max(len(at) - around, 0)))
        x, y = at[start : start + around, 0], at[start : start + around, 1]
        mean_x, mean_y = x.mean(), y.mean()
        spread = ((x - mean_x) ** 2).sum()
        tilt = ((x - mean_x) * (y - mean_y)).sum() / spread if spread else 1.0
        out[k], slope[k] = mean_y + tilt * (time - mean_x), tilt
    return out, slope


def _left_over(
    first: Take, second: Take, pairs: list[tuple[int, int]], anchors: list[tuple[int, int]]
) -> list[tuple[int, int]]:
    """Keys without a partner that are struck near each other's time: a chord that one hand spread wide."""
    in_first, in_second = {i for i, _ in pairs}, {j for _, j in pairs}
    rest = [j for j in range(len(second.notes)) if j not in in_second]
    if not rest:
        return []
    times, _ = mapped(anchors, np.array([second.notes[j].onset_us for j in rest], float))
    by_key: dict[int, list[int]] = defaultdict(list)
    for i in range(len(first.notes)):
        if i not in in_first:
            by_key[first.notes[i].key].append(i)
    out: list[tuple[int, int]] = []
    for j, time in zip(rest, times, strict=True):
        near = [i for i in by_key[second.notes[j].key] if abs(first.notes[i].onset_us - time) <= NEAR_US]
        if near:
            best = min(near, key=lambda i: abs(first.notes[i].onset_us - time))
            by_key[second.notes[j].key].remove(best)
            out.append((best, j))
    return out
