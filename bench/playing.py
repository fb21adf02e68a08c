"""Playing as it is felt: how soon a stroke is on the page, how soon a take is read, how even the click is.

.venv/bin/python bench/playing.py
"""

from __future__ import annotations

import itertools
import statistics
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))

from playwright.sync_api import Page, sync_playwright
from tests.app.driving import Sitter
from tests.building import random_piece
from tests.ui.conftest import CHROMIUM, FLAGS, Server

from ductus.app.document.jobs import carry_out
from ductus.app.library import Library
from ductus.app.takes.reading_jobs import reading_otherwise
from ductus.app.takes.reading_views import all_shown, strip_of
from ductus.app.wire import StopRecording
from ductus.core.capture.delay import find_delay
from ductus.core.playback.click import delay_clicks
from ductus.core.reading.review.beat_options import ReadBar
from ductus.demo.keyboard import HIDDEN_LATENESS_US, programme_events
from ductus.demo.player import play

STROKES = 120
# Two hands at 100 quarters a minute, in eighths, as loud as a person; each stroke is timed from its event to the frame
# that shows its head at its place (drawn at once), and to the frame that shows it engraved.
LIVE = """async (strokes) => {
  const sleep = (ms) => new Promise((r) => setTimeout(r, ms))
  const key = (type, code) => window.dispatchEvent(new KeyboardEvent(type, { code, bubbles: true }))
  const codes = ['KeyA', 'KeyD', 'KeyG', 'KeyK', 'KeyH', 'KeyF', 'KeyS', 'KeyJ']
  const sheet = document.querySelector('[data-testid=sheet]')
  const started = new Map(), heads = new Map(), engraved = new Map()
  const painted = (into, n) => {
    into.set(n, NaN)
    const at = started.get(n)
    requestAnimationFrame(() => { const c = new MessageChannel();
      c.port1.onmessage = () => into.set(n, performance.now() - at); c.port2.postMessage(0) })
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
    """Milliseconds until each stroke is seen, and until it is engraved, of a recording with the click at 100, from
    bar 100.
    """
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


# Clicks: where each was put on the audio clock, against the event time it was meant for.
COLLECT = """() => {
  window.seen = []
  window.addEventListener('click-scheduled', (e) => window.seen.push([e.detail.eventUs, e.detail.audioS]))
}"""


# The audio clock of the bench goes with the (simulated) event clock, in blocks of 128 samples as a real one does.
SIMULATED_AUDIO = """
Object.defineProperty(BaseAudioContext.prototype, 'currentTime', { get() {
  return Math.floor(performance.now() * 44.1 / 128) * 128 / 44100 } })
"""


def clicks(page: Page, server: Server, piece: str, seconds: int) -> tuple[float, float]:
    """(largest error of a gap between two clicks in ms, drift in ms a minute) over so many seconds of recording."""
    page.add_init_script(SIMULATED_AUDIO)
    page.clock.install()
    page.goto(f"{server.url}/piece/{piece}")
    page.wait_for_selector(".system svg")
    page.clock.run_for(1500)
    page.wait_for_timeout(1500)
    page.evaluate(COLLECT)
    page.keyboard.press("Backslash")
    page.get_by_test_id("record").filter(has_text="Stop recording").wait_for()
    for _ in range(seconds):
        page.clock.run_for(1000)
    seen = page.evaluate("window.seen")
    page.keyboard.press("Escape")
    error = [audio * 1000 - event / 1000 for event, audio in seen]
    gaps = [abs(b - a) for a, b in itertools.pairwise(error)]
    minutes = (seen[-1][0] - seen[0][0]) / 60e6
    return max(gaps), abs(error[-1] - error[0]) / minutes


def taken(library: Library, minutes: float) -> tuple[Sitter, float, float]:
    """A recording with the click at 96 of so many minutes.

    The desk, seconds from the stop until it is read, and until bars are engraved.
    """
    bars = round(minutes * 96 / 4)
    source = random_piece(4, "4/4", bars)
    at = Sitter(library, library.add(random_piece(9, "4/4", 1)))
    at.record(qpm=96.0)
    for n in play(source, range(bars), 3, 96, start_us=8 * 60_000_000 // 96):
        at.hear((n.onset_us, "down", n.key, n.velocity))
        at.hear((n.release_us, "up", n.key, 0))
    begun = time.perf_counter()
    at.session.handle(StopRecording(round(minutes * 60e6) + 6_000_000))
    job = at.session.jobs.pop()
    carry_out(at.desk, job)
    read = time.perf_counter() - begun
    at.session.near_bar = 0
    at.session.engraved(1)
    return at, read, time.perf_counter() - begun


def pin_settles_ms(library: Library) -> float:
    """Milliseconds from moving a bar line in the middle of a five-minute take until its bars are read anew and
    engraved.
    """
    at, _, _ = taken(library, 5)
    reading = all_shown(at.desk)[0].id
    beats = [b for b in strip_of(at.desk, reading).beats if b[2] is not None]
    us, tick, *_ = beats[len(beats) // 2]
    times = []
    for by in (30_000, 45_000, 20_000):
        begun = time.perf_counter()
        change = carry_out(at.desk, reading_otherwise(at.desk, reading, ReadBar(tick, us + by), ()))
        at.session.near_bar = at.piece.timeline.bar_at(max(tick, 0)).index
        at.session.engraved(1)
        times.append((time.perf_counter() - begun) * 1000)
        assert change
    return statistics.median(times)


def delay_error_ms() -> float:
    """How far the delay test is from the hidden lateness of the rehearsal keyboard."""
    strokes = [at for at, kind, _, _ in programme_events("quarters") if kind == "down"]
    return abs(find_delay([c.time_us for c in delay_clicks()[0]], strokes).mean_us - HIDDEN_LATENESS_US) / 1000


def measure(click_seconds: int = 300) -> dict[str, tuple[float, str]]:
    """All figures: name -> (value, unit)."""
    out: dict[str, tuple[float, str]] = {}
    with tempfile.TemporaryDirectory() as tmp:
        folder = Path(tmp)
        library = Library(folder / "other" / "library.sqlite")
        for minutes in (1, 10):
            out[f"stop_to_page_s_{minutes}min"] = (taken(library, minutes)[2], "s")
        out["pin_settle_ms"] = (pin_settles_ms(library), "ms")
        out["delay_test_error_ms"] = (delay_error_ms(), "ms")
        library.close()
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
                spacing, drift = clicks(page, server, piece, click_seconds)
                out["click_spacing_error_ms_max"] = (spacing, "ms")
                out["click_drift_ms_per_min"] = (drift, "ms/min")
                browser.close()
        finally:
            server.stop()
    return out


if __name__ == "__main__":
    for name, (value, unit) in measure(int(sys.argv[1]) if len(sys.argv) > 1 else 300).items():
        print(f"{name:<28}{value:>10.2f} {unit}", flush=True)
