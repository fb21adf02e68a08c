"""The pen never lies over words, tempo marks or lyrics, wherever it stands."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.ui.conftest import Server
from tests.ui.desk import open_piece, press
from tests.ui.test_page import at_bar

OVER = """() => {
  const kinds = 'g.tempo, g.dir, g.harm, g.dynam, g.syl, g.reh'
  const words = [...document.querySelectorAll(`.system :is(${kinds})`)]
    .map((e) => [e.textContent, e.getBoundingClientRect()])
  const mine = [...document.querySelectorAll('[data-testid=nib] path, [data-testid=pen-label]')].map((e) =>
    e.getBoundingClientRect())
  const cross = (a, b) => a.right > b.left + 1 && a.left < b.right - 1 && a.bottom > b.top + 1 && a.top < b.bottom - 1
  return words.filter(([, w]) => mine.some((m) => cross(m, w))).map(([text]) => text)
}"""


@pytest.mark.parametrize("title", ["Keeper’s Song", "Lock Gate Waltz"])
def test_the_pen_lies_over_no_words_at_any_place_of_a_piece(page: Page, server: Server, title: str) -> None:
    open_piece(page, title)
    press(page, "Escape")
    at_bar(page, 1)
    label, seen, drawn = page.get_by_test_id("pen-label"), set(), 0
    for _ in range(40):
        place = page.get_by_test_id("position").inner_text()
        seen.add(place)
        assert page.evaluate(OVER) == []
        drawn += page.get_by_test_id("nib").count() and label.count()
        press(page, "ArrowRight")
        expect(page.get_by_test_id("position")).not_to_have_text(place)
    assert len(seen) > 30  # some places of a bar have one name
    assert drawn > 20  # it is not clear of them by not being there
