"""The field of words behind More: an instruction is weighed while it is typed, and done with Enter."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.ui.conftest import Server
from tests.ui.desk import begin, exported, open_piece, press, says


def say_it(page: Page, words: str) -> None:
    press(page, "Control+m")
    page.get_by_label("Say it, or find it").fill(words)


def test_an_instruction_shows_what_it_would_change_is_done_and_undone(page: Page, server: Server) -> None:
    piece = open_piece(page, "Lock Gate Waltz")
    before = exported(server, piece)
    say_it(page, "bars 5 to 8 an octave higher")
    expect(page.get_by_test_id("would")).to_contain_text(re.compile(r"\d+ notes up an octave"))
    expect(page.locator("[data-would]").first).to_be_visible()
    press(page, "Enter")
    says(page, re.compile(r"^\d+ notes up an octave"))
    count = int(page.get_by_test_id("said").inner_text().split()[0])
    expect(page.get_by_test_id("would")).to_have_count(0)
    expect(page.locator("[data-would]")).to_have_count(0)
    after = exported(server, piece)
    moved = [(a, b) for a, b in zip(sorted(before), sorted(after), strict=True) if a != b]
    assert len(moved) == count > 20
    press(page, "Control+z")
    says(page, "Undone: ")
    assert exported(server, piece) == before


def test_words_that_are_not_understood_name_what_is_near_and_commands_are_found(page: Page) -> None:
    open_piece(page, "Lock Gate Waltz")
    say_it(page, "bars 5 to 8 an octve higher")
    expect(page.get_by_test_id("would")).to_contain_text("bars 5 to 8 an octave higher")
    press(page, "Enter")
    expect(page.get_by_label("Say it, or find it")).to_be_visible()  # nothing was done
    page.get_by_label("Say it, or find it").fill("pen down")
    expect(page.get_by_label("commands found").get_by_role("button").first).to_be_visible()
    press(page, "Enter")
    expect(page.get_by_test_id("pen-state")).to_have_text("Pen down")


def test_a_menu_of_the_line_never_covers_the_system_that_it_is_about(page: Page) -> None:
    open_piece(page, "Lock Gate Waltz")
    for bar in ("1", "7", "16"):
        say_it(page, f"go to bar {bar}")
        expect(page.get_by_test_id("would")).to_contain_text(f"The pen goes to bar {bar}")
        press(page, "Enter")
        says(page, f"bar {bar}, beat 1")
        page.locator('[data-phrase="way of working"]').click()
        menu = page.locator(".menu.docked")
        expect(menu).to_be_visible()
        page.wait_for_function(CLEAR)
        press(page, "Escape")
        expect(menu).to_have_count(0)


CLEAR = """() => {
  const menu = document.querySelector('.menu.docked').getBoundingClientRect()
  const pen = document.querySelector('[data-testid=pen-label]')?.getBoundingClientRect()
  return menu.height > 0 && menu.height <= 242 && pen && pen.bottom <= menu.top + 2
}"""


def test_an_unknown_word_asks_what_it_is_once_and_is_then_known(page: Page, server: Server) -> None:
    begin(page, "Words of one's own", "3/4")
    press(page, "Backquote", "a", "s")
    page.get_by_role("button", name="with a mark").click()
    mark = page.get_by_role("combobox", name="mark")
    mark.fill("wie ein Kahn")
    expect(page.get_by_text("“wie ein Kahn” is not known yet. What is it?")).to_be_visible()
    press(page, "Enter")  # alone it takes nothing
    expect(mark).to_be_visible()
    press(page, "ArrowDown", "Enter")
    says(page, "wie ein Kahn")
    expect(page.locator(".system").get_by_text("wie ein Kahn")).to_have_count(1)
    press(page, "s")
    page.get_by_role("button", name="with a mark").click()
    mark.fill("wie ein Kahn")
    expect(page.get_by_role("option").first).to_have_text("“wie ein Kahn” is expression, under the staff")
    expect(page.get_by_text("is not known yet")).to_have_count(0)
    press(page, "Enter")
    expect(page.locator(".system").get_by_text("wie ein Kahn")).to_have_count(2)
