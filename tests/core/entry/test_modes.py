"""Every way of entry, tried from the keys; check values of the trade are marked."""

from __future__ import annotations

import itertools
import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ductus.core.entry.commands.beat import Advance, ClickNote, DivideBeat, RhythmValue
from ductus.core.entry.commands.mode import (
    BeginPitches,
    ClicksDo,
    OverWhat,
    RhythmBy,
    WayTo,
)
from ductus.core.entry.commands.pen import (
    Back,
    PenTo,
    ReturnToStart,
    TypedPlace,
)
from ductus.core.entry.commands.registry import COMMANDS
from ductus.core.entry.commands.step_value import (
    FixVelocity,
    VaryLength,
)
from ductus.core.entry.events import Command, KeyDown, KeyUp, Pedal, Wait
from ductus.core.entry.machine import advance_entry
from ductus.core.entry.modes.registry import BY_NAME, WAY_WORDS
from ductus.core.entry.modes.rescale_beat import scaled
from ductus.core.entry.state import GATHER_US, MODES, RHYTHM_OVER_US, StepValue
from ductus.core.errors import NotThere
from ductus.core.notation.bars import notate_bar
from ductus.core.prompt.entry import sentence
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.piece import records_of
from ductus.core.time.meters import Meter, parse_meter
from ductus.core.time.note_values import Tuplet
from ductus.core.time.ticks import QUARTER
from tests.core.entry.player import Player

EIGHTH = StepValue("eighth")


def beat(player: Player, time_us: int) -> Player:
    return player.do(Pedal(time_us, True)).do(Pedal(time_us + 1000, False))


def waltz_pulses(until: str = "next") -> Player:
    """Twelve eighth pulses in 3/4; strokes at pulses 1, 4, 6 of each bar."""
    player = Player(new_piece(meter=Meter(3, 4)), way="pulse", step=EIGHTH, pulse_until=until)
    for pulse in range(1, 13):
        now = pulse * 300_000
        beat(player, now)
        if (pulse - 1) % 6 + 1 in (1, 4, 6):
            player.do(KeyDown(now + 20_000, 60 + pulse)).do(Wait(now + 70_000)).do(KeyUp(now + 100_000, 60 + pulse))
    return player.give(PenTo(False))


def test_strokes_at_pulses_one_four_six_are_dotted_quarter_quarter_eighth() -> None:
    """Check value (arithmetic)."""
    player = waltz_pulses()
    assert [n[:2] for n in player.notes()] == [(0, 1.5), (1.5, 1), (2.5, 0.5), (3, 1.5), (4.5, 1), (5.5, 0.5)]


def test_a_pulse_note_can_last_until_it_is_let_go() -> None:
    player = Player(way="pulse", step=EIGHTH, pulse_until="release")
    beat(player, 0).do(KeyDown(10_000, 60)).do(Wait(60_000))
    beat(player, 300_000).do(KeyUp(400_000, 60))
    beat(player, 600_000)
    beat(player, 900_000)
    assert player.notes() == [(0, 1, 60)]


def test_a_tune_note_just_before_a_pulse_belongs_to_it() -> None:
    player = Player(way="pulse", step=EIGHTH)
    beat(player, 0)
    player.do(KeyDown(280_000, 67))
    beat(player, 300_000).do(Wait(330_000)).give(PenTo(False))
    assert player.notes() == [(0.5, 3.5, 67)]


def test_the_pulse_key_of_the_instrument_never_becomes_a_note() -> None:
    player = Player(way="pulse", step=StepValue("quarter"), pulse_key=36)
    for k in range(4):
        player.do(KeyDown(k * 500_000, 36)).do(KeyUp(k * 500_000 + 50_000, 36))
        player.do(KeyDown(k * 500_000 + 60_000, 60 + k)).do(Wait(k * 500_000 + 120_000))
    assert [n[2] for n in player.give(PenTo(False)).notes()] == [60, 61, 62, 63]


def test_advance_writes_lengthens_shortens_and_rests() -> None:
    """Common practice (check values): held with three advances, three steps; one back: two."""
    player = Player(when="advance").do(KeyDown(0, 60)).do(KeyDown(1, 64))
    for _ in range(3):
        player.give(Advance())
    assert player.notes() == [(0, 3, 60), (0, 3, 64)]
    player.give(Back())
    assert player.notes() == [(0, 2, 60), (0, 2, 64)]
    player.give(Back()).give(Back())
    assert player.notes() == []
    player.do(KeyUp(5, 60)).do(KeyUp(5, 64)).give(Advance())
    assert player.said[-1].startswith("rest")
    assert player.state.tick == QUARTER


def test_rhythm_first_then_pitches_keeps_the_rhythm() -> None:
    player = Player(way="rhythm")
    for value in ("half", "quarter", "quarter"):
        player.give(RhythmValue(value))
    player.do(KeyDown(0, 30)).give(BeginPitches())
    assert player.state.way == "over"
    for key in (60, 62, 64, 65):
        player.chord(key)
    assert player.notes() == [(0, 2, 60), (2, 1, 62), (3, 1, 64), (4, 1, 65)]
    assert "begins again" in player.said[-1]
    player.chord(72)
    assert player.notes()[0] == (0, 2, 60)
    player.give(Advance()).chord(72)
    assert player.notes()[0] == (0, 2, 72)


@pytest.mark.parametrize(
    ("mode", "after"),
    [("pitch", (67, 70)), ("velocity", (60, 99)), ("both", (67, 99)), ("beside", (60, 70))],
)
def test_over_what_is_written_replaces_what_was_chosen(mode: str, after: tuple[int, int]) -> None:
    player = Player().chord(60).chord(62).give(ReturnToStart()).give(WayTo("over"))
    player.give(OverWhat(mode))  # type: ignore[arg-type]
    player.do(KeyDown(9, 67, 99)).do(KeyUp(10, 67))
    first = min((n for n in player.piece.notes.values() if n.tick == 0), key=lambda n: n.pitch.midi)
    assert (first.pitch.midi, first.velocity) == after
    assert len(player.notes()) == (3 if mode == "beside" else 2)


def test_more_keys_add_notes_and_fewer_remove_and_it_is_said() -> None:
    player = Player().chord(60, 64).give(ReturnToStart()).give(WayTo("over")).chord(62, 65, 69)
    assert player.notes() == [(0, 1, 62), (0, 1, 65), (0, 1, 69)]
    assert "1 note more" in player.said[-1]
    player.give(ReturnToStart()).chord(60)
    assert "2 notes fewer" in player.said[-1]


def test_one_beat_again_scales_a_slow_figure_into_its_beat() -> None:
    player = Player().chord(60).chord(62).give(TypedPlace("1.2")).give(WayTo("beat"))
    now = 0
    for key, length in ((67, 1_000_000), (69, 500_000), (71, 480_000)):  # long, short, short: eighth, two sixteenths
        player.do(KeyDown(now, key)).do(KeyUp(now + length - 20_000, key))
        now += length
    player.do(Wait(now + 2_000_000))
    assert player.notes() == [(0, 1, 60), (1, 0.5, 67), (1.5, 0.25, 69), (1.75, 0.25, 71)]


@pytest.mark.parametrize(
    ("onsets", "division", "parts"),
    [([0.0], 1, [0]), ([0.0, 0.52], 2, [0, 1]), ([0.0, 0.35, 0.66], 3, [0, 1, 2]), ([0.0, 0.74], 4, [0, 3])],
)
def test_the_simplest_division_that_explains_a_figure_wins(
    onsets: list[float], division: int, parts: list[int]
) -> None:
    assert scaled(onsets, len(onsets)) == (division, parts)


def test_divide_a_beat_into_equal_parts() -> None:
    player = Player().chord(60, 64).give(TypedPlace("1.1")).give(DivideBeat(3))
    assert [round(n[1], 3) for n in player.notes()] == [0.333] * 6
    assert any(m.tuplet == Tuplet(3, 2) for m in player.piece.marks.values())


def test_foot_led_holds_a_note_over_a_moving_voice_in_voices_of_their_own() -> None:
    player = Player(way="foot").do(KeyDown(0, 72))
    for k, key in enumerate((64, 65, 67)):
        player.do(KeyDown(k * 100, key))
        beat(player, k * 100 + 10).do(KeyUp(k * 100 + 20, key))
    player.do(KeyUp(999, 72))
    assert player.notes() == [(0, 1, 64), (0, 3, 72), (1, 1, 65), (2, 1, 67)]
    voices = {n.pitch.midi: n.voice for n in player.piece.notes.values()}
    assert voices[72] != voices[64] == voices[65] == voices[67]


@pytest.mark.parametrize(("grey", "written"), [("drop", []), ("write", [(0, 1, 60)])])
def test_a_key_let_go_before_the_tap_stays_grey(grey: str, written: list[tuple[float, float, int]]) -> None:
    player = Player(way="foot", foot_grey=grey).do(KeyDown(0, 60)).do(KeyUp(10, 60))
    assert len(player.state.held) == 1
    assert beat(player, 20).notes() == written


def test_walking_goes_on_while_keys_are_held_and_a_tap_makes_a_rest() -> None:
    player = (
        Player(way="walk", walk_us=500_000)
        .do(KeyDown(0, 60))
        .do(Wait(40_000))
        .do(Wait(540_000))
        .do(Wait(1_040_000))
        .do(KeyUp(1_100_000, 60))
    )
    assert player.notes() == [(0, 3, 60)]
    beat(player, 2_000_000).do(KeyDown(3_000_000, 62)).do(Wait(3_040_000)).do(KeyUp(3_100_000, 62))
    assert player.notes()[-1] == (4, 1, 62)


@pytest.mark.parametrize("way", MODES)
def test_the_line_names_part_staff_voice_place_and_what_happens(way: str) -> None:
    player = Player(way=way)
    words = "".join(p.words for p in sentence(player.state, player.piece))
    assert "piano, right hand, voice 1" in words
    assert "bar 1, beat 1" in words
    assert words.endswith("or ...")
    for phrase in sentence(player.state, player.piece):
        for choice in phrase.choices:
            outcome = advance_entry(player.state, Command(choice.do), player.piece)
            assert outcome.say or outcome.state == player.state, choice.label


def test_every_way_has_words_and_code() -> None:
    assert set(MODES) == set(BY_NAME) == set(WAY_WORDS)
    assert len({kind.__dataclass_fields__["name"].default for kind in COMMANDS}) == len(COMMANDS)


def test_ways_change_in_the_middle_without_losing_anything() -> None:
    player = Player().chord(60).give(WayTo("pulse"))
    beat(player, 0).do(KeyDown(5_000, 62)).do(Wait(60_000))
    player.give(WayTo("step")).chord(64)
    assert [n[2] for n in player.notes()] == [60, 62, 64]


def struck(*values: float, bpm: float = 92, uneven: float = 0.0, seed: int = 1) -> Player:
    """One key struck in these values (quarters), read when the silence is over."""
    rng = random.Random(seed)
    player = Player(new_piece(bpm=bpm), way="rhythm", step=StepValue("16th")).give(RhythmBy("time"))
    quarter_us, now = 60e6 / bpm, 1_000_000.0
    for value in values:
        at = now + rng.gauss(0, uneven)
        player.do(KeyDown(round(at), 40)).do(KeyUp(round(at + 0.8 * value * quarter_us), 40))
        now += value * quarter_us
    return player.do(Wait(round(now + RHYTHM_OVER_US)))


@pytest.mark.parametrize(
    "values",
    [
        (1.5, 0.5, 1, 1),
        (0.75, 0.25, 0.5, 0.5, 2),
        (1, 1 / 3, 1 / 3, 1 / 3, 1, 1),
        (0.5, 1, 0.5, 2),
        (0.25, 0.25, 0.25, 0.25, 1, 2),
    ],
)
def test_a_rhythm_struck_in_time_on_one_key_is_written(values: tuple[float, ...]) -> None:
    """The unevenness, 12 ms, is that of trained players (common practice)."""
    player = struck(*values, *values, uneven=12_000)
    places = [0.0]
    for value in (*values, *values):
        places.append(places[-1] + value)
    assert [n[0] for n in player.notes()] == pytest.approx(places[:-1], abs=1e-6)
    assert [n[1] for n in player.notes()] == pytest.approx([*values, *values], abs=1e-6)
    assert player.state.tick == round(places[-1] * QUARTER)
    assert player.state.figure.notes == ()


def test_a_rhythm_struck_slower_than_the_tempo_is_the_same_rhythm() -> None:
    slow = Player(new_piece(bpm=120), way="rhythm", step=StepValue("16th")).give(RhythmBy("time"))
    at = 0.0
    for value in (1, 0.5, 0.5, 1, 1, 1.5, 0.5, 2):
        slow.do(KeyDown(round(at), 50)).do(KeyUp(round(at + value * 450_000), 50))
        at += value * 600_000  # a quarter lasts 600 ms: 100 instead of 120
    slow.give(Advance())
    assert [n[0] for n in slow.notes()] == [0, 1, 1.5, 2, 3, 4, 5.5, 6]
    before = len(slow.notes())
    slow.give(Advance())
    assert len(slow.notes()) == before
    assert "Nothing was struck" in slow.said[-1]


def test_sounding_lengths_vary_within_their_bound_and_the_same_each_time() -> None:
    """Bounded, seeded; the writing stays."""

    def lengths(setting: VaryLength) -> list[int]:
        player = Player().give(setting)
        for key in range(60, 76):
            player.chord(key)
        assert {n[1] for n in player.notes()} == {1.0}
        return [n.sounds_ticks or n.ticks for n in sorted(player.piece.notes.values(), key=lambda n: n.tick)]

    ten = lengths(VaryLength(10))
    assert all(0.9 * QUARTER <= x <= 1.1 * QUARTER for x in ten)
    assert len(set(ten)) > 10
    assert lengths(VaryLength(10)) == ten
    assert lengths(VaryLength(10, 7)) != ten
    assert set(lengths(VaryLength())) == {QUARTER}


def test_a_click_writes_a_note_at_its_place_with_the_stated_velocity() -> None:
    """The accidental is that of the signature; a second click on the same place makes a chord."""
    player = Player(new_piece(fifths=2)).give(ClicksDo("write"))
    player.give(ClickNote("p1", 1, 2 * QUARTER, 31))  # the F above middle C, sharp in D major
    (note,) = player.piece.notes.values()
    assert (str(note.pitch), note.tick, note.ticks, note.velocity) == ("F#4", 2 * QUARTER, QUARTER, 80)
    player.give(FixVelocity(50)).give(ClickNote("p1", 1, 2 * QUARTER, 33))
    assert sorted((str(n.pitch), n.velocity) for n in player.piece.notes.values()) == [("A4", 50), ("F#4", 80)]
    words = "".join(p.words for p in sentence(player.state, player.piece))
    assert "a click on a staff writes a note at velocity 50" in words
    before = len(player.piece.notes)
    player.give(ClicksDo("place")).give(ClickNote("p1", 2, 8 * QUARTER, 20))
    assert (player.state.staff, player.state.tick, len(player.piece.notes)) == (2, 8 * QUARTER, before)
    with pytest.raises(NotThere, match="part"):
        player.give(ClicksDo("write")).give(ClickNote("p9", 1, 0, 31))


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(st.integers(1, 3_000_000), st.integers(1, 4_000_000)), min_size=1, max_size=24),
    st.sampled_from(["quarter", "16th", "32nd"]),
    st.sampled_from(["4/4", "6/8", "5/8"]),
)
def test_any_strokes_give_a_rhythm_that_fills_bars(gaps: list[tuple[int, int]], base: str, meter: str) -> None:
    """Whatever is struck: each stroke one note, in order, none over the next; undone exactly."""
    player = Player(new_piece(meter=parse_meter(meter)), way="rhythm", step=StepValue(base)).give(RhythmBy("time"))
    empty = sorted(map(str, records_of(player.piece)))
    now, strokes, last = 0, 0, -GATHER_US - 1
    for gap, held in gaps:
        strokes += now - last > GATHER_US
        last = now if now - last > GATHER_US else last
        player.do(KeyDown(now, 40)).do(KeyUp(now + min(held, gap), 40))
        now += gap
    player.give(Advance())
    notes = sorted(player.piece.notes.values(), key=lambda n: n.tick)
    assert len(notes) == strokes
    assert notes[0].tick == 0
    assert all(a.end <= b.tick for a, b in itertools.pairwise(notes))
    for bar in player.piece.bars():
        for voice in notate_bar(player.piece, "p1", bar.index).voices:
            assert sum(s.ticks for s in voice.symbols) == bar.ticks
    for change in reversed(player.changes):
        player.piece = change.inverse().apply(player.piece)
    assert sorted(map(str, records_of(player.piece))) == empty


def test_at_the_end_of_a_pass_over_keys_write_nothing_until_it_is_asked_for() -> None:
    player = Player().chord(60).chord(62).give(ReturnToStart()).give(WayTo("over"))
    player.chord(64).chord(65)
    before = [str(n.pitch) for n in sorted(player.piece.notes.values(), key=lambda n: n.tick)]
    player.chord(72)
    assert [str(n.pitch) for n in sorted(player.piece.notes.values(), key=lambda n: n.tick)] == before == ["E4", "F4"]
    assert "nothing was changed" in player.said[-1]
    player.give(Advance()).chord(72)
    assert [str(n.pitch) for n in sorted(player.piece.notes.values(), key=lambda n: n.tick)] == ["C5", "F4"]
