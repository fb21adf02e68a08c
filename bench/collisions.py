"""What lies over what on the pages of scores of others: collisions in 100 bars, by what they are of.

.venv/bin/python bench/collisions.py [--scores 24]
"""

from __future__ import annotations

import argparse
import json
import sys
from collections import Counter
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parent.parent))

from tests.formats.round_trip import scores

from ductus.core.errors import DuctusError
from ductus.engraving.boxes import boxes_of, collisions
from ductus.engraving.pages import PageSetup, printed
from ductus.formats.musicxml_read.score import read_musicxml


def measure(count: int) -> dict[str, Any]:
    """Collisions in 100 bars over so many scores of music21's corpus, and the commonest pairs."""
    bars, kinds = 0, Counter[str]()
    for path in scores(count):
        try:
            piece = read_musicxml(path.read_bytes(), path.stem).piece
            pages = printed(piece, PageSetup()).pages
        except DuctusError:
            continue  # too tall for a page, or no score
        bars += piece.bar_count
        for page in pages:
            kinds.update(" over ".join(sorted((a.kind, b.kind))) for a, b in collisions(boxes_of(page)))
    total = sum(kinds.values())
    return {
        "bars": bars,
        "collisions_in_100_bars": round(100 * total / max(bars, 1), 2),
        "pairs": dict(kinds.most_common(8)),
    }


def main() -> None:
    """Print the figures."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--scores", type=int, default=24, help="how many scores of music21's corpus")
    print(json.dumps(measure(options.parse_args().scores), indent=1))


if __name__ == "__main__":
    main()
