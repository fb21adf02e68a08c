"""The finished page: a key in a piece full of marks, a change of meter at its head, and its PDF."""

from __future__ import annotations

import random
import time

from playwright.sync_api import Page, expect
from tests.building import random_piece
from tests.ui.conftest import Server

from ductus.app.files.exporting import kind_of
from ductus.core.errors import BadInput
from ductus.core.score.mark_edits.place_marks import marked, where
from ductus.core.score.mark_language.parser import wish_of
from ductus.core.score.model.piece import Piece
from ductus.engraving.pages import PageSetup

MARKS = 2000
WORDS = (
    "mf",
    "p",
    "ff",
    "<",
    ">",
    "slur",
    "staccato",
    "accent",
    "dolce",
    "Am7",
    "Bb",
    "rit.",
    "pedal",
    "trill",
    "fermata",
    "tenuto",
    "8va",
)
CHANGED = """async () => {
  const sheet = document.querySelector('[data-testid=systems]')
  const key = () => sheet.children[0]?.querySelector('.system')?.getAttribute('data-key')
  const before = key()
  const shown = new Promise((resolve, reject) => {
    setTimeout(() => reject(new Error('nothing was drawn')), 10000)
    const watch = new MutationObserver(() => {
      if (!key() || key() === before) return
      watch.disconnect()
      requestAnimationFrame(() => { const c = new MessageChannel();
        c.port1.onmessage = () => resolve(performance.now()); c.port2.postMessage(0) })
    })
    watch.observe(sheet, { childList: true, subtree: true, attributes: true })
  })
  const start = performance.now()
  document.querySelector('[data-phrase="do it"]').click()
  return (await shown) - start
}"""


def with_marks(piece: Piece, count: int = MARKS) -> Piece:
    """The piece with so many marks of all sorts on its notes."""
    rng = random.Random(7)
    lines: dict[tuple[str, int, int], list] = {}
    for note in sorted(piece.notes.values(), key=lambda n: n.tick):
        lines.setdefault(note.line, []).append(note.id)
    put = 0
    while put < count:
        line = rng.choice(list(lines))
        ids = lines[line]
        begin = rng.randrange(max(len(ids) - 3, 1))
        notes = [piece.notes[i] for i in ids[begin : begin + 3]]
        try:
            change = marked(piece, wish_of(rng.choice(WORDS)), where(notes, line, 0))
        except BadInput:
            continue
        piece = change.apply(piece)
        put += 1
    return piece


def pdf_seconds(bars: int = 200) -> float:
    """Seconds to a PDF of so many bars of two staves, fonts and all, best of three (the first reads the fonts)."""
    piece = random_piece(1, "3/4", bars)
    times = []
    for _ in range(3):
        started = time.perf_counter()
        assert kind_of("pdf").write(piece, PageSetup()).startswith(b"%PDF")
        times.append(time.perf_counter() - started)
    return min(times)


def frame_edit_ms(page: Page, server: Server, piece_id: str) -> float:
    """Milliseconds from "do it" to the painted first system, when the meter of bar 1 changes.

    Median of five there and back.
    """
    page.goto(f"{server.url}/piece/{piece_id}")
    page.wait_for_selector(".system svg")
    expect(page.locator("[data-waiting]")).to_have_count(0, timeout=60_000)
    for _ in range(30):
        page.keyboard.press("Control+ArrowLeft")
    times = []
    for meter in ("4/4", "3/4", "2/4", "3/4", "4/4"):
        page.keyboard.press("F4")
        line = page.get_by_test_id("line")
        line.locator('[data-phrase="about"]').click()
        page.get_by_role("menuitemradio", name="meter", exact=True).click()
        line.locator('[data-phrase="meter"]').click()
        page.get_by_role("menuitemradio", name=meter, exact=True).click()
        expect(page.get_by_test_id("weighed")).to_be_visible()
        times.append(float(page.evaluate(CHANGED)))
        expect(page.locator("[data-waiting]")).to_have_count(0, timeout=60_000)
        page.keyboard.press("Escape")
        page.wait_for_timeout(900)
    return sorted(times)[2]
