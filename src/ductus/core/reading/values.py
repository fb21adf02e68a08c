"""How long each note is written: a choice among what could end it.

    places + hands + releases -> length of each note in ticks, with the probability of the choice

A note may end at one of the next onsets of its hand, at a plain value of its own, or at the bar line. The choice is a
conditional logit over sparse features (``features_of``), its weights fitted by ``tools/fit_values.py``; a second pass knows
how detached the hand plays around the note, what its chord-mates chose, and what was played and chosen in like places (``alike``). Principle: Nakamura, Yoshii & Sagayama
2017, note value recognition (from memory); the features are ours.

Conventions: written time is in ``UNIT``ths of a quarter inside this module, so that fitted tables and ticks agree.
"""

from __future__ import annotations

import json
import math
from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, fields
from functools import lru_cache
from importlib import resources

from ductus.core.reading.alike import Alike, alike

UNIT = 5040
LATTICE = tuple(
    UNIT * a // b
    for a, b in ((1, 8), (1, 6), (1, 4), (1, 3), (3, 8), (1, 2), (2, 3), (3, 4), (1, 1), (3, 2), (2, 1), (3, 1), (4, 1))
)
LONG_TAKE, STRETCH, OVERLAP = (
    6000,
    4000,
    96,
)  # notes: of a take worked out in stretches, of one, and what it sees of its neighbours
ONSETS_AHEAD = 6
RATIO_EDGES = (-1.6, -1.2, -0.9, -0.65, -0.45, -0.3, -0.18, -0.08, 0.02, 0.12, 0.3, 0.6)
GAP_EDGES_S = (-0.2, -0.06, -0.02, 0.01, 0.04, 0.1, 0.2, 0.4, 0.8)
LOCAL_EDGES = (-0.9, -0.5, -0.25, -0.1, 0.0, 0.1, 0.25, 0.5)
CLASSES = {v: k for k, v in enumerate(LATTICE)}
N_RATIO, N_GAP, N_LOCAL, N_CLASS = len(RATIO_EDGES) + 1, len(GAP_EDGES_S) + 1, len(LOCAL_EDGES) + 1, len(LATTICE) + 2
AT_RATIO = 0
AT_GAP = AT_RATIO + 3 * N_RATIO
AT_CLASS = AT_GAP + 3 * N_GAP
AT_AHEAD = AT_CLASS + 2 * N_CLASS
AT_METER = AT_AHEAD + ONSETS_AHEAD + 1
AT_NEAR = AT_METER + 12
AT_CHORD = AT_NEAR + 8
FIRST_PASS = AT_CHORD + 8
AT_LOCAL = FIRST_PASS
AT_MATES = AT_LOCAL + 3 * N_LOCAL
LIKE_EDGES = (-0.7, -0.4, -0.2, -0.08, 0.08, 0.2, 0.4, 0.7)
VOTE_EDGES = (0.001, 0.34, 0.67, 0.999)  # share of the like places that chose a length
PART_EDGES = (0.3, 0.45, 0.55, 0.7, 0.8, 0.999, 1.001)  # of the way to the next onset
SIZE_EDGES = (UNIT // 2, UNIT, UNIT + 1, 2 * UNIT, 2 * UNIT + 1)  # of that way
N_LIKE, N_VOTE, N_PART, N_SIZE = len(LIKE_EDGES) + 1, len(VOTE_EDGES) + 1, len(PART_EDGES) + 1, len(SIZE_EDGES) + 1
AT_LIKE = AT_MATES + 4
AT_VOTE = AT_LIKE + 9 * N_LIKE
AT_PART = AT_VOTE + 3 * N_VOTE
ALL = AT_PART + N_PART * N_SIZE
HELD_OVER = 0.4  # share of what would be tied over a bar line that has to have sounded
NEIGHBOURS = 9  # notes on each side that say how detached the hand plays


@dataclass(frozen=True, slots=True)
class Situation:
    """What is known of every note, sorted by tick: place and end of its bar, family and start of its beat by functions
    of the caller; performed length in UNITs; seconds; hand; key."""

    tick: Sequence[int]
    played: Sequence[float]
    onset_s: Sequence[float]
    release_s: Sequence[float]
    hand: Sequence[int]
    key: Sequence[int]
    bar_end: Sequence[int]
    beat_start: Sequence[int]
    beat: Sequence[int]  # length of the beat the note stands in


@dataclass(frozen=True, slots=True)
class Option:
    """A possible length of a note in UNITs, and the indices of its features."""

    length: int
    features: tuple[int, ...]
    ahead: int
    ratio: float


def options_of(s: Situation, shortest: int = 0) -> list[list[Option]]:
    """The choices of every note with their first-pass features; none is shorter than ``shortest`` but for what ends at an onset."""
    onsets: dict[int, list[int]] = {}
    first_s: dict[tuple[int, int], float] = {}
    keys_at: dict[tuple[int, int], list[int]] = {}
    for n, tick in enumerate(s.tick):
        hand = s.hand[n]
        if (hand, tick) not in keys_at:
            onsets.setdefault(hand, []).append(tick)
            first_s[hand, tick] = s.onset_s[n]
        keys_at.setdefault((hand, tick), []).append(s.key[n])
    again: dict[int, list[int]] = {}
    for n, tick in enumerate(s.tick):
        again.setdefault(s.key[n], []).append(tick)
    return [_options(s, n, shortest, onsets[s.hand[n]], first_s, keys_at, again[s.key[n]]) for n in range(len(s.tick))]


def _options(
    s: Situation,
    n: int,
    shortest: int,
    onsets: list[int],
    first_s: dict[tuple[int, int], float],
    keys_at: dict[tuple[int, int], list[int]],
    again: list[int],
) -> list[Option]:
    tick, hand, played = s.tick[n], s.hand[n], max(s.played[n], UNIT / 40)
    k = bisect_right(onsets, tick)
    ahead = onsets[k : k + ONSETS_AHEAD]
    ends = _ends(s, n, shortest, ahead, again)
    following = ahead[0] if ahead else None
    mates = sorted(keys_at[hand, tick])
    key = s.key[n]
    role = 0 if len(mates) == 1 else 1 if key == mates[-1] else 2 if key == mates[0] else 3
    far = 0
    if following is not None:
        distance = min(abs(key - q) for q in keys_at[hand, following])
        far = 1 if distance <= 4 else 2 if distance <= 9 else 3
    out = []
    for end, which in ends.items():
        length = end - tick
        ratio = math.log(played / length)
        passed = bisect_left(onsets, end) - k if following is not None else 0  # onsets of the hand inside the note
        kind = 0 if which == 1 else 1 if passed > 0 else 2
        on_beat = (end - s.beat_start[n]) % s.beat[n] == 0
        crosses_bar = end > s.bar_end[n]
        starts = tick == s.beat_start[n]
        crosses_beat = not starts and end > s.beat_start[n] + s.beat[n]
        features = [
            AT_RATIO + kind * N_RATIO + bisect_left(RATIO_EDGES, ratio),
            AT_CLASS + (kind == 1) * N_CLASS + class_of(length),
            AT_AHEAD + which,
            AT_METER + (on_beat + 2 * (end == s.bar_end[n])) + 4 * kind,
        ]
        if crosses_bar:
            features.append(AT_NEAR + 5 + (kind == 1))
        if crosses_beat:
            features.append(AT_NEAR + 4)
        if passed > 0:
            features.append(AT_NEAR + far)
            features.append(AT_CHORD + 4 + role)
        if which:
            gap = first_s[hand, end] - s.release_s[n]
            features.append(AT_GAP + kind * N_GAP + bisect_left(GAP_EDGES_S, gap))
        elif following is not None and passed == 0:
            gap = first_s[hand, following] - s.release_s[n]
            features.append(AT_GAP + 2 * N_GAP + bisect_left(GAP_EDGES_S, gap))
            features.append(AT_CHORD + role)
        out.append(Option(length, tuple(features), which, ratio))
    return out


def _ends(s: Situation, n: int, shortest: int, ahead: list[int], again: list[int]) -> dict[int, int]:
    """Where a note may end, each with the number of the onset of its hand that it is (0: of its own accord)."""
    tick, played = s.tick[n], max(s.played[n], UNIT / 40)
    r = bisect_right(again, tick)
    limit = again[r] if r < len(again) else 1 << 60  # a key struck again ends its note
    ends = {t: i + 1 for i, t in enumerate(ahead) if t <= limit}
    for length in (*LATTICE, s.bar_end[n] - tick):
        if max(shortest, 1) <= length <= limit - tick and (0.3 * length <= played <= 2.2 * length or not ends):
            ends.setdefault(tick + length, 0)
    return ends or {min(limit, tick + max(LATTICE[0], shortest)): 0}


def class_of(length: int) -> int:
    """A value class: the plain values one by one, then other short and other long lengths."""
    return CLASSES.get(length, N_CLASS - 2 if length <= UNIT else N_CLASS - 1)


def second_features(
    s: Situation, options: list[list[Option]], chosen: Sequence[int], like: Alike
) -> list[list[tuple[int, ...]]]:
    """What the second pass adds: the length against how the hand plays here and in like places, and the choice of chord-mates and of like places."""
    lengths = [row[k].length for row, k in zip(options, chosen, strict=True)]
    votes = like.votes(lengths)
    by_hand: dict[int, list[int]] = {}
    mates: dict[tuple[int, int], list[int]] = {}
    for n in range(len(s.tick)):
        by_hand.setdefault(s.hand[n], []).append(n)
        mates.setdefault((s.hand[n], s.tick[n]), []).append(n)
    usual: dict[int, float] = {}
    for listed in by_hand.values():
        ratios = [options[n][chosen[n]].ratio for n in listed]
        for i, n in enumerate(listed):
            around = sorted(ratios[max(i - NEIGHBOURS, 0) : i] + ratios[i + 1 : i + 1 + NEIGHBOURS])
            half = len(around) // 2
            usual[n] = (around[half] + around[~half]) / 2 if around else -0.1
    out = []
    for n, row in enumerate(options):
        others = [lengths[m] for m in mates[s.hand[n], s.tick[n]] if m != n]
        rows = []
        for option in row:
            kind = 0 if option.ahead == 1 else 1 if option.ahead > 1 else 2
            extra = [AT_LOCAL + kind * N_LOCAL + bisect_left(LOCAL_EDGES, option.ratio - usual[n])]
            if others:
                same = sum(length == option.length for length in others)
                extra.append(AT_MATES + (0 if same == len(others) else 1 if same else 2))
            if like.others[n]:
                agree = (votes[like.group[n]][option.length] - (option.length == lengths[n])) / like.others[n]
                extra.append(AT_VOTE + kind * N_VOTE + bisect_left(VOTE_EDGES, agree))
            rows.append(tuple(extra))
        out.append(rows)
    return out


def like_features(options: list[list[Option]], like: Alike) -> list[list[tuple[int, ...]]]:
    """Every option against what was played in like places, and which part of the way to the next onset it takes."""
    out = []
    for row, way, share, others in zip(options, like.way, like.share, like.others, strict=True):
        size, many = bisect_right(SIZE_EDGES, way), 0 if others == 1 else 1 if others < 4 else 2
        rows: list[tuple[int, ...]] = []
        for option in row if way else ():
            part = AT_PART + bisect_left(PART_EDGES, option.length / way) * N_SIZE + size
            if share is None:
                rows.append((part,))
                continue
            kind = 0 if option.ahead == 1 else 1 if option.ahead > 1 else 2
            expected = share + math.log(way / option.length)
            rows.append((part, AT_LIKE + (kind + 3 * many) * N_LIKE + bisect_left(LIKE_EDGES, expected)))
        out.append(rows or [()] * len(row))
    return out


@lru_cache(maxsize=1)
def value_weights() -> tuple[list[float], list[float]]:
    """Weights of the first and of the second pass."""
    data = json.loads(resources.files("ductus.core.reading.tables").joinpath("values.json").read_text("utf-8"))
    return data["first"], data["second"]


def slice_of(s: Situation, first: int, last: int) -> Situation:
    """The notes first..last-1 of a situation."""
    return Situation(**{f.name: getattr(s, f.name)[first:last] for f in fields(Situation)})


def choose_values(s: Situation, shortest: int = 0) -> tuple[list[int], list[list[tuple[int, float]]]]:
    """The length of each note in UNITs, none of its own accord under ``shortest``, and for each note its choices (length, probability), likeliest first. A long take is worked out in
    stretches that see some notes of their neighbours, so that memory stays in proportion."""
    count = len(s.tick)
    if count <= LONG_TAKE:
        return choose_together(s, shortest)
    lengths: list[int] = []
    ranked: list[list[tuple[int, float]]] = []
    for first in range(0, count, STRETCH):
        last = min(first + STRETCH, count)
        a, b = max(first - OVERLAP, 0), min(last + OVERLAP, count)
        here, ways = choose_together(slice_of(s, a, b), shortest)
        lengths += here[first - a : last - a]
        ranked += ways[first - a : last - a]
    return lengths, ranked


def choose_together(s: Situation, shortest: int) -> tuple[list[int], list[list[tuple[int, float]]]]:
    """``choose_values`` for notes that are worked out at once."""
    options, like = options_of(s, shortest), alike(s.tick, s.played, s.hand, s.bar_end)
    first, second = value_weights()
    chosen = [max(range(len(row)), key=lambda k: sum([first[f] for f in row[k].features])) for row in options]
    plain = [
        [sum([second[f] for f in (*option.features, *more)]) for option, more in zip(row, rows, strict=True)]
        for row, rows in zip(options, like_features(options, like), strict=True)
    ]
    for _ in range(2):
        extra = second_features(s, options, chosen, like)
        scores = [
            [alone + sum([second[f] for f in more]) for alone, more in zip(row, rows, strict=True)]
            for row, rows in zip(plain, extra, strict=True)
        ]
        chosen = [max(range(len(row)), key=row.__getitem__) for row in scores]
    ranked = []
    for row, score in zip(options, scores, strict=True):
        top = max(score)
        weights = [math.exp(x - top) for x in score]
        whole = sum(weights)
        ranked.append(sorted(((o.length, w / whole) for o, w in zip(row, weights, strict=True)), key=lambda c: -c[1]))
    return [
        let_go_at_bar(s, n, row, row[k].length) for n, (row, k) in enumerate(zip(options, chosen, strict=True))
    ], ranked


def let_go_at_bar(s: Situation, n: int, options: Sequence[Option], length: int) -> int:
    """No tie over a bar line for a note that was let go at it, or soon after: it ends there."""
    to_bar = s.bar_end[n] - s.tick[n]
    over = length - to_bar
    if over <= 0 or s.played[n] - to_bar >= HELD_OVER * over or all(o.length != to_bar for o in options):
        return length
    return to_bar
