"""Click reading: where each played note stands, when the beats are known.

    onsets + beats -> chords and places, jointly; the player's lag and unevenness are estimated on the way.

Conventions: seconds inside, ticks at the border. The constant lag of the player is positive when notes come late.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction as F

import numpy as np

from ductus.core.progress import passed, stretch
from ductus.core.reading.model import ReadSettings
from ductus.core.reading.quantization.asynchrony import HABITS, habits_of, middle, usual
from ductus.core.reading.quantization.beat_grid import BeatGrid
from ductus.core.reading.quantization.lattice import Decoding, Feel, Lattice, as_notes, posteriors
from ductus.core.reading.quantization.subdivisions import (
    COMPOUND,
    COUNT,
    DIVISIONS,
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

TUPLETS = frozenset(g for g, d in enumerate(DIVISIONS) if d.tuplet)
REACH_BEATS = 0.36  # a note is looked for within this share of a beat of its onset
LAG_STARTS_S = (-0.02, 0.0, 0.02)
CHORD_SD_STARTS_S = (0.012, 0.03)
NOTE_SD_S, CHORD_SD_PRIOR_S = 0.014, 0.020
PSEUDO_COUNT = 20  # of the priors on both deviations
LEAST_CHORD_SD_S = 0.006
# Beats that were found in the playing follow it, and fine places explain what is left: the less scatter, the more of
# them, and so on. No player is taken to be so even.
LEAST_CENTRED_SD_S = 0.027
MOST_LAG_S = 0.05
ROUNDS = 3
LEAST_SHARE = 0.002  # less likely places are not named as rivals
STYLE_PSEUDO_COUNT = 15.0  # how much the counts of scores weigh against the take's own turns, per row
FIGURE_PSEUDO_COUNT = 15.0  # and against its own figures inside a beat
STYLE_ROUNDS = 2  # readings that the take's own style is learned from, with a click
SHORT_TAKE = 60  # chords below which a take does not teach its own style
LONG_TAKE = 6000  # notes; a longer take is decoded in stretches
STRETCH = 3000  # notes of one
OVERLAP = 48  # notes that a stretch sees of its neighbours
SPARE_BEATS = 4
# Nats by which a reading with tuplets (or very fine values) must be likelier than one without, and for each beat of
# them, with a click and where the beats were found in the playing (and follow it into many a tuplet): by trial on open
# scores. The more of the beats have them, the less a beat must be worth.
RARE_WORTH = {False: (4.0, 0.5), True: (1.0, 2.45)}
PLAIN_PRICE = 1.2  # nats a step of "plainer" puts on each further halving of the beat


@dataclass(frozen=True, slots=True)
class NoteArrays:
    """Onsets (rising), releases in seconds and MIDI keys of the notes to be placed."""

    onset: Floats
    release: Floats
    key: Ints


@dataclass(frozen=True, slots=True)
class Places:
    """For each note: its beat and its place in beats, the division of its beat, its chord.

    The feel; the log likelihood; and for each note its rivals as (place in beats, probability), best first, the
    chosen one included.
    """

    beat: Ints
    place: Floats
    division: Ints
    slot: Ints
    chord: Ints
    feel: Feel
    score: float
    rivals: tuple[tuple[tuple[int, int, int, float], ...], ...] = ()  # (beat, division, slot, probability)


def place_onward(played: NoteArrays, grid: BeatGrid, settings: ReadSettings, feel: Feel) -> Places:
    """Places of a stretch whose player is known already: decoded once; the feel that comes back has learned from it."""
    table = plainer(rhythm_table(), settings.plainness)
    lattice = lattice_of(played, grid, allowed_by_beat(grid, settings), table)
    found = refine(played, lattice, table, [feel], 1)
    time_s = grid.seconds[found.beat] + (found.place - found.beat) * np.diff(grid.seconds)[found.beat]
    return replace(found, feel=estimate_feel(played.onset, time_s, found.chord, lattice.habit))


def place_notes(
    played: NoteArrays, grid: BeatGrid, settings: ReadSettings, *, rivals: bool = False, centred: bool = False
) -> Places:
    """Find the likeliest places: several starts, each refined by re-estimation; the best likelihood wins.

    ``centred``: the beats were found from the same notes, so that there is no lag to look for."""
    allowed = allowed_by_beat(grid, settings)
    table = plainer(rhythm_table(), settings.plainness)
    habit, lags = habits_of(played.onset, played.release, played.key)
    first = (0.0,) if centred else LAG_STARTS_S
    starts = [Feel(lag, sd, NOTE_SD_S, lags) for sd in CHORD_SD_STARTS_S for lag in first]
    lattice = lattice_of(played, grid, allowed, table, habit)
    passed(0.1)
    found = refine(played, lattice, table, starts, ROUNDS, centred=centred)
    passed(0.6)
    rounds = 1 if centred else STYLE_ROUNDS
    for _ in range(rounds if found.chord[-1] + 1 >= SHORT_TAKE else 0):
        table = plainer(own_style(found, grid, figures=not centred), settings.plainness)
        lattice = lattice.under(table)
        found = refine(played, lattice, table, [found.feel], 2, centred=centred)
    passed(0.8)
    gone: frozenset[int] = frozenset()
    for rare in rare_kinds(settings):
        if beats := beats_in(found, rare):
            plain, lattice_without = without(rare | gone, played, grid, settings, found.feel, habit, centred)
            share = beats / beats_in(found)
            worth, each = RARE_WORTH[centred]
            if found.score - plain.score < worth + each * beats * (1 - share / 2):
                found, lattice, gone = plain, lattice_without, rare | gone
    if holds_values(settings) and beats_in(found, TUPLETS):
        open_ = place_notes(played, grid, replace(settings, shortest=None), centred=centred)
        found, lattice = without(
            TUPLETS, played, grid, settings, found.feel, habit, centred, but=beats_of(open_, TUPLETS)
        )
    if rivals:
        found = replace(found, rivals=rivals_of(lattice, len(played.onset), found.feel))
    return found


def holds_values(settings: ReadSettings) -> bool:
    """Was a shortest value chosen, and nothing of tuplets?

    Then those that were played stand, and none is written for finer notes that it leaves out.
    """
    return settings.shortest is not None and settings.tuplets is None and not settings.tuplet_kinds


def beats_of(found: Places, kinds: frozenset[int]) -> list[int]:
    """The beats that are divided in one of these kinds."""
    return sorted({k for k, g in zip(found.beat.tolist(), found.division.tolist(), strict=True) if g in kinds})


def beats_in(found: Places, kinds: frozenset[int] | None = None) -> int:
    """How many beats have a note, or are divided in one of these kinds."""
    return len(
        {k for k, g in zip(found.beat.tolist(), found.division.tolist(), strict=True) if kinds is None or g in kinds}
    )


def rare_kinds(settings: ReadSettings) -> list[frozenset[int]]:
    """Divisions that a take has or has not, where nobody said.

    Tuplets; values finer than a quarter of a simple beat, a sixth of a compound one.
    """
    fine = frozenset(
        g for g, d in enumerate(DIVISIONS) if d.slots and d.step < (F(1, 6) if d.family == COMPOUND else F(1, 4))
    )
    return [k for k, open_ in ((TUPLETS, settings.tuplets is None), (fine, settings.shortest is None)) if open_]


def without(
    rare: frozenset[int],
    played: NoteArrays,
    grid: BeatGrid,
    settings: ReadSettings,
    feel: Feel,
    habit: Ints,
    centred: bool,
    but: Sequence[int] = (),
) -> tuple[Places, Lattice]:
    """The places if some divisions are not in the take at all (``but`` in these beats).

    Evidence for such things belongs to the take: a lone triplet in music of sixteenths is nearly always unevenness,
    a lone 32nd before a beat a hand that comes early.
    """
    allowed = allowed_by_beat(grid, settings)
    kept = allowed[list(but)]
    allowed[:, sorted(rare)] = 0
    allowed[list(but)] = kept
    table = plainer(rhythm_table(), settings.plainness)
    lattice = lattice_of(played, grid, allowed, table, habit)
    found = refine(played, lattice, table, [feel], 2, centred=centred)
    if found.chord[-1] + 1 >= SHORT_TAKE:
        table = plainer(own_style(found, grid, figures=not centred), settings.plainness)
        lattice = lattice.under(table)
        found = refine(played, lattice, table, [found.feel], 2, centred=centred)
    return found, lattice


def place_take(
    played: NoteArrays, grid: BeatGrid, settings: ReadSettings, *, rivals: bool = False, centred: bool = False
) -> Places:
    """``place_notes`` for takes of any length.

    The player and the style of a long one are learned from its beginning, then it is decoded stretch by stretch, so
    that time and memory stay in proportion.
    """
    count = len(played.onset)
    if count <= LONG_TAKE:
        return place_notes(played, grid, settings, rivals=rivals, centred=centred)
    edges = stretches(played.onset)
    with stretch(0.0, 0.1):
        head = part_of(played, 0, edges[1])
        learned = place_notes(head, grid_between(grid, head)[1], settings, centred=centred)
    style = own_style(learned, grid_between(grid, head)[1], figures=not centred)
    table = plainer(style, settings.plainness)
    feel, chords = learned.feel, 0
    found: list[Places] = []
    for first, last in itertools.pairwise(edges):
        passed(0.1 + 0.9 * first / count)
        a, b = max(first - OVERLAP, 0), min(last + OVERLAP, count)
        piece = part_of(played, a, b)
        offset, beats = grid_between(grid, piece)
        habit, _ = habits_of(piece.onset, piece.release, piece.key)
        lattice = lattice_of(piece, beats, allowed_by_beat(beats, settings), table, habit)
        here = refine(piece, lattice, table, [feel], 2)
        feel = here.feel
        own = slice(first - a, last - a)
        ranked = rivals_of(lattice, b - a, feel)[own] if rivals else ()
        chord = here.chord[own]
        found.append(
            Places(
                here.beat[own] + offset,
                here.place[own] + offset,
                here.division[own],
                here.slot[own],
                chord - chord[0] + chords,
                feel,
                here.score,
                tuple(tuple((beat + offset, g, s, p) for beat, g, s, p in row) for row in ranked),
            )
        )
        chords = int(found[-1].chord[-1]) + 1
    return _joined(found, learned.feel)


def _joined(found: Sequence[Places], feel: Feel) -> Places:
    """The places of one stretch after the other, of a player with this feel."""
    rows = {
        name: np.concatenate([getattr(f, name) for f in found])
        for name in ("beat", "place", "division", "slot", "chord")
    }
    rivals = tuple(row for f in found for row in f.rivals)
    return Places(**rows, feel=feel, score=sum(f.score for f in found), rivals=rivals)


def stretches(onset: Floats) -> list[int]:
    """Where a long take is cut: at the widest gap near every STRETCH notes, so that no chord is cut."""
    edges, count = [0], len(onset)
    while count - edges[-1] > STRETCH * 3 // 2:
        middle = edges[-1] + STRETCH
        near = slice(middle - STRETCH // 8, middle + STRETCH // 8)
        edges.append(near.start + int(np.diff(onset[near]).argmax()) + 1)
    return [*edges, count]


def part_of(played: NoteArrays, first: int, last: int) -> NoteArrays:
    """The notes first..last-1."""
    return NoteArrays(played.onset[first:last], played.release[first:last], played.key[first:last])


def grid_between(grid: BeatGrid, played: NoteArrays) -> tuple[int, BeatGrid]:
    """The beats around some notes, and the number of the first of them in the whole grid."""
    last_beat = len(grid.family)
    a = max(int(np.searchsorted(grid.seconds, played.onset[0], "right")) - 1 - SPARE_BEATS, 0)
    b = min(int(np.searchsorted(grid.seconds, played.onset[-1], "right")) + SPARE_BEATS, last_beat)
    return a, BeatGrid(grid.ticks[a : b + 1], grid.seconds[a : b + 1], grid.family[a:b])


def allowed_by_beat(grid: BeatGrid, settings: ReadSettings) -> Ints:
    """For each beat a row of ones for the divisions it may take."""
    allowed = np.zeros((len(grid.ticks) - 1, COUNT), np.int64)
    known: dict[tuple[int, int], list[int]] = {}
    for k in range(len(allowed)):
        kind = (int(grid.ticks[k + 1] - grid.ticks[k]), int(grid.family[k]))
        if kind not in known:
            known[kind] = allowed_divisions(
                *kind, settings.shortest, settings.tuplets, settings.tuplet_kinds, settings.tuplet_shortest
            )
        allowed[k, known[kind]] = 1
    return allowed


def plainer(table: RhythmTable, plainness: int) -> RhythmTable:
    """The table with a price (or, for "finer", a discount) on divisions with more slots."""
    if not plainness:
        return table
    price = plainness * PLAIN_PRICE * np.log2(np.maximum(table.slots, 1))
    return replace(table, turn=table.turn - price, alone=table.alone - price)


def lattice_of(
    played: NoteArrays, grid: BeatGrid, allowed: Ints, table: RhythmTable, habit: Ints | None = None
) -> Lattice:
    """The lattice of a take over a grid."""
    return Lattice(
        played.onset, played.release, played.key, grid.seconds, grid.family, allowed, table, REACH_BEATS, habit
    )


def refine(
    played: NoteArrays,
    lattice: Lattice,
    table: RhythmTable,
    feels: Sequence[Feel],
    rounds: int,
    *,
    centred: bool = False,
) -> Places:
    """Decode and estimate the feel by turns, from several starts at once; the best of the last round."""
    least = LEAST_CENTRED_SD_S if centred else LEAST_CHORD_SD_S
    for _ in range(rounds - 1):
        decoding = Decoding(lattice, feels)
        decoded = (as_notes(decoding.path(k), lattice) for k in range(len(feels)))
        feels = distinct(
            [estimate_feel(played.onset, time, chord, lattice.habit, least) for _, _, _, time, chord in decoded]
        )
    decoding = Decoding(lattice, feels)
    best = int(decoding.scores.argmax())
    beat, division, slot, _, chord = as_notes(decoding.path(best), lattice)
    score = float(decoding.scores[best])
    return Places(beat, beat + table.slot_at[division, slot], division, slot, chord, feels[best], score)


def distinct(feels: Sequence[Feel]) -> list[Feel]:
    """Feels that differ by at least a tenth of a millisecond: starts that met need not be followed twice."""
    return list({tuple(round(v * 1e4) for v in (f.lag, f.chord_sd, f.note_sd, *f.habits)): f for f in feels}.values())


def estimate_feel(
    onset: Floats, place_s: Floats, chord: Ints, habit: Ints | None, least: float = LEAST_CHORD_SD_S
) -> Feel:
    """Lag (median over chords, at most 50 ms), habits (medians, with pseudo-counts) and both deviations (with
    pseudo-counts; that of chords at ``least``), from a decoding.
    """
    numbers = np.arange(chord[-1] + 1)
    first = np.searchsorted(chord, numbers)
    size = np.diff(np.append(first, len(chord)))
    lag = float(np.clip(middle(np.add.reduceat(onset, first) / size - place_s[first]), -MOST_LAG_S, MOST_LAG_S))
    habits = (0.0,) * HABITS
    if habit is not None:
        habits = tuple(usual((onset - place_s - lag)[habit == kind]) for kind in range(HABITS))
        onset = onset - np.array(habits)[habit]
    mean = np.add.reduceat(onset, first) / size
    residual = mean - place_s[first]
    inner = float(((onset - mean[chord]) ** 2).sum())
    freedom = len(onset) - len(numbers)
    note_var = (inner + PSEUDO_COUNT * NOTE_SD_S**2) / (freedom + PSEUDO_COUNT)
    outer = float((np.minimum(np.abs(residual - lag), 0.12) ** 2).sum() - (note_var / size).sum())
    chord_var = (max(outer, 0.0) + PSEUDO_COUNT * CHORD_SD_PRIOR_S**2) / (len(numbers) + PSEUDO_COUNT)
    return Feel(lag, max(chord_var, least**2) ** 0.5, max(note_var, 0.004**2) ** 0.5, habits)


def own_style(places: Places, grid: BeatGrid, *, figures: bool) -> RhythmTable:
    """The rhythm table with the take's own turns between divisions counted in, and its figures inside them (not
    where the beats were found in the playing: what was misread there comes back).
    """
    turn, first, step = rhythm_counts()
    my_turn, my_first, my_step = np.zeros_like(turn), np.zeros_like(first), np.zeros_like(step)
    division: dict[int, int] = {}
    struck: dict[int, set[int]] = {}
    for k, g, s in zip(places.beat.tolist(), places.division.tolist(), places.slot.tolist(), strict=True):
        division[k] = g
        struck.setdefault(k, set()).add(s)
    beats = range(min(division), max(division) + 1)
    row = [division.get(k, EMPTY[int(grid.family[k])]) for k in beats]
    np.add.at(my_turn, (row[:-1], row[1:]), 1)
    for k, slots in struck.items() if figures else ():
        g, at = division[k], sorted(slots)
        my_first[g, at[0]] += 1
        np.add.at(my_step, (g, at, [*at[1:], MOST_SLOTS]), 1)
    turn = turn / np.maximum(turn.sum(1, keepdims=True), 1e-9) * STYLE_PSEUDO_COUNT
    if not figures:
        return tabulate(turn + my_turn, first, step)
    return tabulate(turn + my_turn, at_most(first) + my_first, at_most(step) + my_step)


def at_most(counts: Floats) -> Floats:
    """The counts of scores, no row weighing more than FIGURE_PSEUDO_COUNT against the take's own."""
    total = counts.sum(-1, keepdims=True)
    return np.asarray(counts * (np.minimum(total, FIGURE_PSEUDO_COUNT) / np.maximum(total, 1e-9)))


def rivals_of(lattice: Lattice, count: int, feel: Feel) -> tuple[tuple[tuple[int, int, int, float], ...], ...]:
    """For each note the places it may stand at, as (beat, division, slot, probability), likeliest first."""
    merged: list[dict[F, list[float]]] = [{} for _ in range(count)]
    for segment, share in posteriors(lattice, feel):
        found = lattice.candidates[segment.last]
        for c in np.flatnonzero(share > LEAST_SHARE):
            beat, division, slot = int(found.beat[c]), int(found.division[c]), int(found.slot[c])
            place = beat + DIVISIONS[division].slots[slot]
            for n in range(segment.first, segment.last + 1):
                row = merged[n].setdefault(place, [0.0, 0.0, beat, division, slot])
                row[0] += float(share[c])
                if share[c] > row[1]:
                    row[1:] = [float(share[c]), beat, division, slot]
    return tuple(
        tuple((int(r[2]), int(r[3]), int(r[4]), min(r[0], 1.0)) for r in sorted(rows.values(), key=lambda r: -r[0])[:4])
        for rows in merged
    )
