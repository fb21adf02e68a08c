"""A tempo that was told: what a player adds to it is a wait or a slower stretch, or it is another beat.

Both are offered, in words that tell them apart.
"""

from __future__ import annotations

import itertools
import math
import random
from dataclasses import replace

import numpy as np
import pytest

from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.reading.beat_tracking.beam_search import HINT_SD, Track, frame_of
from ductus.core.reading.beat_tracking.meter_candidates import in_order
from ductus.core.reading.beat_tracking.tracker import (
    Beats,
    beaten_alike,
    find_beats,
    heard,
    other_beats_second,
    priors,
    searches_for,
)
from ductus.core.reading.model import Decisions, ReadSettings
from ductus.core.reading.review.rival_words import BEATS_APART, bars_alike, in_words
from ductus.core.time.meters import Meter, parse_meter
from ductus.core.time.pulse_map import Pulse, PulseMap, steady_map
from ductus.core.time.ticks import QUARTER

FIGURES = (
    (0.5, 0.5, 0.5, 0.5),
    (0.25, 0.5, 0.25, 0.5, 0.5),
    (0.5, 0.25, 0.25, 1),
    (0.25, 0.25, 0.25, 0.25, 0.25, 0.5, 0.25),
    (0.5, 1, 0.5),
)  # bars of 2/4, in beats


def taking_time(seed: int) -> tuple[Take, list[float], float]:
    """An uneven player whose tempo wanders, who slows down at the ends of phrases and often waits there.

    The take, the beat of each note, the mean tempo.
    """
    rng = random.Random(seed)
    beats = [0.0]
    for _ in range(32):
        beats += [beats[-1] + x for x in itertools.accumulate(FIGURES[rng.randrange(5)])]
    beats.pop()
    at, clock, slower = 2.0, [], 0.0
    for beat in range(65):
        clock.append(at)
        slower = 0.9 * slower + rng.gauss(0, 0.04)
        at += 0.6 * math.exp(slower + (0.15 if beat % 16 >= 14 else 0))
        if beat % 16 == 15 and rng.random() < 0.3:
            at += rng.uniform(0.3, 0.9)
    notes = []
    for place in beats:
        time = np.interp(place, range(65), clock) + rng.gauss(0, 0.03)
        keys = [72 + rng.choice((0, 2, 4, 5, 7, 9))]
        if place % 1 == 0:
            keys.append((48 if place % 2 == 0 else 55) + rng.choice((0, 5, 7)))
        for key in keys:
            on = round((time + rng.gauss(0, 0.012)) * 1e6)
            notes.append((PlayedNote(on, on + 180_000, key, 70), place))
    notes.sort(key=lambda n: (n[0].onset_us, n[0].key))
    return Take(tuple(n for n, _ in notes)), [b for _, b in notes], 60 * 64 / (at - 2)


def counted_right(found: Beats, take: Take, beats: list[float]) -> float:
    """The share of the notes that stand at their beat, counted from the bar line that most of them agree in."""
    off = np.round([found.pulses.tick_at(n.onset_us) / QUARTER - b for n, b in zip(take.notes, beats, strict=True)])
    return float(np.unique(off, return_counts=True)[1].max() / len(off))


def test_a_reading_that_holds_to_the_told_tempo_is_offered_too() -> None:
    """Three players (made up) whom the search that follows them leads off its beats."""
    best = []
    for seed in (4, 7, 15):
        take, beats, tempo = taking_time(seed)
        found = find_beats(take, ReadSettings(meter=Meter(2, 4), about=tempo), Decisions(), 3)
        best.append(max(counted_right(f, take, beats) for f in found))
    assert sum(best) / 3 > 0.85  # .67 by the one search alone


def test_only_a_tempo_and_a_meter_that_were_told_are_held_to() -> None:
    assert searches_for(ReadSettings(meter=Meter(2, 4), about=90)) == (False, True)
    assert searches_for(ReadSettings(meter=Meter(2, 4))) == searches_for(ReadSettings(about=90)) == (False,)


def test_a_labelling_is_likelier_the_nearer_it_is_to_the_told_tempo() -> None:
    """ln of the odds of two tracks, one with 5/4 of the beats of the other, as each of the two tempi is told: their
    normal densities and nothing else.
    """
    take = Take(tuple(PlayedNote(k * 600_000, k * 600_000 + 400_000, 60 + 7 * (k % 4 == 0), 70) for k in range(32)))
    known, frame = heard(take), frame_of(Meter(4, 4))
    slow = Track(frame, np.arange(32.0), np.zeros(32, int), 0.0, 0.6)
    fast = replace(slow, place=slow.place * 1.25)

    def odds(told_s: float) -> float:
        ordered = in_order([slow, fast], [frame], known, priors(), told_s / frame.beat_ticks)
        by = {round(float(t.place[-1] - t.place[0]), 2): t.score for t in reversed(ordered)}
        return by[31.0] - by[38.75]

    assert odds(0.6) - odds(0.48) == pytest.approx((math.log(1.25) / HINT_SD) ** 2)


def a_track(place: list[float], score: float, meter: str = "4/4") -> Track:
    return Track(frame_of(parse_meter(meter)), np.array(place), np.zeros(len(place), int), score, 0.6)


def test_other_beats_stand_before_bar_lines_that_only_lie_elsewhere() -> None:
    steps = [float(k) for k in range(20)]
    late = [k + (1.0 if k >= 12 else 0.0) for k in range(20)]
    first, moved, other = (
        a_track(steps, -0.1),
        a_track([k + 1 for k in steps], -0.5),
        a_track(late, -3.0),
    )
    assert beaten_alike(first, moved)
    assert not beaten_alike(first, other)
    assert other_beats_second([first, moved, other]) == [first, other, moved]
    assert other_beats_second([first, moved]) == [first, moved]
    wider = a_track([k + (1.0 if k >= 16 else 0.0) for k in range(20)], -2.0)  # bar lines as the first, too
    assert other_beats_second([first, wider, other, moved]) == [first, wider, moved, other]


ONSETS = [k * 500_000 for k in range(32)]  # quarters at 120


def test_readings_of_one_meter_say_where_they_start_and_where_their_beats_part() -> None:
    four = Meter(4, 4)
    first, moved = steady_map(120, 0, 0), steady_map(120, QUARTER, 0)
    waits = PulseMap(
        (Pulse(0, 0), Pulse(12 * QUARTER, 6_000_000), Pulse(14 * QUARTER, 6_500_000), Pulse(34 * QUARTER, 16_500_000))
    )
    words = in_words(ONSETS, 16_000_000, [(four, first), (four, moved), (four, waits), (Meter(3, 4), first)])
    assert words[0].endswith("8 bars, starts on beat 1")
    assert words[1].endswith("8 bars, starts on beat 2")
    assert words[2].endswith("8 bars, starts on beat 1, other beats after 3 bars")
    assert words[3].startswith("3/4, ")
    assert words[3].endswith("11 bars")
    assert in_words(ONSETS, 16_000_000, [(four, first), (Meter(3, 4), first)])[0].endswith("8 bars")


def test_readings_that_would_be_called_alike_say_what_else_differs() -> None:
    two = Meter(2, 4)
    straight = steady_map(120, 0, 0)
    late = PulseMap(
        (Pulse(0, 0), Pulse(8 * QUARTER, 4_000_000), Pulse(9 * QUARTER, 4_600_000), Pulse(32 * QUARTER, 16_000_000))
    )
    words = in_words(ONSETS, 16_000_000, [(two, straight), (two, late), (two, straight)])
    assert words[0].endswith("16 bars")
    assert words[1].endswith("16 bars, other rhythm after 4 bars")
    assert words[2].endswith("16 bars, other rhythm here and there")


def test_a_pick_up_is_named_by_its_part_of_the_beat() -> None:
    six = Meter(6, 8)
    pickup, plain = steady_map(120, 5 * QUARTER // 2, 0), steady_map(120, 0, 0)
    words = in_words(ONSETS, 16_000_000, [(six, pickup), (six, plain)])
    assert "starts on beat 2, 3rd of 3" in words[0]
    assert words[1].endswith("starts on beat 1")


@pytest.mark.parametrize("qpm", [120.0, 240.0, 60.0])
def test_another_tempo_altogether_is_not_called_other_beats(qpm: float) -> None:
    assert bars_alike(ONSETS, Meter(4, 4), steady_map(120, 0, 0), steady_map(qpm, 0, 0), BEATS_APART) is None


def test_a_take_of_one_note_has_words_as_well() -> None:
    assert in_words([1_000_000], 1_200_000, [(Meter(4, 4), steady_map(120, 0, 0))])[0].endswith("1 bar")
