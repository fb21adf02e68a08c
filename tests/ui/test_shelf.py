"""The shelf: files dropped on it, pieces found, tagged, copied, backed up and brought back."""

from __future__ import annotations

import base64
from pathlib import Path

import music21
import pytest
from playwright.sync_api import Locator, Page, expect

from ductus.app.files.exporting import Wanted, kind_of
from ductus.demo.scenario import jig, song, waltz
from ductus.demo.shelf import FREELY, HASTY, PIECES
from ductus.engraving.pages import PageSetup
from ductus.formats.musicxml_write import write_musicxml
from tests.ui.conftest import Server
from tests.ui.desk import begin, begin_by_sentence, delete, press, says, to_shelf

pytestmark = pytest.mark.own_server
DROP = """(files) => {
  const data = new DataTransfer()
  for (const [name, text] of files) data.items.add(new File([Uint8Array.from(atob(text), (c) => c.charCodeAt(0))],
    name))
  window.dispatchEvent(new DragEvent('dragover', { dataTransfer: data, bubbles: true, cancelable: true }))
  document.querySelector('main').dispatchEvent(new DragEvent('drop', { dataTransfer: data, bubbles: true,
    cancelable: true }))
}"""
ON_SHELF = len(PIECES) + 2  # of the demo


def drop(page: Page, **files: bytes) -> None:
    """Files let go over the shelf; names are given with _ for the dot."""
    page.evaluate(DROP, [[name.replace("_", "."), base64.b64encode(data).decode()] for name, data in files.items()])


def shelf(page: Page, server: Server) -> None:
    to_shelf(page, server.url)
    expect(page.get_by_test_id("pieces").get_by_role("listitem").first).to_be_visible()


def titles(page: Page) -> Locator:
    return page.locator("[data-testid=pieces] .font-serif.text-xl")


def test_every_kind_of_file_is_dropped_and_comes_in(page: Page, server: Server) -> None:
    shelf(page, server)
    files = {f"a_{ending}": kind_of(ending).write(make(), PageSetup(), Wanted()) for ending, make in (
        ("mid", jig), ("musicxml", waltz), ("xml", song), ("mxl", waltz), ("ductus", song)
    )}  # fmt: skip
    hidden = write_musicxml(waltz()).replace(b'<note id="', b'<note print-object="no" id="', 1)
    drop(page, **files, b_musicxml=hidden, letter_mid=b"Dear band", c_pdf=b"%PDF-1.7")
    arrivals = page.get_by_test_id("arrivals")
    expect(arrivals.get_by_role("listitem").filter(has_text=":")).to_have_count(8)
    expect(arrivals).to_contain_text("a.mid: 62 notes read against its own tempo", timeout=60_000)
    expect(arrivals).to_contain_text("a.musicxml: 121 notes in 1 part and 16 bars.")
    expect(arrivals).to_contain_text("a.mxl: 121 notes")
    expect(arrivals).to_contain_text("a.ductus: 1 piece came back as kept.")
    expect(arrivals).to_contain_text("letter.mid: That is no file that Ductus reads")
    expect(arrivals).to_contain_text("c.pdf: That is a PDF file")
    arrivals.get_by_text("One thing of it could not be kept").click()
    expect(arrivals).to_contain_text("1 hidden note, bar 1.")
    expect(page.get_by_test_id("pieces").get_by_role("listitem")).to_have_count(ON_SHELF + 6)
    arrivals.get_by_role("button", name="Open it").nth(1).click()
    page.wait_for_selector(".system svg")
    expect(page.locator(".system g.note").first).to_be_visible()


def test_one_file_with_nothing_lost_is_opened_at_once(page: Page, server: Server) -> None:
    shelf(page, server)
    drop(page, w_musicxml=write_musicxml(waltz()))
    page.wait_for_selector(".system svg")
    expect(page).to_have_title("Ductus")


def test_pieces_are_found_by_words_tags_and_order(page: Page, server: Server) -> None:
    shelf(page, server)
    field = page.get_by_role("searchbox")
    field.fill("lantern")
    expect(titles(page)).to_have_text(["The Lantern-Keeper’s Song"])
    field.fill("drum barge")
    expect(titles(page)).to_have_text(["Sparks over the Paddle"])
    field.fill("accordeon")
    expect(page.get_by_text("No piece is called")).to_be_visible()
    page.get_by_role("button", name="Show all 8").click()
    page.get_by_label("order").select_option("by title")
    expect(titles(page)).to_have_text(sorted([FREELY, HASTY, *(p().facts.title for p in PIECES)]))
    page.get_by_label("Tags of Lock Gate Waltz").click()
    page.get_by_label("Tags, with commas between them").fill("Act 2, slow")
    press(page, "Enter")
    page.get_by_role("group", name="Tags").get_by_role("button", name="slow").click()
    expect(titles(page)).to_have_text(["Lock Gate Waltz"])
    shelf(page, server)  # after a new start: the order and the tags are kept
    expect(page.get_by_label("order")).to_have_value("by title")
    expect(page.get_by_role("group", name="Tags").get_by_role("button")).to_have_text(["Act 2", "slow"])


def test_a_copy_is_a_piece_of_its_own_and_deleting_can_be_taken_back(page: Page, server: Server) -> None:
    shelf(page, server)
    page.get_by_label("Copy Lock Gate Waltz").click()
    page.get_by_role("link", name="Lock Gate Waltz, copy").wait_for()
    delete(page, "Lock Gate Waltz")
    expect(page.get_by_role("status").filter(has_text="taken off the shelf")).to_be_visible()
    expect(titles(page).filter(has_text="Lock Gate Waltz")).to_have_text(["Lock Gate Waltz, copy"])
    page.get_by_role("button", name="Bring it back").click()
    page.get_by_role("link", name="Lock Gate Waltz from the barge").wait_for()


def test_a_backup_is_saved_and_restored_into_an_empty_library(page: Page, server: Server, tmp_path: Path) -> None:
    begin(page, "Kept for good")
    press(page, "Backquote", "a", "s")
    says(page, "D 4, quarter, bar 1, beat 2")
    shelf(page, server)
    with page.expect_download() as wanted:
        page.get_by_role("link", name="Back up the library").click()
    kept = tmp_path / "all.ductus"
    wanted.value.save_as(kept)
    assert wanted.value.suggested_filename.startswith("ductus-library-")
    empty = Server(tmp_path / "other")
    try:
        shelf(page, empty)
        for left in range(ON_SHELF, 0, -1):
            expect(page.get_by_test_id("pieces").get_by_role("listitem")).to_have_count(left)
            page.get_by_role("button", name="More for").first.click()
            page.get_by_role("menuitem", name="Delete").click()
        expect(page.get_by_text("Nothing here yet")).to_be_visible()
        page.wait_for_function("() => document.querySelector('img[src=\"/api/example.svg\"]').naturalWidth > 0")
        drop(page, all_ductus=kept.read_bytes())
        expect(page.get_by_test_id("arrivals")).to_contain_text(f"{ON_SHELF + 1} pieces with 1 take came back as kept.")
        page.get_by_role("link", name="Kept for good").click()
        page.wait_for_selector(".system svg")
        expect(page.locator(".system g.note")).to_have_count(2)
        press(page, "Control+z", "Control+z")
        expect(page.locator(".system g.note")).to_have_count(0)  # what can be undone came along
    finally:
        empty.stop()


def test_all_of_a_piece_is_saved_from_its_desk(page: Page, server: Server, tmp_path: Path) -> None:
    begin(page, "Saved whole")
    press(page, "Backquote", "a")
    says(page, "C 4, quarter")
    page.get_by_role("button", name="Export").click()
    with page.expect_download() as wanted:
        page.get_by_role("menuitem", name="Project file: notes and takes").click()
    assert wanted.value.suggested_filename == "Saved whole.ductus"


def test_many_pieces_are_listed_in_a_moment(page: Page, server: Server) -> None:
    """Each opening is drawn only when it comes into view."""
    shelf(page, server)
    for _ in range(30):
        page.get_by_label("Copy Lock Gate Waltz", exact=True).click()
        page.wait_for_timeout(20)
    expect(page.get_by_test_id("pieces").get_by_role("listitem")).to_have_count(ON_SHELF + 30)
    shelf(page, server)
    expect(page.get_by_test_id("pieces").get_by_role("listitem")).to_have_count(ON_SHELF + 30)
    drawn = page.locator("[data-testid=pieces] img").first
    expect(drawn).to_have_js_property("complete", True)
    assert drawn.evaluate("e => e.naturalWidth") > 100


def test_a_pick_up_of_any_length_is_told_and_what_is_none_is_not_taken(page: Page, server: Server) -> None:
    to_shelf(page)
    page.get_by_label("pick-up", exact=True).select_option(label="a pick-up of")
    length = page.get_by_label("length of the pick-up")
    for wrong in ("9/8", "1/3", "a bit", "0/4"):
        length.fill(wrong)
        assert not length.evaluate("e => e.checkValidity()"), wrong
    length.fill("5/16")
    piece = begin_by_sentence(page, "Upbeat")
    score = music21.converter.parseData(server.get(f"/api/pieces/{piece}/export.musicxml").decode(), format="musicxml")
    lead = score.parts[0].getElementsByClass("Measure")[0]
    assert (lead.number, lead.duration.quarterLength) == (0, 1.25)
