"""Fits the three curves of ``core/reading/review/doubts.py``.

How often a decision taken with some probability is wrong.

python tools/fit_doubts.py        # prints the constants to put there

Logistic regression of "wrong" on ln(odds against the decision), for places, values and hands, over simulated
performances with a click (bench/reading.py makes them, with other seeds than the bench).
"""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import numpy as np
from scipy.optimize import minimize

sys.path.insert(0, str(Path(__file__).parent.parent))

from bench.reading import SOURCES, Case, pieces, placed

import ductus.core.reading.writing as against
from ductus.core.reading.evidence import NoteEvidence
from ductus.core.reading.model import Decisions, ReadSettings
from ductus.core.reading.pipeline import read
from ductus.core.time.meters import parse_meter
from ductus.core.time.pulse_map import steady_map
from ductus.core.time.ticks import QUARTER
from fit_corpus import UNIT

seen: dict[str, Any] = {}


def spy(found: NoteEvidence, _: Decisions) -> tuple[()]:
    seen.update(places=found.located.places, sure=found.sure, choices=found.choices)
    return ()


def main() -> None:
    """Gather decisions, fit, print."""
    against.find_doubts = spy  # type: ignore[assignment, attr-defined]
    rows: dict[str, list[tuple[float, bool]]] = {"place": [], "value": [], "hand": []}
    for piece in pieces(SOURCES):
        for skill in ("steady", "ordinary", "rough"):
            take, index, qpm, start_s = Case(piece, skill, 77, False).perform()
            zero_s = start_s + piece["pickup"] / UNIT * 60 / qpm
            result = read(
                take, steady_map(qpm, 0, round(zero_s * 1e6)), ReadSettings(meter=parse_meter(piece["meter"]))
            )
            at, _ = placed(result, piece, index, piece["pickup"])
            for ok, n in zip(at, result.notes, strict=True):
                source = piece["notes"][index[n.event]]
                p = seen["places"].rivals[n.event][0][3]
                v = seen["choices"][n.event][0][1]
                for name, chance, right in (
                    ("place", p, ok),
                    ("value", v, n.ticks * UNIT == source[1] * QUARTER),
                    ("hand", 1 / (1 + np.exp(-seen["sure"][n.event])), n.hand == source[5]),
                ):
                    q = min(max(chance, 1e-6), 1 - 1e-6)
                    rows[name].append((float(np.log((1 - q) / q)), not right))
    for name, pairs in rows.items():
        x, y = (np.array(c, float) for c in zip(*pairs, strict=True))

        def loss(w: np.ndarray, x: np.ndarray = x, y: np.ndarray = y) -> float:
            z = w[0] + w[1] * x
            return float((np.logaddexp(0, z) - y * z).mean())

        w = minimize(loss, np.array([0.0, 0.5])).x
        print(name, [round(float(v), 3) for v in w], "wrong in all", y.mean())


if __name__ == "__main__":
    main()
