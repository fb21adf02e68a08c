"""What a person does at the desk, in words, for the tests that drive it."""

from __future__ import annotations

import base64
import contextlib
import re
from fractions import Fraction as F
from typing import Any

import music21
from playwright.sync_api import Locator, Page, expect

from tests.ui.conftest import Server


def begin(page: Page, title: str, meter: str = "4/4", key: str = "C major", bpm: float = 100) -> str:
    """A new piece, open at its desk; returns its id. (`begin_by_sentence` makes one as a person does.)"""
    tonic, mode = key.split()
    fifths = music21.key.Key(tonic, mode).sharps
    asked = {"title": title, "meter": meter, "fifths": fifths, "mode": mode, "bpm": bpm}
    return begin_with(page, asked)


def begin_with(page: Page, asked: dict[str, Any]) -> str:
    """A new piece by the answers of the sentence as the server takes them, open at its desk; returns its id."""
    made = page.request.post(f"{address(page)}/api/pieces", data=asked)
    assert made.ok, made.text()
    return at_desk(page, made.json()["id"])


def begin_by_sentence(page: Page, title: str, meter: str = "4/4", key: str = "C major") -> str:
    """On the shelf: make a piece by its sentence; returns its id."""
    page.get_by_label("title", exact=True).fill(title)
    page.get_by_label("meter", exact=True).fill(meter)
    page.get_by_label("key", exact=True).select_option(label=key)
    page.get_by_role("button", name="Begin").click()
    return opened(page)


def open_piece(page: Page, title: str) -> str:
    """Open a copy of a piece that is on the shelf, so that no test meets what another one wrote; returns its id."""
    shelf = f"{address(page)}/api/pieces"
    row = [p for p in page.request.get(shelf).json() if title in p["title"]][-1]  # copies stand before it
    made = page.request.post(f"{shelf}/{row['id']}/copy")
    assert made.ok, made.text()
    piece: str = made.json()["id"]
    named = page.request.patch(f"{shelf}/{piece}/facts", data={"base": 0, "title": row["title"]})
    assert named.ok, named.text()
    return at_desk(page, piece)


def address(page: Page) -> str:
    """Where the server of this page is."""
    return "/".join(page.url.split("/")[:3])


def to_shelf(page: Page, url: str = "") -> None:
    """Go to the shelf (of the server that the page came from, or of another), and wait until it stands."""
    page.goto(url or address(page))
    page.get_by_role("heading", name="On the shelf").wait_for()


def delete(page: Page, title: str) -> None:
    """On the shelf: take a piece off it, by the menu at its end."""
    page.get_by_role("button", name=f"More for {title}", exact=True).click()
    page.get_by_role("menuitem", name=f"Delete {title}", exact=True).click()


def at_desk(page: Page, piece: str) -> str:
    """Open a piece by its address; returns its id."""
    page.goto(f"{address(page)}/piece/{piece}")
    return opened(page)


def opened(page: Page) -> str:
    """Wait until the sheet stands; returns the piece's id."""
    page.wait_for_selector(".system svg")
    expect(page.locator("[data-waiting]")).to_have_count(0)
    expect(page.get_by_test_id("kept")).to_have_text("saved")
    return page.url.rsplit("/", 1)[1]


def says(page: Page, words: str | re.Pattern[str]) -> None:
    """The announcement for screen readers says this."""
    expect(page.get_by_test_id("said")).to_contain_text(words)


def centre(drawn: Locator) -> tuple[float, float]:
    """Where the middle of something lies in the window, in pixels."""
    box = drawn.bounding_box()
    assert box
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def drag(page: Page, start: tuple[float, float], by: tuple[float, float]) -> None:
    """Press the mouse and move it; the button stays down."""
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move(start[0] + by[0] / 2, start[1] + by[1] / 2)
    page.mouse.move(start[0] + by[0], start[1] + by[1])


def press(page: Page, *keys: str) -> None:
    """Tap commands of the computer keyboard, one after the other."""
    for key in keys:
        page.keyboard.press(key)


def chord(page: Page, letters: str) -> None:
    """Hold these letters together, then let them all go."""
    for letter in letters:
        page.keyboard.down(letter)
    for letter in letters:
        page.keyboard.up(letter)


def exported(server: Server, piece: str) -> list[tuple[F, F, str, int]]:
    """(onset, length in quarters, pitch, part number) of the exported file as music21 reads it, ties merged."""
    score = music21.converter.parseData(
        server.get(f"/api/pieces/{piece}/export.musicxml").decode(), format="musicxml"
    ).stripTies()
    return sorted(
        (
            F(e.getOffsetInHierarchy(score)).limit_denominator(96),
            F(e.duration.quarterLength).limit_denominator(96),
            p.nameWithOctave,
            k,
        )
        for k, part in enumerate(score.parts)
        for e in part.recurse().notes
        if not isinstance(e, music21.harmony.Harmony)
        for p in e.pitches
    )


def drawn_notes(page: Page) -> int:
    """How many note heads the sheet shows."""
    return page.locator(".system g.note").count()


def pass_time(page: Page, milliseconds: int) -> None:
    """Let the browser's clock run ahead (``page.clock`` is installed): timers fire, music plays, nobody waits."""
    while milliseconds > 0:  # in steps, so that what travels between browser and server goes on meanwhile
        page.clock.run_for(min(milliseconds, 1000))
        milliseconds -= 1000


def goes_on(page: Page) -> None:
    """Wait until a recording has begun: a busy machine takes its time, and time that runs ahead would give up clicks
    on their way.
    """
    expect(page.get_by_test_id("record")).to_have_text("Stop recording")
    with contextlib.suppress(AssertionError):
        expect(page.get_by_test_id("said")).to_contain_text(re.compile("^(Recording|Play what is)"), timeout=10_000)


def play_until(page: Page, seen: Locator, after_ms: int, most_ms: int = 6000) -> None:
    """Let the clock of a recording run (``page.clock`` is installed) until something is there, and stand.

    Waiting for the server costs no music.
    """
    goes_on(page)
    page.clock.pause_at(page.evaluate("Date.now()") / 1000 + 0.5)
    pass_time(page, after_ms)
    for _ in range(most_ms // 500):
        with contextlib.suppress(AssertionError):
            expect(seen).to_be_attached(timeout=3000)
            break
        pass_time(page, 500)  # what was played meanwhile goes out with the next that is played
    expect(seen).to_be_attached()


def play_through(page: Page, most_ms: int = 120_000) -> None:
    """Let the clock run until the rehearsal keyboard has finished and the recording has stopped.

    Then time goes on by itself.
    """
    goes_on(page)
    for _ in range(most_ms // 2000):
        if not page.get_by_test_id("record").filter(has_text="Stop recording").count():
            break
        page.clock.run_for(2000)
    page.clock.resume()
    expect(page.get_by_test_id("record").filter(has_text="Stop recording")).to_have_count(0, timeout=60_000)


def choose(page: Page, phrase: str, option: str) -> None:
    """Choose what a phrase of the line is to say."""
    page.get_by_test_id("line").locator(f'[data-phrase="{phrase}"]').click()
    page.get_by_role("menuitemradio", name=option, exact=True).click()


def about(page: Page, what: str) -> None:
    """Let the line speak of the frame at the pen: its bars, meter, key, tempo, clef or part."""
    page.keyboard.press("F4")
    expect(page.get_by_test_id("line").locator('[data-phrase="about"]')).to_be_visible()
    if what != "bars":
        choose(page, "about", what)


def with_mark(page: Page, *marks: str) -> None:
    """Give marks by keys, to what is selected or at the pen."""
    for mark in marks:
        page.keyboard.press("Digit2")
        page.get_by_role("combobox", name="mark").fill(mark)
        page.keyboard.press("Enter")
        expect(page.get_by_role("combobox", name="mark")).to_have_count(0)


def colour_at(page: Page, x: float, y: float) -> tuple[int, ...]:
    """Red, green and blue (0 to 255) of a point of the window, as it is seen."""
    shot = base64.b64encode(page.screenshot(clip={"x": x, "y": y, "width": 1, "height": 1})).decode()
    return tuple(
        page.evaluate(
            """async (shot) => {
              const bytes = Uint8Array.from(atob(shot), (c) => c.charCodeAt(0))
              const picture = await createImageBitmap(new Blob([bytes], { type: 'image/png' }))
              const canvas = new OffscreenCanvas(1, 1).getContext('2d')
              canvas.drawImage(picture, 0, 0)
              return [...canvas.getImageData(0, 0, 1, 1).data].slice(0, 3)
            }""",
            shot,
        )
    )
