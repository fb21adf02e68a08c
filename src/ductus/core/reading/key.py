"""The key signature that fits the notes (JOB 11.2).

Every signature of -6..6 fifths gets a score: the pitch classes by duration, those of the first and last bass and of the
last top note, each weighed by its distance from the signature. A weighted profile as Krumhansl & Kessler 1982 have it
(from memory), but its weights are fitted on open scores (``tools/fit_spelling.py``), and beginnings and ends count for
themselves. Mode: major if the last bass lies on the signature's major tonic, minor if on its minor one, else by the
better of the two tonics in the whole.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from functools import lru_cache
from importlib import resources
from typing import Any

import numpy as np

from ductus.core.reading.divisions import Floats

SIGNATURES = tuple(range(-6, 7))
FEATURES = (
    73  # profile, first bass, last bass, last top, major triads, minor triads: 12 each; mean log likelihood of names
)
TRIADS = ((0, 4, 7), (0, 3, 7))


@lru_cache(maxsize=1)
def spelling_table() -> dict[str, Any]:
    """The fitted table of key and spelling."""
    text = resources.files("ductus.core.reading.tables").joinpath("spelling.json").read_text("utf-8")
    table: dict[str, Any] = json.loads(text)
    return table


def key_features(keys: Sequence[int], starts: Sequence[float], lengths: Sequence[float]) -> Floats:
    """Profile (shares), then one-hot pitch classes of first bass, last bass and last top, then shares of the moments at
    which a triad on each root sounds, major and minor; for a signature of 0 fifths.

    Shape (FEATURES - 1,); ``starts`` rising, in any unit."""
    out = np.zeros(FEATURES - 1)
    for key, length in zip(keys, lengths, strict=True):
        out[key % 12] += max(min(length, 4.0), 0.05)
    out[:12] /= max(out[:12].sum(), 1e-9)
    tolerance = 1e-6
    first = [k for k, s in zip(keys, starts, strict=True) if s <= starts[0] + tolerance]
    last = [k for k, s in zip(keys, starts, strict=True) if s >= starts[-1] - tolerance]
    out[12 + min(first) % 12] = 1
    out[24 + min(last) % 12] = 1
    out[36 + max(last) % 12] = 1
    out[48:] = triad_shares(keys, starts, lengths)
    return out


def triad_shares(keys: Sequence[int], starts: Sequence[float], lengths: Sequence[float]) -> Floats:
    """Share of the moments (onsets) at which each major and minor triad is complete. Shape (24,)."""
    out = np.zeros(24)
    sounding: list[tuple[float, int]] = []
    moments = n = 0
    while n < len(keys):
        now = starts[n]
        sounding = [(end, pc) for end, pc in sounding if end > now + 1e-6]
        while n < len(keys) and starts[n] <= now + 1e-6:
            sounding.append((now + max(lengths[n], 0.2), keys[n] % 12))
            n += 1
        classes = {pc for _, pc in sounding}
        moments += 1
        if 3 <= len(classes) <= 4:
            for mode, steps in enumerate(TRIADS):
                for root in classes:
                    out[12 * mode + root] += all((root + step) % 12 in classes for step in steps)
    return out / max(moments, 1)


def turned(features: Floats, fifths: int) -> Floats:
    """The features as seen from a signature: everything turned so that its major tonic is 0, and the names' likelihood."""
    shift = (7 * fifths) % 12
    rows = [np.roll(features[k : k + 12], -shift) for k in range(0, FEATURES - 1, 12)]
    return np.concatenate([*rows, [rows[0] @ name_likelihoods()]])


def name_likelihoods() -> Floats:
    """ln probability of the likeliest name of each pitch class, seen from the signature's major tonic. Shape (12,)."""
    log_of = {int(d): float(v) for d, v in spelling_table()["names"].items()}
    return np.array([max(v for d, v in log_of.items() if (7 * d - pc) % 12 == 0) for pc in range(12)])


def key_scores(keys: Sequence[int], starts: Sequence[float], lengths: Sequence[float]) -> dict[int, float]:
    """Log probability of each signature."""
    weights = np.array(spelling_table()["key"])  # one row for major, one for minor
    features = key_features(keys, starts, lengths)
    raw = {k: float(np.logaddexp(*(weights @ turned(features, k)))) - 0.02 * abs(k) for k in SIGNATURES}
    norm = float(np.logaddexp.reduce(list(raw.values())))
    return {k: v - norm for k, v in raw.items()}


def estimate_key(keys: Sequence[int], starts: Sequence[float], lengths: Sequence[float]) -> tuple[int, str]:
    """The likeliest signature (fifths) and mode."""
    scores = key_scores(keys, starts, lengths)
    fifths = max(scores, key=scores.__getitem__)
    return fifths, mode_of(fifths, keys, starts, lengths)


def mode_of(fifths: int, keys: Sequence[int], starts: Sequence[float], lengths: Sequence[float]) -> str:
    """Major or minor under a signature."""
    seen = turned(key_features(keys, starts, lengths), fifths)
    if seen[24] or seen[24 + 9]:
        return "major" if seen[24] else "minor"
    return "minor" if seen[9] + seen[4] + seen[8] > seen[0] + seen[7] else "major"
