"""How long each note is written: a choice among what could end it.

places + hands + releases -> length of each note in ticks, with the probability of the choice

The choice is a conditional logit over sparse features (``endings``), its weights fitted by ``tools/fit_values.py``;
a second pass knows how detached the hand plays around the note, what its chord-mates chose, and what was played and
chosen in like places (``alike``). Principle: Nakamura, Yoshii & Sagayama 2017, note value recognition (from memory);
the features are ours.

Conventions: written time is in ``UNIT``ths of a quarter inside this module, so that fitted tables and ticks agree.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import fields
from functools import lru_cache
from importlib import resources
from itertools import pairwise

import numpy as np

from ductus.core.reading.durations.offset_options import (
    FIRST_PASS,
    Company,
    Options,
    Situation,
    like_features,
    options_of,
)
from ductus.core.reading.durations.parallel_passages import alike
from ductus.core.reading.quantization.subdivisions import Floats, Ints

LONG_TAKE, STRETCH, OVERLAP = (
    6000,
    4000,
    96,
)  # notes: of a take worked out in stretches, of one, and what it sees of its neighbours
THOUGHTS = 3  # times that what neighbours seem to last is thought over
# A rest that was played: seconds of it at least; which share of a shorter value sounded; neighbours of the hand on each
# side, and how they sound in the middle.
LEAST_REST_S, HELD_WHOLE, APART = 0.4, (0.92, 1.06), 0.02
REST_NEIGHBOURS, LEAST_NEIGHBOURS, CONNECTED = 8, 4, 0.8
HELD_OVER = 0.4  # share of what would be tied over a bar line that has to have sounded


@lru_cache(maxsize=1)
def value_weights() -> tuple[Floats, Floats]:
    """Weights of the first and of the second pass, and behind each a nought for a feature that does not apply."""
    data = json.loads(resources.files("ductus.core.reading.tables").joinpath("values.json").read_text("utf-8"))
    second = np.array([*data["second"], 0.0])
    first = np.zeros(len(second))
    first[:FIRST_PASS] = data["first"]
    return first, second


def slice_of(s: Situation, first: int, last: int) -> Situation:
    """The notes first..last-1 of a situation."""
    return Situation(**{f.name: getattr(s, f.name)[first:last] for f in fields(Situation)})


def choose_values(
    s: Situation, shortest: Sequence[int] | None = None
) -> tuple[list[int], list[list[tuple[int, float]]]]:
    """The length of each note in UNITs, none of its own accord under ``shortest``, and for each note its choices
    (length, probability), likeliest first. A long take is worked out in stretches that see some notes of their
    neighbours, so that memory stays in proportion.
    """
    count = len(s.tick)
    if count <= LONG_TAKE:
        return choose_together(s, shortest)
    lengths: list[int] = []
    ranked: list[list[tuple[int, float]]] = []
    for first in range(0, count, STRETCH):
        last = min(first + STRETCH, count)
        a, b = max(first - OVERLAP, 0), min(last + OVERLAP, count)
        here, ways = choose_together(slice_of(s, a, b), shortest and shortest[a:b])
        lengths += here[first - a : last - a]
        ranked += ways[first - a : last - a]
    return lengths, ranked


def choose_together(s: Situation, shortest: Sequence[int] | None) -> tuple[list[int], list[list[tuple[int, float]]]]:
    """``choose_values`` for notes that are worked out at once."""
    if not len(s.tick):
        return [], []
    options, like = options_of(s, shortest), alike(s.tick, s.played, s.hand, s.bar_end)
    first, second = value_weights()
    chance = options.chances(first[options.features].sum(axis=1))
    plain = second[options.features].sum(axis=1) + second[like_features(options, like)].sum(axis=1)
    company = Company(s, options, like)
    for _ in range(THOUGHTS):
        chance = options.chances(plain + second[company.features(chance)].sum(axis=1))
    length = let_go_at_bar(s, options, options.length[options.best(chance)])
    lengths: list[int] = rests_meant(s, options, length).tolist()
    return lengths, [chosen_first(n, ways) for n, ways in zip(lengths, ranked_choices(options, chance), strict=True)]


def chosen_first(length: int, ways: list[tuple[int, float]]) -> list[tuple[int, float]]:
    """The lengths of a note with the one that is written in front; the probabilities stay in order."""
    lengths = [length, *(n for n, _ in ways if n != length)]
    return list(zip(lengths, (p for _, p in ways), strict=False))


def ranked_choices(options: Options, chance: Floats) -> list[list[tuple[int, float]]]:
    """The lengths of each note with their probabilities, likeliest first."""
    note = options.note
    order = np.lexsort((-chance, note))
    pairs = list(zip(options.length[order].tolist(), chance[order].tolist(), strict=True))
    edges = options.start.tolist()
    return [pairs[a:b] for a, b in pairwise(edges)]


def let_go_at_bar(s: Situation, options: Options, length: Ints) -> Ints:
    """No tie over a bar line for a note that was let go at it, or soon after: it ends there, if it can."""
    to_bar = np.array(s.bar_end, dtype=np.int64) - np.array(s.tick, dtype=np.int64)
    over = length - to_bar
    let_go = (over > 0) & (np.array(s.played, dtype=float) - to_bar < HELD_OVER * over)
    possible = np.logical_or.reduceat(options.length == to_bar[options.note], options.start[:-1])
    return np.where(let_go & possible, to_bar, length)


def rests_meant(s: Situation, options: Options, length: Ints) -> Ints:
    """A note of a hand that plays connected, held for all of a shorter value and followed by a silence that is long
    to the ear, ends with that value: the silence is a rest that was played. What it sounded of its length must be
    far less than its neighbours of the hand sound of theirs.
    """
    played, tick = np.array(s.played, dtype=float), np.array(s.tick, dtype=np.int64)
    onset, release = np.array(s.onset_s, dtype=float), np.array(s.release_s, dtype=float)
    second = np.maximum(release - onset, 1e-3) / np.maximum(played, 1.0)  # of a UNIT
    silent = (length - played) * second
    out = length.copy()
    share = played / length
    hand = np.array(s.hand, dtype=np.int64)
    for side in np.unique(hand):
        mine = np.flatnonzero(hand == side)
        for k in np.flatnonzero(silent[mine] >= LEAST_REST_S):
            n = mine[k]
            around = np.concatenate((mine[max(k - REST_NEIGHBOURS, 0) : k], mine[k + 1 : k + 1 + REST_NEIGHBOURS]))
            around = around[tick[around] != tick[n]]
            if len(around) < LEAST_NEIGHBOURS:
                continue
            theirs = np.minimum(share[around], 1.0)
            if np.median(theirs) < CONNECTED or share[n] > np.quantile(theirs, 0.15) - APART:
                continue
            ways = options.length[options.start[n] : options.start[n + 1]]
            held = played[n] / ways
            fitting = ways[(ways < length[n]) & (held >= HELD_WHOLE[0]) & (held <= HELD_WHOLE[1])]
            fitting = fitting[(length[n] - fitting) * second[n] >= LEAST_REST_S]
            if len(fitting):
                out[n] = fitting[np.abs(np.log(played[n] / fitting)).argmin()]
    return out
