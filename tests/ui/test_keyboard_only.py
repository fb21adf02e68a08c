"""Everything by the keyboard alone: placing, selecting, editing, copying, choosing in the line, help.

And what stays chosen.
"""

from __future__ import annotations

import re
from fractions import Fraction as F

from playwright.sync_api import Page, expect

from tests.ui.conftest import Server
from tests.ui.desk import begin, exported, press, says


def test_select_edit_copy_and_paste_without_a_mouse(page: Page, server: Server) -> None:
    piece = begin(page, "No mouse")
    press(page, "Backquote", "a", "s", "d")
    says(page, "E 4, quarter, bar 1, beat 3")
    press(page, "Control+Shift+ArrowLeft", "Control+Shift+ArrowLeft")
    says(page, "2 notes selected: D 4 and E 4")
    expect(page.get_by_test_id("line")).to_contain_text("These 2 notes")
    press(page, "Control+ArrowUp")
    says(page, "2 notes up an octave")
    press(page, "Control+c", "Escape", "Control+v")
    says(page, "2 notes pasted at bar 1, beat 4")
    assert [n[:3] for n in exported(server, piece)] == [
        (F(0), F(1), "C4"),
        (F(1), F(1), "D5"),
        (F(2), F(1), "E5"),
        (F(3), F(1), "D5"),
        (F(4), F(1), "E5"),
    ]
    expect(page.get_by_test_id("pen-state")).to_have_text("Pen down")  # Escape let the selection go, not the pen
    press(page, "Escape")
    expect(page.get_by_test_id("pen-state")).to_have_text("Pen up")


def test_the_arrows_walk_from_note_to_note_while_one_is_selected(page: Page, server: Server) -> None:
    piece = begin(page, "Walk")
    press(page, "Backquote", "a", "s", "9", "d", "f")
    says(page, "F 4, 16th, bar 1, beat 3, 2nd of 4")
    press(page, "Control+Shift+ArrowLeft", "ArrowLeft")
    says(page, "E 4, 16th, bar 1, beat 3")
    press(page, "ArrowLeft")
    says(page, "D 4, quarter, bar 1, beat 2")
    expect(page.get_by_test_id("position")).to_have_text("bar 1 · beat 3 and")  # a pen that is down stays
    press(page, "ArrowLeft", "ArrowLeft")
    says(page, "C 4, quarter, bar 1, beat 1")  # the first note stays in hand
    press(page, "Control+x")
    says(page, "1 note cut")
    press(page, "Control+ArrowRight", "Control+v")
    says(page, "1 note pasted at bar 2, beat 1")
    assert (F(4), F(1), "C4") in {n[:3] for n in exported(server, piece)}


def test_a_phrase_of_the_line_is_reached_and_changed_by_keys(page: Page, server: Server) -> None:
    begin(page, "Phrases")
    policy = page.get_by_test_id("line").get_by_role("button", name=re.compile("^replace or add"))
    policy.focus()
    press(page, "Enter")
    expect(page.get_by_role("menuitemradio", name=re.compile("^replaces"))).to_be_focused()
    press(page, "ArrowDown")
    expect(page.get_by_role("menuitemradio", name=re.compile("^is added"))).to_be_focused()
    press(page, "Enter")
    expect(page.get_by_test_id("line")).to_contain_text("is added to what is there")
    press(page, "Escape")
    press(page, "Equal")
    expect(page.get_by_test_id("line")).to_contain_text("keeps what is there and goes to the next silence")


def test_the_page_of_keys_opens_and_closes_by_its_key_and_fits_the_moment(page: Page, server: Server) -> None:
    begin(page, "Help")
    press(page, "F1")
    expect(page.get_by_role("dialog", name="Keys and controls")).to_contain_text("Coarser step")
    press(page, "F1")
    expect(page.get_by_role("dialog", name="Keys and controls")).to_have_count(0)
    press(page, "Backquote", "a")
    press(page, "b", "F1")
    now = page.get_by_role("dialog", name="Keys and controls").locator("section").first
    expect(now).to_contain_text("Hold each to the next")


def test_choices_of_the_desk_stay_and_the_pen_is_up_all_the_same(page: Page, server: Server) -> None:
    begin(page, "Choices")
    press(page, "Backquote")
    page.get_by_role("button", name="Desk", exact=True).click()
    page.get_by_role("menuitemcheckbox", name=re.compile("A tone at each bar line")).click()
    page.get_by_role("button", name="Desk", exact=True).click()
    page.get_by_role("menuitem", name="Evening theme").click()
    page.goto(page.url)  # opened anew, not loaded again
    expect(page.locator("html")).to_have_attribute("data-theme", "evening")
    expect(page.get_by_test_id("pen-state")).to_have_text("Pen up")
    page.get_by_role("button", name="Desk", exact=True).click()
    expect(page.get_by_role("menuitemcheckbox", name=re.compile("A tone at each bar line"))).to_be_checked()


def test_undo_right_after_a_key_takes_that_key_back(page: Page, server: Server) -> None:
    piece = begin(page, "Fast hands")
    press(page, "Backquote", "a", "s", "Control+z", "d", "Control+z", "Control+z")
    says(page, "Undone: C 4")
    expect(page.get_by_test_id("problem")).to_have_count(0)
    assert exported(server, piece) == []
