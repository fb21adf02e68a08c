"""Fits the prior of ``core/reading/hands/features.py`` and the chain of ``core/reading/hands/split_path.py`` on
performances simulated from the fitting corpus.

python tools/fit_hands.py build/fit-corpus.json.gz src/ductus/core/reading/tables/hands.json

Half of the pieces, or a third, are played as they are, the others in another texture (``hand_variants.py``): the
weights are the mean of the two, which is steadier than either (bagging, Breiman 1996, from memory). The prior is a
logistic regression with a small ridge. The chain is a conditional random field whose states are only partly known
(any boundary between the hands' notes is right): the likelihood of all right ways is made as large as possible, with
a ridge. Whole sources are left out of the fit and judged.
"""

from __future__ import annotations

import gzip
import json
import random
import sys
import zlib
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from scipy.optimize import minimize

from ductus.core.reading.hands.features import FEATURES, hand_features
from ductus.core.reading.hands.split_path import (
    BOUNDARIES,
    PAIRS,
    RUNS,
    UNARY,
    Struck,
    cut_by_boundary,
    hurry,
    struck,
    unaries,
)
from fit_corpus import Piece
from hand_variants import ANY, DANCES, Variant, varied
from simulated_player import SKILLS, choose_pace, play, steady_clock

RIDGE, CHAIN_RIDGE = 1e-4, 1e-3
MOST_NOTES, MOST_PIECES = 200, 520
BATCH = 32
REACH, LINES = UNARY - 2, UNARY - 2 - RUNS
# At most: quartets on two staves stretch further than hands do, and hand a quick line on wherever they like, so these
# are not left to them.
CEILINGS = {REACH: -1.8, REACH + 1: -1.2, **{LINES + k: most for k, most in enumerate((-3.0, -2.2, -1.0, -1.0, -1.0))}}
ROUNDS = 60
MIXTURES = (((1, 2), ANY), ((2, 3), DANCES))


@dataclass(frozen=True)
class Case:
    """A simulated performance, in chords, and who played each note."""

    name: str
    on: np.ndarray
    off: np.ndarray
    pitch: np.ndarray
    chord: np.ndarray
    right: np.ndarray


def performed(piece: dict[str, Any], rng: random.Random) -> Case:
    """One simulated performance of the first notes of a piece."""
    piece = {**piece, "notes": piece["notes"][:MOST_NOTES]}
    rows = play(piece, steady_clock(choose_pace(piece, rng), 1.0), rng.choice(list(SKILLS)), rng)
    ticks = [piece["notes"][r[4]][0] for r in rows]
    number = {t: k for k, t in enumerate(sorted(set(ticks)))}
    order = sorted(range(len(rows)), key=lambda i: (number[ticks[i]], rows[i][0]))
    rows = [rows[i] for i in order]
    chord = np.array([number[piece["notes"][r[4]][0]] for r in rows])
    right = np.array([piece["notes"][r[4]][5] == 1 for r in rows])
    on, off, pitch = (np.array([r[k] for r in rows]) for k in range(3))
    return Case(piece["name"], np.maximum.accumulate(on), off, pitch, chord, right)


def left_out(name: str) -> bool:
    """Whether a piece is kept for judging: a fifth of the sources, by name."""
    return zlib.crc32(name.split("#")[0].split("~")[0].encode()) % 5 == 0


def allowed(case: Case, notes: Struck) -> np.ndarray:
    """The boundaries that set the fewest notes of each chord on the wrong side, shape (chords, boundaries)."""
    wrong = np.zeros((len(notes), len(BOUNDARIES)))
    for c in range(len(notes)):
        part = slice(notes.first[c], notes.first[c + 1])
        wrong[c] = ((notes.pitch[part, None] < BOUNDARIES) == case.right[part, None]).sum(0)
    return wrong == wrong.min(1, keepdims=True)


@dataclass
class Chunk:
    """Some cases, padded to one length, with all that the chain sees."""

    unary: np.ndarray  # (cases, chords, boundaries, UNARY)
    hurry: np.ndarray  # (cases, chords): how little time has passed
    right: np.ndarray  # (cases, chords, boundaries)
    there: np.ndarray  # (cases, chords)
    weight: np.ndarray  # (cases,)


def chunk_of(cases: list[tuple[Case, np.ndarray]]) -> Chunk:
    """Work out what the chain sees, once."""
    made = [struck(c.on, c.off, c.pitch, c.chord, logit) for c, logit in cases]
    most = max(len(s) for s in made)
    shape = (len(made), most, len(BOUNDARIES))
    out = Chunk(
        np.zeros((*shape, UNARY), np.float32),
        np.zeros(shape[:2]),
        np.zeros(shape, bool),
        np.zeros(shape[:2], bool),
        np.array([1 / np.sqrt(len(s)) for s in made]),
    )
    for n, ((case, _), s) in enumerate(zip(cases, made, strict=True)):
        out.unary[n, : len(s)] = unaries(s, 0, len(s))
        for c in range(1, len(s)):
            out.hurry[n, c] = hurry(s, c)
        out.right[n, : len(s)] = allowed(case, s)
        out.there[n, : len(s)] = True
    return out


def chain_loss(chunk: Chunk, weights: np.ndarray) -> tuple[float, np.ndarray]:
    """-ln(chance of the right ways) over the cases, weighed, and its gradient."""
    w, pair = weights[:UNARY].astype(np.float32), weights[UNARY:]
    seen = chunk.unary.reshape(-1, UNARY)
    score = (seen @ w).reshape(chunk.right.shape)
    score -= score.max(2, keepdims=True)
    likely = np.exp(score)
    gradient = np.zeros(len(weights))
    moves = Steps(chunk, pair)
    all_ways, one, two = expected(chunk, likely, moves)
    right_ways, right_one, right_two = expected(chunk, likely * chunk.right, moves)
    mass = (one - right_one) * chunk.weight[:, None, None]
    gradient[:UNARY] = mass.reshape(-1).astype(np.float32) @ seen
    gradient[UNARY:] = -(chunk.weight @ (two - right_two))
    return float(chunk.weight @ (all_ways - right_ways)), gradient


APART = np.abs(np.arange(len(BOUNDARIES))[:, None] - np.arange(len(BOUNDARIES))[None, :])


class Steps:
    """How likely each move of the boundary is before each chord.

    It depends on how far it goes and on the time that has passed.
    """

    def __init__(self, chunk: Chunk, pair: np.ndarray) -> None:
        far = np.arange(len(BOUNDARIES)) / 12
        cost = far * (pair[0] + pair[1] * chunk.hurry[:, :, None]) + pair[2] * (far > 0)
        odds = np.exp(-cost).astype(np.float32).transpose(1, 0, 2)
        self.odds = np.take(odds, APART, axis=2)  # (chords, cases, from, to)
        self.weighed = np.take(odds * far.astype(np.float32), APART, axis=2)


def expected(chunk: Chunk, likely: np.ndarray, moves: Steps) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(ln of the sum over all ways, chance of each boundary, expected moves by feature) for each case."""
    n, most, states = likely.shape
    likely = np.where(chunk.there[:, :, None], likely, np.float32(1.0)).astype(np.float32)
    forward = np.zeros((n, most, states), np.float32)
    scale = np.zeros((n, most))
    for c in range(most):
        here = likely[:, 0] if c == 0 else np.einsum("ni,nij->nj", forward[:, c - 1], moves.odds[c]) * likely[:, c]
        if c:
            here = np.where(chunk.there[:, c, None], here, forward[:, c - 1])
        total = here.sum(1)
        scale[:, c] = np.where(chunk.there[:, c], np.log(total), 0.0)
        forward[:, c] = here / total[:, None]
    one = np.zeros((n, most, states), np.float32)
    two = np.zeros((n, PAIRS))
    backward = np.ones((n, states), np.float32)
    for c in range(most - 1, -1, -1):
        both = forward[:, c] * backward
        one[:, c] = both / both.sum(1, keepdims=True) * chunk.there[:, c, None]
        if c:
            there = chunk.there[:, c]
            ahead = likely[:, c] * backward
            before = np.einsum("nij,nj->ni", moves.odds[c], ahead)
            mass = np.maximum((forward[:, c - 1] * before).sum(1), 1e-30)
            far = (forward[:, c - 1] * np.einsum("nij,nj->ni", moves.weighed[c], ahead)).sum(1) / mass
            stays = (forward[:, c - 1] * ahead).sum(1) / mass
            two[:, 0] += there * far
            two[:, 1] += there * far * chunk.hurry[:, c]
            two[:, 2] += there * (1 - stays)
            backward = np.where(there[:, None], before / before.max(1, keepdims=True), backward)
    return scale.sum(1), one, two


CHUNKS: list[Chunk] = []


def build_chunks(packed: list[list[tuple[Case, np.ndarray]]]) -> int:
    """In a worker: keep its own share of the cases."""
    CHUNKS.extend(chunk_of(c) for c in packed)
    return len(CHUNKS)


def loss_of_chunks(weights: np.ndarray) -> tuple[float, np.ndarray]:
    """In a worker: the loss over its share."""
    found = [chain_loss(c, weights) for c in CHUNKS]
    return sum(f[0] for f in found), np.sum([f[1] for f in found], axis=0)


def fit_prior(cases: list[Case]) -> np.ndarray:
    """The logistic regression over single notes."""
    x = np.concatenate([hand_features(c.on, c.off, c.pitch) for c in cases])
    y = np.concatenate([c.right for c in cases])
    weight = np.concatenate([np.full(len(c.on), 1 / np.sqrt(len(c.on))) for c in cases])

    def loss(w: np.ndarray) -> tuple[float, np.ndarray]:
        z = x @ w
        p = 1 / (1 + np.exp(-z))
        value = (weight * (np.logaddexp(0, z) - y * z)).sum() / weight.sum() + RIDGE * (w**2).sum()
        return value, x.T @ (weight * (p - y)) / weight.sum() + 2 * RIDGE * w

    return np.asarray(minimize(loss, np.zeros(FEATURES), jac=True, method="L-BFGS-B").x)


def fit_chain(cases: list[tuple[Case, np.ndarray]]) -> np.ndarray:
    """Weights of the chain; two workers hold a half of the cases each."""
    cases = sorted(cases, key=lambda c: len(c[0].on))
    packed = [cases[k : k + BATCH] for k in range(0, len(cases), BATCH)]
    pools = [ProcessPoolExecutor(1) for _ in range(2)]
    for job in [pool.submit(build_chunks, packed[k::2]) for k, pool in enumerate(pools)]:
        job.result()
    total = sum(1 / np.sqrt(len(set(c.chord.tolist()))) * len(set(c.chord.tolist())) for c, _ in cases)
    count = 0

    def loss(w: np.ndarray) -> tuple[float, np.ndarray]:
        nonlocal count
        found = [job.result() for job in [pool.submit(loss_of_chunks, w) for pool in pools]]
        value = sum(f[0] for f in found) / total + CHAIN_RIDGE * float((w**2).sum())
        count += 1
        if count % 5 == 0:
            print(count, round(value, 5), flush=True)
        return value, np.sum([f[1] for f in found], axis=0) / total + 2 * CHAIN_RIDGE * w

    start = np.zeros(UNARY + PAIRS)
    start[UNARY:] = (1.5, 0.5, 2.5)
    start[list(CEILINGS)] = list(CEILINGS.values())
    bounds: list[tuple[float | None, float | None]] = [(None, None)] * UNARY + [(0.0, None)] * PAIRS
    for k, most in CEILINGS.items():
        bounds[k] = (None, most)
    found = minimize(
        loss, start, jac=True, method="L-BFGS-B", bounds=bounds, options={"maxiter": ROUNDS, "ftol": 1e-5}
    ).x
    for pool in pools:
        pool.shutdown()
    return np.asarray(found)


def kind_of(name: str) -> str:
    """Chorales, quartets, tunes, or the texture made of them."""
    if "~" in name:
        return name.split("~")[1].split("+")[-1]
    return "chorales" if "bach" in name else "quartets" if "/" in name else "tunes"


def made_of(pieces: list[Piece], varied_of: tuple[int, int], variants: tuple[Variant, ...]) -> list[Case]:
    """Performances of the pieces: ``varied_of`` (so many of so many) in another texture, the rest as they are; and
    half of the larger ones once more.
    """
    rng = random.Random(4)
    rng.shuffle(pieces := list(pieces))
    tunes = [p for p in pieces if "/" not in p["name"]]
    others = [p for p in pieces if "/" in p["name"]]
    pieces = [*others, *tunes[: max(MOST_PIECES - len(others), 150)]]
    made = [varied(p, rng, variants) if k % varied_of[1] < varied_of[0] else p for k, p in enumerate(pieces)]
    made += [varied(p, rng, variants) for p in rng.sample(others, len(others) // 2)]
    return [performed(p, rng) for p in made if len(p["notes"]) >= 40]


def with_logits(cases: list[Case], prior: np.ndarray) -> list[tuple[Case, np.ndarray]]:
    """The cases, and what the prior says of each note."""
    return [(c, hand_features(c.on, c.off, c.pitch) @ prior) for c in cases]


def main() -> None:
    """Fit both on each mixture of textures, take the mean, judge it by what was left out, and write the table."""
    pieces = json.loads(gzip.decompress(Path(sys.argv[1]).read_bytes()))
    priors, chains, judged = [], [], []
    for varied_of, variants in MIXTURES:
        data = made_of(pieces, varied_of, variants)
        known, left = [d for d in data if not left_out(d.name)], [d for d in data if left_out(d.name)]
        judged += left
        print(len(known), "to fit on,", len(left), "to judge by", flush=True)
        priors.append(fit_prior(known))
        chains.append(fit_chain(with_logits(known, priors[-1])))
    prior, weights = np.mean(priors, axis=0), np.mean(chains, axis=0)
    unary, pair = weights[:UNARY], weights[UNARY:]
    right: dict[str, list[int]] = {}
    for case, logit in with_logits(judged, prior):
        hand, _ = cut_by_boundary(struck(case.on, case.off, case.pitch, case.chord, logit), unary, pair, {})
        own = right.setdefault(kind_of(case.name), [0, 0, 0])
        own[0] += int(((hand == 1) == case.right).sum())
        own[1] += int(((logit > 0) == case.right).sum())
        own[2] += len(hand)
    for kind, (good, alone, notes) in sorted(right.items()):
        print(f"{kind:<14} {1 - good / notes:.3f} wrong ({1 - alone / notes:.3f} by the prior alone) of {notes}")
    share = sum(r[0] for r in right.values()) / sum(r[2] for r in right.values())
    table = {
        "provenance": (
            "Fitted by tools/fit_hands.py on performances simulated from open scores (tools/fit_corpus.py names the "
            "folders) and on textures made of them "
        )
        + f"(tools/hand_variants.py); share right on sources left out: {share:.3f}.",
        "prior": [round(float(v), 4) for v in prior],
        "unary": [round(float(v), 4) for v in unary],
        "pair": [round(float(v), 4) for v in pair],
    }
    Path(sys.argv[2]).write_text(json.dumps(table, indent=1), encoding="utf-8")


if __name__ == "__main__":
    main()
