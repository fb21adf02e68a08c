"""The measures of a file as bars of a piece."""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction

from ductus.core.score.model.records import MeterChange
from ductus.core.time.bars import Timeline
from ductus.core.time.meters import Meter, meter_for
from ductus.core.time.ticks import QUARTER
from ductus.formats.musicxml_read.losses import Losses
from ductus.formats.musicxml_read.raw import RawMeasure, RawMeter, RawPart


@dataclass(slots=True)
class Ids:
    """Fresh ids of records: one count for all kinds."""

    count: int = 0

    def new(self, letter: str) -> str:
        """An id such as "n17"."""
        self.count += 1
        return f"{letter}{self.count}"


@dataclass(slots=True)
class Bars:
    """The measures of a file as bars of a piece."""

    timeline: Timeline
    starts: list[int]
    ends: list[int]
    meters: list[MeterChange] = field(default_factory=list)
    pickup: int = 0

    def tick(self, bar: int, at: Fraction, losses: Losses, number: str) -> int:
        """The tick of a place of a measure."""
        exact = at * QUARTER
        if exact.denominator != 1:
            losses.add("place~ or length~ finer than Ductus writes (moved by less than a thousandth of a beat)", number)
        return self.starts[bar] + round(exact)


def lay_bars(parts: list[RawPart], losses: Losses, ids: Ids) -> Bars:
    """Bars of the meters of the file; a measure of another length is a bar of its own meter, without a sign."""
    columns = list(zip(*(p.measures for p in parts), strict=True))
    now, meters, pickup = Meter(4, 4), {}, 0
    records: list[MeterChange] = []
    before: Meter | None = None
    sign = ""  # of a meter that is stated and not yet written
    for k, column in enumerate(columns):
        stated = next((m.meter for m in column if m.meter is not None), None)
        if stated is not None:
            now, sign = meter_of(stated), stated.sign
        ticks = bar_length(column, now, losses)
        used = now
        if k == 0 and 0 < ticks < now.bar_ticks and len(columns) > 1:
            pickup = ticks
        elif ticks and ticks != now.bar_ticks:
            used = meter_of_length(ticks, now, column[0].number, losses)
            if stated is not None and sign != "none":
                losses.add("meter~ at a bar of another length (the sign stands at the next full bar)", column[0].number)
        if used != before or (used != now and column[0].implicit):  # each part of a bar that is cut says so itself
            shown = sign if used == now else "none"
            records.append(MeterChange(ids.new("m"), k, used, shown))
            meters[k] = before = used
        if used == now:
            sign = "none"
    if before not in (None, now):  # a last bar without its pick-up: what is written behind it has full bars again
        records.append(MeterChange(ids.new("m"), len(columns), now, "none"))
    timeline = Timeline(dict(meters), pickup)  # only of places: numbers are those of the file
    found = [timeline.bar(k) for k in range(len(columns))]
    return Bars(timeline, [b.start for b in found], [b.end for b in found], records, pickup)


def bar_length(column: tuple[RawMeasure, ...], meter: Meter, losses: Losses) -> int:
    """Ticks of a bar: of its longest part; 0 for one that holds nothing."""
    lengths = {m.length for m in column if m.length}
    longest = round(max(lengths, default=Fraction(0)) * QUARTER)
    if len(lengths) > 1 and longest > meter.bar_ticks:
        losses.add("bar~ of which the parts are not equally long (the longest counts)", column[0].number)
    return longest


def meter_of_length(ticks: int, usual: Meter, number: str, losses: Losses) -> Meter:
    """The meter of a bar that is longer or shorter than usual."""
    found = meter_for(ticks, usual) or usual
    if found.bar_ticks < ticks:
        losses.add("bar~ of a length that no meter has (the rest of it is cut)", number)
    elif found.bar_ticks > ticks:
        losses.add("bar~ of a length that no meter has (filled with a rest)", number)
    return found


def meter_of(raw: RawMeter) -> Meter:
    """A meter as it is written."""
    groups = raw.groups if sum(raw.groups) == raw.count else ()
    return Meter(raw.count, raw.unit, groups)
