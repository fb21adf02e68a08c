"""Breaks typed at the pen, and pages by their count and their turns, in the print view."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.ui.conftest import Server
from tests.ui.desk import open_piece, press, says, with_mark
from tests.ui.test_page import at_bar

FIRST_BARS = """() => [...document.querySelectorAll('.pages .page')].map((p) =>
  Number(/^b(\\d+)-/.exec(p.querySelector('g.measure').id)[1]))"""


def in_print(page: Page, phrase: str, option: str) -> None:
    page.get_by_test_id("print-line").locator(f'[data-phrase="{phrase}"]').click()
    page.get_by_role("menuitemradio", name=option).click()


def test_a_page_begins_at_the_pen_and_a_piece_is_fitted_on_fewer_pages(page: Page, server: Server) -> None:
    open_piece(page, "Lock Gate Waltz")
    at_bar(page, 7)
    with_mark(page, "new page")
    says(page, "New page at the beginning of bar 7")
    press(page, "F9")
    count = page.get_by_test_id("page-count")
    expect(count).to_have_text("2 pages")
    assert page.evaluate(FIRST_BARS) == [0, 6]
    in_print(page, "how many pages", "at most 1 page")
    expect(page.get_by_test_id("print-problem")).to_contain_text("Even with staves of 3 mm this takes 2 pages")
    in_print(page, "how many pages", "as many pages as it takes")
    in_print(page, "where pages turn", "at rests")
    expect(page.get_by_test_id("print-problem")).to_have_count(0)
    press(page, "Escape", "Control+z", "F9")
    expect(count).to_have_text("1 page")
    assert page.evaluate(FIRST_BARS) == [0]


def test_the_words_of_a_tempo_are_bold_on_the_sheet_and_in_print_and_its_number_is_not(
    page: Page, server: Server
) -> None:
    open_piece(page, "Lock Gate Waltz")
    weights = """(root) => [...document.querySelectorAll(`${root} g.tempo tspan tspan`)]
      .filter((t) => !t.children.length).map((t) => [t.textContent.trim(), getComputedStyle(t).fontWeight])"""
    for root in (".system", ".pages .page"):
        if root != ".system":
            press(page, "F9")
            expect(page.get_by_test_id("page-count")).to_have_text("1 page")
        found = dict(page.evaluate(weights, root))
        assert found["Drifting, like a gate left open"] == "700"
        assert found["96"] == "400"
    assert page.evaluate("document.fonts.check('700 16px Alegreya')")
