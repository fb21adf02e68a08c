"""Fits the prior and the weights of ``core/reading/hands.py`` on performances simulated from the fitting corpus.

    python tools/fit_hands.py build/fit-corpus.json.gz src/ductus/core/reading/tables/hands.json

The prior is a logistic regression with a small ridge; the nine weights of the beam are found by coordinate search on
pieces that the prior has not seen.
"""

from __future__ import annotations

import gzip
import json
import random
import sys
from pathlib import Path
from typing import Any

import numpy as np
from scipy.optimize import minimize

from ductus.core.reading.hands import FEATURES, beam_hands, hand_features
from simulated_player import SKILLS, choose_pace, play, steady_clock

RIDGE = 1e-4
SEARCHED = 60  # pieces the coordinate search is judged on
START = (4.0, 0.05, 0.25, 0.12, 4.0, 1.5, 1.5, 0.15, 1.0)


def performed(piece: dict[str, Any], rng: random.Random) -> tuple[np.ndarray, ...]:
    """(onset, release, pitch, chord, right?) of a simulated performance."""
    rows = play(piece, steady_clock(choose_pace(piece, rng), 1.0), rng.choice(list(SKILLS)), rng)
    ticks = [piece["notes"][r[4]][0] for r in rows]
    number = {t: k for k, t in enumerate(sorted(set(ticks)))}
    order = sorted(range(len(rows)), key=lambda i: (number[ticks[i]], rows[i][0]))
    rows = [rows[i] for i in order]
    chord = np.array([number[piece["notes"][r[4]][0]] for r in rows])
    right = np.array([piece["notes"][r[4]][5] == 1 for r in rows])
    on, off, pitch = (np.array([r[k] for r in rows]) for k in range(3))
    return np.maximum.accumulate(on), off, pitch, chord, right


def main() -> None:
    """Fit both and write the table."""
    pieces = json.loads(gzip.decompress(Path(sys.argv[1]).read_bytes()))
    rng = random.Random(4)
    rng.shuffle(pieces)
    for p in pieces:
        p["notes"] = p["notes"][:400]
    data = [performed(p, rng) for p in pieces]
    split = len(data) * 3 // 4
    x = np.concatenate([hand_features(*d[:3]) for d in data[:split]])
    y = np.concatenate([d[4] for d in data[:split]])
    weight = np.concatenate([np.full(len(d[0]), 1 / np.sqrt(len(d[0]))) for d in data[:split]])

    def loss(w: np.ndarray) -> tuple[float, np.ndarray]:
        z = x @ w
        p = 1 / (1 + np.exp(-z))
        value = (weight * (np.logaddexp(0, z) - y * z)).sum() / weight.sum() + RIDGE * (w**2).sum()
        return value, x.T @ (weight * (p - y)) / weight.sum() + 2 * RIDGE * w

    prior = minimize(loss, np.zeros(FEATURES), jac=True, method="L-BFGS-B").x
    held_out = data[split : split + SEARCHED]
    logits = [hand_features(*d[:3]) @ prior for d in held_out]
    print("prior alone", np.mean([((z > 0) == d[4]).mean() for z, d in zip(logits, held_out, strict=True)]))

    def score(w: np.ndarray) -> float:
        right = [
            ((beam_hands(d[0], d[1], d[2], d[3], z, np.zeros(len(z), np.int64), w)[0] == 1) == d[4]).mean()
            for z, d in zip(logits, held_out, strict=True)
        ]
        return float(np.mean(right))

    best = np.array(START)
    value = score(best)
    print("start", value)
    for _ in range(2):
        for k in range(len(best)):
            for factor in (0.5, 2.0) if best[k] else (0.0,):
                trial = best.copy()
                trial[k] = best[k] * factor
                if (found := score(trial)) > value:
                    best, value = trial, found
            if k == 7:
                for amount in (0.1, 0.3, -0.1, -0.3):
                    trial = best.copy()
                    trial[k] = amount
                    if (found := score(trial)) > value:
                        best, value = trial, found
        print(best, value)
    table = {
        "provenance": "Fitted by tools/fit_hands.py on performances simulated from open scores (tools/fit_corpus.py names the folders); share right on pieces not seen by the prior: "
        + f"{value:.3f}.",
        "prior": [round(float(v), 4) for v in prior],
        "beam": [round(float(v), 4) for v in best],
    }
    Path(sys.argv[2]).write_text(json.dumps(table, indent=1), encoding="utf-8")


if __name__ == "__main__":
    main()
