"""What is lost when the server is killed at a random moment of entry or recording, and started again a moment later,
while the player plays on.

.venv/bin/python bench/cuts.py
"""

from __future__ import annotations

import random
import signal
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))

from playwright.sync_api import Page, expect, sync_playwright
from tests.ui.conftest import CHROMIUM, FLAGS, SIZE, Server
from tests.ui.desk import begin, exported, press
from tests.ui.test_connection import record_freely

TRIALS = 20
NOTES = 40
LETTERS = "asdfghjk"


def trial(page: Page, server: Server, rng: random.Random, *, recording: bool) -> int:
    """Notes that are neither on the page nor offered after one trial."""
    piece = begin(page, f"Cut {rng.random():.6f}")
    if recording:
        record_freely(page)
    else:
        press(page, "Backquote", "9")
        expect(page.get_by_test_id("pen-state")).to_have_text("Pen down")
    cut, back = rng.randrange(3, NOTES - 12), rng.randrange(3, 10)
    for k in range(NOTES):
        page.keyboard.press(LETTERS[k % len(LETTERS)], delay=rng.randrange(5, 40))
        time.sleep(rng.uniform(0.0, 0.06))
        if k == cut:
            server.stop(signal.SIGKILL)
        if k == cut + back:
            server.start()
    expect(page.get_by_test_id("kept")).to_have_text("everything is kept", timeout=60_000)
    if recording:
        page.get_by_test_id("record").click()
        expect(page.locator(".system g.note").first).to_be_visible(timeout=60_000)
    time.sleep(1.5)
    offered = sum(int(e.inner_text().split(" note")[0].split()[-1]) for e in page.get_by_test_id("heard").all())
    return NOTES - len(exported(server, piece)) - offered


def main() -> None:
    """Play all trials."""
    rng = random.Random(38)
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as p:
        server = Server(Path(folder) / "library")
        browser = p.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        try:
            for recording in (False, True):
                lost = []
                for _ in range(TRIALS // 2):
                    page = browser.new_page(viewport=SIZE)
                    page.goto(server.url)
                    lost.append(trial(page, server, rng, recording=recording))
                    page.close()
                what = "recording" if recording else "entry"
                print(
                    f"{what}: {len(lost)} cuts, notes neither on the page nor offered: {sum(lost)} {lost}", flush=True
                )
        finally:
            server.stop(signal.SIGKILL)


if __name__ == "__main__":
    main()
