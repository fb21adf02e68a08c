"""Sound: how late notes are scheduled, how many voices sound at once without a gap, how soon sounds are there, how
soon a preview of quantizing.

.venv/bin/python bench/sound.py
"""

from __future__ import annotations

import statistics
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))

from playwright.sync_api import Page, expect, sync_playwright
from tests.building import random_piece
from tests.ui.conftest import CHROMIUM, FLAGS, Server

from ductus.app.library import Library
from ductus.core.pitch.pitches import spell_in_key
from ductus.core.score.catalogues.instruments import instrument
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note
from ductus.core.score.structure_edits.drum_patterns import MakePattern
from ductus.core.time.ticks import QUARTER
from ductus.formats.audio import RATE, write_audio

LISTEN_MS = 20_000
CLOCKS = """() => {
  const Audio = window.AudioContext
  window.AudioContext = class extends Audio { constructor(...a) { super(...a); window.audio = this } }
  window.late = []
  window.addEventListener('note-scheduled', (e) => window.late.push(e.detail.lateS * 1000))
}"""


def band_piece(bars: int = 300) -> Piece:
    """Keys, bass, strings and kit: ``bars`` bars of all of them."""
    piece = random_piece(5, "4/4", bars)
    parts = [instrument(n).part(f"p{k}", k) for k, n in enumerate(("Bass guitar", "Violin", "Drum kit"), 2)]
    piece = piece.with_rows([(None, p) for p in parts])
    rows = []
    for k in range(bars * 4):
        rows.append(Note(f"n{900_000 + k}", "p2", 1, 1, k * QUARTER, QUARTER, spell_in_key(36 + k % 7, 0)))
        rows.append(Note(f"n{950_000 + k}", "p3", 1, 1, k * QUARTER, QUARTER, spell_in_key(64 + k % 9, 0)))
    piece = piece.with_rows([(None, n) for n in rows])
    return MakePattern("p4", 0, 2, bars // 2, "eighths with a backbeat").change(piece).apply(piece)


def many_voices(count: int) -> Piece:
    """``count`` notes held at once for eight bars by four parts."""
    piece = new_piece(parts=("Violin", "Viola", "Cello", "Organ"), bpm=60)
    each = count // 4
    rows = [
        Note(f"n{p * each + k}", f"p{p + 1}", 1, 1, 0, 32 * QUARTER, spell_in_key(40 + k, 0))
        for p in range(4)
        for k in range(each)
    ]
    return piece.with_rows([(None, n) for n in rows])


def opened(page: Page, server: Server, piece_id: str) -> None:
    page.goto(f"{server.url}/piece/{piece_id}")
    page.wait_for_selector(".system svg")


def until(page: Page, true: str, most_s: float = 30) -> None:
    for _ in range(int(most_s * 20)):
        if page.evaluate(true):
            return
        page.wait_for_timeout(50)
    raise TimeoutError(true)


def sound_ready_s(page: Page, server: Server, piece_id: str, sounds: int) -> float:
    """Seconds from the first drawn page until all its sounds can be played."""
    opened(page, server, piece_id)
    drawn = page.evaluate("performance.now()")
    page.keyboard.press("F8")  # a first key lets the browser sound
    page.keyboard.press("F8")
    marks = "performance.getEntriesByType('mark').filter((m) => m.name.startsWith('sound '))"
    until(page, f"{marks}.length >= {sounds}")
    return float(page.evaluate(f"Math.max(...{marks}.map((m) => m.startTime))") - drawn) / 1000


def late_ms(page: Page) -> tuple[float, int]:
    """99th percentile of scheduled against due audio time while the piece plays, and how many notes."""
    page.evaluate("window.late = []")
    page.keyboard.press("Enter")
    page.wait_for_timeout(LISTEN_MS)
    page.keyboard.press("Enter")
    late = sorted(page.evaluate("window.late"))
    return late[int(len(late) * 0.99)], len(late)


def clock_lost_ms(page: Page, server: Server, piece_id: str) -> float:
    """What the audio clock loses against the clock of the browser in four seconds while all voices sound.

    More than a block is a gap.
    """
    opened(page, server, piece_id)
    page.keyboard.press("F8")
    page.keyboard.press("F8")
    until(page, "performance.getEntriesByType('mark').filter((m) => m.name.startsWith('sound ')).length >= 4")
    page.keyboard.press("Enter")
    until(page, "window.late.length >= 16")
    page.wait_for_timeout(500)
    lost = page.evaluate(
        """async () => {
          const apart = () => performance.now() - window.audio.currentTime * 1000
          const near = async () => { const all = []; for (let k = 0; k < 20; k++) { all.push(apart());
            await new Promise((r) => setTimeout(r, 7)) } return Math.min(...all) }
          const before = await near()
          await new Promise((r) => setTimeout(r, 4000))
          return (await near()) - before
        }"""
    )
    page.keyboard.press("Enter")
    return float(lost)


def preview_ms(page: Page, server: Server, piece_id: str, notes: int) -> float:
    """Median milliseconds from choosing another share to the ghost strokes of ``notes`` notes."""
    opened(page, server, piece_id)
    page.keyboard.press("Shift+KeyR")
    page.locator('[data-phrase="bars of the strip"]').click()
    page.get_by_label("to", exact=True).fill("256")
    page.keyboard.press("Enter")
    until(page, f"document.querySelectorAll('[data-note]').length >= {notes}")
    out = []
    for k, share in enumerate((80, 60, 40, 20, 100, 50)):
        page.locator('[data-phrase="how far"]').click()
        page.get_by_role("menuitemradio", name=f"{share} % of the way", exact=True).wait_for()
        out.append(
            page.evaluate(
                """async ([share]) => {
                  const item = [...document.querySelectorAll('[role=menuitemradio]')].find((i) =>
                    i.textContent === share + ' % of the way')
                  const words = () => document.querySelector('[data-testid=in-place-counts]')?.textContent
      + document.querySelector('[data-testid=ghosts]')?.getAttribute('d')
                  const before = words()
                  const start = performance.now()
                  item.click()
                  while (words() === before) { await new Promise((r) => setTimeout(r, 2));
                    if (performance.now() - start > 5000) throw new Error('no preview') }
                  await new Promise((r) => requestAnimationFrame(() => { const c = new MessageChannel();
                    c.port1.onmessage = r; c.port2.postMessage(0) }))
                  return performance.now() - start
                }""",
                [share],
            )
        )
        if k == 0:
            out.clear()  # the first opens the menu for the first time
    return statistics.median(out)


def uneven(piece: Piece) -> Piece:
    """The piece as if it had been played: each note some ticks off."""
    rows = [
        (n, replace(n, sounds_late=(k * 7919 % 61 - 30) * QUARTER // 600)) for k, n in enumerate(piece.notes.values())
    ]
    return piece.with_rows(rows)


def wav_realtime_factor(bars: int = 100) -> float:
    """How many times faster than it lasts a piece of four parts becomes a WAV file."""
    piece = band_piece(bars)
    begin = time.perf_counter()
    data = write_audio(piece, "wav")
    took = time.perf_counter() - begin
    return (len(data) - 44) / 4 / RATE / took


def measure(folder: Path) -> dict[str, float]:
    """All figures of sound; needs a machine that does nothing else."""
    (folder / "lib").mkdir()
    library = Library(folder / "lib" / "library.sqlite")
    band = library.add(band_piece())
    voices = {count: library.add(many_voices(count)) for count in (64, 96, 128)}
    strokes = new_piece(parts=("Violin",))
    rows = [
        Note(f"n{k}", "p1", 1, 1, k * QUARTER // 2, QUARTER // 2, spell_in_key(60 + k % 12, 0)) for k in range(2000)
    ]
    many = library.add(uneven(strokes.with_rows([(None, n) for n in rows])))
    library.close()
    out: dict[str, float] = {}
    server = Server(folder / "lib")
    try:
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(
                executable_path=CHROMIUM, args=[*FLAGS, "--autoplay-policy=no-user-gesture-required"]
            )
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.set_default_timeout(60_000)
            page.add_init_script(f"({CLOCKS})()")
            out["sound_ready_s"] = round(sound_ready_s(page, server, band, 3), 2)
            expect(page.locator("[data-waiting]")).to_have_count(0, timeout=120_000)
            late, count = late_ms(page)
            out["playback_late_ms_p99"], out["playback_notes"] = round(late, 2), count
            held = 0
            for count_, piece_id in voices.items():
                lost = clock_lost_ms(page, server, piece_id)
                out[f"audio_clock_lost_ms_{count_}"] = round(lost, 1)
                held = count_ if lost < 10 else held
            out["voices_without_gap"] = held
            out["quantize_preview_ms"] = round(preview_ms(page, server, many, 2000), 1)
            browser.close()
    finally:
        server.stop()
    out["wav_realtime_factor"] = round(wav_realtime_factor(), 1)
    return out


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as folder:
        for name, value in measure(Path(folder)).items():
            print(f"{name:32} {value}")
