"""Beams: eighths and shorter joined within the beat (common practice).

Plain eighths alone join over half a four-beat bar and over a whole bar of 2/4 and 3/4. A bracket is never cut by a
beat: its notes are one beam. A rest inside a beat does not break the beam. Secondary beams are broken where the
fractions of the beat lie, so that many short notes can be counted (Gould, "Behind Bars", 2011, from memory).
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import replace

from ductus.core.notation.symbols import Symbol
from ductus.core.time.bars import Bar
from ductus.core.time.meters import MIDDLE
from ductus.core.time.note_values import BASE_TICKS

LEVELS = {"eighth": 1, "16th": 2, "32nd": 3, "64th": 4, "128th": 5, "256th": 6}


def windows(bar: Bar, symbols: Sequence[Symbol]) -> list[tuple[int, int]]:
    """Stretches of the bar inside which beams may run."""
    spans = whole_brackets(list(itertools.pairwise(bar.stretches())), symbols)
    if bar.meter.compound or bar.meter.irregular or len(bar.meter.groups) not in (2, 3, 4) or bar.meter.unit != 4:
        return spans
    joins = [spans[i : i + 2] for i in range(0, len(spans), 2)] if len(spans) == 4 else [spans]
    out: list[tuple[int, int]] = []
    for group in joins:
        a, b = group[0][0], group[-1][1]
        inside = [s for s in symbols if a <= s.tick < b]
        plain = all(s.value.base == "eighth" and not s.value.dots and s.span is None and s.notes for s in inside)
        out += [(a, b)] if plain and inside and bar.level_at(a) <= MIDDLE else group
    return out


def whole_brackets(spans: list[tuple[int, int]], symbols: Sequence[Symbol]) -> list[tuple[int, int]]:
    """Beats, but for those that a bracket reaches over: they are one stretch."""
    for bracket in {s.span for s in symbols if s.span is not None}:
        over = [(a, b) for a, b in spans if a < bracket.end and bracket.start < b]
        if len(over) > 1:
            first, last = min(over[0][0], bracket.start), max(over[-1][1], bracket.end)
            cuts = sorted({first, bracket.start, bracket.end, last})
            spans = [s for s in spans if s not in over] + list(itertools.pairwise(cuts))
    return sorted(spans)


def beam(bar: Bar, symbols: Sequence[Symbol]) -> tuple[Symbol, ...]:
    """Return the symbols with their beams filled in."""
    out = list(symbols)
    for a, b in windows(bar, symbols):
        run: list[int] = []
        for i, s in enumerate(out):
            if not a <= s.tick < b:
                continue
            if s.notes and s.value.base in LEVELS and not (s.span is not None and s.span.strokes):
                run.append(i)
            elif (
                s.notes or s.hidden or s.value.base not in LEVELS
            ):  # a longer note, or a rest as long as one, ends the beam
                _join(bar, out, run)
                run = []
        _join(bar, out, run)
    return tuple(out)


def _join(bar: Bar, symbols: list[Symbol], run: Sequence[int]) -> None:
    if len(run) < 2:
        return
    depth = [LEVELS[symbols[i].value.base] for i in run]
    through = [beams_between(bar, symbols[i], symbols[j], max(depth)) for i, j in itertools.pairwise(run)]
    for k, i in enumerate(run):
        words = []
        for level in range(1, depth[k] + 1):
            before = k > 0 and depth[k - 1] >= level and through[k - 1] >= level
            after = k + 1 < len(run) and depth[k + 1] >= level and through[k] >= level
            words.append(_word(before, after, k, symbols[i], k == len(run) - 1))
        symbols[i] = replace(symbols[i], beams=tuple(words))


def beams_between(bar: Bar, one: Symbol, other: Symbol, deepest: int) -> int:
    """How many beams go on from one symbol to the next.

    All of them, but where a fraction of the beat begins that groups notes of this depth.
    """
    if deepest < LEVELS["32nd"] or (
        one.span is not None and one.span == other.span and one.span.ratio.actual not in (6, 12)
    ):
        return deepest
    offset = bar.offset_of(other.tick)
    beat = bar.meter.beat_at(offset)
    inside = offset - bar.meter.beat_starts[beat]
    length = bar.meter.groups[beat] * bar.meter.unit_ticks
    first = length // 3 if bar.meter.compound else length // 2
    kept = 1
    while first >= BASE_TICKS["128th"] and kept < deepest - 1:
        if inside % first == 0:
            return kept
        first, kept = first // 2, kept + 1
    return deepest


def _word(before: bool, after: bool, k: int, symbol: Symbol, last: bool) -> str:
    if before and after:
        return "continue"
    if after:
        return "begin"
    if before:
        return "end"
    on_stronger_place = symbol.tick % (2 * BASE_TICKS[symbol.value.base]) == 0
    return "forward hook" if k == 0 or (on_stronger_place and not last) else "backward hook"


def one_beam(symbols: Sequence[Symbol]) -> bool:
    """Are these symbols notes under one beam from the first to the last, and nothing else under it?"""
    words = [s.beams[0] if s.beams else "" for s in symbols]
    return len(words) > 1 and words[0] == "begin" and words[-1] == "end" and all(w == "continue" for w in words[1:-1])
