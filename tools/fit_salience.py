"""Fits how a chord's weight speaks for its metrical level.

The table of ``core/reading/beat_tracking/onset_clusters.py``.

python tools/fit_salience.py build/fit-corpus.json.gz src/ductus/core/reading/tables/salience.json
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

from ductus.core.reading.beat_tracking.onset_clusters import FEATURES, LEVELS, cluster
from fit_corpus import UNIT
from hand_variants import RHYTHMS, varied
from simulated_player import SKILLS, breathing_clock, choose_pace, felt_beat, play

RIDGE = 1e-3


def level_of(inside: int, bar: int, beat: int) -> int:
    """0 bar line, 1 half bar (of an even number of beats), 2 beat, 3 half or third of a beat, 4 finer."""
    if inside % bar == 0:
        return 0
    if inside % beat == 0:
        return 1 if (bar // beat) % 2 == 0 and bar // beat > 2 and inside * 2 == bar else 2
    return 3 if inside % (beat // 3 if beat % UNIT else beat // 2) == 0 else 4


def levels_of(piece: dict[str, Any], rng: random.Random) -> tuple[np.ndarray, np.ndarray]:
    """Features and levels of all chords of a simulated performance."""
    clock = breathing_clock(piece, choose_pace(piece, rng), 1.0, rng, rng.uniform(0.03, 0.12))
    rows = play(piece, clock, rng.choice(list(SKILLS)), rng)
    chords = cluster(*(np.array([r[k] for r in rows]) for k in (0, 1, 2, 3)))
    count, unit = (int(x) for x in piece["meter"].split("/"))
    bar, beat = 4 * UNIT * count // unit, felt_beat(piece["meter"])
    levels = []
    for a, b in zip(chords.first[:-1], chords.first[1:], strict=True):
        ticks = [piece["notes"][rows[n][4]][0] for n in range(a, b)]
        levels.append(level_of((max(set(ticks), key=ticks.count) - piece["pickup"]) % bar, bar, beat))
    return chords.features, np.array(levels)


def fitted(data: list[tuple[np.ndarray, np.ndarray]]) -> tuple[np.ndarray, np.ndarray, float]:
    """Shares of the levels, weights (FEATURES, LEVELS), and the gain over the shares in nats a chord on the last
    fifth, which is left out.
    """
    split = len(data) * 4 // 5
    x = np.concatenate([d[0] for d in data[:split]])
    y = np.concatenate([d[1] for d in data[:split]])
    weight = np.concatenate([np.full(len(d[1]), 1 / np.sqrt(len(d[1]))) for d in data[:split]])
    total = weight.sum()
    shares = np.array([weight[y == k].sum() / total for k in range(LEVELS)])

    def loss(flat: np.ndarray) -> tuple[float, np.ndarray]:
        w = flat.reshape(FEATURES, LEVELS)
        z = x @ w
        z = z - np.logaddexp.reduce(z, axis=1, keepdims=True)
        rows = np.arange(len(y))
        value = -(weight * z[rows, y]).sum() / total + RIDGE * (w**2).sum()
        p = np.exp(z)
        p[rows, y] -= 1
        return value, (x.T @ (p * weight[:, None]) / total + 2 * RIDGE * w).ravel()

    w = minimize(loss, np.zeros(FEATURES * LEVELS), jac=True, method="L-BFGS-B").x.reshape(FEATURES, LEVELS)
    gain = []
    for features, levels in data[split:]:
        z = features @ w
        z = z - np.logaddexp.reduce(z, axis=1, keepdims=True)
        gain.append(float(np.mean(z[np.arange(len(levels)), levels] - np.log(shares)[levels])))
    return shares, w, float(np.mean(gain))


def main() -> None:
    """Fit on the pieces as they are, and again with a texture of each; write the mean of both."""
    pieces = json.loads(gzip.decompress(Path(sys.argv[1]).read_bytes()))
    random.Random(6).shuffle(pieces)
    for p in pieces:
        p["notes"] = p["notes"][:300]
    fits = []
    for textures in (False, True):
        rng = random.Random(6)
        played = []
        for p in pieces:
            played.append(p)
            if textures:
                textured = varied(p, rng, RHYTHMS)
                textured["notes"] = sorted(textured["notes"])[:400]
                played.append(textured)
        fits.append(fitted([levels_of(p, rng) for p in played if len(p["notes"]) > 30]))
    shares, w = np.mean([f[0] for f in fits], axis=0), np.mean([f[1] for f in fits], axis=0)
    table = {
        "provenance": (
            "Fitted by tools/fit_salience.py on performances simulated from open scores (tools/fit_corpus.py names the "
            "folders), the mean of a fit on them as they "
            f"are and one with keyboard textures; gains over the shares {fits[0][2]:.3f} and {fits[1][2]:.3f} "
            "nats a chord on unseen pieces."
        ),
        "shares": [round(float(s), 4) for s in shares],
        "weights": [[round(float(v), 3) for v in row] for row in w],
    }
    print(table["provenance"])
    Path(sys.argv[2]).write_text(json.dumps(table), encoding="utf-8")


if __name__ == "__main__":
    main()
