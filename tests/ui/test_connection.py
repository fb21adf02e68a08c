"""A desk survives its connection: the server killed and started, the page loaded again, in mid-step and in
mid-recording.
"""

from __future__ import annotations

import re
import signal

import pytest
from playwright.sync_api import Page, expect

from tests.ui.conftest import Server
from tests.ui.desk import begin, exported, opened, press, says, to_shelf


def pitches(server: Server, piece: str) -> list[str]:
    return [n[2] for n in exported(server, piece)]


def kept(page: Page) -> None:
    expect(page.get_by_test_id("kept")).to_have_text("saved", timeout=20_000)


@pytest.mark.own_server
def test_what_is_typed_while_the_server_is_away_is_written_where_it_was_meant(page: Page, server: Server) -> None:
    piece = begin(page, "Away")
    press(page, "Backquote", "8", "a", "s")
    says(page, "D 4, eighth")
    server.stop(signal.SIGKILL)
    expect(page.get_by_test_id("kept")).to_contain_text("connection lost")
    press(page, "d", "f", "PageDown", "g", "0", "h")
    expect(page.get_by_test_id("kept")).to_contain_text("4 notes wait")
    server.start()
    kept(page)
    says(page, "A 4, eighth, bar 2, beat 2")
    assert [(n[0], n[1], n[2]) for n in exported(server, piece)] == [
        (0, 0.5, "C4"), (0.5, 0.5, "D4"), (1, 0.5, "E4"), (1.5, 0.5, "F4"), (4, 0.5, "G4"), (5, 0.5, "A4"),
    ]  # fmt: skip
    expect(page.get_by_test_id("pen-state")).to_have_text("Pen down")


def test_a_page_that_is_loaded_again_has_its_pen_place_and_value(page: Page, server: Server) -> None:
    piece = begin(page, "Loaded again")
    press(page, "Backquote", "9", "a", "s", "d")
    says(page, "E 4, 16th, bar 1, beat 1 and")
    place = page.get_by_test_id("position").inner_text()
    kept(page)
    page.reload()
    opened(page)
    expect(page.get_by_test_id("position")).to_have_text(place)
    expect(page.get_by_test_id("pen-state")).to_have_text("Pen down")
    press(page, "f")
    says(page, "F 4, 16th, bar 1, beat 1")
    assert pitches(server, piece) == ["C4", "D4", "E4", "F4"]


def test_a_piece_that_is_opened_anew_has_its_pen_up(page: Page) -> None:
    begin(page, "Opened anew")
    press(page, "Backquote", "a")
    says(page, "C 4")
    to_shelf(page)
    page.get_by_role("link", name=re.compile("Opened anew")).click()
    opened(page)
    expect(page.get_by_test_id("pen-state")).to_have_text("Pen up")


def record_freely(page: Page) -> None:
    page.get_by_role("button", name="way of working").click()
    page.get_by_role("menuitemradio", name=re.compile("^Record")).click()
    page.get_by_role("button", name="click: ").click()
    page.get_by_role("radio", name=re.compile("freely")).click()
    page.keyboard.press("Escape")
    page.get_by_test_id("record").click()
    expect(page.get_by_test_id("record")).to_have_text("Stop recording")


@pytest.mark.own_server
def test_a_recording_goes_on_though_the_server_was_killed_in_the_middle_of_it(page: Page, server: Server) -> None:
    piece = begin(page, "Killed while recording")
    record_freely(page)
    for letter in "asdfghjk":
        page.keyboard.press(letter, delay=40)
    server.stop(signal.SIGKILL)
    expect(page.get_by_test_id("kept")).to_contain_text("connection lost")
    for letter in "asdf":
        page.keyboard.press(letter, delay=40)
    server.start()
    kept(page)
    expect(page.get_by_test_id("record")).to_have_text("Stop recording")
    for letter in "ghjk":
        page.keyboard.press(letter, delay=40)
    page.get_by_test_id("record").click()
    expect(page.get_by_test_id("take")).to_contain_text("16 notes")
    expect(page.locator(".system g.note").first).to_be_visible()
    assert len(exported(server, piece)) == 16


def test_a_recording_goes_on_though_the_page_was_loaded_again(page: Page, server: Server) -> None:
    piece = begin(page, "Loaded while recording")
    record_freely(page)
    for letter in "asdf":
        page.keyboard.press(letter, delay=40)
    page.wait_for_timeout(300)
    page.reload()
    opened(page)
    expect(page.get_by_test_id("record")).to_have_text("Stop recording")
    for letter in "ghjk":
        page.keyboard.press(letter, delay=40)
    page.get_by_test_id("record").click()
    expect(page.get_by_test_id("take")).to_contain_text("8 notes")
    expect(page.locator(".system g.note").first).to_be_visible()
    assert len(exported(server, piece)) == 8
