"""Tune and bass of free playing, each as one line, before anything is known of its bars.

chords + notes -> which chords bring a note of the tune, which one of the bass, and until when all sounds

A chord's highest note belongs to the tune where nothing higher still sounds and it does not lie deep among its
neighbours; its lowest one to the bass, likewise.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ductus.core.reading.beat_tracking.onset_clusters import local
from ductus.core.reading.quantization.subdivisions import Floats, Ints

AROUND = 12  # chords on each side among which a chord lies high or low
MARGIN = 2  # semitones by which the tune may go below the middle of its neighbours, and the bass above it
LOOKED_BACK = 24  # notes before a chord that may still sound
OVERLAP_S = 0.08  # by which a note must sound on into a chord to cover it


@dataclass(frozen=True, slots=True)
class Lines:
    """``high``, ``low``: outer keys of the chords.

    ``tune``, ``bass``: which chords bring a note of them; ``end``, ``high_end``: when the last note of each chord
    and its highest one are let go (s).
    """

    high: Ints
    low: Ints
    tune: NDArray[np.bool_]
    bass: NDArray[np.bool_]
    end: Floats
    high_end: Floats


def lines_of(time: Floats, first: Ints, key: Ints, release: Floats) -> Lines:
    """The lines of a take; ``time`` (s) and ``first`` are those of its chords, ``key`` and ``release`` (s) those of
    its notes.
    """
    starts = first[:-1]
    high, low = np.maximum.reduceat(key, starts), np.minimum.reduceat(key, starts)
    tune, bass = uncovered(time, starts, key, release, high, low)
    middle = (local(high, np.mean, AROUND) + local(low, np.mean, AROUND)) / 2
    top = np.array([a + int(np.argmax(key[a:b])) for a, b in zip(starts, first[1:], strict=True)])
    tune, bass = tune & (high >= middle - MARGIN), bass & (low <= middle + MARGIN)
    return Lines(high, low, tune, bass, np.maximum.reduceat(release, starts), release[top])


def uncovered(
    time: Floats, starts: Ints, key: Ints, release: Floats, high: Ints, low: Ints
) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Chords above which nothing sounds on, and those below which nothing does."""
    above, below = np.ones(len(time), bool), np.ones(len(time), bool)
    for q, start in enumerate(starts.tolist()):
        back = slice(max(start - LOOKED_BACK, 0), start)
        sounding = key[back][release[back] > time[q] + OVERLAP_S]
        if len(sounding):
            above[q] = sounding.max() <= high[q]
            below[q] = sounding.min() >= low[q]
    return above, below
