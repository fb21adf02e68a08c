"""A left hand that is entered on the right hand's staff.

The other hand is offered first; what is added above takes the upper voice.
"""

from __future__ import annotations

from ductus.core.entry.commands.mode import PolicyTo
from ductus.core.entry.commands.pen import TypedPlace
from ductus.core.entry.commands.step_value import StepBase
from ductus.core.notation.clefs import other_hand_offer
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.time.ticks import QUARTER
from tests.core.entry.player import Player


def test_three_notes_on_many_ledger_lines_offer_the_other_hand() -> None:
    """Common practice: C 3 in the treble clef has four ledger lines and hangs below the last of them."""
    player = Player().chord(48).chord(47)
    assert other_hand_offer(player.piece, "p1", 1, player.state.tick) == ()
    player.chord(45)
    assert len(other_hand_offer(player.piece, "p1", 1, player.state.tick)) == 3
    assert other_hand_offer(player.piece, "p1", 2, player.state.tick) == ()
    high = Player(staff=2).chord(76).chord(77).chord(79)
    assert len(other_hand_offer(high.piece, "p1", 2, high.state.tick)) == 3


def test_a_part_of_one_staff_has_no_other_hand() -> None:
    player = Player(new_piece("melody")).chord(45).chord(45).chord(45)
    assert other_hand_offer(player.piece, player.state.part, 1, player.state.tick) == ()


def test_a_longer_note_added_above_takes_the_upper_voice() -> None:
    player = Player().chord(60).chord(62)
    player.give(TypedPlace("1")).give(PolicyTo("add")).give(StepBase("half")).chord(72)
    voices = {n.pitch.midi: n.voice for n in player.piece.notes.values()}
    assert voices == {60: 2, 62: 2, 72: 1}
    below = Player().chord(60).chord(62)
    below.give(TypedPlace("1")).give(PolicyTo("add")).give(StepBase("half")).chord(52)
    assert {n.pitch.midi: n.voice for n in below.piece.notes.values()} == {60: 1, 62: 1, 52: 2}
    assert all(n.ticks in (QUARTER, 2 * QUARTER) for n in below.piece.notes.values())
