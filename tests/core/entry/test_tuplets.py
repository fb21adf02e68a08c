"""A tuplet at the pen is a slot: it says what it lacks, is filled or rested, and no ratio stands on the page that
nobody chose.
"""

from __future__ import annotations

import random
from fractions import Fraction as F
from typing import Any

import pytest

from ductus.core.entry.commands.pen import Back, Rest, TypedPlace
from ductus.core.entry.commands.step_value import FillTuplet, NoTuplet, StepBase, TupletOf
from ductus.core.notation.bars import notate_bar
from ductus.core.prompt.entry import line_words
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.piece import Piece
from ductus.core.time.meters import parse_meter
from ductus.core.time.ticks import QUARTER, ticks_of_quarters
from tests.core.entry.player import Player

TRIPLET = TupletOf(3, 2, True)


def drawn(piece: Piece) -> list[tuple[str, str, bool]]:
    """(value, ratio, is it a rest) of every symbol of the upper staff's first voice."""
    return [
        (
            f"{s.value.base}{'.' * s.value.dots}",
            f"{s.span.ratio.actual}:{s.span.ratio.normal}" if s.span else "",
            s.is_rest,
        )
        for bar in range(piece.bar_count)
        for s in notate_bar(piece, "p1", bar).voices[0].symbols
    ]


def ratios(piece: Piece) -> set[str]:
    return {ratio for _, ratio, _ in drawn(piece)} - {""}


def fits(piece: Piece) -> bool:
    """Every symbol lasts what its type and ratio say (MusicXML 4.0: duration and type agree)."""
    return all(
        s.ticks == s.value.plain_ticks * (s.span.ratio.scale if s.span else 1) or s.whole_bar
        for bar in range(piece.bar_count)
        for voice in notate_bar(piece, "p1", bar).voices
        for s in voice.symbols
    )


def eighths(**state: Any) -> Player:
    return Player(**state).give(StepBase("eighth")).give(TRIPLET)


def test_a_triplet_that_is_left_after_two_notes_is_rested_and_said() -> None:
    player = eighths().chord(60).chord(62)
    assert "1 eighth of the triplet left" in player.said[-1]
    assert "1 eighth of the triplet left" in line_words(player.state, player.piece)
    player.give(NoTuplet())
    assert player.said[-1].startswith("1 eighth of the triplet left: a rest")
    assert player.state.tick == QUARTER
    for key in (64, 65, 67, 69):
        player.chord(key)
    assert drawn(player.piece)[:3] == [("eighth", "3:2", False), ("eighth", "3:2", False), ("eighth", "3:2", True)]
    assert drawn(player.piece)[3:7] == [("eighth", "", False)] * 4
    assert ratios(player.piece) == {"3:2"}


def test_the_last_note_can_be_held_to_the_end_of_the_triplet() -> None:
    player = eighths().chord(60).chord(62).give(FillTuplet("hold"))
    assert drawn(player.piece)[:2] == [("eighth", "3:2", False), ("quarter", "3:2", False)]
    assert player.state.tick == QUARTER


def test_step_back_from_a_rested_triplet_goes_back_into_it() -> None:
    player = eighths().chord(60).chord(62).give(NoTuplet()).give(Back())
    assert player.state.tick == ticks_of_quarters(F(2, 3))
    player.chord(64)
    assert drawn(player.piece)[:3] == [("eighth", "3:2", False)] * 3


def test_a_plain_value_inside_a_tuplet_takes_its_ratio() -> None:
    player = eighths().chord(60).chord(62).chord(64).give(NoTuplet())
    player.give(TypedPlace("1.1+1/3")).chord(72)
    assert drawn(player.piece)[:3] == [("eighth", "3:2", False)] * 3
    assert [n.pitch.midi for n in sorted(player.piece.notes.values(), key=lambda n: n.tick)] == [60, 72, 64]
    player.give(StepBase("half")).give(TypedPlace("1.1+1/3")).chord(74)
    assert player.said[-1].endswith("it ends with the triplet")
    assert drawn(player.piece)[:2] == [("eighth", "3:2", False), ("quarter", "3:2", False)]
    assert player.state.step.words == "half"


def test_a_plain_value_over_the_first_third_takes_the_triplet_away() -> None:
    player = eighths().chord(60).chord(62).chord(64).give(NoTuplet()).give(StepBase("eighth"))
    player.give(TypedPlace("1")).chord(72)
    assert "1 note of the tuplet that was there is gone" in player.said[-1]
    assert ratios(player.piece) == set()
    assert drawn(player.piece)[:2] == [("eighth", "", False), ("eighth", "", True)]


def test_a_triplet_over_the_bar_line_stays_in_its_values() -> None:
    player = eighths(tick=QUARTER * 7 // 2).chord(60).chord(62).chord(64)
    here = [s for s in drawn(player.piece) if s[1]]
    # eighth, sixteenth tied | sixteenth, eighth: every part of it in the ratio that was chosen
    assert here == [("eighth", "3:2", False), ("16th", "3:2", False), ("16th", "3:2", False), ("eighth", "3:2", False)]
    assert fits(player.piece)
    assert player.state.tick == QUARTER * 9 // 2


def test_a_larger_value_ends_the_triplet_that_it_fills() -> None:
    player = Player().give(StepBase("eighth")).give(TupletOf(3, 2)).chord(60).give(StepBase("quarter")).chord(62)
    assert player.state.step.tuplet is None
    assert drawn(player.piece)[:2] == [("eighth", "3:2", False), ("quarter", "3:2", False)]


def test_a_value_that_goes_on_into_the_next_triplet_keeps_its_ratio() -> None:
    player = eighths().chord(60).chord(62).give(StepBase("quarter")).chord(64).give(StepBase("eighth")).chord(65)
    assert ratios(player.piece) == {"3:2"}
    assert fits(player.piece)


@pytest.mark.parametrize("meter", ["4/4", "3/4", "6/8", "7/8"])
@pytest.mark.parametrize("pickup", [F(0), F(1, 2), F(1), F(3, 2)])
@pytest.mark.parametrize("seed", range(6))
def test_no_ratio_is_written_that_nobody_chose(meter: str, pickup: F, seed: int) -> None:
    rng = random.Random(seed * 100 + int(pickup * 4))
    piece = new_piece("keys", meter=parse_meter(meter), pickup=ticks_of_quarters(pickup))
    player = Player(piece)
    chosen: set[str] = set()
    for _ in range(60):
        what = rng.random()
        if what < 0.15:
            player.give(StepBase(rng.choice(["quarter", "eighth", "16th"])))
        elif what < 0.25:
            actual, normal = rng.choice([(3, 2), (3, 2), (5, 4)])
            player.give(TupletOf(actual, normal, rng.random() < 0.5))
            chosen.add(f"{actual}:{normal}")
        elif what < 0.32:
            player.give(NoTuplet())
        elif what < 0.4:
            player.give(Back())
        elif what < 0.48:
            player.give(Rest())
        else:
            player.chord(rng.randrange(60, 80))
    assert fits(player.piece), list(drawn(player.piece))
    assert ratios(player.piece) <= chosen


@pytest.mark.parametrize("pickup", [F(1, 3), F(2, 3), F(5, 6), F(1, 5), F(4, 3), F(7, 8)])
def test_values_and_lengths_agree_after_an_odd_pick_up(pickup: F) -> None:
    player = Player(new_piece("keys", pickup=ticks_of_quarters(pickup)))
    for key in range(60, 76):
        player.give(StepBase(("half", "quarter", "eighth")[key % 3])).chord(key)
    assert fits(player.piece)


def test_the_line_speaks_of_a_tuplet_only_while_it_lacks_something() -> None:
    player = eighths().chord(60)
    assert "2 eighths of the triplet left" in line_words(player.state, player.piece)
    player.chord(62).chord(64)
    assert "of the triplet left" not in line_words(player.state, player.piece)
