"""Finding the beat of free playing: a beam search with a Kalman filter in every hypothesis.

A hypothesis says where in the bar the last chord stood, when that place fell and how long a beat lasts (mean and
covariance). It grows by a chord at a time: each place the next chord may stand at is weighed by how far off the
clock it comes, how usual the rhythm is (the table of click reading) and how well the chord's weight fits the place.
Tempo jumps on a beat, pauses before a beat and late chord-mates are moves of their own. After Raphael 2002 and
Cemgil & Kappen 2003 (from memory); the beam is pruned by place in the bar and tempo.

Conventions: seconds; periods are seconds to the beat (dotted in compound meters); natural logarithms.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ductus.core.reading.quantization.beat_grid import beat_pattern
from ductus.core.reading.quantization.subdivisions import (
    COMPOUND,
    DIVISIONS,
    EMPTY,
    MOST_SLOTS,
    SIMPLE,
    Floats,
    Ints,
    RhythmTable,
)
from ductus.core.time.meters import Meter

WIDTH = 80  # hypotheses kept
TEMPO_BINS_PER_E = 32  # bins to a factor e of tempo
PERIOD_NOISE = 0.04  # share of the period that it may drift by in a beat
TIME_NOISE = 0.02  # share of the period that a beat may come off the clock by itself
SALIENCE_WEIGHT = 0.7
PULL_SD, BASE_FOLLOWS = 0.18, 0.04
GATE = 3.6  # standard deviations
JUMP = (-6.0, -8.0)  # tempo jump at a bar line, at another beat
# by a factor e to this, from the tempo that was and from the usual one: else a beat of half the length is a "jump" away
FURTHEST_JUMP = 0.5
PAUSE = (-4.5, -7.5)  # hold before a bar line, before another beat
LONGEST_PAUSE_S, LEAST_PAUSE_S = 1.8, 0.12
LATE_MATE, LATE_MATE_S = -3.0, 0.09
LEAST_TURN = -12.0  # rarer turns are not followed
FAR_BEATS = 6  # a chord may come this many beats after the last
STARTS = 36
FIRM_SD = 0.058  # of ln of the usual period beside what was told, for each beat of a firm search
MEDIAN_PERIOD_S = {0: 60 / 100, 1: 60 / 75}  # prior of the felt beat, simple and compound
TEMPO_SD, HINT_SD, HINT_RANGE = 0.35, 0.12, 1.42


@dataclass(frozen=True, slots=True)
class Frame:
    """A meter as the beam sees it: beats to the bar, family, ticks of a beat."""

    meter: Meter
    beats: int
    family: int
    beat_ticks: int


def frame_of(meter: Meter) -> Frame:
    """The frame of a meter (2/2 is counted in quarters, an irregular meter in its smallest unit)."""
    if meter.irregular:
        return in_units(meter)
    pattern = beat_pattern(meter)
    return Frame(meter, len(pattern), pattern[0][1], pattern[0][0])


def in_units(meter: Meter) -> Frame:
    """The frame of a meter whose units are felt as beats: slow eighths of 3/8 or 6/8."""
    return Frame(meter, meter.count, SIMPLE, meter.unit_ticks)


@dataclass(frozen=True, slots=True)
class Targets:
    """Where a chord may stand after one at each row (division, slot).

    Distance in beats, rank of beats ahead, row reached, log of the turn; shape (rows, targets), nearest first,
    unused entries very far. ``on_beat`` marks targets on one of the next three beats, ``nearest[c]`` is the least
    distance in column c (rising).
    """

    distance: Floats
    ahead: Ints
    row: Ints
    log: Floats
    on_beat: NDArray[np.bool_]
    nearest: Floats


@dataclass(slots=True)
class Hypotheses:
    """One entry each: beat in the bar, row, absolute place in beats, time, period, covariance (tt, tp, pp), ln of
    the base period, score, parent in the last generation, kind of the move.
    """

    beat: Ints
    row: Ints
    place: Floats
    time: Floats
    period: Floats
    ctt: Floats
    ctp: Floats
    cpp: Floats
    base: Floats
    score: Floats
    parent: Ints
    move: Ints


STEP, JUMPED, PAUSED, MATE = 0, 1, 2, 3


@dataclass(frozen=True, slots=True)
class Track:
    """A finished path: place of every chord in beats (bar lines at multiples of the frame's beats), the moves, its
    score, the period at its end, and whether the search was firm.
    """

    frame: Frame
    place: Floats
    move: Ints
    score: float
    period: float
    firm: bool = False


def build_targets(table: RhythmTable, divisions: list[int], family: int) -> tuple[Targets, Ints, Floats]:
    """The moves from every row; also the rows in use (division * MOST_SLOTS + slot) and where they lie in the beat."""
    rows = [g * MOST_SLOTS + s for g in divisions for s in range(int(table.slots[g]))]
    index = {r: k for k, r in enumerate(rows)}
    inside = np.array([float(table.slot_at[r // MOST_SLOTS, r % MOST_SLOTS]) for r in rows])
    e = EMPTY[family]
    lists: list[list[tuple[float, int, int, float]]] = []
    for r in rows:
        g, s = divmod(r, MOST_SLOTS)
        at = inside[index[r]]
        found = [
            (float(table.slot_at[g, t]) - at, 0, index[g * MOST_SLOTS + t], float(table.step[g, s, t]))
            for t in range(s + 1, int(table.slots[g]))
        ]
        leave = float(table.step[g, s, MOST_SLOTS])
        for r2 in rows:
            h, t = divmod(r2, MOST_SLOTS)
            enter = float(table.first[h, t])
            for n in range(1, FAR_BEATS + 1):
                way = table.turn[g, h] if n == 1 else table.turn[g, e] + (n - 2) * table.turn[e, e] + table.turn[e, h]
                log = leave + float(way) + enter
                if log > LEAST_TURN:
                    found.append((n + inside[index[r2]] - at, n, index[r2], log))
        lists.append(found)
    most = max(len(x) for x in lists)
    distance: Floats = np.full((len(rows), most), 1e6)
    turn: Floats = np.full((len(rows), most), -1e9)
    ahead, row = np.zeros((len(rows), most), np.int64), np.zeros((len(rows), most), np.int64)
    for k, found in enumerate(lists):
        for c, (d, n, r2, w) in enumerate(sorted(found)):
            distance[k, c], ahead[k, c], row[k, c], turn[k, c] = d, n, r2, w
    on_beat = (inside[row] == 0) & (distance < 1e5) & (ahead <= 3)
    nearest = np.minimum.accumulate(distance.min(0)[::-1])[::-1]
    return Targets(distance, ahead, row, turn, on_beat, nearest), np.array(rows), inside


def level_table(frame: Frame, inside: Floats) -> Ints:
    """Metrical level (see ``chords``) of each (beat, row)."""
    out = np.full((frame.beats, len(inside)), 4, np.int64)
    half = 1 / 3 if frame.family == COMPOUND else 1 / 2
    for k, x in enumerate(inside):
        if x == 0:
            out[:, k] = 2
            out[0, k] = 0
            if frame.beats > 2 and frame.beats % 2 == 0:
                out[frame.beats // 2, k] = 1
        elif any(abs(x - m * half) < 1e-9 for m in (1, 2)):
            out[:, k] = 3
    return out


class BeamSearch:
    """One search under one frame."""

    def __init__(
        self, frame: Frame, table: RhythmTable, divisions: list[int], about_s: float | None, firm: bool = False
    ) -> None:
        """``about_s``: a rough period of the beat in seconds, or None.

        ``firm``: the usual tempo stays near it all along, so that what a player adds to it is a wait or a slower
        stretch and not another tempo; else only the beginning is near it.
        """
        usable = [g for g in divisions if DIVISIONS[g].slots]
        self.frame, self.firm = frame, firm and about_s is not None
        self.targets, rows, self.inside = build_targets(table, usable, frame.family)
        self.level = level_table(frame, self.inside)
        self._first = np.array(
            [table.alone[r // MOST_SLOTS] + table.first[r // MOST_SLOTS, r % MOST_SLOTS] for r in rows]
        )
        self._starts_beat = self.inside == 0
        centre = about_s or MEDIAN_PERIOD_S[frame.family]
        sd = HINT_SD if about_s else TEMPO_SD
        self._limits = (centre / HINT_RANGE, centre * HINT_RANGE) if about_s else (centre / 2.6, centre * 2.6)
        self._prior = (math.log(centre), sd)
        self._now: Hypotheses | None = None
        self._history: list[
            tuple[Floats, Ints, Ints]
        ] = []  # place, parent, move of every hypothesis of each generation

    def advance(self, time: Floats, salience: Floats, sigma: float) -> float:
        """Hear more chords (times in seconds, salience by level); returns the best score so far."""
        now = self._now
        for x, weight in zip(time, salience, strict=True):
            if now is None:
                now = self._open(float(x), weight)
            else:
                now = self._grow(now, float(x), SALIENCE_WEIGHT * weight, sigma**2)
            self._history.append((now.place, now.parent.astype(np.int16), now.move.astype(np.int8)))
        assert now is not None
        self._now = now
        return float(now.score.max())

    def _open(self, at: float, salience: Floats) -> Hypotheses:
        low, high = self._limits
        periods = np.exp(np.linspace(math.log(low), math.log(high), STARTS))
        mean, sd = self._prior
        beat, row, tempo = (
            a.ravel()
            for a in np.meshgrid(
                np.arange(self.frame.beats), np.arange(len(self.inside)), np.arange(STARTS), indexing="ij"
            )
        )
        period = periods[tempo]
        score = -0.5 * ((np.log(period) - mean) / sd) ** 2 + self._first[row] - math.log(self.frame.beats)
        score = score + SALIENCE_WEIGHT * salience[self.level[beat, row]]
        keep = np.argsort(-score, kind="stable")[: WIDTH * 8]
        beat, row, period, score = beat[keep], row[keep], period[keep], score[keep]
        n = len(keep)
        spread = math.log(high / low) / STARTS
        return Hypotheses(
            beat, row, beat + self.inside[row], np.full(n, at), period, np.full(n, 0.02**2), np.zeros(n),
            (period * spread) ** 2,
            np.log(period), score, np.full(n, -1), np.zeros(n, np.int64),
        )  # fmt: skip

    def _grow(self, h: Hypotheses, x: float, salience: Floats, sigma2: float) -> Hypotheses:
        t = self.targets
        gap = x - h.time
        width = GATE * np.sqrt(h.ctt + sigma2)
        furthest = float(((gap + width) / (0.78 * h.period)).max())
        near = slice(0, int(np.searchsorted(t.nearest, max(furthest, 0.0), "right")))
        distance = t.distance[h.row, near]
        ahead_s = distance * h.period[:, None]
        z = gap[:, None] - ahead_s
        parent, target = np.nonzero(np.abs(z) < width[:, None] + 0.22 * ahead_s)
        parts = [self._steps(h, parent, target, z[parent, target], sigma2)]
        parent, target = np.nonzero(t.on_beat[h.row, near])
        off, fall = z[parent, target], ahead_s[parent, target]
        late = (off > LEAST_PAUSE_S) & (off < LONGEST_PAUSE_S)
        parts.append(self._pauses(h, parent[late], target[late], x, sigma2))
        ratio = gap[parent] / np.maximum(fall, 1e-6)
        jump = (np.abs(ratio - 1.25) < 0.75) & (np.abs(ratio - 1) > 0.12) & (t.ahead[h.row[parent], target] <= 2)
        parts.append(self._jumps(h, parent[jump], target[jump], x, sigma2))
        parts.append(self._mates(h, np.flatnonzero(gap < LATE_MATE_S)))
        grown = _joined([p for p in parts if len(p.score)])
        if not len(grown.score):
            return self._lost(h, x)
        placed = grown.move != MATE
        grown.score += np.where(placed, salience[self.level[grown.beat, grown.row]], 0.0)
        return self._pruned(grown)

    def _reached(self, h: Hypotheses, parent: Ints, target: Ints) -> tuple[Ints, Ints, Floats, Floats]:
        row = h.row[parent]
        beat = (h.beat[parent] + self.targets.ahead[row, target]) % self.frame.beats
        return beat, self.targets.row[row, target], self.targets.distance[row, target], self.targets.log[row, target]

    def _steps(self, h: Hypotheses, parent: Ints, target: Ints, z: Floats, sigma2: float) -> Hypotheses:
        beat, row, r, log = self._reached(h, parent, target)
        period = h.period[parent]
        tt, tp, pp = h.ctt[parent], h.ctp[parent], h.cpp[parent]
        noise = (PERIOD_NOISE * period) ** 2 * r
        tt = tt + 2 * r * tp + r * r * pp + (TIME_NOISE * period) ** 2 * r
        tp, pp = tp + r * pp, pp + noise
        s = tt + sigma2
        gain_t, gain_p = tt / s, tp / s
        time = h.time[parent] + r * period + gain_t * z
        new = np.clip(period + gain_p * z, self._limits[0] * 0.8, self._limits[1] * 1.25)
        base = h.base[parent]
        off = np.log(new) - base
        score = (
            h.score[parent]
            + log
            - 0.5 * (z * z / s + np.log(2 * math.pi * s))
            - 0.5 * (off / PULL_SD) ** 2 * np.minimum(r, 4)
        )
        if self.firm:
            score = score - 0.5 * ((base - self._prior[0]) / FIRM_SD) ** 2 * np.minimum(r, 4)
        return Hypotheses(
            beat, row, h.place[parent] + r, time, new, tt - gain_t * tt, tp - gain_t * tp, pp - gain_p * tp,
            base + BASE_FOLLOWS * np.minimum(r, 4) * off, score, parent, np.full(len(parent), STEP),
        )  # fmt: skip

    def _pauses(self, h: Hypotheses, parent: Ints, target: Ints, x: float, sigma2: float) -> Hypotheses:
        beat, row, r, log = self._reached(h, parent, target)
        cost = np.where(beat == 0, PAUSE[0], PAUSE[1]) - math.log(LONGEST_PAUSE_S)
        n = len(parent)
        return Hypotheses(
            beat, row, h.place[parent] + r, np.full(n, x), h.period[parent], np.full(n, sigma2), np.zeros(n),
            h.cpp[parent] + (0.05 * h.period[parent]) ** 2,
            h.base[parent], h.score[parent] + log + cost, parent, np.full(n, PAUSED),
        )  # fmt: skip

    def _jumps(self, h: Hypotheses, parent: Ints, target: Ints, x: float, sigma2: float) -> Hypotheses:
        beat, row, r, log = self._reached(h, parent, target)
        period = (x - h.time[parent]) / np.maximum(r, 1e-6)
        far = np.maximum(np.abs(np.log(period / h.period[parent])), np.abs(np.log(period) - h.base[parent]))
        fits = (period > self._limits[0]) & (period < self._limits[1]) & (far < FURTHEST_JUMP)
        parent, beat, row = parent[fits], beat[fits], row[fits]
        r, log, period = r[fits], log[fits], period[fits]
        cost = np.where(beat == 0, JUMP[0], JUMP[1])
        n = len(parent)
        off = np.log(period) - h.base[parent]
        return Hypotheses(
            beat, row, h.place[parent] + r, np.full(n, x), period, np.full(n, sigma2), np.zeros(n),
            (0.12 * period) ** 2,
            h.base[parent] + 0.5 * off, h.score[parent] + log + cost - 0.5 * (off / 0.4) ** 2, parent,
            np.full(n, JUMPED),
        )  # fmt: skip

    def _mates(self, h: Hypotheses, parent: Ints) -> Hypotheses:
        return Hypotheses(
            h.beat[parent], h.row[parent], h.place[parent], h.time[parent], h.period[parent], h.ctt[parent],
            h.ctp[parent],
            h.cpp[parent], h.base[parent], h.score[parent] + LATE_MATE, parent, np.full(len(parent), MATE),
        )  # fmt: skip

    def _lost(self, h: Hypotheses, x: float) -> Hypotheses:
        """After a silence that no move reaches: begin again on a bar line, at the tempo that was."""
        n = len(h.score)
        to_bar = np.maximum(np.round((x - h.time) / h.period / self.frame.beats), 1) * self.frame.beats
        place = np.floor(h.place / self.frame.beats) * self.frame.beats + to_bar
        row = np.full(n, int(np.flatnonzero(self._starts_beat)[0]))
        grown = Hypotheses(
            np.zeros(n, np.int64), row, place, np.full(n, x), h.period, np.full(n, 0.02**2), np.zeros(n),
            (0.1 * h.period) ** 2,
            h.base, h.score - 10.0, np.arange(n), np.full(n, PAUSED),
        )  # fmt: skip
        return self._pruned(grown)

    def _pruned(self, h: Hypotheses) -> Hypotheses:
        order = np.argsort(-h.score, kind="stable")[: WIDTH * 6]
        tempo = np.floor(np.log(h.period[order]) * TEMPO_BINS_PER_E).astype(np.int64)
        key = ((h.beat[order] * 4096 + h.row[order]) << 12) + tempo + 2048
        _, first = np.unique(key, return_index=True)
        keep = order[np.sort(first)[:WIDTH]]
        return Hypotheses(*(getattr(h, f)[keep] for f in Hypotheses.__dataclass_fields__))

    def tracks(self) -> list[Track]:
        """The best tracks that end differently (by tempo and place in the bar), best first."""
        last = self._now
        assert last is not None
        count = len(self._history)
        out: list[Track] = []
        for k in np.argsort(-last.score, kind="stable"):
            different = all(
                abs(math.log(float(last.period[k]) / t.period)) > 0.25
                or round(float(last.place[k] - t.place[-1]) * 12) % (12 * self.frame.beats)
                for t in out
            )
            if not different:
                continue
            place, move = np.zeros(count), np.zeros(count, np.int64)
            i = int(k)
            for q in range(count - 1, -1, -1):
                places, parents, moves = self._history[q]
                place[q], move[q], i = places[i], moves[i], int(parents[i])
            out.append(Track(self.frame, place, move, float(last.score[k]), float(last.period[k]), self.firm))
            if len(out) == 4:
                break
        return out


def _joined(parts: list[Hypotheses]) -> Hypotheses:
    if not parts:
        nothing, none = np.zeros(0), np.zeros(0, np.int64)
        return Hypotheses(
            none, none, nothing, nothing, nothing, nothing, nothing, nothing, nothing, nothing, none, none
        )
    return Hypotheses(*(np.concatenate([getattr(p, f) for p in parts]) for f in Hypotheses.__dataclass_fields__))
