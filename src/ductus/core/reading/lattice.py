"""The inner loops of click reading: a semi-Markov lattice of chords over metrical places.

Conventions: ``x`` are onsets in seconds, rising; a *segment* [j, i) of neighbouring notes is one chord; a *candidate*
of note n is a place (beat, division, slot) near its onset, numbered from ``start[n]`` to ``start[n + 1]``. ``value[n, c]``
belongs to paths whose last chord ends with note n and stands at candidate c. Natural logarithms throughout.

Sources (from memory): Raphael 2002; Cemgil & Kappen 2003; Takeda et al. 2007; Nakamura, Yoshii & Sagayama 2017.
Unlike them the grouping of notes into chords is decided together with the places.
"""

from __future__ import annotations

import math

import numpy as np

from ductus.core.reading.divisions import MOST_SLOTS, Floats, Ints
from ductus.core.reading.jit import compiled

MOST_TOGETHER = 10  # a player has ten fingers
SAME_LN, OTHER_LN = math.log(0.53), math.log(0.47)  # the next note belongs to the same chord, both hands together
SQUEEZED = -12.0  # two chords at one place: only where nothing else is left
LOW = -1e18
LOG_FACTORIAL = np.array([math.lgamma(m + 1) for m in range(MOST_TOGETHER + 2)])


@compiled
def list_candidates(
    x: Floats, beat_at: Floats, allowed: Ints, slots: Ints, slot_at: Floats, reach: float, lag: float
) -> tuple[Ints, Ints, Ints, Ints, Floats]:
    """All places within reach of each note: start, beat, division, slot, time. ``allowed[k]`` has a 1 for each division
    that beat k may take; ``reach`` is a share of the local beat."""
    count = len(x)
    beats = len(beat_at) - 1
    start = np.zeros(count + 1, np.int64)
    size = 0
    room = 64 * count + 64
    beat, division, slot = np.empty(room, np.int64), np.empty(room, np.int64), np.empty(room, np.int64)
    time = np.empty(room)
    low = 0
    for n in range(count):
        start[n] = size
        at = x[n] - lag
        while low < beats - 1 and beat_at[low + 1] <= at:
            low += 1
        while low > 0 and beat_at[low] > at:
            low -= 1
        for k in range(max(low - 1, 0), min(low + 2, beats)):
            width = beat_at[k + 1] - beat_at[k]
            limit = max(reach * width, 0.09)
            for g in range(len(slots)):
                if not allowed[k, g]:
                    continue
                for s in range(slots[g]):
                    place = beat_at[k] + slot_at[g, s] * width
                    if abs(place - at) <= limit:
                        if size + 1 >= room:
                            room *= 2
                            beat, division = np.append(beat, beat), np.append(division, division)
                            slot, time = np.append(slot, slot), np.append(time, time)
                        beat[size], division[size], slot[size], time[size] = k, g, s, place
                        size += 1
    start[count] = size
    return start, beat[:size], division[:size], slot[:size], time[:size]


@compiled
def turn_cost(
    k: int, g: int, s: int, k2: int, g2: int, s2: int, turn: Floats, first: Floats, step: Floats, empty: Ints
) -> float:
    """Logarithm of going on from place (k, g, s) to (k2, g2, s2); LOW where that is backwards."""
    if k2 == k:
        if g2 != g or s2 < s:
            return LOW
        if s2 == s:
            return SQUEEZED
        return step[g, s, s2]
    if k2 < k:
        return LOW
    cost = step[g, s, MOST_SLOTS] + first[g2, s2]
    if k2 == k + 1:
        return cost + turn[g, g2]
    e = empty[k + 1]
    return cost + turn[g, e] + (k2 - k - 2) * turn[e, e] + turn[empty[k2 - 1], g2]


@compiled
def segment_score(
    x: Floats, release: Floats, pitch: Ints, j: int, i: int, chord_sd: float, note_sd: float, widest: float
) -> tuple[float, float, float]:
    """(score without place, mean onset, variance of the mean) of notes [j, i) as one chord; LOW if they cannot be one."""
    m = i - j
    if x[i - 1] - x[j] > widest:
        return LOW, 0.0, 1.0
    total = 0.0
    for a in range(j, i):
        total += x[a]
        if release[a] < x[i - 1]:
            return LOW, 0.0, 1.0
        for b in range(a + 1, i):
            if pitch[a] == pitch[b]:
                return LOW, 0.0, 1.0
    mean = total / m
    spread = 0.0
    for a in range(j, i):
        spread += (x[a] - mean) ** 2
    score = (m - 1) * SAME_LN + OTHER_LN + LOG_FACTORIAL[m]
    if m > 1:
        score -= spread / (2 * note_sd**2) + (m - 1) * math.log(note_sd * math.sqrt(2 * math.pi)) + 0.5 * math.log(m)
    return score, mean, chord_sd**2 + note_sd**2 / m


@compiled
def best_path(
    x: Floats,
    release: Floats,
    pitch: Ints,
    start: Ints,
    beat: Ints,
    division: Ints,
    slot: Ints,
    time: Floats,
    turn: Floats,
    first: Floats,
    step: Floats,
    alone: Floats,
    empty: Ints,
    lag: float,
    chord_sd: float,
    note_sd: float,
    widest: float,
) -> tuple[float, Ints, Ints]:
    """Viterbi: (log likelihood, candidate of each note, number of the chord of each note)."""
    count = len(x)
    value = np.full(len(beat), LOW)
    from_note = np.full(len(beat), -1, np.int64)
    from_candidate = np.full(len(beat), -1, np.int64)
    for n in range(count):
        for m in range(1, min(MOST_TOGETHER, n + 1) + 1):
            j = n + 1 - m
            if x[n] - x[j] > widest:
                break
            base, mean, variance = segment_score(x, release, pitch, j, n + 1, chord_sd, note_sd, widest)
            if base <= LOW:
                continue
            norm = base - 0.5 * math.log(2 * math.pi * variance)
            for c in range(start[n], start[n + 1]):
                emission = norm - (mean - lag - time[c]) ** 2 / (2 * variance)
                if j == 0:
                    score = emission + alone[division[c]] + first[division[c], slot[c]]
                    if score > value[c]:
                        value[c], from_note[c], from_candidate[c] = score, -1, -1
                    continue
                for p in range(start[j - 1], start[j]):
                    if value[p] <= LOW or value[p] + emission <= value[c]:
                        continue
                    cost = turn_cost(
                        beat[p], division[p], slot[p], beat[c], division[c], slot[c], turn, first, step, empty
                    )
                    score = value[p] + cost + emission
                    if cost > LOW and score > value[c]:
                        value[c], from_note[c], from_candidate[c] = score, j - 1, p
    chosen, chord = np.zeros(count, np.int64), np.zeros(count, np.int64)
    best = start[count - 1]
    for c in range(start[count - 1], start[count]):
        if value[c] > value[best]:
            best = c
    total = value[best]
    n, number = count - 1, 0
    while n >= 0:
        before = from_note[best]
        for a in range(before + 1, n + 1):
            chosen[a], chord[a] = best, number
        n, best = before, from_candidate[best]
        number += 1
    return total, chosen, number - 1 - chord


@compiled
def add_logs(a: float, b: float) -> float:
    """ln(e^a + e^b)."""
    if a < b:
        a, b = b, a
    return a if b <= LOW / 2 or a - b > 40 else a + math.log1p(math.exp(b - a))


@compiled
def posteriors(
    x: Floats,
    release: Floats,
    pitch: Ints,
    start: Ints,
    beat: Ints,
    division: Ints,
    slot: Ints,
    time: Floats,
    turn: Floats,
    first: Floats,
    step: Floats,
    alone: Floats,
    empty: Ints,
    lag: float,
    chord_sd: float,
    note_sd: float,
    widest: float,
    slot_at: Floats,
) -> tuple[Floats, Floats]:
    """Forward-backward: for each candidate of each note, the probability that the note stands there, and the place
    of the candidate in beats (the same for candidates of other divisions)."""
    count = len(x)
    size = len(beat)
    place = np.empty(size)
    for c in range(size):
        place[c] = beat[c] + slot_at[division[c], slot[c]]
    fore, back = np.full(size, LOW), np.full(size, LOW)
    for c in range(start[count - 1], start[count]):
        back[c] = 0.0
    for n in range(count):
        for m in range(1, min(MOST_TOGETHER, n + 1) + 1):
            j = n + 1 - m
            if x[n] - x[j] > widest:
                break
            base, mean, variance = segment_score(x, release, pitch, j, n + 1, chord_sd, note_sd, widest)
            if base <= LOW:
                continue
            norm = base - 0.5 * math.log(2 * math.pi * variance)
            for c in range(start[n], start[n + 1]):
                emission = norm - (mean - lag - time[c]) ** 2 / (2 * variance)
                if j == 0:
                    fore[c] = add_logs(fore[c], emission + alone[division[c]] + first[division[c], slot[c]])
                    continue
                for p in range(start[j - 1], start[j]):
                    if fore[p] <= LOW:
                        continue
                    cost = turn_cost(
                        beat[p], division[p], slot[p], beat[c], division[c], slot[c], turn, first, step, empty
                    )
                    if cost > LOW:
                        fore[c] = add_logs(fore[c], fore[p] + cost + emission)
    total = LOW
    for c in range(start[count - 1], start[count]):
        total = add_logs(total, fore[c])
    found = np.zeros(size)
    for n in range(count - 1, -1, -1):
        for m in range(1, min(MOST_TOGETHER, n + 1) + 1):
            j = n + 1 - m
            if x[n] - x[j] > widest:
                break
            base, mean, variance = segment_score(x, release, pitch, j, n + 1, chord_sd, note_sd, widest)
            if base <= LOW:
                continue
            norm = base - 0.5 * math.log(2 * math.pi * variance)
            for c in range(start[n], start[n + 1]):
                if back[c] <= LOW / 2:
                    continue
                emission = norm - (mean - lag - time[c]) ** 2 / (2 * variance)
                here = LOW
                if j == 0:
                    here = emission + alone[division[c]] + first[division[c], slot[c]]
                else:
                    for p in range(start[j - 1], start[j]):
                        if fore[p] <= LOW:
                            continue
                        cost = turn_cost(
                            beat[p], division[p], slot[p], beat[c], division[c], slot[c], turn, first, step, empty
                        )
                        if cost > LOW:
                            here = add_logs(here, fore[p] + cost + emission)
                            back[p] = add_logs(back[p], back[c] + cost + emission)
                weight = here + back[c] - total
                if weight > -30:
                    share = math.exp(weight)
                    for a in range(j, n + 1):
                        for b in range(start[a], start[a + 1]):
                            if beat[b] == beat[c] and division[b] == division[c] and slot[b] == slot[c]:
                                found[b] += share
                                break
    return found, place
