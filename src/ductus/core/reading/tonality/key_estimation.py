"""The key signature that fits the notes.

Every signature of -6..6 fifths gets a score: the pitch classes by duration, those of the first and last bass and of
the last top note, each weighed by its distance from the signature. A weighted profile as Krumhansl & Kessler 1982
have it (from memory), but its weights are fitted on open scores (``tools/fit_spelling.py``), and beginnings and ends
count for themselves. Beside them stands the evidence of *local keys*: every few beats the music may be in a key of
its own, and which local keys belong to which signature is known (a piece in C sharp minor may stand on its dominant
for long). The opening speaks once more for itself, since a take may stop far from home, and a signature is that of
the beginning. The chances of a pitch class in a local key are those of Temperley 2007, "Music and Probability"
(Kostka-Payne excerpts, from memory). Mode: major if the last bass lies on the signature's major tonic, minor if on
its minor one, else by the better of the two tonics in the opening.
"""

from __future__ import annotations

import json
from bisect import bisect_left
from collections.abc import Sequence
from functools import lru_cache
from importlib import resources
from typing import Any

import numpy as np

from ductus.core.reading.quantization.subdivisions import Floats

SIGNATURES = tuple(range(-6, 7))
# profile, first bass, last bass, last top, major triads, minor triads: 12 each; mean log likelihood of names; evidence
# of local keys for the major and for the minor tonic; profile of the opening, 12, and its evidence of both tonics
FEATURES = 89
OPENING = (24.0, 48.0, 0.35)  # quarters, at least and at most; share of the whole
TOLERANCE = 1e-6  # quarters
WINDOW = 4.0  # quarters in which one local key holds
WHOLE = 20.0  # nats of evidence that count as one
PRESENT = np.array(
    [
        [0.748, 0.060, 0.488, 0.082, 0.670, 0.460, 0.096, 0.715, 0.104, 0.366, 0.057, 0.400],
        [0.712, 0.084, 0.474, 0.618, 0.049, 0.460, 0.105, 0.747, 0.404, 0.067, 0.133, 0.330],
    ]
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
    which a triad on each root sounds, major and minor; then the evidence of local keys for each tonic, major and minor;
    for a signature of 0 fifths;
    and the profile and the evidence of the opening. Shape (132,); ``starts`` rising and ``lengths`` in quarters."""
    out = np.zeros(132)
    out[:12] = profile(keys, lengths)
    first = [k for k, s in zip(keys, starts, strict=True) if s <= starts[0] + TOLERANCE]
    last = [k for k, s in zip(keys, starts, strict=True) if s >= starts[-1] - TOLERANCE]
    out[12 + min(first) % 12] = 1
    out[24 + min(last) % 12] = 1
    out[36 + max(last) % 12] = 1
    out[48:72] = triad_shares(keys, starts, lengths)
    out[72:96] = tonic_evidence(keys, starts)
    opening = opening_of(starts)
    out[96:108] = profile(keys[:opening], lengths[:opening])
    out[108:] = tonic_evidence(keys[:opening], starts[:opening])
    return out


def opening_of(starts: Sequence[float]) -> int:
    """How many notes are the opening."""
    shortest, longest, share = OPENING
    return bisect_left(starts, starts[0] + min(max(share * (starts[-1] - starts[0]), shortest), longest))


def tonic_evidence(keys: Sequence[int], starts: Sequence[float]) -> Floats:
    """ln likelihood of the local keys for each tonic, major and minor, beside the best, in WHOLEs. Shape (24,)."""
    evidence = local_evidence(local_windows(keys, starts), np.array(spelling_table()["relations"])).ravel()
    out: Floats = (evidence - evidence.max()) / WHOLE
    return out


def local_windows(keys: Sequence[int], starts: Sequence[float]) -> Floats:
    """ln likelihood of the pitch classes struck in each window of WINDOW quarters, under every local key.

    Shape (windows, 2 modes, 12 tonics). Silent windows are left out.
    """
    number = np.floor((np.array(starts) - starts[0]) / WINDOW + 1e-6).astype(np.int64)
    _, number = np.unique(number, return_inverse=True)
    struck = np.zeros((number.max() + 1, 12))
    struck[number, np.array(keys) % 12] = 1
    yes = np.array([[np.roll(row, tonic) for tonic in range(12)] for row in PRESENT])
    out: Floats = np.einsum("wp,mtp->wmt", struck, np.log(yes)) + np.einsum("wp,mtp->wmt", 1 - struck, np.log(1 - yes))
    return out


def local_evidence(windows: Floats, relations: Floats) -> Floats:
    """ln likelihood of all windows for every key of the whole, shape (2 modes, 12 tonics).

    ``relations[mode, local mode, steps]`` is the chance of a local key so many semitones above the tonic of the
    whole.
    """
    out = np.zeros((2, 12))
    for mode in (0, 1):
        for tonic in range(12):
            prior = np.log(np.roll(relations[mode], tonic, axis=1))
            out[mode, tonic] = np.logaddexp.reduce((windows + prior).reshape(len(windows), -1), axis=1).sum()
    return out


def profile(keys: Sequence[int], lengths: Sequence[float]) -> Floats:
    """Shares of the pitch classes by duration, shape (12,)."""
    out = np.zeros(12)
    np.add.at(out, np.array(keys) % 12, np.clip(np.array(lengths, float), 0.05, 4.0))
    out /= max(float(out.sum()), 1e-9)
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
    """The features as seen from a signature, shape (FEATURES,).

    Everything turned so that its major tonic is 0, the names' likelihood, the evidence for its two tonics, and the
    opening's profile and evidence.
    """
    shift = (7 * fifths) % 12
    rows = [np.roll(features[k : k + 12], -shift) for k in range(0, 132, 12)]
    own = [rows[0] @ name_likelihoods(), rows[6][0], rows[7][9]]
    return np.concatenate([*rows[:6], own, rows[8], [rows[9][0], rows[10][9]]])


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
    tonic = (7 * fifths) % 12
    bass = (min(k for k, s in zip(keys, starts, strict=True) if s >= starts[-1] - TOLERANCE) - tonic) % 12
    if bass in (0, 9):
        return "minor" if bass else "major"
    opening = opening_of(starts)
    seen = np.roll(profile(keys[:opening], lengths[:opening]), -tonic)
    return "minor" if seen[9] + seen[4] + seen[8] > seen[0] + seen[7] else "major"
