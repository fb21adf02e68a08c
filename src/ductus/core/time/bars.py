"""Bars on the time line: where each begins, which meter it has, how people name a place.

Conventions: bars are counted from 0 inside the program; a pick-up is bar 0 and is shorter than its meter.
People see bar numbers from 1 for the first full bar (a pick-up is called "pick-up"), beats from 1. A bar
that is cut in two (at a repeat in its middle) is two bars of the program and one for people: both have its
number, and beats go on in the second (common practice). The line has no end: after the last meter change
the bars go on.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Collection, Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from functools import lru_cache

from ductus.core.time.meters import Meter
from ductus.core.time.note_values import VALUE_BY_TICKS, describe_value
from ductus.core.words import ordinal


@dataclass(frozen=True, slots=True)
class Bar:
    """One bar: index from 0, start tick, length in ticks, meter, and what a pick-up, or the second part of a bar
    that is cut in two, lacks at its front. A part of a cut bar has the meter of the whole.
    """

    index: int
    start: int
    ticks: int
    meter: Meter
    missing: int = 0
    _beats: tuple[int, ...] = field(
        default=(), init=False, compare=False, repr=False
    )  # asked for many times at each key

    def __post_init__(self) -> None:
        places = (self.start + at - self.missing for at in self.meter.beat_starts)
        object.__setattr__(self, "_beats", tuple(t for t in places if self.start <= t < self.end))

    @property
    def end(self) -> int:
        """First tick after the bar."""
        return self.start + self.ticks

    @property
    def whole(self) -> bool:
        """Is it as long as its meter says: neither a pick-up nor a part of a bar that is cut?"""
        return self.ticks == self.meter.bar_ticks

    def offset_of(self, tick: int) -> int:
        """Ticks from where the full bar would begin."""
        return tick - self.start + self.missing

    def level_at(self, tick: int) -> int:
        """Metrical rank of a place in the bar (see ``meters``); the end of the bar ranks as a bar line."""
        return 0 if tick in (self.start, self.end) else self.meter.level_at(self.offset_of(tick))

    def beats(self) -> list[int]:
        """Ticks of the beats that lie in the bar; a pick-up, or a part of a bar that is cut, may hold none."""
        return list(self._beats)

    def stretches(self) -> list[int]:
        """Its beats with both ends of the bar: where one that begins inside a beat is divided."""
        return [*([] if self.start in self._beats else [self.start]), *self._beats, self.end]

    @property
    def last_beat(self) -> int:
        """The tick of its last beat; its start where it holds none."""
        return self._beats[-1] if self._beats else self.start


@dataclass(frozen=True, slots=True)
class CutPart:
    """A part of a bar that is cut: the meter of the whole, and the ticks of it ``before`` this part."""

    meter: Meter
    before: int = 0


def parts_of_cut(meters: dict[int, Meter], unsigned: Collection[int]) -> dict[int, CutPart]:
    """Bar index -> its part of a bar that is cut.

    Shorter neighbours without a sign that make up one bar of the signed meter before them, and none beside it, but
    for a single one at their end (a last bar without what the pick-up has). Longer stretches without a sign are bars
    of their own. ``meters`` must rise by index.
    """
    found: dict[int, CutPart] = {}
    run: list[tuple[int, int]] = []  # (index, ticks)
    usual = meters[0]
    changes = list(meters.items())

    def close() -> None:
        parts: dict[int, CutPart] = {}
        before = 0
        for index, ticks in run:
            if before + ticks > usual.bar_ticks:
                return
            parts[index] = CutPart(usual, before)
            before = (before + ticks) % usual.bar_ticks
        if not before or (
            run and not parts[run[-1][0]].before
        ):  # all of it, or the last alone: without what a pick-up has
            found.update(parts)

    for k, (index, meter) in enumerate(changes):
        bars = changes[k + 1][0] - index if k + 1 < len(changes) else 1
        if index and index in unsigned and meter.bar_ticks < usual.bar_ticks and bars <= MOST_PARTS:
            run += [(index + i, meter.bar_ticks) for i in range(bars)]
            continue
        close()
        run.clear()
        usual = meter if index not in unsigned else usual
    close()
    return found


PARTS = ("first", "second", "third", "fourth")
MOST_PARTS = 2  # bars of one meter without a sign that are still parts of one bar
MAX_BAR = 9999  # the highest bar number that can be reached
KEPT_WORDS = 4096  # places that a time line remembers the words of


class Timeline:
    """Bars made from meter changes and a pick-up, without an end.

    ``meters`` maps bar index -> Meter and must hold bar 0; ``pickup`` is the length of the incomplete
    first bar in ticks, 0 for none. ``unsigned`` are the bars whose meter has no sign on the page: neighbours
    of them that make up a bar of the last signed meter are that bar, cut.
    """

    def __init__(self, meters: dict[int, Meter], pickup: int = 0, unsigned: Collection[int] = ()) -> None:
        self.meters = dict(sorted(meters.items()))
        self._parts = parts_of_cut(self.meters, unsigned) if unsigned else {}
        self.going_on = sorted(index for index, part in self._parts.items() if part.before)  # with a bar that is cut
        first = self.meters[0]
        self.pickup = pickup if 0 < pickup < first.bar_ticks else 0
        self._changes: list[tuple[int, int, Meter]] = []  # bar index, start tick, meter
        start = 0
        shift = 1 if self.pickup else 0
        if self.pickup:
            start = self.pickup
        previous: tuple[int, int, Meter] | None = None
        for index, meter in self.meters.items():
            at = max(index, shift)
            if previous is not None:
                start += (at - previous[0]) * previous[2].bar_ticks
            previous = (at, start, meter)
            if self._changes and self._changes[-1][0] == at:
                self._changes.pop()
            self._changes.append(previous)
        bar, at, meter = self._changes[0]
        self._only = (bar, at, meter.bar_ticks) if len(self._changes) == 1 else None
        self._bars: dict[int, Bar] = {}
        self._words: dict[int, str] = {}

    def bar(self, index: int) -> Bar:
        """Return bar ``index`` (from 0)."""
        found = self._bars.get(index)
        if found is None:
            found = self._bars[index] = self._make(index)
        return found

    def _make(self, index: int) -> Bar:
        if index == 0 and self.pickup:
            meter = self.meters[0]
            return Bar(0, 0, self.pickup, meter, meter.bar_ticks - self.pickup)
        first, start, meter = self._laid_from(index)
        part = self._parts.get(index, CutPart(meter))
        return Bar(index, start + (index - first) * meter.bar_ticks, meter.bar_ticks, part.meter, part.before)

    def bar_at(self, tick: int) -> Bar:
        """Return the bar that holds ``tick`` (at least 0)."""
        if self._only is not None and tick >= self.pickup:
            first, start, ticks = self._only
            index = first + (tick - start) // ticks
            return self._bars.get(index) or self.bar(index)
        if tick < self.pickup:
            return self.bar(0)
        k = max(bisect_right(self._changes, tick, key=lambda c: c[1]) - 1, 0)
        first, start, meter = self._changes[k]
        return self.bar(first + max(tick - start, 0) // meter.bar_ticks)

    def number_of(self, index: int) -> int:
        """Bar number as people count: 1 for the first full bar, 0 for a pick-up, the same for both parts of a bar
        that is cut.
        """
        return (index if self.pickup else index + 1) - bisect_right(self.going_on, index)

    def index_of(self, number: int) -> int:
        """Bar index of a bar number as people count; of a bar that is cut, that of its first part."""
        index = number if self.pickup else number - 1
        for part in self.going_on:
            index += part <= index
        return index

    def parts_of(self, index: int) -> range:
        """The indices of all parts of the bar that a bar belongs to: itself alone, unless it is cut."""
        first = self.index_of(self.number_of(index))
        last = first
        while last + 1 in self._parts and self._parts[last + 1].before:
            last += 1
        return range(first, last + 1)

    def bar_words(self, index: int) -> str:
        """A bar in words: "bar 9", "the pick-up", "the second part of bar 9" of one that is cut."""
        number, parts = self.number_of(index), self.parts_of(index)
        if len(parts) > 1:
            return f"the {PARTS[min(parts.index(index), len(PARTS) - 1)]} part of bar {number}"
        return f"bar {number}" if number else "the pick-up"

    def laid_by(self, index: int) -> Meter:
        """The meter that says how long a bar is: that of the bar, for a part of one that is cut its own."""
        return self._laid_from(index)[2]

    def _laid_from(self, index: int) -> tuple[int, int, Meter]:
        """The change of meter that a bar is laid by: its bar, its tick, the meter."""
        return self._changes[max(bisect_right(self._changes, index, key=lambda c: c[0]) - 1, 0)]

    def meters_from(self, bar: int, zero: int) -> tuple[tuple[int, Meter], ...]:
        """The meter of a bar and all changes after it, as (tick counted from ``zero``, meter)."""
        later = [(self.bar(i).start - zero, m) for i, m in self.meters.items() if i > bar]
        first = self.bar(bar)
        meter = first.meter if first.missing else self.laid_by(bar)
        return ((first.start - first.missing - zero, meter), *later)

    def bars_until(self, tick: int) -> int:
        """How many bars hold everything before ``tick``."""
        return self.bar_at(tick - 1).index + 1 if tick > 0 else 0

    def place_words(self, tick: int) -> str:
        """Say a place as musicians do: "bar 12, beat 3", "bar 3, beat 2 and", "bar 1, beat 4, 2nd of 3", "last
        eighth of the pick-up".

        >>> Timeline({0: Meter(3, 4)}).place_words(Meter(3, 4).bar_ticks)
        'bar 2, beat 1'
        """
        words = self._words.get(tick)
        if words is None:
            words = self._say(tick)
            if len(self._words) >= KEPT_WORDS:
                self._words.clear()
            self._words[tick] = words
        return words

    def _say(self, tick: int) -> str:
        bar = self.bar_at(tick)
        number = self.number_of(bar.index)
        if number == 0 and beat_number(bar, tick).denominator != 1:
            value = VALUE_BY_TICKS.get(bar.end - tick)
            if value is not None:
                return f"last {describe_value(value)} of the pick-up"
        return f"{'pick-up' if number == 0 else f'bar {number}'}, beat {beat_words(bar, tick)}"

    def tick_of(self, number: int, beat: Fraction | int) -> int:
        """Tick of a beat (from 1, fractions allowed) of a bar number; inverse of what people read."""
        bar = self.bar(max(self.index_of(number), 0))
        starts = [*bar.meter.beat_starts, bar.meter.bar_ticks]
        whole = min(max(int(beat) - 1, 0), len(starts) - 2)
        inside = (Fraction(beat) - 1 - whole) * (starts[whole + 1] - starts[whole])
        return bar.start - bar.missing + starts[whole] + int(inside)


@dataclass(frozen=True, slots=True)
class BarLines:
    """Bars without an end on both sides, as a reading counts them.

    Tick 0 is a bar line of ``meter``, which also holds before it; later ``changes`` are (tick of a bar line, meter),
    rising.
    """

    meter: Meter
    changes: tuple[tuple[int, Meter], ...] = ()

    def meter_at(self, tick: int) -> tuple[int, Meter]:
        """The meter at a tick, and the bar line from which it is counted."""
        k = bisect_right(self.changes, tick, key=lambda c: c[0])
        return self.changes[k - 1] if k else (0, self.meter)

    def bar_at(self, tick: int) -> tuple[int, int, Meter]:
        """(first tick, end, meter) of the bar that holds a tick."""
        origin, meter = self.meter_at(tick)
        start = origin + (tick - origin) // meter.bar_ticks * meter.bar_ticks
        return start, start + meter.bar_ticks, meter

    def beat_at(self, tick: int) -> tuple[int, int]:
        """(first tick, length) of the beat that holds a tick."""
        start, end, meter = self.bar_at(tick)
        starts = [*(start + at for at in meter.beat_starts), end]
        k = max(i for i, s in enumerate(starts[:-1]) if s <= tick)
        return starts[k], starts[k + 1] - starts[k]

    def number_at(self, tick: int) -> int:
        """Bars from tick 0 to the bar that holds a tick (negative before it)."""
        count, origin, meter = 0, 0, self.meter
        for edge, following in self.changes:
            if edge > tick:
                break
            count += (edge - origin) // meter.bar_ticks
            origin, meter = edge, following
        return count + (tick - origin) // meter.bar_ticks

    def between(self, first: int, last: int) -> Iterator[tuple[int, int, Meter]]:
        """All bars that touch [first, last), in order; at least the one that holds ``first``."""
        bar = self.bar_at(first)
        yield bar
        while bar[1] < last:
            bar = self.bar_at(bar[1])
            yield bar


def beat_number(bar: Bar, tick: int) -> Fraction:
    """Beat number from 1, with the fraction of the beat that has passed."""
    return _beat_number(bar.meter, bar.offset_of(tick))


def _beat_number(meter: Meter, offset: int) -> Fraction:
    starts = [*meter.beat_starts, meter.bar_ticks]
    k = min(meter.beat_at(offset), len(starts) - 2)
    length = starts[k + 1] - starts[k]
    return Fraction((k + 1) * length + offset - starts[k], length)


FINEST_SAID = 64  # parts of a beat that are still counted; finer places are only said to be near


def beat_words(bar: Bar, tick: int) -> str:
    """A place in its bar: "2", "2 and", "4, 2nd of 3", "1, shortly after 5th of 8"."""
    return _beat_words(bar.meter, bar.offset_of(tick))


@lru_cache(maxsize=4096)
def _beat_words(meter: Meter, offset: int) -> str:
    """``beat_words`` at ticks from the beginning of a whole bar: the same places come again in every bar."""
    whole, rest = divmod(_beat_number(meter, offset), 1)
    if not rest:
        return str(whole)
    if rest == Fraction(1, 2):
        return f"{whole} and"
    if rest.denominator <= FINEST_SAID:
        return f"{whole}, {ordinal(rest.numerator + 1)} of {rest.denominator}"
    near = int(rest * 8)
    return f"{whole}, shortly after {ordinal(near + 1)} of 8" if near else f"{whole}, shortly after it"


def mixed(number: Fraction) -> str:
    """Write 7/2 as "3 1/2"."""
    whole, rest = divmod(number.numerator, number.denominator)
    if not rest:
        return str(whole)
    part = Fraction(rest, number.denominator)
    if part.denominator > FINEST_SAID:
        part = Fraction(round(part * 16), 16) or Fraction(1, 16)
        return f"about {mixed(whole + part)}"
    return str(part) if not whole else f"{whole} {part}"
