"""Words of the tempo from a take, only when asked for: rit., accel., a tempo, a fermata where the player stood still.

The time of each beat is compared with that of the beats around it. A beat that lasts much longer than its neighbours,
which do not, is a pause; a run of beats that slows down (or speeds up) by a fifth and more is a rit. (an accel.), and
what goes on in the old tempo behind it is "a tempo". The shares are ours; small fluctuation stays unwritten, as is
common practice.
"""

from __future__ import annotations

from collections.abc import Sequence
from statistics import median

from ductus.core.reading.page.derived_marks import TakeMark
from ductus.core.score.model.records import Note
from ductus.core.time.bars import Timeline
from ductus.core.time.pulse_map import PulseMap

STOOD = 1.6  # times its neighbours' length, from which on a beat is a pause
ALMOST = 1.35  # neighbours of a pause are no longer than this
CHANGED, MUCH = 1.2, 1.4  # a run that ends so much slower than before it is a poco rit., a rit.
RETURNED = 1.12  # a beat so much quicker than the one before it is back in tempo
BEGUN = 1.045  # the first beat of a run is so much slower, or faster, than what was usual
ARRIVED = 3  # beats in which a run may stay where it has arrived
UNEVEN = 1.03  # a beat may be so much against its run
AROUND = 4  # beats on each side that say what is usual
LEAST_SLOWING, LEAST_HURRYING, LONGEST = 2, 3, 400  # beats of a run, with what it comes from


def tempo_words_of(timeline: Timeline, pulses: PulseMap, notes: Sequence[Note], start: int) -> list[TakeMark]:
    """Words of the tempo and fermatas that a take gives; ``start`` is the tick of the piece at tick 0 of the pulses."""
    if not notes:
        return []
    onsets = sorted({n.tick for n in notes})
    bars = range(timeline.bar_at(onsets[0]).index, timeline.bar_at(onsets[-1]).index + 1)
    beats = [t for i in bars for t in timeline.bar(i).beats() if onsets[0] <= t <= onsets[-1]]
    times = [pulses.time_at(t - start) for t in beats]
    lengths = [(b - a) / (d - c) for a, b, c, d in zip(times, times[1:], beats, beats[1:], strict=False)]
    out: list[TakeMark] = []
    for k in _pauses(lengths):
        held = max((t for t in onsets if t < beats[k + 1]), default=onsets[0])
        out.append(TakeMark("fermata", held))
        lengths[k] = _usual(lengths, k)
    for first, last, slower in _runs(lengths):
        much = max(lengths[last] / _before(lengths, first), _before(lengths, first) / lengths[last])
        word = ("" if much >= MUCH else "poco ") + ("rit." if slower else "accel.")
        out.append(TakeMark("tempo-word", beats[first], beats[last + 1] - beats[first], word))
        if last + 1 < len(lengths) and _back(lengths, last, slower):
            out.append(TakeMark("tempo-word", beats[last + 1], text="a tempo"))
    return sorted(out, key=lambda m: (m.tick, m.kind))


def _usual(lengths: Sequence[float], k: int) -> float:
    """The length of beats around one, without it."""
    return median([*lengths[max(k - AROUND, 0) : k], *lengths[k + 1 : k + 1 + AROUND]] or [lengths[k]])


def _before(lengths: Sequence[float], first: int) -> float:
    """The length of the beats before a run."""
    return median(lengths[max(first - AROUND, 0) : first] or [lengths[first]])


def _pauses(lengths: Sequence[float]) -> list[int]:
    """Beats that last much longer than those around them; the last beat is none."""
    out = []
    for k in range(len(lengths) - 1):
        usual = _usual(lengths, k)
        beside = max([*lengths[max(k - 1, 0) : k], *lengths[k + 1 : k + 2]], default=usual)
        if lengths[k] >= STOOD * usual and beside <= ALMOST * usual:
            out.append(k)
    return out


def _runs(lengths: Sequence[float]) -> list[tuple[int, int, bool]]:
    """(first beat, last beat, slower) of each run in which the tempo goes steadily down, or up, by enough."""
    out: list[tuple[int, int, bool]] = []
    done = -1  # the last beat of the run before
    for last in range(len(lengths)):
        for slower in (True, False):
            if last + 1 < len(lengths) and not (_back(lengths, last, slower) or _turns(lengths, last, slower)):
                continue
            first = last
            while first - 1 > done and last - first < LONGEST and _along(lengths, first, slower):
                first -= 1
            usual = _before(lengths, first)
            while first < last and (lengths[first] / usual if slower else usual / lengths[first]) < BEGUN:
                first += 1  # as long as those before: the change has not begun
            end = _arrived(lengths, first, last)
            share = lengths[end] / _before(lengths, first)
            share = share if slower else 1 / share
            least = LEAST_SLOWING if slower else LEAST_HURRYING
            if share >= CHANGED and end - first + 1 >= least:
                out.append((first, end, slower))
                done = last
                break
    return out


def _along(lengths: Sequence[float], k: int, slower: bool) -> bool:
    """Does the beat before lie in the same run?"""
    a, b = (lengths[k - 1], lengths[k]) if slower else (lengths[k], lengths[k - 1])
    return a <= b * UNEVEN


def _arrived(lengths: Sequence[float], first: int, last: int) -> int:
    """The last beat of a run in which the tempo still moves; a few even beats at its end belong to it."""
    end = last
    while end > first and abs(lengths[end - 1] / lengths[last] - 1) < UNEVEN - 1:
        end -= 1
    return last if last - end <= ARRIVED else end


def _back(lengths: Sequence[float], last: int, slower: bool) -> bool:
    """Is the beat behind it in the old tempo again?"""
    share = lengths[last] / lengths[last + 1]
    return share >= RETURNED if slower else 1 / share >= RETURNED


def _turns(lengths: Sequence[float], last: int, slower: bool) -> bool:
    """Does the run stop there: is the next beat not further along?"""
    return not _along(lengths, last + 1, slower)
