"""Labellings of free playing: what a musician would consider is there, told hints are kept, and the measures over
the whole take tell them apart.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction as F

import numpy as np
import pytest
from numpy.typing import NDArray

from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.reading.beat_tracking.bar_features import (
    ALL_SLOTS,
    BARS,
    DIVISIONS,
    FIRST_SLOT,
    MEASURED,
    Judged,
    bass_line,
    beat_s,
    divided,
    levels_of,
    likeness,
    measured,
    on_slots,
    pace_of_kind,
    repetition,
)
from ductus.core.reading.beat_tracking.beam_search import JUMPED, BeamSearch, Hypotheses, Track, frame_of
from ductus.core.reading.beat_tracking.meter_candidates import MEASURES, features_of, siblings, told_apart, weights
from ductus.core.reading.beat_tracking.tempo_curve import tempo_curve
from ductus.core.reading.beat_tracking.tracker import (
    find_beats,
    frames_for,
    heard,
    priors,
    read_freely,
    with_halved,
    with_triplets,
)
from ductus.core.reading.model import Decisions, ReadingResult, ReadSettings
from ductus.core.reading.page.insertion import page_of
from ductus.core.reading.quantization.subdivisions import COMPOUND, SIMPLE, allowed_divisions, rhythm_table
from ductus.core.reading.review.prompt import pace_words
from ductus.core.time.meters import Meter, parse_meter
from ductus.core.time.ticks import QUARTER
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
        ("6/8", 0.9),
        ("6/8", 0.6),
    } <= kinds
    phases = {
        round(float(c.track.place[0]) % 3, 2)
        for c in found
        if str(c.track.frame.meter) == "3/4" and c.track.period == 0.6
    }
    assert phases == {0.0, 1.0, 2.0}
    assert sum(c.own for c in found) == 1


def test_no_beat_is_slower_than_a_metronome_counts_unless_its_meter_was_told() -> None:
    """The slowest mark is 40 (common practice)."""
    track, time = straight("3/4", period_s=0.6)
    beats = [beat_s(c.track, time) for c in siblings([track], frames_for(ReadSettings()), time)]
    assert 1.15 < max(beats) <= 1.5
    told = siblings([track], frames_for(ReadSettings(meter=Meter(6, 8))), time)
    assert max(beat_s(c.track, time) for c in told) > 1.75


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


def notes_at(time: Sequence[float] | NDArray[np.float64], keys: Sequence[int], length_s: Sequence[float]) -> Take:
    """A take of notes at these seconds."""
    rows = zip(time, keys, length_s, strict=True)
    return Take(tuple(PlayedNote(round(t * 1e6), round((t + s) * 1e6), k) for t, k, s in rows))


def test_harmony_that_comes_back_after_a_bar_speaks_for_that_bar() -> None:
    """Two chords that change every three beats and come back after six.

    Three beats later nothing is alike, six beats later all is.
    """
    track, time = straight("3/4", 8, F(1))
    keys = [(60, 67)[k // 3 % 2] for k in range(len(time))]
    harmony = heard(notes_at(time, keys, [0.5] * len(time))).harmony
    one, two, four, _, _, bars, pitches = likeness(track, harmony)
    assert (one, two, four, bars) == (0.0, pytest.approx(1), pytest.approx(1), 0.0)
    assert pitches == pytest.approx(0, abs=1e-6)  # one pitch class to the bar
    other = likeness(replace(track, frame=frame_of(Meter(4, 4))), harmony)
    assert 0 < other[0] < 1
    assert other[-1] > 0.3


def test_the_gap_of_the_bass_is_told_in_beats_and_in_bars() -> None:
    track, time = straight("3/4", 8, F(1))
    keys = [(36, 64, 67)[k % 3] for k in range(len(time))]
    known = heard(notes_at(time, keys, [0.5] * len(time)))
    assert known.bass.tolist() == [k % 3 == 0 for k in range(len(time))]
    on, struck, beats, bars = bass_line(track, known.bass, levels_of(track) == 0)
    assert (on, beats, bars) == (1.0, pytest.approx(math.log(3)), 0.0)
    assert struck == pytest.approx(24 / 23)  # eight bar lines over seven bars and two beats


def test_notes_and_long_notes_are_weighed_where_they_stand_in_the_bar() -> None:
    """A half and two eighths: the half is the long one, and only the slots of three beats know of it."""
    frame = frame_of(Meter(3, 4))
    place = np.array([k + x for k in range(0, 24, 3) for x in (0.0, 2.0, 2.5)])
    track = Track(frame, place, np.zeros(len(place), int), 0.0, 0.6)
    length = np.array([1.0, -0.5, -0.5] * 8)
    long, struck = on_slots(track, length).reshape(2, ALL_SLOTS)
    first = FIRST_SLOT[3, SIMPLE]
    assert long[first : first + 6].round(6).tolist() == [round(1 / 3, 6), 0, 0, 0, round(-1 / 6, 6), round(-1 / 6, 6)]
    once = 8 / (23.5 / 3)  # eight times in as many bars as lie between the first chord and the last
    assert struck[first : first + 6].tolist() == pytest.approx([once, 0, 0, 0, once, once])
    assert np.count_nonzero(long) == np.count_nonzero(struck) == 3
    five = Track(frame_of(Meter(5, 4)), place, np.zeros(len(place), int), 0.0, 0.6)
    assert not on_slots(five, length).any()  # a bar that the fit never saw


@pytest.mark.parametrize(
    ("meter", "places", "expected"),
    [
        ("4/4", (0, 0.25, 0.5, 0.75), [1 / 2, 0, 0, 0, 0, 0]),  # sixteenths
        ("4/4", (0, 1 / 3, 2 / 3), [0, 2 / 3, 0, 0, 0, 0]),  # a triplet
        ("2/4", (0, 1 / 8, 0.5, 7 / 8), [0, 0, 1 / 2, 0, 0, 0]),
        ("6/8", (0, 1 / 3, 2 / 3), [0, 0, 0, 0, 0, 0]),  # eighths
        (
            "6/8",
            (0, 1 / 6, 0.5, 5 / 6),
            [0, 0, 0, 0, 1 / 4, 1 / 2],
        ),  # the half of a dotted quarter is a sixth and two more
        ("6/8", (0, 0.25, 0.5, 0.75), [0, 0, 0, 1 / 2, 1 / 4, 0]),  # four to a dotted quarter
    ],
)
def test_how_beats_are_divided_is_told_apart_by_family(
    meter: str, places: tuple[float, ...], expected: list[float]
) -> None:
    frame = frame_of(parse_meter(meter))
    place = np.array([k + x for k in range(8) for x in places])
    assert divided(Track(frame, place, np.zeros(len(place), int), 0.0, 0.6)).tolist() == pytest.approx(expected)


def test_a_beat_is_long_or_short_for_its_kind_of_bar() -> None:
    track, time = straight("6/8", period_s=0.5)
    ln_s, squared = pace_of_kind(track, time).reshape(2, len(BARS))
    at = BARS.index((2, COMPOUND))
    assert (ln_s[at], squared[at]) == (pytest.approx(math.log(0.5)), pytest.approx(math.log(0.5) ** 2))
    assert np.count_nonzero(ln_s) == np.count_nonzero(squared) == 1


def test_a_take_knows_where_in_the_bar_it_begins_and_ends() -> None:
    track, time = straight("3/4", 4, F(1))
    known = heard(notes_at(time, [60] * len(time), [0.5] * len(time)))
    row = measured(replace(track, place=track.place + 2), Judged(-1.0, False, 0.0), known)
    begins, ends = row[MEASURED.index("starts at")], row[MEASURED.index("ends at")]
    assert (begins, ends) == (pytest.approx(2 / 3), pytest.approx(1 / 3))


def test_the_table_fits_the_features() -> None:
    fitted = weights()
    track, time = straight("3/4")
    known = heard(notes_at(time, [60] * len(time), [0.2] * len(time)))
    found = siblings([track], frames_for(ReadSettings()), known.chords.time)
    rows = features_of(found, [track], known, priors())
    assert rows.shape == (len(found), len(MEASURES) + 3 * ALL_SLOTS + DIVISIONS + 2 * len(BARS))
    assert np.isfinite(rows).all()
    made = told_apart(rows, fitted.middle, fitted.deviation)
    assert made.shape == (len(found), len(fitted.weight))
    assert np.isfinite(made @ fitted.weight).all()


@pytest.mark.parametrize(("make", "bars", "meter", "qpm"), [(waltz, 16, "3/4", 108.0), (jig, 9, "6/8", 150.0)])
def test_a_free_piece_of_the_barge_is_offered_in_its_meter(make: object, bars: int, meter: str, qpm: float) -> None:
    """Nothing is told; the right meter is among the three, and they do not have the same bar lines all."""
    piece = make()  # type: ignore[operator]
    offered = []
    for seed in (3, 29):
        take = Take(tuple(play(piece, range(bars), seed, qpm, start_us=1_000_000)))
        result = read_freely(take, ReadSettings(readings=3), Decisions())
        offered.append({str(r.meter) for r in (result, *result.rivals)})
    assert sum(meter in o for o in offered) >= 1


def bars_of(result: ReadingResult) -> list[float]:
    """How long each bar lasts, in seconds."""
    last = max(n.tick for n in result.notes)
    edges = range(0, last, result.meter.bar_ticks)
    times = [result.pulses.time_at(t) / 1e6 for t in edges]
    return [b - a for a, b in itertools.pairwise(times)]


@pytest.mark.parametrize(("ratio", "followed"), [(1.3, True), (1.5, True), (1.9, False), (0.7, True), (0.52, False)])
def test_a_tempo_may_jump_but_not_to_another_octave(ratio: float, followed: bool) -> None:
    """A chord on the next beat after more or less than a beat is a new tempo, as far as that is not half or twice
    the old one.
    """
    frame = frame_of(Meter(4, 4))
    search = BeamSearch(frame, rhythm_table(), allowed_divisions(frame.beat_ticks, frame.family, None, True), None)
    search.advance(np.arange(8.0) * 0.6, np.zeros((8, 5)), 0.02)
    known = search._now
    assert known is not None
    steady = int(np.flatnonzero(np.isclose(known.period, 0.6, rtol=0.02) & (known.row == 0))[0])
    best = Hypotheses(*(getattr(known, name)[[steady]] for name in Hypotheses.__dataclass_fields__))
    targets = np.arange(search.targets.distance.shape[1])
    after = search._jumps(
        best, np.zeros_like(targets), targets, float(best.time[0]) + ratio * float(best.period[0]), 4e-4
    )
    assert bool((np.isclose(after.place - best.place[0], 1) & (after.move == JUMPED)).any()) == followed


def lullaby(beat_s: float) -> Take:
    """A slow tune over its basses, three beats to the bar."""
    tune = [(0, 2, 67), (2, 1, 64), (3, 2, 65), (5, 1, 62), (6, 1, 64), (7, 1, 65), (8, 1, 67), (9, 3, 64)] * 3
    notes = [(12 * (k // 8) + at, length, key) for k, (at, length, key) in enumerate(tune)]
    notes += [(3 * b, 1, (48, 43, 48, 36)[b % 4]) for b in range(12)]
    notes += [(3 * b + k, 1, (52, 55)[k - 1]) for b in range(12) for k in (1, 2)]
    played = [
        PlayedNote(round((1 + at * beat_s) * 1e6), round((1 + (at + length * 0.9) * beat_s) * 1e6), key)
        for at, length, key in notes
    ]
    return Take(tuple(sorted(played, key=lambda n: (n.onset_us, n.key))))


def test_a_slow_three_eight_that_was_told_has_bars_of_three_slow_eighths() -> None:
    result = read_freely(lullaby(0.95), ReadSettings(meter=Meter(3, 8)), Decisions())
    assert np.median(bars_of(result)) == pytest.approx(2.85, rel=0.05)


def test_a_slow_three_four_is_offered_as_three_eight_as_well() -> None:
    """The same bars in halved values (common practice for slow movements); nothing else is as near."""
    result = read_freely(lullaby(0.85), ReadSettings(readings=3), Decisions())
    offered = [(str(r.meter), round(float(np.median(bars_of(r))), 1)) for r in (result, *result.rivals)]
    assert offered[0] == ("3/4", 2.5) or offered[0] == ("3/4", 2.6)
    assert any(meter == "3/8" and length == offered[0][1] for meter, length in offered[1:]), offered


def test_a_slow_three_eight_is_counted_in_its_eighths() -> None:
    """A dotted quarter at 21 is below a metronome's range; the eighth at 63 is meant (common practice)."""
    result = read_freely(lullaby(0.95), ReadSettings(meter=Meter(3, 8)), Decisions())
    tempo = next(iter(page_of(result).tempi.values()))
    assert (tempo.beat.base, tempo.beat.dots) == ("eighth", 0)
    assert tempo.bpm == pytest.approx(63, abs=1.5)
    assert tempo_curve(result).average == pytest.approx(63, abs=1.5)
    assert pace_words(Meter(3, 8), 1.9e6) == "♪ ≈ 63"
    assert pace_words(Meter(6, 8), 0.5e6) == "♩. ≈ 80"


def test_one_page_is_not_offered_twice_as_slow_and_as_compound_three_eight() -> None:
    """Counted in one or in three, 3/8 is the same page."""
    slow, _ = straight("3/4", step=F(1), period_s=0.8)
    as_one = Track(frame_of(Meter(3, 8)), slow.place / 3, slow.move, -1.0, 2.4)
    other = Track(frame_of(Meter(4, 4)), slow.place, slow.move, -9.0, 0.8)
    span_s = 0.8 * float(slow.place[-1])
    assert [str(t.frame.meter) for t in with_halved([slow, other, other], span_s)] == ["3/4", "4/4", "3/8", "4/4"]
    assert [str(t.frame.meter) for t in with_halved([slow, as_one, other], span_s)] == ["3/4", "3/8", "4/4"]


@pytest.mark.parametrize("seed", [2, 5, 8])
def test_what_the_page_may_hold_does_not_move_the_beats(seed: int) -> None:
    """An uneven player needs somewhere to stand between the divisions that are written.

    With fewer of them each slip would be a turn of the tempo.
    """
    take = Take(tuple(_unevenly(seed)))
    plain = ReadSettings(meter=Meter(3, 4), about=96)
    told = ReadSettings(meter=Meter(3, 4), about=96, shortest="eighth", tuplets=False)
    assert [b.pulses for b in find_beats(take, plain, Decisions(), 3)] == [
        b.pulses for b in find_beats(take, told, Decisions(), 3)
    ]


def _unevenly(seed: int) -> list[PlayedNote]:
    """The waltz, freely, with 30 ms more of unevenness in each chord."""
    rng = np.random.default_rng(seed)
    off: dict[int, int] = {}
    moved = []
    for n in play(waltz(), range(16), seed, 96, free=True, start_us=0):
        by = off.setdefault(n.onset_us // 100_000, int(rng.normal(0, 30_000)))
        moved.append(
            PlayedNote(max(n.onset_us + by, 0), max(n.release_us + by, n.onset_us + by + 40_000), n.key, n.velocity)
        )
    return sorted(moved, key=lambda n: (n.onset_us, n.key))


TUNE = [(67, 2), (69, 1), (71, 1), (72, 3), (71, 1), (69, 2), (67, 2), (64, 4)] * 3  # key, quarters


def _over_triplets(seed: int) -> Take:
    """Twelve bars of a tune in halves and quarters over broken chords in triplets, at 92, played unevenly by 12 ms."""
    rng = np.random.default_rng(seed)
    notes = []
    beat_us, at = 60e6 / 92, 0
    for key, beats in TUNE:
        begin = 500_000 + at * beat_us + rng.normal(0, 12_000)
        notes.append(PlayedNote(round(begin), round(begin + beats * beat_us * 0.95), key, 84))
        at += beats
    for k in range(at * 3):
        begin = 500_000 + k * beat_us / 3 + rng.normal(0, 12_000)
        chord = ((48, 52, 55), (43, 50, 53), (45, 52, 57), (43, 47, 53))[k // 12 % 4]
        notes.append(PlayedNote(round(begin), round(begin + beat_us / 3.2), chord[k % 3], 50))
    return Take(tuple(sorted(notes, key=lambda n: (n.onset_us, n.key))))


def test_triplets_under_a_tune_are_offered_as_triplets_beside_the_compound_meters() -> None:
    """Common practice: 12/8 and 4/4 in triplets sound the same; who wants the one must not be left with the other."""
    result = read_freely(_over_triplets(1), ReadSettings(readings=3), Decisions())
    offered = (result, *result.rivals)
    assert {r.meter.compound for r in offered} == {True, False}
    simple = next(r for r in offered if not r.meter.compound)
    assert [F(n.ticks, QUARTER) for n in simple.notes if n.pitch.midi > 60] == [beats for _, beats in TUNE]
    assert {F(n.ticks, QUARTER) for n in simple.notes if n.pitch.midi < 60} == {F(1, 3)}
    refused = read_freely(_over_triplets(1), ReadSettings(readings=3, tuplets=False), Decisions())
    assert all(r.meter.compound for r in (refused, *refused.rivals))  # no other page could hold it
    one = Track(frame_of(Meter(3, 8)), np.arange(0, 8, 1.0), np.zeros(8, int), 0.0, 0.9)
    assert with_triplets([one] * 4) == [one] * 4  # there is no bar of one quarter
    two = replace(one, frame=frame_of(Meter(6, 8)))
    assert [str(t.frame.meter) for t in with_triplets([two, one, one])[:3]] == ["6/8", "3/8", "2/4"]
    waltz = replace(one, frame=frame_of(Meter(3, 4)), place=one.place * 3 / 2, score=-2.0)  # in other beats
    assert with_triplets([two, one, waltz])[2] == waltz
    assert [str(t.frame.meter) for t in with_triplets([two, one, replace(waltz, score=-3.0)])[:3]] == [
        "6/8",
        "3/8",
        "2/4",
    ]
    march = replace(one, frame=frame_of(Meter(2, 4)), score=-9.0)  # in the same: it is there
    assert with_triplets([two, march, one])[2] == one
