"""What a hand did in like places: notes at the same distance from their bar line, with the same way to the next
onset of their hand.

One note that was let go early says little of its value; ten of them in ten bars say a rest. (Music repeats its
rhythms: common practice.)

Conventions: written time in the units of ``values``; groups are numbered, one for each note.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ductus.core.reading.quantization.subdivisions import Floats, Ints


@dataclass(frozen=True, slots=True)
class Alike:
    """For each note: its group, the way to the next onset of its hand (0.

    Nothing follows), the mean of ln(sounded share of that way) of the others of its group (NaN: there are none), and
    how many they are.
    """

    group: Ints
    way: Ints
    share: Floats
    others: Ints


class Onsets:
    """The onsets (tick) of each group (a hand, a key), in order of group and tick, and which of them each note
    stands on.
    """

    def __init__(self, group: Ints, tick: Ints, last: int) -> None:
        """``last``: no tick that is asked for lies behind it."""
        self.base = int(tick.min(initial=0))
        self.span = last - self.base + 1
        self.code, self.first, self.at = np.unique(self.encoded(group, tick), return_index=True, return_inverse=True)
        self.group = self.code // self.span
        self.tick = self.code - self.group * self.span + self.base

    def encoded(self, group: Ints, tick: Ints) -> Ints:
        """One number for a group and a tick, in their order."""
        return group * self.span + (tick - self.base)

    def after(self, group: Ints, steps: int) -> tuple[Ints, NDArray[np.bool_]]:
        """The onset ``steps`` after that of each note, and whether there is one in its group."""
        place = self.at + steps
        inside = place < len(self.code)
        place = np.minimum(place, len(self.code) - 1)
        return place, inside & (self.group[place] == group)


def alike(tick: Sequence[int], played: Sequence[float], hand: Sequence[int], bar_end: Sequence[int]) -> Alike:
    """Group the notes, which are sorted by tick."""
    at, side, end = (np.array(x, dtype=np.int64) for x in (tick, hand, bar_end))
    if not len(at):
        none = np.zeros(0, dtype=np.int64)
        return Alike(none, none, np.zeros(0), none)
    places = Onsets(side, at, int(at.max()))
    next_place, follows = places.after(side, 1)
    way = np.where(follows, places.tick[next_place] - at, 0)
    sounded = np.log(np.maximum(played, 1) / np.maximum(way, 1))
    sort = (side * (int((end - at).max()) + 1) + (end - at)) * (int(way.max()) + 1) + way
    _, group = np.unique(sort, return_inverse=True)
    count = np.bincount(group)
    total = np.bincount(group, weights=sounded)
    others = np.where(follows, count[group] - 1, 0)
    with np.errstate(invalid="ignore", divide="ignore"):
        share = np.where(others > 0, (total[group] - sounded) / others, np.nan)
    return Alike(group, way, share, others)
