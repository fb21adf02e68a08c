"""Which hand played each note: by reach, that is by what a hand can hold and how it moves.

    chords of notes -> 1 (right) or 2 (left) for each note

Every chord is split at one place: the notes below go to the left hand. A beam search weighs the split against the
registers (a logistic prior for each note, ``hand_logits``, fitted by ``tools/fit_hands.py``), the span of what
each hand strikes and holds, how far it moves in the time it has, and crossings. After Nakamura, Ono & Sagayama 2014
(from memory), with a beam in place of their hidden Markov model because held notes reach over several chords.
"""

from __future__ import annotations

import itertools
import json
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from ductus.core.reading.divisions import Floats, Ints

RIGHT, LEFT = 1, 2
RECALL_S = 4.0  # a key struck again within this time is likely to be struck by the same hand
WINDOW = 24  # notes back that may still be held
BEAM = 24
PITCH_KNOTS = (40, 48, 54, 60, 66, 72, 80)
FEATURES = 27
LOOK_S = 3.0  # registers are judged over this time on each side
BACK, AHEAD, BLOCK = 48, 32, 4096  # notes seen before and after a note; rows worked out at once


def hand_features(on: Floats, off: Floats, pitch: Ints) -> Floats:
    """What each note looks like among those that sound: one row of FEATURES for a note.

    0 one; 1-7 pitch above each knot in octaves (not under 0); 8-9 octaves from the middle between the lower
    and the upper cluster of its surroundings, plain and squeezed; 10-12 alone, lowest, highest; 13-14 octaves of the
    gap below and above (one octave and a half where there is none); 15-16 above or below the widest gap, by its size;
    17 share of the sounding notes that are lower; 18-20 the same three inside its own chord; 21-22 octaves to the nearest
    earlier note that began within a second, above and below; 23-24 the span if it were in the hand of the lowest or of
    the highest note; 25-26 squeezed distance from the middle where only one or two notes sound.
    """
    blocks = [_features(on, off, pitch, a, min(a + BLOCK, len(on))) for a in range(0, len(on), BLOCK)]
    return np.concatenate(blocks)


def _features(on: Floats, off: Floats, pitch: Ints, start: int, end: int) -> Floats:
    """Rows [start, end) of ``hand_features``; each note sees BACK notes before and AHEAD after itself."""
    me = np.arange(start, end)
    see = me[:, None] + np.arange(-BACK, AHEAD + 1)[None, :]
    there = (see >= 0) & (see < len(on))
    see = np.clip(see, 0, len(on) - 1)
    own = see == me[:, None]
    t, p = on[me][:, None], pitch[me].astype(float)[:, None]
    q = pitch[see].astype(float)
    middle = _middle(q, there & (np.abs(on[see] - t) < LOOK_S))
    d = q - p
    sounding = there & ~own & (on[see] <= t + 0.06) & (off[see] >= t + 0.03)
    together = sounding & (np.abs(on[see] - t) < 0.06)
    below, above = (sounding & (d < 0)).sum(1), (sounding & (d > 0)).sum(1)
    c_below, c_above = (together & (d < 0)).sum(1), (together & (d > 0)).sum(1)
    recent = there & ~own & (see < me[:, None]) & (on[see] > t - 1.0)
    far = 18.0
    pitches = np.sort(np.where(sounding | own, q, np.inf), axis=1)[:, :16]
    with np.errstate(invalid="ignore"):
        gaps = np.where(np.isfinite(pitches[:, 1:]), pitches[:, 1:] - pitches[:, :-1], 0.0)
    k = gaps.argmax(1)
    rows = np.arange(len(me))
    widest, edge = gaps[rows, k], pitches[rows, k] + gaps[rows, k] / 2
    pm, size = p[:, 0], below + above + 1
    lowest = np.where(sounding | own, q, np.inf).min(1)
    highest = np.where(sounding | own, q, -np.inf).max(1)
    squeezed = np.tanh((pm - middle) / 4)
    out = np.zeros((len(me), FEATURES))
    out[:, 0] = 1.0
    out[:, 1:8] = np.maximum(p - np.array(PITCH_KNOTS, float), 0.0) / 12
    out[:, 8], out[:, 9] = (pm - middle) / 12, squeezed
    out[:, 10], out[:, 11], out[:, 12] = size == 1, (below == 0) & (above > 0), (above == 0) & (below > 0)
    out[:, 13] = np.where(sounding & (d < 0), -d, far).min(1).clip(max=far) / 12
    out[:, 14] = np.where(sounding & (d > 0), d, far).min(1).clip(max=far) / 12
    out[:, 15] = np.where((size > 1) & (pm > edge), widest, 0.0) / 12
    out[:, 16] = np.where((size > 1) & (pm < edge), widest, 0.0) / 12
    out[:, 17] = np.where(size > 1, below / np.maximum(size - 1, 1), 0.5)
    chord = c_below + c_above
    out[:, 18], out[:, 19], out[:, 20] = chord == 0, (c_below == 0) & (chord > 0), (c_above == 0) & (chord > 0)
    out[:, 21] = np.where(recent & (d >= 0), d, far).min(1).clip(max=far) / 12
    out[:, 22] = np.where(recent & (d <= 0), -d, far).min(1).clip(max=far) / 12
    out[:, 23], out[:, 24] = np.maximum(pm - lowest - 12, 0) / 12, np.maximum(highest - pm - 12, 0) / 12
    out[:, 25], out[:, 26] = np.where(size == 1, squeezed, 0.0), np.where(size == 2, squeezed, 0.0)
    return out


def _middle(q: Floats, near: NDArray[np.bool_]) -> Floats:
    """The middle between the lower and the upper cluster of the pitches seen (two means, four rounds)."""
    low = np.where(near, q, np.inf).min(1)
    high = np.where(near, q, -np.inf).max(1)
    centre_low, centre_high = low + (high - low) * 0.25, low + (high - low) * 0.75
    for _ in range(4):
        lower = near & (np.abs(q - centre_low[:, None]) <= np.abs(q - centre_high[:, None]))
        upper = near & ~lower
        n_low, n_high = lower.sum(1), upper.sum(1)
        centre_low = np.where(n_low > 0, (q * lower).sum(1) / np.maximum(n_low, 1), centre_low)
        centre_high = np.where(n_high > 0, (q * upper).sum(1) / np.maximum(n_high, 1), centre_high)
    return np.asarray((centre_low + centre_high) / 2)


@lru_cache(maxsize=1)
def hand_weights() -> tuple[Floats, Floats]:
    """(weights of the logistic prior, weights of the beam): see the table's provenance."""
    data = json.loads(resources.files("ductus.core.reading.tables").joinpath("hands.json").read_text("utf-8"))
    return np.array(data["prior"]), np.array(data["beam"])


def hand_logits(on: Floats, off: Floats, pitch: Ints) -> Floats:
    """ln(odds that the right hand plays it) for each note, judged by registers alone."""
    return np.asarray(hand_features(on, off, pitch) @ hand_weights()[0], float)


@dataclass(slots=True)
class Beam:
    """Hypotheses about the hands so far: scores; the hand of the last WINDOW notes (by index modulo WINDOW); where each
    hand (0 right, 1 left) last was, and when."""

    score: Floats
    window: Ints
    place: Floats
    moved: Floats


def beam_hands(
    on: Floats, off: Floats, pitch: Ints, chord: Ints, logit: Floats, pinned: Ints, weights: Floats
) -> tuple[Ints, Floats]:
    """Hands of all notes and, for each, how much the beam prefers them (score over the best with another hand there).

    ``weights``: prior; span over a fifth; span over a tenth; movement; crossing a held note; crossing where the other
    hand just was; more than five notes; a hand that rested (per second, at most two); a key that the other hand struck last.
    """
    starts = np.searchsorted(chord, np.arange(int(chord[-1]) + 2))
    as_right, as_left = -np.logaddexp(0, -logit) * weights[0], -np.logaddexp(0, logit) * weights[0]
    as_right = np.where(pinned == LEFT, as_right - 1e6, as_right)
    as_left = np.where(pinned == RIGHT, as_left - 1e6, as_left)
    beam = Beam(np.zeros(1), np.zeros((1, WINDOW), np.int64), np.array([[67.0, 50.0]]), np.full((1, 2), -1e9))
    margin = np.zeros(len(on))
    trail: list[tuple[Ints, Ints, Ints]] = []
    for start, end in itertools.pairwise(starts.tolist()):
        notes = start + np.argsort(pitch[start:end], kind="stable")
        m = len(notes)
        prior = np.concatenate(([0.0], np.cumsum(as_left[notes]))) + np.concatenate(
            (np.cumsum(as_right[notes][::-1])[::-1], [0.0])
        )
        held = np.arange(max(start - WINDOW, 0), start)
        held = held[off[held] > on[start] + 0.06]
        cost = _side_costs(beam, pitch[notes].astype(float), held, pitch, float(on[start]), weights)
        cost += weights[8] * _changes_of_hand(beam, pitch, notes, start, on)
        score = beam.score[:, None] + prior[None, :] - cost
        flat = score.ravel()
        kept = np.argsort(-flat, kind="stable")[:BEAM]
        parent, cut = np.divmod(kept, m + 1)
        by_cut = score.max(0)
        best = int(cut[0])
        for a, n in enumerate(notes):
            rival = by_cut[a + 1 :].max(initial=-1e18) if a >= best else by_cut[: a + 1].max(initial=-1e18)
            margin[n] = min(float(flat[kept[0]] - rival), 50.0)
        beam = _followed(
            beam, parent, cut, flat[kept] - flat[kept[0]], notes, pitch[notes].astype(float), float(on[start])
        )
        trail.append((parent, cut, notes))
    hands = np.zeros(len(on), np.int64)
    h = 0
    for parent, cut, notes in reversed(trail):
        hands[notes] = np.where(np.arange(len(notes)) >= cut[h], RIGHT, LEFT)
        h = int(parent[h])
    return hands, margin


def _side_costs(beam: Beam, struck: Floats, held: Ints, pitch: Ints, now: float, w: Floats) -> Floats:
    """What each hypothesis (row) pays for each split (column: how many of the struck notes the left hand takes)."""
    m = len(struck)
    cost = np.zeros((len(beam.score), m + 1))
    hand_of = beam.window[:, held % WINDOW]
    held_pitch = pitch[held].astype(float)
    taken = np.arange(1, m + 1)
    for side in (0, 1):
        # columns: the hand takes the topmost (right) or lowest (left) 1 .. m of the struck notes
        low = struck[m - taken] if side == 0 else np.full(m, struck[0])
        high = np.full(m, struck[-1]) if side == 0 else struck[taken - 1]
        centre = (low + high) / 2
        mine = hand_of == side + 1
        place, gap = beam.place[:, side], now - beam.moved[:, side]
        lived = gap < 1e6
        span = high - low
        fingers = taken
        if len(held):
            low_held = np.where(mine, held_pitch, np.inf).min(1)[:, None]
            high_held = np.where(mine, held_pitch, -np.inf).max(1)[:, None]
            span = np.maximum(high_held, high) - np.minimum(low_held, low)
            fingers = mine.sum(1)[:, None] + taken
        part = w[1] * np.maximum(span - 7, 0) + w[2] * np.maximum(span - 16, 0) + w[6] * np.maximum(fingers - 5, 0)
        slowed = np.where(lived, w[3] / (1 + np.minimum(gap, 1e6) / 0.5), 0.0)
        stays = np.where(lived, w[7] * np.minimum(gap, 2.0), 0.0)
        part = part + slowed[:, None] * np.abs(centre - place[:, None]) + stays[:, None]
        other = beam.place[:, 1 - side][:, None]
        busy = (now - beam.moved[:, 1 - side] < 0.6)[:, None]
        part = part + w[5] * (busy & ((centre < other) if side == 0 else (centre > other)))
        if len(held):
            beyond = (low < held_pitch[:, None]) if side == 0 else (high > held_pitch[:, None])
            part = part + w[4] * ((hand_of == 2 - side).astype(float) @ beyond)
        if side == 0:
            cost[:, :m] += part[:, ::-1]
        else:
            cost[:, 1:] += part
    return cost


def _changes_of_hand(beam: Beam, pitch: Ints, notes: Ints, start: int, on: Floats) -> Floats:
    """How many keys each split gives to another hand than the one that struck them last, within RECALL_S."""
    recent = np.arange(max(start - WINDOW, 0), start)
    recent = recent[on[recent] > on[start] - RECALL_S]
    out = np.zeros((len(beam.score), len(notes) + 1))
    if not len(recent):
        return out
    for a, n in enumerate(notes):
        same = recent[pitch[recent] == pitch[n]]
        if not len(same):
            continue
        last = beam.window[:, same[-1] % WINDOW]
        out[:, : a + 1] += (last == LEFT)[:, None]
        out[:, a + 1 :] += (last == RIGHT)[:, None]
    return out


def _followed(beam: Beam, parent: Ints, cut: Ints, score: Floats, notes: Ints, struck: Floats, now: float) -> Beam:
    """The hypotheses that were kept."""
    window, place, moved = beam.window[parent], beam.place[parent], beam.moved[parent]
    m = len(notes)
    right = np.arange(m)[None, :] >= cut[:, None]
    window[:, notes % WINDOW] = np.where(right, RIGHT, LEFT)
    sums = np.concatenate(([0.0], np.cumsum(struck)))
    place[:, 0] = np.where(cut < m, (sums[-1] - sums[cut]) / np.maximum(m - cut, 1), place[:, 0])
    place[:, 1] = np.where(cut > 0, sums[cut] / np.maximum(cut, 1), place[:, 1])
    moved[:, 0], moved[:, 1] = np.where(cut < m, now, moved[:, 0]), np.where(cut > 0, now, moved[:, 1])
    return Beam(score, window, place, moved)


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
