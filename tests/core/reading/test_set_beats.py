"""Pins and taps: arithmetic of stretches, what moves and what stays, hints that are no pins."""

from __future__ import annotations

import random

import pytest

from ductus.core.errors import BadInput
from ductus.core.reading.beat_tracking.set_beats import pinned_map, tapped_map
from ductus.core.time.bars import BarLines
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import PulseMap, steady_map, tempo_of
from ductus.core.time.ticks import QUARTER

BAR = 4 * QUARTER
FOUR = BarLines(Meter(4, 4))


def found(qpm: float = 80) -> PulseMap:
    """Beats as the engine gives them: one pulse a beat for sixteen bars."""
    steady = steady_map(qpm, 0, 0)
    from ductus.core.time.pulse_map import Pulse

    return PulseMap(tuple(Pulse(k * QUARTER, steady.time_at(k * QUARTER)) for k in range(-1, 66)))


@pytest.mark.parametrize(("bars", "tempo"), [(4, 83.80), (3, 62.85), (5, 104.75)])
def test_a_stretch_that_holds_so_many_bars_has_that_tempo(bars: int, tempo: float) -> None:
    """Tempo = beats x 60 / seconds: 16 beats in 11.456 s are 83.80, taken for three bars 62.85, for five 104.75
    (arithmetic).
    """
    pulses = pinned_map(found(), FOUR, {0: 0, bars * BAR: 11_456_000})
    assert tempo_of(4 * bars, (pulses.time_at(bars * BAR) - pulses.time_at(0)) / 1e6) == pytest.approx(tempo, abs=0.005)


@pytest.mark.parametrize(("bpm", "seconds"), [(84, 11.429), (78, 12.308), (95, 10.105)])
def test_sixteen_beats_last_so_long_at_another_tempo(bpm: float, seconds: float) -> None:
    assert steady_map(bpm, 0, 0).time_at(4 * BAR) / 1e6 == pytest.approx(seconds, abs=0.001)


def test_a_correction_moves_only_the_bars_beside_it() -> None:
    before = found()
    after = pinned_map(before, FOUR, {4 * BAR: before.time_at(4 * BAR) + 60_000})
    moved = [k for k in range(64) if after.time_at(k * QUARTER) != before.time_at(k * QUARTER)]
    assert moved == list(range(13, 20))
    assert after.time_at(4 * BAR) == before.time_at(4 * BAR) + 60_000


def test_moving_a_pin_changes_only_the_stretches_beside_it() -> None:
    before = found()
    pins = {k * BAR: before.time_at(k * BAR) + 20_000 for k in (2, 4, 6, 8)}
    one = pinned_map(before, FOUR, pins)
    other = pinned_map(before, FOUR, {**pins, 4 * BAR: pins[4 * BAR] + 50_000})
    moved = {k // 4 for k in range(64) if one.time_at(k * QUARTER) != other.time_at(k * QUARTER)}
    assert moved <= {3, 4}


def test_another_place_counts_all_behind_it_anew() -> None:
    before = found()
    after = pinned_map(before, FOUR, {4 * BAR: before.time_at(4 * BAR + QUARTER)})
    for k in range(-3, 10):
        assert after.time_at(4 * BAR + k * QUARTER) == pytest.approx(before.time_at(4 * BAR + (k + 1) * QUARTER), abs=2)


def test_a_stretch_with_twice_the_bars_says_so_of_what_follows() -> None:
    before = found(80)
    after = pinned_map(before, FOUR, {0: before.time_at(0), 4 * BAR: before.time_at(2 * BAR)})
    assert after.us_per_quarter_at(6 * BAR) == pytest.approx(before.us_per_quarter_at(0) / 2, rel=0.01)


def test_pins_in_the_wrong_order_and_tempi_out_of_reach_are_refused() -> None:
    with pytest.raises(BadInput, match="pass its neighbour"):
        pinned_map(found(), FOUR, {BAR: 6_000_000, 2 * BAR: 5_000_000})
    with pytest.raises(BadInput, match="beats a minute"):
        pinned_map(found(), FOUR, {0: 0, 40 * BAR: 4_000_000})


def test_pins_on_beats_and_changes_of_meter() -> None:
    bars = BarLines(Meter(3, 4), ((6 * QUARTER, Meter(6, 8)),))
    after = pinned_map(found(), bars, {QUARTER: 800_000})
    assert after.time_at(QUARTER) == 800_000
    assert after.time_at(0) == 0


def test_taps_are_hints_with_a_lag_and_a_spread_of_their_own() -> None:
    """A tapper who is 35 ms early and uneven by 22 ms.

    The beats are found within a few ms of where the chords stand.
    """
    rng = random.Random(7)
    beats = [500_000 + k * 610_000 + round(9_000 * rng.gauss(0, 1)) for k in range(24)]
    taps = [b - 35_000 + round(22_000 * rng.gauss(0, 1)) for b in beats]
    pulses = tapped_map(taps, Meter(4, 4), beats)
    off = [abs(pulses.time_at(k * QUARTER) - b) for k, b in enumerate(beats)]
    assert max(off) < 30_000
    assert sorted(off)[12] < 5_000
    alone = tapped_map(taps, Meter(4, 4))  # with nothing to hold them against, taps are evened out a little
    assert len(alone.pulses) == 24
    with pytest.raises(BadInput):
        tapped_map([5], Meter(4, 4))
