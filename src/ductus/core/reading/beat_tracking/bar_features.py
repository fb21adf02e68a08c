"""What tells labellings of free playing apart, measured over the whole take.

notes -> evidence of the take (chords, bass, pitch classes) ; track under a frame -> features

How weight, loudness, length, harmony and bass lie on the bars, how many beats are struck, how much is syncopated,
how alike neighbouring bars are, where the first and the last chord stand, on which parts of the bar notes and long
notes fall, how beats are divided, and how long a beat is for its kind of bar.

Conventions: places are in beats of the labelling's frame, bar lines at multiples of its beats; a slot is half of a
simple beat or a third of a compound one.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from ductus.core.reading.beat_tracking.beam_search import MEDIAN_PERIOD_S, TEMPO_SD, Track
from ductus.core.reading.beat_tracking.onset_clusters import Chords
from ductus.core.reading.beat_tracking.outer_voices import Lines, lines_of
from ductus.core.reading.quantization.subdivisions import COMPOUND, SIMPLE, Floats, Ints

BITS: Ints = np.array([k.bit_count() for k in range(1 << 12)])  # how many pitch classes a set of them has
NEAR = 0.07  # beats by which a chord may lie off a place
SLOT_NEAR = 0.1  # slots by which a chord may lie off one
LONGEST_S, LEAST_S = (
    1.0,
    0.05,
)  # a note counts for its harmony by its length, up to the first, and by the second in any case
MEASURED = (
    "salience", "tempo", "meter", "finer", "off beat", "beats struck", "bars struck", "loud", "long", "gap after",
    "bass", "new bass", "fresh", "syncopated",
    "repeats", "repeats pitch", "first", "identity", "beam", "half bar", "middle", "alternates", "wanders",
    "like the bar before", "like two bars before", "like four bars before", "like half a bar before",
    "a bar and no other lag", "bars alike", "many pitches",
    "bass on bar lines", "bar lines with bass", "bass gap in beats", "bass gap in bars", "starts at", "ends at",
    "out of pace",
)  # fmt: skip
PACES_S = (60 / 160, 60 / 50)  # of a felt beat, from presto to largo (common practice)
# Kinds of bars whose slots and paces are weighed: (beats, family).
BARS = ((4, SIMPLE), (3, SIMPLE), (2, SIMPLE), (2, COMPOUND), (1, COMPOUND), (3, COMPOUND), (4, COMPOUND))
SLOTS = {SIMPLE: 2, COMPOUND: 3}  # to a beat
FIRST_SLOT = {bar: sum(b * SLOTS[f] for b, f in BARS[:k]) for k, bar in enumerate(BARS)}
ALL_SLOTS = sum(b * SLOTS[f] for b, f in BARS)
DIVISIONS = 6  # how many finer divisions of beats are told apart


@dataclass(frozen=True, slots=True)
class Evidence:
    """A take as far as its bars go.

    ``weight``: salience of the chords by level; ``classes``: their pitch classes, one bit for each; ``harmony``: how
    long each pitch class sounds of each chord, shape (chords, 12); ``bass``: which chords have the lowest notes
    around; ``lines``: its tune and its bass as lines.
    """

    chords: Chords
    weight: Floats
    classes: Ints
    harmony: Floats
    bass: NDArray[np.bool_]
    lines: Lines


def evidence_of(chords: Chords, weight: Floats, key: Ints, length: Floats) -> Evidence:
    """The evidence of a take; ``key`` and ``length`` (seconds) are those of its notes."""
    starts = chords.first[:-1]
    owner = np.repeat(np.arange(len(starts)), np.diff(chords.first))
    harmony = np.zeros((len(starts), 12))
    np.add.at(harmony, (owner, key % 12), np.minimum(length, LONGEST_S) + LEAST_S)
    classes = np.bitwise_or.reduceat(1 << (key % 12), starts)
    lines = lines_of(chords.time, chords.first, key, chords.time[owner] + length)
    return Evidence(chords, weight, classes, harmony, chords.features[:, 10] > 0, lines)


def levels_of(track: Track) -> Ints:
    """Metrical level (see ``chords``) of each chord on a track."""
    place, frame = track.place, track.frame
    nearest = np.round(place)
    on = np.abs(place - nearest) < NEAR
    beat = nearest.astype(np.int64) % frame.beats
    out = np.full(len(place), 4, np.int64)
    parts = (1 / 3, 2 / 3) if frame.family == COMPOUND else (1 / 2,)
    inside = place % 1.0
    for part in parts:
        out[np.abs(inside - part) < NEAR] = 3
    out[on] = 2
    out[on & (beat == 0)] = 0
    if frame.beats > 2 and frame.beats % 2 == 0:
        out[on & (beat == frame.beats // 2)] = 1
    return out


@dataclass(frozen=True, slots=True)
class Judged:
    """What the search says of a labelling.

    The share of its meter (``prior``, ln), whether it is the beam's own (``own``), and how far its track is behind
    the best of the beam (``behind``, nats, not above 0).
    """

    prior: float
    own: bool
    behind: float


def measured(track: Track, judged: Judged, take: Evidence) -> Floats:
    """A labelling in the order of MEASURED."""
    level = levels_of(track)
    down = level == 0
    return np.array(
        [
            *weight_and_rhythm(track, judged.prior, level, take),
            *repetition(track, take.classes),
            float(level[0] == 0),
            float(judged.own),
            judged.behind / 20 if judged.own else -1.0,
            lean(take.chords.features[:, 6], down) if track.frame.beats == 1 else 0.0,
            *halves(track, take.weight[:, 0], down),
            wandering(track.place, take.chords.time),
            *likeness(track, take.harmony),
            *bass_line(track, take.bass, down),
            float(track.place[0] / track.frame.beats % 1),
            float(track.place[-1] / track.frame.beats % 1),
            out_of_pace(math.log(beat_s(track, take.chords.time))),
        ]
    )


def lean(values: Floats, down: NDArray[np.bool_]) -> float:
    """By how much more it lies on bar lines than elsewhere."""
    return float(values[down].mean() - values[~down].mean()) if down.any() and not down.all() else -0.5


def beat_s(track: Track, time: Floats) -> float:
    """Seconds of a beat, over the whole take."""
    return float(time[-1] - time[0]) / max(float(track.place[-1] - track.place[0]), 1e-6)


def usual_pace(ln_s: float, family: int) -> float:
    """How usual a beat of so long (ln of its seconds) is, as ln of a bell curve."""
    return -0.5 * ((ln_s - math.log(MEDIAN_PERIOD_S[family])) / TEMPO_SD) ** 2


def out_of_pace(ln_s: float) -> float:
    """By how much (ln) a beat is slower than those of a largo or faster than those of a presto."""
    return max(ln_s - math.log(PACES_S[1]), math.log(PACES_S[0]) - ln_s, 0.0)


def weight_and_rhythm(track: Track, prior: float, level: Ints, take: Evidence) -> list[float]:
    """How weight, loudness, length, bass and harmony lie on the bars.

    How many beats are struck, how much lies between them or is held over one.
    """
    place, f = track.place, take.chords.features
    down, beat = level == 0, level <= 2
    beats = max(math.floor(place[-1]) - math.ceil(place[0]) + 1, 1)
    bars = max(beats / track.frame.beats, 1.0)
    step = np.diff(place, append=place[-1] + 1)
    held_over = (level >= 3) & (step > np.ceil(place + NEAR) - place + NEAR)
    return [
        float(take.weight[np.arange(len(level)), level].mean()),
        usual_pace(math.log(beat_s(track, take.chords.time)), track.frame.family),
        prior,
        float((level == 4).mean()),
        float((level >= 3).mean()),
        min(len(np.unique(np.round(place[beat]).astype(np.int64))) / beats, 1.0),
        min(len(np.unique(np.round(place[down]).astype(np.int64))) / bars, 1.2),
        *(lean(f[:, k], down) for k in (1, 5, 8, 10, 11, 13)),
        float(held_over.mean()),
    ]


def halves(track: Track, heavy: Floats, down: NDArray[np.bool_]) -> tuple[float, float]:
    """By how much bar lines weigh more than the middle of the bar (0 where it has none on a beat), and by how much
    every other bar line weighs more than those between: a bar that is too long has a heavy middle, in one that is
    too short every other bar line is light. ``heavy``: how each chord speaks for a bar line.
    """
    beats = track.frame.beats
    nearest = np.round(track.place).astype(np.int64)
    on = np.abs(track.place - nearest) < NEAR
    middle = on & (nearest % beats == beats // 2) if beats % 2 == 0 else np.zeros(len(on), bool)
    inside = float(heavy[down].mean() - heavy[middle].mean()) if down.any() and middle.any() else 0.0
    odd = (nearest // beats) % 2 == 1
    even_bars, odd_bars = down & ~odd, down & odd
    across = abs(float(heavy[even_bars].mean() - heavy[odd_bars].mean())) if even_bars.any() and odd_bars.any() else 0.0
    return inside, across


def wandering(place: Floats, time: Floats) -> float:
    """How far the tempo goes from its middle.

    Deviation of ln of the beat's length over stretches of some eight beats.
    """
    span = float(place[-1] - place[0])
    edges = np.linspace(place[0], place[-1], max(int(span / 8), 2) + 1)
    steps = np.diff(np.interp(edges, place, time))
    return float(np.log(np.maximum(steps, 1e-3)).std())


def repetition(track: Track, classes: Ints) -> tuple[float, float]:
    """How alike neighbouring bars are in their rhythm, and in the pitch classes at the same places (shares, 0 to 1).

    ``classes`` has one bit for each pitch class of a chord.
    """
    bar, inside = np.divmod(track.place + 1e-6, track.frame.beats)
    bar = bar.astype(np.int64) - int(bar[0])
    struck = np.zeros((int(bar.max()) + 1, 12 * track.frame.beats + 1), np.int64)
    struck[bar, np.round(inside * 12).astype(np.int64)] = classes
    here, after = struck[:-1], struck[1:]
    both, either = (here > 0) & (after > 0), (here > 0) | (after > 0)
    filled = (here > 0).any(1) & (after > 0).any(1)
    if not filled.any():
        return 0.0, 0.0
    alike = BITS[here & after] / np.maximum(BITS[here | after], 1)
    pitch = np.where(both, alike, 0.0).sum(1) / np.maximum(both.sum(1), 1)
    rhythm = both.sum(1) / np.maximum(either.sum(1), 1)
    return float(rhythm[filled].mean()), float(pitch[filled].mean())


def likeness(track: Track, harmony: Floats) -> list[float]:
    """How alike in their pitch classes the slots are that lie one, two and four bars and half a bar apart (mean
    cosines); by how much more those of one bar than those of a slot more or less; how alike whole bars are; how
    many pitch classes a bar has (entropy, nats).
    """
    beats, place = track.frame.beats, track.place
    slots = beats * SLOTS[track.frame.family]
    first = math.floor(place[0] / beats)
    bars = max(math.ceil((place[-1] + 1e-6) / beats) - first, 1)
    at = np.floor((place - first * beats + 1e-3) / beats * slots).astype(np.int64)
    laid = np.zeros((bars * slots, 12))
    np.add.at(laid, np.clip(at, 0, len(laid) - 1), harmony)
    size = np.sqrt((laid * laid).sum(1))

    def alike(lag: int) -> float:
        if lag <= 0 or len(laid) <= lag + 1:
            return 0.0
        filled = (size[:-lag] > 0) | (size[lag:] > 0)
        cosine = (laid[:-lag] * laid[lag:]).sum(1) / (size[:-lag] * size[lag:] + 1e-9)
        return float(cosine[filled].mean()) if filled.any() else 0.0

    bar = laid.reshape(bars, slots, 12).sum(1)
    even = bar / (np.sqrt((bar * bar).sum(1, keepdims=True)) + 1e-9)
    share = bar / (bar.sum(1, keepdims=True) + 1e-9)
    one = alike(slots)
    return [
        one,
        alike(2 * slots),
        alike(4 * slots),
        alike(slots // 2) if slots % 2 == 0 else 0.0,
        one - 0.5 * (alike(slots - 1) + alike(slots + 1)),
        float((even[:-1] * even[1:]).sum(1).mean()) if bars > 1 else 0.0,
        float(-(share * np.log(share + 1e-9)).sum(1).mean()),
    ]


def bass_line(track: Track, bass: NDArray[np.bool_], down: NDArray[np.bool_]) -> list[float]:
    """How many basses stand on bar lines, how many bar lines have a bass, and the usual gap from bass to bass (ln of
    beats and of bars; 0 where there are few).
    """
    place, beats = track.place, track.frame.beats
    bars = bars_of(track)
    gaps = np.diff(place[bass])
    gap = float(np.median(gaps)) if len(gaps) > 1 else 0.0
    return [
        float(down[bass].mean()) if bass.any() else 0.0,
        min(len(np.unique(np.round(place[down & bass]))) / bars, 1.3),
        math.log(max(gap, 0.05)) if gap else 0.0,
        math.log(max(gap / beats, 0.02)) if gap else 0.0,
    ]


def slots_at(track: Track, place: Floats) -> tuple[slice, Ints, NDArray[np.bool_]] | None:
    """Which of ALL_SLOTS those of the track's bars are.

    In which of them places stand, and which places stand in one at all. None for a bar that the fit never saw.
    """
    bar = (track.frame.beats, track.frame.family)
    if bar not in FIRST_SLOT:
        return None
    slots = bar[0] * SLOTS[bar[1]]
    inside = place % bar[0] * SLOTS[bar[1]]
    slot = np.round(inside)
    at = slot.astype(np.int64) % slots
    return slice(FIRST_SLOT[bar], FIRST_SLOT[bar] + slots), at, np.abs(inside - slot) < SLOT_NEAR


def bars_of(track: Track) -> float:
    """How many bars lie between the first chord and the last, at least one."""
    return max(float(track.place[-1] - track.place[0]) / track.frame.beats, 1.0)


def struck(track: Track, place: Floats) -> Floats:
    """How often each slot is struck at these places, for each bar, apart for each kind of bar (all others 0).

    Shape ALL_SLOTS.
    """
    out = np.zeros(ALL_SLOTS)
    found = slots_at(track, place)
    if found is not None:
        here, at, on = found
        out[here] = np.bincount(at[on], minlength=here.stop - here.start) / bars_of(track)
    return out


def on_slots(track: Track, length: Floats) -> Floats:
    """What falls on which part of the bar, apart for each kind of bar (all others 0).

    How much longer than the middle of the take the chords are that stand in each slot, summed over the slot, for
    each chord of the take (``length`` as among the chords' features); then how often each slot is struck, for each
    bar. Shape 2 ALL_SLOTS.
    """
    long = np.zeros(ALL_SLOTS)
    found = slots_at(track, track.place)
    if found is not None:
        here, at, on = found
        long[here] = np.bincount(at[on], (length - length.mean())[on], here.stop - here.start) / len(length)
    return np.concatenate([long, struck(track, track.place)])


def divided(track: Track) -> Floats:
    """Shares of the chords that stand where a beat is divided more finely than by its slots, three for simple beats,
    three for compound ones (those of the other family 0). Simple: on its second and fourth quarter, on its
    thirds, on its outer eighths. Compound: on none of its sixths, on its half, on its outer sixths. Shape
    DIVISIONS.
    """
    inside = track.place % 1.0
    near = partial(near_any, inside)
    if track.frame.family == COMPOUND:
        sixths = inside * 6
        off = np.abs(sixths - np.round(sixths)) > 0.06
        return np.array([0.0, 0.0, 0.0, off.mean(), near((1 / 2,), 0.07), near((1 / 6, 5 / 6), 0.05)])
    return np.array([near((1 / 4, 3 / 4), 0.07), near((1 / 3, 2 / 3), 0.05), near((1 / 8, 7 / 8), 0.05), 0.0, 0.0, 0.0])


def near_any(inside: Floats, parts: tuple[float, ...], within: float) -> float:
    """The share of places in the beat that lie so near one of the parts."""
    return float((np.abs(inside[:, None] - np.array(parts)).min(1) < within).mean())


def pace_of_kind(track: Track, time: Floats) -> Floats:
    """ln of the seconds of a beat, and its square, apart for each kind of bar (all others 0). Shape 2 len(BARS)."""
    out = np.zeros((2, len(BARS)))
    bar = (track.frame.beats, track.frame.family)
    if bar in BARS:
        ln_s = math.log(beat_s(track, time))
        out[:, BARS.index(bar)] = ln_s, ln_s * ln_s
    return out.ravel()
