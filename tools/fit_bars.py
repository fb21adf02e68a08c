"""Fits the weights by which bars of free playing are chosen (``core/reading/relabel.py``), and prints what they reach on pieces left out.

    python tools/fit_bars.py build/fit-corpus.json.gz [--write] [--pieces 900] [--jobs 2]

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
from ductus.core.reading.bar_evidence import MEASURED, PACES_S, beat_s, out_of_pace, usual_pace
from ductus.core.reading.divisions import COMPOUND, Floats
from ductus.core.reading.free import FOLLOWED, beam_tracks, frames_for, heard, priors
from ductus.core.reading.relabel import (
    PERIODS_S,
    SLOWEST_S,
    SOURCE,
    Candidate,
    behind,
    features_of,
    siblings,
    told_apart,
)
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
RIDGE = 0.01
TEXTURES = 2  # each piece is played as it is, and as often in textures of a keyboard
MOST_NOTES = 500
PACES = (-0.3, 0.3)  # ln of how much slower a take is than the player's middling pace


@dataclass(frozen=True, slots=True)
class Group:
    """The candidates of one performance: what is measured of them, how the beam's doubt tells against them, and which are right."""

    name: str
    rows: Floats
    doubt: Floats
    right: np.ndarray


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
    known = heard(take)
    chords = known.chords
    if len(chords.time) < 12:
        return None
    settings = ReadSettings()
    tracks = beam_tracks(chords, known.weight, settings)[:FOLLOWED]
    found = siblings(tracks, frames_for(settings), chords.time)
    features = features_of(found, tracks, known, priors())
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
    group = Group(f"{case.piece['name']}/{case.skill}", features, SOURCE * behind(found, tracks), right)
    return at_another_pace(group, found, chords.time, case.piece["meter"])


def at_another_pace(group: Group, found: list[Candidate], time: Floats, meter: str) -> Group | None:
    """The group as if the take had gone at any usual pace, so that the weights lean on none of the simulator's: the right beat (in 2/2 the half note) is drawn
    between presto and largo, and what is measured of paces is that of the pace drawn. Labellings that would be out of reach then are left out; None if no
    right one is left."""
    if not group.right.any():
        return None
    drawn = random.Random(group.name).uniform(*(-math.log(s) for s in reversed(PACES_S)))
    by = (
        -drawn - (math.log(2) if meter == "2/2" else 0) - math.log(beat_s(found[int(group.right.argmax())].track, time))
    )
    pace = [(math.log(beat_s(c.track, time)) + by, c.track.frame.family) for c in found]
    near = np.array([PERIODS_S[f][0] <= math.exp(p) <= SLOWEST_S for p, f in pace])
    if not (near & group.right).any():
        return None
    rows = group.rows.copy()
    rows[:, MEASURED.index("tempo")] = [usual_pace(*p) for p in pace]
    rows[:, MEASURED.index("out of pace")] = [out_of_pace(p) for p, _ in pace]
    return Group(group.name, rows[near], group.doubt[near], group.right[near])


def at_pace(take: Take, by: float) -> Take:
    """The take so many times as slow: the player's own paces are middling ones, and people's are not."""
    return Take(
        tuple(replace(n, onset_us=round(n.onset_us * by), release_us=round(n.release_us * by)) for n in take.notes)
    )


@dataclass(frozen=True, slots=True)
class Fit:
    """Middle and deviation of what is measured, and the weights."""

    middle: Floats
    deviation: Floats
    weight: Floats

    def scores(self, group: Group) -> Floats:
        """The candidates of a group, weighed."""
        out: Floats = told_apart(group.rows, self.middle, self.deviation) @ self.weight + group.doubt
        return out


def fit(groups: list[Group]) -> Fit:
    """A conditional logit: the right candidates of each group against all, with a ridge."""
    count = len(MEASURED)
    rows = np.concatenate([g.rows[:, :count] for g in groups])
    middle, deviation = rows.mean(0), rows.std(0) + 1e-9
    made = np.concatenate([told_apart(g.rows, middle, deviation).astype(np.float32) for g in groups])
    scale = made.std(0) + np.float32(1e-9)
    made /= scale
    size = np.array([len(g.right) for g in groups])
    first, owner = np.concatenate([[0], np.cumsum(size)[:-1]]), np.repeat(np.arange(len(groups)), size)
    right = np.concatenate([g.right for g in groups]).astype(np.float32)
    doubt = np.concatenate([g.doubt for g in groups]).astype(np.float32)

    def loss(w: Floats) -> tuple[float, Floats]:
        z = made @ w.astype(np.float32) + doubt
        e = np.exp(z - np.maximum.reduceat(z, first)[owner])
        whole, good = np.add.reduceat(e, first), np.add.reduceat(e * right, first) + np.float32(1e-30)
        value = float((np.log(whole) - np.log(good)).sum()) / len(groups)
        slope = made.T @ (e / whole[owner] - e * right / good[owner]) / len(groups)
        return value + RIDGE / 2 * float(w @ w), slope + RIDGE * w

    w = minimize(loss, np.zeros(len(scale)), jac=True, method="L-BFGS-B", options={"maxiter": 300}).x
    return Fit(middle, deviation, w / scale)


def score_of(group: Group) -> str:
    """The score, whatever its texture and player."""
    return group.name.rpartition("/")[0].partition("~")[0]


def reached(groups: list[Group], scores: Callable[[Group], Floats]) -> tuple[float, float]:
    """Right first, and right among the first three of different kinds (by score alone)."""
    first = three = 0
    for group in groups:
        order = np.argsort(-scores(group))
        first += bool(group.right[order[0]])
        three += bool(group.right[order[:3]].any())
    return round(first / len(groups), 3), round(three / len(groups), 3)


def columns(fitted: Fit) -> dict[str, Floats]:
    """The weights by what they act on (see ``told_apart``)."""
    count = len(MEASURED)
    plain, square, among, slots = np.split(fitted.weight, [count, 2 * count, 3 * count])
    return {"plain": plain, "square": square, "among": among, "slots": slots}


def main() -> None:
    """Fit, report, and with --write keep the weights."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("corpus", type=Path)
    options.add_argument("--write", action="store_true")
    options.add_argument("--pieces", type=int, default=900)
    options.add_argument("--jobs", type=int, default=2)
    args = options.parse_args()
    jobs = chosen(json.loads(gzip.decompress(args.corpus.read_bytes())), args.pieces)
    with ProcessPoolExecutor(args.jobs) as pool:
        groups = [g for found in pool.map(examine, jobs, chunksize=1) for g in found]
    names = sorted({score_of(g) for g in groups})
    left_out = set(names[::3])
    train = [g for g in groups if score_of(g) not in left_out]
    test = [g for g in groups if score_of(g) in left_out]
    fitted = fit(train)
    print(f"{len(groups)} performances that have a right one among their candidates")
    own = MEASURED.index("identity")
    for words, scores in (("beam alone", lambda g: g.rows[:, own] + g.doubt), ("fitted", fitted.scores)):
        print(f"{words}: left out {reached(test, scores)}, fitted on {reached(train, scores)}")
    if args.write:
        write(fit(groups), len(groups), reached(test, fitted.scores))


def write(whole: Fit, performances: int, left_out: tuple[float, float]) -> None:
    """Keep the weights."""
    parts = {"middle": whole.middle, "deviation": whole.deviation, **columns(whole)}
    row = {
        "about": "Weights of the choice among labellings of free playing; tools/fit_bars.py.",
        "scores": "build/fit-corpus.json.gz (tools/fit_corpus.py names its folders)", "performances": performances,
        "left_out_first": left_out[0], "left_out_three": left_out[1],
        "features": list(MEASURED), **{name: [round(float(v), 4) for v in c] for name, c in parts.items()},
    }  # fmt: skip
    OUT.write_text(json.dumps(row, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
