"""Checking what was found: how far the click would be from the playing, bar by bar.

A take to the click is held against its click; a free one against the tempo of the page, from its first note on; where
the page swings, written eighths against swung ones.
Positive: the playing is late.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

from ductus.core.capture.takes import Take
from ductus.core.playback.swing import SwingMap
from ductus.core.playback.tempo_map import written_tempo_map
from ductus.core.reading.model import ReadingResult
from ductus.core.score.model.piece import Piece

NAMED = 3  # worst bars that are named
LEAST_US = 15_000  # a bar that is nearer is not named


@dataclass(frozen=True, slots=True)
class Apart:
    """A bar by its number, the tick of the reading where it begins, and the mean of (playing - click) in it, in
    microseconds.
    """

    bar: int
    tick: int
    us: int


def apart_by_bar(piece: Piece, take: Take, result: ReadingResult, start: int, *, free: bool) -> list[Apart]:
    """How far the playing is from the click in each bar that holds notes, in order."""
    page, swing = written_tempo_map(piece), SwingMap(piece)
    notes = [n for n in result.notes if n.tick + start >= 0]
    if not notes:
        return []
    first = min(notes, key=lambda n: take.notes[n.event].onset_us)
    zero_us = take.notes[first.event].onset_us - page.time_at(first.tick + start)
    rows: dict[int, list[int]] = defaultdict(list)
    for n in notes:
        at = swing.sounds(n.tick + start)
        click = page.time_at(at) + zero_us if free else result.pulses.time_at(at - start)
        rows[result.bars.bar_at(n.tick)[0]].append(take.notes[n.event].onset_us - click)
    number = piece.timeline.number_of
    return [
        Apart(number(piece.timeline.bar_at(max(tick + start, 0)).index), tick, round(sum(row) / len(row)))
        for tick, row in sorted(rows.items())
    ]


def worst_of(apart: Sequence[Apart]) -> list[Apart]:
    """The bars that are farthest off, the worst first; none that are near enough."""
    far = [a for a in apart if abs(a.us) >= LEAST_US]
    return sorted(far, key=lambda a: -abs(a.us))[:NAMED]


def apart_words(apart: Sequence[Apart], *, free: bool) -> str:
    """How far it is throughout, in words; a free take had no click of its own."""
    if not apart:
        return ""
    mean = sum(abs(a.us) for a in apart) / len(apart) / 1000
    click = "a click at the page's tempo" if free else "the click"
    return (
        f"{mean:.0f} ms from {click} on average"
        if worst_of(apart)
        else f"never far from {click} ({mean:.0f} ms on average)"
    )
