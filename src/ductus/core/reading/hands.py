"""Which hand played each note (JOB 6.5): by reach, that is by what a hand can hold and how it moves.

    chords of notes -> 1 (right) or 2 (left) for each note

Every chord is split at one place: the notes below go to the left hand. A beam search weighs the split against the
registers (a logistic prior for each note, ``hand_logits``, fitted by ``tools/fit_hands.py``), the span of what
each hand strikes and holds, how far it moves in the time it has, and crossings. After Nakamura, Ono & Sagayama 2014
(from memory), with a beam in place of their hidden Markov model because held notes reach over several chords.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from functools import lru_cache
from importlib import resources

import numpy as np

from ductus.core.reading.divisions import Floats, Ints
from ductus.core.reading.jit import compiled

RIGHT, LEFT = 1, 2
WINDOW = 24  # notes back that may still be held
BEAM = 24
PITCH_KNOTS = (40, 48, 54, 60, 66, 72, 80)
FEATURES = 27
LOOK_S = 3.0  # registers are judged over this time on each side


@compiled
def hand_features(on: Floats, off: Floats, pitch: Ints) -> Floats:
    """What each note looks like among those that sound: one row of FEATURES for a note.

    0 one; 1-7 pitch above each knot in octaves (not under 0); 8-9 octaves from the middle between the lower
    and the upper cluster of its surroundings, plain and squeezed; 10-12 alone, lowest, highest; 13-14 octaves of the
    gap below and above (one octave and a half where there is none); 15-16 above or below the widest gap, by its size;
    17 share of the sounding notes that are lower; 18-20 the same three inside its own chord; 21-22 octaves to the nearest
    earlier note that began within a second, above and below; 23-24 the span if it were in the hand of the lowest or of
    the highest note; 25-26 above the middle where only one or two notes sound.
    """
    count = len(on)
    out = np.zeros((count, 27))
    knots = np.array((40.0, 48.0, 54.0, 60.0, 66.0, 72.0, 80.0))
    first, last = 0, 0
    for n in range(count):
        while on[first] < on[n] - 3.0:
            first += 1
        while last < count and on[last] < on[n] + 3.0:
            last += 1
        p = float(pitch[n])
        low, high = 1e9, -1e9
        for a in range(first, last):
            low, high = min(low, pitch[a]), max(high, pitch[a])
        m_low, m_high = low + (high - low) * 0.25, low + (high - low) * 0.75
        for _ in range(4):
            s_low, c_low, s_high, c_high = 0.0, 0.0, 0.0, 0.0
            for a in range(first, last):
                q = float(pitch[a])
                if abs(q - m_low) <= abs(q - m_high):
                    s_low, c_low = s_low + q, c_low + 1
                else:
                    s_high, c_high = s_high + q, c_high + 1
            if c_low > 0:
                m_low = s_low / c_low
            if c_high > 0:
                m_high = s_high / c_high
        middle = (m_low + m_high) / 2
        below, above, under, over = 0, 0, 18.0, 18.0
        chord_below, chord_above = 0, 0
        lowest, highest = p, p
        near_over, near_under = 18.0, 18.0
        for a in range(max(first, n - 60), min(last, n + 12)):
            if a == n:
                continue
            d = float(pitch[a]) - p
            if a < n and on[a] > on[n] - 1.0:
                if d >= 0:
                    near_over = min(near_over, d)
                if d <= 0:
                    near_under = min(near_under, -d)
            if on[a] > on[n] + 0.06 or off[a] < on[n] + 0.03:
                continue
            lowest, highest = min(lowest, float(pitch[a])), max(highest, float(pitch[a]))
            together = abs(on[a] - on[n]) < 0.06
            if d < 0:
                below, under = below + 1, min(under, -d)
                chord_below += 1 if together else 0
            elif d > 0:
                above, over = above + 1, min(over, d)
                chord_above += 1 if together else 0
        widest, edge = 0.0, 0.0
        sounding = np.empty(below + above + 1)
        size = 0
        for a in range(max(first, n - 60), min(last, n + 12)):
            if a == n or (on[a] <= on[n] + 0.06 and off[a] >= on[n] + 0.03):
                if size < len(sounding):
                    sounding[size] = pitch[a]
                    size += 1
        ordered = np.sort(sounding[:size])
        for a in range(size - 1):
            if ordered[a + 1] - ordered[a] > widest:
                widest, edge = ordered[a + 1] - ordered[a], (ordered[a + 1] + ordered[a]) / 2
        row = out[n]
        row[0] = 1.0
        for k in range(7):
            row[1 + k] = max(p - knots[k], 0.0) / 12
        row[8] = (p - middle) / 12
        row[9] = np.tanh((p - middle) / 4)
        row[10] = 1.0 if below + above == 0 else 0.0
        row[11] = 1.0 if below == 0 and above > 0 else 0.0
        row[12] = 1.0 if above == 0 and below > 0 else 0.0
        row[13], row[14] = under / 12, over / 12
        row[15] = widest / 12 if size > 1 and p > edge else 0.0
        row[16] = widest / 12 if size > 1 and p < edge else 0.0
        row[17] = below / (below + above) if below + above else 0.5
        chord = chord_below + chord_above
        row[18] = 1.0 if chord == 0 else 0.0
        row[19] = 1.0 if chord_below == 0 and chord > 0 else 0.0
        row[20] = 1.0 if chord_above == 0 and chord > 0 else 0.0
        row[21], row[22] = near_over / 12, near_under / 12
        row[23], row[24] = max(p - lowest - 12, 0.0) / 12, max(highest - p - 12, 0.0) / 12
        row[25] = np.tanh((p - middle) / 4) if size == 1 else 0.0
        row[26] = np.tanh((p - middle) / 4) if size == 2 else 0.0
    return out


@lru_cache(maxsize=1)
def hand_weights() -> tuple[Floats, Floats]:
    """(weights of the logistic prior, weights of the beam): see the table's provenance."""
    data = json.loads(resources.files("ductus.core.reading.tables").joinpath("hands.json").read_text("utf-8"))
    return np.array(data["prior"]), np.array(data["beam"])


def hand_logits(on: Floats, off: Floats, pitch: Ints) -> Floats:
    """ln(odds that the right hand plays it) for each note, judged by registers alone."""
    return np.asarray(hand_features(on, off, pitch) @ hand_weights()[0], float)


@compiled
def beam_hands(
    on: Floats, off: Floats, pitch: Ints, chord: Ints, logit: Floats, pinned: Ints, weights: Floats
) -> tuple[Ints, Floats]:
    """Hands of all notes and, for each, how much the beam prefers them (score over the best with another hand there).

    ``weights``: prior; span over a fifth; span over a tenth; movement; crossing a held note; crossing where the other
    hand just was; more than five notes; the hand that rested stays out (per second, at most two).
    """
    w_prior, w_span, w_wide, w_move, w_held, w_recent, w_fingers, w_stay = (
        weights[0],
        weights[1],
        weights[2],
        weights[3],
        weights[4],
        weights[5],
        weights[6],
        weights[7],
    )
    count = len(on)
    chords = chord[count - 1] + 1
    back = np.full((chords, 24), -1, np.int64)
    cut_of = np.zeros((chords, 24), np.int64)
    score = np.full(24, -1e18)
    score[0] = 0.0
    window = np.zeros((24, 24), np.int64)  # hand of the last notes, by index modulo the width
    place = np.zeros((24, 2))
    moved = np.full((24, 2), -1e9)
    place[:, 0], place[:, 1] = 67.0, 50.0
    alive = 1
    start = 0
    margin = np.zeros(count)
    order = np.zeros(count, np.int64)
    for q in range(chords):
        end = start
        while end < count and chord[end] == q:
            end += 1
        m = end - start
        rank = np.argsort(pitch[start:end])
        for a in range(m):
            order[start + a] = start + rank[a]
        options = alive * (m + 1)
        new_score = np.full(options, -1e18)
        for h in range(alive):
            for cut in range(m + 1):
                value = score[h]
                good = True
                for a in range(m):
                    n = order[start + a]
                    right = a >= cut
                    if pinned[n] == 1 and not right or pinned[n] == 2 and right:
                        good = False
                    value += w_prior * (-np.log1p(np.exp(-logit[n])) if right else -np.log1p(np.exp(logit[n])))
                if not good:
                    value -= 1e6
                for side in range(2):
                    lo, hi = 1e9, -1e9
                    fingers = 0
                    if side == 0:
                        for a in range(cut, m):
                            v = float(pitch[order[start + a]])
                            lo, hi, fingers = min(lo, v), max(hi, v), fingers + 1
                    else:
                        for a in range(cut):
                            v = float(pitch[order[start + a]])
                            lo, hi, fingers = min(lo, v), max(hi, v), fingers + 1
                    struck = fingers
                    if struck == 0:
                        continue
                    s_lo, s_hi = lo, hi
                    for b in range(max(start - 24, 0), start):
                        if off[b] > on[start] + 0.06:
                            hand = window[h, b % 24]
                            v = float(pitch[b])
                            if hand == side + 1:
                                lo, hi, fingers = min(lo, v), max(hi, v), fingers + 1
                            elif (side == 0 and s_lo < v) or (side == 1 and s_hi > v):
                                value -= w_held
                    span = hi - lo
                    value -= (
                        w_span * max(span - 7, 0.0) + w_wide * max(span - 16, 0.0) + w_fingers * max(fingers - 5, 0)
                    )
                    centre = (s_lo + s_hi) / 2
                    gap = on[start] - moved[h, side]
                    if gap < 1e6:
                        value -= w_move * abs(centre - place[h, side]) / (1 + gap / 0.5)
                        value -= w_stay * min(gap, 2.0)
                    other = 1 - side
                    if on[start] - moved[h, other] < 0.6:
                        if (side == 0 and centre < place[h, other]) or (side == 1 and centre > place[h, other]):
                            value -= w_recent
                new_score[h * (m + 1) + cut] = value
        keep = min(24, options)
        ranked = np.argsort(-new_score)[:keep]
        old_window, old_place, old_moved = window.copy(), place.copy(), moved.copy()
        best = new_score[ranked[0]]
        for a in range(m):  # margin of each note: the best option that gives it the other hand
            n = order[start + a]
            right = a >= ranked[0] % (m + 1)
            rival = -1e18
            for o in range(options):
                if (a >= o % (m + 1)) != right:
                    rival = max(rival, new_score[o])
            margin[n] = min(best - rival, 50.0)
        for r in range(keep):
            o = ranked[r]
            h, cut = o // (m + 1), o % (m + 1)
            score[r] = new_score[o]
            back[q, r], cut_of[q, r] = h, cut
            for b in range(24):
                window[r, b] = old_window[h, b]
            for side in range(2):
                place[r, side], moved[r, side] = old_place[h, side], old_moved[h, side]
            sums, sizes = np.zeros(2), np.zeros(2)
            for a in range(m):
                side = 0 if a >= cut else 1
                window[r, order[start + a] % 24] = side + 1
                sums[side] += pitch[order[start + a]]
                sizes[side] += 1
            for side in range(2):
                if sizes[side] > 0:
                    place[r, side], moved[r, side] = sums[side] / sizes[side], on[start]
        alive = keep
        shift = score[0]
        for r in range(alive):
            score[r] -= shift
        start = end
    hands = np.zeros(count, np.int64)
    h = 0
    end = count
    for q in range(chords - 1, -1, -1):
        start = end
        while start > 0 and chord[start - 1] == q:
            start -= 1
        for a in range(end - start):
            hands[order[start + a]] = 1 if a >= cut_of[q, h] else 2
        h = back[q, h]
        end = start
    return hands, margin


def hands_by_reach(
    on: Floats, off: Floats, pitch: Ints, chord: Ints, pins: Mapping[int, int] | None = None
) -> tuple[Ints, Floats]:
    """The hand of each note, and how sure that is (in nats, 0 for a toss-up). Pins win.

    Notes in order of onset; ``chord`` numbers their chords from 0, rising."""
    pinned = np.zeros(len(on), np.int64)
    for n, hand in (pins or {}).items():
        pinned[n] = hand
    logit = hand_logits(on, off, pitch)
    hands, margin = beam_hands(on, off, pitch, chord, logit, pinned, hand_weights()[1])
    return hands, margin
