"""Counts how scores divide their beats: the table of ``core/reading/quantization/subdivisions.py``.

    python tools/fit_rhythm.py build/fit-corpus.json.gz src/ductus/core/reading/tables/rhythm.json

Onsets of both hands are taken together. Every piece weighs the same (its counts are scaled to 100 beats), so that long
quartets do not drown the tunes.
"""

from __future__ import annotations

import gzip
import json
import sys
from collections import Counter
from fractions import Fraction
from pathlib import Path
from typing import Any

from ductus.core.reading.quantization.subdivisions import COMPOUND, DIVISIONS, MOST_SLOTS, SIMPLE, smallest_division
from fit_corpus import UNIT

BEATS_A_PIECE = 100


def beats_of(piece: dict[str, Any]) -> tuple[int, int, int]:
    """Family, ticks of a beat, ticks from the start to a bar line."""
    count, unit = (int(x) for x in piece["meter"].split("/"))
    if unit == 8 and count % 3 == 0:
        return COMPOUND, UNIT * 3 // 2, piece["pickup"]
    return SIMPLE, UNIT, piece["pickup"]


def count_piece(piece: dict[str, Any]) -> tuple[Counter[tuple[int, ...]], int]:
    """Counts keyed (0, g, h) turns, (1, g, s) firsts, (2, g, s, t) steps; and the number of beats."""
    family, beat, pickup = beats_of(piece)
    shift = -pickup % beat
    by_beat: dict[int, set[Fraction]] = {}
    for note in piece["notes"]:
        k, inside = divmod(note[0] + shift, beat)
        by_beat.setdefault(k, set()).add(Fraction(inside, beat))
    first, last = min(by_beat), max(by_beat)
    counts: Counter[tuple[int, ...]] = Counter()
    before: int | None = None
    for k in range(first, last + 1):
        g = smallest_division(family, frozenset(by_beat.get(k, ())))
        if g is None:
            before = None
            continue
        if before is not None:
            counts[0, before, g] += 1
        before = g
        slots = sorted(DIVISIONS[g].slots.index(x) for x in by_beat.get(k, ()))
        if slots:
            counts[1, g, slots[0]] += 1
            for s, t in zip(slots, [*slots[1:], MOST_SLOTS], strict=True):
                counts[2, g, s, t] += 1
    return counts, last - first + 1


def main() -> None:
    """Read the corpus, write the table."""
    pieces = json.loads(gzip.decompress(Path(sys.argv[1]).read_bytes()))
    total: Counter[tuple[int, ...]] = Counter()
    for piece in pieces:
        counts, beats = count_piece(piece)
        for key, count in counts.items():
            total[key] += count * BEATS_A_PIECE / beats  # type: ignore[assignment]
    table: dict[str, Any] = {
        "provenance": (
            f"Counts over {len(pieces)} stretches of open scores (tools/fit_corpus.py names the folders), made by "
            f"tools/fit_rhythm.py; each scaled to {BEATS_A_PIECE} beats."
        ),
        "turns": [[*key[1:], round(n, 2)] for key, n in sorted(total.items()) if key[0] == 0],
        "firsts": [[*key[1:], round(n, 2)] for key, n in sorted(total.items()) if key[0] == 1],
        "steps": [[*key[1:], round(n, 2)] for key, n in sorted(total.items()) if key[0] == 2],
    }
    Path(sys.argv[2]).write_text(json.dumps(table, separators=(",", ":")), encoding="utf-8")


if __name__ == "__main__":
    main()
