"""Instruments: channels, an outside sound, what each step sounds."""

from __future__ import annotations

import re
from fractions import Fraction as F

import pytest
from playwright.sync_api import Page, expect

from ductus.core.time.ticks import QUARTER
from tests.ui.conftest import Server
from tests.ui.desk import begin, exported, open_piece, press, says


@pytest.fixture
def barge(wired: Page) -> Page:
    """A page with an instrument and an output plugged in."""
    return wired


def midi(page: Page, *message: int) -> None:
    page.evaluate("m => sendMidi(...m)", list(message))


def until(page: Page, true: str, most_s: int = 20) -> None:
    """Wait until an expression holds (the page's policy forbids the browser to do this by itself)."""
    for _ in range(most_s * 20):
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
    with barge.expect_response(re.compile(rf"company\?tick={5 * QUARTER}&")) as asked:
        press(barge, "ArrowRight")
    asked.value.finished()
    barge.wait_for_timeout(600)  # the answer is there; a moment for the page to take it in
    barge.evaluate("sentOut.length = 0")
    midi(barge, 0x90, 84, 70)
    until(barge, "sentOut.filter(m => (m[0] & 0xF0) === 0x90).length >= 3")
    struck = {m[1] for m in barge.evaluate("sentOut") if m[0] & 0xF0 == 0x90}
    assert {53, 67} <= struck  # F3 of the left hand, G4 of the singer


def strike(page: Page, values: list[float], quarter_ms: float) -> None:
    """Strike one key in these values (quarters), stamped as an instrument would stamp them."""
    at = page.evaluate("performance.now()")
    for value in values:
        page.evaluate("t => sendMidiAt(t, 0x90, 45, 90)", at)
        page.evaluate("t => sendMidiAt(t, 0x80, 45, 0)", at + 0.85 * value * quarter_ms)
        at += value * quarter_ms


def test_a_rhythm_struck_on_one_key_then_its_pitches(barge: Page, server: Server) -> None:
    """The rhythm in time on any one key, the pitches at leisure."""
    piece = begin(barge, "Rhythm first")
    barge.evaluate("plugIn()")
    press(barge, "Backquote", "9")
    barge.get_by_role("button", name="way of working").click()
    barge.get_by_role("menuitemradio", name="Rhythm first: values now, pitches later").click()
    barge.get_by_role("button", name="rhythm by").click()
    barge.get_by_role("menuitemradio", name="a rhythm struck in time on any one key is written").click()
    says(barge, "The rhythm is struck in time on any one key")
    expect(barge.get_by_test_id("line")).to_contain_text("struck in time on any one key is written down to 16th")
    values = [0.75, 0.25, 0.5, 0.5, 1.5, 0.5]
    strike(barge, values, 60_000 / 92)
    press(barge, "z")
    says(barge, "6 strokes from bar 1, beat 1")
    press(barge, "q")
    for key in (60, 62, 64, 65, 67, 69):
        midi(barge, 0x90, key, 80)
        midi(barge, 0x80, key, 0)
    says(barge, "A 4")
    places = [F(0)]
    for value in values:
        places.append(places[-1] + F(value))
    names = ["C4", "D4", "E4", "F4", "G4", "A4"]
    wanted = [(a, F(v), n, 0) for a, v, n in zip(places[:-1], values, names, strict=True)]
    assert exported(server, piece) == wanted


def test_an_output_that_is_gone_leaves_the_piano_and_says_which_is_chosen(barge: Page) -> None:
    begin(barge, "Gone")
    choose(barge, "menuitemradio", "Barge organ")
    barge.get_by_test_id("hearing").click()
    expect(barge.get_by_role("menuitemradio", name="Barge organ")).to_be_checked()
    barge.get_by_role("menuitemradio", name="nobody").click()
    barge.evaluate("plugIn(); sentOut.length = 0")
    press(barge, "Backquote")
    midi(barge, 0x90, 60, 80)
    midi(barge, 0x80, 60, 0)
    says(barge, "C 4, quarter, bar 1, beat 1")
    assert barge.evaluate("sentOut") == []


def test_the_piano_is_ready_with_its_middle_and_the_rest_of_it_follows(page: Page) -> None:
    begin(page, "Samples")
    for _ in range(150):
        if page.evaluate("performance.getEntriesByName('piano whole').length"):
            break
        page.wait_for_timeout(200)
    count = "performance.getEntriesByType('resource').filter((r) => r.name.includes('/piano/')).length"
    assert page.evaluate(count) == 30  # A, C, D sharp and F sharp of seven octaves, the lowest A and the highest C
