"""Step values, lengths, held keys and duplicates: what one key writes, in any mode."""

from __future__ import annotations

import pytest

from ductus.core.entry.commands.base import EntryCommand
from ductus.core.entry.commands.beat import WriteLetter
from ductus.core.entry.commands.mode import (
    ChordSymbol,
    HoldToHarmony,
    PenAdvances,
)
from ductus.core.entry.commands.pen import (
    AtSpanEnd,
    Back,
    HoldInBars,
    OtherStaff,
    PenTo,
    PlacePen,
    Ready,
    TypedPlace,
)
from ductus.core.entry.commands.step_value import (
    AddedValue,
    CustomLength,
    Dot,
    FixPitch,
    FixVelocity,
    NextOnly,
    SoundFor,
    StepBase,
    TupletOf,
)
from ductus.core.entry.events import KeyDown, KeyUp
from ductus.core.entry.state import StepValue
from ductus.core.errors import BadInput, CannotWrite
from ductus.core.pitch.chord_symbols import KINDS, nearest_allowed, parse_chord
from ductus.core.score.model.records import Note
from ductus.core.time.note_values import NoteValue
from ductus.core.time.ticks import QUARTER, shown_ticks
from tests.core.entry.player import Player

EIGHTH = StepValue("eighth")


@pytest.mark.parametrize(
    ("argument", "written", "sounds", "next_at"),
    [
        (SoundFor(50), 480, None, 960),
        (SoundFor(75), 960, 720, 960),
        (SoundFor(), 960, None, 960),
        (SoundFor(150), 960, 1440, 960),
        (SoundFor(base="32nd"), 120, None, 960),
    ],
)
def test_sounding_length_apart_from_the_step(
    argument: SoundFor, written: int, sounds: int | None, next_at: int
) -> None:
    """A 150 % quarter sounds 1440 of 960 and overlaps by 480 (arithmetic)."""
    player = Player().give(argument).chord(60).chord(62)
    first, second = sorted(player.piece.notes.values(), key=lambda n: n.tick)
    assert shown_ticks(first.ticks) == written
    assert (None if first.sounds_ticks is None else shown_ticks(first.sounds_ticks)) == sounds
    assert shown_ticks(second.tick) == next_at


@pytest.mark.parametrize(
    ("commands", "shown"),
    [
        ([AddedValue("eighth"), StepBase("half"), AddedValue("eighth")], 2400),
        ([CustomLength("5/16")], 1200),
        ([CustomLength("400")], 400),
        ([TupletOf(5, 4, latch=True), StepBase("16th")], 192),
        ([StepBase("128th"), Dot()], 45),
    ],
)
def test_any_value_can_be_a_step(commands: list[EntryCommand], shown: int) -> None:
    player = Player()
    for command in commands:
        player.give(command)
    assert shown_ticks(player.state.step.ticks) == shown


def test_a_value_for_the_next_note_only() -> None:
    player = Player().give(NextOnly(NoteValue("half", 1))).chord(60).chord(62)
    assert [n[1] for n in player.notes()] == [3, 1]
    assert "quarter again" in player.said[0]


@pytest.mark.parametrize("text", ["1e9999999", "1/0", "7/9999", "9" * 12, "²", "1/2/3", "-3", "0"])
def test_a_length_out_of_reach_is_refused_in_words(text: str) -> None:
    with pytest.raises((BadInput, CannotWrite)):
        Player().give(CustomLength(text))


@pytest.mark.parametrize(("then", "tick", "count"), [("stop", 4, 4), ("wrap", 1, 4), ("run on", 5, 5)])
def test_a_span_holds_the_pen(then: str, tick: int, count: int) -> None:
    player = Player().give(HoldInBars(1, 1)).give(AtSpanEnd(then))  # type: ignore[arg-type]
    for k in range(5):
        player.chord(60 + k)
    assert player.state.tick == tick * QUARTER
    assert len(player.notes()) == count


def test_fixed_velocity_fixed_pitch_and_a_pen_that_stays() -> None:
    player = Player().give(FixVelocity(33)).give(FixPitch("B4")).chord(60)
    assert [(n.velocity, n.pitch.midi) for n in player.piece.notes.values()] == [(33, 71)]
    player = Player().give(PenAdvances()).chord(60)
    assert player.state.tick == 0


def test_a_wrong_key_is_dropped_before_the_chord_closes() -> None:
    player = Player().do(KeyDown(0, 60)).do(KeyDown(1, 61)).give(Back()).do(KeyUp(2, 61)).do(KeyUp(3, 60))
    assert player.notes() == [(0, 1, 60)]
    assert "dropped" in player.said[0]


def test_keys_are_held_to_the_chord_or_to_chord_and_key() -> None:
    player = Player().give(ChordSymbol("G7")).give(HoldToHarmony("chord")).chord(61)
    assert player.notes() == [(0, 1, 62)]
    player.give(HoldToHarmony("key")).chord(60)
    assert player.notes()[-1] == (1, 1, 60)
    with pytest.raises(BadInput, match="no chord symbol"):
        player.give(ChordSymbol("H!"))


@pytest.mark.parametrize("suffix", sorted(KINDS))
def test_every_chord_kind_is_read_and_no_two_are_the_same(suffix: str) -> None:
    assert parse_chord(f"Bb{suffix}").suffix == suffix
    assert len({steps for _, steps in KINDS.values()}) == len(KINDS)
    assert len({kind for kind, _ in KINDS.values()}) == len(KINDS)


def test_the_nearest_allowed_key_stays_on_the_keyboard() -> None:
    assert nearest_allowed(127, frozenset({0})) == 120
    assert nearest_allowed(0, frozenset({11})) == 11


def test_exact_duplicates_are_counted_never_stacked() -> None:
    player = Player(policy="add").chord(60).give(TypedPlace("1.1")).chord(60, 64)
    assert player.notes() == [(0, 1, 60), (0, 1, 64)]
    assert "1 note there already" in player.said[-1]


def test_the_other_staff_is_offered_the_start_of_this_pass() -> None:
    player = Player().give(TypedPlace("2.1")).give(PenTo(True)).chord(72).chord(74).give(OtherStaff("next"))
    assert "this pass began at bar 2, beat 1" in player.said[-1]
    player.give(OtherStaff("previous")).give(OtherStaff("next", at_start=True))
    assert (player.state.staff, player.state.tick) == (2, 4 * QUARTER)


def test_a_letter_writes_the_nearest_octave() -> None:
    player = Player().chord(71).give(WriteLetter("C")).give(WriteLetter("G"))
    assert [n[2] for n in player.notes()] == [71, 72, 67]


def test_chromatic_steps_lean_the_way_the_line_moves() -> None:
    rising = Player().chord(60).chord(61).chord(62)
    falling = Player().chord(62).chord(61).chord(60)
    for player, names in ((rising, ["C4", "C#4", "D4"]), (falling, ["D4", "Db4", "C4"])):
        written: list[Note] = sorted(player.piece.notes.values(), key=lambda n: n.tick)
        assert [str(n.pitch) for n in written] == names


def test_ready_is_one_action_and_undoes_itself() -> None:
    player = Player()
    player.give(PenTo(False)).give(Ready())
    assert player.state.down
    player.give(Ready())
    assert not player.state.down


def test_a_command_without_meaning_is_refused_and_nothing_changes() -> None:
    player = Player()
    before = player.state
    for bad in (
        HoldInBars(9, 2),
        AtSpanEnd("wrap"),
        FixPitch("H9"),
        WriteLetter("?"),
        CustomLength("x"),
        PlacePen("p1", 2, 2**52),
    ):
        if isinstance(bad, PlacePen):
            assert player.give(bad).state.tick == player.piece.timeline.bar(9999).start
            continue
        with pytest.raises(BadInput):
            player.give(bad)
        assert player.state == before
