"""Where the keyboard is cut between the hands at every chord, seen as one chain over the take.

chords -> what each boundary pitch would mean for each chord -> the likeliest way of the boundary, and how sure each
chord is of it

A *boundary* is a pitch: what lies below it belongs to the left hand. Its state is remembered from chord to chord, so
that a hand that rests keeps its room; moving it costs. The chain is worked out twice: the second time every note
also knows where notes like it went elsewhere in the take. A linear-chain conditional random field (Lafferty,
McCallum & Pereira 2001, from memory), fitted by ``tools/fit_hands.py``.

Conventions: seconds; MIDI keys; notes in order of chord.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ductus.core.reading.quantization.subdivisions import Floats, Ints

Singles = NDArray[np.float32]
Flags = NDArray[np.bool_]

LOWEST, HIGHEST = 34, 90  # boundaries tried: at the ends one hand has (nearly) everything
BOUNDARIES: Ints = np.arange(LOWEST, HIGHEST + 1)
WINDOW = 24  # notes back that may still be held, or that a line may go on from
LATE_S = 0.06  # a note let go so soon after the chord began does not sound with it
ACTIVE_S = (2.0, 6.0)  # what each hand does is judged over this time on each side
SHARES = 19  # ways of sharing 1, 2, 3, 4 or more notes
LINKED = 7  # semitones within which a note goes on from another
SIZES = 3  # two notes or fewer, three, more: a wide gap tells less the more notes there are
CUT = slice(2 * SHARES + 6, 2 * SHARES + 6 + 3 * SIZES)
RUNS = 5  # what is known of quick lines
UNARY = 2 * SHARES + 27 + 3 * SIZES + RUNS
EASY, WIDE = 12, 16  # semitones that any hand takes at once, and that few do (common practice: an octave, a tenth)
PAIRS = 3
HURRIED_S = 0.5  # time between chords from which on nobody is in a hurry
LEAP = 8  # semitones beyond which a line leaps widely
OCTAVES = (BOUNDARIES / 12).astype(np.float32)
KEPT_MOVES = 300
BLOCK = 1024  # chords worked out at once
ELSEWHERE, ELSEWHERE_ALONE = 1.0, 0.5  # weight of what like notes elsewhere say, in chords and alone
ELSEWHERE_PSEUDO_COUNT = 0.5


@dataclass(frozen=True, slots=True)
class Struck:
    """Notes in chords: time and first note of each chord (one more first note for the end), the notes' releases,
    keys, and ln(odds of the right hand).
    """

    time: Floats
    first: Ints
    off: Floats
    pitch: Ints
    logit: Floats

    def __len__(self) -> int:
        return len(self.time)


def struck(on: Floats, off: Floats, pitch: Ints, chord: Ints, logit: Floats) -> Struck:
    """Gather notes (``chord`` numbers their chords from 0, rising)."""
    first = np.searchsorted(chord, np.arange(int(chord[-1]) + 2))
    return Struck(on[first[:-1]], first, off, pitch, logit)


def unaries(notes: Struck, start: int, end: int) -> Singles:
    """What each boundary means for the chords [start, end): shape (chords, boundaries, UNARY).

    0-18 how the struck notes are shared; 19-37 the same for all that sound; 38-43 span of either hand beyond a
    fifth, an octave, a tenth; 44-52 the gap at the cut, its share of the widest, the gap among the struck, by how
    many notes sound; 53 what the notes say one by one; 54-63 how active either side is; 64-65 how far the number of
    notes is from what that hand is used to; 66-67 lines cut in two, backward and forward; 68-71 leaps of either
    hand, and a hand that comes from nowhere; 72-76 quick lines of single notes cut at a step, at a third or fourth,
    at the end and at the beginning of a scale, and the wide leaps of those that are not cut; 77-78 what either hand
    would have to strike at once beyond an octave and a tenth, in thirds of an octave.
    """
    out = np.zeros((end - start, len(BOUNDARIES), UNARY), np.float32)
    begun, ended = notes.first[start:end], notes.first[start + 1 : end + 1]
    size = ended - begun
    most = int(size.max())
    rows = np.arange(end - start)
    mine = begun[:, None] + np.arange(most)[None, :]
    there = mine < ended[:, None]
    mine = np.clip(mine, 0, len(notes.pitch) - 1)
    struck_pitch = np.where(there, notes.pitch[mine], 0)
    lower = there[:, :, None] & (struck_pitch[:, :, None] < BOUNDARIES)
    upper = there[:, :, None] & ~lower
    k = lower.sum(1)
    _shares(out[:, :, :SHARES], k, size)
    back = begun[:, None] - 1 - np.arange(WINDOW)[None, :]
    before = back >= 0
    back = np.clip(back, 0, len(notes.pitch) - 1)
    held = before & (notes.off[back] > notes.time[start:end, None] + LATE_S)
    pitch = np.concatenate((struck_pitch, notes.pitch[back]), 1)
    sounds = np.concatenate((there, held), 1)
    under = sounds[:, :, None] & (pitch[:, :, None] < BOUNDARIES)
    over = sounds[:, :, None] & ~(pitch[:, :, None] < BOUNDARIES)
    _shares(out[:, :, SHARES : 2 * SHARES], under.sum(1), sounds.sum(1))
    size_class = np.clip(sounds.sum(1) - 2, 0, SIZES - 1)
    _spans(out[:, :, 2 * SHARES : CUT.stop], pitch, size_class, under, over, lower, upper)
    at = CUT.stop
    logit = np.where(there, np.clip(notes.logit[mine], -6, 6), 0)
    as_right, as_left = -np.logaddexp(0, -logit), -np.logaddexp(0, logit)
    out[:, :, at] = (np.where(lower, as_left[:, :, None], 0) + np.where(upper, as_right[:, :, None], 0)).sum(1)
    at += 1
    _activity(out[:, :, at : at + 12], notes, start, end, k, size)
    at += 12
    _lines(out[:, :, at : at + 6], notes, start, end, (struck_pitch, there), rows)
    _runs(out[:, :, at + 6 : at + 6 + RUNS], notes, start, end)
    _reach(out[:, :, at + 6 + RUNS :], struck_pitch, there, lower, upper)
    return out


def _shares(out: Singles, k: Ints, size: Ints) -> None:
    """One of SHARES for each boundary: which share of the notes lies below it."""
    small = np.clip(size, 0, 4)[:, None]
    offset = np.array([0, 0, 2, 5, 9])[small]
    column = np.minimum(offset + k, SHARES - 1)
    share = k / np.maximum(size, 1)[:, None]
    many = 14 + (share > 0) + (share >= 0.4) + (share > 0.6) + (share >= 1)
    column = np.where(size[:, None] > 4, many, column)
    np.put_along_axis(out, column[:, :, None], 1.0, axis=2)


def _spans(out: Singles, pitch: Ints, size_class: Ints, under: Flags, over: Flags, lower: Flags, upper: Flags) -> None:
    """Spans of the hands over all that sounds, and the gaps at the cut. ``pitch`` has the struck notes first."""
    most = lower.shape[1]
    wide = pitch[:, :, None].astype(np.float32)
    left_top, right_low = np.where(under, wide, -99).max(1), np.where(over, wide, 999).min(1)
    left_low, right_top = np.where(under, wide, 999).min(1), np.where(over, wide, -99).max(1)
    for side, span in enumerate((left_top - left_low, right_top - right_low)):
        for n, limit in enumerate((7, 12, 16)):
            out[:, :, 3 * side + n] = np.maximum(span - limit, 0) / 12
    both = (left_top > 0) & (right_low < 999)
    gap = np.where(both, right_low - left_top, 0)
    rows, column = np.arange(len(pitch)), 6 + 3 * size_class
    out[rows, :, column] = np.minimum(gap, 18) / 12
    out[rows, :, column + 1] = gap / np.maximum(gap.max(1, keepdims=True), 1)
    struck_top = np.where(lower, wide[:, :most], -99).max(1)
    struck_low = np.where(upper, wide[:, :most], 999).min(1)
    out[rows, :, column + 2] = (
        np.where((struck_top > 0) & (struck_low < 999), np.minimum(struck_low - struck_top, 18), 0) / 12
    )


def _reach(out: Singles, pitch: Ints, there: Flags, lower: Flags, upper: Flags) -> None:
    """What a hand can strike at once is bounded by its size, whatever the music."""
    wide = pitch.astype(np.float32)
    lowest, highest = np.where(there, wide, 999).min(1)[:, None], np.where(there, wide, -99).max(1)[:, None]
    left_top = np.where(lower, wide[:, :, None], -99).max(1)
    right_low = np.where(upper, wide[:, :, None], 999).min(1)
    spans = np.where(left_top > 0, left_top - lowest, 0), np.where(right_low < 999, highest - right_low, 0)
    for n, limit in enumerate((EASY, WIDE)):
        out[:, :, n] = sum(np.maximum(span - limit, 0) for span in spans) / 4


def _activity(out: Singles, notes: Struck, start: int, end: int, k: Ints, size: Ints) -> None:
    """How busy the keyboard is below and above each boundary around a chord, and how many notes it strikes there at
    a time.
    """
    low = int(np.searchsorted(notes.time, notes.time[start] - max(ACTIVE_S)))
    high = int(np.searchsorted(notes.time, notes.time[end - 1] + max(ACTIVE_S), side="right"))
    begun = notes.first[low : high + 1]
    below = np.zeros((begun[-1] - begun[0] + 1, len(BOUNDARIES)), np.int32)
    below[1:] = (notes.pitch[begun[0] : begun[-1], None] < BOUNDARIES).cumsum(0)
    counts = below[begun[1:] - begun[0]] - below[begun[:-1] - begun[0]]
    sizes = np.diff(begun)[:, None]
    running = [
        np.concatenate((np.zeros((1, len(BOUNDARIES))), what.cumsum(0)))
        for what in (counts > 0, counts < sizes, counts, sizes - counts)
    ]
    for n, window in enumerate(ACTIVE_S):
        a = np.searchsorted(notes.time, notes.time[start:end] - window) - low
        b = np.searchsorted(notes.time, notes.time[start:end] + window, side="right") - low
        lefts, rights, left_notes, right_notes = (r[b] - r[a] for r in running)
        total = (b - a)[:, None]
        fb, fa = lefts / total, rights / total
        for column, what in enumerate((fb, fa, fb * fa, lefts == 0, rights == 0)):
            out[:, :, 5 * n + column] = what
        if n == 0:
            usual_left, usual_right = left_notes / np.maximum(lefts, 1), right_notes / np.maximum(rights, 1)
            out[:, :, 10] = np.where(k > 0, np.abs(k - usual_left), 0)
            right = size[:, None] - k
            out[:, :, 11] = np.where(right > 0, np.abs(right - usual_right), 0)


def _lines(out: Singles, notes: Struck, start: int, end: int, here: tuple[Ints, Flags], rows: Ints) -> None:
    """What each boundary does to lines that lead into and out of a chord, and how far each hand leaps."""
    pitch, there = here
    lower = pitch[:, :, None] < BOUNDARIES
    count = len(notes.pitch)
    for column, (from_, step) in enumerate(((notes.first[start:end] - 1, -1), (notes.first[start + 1 : end + 1], 1))):
        other = from_[:, None] + step * np.arange(8)[None, :]
        valid = (other >= 0) & (other < count)
        other = np.clip(other, 0, count - 1)
        owner = np.searchsorted(notes.first, other, side="right") - 1
        valid &= np.abs(notes.time[owner] - notes.time[start:end, None]) < 1.0
        q = notes.pitch[other]
        d = np.where(valid[:, None, :], np.abs(q[:, None, :] - pitch[:, :, None]), 99)
        nearest = d.argmin(2)
        apart = np.take_along_axis(d, nearest[:, :, None], 2)[:, :, 0]
        linked = np.maximum(LINKED - apart, 0) / LINKED * there
        its = q[rows[:, None], nearest]
        cut = lower != (its[:, :, None] < BOUNDARIES)
        out[:, :, column] = (cut * linked[:, :, None]).sum(1)
        if step < 0:
            recent = valid[:, :, None]
            under = q[:, :, None] < BOUNDARIES
            for side in (0, 1):
                own = recent & (under if side == 0 else ~under)
                mine = there[:, :, None] & (lower if side == 0 else ~lower)
                leap = np.where(own[:, None, :, :], d[:, :, :, None], 99).min(2)
                nearest_leap = np.where(mine, leap, 99).min(1)
                known = nearest_leap < 99
                out[:, :, 2 + side] = np.where(known, np.minimum(nearest_leap, 24), 0) / 12
                out[:, :, 4 + side] = mine.any(1) & ~known


def _runs(out: Singles, notes: Struck, start: int, end: int) -> None:
    """What each boundary does to lines of notes one by one in quick succession (at full weight without time between
    them, at none from HURRIED_S on).
    """
    low, high = max(start - 2, 0), min(end + 1, len(notes))
    single = np.diff(notes.first[low : high + 1]) == 1
    pitch, time = notes.pitch[notes.first[low:high]], notes.time[low:high]
    step = np.concatenate(([0], np.diff(pitch)))
    quick = np.concatenate(([0.0], np.maximum(1 - np.diff(time) / HURRIED_S, 0) * (single[1:] & single[:-1])))
    stepwise = np.where((quick > 0) & (np.abs(step) <= 2), np.sign(step), 0)
    scale_before = (stepwise != 0) & (stepwise == np.concatenate(([0], stepwise[:-1])))
    scale_after = (stepwise != 0) & (stepwise == np.concatenate((stepwise[1:], [0])))
    here = slice(start - low, end - low)
    before = np.concatenate((pitch[:1], pitch[:-1]))[here, None] < BOUNDARIES
    cut = (pitch[here, None] < BOUNDARIES) != before
    far, weight = np.abs(step)[here], quick[here]
    kinds = (stepwise[here] != 0, (far > 2) & (far <= 5), scale_before[here], scale_after[here])
    for column, kind in enumerate(kinds):
        out[:, :, column] = cut * (weight * kind)[:, None]
    leap = np.clip((far - LEAP) / 12, 0, 1.5) * weight
    out[:, :, len(kinds)] = ~cut * leap[:, None]


def hurry(notes: Struck, c: int) -> float:
    """How little time has passed before chord ``c``: from 1 (none) to 0 (half a second or more)."""
    return float(max(1 - (notes.time[c] - notes.time[c - 1]) / HURRIED_S, 0.0))


class Moves:
    """The costs of all moves before a chord, and their likelihoods, for PAIRS weights.

    For an octave, for an octave in a hurry, for moving at all.
    """

    def __init__(self, weights: Floats) -> None:
        self._near, self._hurried = float(weights[0]), float(weights[1])
        self._apart = np.abs(OCTAVES[:, None] - OCTAVES[None, :])
        self._moving = np.float32(weights[-1]) * (1 - np.eye(len(OCTAVES), dtype=np.float32))
        self._known: dict[float, tuple[Singles, Floats]] = {}  # long silences are all alike

    def __call__(self, hurried: float) -> tuple[Singles, Floats]:
        """(cost, exp of minus it), from row to column, for a ``hurry``."""
        found = self._known.get(hurried)
        if found is None:
            cost = self._apart * np.float32(self._near + self._hurried * hurried) + self._moving
            found = cost, np.exp(-cost).astype(np.float64)
            if len(self._known) < KEPT_MOVES:
                self._known[hurried] = found
        return found


def likeliest(notes: Struck, unary: Floats, pair: Floats, pinned: Mapping[int, int]) -> tuple[Ints, Floats]:
    """(the boundary's number at each chord, the chance of each boundary there), worked out twice
    (``add_elsewhere``), pinned notes (index -> 1 or 2) obeyed where one boundary can.
    """
    count = len(notes)
    score = np.empty((count, len(BOUNDARIES)))
    for start in range(0, count, BLOCK):
        end = min(start + BLOCK, count)
        score[start:end] = unaries(notes, start, end) @ unary
    for n, hand in pinned.items():
        c = int(np.searchsorted(notes.first, n, side="right")) - 1
        score[c] -= 1e4 * ((notes.pitch[n] < BOUNDARIES) != (hand == 2))
    score -= score.max(1, keepdims=True)
    moves, hurried = Moves(pair), [0.0, *(hurry(notes, c) for c in range(1, count))]
    add_elsewhere(score, notes, chances(score, moves, hurried))
    score -= score.max(1, keepdims=True)
    return way(score, moves, hurried), chances(score, moves, hurried)


def chances(score: Floats, moves: Moves, hurried: Sequence[float]) -> Floats:
    """Forward-backward: the chance of each boundary at each chord. ``score``: ln, at most 0 in a row."""
    likely = np.exp(score)
    forward, out = np.empty_like(score), np.empty_like(score)
    forward[0] = likely[0]
    for c in range(1, len(score)):
        total = (forward[c - 1] @ moves(hurried[c])[1]) * likely[c]
        forward[c] = total / max(total.sum(), 1e-300)
    backward = np.ones(score.shape[1])
    for c in range(len(score) - 1, -1, -1):
        both = forward[c] * backward
        out[c] = both / max(both.sum(), 1e-300)
        if c:
            backward = moves(hurried[c])[1] @ (likely[c] * backward)
            backward /= max(backward.max(), 1e-300)
    return out


def way(score: Floats, moves: Moves, hurried: Sequence[float]) -> Ints:
    """Viterbi: the likeliest boundary at each chord, all taken together."""
    best, came = score[0].copy(), np.zeros(score.shape, np.int16)
    columns = np.arange(len(best))
    for c in range(1, len(score)):
        ways = best[:, None] - moves(hurried[c])[0]
        came[c] = ways.argmax(0)
        best = ways[came[c], columns] + score[c]
        best -= best.max()
    chosen = np.zeros(len(score), np.int64)
    chosen[-1] = int(best.argmax())
    for c in range(len(score) - 1, 0, -1):
        chosen[c - 1] = came[c][chosen[c]]
    return chosen


def chance_of_right(notes: Struck, chance: Floats) -> Floats:
    """For each note the chance that the boundary of its chord leaves it to the right hand."""
    highest = np.searchsorted(BOUNDARIES, notes.pitch, side="right") - 1  # the highest boundary that does
    own = np.repeat(np.arange(len(notes)), np.diff(notes.first))
    return np.asarray(np.where(highest >= 0, chance.cumsum(1)[own, np.maximum(highest, 0)], 0.0))


def add_elsewhere(score: Floats, notes: Struck, chance: Floats) -> None:
    """Add to each chord's scores what its notes say by where they lie elsewhere in the take.

    The same key, in chords of as many notes, at the same place from below (ln of the share of each hand, the chord
    itself left out). What comes back is played by the same hand.
    """
    size = np.diff(notes.first)
    own = np.repeat(np.arange(len(notes)), size)
    place = np.empty(len(own), np.int64)
    place[np.lexsort((notes.pitch, own))] = np.arange(len(own)) - notes.first[own]
    _, alike, times = np.unique(
        np.stack((notes.pitch, size[own], place)), axis=1, return_inverse=True, return_counts=True
    )
    right = chance_of_right(notes, chance)
    share = (np.bincount(alike, right)[alike] - right + ELSEWHERE_PSEUDO_COUNT / 2) / (
        times[alike] - 1 + ELSEWHERE_PSEUDO_COUNT
    )
    share = np.clip(share, 1e-9, 1 - 1e-9)
    weight = np.where(size[own] == 1, ELSEWHERE_ALONE, ELSEWHERE)
    as_right, as_left = weight * np.log(share), weight * np.log1p(-share)
    for start in range(0, len(notes), BLOCK):
        end = min(start + BLOCK, len(notes))
        mine = slice(notes.first[start], notes.first[end])
        said = np.where(notes.pitch[mine, None] < BOUNDARIES, as_left[mine, None], as_right[mine, None])
        score[start:end] += np.add.reduceat(said, notes.first[start:end] - notes.first[start], axis=0)


def cut_by_boundary(notes: Struck, unary: Floats, pair: Floats, pinned: Mapping[int, int]) -> tuple[Ints, Floats]:
    """The hand of each note (1 right, 2 left) and how sure it is (ln of the odds, -50 to 50.

    Under 0 where the likeliest way as a whole is not the likeliest here).
    """
    chosen, chance = likeliest(notes, unary, pair, pinned)
    left = notes.pitch < np.repeat(BOUNDARIES[chosen], np.diff(notes.first))
    right = chance_of_right(notes, chance)
    own = np.clip(np.where(left, 1 - right, right), 1e-15, 1 - 1e-15)
    hand = np.where(left, 2, 1)
    for n, side in pinned.items():
        hand[n] = side
    return hand, np.clip(np.log(own / (1 - own)), -50, 50)
