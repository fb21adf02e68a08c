"""Step entry as people do it: keys, chords, rests, step back, the pen; and what must never happen."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ductus.core.chance import scattered
from ductus.core.entry.commands.base import EntryCommand
from ductus.core.entry.commands.mode import ChordSymbol, PolicyTo
from ductus.core.entry.commands.pen import (
    Back,
    MovePen,
    OtherStaff,
    PenTo,
    PlacePen,
    Rest,
    ReturnToStart,
    TypedPlace,
    typed_tick,
)
from ductus.core.entry.commands.registry import COMMANDS
from ductus.core.entry.commands.step_value import Dot, StepBase, TupletOf
from ductus.core.entry.events import Command, Event, KeyDown, KeyUp, Pedal, Wait
from ductus.core.entry.machine import left_in_bar
from ductus.core.errors import BadInput, DuctusError
from ductus.core.notation.bars import notate_bar
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.piece import records_of
from ductus.core.time.meters import Meter
from ductus.core.time.ticks import QUARTER
from tests.building import one_chord_at_a_time, piece_of
from tests.core.entry.player import Player


def test_pen_up_only_sounds() -> None:
    player = Player().give(PenTo(False)).chord(60)
    assert player.notes() == []
    assert player.said == ["Pen up: keys only sound"]


def test_d_then_a_then_f_before_all_are_up_is_one_chord() -> None:
    player = Player()
    for key in (62, 69, 65):
        player.do(KeyDown(0, key, 70))
    player.do(KeyUp(400_000, 62)).do(KeyUp(500_000, 65))
    assert player.notes() == []
    player.do(KeyUp(600_000, 69))
    assert player.notes() == [(0, 1, 62), (0, 1, 65), (0, 1, 69)]


def test_at_the_stroke_keys_within_forty_milliseconds_are_one_chord() -> None:
    player = Player(when="stroke")
    player.do(KeyDown(0, 60)).do(KeyDown(39_000, 64)).do(KeyDown(90_000, 67)).do(Wait(140_000))
    assert player.notes() == [(0, 1, 60), (0, 1, 64), (1, 1, 67)]


def test_played_velocity_is_kept() -> None:
    player = Player().do(KeyDown(0, 60, 23)).do(KeyUp(9, 60))
    assert [n.velocity for n in player.piece.notes.values()] == [23]


def test_a_dot_and_a_triplet_hold_for_the_next_note_or_the_bracket_only() -> None:
    player = Player().give(Dot()).chord(60).chord(62)
    assert [length for _, length, _ in player.notes()] == [1.5, 1]
    player = Player().give(StepBase("eighth")).give(TupletOf(3, 2))
    for key in (60, 62, 64, 65):
        player.chord(key)
    assert [round(length, 3) for _, length, _ in player.notes()] == [0.333, 0.333, 0.333, 0.5]


def test_latched_dots_and_tuplets_stay() -> None:
    player = Player().give(Dot(latch=True)).chord(60).chord(62)
    assert [length for _, length, _ in player.notes()] == [1.5, 1.5]
    player = Player().give(TupletOf(7, 8, latch=True)).give(StepBase("16th"))
    for _ in range(8):
        player.chord(60)
    assert player.notes()[7][0] == 2  # seven 16ths 7:8 end exactly at 1920 of 960
    assert "stays on" in player.said[0]


def test_rest_and_step_back() -> None:
    player = Player().chord(60).give(Rest()).chord(64).give(Back()).give(Back()).give(Back())
    assert player.notes() == []
    assert player.state.tick == 0
    assert player.give(Back()).said[-1] == "Nothing before the pen"


def test_step_back_works_on_what_an_earlier_pass_wrote() -> None:
    player = Player().chord(60, 64).chord(62).give(TypedPlace("2.1")).give(TypedPlace("1.3")).give(Back())
    assert player.notes() == [(0, 1, 60), (0, 1, 64)]
    assert player.state.tick == QUARTER


def test_replace_cuts_a_note_that_sounds_into_the_step() -> None:
    player = Player().give(StepBase("whole")).chord(60).give(TypedPlace("1.3")).give(StepBase("quarter")).chord(72)
    assert player.notes() == [(0, 2, 60), (2, 1, 72)]


def test_add_never_stacks_a_duplicate_and_counts_it() -> None:
    player = Player().chord(60, 64).give(PolicyTo("add")).give(TypedPlace("1.1")).chord(60, 67)
    assert player.notes() == [(0, 1, 60), (0, 1, 64), (0, 1, 67)]
    assert player.said[-1].endswith("1 note there already")


def test_add_beside_a_longer_note_goes_to_a_free_voice() -> None:
    player = Player().give(StepBase("half")).chord(60).give(PolicyTo("add")).give(TypedPlace("1.1"))
    player.give(StepBase("quarter")).chord(72)
    assert {(n.voice, n.pitch.midi) for n in player.piece.notes.values()} == {(1, 60), (2, 72)}
    assert "in voice 2, since voice 1 is taken" in player.said[-1]


def test_keep_jumps_to_the_next_silence() -> None:
    player = Player().chord(60).chord(62).give(PolicyTo("keep")).give(TypedPlace("1.1")).chord(72)
    assert player.notes() == [(0, 1, 60), (1, 1, 62), (2, 1, 72)]


def test_the_pen_moves_by_step_beat_and_bar() -> None:
    player = Player(new_piece(meter=Meter(6, 8)))
    places = []
    for by, to in [
        ("beat", "right"), ("bar", "right"), ("step", "right"), ("step", "left"), ("beat", "left"), ("bar", "left"),
        ("bar", "left"),
    ]:  # fmt: skip
        places.append(player.give(MovePen(by, to)).state.tick / QUARTER)  # type: ignore[arg-type]
    assert places == [1.5, 3, 4, 3, 1.5, 0, 0]


def test_a_typed_place_is_found_and_nonsense_is_refused() -> None:
    player = Player().give(TypedPlace("5.2"))
    assert player.state.tick == 17 * QUARTER
    assert left_in_bar(player.state, player.piece) == "3 beats left"
    for nonsense in (
        "x",
        "5.0",
        "-1.1",
        "3.2.1",
        "0.5",
        "1.1e9999999",
        "1.1/0",
        "5.9",
        "0.1",
        "10000.1",
        "5.2 3/2",
        "²",
    ):
        with pytest.raises(BadInput, match="The pen stays"):
            player.give(TypedPlace(nonsense))
    assert player.give(TypedPlace("5.2 1/2")).state.tick == 17 * QUARTER + QUARTER // 2
    assert player.give(PlacePen("p1", 1, 2**45)).state.tick == player.piece.timeline.bar(9999).start


def test_one_key_returns_to_where_this_pass_began_also_on_the_other_staff() -> None:
    player = (
        Player().give(TypedPlace("3.1")).give(PenTo(True)).chord(72).chord(74).give(OtherStaff()).give(ReturnToStart())
    )
    assert (player.state.staff, player.state.tick) == (2, 8 * QUARTER)


def test_bars_grow_as_notes_arrive() -> None:
    player = Player().give(TypedPlace("40.4")).give(StepBase("half")).chord(60)
    assert player.piece.bar_count == 41
    tied = notate_bar(player.piece, "p1", 40).voices[0].symbols[0]
    assert tied.tied_from


PLACES = st.sampled_from(["1.1", "2.3", "7.2", "9.1 1/2", "0.1", "x"])
TEXTS = {
    "text": st.sampled_from(["5/16", "400", "1/12", "", "1/3", "Am7", "D7/F#", "x"]),
    "pitch": st.sampled_from(["", "B4", "x"]),
}
ASKED = {
    TypedPlace: st.builds(TypedPlace, PLACES),
    PlacePen: st.builds(PlacePen, st.just("p1"), st.integers(1, 2), st.none() | st.integers(0, 12 * QUARTER)),
    ChordSymbol: st.builds(ChordSymbol, st.sampled_from(["Am7", "D7/F#", "", "H!"])),
}


def any_of(kind: type[EntryCommand]) -> st.SearchStrategy[EntryCommand]:
    """Any arguments that the border lets through, drawn from the ranges that the record states."""
    if kind in ASKED:
        return ASKED[kind]
    fields: dict[str, st.SearchStrategy[Any]] = {f: TEXTS[f] for f in TEXTS if f in kind.__dataclass_fields__}
    extra: dict[str, st.SearchStrategy[Any]] = {
        "part": st.just("p1"),
        "tick": st.integers(0, 12 * QUARTER),
        "letter": st.sampled_from(["C", "F#", "Bb", "?"]),
    }
    fields |= {f: extra[f] for f in extra if f in kind.__dataclass_fields__}
    return st.builds(kind, **fields)


COMMAND = st.builds(Command, st.one_of([any_of(kind) for kind in COMMANDS]), st.integers(0, 10**7))
KEYS = st.integers(40, 80)
EVENT = st.one_of(
    COMMAND,
    st.builds(lambda k: (k,), KEYS),
    st.builds(lambda a, b: (a, b), KEYS, KEYS),
    st.builds(KeyDown, st.integers(0, 10**7), KEYS),
    st.builds(KeyUp, st.integers(0, 10**7), KEYS),
    st.builds(Pedal, st.integers(0, 10**7), st.booleans()),
    st.builds(Wait, st.integers(0, 10**7)),
)


@settings(max_examples=250, deadline=None)
@given(st.lists(EVENT, max_size=40))
def test_no_sequence_of_events_breaks_a_bar_a_voice_or_an_undo(events: list[Event | tuple[int, ...]]) -> None:
    start = new_piece(meter=Meter(3, 4))
    player = Player(start)
    for event in events:
        if isinstance(event, tuple):
            player.chord(*event)
        else:
            before = player.state
            try:
                player.do(event)
            except DuctusError:
                assert player.state is before
    for bar in player.piece.bars():
        for voice in notate_bar(player.piece, "p1", bar.index).voices:
            assert sum(s.ticks for s in voice.symbols) == bar.ticks
    one_chord_at_a_time(player.piece)
    back = player.piece
    for change in reversed(player.changes):
        back = change.inverse().apply(back)
    assert sorted(map(repr, records_of(back))) == sorted(map(repr, records_of(start)))


def test_scattered_numbers_fill_their_range_evenly() -> None:
    numbers = [scattered(seed, tick * QUARTER) for seed in range(8) for tick in range(500)]
    assert -1 <= min(numbers) < -0.99
    assert 0.99 < max(numbers) <= 1
    assert abs(sum(numbers) / len(numbers)) < 0.03
    assert all(350 < sum(k / 5 - 1 <= x < (k + 1) / 5 - 1 for x in numbers) < 450 for k in range(10))


@pytest.mark.parametrize("text", ["5.2", "5,2", "5:2", "5 2", "bar 5, beat 2", "Bar 5 beat 2", "measure 5 beat 2"])
def test_a_place_is_typed_as_it_is_said(text: str) -> None:
    piece = piece_of("4/4", [(k, 1) for k in range(32)])
    assert typed_tick(text, piece) == 17 * QUARTER
    assert typed_tick(f"{text} 1/2", piece) == typed_tick(f"{text} and", piece) == 17 * QUARTER + QUARTER // 2


@pytest.mark.parametrize("text", ["beat 2", "bar", "5 and", "5.2.3", "5/2", "end"])
def test_what_is_no_place_leaves_the_pen(text: str) -> None:
    with pytest.raises(BadInput, match="is no place; type bar and beat"):
        typed_tick(text, piece_of("4/4", [(k, 1) for k in range(32)]))
