"""Fits the weights by which bars of free playing are chosen (``core/reading/beat_tracking/meter_candidates.py``),
and prints what they reach on pieces left out.

python tools/fit_bars.py build/fit-corpus.json.gz [--write] [--pieces 900] [--jobs 2]    (some forty minutes)

Scores: the beginnings of a spread of the pieces of tools/fit_corpus.py, each played freely by
tools/simulated_player.py as it is and in textures of a keyboard; concert music is rare among them and hard, so it is
also played from where it was cut, stretch by stretch. Every third piece is left out of the fit. A candidate is right
when its bar is as long as the score's, of the same family, most chords stand at their place in the bar, and its beat
is of a usual pace (what is faster than presto would be written in longer beats). Performances count so that the
meters have the shares of ``METER_PRIOR``. Loudness is drawn without metrical accents in half of the cases, so that
the weights do not lean on the simulator's own accents.
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

from ductus.core.capture.takes import Take
from ductus.core.reading.beat_tracking.bar_features import ALL_SLOTS, BARS, DIVISIONS, PACES_S, beat_s, out_of_pace
from ductus.core.reading.beat_tracking.meter_candidates import (
    MEASURES,
    PARTS,
    SOURCE,
    behind,
    features_of,
    siblings,
    told_apart,
)
from ductus.core.reading.beat_tracking.tracker import FOLLOWED, METER_PRIOR, beam_tracks, frames_for, heard, priors
from ductus.core.reading.model import ReadSettings
from ductus.core.reading.quantization.subdivisions import COMPOUND, Floats
from ductus.core.time.meters import parse_meter
from ductus.core.time.ticks import QUARTER
from fit_corpus import UNIT, split_chorales
from hand_variants import RHYTHMS, varied
from simulated_player import fast_gap, felt_beat

OUT = ROOT / "src" / "ductus" / "core" / "reading" / "tables" / "bars.json"
KINDS = (
    "beethoven",
    "haydn",
    "schumann",
    "mozart",
    "bach",
    "",
)  # of pieces, by the beginnings of their names; the last are tunes
RIDGE = 0.003
MOST_NOTES, STRETCH, LEAST_STRETCH = 380, 330, 120  # notes of a beginning, and of a stretch of concert music further on
LEAST_LEFT = 150  # notes from where a stretch may begin to the end
TEXTURES = 2  # each beginning is played as it is, and as often in textures of a keyboard
CONCERT_WEIGHT = 2.0  # how much more a performance of concert music counts than one of a tune
FASTEST_S = (0.09, 0.115)  # usual gaps of the fastest common notes in a hand: nine to eleven a second (common practice)
IN_HALVES = 0.6  # of pieces in 2/2, the share whose felt beat is the half note
STRETCHED = 0.03  # by how much (ln) a right beat may be out of all usual paces: players slow down


@dataclass(frozen=True, slots=True)
class Group:
    """The candidates of one performance: what is measured of them, how the beam's doubt tells against them, and
    which are right. ``meter``: 2/2 counts as 4/4.
    """

    name: str
    meter: str
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


def is_concert(name: str) -> bool:
    """Is this the name of concert music? All other pieces are tunes."""
    return name.startswith(KINDS[:-1])


def stretches(piece: dict[str, Any]) -> list[dict[str, Any]]:
    """What follows in a piece after its beginning, in stretches that begin at bar lines (or with a pick-up, where
    the piece does).
    """
    meter, pickup = parse_meter(piece["meter"]), piece["pickup"]
    bar = meter.bar_ticks * UNIT // QUARTER
    notes, out = sorted(piece["notes"]), []
    for first in range(STRETCH, len(notes) - LEAST_LEFT, STRETCH):
        start = -(-(notes[first][0] - pickup) // bar) * bar
        found = [[n[0] - start, *n[1:]] for n in notes if n[0] >= start][:STRETCH]
        if len({n[5] for n in found}) == 2 and len(found) > LEAST_STRETCH:
            out.append({**piece, "name": f"{piece['name']}@{first}", "notes": found})
    return out


def performances(pieces: list[dict[str, Any]], count: int) -> list[tuple[dict[str, Any], int]]:
    """What is played, each with the number of its texture (0.

    As it is): a spread of the pieces, and the chorales that are not among them.
    """
    more = split_chorales(pieces)
    concert = [p for p in [*pieces, *more] if is_concert(p["name"])]
    out = [(p, k) for p in [*chosen(pieces, count), *more] for k in range(TEXTURES + 1)]
    out += [(s, k) for p in concert for s in stretches(p) for k in (0, 1)]
    return [*out, *((p, TEXTURES + 1) for p in concert)]


def any_pace(piece: dict[str, Any], rng: random.Random) -> float:
    """Seconds to the quarter: a felt beat of any pace between presto and largo, slower where fingers could not
    follow.
    """
    beat_s = math.exp(rng.uniform(*(math.log(s) for s in PACES_S)))
    halves = piece["meter"] == "2/2" and rng.random() < IN_HALVES
    quarter_s = beat_s * UNIT / (2 * UNIT if halves else felt_beat(piece["meter"]))
    return max(quarter_s, rng.uniform(*FASTEST_S) / fast_gap(piece, 20))


def examine(job: tuple[dict[str, Any], int]) -> Group | None:
    """Features and truth of one performance of a piece in a texture."""
    piece, texture = job
    rng = random.Random(f"{piece['name']}:{texture}")
    kind = piece if texture == 0 else varied(piece, rng, RHYTHMS)
    cut = {**kind, "notes": sorted(kind["notes"])[:MOST_NOTES]}
    case = Case(cut, rng.choice(("steady", "ordinary", "rough")), 7 + texture, True)
    take, index, _, _ = case.perform(any_pace)
    touch = random.Random(cut["name"] + case.skill)
    if touch.random() < 0.5:
        take = Take(tuple(replace(n, velocity=min(max(70 + round(touch.gauss(0, 6)), 1), 127)) for n in take.notes))
    known = heard(take)
    chords = known.chords
    if len(chords.time) < 12:
        return None
    settings = ReadSettings()
    tracks = beam_tracks(chords, known.weight, settings)[:FOLLOWED]
    found = siblings(tracks, frames_for(settings), chords.time)
    meter = parse_meter(cut["meter"])
    bar = meter.bar_ticks * UNIT // QUARTER
    true = np.array([(cut["notes"][index[int(n)]][0] - cut["pickup"]) % bar for n in chords.first[:-1]])
    right = np.zeros(len(found), bool)
    for k, candidate in enumerate(found):
        frame = candidate.track.frame
        length = frame.beats * frame.beat_ticks * UNIT // QUARTER
        if length != bar or (frame.family == COMPOUND) != meter.compound:
            continue
        at = (candidate.track.place % frame.beats) * frame.beat_ticks / QUARTER * UNIT
        off = np.abs((at - true + bar / 2) % bar - bar / 2)
        pace = out_of_pace(math.log(beat_s(candidate.track, chords.time)))
        right[k] = bool((off < UNIT / 8).mean() > 0.6) and pace <= STRETCHED
    if not right.any():
        return None
    rows = features_of(found, tracks, known, priors())
    return Group(cut["name"], cut["meter"].replace("2/2", "4/4"), rows, SOURCE * behind(found, tracks), right)


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
    count = len(MEASURES)
    rows = np.concatenate([g.rows[:, :count] for g in groups])
    middle, deviation = rows.mean(0), rows.std(0) + 1e-9
    made = np.concatenate([told_apart(g.rows, middle, deviation).astype(np.float32) for g in groups])
    scale = np.maximum(made.std(0), np.float32(1e-3))
    made /= scale
    size = np.array([len(g.right) for g in groups])
    first, owner = np.concatenate([[0], np.cumsum(size)[:-1]]), np.repeat(np.arange(len(groups)), size)
    right = np.concatenate([g.right for g in groups]).astype(np.float32)
    doubt = np.concatenate([g.doubt for g in groups]).astype(np.float32)
    counts = weight_of(groups)

    def loss(w: Floats) -> tuple[float, Floats]:
        z = made @ w.astype(np.float32) + doubt
        e = np.exp(z - np.maximum.reduceat(z, first)[owner])
        whole, good = np.add.reduceat(e, first), np.add.reduceat(e * right, first) + np.float32(1e-30)
        value = float((counts * (np.log(whole) - np.log(good))).sum())
        slope = made.T @ (counts[owner] * (e / whole[owner] - e * right / good[owner]))
        return value + RIDGE / 2 * float(w @ w), slope + RIDGE * w

    w = minimize(loss, np.zeros(len(scale)), jac=True, method="L-BFGS-B", options={"maxiter": 300}).x
    return Fit(middle, deviation, w / scale)


def weight_of(groups: list[Group]) -> Floats:
    """How much each performance counts (their sum 1).

    Concert music more than tunes, each meter by its share among scores.
    """
    kind = np.array([CONCERT_WEIGHT if is_concert(g.name) else 1.0 for g in groups])
    meter = np.array([g.meter for g in groups])
    share = {m: kind[meter == m].sum() for m in set(meter)}
    counts = kind * np.array([METER_PRIOR[m] / share[m] for m in meter])
    return (counts / counts.sum()).astype(np.float32)


def score_of(group: Group) -> str:
    """The score, whatever its stretch and texture; the movements of a work are one."""
    name = group.name.partition("~")[0].partition("@")[0]
    return name.rpartition("/")[0] if name.count("/") > 1 else name


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
    sizes = (len(MEASURES), len(MEASURES), 2 * ALL_SLOTS, ALL_SLOTS, DIVISIONS, 2 * len(BARS))
    parts = np.split(fitted.weight, np.cumsum(sizes)[:-1])
    return dict(zip(PARTS, parts, strict=True))


def main() -> None:
    """Fit, report, and with --write keep the weights."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("corpus", type=Path)
    options.add_argument("--write", action="store_true")
    options.add_argument("--pieces", type=int, default=900)
    options.add_argument("--jobs", type=int, default=2)
    args = options.parse_args()
    jobs = performances(json.loads(gzip.decompress(args.corpus.read_bytes())), args.pieces)
    with ProcessPoolExecutor(args.jobs) as pool:
        groups = [g for g in pool.map(examine, jobs, chunksize=1) if g is not None]
    names = sorted({score_of(g) for g in groups})
    left_out = set(names[::3])
    train = [g for g in groups if score_of(g) not in left_out]
    test = [g for g in groups if score_of(g) in left_out]
    fitted = fit(train)
    print(f"{len(groups)} performances that have a right one among their candidates")
    own = MEASURES.index("identity")
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
        "features": list(MEASURES), **{name: [round(float(v), 4) for v in c] for name, c in parts.items()},
    }  # fmt: skip
    OUT.write_text(json.dumps(row, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
