"""Speed as a keyboardist feels it, measured in the real interface; prints a table, writes bench/results.json.

    make bench

A key press counts from the event that completes the step (the last key up) to the frame that shows the new
engraving. Opening counts from the request of the page to the frame that shows every system in view.
"""

from __future__ import annotations

import atexit
import json
import statistics
import subprocess
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))

from bench.entry import events_per_second
from bench.files import measure_files
from bench.keeping import measure as measure_keeping
from bench.long import export_seconds, journal_lost_ms, large_edit_ms, read_notes, with_takes
from bench.page import frame_edit_ms, pdf_seconds, with_marks
from bench.playing import measure as measure_playing
from bench.sound import measure as measure_sound
from bench.spelling import share_wrong
from playwright.sync_api import Page, expect, sync_playwright
from tests.building import midi_of, random_piece
from tests.ui.conftest import CHROMIUM, FLAGS, Server

from ductus.app.library import Library
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Part
from ductus.demo.player import play

RESULTS = Path(__file__).parent / "results.json"
STEPS = 200
SPAN_BARS = 12  # the same stretch is written over again and again, so that short and long pieces show like for like
MEASURE = """async (steps) => {
  const sheet = document.querySelector('[data-testid=sheet]')
  const sleep = (ms) => new Promise((r) => setTimeout(r, ms))
  const key = (type, code) => window.dispatchEvent(new KeyboardEvent(type, { code, bubbles: true }))
  const codes = ['KeyA', 'KeyS', 'KeyD', 'KeyF', 'KeyG', 'KeyH']
  const out = []
  for (let i = 0; i < steps; i++) {
    const code = codes[i % codes.length]
    key('keydown', code)
    await sleep(30)
    const shown = new Promise((resolve) => {
      const watch = new MutationObserver((list) => {
        if (!list.some((m) => m.target instanceof Element && m.target.classList.contains('system'))) return
        watch.disconnect()
        requestAnimationFrame(() => { const c = new MessageChannel();
          c.port1.onmessage = () => resolve(performance.now()); c.port2.postMessage(0) })
      })
      watch.observe(sheet, { childList: true, subtree: true })
    })
    const start = performance.now()
    key('keyup', code)
    out.push((await shown) - start)
    await sleep(60)
  }
  return out
}"""
FIRST_PAGE = """() => new Promise((resolve) => {
  const look = () => {
    const view = document.querySelector('[data-testid=sheet-scroll]')?.getBoundingClientRect()
    const inView = [...document.querySelectorAll('[data-system]')].filter((s) => view &&
      s.getBoundingClientRect().top < view.bottom)
    if (inView.length && inView.every((s) => s.querySelector('svg'))) resolve(performance.now())
    else requestAnimationFrame(look)
  }
  look()
})"""


def four_parts(bars: int) -> Piece:
    """A piece with two two-staff and two one-staff parts, all filled."""
    piece = random_piece(5, "4/4", bars)
    rows: list[tuple[None, Part]] = [
        (None, Part(f"p{k}", f"Part {k}", "", 0, ("treble", "bass") if k == 2 else ("treble",), k)) for k in (2, 3, 4)
    ]
    piece = piece.with_rows(rows)
    number, notes = piece.serial, []
    for k in (2, 3, 4):
        for note in random_piece(5 + k, "4/4", bars).notes.values():
            if note.staff == 1 or k == 2:
                number += 1
                notes.append((None, replace(note, id=f"n{number}", part=f"p{k}")))
    return piece.with_rows(notes)


UNITS = {"s": "s", "ms": "ms", "kb": "kB", "p99": "ms", "factor": "ratio"}  # by the end of a figure's name


def sound_figures() -> dict[str, tuple[float, str]]:
    """The figures of sound with their units."""
    with tempfile.TemporaryDirectory() as folder:
        found = measure_sound(Path(folder))
    return {n: (v, UNITS.get(n.rsplit("_", 1)[-1], "ms" if "_ms_" in n else "")) for n, v in found.items()}


def key_to_page(page: Page, server: Server, piece_id: str, bar: int, steps: int = STEPS) -> float:
    """Median milliseconds from the last key up to the painted page, over ``steps`` steps from ``bar``."""
    page.goto(f"{server.url}/piece/{piece_id}")
    page.wait_for_selector(".system svg")
    expect(page.locator("[data-waiting]")).to_have_count(0, timeout=60_000)
    page.get_by_role("button", name="place: ").click()
    page.get_by_label("Bar and beat").fill(f"{bar}.1")
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    page.wait_for_timeout(300)
    page.get_by_role("button", name="place: ").click()
    page.get_by_label("first bar").fill(str(bar))
    page.get_by_label("last bar").fill(str(bar + SPAN_BARS - 1))
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="end of the span").click()
    page.get_by_role("menuitemradio", name="then it begins again").click()
    page.wait_for_timeout(300)
    page.keyboard.press("Backquote")
    page.wait_for_timeout(300)
    times: list[float] = page.evaluate(MEASURE, steps)
    page.keyboard.press("Escape")
    return statistics.median(times)


def in_turn(page: Page, server: Server, *places: tuple[str, int]) -> tuple[float, ...]:
    """Median milliseconds of a key at each of these (piece, bar), over three visits to each in turn.

    The speed of the machine wanders.
    """
    visits = [[key_to_page(page, server, piece, bar, 60) for piece, bar in places] for _ in range(3)]
    return tuple(statistics.median(ms) for ms in zip(*visits, strict=True))


def first_page(page: Page, server: Server, piece_id: str) -> float:
    """Milliseconds from the request to the first page painted; the server was just started."""
    page.goto(f"{server.url}/piece/{piece_id}", wait_until="commit")
    return float(page.evaluate(FIRST_PAGE))


def transcribe_two_minutes(folder: Path) -> float:
    """Seconds for `ductus transcribe` on a take of two minutes with a click, start-up included."""
    piece = random_piece(3, "4/4", 48)
    notes = play(piece, range(48), 1, 96, start_us=0)
    (folder / "take.mid").write_bytes(midi_of(notes, 96, (4, 4)))
    started = time.perf_counter()
    command = [
        sys.executable,
        "-m",
        "ductus.cli",
        "transcribe",
        str(folder / "take.mid"),
        "-o",
        str(folder / "take.musicxml"),
    ]
    subprocess.run([*command, "--tempo", "96", "--meter", "4/4"], check=True)
    return time.perf_counter() - started


def long_figures() -> dict[str, tuple[float, str]]:
    """What long pieces and long takes cost, without a browser: figure and unit by name."""
    out = {"pdf_200_bars_s": (pdf_seconds(), "s"), "export_2000_bars_s": (export_seconds(2000), "s")}
    for unit, value in zip(("s", "MB"), read_notes(60_000), strict=True):
        out[f"read_60000_notes_{unit.lower()}"] = value, unit
    out |= {f"edit_24000_notes_{name}_ms": (value, "ms") for name, value in large_edit_ms().items()}
    lost = journal_lost_ms()
    return out | {
        "journal_lost_ms_p95": (lost[int(len(lost) * 0.95) - 1], "ms"),
        "journal_lost_ms_worst": (lost[-1], "ms"),
    }


def main() -> None:
    """Measure everything and write the table."""
    results: dict[str, dict[str, object]] = {}

    def note(name: str, value: float, unit: str) -> None:
        results[name] = {"value": round(value, 3), "unit": unit}
        print(f"{name:<28}{value:>10.2f} {unit}", flush=True)

    with tempfile.TemporaryDirectory() as tmp:
        folder = Path(tmp)
        library = Library(folder / "data" / "library.sqlite")
        long, short = library.add(random_piece(1, "3/4", 200)), library.add(random_piece(1, "3/4", 12))
        taken = library.add(random_piece(1, "3/4", 200))
        with_takes(library, taken)
        endless = library.add(random_piece(1, "4/4", 2000))
        framed = library.add(random_piece(1, "3/4", 200))
        full_of_marks = library.add(with_marks(random_piece(1, "3/4", 200)))
        huge, little = library.add(four_parts(500)), library.add(four_parts(12))
        library.close()
        server = Server(folder / "data")
        atexit.register(server.process.kill)
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            note("open_200_first_page_ms", first_page(page, server, long), "ms")
            a = key_to_page(page, server, long, 100)
            b = key_to_page(page, server, short, 1)
            note("key_to_page_ms_200", a, "ms")
            note("key_to_page_ms_12", b, "ms")
            note("key_to_page_ratio_200_12", a / b, "ratio")
            note(
                "key_ratio_with_takes",
                key_to_page(page, server, taken, 100) / key_to_page(page, server, long, 100),
                "ratio",
            )
            note(
                "key_ratio_with_marks",
                key_to_page(page, server, full_of_marks, 100) / key_to_page(page, server, long, 100),
                "ratio",
            )
            note("frame_edit_ms_200", frame_edit_ms(page, server, framed), "ms")
            note("open_2000_bars_s", first_page(page, server, endless) / 1000, "s")
            c, d = in_turn(page, server, (huge, 250), (little, 1))
            note("key_to_page_ms_500_4_parts", c, "ms")
            note("key_to_page_ratio_500_12", c / d, "ratio")
            browser.close()
        server.stop()
        note("transcribe_2min_s", transcribe_two_minutes(folder), "s")
    for name, (value, unit) in long_figures().items():
        note(name, value, unit)
    note("entry_events_per_s", events_per_second(), "events/s")
    files = {name: (value, UNITS.get(name.rpartition("_")[2], "")) for name, value in measure_files().items()}
    for name, (value, unit) in {**measure_playing(), **measure_keeping(), **sound_figures(), **files}.items():
        note(name, value, unit)
    note("spelled_otherwise_percent", share_wrong()["otherwise_percent"], "%")
    RESULTS.write_text(json.dumps(results, indent=1), encoding="utf-8")


if __name__ == "__main__":
    main()
