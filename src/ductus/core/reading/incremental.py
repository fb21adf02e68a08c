"""Reading again only what a moved beat touches: the notes near it are read anew, all others stay as they were read.

What lies farther than a bar from a moved beat reads the same, since beats, bars and player are the same there.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from dataclasses import replace

from ductus.core.capture.takes import Take
from ductus.core.reading.decoding import decode
from ductus.core.reading.model import Decisions, ReadingResult
from ductus.core.reading.review.options import (
    ChosenReading,
    ReadingOptions,
    beats_chosen,
    joined_readings,
    moved_by,
    part_of,
    share_of,
)
from ductus.core.time.pulse_map import PulseMap

MOST_SHARE = 0.4  # of the take: where more is touched all of it is read
LEAST_NOTES = 400  # a shorter take is read as a whole


def read_nearby(
    take: Take, found: PulseMap, before: ChosenReading, old: ReadingOptions, wanted: ReadingOptions, *, centred: bool
) -> ChosenReading | None:
    """The reading with only beats moved by hand between ``old`` and ``wanted``.

    None where more is different, or much of it is touched.
    """
    if len(take.notes) < LEAST_NOTES or not only_beats_differ(old, wanted):
        return None
    settings = replace(wanted.settings, meter=before.open.meter, key=before.open.key, swing=share_of(before.open))
    pulses = beats_chosen(found, settings.bars, wanted)
    stretch = touched(before.open.pulses, pulses)
    if stretch is None:
        return None
    first_tick, last_tick = stretch
    low = settings.bars.bar_at(settings.bars.bar_at(first_tick)[0] - 1)[0]
    high = settings.bars.bar_at(settings.bars.bar_at(last_tick)[1])[1]
    onsets = [n.onset_us for n in take.notes]
    a, b = bisect_left(onsets, pulses.time_at(low)), bisect_right(onsets, pulses.time_at(high))
    if not 0 < b - a <= MOST_SHARE * len(onsets):
        return None
    pins = part_of(replace(wanted.pins, ornaments=before.open.signs), a, b)
    part = replace(take, notes=take.notes[a:b])
    decoded = decode(part, pulses, settings, centred=centred, ornaments=pins.ornaments)
    open_part = decoded.written(Decisions(left_out=pins.left_out, ornaments=pins.ornaments))
    result_part = decoded.written(pins)
    near = frozenset(
        k for k in range(a, b) if pulses.time_at(first_tick) - 60_000 <= onsets[k] <= pulses.time_at(last_tick) + 60_000
    )
    return ChosenReading(
        joined(before.open, open_part, near, a, pulses, wanted.settings.voices),
        joined(before.result, result_part, near, a, pulses, wanted.settings.voices),
    )


def only_beats_differ(old: ReadingOptions, wanted: ReadingOptions) -> bool:
    """Are beats set by hand all that is different?

    What was decided of places and values must not be lost by it either.
    """
    free = Decisions(dict(old.pins.hands), left_out=old.pins.left_out, ornaments=old.pins.ornaments)
    return (
        not old.passages
        and old.pins == free == replace(wanted.pins)
        and replace(old, bars={}, answered=frozenset()) == replace(wanted, bars={}, answered=frozenset())
    )


def touched(old: PulseMap, new: PulseMap) -> tuple[int, int] | None:
    """The first and the last tick at which two maps differ; None if they do nowhere, or still do at the end."""
    ticks = sorted({p.tick for m in (old, new) for p in m.pulses})
    apart = [t for t in ticks if old.time_at(t) != new.time_at(t)]
    if not apart or apart[-1] == ticks[-1] or apart[0] == ticks[0]:
        return None
    return ticks[max(ticks.index(apart[0]) - 1, 0)], ticks[ticks.index(apart[-1]) + 1]


def joined(
    old: ReadingResult, part: ReadingResult, near: frozenset[int], by: int, pulses: PulseMap, voices: int | None
) -> ReadingResult:
    """``old`` with the notes of ``near`` as the part has them."""
    fresh = moved_by(part, by)
    notes = joined_readings(old, fresh, near, voices)
    doubts = [d for d in old.doubts if not near & set(d.events)]
    doubts += [d for d in fresh.doubts if set(d.events) <= near]
    return replace(notes, pulses=pulses, doubts=tuple(sorted(doubts, key=lambda d: d.tick)))
