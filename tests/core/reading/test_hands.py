"""Hands by the boundary between them.

What a keyboard player would take with which hand, pins, length, and how the chain is worked out.
"""

from __future__ import annotations

import itertools
import random

import numpy as np
import pytest

from ductus.core.reading.hands import split_path as boundary
from ductus.core.reading.hands.features import hand_logits, hand_weights, hands_by_reach
from ductus.core.reading.hands.split_path import BOUNDARIES, PAIRS, UNARY, hurry, likeliest, struck, unaries

Chord = tuple[float, list[int]]


def notes_of(chords: list[Chord], held_s: float = 0.4) -> tuple[np.ndarray, ...]:
    """(onset, release, key, chord) of chords (seconds, keys)."""
    rows = [(at + 0.004 * k, at + held_s, key, c) for c, (at, keys) in enumerate(chords) for k, key in enumerate(keys)]
    return tuple(np.array(column) for column in zip(*rows, strict=True))


def hands(chords: list[Chord], held_s: float = 0.4, pins: dict[int, int] | None = None) -> list[list[int]]:
    """The hand of each note, chord by chord (keys in the order they were given)."""
    on, off, key, number = notes_of(chords, held_s)
    found = iter(hands_by_reach(on, off, key, number, pins)[0].tolist())
    return [[next(found) for _ in keys] for _, keys in chords]


def steps(rows: list[list[int]], step_s: float = 0.5) -> list[Chord]:
    return [(1 + k * step_s, keys) for k, keys in enumerate(rows)]


def test_a_tune_over_bass_and_chords() -> None:
    """Bass and off-beat chords to the left, the tune to the right (common practice of a waltz)."""
    bar = [[43, 79], [55, 59, 81], [55, 59, 83]]
    assert hands(steps(bar * 8)) == [[2, 1], [2, 2, 1], [2, 2, 1]] * 8


def test_four_parts_are_shared_two_and_two() -> None:
    """Close-position chords of a chorale: bass and tenor, alto and soprano (common practice at the keyboard)."""
    rows = [
        [48, 55, 64, 72],
        [53, 57, 65, 72],
        [55, 59, 62, 74],
        [48, 55, 64, 72],
        [45, 57, 60, 76],
        [50, 57, 65, 74],
        [43, 59, 62, 71],
        [48, 60, 64, 67],
    ]
    found = hands(steps(rows * 3, 0.8), 0.75)
    assert sum(row == [2, 2, 1, 1] for row in found) >= 0.85 * len(found)


def test_a_line_alone_stays_in_one_hand() -> None:
    """A scale of an octave and a half is not handed over in its middle."""
    scale = [60, 62, 64, 65, 67, 69, 71, 72, 74, 76, 77, 79]
    found = hands(steps([[k] for k in scale + scale[::-1]], 0.2), 0.19)
    assert len({h for row in found for h in row}) == 1


def test_a_quick_line_changes_hands_at_its_leap_and_not_in_its_scale() -> None:
    """Scales up in the left hand, answers from above in the right (common practice of running passages), a chord of
    both before each.
    """
    up, answer = (48, 50, 52, 53, 55, 57, 59, 60), (76, 79, 77, 76, 74, 72, 71, 69)
    rows = [[43, 50, 79], *([key] for key in (*up, *answer))] * 4
    assert hands(steps(rows, 0.12), 0.11) == [[2, 2, 1], *[[2]] * 8, *[[1]] * 8] * 4


def test_hands_far_apart_keep_to_themselves_in_octaves() -> None:
    rows = [[36 + k, 48 + k, 72 + k, 84 + k] for k in (0, 2, 4, 5, 7, 5, 4, 2)]
    assert hands(steps(rows, 0.4)) == [[2, 2, 1, 1]] * 8


def test_pins_are_obeyed() -> None:
    chords = steps([[48, 76], [50, 77], [52, 79], [53, 81]])
    found = hands(chords, pins={3: 2, 4: 1})
    assert (found[1][1], found[2][0]) == (2, 1)


def test_the_way_is_the_likeliest_of_all_ways() -> None:
    """The chain against every way tried out, for three chords and a few boundaries (a check by brute force)."""
    on, off, key, number = notes_of(steps([[48, 64], [52, 67, 71], [50, 65]]))
    notes = struck(on, off, key, number, hand_logits(on, off, key))
    _, unary, pair = hand_weights()
    score = unaries(notes, 0, 3) @ unary
    far = np.abs(BOUNDARIES[:, None] - BOUNDARIES[None, :]) / 12
    costs = [far * (pair[0] + pair[1] * hurry(notes, c)) + pair[2] * (far > 0) for c in (1, 2)]
    states = range(len(BOUNDARIES))
    best = max(
        itertools.product(states, repeat=3),
        key=lambda w: score[0, w[0]] + score[1, w[1]] + score[2, w[2]] - costs[0][w[0], w[1]] - costs[1][w[1], w[2]],
    )
    chosen, chance = likeliest(notes, unary, pair, {})
    assert tuple(chosen.tolist()) == best
    assert chance.sum(1) == pytest.approx(np.ones(3))


def test_what_comes_back_speaks_for_the_same_hand() -> None:
    """By hand: the middle note of a chord of three, sure to be the left hand's twice, is weighed by (0 + .25) / (2 +
    .5) for the right hand where it comes again; the same key at another place of its chord, or alone, says
    nothing of it.
    """
    on, off, key, number = notes_of(steps([[50, 60, 70], [50, 60, 70], [50, 60, 70], [60, 64, 72], [60]]))
    notes = struck(on, off, key, number, np.zeros(len(on)))
    chance = np.zeros((5, len(BOUNDARIES)))
    chance[:2, 65 - BOUNDARIES[0]] = 1  # cut between 60 and 70
    chance[2:, :] = 1 / len(BOUNDARIES)
    score = np.zeros_like(chance)
    boundary.add_elsewhere(score, notes, chance)
    with_right, with_left = score[2, 60 - BOUNDARIES[0]], score[2, 61 - BOUNDARIES[0]]
    assert with_left - with_right == pytest.approx(np.log(2.25 / 0.25))
    assert score[3] == pytest.approx(score[3, 0])
    assert score[4] == pytest.approx(score[4, 0])


def test_figures_that_come_back_are_cut_alike(monkeypatch: pytest.MonkeyPatch) -> None:
    """Among other chords each time: how many chords that return are not always cut in the same way."""

    def cut_in_two_ways() -> int:
        rng, found = random.Random(2), 0
        for _ in range(20):
            figure, *others = (
                [sorted(rng.sample(range(46, 78), rng.choice((1, 2, 3)))) for _ in range(4)] for _ in range(4)
            )
            rows = [chord for other in others for chord in (*figure, *other)]
            cuts: dict[tuple[int, ...], set[tuple[int, ...]]] = {}
            for chord, hand in zip(rows, hands(steps(rows, 0.3)), strict=True):
                cuts.setdefault(tuple(chord), set()).add(tuple(hand))
            found += sum(len(ways) > 1 for ways in cuts.values())
        return found

    now = cut_in_two_ways()
    for name in ("ELSEWHERE", "ELSEWHERE_ALONE"):
        monkeypatch.setattr(boundary, name, 0.0)
    assert now < 0.8 * cut_in_two_ways()


def test_features_are_the_same_in_stretches_of_any_length(monkeypatch: pytest.MonkeyPatch) -> None:
    rng = np.random.default_rng(3)
    count = 160
    on = np.sort(rng.uniform(0, 60, count))
    key = rng.integers(36, 90, count)
    notes = struck(on, on + rng.uniform(0.1, 2.0, count), key, np.arange(count), rng.normal(size=count))
    whole = unaries(notes, 0, count)
    parts = np.concatenate([unaries(notes, k, min(k + 23, count)) for k in range(0, count, 23)])
    assert np.allclose(whole, parts, rtol=1e-6, atol=1e-12)
    assert whole.shape == (count, len(BOUNDARIES), UNARY)
    _, unary, pair = hand_weights()
    assert (len(unary), len(pair)) == (UNARY, PAIRS)
    at_once = likeliest(notes, unary, pair, {})[0]
    monkeypatch.setattr(boundary, "BLOCK", 17)
    assert (likeliest(notes, unary, pair, {})[0] == at_once).all()


def test_one_note_and_wide_hands_are_no_trouble() -> None:
    assert hands([(1.0, [84])]) == [[1]]
    assert hands([(1.0, [24])]) == [[2]]
    assert all(h in (1, 2) for row in hands(steps([[21, 40, 60, 80, 108]] * 3)) for h in row)


@pytest.mark.parametrize(
    ("rows", "wanted"),
    [
        ([[60, 64, 67, 70, 79, 91]], [[2, 2, 2, 2, 1, 1]]),  # a chord under an octave
        (
            [[38, 50], [50, 54, 57, 69, 78]],
            [[2, 2], [2, 2, 2, 1, 1]],
        ),  # a bass in octaves, its chord close under the tune
        ([[40, 52, 64, 68, 71]], [[2, 2, 1, 1, 1]]),
    ],
)
def test_no_hand_is_given_more_than_it_can_strike_at_once(rows: list[list[int]], wanted: list[list[int]]) -> None:
    """A tenth is the most that most hands take (common practice); the other hand is free to take it."""
    assert hands(steps(rows * 8, 0.6)) == wanted * 8
