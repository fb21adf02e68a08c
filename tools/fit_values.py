"""Fits the note-value choice of ``core/reading/durations/duration_choice.py`` on performances simulated from the
fitting corpus.

python tools/fit_values.py build/fit-corpus.json.gz src/ductus/core/reading/tables/values.json
"""

from __future__ import annotations

import gzip
import json
import random
import sys
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
from scipy.optimize import minimize
from scipy.sparse import csr_matrix

from ductus.core.reading.durations.duration_choice import THOUGHTS
from ductus.core.reading.durations.offset_options import (
    ALL,
    FIRST_PASS,
    NONE,
    UNIT,
    Company,
    Situation,
    like_features,
    options_of,
)
from ductus.core.reading.durations.parallel_passages import alike
from fit_corpus import UNIT as CORPUS_UNIT
from simulated_player import SKILLS, choose_pace, felt_beat, play, steady_clock

RIDGE = 3e-5
PERFORMANCES = 3  # of each piece
SHORTENED = 0.12  # share of the pieces that are varied so
SCALE = CORPUS_UNIT // UNIT


def with_rests(piece: dict[str, Any], rng: random.Random) -> dict[str, Any]:
    """A variant in which one or two rhythms of a hand are written short with a rest wherever they come.

    Accompaniments and dances are (common practice), which the corpus lacks.
    """
    notes = [list(n) for n in piece["notes"]]
    count, unit = (int(x) for x in piece["meter"].split("/"))
    bar = 4 * CORPUS_UNIT * count // unit
    onsets = {h: sorted({n[0] for n in notes if n[5] == h}) for h in (1, 2)}
    following = {h: dict(pairwise(ticks)) for h, ticks in onsets.items()}
    groups: dict[tuple[int, int, int], list[Any]] = {}
    for n in notes:
        way = following[n[5]].get(n[0], n[0]) - n[0]
        if way >= CORPUS_UNIT // 2 and n[1] == way:
            groups.setdefault((n[5], (n[0] - piece["pickup"]) % bar, way), []).append(n)
    often = sorted(key for key, members in groups.items() if len(members) >= 3)
    for key in rng.sample(often, min(len(often), rng.choice((1, 1, 2)))):
        for n in groups[key]:
            n[1] = n[1] * 2 // 3 if n[1] in (3 * CORPUS_UNIT // 2, 3 * CORPUS_UNIT) else n[1] // 2
    return {**piece, "notes": notes}


def situation_of(piece: dict[str, Any], rng: random.Random) -> tuple[Situation, list[int]]:
    """A simulated performance with its true places and hands, and the true lengths."""
    if rng.random() < SHORTENED:
        piece = with_rests(piece, rng)
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


class ReadingOptions:
    """The options of many pieces one after the other: of each its note, and what the notes truly were."""

    def __init__(self, data: list[tuple[Situation, list[int]]]) -> None:
        self.options = [options_of(s) for s, _ in data]
        self.like = [alike(s.tick, s.played, s.hand, s.bar_end) for s, _ in data]
        self.company = [Company(s, o, k) for (s, _), o, k in zip(data, self.options, self.like, strict=True)]
        self.edges = np.concatenate(([0], np.cumsum([len(o.note) for o in self.options])))
        piece = np.repeat(np.arange(len(data)), [len(lengths) for _, lengths in data])
        note_at = np.concatenate(([0], np.cumsum([len(lengths) for _, lengths in data])))
        self.note = np.concatenate([o.note + at for o, at in zip(self.options, note_at, strict=False)])
        self.first = np.searchsorted(self.note, np.arange(note_at[-1] + 1))
        truth = np.concatenate([np.array(lengths) for _, lengths in data])
        self.right = np.concatenate([o.length for o in self.options]) == truth[self.note]
        self.reached = np.logical_or.reduceat(self.right, self.first[:-1])
        self.weight = 1 / np.sqrt(np.bincount(piece)[piece]) * self.reached

    def first_pass(self) -> np.ndarray:
        """The features that each option has by itself."""
        return np.concatenate([o.features for o in self.options])

    def second_pass(self, chances: list[np.ndarray]) -> np.ndarray:
        """The features of both passes, from the ``chances`` of the options of each piece as they were thought
        before.
        """
        return np.concatenate(
            [
                np.concatenate((o.features, like_features(o, like), c.features(mine)), axis=1)
                for o, like, c, mine in zip(self.options, self.like, self.company, chances, strict=True)
            ]
        )

    def chances(self, features: np.ndarray, weights: np.ndarray) -> list[np.ndarray]:
        """The probability of each option of its note, for each piece."""
        score = np.append(weights, 0.0)[features].sum(axis=1)
        return [o.chances(score[a:b]) for o, a, b in zip(self.options, self.edges[:-1], self.edges[1:], strict=True)]

    def share_right(self, chances: list[np.ndarray]) -> float:
        """Mean over the pieces of the share of notes that got their true length."""
        return float(
            np.mean(
                [
                    self.right[a + o.best(mine)].mean()
                    for a, o, mine in zip(self.edges, self.options, chances, strict=False)
                ]
            )
        )


def fit(choices: ReadingOptions, features: np.ndarray) -> np.ndarray:
    """Conditional logit by L-BFGS with a small ridge."""
    rows, columns = np.nonzero(features != NONE)
    matrix = csr_matrix((np.ones(len(rows)), (rows, features[rows, columns])), (len(features), ALL))
    first, group, weight = choices.first[:-1], choices.note, choices.weight
    right = choices.right
    total = weight.sum()

    def loss(w: np.ndarray) -> tuple[float, np.ndarray]:
        z = matrix @ w
        z = z - np.maximum.reduceat(z, first)[group]
        e = np.exp(z)
        norm = np.add.reduceat(e, first)
        p = e / norm[group] * weight[group]
        value = -(weight[group] * (z - np.log(norm)[group]))[right].sum() / total + RIDGE * (w**2).sum()
        return value, matrix.T @ (p - weight[group] * right) / total + 2 * RIDGE * w

    return minimize(loss, np.zeros(ALL), jac=True, method="L-BFGS-B", options={"maxiter": 250}).x


def main() -> None:
    """Fit both passes, report on unseen pieces, write the table."""
    pieces = json.loads(gzip.decompress(Path(sys.argv[1]).read_bytes()))
    rng = random.Random(9)
    rng.shuffle(pieces)
    for p in pieces:
        p["notes"] = p["notes"][:500]
    split = len(pieces) * 4 // 5
    known = ReadingOptions([situation_of(p, rng) for p in pieces[:split] for _ in range(PERFORMANCES)])
    unseen = ReadingOptions([situation_of(p, rng) for p in pieces[split:]])
    print("true length among the choices", known.reached.mean())
    scores = {}
    first = fit(known, known.first_pass())
    thought, theirs = known.chances(known.first_pass(), first), unseen.chances(unseen.first_pass(), first)
    scores["first"] = unseen.share_right(theirs)
    for _ in range(THOUGHTS):  # once more with what the second pass itself would choose
        both = known.second_pass(thought)
        second = fit(known, both)
        thought, theirs = known.chances(both, second), unseen.chances(unseen.second_pass(theirs), second)
    scores["second"] = unseen.share_right(unseen.chances(unseen.second_pass(theirs), second))
    print(scores)
    table = {
        "provenance": (
            "Fitted by tools/fit_values.py on performances simulated from open scores (tools/fit_corpus.py names the "
            f"folders). Share right on unseen pieces with true places and hands: {scores['second']:.3f}."
        ),
        "first": [round(float(v), 3) for v in first[:FIRST_PASS]],
        "second": [round(float(v), 3) for v in second],
    }
    Path(sys.argv[2]).write_text(json.dumps(table, separators=(",", ":")), encoding="utf-8")


if __name__ == "__main__":
    main()
