"""Ductus as an installed page: it opens before its server, says so, and the screen stays awake while one records."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.ui.conftest import WAIT_MS, Server
from tests.ui.desk import begin, goes_on, press
from tests.ui.test_playing import to_record

LOCKS = """
  window.locks = { asked: 0, open: 0 }
  Object.defineProperty(navigator, 'wakeLock', { value: { request: async () => {
    window.locks.asked++; window.locks.open++
    return { release: async () => { window.locks.open-- } }
  } } })
"""


def test_an_installed_page_opens_without_its_server_says_so_and_stands_when_it_comes(
    chromium: Browser, warm: None, tmp_path: Path
) -> None:
    server = Server(tmp_path / "data")
    context = chromium.new_context(service_workers="allow")
    page = context.new_page()
    page.set_default_timeout(WAIT_MS)
    try:
        page.goto(server.url)
        page.get_by_role("link", name="Lock Gate Waltz").first.wait_for()
        page.evaluate("navigator.serviceWorker.ready.then(() => true)")
        page.reload()  # what is fetched now goes through the worker, and is kept
        page.get_by_role("link", name="Lock Gate Waltz").first.wait_for()
        server.stop()
        page.goto(server.url)
        expect(page.get_by_role("heading", name="On the shelf")).to_be_visible()
        expect(page.get_by_test_id("problem")).to_contain_text("Ductus does not answer. Is it still running?")
        server.start()
        expect(page.get_by_role("link", name="Lock Gate Waltz").first).to_be_visible()
        expect(page.get_by_test_id("problem")).to_have_count(0)
    finally:
        context.close()
        server.stop()


def test_what_a_browser_needs_to_install_it_is_there(page: Page, server: Server) -> None:
    told = json.loads(server.get("/manifest.webmanifest"))
    assert (told["name"], told["display"], told["start_url"]) == ("Ductus", "standalone", "/")
    for icon in told["icons"]:
        assert server.get(icon["src"])
    page.goto(server.url)
    expect(page.locator('link[rel="manifest"]')).to_have_attribute("href", "/manifest.webmanifest")


@pytest.mark.own_page
def test_the_screen_stays_awake_while_a_recording_goes_on_and_no_longer(page: Page, server: Server) -> None:
    page.add_init_script(LOCKS)
    page.clock.install()
    begin(page, "Awake")
    assert page.evaluate("window.locks.asked") == 0
    to_record(page)
    press(page, "\\")
    expect(page.get_by_test_id("record")).to_have_text("Stop recording")
    goes_on(page)
    page.wait_for_function("() => window.locks.open === 1")
    press(page, "\\")
    expect(page.get_by_test_id("record")).to_have_text("Record")
    page.wait_for_function("() => window.locks.open === 0")
