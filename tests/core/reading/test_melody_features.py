"""Tune, bass and moving harmony as evidence of bars, by hand-worked numbers."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import pytest

from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.reading.beat_tracking.bar_features import ALL_SLOTS, FIRST_SLOT, Evidence, levels_of, struck
from ductus.core.reading.beat_tracking.beam_search import Track, frame_of
from ductus.core.reading.beat_tracking.melody_features import (
    ON_BARS,
    RETURNS,
    Line,
    held_over,
    lean_of_gaps,
    line_returns,
    lines_on_bars,
    moves,
    over_stronger,
    places_at,
)
from ductus.core.reading.beat_tracking.meter_candidates import MEASURES, by_meter, features_of, siblings
from ductus.core.reading.beat_tracking.tracker import frames_for, heard, priors, with_triplets
from ductus.core.reading.model import ReadSettings
from ductus.core.reading.quantization.subdivisions import SIMPLE
from ductus.core.time.meters import parse_meter

BEAT_S = 0.5


def track_of(meter: str, places: Sequence[float]) -> Track:
    """Chords at these beats."""
    return Track(frame_of(parse_meter(meter)), np.array(places, float), np.zeros(len(places), int), 0.0, BEAT_S)


def taken(notes: Sequence[tuple[float, float, int]]) -> Evidence:
    """Notes (beat, length in beats, key), at two beats a second."""
    return heard(
        Take(
            tuple(
                PlayedNote(round(at * BEAT_S * 1e6), round((at + long) * BEAT_S * 1e6), k)
                for at, long, k in sorted(notes)
            )
        )
    )


def test_the_tune_lies_above_all_that_sounds_and_the_bass_below() -> None:
    """Held basses under a tune, and inner notes between: those are of neither line."""
    notes = [(float(b), 2.0, 40) for b in range(0, 16, 2)]
    notes += [(float(b), 1.0, 76) for b in range(16)]
    notes += [(b + 0.5, 0.4, 60) for b in range(16)]
    lines = taken(notes).lines
    beats = [k / 2 for k in range(32)]
    assert [b for b, yes in zip(beats, lines.tune, strict=True) if yes] == [float(b) for b in range(16)]
    assert [b for b, yes in zip(beats, lines.bass, strict=True) if yes] == [float(b) for b in range(0, 16, 2)]
    assert lines.high[:4].tolist() == [76, 60, 76, 60]
    assert lines.end[:4] == pytest.approx([1.0, 0.45, 1.0, 0.95])  # of a chord its longest note
    assert lines.high_end[:4] == pytest.approx([0.5, 0.45, 1.0, 0.95])


def test_an_accompaniment_alone_is_no_tune_while_nothing_sounds_above_it() -> None:
    """Where the tune rests low notes sound uncovered; they lie too deep among their neighbours to be of the tune."""
    notes = [(float(b), 0.9, 48) for b in range(0, 24, 2)] + [(float(b), 0.9, 79) for b in range(1, 24, 2)]
    lines = taken(notes).lines
    assert lines.tune.tolist() == [False, True] * 12
    assert lines.bass.tolist() == [True, False] * 12


def test_moments_after_the_last_chord_go_on_at_the_tempo_of_the_whole() -> None:
    track = track_of("4/4", [0, 1, 2, 4])
    time = track.place * BEAT_S
    assert places_at(track, time, np.array([0.25, 1.5, 3.0])).tolist() == pytest.approx([0.5, 3.0, 6.0])


def test_notes_that_sound_beyond_a_bar_line_are_held_over_it() -> None:
    place = np.array([0.0, 1.0, 3.0, 3.0, 5.95])
    end = np.array(
        [2.9, 3.1, 3.9, 4.0, 7.0]
    )  # the second touches the bar line at 3 only just; the last comes a little early
    assert held_over(place, end, 3.0) == 0.0
    assert held_over(place, np.array([2.9, 3.5, 3.9, 6.5, 7.0]), 3.0) == pytest.approx(2 / 5)
    assert held_over(np.zeros(0), np.zeros(0), 3.0) == 0.0


def test_syncopation_counts_by_the_level_of_the_note() -> None:
    """After Longuet-Higgins & Lee 1984 (from memory).

    A note is syncopated that goes on over a stronger place than its own. Weights are ours.
    """
    track = track_of("4/4", [0, 1, 1.5, 3])
    level = levels_of(track)
    assert level.tolist() == [0, 2, 3, 2]
    straight = np.array([1.0, 1.5, 2.0, 4.0])
    assert over_stronger(track, track.place, level, straight) == 0.0
    # The second beat goes on over the third (1), its second half over the third beat (0.7), the fourth over the bar
    # line (1); nothing is stronger than a bar line.
    assert over_stronger(track, track.place, level, np.array([9.0, 2.5, 2.5, 4.5])) == pytest.approx((1 + 0.7 + 1) / 4)


def test_a_tune_whose_long_notes_stand_on_bar_lines_leans_on_them() -> None:
    place = np.array([k + x for k in range(0, 24, 3) for x in (0.0, 2.0)])
    assert lean_of_gaps(place, place % 3 == 0) == pytest.approx(np.log(2), abs=0.02)
    assert lean_of_gaps(place, place % 3 == 2) == pytest.approx(-np.log(2), abs=0.02)
    assert lean_of_gaps(place, place < 0) == -0.5  # nothing on bar lines


def test_harmony_that_changes_with_the_bars_moves_at_bar_lines() -> None:
    """C major and its dominant by turns, bar by bar in three-four; every chord is struck on each beat."""
    chords = {0: (48, 64, 67), 1: (43, 62, 71)}
    track = track_of("3/4", range(24))
    known = taken([(float(b), 0.9, k) for b in range(24) for k in chords[b // 3 % 2]])
    whole, bar, middle, _ = moves(track, known.harmony)
    apart = 1 - 1 / 3  # one pitch class of three in common
    assert whole == pytest.approx(apart * 7 / 23)
    assert bar == pytest.approx(apart)
    assert middle == 0.0  # there is no middle
    late = replace(track, place=track.place + 1)
    assert moves(late, known.harmony)[1] == pytest.approx(
        -apart / 2, abs=0.05
    )  # changes on the second beats, half of the others


def test_a_tune_comes_back_at_any_height_after_its_bar_and_after_no_other_lag() -> None:
    steps = (0, 4, 7, 5, 2)
    places = [k + x for k in range(0, 32, 4) for x in (0.0, 1.0, 1.5, 2.0, 3.0)]
    keys = np.array([60 + steps[k % 5] + 2 * (k // 5) for k in range(len(places))])
    line = Line(np.array(places), np.ones(len(places), bool), keys)
    assert line.after(4) == 1.0
    assert line.after(3) < 0.2
    assert line.after(0) == 0.0
    few = Line(np.array(places[:5]), np.ones(5, bool), keys[:5])
    assert few.after(4) == 0.0


def test_returns_are_those_of_the_bars_length_wherever_its_bar_lines_are() -> None:
    steps = (0, 4, 7, 5)
    notes = [(float(b), 0.9, 72 + steps[b % 4]) for b in range(32)] + [
        (float(b), 0.9, 40 + steps[b % 4]) for b in range(32)
    ]
    known = taken(notes)
    four = track_of("4/4", range(32))
    returns = dict(zip(RETURNS, line_returns(four, known), strict=True))
    assert returns["tune after a bar"] == returns["tune after four bars"] == 1.0
    assert returns["tune after half a bar"] < 0.2
    # At the lags beside one in four of the steps is the same: 5 -4 -3 2 after three beats, 4 3 -2 -5 after five.
    assert returns["bass after a bar and no other lag"] == pytest.approx(1 - 1 / 4, abs=0.02)
    later = replace(four, place=four.place + 1)
    assert line_returns(later, known).tolist() == line_returns(four, known).tolist()
    three = line_returns(track_of("3/4", range(32)), known)
    assert three[0] < 0.3
    assert three[2:4].tolist() == [0.0, 0.0]  # no half


def test_notes_of_the_tune_are_counted_where_they_stand_in_the_bar() -> None:
    """A tune on every bar line and third beat over a bass on every beat: only the tune counts."""
    notes = [(float(b), 0.9, 40) for b in range(24)] + [(float(b), 0.9, 76) for b in range(24) if b % 3 != 1]
    known = taken(notes)
    track = track_of("3/4", range(24))
    counted = struck(track, track.place[known.lines.tune])
    first, once = FIRST_SLOT[3, SIMPLE], 8 / (23 / 3)
    assert counted[first : first + 6].tolist() == pytest.approx([once, 0, 0, 0, once, 0])
    assert np.count_nonzero(counted) == 2
    assert counted.shape == (ALL_SLOTS,)
    assert not struck(track_of("5/4", range(24)), track.place).any()  # a bar that the fit never saw


def test_what_lines_say_stands_behind_the_other_measures() -> None:
    """The row of a labelling has each measure in the place of its name, also where phases share what comes back."""
    notes = [(float(b), 0.9, 72 + (0, 4, 7, 5)[b % 4]) for b in range(32)] + [
        (float(b), 3.9, 40) for b in range(0, 32, 4)
    ]
    known = taken(notes)
    track = track_of("4/4", range(32))
    found = siblings([track], frames_for(ReadSettings()), known.chords.time)
    rows = features_of(found, [track], known, priors())
    for candidate, row in zip(found, rows, strict=True):
        named = dict(zip(MEASURES, row, strict=False))
        assert [named[name] for name in ON_BARS] == lines_on_bars(candidate.track, known).tolist()
        assert [named[name] for name in RETURNS] == line_returns(candidate.track, known).tolist()


def test_labellings_go_by_their_meter_as_a_whole_too() -> None:
    """Two places to begin in four-four share what speaks for it.

    A labelling that is likelier by far leads all the same.
    """
    shared = np.log([0.4, 0.33, 0.27])
    assert int(np.argmax(by_meter(shared, ["2/4", "4/4", "4/4"]))) == 1
    clear = np.log([0.7, 0.16, 0.14])
    assert int(np.argmax(by_meter(clear, ["2/4", "4/4", "4/4"]))) == 0
    assert by_meter(shared, ["2/4"] * 3).argsort().tolist() == shared.argsort().tolist()  # of one meter each by itself


def test_a_simple_meter_full_of_triplets_is_offered_in_a_compound_one_too() -> None:
    """Twelve-eight and four-four in triplets sound the same (common practice).

    The likeliest compound one of the same beats comes third.
    """
    triplets = [b + k / 3 for b in range(16) for k in range(3)]
    four = track_of("4/4", triplets)
    two, late = replace(four, frame=frame_of(parse_meter("2/4"))), replace(four, place=four.place + 2, score=-3.0)
    faster = replace(track_of("6/8", triplets), place=four.place * 1.5)  # in other beats
    twelve, six = track_of("12/8", triplets), track_of("6/8", triplets)
    offered = with_triplets([four, two, late, faster, twelve, six])
    assert offered == [four, two, twelve, late, faster, six]
    assert with_triplets([four, six, late, twelve]) == [four, six, late, twelve]  # one is there
    eighths = track_of("4/4", [k / 2 for k in range(32)])
    assert with_triplets([eighths, two, late, twelve]) == [eighths, two, late, twelve]  # no triplets
    assert with_triplets([four, two, late, faster]) == [four, two, late, faster]  # nothing to offer
    close = replace(late, score=-2.0)
    assert with_triplets([four, two, close, twelve]) == [
        four,
        two,
        close,
        twelve,
    ]  # the third is doubted more than that
