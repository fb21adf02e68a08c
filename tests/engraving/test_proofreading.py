"""Proofreading: what lies over what is measured from the fonts, and each kind of finding is found where it was made."""

from __future__ import annotations

from dataclasses import replace

import pytest

from ductus.core.score.mark_edits.place_marks import marked, where
from ductus.core.score.mark_language.parser import wish_of
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import BarSign, Mark
from ductus.core.score.note_edits.write import change_facts
from ductus.core.time.ticks import QUARTER
from ductus.demo.scenario import song, waltz
from ductus.engraving import faces
from ductus.engraving.boxes import Box, boxes_of, collisions
from ductus.engraving.pages import PageSetup, printed
from ductus.engraving.proofreading import Finding, proofread
from tests.building import piece_of, random_piece


def found(piece: Piece, kind: str) -> list[Finding]:
    return [f for f in proofread(piece, PageSetup())[1] if f.kind == kind]


def with_sign(piece: Piece, kind: str, bar: int, text: str = "", bars: int = 1) -> Piece:
    draft = Draft(piece)
    draft.put(BarSign(draft.new_id("s"), kind, bar, text, bars))
    return draft.change("Sign").apply(piece)


@pytest.mark.parametrize("piece", [song(), waltz()], ids=["song", "waltz"])
def test_the_demo_pieces_have_no_collisions_and_nothing_false(piece: Piece) -> None:
    assert proofread(piece, PageSetup())[1] == ()


def test_words_that_a_hand_put_over_a_note_are_a_collision() -> None:
    piece = piece_of("4/4", [(k, 1) for k in range(8)])
    assert found(piece, "collision") == []
    draft = Draft(piece)
    draft.put(Mark("m1", "text", "p1", 1, 1, 4 * QUARTER, 0, "a very long word", side="above", shift=(0, -55)))
    (one, *_) = found(draft.change("Words").apply(piece), "collision")
    assert (one.bar, one.page) == (1, 1)
    assert "“a very long word” lies over" in one.words


def test_boxes_of_words_agree_with_the_measures_of_the_font() -> None:
    """The width of a line is the sum of the advance widths that the font file states (OpenType, hmtx)."""
    piece = piece_of("4/4", [(0, 4)])
    piece = marked(piece, wish_of('"Lanternlight"'), where((), ("p1", 1, 1), 0)).apply(piece)
    (box,) = [b for b in boxes_of(printed(piece, PageSetup()).pages[0]) if b.text == "Lanternlight"]
    italic = next(f for f in faces.faces() if "alegreya-latin-4" in f.name and f.style == "italic")
    assert box.right - box.left == pytest.approx(432 * sum(italic.widths[ord(c)] for c in box.text), rel=0.01)


def test_only_words_that_overlap_by_more_than_a_touch_collide() -> None:
    words = Box("dir", 0, "a", 0, 0, 1000, 300, "dolce")
    near, over = (Box("notehead", 0, "b", 0, top, 200, top + 180) for top in (290, 200))
    assert list(collisions([words, near])) == []
    assert list(collisions([words, over])) == [(words, over)]
    assert list(collisions([words, replace(over, group="a")])) == []  # a piece of the same thing


def test_an_ending_that_nothing_repeats_and_bars_that_are_never_heard() -> None:
    piece = random_piece(1, "4/4", 8)
    lone = with_sign(piece, "ending", 3, "1", 1)
    assert [(f.bar, f.words) for f in found(lone, "form")] == [
        (3, "Ending 1 has no repeat and no other ending behind it")
    ]
    assert found(with_sign(lone, "ending", 4, "2", 1), "form") == []
    nowhere = with_sign(piece, "dal-segno", 7)
    assert ["no segno" in f.words for f in found(nowhere, "form")] == [True]


def test_a_letter_that_no_font_has_is_told_with_its_code_point(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(faces, "_on_this_machine", lambda _: False)
    piece = change_facts(random_piece(1, "4/4", 2), title="歌").apply(random_piece(1, "4/4", 2))
    assert [f.words for f in found(piece, "letter")] == ["No font here has 歌 (U+6B4C)"]


def test_a_singer_is_not_asked_for_what_no_voice_has() -> None:
    piece = piece_of("4/4", [(0, 1), (1, 1), (4, 1)])  # C5
    (part,) = piece.parts.values()
    named = {name: piece.with_rows([(part, replace(part, name=name))]) for name in ("Soprano", "Bass")}
    assert found(named["Soprano"], "range") == []
    assert [(f.bar, f.words) for f in found(named["Bass"], "range")] == [
        (0, "C 5 lies out of the range of Bass (E2 to D4)"),
        (1, "C 5 lies out of the range of Bass (E2 to D4)"),
    ]


def test_a_right_hand_page_without_a_rest_at_its_end_is_told() -> None:
    busy = random_piece(5, "4/4", 90)
    made, findings = proofread(busy, PageSetup())
    turns = [f for f in findings if f.kind == "turn"]
    assert len(made.pages) > 2
    assert all(f.page % 2 == 1 for f in turns)  # the first page lies on the right
