"""Instruments: channels, an outside sound, what each step sounds."""

from __future__ import annotations

import json
import re
import time
from fractions import Fraction as F

import pytest
from playwright.sync_api import Page, expect

from ductus.core.time.ticks import QUARTER
from tests.ui.conftest import Server
from tests.ui.desk import begin, exported, open_piece, press, says


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


def test_only_the_chosen_channel_of_an_instrument_is_heard(wired: Page, server: Server) -> None:
    piece = begin(wired, "Channels")
    wired.evaluate("plugIn()")
    choose(wired, "menuitem", "its channel")
    wired.get_by_role("menuitemradio", name="channel 3", exact=True).click()
    wired.keyboard.press("Escape")
    press(wired, "Backquote")
    for status in (0x90, 0x80):  # channel 1: not heard
        midi(wired, status, 60, 80)
    for status in (0x92, 0x82):  # channel 3
        midi(wired, status, 64, 80)
    says(wired, "E 4, quarter, bar 1, beat 1")
    assert exported(server, piece) == [(F(0), F(1), "E4", 0)]
    wired.reload()
    wired.get_by_test_id("hearing").click()
    expect(wired.get_by_role("menuitem", name="its channel")).to_contain_text("3")


def test_an_outside_instrument_sounds_what_is_played_and_what_is_written(wired: Page) -> None:
    """The bytes are those of MIDI 1.0: note on 0x90, control change 0xB0."""
    begin(wired, "Outside")
    wired.evaluate("plugIn()")
    choose(wired, "menuitemradio", "Barge organ")
    press(wired, "Backquote")
    midi(wired, 0xB0, 64, 127)
    midi(wired, 0x90, 67, 90)
    midi(wired, 0x80, 67, 0)
    says(wired, "G 4, quarter, bar 1, beat 1")
    sent = wired.evaluate("sentOut")
    assert [0xB0, 64, 127] in sent
    assert any(m[1:] == [67, 90] and m[0] == 0x90 for m in sent)
    assert any(m[1] == 67 and (m[0] == 0x80 or m[2] == 0) for m in sent)
    wired.evaluate("sentOut.length = 0")
    press(wired, "Home", "Space")
    until(wired, "sentOut.some(m => m[0] === 0x90 && m[1] === 67)")


def test_each_step_can_sound_what_the_other_parts_hold(wired: Page) -> None:
    open_piece(wired, "Lantern-Keeper")
    wired.evaluate("plugIn()")
    choose(wired, "menuitemradio", "Barge organ")
    wired.get_by_role("button", name="Desk").click()
    wired.get_by_role("menuitemcheckbox", name="Each step sounds what the other parts hold").click()
    wired.get_by_test_id("position").wait_for()
    press(wired, "Escape", "Backquote", "PageDown")  # the pen in the keys' right hand, bar 2
    expect(wired.get_by_test_id("position")).to_contain_text("bar 2")
    with wired.expect_response(re.compile(rf"company\?tick={5 * QUARTER}&")) as asked:
        press(wired, "ArrowRight")
    asked.value.finished()
    wired.wait_for_timeout(600)  # the answer is there; a moment for the page to take it in
    wired.evaluate("sentOut.length = 0")
    midi(wired, 0x90, 84, 70)
    until(wired, "sentOut.filter(m => (m[0] & 0xF0) === 0x90).length >= 3")
    struck = {m[1] for m in wired.evaluate("sentOut") if m[0] & 0xF0 == 0x90}
    assert {53, 67} <= struck  # F3 of the left hand, G4 of the singer


def strike(page: Page, values: list[float], quarter_ms: float) -> None:
    """Strike one key in these values (quarters), stamped as an instrument would stamp them."""
    at = page.evaluate("performance.now()")
    for value in values:
        page.evaluate("t => sendMidiAt(t, 0x90, 45, 90)", at)
        page.evaluate("t => sendMidiAt(t, 0x80, 45, 0)", at + 0.85 * value * quarter_ms)
        at += value * quarter_ms


def test_a_rhythm_struck_on_one_key_then_its_pitches(wired: Page, server: Server) -> None:
    """The rhythm in time on any one key, the pitches at leisure."""
    piece = begin(wired, "Rhythm first")
    wired.evaluate("plugIn()")
    press(wired, "Backquote", "9")
    wired.get_by_role("button", name="way of working").click()
    wired.get_by_role("menuitemradio", name="Rhythm first: values now, pitches later").click()
    wired.get_by_role("button", name="rhythm by").click()
    wired.get_by_role("menuitemradio", name="a rhythm struck in time on any one key is written").click()
    says(wired, "The rhythm is struck in time on any one key")
    expect(wired.get_by_test_id("line")).to_contain_text("struck in time on any one key is written down to 16th")
    values = [0.75, 0.25, 0.5, 0.5, 1.5, 0.5]
    strike(wired, values, 60_000 / 92)
    press(wired, "z")
    says(wired, "6 strokes from bar 1, beat 1")
    press(wired, "q")
    for key in (60, 62, 64, 65, 67, 69):
        midi(wired, 0x90, key, 80)
        midi(wired, 0x80, key, 0)
    says(wired, "A 4")
    places = [F(0)]
    for value in values:
        places.append(places[-1] + F(value))
    names = ["C4", "D4", "E4", "F4", "G4", "A4"]
    wanted = [(a, F(v), n, 0) for a, v, n in zip(places[:-1], values, names, strict=True)]
    assert exported(server, piece) == wanted


def test_an_output_that_is_gone_leaves_the_piano_and_says_which_is_chosen(wired: Page) -> None:
    begin(wired, "Gone")
    choose(wired, "menuitemradio", "Barge organ")
    wired.get_by_test_id("hearing").click()
    expect(wired.get_by_role("menuitemradio", name="Barge organ")).to_be_checked()
    wired.get_by_role("menuitemradio", name="nobody").click()
    wired.evaluate("plugIn(); sentOut.length = 0")
    press(wired, "Backquote")
    midi(wired, 0x90, 60, 80)
    midi(wired, 0x80, 60, 0)
    says(wired, "C 4, quarter, bar 1, beat 1")
    assert wired.evaluate("sentOut") == []


@pytest.mark.own_page
def test_what_is_played_before_the_sounds_have_come_waits_for_them(page: Page, server: Server) -> None:
    """The sound library and the piano are held back for a moment.

    Playing begins when they are there, and no note is lost or late.
    """
    page.add_init_script("window.notes = []; addEventListener('note-scheduled', (e) => window.notes.push(e.detail))")
    page.route(re.compile(r"/assets/(esm-.*\.js|piano/.*)"), lambda route: (time.sleep(0.08), route.continue_()))
    piece = open_piece(page, "Lock Gate Waltz")
    press(page, "Space")
    until(page, "notes.length > 2")
    written = json.loads(server.get(f"/api/pieces/{piece}/playback"))["notes"]
    notes = page.evaluate("notes.slice(0, 3)")
    assert [n["key"] for n in notes] == [n["key"] for n in written[:3]]
    assert max(n["lateS"] for n in notes) < 0.05
    press(page, "Space")


STARTS = """
window.starts = []
const start = AudioBufferSourceNode.prototype.start
AudioBufferSourceNode.prototype.start = function (atS, from, ...more) {
  if (this.buffer.duration > 1) window.starts.push({ atS, from, seconds: this.buffer.duration,
    rate: this.playbackRate.value })
  return start.call(this, atS, from, ...more)
}
"""


@pytest.mark.own_page
def test_the_piano_begins_with_its_middle_and_the_rest_of_it_follows_what_is_played(page: Page) -> None:
    """All keys are sampled by four a octave (30 files).

    What nobody plays is not decoded, which costs seconds and 140 MB.
    """
    fetched = "performance.getEntriesByType('resource').map((r) => r.name.split('/piano/')[1]).filter(Boolean)"

    def when(mark: str) -> list[str]:
        until(page, f"performance.getEntriesByName('{mark}').length", 60)
        names: list[str] = page.evaluate(fetched)
        return names

    page.add_init_script(STARTS)
    begin(page, "Samples")
    middle = ["C3", "Ds3", "Fs3", "A3", "C4", "Ds4", "Fs4", "A4", "C5"]
    assert sorted(when("piano begun")) == sorted(f"{name}.mp3" for name in middle)
    page.wait_for_timeout(1000)
    assert len(page.evaluate(fetched)) == len(middle)
    press(page, "Backquote")
    page.keyboard.down("KeyA")
    until(page, "starts.length > 1")  # it goes on in phase with what came at first, where that fades
    struck, joined = page.evaluate("starts")
    assert joined["seconds"] > struck["seconds"] > 2.5
    assert joined["from"] == pytest.approx(struck["seconds"] - 0.4)
    assert joined["atS"] - struck["atS"] == pytest.approx(joined["from"] / joined["rate"])
    assert joined["rate"] == struck["rate"] == 1
    page.keyboard.up("KeyA")
    says(page, "C 4, quarter, bar 1, beat 1")
    names = when("piano followed")
    assert len(set(names)) == 30  # A, C, D sharp and F sharp of seven octaves, the lowest A and the highest C
    assert [name for name in set(names) if names.count(name) > 1] == ["C4.mp3"]  # the one that was held for long, whole
