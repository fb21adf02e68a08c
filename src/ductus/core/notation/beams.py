"""Beams: eighths and shorter joined within the beat (common practice).

Plain eighths alone join over half a four-beat bar and over a whole bar of 2/4 and 3/4.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import replace

from ductus.core.notation.symbols import Symbol
from ductus.core.time.bars import Bar
from ductus.core.time.meters import MIDDLE
from ductus.core.time.values import BASE_TICKS

LEVELS = {"eighth": 1, "16th": 2, "32nd": 3, "64th": 4, "128th": 5, "256th": 6}


def windows(bar: Bar, symbols: Sequence[Symbol]) -> list[tuple[int, int]]:
    """Stretches of the bar inside which beams may run."""
    beats = [*bar.beats(), bar.end]
    if beats[0] > bar.start:
        beats.insert(0, bar.start)
    spans = list(itertools.pairwise(beats))
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


def beam(bar: Bar, symbols: Sequence[Symbol]) -> tuple[Symbol, ...]:
    """Return the symbols with their beams filled in."""
    out = list(symbols)
    for a, b in windows(bar, symbols):
        run: list[int] = []
        for i, s in enumerate(out):
            inside = a <= s.tick < b
            if inside and s.notes and s.value.base in LEVELS and (not run or out[run[-1]].end == s.tick):
                if run and (out[run[-1]].span is not s.span and out[run[-1]].span != s.span):
                    _join(out, run)
                    run = []
                run.append(i)
            elif run:
                _join(out, run)
                run = [i] if inside and s.notes and s.value.base in LEVELS else []
        _join(out, run)
    return tuple(out)


def _join(symbols: list[Symbol], run: Sequence[int]) -> None:
    if len(run) < 2:
        return
    depth = [LEVELS[symbols[i].value.base] for i in run]
    for k, i in enumerate(run):
        words = []
        for level in range(1, depth[k] + 1):
            before = k > 0 and depth[k - 1] >= level
            after = k + 1 < len(run) and depth[k + 1] >= level
            words.append(_word(before, after, k, symbols[i], k == len(run) - 1))
        symbols[i] = replace(symbols[i], beams=tuple(words))


def _word(before: bool, after: bool, k: int, symbol: Symbol, last: bool) -> str:
    if before and after:
        return "continue"
    if after:
        return "begin"
    if before:
        return "end"
    on_stronger_place = symbol.tick % (2 * BASE_TICKS[symbol.value.base]) == 0
    return "forward hook" if k == 0 or (on_stronger_place and not last) else "backward hook"
