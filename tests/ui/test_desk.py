"""Entry, recording, history and loss, through the real interface."""

from __future__ import annotations

import re
import signal
from fractions import Fraction as F

import pytest
from playwright.sync_api import Page, expect

from ductus.demo.scenario import waltz
from tests.ui.conftest import Server
from tests.ui.desk import (
    about,
    begin,
    begin_by_sentence,
    choose,
    chord,
    delete,
    drawn_notes,
    exported,
    open_piece,
    play_through,
    press,
    says,
    to_shelf,
)


def test_four_bars_by_computer_keys_are_exported_as_typed(page: Page, server: Server) -> None:
    to_shelf(page)
    piece = begin_by_sentence(page, "Four bars", "3/4", "G major")
    expect(page.get_by_test_id("pen-state")).to_have_text("Pen up")  # always up when a piece opens
    press(page, "a")
    assert drawn_notes(page) == 0
    press(page, "Backquote", "a", "d", "g")  # C E G
    press(page, "BracketRight", "Digit3", "h", "h", "j")  # triplet of eighths A A B
    press(page, "Digit1", "k", "BracketRight", "d", "BracketLeft")  # dotted eighth C, sixteenth E
    press(page, "BracketLeft", "Digit0")  # quarter rest
    chord(page, "adg")
    press(page, "s", "Backspace", "f", "Digit0")
    press(page, "BracketLeft", "Digit1")
    chord(page, "gj")
    says(page, "G 4 and B 4, dotted half, bar 4, beat 1")
    expected = [
        (F(0), F(1), "C4"),
        (F(1), F(1), "E4"),
        (F(2), F(1), "G4"),
        (F(3), F(1, 3), "A4"),
        (F(10, 3), F(1, 3), "A4"),
        (F(11, 3), F(1, 3), "B4"),
        (F(4), F(3, 4), "C5"),
        (F(19, 4), F(1, 4), "E4"),
        (F(6), F(1), "C4"),
        (F(6), F(1), "E4"),
        (F(6), F(1), "G4"),
        (F(7), F(1), "F4"),
        (F(9), F(3), "G4"),
        (F(9), F(3), "B4"),
    ]
    assert [n[:3] for n in exported(server, piece)] == sorted(expected)
    expect(page.locator(".system g.note")).to_have_count(len(expected))


def test_fast_typing_rolls_from_key_to_key(page: Page, server: Server) -> None:
    """A value key that is still down when the next key comes was meant for it."""
    piece = begin(page, "Rolled")
    press(page, "Backquote")
    page.keyboard.down("Digit1")  # a dot
    page.keyboard.down("a")
    page.keyboard.up("Digit1")
    page.keyboard.up("a")
    says(page, "C 4, dotted quarter, bar 1, beat 1")
    assert [n[:3] for n in exported(server, piece)] == [(F(0), F(3, 2), "C4")]


def test_the_line_says_and_changes_what_the_next_key_will_do(page: Page, server: Server) -> None:
    piece = begin(page, "Line")
    line = page.get_by_test_id("line")
    expect(line).to_have_text(
        re.compile(
            "Step into piano, right hand, voice 1, from bar 1, beat 1: each step a quarter, held for its full length; "
            "a chord is written when you let go and replaces what is there; with ..."
        )
    )
    line.get_by_role("button", name=re.compile("^part")).click()
    page.get_by_role("menuitemradio", name="piano, left hand").click()
    line.get_by_role("button", name=re.compile("^replace or add")).click()
    page.get_by_role("menuitemradio", name="is added").click()
    line.get_by_role("button", name=re.compile("^place")).click()
    page.get_by_label("Bar and beat").fill("2.3")
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    expect(line).to_contain_text("piano, left hand, voice 1, from bar 2, beat 3")
    expect(line).to_contain_text("is added to what is there")
    press(page, "Backquote", "a")
    says(page, "C 4, quarter, bar 2, beat 3")
    assert exported(server, piece) == [(F(6), F(1), "C4", 1)]
    folded = page.get_by_text("takes: none yet")
    expect(folded).to_be_visible()
    wide = page.get_by_test_id("sheet").bounding_box()
    page.keyboard.down("d")  # what is held is said at the line; the sheet does not move under the hands
    expect(page.get_by_test_id("pending")).to_contain_text("E 4: quarter")
    expect(folded).to_be_visible()
    assert page.get_by_test_id("sheet").bounding_box() == wide
    page.keyboard.up("d")
    expect(page.get_by_test_id("pending")).to_have_count(0)


@pytest.mark.own_server
def test_a_click_on_the_sheet_places_the_pen_and_the_keys_on_screen_write(page: Page, server: Server) -> None:
    piece = open_piece(page, "Lock Gate Waltz")
    bar = page.locator("g.measure[id^='b5-'] > g.staff").nth(1)
    box = bar.bounding_box()
    assert box
    page.mouse.click(box["x"] + box["width"] - 6, box["y"] + box["height"] / 2)
    expect(page.get_by_test_id("position")).to_have_text("bar 6 · beat 3")
    press(page, "Backquote")
    key = page.locator("[data-key-number='45']").bounding_box()
    assert key
    page.mouse.click(key["x"] + key["width"] / 2, key["y"] + key["height"] - 6)
    says(page, "A 2, quarter, bar 6, beat 3")
    assert (F(17), F(1), "A2", 1) in exported(server, piece)


@pytest.mark.own_page
@pytest.mark.own_server
def test_the_rehearsal_keyboard_is_recorded_as_the_piece_that_it_plays(page: Page, server: Server) -> None:
    piece = begin(page, "Recorded", "3/4", "G minor")
    page.get_by_role("button", name=re.compile("^way of working")).click()
    page.get_by_role("menuitemradio", name=re.compile("^Record")).click()
    page.clock.install()
    page.get_by_test_id("hearing").click()
    page.get_by_role("menuitem", name=re.compile("Lock Gate Waltz, bars.*record this")).click()
    says(page, "Recording: 2 bars of count-in")
    play_through(page)
    says(page, "written from bar 1")
    expect(page.get_by_test_id("take")).to_contain_text("Take 1")
    source = waltz()
    end = source.timeline.bar(8).start
    wanted = sorted(
        (F(n.tick, 23_063_040), str(n.pitch).replace("b", "-")) for n in source.notes.values() if n.tick < end
    )
    assert sorted((onset, pitch) for onset, _, pitch, _ in exported(server, piece)) == wanted
    press(page, "Control+z")
    says(page, "Undone: Take 1")
    expect(page.locator(".system g.note")).to_have_count(0)
    expect(page.get_by_test_id("take")).to_contain_text("Take 1")
    server.stop(signal.SIGKILL)
    server.start()
    page.reload()
    expect(page.get_by_test_id("take")).to_contain_text("Take 1")  # takes and what was undone outlive a kill
    press(page, "Control+Shift+z")
    says(page, "Redone: Take 1")
    assert sorted((onset, pitch) for onset, _, pitch, _ in exported(server, piece)) == wanted


def test_a_midi_instrument_is_found_on_plugging_in_and_writes(wired: Page, server: Server) -> None:
    piece = begin(wired, "Plugged in")
    expect(wired.get_by_test_id("hearing")).to_contain_text("computer keys")
    wired.evaluate("plugIn()")
    expect(wired.get_by_test_id("hearing")).to_contain_text("Barge piano")
    press(wired, "Backquote")
    for message in ((0x90, 60, 91), (0x90, 64, 50), (0x80, 60, 0), (0x90, 64, 0)):  # the second is let go by velocity 0
        wired.evaluate("m => sendMidi(...m)", list(message))
    says(wired, "C 4 and E 4, quarter, bar 1, beat 1")
    assert exported(server, piece) == [(F(0), F(1), "C4", 0), (F(0), F(1), "E4", 0)]
    assert b'id="n' in server.get(f"/api/pieces/{piece}/export.musicxml")


def test_ten_undone_and_ten_done_again_are_equal(page: Page, server: Server) -> None:
    piece = begin(page, "Ten")
    press(page, "Backquote", *"asdfghjkld")
    says(page, "bar 3, beat 2")
    before = exported(server, piece)
    press(page, *["Control+z"] * 10)
    says(page, "Undone: C 4, quarter, bar 1, beat 1")
    assert exported(server, piece) == []
    press(page, *["Control+Shift+z"] * 10)
    says(page, "Redone: E 4, quarter, bar 3, beat 2")
    assert exported(server, piece) == before
    assert len(before) == 10


@pytest.mark.own_server
def test_after_a_kill_nothing_committed_is_lost_and_undo_goes_on(page: Page, server: Server) -> None:
    piece = begin(page, "Killed")
    press(page, "Backquote", "a", "s", "d")
    says(page, "E 4, quarter, bar 1, beat 3")
    before = exported(server, piece)
    server.stop(signal.SIGKILL)
    expect(page.get_by_test_id("kept")).to_contain_text("connection lost")
    server.start()
    expect(page.get_by_test_id("kept")).to_have_text("saved", timeout=10_000)
    assert exported(server, piece) == before
    press(page, "Control+z")
    says(page, "Undone: E 4")
    assert exported(server, piece) == before[:2]
    page.reload()
    expect(page.locator(".system g.note")).to_have_count(2)
    expect(page.get_by_test_id("pen-state")).to_have_text("Pen down")  # as it was


@pytest.mark.own_server
def test_a_bad_file_is_refused_in_words_and_a_deleted_piece_comes_back(page: Page) -> None:
    to_shelf(page)
    page.get_by_label("Files to import").set_input_files(
        {"name": "letter.mid", "mimeType": "audio/midi", "buffer": b"Dear band"}
    )
    expect(page.get_by_test_id("arrivals")).to_contain_text("letter.mid: That is no file that Ductus reads")
    delete(page, "Lock Gate Waltz")
    expect(page.get_by_role("link", name=re.compile("Lock Gate Waltz"))).to_have_count(0)
    page.get_by_role("button", name="Bring it back").click()
    expect(page.get_by_role("link", name=re.compile("Lock Gate Waltz"))).to_have_count(1)


def test_an_unknown_address_says_so_and_leads_back(page: Page, server: Server) -> None:
    page.goto(f"{server.url}/piece/nowhere")
    expect(page.get_by_text("There is no piece at this address")).to_be_visible()
    page.get_by_role("button", name="Back to the shelf").click()
    expect(page.get_by_role("heading", name="On the shelf")).to_be_visible()


def test_meter_key_and_tempo_are_changed_at_the_pen_and_undone(page: Page, server: Server) -> None:
    piece = open_piece(page, "Otter at the Tiller")
    line = page.get_by_test_id("line")
    line.get_by_role("button", name=re.compile("^place")).click()
    page.get_by_label("Bar and beat").fill("5.1")
    press(page, "Enter", "Escape")
    about(page, "meter")
    choose(page, "meter", "3/8")
    expect(page.get_by_test_id("weighed")).to_contain_text("Bar 5 on is in 3/8, was 6/8: values stay,")
    press(page, "Enter")
    says(page, "Bar 5 on is in 3/8, was 6/8: values stay,")
    about(page, "key")
    choose(page, "key", "C minor")
    expect(page.get_by_test_id("weighed")).to_contain_text("Bar 5 on is in C minor")
    press(page, "Enter")
    says(page, "Bar 5 on is in C minor; notes keep their pitch")
    about(page, "tempo")
    page.get_by_label("word", exact=True).fill("Sleepily")
    page.get_by_label(re.compile("quarter =")).fill("66")
    press(page, "Enter")
    says(page, "Bar 5, beat 1: tempo 66")
    xml = server.get(f"/api/pieces/{piece}/export.musicxml").decode()
    assert "<beat-type>8</beat-type>" in xml
    assert "<fifths>-3</fifths>" in xml
    assert "Sleepily" in xml
    press(page, "Escape")
    for _ in range(3):
        press(page, "Control+z")
    says(page, "Undone: Bar 5 on is in 3/8")
    assert "<fifths>-3</fifths>" not in server.get(f"/api/pieces/{piece}/export.musicxml").decode()


def test_what_was_open_at_one_piece_is_not_open_at_the_next(page: Page) -> None:
    """The frame in the line, the page of keys while it learns, the print view.

    Each ends with the piece, also by the browser's own way back.
    """
    begin(page, "Left")
    usual = page.get_by_test_id("line").inner_text()
    for left, gone in (
        ("F4", page.locator('[data-phrase="about"]')),
        ("F1", page.get_by_role("dialog", name="Keys")),
        ("Control+p", page.get_by_role("dialog", name="Print")),
    ):
        page.keyboard.press(left)
        expect(gone).to_be_visible()
        page.go_back()
        begin(page, "Next")
        expect(gone).to_have_count(0)
        assert page.get_by_test_id("line").inner_text() == usual
