"""Beats set by a person: pins (a written place falls at a time) and taps (hints, with the tapper's own lag and spread).

tempo of a stretch = beats x 60 / seconds

Between two pins the beats that were found keep their shape and are stretched to fit. A pin that only corrects its
place bends the two bars beside it; one that says another place (more than SAME of a beat away) numbers everything
behind it anew, up to the next pin.
"""

from __future__ import annotations

import itertools
import statistics
from collections.abc import Iterable, Mapping, Sequence
from fractions import Fraction

from ductus.core.errors import BadInput
from ductus.core.time.bars import BarLines
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import Pulse, PulseMap, tempo_of

SAME = 0.4  # of a beat: a pin nearer than this to where its place was found corrects it
RATIOS = (
    Fraction(1, 4),
    Fraction(1, 3),
    Fraction(1, 2),
    Fraction(2, 3),
    Fraction(3, 2),
    Fraction(2),
    Fraction(3),
    Fraction(4),
)
NEAR_RATIO = 0.12  # a stretch that holds so nearly twice (half ...) the beats says that those behind it do, too
MOST_PULL = 0.15  # of a beat: a tapped beat is drawn to no chord that is farther
SLOWEST, FASTEST = 10.0, 400.0  # beats a minute of a stretch between pins


def pinned_map(pulses: PulseMap, bars: BarLines, pins: Mapping[int, int]) -> PulseMap:
    """The beats with every pin (tick -> microseconds) in its place.

    Raises BadInput for pins in the wrong order, or a tempo out of reach.
    """
    if not pins:
        return pulses
    anchors = anchors_of(pulses, bars, pins)
    for (a, us_a, _), (b, us_b, _) in itertools.pairwise(anchors):
        if us_b <= us_a:
            raise BadInput(
                "Bar lines follow each other in time: that one would pass its neighbour. It stays where it was."
            )
        beats = (b - a) / bars.beat_at(a)[1]
        tempo = tempo_of(1, (us_b - us_a) / 1e6 / beats)
        if not SLOWEST <= tempo <= FASTEST:
            raise BadInput(
                f"That would be {tempo:.0f} beats a minute; {SLOWEST:.0f} to {FASTEST:.0f} can be written. Nothing was "
                "changed."
            )
    return PulseMap(tuple(moved_pulses(pulses, bars, anchors, pins)))


def anchors_of(pulses: PulseMap, bars: BarLines, pins: Mapping[int, int]) -> list[tuple[int, int, float]]:
    """(tick, microseconds, tick where it was found) of all places that hold.

    The pins, and the bar lines beside those that only correct.
    """
    out = {t: (t, us, pulses.tick_at(us)) for t, us in pins.items()}
    ticks = sorted(pins)
    for k, tick in enumerate(ticks):
        found = out[tick][2]
        if abs(found - tick) > SAME * bars.beat_at(tick)[1]:
            continue
        before = bars.bar_at(tick - 1)[0]
        after = bars.bar_at(tick)[1]
        if k == 0:
            out.setdefault(before, (before, pulses.time_at(before), float(before)))
        if k == len(ticks) - 1:
            out.setdefault(after, (after, pulses.time_at(after), float(after)))
        elif after < ticks[k + 1] and abs(out[ticks[k + 1]][2] - ticks[k + 1]) <= SAME * bars.beat_at(ticks[k + 1])[1]:
            for edge in (after, bars.bar_at(ticks[k + 1] - 1)[0]):
                out.setdefault(edge, (edge, pulses.time_at(edge), float(edge)))
    return [out[t] for t in sorted(out)]


def moved_pulses(
    pulses: PulseMap, bars: BarLines, anchors: Sequence[tuple[int, int, float]], pins: Mapping[int, int]
) -> Iterable[Pulse]:
    """All beats of the map in their new places, in order."""
    first, last = anchors[0], anchors[-1]
    rates = [(fb - fa) / (b - a) for (a, _, fa), (b, _, fb) in itertools.pairwise(anchors)]
    head, tail = (snapped(rates[0]), snapped(rates[-1])) if rates else (1.0, 1.0)

    def found_at(tick: int) -> float:
        """The found tick that becomes ``tick``, between two anchors."""
        k = next(i for i, a in enumerate(anchors) if a[0] > tick) - 1
        return anchors[k][2] + (tick - anchors[k][0]) * rates[k]

    times = {t: us for t, us, _ in anchors}
    for begin, after, meter in bars.between(first[0], max(last[0], first[0] + 1)):
        for tick in (*(begin + at for at in meter.beat_starts), after):
            if first[0] < tick < last[0]:
                times.setdefault(tick, round(time_of(pulses, found_at(tick))))
    for p in pulses.pulses:  # outside, the beats are those that were found, counted from the nearest anchor
        if p.tick < first[2] - 1:
            times.setdefault(round(first[0] - (first[2] - p.tick) / head), p.time_us)
        elif p.tick > last[2] + 1:
            times.setdefault(round(last[0] + (p.tick - last[2]) / tail), p.time_us)
    times.update(pins)
    before = None
    for tick in sorted(times):
        us = times[tick]
        if before is not None and us <= before:
            us = before + 1
        before = us
        yield Pulse(tick, us, tick in pins)


def time_of(pulses: PulseMap, tick: float) -> float:
    """Performed time of a place that need not be a whole tick, in microseconds."""
    whole = int(tick)
    a, b = pulses.time_at(whole), pulses.time_at(whole + 1)
    return a + (tick - whole) * (b - a) if b > a else a + (tick - whole) * pulses.us_per_quarter_at(whole) / 23_063_040


def snapped(rate: float) -> float:
    """How the beats behind the last pin go on.

    As they were found, unless the stretch said that there are twice (half ...) as many.
    """
    near = min(RATIOS, key=lambda r: abs(rate / float(r) - 1))
    return float(near) if abs(rate / float(near) - 1) < NEAR_RATIO else 1.0


def with_bar_line(bars: BarLines, tick: int, to: int) -> BarLines:
    """Bars whose bar line at ``tick`` lies at ``to`` instead.

    The bar before it takes the meter that it then has, and those behind keep theirs. Raises BadInput where no bar
    would be left, or its length has no meter.
    """
    start, _, meter = bars.bar_at(tick - 1)
    count = Fraction(to - start, meter.unit_ticks)
    if count < 1 or count.denominator > 1:
        raise BadInput("The bar before it would be shorter than a beat. The bar line stays where it was.")
    following = bars.bar_at(tick)[2]
    changes = [(t, m) for t, m in bars.changes if t < start]
    changes += [(start, Meter(int(count), meter.unit)), (to, following)]
    changes += [(t + to - tick, m) for t, m in bars.changes if t > tick]
    first = bars.meter
    if start == 0:
        first = changes.pop(0)[1]
    now, kept = first, []
    for at, m in changes:
        if m != now:
            kept.append((at, m))
        now = m
    return BarLines(first, tuple(kept))


def tapped_map(taps: Sequence[int], meter: Meter, onsets: Sequence[int] = ()) -> PulseMap:
    """Beats near the taps of a person (microseconds.

    The first is the first beat of a bar): each tap is a hint, since people tap early and unevenly. Their common lag
    against the chords of the take is taken out, and a beat with a chord near it is drawn to the chord. Raises
    BadInput for fewer than two.
    """
    times = sorted(set(taps))
    if len(times) < 2:
        raise BadInput("One tap gives no tempo: tap at least two beats. The page is as it was.")
    period = statistics.median(b - a for a, b in itertools.pairwise(times))
    near: list[int | None] = [nearest(onsets, t, 0.25 * period) for t in times]
    off = [t - o for t, o in zip(times, near, strict=True) if o is not None]
    lag = statistics.median(off) if len(off) >= 3 else 0.0
    spread = statistics.median(abs(d - lag) for d in off) * 1.4826 if len(off) >= 3 else 0.0
    beats = []
    for k, tap in enumerate(times):
        at = tap - lag
        chord = nearest(onsets, at, min(max(3 * spread, 30_000.0), MOST_PULL * period))
        smooth = at
        if 0 < k < len(times) - 1:  # a tapper's unevenness is jitter: neighbours say where the beat was meant
            smooth = (at + (times[k - 1] + times[k + 1]) / 2 - lag) / 2
        beats.append(round(chord if chord is not None else smooth))
    pulses: list[Pulse] = []
    for k, us in enumerate(beats):
        us = max(us, pulses[-1].time_us + 1000) if pulses else us
        pulses.append(Pulse(k * meter.beat_ticks, us))
    return PulseMap(tuple(pulses))


def nearest(onsets: Sequence[int], at: float, within: float) -> int | None:
    """The onset nearest to a time, if it is within reach."""
    best = min(onsets, key=lambda o: abs(o - at), default=None)
    return best if best is not None and abs(best - at) <= within else None
