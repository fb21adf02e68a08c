"""How a beat may be divided, and the table of how often scores do so.

Conventions: a *division* is a set of places (slots) inside one beat, as fractions of the beat. Beats are of two
families: simple (a quarter, or another plain value) and compound (a dotted value). Division 0 of a family is
the empty beat, in which nothing begins. The tables hold natural logarithms of smoothed relative
frequencies, counted on open scores by ``tools/fit_rhythm.py`` (provenance in the table file).

After Raphael 2002 and Temperley 2009 (from memory): rhythm as a Markov chain over metrical places, here with the
division of the beat as a hidden class, so that a triplet is a property of a beat and not of a note.
"""

from __future__ import annotations

import json
import math
from dataclasses import dataclass
from fractions import Fraction as F
from functools import lru_cache
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from ductus.core.time.note_values import BASE_TICKS
from ductus.core.time.ticks import QUARTER

SIMPLE, COMPOUND = 0, 1
Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


def equal(n: int) -> tuple[F, ...]:
    """The places of a beat in ``n`` equal parts."""
    return tuple(F(k, n) for k in range(n))


@dataclass(frozen=True, slots=True)
class Division:
    """Family, slots as fractions of the beat, its finest step in beats, whether it needs a tuplet sign, and a price
    (in nats) on top of the counted frequency for divisions that scores hold too rarely to count."""

    family: int
    slots: tuple[F, ...]
    step: F
    tuplet: bool = False
    price: float = 0.0


DIVISIONS: tuple[Division, ...] = (
    Division(SIMPLE, (), F(1)),
    Division(SIMPLE, equal(1), F(1)),
    Division(SIMPLE, equal(2), F(1, 2)),
    Division(SIMPLE, equal(4), F(1, 4)),
    Division(SIMPLE, equal(8), F(1, 8)),
    Division(SIMPLE, equal(3), F(1, 3), True),
    Division(SIMPLE, equal(6), F(1, 6), True),
    Division(SIMPLE, (F(0), F(1, 3), F(1, 2), F(2, 3)), F(1, 3), True),
    Division(SIMPLE, (F(0), F(1, 4), F(1, 3), F(1, 2), F(2, 3), F(3, 4)), F(1, 4), True),
    Division(SIMPLE, equal(5), F(1, 5), True, 5.0),
    Division(SIMPLE, equal(7), F(1, 7), True, 6.0),
    Division(SIMPLE, equal(16), F(1, 16), False, 5.0),
    Division(COMPOUND, (), F(1)),
    Division(COMPOUND, equal(1), F(1)),
    Division(COMPOUND, equal(3), F(1, 3)),
    Division(COMPOUND, equal(6), F(1, 6)),
    Division(COMPOUND, equal(12), F(1, 12)),
    Division(COMPOUND, equal(2), F(1, 2), True),
    Division(COMPOUND, equal(4), F(1, 4), True, 3.0),
)
EMPTY = (0, 12)  # index of the empty division of each family
MOST_SLOTS = max(len(d.slots) for d in DIVISIONS)
COUNT = len(DIVISIONS)
NEVER = -1e9
FALLBACK_SMOOTHING = 0.3


def smallest_division(family: int, places: frozenset[F]) -> int | None:
    """The division with the fewest slots that holds all places of a beat, None if there is none.

    >>> DIVISIONS[smallest_division(SIMPLE, frozenset({F(0), F(1, 2)}))].step
    Fraction(1, 2)
    """
    if not places:
        return EMPTY[family]
    fitting = [k for k, d in enumerate(DIVISIONS) if d.family == family and places <= set(d.slots)]
    return min(fitting, key=lambda k: (len(DIVISIONS[k].slots), k), default=None)


@dataclass(frozen=True, slots=True, eq=False)
class RhythmTable:
    """Logarithms: ``turn[g, h]`` division h follows division g.

    ``first[g, s]`` slot s is the first of its beat; ``step[g, s, t]`` slot t follows slot s in the beat, ``step[g,
    s, MOST_SLOTS]`` nothing more does; ``slot_at[g, s]`` in beats, ``slots[g]`` their number, ``family[g]``;
    ``alone[g]`` how common a division is in its family.
    """

    turn: Floats
    first: Floats
    step: Floats
    alone: Floats
    slot_at: Floats
    slots: Ints
    family: Ints


def tabulate(turn: Floats, first: Floats, step: Floats) -> RhythmTable:
    """Counts to logarithms, smoothed (0.15 for turns, 0.3 for slots)."""
    family = np.array([d.family for d in DIVISIONS], np.int64)
    slots = np.array([len(d.slots) for d in DIVISIONS], np.int64)
    slot_at = np.zeros((COUNT, MOST_SLOTS))
    log_turn = np.full((COUNT, COUNT), NEVER)
    log_first = np.full((COUNT, MOST_SLOTS), NEVER)
    log_step = np.full((COUNT, MOST_SLOTS, MOST_SLOTS + 1), NEVER)
    alone = np.full(COUNT, NEVER)
    price = np.array([d.price for d in DIVISIONS])
    for fam in (SIMPLE, COMPOUND):
        mine = np.flatnonzero(family == fam)
        total = turn[:, mine].sum(0) + 0.15
        alone[mine] = np.log(total / total.sum()) - price[mine]
    for g, division in enumerate(DIVISIONS):
        n = len(division.slots)
        slot_at[g, :n] = [float(x) for x in division.slots]
        mine = np.flatnonzero(family == division.family)
        row = turn[g, mine] + 0.15
        log_turn[g] = alone
        log_turn[g, mine] = np.log(row / row.sum()) - price[mine]
        if n:
            head = first[g, :n] + FALLBACK_SMOOTHING
            log_first[g, :n] = np.log(head / head.sum())
        for s in range(n):
            ways = np.zeros(MOST_SLOTS + 1)
            ways[s + 1 : n] = step[g, s, s + 1 : n] + FALLBACK_SMOOTHING
            ways[-1] = step[g, s, -1] + FALLBACK_SMOOTHING
            log_step[g, s] = np.log(np.maximum(ways / ways.sum(), 1e-300))
            log_step[g, s, ways == 0] = NEVER
    return RhythmTable(log_turn, log_first, log_step, alone, slot_at, slots, family)


@lru_cache(maxsize=1)
def rhythm_counts() -> tuple[Floats, Floats, Floats]:
    """The shipped counts: turns between divisions, first slots, steps between slots."""
    data = json.loads(resources.files("ductus.core.reading.tables").joinpath("rhythm.json").read_text("utf-8"))
    turn, first = np.zeros((COUNT, COUNT)), np.zeros((COUNT, MOST_SLOTS))
    step = np.zeros((COUNT, MOST_SLOTS, MOST_SLOTS + 1))
    for g, h, count in data["turns"]:
        turn[g, h] = count
    for g, s, count in data["firsts"]:
        first[g, s] = count
    for g, s, t, count in data["steps"]:
        step[g, s, t] = count
    return turn, first, step


@lru_cache(maxsize=1)
def rhythm_table() -> RhythmTable:
    """The table that the counts give."""
    return tabulate(*rhythm_counts())


def tuplet_kind(division: Division) -> int:
    """How many notes make the tuplet of a division, sextuplets counting as triplets."""
    n = round(1 / division.step)
    return 3 if any(s.denominator % 3 == 0 for s in division.slots) and division.family == SIMPLE else n


def allowed_divisions(
    beat_ticks: int,
    family: int,
    shortest: str | None,
    tuplets: bool | None,
    kinds: tuple[int, ...] | None = None,
    tuplet_shortest: str | None = None,
) -> list[int]:
    """Divisions that the settings leave: none finer than ``shortest`` (a tuplet counts as the value it is written
    in, and may have a shortest value of its own), no tuplets where they are refused, or only some ``kinds`` of
    them; fives, sevens and sixteenths of a beat only where asked for.
    """
    out = []
    for g, d in enumerate(DIVISIONS):
        if d.family != family:
            continue
        if d.slots and d.tuplet and tuplets is False:
            continue
        written = beat_ticks * d.step
        if d.tuplet:  # the written value of a tuplet note is the next longer plain one
            written = F(beat_ticks) * F(1, 2 ** int(math.log2(1 / d.step))) if d.step < 1 else written
        finest = (tuplet_shortest or shortest) if d.tuplet else shortest
        if len(d.slots) > 1 and finest is not None and written < BASE_TICKS[finest]:
            continue
        if d.tuplet and kinds is not None and tuplet_kind(d) not in kinds:
            continue
        rare = d.price >= 5.0
        if rare and d.tuplet and tuplets is not True and not kinds:
            continue
        if rare and not d.tuplet and (shortest is None or BASE_TICKS[shortest] > QUARTER // 16):
            continue
        out.append(g)
    return out
