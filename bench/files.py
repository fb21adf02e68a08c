"""Files and the shelf: a score of 200 bars read, many files at a time, 500 pieces on the shelf, how many scores of
others come back whole.

.venv/bin/python bench/files.py [--scores 100]
"""

from __future__ import annotations

import argparse
import json
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))

from playwright.sync_api import Page, expect, sync_playwright
from tests.building import random_piece
from tests.formats.round_trip import scores, tried
from tests.ui.conftest import CHROMIUM, FLAGS, Server

from ductus.app.library import Library
from ductus.core.score.catalogues.layouts import new_piece
from ductus.demo.shelf import PIECES
from ductus.formats.musicxml_read import read_musicxml
from ductus.formats.musicxml_write import write_musicxml
from ductus.store.packed import Packed, to_file

PIECES_ON_SHELF = 500
FILES = 24
# From the request of the page to the frame that shows the list of all pieces, as far as it is in view (the others are
# listed on the way down).
SHOWN = """(count) => new Promise((resolve) => {
  const look = () => document.querySelectorAll('[data-testid=pieces] > li').length > 20 &&
    document.body.textContent.includes(`${count} pieces`)
    ? requestAnimationFrame(() => { const c = new MessageChannel();
      c.port1.onmessage = () => resolve(performance.now()); c.port2.postMessage(0) })
    : requestAnimationFrame(look)
  look()
})"""


def musicxml_in_seconds() -> float:
    """Seconds to read a two-staff score of 200 full bars, the best of three."""
    data = write_musicxml(random_piece(5, "4/4", 200))
    best = 1e9
    for _ in range(3):
        start = time.perf_counter()
        read_musicxml(data)
        best = min(best, time.perf_counter() - start)
    return best


def batch_per_second(jobs: int) -> float:
    """Files a second from MusicXML to pages as SVG, by the command line."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for k in range(FILES):
            (folder / f"s{k}.musicxml").write_bytes(write_musicxml(random_piece(k, "4/4", 48)))
        command = [sys.executable, "-m", "ductus.cli", "convert", *map(str, sorted(folder.glob("*.musicxml")))]
        start = time.perf_counter()
        subprocess.run([*command, "-o", str(folder / "out"), "--to", "zip", "--jobs", str(jobs)], check=True)
        return FILES / (time.perf_counter() - start)


def shelf_ms(page: Page, server: Server) -> float:
    """Milliseconds from the request of the shelf to the frame that shows 500 pieces, the median of five."""
    found = []
    for _ in range(5):
        page.goto(server.url, wait_until="commit")
        found.append(float(page.evaluate(SHOWN, PIECES_ON_SHELF)))
        expect(page.get_by_role("heading", name="On the shelf")).to_be_visible()
        page.wait_for_timeout(1500)  # what a page fetches behind itself is done before it is asked for again
    return sorted(found)[2]


def fill(data: Path) -> None:
    """500 pieces of the demo's kind and of 40 bars."""
    library = Library(data / "library.sqlite")
    kinds = [make() for make in PIECES] + [random_piece(k, "3/4", 40) for k in range(4)]
    for k in range(PIECES_ON_SHELF):
        library.add_packed(Packed(kinds[k % len(kinds)], tags="barge" if k % 3 else "", changed_at=""))
    library.close()


def measure_files() -> dict[str, float]:
    """All figures but the round trip, which takes minutes."""
    one, two = batch_per_second(1), batch_per_second(2)
    with tempfile.TemporaryDirectory() as name:
        data = Path(name) / "library"
        fill(data)
        server = Server(data)
        try:
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
                shelf = shelf_ms(browser.new_page(viewport={"width": 1280, "height": 800}), server)
                browser.close()
        finally:
            server.stop()
    start = time.perf_counter()
    size = len(to_file([Packed(new_piece("keys"))] * 200))
    packing = time.perf_counter() - start
    return {
        "musicxml_in_200_bars_s": round(musicxml_in_seconds(), 3),
        "batch_files_per_s_1": round(one, 2),
        "batch_files_per_s_2": round(two, 2),
        "batch_ratio_2_to_1": round(two / one, 2),
        "shelf_500_ms": round(shelf),
        "pack_200_pieces_s": round(packing, 2),
        "packed_piece_kb": round(size / 200 / 1000, 2),
    }


def round_trip(count: int) -> dict[str, int]:
    """How many of so many scores of music21's corpus come back whole, with every difference named, or with more."""
    return dict(Counter(tried(path)[0] for path in scores(count)))


def main() -> None:
    """Print the figures."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--scores", type=int, default=0, help="also go through so many scores of music21's corpus")
    args = options.parse_args()
    print(json.dumps(measure_files(), indent=1))
    if args.scores:
        print(json.dumps(round_trip(args.scores), indent=1))


if __name__ == "__main__":
    main()
