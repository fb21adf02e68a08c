"""Notes under the mouse: clicked in, dragged, enclosed."""

from __future__ import annotations

from fractions import Fraction as F

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.ui.conftest import Server
from tests.ui.desk import begin, centre, chord, drag, exported, press, says


def head(page: Page, k: int) -> Locator:
    return page.locator(".system g.note .notehead").nth(k)


def space(page: Page) -> float:
    """Pixels between two lines of the first staff."""
    lines = page.locator(".system g.staff").first.locator(":scope > path")
    ys = [box["y"] for k in range(5) if (box := lines.nth(k).bounding_box())]
    return (max(ys) - min(ys)) / 4


@pytest.fixture
def scale(page: Page) -> str:
    """Four quarters C D E F in bar 1."""
    piece = begin(page, "Under the mouse")
    press(page, "Backquote")
    for letter in "asdf":
        chord(page, letter)
    expect(page.locator(".system g.note")).to_have_count(4)
    press(page, "Escape")
    return piece


def test_a_note_dragged_up_changes_its_pitch_and_says_so(page: Page, server: Server, scale: str) -> None:
    drag(page, centre(head(page, 0)), (1, -space(page) * 2))
    expect(page.get_by_test_id("in-hand")).to_have_text("4 steps up")
    page.mouse.up()
    says(page, "Now G 4, 4 steps up")
    assert [n[2] for n in exported(server, scale)] == ["G4", "D4", "E4", "F4"]
    press(page, "Alt+ArrowDown")
    says(page, "Now F 4, 1 step down")
    press(page, "Control+z", "Control+z")
    says(page, "Undone: Now G 4")
    assert [n[2] for n in exported(server, scale)] == ["C4", "D4", "E4", "F4"]


def test_a_note_dragged_sideways_changes_its_place_and_with_alt_its_length(
    page: Page, server: Server, scale: str
) -> None:
    gap = centre(head(page, 3))[0] - centre(head(page, 2))[0]
    bar_two = page.locator("g.measure").nth(1).bounding_box()
    assert bar_two
    start = centre(head(page, 3))
    drag(page, start, (bar_two["x"] + 30 - start[0], 1))
    expect(page.get_by_test_id("in-hand")).to_contain_text("bar 2 · beat 1")
    page.mouse.up()
    says(page, "1 note moved to bar 2, beat 1")
    assert (F(4), F(1), "F4") in {n[:3] for n in exported(server, scale)}
    page.keyboard.down("Alt")
    drag(page, centre(head(page, 2)), (gap * 2.2, 1))
    expect(page.get_by_test_id("in-hand")).to_contain_text("up to bar")
    page.keyboard.press("Escape")
    page.mouse.up()
    page.keyboard.up("Alt")
    assert (F(2), F(1), "E4") in {n[:3] for n in exported(server, scale)}  # let go of with Escape: nothing happened
    page.keyboard.down("Alt")
    start = centre(head(page, 2))
    drag(page, start, (bar_two["x"] + 30 - start[0], 1))
    page.mouse.up()
    page.keyboard.up("Alt")
    says(page, "1 note made longer")
    assert (F(2), F(2), "E4") in {n[:3] for n in exported(server, scale)}


def test_a_drag_over_paper_selects_what_it_encloses(page: Page, scale: str) -> None:
    (x1, y1), (x2, y2) = centre(head(page, 1)), centre(head(page, 2))
    low = max(y1, y2) + 14
    drag(page, (x1 - 14, low), (x2 - x1 + 28, -70))
    page.mouse.up()
    says(page, "2 notes selected")
    expect(page.locator("[data-selected]")).to_have_count(2)
    expect(page.get_by_test_id("line")).to_contain_text("These 2 notes")
    title = page.get_by_role("button", name="Under the mouse").bounding_box()
    assert title
    drag(page, (x1 - 14, title["y"] + title["height"] + 4), (x2 - x1 + 28, low - title["y"] - title["height"]))
    page.mouse.up()  # begun on bare paper above the music, it encloses the same
    says(page, "2 notes selected")
    press(page, "Control+ArrowUp")
    says(page, "2 notes up an octave")
    for words in (
        "The sheet stands on A4 pages, as it is printed",
        "The sheet goes on without pages",
    ):  # all is drawn anew
        press(page, "Shift+F9")
        says(page, words)
        expect(page.get_by_role("region", name="page 1")).to_have_count(1 if "A4" in words else 0)
        expect(page.locator(".system [data-selected]")).to_have_count(2)
    press(page, "Delete")
    expect(page.locator(".system g.note")).to_have_count(2)


def test_a_click_writes_a_note_where_the_line_says_so(page: Page, server: Server, scale: str) -> None:
    press(page, "Slash")
    says(page, "A click on a staff writes a note there")
    expect(page.get_by_test_id("line")).to_contain_text("a click on a staff writes a note at velocity 80")
    staff = page.locator("g.measure").nth(1).locator("g.staff").first
    lines = staff.locator(":scope > path")
    middle = lines.nth(2).bounding_box()
    assert middle
    press(page, "Backquote")
    page.mouse.click(middle["x"] + 20, middle["y"])
    says(page, "B 4, quarter, bar 2, beat 1")
    assert (F(4), F(1), "B4") in {n[:3] for n in exported(server, scale)}
    press(page, "Slash")
    says(page, "A click on a staff places the pen")
    page.mouse.click(middle["x"] + 20, middle["y"] - space(page))
    says(page, "bar 2, beat 1")
    assert len(exported(server, scale)) == 5


@pytest.mark.parametrize(("key", "value"), [("5", "whole"), ("6", "half"), ("7", "quarter"), ("8", "eighth")])
def test_a_click_in_the_middle_of_any_head_selects_it(page: Page, key: str, value: str) -> None:
    """A hollow head has no ink in its middle."""
    begin(page, f"Heads of {value}s")
    press(page, "Backquote", key, "a", "d", "Escape")
    says(page, "Pen up")
    for k in range(2):
        page.mouse.click(*centre(head(page, k)))
        expect(page.get_by_test_id("said")).to_contain_text("C 4" if k == 0 else "E 4")
        expect(page.locator(".system g.note.chosen, .system g.note[data-chosen]")).to_have_count(0)
        expect(page.get_by_test_id("line")).to_contain_text("This note")
    x, y = centre(head(page, 0))
    page.mouse.click(x - 12, y)  # beside the head, nearer to it than to anything else
    says(page, "C 4")


def test_a_drag_begun_in_the_hollow_of_a_head_moves_its_note(page: Page, server: Server) -> None:
    piece = begin(page, "Hollow")
    press(page, "Backquote", "6", "a", "Escape")
    drag(page, centre(head(page, 0)), (1, -space(page)))
    page.mouse.up()
    says(page, "Now E 4, 2 steps up")
    assert [n[2] for n in exported(server, piece)] == ["E4"]


def test_a_key_signature_is_hit_by_its_whole_box(page: Page) -> None:
    begin(page, "Four flats", key="A- major")
    box = page.locator(".system g.keySig").first.bounding_box()
    assert box is not None
    for part in (0.1, 0.5, 0.9):
        page.mouse.click(box["x"] + box["width"] * part, box["y"] + box["height"] * (1 - part))
        expect(page.get_by_test_id("line")).to_contain_text("A flat major")
        press(page, "Escape")
        expect(page.get_by_test_id("line")).not_to_contain_text("A flat major")
