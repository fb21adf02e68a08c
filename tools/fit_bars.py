"""Fits the weights by which bars of free playing are chosen (``core/reading/relabel.py``), and prints what they reach on pieces left out.

    python tools/fit_bars.py [--write] [--pieces 90] [--jobs 2]

Scores: a spread of the folders of tools/fit_corpus.py, each played freely by tools/simulated_player.py at two skills; every third piece is left out of the
fit. A candidate is right when its bar is as long as the score's, of the same family, and most chords stand at their place in the bar. Loudness is
drawn without metrical accents in half of the cases, so that the weights do not lean on the simulator's own accents.
"""

from __future__ import annotations

import argparse
import json
import random
import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from pathlib import Path

import numpy as np

ROOT = Path(__file__).parent.parent
sys.path[:0] = [str(ROOT), str(ROOT / "tools")]

from bench.reading import Case, pieces

from ductus.core.performance.takes import Take
from ductus.core.reading.chords import cluster, salience
from ductus.core.reading.divisions import COMPOUND
from ductus.core.reading.free import beam_tracks, classes_of, frames_for, priors
from ductus.core.reading.relabel import FEATURES, features_of, siblings
from ductus.core.reading.settings import ReadSettings
from ductus.core.time.meters import parse_meter
from ductus.core.time.ticks import QUARTER
from fit_corpus import CORPUS, UNIT

OUT = ROOT / "src" / "ductus" / "core" / "reading" / "tables" / "bars.json"
FOLDERS = (
    "oneills1850/0*.abc",
    "essenFolksong/*.abc",
    "mozart/k15*/*.mxl",
    "haydn/opus74no1/*.mxl",
    "schumann_robert/opus41no1/*.mxl",
    "bach/bwv2*.mxl",
)
RIDGE = 0.02
Group = tuple[str, np.ndarray, np.ndarray]  # name, features of the candidates, which are right


def chosen(count: int) -> list[str]:
    """A spread of files."""
    rng = random.Random(5)
    out: list[str] = []
    for pattern in FOLDERS:
        found = sorted(str(p.relative_to(CORPUS)) for p in CORPUS.glob(pattern))
        rng.shuffle(found)
        out += found[: max(count // len(FOLDERS), 1)]
    return out


def examine(job: tuple[str, int]) -> list[Group]:
    """The candidates of all pieces of a file, played by two players."""
    source, most = job
    out: list[Group] = []
    try:
        found = pieces([source])[:most]
    except Exception as error:  # a score that music21 cannot read
        print(source, error, file=sys.stderr)
        return out
    for piece in found:
        for skill in ("ordinary", "rough"):
            group = examine_case(Case(piece, skill, 7, True))
            if group is not None:
                out.append(group)
    return out


def examine_case(case: Case) -> Group | None:
    """Features and truth of one performance."""
    take, index, _, _ = case.perform()
    rng = random.Random(case.piece["name"] + case.skill)
    if rng.random() < 0.5:
        take = Take(tuple(replace(n, velocity=min(max(70 + round(rng.gauss(0, 6)), 1), 127)) for n in take.notes))
    onset = np.array([n.onset_us for n in take.notes], float) / 1e6
    release = np.array([n.release_us for n in take.notes], float) / 1e6
    key = np.array([n.key for n in take.notes], np.int64)
    chords = cluster(onset, release, key, np.array([n.velocity for n in take.notes], np.int64))
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


def fit(groups: list[Group], rounds: int = 400) -> np.ndarray:
    """A conditional logit: the right candidates of each group against all, by gradient ascent with a ridge."""
    scale = np.std(np.concatenate([g[1] for g in groups]), axis=0) + 1e-9
    w = np.zeros(len(FEATURES))
    step = 0.5
    for _ in range(rounds):
        slope = np.zeros_like(w)
        for _, x, right in groups:
            z = (x / scale) @ w
            p = np.exp(z - z.max())
            p /= p.sum()
            q = np.where(right, p, 0)
            q /= q.sum()
            slope += (q - p) @ (x / scale)
        w += step * (slope / len(groups) - RIDGE * w)
    return np.asarray(w / scale)


def reached(groups: list[Group], w: np.ndarray) -> tuple[float, float]:
    """Right first, and right among the first three of different kinds (by score alone)."""
    first = three = 0
    for _, x, right in groups:
        order = np.argsort(-(x @ w))
        first += bool(right[order[0]])
        three += bool(right[order[:3]].any())
    return first / len(groups), three / len(groups)


def main() -> None:
    """Fit, report, and with --write keep the weights."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--write", action="store_true")
    options.add_argument("--pieces", type=int, default=90)
    options.add_argument("--jobs", type=int, default=2)
    args = options.parse_args()
    jobs = [(s, 4 if s.endswith(".abc") else 1) for s in chosen(args.pieces)]
    with ProcessPoolExecutor(args.jobs) as pool:
        all_groups = [g for groups in pool.map(examine, jobs, chunksize=1) for g in groups]
    hopeless = [g for g in all_groups if not g[2].any()]
    groups = [g for g in all_groups if g[2].any()]
    names = sorted({g[0].rpartition("/")[0] for g in groups})
    left_out = set(names[::3])
    train = [g for g in groups if g[0].rpartition("/")[0] not in left_out]
    test = [g for g in groups if g[0].rpartition("/")[0] in left_out]
    beam = np.zeros(len(FEATURES))
    beam[FEATURES.index("beam")], beam[FEATURES.index("identity")] = 1.0, 1.0
    w = fit(train)
    print(f"{len(all_groups)} performances, right one among the candidates in {len(groups)} ({len(hopeless)} without)")
    for words, weights in (("beam alone", beam), ("fitted", w)):
        print(f"{words}: left out {reached(test, weights)}, fitted on {reached(train, weights)}")
    for name, value in zip(FEATURES, w, strict=True):
        print(f"  {name:<16}{value:8.2f}")
    if args.write:
        row = {
            "about": "Weights of the choice among labellings of free playing; tools/fit_bars.py.",
            "scores": sorted({j[0].split("/")[0] for j in jobs}), "performances": len(groups),
            "left_out_first": reached(test, w)[0], "left_out_three": reached(test, w)[1],
            "features": list(FEATURES), "weights": [round(float(v), 4) for v in fit(groups)],
        }  # fmt: skip
        OUT.write_text(json.dumps(row, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
