"""Labellings of free playing: what a musician would consider is there, told hints are kept, and the measures over the whole take tell them apart."""

from __future__ import annotations

from fractions import Fraction as F

import numpy as np
import pytest

from ductus.core.performance.takes import Take
from ductus.core.reading.beam import Track, frame_of
from ductus.core.reading.chords import cluster, salience
from ductus.core.reading.free import classes_of, frames_for, priors, read_freely
from ductus.core.reading.relabel import FEATURES, features_of, levels_of, repetition, siblings, weights
from ductus.core.reading.settings import Pins, ReadSettings
from ductus.core.time.meters import Meter, parse_meter
from ductus.demo.player import play
from ductus.demo.scenario import jig, waltz


def straight(meter: str, bars: int = 8, step: F = F(1, 2), period_s: float = 0.6) -> tuple[Track, np.ndarray]:
    """A track of even chords, and their times."""
    frame = frame_of(parse_meter(meter))
    place = np.arange(0, bars * frame.beats, float(step))
    return Track(frame, place, np.zeros(len(place), int), 0.0, period_s), place * period_s


def test_octave_family_and_phase_of_a_straight_three_four_are_all_offered() -> None:
    track, time = straight("3/4")
    found = siblings([track], frames_for(ReadSettings()), time)
    kinds = {
        (str(c.track.frame.meter), round(float(time[-1] - time[0]) / float(c.track.place[-1] - c.track.place[0]), 2))
        for c in found
    }
    assert {
        ("3/4", 0.6),
        ("4/4", 0.6),
        ("2/4", 0.6),
        ("3/4", 0.3),
        ("3/4", 1.2),
        ("3/8", 1.8),
        ("6/8", 1.8),
        ("6/8", 0.6),
    } <= kinds
    phases = {
        round(float(c.track.place[0]) % 3, 2)
        for c in found
        if str(c.track.frame.meter) == "3/4" and c.track.period == 0.6
    }
    assert phases == {0.0, 1.0, 2.0}
    assert sum(c.own for c in found) == 1


def test_a_told_meter_and_tempo_leave_only_what_keeps_them() -> None:
    track, time = straight("3/4")
    tick_s = 0.6 / frame_of(Meter(3, 4)).beat_ticks
    found = siblings([track], frames_for(ReadSettings(meter=Meter(3, 4))), time, tick_s)
    assert {str(c.track.frame.meter) for c in found} == {"3/4"}
    assert all(abs(c.track.period - 0.6) < 0.01 for c in found)


def test_levels_follow_the_bar() -> None:
    """Bar line, half bar, beat, half beat, finer: common practice."""
    track, _ = straight("4/4", 1, F(1, 4))
    assert levels_of(track).tolist() == [0, 4, 3, 4, 2, 4, 3, 4, 1, 4, 3, 4, 2, 4, 3, 4]


def test_bars_that_come_back_are_seen() -> None:
    track, _ = straight("3/4", 4, F(1))
    tune = np.array([1 << p for p in (0, 4, 7)] * 4)
    assert repetition(track, tune) == (1.0, 1.0)
    frame = frame_of(Meter(4, 4))
    assert repetition(Track(frame, track.place, track.move, 0.0, 0.6), tune)[1] < 0.5


def test_the_table_fits_the_features() -> None:
    assert weights().shape == (len(FEATURES),)
    track, time = straight("3/4")
    keys = np.full(len(time), 60)
    chords = cluster(time, time + 0.2, keys, np.full(len(time), 80))
    found = siblings([track], frames_for(ReadSettings()), chords.time)
    rows = features_of(found, [track], chords, salience(chords), classes_of(chords, keys), priors())
    assert rows.shape == (len(found), len(FEATURES))
    assert np.isfinite(rows).all()


@pytest.mark.parametrize(("make", "bars", "meter", "qpm"), [(waltz, 16, "3/4", 108.0), (jig, 9, "6/8", 150.0)])
def test_a_free_piece_of_the_barge_is_offered_in_its_meter(make: object, bars: int, meter: str, qpm: float) -> None:
    """Nothing is told; the right meter is among the three, and they do not have the same bar lines all."""
    piece = make()  # type: ignore[operator]
    offered = []
    for seed in (3, 29):
        take = Take(tuple(play(piece, range(bars), seed, qpm, start_us=1_000_000)))
        result = read_freely(take, ReadSettings(readings=3), Pins())
        offered.append({str(r.meter) for r in (result, *result.rivals)})
    assert sum(meter in o for o in offered) >= 1
