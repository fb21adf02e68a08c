"""Bars of silence that the part of one player joins to a single long rest.

A run of silent bars ends where there is something to be seen: another meter, key, clef or tempo, a sign of a bar (a
repeat, a section's name, an ending), a mark. Source: common practice of orchestral parts.
"""

from __future__ import annotations

from ductus.core.score.model.note_signs import BAR_SIGNS
from ductus.core.score.model.piece import Piece


def long_rests(piece: Piece) -> dict[int, int]:
    """First bar (index) -> count of the bars that are joined, two or more; none in a score of several parts."""
    if len(piece.parts) > 1:
        return {}
    part = piece.ordered_parts()[0].id
    begins, ends, broken = _seen(piece)

    def silent(bar: int) -> bool:
        empty = not piece.notes_in_bar(part, bar) and not piece.marks_in_bar(part, bar)
        return empty and bar not in broken and piece.timeline.bar(bar).whole

    runs: dict[int, int] = {}
    first: int | None = None
    for bar in range(piece.bar_count):
        if not silent(bar):
            first = None
        elif first is None or bar in begins or bar - 1 in ends:
            first, runs[bar] = bar, 1
        else:
            runs[first] += 1
    return {first: count for first, count in runs.items() if count > 1}


def _seen(piece: Piece) -> tuple[set[int], set[int], set[int]]:
    """Bars at whose beginning, at whose end and inside which something is to be seen."""
    begins = {change.bar for table in (piece.meters, piece.keys) for change in table.values()}
    ends: set[int] = set()
    broken: set[int] = set()
    for sign in piece.signs.values():
        if sign.kind == "ending":
            broken.update(range(sign.bar, sign.bar + sign.bars))
        else:
            (ends if BAR_SIGNS[sign.kind].right else begins).add(sign.bar)
    for tick in (record.tick for table in (piece.tempi, piece.clefs) for record in table.values()):
        bar = piece.timeline.bar_at(tick)
        (begins if tick == bar.start else broken).add(bar.index)
    return begins, ends, broken
