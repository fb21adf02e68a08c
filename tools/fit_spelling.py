"""Counts names by distance from the key, and fits the weights of the key signature, on open scores.

    python tools/fit_spelling.py build/fit-corpus.json.gz src/ductus/core/reading/tables/spelling.json

Names are counted on the written right hands and on all parts of quartets and chorales (the made left hands of tunes have
no names). A local key is not in the scores, so names are counted against the signature first and then once more against
the local keys that the first table finds.
"""

from __future__ import annotations

import gzip
import json
import random
import sys
from collections import Counter
from pathlib import Path
from typing import Any

import numpy as np
from scipy.optimize import minimize

from ductus.core.pitch.pitches import FIFTHS_OF_STEP
from ductus.core.reading import key as key_module
from ductus.core.reading.key import FEATURES, SIGNATURES, key_features, turned
from ductus.core.reading.spelling import local_keys, spell_notes
from fit_corpus import UNIT

RIDGE = 3e-4


def named(piece: dict[str, Any]) -> list[list[Any]]:
    return [n for n in piece["notes"] if n[3]]


def logs(counts: Counter[int]) -> dict[str, float]:
    total = sum(counts.values())
    return {str(d): round(float(np.log((counts[d] + 0.5) / total)), 3) for d in range(-9, 16)}


def chords_of(notes: list[list[Any]]) -> list[int]:
    number = {t: k for k, t in enumerate(sorted({n[0] for n in notes}))}
    return [number[n[0]] for n in notes]


def fit_key(pieces: list[dict[str, Any]], table: dict[str, Any]) -> float:
    """Fit the weights of the signature into the table; returns the share right on unseen pieces."""
    features = [
        key_features([n[2] for n in p["notes"]], [n[0] for n in p["notes"]], [n[1] / UNIT for n in p["notes"]])
        for p in pieces
    ]
    usable = [i for i, p in enumerate(pieces) if abs(p["key"]) <= 6]
    cases = np.array([[turned(features[i], k) for k in SIGNATURES] for i in usable])
    truth = np.array([SIGNATURES.index(pieces[i]["key"]) for i in usable])
    split = len(usable) * 4 // 5

    def loss(flat: np.ndarray) -> tuple[float, np.ndarray]:
        w = flat.reshape(2, FEATURES)
        by_mode = cases[:split] @ w.T  # piece, signature, mode
        z = np.logaddexp(by_mode[..., 0], by_mode[..., 1])
        p = np.exp(z - np.logaddexp.reduce(z, axis=1, keepdims=True))
        rows = np.arange(split)
        value = -np.log(p[rows, truth[:split]]).mean() + RIDGE * (flat**2).sum()
        p[rows, truth[:split]] -= 1
        share = np.exp(by_mode - z[..., None]) * p[..., None]
        return value, (np.einsum("nkm,nkf->mf", share, cases[:split]) / split + 2 * RIDGE * w).ravel()

    start = np.zeros((2, FEATURES))
    start[0, [0, 4, 7]] = 4.0  # the triads of both modes: where the search for each begins
    start[1, [9, 0, 4]] = 4.0
    w = minimize(loss, start.ravel(), jac=True, method="L-BFGS-B", options={"maxiter": 400}).x.reshape(2, FEATURES)
    z = cases[split:] @ w.T
    right = float((np.logaddexp(z[..., 0], z[..., 1]).argmax(1) == truth[split:]).mean())
    table["key"] = [[round(float(v), 3) for v in row] for row in w]
    return right


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
    import ductus.core.reading.spelling as spelling

    spelling.spelling_table = lambda: table  # type: ignore[assignment]
    counts = Counter()
    for p in pieces:
        mine = named(p)
        local = local_keys([n[2] for n in mine], chords_of(mine), p["key"])
        for n, k in zip(mine, local, strict=True):
            counts[FIFTHS_OF_STEP[n[3]] + 7 * n[4] - k] += 100 / len(mine)  # type: ignore[assignment]
    table["names"] = logs(counts)

    right = fit_key(pieces, table)
    wrong = total = 0
    for p in pieces[::3]:
        mine = named(p)
        names = spell_notes([n[2] for n in mine], chords_of(mine), [n[5] for n in mine], p["key"])
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
