"""Rit., accel., a tempo and pauses, from playing whose tempo is known beat by beat."""

from __future__ import annotations

import random
from collections.abc import Mapping

import pytest

from ductus.core.reading.page.derived_marks import TakeMark
from ductus.core.reading.page.tempo_words import tempo_words_of
from ductus.core.time.pulse_map import Pulse, PulseMap
from ductus.core.time.ticks import QUARTER
from tests.building import random_piece

BARS = 12
PIECE = random_piece(4, "4/4", BARS)


def found(tempi: Mapping[int, float], jitter: float = 0.0, seed: int = 1) -> list[TakeMark]:
    """What is found where each beat (from 0) goes at a tempo: 100, or what is given for it."""
    rng, us, pulses = random.Random(seed), 0.0, [Pulse(0, 0)]
    for beat in range(BARS * 4 + 8):
        us += 60e6 / (tempi.get(beat, 100) * (1 + rng.gauss(0, jitter)))
        pulses.append(Pulse((beat + 1) * QUARTER, round(us)))
    notes = list(PIECE.notes.values())
    return tempo_words_of(PIECE.timeline, PulseMap(tuple(pulses)), notes, 0)


def words(marks: list[TakeMark]) -> list[tuple[str, float, float]]:
    """(word or kind, beat, beats)."""
    return [(m.text or m.kind, m.tick / QUARTER, m.ticks / QUARTER) for m in marks]


SLOWING = {12: 94, 13: 86, 14: 76, 15: 66}
HURRYING = {20: 104, 21: 112, 22: 122, 23: 134, **dict.fromkeys(range(24, 70), 134)}


def test_an_even_tempo_says_nothing() -> None:
    assert found({}) == []


@pytest.mark.parametrize("seed", range(30))
def test_small_fluctuation_says_nothing(seed: int) -> None:
    assert found({}, jitter=0.03, seed=seed) == []


def test_slowing_down_is_a_rit_and_the_old_tempo_behind_it_a_tempo() -> None:
    assert words(found(SLOWING)) == [("rit.", 12, 4), ("a tempo", 16, 0)]


def test_a_little_is_poco() -> None:
    assert words(found({13: 94, 14: 86, 15: 80})) == [("poco rit.", 13, 3), ("a tempo", 16, 0)]


def test_a_new_tempo_behind_hurrying_is_not_a_tempo() -> None:
    found_words = words(found(HURRYING))
    assert [w for w, *_ in found_words] == ["poco accel."]
    assert found_words[0][1] == pytest.approx(20, abs=1)


def test_standing_still_on_one_beat_is_a_fermata_over_its_last_note() -> None:
    marks = found({19: 45})
    assert [m.kind for m in marks] == ["fermata"]
    onsets = {n.tick for n in PIECE.notes.values()}
    assert marks[0].tick in onsets
    assert marks[0].tick < 20 * QUARTER
    assert not any(marks[0].tick < t < 20 * QUARTER for t in onsets)


def test_slowing_down_to_the_end_is_a_rit_to_the_end() -> None:
    marks = found({44: 92, 45: 82, 46: 70, 47: 60})
    assert [m.text for m in marks] == ["rit."]
    assert marks[0].tick == 44 * QUARTER


def test_a_rit_is_found_in_uneven_playing() -> None:
    right = 0
    for seed in range(40):
        marks = [m for m in found(SLOWING, jitter=0.02, seed=seed) if m.text.endswith("rit.")]
        right += (
            len(marks) == 1
            and 11 * QUARTER <= marks[0].tick <= 14 * QUARTER
            and marks[0].tick + marks[0].ticks == 16 * QUARTER
        )
    assert right >= 32  # of 40; the others begin or end a beat beside it
