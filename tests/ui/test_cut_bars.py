"""A minuet with a pick-up and a repeat in the middle of a bar, through the real interface."""

from __future__ import annotations

import re

import music21
from playwright.sync_api import Page, expect

from tests.ui.conftest import Server
from tests.ui.desk import about, begin_with, press, says, with_mark


def cut(page: Page, beat: int) -> None:
    about(page, "bars")
    page.get_by_test_id("line").locator('[data-phrase="cut the bar"]').click()
    page.get_by_label("In front of beat").fill(str(beat))
    page.keyboard.press("Enter")
    page.get_by_test_id("weighed").wait_for()
    page.keyboard.press("Enter")
    press(page, "Escape")


def test_a_repeat_stands_in_the_middle_of_a_bar(page: Page, server: Server) -> None:
    piece = begin_with(page, {"title": "Minuet with a pick-up", "meter": "3/4", "pickup": 960})
    press(page, "Backquote", *"adfgsdfgsdfg", "Backquote")  # the pick-up, three whole bars, two beats of bar 4
    position = page.get_by_test_id("position")
    press(page, "Control+ArrowLeft", "Shift+ArrowRight", "Shift+ArrowRight")
    cut(page, 3)
    says(page, "Bar 4 ends in front of beat 3")  # the last one: without what the pick-up has
    press(page, "PageUp", "PageUp", "PageUp", "Shift+ArrowRight", "Shift+ArrowRight")
    expect(position).to_have_text("bar 2 · beat 3")
    cut(page, 3)
    says(page, "Bar 2 is cut in two in front of beat 3")
    with_mark(page, "repeat end")
    says(page, "Repeat ends at the end of the first part of bar 2")
    with_mark(page, "repeat start")
    says(page, re.compile("^Repeat begins"))
    expect(position).to_have_text("bar 2 · beat 3")
    data = server.get(f"/api/pieces/{piece}/export.musicxml").decode()
    measures = music21.converter.parseData(data, format="musicxml").parts[0].getElementsByClass("Measure")
    assert [(m.number, m.duration.quarterLength) for m in measures] == [(0, 1), (1, 3), (2, 2), (2, 1), (3, 3), (4, 2)]
    assert [len(m.getElementsByClass("TimeSignature")) for m in measures] == [1, 0, 0, 0, 0, 0]
    assert [bool(m.rightBarline and "Repeat" in m.rightBarline.classes) for m in measures][2]
    page.keyboard.press("F4")
    page.get_by_test_id("line").get_by_role("button", name="make it whole").click()
    expect(page.get_by_test_id("weighed")).to_contain_text("gone from its middle: repeat ends and repeat begins")
    press(page, "Enter", "Escape", "Control+KeyZ")
    says(page, "Undone: Bar 2 is whole again")
    assert server.get(f"/api/pieces/{piece}/export.musicxml").decode() == data
