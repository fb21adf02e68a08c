"""Counts names by distance from the key, and fits the weights of the key signature, on open scores.

python tools/fit_spelling.py build/fit-corpus.json.gz src/ductus/core/reading/tables/spelling.json

Names are counted on the written right hands and on all parts of quartets and chorales (the made left hands of tunes
have no names). A local key is not in the scores, so names are counted against the signature first and then once more
against the local keys that the first table finds.
"""

from __future__ import annotations

import gzip
import json
import random
import sys
from collections import Counter
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
from scipy.optimize import minimize

from ductus.core.pitch.pitches import FIFTHS_OF_STEP
from ductus.core.reading.tonality import key_estimation as key_module
from ductus.core.reading.tonality.key_estimation import FEATURES, SIGNATURES, key_features, local_windows, turned
from ductus.core.reading.tonality.spelling import spell_notes
from fit_corpus import UNIT

RIDGE = 3e-4
LOWEST, HIGHEST = -8, 8  # local keys, in fifths of their signature
CHANGE_COST, FIFTH_COST, HOME_PULL = (
    4.2,
    0.9,
    0.012,
)  # nats: a change of local key, each fifth of it, each fifth away from home
NAMES_SEEN = range(-15, 20)
SHARES = (1.0, 0.5, 0.05)  # weights of whole pieces, beginnings, and those that go elsewhere


def named(piece: dict[str, Any]) -> list[list[Any]]:
    return [n for n in piece["notes"] if n[3]]


def logs(counts: Counter[int]) -> dict[str, float]:
    total = sum(counts.values())
    return {str(d): round(float(np.log((counts[d] + 0.5) / total)), 3) for d in range(-9, 16)}


def local_keys(keys: Sequence[int], chords: Sequence[int], fifths: int) -> list[int]:
    """The local key at each note, by Viterbi over chords."""
    states = np.arange(LOWEST, HIGHEST + 1)
    emission = emissions()
    pull = HOME_PULL * np.abs(states - fifths)
    count = chords[-1] + 1
    scores = np.zeros((count, len(states)))
    for key, chord in zip(keys, chords, strict=True):
        scores[chord] += emission[key % 12] - pull
    change = -CHANGE_COST * (states[:, None] != states[None, :]) - FIFTH_COST * np.abs(
        states[:, None] - states[None, :]
    )
    value = scores[0] - 0.6 * np.abs(states - fifths)
    back = np.zeros((count, len(states)), np.int64)
    for q in range(1, count):
        ways = value[:, None] + change
        back[q] = ways.argmax(0)
        value = ways.max(0) + scores[q]
    best = int(value.argmax())
    path = [best]
    for q in range(count - 1, 0, -1):
        best = int(back[q, best])
        path.append(best)
    path.reverse()
    return [int(states[path[chord]]) for chord in chords]


def emissions() -> np.ndarray:
    """ln probability of a pitch class (row) in a local key (column), by its best name."""
    log_of = {int(d): float(v) for d, v in key_module.spelling_table()["names"].items()}
    floor = min(log_of.values()) - 2.0
    out = np.zeros((12, HIGHEST - LOWEST + 1))
    for pc in range(12):
        for c, key in enumerate(range(LOWEST, HIGHEST + 1)):
            out[pc, c] = max(log_of.get(f - key, floor) for f in NAMES_SEEN if (7 * f - pc) % 12 == 0)
    return out


def chords_of(notes: list[list[Any]]) -> list[int]:
    number = {t: k for k, t in enumerate(sorted({n[0] for n in notes}))}
    return [number[n[0]] for n in notes]


RELATIONS = (  # where the search begins: local keys of a whole in major, and in minor, by mode and semitones
    ({0: 0.6, 7: 0.12, 5: 0.06}, {9: 0.08, 2: 0.04, 4: 0.03, 0: 0.03}),
    ({3: 0.16, 7: 0.07, 8: 0.05, 10: 0.04, 0: 0.04}, {0: 0.5, 7: 0.06, 5: 0.07}),
)
RELATION_PSEUDO = 200.0  # windows that the start counts for


def fit_relations(pieces: list[dict[str, Any]]) -> list[list[list[float]]]:
    """Chances of local keys, by expectation and maximisation from RELATIONS.

    The mode of a piece is not known and counts by its likelihood.
    """
    start = np.full((2, 2, 12), 0.0025)
    for mode, rows in enumerate(RELATIONS):
        for local, row in enumerate(rows):
            for steps, share in row.items():
                start[mode, local, steps] = share
    start /= start.sum((1, 2), keepdims=True)
    relations = start
    windows = [local_windows([n[2] for n in p["notes"]], [n[0] / UNIT for n in p["notes"]]) for p in pieces]
    tonics = [((7 * p["key"]) % 12, (7 * p["key"] + 9) % 12) for p in pieces]
    for _ in range(8):
        counts = start * RELATION_PSEUDO
        for window, tonic in zip(windows, tonics, strict=True):
            turned_rows = [np.roll(window, -t, axis=2) + np.log(relations[m]) for m, t in enumerate(tonic)]
            flat = [r.reshape(len(r), -1) for r in turned_rows]
            each = [np.logaddexp.reduce(f, axis=1) for f in flat]
            total = np.array([e.sum() for e in each])
            share = np.exp(total - np.logaddexp.reduce(total))
            for m in (0, 1):
                counts[m] += share[m] * np.exp(flat[m] - each[m][:, None]).sum(0).reshape(2, 12)
        relations = counts / counts.sum((1, 2), keepdims=True)
    return [[[round(float(v), 5) for v in row] for row in mode] for mode in relations]


OWN = np.ones((2, FEATURES))  # each mode looks at the evidence for its own tonic only
OWN[0, [74, 88]] = OWN[1, [73, 87]] = 0
FOLDS = 5


def weights(cases: np.ndarray, truth: np.ndarray, weight: np.ndarray) -> np.ndarray:
    """Conditional logit over signatures, the mode hidden: shape (2, FEATURES)."""
    rows, weight = np.arange(len(truth)), weight / weight.sum()

    def loss(flat: np.ndarray) -> tuple[float, np.ndarray]:
        w = flat.reshape(2, FEATURES) * OWN
        by_mode = cases @ w.T  # piece, signature, mode
        z = np.logaddexp(by_mode[..., 0], by_mode[..., 1])
        p = np.exp(z - np.logaddexp.reduce(z, axis=1, keepdims=True))
        value = -(weight * np.log(p[rows, truth])).sum() + RIDGE * (w**2).sum()
        p[rows, truth] -= 1
        share = np.exp(by_mode - z[..., None]) * (p * weight[:, None])[..., None]
        return value, ((np.einsum("nkm,nkf->mf", share, cases) + 2 * RIDGE * w) * OWN).ravel()

    start = np.zeros((2, FEATURES))
    start[0, [0, 4, 7]] = 4.0  # the triads of both modes: where the search for each begins
    start[1, [9, 0, 4]] = 4.0
    found = minimize(loss, start.ravel(), jac=True, method="L-BFGS-B", options={"maxiter": 400}).x
    return found.reshape(2, FEATURES) * OWN


def fit_key(pieces: list[dict[str, Any]], table: dict[str, Any]) -> float:
    """Fit the weights of the signature into the table; returns the share right on unseen pieces (cross-validation)."""
    usable = [p for p in pieces if abs(p["key"]) <= 6]
    rng = random.Random(4)
    whole = [seen(p["notes"]) for p in usable]
    begun = [seen(beginning(p, rng.uniform(0.3, 0.9))) for p in usable]
    gone_on = [seen(elsewhere(p, rng.choice(usable), rng)) for p in usable]
    kinds = np.array([whole, begun, gone_on])
    truth = np.array([SIGNATURES.index(p["key"]) for p in usable])
    count, fold = len(truth), np.arange(len(truth)) % FOLDS
    weight = np.repeat(SHARES, count).reshape(3, count)

    def fitted(mine: np.ndarray) -> np.ndarray:
        return weights(kinds[:, mine].reshape(-1, *kinds.shape[2:]), np.tile(truth[mine], 3), weight[:, mine].ravel())

    right = np.zeros(3)
    for k in range(FOLDS):
        z = kinds[:, fold == k] @ fitted(fold != k).T
        right += (np.logaddexp(z[..., 0], z[..., 1]).argmax(2) == truth[fold == k]).sum(1)
    table["key"] = [[round(float(v), 3) for v in row] for row in fitted(fold >= 0)]
    print("signature right on unseen pieces, beginnings, and where the music goes elsewhere", right / count)
    return float(right[0] / count)


def seen(notes: list[list[Any]]) -> np.ndarray:
    """What each signature sees of the notes."""
    features = key_features([n[2] for n in notes], [n[0] / UNIT for n in notes], [n[1] / UNIT for n in notes])
    return np.array([turned(features, k) for k in SIGNATURES])


def beginning(piece: dict[str, Any], share: float) -> list[list[Any]]:
    """The first notes of a piece: a take may stop anywhere."""
    return piece["notes"][: max(int(len(piece["notes"]) * share), 20)]


def elsewhere(piece: dict[str, Any], other: dict[str, Any], rng: random.Random) -> list[list[Any]]:
    """A piece that goes on with another a fifth or a minor third higher, and stops there, as first parts of sonatas
    do (common practice).
    """
    first, then = beginning(piece, rng.uniform(0.4, 1)), beginning(other, rng.uniform(0.3, 0.8))
    by = (7 * (piece["key"] - other["key"]) + rng.choice((7, 7, 3)) + 6) % 12 - 6
    end = max(n[0] + n[1] for n in first)
    return first + [[n[0] + end, n[1], n[2] + by, *n[3:]] for n in then]


def main() -> None:
    """Count, fit, report, write."""
    pieces = json.loads(gzip.decompress(Path(sys.argv[1]).read_bytes()))
    rng = random.Random(2)
    rng.shuffle(pieces)
    counts: Counter[int] = Counter()
    for p in pieces:
        mine = named(p)
        for n in mine:
            counts[FIFTHS_OF_STEP[n[3]] + 7 * n[4] - p["key"]] += 100 / len(mine)  # type: ignore[assignment]
    table: dict[str, Any] = {"names": logs(counts)}
    key_module.spelling_table = lambda: table  # type: ignore[assignment]
    counts = Counter()
    for p in pieces:
        mine = named(p)
        local = local_keys([n[2] for n in mine], chords_of(mine), p["key"])
        for n, k in zip(mine, local, strict=True):
            counts[FIFTHS_OF_STEP[n[3]] + 7 * n[4] - k] += 100 / len(mine)  # type: ignore[assignment]
    table["names"] = logs(counts)

    table["relations"] = fit_relations(pieces)
    right = fit_key(pieces, table)
    wrong = total = 0
    for p in pieces[::3]:
        mine = named(p)
        names = spell_notes([n[2] for n in mine], [n[0] for n in mine], [n[5] for n in mine], p["key"])
        wrong += sum((a.step, a.alter) != (n[3], n[4]) for a, n in zip(names, mine, strict=True))
        total += len(mine)
    print("signature right on unseen pieces", right, "spelling", 1 - wrong / total)
    table["provenance"] = (
        "Counts and weights over open scores (tools/fit_corpus.py names the folders), made by tools/fit_spelling.py. "
        f"Signature right on unseen pieces {right:.3f}; names right (signature given) {1 - wrong / total:.4f}."
    )
    Path(sys.argv[2]).write_text(json.dumps(table, indent=1), encoding="utf-8")


if __name__ == "__main__":
    main()
