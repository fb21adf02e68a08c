"""The cheapest way through two performances is what the edit distance of the literature says."""

from __future__ import annotations

import random
import time

import numpy as np
import pytest
from rapidfuzz.distance import Levenshtein

from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.comparison import alignment as aligning
from ductus.core.comparison.alignment import align


def line(keys: list[int], step_us: int = 300_000) -> Take:
    return Take(tuple(PlayedNote(k * step_us, k * step_us + 200_000, key) for k, key in enumerate(keys)))


def cost(first: list[int], second: list[int]) -> float:
    """What the way that was found costs: a key passed over 1, two different keys taken together 1.5."""
    a, b = line(first), line(second)
    bits_a, bits_b = (aligning._bits(t, aligning.grouped(t)) for t in (a, b))
    times_a, times_b = (np.array([n.onset_us for n in t.notes], float) for t in (a, b))
    pairs = aligning._path(bits_a, bits_b, times_a, times_b)
    unlike = sum(first[i] != second[j] for i, j in pairs)
    return len(first) + len(second) - 2 * len(pairs) + 1.5 * unlike


def test_the_worked_example_of_the_edit_distance() -> None:
    """ "kitten" and "sitting" (the usual worked example of Levenshtein 1966): two letters changed, one added."""
    first, second = ([ord(c) for c in word] for word in ("kitten", "sitting"))
    assert cost(first, second) == 2 * 1.5 + 1
    found = align(line(first), line(second))
    assert len(found.pairs) == 4


@pytest.mark.parametrize("seed", range(12))
def test_lines_cost_what_a_reference_library_says(seed: int) -> None:
    """RapidFuzz's weighted Levenshtein distance (insertion 1, deletion 1, substitution 1.5, doubled to whole
    numbers).
    """
    rng = random.Random(seed)
    first = [rng.choice((60, 62, 64, 65, 67)) for _ in range(rng.randint(5, 120))]
    second = [k for k in first if rng.random() > 0.1]
    second = [k + 1 if rng.random() < 0.1 else k for k in second]
    for _ in range(rng.randint(0, 8)):
        second.insert(rng.randrange(len(second) + 1), rng.choice((59, 61, 67)))
    wanted = Levenshtein.distance([chr(k) for k in first], [chr(k) for k in second], weights=(2, 2, 3)) / 2
    assert cost(first, second) == pytest.approx(wanted)


def test_an_hour_of_playing_takes_time_in_line_with_its_length() -> None:
    """Four times the notes take at most seven times as long (a full table would take sixteen times)."""

    def seconds(count: int) -> float:
        rng = random.Random(1)
        keys = [rng.randint(48, 84) for _ in range(count)]
        first, second = line(keys, 120_000), line(keys, 140_000)
        started = time.process_time()
        assert align(first, second).share == 1.0
        return time.process_time() - started

    short, long = (min(seconds(count) for _ in range(2)) for count in (1000, 4000))
    assert long < 7 * short


@pytest.mark.parametrize("same_clock", [True, False])
@pytest.mark.parametrize("seed", range(6))
def test_repeated_notes_do_not_slip_along_each_other(seed: int, *, same_clock: bool) -> None:
    """Six keys struck ten times each, two of the sixty missed.

    Each note has itself as partner, but for neighbours of what is missing; without a clock it may be any of the ten
    that is missing, but no note of another key is.
    """
    rng = random.Random(seed)
    keys = rng.sample(range(60, 80), 6)
    rows = [(k * 200_000, key) for k, key in enumerate(key for key in keys for _ in range(10))]
    first = Take(tuple(PlayedNote(at, at + 90_000, key) for at, key in rows))
    gone = set(rng.sample(range(5, len(rows) - 5), 2))
    scale = 1.0 if same_clock else 1.3
    played = [(k, at * scale + rng.gauss(0, 12_000), key) for k, (at, key) in enumerate(rows) if k not in gone]
    second = Take(tuple(PlayedNote(round(at) + 500, round(at) + 80_000, key) for _, at, key in played))
    found = align(first, second, same_clock=same_clock)
    wrong = sum(i != played[j][0] for i, j in found.pairs)
    assert wrong <= (3 if same_clock else 12)
    assert len(found.pairs) == len(played)
