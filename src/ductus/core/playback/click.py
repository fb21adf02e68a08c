"""The click, and what is heard with it.

One plan for the metronome, the music around a recording, and the pulse map of its take.

piece, bar, tempo choice, count-in -> pulse map (time 0: the first click), clicks and sounds of any bars

A plan has no end: bars go on behind the last one that is written. Bars of the count-in are those of the piece where
it has them, and else (or where they are not heard) bars like the one that is written first.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Annotated, Literal

from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le
from ductus.core.playback.loop import Round, round_of
from ductus.core.playback.performance import Shape, Sounding, one_by_one
from ductus.core.playback.tempo_map import pace_at, paces, written_tempo_map
from ductus.core.score.model.piece import Piece
from ductus.core.time.bars import MAX_BAR, Bar
from ductus.core.time.meters import BEAT, MIDDLE, Meter
from ductus.core.time.pulse_map import US_PER_MINUTE, Pulse, PulseMap, steady_map
from ductus.core.time.ticks import QUARTER

Rank = Literal["bar", "strong", "beat", "half"]
MOST_COUNT_IN = 8
SLOWEST, FASTEST = 10, 400  # quarters a minute
LEAST_PERCENT, MOST_PERCENT = 10, 400
FAR = 4096 * QUARTER  # long, so that rounding to microseconds stays under 1 part in 10^9


@dataclass(frozen=True, slots=True)
class AsWritten:
    """At the tempi of the page with all their changes, in percent of them."""

    percent: Annotated[float, Ge(1), Le(100_000)] = 100.0
    name: Literal["as-written"] = "as-written"


@dataclass(frozen=True, slots=True)
class OneTempo:
    """At one tempo throughout, in quarters a minute."""

    qpm: Annotated[float, Ge(0), Le(1_000_000)]
    name: Literal["one-tempo"] = "one-tempo"


TempoChoice = AsWritten | OneTempo


def checked_tempo(tempo: TempoChoice) -> TempoChoice:
    """The choice; raises BadInput for what nobody can play to."""
    if isinstance(tempo, OneTempo) and not SLOWEST <= tempo.qpm <= FASTEST:
        raise BadInput(
            f"{tempo.qpm:g} quarters a minute is no tempo to play to: use {SLOWEST} to {FASTEST}. The tempo stays."
        )
    if isinstance(tempo, AsWritten) and not LEAST_PERCENT <= tempo.percent <= MOST_PERCENT:
        raise BadInput(
            f"{tempo.percent:g} % of the tempo is out of reach: use {LEAST_PERCENT} to {MOST_PERCENT}. The tempo stays."
        )
    return tempo


def practice_map(piece: Piece, tempo: TempoChoice) -> PulseMap:
    """The time in which a piece is played at a tempo of one's own.

    In percent of its tempi with all their changes, or at one throughout. Raises BadInput.
    """
    checked_tempo(tempo)
    if isinstance(tempo, OneTempo):
        return steady_map(tempo.qpm, 0, 0)
    pulses = written_tempo_map(piece, fermatas=True)
    if tempo.percent == 100:
        return pulses
    return PulseMap(tuple(Pulse(p.tick, round(p.time_us * 100 / tempo.percent)) for p in pulses.pulses))


@dataclass(frozen=True, slots=True)
class Click:
    """One click, ``time_us`` from the first one."""

    time_us: int
    rank: Rank


@dataclass(frozen=True, slots=True)
class ClickPlan:
    """``pulses`` count from the first bar line (tick 0 = ``start``, the tick of the piece where the first bar that
    is written begins, or would begin if it is a pick-up); time 0 is the first click. ``lead`` are the bars of the
    count-in, ``first`` the bar after them; ``going``: the bars from there on are gone round.
    """

    piece: Piece
    start: int
    first: int
    lead: tuple[Bar, ...]
    real: bool  # are the bars of the count-in those of the piece?
    pulses: PulseMap
    going: Round | None = None

    @property
    def lead_us(self) -> int:
        """Length of the count-in, up to the first place that is written."""
        return self.time_of(self.piece.timeline.bar(self.first).start)

    def time_of(self, tick: int) -> int:
        """When a tick of the piece falls, in microseconds from the first click."""
        return self.pulses.time_at(tick - self.start)

    def bars(self, since: int, count: int) -> Iterator[Bar]:
        """``count`` bars from the bar ``since`` (0: the first of the count-in)."""
        for k in range(since, since + count):
            if k < len(self.lead):
                yield self.lead[k]
            elif self.going is not None:
                yield self.going.bar(self.piece.timeline, k - len(self.lead))
            else:
                yield self.piece.timeline.bar(self.first + k - len(self.lead))

    def later(self, bar: Bar) -> int:
        """By how many ticks a bar comes later than it stands on the page: in the rounds after the first."""
        return bar.start - self.piece.timeline.bar(bar.index).start if self.going is not None and bar.index >= 0 else 0

    def clicks(self, since: int, count: int, halves: bool | None = None) -> list[Click]:
        """The clicks of ``count`` bars from the bar ``since``; ``halves`` None: in compound meters only."""
        return [Click(self.time_of(t), rank) for bar in self.bars(since, count) for t, rank in click_ranks(bar, halves)]

    def end_us(self, since: int, count: int) -> int:
        """When the last of these bars ends."""
        *_, last = self.bars(since, count)
        return self.time_of(last.end)

    def heard(self, since: int, count: int, leave_out: Silence) -> list[Sounding]:
        """What is written in these bars, as it sounds; times from the first click.

        Notes that began before the plan does are not heard.
        """
        bars = [b for b in self.bars(since, count) if b.index >= 0 and (self.real or b.start >= self.start)]
        out: list[Sounding] = []
        for later, mine in itertools.groupby(bars, self.later):
            out += self._heard_in(list(mine), later, leave_out)
        return sorted(out, key=lambda s: (s.onset_us, s.key))

    def _heard_in(self, bars: list[Bar], later: int, leave_out: Silence) -> Iterator[Sounding]:
        """What is written in bars of one round, whose ticks run so much ``later`` than those of the page."""
        struck = []
        first, end = bars[0].start - later, bars[-1].end - later
        shape = Shape(self.piece, self.pulses.moved(self.start - later))
        for part in self.piece.ordered_parts():
            for note in self.piece.notes_between(part.id, first, end):
                if note.tick >= first and not leave_out.covers(part.id, note.staff, note.tick):
                    struck += shape.sounds(note)
        for s in one_by_one(struck):
            on = max(self.time_of(s.on + later), 0)
            yield Sounding(on, max(self.time_of(s.off + later) - on, 1), s.key, s.velocity, s.part, s.note)


@dataclass(frozen=True, slots=True)
class Silence:
    """What is not heard during a recording.

    ``all`` of the page, the bars before it, the other staves, and the staff (0: all staves of the part) that it
    replaces in [start, end).
    """

    part: str = ""
    staff: int = 0
    start: int = 0
    end: int = 0
    before: bool = False
    others: bool = False

    def covers(self, part: str, staff: int, tick: int) -> bool:
        """Is a note of this place left out?"""
        own = part == self.part and self.staff in (0, staff)
        if tick < self.start:
            return self.before
        return tick < self.end if own else self.others


def click_plan(
    piece: Piece, bar: int, tempo: TempoChoice, count_in: int, *, before: bool = True, round_to: int | None = None
) -> ClickPlan:
    """The plan of a recording that starts to write at bar index ``bar`` after ``count_in`` bars.

    ``before``: they are those of the piece, where it has them; ``round_to``: the last of the bars that are gone
    round. Raises BadInput for a place, a length or a tempo out of reach.
    """
    if not (0 <= bar <= MAX_BAR - MOST_COUNT_IN and 0 <= count_in <= MOST_COUNT_IN):
        raise BadInput("That is no place to record from.")
    checked_tempo(tempo)
    timeline = piece.timeline
    first = timeline.bar(bar)
    real = before and bar >= count_in > 0 and not (bar == count_in and timeline.pickup)
    lead = tuple(timeline.bar(k) for k in range(bar - count_in, bar)) if real else virtual_bars(first, count_in)
    start = first.start - first.missing
    begin = lead[0].start if lead else first.start
    pulses = tempo_pulses(piece, tempo, begin, first.start, start, real)
    going = None if round_to is None else round_of(timeline, bar, round_to)
    return ClickPlan(piece, start, bar, lead, real, pulses if going is None else going.pulses(pulses), going)


def virtual_bars(first: Bar, count_in: int) -> tuple[Bar, ...]:
    """Bars like the first one in front of it; what a pick-up lacks is counted, too."""
    ticks, full = first.meter.bar_ticks, first.start - first.missing
    bars = [Bar(-1 - k, full - (k + 1) * ticks, ticks, first.meter) for k in range(count_in)][::-1]
    if first.missing and bars:
        bars.append(LeadBar(-1, full, first.missing, first.meter))
    return tuple(bars)


DELAY_QPM, DELAY_COUNT_IN, DELAY_BARS = 100, 1, 5


def delay_clicks() -> tuple[list[Click], int]:
    """The click of the delay test, in quarters, and how many of its clicks are counted in."""
    bars = [Bar(k, k * 4 * QUARTER, 4 * QUARTER, Meter(4, 4)) for k in range(DELAY_COUNT_IN + DELAY_BARS)]
    pulses = steady_map(DELAY_QPM, 0, 0)
    clicks = [Click(pulses.time_at(tick), rank) for bar in bars for tick, rank in click_ranks(bar)]
    return clicks, 4 * DELAY_COUNT_IN


class LeadBar(Bar):
    """The front of a bar that a pick-up does not fill: it is counted, not written."""

    __slots__ = ()

    def beats(self) -> list[int]:
        """See Bar."""
        return [t for t in (self.start + at for at in self.meter.beat_starts) if t < self.end]


def tempo_pulses(piece: Piece, tempo: TempoChoice, begin: int, written: int, zero: int, real: bool) -> PulseMap:
    """Pulses from ``begin`` (time 0) on; ticks count from ``zero``.

    Before ``written`` the tempo is that of ``written``, unless these bars are those of the piece.
    """
    steps = paces(piece)
    share = Fraction(tempo.percent).limit_denominator(10_000) / 100 if isinstance(tempo, AsWritten) else Fraction(1)

    def pace(tick: int) -> Fraction:
        if isinstance(tempo, OneTempo):
            return Fraction(tempo.qpm).limit_denominator(10_000)
        return Fraction(pace_at(steps, tick)).limit_denominator(10_000) * share

    at = begin if real else written
    edges = sorted({s.tick for s in steps if s.tick > at}) if isinstance(tempo, AsWritten) else []
    far = max([begin, *edges]) + FAR
    pulses, tick, time_us, now = [Pulse(begin - zero, 0)], begin, Fraction(0), pace(at)
    for edge in (*edges, far):
        time_us += Fraction(edge - tick, QUARTER) * US_PER_MINUTE / now
        pulses.append(Pulse(edge - zero, round(time_us)))
        tick, now = edge, pace(edge)
    return PulseMap(tuple(pulses))


def playback_clicks(piece: Piece, places: Sequence[tuple[int, int]]) -> tuple[Click, ...]:
    """The click along with a playback: ``places`` are its beats as (microseconds, tick).

    What lies between two of them is shared out evenly.
    """
    out: list[Click] = []
    for k, (us, tick) in enumerate(places):
        bar = piece.timeline.bar_at(tick)
        following = next((t for t in (*bar.beats(), bar.end) if t > tick), bar.end)
        until = places[k + 1][0] if k + 1 < len(places) else us
        inside = [(t, rank) for t, rank in click_ranks(bar) if tick <= t < following]
        out += [
            Click(us + (until - us) * (t - tick) // max(following - tick, 1), rank)
            for t, rank in inside
            if t == tick or until > us
        ]
    return tuple(out)


def click_ranks(bar: Bar, subdivide: bool | None = None) -> list[tuple[int, Rank]]:
    """(tick, rank) of the clicks in a bar; ``subdivide`` None means in compound meters only."""
    meter = bar.meter
    out: list[tuple[int, Rank]] = []
    for tick in bar.beats():
        level = bar.meter.level_at(bar.offset_of(tick))
        out.append((tick, "bar" if level == 0 else "strong" if level == MIDDLE and not meter.irregular else "beat"))
    if meter.compound if subdivide is None else subdivide:
        step = meter.unit_ticks if meter.compound or meter.irregular else meter.beat_ticks // 2
        taken = {t for t, _ in out}
        tick = bar.start
        while tick < bar.end:
            if tick not in taken and bar.level_at(tick) > BEAT:
                out.append((tick, "half"))
            tick += step
    return sorted(out)
