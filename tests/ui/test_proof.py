"""Proof by playing, as a musician does it: the rehearsal keyboard plays what should be on the page, by keys alone."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.ui.conftest import Server
from tests.ui.desk import exported, open_piece, opened, play_through, press, says
from tests.ui.test_playing import line, rehearse


def plant(page: Page) -> None:
    """Three errors, made by keys: bar 2 begins a step too high, bar 5 has lost its first note, a C is written into
    the rest of bar 4.
    """
    press(page, "Control+ArrowRight", "Control+Shift+ArrowRight")
    says(page, "quarter, bar 2, beat 1")
    press(
        page,
        "Alt+ArrowUp",
        "Escape",
        "Control+ArrowRight",
        "Control+ArrowRight",
        "Control+ArrowRight",
        "Control+Shift+ArrowRight",
    )
    says(page, "quarter, bar 5, beat 1")
    press(page, "Delete", "Escape", "Control+ArrowLeft", "Shift+ArrowRight", "Shift+ArrowRight")
    expect(page.get_by_role("banner")).to_contain_text("bar 4 · beat 3")
    press(page, "Backquote", "KeyA")
    says(page, re.compile(r"^C \d, .*bar 4, beat 3"))  # "saved" stood there before the key was struck
    press(page, "Backquote")


@pytest.mark.own_page
@pytest.mark.own_server
def test_a_page_is_proved_by_playing_it(page: Page, server: Server) -> None:
    """The proof finds three planted errors and no others.

    One key takes the played version over, and the page is the piece again.
    """
    page.clock.install()
    piece = open_piece(page, "Lock Gate Waltz")
    right = exported(server, piece)
    plant(page)
    expect(page.get_by_test_id("kept")).to_have_text("saved")
    wrong = exported(server, piece)
    assert len(set(right) ^ set(wrong)) == 4
    press(page, "Escape", "Shift+F8")
    expect(line(page)).to_contain_text("begin to play")
    rehearse(page, "Lock Gate Waltz, freely")
    expect(page.get_by_role("heading", name="The page follows you")).to_be_visible()
    play_through(page)
    expect(line(page)).to_contain_text("119 notes agree, 3 places differ", timeout=60_000)
    in_hand, others = page.get_by_test_id("difference-in-hand"), page.get_by_test_id("difference")
    expect(in_hand).to_contain_text("E flat 5 played")
    expect(others).to_have_count(2)
    expect(page.get_by_test_id("washes").locator("[data-doubt]")).to_have_count(3)
    press(page, "KeyX")
    expect(in_hand).to_contain_text("C 4 on the page, not played")
    press(page, "KeyX")
    expect(in_hand).to_contain_text("played, not on the page")
    press(page, "KeyX")
    expect(line(page)).to_contain_text("121 notes agree, nothing differs")
    assert exported(server, piece) == right
    press(page, "Control+KeyZ")
    expect(line(page)).to_contain_text("1 place differs")
    press(page, "KeyC")
    says(page, "stays as on the page")
    expect(line(page)).to_contain_text("nothing is left to decide (1 place left as on the page)")
    assert len(set(right) ^ set(exported(server, piece))) == 1
    press(page, "Shift+F8")
    expect(line(page)).to_contain_text("Step into")
    page.reload()
    opened(page)
    page.get_by_role("button", name="Compare with the score").click()
    expect(line(page)).to_contain_text("1 place differs")


@pytest.mark.own_page
def test_a_proof_begins_with_the_first_key(page: Page, server: Server) -> None:
    open_piece(page, "Lock Gate Waltz")
    press(page, "Shift+F8")
    expect(line(page)).to_contain_text("strike the first key")
    expect(page.get_by_role("button", name="Pen up")).to_be_visible()
    press(page, "KeyA")
    expect(page.get_by_role("heading", name="The page follows you")).to_be_visible()
    press(page, "Escape")
    expect(line(page)).to_contain_text("1 note agrees")
