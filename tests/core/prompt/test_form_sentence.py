"""The form of a piece in one sentence: the signs it puts, and the order in which bars then sound.

Repeats, endings and jumps are read as players read them (common practice).
"""

from __future__ import annotations

import pytest

from ductus.core.errors import BadInput
from ductus.core.prompt.instruction_scope import Asked
from ductus.core.prompt.instructions import instruction
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.playing_order import form_of
from ductus.core.score.structure_edits.base import FrameEdit
from ductus.core.score.structure_edits.form import FormSign, WriteForm
from ductus.core.score.structure_edits.registry import FRAME_EDITS
from ductus.core.score.structure_edits.settling import frame_change
from ductus.demo.scenario import waltz

WALTZ = waltz()  # sixteen bars


def said(text: str, piece: Piece = WALTZ) -> tuple[str, FrameEdit]:
    found = instruction(piece, text, Asked(("p1", 1, 1), 0, 480))
    (step,) = found.steps
    assert isinstance(step.do, FrameEdit)
    return found.words, step.do


def order(text: str) -> list[tuple[int, int]]:
    """Bars from 1, first and last of each stretch, as they sound after a sentence."""
    _, edit = said(text)
    page = frame_change(WALTZ, edit).apply(WALTZ)
    return [(s.first + 1, s.last + 1) for s in form_of(page).order]


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("bars 1 to 8 twice", [(1, 8), (1, 16)]),
        ("play bars 5 to 8 three times", [(1, 8), (5, 8), (5, 16)]),
        ("Bars 1-8 twice, 1st ending bar 8, 2nd ending bar 9", [(1, 8), (1, 7), (9, 16)]),
        ("repeat bars 1 to 8 with two endings", [(1, 8), (1, 7), (9, 16)]),
        ("bars 1 to 8 twice; first ending bars 7 to 8; second ending bars 9 to 10", [(1, 8), (1, 6), (9, 16)]),
        ("bars 1 to 6 with three endings", [(1, 6), (1, 5), (7, 7), (1, 5), (8, 16)]),
        ("segno at bar 3, to coda after bar 6, coda at bar 13, then D.S. al Coda", [(1, 12), (3, 6), (13, 16)]),
        ("D.C. al Fine, Fine at bar 8", [(1, 16), (1, 8)]),
        ("bars 1-4 twice, 1st ending bar 4, then D.S. al Coda", [(1, 4), (1, 3), (5, 16), (1, 3), (5, 16)]),
    ],
)
def test_a_sentence_puts_the_signs_that_make_its_order(text: str, expected: list[tuple[int, int]]) -> None:
    assert order(text) == expected


def test_the_order_is_said_before_it_is_done_with_what_does_not_hold_together() -> None:
    words, _ = said("repeat bars 1 to 8 with two endings")
    assert words.endswith("In order: bars 1 to 8, bars 1 to 7, bars 9 to 16")
    words, edit = said("bars 1-4 twice, then D.S. al Coda")
    assert "D.S. finds no segno" in words
    assert edit.sure


def test_a_form_takes_the_place_of_what_stands_there() -> None:
    page = frame_change(WALTZ, said("bars 1 to 8 with three endings")[1]).apply(WALTZ)
    _, edit = said("bars 1 to 8 with two endings", page)
    after = frame_change(page, edit).apply(page)
    endings = sorted((s.bar + 1, s.text) for s in after.signs.values() if s.kind == "ending")
    assert endings == [(8, "1"), (9, "2"), (10, "3")]  # the third stands where nothing else was put
    assert WriteForm in FRAME_EDITS


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("bars 1 to 40 twice", "There is no bar 40"),
        ("bars 9 to 16 with two endings", "2nd ending has no bar"),
        ("bars 8 to 5 twice", "stands before its first"),
        ("bars 1 to 4 99 times", "2 to 20 times"),
        ("bar 4 with two endings", "no room"),
    ],
)
def test_what_cannot_be_is_said_and_nothing_changed(text: str, words: str) -> None:
    with pytest.raises(BadInput, match=words):
        said(text)


def test_a_sign_that_is_none_is_not_put() -> None:
    with pytest.raises(BadInput, match="no sign of bars"):
        WriteForm((FormSign("banana", 1),)).change(WALTZ)
    with pytest.raises(BadInput, match="ends with bar 16"):
        WriteForm((FormSign("segno", 99),)).change(WALTZ)
