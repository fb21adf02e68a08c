"""Which notes have a habit of their own in time: those of the left hand, those of the right, and the tune on top of it.

    notes -> 0 (left hand), 1 (right hand, under the tune), 2 (tune) for each

Pianists bring the tune some 20 to 30 ms out before what goes with it (Goebl 2001, from memory), and few strike with both hands quite at once. A tune
that goes alone between two beats is then always early and its chords on the beats are not, so that a dotted figure looks like an even one.

Conventions: seconds.
"""

from __future__ import annotations

import numpy as np

from ductus.core.reading.divisions import Floats, Ints
from ductus.core.reading.hands import hands_by_reach

HABITS = 3
TOGETHER_S = 0.035  # a rough idea of chords will do here: onsets that follow each other so soon


def habits_of(onset: Floats, release: Floats, key: Ints) -> Ints:
    """The habit of each note (onsets rising)."""
    chord = np.cumsum(np.append(False, np.diff(onset) > TOGETHER_S))
    order = np.lexsort((key, chord))
    hand, _ = hands_by_reach(np.maximum.accumulate(onset[order]), release[order], key[order], chord[order])
    top = np.append(np.diff(chord) > 0, True)
    habit = np.empty(len(onset), np.int64)
    habit[order] = np.where(hand == 1, np.where(top, 2, 1), 0)
    return habit
