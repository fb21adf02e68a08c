"""Which notes have a habit of their own in time: those of the left hand, those of the right, and the tune on top of it.

notes -> 0 (left hand), 1 (right hand, under the tune), 2 (tune) for each

Pianists bring the tune some 20 to 30 ms out before what goes with it (Goebl 2001, from memory), and few strike with
both hands quite at once. A tune that goes alone between two beats is then always early and its chords on the beats
are not, so that a dotted figure looks like an even one.

Conventions: seconds.
"""

from __future__ import annotations

import numpy as np

from ductus.core.reading.hands.features import hand_logits
from ductus.core.reading.quantization.subdivisions import Floats, Ints

HABITS = 3
TOGETHER_S = 0.035  # a rough idea of chords will do here: onsets that follow each other so soon
PSEUDO_COUNT, MOST_LAG_S = 10, 0.04  # notes without a habit that stand against those of one


def habits_of(onset: Floats, release: Floats, key: Ints) -> tuple[Ints, tuple[float, ...]]:
    """The habit of each note (onsets rising), and how late the notes of each come beside others that are struck with
    them.
    """
    chord = np.cumsum(np.append(False, np.diff(onset) > TOGETHER_S))
    order = np.lexsort((key, chord))
    right = hand_logits(onset, release, key) > 0
    top = np.append(np.diff(chord) > 0, True)
    habit = np.where(right, 1, 0)
    habit[order[top & right[order]]] = 2
    return habit, lags_within(onset, habit, chord)


def lags_within(onset: Floats, habit: Ints, chord: Ints) -> tuple[float, ...]:
    """How late the notes of each habit come beside the left hand (seconds), from chords that hold several.

    What lies under the tune is compared with the tune.
    """
    count = np.zeros((int(chord[-1]) + 1, HABITS))
    total = np.zeros_like(count)
    np.add.at(count, (chord, habit), 1)
    np.add.at(total, (chord, habit), onset)
    with np.errstate(invalid="ignore", divide="ignore"):
        mean = total / count  # NaN where a chord has no note of the habit
    tune = usual(mean[:, 2] - mean[:, 0])
    return 0.0, tune + usual(mean[:, 1] - mean[:, 2]), tune


def middle(values: Floats) -> float:
    """The median of at least one value. (NumPy's own brings masked arrays along, a thirtieth of the time of a short
    take.)
    """
    ordered = np.sort(values)
    return float(ordered[(len(ordered) - 1) // 2] + ordered[len(ordered) // 2]) / 2


def usual(late: Floats) -> float:
    """The median of those there are, drawn to 0 where they are few."""
    late = late[np.isfinite(late)]
    found = middle(late) * len(late) / (len(late) + PSEUDO_COUNT) if len(late) else 0.0
    return min(max(found, -MOST_LAG_S), MOST_LAG_S)
