"""Nothing false, nothing lost: what a person meets who makes slips, pulls a plug, has the process killed or the disk
locked.
"""

from __future__ import annotations

import json
import re
import signal
import sqlite3
import urllib.request
from fractions import Fraction as F

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.ui.conftest import Server
from tests.ui.desk import begin, chord, exported, open_piece, opened, press, says


def pitches(server: Server, piece: str) -> list[str]:
    return [n[2] for n in exported(server, piece)]


def test_undo_brings_the_pen_back_with_the_notes_and_each_rest_is_a_step(page: Page, server: Server) -> None:
    piece = begin(page, "Undone pen")
    press(page, "Backquote", "a", "s", "d", "f", "Home", "k")
    says(page, "C 5, quarter, bar 1, beat 1")
    press(page, "Control+z")
    press(page, "d")  # the pen stands at beat 1 again, so that nothing else is overwritten
    says(page, "E 4, quarter, bar 1, beat 1")
    assert pitches(server, piece) == ["E4", "D4", "E4", "F4"]
    press(page, "PageDown", "a", "0", "0", "Control+z")
    says(page, "Undone: Rest, quarter, bar 2, beat 3")
    press(page, "s")
    says(page, "D 4, quarter, bar 2, beat 3")


def test_a_chord_that_was_advanced_by_hand_is_written_once(page: Page, server: Server) -> None:
    piece = begin(page, "Once")
    press(page, "Backquote")
    page.keyboard.down("a")
    page.keyboard.press("z")
    says(page, "C 4, quarter, bar 1, beat 1")
    page.keyboard.up("a")
    press(page, "s")
    says(page, "D 4, quarter, bar 1, beat 2")
    assert pitches(server, piece) == ["C4", "D4"]


def test_a_plug_that_is_pulled_in_mid_chord_ends_its_keys_and_says_so(wired: Page, server: Server) -> None:
    piece = begin(wired, "Pulled")
    wired.evaluate("plugIn()")
    expect(wired.get_by_test_id("hearing")).to_contain_text("Barge piano")
    press(wired, "Backquote")
    wired.evaluate("sendMidi(0x90, 60, 80)")
    held = wired.get_by_test_id("keys-folded").locator("span")  # the keys fold while an instrument plays
    expect(held).to_have_class(re.compile("bg-vermilion"))
    wired.evaluate("pullOut()")
    expect(wired.get_by_text(re.compile("unplugged|is gone|no longer connected")).first).to_be_visible()
    expect(held).to_have_count(0)
    press(wired, "d")
    expect(wired.locator('[data-key-number="60"]')).to_be_visible()  # the computer's keys bring them back
    says(wired, "E 4, quarter, bar 1, beat 2")
    assert pitches(server, piece) == ["C4", "E4"]


def test_a_key_struck_again_while_held_counts_as_let_go(wired: Page, server: Server) -> None:
    piece = begin(wired, "Struck again")
    wired.evaluate("plugIn()")
    press(wired, "Backquote")
    for message in ((0x90, 60, 80), (0x90, 60, 80), (0x80, 60, 0), (0x90, 64, 80), (0x80, 64, 0)):
        wired.evaluate("m => sendMidi(...m)", list(message))
    says(wired, "E 4, quarter, bar 1, beat 3")
    assert pitches(server, piece) == ["C4", "C4", "E4"]


def test_a_window_that_loses_its_focus_lets_go_of_the_keys(page: Page, server: Server) -> None:
    begin(page, "Blurred")
    press(page, "Backquote")
    page.keyboard.down("a")
    expect(page.locator('[data-key-number="60"]')).to_have_class(re.compile("bg-vermilion"))
    page.evaluate("window.dispatchEvent(new Event('blur'))")
    expect(page.locator('[data-key-number="60"]')).not_to_have_class(re.compile("bg-vermilion"))
    says(page, "The window lost its focus")
    page.keyboard.up("a")
    press(page, "s")
    says(page, "D 4, quarter, bar 1, beat 2")


def test_escape_lets_one_thing_go_at_a_time_and_the_ladder_takes_value_keys(page: Page) -> None:
    begin(page, "One at a time")
    press(page, "Backquote", "3")
    page.get_by_role("button", name="step value").click()
    page.get_by_role("button", name="no tuplet").click()
    press(page, "8")
    expect(page.get_by_role("button", name="step value")).to_have_text("eighth")
    press(page, "Escape")
    expect(page.locator("[data-ladder]")).to_have_count(0)
    expect(page.get_by_test_id("pen-state")).to_have_text("Pen down")
    page.wait_for_timeout(800)  # a moment after the menu has closed
    press(page, "Escape")
    expect(page.get_by_test_id("pen-state")).to_have_text("Pen up")


def test_a_tap_on_a_dot_that_stays_takes_it_off_and_the_line_says_what_stays(page: Page) -> None:
    begin(page, "Latched")
    page.get_by_role("button", name="step value").click()
    page.get_by_role("button", name="keep the dot on").click()
    expect(page.get_by_role("button", name="dot stays on")).to_be_visible()
    press(page, "Escape")
    expect(page.get_by_test_id("line")).to_contain_text("stays on")
    press(page, "1")
    expect(page.get_by_test_id("line")).not_to_contain_text("stays on")
    expect(page.get_by_role("button", name="step value")).to_have_text("quarter")


def test_a_tap_on_the_dot_is_a_tap_though_the_page_was_busy_meanwhile(page: Page) -> None:
    begin(page, "Busy page")
    expect(page.get_by_role("button", name="step value")).to_have_text("quarter")
    page.evaluate(
        """() => {
          const key = { key: '1', code: 'Digit1', bubbles: true }
          document.body.dispatchEvent(new KeyboardEvent('keydown', key))
          const up = new KeyboardEvent('keyup', key)  // the hand lets go here; the page hears of it when it has time
          setTimeout(() => document.body.dispatchEvent(up), 505)
          const since = performance.now()
          while (performance.now() - since < 900);
        }"""
    )
    expect(page.get_by_test_id("line")).to_contain_text("dotted quarter")
    page.wait_for_timeout(200)
    expect(page.get_by_test_id("line")).not_to_contain_text("stays on")


def test_dragging_over_the_keys_plays_each_and_a_finger_does_too(page: Page, server: Server) -> None:
    piece = begin(page, "Slid")
    press(page, "Backquote")
    middle = {k: box for k in (60, 62, 64) if (box := page.locator(f'[data-key-number="{k}"]').bounding_box())}
    spots = [(middle[k]["x"] + middle[k]["width"] / 2, middle[k]["y"] + middle[k]["height"] - 6) for k in (60, 62, 64)]
    page.mouse.move(*spots[0])
    page.mouse.down()
    for spot in spots[1:]:
        page.mouse.move(*spot, steps=4)
    page.mouse.up()
    says(page, "E 4, quarter, bar 1, beat 3")
    assert pitches(server, piece) == ["C4", "D4", "E4"]


def test_a_finger_plays_the_keys(warm: None, chromium: Browser, server: Server) -> None:
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, has_touch=True)
    page = context.new_page()
    page.goto(server.url)
    piece = begin(page, "Touched")
    press(page, "Backquote")
    page.locator('[data-key-number="67"]').tap()
    says(page, "G 4, quarter, bar 1, beat 1")
    assert pitches(server, piece) == ["G4"]
    context.close()


def test_how_entry_was_set_comes_back_and_a_note_that_is_clicked_leaves_the_pen_alone(
    page: Page, server: Server
) -> None:
    piece = begin(page, "Set")
    press(page, "Backquote", "8", "Equal", "a", "s")
    says(page, "D 4")
    line = page.get_by_test_id("line").inner_text()
    place = page.get_by_test_id("position").inner_text()
    page.locator(".system g.note g.notehead").first.click()
    expect(page.get_by_test_id("position")).to_have_text(place)
    page.reload()
    opened(page)
    press(page, "Escape")  # the note is still selected
    expect(page.get_by_test_id("line")).to_contain_text("eighth")
    assert "added" in line or "add" in line
    expect(page.get_by_test_id("line")).to_contain_text(re.compile("add"))
    assert len(exported(server, piece)) == 2


def test_both_hands_are_divided_between_the_staves_by_choice(page: Page, server: Server) -> None:
    piece = begin(page, "Both hands")
    press(page, "Backquote", "Shift+I")
    page.keyboard.press("n")
    chord(page, "ak")  # C 3 and C 4: an octave apart round middle C
    says(page, "quarter, bar 1, beat 1")
    assert {(n[2], n[3]) for n in exported(server, piece)} == {("C3", 1), ("C4", 0)}


def test_a_subtitle_is_added_by_a_click_and_space_plays_what_was_entered(page: Page, server: Server) -> None:
    begin(page, "Heard")
    page.get_by_role("button", name="Add a subtitle").click()
    page.get_by_label("subtitle").fill("for the lower deck")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="for the lower deck")).to_be_visible()
    press(page, "Backquote", "a", "s", "d")
    says(page, "E 4, quarter, bar 1, beat 3")
    press(page, "Space")
    expect(page.get_by_role("button", name="Stop", exact=True)).to_be_visible()
    expect(page.get_by_test_id("said")).not_to_contain_text("Nothing is written")


HOSTILE = (
    '<svg onload="window.caught=1"></svg><script>window.caught=1</script>"><img src=x onerror="window.caught=1">\ufffe'
)


SLOW_ANSWERS = """
const { set } = Object.getOwnPropertyDescriptor(WebSocket.prototype, 'onmessage')
Object.defineProperty(WebSocket.prototype, 'onmessage', { set (hear) { set.call(this, (event) => setTimeout(() =>
  hear(event), 400)) } })
"""


@pytest.mark.own_page
def test_a_title_that_is_given_while_keys_are_on_their_way_is_taken(page: Page, server: Server) -> None:
    page.add_init_script(SLOW_ANSWERS)
    piece = begin(page, "Untold")
    press(page, "Backquote")
    says(page, re.compile("^Pen down"))
    chord(page, "a")
    page.get_by_role("button", name="Untold").click()
    page.get_by_label("title", exact=True).fill("Told")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Told", exact=True)).to_be_visible()
    assert pitches(server, piece) == ["C4"]
    expect(page.get_by_role("alert")).to_have_count(0)


@pytest.mark.own_page
def test_undo_pressed_fast_behind_an_edit_that_waits_goes_one_by_one(page: Page, server: Server) -> None:
    page.add_init_script(SLOW_ANSWERS)
    piece = begin(page, "Fast undo")
    press(page, "Backquote", "a", "s", "d", "f", "PageUp")
    # while the four are on their way, two notes and beat 3 are passed, too
    expect(page.locator(".system g.note")).to_have_count(4)
    expect(page.get_by_test_id("position")).to_have_text("bar 1 · beat 1")
    press(page, "KeyB", "Alt+ArrowUp", "Control+KeyZ", "Control+KeyZ", "Control+KeyZ")
    expect(page.get_by_test_id("position")).to_have_text("bar 1 · beat 3")
    expect(page.locator(".system g.note")).to_have_count(2)
    assert pitches(server, piece) == ["C4", "D4"]


PREPARED = """<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"
  onload="window.caught=1"><script>window.caught=1</script>
<style>* {display: none}</style><a href="http://127.0.0.1:9/"><text>link</text></a><use
  href="http://127.0.0.1:9/x.svg#y"/><use id="own" href="#z"/>
<rect fill="url(http://127.0.0.1:9/z)" style="width: 1px" onclick="window.caught=1"/><image href="/icon.svg"
  onerror="window.caught=1"/>
<foreignObject><img src="x" onerror="window.caught=1"/></foreignObject><text id="words">sung</text></svg><img
  src="x" onerror="window.caught=1"/>"""


PAGES_GIVEN = """pages => {
  const asked = window.fetch
  window.fetch = (address, how) => /[/]pages[?]/.test(address) ? Promise.resolve(new Response(pages)) : asked(address,
    how)
}"""


def test_of_a_prepared_drawing_only_what_is_harmless_enters_the_page(page: Page, server: Server) -> None:
    open_piece(page, "Lock Gate Waltz")
    pages = {"pages": [PREPARED], "staff_mm": 7, "size": "a4", "width_mm": 210, "height_mm": 297}
    page.evaluate(PAGES_GIVEN, json.dumps(pages))
    press(page, "F9")
    expect(page.get_by_test_id("page-count")).to_have_text("1 page")
    drawn = page.get_by_role("img", name="Page 1 of 1")
    expect(drawn.locator("#words")).to_have_text("sung")
    inside = drawn.evaluate(
        "e => [...e.querySelectorAll('*')].map(x => [x.localName, ...x.getAttributeNames()].join(' '))"
    )
    assert inside == ["svg xmlns viewBox", "use", "use id href", "rect", "text id"]
    assert page.evaluate("window.caught") is None


@pytest.mark.own_server
def test_hostile_texts_in_every_field_stay_texts(page: Page, server: Server) -> None:
    piece = begin(page, "Plain")
    for k, (field, name) in enumerate(
        (("title", "Plain"), ("subtitle", "Add a subtitle"), ("composer", "Add a composer")), 1
    ):
        page.get_by_role("button", name=name).click()
        page.get_by_label(field, exact=True).fill(HOSTILE)
        page.keyboard.press("Enter")
        expect(page.get_by_role("button", name=re.compile("window.caught"))).to_have_count(k)
    page.get_by_role("button", name="step value").click()
    page.get_by_label("A length of its own").fill("<b onclick=1>")
    page.keyboard.press("Enter")
    press(page, "Escape", "Backquote", "a")
    says(page, "C 4")
    page.reload()
    opened(page)
    page.get_by_title("Back to the shelf").click()
    expect(page.get_by_role("heading", name="On the shelf")).to_be_visible()
    assert page.evaluate("window.caught") is None
    assert page.locator("img[src=x], svg[onload]").count() == 0
    assert b"onload" in server.get(f"/api/pieces/{piece}/export.musicxml")  # kept as words


@pytest.mark.own_server
def test_a_recording_that_was_cut_off_is_offered_and_written(page: Page, server: Server) -> None:
    piece = begin(page, "Cut off")
    page.get_by_role("button", name="way of working").click()
    page.get_by_role("menuitemradio", name=re.compile("^Record")).click()
    page.get_by_role("button", name="click: ").click()
    page.get_by_role("radio", name=re.compile("freely")).click()
    page.keyboard.press("Escape")
    page.get_by_test_id("record").click()
    expect(page.get_by_test_id("record")).to_have_text("Stop recording")
    for letter in "asdfghjk" * 2:
        page.keyboard.press(letter, delay=40)
    expect(page.get_by_test_id("kept")).to_have_text("saved")
    address = page.url
    page.goto("about:blank")  # the window that recorded does not come back
    server.stop(signal.SIGKILL)
    server.start()
    page.goto(address)
    card = page.get_by_test_id("cut-off")
    expect(card).to_contain_text("16 notes")
    expect(page.get_by_test_id("record")).to_have_text("Record")
    card.get_by_role("button", name="Write it where it began").click()
    expect(card).to_have_count(0)
    expect(page.locator(".system g.note").first).to_be_visible()
    expect(page.get_by_test_id("take")).to_contain_text("16 notes")
    assert len(exported(server, piece)) == 16


@pytest.mark.own_server
def test_a_locked_database_is_said_and_the_key_goes_through_when_it_is_free(page: Page, server: Server) -> None:
    piece = begin(page, "Locked")
    press(page, "Backquote", "a")
    says(page, "C 4, quarter, bar 1, beat 1")
    with sqlite3.connect(server.data / "library.sqlite", isolation_level=None) as blocker:
        blocker.execute("begin immediate")
        press(page, "s")
        expect(page.get_by_test_id("trouble")).to_be_visible()
        expect(page.get_by_test_id("kept")).not_to_have_text("saved")
        blocker.execute("rollback")
    blocker.close()
    says(page, "everything is saved again")
    expect(page.get_by_test_id("trouble")).to_have_count(0)
    expect(page.get_by_test_id("kept")).to_have_text("saved")
    assert pitches(server, piece) == ["C4", "D4"]


@pytest.mark.own_server
def test_a_piece_that_was_deleted_elsewhere_says_so_and_comes_back(page: Page, server: Server) -> None:
    piece = open_piece(page, "Lock Gate Waltz")
    urllib.request.urlopen(urllib.request.Request(f"{server.url}/api/pieces/{piece}", method="DELETE")).close()
    expect(page.get_by_test_id("trouble")).to_contain_text("deleted")
    urllib.request.urlopen(
        urllib.request.Request(f"{server.url}/api/pieces/{piece}/restore", method="POST", data=b"")
    ).close()
    expect(page.get_by_test_id("trouble")).to_have_count(0)
    press(page, "Backquote", "a")
    says(page, "C 4")
    assert F(0) in {n[0] for n in exported(server, piece)}
