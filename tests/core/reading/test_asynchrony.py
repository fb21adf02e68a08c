"""The habits of hands in time: a tune that is brought out, a hand that is late.

And tuplets that nearly every beat has.
"""

from __future__ import annotations

import random
from collections.abc import Sequence
from fractions import Fraction as F

import numpy as np
import pytest

from ductus.core.reading.model import ReadSettings
from ductus.core.reading.quantization.asynchrony import HABITS, habits_of, lags_within, usual
from ductus.core.reading.quantization.beat_grid import grid_for
from ductus.core.reading.quantization.lattice import Feel, Hearing, Lattice
from ductus.core.reading.quantization.placement import NoteArrays, allowed_by_beat, lattice_of, place_notes
from ductus.core.reading.quantization.subdivisions import rhythm_table
from ductus.core.time.bars import BarLines
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import steady_map
from ductus.core.time.ticks import QUARTER

QUARTER_S = 0.42
Struck = tuple[F, float, tuple[int, ...], float]  # beat, length in beats, keys, how early in seconds


def struck(
    wanted: Sequence[Struck], seed: int, together: float = 0.02, apart: float = 0.012
) -> tuple[NoteArrays, list[int]]:
    """What uneven hands strike (both deviations in seconds), bar line at second 1, and the ticks that were meant."""
    rng = random.Random(seed)
    rows = []
    for at, length, keys, early in wanted:
        off = rng.gauss(0, together) - early
        for key in keys:
            on = 1 + float(at) * QUARTER_S + off + rng.gauss(0, apart)
            rows.append((on, on + length * QUARTER_S, key, int(at * QUARTER)))
    rows.sort()
    onsets, releases, keys_down, ticks = zip(*rows, strict=True)
    return NoteArrays(np.array(onsets), np.array(releases), np.array(keys_down)), list(ticks)


def misread(played: NoteArrays, meant: list[int], settings: ReadSettings) -> float:
    """Share of notes that a click reading puts elsewhere."""
    grid = grid_for(
        steady_map(60 / QUARTER_S, 0, 1_000_000), settings.bars, played.onset[0] * 1e6, played.onset[-1] * 1e6
    )
    found = place_notes(played, grid, settings)
    ticks = [
        grid.tick_of(int(b), int(g), int(s)) for b, g, s in zip(found.beat, found.division, found.slot, strict=True)
    ]
    return sum(a != b for a, b in zip(ticks, meant, strict=True)) / len(meant)


def dotted_tune(early: float) -> list[Struck]:
    out: list[Struck] = []
    for beat in range(64):
        chord = (48, 52, 55) if beat % 2 else (43,)
        key = (72, 74, 76, 77, 79)[beat * 7 % 5]
        out += [(F(beat), 0.95, chord, 0.0), (F(beat), 0.7, (key,), early), (beat + F(3, 4), 0.25, (key + 2,), early)]
    return out


@pytest.mark.parametrize("early_ms", [0, 20, 30, 40])
def test_a_dotted_tune_that_is_brought_out_stays_dotted(early_ms: int) -> None:
    settings = ReadSettings(meter=Meter(2, 4), shortest="16th", tuplets=False)
    shares = [misread(*struck(dotted_tune(early_ms / 1000), seed), settings) for seed in range(3)]
    assert max(shares) < 0.05


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_triplets_on_nearly_every_beat_need_no_telling(seed: int) -> None:
    wanted: list[Struck] = []
    for beat in range(48):
        wanted += [(beat + F(k, 3), 0.33, (48 + 4 * k,), 0.0) for k in range(3)]
        tune = ((F(0), 0.5), (F(1, 2), 0.5)) if beat % 4 == 3 else ((F(0), 1.0),)
        wanted += [(beat + at, length, (72 + beat % 5,), 0.0) for at, length in tune]
    played, meant = struck(wanted, seed, 0.024, 0.016)
    assert misread(played, meant, ReadSettings(meter=Meter(4, 4))) < 0.15


def test_even_sixteenths_with_a_few_loose_ones_hold_no_triplet() -> None:
    wanted: list[Struck] = [(F(k, 4), 0.25, (60 + k * 5 % 12,), 0.0) for k in range(160)]
    played, meant = struck(wanted, 2, 0.018, 0.0)
    assert misread(played, meant, ReadSettings(meter=Meter(4, 4))) < 0.03


def test_the_tune_is_the_top_of_the_right_hand() -> None:
    onset = np.array([0.0, 0.0, 0.0, 0.5, 1.0, 1.0, 1.01])
    key = np.array([43, 67, 76, 74, 45, 66, 74])
    assert habits_of(onset, onset + 0.4, key)[0].tolist() == [0, 1, 2, 2, 0, 1, 2]


def test_lags_come_from_chords_that_hold_several_habits() -> None:
    onset, habit, chord = [], [], []
    for k in range(40):
        onset += [float(k), k + 0.005, k - 0.02]
        habit += [0, 1, 2]
        chord += [k] * 3
    late = lags_within(np.array([*onset, 50.0]), np.array([*habit, 2]), np.array([*chord, 40]))
    few = 40 / 50  # drawn to none by ten notes without a habit
    assert late == pytest.approx((0.0, 0.005 * few, -0.02 * few))


def test_a_habit_is_a_median_that_a_few_notes_do_not_make() -> None:
    assert usual(np.array([-0.02] * 40 + [np.nan] * 5)) == pytest.approx(-0.02 * 40 / 50)
    assert usual(np.array([0.5] * 90)) == pytest.approx(0.04)  # the most that is believed
    assert usual(np.array([])) == 0.0


def test_taking_habits_out_is_hearing_the_notes_where_they_would_have_been() -> None:
    """The likelihood of a lattice with habits is that of a lattice whose onsets were moved by hand."""
    played, _ = struck(dotted_tune(0.0)[:30], 5, 0.004, 0.002)
    settings = ReadSettings(meter=Meter(2, 4))
    grid = grid_for(steady_map(60 / QUARTER_S, 0, 1_000_000), BarLines(Meter(2, 4)), 1e6, 14e6)
    habit = np.arange(len(played.onset)) % HABITS
    habits = (0.0004, -0.0003, 0.0006)  # smaller than any gap between the notes, so that their order stays
    table, allowed = rhythm_table(), allowed_by_beat(grid, settings)
    moved = NoteArrays(played.onset - np.array(habits)[habit], played.release, played.key)
    here: Lattice = lattice_of(played, grid, allowed, table, habit)
    there = lattice_of(moved, grid, allowed, table)
    a, b = Hearing(here, [Feel(0.001, 0.02, 0.01, habits)]), Hearing(there, [Feel(0.001, 0.02, 0.01)])
    compared = 0
    for segment, other in zip(here.every, there.every, strict=True):
        assert (segment.first, segment.last) == (other.first, other.last)
        if here.candidates[segment.last].time.shape == there.candidates[segment.last].time.shape:
            assert a.of(segment) == pytest.approx(b.of(other), abs=1e-6)
            compared += 1
    assert compared > 20
