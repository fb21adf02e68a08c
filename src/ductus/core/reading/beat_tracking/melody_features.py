"""What tune, bass and moving harmony say of a labelling of free playing, measured over the whole take.

lines of the take, its harmony, a track under a frame -> features

Where bar lines are right few notes are held over them, the tune is seldom syncopated, harmonies move with the bars,
and tune and bass come back whole bars later.

Conventions: as in ``bar_features``; shares are 0 to 1, all lags are in beats of the frame.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from ductus.core.reading.beat_tracking.bar_features import NEAR, Evidence, lean, levels_of
from ductus.core.reading.beat_tracking.beam_search import Track
from ductus.core.reading.quantization.subdivisions import COMPOUND, Floats, Ints

ON_BARS = (
    "tune held over bar lines", "tune held over middles", "sounds over stronger places", "tune over stronger places",
    "tune long", "harmony moves",
    "harmony moves at bar lines", "harmony moves at middles", "harmony moves by two beats",
)  # fmt: skip
RETURNS = (
    "tune after a bar", "tune after four bars", "tune after half a bar", "bass after half a bar",
    "bass after a bar and no other lag",
)  # fmt: skip
# Beats by which a note may come before its place, and by which it must sound on beyond one to be held over it.
EARLY, OVER = 0.08, 0.2
# By how much it counts when a note of each level (see ``chords``) sounds over a stronger place (after Longuet-Higgins &
# Lee 1984, from memory; weights by trial).
COUNTS: Floats = np.array([0.0, 1.0, 1.0, 0.7, 0.4])
BEYOND = 0.1  # beats
FURTHEST = 1e9  # beats
FEW = 8  # notes of a line; in fewer nothing comes back
GRID = 12  # parts of a beat by which notes that come back are found


def lines_on_bars(track: Track, take: Evidence) -> Floats:
    """A labelling in the order of ON_BARS."""
    level = levels_of(track)
    lines, beats = take.lines, track.frame.beats
    tune, time = lines.tune, take.chords.time
    melody, tune_ends = track.place[tune], places_at(track, time, lines.high_end)[tune]
    return np.array(
        [
            held_over(melody, tune_ends, float(beats)),
            held_over(melody, tune_ends, beats / 2),
            over_stronger(track, track.place, level, places_at(track, time, lines.end) - BEYOND),
            over_stronger(track, melody, level[tune], np.append(melody[1:], melody[-1:] + 0.5)),
            lean_of_gaps(melody, level[tune] == 0),
            *moves(track, take.harmony),
        ]
    )


def line_returns(track: Track, take: Evidence) -> Floats:
    """A labelling in the order of RETURNS: the same for all phases of a bar."""
    beats, lines = track.frame.beats, take.lines
    tune, bass = Line(track.place, lines.tune, lines.high), Line(track.place, lines.bass, lines.low)
    beside = (beats - 1, beats + 1) if beats > 1 else (1.5, 1.5)
    half = (tune.after(beats / 2), bass.after(beats / 2)) if beats % 2 == 0 else (0.0, 0.0)
    bar_alone = bass.after(beats) - sum(map(bass.after, beside)) / 2
    return np.array([tune.after(beats), tune.after(4 * beats), *half, bar_alone])


def places_at(track: Track, time: Floats, moments: Floats) -> Floats:
    """Where moments (s, not before the first chord) fall on a track, in beats.

    After the last chord at the tempo of the whole.
    """
    pace = (track.place[-1] - track.place[0]) / max(float(time[-1] - time[0]), 1e-6)
    inside = np.interp(moments, time, track.place)
    out: Floats = inside + np.maximum(moments - time[-1], 0.0) * pace
    return out


def held_over(place: Floats, end: Floats, step: float) -> float:
    """The share of notes that sound on beyond the next multiple of ``step`` beats."""
    if not len(place):
        return 0.0
    return float((np.floor((end - OVER) / step) > np.floor((place + EARLY) / step)).mean())


def over_stronger(track: Track, place: Floats, level: Ints, until: Floats) -> float:
    """How much is syncopated: the notes that go on beyond the next place of a stronger level than their own, by
    COUNTS, for each note.
    """
    if not len(place):
        return 0.0
    beats = track.frame.beats
    part = 1 / 3 if track.frame.family == COMPOUND else 1 / 2
    bar, beat, finer = (next_multiple(place, step) for step in (float(beats), 1.0, part))
    half = np.minimum(bar, next_multiple(place, beats / 2)) if beats > 2 and beats % 2 == 0 else bar
    stronger = np.choose(level, [np.full(len(place), FURTHEST), bar, half, beat, finer])
    return float((COUNTS[level] * (until > stronger + BEYOND)).mean())


def next_multiple(place: Floats, step: float) -> Floats:
    """The next multiple of ``step`` beats behind each place."""
    out: Floats = (np.floor((place + NEAR) / step) + 1) * step
    return out


def lean_of_gaps(place: Floats, down: NDArray[np.bool_]) -> float:
    """By how much longer (ln, within two of the mean) the notes of a line are on bar lines than elsewhere."""
    gap = np.log(np.maximum(np.append(place[1:], place[-1:] + 1) - place, 0.05))
    return lean(np.clip(gap - (gap.mean() if len(gap) else 0.0), -2, 2), down)


def moves(track: Track, harmony: Floats) -> tuple[float, float, float, float]:
    """How much harmony moves from beat to beat (1 - cosine of what sounds).

    By how much more at bar lines, and at middles of bars (0 where no beat is there), than at the other beats; and by
    how much more two beats differ from the two before at bar lines than anywhere. ``harmony``: what sounds of each
    chord, shape (chords, 12).
    """
    beats = track.frame.beats
    first = math.floor(track.place[0])
    at = np.maximum(np.floor(track.place + 0.05).astype(np.int64) - first, 0)
    laid = np.zeros((int(at.max()) + 1, 12))
    np.add.at(laid, at, harmony)
    moved, both = apart(laid[:-1], laid[1:])
    place = (np.arange(len(moved)) + first + 1) % beats
    whole = mean_of(moved, both, 0.0)
    bar = mean_of(moved, both & (place == 0), whole)
    others = mean_of(moved, both & (place != 0), whole)
    middle = mean_of(moved, both & (place == beats // 2), whole) if beats % 2 == 0 else others
    twice = 0.0
    if len(laid) > 6:
        pair = laid[:-1] + laid[1:]
        change, _ = apart(pair[:-2], pair[2:])
        on = (np.arange(len(change)) + first + 2) % beats == 0
        twice = float(change[on].mean() - change.mean()) if on.any() else 0.0
    return whole, bar - others, middle - others, twice


def apart(before: Floats, after: Floats) -> tuple[Floats, NDArray[np.bool_]]:
    """1 - cosine of each pair of rows, and where both sound."""
    size = np.sqrt((before * before).sum(1) * (after * after).sum(1))
    return 1 - (before * after).sum(1) / (size + 1e-9), size > 0


def mean_of(values: Floats, where: NDArray[np.bool_], otherwise: float) -> float:
    """The mean of some values, or what to say where there are none."""
    return float(values[where].mean()) if where.any() else otherwise


class Line:
    """One line on a track: the places of its notes on a fine grid, and their keys."""

    def __init__(self, place: Floats, line: NDArray[np.bool_], keys: Ints) -> None:
        self.at, kept = np.unique(np.round(place[line] * GRID).astype(np.int64), return_index=True)
        self.keys = keys[line][kept]

    def after(self, lag: float) -> float:
        """How much comes back ``lag`` beats later in the same rhythm and by the same steps (at any height).

        The share of the notes that have one at that lag, times the share of these that lie as far from it as the one
        before did (within a semitone).
        """
        at, steps = self.at, round(lag * GRID)
        if len(at) < FEW or steps <= 0:
            return 0.0
        later = np.minimum(np.searchsorted(at, at + steps), len(at) - 1)
        hit = at[later] == at + steps
        if hit.sum() < 3:
            return 0.0
        higher = self.keys[later][hit] - self.keys[hit]
        share = hit.sum() / max(int((at + steps <= at[-1]).sum()), 1)
        return float(share * (np.abs(np.diff(higher)) <= 1).mean())
