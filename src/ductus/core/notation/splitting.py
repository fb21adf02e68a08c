"""Cutting a stretch of a bar into writable values, so that the beats stay visible."""

from __future__ import annotations

from functools import lru_cache

from ductus.core.notation.symbols import TupletSpan
from ductus.core.score.note_edits.tuplet_slots import FINEST
from ductus.core.time.bars import Bar
from ductus.core.time.meters import BAR, BEAT, MIDDLE, Meter
from ductus.core.time.note_values import BASE_TICKS, NoteValue, value_for_ticks

Piece_ = tuple[int, int, NoteValue]  # start tick, length in ticks, value


def split_plain(bar: Bar, start: int, end: int, *, rest: bool) -> list[Piece_]:
    """Cut [start, end) of a bar, outside brackets, into single values.

    A length that no plain value reaches (a scrap of a tuplet without bracket) is written with the nearest
    shorter value and keeps its exact length.
    """
    first = bar.start
    return [
        (first + at, ticks, value)
        for at, ticks, value in _split(bar.ticks, bar.meter, bar.missing, start - first, end - first, rest)
    ]


@lru_cache(maxsize=16384)
def _split(length: int, meter: Meter, missing: int, start: int, end: int, rest: bool) -> tuple[Piece_, ...]:
    """``split_plain`` in a bar that begins at 0: the same rhythms come again and again."""
    return tuple(_cut_plain(Bar(0, 0, length, meter, missing), start, end, rest=rest))


def _cut_plain(bar: Bar, start: int, end: int, *, rest: bool) -> list[Piece_]:
    value = value_for_ticks(end - start)
    if value is not None and (rest_stands if rest else note_stands)(bar, start, end, value):
        return [(start, end - start, value)]
    cut = _strongest_inside(bar, start, end)
    if cut is None:
        return [(start, end - start, value or nearest_value(end - start))]
    return _cut_plain(bar, start, cut, rest=rest) + _cut_plain(bar, cut, end, rest=rest)


def _strongest_inside(bar: Bar, start: int, end: int) -> int | None:
    """The metrically strongest place strictly inside a stretch; of equals, the first. None where no plain grid place
    lies inside."""
    beats = [tick for tick in bar.beats() if start < tick < end]
    if (
        beats and bar.meter.irregular
    ):  # the grouping shows, with as few notes as it takes: 7/8 is a half and a dotted quarter
        whole = [t for t in beats if (v := value_for_ticks(t - start)) is not None and v.dots < 2]
        return max(whole, default=beats[0])
    if beats:
        level = min(bar.level_at(tick) for tick in beats)
        equals = [tick for tick in beats if bar.level_at(tick) == level]
        whole = [tick for tick in equals if (v := value_for_ticks(tick - start)) is not None and not v.dots]
        on_beat = start in bar.beats()  # whole beats first, then what is left: a half and an eighth in 3/4
        return whole[-1] if on_beat and whole else equals[0]
    beat = max((tick for tick in bar.beats() if tick <= start), default=bar.start - bar.missing)
    if bar.meter.compound:
        thirds = (beat + k * bar.meter.unit_ticks for k in (1, 2))
        inside = [tick for tick in thirds if start < tick < end]
        if inside:
            return inside[0]
        beat += (start - beat) // bar.meter.unit_ticks * bar.meter.unit_ticks
    grid = FINEST
    while grid * 2 <= end - start:
        grid *= 2
    while grid >= FINEST:
        place = start + (beat - start) % grid
        place = place if place > start else place + grid
        if place < end:
            return place
        grid //= 2
    return None


def nearest_value(ticks: int) -> NoteValue:
    """The longest plain value that is not longer than ``ticks`` (the shortest there is at worst)."""
    fitting = [base for base, length in BASE_TICKS.items() if length <= ticks]
    return NoteValue(fitting[0] if fitting else "256th")


def inner_level(bar: Bar, start: int, end: int) -> int:
    """Rank of the strongest place strictly inside a stretch (large when there is none)."""
    cut = _strongest_inside(bar, start, end)
    return 99 if cut is None else bar.level_at(cut)


def note_stands(bar: Bar, start: int, end: int, value: NoteValue) -> bool:
    """May a note stand unsplit over [start, end)?"""
    crossed = inner_level(bar, start, end)
    a, b = bar.level_at(start), bar.level_at(end)
    if bar.meter.irregular and crossed <= MIDDLE:
        return a <= MIDDLE and b <= MIDDLE and value.dots < 2
    if value.dots == 2:
        return a <= BEAT and crossed > MIDDLE
    if crossed == MIDDLE and a > BAR:
        return a <= BEAT and b <= BEAT
    if a <= crossed:
        return True
    if bar.meter.compound and crossed <= BEAT:
        return False
    unit = (end - start) // 2
    syncopated = value.dots == 0 and a == b == crossed + 1 and bar.level_at(start + unit) == crossed
    ends_strong = value.dots == 1 and b <= crossed and a == crossed + 1
    return syncopated or ends_strong


def rest_stands(bar: Bar, start: int, end: int, value: NoteValue) -> bool:
    """May a rest stand unsplit over [start, end)?"""
    length, meter = end - start, bar.meter
    a, crossed = bar.level_at(start), inner_level(bar, start, end)
    if meter.compound and length == meter.beat_ticks and a <= BEAT:
        return True
    if meter.compound and length == 2 * meter.beat_ticks and len(meter.groups) == 4:  # half a bar of 12/8
        return bar.offset_of(start) % length == 0
    if value.dots:
        return value.dots == 1 and a <= BEAT and length < meter.beat_ticks and not meter.compound
    if crossed <= BEAT:  # longer than a beat: only halves of a four-beat bar
        aligned = bar.offset_of(start) % length == 0
        return aligned and len(meter.groups) % 2 == 0 and not meter.irregular and not meter.compound
    if meter.compound and length > meter.unit_ticks:
        return a <= BEAT and length == 2 * meter.unit_ticks
    return bar.offset_of(start) % length == 0 or a < crossed


def split_in_span(span: TupletSpan, start: int, end: int, *, rest: bool) -> list[Piece_]:
    """Cut [start, end) inside a bracket into values of the bracket's time; rests take no dots there."""
    scale = span.ratio.scale
    out: list[Piece_] = []
    while start < end:
        written = (end - start) / scale
        value = value_for_ticks(int(written)) if written.denominator == 1 else None
        if value is not None and value.dots <= (0 if rest else 1):
            out.append((start, end - start, value))
            break
        fitting = [b for b, t in BASE_TICKS.items() if t <= written]
        base = fitting[0] if fitting else "256th"
        length = int(BASE_TICKS[base] * scale)
        if not fitting or length >= end - start or length <= 0:
            out.append((start, end - start, nearest_value(int(written))))
            break
        out.append((start, length, NoteValue(base)))
        start += length
    return out
