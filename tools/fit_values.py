"""Fits the note-value choice of ``core/reading/values.py`` on performances simulated from the fitting corpus.

python tools/fit_values.py build/fit-corpus.json.gz src/ductus/core/reading/tables/values.json
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
from scipy.sparse import csr_matrix

from ductus.core.reading.alike import alike
from ductus.core.reading.values import ALL, FIRST_PASS, UNIT, Situation, like_features, options_of, second_features
from fit_corpus import UNIT as CORPUS_UNIT
from simulated_player import SKILLS, choose_pace, felt_beat, play, steady_clock

RIDGE = 3e-5
SCALE = CORPUS_UNIT // UNIT


def situation_of(piece: dict[str, Any], rng: random.Random) -> tuple[Situation, list[int]]:
    """A simulated performance with its true places and hands, and the true lengths."""
    quarter_s = choose_pace(piece, rng)
    rows = play(piece, steady_clock(quarter_s, 1.0), rng.choice(list(SKILLS)), rng)
    notes = piece["notes"]
    rows.sort(key=lambda r: (notes[r[4]][0], r[0]))
    count, unit = (int(x) for x in piece["meter"].split("/"))
    bar, beat, pickup = 4 * UNIT * count // unit, felt_beat(piece["meter"]) // SCALE, piece["pickup"] // SCALE
    tick = [notes[r[4]][0] // SCALE for r in rows]
    # sloppy hands: the engine errs there too, so a few notes are given to the wrong hand
    hand = [notes[r[4]][5] if rng.random() > 0.02 else 3 - notes[r[4]][5] for r in rows]
    return Situation(
        tick,
        [(r[1] - r[0]) / quarter_s * UNIT for r in rows],
        [r[0] for r in rows],
        [r[1] for r in rows],
        hand,
        [r[2] for r in rows],
        [(t - pickup) // bar * bar + bar + pickup for t in tick],
        [(t - pickup) // beat * beat + pickup for t in tick],
        [beat] * len(tick),
    ), [notes[r[4]][1] // SCALE for r in rows]


def with_likes(rows: list[list[tuple[int, ...]]], more: list[list[tuple[int, ...]]]) -> list[list[tuple[int, ...]]]:
    """Both kinds of features of every option."""
    return [[(*a, *b) for a, b in zip(x, y, strict=True)] for x, y in zip(rows, more, strict=True)]


def fit(rows: list[list[tuple[int, ...]]], truth: list[int], weight: np.ndarray, size: int) -> np.ndarray:
    """Conditional logit by L-BFGS with a small ridge."""
    flat = [f for row in rows for f in row]
    lengths = np.array([len(f) for f in flat])
    matrix = csr_matrix(
        (np.ones(lengths.sum()), np.concatenate([np.array(f) for f in flat]), np.concatenate(([0], lengths.cumsum()))),
        (len(flat), size),
    )
    sizes = np.array([len(row) for row in rows])
    first = np.concatenate(([0], sizes.cumsum()[:-1]))
    group = np.repeat(np.arange(len(rows)), sizes)
    right = first + np.array(truth)
    total = weight.sum()

    def loss(w: np.ndarray) -> tuple[float, np.ndarray]:
        z = matrix @ w
        z = z - np.maximum.reduceat(z, first)[group]
        e = np.exp(z)
        norm = np.add.reduceat(e, first)
        p = e / norm[group] * weight[group]
        value = -(weight * (z[right] - np.log(norm))).sum() / total + RIDGE * (w**2).sum()
        p[right] -= weight
        return value, matrix.T @ p / total + 2 * RIDGE * w

    return minimize(loss, np.zeros(size), jac=True, method="L-BFGS-B", options={"maxiter": 250}).x


def main() -> None:
    """Fit both passes, report on unseen pieces, write the table."""
    pieces = json.loads(gzip.decompress(Path(sys.argv[1]).read_bytes()))
    rng = random.Random(9)
    rng.shuffle(pieces)
    for p in pieces:
        p["notes"] = p["notes"][:250]
    data = [situation_of(p, rng) for p in pieces]
    options = [options_of(s) for s, _ in data]
    split = len(data) * 4 // 5
    reach, rows, truth, weight, where = 0, [], [], [], []
    for k, ((_s, lengths), listed) in enumerate(zip(data[:split], options[:split], strict=True)):
        for n, length in enumerate(lengths):
            found = next((i for i, o in enumerate(listed[n]) if o.length == length), None)
            reach += found is not None
            if found is not None:
                rows.append([o.features for o in listed[n]])
                truth.append(found)
                weight.append(1 / np.sqrt(len(lengths)))
                where.append((k, n))
    print("true length among the choices", reach / sum(len(d[1]) for d in data[:split]))
    first = fit(rows, truth, np.array(weight), FIRST_PASS)

    def decide(listed: list[Any], extra: Any, w: np.ndarray) -> list[int]:
        return [
            max(range(len(row)), key=lambda i: sum(w[f] for f in (*row[i].features, *(extra[n][i] if extra else ()))))
            for n, row in enumerate(listed)
        ]

    likes = [alike(s.tick, s.played, s.hand, s.bar_end) for s, _ in data]
    chosen = [decide(listed, None, first) for listed in options]
    for _ in range(2):  # once more with what the second pass itself would choose
        extras = [
            with_likes(second_features(s, listed, mine, like), like_features(listed, like))
            for (s, _), listed, mine, like in zip(data, options, chosen, likes, strict=True)
        ]
        both = [
            [(*f, *e) for f, e in zip(row, extras[k][n], strict=True)] for row, (k, n) in zip(rows, where, strict=True)
        ]
        second = fit(both, truth, np.array(weight), ALL)
        chosen = [decide(listed, extra, second) for listed, extra in zip(options, extras, strict=True)]
    right: dict[str, list[float]] = {"first": [], "second": []}
    for (_s, lengths), listed, extra in zip(data[split:], options[split:], extras[split:], strict=True):
        for name, w, more in (("first", first, None), ("second", second, extra)):
            chosen = decide(listed, more, w)
            right[name].append(float(np.mean([listed[n][c].length == lengths[n] for n, c in enumerate(chosen)])))
    scores = {name: float(np.mean(v)) for name, v in right.items()}
    print(scores)
    table = {
        "provenance": f"Fitted by tools/fit_values.py on performances simulated from open scores (tools/fit_corpus.py names the folders). Share right on unseen pieces with true places and hands: {scores['second']:.3f}.",
        "first": [round(float(v), 3) for v in first],
        "second": [round(float(v), 3) for v in second],
    }
    Path(sys.argv[2]).write_text(json.dumps(table, separators=(",", ":")), encoding="utf-8")


if __name__ == "__main__":
    main()
