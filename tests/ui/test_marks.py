"""Marks through the real interface: found by their beginnings, chosen, moved and bent by hand, sung along."""

from __future__ import annotations

import re

import pytest
from music21 import dynamics, expressions, spanner
from playwright.sync_api import Page, expect

from tests.ui.conftest import Server
from tests.ui.desk import about, begin, centre, drag, open_piece, press, says, with_mark
from tests.ui.test_page import quarters, score_of


def test_a_mark_is_found_by_its_beginning_chosen_on_the_sheet_moved_and_taken_away(page: Page, server: Server) -> None:
    piece = begin(page, "Marks")
    press(page, "Backquote")
    quarters(page, "adgk")
    press(page, "Backquote", "Control+ArrowLeft", "Control+ArrowLeft", "KeyB")
    page.keyboard.press("Digit2")
    page.get_by_role("combobox", name="mark").fill("mez")
    expect(page.get_by_role("option", name="portato")).to_be_visible()
    page.keyboard.press("Escape")
    with_mark(page, "mf", "<")
    press(page, "Escape")
    page.locator("g.dynam").click()
    expect(page.get_by_test_id("mark-words")).to_have_text("mf at bar 1, beat 1")
    press(page, "Alt+ArrowUp", "Alt+ArrowUp")
    expect(page.locator("g.dynam")).to_have_attribute("transform", re.compile(r"translate\(0, -\d+\)"))
    press(page, "Home")
    says(page, "back in its own place")
    expect(page.locator("g.dynam[transform]")).to_have_count(0)
    page.get_by_test_id("line").locator('[data-phrase="reads"]').click()
    page.get_by_label("In place of mf:").fill("pp")
    press(page, "Enter")
    says(page, "pp in place of mf")
    press(page, "Delete")
    says(page, "Taken away: pp at bar 1, beat 1")
    expect(page.locator("g.dynam")).to_have_count(0)
    page.locator("g.hairpin").click()
    handle = page.get_by_role("button", name="end of the mark")
    box, note = handle.bounding_box(), page.locator("g.notehead").nth(2).bounding_box()
    assert box
    assert note
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(note["x"] + 2, box["y"] + 10, steps=4)
    page.mouse.up()
    says(page, "Crescendo hairpin now ends at bar 1, beat 3")
    assert len(list(score_of(server, piece).recurse().getElementsByClass(dynamics.Crescendo))) == 1


def test_enter_takes_what_is_highlighted_however_fast_it_comes(page: Page) -> None:
    begin(page, "Fast")
    press(page, "Backquote")
    quarters(page, "adgk")
    press(page, "Backquote", "Control+ArrowLeft", "KeyB", "Digit2")
    page.keyboard.type("cr")
    press(page, "Enter")
    expect(page.locator("g.hairpin")).to_have_count(1)
    says(page, "Crescendo hairpin")
    press(page, "Digit2")
    page.get_by_role("combobox", name="mark").fill("cr")
    options = page.get_by_role("option")
    expect(options.first).to_have_text("crescendo hairpin")
    expect(options.first.locator("svg")).to_be_visible()
    expect(options.nth(1)).to_contain_text("the word, in place of a hairpin")


@pytest.mark.parametrize("wide", [1024, 1100, 1280])
def test_nothing_of_the_header_lies_off_the_screen(page: Page, wide: int) -> None:
    begin(page, "A piece with a rather long title that goes on")
    page.set_viewport_size({"width": wide, "height": 768})
    for button in page.get_by_role("banner").get_by_role("button").all():
        box = button.bounding_box()
        assert box is None or box["x"] + box["width"] <= wide


TOP_OF_CURVE = """e => { const c = e.querySelector('path')
  const p = c.getPointAtLength(c.getTotalLength() / 4).matrixTransform(c.getScreenCTM()); return [p.x, p.y] }"""


def test_a_mark_comes_to_rest_where_it_was_dragged_and_a_slur_is_bent_by_its_middle(page: Page, server: Server) -> None:
    begin(page, "Curves")
    press(page, "Backquote")
    quarters(page, "adgk")
    press(page, "Backquote", "Control+ArrowLeft", "Control+ArrowLeft", "KeyB")
    with_mark(page, "mf", "slur")
    press(page, "Escape")
    loud, slur = page.locator("g.dynam"), page.locator("g.slur")
    expect(slur).to_have_count(1)
    before = centre(loud)
    drag(page, before, (30, 24))
    page.mouse.up()
    says(page, "mf moved by hand")
    expect(page.locator("g.dynam[transform]")).to_have_count(1)
    assert centre(loud) == pytest.approx((before[0] + 30, before[1] + 24), abs=2)
    x, y = slur.evaluate(TOP_OF_CURVE)
    page.mouse.click(x, y)
    expect(page.get_by_test_id("mark-words")).to_have_text("slur at bar 1, beat 1")
    drag(page, (x, y), (0, -16))
    page.mouse.up()
    says(page, "Slur bent by hand")
    assert slur.evaluate(TOP_OF_CURVE)[1] == pytest.approx(y - 16, abs=2)
    press(page, "Home")
    says(page, "Slur back in its own place")
    assert slur.evaluate(TOP_OF_CURVE)[1] == pytest.approx(y, abs=1)


def test_what_is_no_mark_is_said_and_nothing_is_changed(page: Page, server: Server) -> None:
    begin(page, "No mark")
    page.keyboard.press("Digit2")
    field = page.get_by_role("combobox", name="mark")
    field.fill("Cm7x9")
    expect(page.get_by_role("option")).to_have_count(4)  # it is asked what these words are
    page.keyboard.press("ArrowUp")
    page.keyboard.press("Escape")
    about(page, "meter")
    page.get_by_test_id("line").locator('[data-phrase="any meter"]').click()
    page.get_by_label("Meter, as 7/8 (2+2+3)").fill("17/64")
    press(page, "Enter")
    expect(page.get_by_test_id("problem")).to_contain_text("17/64 is no meter")


def test_words_are_sung_along_the_notes_and_the_next_note_carries_its_sign(page: Page, server: Server) -> None:
    piece = begin(page, "Sung")
    press(page, "Backquote")
    with_mark(page, "accent")
    expect(page.get_by_test_id("line")).to_contain_text("the next note comes with accent")
    quarters(page, "adgk")
    press(page, "Backquote", "Control+ArrowLeft", "Control+ArrowLeft")
    field = page.get_by_label("syllable")
    for verse, words in (("lyrics ", "Ro-se is red"), ("lyrics 2 ", "Vio-lets are blue")):
        press(page, "Escape", "Digit2")
        page.keyboard.type(f"{verse}{words}"[: len(verse) + 1])
        expect(field).to_have_value(words[0])
        field.press_sequentially(words[1:])
        page.keyboard.press("Enter")
        says(page, f"{words.split()[-1]} at bar 1, beat 4")
        press(page, "Control+ArrowLeft", "Control+ArrowLeft", "Control+ArrowLeft", "Control+ArrowLeft")
    notes = list(score_of(server, piece).recurse().notes)
    assert [[s.text for s in n.lyrics] for n in notes] == [
        ["Ro", "Vio"],
        ["se", "lets"],
        ["is", "are"],
        ["red", "blue"],
    ]
    assert [len(n.articulations) for n in notes] == [1, 0, 0, 0]


def test_a_tremolo_and_a_glissando_join_two_notes_and_are_chosen_by_what_joins_them(page: Page, server: Server) -> None:
    piece = begin(page, "Joined")
    press(page, "Backquote")
    quarters(page, "adgk")
    press(page, "Backquote")
    with_mark(page, "tremolo between")
    says(page, "Tremolo between two notes, 3 strokes from G 4 to C 5, at bar 1, beat 3")
    strokes = page.locator("g.fTrem > polygon").nth(1)
    expect(strokes).to_be_visible()
    press(page, "Control+ArrowLeft", "Control+ArrowLeft", "Control+ArrowLeft")
    with_mark(page, "gliss.")
    says(page, "Glissando from C 4 to E 4, at bar 1, beat 1")
    score = score_of(server, piece)
    (shake,) = score.recurse().getElementsByClass(expressions.TremoloSpanner)
    assert [n.duration.type for n in shake.getSpannedElements()] == ["half", "half"]
    assert len(list(score.recurse().getElementsByClass(spanner.Glissando))) == 1
    page.mouse.click(*centre(strokes))
    expect(page.get_by_test_id("mark-words")).to_have_text("tremolo between two notes at bar 1, beat 3")
    expect(page.get_by_test_id("line")).not_to_contain_text("move it")
    press(page, "Delete")
    says(page, "Taken away: tremolo between two notes at bar 1, beat 3")
    expect(page.locator("g.fTrem")).to_have_count(0)
    page.mouse.click(*centre(page.locator("g.gliss")))
    expect(page.get_by_test_id("mark-words")).to_have_text("glissando at bar 1, beat 1")


def test_a_form_in_one_sentence_is_a_ribbon_that_is_heard_from_any_of_its_parts(page: Page, server: Server) -> None:
    open_piece(page, "Lock Gate Waltz")
    ribbon = page.get_by_test_id("ribbon")
    expect(ribbon).to_have_count(0)  # bars that sound as they stand need none
    page.get_by_role("button", name="More", exact=True).click()
    page.keyboard.type("bars 1 to 4 twice, 1st ending bar 4, 2nd ending bar 5")
    press(page, "Enter")
    says(page, "In order: bars 1 to 4, bars 1 to 3, bars 5 to 16")
    press(page, "Escape")
    expect(ribbon.get_by_role("button")).to_have_text(["1–4", "1–3", "5–16"])
    ribbon.get_by_role("button", name="Play bars 1 to 3, 2nd time").click()
    expect(ribbon.locator("[aria-current]")).to_have_text("1–3")
    expect(ribbon.locator("[aria-current]")).to_have_text("5–16", timeout=20_000)
    press(page, "Control+z")
    expect(ribbon).to_have_count(0)
