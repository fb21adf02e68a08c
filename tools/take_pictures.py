"""Takes the pictures of docs/screenshots/ anew, from the demo as it is when it has just been made.

python tools/take_pictures.py [NAME ...] [--to docs/screenshots]

Each picture is what a person would see who does what its function does; all go through the real interface, as the
tests of the interface do. Without names all are taken, some three minutes.
"""

from __future__ import annotations

import argparse
import re
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Browser, Page, expect, sync_playwright

ROOT = Path(__file__).parent.parent
sys.path[:0] = [str(ROOT)]

from tests.ui.conftest import CHROMIUM, COLD_MS, FLAGS, WAIT_MS, Server, Windows
from tests.ui.desk import about, begin, choose, open_piece, pass_time, play_through, play_until, press, says, to_shelf
from tests.ui.test_playing import line, rehearse, to_record
from tests.ui.test_proof import plant
from tests.ui.test_reading import play_freely

SETTLED_MS = 700  # menus and views have opened by then
WALTZ, SONG, SPARKS, CRANE = (
    "Lock Gate Waltz",
    "The Lantern-Keeper",
    "Sparks over the Paddle",
    "Dance of the Paper Crane",
)


def at_bar_12(page: Page) -> None:
    """The left hand of the waltz, where its last bar is open."""
    open_piece(page, WALTZ)
    press(page, "ArrowDown", *["Control+ArrowRight"] * 11, "Shift+ArrowRight", "Shift+ArrowRight")


def crane_taken(page: Page) -> None:
    """The rehearsal keyboard has played the crane's dance to a click, and it stands on a page of its own."""
    page.clock.install()
    begin(page, "Crane, from the keys", bpm=84)
    to_record(page)
    rehearse(page, CRANE)
    play_through(page)
    expect(page.get_by_test_id("strip")).to_be_visible()


def delay_test(page: Page) -> None:
    page.clock.install()
    open_piece(page, WALTZ)
    page.get_by_test_id("hearing").click()
    page.get_by_role("menuitem", name=re.compile("Delay test")).click()
    page.get_by_test_id("delay-test").get_by_role("button", name="Let the rehearsal keyboard play").click()
    for _ in range(12):
        pass_time(page, 1500)
    page.clock.resume()
    expect(page.get_by_test_id("delay-words")).to_contain_text("ms late on average")


def desk_frame(page: Page) -> None:
    open_piece(page, SONG)
    press(page, "Control+ArrowRight")
    about(page, "meter")
    choose(page, "meter", "3/4")
    expect(page.get_by_test_id("weighed")).to_contain_text("values stay")


def desk_heads(page: Page) -> None:
    page.clock.install()
    begin(page, "A slow otter")
    to_record(page)
    play_freely(page)
    rehearse(page, "Otter at the Tiller")
    play_until(page, page.get_by_test_id("free-heads"), 7_000)


def desk_lead(page: Page) -> None:
    open_piece(page, "Tiller Tune")
    press(page, "KeyR")
    expect(line(page)).to_contain_text("How does it go?")


def desk_listening(page: Page) -> None:
    open_piece(page, SPARKS)
    press(page, "Control+ArrowRight", "F6", "F7", "Enter")
    line(page).locator('[data-phrase="parts heard"]').click()
    for part in ("Piano", "Bass guitar"):
        page.get_by_role("checkbox", name=f"{part} alone").check()
    press(page, "Escape")
    expect(line(page)).to_contain_text("Playing")


def desk_marks(page: Page) -> None:
    open_piece(page, SONG)
    press(page, "KeyB", "Digit2")
    page.get_by_role("combobox", name="mark").fill("st")


def desk_pulse(page: Page) -> None:
    at_bar_12(page)
    press(page, "Backquote")
    page.get_by_role("button", name=re.compile("^way of working")).click()
    page.get_by_role("menuitemradio", name=re.compile("^Pulse")).click()
    expect(line(page)).to_contain_text("Pulse into")


def desk_reading(page: Page) -> None:
    crane_taken(page)
    expect(page.get_by_test_id("doubt-in-hand")).to_be_visible()


def desk_record(page: Page) -> None:
    page.clock.install()
    begin(page, "Crane, from the keys", bpm=84)
    to_record(page)
    rehearse(page, CRANE)
    play_until(page, page.locator(".system g.note[id^='live']").nth(12), 11_000)


def desk_selection(page: Page) -> None:
    at_bar_12(page)
    press(page, "KeyB")


def desk_step(page: Page) -> None:
    at_bar_12(page)
    press(page, "Backquote", "KeyN")
    for letter in "ag":
        page.keyboard.down(letter)
    expect(page.get_by_test_id("pending")).to_be_visible()


def evening(page: Page) -> None:
    open_piece(page, "Otter at the Tiller")
    press(page, "Backquote")
    for option in ("Evening theme", "Far view"):
        page.get_by_role("button", name="Desk").click()
        page.get_by_role("menuitem", name=re.compile(option)).click()


def keys(page: Page) -> None:
    open_piece(page, WALTZ)
    press(page, "F1")


def kit_pattern(page: Page) -> None:
    open_piece(page, SPARKS)
    press(page, "ArrowDown", "ArrowDown", "ArrowDown", "Shift+KeyB")
    expect(line(page)).to_contain_text("Pattern into drum kit")


def printed(page: Page) -> None:
    open_piece(page, SONG)
    press(page, "F9")
    page.locator(".pages .page svg").first.wait_for()


def proof(page: Page) -> None:
    page.clock.install()
    open_piece(page, WALTZ)
    plant(page)
    press(page, "Escape", "Shift+F8")
    expect(line(page)).to_contain_text("begin to play")
    rehearse(page, "Lock Gate Waltz, freely")
    play_through(page)
    expect(line(page)).to_contain_text("3 places differ")


def shape(page: Page) -> None:
    crane_taken(page)
    press(page, "Shift+KeyR")
    page.get_by_test_id("shape-strip").wait_for()


def shelf(page: Page) -> None:
    to_shelf(page)


def tour(page: Page) -> None:
    to_shelf(page)
    page.get_by_role("button", name="Show me").click()
    page.wait_for_selector(".system svg")
    press(page, "Backquote", "a", "BracketRight")
    says(page, "Each step an eighth")


PICTURES: dict[str, Callable[[Page], None]] = {
    "delay-test": delay_test, "desk-frame": desk_frame, "desk-heads": desk_heads, "desk-lead": desk_lead,
    "desk-listening": desk_listening, "desk-marks": desk_marks,
    "desk-pulse": desk_pulse, "desk-reading": desk_reading, "desk-record": desk_record,
    "desk-selection": desk_selection, "desk-step": desk_step, "evening": evening,
    "keys": keys, "kit-pattern": kit_pattern, "print": printed, "proof": proof, "shape": shape, "shelf": shelf,
    "tour": tour,
}  # fmt: skip


def take(browser: Browser, name: str, to: Path) -> None:
    """One picture, from a demo and in a window of its own."""
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder) / "library")
        try:
            page, errors = Windows(browser).open()
            to_shelf(page, server.url)
            PICTURES[name](page)
            page.wait_for_timeout(SETTLED_MS)
            page.screenshot(path=to / f"{name}.png")
            assert not errors, errors
            page.context.close()
        finally:
            server.stop()
    print(name, flush=True)


def main() -> None:
    """Take what is asked for."""
    options = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    options.add_argument("names", nargs="*", metavar="NAME")
    options.add_argument("--to", type=Path, default=ROOT / "docs" / "screenshots")
    args = options.parse_args()
    if unknown := set(args.names) - set(PICTURES):
        options.error(f"there is no picture named {', '.join(sorted(unknown))}")
    args.to.mkdir(parents=True, exist_ok=True)
    expect.set_options(timeout=WAIT_MS)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS, timeout=COLD_MS)
        for name in args.names or PICTURES:
            take(browser, name, args.to)
        browser.close()


if __name__ == "__main__":
    main()
