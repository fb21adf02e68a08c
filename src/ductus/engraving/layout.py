"""Which bars share a system: Ductus' own estimate of widths, stable under editing.

Widths are in staff-space-like units; only their ratios to ``LINE_UNITS`` matter. After an edit only systems
that no longer fit are broken again, up to the next break that stands, so that one key press never reflows
the whole piece.
"""

from __future__ import annotations

import itertools
import math
from bisect import bisect_right
from collections.abc import Callable, Sequence, Set
from dataclasses import dataclass

from ductus.core.pitch.keys import signature
from ductus.core.score.model.note_signs import BREAKS
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Syllable
from ductus.core.time.note_values import BASE_TICKS

LINE_UNITS = 100.0
BAR_UNITS = 3.4  # bar line and the room beside it
COLUMN_UNITS = 2.1  # a note head with its room
DOUBLING_UNITS = 1.25  # more room for each doubling above a sixteenth
ACCIDENTAL_UNITS = 0.9
OPENING_UNITS = 9.0  # brace, clef
SIGNATURE_UNITS = 1.0  # each sharp or flat
LETTER_UNITS = 1.0  # of words that are sung
MIN_BAR_UNITS = 11.0
MAX_BARS = 8
ROOM_TO_GROW = 1.04  # a system that stands may become so full before it is broken again
LEAST_FILLED = 0.5  # share of a system that must be filled for it to end early


@dataclass(frozen=True, slots=True)
class Density:
    """How closely music is set: the share of the widths above that notes take, and that letters take."""

    notes: float = 1.0
    letters: float = 1.0


ON_SCREEN = Density()
# As publishers set it, in staff spaces: a 16th some 1.8, an eighth 2.8, a quarter 3.8, a half 4.8 (common practice of
# music engraving, from memory); a letter of lyrics takes what it takes.
IN_PRINT = Density(0.64, 0.85)


@dataclass(frozen=True, slots=True)
class SystemRange:
    """Bars first..last (indices, both included) on one system."""

    first: int
    last: int


def bar_units(piece: Piece, index: int, density: Density = ON_SCREEN) -> float:
    """Estimated width of a bar, from its columns of onsets over all staves.

    The room of their lengths, or of the longest syllable at each.
    """
    bar, natural = piece.timeline.bar(index), signature(piece.key_at(index).fifths)
    columns: set[int] = {bar.start}
    signed: set[int] = set()  # columns with an accidental
    words: dict[int, float] = {}  # column -> room of its longest syllable
    for part in piece.parts:
        for note in piece.notes_in_bar(part, index):
            at = max(note.tick, bar.start)
            columns.add(at)
            if note.end < bar.end:
                columns.add(note.end)
            if note.pitch.alter != natural[note.pitch.step]:
                signed.add(at)
            for syllable in note.lyrics if note.tick == at else ():
                words[at] = max(words.get(at, 0.0), syllable_units(syllable) * density.letters)
    units, under = (
        BAR_UNITS * density.notes,
        0.0,
    )  # under: what of a syllable reaches into the next column, where none stands
    for a, b in itertools.pairwise([*sorted(columns), bar.end]):
        width = (COLUMN_UNITS + DOUBLING_UNITS * max(math.log2((b - a) / BASE_TICKS["16th"]), 0)) * density.notes
        wanted = words.get(a, 0.0) + under
        under = max(wanted - width, 0.0) if b < bar.end and b not in words else 0.0
        units += width if under else max(width, wanted)
    units += ACCIDENTAL_UNITS * density.notes * min(len(signed), 6) * 0.5
    return max(units, MIN_BAR_UNITS * density.notes)


def syllable_units(syllable: Syllable) -> float:
    """The room of a syllable with the gap, or the hyphen, behind it."""
    if not syllable.text:
        return 0.0
    return LETTER_UNITS * (len(syllable.text) + (0.8 if syllable.syllabic in ("single", "end") else 1.4))


def begun_by_hand(piece: Piece, kinds: Sequence[str] = BREAKS) -> frozenset[int]:
    """The bars (indices) that begin a system, or a page, because a hand said so."""
    return frozenset(s.bar for s in piece.signs.values() if s.kind in kinds and 0 < s.bar < piece.bar_count)


def room(piece: Piece, first: int, line: float = LINE_UNITS) -> float:
    """Units left for bars on a system that begins with bar ``first``, on a line of so many."""
    names = 8.0 if len(piece.parts) > 1 else 0.0
    return line - OPENING_UNITS - names - SIGNATURE_UNITS * abs(piece.key_at(first).fifths)


def break_from(
    piece: Piece,
    first: int,
    count: int,
    width: Callable[[int], float],
    stops: frozenset[int],
    line: float = LINE_UNITS,
) -> list[SystemRange]:
    """Systems from bar ``first`` on, until the end or until a new system would begin at one of ``stops``."""
    out: list[SystemRange] = []
    by_hand = begun_by_hand(piece)
    while first < count:
        if out and first in stops:
            break
        full = room(piece, first, line)
        left, last = full, first
        left -= width(first)
        while last + 1 < count and last + 1 not in by_hand and last + 2 - first <= MAX_BARS and width(last + 1) <= left:
            last += 1
            left -= width(last)
        if last + 1 not in by_hand:
            last = _ending_at_stop(first, last, width, stops, full)
        out.append(SystemRange(first, last))
        first = last + 1
    return out


def _ending_at_stop(first: int, last: int, width: Callable[[int], float], stops: frozenset[int], full: float) -> int:
    """End a system early where that meets an old break and still fills it fairly: the rest of the page then stands."""
    for stop in range(last, first, -1):
        if stop in stops and sum(width(i) for i in range(first, stop)) >= LEAST_FILLED * full:
            return stop - 1
    return last


def _fits(piece: Piece, system: SystemRange, width: Callable[[int], float], line: float) -> bool:
    if any(system.first < bar <= system.last for bar in begun_by_hand(piece)):
        return False
    taken = sum(width(i) for i in range(system.first, system.last + 1))
    return taken <= room(piece, system.first, line) * ROOM_TO_GROW


def _cut(systems: Sequence[SystemRange], count: int) -> bool:
    """Has the last bar moved?"""
    return not systems or systems[-1].last != count - 1


def _holding(systems: Sequence[SystemRange], bars: Set[int]) -> list[SystemRange]:
    """The systems that hold these bars."""
    places = {bisect_right(systems, bar, key=lambda s: s.first) - 1 for bar in bars}
    return [systems[k] for k in places if k >= 0]


def relayout(
    piece: Piece,
    old: Sequence[SystemRange],
    count: int,
    width: Callable[[int], float],
    touched: Set[int] | None = None,
    line: float = LINE_UNITS,
) -> list[SystemRange]:
    """Keep the breaks that still work; break again from the first system that overflows or that the end cuts.

    Only systems with bars that were ``touched`` (None: any), and the last, can need it.
    """
    near = None if touched is None else _holding(old, touched)
    if near is not None and not _cut(old, count) and all(_fits(piece, s, width, line) for s in near):
        return list(old)
    out: list[SystemRange] = []
    k = 0
    starts = frozenset(s.first for s in old)
    while k < len(old) and old[k].first < count:
        system = old[k]
        is_last = k + 1 == len(old)
        whole = system.last < count and not (is_last and system.last < count - 1)
        if whole and _fits(piece, system, width, line):
            out.append(system)
            k += 1
            continue
        fresh = break_from(piece, system.first, count, width, starts, line)
        out += fresh
        k = next((j for j in range(k + 1, len(old)) if old[j].first == fresh[-1].last + 1), len(old))
        if k == len(old):
            break
    done = out[-1].last + 1 if out else 0
    if done < count:
        out += break_from(piece, done, count, width, frozenset(), line)
    return out
