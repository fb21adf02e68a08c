"""How many pages scores of others take, against what a copyist would plan for them by hand, with usual staves.

.venv/bin/python bench/copying.py [--scores 20]

The rule of planning (ours, from common practice; in millimetres on A4, scaled with the staff where it is smaller than
7 mm): a place where something is struck takes 4.5 mm, and 1.5 mm more for each doubling of its length above a 16th;
a bar line 3 mm; a line of 182 mm gives 16 mm to clefs and brace, 3 mm to each sharp or flat; lyrics take 2.1 mm a
letter where that is more. Between staves of a system there is one and a half times their height, between systems twice,
a verse of lyrics takes .8 of it; a page has 267 mm, the first 25 mm less.
"""

from __future__ import annotations

import argparse
import itertools
import json
import math
import statistics
import sys
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parent.parent))

from tests.formats.round_trip import scores

from ductus.core.errors import DuctusError
from ductus.core.score.model.piece import Piece
from ductus.core.time.ticks import QUARTER
from ductus.engraving.pages import PageSetup, printed, usual_staff
from ductus.formats.musicxml_read.score import read_musicxml

COLUMN, DOUBLING, BAR, OPENING, SIGN, LETTER = 4.5, 1.5, 3.0, 16.0, 3.0, 2.1
LINE, PAGE, HEAD, STAFF = 182.0, 267.0, 25.0, 7.0


def planned(piece: Piece) -> float:
    """Pages that a copyist would plan, as a fraction."""
    staff = usual_staff(piece)
    scale = staff / STAFF
    width = sum(bar_width(piece, bar) for bar in range(piece.bar_count)) * scale
    line = LINE - (OPENING + SIGN * abs(piece.key_at(0).fifths)) * scale
    systems = math.ceil(width / line)
    staves = sum(p.staves for p in piece.parts.values())
    verses = sum(len({s.verse for n in piece.notes_between(p, 0, piece.end) for s in n.lyrics}) for p in piece.parts)
    height = systems * (2.5 * staves + 0.5 + 0.8 * verses) * staff
    return (height + HEAD) / PAGE


def bar_width(piece: Piece, index: int) -> float:
    """A bar as the rule has it, at a staff of 7 mm."""
    bar = piece.timeline.bar(index)
    places: dict[int, float] = {bar.start: 0.0}
    for part in piece.parts:
        for note in piece.notes_in_bar(part, index):
            at = max(note.tick, bar.start)
            letters = max((len(s.text) for s in note.lyrics), default=0) if note.tick == at else 0
            places[at] = max(places.get(at, 0.0), letters * LETTER)
    edges = [*sorted(places), bar.end]
    width = BAR
    for a, b in itertools.pairwise(edges):
        width += max(COLUMN + DOUBLING * max(math.log2((b - a) / (QUARTER / 4)), 0.0), places[a])
    return width


def measure(count: int) -> dict[str, Any]:
    """Pages printed over pages planned (rounded up) for so many scores of more than a page."""
    rows = []
    for path in scores(3 * count):
        try:
            piece = read_musicxml(path.read_bytes(), path.stem).piece
            plan = planned(piece)
            if plan <= 1 or plan > 30:
                continue
            made = printed(piece, PageSetup())
        except DuctusError:
            continue
        rows.append((path.stem, round(plan, 1), len(made.pages), made.staff_mm))
        if len(rows) == count:
            break
    shares = [pages / math.ceil(plan) for _, plan, pages, _ in rows]
    return {
        "scores": len(rows),
        "pages_over_planned_mean": round(statistics.mean(shares), 3),
        "pages_over_planned_most": round(max(shares), 2),
        "each": [f"{name}: planned {plan}, printed {pages} at {staff} mm" for name, plan, pages, staff in rows],
    }


def main() -> None:
    """Print the figures."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--scores", type=int, default=20, help="how many scores of music21's corpus")
    print(json.dumps(measure(options.parse_args().scores), indent=1))


if __name__ == "__main__":
    main()
