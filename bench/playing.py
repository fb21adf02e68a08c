"""Playing as it is felt: how soon a stroke is on the page, how soon a take is read, how even the click is.

    .venv/bin/python bench/playing.py
"""

from __future__ import annotations

import statistics
import sys
import tempfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))

from playwright.sync_api import Page, sync_playwright
from tests.building import random_piece
from tests.ui.conftest import CHROMIUM, FLAGS, Server

from ductus.app.library import Library

STROKES = 120
# Two hands at 100 quarters a minute, in eighths, as loud as a person; each stroke is timed from its event to the frame that shows its head
# at its place (drawn at once), and to the frame that shows it engraved.
LIVE = """async (strokes) => {
  const sleep = (ms) => new Promise((r) => setTimeout(r, ms))
  const key = (type, code) => window.dispatchEvent(new KeyboardEvent(type, { code, bubbles: true }))
  const codes = ['KeyA', 'KeyD', 'KeyG', 'KeyK', 'KeyH', 'KeyF', 'KeyS', 'KeyJ']
  const sheet = document.querySelector('[data-testid=sheet]')
  const started = new Map(), heads = new Map(), engraved = new Map()
  const painted = (into, n) => {
    into.set(n, NaN)
    const at = started.get(n)
    requestAnimationFrame(() => { const c = new MessageChannel(); c.port1.onmessage = () => into.set(n, performance.now() - at); c.port2.postMessage(0) })
  }
  const watch = new MutationObserver(() => {
    for (const n of started.keys()) {
      const live = document.getElementById('live' + n)
      if (!heads.has(n) && (live || sheet.querySelector('[data-stroke="' + n + '"]'))) painted(heads, n)
      if (!engraved.has(n) && live) painted(engraved, n)
    }
  })
  watch.observe(sheet, { childList: true, subtree: true })
  for (let i = 0; i < strokes; i++) {
    const code = codes[i % codes.length]
    started.set(i, performance.now())
    key('keydown', code)
    await sleep(250)
    key('keyup', code)
    await sleep(50 + (i * 7) % 17)
  }
  await sleep(1500)
  return [[...heads.values()], [...engraved.values()]]
}"""


def live(page: Page, server: Server, piece: str) -> tuple[list[float], list[float]]:
    """Milliseconds until each stroke is seen, and until it is engraved, of a recording with the click at 100, from bar 100."""
    page.goto(f"{server.url}/piece/{piece}")
    page.wait_for_selector(".system svg")
    page.get_by_role("button", name="place: ").click()
    page.get_by_label("Bar and beat").fill("100.1")
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="way of working").click()
    page.get_by_role("menuitemradio", name="Record: play").click()
    page.get_by_test_id("record").click()
    page.wait_for_timeout(5200)
    heads, engraved = page.evaluate(LIVE, STROKES)
    page.get_by_test_id("record").click()
    return sorted(heads), sorted(engraved)


def measure() -> dict[str, tuple[float, str]]:
    """All figures: name -> (value, unit)."""
    out: dict[str, tuple[float, str]] = {}
    with tempfile.TemporaryDirectory() as tmp:
        folder = Path(tmp)
        library = Library(folder / "data" / "library.sqlite")
        piece = library.add(random_piece(1, "3/4", 200))
        library.close()
        server = Server(folder / "data")
        try:
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                heads, engraved = live(page, server, piece)
                for name, times in (("live", heads), ("live_engraved", engraved)):
                    out[f"{name}_ms_median"] = (statistics.median(times), "ms")
                    out[f"{name}_ms_p95"] = (times[int(len(times) * 0.95) - 1], "ms")
                    out[f"{name}_strokes"] = (len(times), f"of {STROKES}")
                browser.close()
        finally:
            server.stop()
    return out


if __name__ == "__main__":
    for name, (value, unit) in measure().items():
        print(f"{name:<28}{value:>10.2f} {unit}", flush=True)
