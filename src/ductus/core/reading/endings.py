"""Where a note may end, and what speaks for each of its ends: the options that ``values`` chooses among.

    places + hands + releases -> lengths each note could have, each with the numbers of its features

A note may end at one of the next onsets of its hand, at a plain value of its own, or at the bar line.

Conventions: written time is in ``UNIT``ths of a quarter, so that fitted tables and ticks agree; options lie one after the other, those of one note
together and in the order of the notes; a feature that does not apply is ``NONE``.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ductus.core.reading.alike import Alike, FloatArray, IntArray, Places

UNIT = 5040
LATTICE = tuple(
    UNIT * a // b
    for a, b in ((1, 8), (1, 6), (1, 4), (1, 3), (3, 8), (1, 2), (2, 3), (3, 4), (1, 1), (3, 2), (2, 1), (3, 1), (4, 1))
)
ONSETS_AHEAD = 6
NEVER = 1 << 40
RATIO_EDGES = (-1.6, -1.2, -0.9, -0.65, -0.45, -0.3, -0.18, -0.08, 0.02, 0.12, 0.3, 0.6)
GAP_EDGES_S = (-0.2, -0.06, -0.02, 0.01, 0.04, 0.1, 0.2, 0.4, 0.8)
LOCAL_EDGES = (-0.9, -0.5, -0.25, -0.1, 0.0, 0.1, 0.25, 0.5)
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
NONE = ALL
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
class Options:
    """The possible lengths of all notes. Of each option: its note, its length in UNITs, the number of the onset of its hand that it reaches (0: it ends
    of its own accord), ln(sounded share of the length), whether it ends at the next onset (0), after it (1) or before it (2), and its first-pass features, a row each.
    ``start``: the first option of each note, and after the last their number."""

    note: IntArray
    length: IntArray
    ahead: IntArray
    ratio: FloatArray
    kind: IntArray
    features: IntArray
    start: IntArray

    @property
    def reach(self) -> IntArray:
        """Of each option: reaches the next onset (0), a later one (1), or ends of its own accord (2)."""
        return np.where(self.ahead == 0, 2, np.minimum(self.ahead - 1, 1))

    def best(self, score: FloatArray) -> IntArray:
        """The option of each note with the highest score; the first of several."""
        high = np.flatnonzero(score == np.maximum.reduceat(score, self.start[:-1])[self.note])
        note = self.note[high]
        return high[np.concatenate(([True], note[1:] != note[:-1]))]


def options_of(s: Situation, shortest: int = 0) -> Options:
    """The choices of every note (there is at least one note); none is shorter than ``shortest`` but for what ends at an onset."""
    tick, hand, key, bar_end = (np.array(x, dtype=np.int64) for x in (s.tick, s.hand, s.key, s.bar_end))
    played = np.maximum(np.array(s.played, dtype=float), UNIT / 40)
    last = max(int(tick.max()) + max(LATTICE[-1], shortest), int(bar_end.max()))
    hands, keys = Places(hand, tick, last), Places(key, tick, last)
    struck_again, again = keys.after(key, 1)  # a key struck again ends its note
    limit = np.where(again, keys.tick[struck_again], NEVER)
    length, allowed = _lengths(tick, played, hand, bar_end, limit, max(shortest, 1), hands)
    note, column = np.nonzero(allowed)
    found = length[note, column]
    which = np.where(column < ONSETS_AHEAD, column + 1, 0)
    following, follows = hands.after(hand, 1)
    end = found + tick[note]
    passed = np.searchsorted(hands.code, hands.encoded(hand[note], end)) - (hands.at[note] + 1)
    passed = np.where(follows[note], passed, 0)
    kind = np.where(which == 1, 0, np.where(passed > 0, 1, 2))
    ratio = np.log(played[note] / found)
    options = Options(
        note,
        found,
        which,
        ratio,
        kind,
        np.empty((0, 0), dtype=np.int64),
        np.searchsorted(note, np.arange(len(tick) + 1)),
    )
    features = _first_features(s, options, end, passed, hands, (following, follows))
    return Options(note, found, which, ratio, kind, features, options.start)


def _lengths(
    tick: IntArray,
    played: FloatArray,
    hand: IntArray,
    bar_end: IntArray,
    limit: IntArray,
    shortest: int,
    hands: Places,
) -> tuple[IntArray, NDArray[np.bool_]]:
    """What each note could last, a row each: up to the next onsets of its hand, the plain values, the rest of its bar; and which of them may be."""
    ahead, may = [], []
    for step in range(1, ONSETS_AHEAD + 1):
        place, inside = hands.after(hand, step)
        ahead.append(hands.tick[place] - tick)
        may.append(inside & (hands.tick[place] <= limit))
    count = len(tick)
    own = np.concatenate((np.broadcast_to(np.array(LATTICE), (count, len(LATTICE))), (bar_end - tick)[:, None]), axis=1)
    fits = (own >= shortest) & (own <= (limit - tick)[:, None])
    near = (0.3 * own <= played[:, None]) & (played[:, None] <= 2.2 * own)
    onsets = np.array(may).T
    lonely = np.flatnonzero(~onsets.any(axis=1) & fits.any(axis=1))
    near[lonely, fits[lonely].argmax(axis=1)] = True  # the shortest, whatever was played
    fits &= near
    to_onset = np.array(ahead).T
    for column in range(ONSETS_AHEAD):
        fits &= ~(onsets[:, column, None] & (own == to_onset[:, column, None]))
    fits[:, -1] &= ~(fits[:, :-1] & (own[:, :-1] == own[:, -1:])).any(axis=1)
    left = np.minimum(limit - tick, max(LATTICE[0], shortest))[:, None]
    nothing = ~np.concatenate((onsets, fits), axis=1).any(axis=1, keepdims=True)
    return np.concatenate((to_onset, own, left), axis=1), np.concatenate((onsets, fits, nothing), axis=1)


def _first_features(
    s: Situation,
    options: Options,
    end: IntArray,
    passed: IntArray,
    hands: Places,
    ahead: tuple[IntArray, NDArray[np.bool_]],
) -> IntArray:
    """The features that each option has by itself."""
    note, kind, which = options.note, options.kind, options.ahead
    tick, bar_end, beat_start, beat = (
        np.array(x, dtype=np.int64)[note] for x in (s.tick, s.bar_end, s.beat_start, s.beat)
    )
    role, far = _chords(np.array(s.key, dtype=np.int64), hands, ahead)
    following, follows = ahead[0][note], ahead[1][note]
    on_beat = (end - beat_start) % beat == 0
    reached = np.where(which > 0, hands.at[note] + which, following)
    gap = np.array(s.onset_s, dtype=float)[hands.first[reached]] - np.array(s.release_s, dtype=float)[note]
    before = (which == 0) & follows & (passed == 0)
    rows = (
        AT_RATIO + kind * N_RATIO + np.searchsorted(RATIO_EDGES, options.ratio),
        AT_CLASS + (kind == 1) * N_CLASS + classes_of(options.length),
        AT_AHEAD + which,
        AT_METER + on_beat + 2 * (end == bar_end) + 4 * kind,
        np.where(end > bar_end, AT_NEAR + 5 + (kind == 1), NONE),
        np.where((tick != beat_start) & (end > beat_start + beat), AT_NEAR + 4, NONE),
        np.where(passed > 0, AT_NEAR + far[note], NONE),
        np.where(passed > 0, AT_CHORD + 4 + role[note], np.where(before, AT_CHORD + role[note], NONE)),
        np.where(
            (which > 0) | before,
            AT_GAP + np.where(which > 0, kind, 2) * N_GAP + np.searchsorted(GAP_EDGES_S, gap),
            NONE,
        ),
    )
    return np.stack(rows, axis=1)


def _chords(key: IntArray, hands: Places, ahead: tuple[IntArray, NDArray[np.bool_]]) -> tuple[IntArray, IntArray]:
    """Of each note: alone in its chord (0), its top (1), its bottom (2) or inside (3); and whether the hand's next chord
    is unknown (0), has a key within four semitones (1), within nine (2) or none (3)."""
    order = np.lexsort((key, hands.at))
    first = np.searchsorted(hands.at[order], np.arange(len(hands.code) + 1))
    size = first[1:] - first[:-1]
    sorted_key = key[order]
    low, high = sorted_key[first[:-1]], sorted_key[first[1:] - 1]
    at = hands.at
    role = np.where(size[at] == 1, 0, np.where(key == high[at], 1, np.where(key == low[at], 2, 3)))
    following, follows = ahead
    away = np.full(len(key), NEVER)
    for step in range(int(size.max())):
        other = sorted_key[np.minimum(first[following] + step, len(key) - 1)]
        away = np.where(step < size[following], np.minimum(away, np.abs(key - other)), away)
    return role, np.where(follows, np.where(away <= 4, 1, np.where(away <= 9, 2, 3)), 0)


def classes_of(length: IntArray) -> IntArray:
    """A value class of each length: the plain values one by one, then other short and other long lengths."""
    place = np.minimum(np.searchsorted(LATTICE, length), len(LATTICE) - 1)
    plain = np.array(LATTICE)[place] == length
    return np.where(plain, place, np.where(length <= UNIT, N_CLASS - 2, N_CLASS - 1))


class Company:
    """What the second pass knows of each option besides: how the hand plays around it, and how many of its chord-mates and of the notes in like places chose the same."""

    def __init__(self, s: Situation, options: Options, like: Alike) -> None:
        hand, tick = np.array(s.hand, dtype=np.int64), np.array(s.tick, dtype=np.int64)
        self.options, self.like = options, like
        chord = Places(hand, tick, int(tick.max())).at
        self.mates = np.bincount(chord)[chord] - 1
        longest = int(options.length.max()) + 1
        _, self.in_chord = np.unique(chord[options.note] * longest + options.length, return_inverse=True)
        _, self.in_group = np.unique(like.group[options.note] * longest + options.length, return_inverse=True)
        self.around = _neighbours(hand)

    def features(self, chosen: IntArray) -> IntArray:
        """The features of every option, once ``chosen`` are the options of the notes."""
        options, note, kind = self.options, self.options.note, self.options.reach
        ratio = np.concatenate((options.ratio[chosen], [np.inf]))[self.around]
        ratio.sort(axis=1)
        count = (self.around >= 0).sum(axis=1)
        row, half = np.arange(len(count)), count // 2
        middle = (ratio[row, half] + ratio[row, np.maximum(count - half - 1, 0)]) / 2
        usual = np.where(count > 0, middle, -0.1)
        same = np.bincount(self.in_chord[chosen], minlength=len(note))[self.in_chord] - (
            self.in_chord == self.in_chord[chosen][note]
        )
        votes = np.bincount(self.in_group[chosen], minlength=len(note))[self.in_group] - (
            self.in_group == self.in_group[chosen][note]
        )
        mates, others = self.mates[note], self.like.others[note]
        agree = votes / np.maximum(others, 1)
        return np.stack(
            (
                AT_LOCAL + kind * N_LOCAL + np.searchsorted(LOCAL_EDGES, options.ratio - usual[note]),
                np.where(mates > 0, AT_MATES + np.where(same == mates, 0, np.where(same > 0, 1, 2)), NONE),
                np.where(others > 0, AT_VOTE + kind * N_VOTE + np.searchsorted(VOTE_EDGES, agree), NONE),
            ),
            axis=1,
        )


def _neighbours(hand: IntArray) -> IntArray:
    """The notes around each note in its hand, NEIGHBOURS on each side, a row each; -1 where there is none."""
    steps = np.array([k for k in range(-NEIGHBOURS, NEIGHBOURS + 1) if k])
    out = np.empty((len(hand), len(steps)), dtype=np.int64)
    for side in np.unique(hand):
        mine = np.flatnonzero(hand == side)
        at = np.arange(len(mine))[:, None] + steps
        out[mine] = np.where((at >= 0) & (at < len(mine)), mine[np.clip(at, 0, len(mine) - 1)], -1)
    return out


def like_features(options: Options, like: Alike) -> IntArray:
    """Every option against what was played in like places, and which part of the way to the next onset it takes."""
    note = options.note
    way, share, others = like.way[note], like.share[note], like.others[note]
    part = AT_PART + np.searchsorted(PART_EDGES, options.length / np.maximum(way, 1)) * N_SIZE
    part = part + np.searchsorted(SIZE_EDGES, way, side="right")
    many = np.where(others == 1, 0, np.where(others < 4, 1, 2))
    known = (way > 0) & ~np.isnan(share)
    expected = np.where(known, share, 0.0) + np.log(np.maximum(way, 1) / options.length)
    place = AT_LIKE + (options.reach + 3 * many) * N_LIKE
    return np.stack(
        (
            np.where(way > 0, part, NONE),
            np.where(known, place + np.searchsorted(LIKE_EDGES, expected), NONE),
        ),
        axis=1,
    )
