"""Touch on a tablet: a finger selects, a long press opens the marks, two fingers scroll and pinch, keys fit fingers."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, CDPSession, Page, expect

from tests.ui.conftest import WAIT_MS, Server
from tests.ui.desk import centre, open_piece, to_shelf


class Fingers:
    """Fingers on the glass, by the browser's own touch events."""

    def __init__(self, page: Page) -> None:
        self.cdp: CDPSession = page.context.new_cdp_session(page)

    def put(self, kind: str, *points: tuple[float, float]) -> None:
        touched = [{"x": x, "y": y, "id": k} for k, (x, y) in enumerate(points)]
        self.cdp.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": touched})


@pytest.fixture
def tablet(warm: None, chromium: Browser, server: Server) -> Iterator[Page]:
    context = chromium.new_context(viewport={"width": 820, "height": 1180}, has_touch=True, reduced_motion="reduce")
    page = context.new_page()
    page.set_default_timeout(WAIT_MS)
    to_shelf(page, server.url)
    open_piece(page, "Lock Gate Waltz")
    yield page
    context.close()


def test_a_drag_of_one_finger_selects_and_a_long_press_opens_the_marks(tablet: Page) -> None:
    fingers, notes = Fingers(tablet), tablet.locator(".system g.note g.notehead")
    scroller = tablet.get_by_test_id("sheet-scroll")
    scroller.evaluate("(e) => e.scrollTo(0, e.scrollHeight)")
    x, y = centre(notes.last)
    below = tablet.locator(".system svg").last.bounding_box()
    assert below
    low = below["y"] + below["height"] + 30  # from the empty paper under the last system
    fingers.put("touchStart", (x - 60, low))
    for step in range(1, 9):
        fingers.put("touchMove", (x - 60 + 10 * step, low + (y - 30 - low) * step / 8))
    fingers.put("touchEnd")
    expect(tablet.locator("[data-selected]").first).to_be_attached()
    scroller.evaluate("(e) => e.scrollTo(0, 0)")
    x, y = centre(notes.first)
    fingers.put("touchStart", (x, y))
    expect(tablet.get_by_role("combobox", name="mark")).to_be_focused()
    fingers.put("touchEnd")
    tablet.keyboard.type("staccato")
    tablet.keyboard.press("Enter")
    expect(tablet.get_by_test_id("said")).to_contain_text("Staccato on 1 note")


def test_two_fingers_scroll_and_pinch_and_select_nothing(tablet: Page) -> None:
    fingers = Fingers(tablet)
    tablet.set_viewport_size({"width": 820, "height": 700})
    scroller = tablet.get_by_test_id("sheet-scroll")
    fingers.put("touchStart", (300, 400))
    fingers.put("touchStart", (300, 400), (420, 400))
    for step in range(1, 7):
        fingers.put("touchMove", (300, 400 - 20 * step), (420, 400 - 20 * step))
    expect(scroller).to_have_js_property("scrollTop", 120)
    for step in range(1, 9):
        fingers.put("touchMove", (300 - 15 * step, 280), (420 + 15 * step, 280))
    fingers.put("touchEnd")
    expect(tablet.get_by_test_id("said")).to_contain_text("The sheet at")
    expect(tablet.locator("[data-selected]")).to_have_count(0)


def test_keys_and_buttons_are_wide_enough_for_fingers(tablet: Page) -> None:
    key = tablet.locator("[data-key-number='60']")
    box = key.bounding_box()
    assert box
    assert box["width"] >= 43.5
    tablet.get_by_role("button", name="Higher keys").tap()
    expect(tablet.locator("[data-key-number='60']")).to_have_count(0)
    tablet.get_by_role("button", name="Lower keys").tap()
    expect(key).to_be_visible()
    assert tablet.evaluate("document.documentElement.scrollWidth <= innerWidth")
