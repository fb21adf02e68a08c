"""Grace notes at the pen: they take no time, belong to the next note, and are spelled by it."""

from __future__ import annotations

from ductus.core.entry.commands.marks import WithHere
from ductus.core.entry.commands.mode import BrushedKeys, GraceNext
from ductus.core.entry.commands.pen import Back, PenTo
from ductus.core.entry.events import KeyDown, KeyUp
from ductus.core.entry.state import evolved
from ductus.core.prompt.entry import line_words
from ductus.core.score.model.records import Note
from ductus.core.time.ticks import QUARTER
from tests.core.entry.player import Player


def written(player: Player) -> list[Note]:
    return sorted(player.piece.notes.values(), key=lambda n: (n.tick, n.pitch.midi))


def test_the_next_key_is_a_grace_note_and_takes_no_time() -> None:
    player = Player().chord(60).give(GraceNext()).chord(63)
    assert player.state.tick == QUARTER
    assert "1 grace note (E flat 4)" in line_words(player.state, player.piece)
    player.chord(64)
    (_, main) = written(player)
    assert ([str(p) for p in main.grace_notes], main.tick) == (["D#4"], QUARTER)  # a lower neighbour (common practice)
    assert player.state.tick == 2 * QUARTER


def test_latched_keys_are_grace_notes_until_it_is_given_again() -> None:
    player = Player().give(GraceNext(True)).chord(67).chord(69).chord(71).give(GraceNext()).chord(72)
    assert [str(p) for p in written(player)[0].grace_notes] == ["G4", "A4", "B4"]
    player.chord(74)
    assert written(player)[1].grace_notes == ()


def test_words_at_the_pen_do_the_same() -> None:
    player = Player().give(WithHere("grace note")).chord(62).chord(60)
    assert [str(p) for p in written(player)[0].grace_notes] == ["D4"]


def test_step_back_drops_the_last_grace_note_first_and_lifting_the_pen_says_so() -> None:
    player = Player().give(GraceNext(True)).chord(62).chord(64).give(Back())
    assert player.state.graces == (62,)
    player.give(PenTo(False))
    assert player.said[-1].startswith("1 grace note not written")


def test_a_brushed_key_is_a_grace_note_by_choice() -> None:
    for on in (False, True):
        player = Player().give(BrushedKeys(on))
        for event in (KeyDown(0, 63), KeyDown(60_000, 64), KeyUp(90_000, 63), KeyUp(500_000, 64)):
            player.do(event)
        assert [n.pitch.midi for n in written(player)] == ([64] if on else [63, 64])
        assert [p.midi for p in written(player)[-1].grace_notes] == ([63] if on else [])


def test_what_is_made_grace_notes_afterwards_leaves_no_rest() -> None:
    player = Player().chord(60).chord(62).chord(64).chord(65)
    second = written(player)[1]
    player.state = evolved(player.state, chosen=frozenset({second.id}))
    player.give(WithHere("grace note"))
    assert [(n.tick // QUARTER, str(n.pitch)) for n in written(player)] == [(0, "C4"), (1, "E4"), (2, "F4")]
    assert [str(p) for p in written(player)[1].grace_notes] == ["D4"]
    assert player.state.tick == 3 * QUARTER
    assert "2 notes moved up" in player.said[-1]
