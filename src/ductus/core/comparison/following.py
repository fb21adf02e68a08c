"""Where on a page a player is: followed key by key, at any speed, from any bar, with wrong keys, repeats and stops.

page as chords + keys as they are struck -> the chord that each key belongs to

A hidden Markov model whose states are the chords of the page (after Nakamura et al. 2015, "Real-time audio-to-score
alignment of music performances containing errors and arbitrary repeats and skips", from memory): mostly the next
chord, sometimes the same one or one after the next, seldom anywhere else. How long it is since the last key tells
whether a chord is still being struck. Keys only, no tempo: so any speed will do.

Conventions: microseconds; MIDI keys; chords by their number on the page.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence, Set
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ductus.core.capture.takes import PlayedNote

Floats = NDArray[np.float64]
SAME_US = 60_000  # keys so near to each other are mostly of one chord
RIGHT_KEY, NEAR_KEY, OTHER_KEY = math.log(0.94), math.log(0.012), math.log(0.0006)
NEAR = (1, 2, 12)  # semitones by which a finger, or a hand, slips
TOGETHER: Floats = np.log([0.72, 0.26, 0.015, 0.005])  # same chord, next, one passed over, two: when no time has passed
APART: Floats = np.log([0.06, 0.9, 0.03, 0.01])  # and when some has
STEPS = len(APART)
ANYWHERE = math.log(1e-8)  # so that two slips near each other are no leap to a bar that is alike
JUMP = STEPS  # marks a move to anywhere
LEAST_RUN = 4  # keys: a shorter stretch between two jumps is noise
FAR = 6  # chords: passing over more is a jump


class Follower:
    """Follows one player on a page of chords (sets of MIDI keys).

    ``hear`` takes one key and says where the player is. ``lasting``: chords that are struck on and on (trills,
    tremolos), whose keys may come again; ``remembers``: ``way`` can be asked for.
    """

    def __init__(
        self, chords: Sequence[frozenset[int]], lasting: Set[int] = frozenset(), *, remembers: bool = True
    ) -> None:
        self.heard, self._remembers = 0, remembers
        count = len(chords)
        kinds = list(dict.fromkeys(chords))
        likely = np.full((len(kinds), 128), OTHER_KEY)
        for row, keys in zip(likely, kinds, strict=True):
            near = {k + s * d for k in keys for d in NEAR for s in (1, -1)}
            row[[k for k in near if 0 <= k < 128]] = NEAR_KEY
            row[list(keys)] = RIGHT_KEY
        place = {keys: k for k, keys in enumerate(kinds)}
        self._likely = likely[[place[keys] for keys in chords]]  # ln(chance) of each key at each chord
        self._score = np.zeros(count)
        self._again = np.zeros(count)  # what makes staying at a chord as likely as leaving it
        self._again[list(lasting)] = TOGETHER[0] - APART[0]
        self._last_us = -(2**60)
        self.came: list[NDArray[np.int8]] = []  # how each chord is best come to, key by key
        self.from_: list[int] = []  # the chord that a jump comes from

    def hear(self, key: int, onset_us: int) -> int:
        """The likeliest chord now that ``key`` was struck (times may not run backwards)."""
        score = self._score
        if self.heard:
            moves = TOGETHER if onset_us - self._last_us < SAME_US else APART
            ways = np.full((STEPS + 1, len(score)), -np.inf)
            for step in range(min(STEPS, len(score))):
                ways[step, step:] = score[: len(score) - step] + moves[step]
            ways[0] += self._again
            best = int(score.argmax())
            ways[JUMP] = score[best] + ANYWHERE
            came = ways.argmax(0).astype(np.int8)
            score = ways[came, np.arange(len(score))]
            if self._remembers:
                self.came.append(came)
                self.from_.append(best)
        score = score + self._likely[:, key]
        self._score = score - score.max()
        self._last_us = onset_us
        self.heard += 1
        return int(self._score.argmax())

    def way(self) -> list[int]:
        """The likeliest chord of every key heard, looking back over all of them."""
        if not self.heard:
            return []
        at = int(self._score.argmax())
        out = [at]
        for came, best in zip(reversed(self.came), reversed(self.from_), strict=True):
            step = int(came[at])
            at = best if step == JUMP else at - step
            out.append(at)
        return out[::-1]


@dataclass(frozen=True, slots=True)
class Run:
    """A stretch that was played without a jump: notes [first, last] of the take, chords [start, end] of the page."""

    first: int
    last: int
    start: int
    end: int


def runs(chords: Sequence[frozenset[int]], notes: Sequence[PlayedNote], lasting: Set[int] = frozenset()) -> list[Run]:
    """The stretches of a take (its notes by onset) that go through the page without a jump, in the order they were
    played.
    """
    if not chords or not notes:
        return []
    follower = Follower(chords, lasting)
    for note in notes:
        follower.hear(note.key, note.onset_us)
    way = follower.way()
    cuts = [k for k in range(1, len(way)) if not 0 <= way[k] - way[k - 1] <= FAR]
    parts = list(itertools.pairwise([0, *cuts, len(way)]))
    kept: list[tuple[int, int]] = []
    for a, b in parts:
        real = sum(notes[k].key in chords[way[k]] for k in range(a, b)) >= max(LEAST_RUN, (b - a) / 2)
        if real or (not kept and len(parts) == 1):
            kept.append((a, b))
    return [Run(a, b - 1, min(way[a:b]), max(way[a:b])) for a, b in kept]
