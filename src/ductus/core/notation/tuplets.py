"""Which tuplet brackets a voice needs in a bar.

Brackets that a person asked for (marks of kind "tuplet") come first. Where notes begin or end off the
binary grid without one, the smallest bracket that holds them is inferred: first over the largest stretch of
beats whose inner beats no note marks (a quarter triplet over two beats), then a beat, then halves of it.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Sequence
from dataclasses import replace
from fractions import Fraction

from ductus.core.notation.symbols import TupletSpan
from ductus.core.score.note_edits.tuplet_slots import FINEST, PLAIN_BY_TICKS
from ductus.core.time.bars import Bar
from ductus.core.time.note_values import BASE_TICKS, MAX_TUPLET, Tuplet

WIDE_COUNTS = (3, 5, 7, 9, 11, 13)  # brackets over several beats are inferred for these numbers of notes
COUNTS = (3, 5, 7, 2, 4, 6, 8, 9, 10, 11, 12, 13, 14, 15, 16)


def on_binary_grid(offset: int) -> bool:
    """True if a place this far from a beat can be reached with plain values."""
    return offset % FINEST == 0


def bracket(start: int, ticks: int, count: int) -> TupletSpan | None:
    """The bracket that divides a stretch into ``count`` equal notes, or None if plain values do."""
    normal, base_ticks = 1, ticks
    if ticks in PLAIN_BY_TICKS:
        while normal * 2 <= count:
            normal, base_ticks = normal * 2, base_ticks // 2
    elif ticks % 3 == 0 and ticks // 3 in PLAIN_BY_TICKS:
        normal, base_ticks = 3, ticks // 3
        while normal * 2 <= count:
            normal, base_ticks = normal * 2, base_ticks // 2
    else:
        return None
    if normal == count or base_ticks not in PLAIN_BY_TICKS or not 2 <= count <= MAX_TUPLET:
        return None
    return TupletSpan(start, start + ticks, Tuplet(count, normal), PLAIN_BY_TICKS[base_ticks])


def count_that_fits(
    start: int, ticks: int, places: Iterable[int], counts: Sequence[int] = COUNTS, halvings: Sequence[int] = (1, 2, 4)
) -> TupletSpan | None:
    """The bracket with the fewest notes on which all ``places`` lie (each note may be halved twice)."""
    inside = [p - start for p in places if start < p < start + ticks]
    for parts in halvings:
        for count in counts:
            span = bracket(start, ticks, count)
            if span is None or BASE_TICKS[span.base] // parts < FINEST:
                continue
            if all(Fraction(p * count * parts, ticks).denominator == 1 for p in inside):
                return span
    return None


def infer_spans(bar: Bar, places: Sequence[int], asked: Sequence[TupletSpan]) -> list[TupletSpan]:
    """All brackets of one voice in a bar; ``places`` are the ticks where its notes begin or end."""
    spans = [s for s in asked if bar.start <= s.start and s.end <= bar.end]
    if not spans and not bar.meter.compound and all((p - bar.start) % FINEST == 0 for p in places):
        return spans  # plain values reach everything
    edges = sorted({max(bar.start, min(p, bar.end)) for p in places} | {bar.start, bar.end})
    beats = bar.stretches()

    def free(a: int, b: int) -> bool:
        return all(b <= s.start or a >= s.end for s in spans)

    def off_grid(a: int, b: int) -> list[int]:
        return [p for p in edges if a < p < b and not on_binary_grid(p - a)]

    if (begun := begun_before(bar, edges)) is not None and free(begun.start, begun.end):
        spans.append(begun)
    done: set[int] = set()
    for width in range(len(beats) - 1, 1, -1):  # wide brackets first
        for k in range(len(beats) - width):
            a, b = beats[k], beats[k + width]
            inner = beats[k + 1 : k + width]
            if (width > 2 and (width, k) not in ((4, 0), (3, 0))) or not free(a, b) or set(range(k, k + width)) & done:
                continue
            crossed = all(beat not in edges for beat in inner)
            strays = [bool(off_grid(x, y)) for x, y in zip(beats[k:], beats[k + 1 : k + width + 1], strict=False)]
            if crossed and (all(strays) or (width > 2 and any(strays))):
                span = wide_span(a, b, edges)
                if span is not None:
                    spans.append(span)
                    done |= set(range(k, k + width))
    for a, b in itertools.pairwise(beats):
        spans += _narrow(a, b, edges, spans)
    return sorted(spans, key=lambda s: s.start)


def begun_before(bar: Bar, edges: Sequence[int]) -> TupletSpan | None:
    """The bracket of a pick-up that begins inside a beat, off the plain grid of that beat.

    What of it lies in the bar.
    """
    starts = bar.meter.beat_starts
    inside = max((at for at in starts if at <= bar.missing), default=0)
    if inside == bar.missing:
        return None
    first, end = bar.start - (bar.missing - inside), bar.stretches()[1]
    places = [p for p in edges if p <= end]
    if all(on_binary_grid(p - first) for p in places):
        return None
    span = count_that_fits(first, end - first, places)
    return None if span is None else replace(span, start=bar.start)


def wide_span(a: int, b: int, edges: Sequence[int]) -> TupletSpan | None:
    """A bracket over several beats: its notes are whole, or one of them is a pair of halves. What needs more is written
    beat by beat, with a tie."""
    span = count_that_fits(a, b - a, edges, WIDE_COUNTS, (1,))
    if span is not None:
        return span
    span = count_that_fits(a, b - a, edges, (3,), (2,))
    inside = {p for p in edges if a < p < b}
    thirds = {a + k * (b - a) // 3 for k in (1, 2)}
    return span if thirds <= inside and len(inside - thirds) == 1 else None


def one_triplet(start: int, ticks: int, places: Sequence[int]) -> bool:
    """Are the places those of a triplet of which the middle note is halved, alone or with one neighbour?

    It is one group, not two of half a beat, though the half of the beat is a place.
    """
    if ticks % 6:
        return False
    sixths = {6 * (p - start) / ticks for p in places}
    return sixths <= {1, 2, 3, 4, 5} and {2, 3, 4} <= sixths and not {1, 5} <= sixths


def _narrow(a: int, b: int, edges: Sequence[int], taken: Sequence[TupletSpan]) -> list[TupletSpan]:
    """Brackets inside one beat: halves first where the half is a place, else the whole beat."""
    if any(s.start < b and a < s.end for s in taken):
        inside = [s for s in taken if s.start < b and a < s.end]
        cuts = sorted({a, b} | {x for s in inside for x in (s.start, s.end) if a < x < b})
        if len(cuts) == 2:
            return []
        gaps = [(x, y) for x, y in itertools.pairwise(cuts) if not any(s.start < y and x < s.end for s in inside)]
        return [span for x, y in gaps for span in _narrow(x, y, edges, [])]
    ticks = b - a
    places = [p for p in edges if a < p < b]
    if all(on_binary_grid(p - a) for p in places):
        four = bracket(a, ticks, 4)  # four equal notes in a dotted value
        equal = four is not None and [p - a for p in places] == [ticks * k // 4 for k in (1, 2, 3)]
        return [four] if four is not None and equal else []
    parts = 3 if ticks % 3 == 0 and ticks // 3 in PLAIN_BY_TICKS else 2
    if parts == 2 and one_triplet(a, ticks, places):
        return [span] if (span := bracket(a, ticks, 3)) else []
    cuts = [a + ticks * k // parts for k in range(parts + 1)]
    if all(c in edges for c in cuts[1:-1]) and ticks // parts > FINEST:
        return [span for x, y in itertools.pairwise(cuts) for span in _narrow(x, y, edges, [])]
    span = count_that_fits(a, ticks, edges)
    if span is not None:
        return [span]
    if ticks // parts <= FINEST or any(c != a + ticks * k / parts for k, c in enumerate(cuts)):
        return []
    return [span for x, y in itertools.pairwise(cuts) for span in _narrow(x, y, edges, [])]
