"""The semi-Markov lattice of click reading: chords of neighbouring notes over metrical places.

Conventions: onsets in seconds, rising. A *segment* [j, i) of notes is one chord; a *candidate* of note n is a place
(beat, division, slot) near its onset. A path is a row of segments, each at a candidate of its last note. Several
*feels* (lag and deviations of the player) are decoded at once: the first axis of every score array. Natural
logarithms throughout.

Sources (from memory): Raphael 2002; Cemgil & Kappen 2003; Takeda et al. 2007; Nakamura, Yoshii & Sagayama 2017. Unlike
them the grouping of notes into chords is decided together with the places.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from copy import copy
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ductus.core.reading.quantization.asynchrony import HABITS
from ductus.core.reading.quantization.subdivisions import EMPTY, MOST_SLOTS, Floats, Ints, RhythmTable

MOST_TOGETHER = 10  # a player has ten fingers
WIDEST_CHORD_S = 0.14
SURELY_APART_S = 0.095  # a wider gap between neighbouring onsets always begins a chord
SURELY_TOGETHER_S = 0.007  # a narrower one never does (unless a key is struck again)
LEAST_REACH_S = 0.09
SAME_LN, OTHER_LN = math.log(0.53), math.log(0.47)  # the next note belongs to the same chord; both hands together
SQUEEZED = -12.0  # two chords at one place: only where nothing else is left
LOW = -1e18
LOG_FACTORIAL = [math.lgamma(m + 1) for m in range(MOST_TOGETHER + 2)]


@dataclass(frozen=True, slots=True)
class Feel:
    """What the player does on average, in seconds.

    Lag, deviation of chords, deviation of notes inside a chord, and how much later than the lag the notes of each
    habit come (negative: sooner).
    """

    lag: float
    chord_sd: float
    note_sd: float
    habits: tuple[float, ...] = (0.0,) * HABITS


@dataclass(frozen=True, slots=True)
class Segment:
    """Notes [first, last] as one chord: mean onset and sum of squared distances from it (seconds)."""

    first: int
    last: int
    mean: float
    spread: float


@dataclass(frozen=True, slots=True)
class Candidates:
    """Places of one note: beat, division, slot, time in seconds, and the row of each in the transition tables.

    Those of one ``kind`` (a number in its lattice) are the same rows in beats that lie alike, so that one goes on
    from them alike.
    """

    beat: Ints
    division: Ints
    slot: Ints
    time: Floats
    row: Ints
    kind: int
    first_beat: int
    last_beat: int


class Lattice:
    """Segments and candidates of a take under a grid of beats; transitions are kept for repeated decoding."""

    def __init__(
        self,
        onset: Floats,
        release: Floats,
        key: Ints,
        beat_s: Floats,
        family: Ints,
        allowed: Ints,
        table: RhythmTable,
        reach: float,
        habit: Ints | None = None,
    ) -> None:
        """``allowed[k, g]`` is 1 where beat k may take division g.

        ``reach`` is a share of the local beat; ``habit`` that of each note, if known.
        """
        self.segments = segments_of(onset, release, key)
        self.ends = sorted(self.segments)
        self._empty = [EMPTY[f] for f in family.tolist()]
        self.candidates = candidates_of(onset, self.ends, beat_s, _places_of_beats(allowed, table), reach)
        self.every = [s for n in self.ends for s in self.segments[n]]
        self.counts = np.array([len(self.candidates[s.last].time) for s in self.every])
        self.times = np.concatenate([self.candidates[s.last].time for s in self.every])
        self.mean = np.array([s.mean for s in self.every])
        self.spread = np.array([s.spread for s in self.every])
        self.habit = habit
        if habit is not None:
            self.of_habit, self.aside = habits_in(self.every, self.mean, onset, habit)
        self._take(table)

    def _take(self, table: RhythmTable) -> None:
        self._table = table
        self._known: dict[tuple[int, int], NDArray[np.float32]] = {}
        self._by_kind: dict[tuple[int, int, int, int, int], NDArray[np.float32]] = {}
        self._inside, self._next, self._leave, self._enter = turn_tables(table)

    def under(self, table: RhythmTable) -> Lattice:
        """The same segments and candidates under another table."""
        made = copy(self)
        made._take(table)
        return made

    def turns(self, before: int, after: int) -> NDArray[np.float32]:
        """Logarithms of going on from the candidates of note ``before`` to those of note ``after``."""
        found = self._known.get((before, after))
        if found is None:
            found = self._known[before, after] = self._turns_by_kind(self.candidates[before], self.candidates[after])
        return found

    def _turns_by_kind(self, a: Candidates, b: Candidates) -> NDArray[np.float32]:
        leaving = self._empty[min(a.first_beat + 1, len(self._empty) - 1)]
        coming = self._empty[max(b.last_beat - 1, 0)]
        name = (a.kind, b.kind, b.first_beat - a.first_beat, leaving, coming)
        found = self._by_kind.get(name)
        if found is None:
            found = self._by_kind[name] = self._turns(a, b, leaving, coming)
        return found

    def _turns(self, a: Candidates, b: Candidates, leaving: int, coming: int) -> NDArray[np.float32]:
        """``leaving`` and ``coming``: the empty divisions of the beats after the one and before the other."""
        steps = b.beat[None, :] - a.beat[:, None]
        pair = (a.row[:, None], b.row[None, :])
        out = np.where(steps == 0, self._inside[pair], LOW)
        out = np.where(steps == 1, self._next[pair], out)
        if steps.max() > 1:
            ways = self._leave[leaving][a.row][:, None] + self._enter[coming][b.row][None, :]
            out = np.where(steps > 1, ways + (steps - 2) * self._table.turn[leaving, leaving], out)
        return np.asarray(out, np.float32)  # kept for every kind of neighbours: half the memory is worth it

    def opening(self, n: int) -> Floats:
        """Logarithms of beginning at each candidate of note n."""
        c = self.candidates[n]
        return self._table.alone[c.division] + self._table.first[c.division, c.slot]


def candidates_of(
    onset: Floats, ends: Sequence[int], beat_s: Floats, places: Sequence[tuple[Ints, Ints, Floats]], reach: float
) -> dict[int, Candidates]:
    """For each note that may end a chord the places within reach, and always the nearest on each side, however
    coarse the divisions are.
    """
    widths = np.diff(beat_s)
    middles = np.clip(np.searchsorted(beat_s, onset, "right") - 1, 0, len(widths) - 1)
    around: dict[int, tuple[Ints, Ints, Ints, Floats, Floats, Ints]] = {}
    kinds: dict[tuple[bytes, bytes], int] = {}
    out: dict[int, Candidates] = {}
    for n in ends:
        middle, at = int(middles[n]), float(onset[n])
        if middle not in around:
            beats = range(max(middle - 1, 0), min(middle + 2, len(widths)))
            beat = np.concatenate([np.full(len(places[k][0]), k) for k in beats])
            division, slot, inside = (np.concatenate([places[k][c] for k in beats]) for c in range(3))
            width = widths[beat]
            limit = np.maximum(reach * width, LEAST_REACH_S)
            row = division * MOST_SLOTS + slot
            around[middle] = (beat, division, slot, beat_s[beat] + inside * width, limit, row)
        beat, division, slot, time, limit, row = around[middle]
        off = time - at
        near = (off <= np.maximum(limit, off.min(where=off >= 0, initial=np.inf))) & (
            -off <= np.maximum(limit, (-off).min(where=off < 0, initial=np.inf))
        )
        beat, row = beat[near], row[near]
        kind = kinds.setdefault((row.tobytes(), (beat - beat[0]).tobytes()), len(kinds))
        out[n] = Candidates(beat, division[near], slot[near], time[near], row, kind, int(beat[0]), int(beat[-1]))
    return out


@lru_cache(maxsize=8)
def turn_tables(table: RhythmTable) -> tuple[Floats, Floats, dict[int, Floats], dict[int, Floats]]:
    """Logarithms of going on from row to row (a row is division * MOST_SLOTS + slot).

    Inside the beat, into the next one, and leaving for and coming from each kind of empty beat. Kept for a table,
    since a live reading needs them at every beat.
    """
    count = len(table.slots)
    division = np.repeat(np.arange(count), MOST_SLOTS)
    leave = table.step[:, :, MOST_SLOTS].reshape(-1)
    enter = table.first.reshape(-1)
    inside = np.full((len(leave), len(leave)), LOW)
    for g in range(count):
        block = slice(g * MOST_SLOTS, (g + 1) * MOST_SLOTS)
        later = np.triu(np.ones((MOST_SLOTS, MOST_SLOTS), bool), 1)
        inside[block, block] = np.where(later, table.step[g, :, :MOST_SLOTS], LOW)
    np.fill_diagonal(inside, SQUEEZED)
    following = leave[:, None] + enter[None, :] + table.turn[division][:, division]
    return (
        inside,
        following,
        {e: leave + table.turn[division, e] for e in EMPTY},
        {e: enter + table.turn[e, division] for e in EMPTY},
    )


def segments_of(onset: Floats, release: Floats, key: Ints) -> dict[int, list[Segment]]:
    """All segments that may be chords, by their last note."""
    count = len(onset)
    gap = np.diff(onset)
    struck_again = key[1:] == key[:-1]
    joined = (gap < SURELY_TOGETHER_S) & ~struck_again & (release[:-1] > onset[1:])
    begins = np.concatenate(([True], ~joined))  # a chord may begin here
    out: dict[int, list[Segment]] = {}
    run = 0
    for last in range(count):
        if last and gap[last - 1] > SURELY_APART_S:
            run = last
        if last + 1 < count and not begins[last + 1] and last - run + 1 < MOST_TOGETHER:
            continue  # never the end of a chord
        found: list[Segment] = []
        total = square = 0.0
        seen: set[int] = set()
        origin = float(onset[last])
        for first in range(last, max(run, last - MOST_TOGETHER + 1) - 1, -1):
            if origin - onset[first] > WIDEST_CHORD_S or int(key[first]) in seen or release[first] < origin:
                break
            seen.add(int(key[first]))
            x = float(onset[first]) - origin
            total, square = total + x, square + x * x
            if begins[first] or first == max(run, last - MOST_TOGETHER + 1):
                m = last - first + 1
                found.append(Segment(first, last, origin + total / m, max(square - total * total / m, 0.0)))
        out[last] = found or [Segment(last, last, origin, 0.0)]
    return _reachable(out, count)


def _reachable(segments: dict[int, list[Segment]], count: int) -> dict[int, list[Segment]]:
    """Make sure that every segment follows the end of another: single notes fill what the shortcuts left out."""
    for last in range(count):
        if last not in segments:
            continue
        for segment in segments[last]:
            before = segment.first - 1
            while before >= 0 and before not in segments:
                segments[before] = [Segment(before, before, segment.mean, 0.0)]
                before -= 1
    return segments


def _places_of_beats(allowed: Ints, table: RhythmTable) -> list[tuple[Ints, Ints, Floats]]:
    known: dict[bytes, tuple[Ints, Ints, Floats]] = {}
    out = []
    for row in allowed:
        key = row.tobytes()
        if key not in known:
            pairs = [(g, s) for g in np.flatnonzero(row) for s in range(table.slots[g])]
            division = np.array([g for g, _ in pairs], np.int64)
            slot = np.array([s for _, s in pairs], np.int64)
            known[key] = (division, slot, table.slot_at[division, slot])
        out.append(known[key])
    return out


def habits_in(every: Sequence[Segment], mean: Floats, onset: Floats, habit: Ints) -> tuple[Floats, Floats]:
    """For every segment and habit: how many notes have it, and the sum of their distances from the mean of all;
    shape (segments, HABITS).
    """
    mine = habit[:, None] == np.arange(HABITS)
    first, end = np.array([s.first for s in every]), np.array([s.last for s in every]) + 1
    number = np.concatenate((np.zeros((1, HABITS)), np.cumsum(mine, 0)))
    total = np.concatenate((np.zeros((1, HABITS)), np.cumsum(np.where(mine, onset[:, None], 0.0), 0)))
    count = number[end] - number[first]
    return count, total[end] - total[first] - count * mean[:, None]


class Hearing:
    """What every segment sounds like to some feels, worked out at once."""

    def __init__(self, lattice: Lattice, feels: Sequence[Feel]) -> None:
        every = lattice.every
        size = np.array([s.last - s.first + 1 for s in every])
        factorial = np.array(LOG_FACTORIAL)[size]
        lag, chord_sd, note_sd = (
            np.array([getattr(f, name) for f in feels])[:, None] for name in ("lag", "chord_sd", "note_sd")
        )
        mean, spread = lattice.mean, lattice.spread
        if lattice.habit is not None:  # not while it is played: the habits are taken out
            habits = np.array([f.habits for f in feels])
            theirs = habits @ lattice.of_habit.T
            spread = spread - 2 * habits @ lattice.aside.T + habits**2 @ lattice.of_habit.T - theirs**2 / size
            mean = mean - theirs / size
        variance = chord_sd**2 + note_sd**2 / size
        score = (size - 1) * SAME_LN + OTHER_LN + factorial - 0.5 * np.log(2 * math.pi * variance)
        score = (
            score
            - np.maximum(spread, 0.0) / (2 * note_sd**2)
            - (size - 1) * np.log(note_sd * math.sqrt(2 * math.pi))
            - 0.5 * np.log(size)
        )
        off = np.repeat(mean - lag, lattice.counts, axis=1) - lattice.times
        heard = np.repeat(score, lattice.counts, axis=1) - off * off * np.repeat(0.5 / variance, lattice.counts, axis=1)
        edges = np.concatenate(([0], np.cumsum(lattice.counts))).tolist()
        self._heard = {(s.first, s.last): heard[:, edges[k] : edges[k + 1]] for k, s in enumerate(every)}

    def of(self, segment: Segment) -> Floats:
        """Logarithms of hearing the segment as a chord at each candidate of its last note, shape (feels,
        candidates).
        """
        found: Floats = self._heard[segment.first, segment.last]
        return found


Path = list[tuple[Segment, int]]  # segments with the index of their candidate, in order


class Decoding:
    """Viterbi for some feels at once: the log likelihood of each, and the likeliest path of those that are asked
    for.
    """

    def __init__(self, lattice: Lattice, feels: Sequence[Feel]) -> None:
        self._lattice, self._hearing = lattice, Hearing(lattice, feels)
        self._value: dict[int, Floats] = {}
        hearing, value = self._hearing, self._value
        for n in lattice.ends:
            best: Floats | None = None
            for segment in lattice.segments[n]:
                emission = hearing.of(segment)
                before = segment.first - 1
                if before < 0:
                    ways = emission + lattice.opening(n)
                elif before in value:
                    ways = emission + np.maximum.reduce(value[before][:, :, None] + lattice.turns(before, n), 1)
                else:
                    continue
                best = ways if best is None else np.maximum(best, ways)
            value[n] = best if best is not None else np.full((len(feels), len(lattice.candidates[n].beat)), LOW)
        self.scores = value[lattice.ends[-1]].max(1)

    def path(self, feel: int) -> Path:
        """Follow the best path of one feel back.

        The choices are worked out again, which is cheaper than keeping them.
        """
        lattice, value, heard = self._lattice, self._value, self._hearing.of
        n = lattice.ends[-1]
        c = int(value[n][feel].argmax())
        path: Path = []
        while True:
            best, chosen, chosen_p = LOW * 2, lattice.segments[n][-1], -1
            alone = len(lattice.segments[n]) == 1
            for segment in lattice.segments[n]:
                before = segment.first - 1
                if before < 0:
                    score, p = float(heard(segment)[feel, c] + lattice.opening(n)[c]), -1
                elif before in value:
                    ways = value[before][feel] + lattice.turns(before, n)[:, c]
                    p = int(ways.argmax())
                    score = 0.0 if alone else float(heard(segment)[feel, c] + ways[p])
                else:
                    continue
                if score > best:
                    best, chosen, chosen_p = score, segment, p
            path.append((chosen, c))
            if chosen.first == 0:
                return path[::-1]
            n, c = chosen.first - 1, chosen_p


def log_sum(x: Floats, axis: int) -> Floats:
    """ln of the sum of exponentials along an axis."""
    top = x.max(axis, keepdims=True)
    out: Floats = np.log(np.exp(x - top).sum(axis)) + top.squeeze(axis)
    return out


def posteriors(lattice: Lattice, feel: Feel) -> list[tuple[Segment, NDArray[np.float64]]]:
    """Forward-backward: for every segment, the probability that it is a chord of the take at each candidate."""
    hearing = Hearing(lattice, [feel])
    fore: dict[int, Floats] = {}
    heard: dict[tuple[int, int], Floats] = {}
    ways: dict[tuple[int, int], Floats] = {}
    for n in lattice.ends:
        found = []
        for segment in lattice.segments[n]:
            e = hearing.of(segment)[0]
            before = segment.first - 1
            if before < 0:
                w = lattice.opening(n)
            elif before in fore:
                w = log_sum(fore[before][:, None] + lattice.turns(before, n), 0)
            else:
                continue
            heard[segment.first, n], ways[segment.first, n] = e, w
            found.append(e + w)
        fore[n] = log_sum(np.array(found), 0) if len(found) > 1 else found[0]
    last = lattice.ends[-1]
    total = float(log_sum(fore[last], 0))
    back: dict[int, Floats] = {last: np.zeros(len(fore[last]))}
    out: list[tuple[Segment, NDArray[np.float64]]] = []
    for n in reversed(lattice.ends):
        after = back.get(n)
        if after is None:
            continue
        for segment in lattice.segments[n]:
            key = (segment.first, n)
            if key not in heard:
                continue
            out.append((segment, np.exp(np.minimum(ways[key] + heard[key] + after - total, 0.0))))
            before = segment.first - 1
            if before >= 0:
                come = log_sum(lattice.turns(before, n) + (heard[key] + after)[None, :], 1)
                back[before] = np.logaddexp(back[before], come) if before in back else come
    return out


def as_notes(path: Path, lattice: Lattice) -> tuple[Ints, Ints, Ints, Floats, Ints]:
    """Beat, division, slot, time and number of the chord of every note on a path."""
    places = [lattice.candidates[segment.last] for segment, _ in path]
    size = np.array([segment.last - segment.first + 1 for segment, _ in path])
    beat, division, slot = (
        np.repeat(np.array(column, np.int64), size)
        for column in zip(
            *((p.beat[c], p.division[c], p.slot[c]) for p, (_, c) in zip(places, path, strict=True)), strict=True
        )
    )
    time = np.repeat(np.array([p.time[c] for p, (_, c) in zip(places, path, strict=True)]), size)
    return beat, division, slot, time, np.repeat(np.arange(len(path)), size)
