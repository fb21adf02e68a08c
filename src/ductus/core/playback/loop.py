"""Going round: a few bars again and again, as long as it lasts.

Ticks run on; each round is the same bars, one length later.

A take that was played round and round is cut into one take for each round: the same bars played several times.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from ductus.core.capture.takes import PEDAL_DOWN, SUSTAIN, PlayedControl, Take
from ductus.core.errors import BadInput
from ductus.core.time.bars import Bar, Timeline
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import Pulse, PulseMap
from ductus.core.time.ticks import QUARTER

MOST_ROUNDS = 500
EARLY = QUARTER // 8  # a key struck so little before the first beat of a round belongs to it


@dataclass(frozen=True, slots=True)
class Round:
    """The bars ``first`` to ``last`` (indices) of a time line, gone round; ``start`` and ``length`` in ticks."""

    first: int
    last: int
    start: int
    length: int

    @property
    def bars(self) -> int:
        """How many they are."""
        return self.last - self.first + 1

    def bar(self, timeline: Timeline, k: int) -> Bar:
        """The bar ``k`` after the first one, round after round; its ticks run on."""
        rounds, inside = divmod(k, self.bars)
        bar = timeline.bar(self.first + inside)
        return replace(bar, start=bar.start + rounds * self.length)

    def folded(self, tick: int) -> int:
        """The tick of the page that a running one falls on."""
        return tick if tick < self.start else self.start + (tick - self.start) % self.length

    def of(self, ticks: float) -> int:
        """Which round a place is in, counted from ``start`` (-1: before the first)."""
        return int((ticks + EARLY) // self.length)

    def pulses(self, once: PulseMap) -> PulseMap:
        """A map of beats whose stretch [0, length) comes again in each round (ticks counted from ``start``)."""
        begin, end = once.time_at(0), once.time_at(self.length)
        inside = [Pulse(0, begin), *(p for p in once.pulses if 0 < p.tick < self.length)]
        out = [p for p in once.pulses if p.tick < 0]
        for k in range(MOST_ROUNDS):
            out += [Pulse(p.tick + k * self.length, p.time_us + k * (end - begin)) for p in inside]
        out.append(Pulse(MOST_ROUNDS * self.length, begin + MOST_ROUNDS * (end - begin)))
        return PulseMap(tuple(out))

    def meters(self, once: tuple[tuple[int, Meter], ...], rounds: int = MOST_ROUNDS) -> tuple[tuple[int, Meter], ...]:
        """The meters of so many rounds, from those of the bars (tick counted from ``start``, meter)."""
        inside = [(max(tick, 0), meter) for tick, meter in once if tick < self.length]
        if len(inside) == 1:
            return tuple(inside)
        return tuple((tick + k * self.length, meter) for k in range(rounds) for tick, meter in inside)


def round_of(timeline: Timeline, first: int, last: int) -> Round:
    """The round over bars (indices, both included). Raises BadInput for one that begins with a pick-up."""
    begin, end = timeline.bar(first), timeline.bar(max(first, last))
    if begin.missing:
        raise BadInput(
            "A pick-up is not gone round, nor the rest of a bar that is cut: begin with the bar behind it. Nothing was "
            "begun."
        )
    return Round(begin.index, end.index, begin.start, end.end - begin.start)


def takes_of_rounds(take: Take, going: Round) -> Iterator[tuple[int, Take]]:
    """(number from 0, take) of each round in which a key was struck.

    Each with the times of the first one, so that they lie over each other. The take must know its beats; a pedal
    that is down at the seam goes on.
    """
    assert take.pulses is not None
    pulses = take.pulses
    rounds: dict[int, list[int]] = {}
    for n, note in enumerate(take.notes):
        rounds.setdefault(max(going.of(pulses.tick_at(note.onset_us)), 0), []).append(n)
    zero = pulses.time_at(0)
    for k, mine in sorted(rounds.items()):
        begin, end = pulses.time_at(k * going.length), pulses.time_at((k + 1) * going.length)
        back = begin - zero
        notes = tuple(
            replace(n, onset_us=max(n.onset_us - back, 0), release_us=max(n.release_us - back, 1))
            for n in (take.notes[i] for i in mine)
        )
        yield k, Take(notes, _controls(take, begin if k else 0, end, back), pulses.moved(-k * going.length, -back))


def _controls(take: Take, begin: int, end: int, back: int) -> tuple[PlayedControl, ...]:
    """The controllers of a stretch of time."""
    before = [c for c in take.controls if c.time_us < begin and c.controller == SUSTAIN]
    held = [PlayedControl(begin, SUSTAIN, before[-1].value)] if before and before[-1].value >= PEDAL_DOWN else []
    mine = [*held, *(c for c in take.controls if begin <= c.time_us < end)]
    return tuple(replace(c, time_us=max(c.time_us - back, 0)) for c in mine)
