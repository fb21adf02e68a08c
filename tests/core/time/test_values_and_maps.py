"""Ticks, values, meters, bars and pulse maps against published values and arithmetic."""

from __future__ import annotations

from fractions import Fraction as F

import pytest

from ductus.core.errors import BadInput, CannotWrite
from ductus.core.time.bars import Timeline
from ductus.core.time.meters import IRREGULAR_GROUPS, Meter, parse_meter
from ductus.core.time.note_values import (
    BASE_TICKS,
    MAX_DOTS,
    TRIPLET,
    VALUE_BY_TICKS,
    NoteValue,
    Tuplet,
    describe_value,
    value_for_ticks,
)
from ductus.core.time.pulse_map import Pulse, PulseMap, steady_map, tempo_of
from ductus.core.time.ticks import QUARTER, shown_ticks, ticks_of_quarters, ticks_of_shown


# Arithmetic at 960 to the quarter (common practice).
@pytest.mark.parametrize(
    ("value", "shown"),
    [
        (NoteValue("eighth", 0, TRIPLET), 320),
        (NoteValue("quarter", 1), 1440),
        (NoteValue("16th"), 240),
        (NoteValue("eighth", 0, Tuplet(5, 4)), 384),
        (NoteValue("128th", 1), 45),
    ],
)
def test_values_have_the_usual_tick_counts(value: NoteValue, shown: int) -> None:
    assert shown_ticks(value.ticks) == shown


def test_seven_sixteenths_in_the_time_of_eight_end_exactly_at_1920() -> None:
    assert shown_ticks(7 * NoteValue("16th", 0, Tuplet(7, 8)).ticks) == 1920


@pytest.mark.parametrize("n", range(2, 17))
@pytest.mark.parametrize("base", ["whole", "quarter", "128th"])
def test_every_tuplet_up_to_sixteen_is_exact_in_every_value(n: int, base: str) -> None:
    normal = 2 ** (n.bit_length() - 1) if n & (n - 1) else n // 2
    assert n * NoteValue(base, 0, Tuplet(n, normal)).ticks == normal * BASE_TICKS[base]


def test_a_tuplet_of_seventeen_is_refused_with_a_sentence() -> None:
    with pytest.raises(CannotWrite, match="17 in the time of 16 cannot be written"):
        Tuplet(17, 16)


def test_a_length_finer_than_a_tick_is_refused() -> None:
    with pytest.raises(CannotWrite, match="finer than Ductus writes"):
        ticks_of_quarters(F(1, 17))
    assert ticks_of_shown(960) == QUARTER


def test_no_two_values_share_a_length() -> None:
    assert len(VALUE_BY_TICKS) == len(BASE_TICKS) * (MAX_DOTS + 1)
    assert value_for_ticks(QUARTER * 5 // 4) is None


def test_values_are_said_as_people_say_them() -> None:
    assert describe_value(NoteValue("eighth", 1)) == "dotted eighth"
    assert describe_value(NoteValue("16th", 0, Tuplet(7, 8))) == "16th septuplet 7:8"
    assert describe_value(NoteValue("quarter"), british=True) == "crotchet"


@pytest.mark.parametrize(
    ("text", "beats", "quarters"),
    [
        ("4/4", 4, 4),
        ("3/4", 3, 3),
        ("6/8", 2, 3),
        ("9/8", 3, F(9, 2)),
        ("12/8", 4, 6),
        ("2/2", 2, 4),
        ("5/8", 2, F(5, 2)),
        ("7/8", 3, F(7, 2)),
        ("3/8", 1, F(3, 2)),
        ("5/4", 5, 5),
    ],
)
def test_meters_are_felt_in_the_usual_beats(text: str, beats: int, quarters: F) -> None:
    meter = parse_meter(text)
    assert len(meter.groups) == beats
    assert meter.bar_ticks == quarters * QUARTER


def test_irregular_groups_fill_their_bars() -> None:
    assert all(sum(groups) == count for count, groups in IRREGULAR_GROUPS.items())
    assert parse_meter("7/8 (3+2+2)").beat_starts == (0, QUARTER * 3 // 2, QUARTER * 5 // 2)
    with pytest.raises(BadInput, match="do not fill a bar of 7/8"):
        parse_meter("7/8 (3+3)")


@pytest.mark.parametrize(
    ("text", "meter", "groups"),
    [("2+2+3/8", "7/8", (2, 2, 3)), ("(3 + 2)/8", "5/8", (3, 2)), ("7/8 3+2+2", "7/8", (3, 2, 2)),
     ("¢", "2/2", (1, 1)), ("3 / 4", "3/4", (1, 1, 1))],
)  # fmt: skip
def test_a_meter_is_read_as_it_is_written_by_hand(text: str, meter: str, groups: tuple[int, ...]) -> None:
    assert (str(parse_meter(text)), parse_meter(text).groups) == (meter, groups)


@pytest.mark.parametrize("text", ["", "4", "0/4", "4/4 ()", "7/8 (2+)", "2+2+3", "+3/8", "4/3", "a/b", "33/4"])
def test_what_is_no_meter_is_refused(text: str) -> None:
    with pytest.raises(BadInput):
        parse_meter(text)


def test_beats_rank_bar_then_middle_then_weak() -> None:
    # 4/4: 1, then 3, then 2 = 4 (common practice; Lerdahl & Jackendoff 1983 draw the same grid, from memory).
    levels = [Meter(4, 4).level_at(k * QUARTER) for k in range(4)]
    assert levels == [0, 2, 1, 2]
    assert Meter(3, 4).level_at(QUARTER) == Meter(3, 4).level_at(2 * QUARTER) == 2
    assert Meter(6, 8).level_at(QUARTER // 2) == 3


def test_bars_follow_a_pick_up_and_meter_changes() -> None:
    line = Timeline({0: Meter(3, 4), 3: Meter(2, 4)}, QUARTER)
    assert [(line.bar(i).start // QUARTER, line.bar(i).ticks // QUARTER) for i in range(5)] == [
        (0, 1),
        (1, 3),
        (4, 3),
        (7, 2),
        (9, 2),
    ]
    assert line.place_words(0) == "pick-up, beat 3"
    assert line.place_words(QUARTER) == "bar 1, beat 1"
    assert line.place_words(8 * QUARTER + QUARTER // 2) == "bar 3, beat 2 and"
    for tick in range(0, 12 * QUARTER, QUARTER // 2):
        bar = line.bar_at(tick)
        assert bar.start <= tick < bar.end


@pytest.mark.parametrize(
    ("quarters", "words"),
    [
        (F(0), "pick-up, beat 4"),
        (F(1, 2), "last eighth of the pick-up"),
        (F(3, 4), "last 16th of the pick-up"),
        (F(1), "bar 1, beat 1"),
        (F(5, 2), "bar 1, beat 2 and"),
        (F(13, 3), "bar 1, beat 4, 2nd of 3"),
        (F(1) + F(27, 32), "bar 1, beat 1, 28th of 32"),
        (F(1) + F(317, 960), "bar 1, beat 1, shortly after 3rd of 8"),
        (F(1) + F(1, 960), "bar 1, beat 1, shortly after it"),
    ],
)
def test_places_are_said_as_musicians_say_them(quarters: F, words: str) -> None:
    """Common practice: "beat 2 and", never "beat 2 1/2"."""
    assert Timeline({0: Meter(4, 4)}, QUARTER).place_words(int(quarters * QUARTER)) == words


def test_typed_places_are_found_again() -> None:
    line = Timeline({0: Meter(6, 8)})
    assert line.tick_of(2, 2) == 3 * QUARTER + QUARTER * 3 // 2
    assert line.place_words(line.tick_of(5, F(5, 3))) == "bar 5, beat 1, 3rd of 3"


# --- arithmetic of tempo, by hand -------------------------------------------------------


@pytest.mark.parametrize(("beats", "tempo"), [(16, 83.80), (12, 62.85), (20, 104.75)])
def test_a_stretch_of_11_456_seconds_gives_its_tempo(beats: int, tempo: float) -> None:
    assert tempo_of(beats, 11.456) == pytest.approx(tempo, abs=0.005)


@pytest.mark.parametrize(("tempo", "seconds"), [(84, 11.429), (78, 12.308), (95, 10.105)])
def test_sixteen_beats_last_as_long_as_the_tempo_says(tempo: float, seconds: float) -> None:
    assert steady_map(tempo, 0, 0).time_at(16 * QUARTER) == pytest.approx(seconds * 1e6, abs=500)


@pytest.mark.parametrize(("tempo", "seconds"), [(63, 7.62), (76, 6.32)])
def test_two_bars_of_four_last_as_long_as_a_stop_watch_says(tempo: float, seconds: float) -> None:
    assert steady_map(tempo, 0, 0).time_at(8 * QUARTER) / 1e6 == pytest.approx(seconds, abs=0.005)


def test_a_pulse_map_goes_both_ways_and_beyond_its_ends() -> None:
    pulses = PulseMap((Pulse(0, 1_000_000), Pulse(QUARTER, 1_500_000), Pulse(2 * QUARTER, 2_500_000)))
    for time_us in (400_000, 1_000_000, 1_250_000, 2_000_000, 3_500_000):
        assert pulses.time_at(round(pulses.tick_at(time_us))) == pytest.approx(time_us, abs=1)
    assert pulses.us_per_quarter_at(QUARTER * 3 // 2) == pytest.approx(1e6)
    with pytest.raises(BadInput, match="Beats must follow each other"):
        PulseMap((Pulse(0, 5), Pulse(QUARTER, 5)))
