"""What is listed before printing, and where each entry leads."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.ui.conftest import Server
from tests.ui.desk import open_piece, press, with_mark
from tests.ui.test_page import at_bar


def test_before_printing_a_lone_ending_is_listed_and_leads_to_its_bar(page: Page, server: Server) -> None:
    open_piece(page, "Lock Gate Waltz")
    press(page, "F9")
    expect(page.get_by_test_id("findings")).to_contain_text("Proofread: nothing to look at")
    press(page, "Escape")
    at_bar(page, 5)
    with_mark(page, "3rd ending")
    press(page, "Home", "F9")
    expect(page.get_by_test_id("findings")).to_contain_text("2 things to look at")  # its bar is never heard, too
    page.get_by_role("button", name="things to look at").click()
    page.get_by_text("Page 1, bar 5: Ending 3 has no repeat").click()
    expect(page.get_by_role("dialog", name="Print")).to_have_count(0)
    expect(page.get_by_test_id("position")).to_contain_text("bar 5")
