"""Breaks that a hand set: on the sheet, on pages, in MusicXML; pages that are asked for by count or by their turns.

Common practice of music engraving: a right-hand page ends where there is time to turn.
"""

from __future__ import annotations

import pytest
from lxml import etree

from ductus.app.document.sheet import Sheet
from ductus.core.errors import BadInput
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import BarSign
from ductus.demo.scenario import song, waltz
from ductus.engraving.breaking import balanced, broken, ends_with_rest
from ductus.engraving.engraver import Engraver
from ductus.engraving.pages import SMALLEST, PageSetup, printed
from ductus.formats.musicxml_read.score import read_musicxml
from ductus.formats.musicxml_write import write_musicxml
from tests.building import random_piece
from tests.engraving.test_pages import bars_on, systems_of


def with_breaks(piece: Piece, kind: str, *bars: int) -> Piece:
    return piece.with_rows([(None, BarSign(f"s9{bar}", kind, bar)) for bar in bars])


def starts(piece: Piece) -> list[int]:
    return [first for first, _ in balanced(piece, 100)]


@pytest.mark.parametrize("bars", [(3,), (1, 2), (5, 11), (15,)])
def test_a_system_begins_where_a_hand_says(bars: tuple[int, ...]) -> None:
    ranges = balanced(with_breaks(waltz(), "system-break", *bars), 100)
    assert set(bars) <= {first for first, _ in ranges}
    assert [b for first, last in ranges for b in range(first, last + 1)] == list(range(waltz().bar_count))


def test_a_break_at_the_first_bar_or_behind_the_last_changes_nothing() -> None:
    assert starts(with_breaks(waltz(), "system-break", 0, 900)) == starts(waltz())


@pytest.mark.parametrize("bars", [(3,), (1, 2, 3), (6, 12)])
def test_the_sheet_breaks_there_too_and_closes_up_when_the_break_is_gone(bars: tuple[int, ...]) -> None:
    plain, broken_by_hand = waltz(), with_breaks(waltz(), "system-break", *bars)
    sheet = Sheet(plain, Engraver())
    before = [s.bars for s in sheet.systems]
    assert sheet.update(broken_by_hand, set(bars), everything=False)
    assert set(bars) <= {s.bars.first for s in sheet.systems}
    assert not sheet.update(broken_by_hand, {0}, everything=False)  # an edit elsewhere leaves it
    assert sheet.update(plain, set(bars), everything=False)
    assert [s.bars for s in sheet.systems] == before


def test_breaks_are_kept_in_musicxml_and_come_back() -> None:
    piece = with_breaks(with_breaks(waltz(), "system-break", 5), "page-break", 9)
    data = write_musicxml(piece)
    shown = {
        m.get("number"): dict(p.attrib)
        for m in etree.fromstring(data).findall("part[1]/measure")
        for p in m.findall("print")
    }
    assert shown == {"6": {"new-system": "yes"}, "10": {"new-page": "yes"}}
    back = read_musicxml(data).piece
    assert sorted((s.kind, s.bar) for s in back.signs.values()) == [("page-break", 9), ("system-break", 5)]


def test_the_systems_of_another_program_s_page_are_not_taken_for_breaks() -> None:
    data = write_musicxml(with_breaks(waltz(), "system-break", 5)).replace(
        b"<software>Ductus</software>", b"<software>An engraver</software>"
    )
    assert not read_musicxml(data).piece.signs


def test_a_page_begins_where_a_hand_says() -> None:
    made = printed(with_breaks(waltz(), "page-break", 6), PageSetup())
    assert [bars_on(page)[0] for page in made.pages] == [0, 6]


def test_a_piece_is_fitted_on_fewer_pages_by_smaller_staves() -> None:
    piece = random_piece(3, "4/4", 70)
    usual = printed(piece, PageSetup())
    fitted = printed(piece, PageSetup(pages=len(usual.pages) - 1))
    assert len(fitted.pages) == len(usual.pages) - 1
    assert SMALLEST <= fitted.staff_mm < usual.staff_mm
    larger = printed(piece, PageSetup(pages=len(usual.pages) - 1, staff_mm=fitted.staff_mm + 0.6))
    assert larger.staff_mm >= fitted.staff_mm - 0.2  # none much larger would have done


def test_pages_that_are_enough_leave_the_staves_as_they_are() -> None:
    assert printed(song(), PageSetup(pages=9)).staff_mm == printed(song(), PageSetup()).staff_mm


def test_too_few_pages_are_refused_with_the_count_that_it_takes() -> None:
    with pytest.raises(BadInput, match=r"Even with staves of 3 mm this takes \d+ pages"):
        printed(random_piece(3, "4/4", 300), PageSetup(pages=1))


def test_asked_for_turns_at_rests_a_right_hand_page_ends_with_one() -> None:
    tall, turns = [10.0] * 12, [k == 3 for k in range(12)]  # a rest after the fourth system only
    room = 10.0 * 6 + 900.0 * 6
    assert broken(tall, turns, 0, room)[1] == 6
    assert broken(tall, turns, 0, room, turn=12.0)[1] == 4


def test_turning_at_rests_keeps_every_bar() -> None:
    piece = random_piece(5, "3/4", 120)
    made = printed(piece, PageSetup(turn_at_rests=True))
    assert [b for page in made.pages for b in bars_on(page)] == list(range(piece.bar_count))
    right = [bars_on(page)[-1] for page in made.pages[:-1:2]]
    plain = [bars_on(page)[-1] for page in printed(piece, PageSetup()).pages[:-1:2]]
    assert sum(ends_with_rest(piece, b) for b in right) >= sum(ends_with_rest(piece, b) for b in plain)
    assert all(systems_of(page) for page in made.pages)
