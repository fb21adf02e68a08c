"""Where a note may end, and what speaks for each of its ends: the options that ``values`` chooses among.

places + hands + releases -> lengths each note could have, each with the numbers of its features

A note may end at one of the next onsets of its hand, at a plain value of its own, or at the bar line.

Conventions: written time is in ``UNIT``ths of a quarter, so that fitted tables and ticks agree; options lie one
after the other, those of one note together and in the order of the notes; a feature that does not apply is ``NONE``.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ductus.core.reading.durations.parallel_passages import Alike, Onsets
from ductus.core.reading.quantization.subdivisions import Floats, Ints

UNIT = 5040
LATTICE = tuple(
    UNIT * a // b
    for a, b in ((1, 8), (1, 6), (1, 4), (1, 3), (3, 8), (1, 2), (2, 3), (3, 4), (1, 1), (3, 2), (2, 1), (3, 1), (4, 1))
)
ONSETS_AHEAD = 6
NEVER = 1 << 40
NEIGHBOURS, CLOSE = 9, 3  # notes on each side that say how detached the hand plays, and how just here
LEAST_SHARE, MOST_SHARE = 0.2, 2.2  # of a length of its own that a note may have sounded
FEW = 40  # notes: of fewer no length is usual yet
FEW_AROUND = 3  # pseudo-count of the notes around, none of which ends in the same manner
MANY = 4  # notes of one rhythm: more of them are counted apart

# Classes of what is measured of an option. ln(sounded share of its length); seconds from its release to what it
# reaches; the same share against what is usual.
RATIO_EDGES = np.array((-1.6, -1.2, -0.9, -0.65, -0.45, -0.3, -0.18, -0.08, 0.02, 0.12, 0.3, 0.6))
GAP_EDGES_S = np.array((-0.2, -0.06, -0.02, 0.01, 0.04, 0.1, 0.2, 0.4, 0.8))
LOCAL_EDGES = np.array((-0.9, -0.5, -0.25, -0.1, 0.0, 0.1, 0.25, 0.5))
LIKE_EDGES = np.array((-0.7, -0.4, -0.2, -0.08, 0.08, 0.2, 0.4, 0.7))
HELD_EDGES = np.array((0.25, 0.35, 0.45, 0.55, 0.65, 0.75, 0.85))  # share of the way to the next onset that sounded
QUIET_EDGES = np.array((0.2, 0.8))  # share of the rest of it in which nothing sounds at all
PART_EDGES = np.array((0.3, 0.45, 0.55, 0.7, 0.8, 0.999, 1.001))  # share of that way that is written
SIZE_EDGES = np.array((UNIT // 2, UNIT, UNIT + 1, 2 * UNIT, 2 * UNIT + 1))  # that way
VOTE_EDGES = np.array((0.02, 0.15, 0.35, 0.65, 0.85, 0.98))  # share of the like places that have a length
USUAL_EDGES = np.array((0.005, 0.03, 0.1, 0.3))  # ... of all notes of the take
KIND_EDGES = np.array((0.01, 0.08, 0.2, 0.5, 0.9))  # share of the notes around that end in one manner
N_RATIO, N_GAP, N_LOCAL, N_LIKE, N_HELD, N_QUIET, N_PART, N_SIZE, N_VOTE, N_USUAL, N_KIND = (
    len(edges) + 1
    for edges in (
        *(RATIO_EDGES, GAP_EDGES_S, LOCAL_EDGES, LIKE_EDGES, HELD_EDGES, QUIET_EDGES),
        *(PART_EDGES, SIZE_EDGES, VOTE_EDGES, USUAL_EDGES, KIND_EDGES),
    )
)
N_CLASS = len(LATTICE) + 2

# Where the weights of each kind of feature begin.
AT_RATIO = 0
AT_GAP = AT_RATIO + 3 * N_RATIO
AT_CLASS = AT_GAP + 3 * N_GAP
AT_AHEAD = AT_CLASS + 2 * N_CLASS
AT_METER = AT_AHEAD + ONSETS_AHEAD + 1
AT_NEAR = AT_METER + 12
AT_CHORD = AT_NEAR + 8
AT_QUIET = AT_CHORD + 8
FIRST_PASS = AT_QUIET + 3 * N_QUIET * N_HELD
AT_LOCAL = FIRST_PASS
AT_MATES = AT_LOCAL + 3 * N_LOCAL
AT_LIKE = AT_MATES + 3 * N_VOTE
AT_VOTE = AT_LIKE + 9 * N_LIKE
AT_PART = AT_VOTE + 3 * N_VOTE
AT_CLOSE = AT_PART + N_PART * N_SIZE
AT_CHORDS = AT_CLOSE + 3 * N_LOCAL
AT_USUAL = AT_CHORDS + 3 * N_RATIO
AT_KIND = AT_USUAL + 3 * N_USUAL
AT_RHYTHM = AT_KIND + 3 * N_KIND
ALL = AT_RHYTHM + 6 * (N_VOTE + 1)
NONE = ALL


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
    """The possible lengths of all notes.

    Of each option: its note, its length in UNITs, the number of the onset of its hand that it reaches (0: it ends of
    its own accord), ln(sounded share of the length), whether it ends at the next onset (0), after it (1) or before
    it (2), whether it reaches the next (0), a later one (1) or none (2), and its first-pass features, a row each.
    ``start``: the first option of each note, and after the last their number.
    """

    note: Ints
    length: Ints
    ahead: Ints
    ratio: Floats
    kind: Ints
    reach: Ints
    features: Ints
    start: Ints

    def chances(self, score: Floats) -> Floats:
        """The probability of each option of its note."""
        start = self.start[:-1]
        weight = np.exp(score - np.maximum.reduceat(score, start)[self.note])
        return weight / np.add.reduceat(weight, start)[self.note]

    def best(self, score: Floats) -> Ints:
        """The option of each note with the highest score; the first of several."""
        high = np.flatnonzero(score == np.maximum.reduceat(score, self.start[:-1])[self.note])
        note = self.note[high]
        return high[np.concatenate(([True], note[1:] != note[:-1]))]


def options_of(s: Situation, shortest: Sequence[int] | None = None) -> Options:
    """The choices of every note (there is at least one note).

    None is shorter than its ``shortest`` but for what ends at an onset.
    """
    tick, hand, key, bar_end = (np.array(x, dtype=np.int64) for x in (s.tick, s.hand, s.key, s.bar_end))
    played = np.maximum(np.array(s.played, dtype=float), UNIT / 40)
    least = np.maximum(np.array(shortest if shortest is not None else np.ones(len(tick)), dtype=np.int64), 1)
    last = max(int(tick.max()) + max(LATTICE[-1], int(least.max())), int(bar_end.max()))
    hands, keys = Onsets(hand, tick, last), Onsets(key, tick, last)
    struck_again, again = keys.after(key, 1)  # a key struck again ends its note
    limit = np.where(again, keys.tick[struck_again], NEVER)
    length, allowed = _lengths(tick, played, hand, bar_end, limit, least, hands)
    note, column = np.nonzero(allowed)
    found = length[note, column]
    which = np.where(column < ONSETS_AHEAD, column + 1, 0)
    following, follows = hands.after(hand, 1)
    end = found + tick[note]
    passed = np.searchsorted(hands.code, hands.encoded(hand[note], end)) - (hands.at[note] + 1)
    passed = np.where(follows[note], passed, 0)
    kind = np.where(which == 1, 0, np.where(passed > 0, 1, 2))
    ratio = np.log(played[note] / found)
    reach = np.where(which == 0, 2, np.minimum(which - 1, 1))
    start = np.searchsorted(note, np.arange(len(tick) + 1))
    none = np.empty((len(note), 0), dtype=np.int64)
    options = Options(note, found, which, ratio, kind, reach, none, start)
    return replace(options, features=_first_features(s, options, end, passed, hands, (following, follows)))


def _lengths(
    tick: Ints,
    played: Floats,
    hand: Ints,
    bar_end: Ints,
    limit: Ints,
    shortest: Ints,
    hands: Onsets,
) -> tuple[Ints, NDArray[np.bool_]]:
    """What each note could last, a row each.

    Up to the next onsets of its hand, the plain values, the rest of its bar; and which of them may be.
    """
    ahead, may = [], []
    for step in range(1, ONSETS_AHEAD + 1):
        place, inside = hands.after(hand, step)
        ahead.append(hands.tick[place] - tick)
        may.append(inside & (hands.tick[place] <= limit))
    count = len(tick)
    own = np.concatenate((np.broadcast_to(np.array(LATTICE), (count, len(LATTICE))), (bar_end - tick)[:, None]), axis=1)
    fits = (own >= shortest[:, None]) & (own <= (limit - tick)[:, None])
    near = (LEAST_SHARE * own <= played[:, None]) & (played[:, None] <= MOST_SHARE * own)
    onsets = np.array(may).T
    lonely = np.flatnonzero(~onsets.any(axis=1) & fits.any(axis=1))
    near[lonely, fits[lonely].argmax(axis=1)] = True  # the shortest, whatever was played
    fits &= near
    to_onset = np.array(ahead).T
    for column in range(ONSETS_AHEAD):
        fits &= ~(onsets[:, column, None] & (own == to_onset[:, column, None]))
    fits[:, -1] &= ~(fits[:, :-1] & (own[:, :-1] == own[:, -1:])).any(axis=1)
    left = np.minimum(limit - tick, np.maximum(LATTICE[0], shortest))[:, None]
    nothing = ~np.concatenate((onsets, fits), axis=1).any(axis=1, keepdims=True)
    return np.concatenate((to_onset, own, left), axis=1), np.concatenate((onsets, fits, nothing), axis=1)


def _first_features(
    s: Situation,
    options: Options,
    end: Ints,
    passed: Ints,
    hands: Onsets,
    ahead: tuple[Ints, NDArray[np.bool_]],
) -> Ints:
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
        AT_RATIO + kind * N_RATIO + RATIO_EDGES.searchsorted(options.ratio),
        AT_CLASS + (kind == 1) * N_CLASS + classes_of(options.length),
        AT_AHEAD + which,
        AT_METER + on_beat + 2 * (end == bar_end) + 4 * kind,
        np.where(end > bar_end, AT_NEAR + 5 + (kind == 1), NONE),
        np.where((tick != beat_start) & (end > beat_start + beat), AT_NEAR + 4, NONE),
        np.where(passed > 0, AT_NEAR + far[note], NONE),
        np.where(passed > 0, AT_CHORD + 4 + role[note], np.where(before, AT_CHORD + role[note], NONE)),
        np.where(
            (which > 0) | before,
            AT_GAP + np.where(which > 0, kind, 2) * N_GAP + GAP_EDGES_S.searchsorted(gap),
            NONE,
        ),
        np.where((which == 1) & follows, AT_QUIET + _quiet(s, hands, ahead)[note], NONE),
    )
    return np.stack(rows, axis=1)


def _quiet(s: Situation, hands: Onsets, ahead: tuple[Ints, NDArray[np.bool_]]) -> Ints:
    """Of each note that something follows in its hand.

    How much of the way there it sounded, how much of the rest of it is silence of both hands, and whether the other
    hand strikes on the way (0), when this one does again (1), or neither (2).
    """
    following, _ = ahead
    tick = np.array(s.tick, dtype=np.int64)
    onset, release = np.array(s.onset_s, dtype=float), np.array(s.release_s, dtype=float)
    order = np.argsort(onset, kind="stable")
    until = np.maximum.accumulate(release[order])
    start = np.maximum(onset[order], np.concatenate(([-np.inf], until[:-1])))
    end = np.maximum(release[order], start)
    at = np.stack((start, end), axis=1).ravel()
    sounding = np.repeat(np.concatenate(([0.0], np.cumsum(end - start)[:-1])), 2)
    sounding[1::2] += end - start
    till = np.maximum(onset[hands.first[following]], release)
    gap = till - release
    silent = gap - (np.interp(till, at, sounding) - np.interp(release, at, sounding))
    quiet = QUIET_EDGES.searchsorted(silent / np.maximum(gap, 1e-3))
    way = np.maximum(hands.tick[following] - tick, 1)
    held = HELD_EDGES.searchsorted(np.array(s.played, dtype=float) / way)
    moments, count = np.unique(hands.tick, return_counts=True)
    here, there = np.searchsorted(moments, tick), np.searchsorted(moments, hands.tick[following])
    others = np.where(there > here + 1, 0, np.where(count[np.minimum(there, len(count) - 1)] > 1, 1, 2))
    kind: Ints = (others * N_QUIET + quiet) * N_HELD + held
    return kind


def _chords(key: Ints, hands: Onsets, ahead: tuple[Ints, NDArray[np.bool_]]) -> tuple[Ints, Ints]:
    """Of each note: alone in its chord (0), its top (1), its bottom (2) or inside (3).

    And whether the hand's next chord is unknown (0), has a key within four semitones (1), within nine (2) or none
    (3).
    """
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


def classes_of(length: Ints) -> Ints:
    """A value class of each length: the plain values one by one, then other short and other long lengths."""
    place = np.minimum(np.searchsorted(LATTICE, length), len(LATTICE) - 1)
    plain = np.array(LATTICE)[place] == length
    return np.where(plain, place, np.where(length <= UNIT, N_CLASS - 2, N_CLASS - 1))


class Company:
    """What the second pass knows of each option besides.

    How the hand plays around it, and what its chord-mates, the notes in like places and all others seem to last.
    """

    def __init__(self, s: Situation, options: Options, like: Alike) -> None:
        hand, tick = np.array(s.hand, dtype=np.int64), np.array(s.tick, dtype=np.int64)
        self.options = options
        chord = Onsets(hand, tick, int(tick.max())).at
        spot = (tick - np.array(s.beat_start, dtype=np.int64)) % UNIT
        _, rhythm = np.unique(like.way * UNIT + spot, return_inverse=True)
        self.mates = np.bincount(chord)[chord] - 1
        self.others = like.others
        self.rhythms = np.bincount(rhythm)[rhythm] - 1
        self.in_chord, self.in_group, self.in_rhythm = (self._same(group) for group in (chord, like.group, rhythm))
        _, self.in_take = np.unique(options.length, return_inverse=True)
        self.around, self.close = _neighbours(hand, NEIGHBOURS), _neighbours(hand, CLOSE)
        played = np.log(np.maximum(np.array(s.played, dtype=float), UNIT / 40))
        self.together = (np.bincount(chord, weights=played) / np.bincount(chord))[chord]

    def _same(self, group: Ints) -> Ints:
        """Options of one length of notes of one group have one number."""
        options = self.options
        longest = int(options.length.max()) + 1
        same: Ints = np.unique(group[options.note] * longest + options.length, return_inverse=True)[1]
        return same

    def features(self, chance: Floats) -> Ints:
        """The features of every option, from the ``chance`` of each as it was thought before."""
        options, note, kind = self.options, self.options.note, self.options.reach
        chosen = options.best(chance)
        usual, near = self._usual(chosen, self.around), self._usual(chosen, self.close)
        together = self.together[note] - np.log(options.length)
        mates, others, rhythms = self.mates[note], self.others[note], self.rhythms[note]
        by_rhythm = np.where(rhythms == 0, N_VOTE, votes(self.in_rhythm, chance, rhythms))
        often = (np.bincount(self.in_take, weights=chance)[self.in_take] - chance) / len(chosen)
        usual_length = AT_USUAL + kind * N_USUAL + USUAL_EDGES.searchsorted(often)
        if len(chosen) < FEW:
            usual_length = np.full(len(note), NONE)
        return np.stack(
            (
                AT_LOCAL + kind * N_LOCAL + LOCAL_EDGES.searchsorted(options.ratio - usual[note]),
                AT_CLOSE + kind * N_LOCAL + LOCAL_EDGES.searchsorted(options.ratio - near[note]),
                np.where(mates > 0, AT_CHORDS + kind * N_RATIO + RATIO_EDGES.searchsorted(together), NONE),
                np.where(mates > 0, AT_MATES + kind * N_VOTE + votes(self.in_chord, chance, mates), NONE),
                np.where(others > 0, AT_VOTE + kind * N_VOTE + votes(self.in_group, chance, others), NONE),
                AT_RHYTHM + (kind * 2 + (rhythms > MANY)) * (N_VOTE + 1) + by_rhythm,
                usual_length,
                AT_KIND + kind * N_KIND + KIND_EDGES.searchsorted(self._kinds(chosen)),
            ),
            axis=1,
        )

    def _kinds(self, chosen: Ints) -> Floats:
        """The share of the notes around the note of each option that end as it would.

        At the next onset, later, or of their own accord.
        """
        kind = np.append(self.options.reach[chosen], -1)[self.around]
        share = np.stack([(kind == k).sum(axis=1) for k in range(3)], axis=1)
        here = (self.around >= 0).sum(axis=1) + FEW_AROUND
        like_it: Floats = share[self.options.note, self.options.reach] / here[self.options.note]
        return like_it

    def _usual(self, chosen: Ints, around: Ints) -> Floats:
        """The middle of ln(sounded share) of the notes around each."""
        ratio = np.append(self.options.ratio[chosen], np.inf)[around]
        ratio.sort(axis=1)
        count = (around >= 0).sum(axis=1)
        row, half = np.arange(len(count)), count // 2
        middle = (ratio[row, np.minimum(half, ratio.shape[1] - 1)] + ratio[row, np.maximum(count - half - 1, 0)]) / 2
        return np.where(count > 0, middle, -0.1)


def votes(same: Ints, chance: Floats, others: Ints) -> Ints:
    """How much the ``others`` of a group agree with each option, in classes of ``VOTE_EDGES``.

    ``same``: options that agree with each other.
    """
    agree = np.bincount(same, weights=chance)[same] - chance
    return VOTE_EDGES.searchsorted(agree / np.maximum(others, 1))


def _neighbours(hand: Ints, far: int) -> Ints:
    """The notes around each note in its hand, ``far`` on each side, a row each; -1 where there is none."""
    steps = np.array([k for k in range(-far, far + 1) if k])
    out = np.empty((len(hand), len(steps)), dtype=np.int64)
    for side in np.flatnonzero(np.bincount(hand)):
        mine = np.flatnonzero(hand == side)
        at = np.arange(len(mine))[:, None] + steps
        out[mine] = np.where((at >= 0) & (at < len(mine)), mine[np.clip(at, 0, len(mine) - 1)], -1)
    return out


def like_features(options: Options, like: Alike) -> Ints:
    """Every option against what was played in like places, and which part of the way to the next onset it takes."""
    note = options.note
    way, share, others = like.way[note], like.share[note], like.others[note]
    part = AT_PART + PART_EDGES.searchsorted(options.length / np.maximum(way, 1)) * N_SIZE
    part = part + SIZE_EDGES.searchsorted(way, side="right")
    many = np.where(others == 1, 0, np.where(others < 4, 1, 2))
    known = (way > 0) & ~np.isnan(share)
    expected = np.where(known, share, 0.0) + np.log(np.maximum(way, 1) / options.length)
    place = AT_LIKE + (options.reach + 3 * many) * N_LIKE
    return np.stack(
        (
            np.where(way > 0, part, NONE),
            np.where(known, place + LIKE_EDGES.searchsorted(expected), NONE),
        ),
        axis=1,
    )
