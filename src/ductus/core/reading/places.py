"""Click reading: where each played note stands, when the beats are known (JOB 6).

    onsets + beats -> chords and places, jointly; the player's lag and unevenness are estimated on the way.

Conventions: seconds inside, ticks at the border. The constant lag of the player is positive when notes come late.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ductus.core.reading.beats import BeatGrid
from ductus.core.reading.divisions import (
    COUNT,
    EMPTY,
    MOST_SLOTS,
    Floats,
    Ints,
    RhythmTable,
    allowed_divisions,
    rhythm_counts,
    rhythm_table,
    tabulate,
)
from ductus.core.reading.lattice import best_path, list_candidates, posteriors
from ductus.core.reading.settings import ReadSettings

REACH_BEATS = 0.36  # a note is looked for within this share of a beat of its onset
WIDEST_CHORD_S = 0.14
LAG_STARTS_S = (-0.02, 0.0, 0.02)
CHORD_SD_STARTS_S = (0.012, 0.03)
NOTE_SD_S, CHORD_SD_PRIOR_S = 0.014, 0.020
PSEUDO_COUNT = 20  # of the priors on both deviations
MOST_LAG_S = 0.05
ROUNDS = 3
STYLE_PSEUDO_COUNT = 15.0  # how much the counts of scores weigh against the take's own turns, per row
SHORT_TAKE = 60  # chords below which a take does not teach its own style
PLAIN_PRICE = 1.2  # nats a step of "plainer" puts on each further halving of the beat


@dataclass(frozen=True, slots=True)
class Played:
    """Onsets (rising), releases in seconds and MIDI keys of the notes to be placed."""

    onset: Floats
    release: Floats
    key: Ints


@dataclass(frozen=True, slots=True)
class Feel:
    """What the player does on average, in seconds: lag, deviation of chords, deviation of notes inside a chord."""

    lag: float
    chord_sd: float
    note_sd: float


@dataclass(frozen=True, slots=True)
class Places:
    """For each note: its beat and its place in beats, the division of its beat, its chord; the feel; the log likelihood;
    and for each note its rivals as (place in beats, probability), best first, the chosen one included."""

    beat: Ints
    place: Floats
    division: Ints
    slot: Ints
    chord: Ints
    feel: Feel
    score: float
    rivals: tuple[tuple[tuple[int, int, int, float], ...], ...] = ()  # (beat, division, slot, probability)


@dataclass(frozen=True, slots=True)
class Lattice:
    """Candidates of every note (see ``lattice``)."""

    start: Ints
    beat: Ints
    division: Ints
    slot: Ints
    time: Floats


def place_notes(played: Played, grid: BeatGrid, settings: ReadSettings, *, rivals: bool = False) -> Places:
    """Find the likeliest places: several starts, each refined by re-estimation; the best likelihood wins."""
    allowed = allowed_by_beat(grid, settings)
    table = plainer(rhythm_table(), settings.plainness)
    found = max(
        (
            refine(played, grid, allowed, table, Feel(lag, sd, NOTE_SD_S))
            for sd in CHORD_SD_STARTS_S
            for lag in LAG_STARTS_S
        ),
        key=lambda places: places.score,
    )
    if len(np.unique(found.chord)) >= SHORT_TAKE:
        table = plainer(own_style(found, grid), settings.plainness)
        found = refine(played, grid, allowed, table, found.feel, rounds=2)
    if rivals:
        found = replace(found, rivals=rivals_of(played, grid, allowed, table, found.feel))
    return found


def allowed_by_beat(grid: BeatGrid, settings: ReadSettings) -> Ints:
    """For each beat a row of ones for the divisions it may take."""
    allowed = np.zeros((len(grid.ticks) - 1, COUNT), np.int64)
    known: dict[tuple[int, int], list[int]] = {}
    for k in range(len(allowed)):
        kind = (int(grid.ticks[k + 1] - grid.ticks[k]), int(grid.family[k]))
        if kind not in known:
            known[kind] = allowed_divisions(*kind, settings.shortest, settings.tuplets)
        allowed[k, known[kind]] = 1
    return allowed


def plainer(table: RhythmTable, plainness: int) -> RhythmTable:
    """The table with a price (or, for "finer", a discount) on divisions with more slots."""
    if not plainness:
        return table
    price = plainness * PLAIN_PRICE * np.log2(np.maximum(table.slots, 1))
    return replace(table, turn=table.turn - price, alone=table.alone - price)


def lattice_of(played: Played, grid: BeatGrid, allowed: Ints, table: RhythmTable, lag: float) -> Lattice:
    """The candidates of every note under a lag."""
    return Lattice(*list_candidates(played.onset, grid.seconds, allowed, table.slots, table.slot_at, REACH_BEATS, lag))


def refine(
    played: Played, grid: BeatGrid, allowed: Ints, table: RhythmTable, feel: Feel, rounds: int = ROUNDS
) -> Places:
    """Decode and estimate the feel by turns, from a start."""
    empty = np.array([EMPTY[f] for f in grid.family], np.int64)
    best: Places | None = None
    for _ in range(rounds):
        lattice = lattice_of(played, grid, allowed, table, feel.lag)
        score, chosen, chord = best_path(
            played.onset, played.release, played.key, lattice.start, lattice.beat, lattice.division, lattice.slot,
            lattice.time, table.turn, table.first, table.step, table.alone, empty,
            feel.lag, feel.chord_sd, feel.note_sd, WIDEST_CHORD_S,
        )  # fmt: skip
        beat, division, slot = lattice.beat[chosen], lattice.division[chosen], lattice.slot[chosen]
        place = beat + table.slot_at[division, slot]
        best = Places(beat, place, division, slot, chord, feel, float(score))
        feel = estimate_feel(played.onset, lattice.time[chosen], chord)
    assert best is not None
    return best


def estimate_feel(onset: Floats, place_s: Floats, chord: Ints) -> Feel:
    """Lag (median over chords, at most 50 ms) and both deviations (with pseudo-counts), from a decoding."""
    numbers = np.arange(chord[-1] + 1)
    first = np.searchsorted(chord, numbers)
    size = np.diff(np.append(first, len(chord)))
    mean = np.add.reduceat(onset, first) / size
    residual = mean - place_s[first]
    lag = float(np.clip(np.median(residual), -MOST_LAG_S, MOST_LAG_S))
    inner = float(((onset - mean[chord]) ** 2).sum())
    freedom = len(onset) - len(numbers)
    note_var = (inner + PSEUDO_COUNT * NOTE_SD_S**2) / (freedom + PSEUDO_COUNT)
    outer = float((np.minimum(np.abs(residual - lag), 0.12) ** 2).sum() - (note_var / size).sum())
    chord_var = (max(outer, 0.0) + PSEUDO_COUNT * CHORD_SD_PRIOR_S**2) / (len(numbers) + PSEUDO_COUNT)
    return Feel(lag, max(chord_var, 0.006**2) ** 0.5, max(note_var, 0.004**2) ** 0.5)


def own_style(places: Places, grid: BeatGrid) -> RhythmTable:
    """The rhythm table with the take's own turns between divisions counted in."""
    turn, first, step = rhythm_counts()
    mine = np.zeros_like(turn)
    at = {int(k): int(g) for k, g in zip(places.beat, places.division, strict=True)}
    low, high = min(at), max(at)
    before = at[low]
    for k in range(low + 1, high + 1):
        g = at.get(k, EMPTY[int(grid.family[k])])
        mine[before, g] += 1
        before = g
    rows = np.maximum(turn.sum(1, keepdims=True), 1e-9)
    return tabulate(turn / rows * STYLE_PSEUDO_COUNT + mine, first, step)


def rivals_of(
    played: Played, grid: BeatGrid, allowed: Ints, table: RhythmTable, feel: Feel
) -> tuple[tuple[tuple[int, int, int, float], ...], ...]:
    """For each note the places it may stand at, as (beat, division, slot, probability), likeliest first."""
    empty = np.array([EMPTY[f] for f in grid.family], np.int64)
    lattice = lattice_of(played, grid, allowed, table, feel.lag)
    share, place = posteriors(
        played.onset, played.release, played.key, lattice.start, lattice.beat, lattice.division, lattice.slot,
        lattice.time, table.turn, table.first, table.step, table.alone, empty,
        feel.lag, feel.chord_sd, feel.note_sd, WIDEST_CHORD_S, table.slot_at,
    )  # fmt: skip
    out = []
    for n in range(len(played.onset)):
        merged: dict[int, list[float]] = {}
        for c in range(lattice.start[n], lattice.start[n + 1]):
            key = round(float(place[c]) * 5040)
            old = merged.setdefault(key, [0.0, 0.0, c])
            old[0] += float(share[c])
            if share[c] > old[1]:
                old[1], old[2] = float(share[c]), c
        ranked = sorted(merged.values(), key=lambda v: -v[0])[:4]
        out.append(
            tuple(
                (int(lattice.beat[int(c)]), int(lattice.division[int(c)]), int(lattice.slot[int(c)]), p)
                for p, _, c in ranked
                if p > 0.001
            )
        )
    return tuple(out)


assert MOST_SLOTS == 16  # the width of the step table, which the lattice counts on
