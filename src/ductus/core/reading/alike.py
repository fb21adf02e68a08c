"""What a hand did in like places: notes at the same distance from their bar line, with the same way to the next onset of their hand.

One note that was let go early says little of its value; ten of them in ten bars say a rest. (Music repeats its rhythms: common practice.)

Conventions: written time in the units of ``values``; groups are numbered, one for each note.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Alike:
    """For each note: its group, the way to the next onset of its hand (0: nothing follows), the mean of ln(sounded share of that way) of the others of its
    group (None: there are none), and how many they are."""

    group: list[int]
    way: list[int]
    share: list[float | None]
    others: list[int]

    def votes(self, lengths: Sequence[int]) -> list[Counter[int]]:
        """How often each length was chosen in each group."""
        out: list[Counter[int]] = [Counter() for _ in range(max(self.group, default=-1) + 1)]
        for group, length in zip(self.group, lengths, strict=True):
            out[group][length] += 1
        return out


def alike(tick: Sequence[int], played: Sequence[float], hand: Sequence[int], bar_end: Sequence[int]) -> Alike:
    """Group the notes, which are sorted by tick."""
    onsets: dict[int, list[int]] = {}
    for t, h in zip(tick, hand, strict=True):
        row = onsets.setdefault(h, [])
        if not row or row[-1] != t:
            row.append(t)
    number: dict[tuple[int, int, int], int] = {}
    group, way, own = [], [], []
    for t, sounded, h, end in zip(tick, played, hand, bar_end, strict=True):
        k = bisect_right(onsets[h], t)
        gap = onsets[h][k] - t if k < len(onsets[h]) else 0
        way.append(gap)
        own.append(math.log(max(sounded, 1) / gap) if gap else 0.0)
        group.append(number.setdefault((h, end - t, gap), len(number)))
    total, count = [0.0] * len(number), [0] * len(number)
    for g, value in zip(group, own, strict=True):
        total[g] += value
        count[g] += 1
    others = [count[g] - 1 if gap else 0 for g, gap in zip(group, way, strict=True)]
    share = [(total[g] - value) / more if more else None for g, value, more in zip(group, own, others, strict=True)]
    return Alike(group, way, share, others)
