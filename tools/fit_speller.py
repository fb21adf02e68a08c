"""Fits the weights of the speller on open scores.

python tools/fit_speller.py src/ductus/core/pitch/speller.json

Each note of the scores (``spelling_scores.fitted_on``) is a choice among its names, seen as the speller sees it:
sometimes with the note behind it, as when a step is corrected or a take is read; sometimes in a key whose mode
nobody told.
"""

from __future__ import annotations

import bisect
import json
import random
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import scipy.sparse as sparse
from scipy.optimize import minimize

from ductus.core.pitch.speller import GROUPS, MIDDLE, NAMES, Around, Clues, NearName, SpelledChord, clues, features
from spelling_scores import Part, Score, fitted_on, load_all

RIDGE = 2.0
PLAIN_SHARE = 4  # one note in so many that no name could be mistaken for is seen, with its weight
UNKNOWN_MODE = 0.2
WITH_NEXT = 0.5
NEAR_BEFORE, NEAR_AFTER = 4.0, 2.0  # quarters
STARTS = dict(zip(GROUPS, np.cumsum([0, *list(GROUPS.values())[:-1]]).tolist(), strict=True))
Sample = tuple[int, int, Clues, float]  # key, its printed name, clues, weight


def samples(score: Score, rng: random.Random) -> Iterator[Sample]:
    """The notes of a score, part by part and voice by voice, each as it is met."""
    mode = "major" if rng.random() < UNKNOWN_MODE else score.mode
    done: list[tuple[float, float, int, int]] = []  # start, end, pitch class, name
    for part in score.parts:
        written = []
        for voice in part.voices:
            done.sort()
            yield from voice_samples(part, voice, mode, done, rng)
            written += [(t, t + length, key % 12, name) for t, length, chord in voice for key, name in chord]
        done += written


def voice_samples(
    part: Part, voice: list[Any], mode: str, done: list[tuple[float, float, int, int]], rng: random.Random
) -> Iterator[Sample]:
    """The notes of one voice."""
    starts = [d[0] for d in done]
    before: list[SpelledChord] = []
    for k, (t, _, chord) in enumerate(voice):
        fifths = next((f for at, f in reversed(part.signatures) if at <= t + 1e-6), 0)
        bar = part.bars[max(bisect.bisect_right(part.bars, t + 1e-6) - 1, 0)] if part.bars else 0.0
        low, now = bisect.bisect_left(starts, t - NEAR_BEFORE), bisect.bisect_right(starts, t + 1e-6)
        near = tuple(
            NearName(round(d[0] * 960), d[2], d[3]) for d in done[low : bisect.bisect_right(starts, t + NEAR_AFTER)]
        )
        mates = tuple(d[3] for d in done[bisect.bisect_left(starts, t - 8) : now] if d[1] > t + 1e-6)
        here = SpelledChord(round(t * 960), tuple(key for key, _ in chord), tuple(name for _, name in chord))
        after = None
        if k + 1 < len(voice) and rng.random() < WITH_NEXT:
            following = voice[k + 1]
            after = SpelledChord(
                round(following[0] * 960), tuple(key for key, _ in following[2]), tuple(n for _, n in following[2])
            )
        around = Around(fifths, mode, before, mates, near, round(bar * 960), after)
        for n, (key, name) in enumerate(chord):
            others = tuple(f for j, f in enumerate(here.names) if j != n) if rng.random() < 0.7 else ()
            told = clues(key, around, others)
            calm = -1 <= name - fifths <= 5 and abs(told.centre - fifths - MIDDLE) < 1.5
            if name in NAMES[key % 12] and (not calm or rng.random() < 1 / PLAIN_SHARE):
                yield key, name, told, float(PLAIN_SHARE) if calm else 1.0
        before.append(here)


def fit(found: list[Sample]) -> np.ndarray:
    """Conditional logit with a ridge."""
    rows, columns, amounts, right = [], [], [], []
    group, weight = list[int](), list[float]()
    for key, truth, told, counts in found:
        for name in NAMES[key % 12]:
            for where, place, amount in features(name, told):
                rows.append(len(group))
                columns.append(STARTS[where] + place)
                amounts.append(amount)
            group.append(len(weight))
            right.append(name == truth)
        weight.append(counts)
    seen = sparse.csr_matrix((amounts, (rows, columns)), shape=(len(group), sum(GROUPS.values())))
    groups, hit, counts_of = np.array(group), np.array(right), np.array(weight)
    total = sparse.csr_matrix((np.ones(len(group)), (groups, np.arange(len(group)))))

    def loss(w: np.ndarray) -> tuple[float, np.ndarray]:
        z = seen @ w
        e = np.exp(z - 20)
        among = total @ e
        value = -(counts_of * (z[hit] - 20 - np.log(among))).sum() + RIDGE * (w @ w) / 2
        return value, -(seen.T @ ((hit - e / among[groups]) * counts_of[groups])) + RIDGE * w

    return minimize(loss, np.zeros(seen.shape[1]), jac=True, method="L-BFGS-B", options={"maxiter": 400}).x


def main() -> None:
    """Read, fit, write."""
    rng = random.Random(1)
    found = [s for score in load_all(fitted_on()) for s in samples(score, rng)]
    w = fit(found)
    table: dict[str, object] = {
        group: [round(float(x), 3) for x in w[start : start + GROUPS[group]]] for group, start in STARTS.items()
    }
    table["provenance"] = (
        f"Weights over {len(found):,} notes of open scores, made by tools/fit_speller.py; scores are named in "
        "tools/spelling_scores.py."
    )
    Path(sys.argv[1]).write_text(json.dumps(table, indent=1), encoding="utf-8")
    print(len(found), "notes")


if __name__ == "__main__":
    main()
