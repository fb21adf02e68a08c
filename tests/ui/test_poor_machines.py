"""A machine that lacks something: no audio device, MIDI refused, a font that does not load, a score of sixty parts, a
window at 300 %. What is missing is said, and the rest works.
"""

from __future__ import annotations

import re

import music21
import pytest
from playwright.sync_api import FilePayload, Page, Route, expect

from tests.ui.conftest import Server
from tests.ui.desk import address, at_desk, begin, exported, open_piece, pass_time, press, says

NO_AUDIO = "window.AudioContext = function () { throw new DOMException('no device', 'NotSupportedError') }"
NO_MIDI = "navigator.requestMIDIAccess = () => Promise.reject(new DOMException('refused', 'SecurityError'))"


@pytest.mark.own_page
def test_without_an_audio_device_it_is_said_and_all_else_goes_on(page: Page, server: Server) -> None:
    page.add_init_script(NO_AUDIO)
    piece = begin(page, "No sound")
    page.clock.install()
    press(page, "Backquote", "a", "s")
    says(page, "D 4, quarter, bar 1, beat 2")
    expect(page.get_by_test_id("problem")).to_contain_text("No sound: the browser found no audio device")
    assert [n[2] for n in exported(server, piece)] == ["C4", "D4"]
    page.get_by_role("button", name=re.compile("^Play")).first.click()
    expect(page.get_by_role("button", name=re.compile("^Stop"))).to_be_visible()
    pass_time(page, 6000)  # two quarters: playback comes to its end in silence
    expect(page.get_by_role("button", name=re.compile("^Stop"))).to_have_count(0)


@pytest.mark.own_page
def test_where_midi_is_refused_the_desk_menu_says_so_and_keys_write(page: Page, server: Server) -> None:
    page.add_init_script(NO_MIDI)
    piece = begin(page, "No MIDI")
    page.get_by_role("button", name=re.compile("^Input")).click()
    expect(page.get_by_text("The browser did not allow MIDI")).to_be_visible()
    press(page, "Escape", "Backquote", "a")
    says(page, "C 4, quarter, bar 1, beat 1")
    assert [n[2] for n in exported(server, piece)] == ["C4"]


@pytest.mark.own_page
@pytest.mark.parametrize("fails", [1, 9])
def test_a_font_that_does_not_load_is_fetched_again_and_else_said(page: Page, server: Server, fails: int) -> None:
    asked: list[str] = []

    def answer(route: Route) -> None:
        asked.append(route.request.url)
        if len(asked) > fails:
            route.continue_()
        else:
            route.abort()

    page.route("**/music-font.woff2*", answer)
    open_piece(page, "Lantern")
    if fails == 1:
        loaded = "[...document.fonts].filter((f) => f.family === 'Leipzig' && f.status === 'loaded').length"
        while not page.evaluate(loaded):
            page.wait_for_timeout(100)
        assert len(asked) == 2
        expect(page.get_by_test_id("problem")).to_have_count(0)
    else:
        expect(page.get_by_test_id("problem")).to_contain_text("The font of musical signs did not load", timeout=15_000)


def sixty_parts() -> bytes:
    """A bar of a whole note in each of sixty parts, as MusicXML (music21 writes it)."""
    score = music21.stream.Score()
    for k in range(60):
        part = music21.stream.Part(id=f"P{k}")
        part.partName = f"Reed {k + 1}"
        part.append(music21.note.Note(60 + k % 12, quarterLength=4.0))
        score.insert(0, part)
    return str(music21.musicxml.m21ToXml.GeneralObjectExporter(score).parse().decode()).encode()


def test_sixty_parts_open_with_their_names_and_are_written_in(page: Page, server: Server) -> None:
    file: FilePayload = {"name": "sixty.musicxml", "mimeType": "text/xml", "buffer": sixty_parts()}
    made = page.request.post(f"{address(page)}/api/import", multipart={"file": file})
    assert made.ok, made.text()
    piece = at_desk(page, made.json()["id"])
    expect(page.get_by_text("Reed 1", exact=True)).to_be_visible()
    expect(page.get_by_text("Reed 60", exact=True)).to_be_attached()
    assert page.evaluate("document.documentElement.scrollWidth") <= 1280
    press(page, "Backquote", "s")
    says(page, "D 4, quarter, bar 1, beat 1")
    assert (0, 1, "D4", 0) in exported(server, piece)


def test_at_300_percent_the_whole_page_scrolls_and_nothing_is_cut_sideways(page: Page, server: Server) -> None:
    open_piece(page, "Lantern")
    page.set_viewport_size({"width": 427, "height": 267})  # 1280 x 800 at 300 %
    page.wait_for_timeout(500)
    assert page.evaluate("document.documentElement.scrollWidth") <= 427
    more = page.get_by_role("button", name="More")
    more.scroll_into_view_if_needed()
    more.click()
    field = page.get_by_role("textbox").first
    expect(field).to_be_focused()
    box = field.bounding_box()
    assert box
    assert box["x"] >= 0
    assert box["x"] + box["width"] <= 427
