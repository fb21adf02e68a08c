"""Step entry as people do it: keys, chords, rests, step back, the pen; and what must never happen."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ductus.core.entry.events import Command, Event, KeyDown, KeyUp, Pedal, Wait
from ductus.core.entry.machine import COMMANDS, TIMED, advance_entry, left_in_bar
from ductus.core.entry.state import WAYS, EntryState
from ductus.core.errors import BadInput
from ductus.core.notation.bars import notate_bar
from ductus.core.score.changes import Change
from ductus.core.score.layouts import new_piece
from ductus.core.score.piece import Piece, records_of
from ductus.core.time.meters import Meter
from ductus.core.time.ticks import QUARTER


class Player:
    """Feeds events to the machine and keeps the piece, as an open desk does."""

    def __init__(self, piece: Piece | None = None, **state: object) -> None:
        self.piece = piece or new_piece()
        self.state = EntryState("p1", down=True, **state)  # type: ignore[arg-type]
        self.said: list[str] = []
        self.changes: list[Change] = []
        self.now_us = 0

    def do(self, event: Event) -> Player:
        outcome = advance_entry(self.state, event, self.piece)
        self.state = outcome.state
        if outcome.change:
            self.changes.append(outcome.change)
            self.piece = outcome.change.apply(self.piece)
        if outcome.say:
            self.said.append(outcome.say)
        return self

    def command(self, name: str, argument: str = "") -> Player:
        return self.do(Command(name, argument))

    def chord(self, *keys: int) -> Player:
        for key in keys:
            self.now_us += 5_000
            self.do(KeyDown(self.now_us, key, 70))
        for key in keys:
            self.now_us += 5_000
            self.do(KeyUp(self.now_us, key))
        return self

    def notes(self) -> list[tuple[float, float, int]]:
        """(onset, length) in quarters and key of everything written, in order."""
        found = sorted(self.piece.notes.values(), key=lambda n: (n.tick, n.pitch.midi))
        return [(n.tick / QUARTER, n.ticks / QUARTER, n.pitch.midi) for n in found]


def test_pen_up_only_sounds() -> None:
    player = Player().command("pen", "up").chord(60)
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
    player = Player().command("dot").chord(60).chord(62)
    assert [length for _, length, _ in player.notes()] == [1.5, 1]
    player = Player().command("value", "eighth").command("tuplet", "3:2")
    for key in (60, 62, 64, 65):
        player.chord(key)
    assert [round(length, 3) for _, length, _ in player.notes()] == [0.333, 0.333, 0.333, 0.5]


def test_latched_dots_and_tuplets_stay() -> None:
    player = Player().command("dot", "latch").chord(60).chord(62)
    assert [length for _, length, _ in player.notes()] == [1.5, 1.5]
    player = Player().command("tuplet", "7:8 latch").command("value", "16th")
    for _ in range(8):
        player.chord(60)
    assert player.notes()[7][0] == 2  # seven 16ths 7:8 end exactly at 1920 of 960
    assert "stays on" in player.said[0]


def test_rest_and_step_back() -> None:
    player = Player().chord(60).command("rest").chord(64).command("back").command("back").command("back")
    assert player.notes() == []
    assert player.state.tick == 0
    assert player.command("back").said[-1] == "Nothing before the pen"


def test_step_back_works_on_what_an_earlier_pass_wrote() -> None:
    player = Player().chord(60, 64).chord(62).command("place", "2.1").command("place", "1.3").command("back")
    assert player.notes() == [(0, 1, 60), (0, 1, 64)]
    assert player.state.tick == QUARTER


def test_replace_cuts_a_note_that_sounds_into_the_step() -> None:
    player = Player().command("value", "whole").chord(60).command("place", "1.3").command("value", "quarter").chord(72)
    assert player.notes() == [(0, 2, 60), (2, 1, 72)]


def test_add_never_stacks_a_duplicate_and_counts_it() -> None:
    player = Player().chord(60, 64).command("policy", "add").command("place", "1.1").chord(60, 67)
    assert player.notes() == [(0, 1, 60), (0, 1, 64), (0, 1, 67)]
    assert player.said[-1].endswith("1 note there already")


def test_add_beside_a_longer_note_goes_to_a_free_voice() -> None:
    player = Player().command("value", "half").chord(60).command("policy", "add").command("place", "1.1")
    player.command("value", "quarter").chord(72)
    assert {(n.voice, n.pitch.midi) for n in player.piece.notes.values()} == {(1, 60), (2, 72)}
    assert "in voice 2, since voice 1 is taken" in player.said[-1]


def test_keep_jumps_to_the_next_silence() -> None:
    player = Player().chord(60).chord(62).command("policy", "keep").command("place", "1.1").chord(72)
    assert player.notes() == [(0, 1, 60), (1, 1, 62), (2, 1, 72)]


def test_the_pen_moves_by_step_beat_and_bar() -> None:
    player = Player(new_piece(meter=Meter(6, 8)))
    places = []
    for name in ("beat-right", "bar-right", "step-right", "step-left", "beat-left", "bar-left", "bar-left"):
        places.append(player.command(name).state.tick / QUARTER)
    assert places == [1.5, 3, 4, 3, 1.5, 0, 0]


def test_a_typed_place_is_found_and_nonsense_is_refused() -> None:
    player = Player().command("place", "5.2")
    assert player.state.tick == 17 * QUARTER
    assert left_in_bar(player.state, player.piece) == "3 beats left"
    for nonsense in ("x", "5.0", "-1.1", "p1 9 0", "p1 1 -4", "1.1/0"):
        with pytest.raises(BadInput, match="The pen stays"):
            player.command("place", nonsense)


def test_one_key_returns_to_where_this_pass_began_also_on_the_other_staff() -> None:
    player = (
        Player().command("place", "3.1").command("pen", "down").chord(72).chord(74).command("staff").command("return")
    )
    assert (player.state.staff, player.state.tick) == (2, 8 * QUARTER)


def test_bars_grow_as_notes_arrive() -> None:
    player = Player().command("place", "40.4").command("value", "half").chord(60)
    assert player.piece.bar_count == 41
    tied = notate_bar(player.piece, "p1", 40).voices[0].symbols[0]
    assert tied.tied_from


def test_an_unknown_command_is_refused_in_words() -> None:
    with pytest.raises(BadInput, match="no command called 'fly'"):
        Player().command("fly")


ARGUMENTS = {
    "place": st.sampled_from(["1.1", "2.3", "7.2", "p1 2 0", "p1 1 46126080"]),
    "staff": st.sampled_from(["next", "previous", "next start"]),
    "value": st.sampled_from(["half", "eighth", "16th", "128th"]),
    "rhythm-value": st.sampled_from(["half", "eighth", "16th"]),
    "tuplet": st.sampled_from(["3:2", "5:4", "7:8 latch", "11:8", "off"]),
    "added": st.sampled_from(["eighth", "16th", "off"]),
    "custom": st.sampled_from(["5/16", "400", "1/12", "off"]),
    "next-only": st.sampled_from(["half dot", "16th", "off"]),
    "sounding": st.sampled_from(["full", "50 %", "80 %", "150 %", "32nd"]),
    "late": st.sampled_from(["0", "20", "-20"]),
    "velocity": st.sampled_from(["touch", "90"]),
    "pitch": st.sampled_from(["played", "B4"]),
    "way": st.sampled_from(WAYS),
    "when": st.sampled_from(["all up", "stroke", "advance"]),
    "policy": st.sampled_from(["", "replace", "add", "keep"]),
    "harmony": st.sampled_from(["off", "chord", "key"]),
    "over": st.sampled_from(["pitch", "velocity", "both", "beside"]),
    "pulse-key": st.sampled_from(["off", "45"]),
    "walk-rate": st.sampled_from(["60", "120"]),
    "chord-symbol": st.sampled_from(["Am7", "D7/F#", ""]),
    "divide": st.sampled_from(["2", "3", "5"]),
    "letter": st.sampled_from(["C", "F#", "Bb"]),
    "span": st.sampled_from(["1 2", "2 2", "off"]),
    "voice": st.sampled_from(["1", "2"]),
    "vary": st.sampled_from(["0", "20", "10 3"]),
    "clicks": st.sampled_from(["write", "write", "place"]),
    "rhythm-by": st.sampled_from(["step", "time"]),
    "click": st.builds(
        lambda staff, tick, line: f"p1 {staff} {tick * 5765760} {line}",
        st.integers(1, 2),
        st.integers(0, 40),
        st.integers(14, 50),
    ),
    "pen": st.sampled_from(["down", "down", "up"]),
}
COMMAND = st.sampled_from(sorted([*COMMANDS, *TIMED])).flatmap(
    lambda name: st.builds(Command, st.just(name), ARGUMENTS.get(name, st.just("")), st.integers(0, 10**7))
)
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
def test_no_sequence_of_events_breaks_a_bar_or_an_undo(events: list[Event | tuple[int, ...]]) -> None:
    start = new_piece(meter=Meter(3, 4))
    player = Player(start)
    for event in events:
        if isinstance(event, tuple):
            player.chord(*event)
        else:
            player.do(event)
    for bar in player.piece.bars():
        for voice in notate_bar(player.piece, "p1", bar.index).voices:
            assert sum(s.ticks for s in voice.symbols) == bar.ticks
    back = player.piece
    for change in reversed(player.changes):
        back = change.inverse().apply(back)
    assert sorted(map(repr, records_of(back))) == sorted(map(repr, records_of(start)))
