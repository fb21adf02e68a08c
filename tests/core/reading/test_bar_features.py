"""What the choice of bars is learned from.

Stretches of concert music, chorales with split bars, paces that fingers can follow, meters by their shares.
"""

from __future__ import annotations

import math
import random
from typing import Any

import music21
import numpy as np
import pytest

import fit_bars
from ductus.core.reading.beat_tracking.tracker import METER_PRIOR
from fit_bars import Group, any_pace, score_of, weight_of
from fit_corpus import UNIT
from fit_corpus import stretches as full_bars


def piece(meter: str, step: int, count: int, pickup: int = 0) -> dict[str, Any]:
    """Even notes in both hands."""
    notes = [[k * step, step, 60 + 12 * (s == 1), "C", 0, s, 1] for k in range(count) for s in (1, 2)]
    return {"name": "haydn/made#0", "meter": meter, "key": 0, "pickup": pickup, "notes": notes}


def test_halves_of_a_split_bar_are_one_bar_where_that_is_asked() -> None:
    """Two lines of a chorale: 1 + 4 4 4 3 | 1 4 4 4 3 quarters, as editions split bars at the ends of lines (common
    practice).
    """
    part = music21.stream.Part()
    for number, quarters in enumerate((1, 4, 4, 4, 3, 1, 4, 4, 4, 4, 3)):
        measure = music21.stream.Measure(number=number)
        if number == 0:
            measure.append(music21.meter.TimeSignature("4/4"))
            measure.append(music21.key.KeySignature(0))
        measure.append(music21.note.Note("C4", quarterLength=quarters))
        part.append(measure)
    assert full_bars(part) == []  # three full bars, then four: too few
    [(meter, _, first, end, pickup)] = full_bars(part, joined=True)
    assert (meter, first, end, pickup) == (
        "4/4",
        0,
        (1 + 8 * 4) * UNIT,
        UNIT,
    )  # eight full bars; the last is short for the pick-up


def test_stretches_begin_as_the_piece_does_whole_bars_further_on() -> None:
    made = piece("3/4", UNIT // 2, 700, pickup=UNIT)
    numbered = [[*n[:3], str(k), *n[4:]] for k, n in enumerate(sorted(made["notes"]))]
    found = fit_bars.stretches({**made, "notes": numbered})
    assert [s["name"] for s in found] == ["haydn/made#0@330", "haydn/made#0@660", "haydn/made#0@990"]
    for stretch, cut in zip(found, (330, 660, 990), strict=True):
        first = int(stretch["notes"][0][3])  # the number of its first note in the piece
        moved = {numbered[int(n[3])][0] - n[0] for n in stretch["notes"]}
        assert len(moved) == 1
        assert moved.pop() % (3 * UNIT) == 0
        assert stretch["notes"][0][0] == 0
        assert cut - 4 <= first <= cut + 12
        assert len(stretch["notes"]) == min(fit_bars.STRETCH, 1400 - first)


@pytest.mark.parametrize(("meter", "step"), [("4/4", UNIT), ("4/4", UNIT // 4), ("6/8", UNIT // 2), ("3/8", UNIT // 4)])
def test_paces_are_usual_ones_that_fingers_can_follow(meter: str, step: int) -> None:
    made = piece(meter, step, 60)
    quarter = [any_pace(made, random.Random(k)) for k in range(200)]
    beat = 1.5 if meter.endswith("8") else 1.0
    assert min(quarter) * step / UNIT >= 0.09  # eleven notes a second at most
    assert max(quarter) * beat <= 60 / 50 + 1e-9 or step < UNIT // 2
    assert min(quarter) * beat >= 60 / 160 - 1e-9
    assert max(quarter) / min(quarter) > 1.5


def test_performances_count_so_that_meters_have_their_shares_and_concert_music_counts_more() -> None:
    rows = np.zeros((1, 1))
    names = [("haydn/a#0", "4/4"), ("tune-1", "4/4"), ("tune-2", "3/8"), ("tune-3", "3/8"), ("tune-4", "3/8")]
    counts = weight_of([Group(name, meter, rows, np.zeros(1), np.ones(1, bool)) for name, meter in names])
    assert math.isclose(counts.sum(), 1, rel_tol=1e-6)
    assert counts[0] / counts[1] == pytest.approx(fit_bars.CONCERT_WEIGHT)
    assert counts[2:].sum() / counts[:2].sum() == pytest.approx(METER_PRIOR["3/8"] / METER_PRIOR["4/4"], rel=1e-5)


def test_movements_of_a_work_are_left_out_together_and_chorales_one_by_one() -> None:
    made = [Group(n, "4/4", np.zeros((1, 1)), np.zeros(1), np.ones(1, bool)) for n in (
        "beethoven/opus18no1/movement4.mxl#0@660~pulsing", "beethoven/opus18no1/movement2.mxl#1", "bach/bwv253.mxl#0",
        "bach/bwv254.mxl#0", "kinder0.abc-3#0~broken",
    )]  # fmt: skip
    assert [score_of(g) for g in made] == ["beethoven/opus18no1"] * 2 + [
        "bach/bwv253.mxl#0",
        "bach/bwv254.mxl#0",
        "kinder0.abc-3#0",
    ]
