"""Fits the weights by which bars of free playing are chosen (``core/reading/relabel.py``), and prints what they reach on pieces left out.

    python tools/fit_bars.py build/fit-corpus.json.gz [--write] [--pieces 300] [--jobs 2]

Scores: a spread of the pieces of tools/fit_corpus.py, each played freely by tools/simulated_player.py as it is and in textures of a keyboard; every third piece
is left out of the fit. A candidate is right when its bar is as long as the score's, of the same family, and most chords stand at their place in the bar.
Loudness is drawn without metrical accents in half of the cases, so that the weights do not lean on the simulator's own accents.
"""

from __future__ import annotations

import argparse
import gzip
import json
import math
import random
import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
from scipy.optimize import minimize

ROOT = Path(__file__).parent.parent
sys.path[:0] = [str(ROOT), str(ROOT / "tools")]

from bench.reading import Case

from ductus.core.performance.takes import Take
from ductus.core.reading.chords import cluster, salience, spread_joined
from ductus.core.reading.divisions import COMPOUND, Floats
from ductus.core.reading.free import beam_tracks, classes_of, frames_for, priors
from ductus.core.reading.relabel import FEATURES, features_of, siblings, told_apart
from ductus.core.reading.settings import ReadSettings
from ductus.core.time.meters import parse_meter
from ductus.core.time.ticks import QUARTER
from fit_corpus import UNIT
from hand_variants import RHYTHMS, varied

OUT = ROOT / "src" / "ductus" / "core" / "reading" / "tables" / "bars.json"
KINDS = (
    "beethoven",
    "haydn",
    "schumann",
    "mozart",
    "bach",
    "",
)  # of pieces, by the beginnings of their names; the last are tunes
RIDGE = 0.001
TEXTURES = 2  # each piece is played as it is, and as often in textures of a keyboard
MOST_NOTES = 500
PACES = (-0.3, 0.3)  # ln of how much slower a take is than the player's middling pace
Group = tuple[str, np.ndarray, np.ndarray]  # name, features of the candidates, which are right


def chosen(pieces: list[dict[str, Any]], count: int) -> list[dict[str, Any]]:
    """A spread of pieces: as many of concert music as there are, up to half; the others are tunes."""
    rng = random.Random(5)
    kinds: list[list[dict[str, Any]]] = [[] for _ in KINDS]
    for piece in pieces:
        kinds[next(k for k, kind in enumerate(KINDS) if piece["name"].startswith(kind))].append(piece)
    for kind in kinds:
        rng.shuffle(kind)
    concert = [p for kind in kinds[:-1] for p in kind[: count // 6]]
    return [*concert, *kinds[-1][: count - len(concert)]]


def examine(piece: dict[str, Any]) -> list[Group]:
    """The candidates of a piece, played as it is and in other textures."""
    rng = random.Random(piece["name"])
    out: list[Group] = []
    for kind in [piece, *(varied(piece, rng, RHYTHMS) for _ in range(TEXTURES))]:
        cut = {**kind, "notes": sorted(kind["notes"])[:MOST_NOTES]}
        group = examine_case(Case(cut, rng.choice(("ordinary", "rough")), 7, True))
        if group is not None:
            out.append(group)
    return out


def examine_case(case: Case) -> Group | None:
    """Features and truth of one performance."""
    take, index, _, _ = case.perform()
    rng = random.Random(case.piece["name"] + case.skill)
    if rng.random() < 0.5:
        take = Take(tuple(replace(n, velocity=min(max(70 + round(rng.gauss(0, 6)), 1), 127)) for n in take.notes))
    take = at_pace(take, math.exp(rng.uniform(*PACES)))
    onset = np.array([n.onset_us for n in take.notes], float) / 1e6
    release = np.array([n.release_us for n in take.notes], float) / 1e6
    key = np.array([n.key for n in take.notes], np.int64)
    velocity = np.array([n.velocity for n in take.notes], np.int64)
    chords = spread_joined(cluster(onset, release, key, velocity), onset, release, key, velocity)
    if len(chords.time) < 12:
        return None
    settings, weight = ReadSettings(), salience(chords)
    tracks = beam_tracks(chords, weight, settings)
    found = siblings(tracks, frames_for(settings), chords.time)
    features = features_of(found, tracks, chords, weight, classes_of(chords, key), priors())
    meter = parse_meter(case.piece["meter"])
    bar = meter.bar_ticks * UNIT // QUARTER
    true = np.array([(case.piece["notes"][index[int(n)]][0] - case.piece["pickup"]) % bar for n in chords.first[:-1]])
    right = np.zeros(len(found), bool)
    for k, candidate in enumerate(found):
        frame = candidate.track.frame
        length = frame.beats * frame.beat_ticks * UNIT // QUARTER
        if length != bar or (frame.family == COMPOUND) != meter.compound:
            continue
        at = (candidate.track.place % frame.beats) * frame.beat_ticks / QUARTER * UNIT
        off = np.abs((at - true + bar / 2) % bar - bar / 2)
        right[k] = bool((off < UNIT / 8).mean() > 0.6)
    return (f"{case.piece['name']}/{case.skill}", features, right)


def at_pace(take: Take, by: float) -> Take:
    """The take so many times as slow: the player's own paces are middling ones, and people's are not."""
    return Take(
        tuple(replace(n, onset_us=round(n.onset_us * by), release_us=round(n.release_us * by)) for n in take.notes)
    )


@dataclass(frozen=True, slots=True)
class Fit:
    """Middle and deviation of the features, and the weights."""

    middle: Floats
    deviation: Floats
    weight: Floats

    def scores(self, rows: Floats) -> Floats:
        """The candidates of a group, weighed."""
        out: Floats = told_apart(rows, self.middle, self.deviation) @ self.weight
        return out


def fit(groups: list[Group]) -> Fit:
    """A conditional logit: the right candidates of each group against all, with a ridge."""
    rows = np.concatenate([g[1] for g in groups])
    middle, deviation = rows.mean(0), rows.std(0) + 1e-9
    made = [(told_apart(g[1], middle, deviation), g[2]) for g in groups]
    scale = np.concatenate([x for x, _ in made]).std(0) + 1e-9

    def loss(w: Floats) -> tuple[float, Floats]:
        value, slope = 0.0, np.zeros_like(w)
        for x, right in made:
            z = (x / scale) @ w
            p = np.exp(z - z.max())
            p /= p.sum()
            q = np.where(right, p, 0)
            value -= float(np.log(q.sum() + 1e-300))
            slope -= (q / (q.sum() + 1e-300) - p) @ (x / scale)
        return value / len(made) + RIDGE / 2 * float(w @ w), slope / len(made) + RIDGE * w

    w = minimize(loss, np.zeros(len(scale)), jac=True, method="L-BFGS-B").x
    return Fit(middle, deviation, w / scale)


def score_of(group: Group) -> str:
    """The score, whatever its texture and player."""
    return group[0].rpartition("/")[0].partition("~")[0]


def reached(groups: list[Group], scores: Callable[[Floats], Floats]) -> tuple[float, float]:
    """Right first, and right among the first three of different kinds (by score alone)."""
    first = three = 0
    for _, x, right in groups:
        order = np.argsort(-scores(x))
        first += bool(right[order[0]])
        three += bool(right[order[:3]].any())
    return round(first / len(groups), 3), round(three / len(groups), 3)


def main() -> None:
    """Fit, report, and with --write keep the weights."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("corpus", type=Path)
    options.add_argument("--write", action="store_true")
    options.add_argument("--pieces", type=int, default=300)
    options.add_argument("--jobs", type=int, default=2)
    args = options.parse_args()
    jobs = chosen(json.loads(gzip.decompress(args.corpus.read_bytes())), args.pieces)
    with ProcessPoolExecutor(args.jobs) as pool:
        all_groups = [g for groups in pool.map(examine, jobs, chunksize=1) for g in groups]
    hopeless = [g for g in all_groups if not g[2].any()]
    groups = [g for g in all_groups if g[2].any()]
    names = sorted({score_of(g) for g in groups})
    left_out = set(names[::3])
    train = [g for g in groups if score_of(g) not in left_out]
    test = [g for g in groups if score_of(g) in left_out]
    beam = np.zeros(len(FEATURES))
    beam[FEATURES.index("beam")], beam[FEATURES.index("identity")] = 1.0, 1.0
    fitted = fit(train)
    print(f"{len(all_groups)} performances, right one among the candidates in {len(groups)} ({len(hopeless)} without)")
    for words, scores in (("beam alone", lambda rows: rows @ beam), ("fitted", fitted.scores)):
        print(f"{words}: left out {reached(test, scores)}, fitted on {reached(train, scores)}")
    plain, square, among = np.split(fitted.weight, 3)
    for name, *values in zip(FEATURES, plain, square, among, strict=True):
        print(f"  {name:<16}" + "".join(f"{v:8.2f}" for v in values))
    if args.write:
        whole = fit(groups)
        plain, square, among = np.split(whole.weight, 3)
        columns = {
            "middle": whole.middle, "deviation": whole.deviation, "plain": plain, "square": square, "among": among
        }  # fmt: skip
        row = {
            "about": "Weights of the choice among labellings of free playing; tools/fit_bars.py.",
            "scores": "build/fit-corpus.json.gz (tools/fit_corpus.py names its folders)", "performances": len(groups),
            "left_out_first": reached(test, fitted.scores)[0], "left_out_three": reached(test, fitted.scores)[1],
            "features": list(FEATURES), **{name: [round(float(v), 4) for v in c] for name, c in columns.items()},
        }  # fmt: skip
        OUT.write_text(json.dumps(row, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
