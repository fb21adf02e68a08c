"""Repeats, endings and jumps as one structure.

What is played in which order, what edits of the frame do to it, what is never heard.

The orders are common practice (as in any handbook of theory): a first ending is left out the second time, after D.C.
and D.S. repeats are not taken.
"""

from __future__ import annotations

import pytest

from ductus.core.score.mark_edits.place_marks import marked, where
from ductus.core.score.mark_language.parser import wish_of
from ductus.core.score.model.changes import Change
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.playing_order import form_of, playing_order
from ductus.core.score.structure_edits.bars import CopyBars, InsertBars, RemoveBars
from ductus.core.score.structure_edits.base import FrameConfirmationNeeded, FrameEdit
from ductus.core.score.structure_edits.meter_key_tempo import MeterFrom, PickUp
from ductus.core.score.structure_edits.settling import frame_change
from ductus.core.time.ticks import QUARTER
from tests.building import piece_of

LINE = ("p1", 1, 1)


def mark(piece: Piece, words: str, first: int, last: int | None = None) -> Piece:
    """Write a mark at a bar, or over bars (as numbers, from 1)."""
    bars = [piece.timeline.bar(b) for b in range(first - 1, last or first)]
    notes = [n for n in piece.notes.values() if bars[0].start <= n.tick < bars[-1].end]
    return marked(piece, wish_of(words), where(notes, LINE, bars[0].start)).apply(piece)


def waltz() -> Piece:
    """Six bars of three quarters; 1 to 4 repeated, the first ending over bar 4, the second over bar 5."""
    piece = piece_of("3/4", [(k, 1) for k in range(18)])
    return mark(mark(piece, "1st ending", 4), "2nd ending", 5)


def order(piece: Piece) -> list[int]:
    return [bar + 1 for s in playing_order(piece) for bar in range(s.first, s.last + 1)]


def signs(piece: Piece) -> list[tuple[str, int, int, str]]:
    return sorted((s.kind, s.bar + 1, s.bars, s.text) for s in piece.signs.values())


def done(piece: Piece, edit: FrameEdit) -> tuple[Change, str]:
    """The change of an edit, and what was asked before it was done."""
    try:
        return frame_change(piece, edit), ""
    except FrameConfirmationNeeded as question:
        return frame_change(piece, question.again), str(question)


def test_a_first_ending_that_a_second_follows_is_repeated_and_gets_its_sign() -> None:
    piece = waltz()
    assert ("repeat-end", 4, 1, "") in signs(piece)
    assert order(piece) == [1, 2, 3, 4, 1, 2, 3, 5, 6]
    bare = piece.with_rows([(s, None) for s in piece.signs.values() if s.kind == "repeat-end"])
    assert order(bare) == order(piece)  # as files of others leave it out


def test_a_repeat_end_inside_an_ending_stands_at_the_end_of_it() -> None:
    piece = piece_of("3/4", [(k, 1) for k in range(18)])
    piece = mark(mark(piece, "1st ending", 3, 4), "repeat end", 3)
    assert ("repeat-end", 4, 1, "") in signs(piece)


def test_removing_the_first_ending_asks_and_leaves_nothing_unheard() -> None:
    piece = waltz()
    change, asked = done(piece, RemoveBars(3, 3))
    assert "the bracket of the 2nd ending goes" in asked
    after = change.apply(piece)
    assert order(after) == [1, 2, 3, 1, 2, 3, 4, 5]
    assert not form_of(after).problems
    assert [s for s in signs(after) if s[0] == "ending"] == []
    assert signs(change.inverse().apply(after)) == signs(piece)


def test_another_meter_and_back_leaves_the_endings_where_they_were() -> None:
    piece = waltz()
    there = done(piece, MeterFrom(0, "4/4"))[0].apply(piece)
    back = done(there, MeterFrom(0, "3/4"))[0].apply(there)
    assert signs(back) == signs(piece)
    assert order(back) == order(piece)


@pytest.mark.parametrize("pickup", [QUARTER, 2 * QUARTER])
def test_a_pick_up_that_comes_or_goes_lets_no_endings_overlap(pickup: int) -> None:
    piece = waltz()
    there = done(piece, PickUp(pickup))[0].apply(piece)
    assert not any(p.kind == "overlap" for p in form_of(there).problems)
    back = done(there, PickUp(0))[0].apply(there)
    assert order(back) == order(piece)
    assert signs(back) == signs(piece)


def test_bars_inserted_into_an_ending_make_it_longer() -> None:
    piece = waltz()
    after = done(piece, InsertBars(4, 1))[0].apply(piece)
    assert ("ending", 5, 1, "2") not in signs(after)
    assert set(order(after)) == set(range(1, after.bar_count + 1))


def test_a_copy_of_repeated_bars_is_all_heard() -> None:
    piece = waltz()
    after = done(piece, CopyBars(0, 4, 6))[0].apply(piece)
    assert set(order(after)) == set(range(1, after.bar_count + 1))


def test_what_is_never_heard_is_named_with_its_bars() -> None:
    piece = piece_of("3/4", [(k, 1) for k in range(18)])
    piece = mark(mark(piece, "fine", 3), "D.C. al Fine", 4)
    assert [p.words for p in form_of(piece).problems] == ["bars 5 to 6 are never heard"]


@pytest.mark.parametrize(
    ("words", "kind"), [("D.S.", "no segno"), ("D.C. al Fine", "no fine"), ("D.S. al Coda", "no coda")]
)
def test_a_jump_to_nowhere_is_said(words: str, kind: str) -> None:
    piece = mark(piece_of("3/4", [(k, 1) for k in range(18)]), words, 6)
    assert kind in {p.kind for p in form_of(piece).problems}
    assert len(order(piece)) == 12


def test_repeats_that_cross_come_to_an_end() -> None:
    piece = piece_of("3/4", [(k, 1) for k in range(18)])
    for words, bar in (("repeat start", 1), ("repeat start", 3), ("repeat end", 4), ("repeat end", 6), ("D.C.", 5)):
        piece = mark(piece, words, bar)
    assert set(order(piece)) >= {1, 2, 3, 4}
    assert len(order(piece)) < 60


def test_removing_the_bar_with_the_repeat_sign_keeps_the_repeat() -> None:
    piece = mark(piece_of("3/4", [(k, 1) for k in range(18)]), "repeat end", 4)
    after = done(piece, RemoveBars(3, 3))[0].apply(piece)
    assert order(after) == [1, 2, 3, 1, 2, 3, 4, 5]
