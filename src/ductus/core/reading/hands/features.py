"""Which hand played each note: by reach, that is by what a hand can hold and how it moves.

chords of notes -> 1 (right) or 2 (left) for each note

Every chord is split at one place: the notes below go to the left hand. A logistic prior for each note
(``hand_logits``) says how it looks among those that sound; ``split_path`` weighs it against all else along the take.
After Nakamura, Ono & Sagayama 2014 (from memory), whose hidden Markov model has the hands of single notes as states.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from functools import lru_cache
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from ductus.core.reading.hands.split_path import cut_by_boundary, struck
from ductus.core.reading.quantization.subdivisions import Floats, Ints

PITCH_KNOTS = (40, 48, 54, 60, 66, 72, 80)
FEATURES = 27
LOOK_S = 3.0  # registers are judged over this time on each side
BACK, AHEAD, BLOCK = 48, 32, 4096  # notes seen before and after a note; rows worked out at once


def hand_features(on: Floats, off: Floats, pitch: Ints) -> Floats:
    """What each note looks like among those that sound: one row of FEATURES for a note.

    0 one; 1-7 pitch above each knot in octaves (not under 0); 8-9 octaves from the middle between the lower and the
    upper cluster of its surroundings, plain and squeezed; 10-12 alone, lowest, highest; 13-14 octaves of the gap
    below and above (one octave and a half where there is none); 15-16 above or below the widest gap, by its size; 17
    share of the sounding notes that are lower; 18-20 the same three inside its own chord; 21-22 octaves to the
    nearest earlier note that began within a second, above and below; 23-24 the span if it were in the hand of the
    lowest or of the highest note; 25-26 squeezed distance from the middle where only one or two notes sound.
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
def hand_weights() -> tuple[Floats, Floats, Floats]:
    """(weights of the logistic prior, of what a boundary means for a chord, of its moves).

    See the table's provenance.
    """
    data = json.loads(resources.files("ductus.core.reading.tables").joinpath("hands.json").read_text("utf-8"))
    return np.array(data["prior"]), np.array(data["unary"]), np.array(data["pair"])


def hand_logits(on: Floats, off: Floats, pitch: Ints) -> Floats:
    """ln(odds that the right hand plays it) for each note, judged by registers alone."""
    return np.asarray(hand_features(on, off, pitch) @ hand_weights()[0], float)


def hands_by_reach(
    on: Floats, off: Floats, pitch: Ints, chord: Ints, pins: Mapping[int, int] | None = None
) -> tuple[Ints, Floats]:
    """The hand of each note, and how sure that is (in nats, 0 for a toss-up). Pins win.

    Notes in order of onset; ``chord`` numbers their chords from 0, rising."""
    _, unary, pair = hand_weights()
    return cut_by_boundary(struck(on, off, pitch, chord, hand_logits(on, off, pitch)), unary, pair, pins or {})
