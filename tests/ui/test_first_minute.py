"""The first minute: a newcomer plays on the shelf, sees it written, hears it, and keeps it or plays again."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.ui.conftest import Server
from tests.ui.desk import exported, open_piece, says


def play(page: Page, letters: str) -> None:
    """Strike computer keys on the shelf, one after the other."""
    for letter in letters:
        page.keyboard.press(letter, delay=120)


def test_what_is_played_on_the_shelf_is_written_heard_and_kept(page: Page, server: Server) -> None:
    page.goto(server.url)
    expect(page.get_by_role("heading", name="Play something.")).to_be_visible()
    play(page, "adgadgadg")
    expect(page.get_by_test_id("first-head")).to_have_count(9)
    page.get_by_role("button", name="That is it: write it down").click()
    first = page.get_by_test_id("first-page")
    expect(first).to_contain_text("This is what you played")
    expect(page.locator(".system g.note").nth(8)).to_be_attached()
    piece = re.search(r"/piece/([^/]+)", page.url)
    assert piece is not None
    assert sorted({n[2] for n in exported(server, piece.group(1))}) == ["C4", "E4", "G4"]
    assert len(exported(server, piece.group(1))) == 9
    first.get_by_role("button", name="hear it").click()
    expect(page.locator(".system [data-sounding]").first).to_be_attached()
    expect(page.get_by_role("button", name="Stop", exact=True)).to_be_visible()
    page.get_by_role("button", name="Stop", exact=True).click()
    expect(page.locator(".system [data-sounding]")).to_have_count(0)
    first.get_by_role("button", name="keep it").click()
    expect(first).to_have_count(0)
    says(page, re.compile("It is on the shelf"))


def test_again_takes_it_off_the_shelf_and_listens_anew(page: Page, server: Server) -> None:
    page.goto(server.url)
    pieces = page.locator("[data-testid=pieces] > li")
    expect(pieces.first).to_be_visible()
    before = pieces.count()
    play(page, "asdf")
    page.get_by_role("button", name="That is it: write it down").click()
    page.get_by_test_id("first-page").get_by_role("button", name="again", exact=True).click()
    expect(page.get_by_role("heading", name="Play something.")).to_be_visible()
    expect(pieces).to_have_count(before)
    expect(page.get_by_test_id("first-head")).to_have_count(0)


def test_letters_typed_into_fields_of_the_shelf_are_no_music(page: Page, server: Server) -> None:
    page.goto(server.url)
    page.get_by_label("title", exact=True).press_sequentially("asdf")
    expect(page.get_by_test_id("first-head")).to_have_count(0)
    expect(page.get_by_role("button", name="Let the rehearsal keyboard play")).to_be_visible()


@pytest.mark.parametrize(
    ("size", "least"),
    [((1280, 800), 610), ((1440, 900), 700), ((1920, 1080), 860), ((1024, 768), 500), ((820, 1180), 850)],
)
def test_most_of_the_height_belongs_to_the_music(page: Page, server: Server, size: tuple[int, int], least: int) -> None:
    page.set_viewport_size({"width": size[0], "height": size[1]})
    page.goto(server.url)
    open_piece(page, "Lock Gate Waltz")
    sheet = page.get_by_test_id("sheet-scroll").bounding_box()
    assert sheet is not None
    assert sheet["height"] >= least
    staff = page.locator(".system g.staff").first.bounding_box()
    assert staff is not None
    assert page.evaluate("document.documentElement.scrollWidth") <= size[0]
