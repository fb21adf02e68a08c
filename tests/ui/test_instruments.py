"""Instruments: channels, an outside sound, what each step sounds (JOB 2.1, 3.11, 5.2)."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction as F

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.ui.conftest import Server
from tests.ui.desk import begin, exported, open_piece, press, says
from tests.ui.fake_midi import FAKE_MIDI


@pytest.fixture
def barge(chromium: Browser, server: Server) -> Iterator[Page]:
    """A page with an instrument and an output plugged in."""
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, base_url=server.url)
    context.add_init_script(FAKE_MIDI)
    page = context.new_page()
    page.goto("/")
    yield page
    context.close()


def midi(page: Page, *message: int) -> None:
    page.evaluate("m => sendMidi(...m)", list(message))


def until(page: Page, true: str) -> None:
    """Wait until an expression holds (the page's policy forbids the browser to do this by itself)."""
    for _ in range(60):
        if page.evaluate(true):
            return
        page.wait_for_timeout(50)
    raise AssertionError(true)


def choose(page: Page, role: str, name: str) -> None:
    page.get_by_test_id("hearing").click()
    page.get_by_role(role, name=name).click()  # type: ignore[arg-type]


def test_only_the_chosen_channel_of_an_instrument_is_heard(barge: Page, server: Server) -> None:
    piece = begin(barge, "Channels")
    barge.evaluate("plugIn()")
    choose(barge, "menuitem", "its channel")
    barge.get_by_role("menuitemradio", name="channel 3", exact=True).click()
    barge.keyboard.press("Escape")
    press(barge, "Backquote")
    for status in (0x90, 0x80):  # channel 1: not heard
        midi(barge, status, 60, 80)
    for status in (0x92, 0x82):  # channel 3
        midi(barge, status, 64, 80)
    says(barge, "E 4, quarter, bar 1, beat 1")
    assert exported(server, piece) == [(F(0), F(1), "E4", 0)]
    barge.reload()
    barge.get_by_test_id("hearing").click()
    expect(barge.get_by_role("menuitem", name="its channel")).to_contain_text("3")


def test_an_outside_instrument_sounds_what_is_played_and_what_is_written(barge: Page) -> None:
    """The bytes are those of MIDI 1.0: note on 0x90, control change 0xB0."""
    begin(barge, "Outside")
    barge.evaluate("plugIn()")
    choose(barge, "menuitemradio", "Barge organ")
    press(barge, "Backquote")
    midi(barge, 0xB0, 64, 127)
    midi(barge, 0x90, 67, 90)
    midi(barge, 0x80, 67, 0)
    says(barge, "G 4, quarter, bar 1, beat 1")
    sent = barge.evaluate("sentOut")
    assert [0xB0, 64, 127] in sent
    assert any(m[1:] == [67, 90] and m[0] == 0x90 for m in sent)
    assert any(m[1] == 67 and (m[0] == 0x80 or m[2] == 0) for m in sent)
    barge.evaluate("sentOut.length = 0")
    press(barge, "Home", "Space")
    until(barge, "sentOut.some(m => m[0] === 0x90 && m[1] === 67)")


def test_each_step_can_sound_what_the_other_parts_hold(barge: Page) -> None:
    open_piece(barge, "Lantern-Keeper")
    barge.evaluate("plugIn()")
    choose(barge, "menuitemradio", "Barge organ")
    barge.get_by_role("button", name="Desk").click()
    barge.get_by_role("menuitemcheckbox", name="Each step sounds what the other parts hold").click()
    barge.get_by_test_id("position").wait_for()
    press(barge, "Escape", "Backquote", "PageDown")  # the pen in the keys' right hand, bar 2
    expect(barge.get_by_test_id("position")).to_contain_text("bar 2")
    with barge.expect_response("**/company**"):
        press(barge, "ArrowRight")
    barge.evaluate("sentOut.length = 0")
    midi(barge, 0x90, 84, 70)
    until(barge, "sentOut.filter(m => m[0] === 0x90).length >= 3")
    struck = {m[1] for m in barge.evaluate("sentOut") if m[0] == 0x90}
    assert {53, 67} <= struck  # F3 of the left hand, G4 of the singer
