"""A shortest value that was chosen holds.

Finer notes are drawn to its grid, tuplets stand where they were played and nowhere else (common practice).
"""

from __future__ import annotations

import random
from fractions import Fraction

import pytest

from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.reading.decoding import read_against
from ductus.core.reading.model import Decisions, ReadingResult, ReadSettings
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import steady_map
from ductus.core.time.ticks import QUARTER

BEAT_US = 60_000_000 // 90


def run(step: Fraction, beats: int, seed: int = 1) -> Take:
    """A scale in steps of a beat, unevenly (12 ms), over half notes."""
    rng = random.Random(seed)
    keys = (72, 74, 76, 77, 79, 77, 76, 74)

    def note(at: Fraction, length: Fraction, key: int) -> PlayedNote:
        on = 1_000_000 + int(at * BEAT_US + rng.gauss(0, 12_000))
        return PlayedNote(on, on + int(length * BEAT_US * 0.9), key, 70)

    tune = [note(k * step, step, keys[k % 8]) for k in range(int(beats / step))]
    bass = [note(Fraction(k), Fraction(2), 48) for k in range(0, beats, 2)]
    return Take(tuple(sorted((*tune, *bass), key=lambda n: n.onset_us)))


def read(take: Take, shortest: str, **more: object) -> ReadingResult:
    settings = ReadSettings(meter=Meter(4, 4), shortest=shortest, key=0, **more)  # type: ignore[arg-type]
    return read_against(take, steady_map(90, 0, 1_000_000), settings, Decisions())


def quarters(ticks: int) -> Fraction:
    return Fraction(ticks, QUARTER)


@pytest.mark.parametrize("step", [Fraction(1, 4), Fraction(1, 8)])
@pytest.mark.parametrize("seed", range(4))
def test_finer_notes_come_to_the_grid_that_was_chosen_in_one_voice_and_are_named(step: Fraction, seed: int) -> None:
    result = read(run(step, 8, seed), "eighth")
    assert {quarters(n.tick) % 1 for n in result.notes} == {Fraction(0), Fraction(1, 2)}
    assert {quarters(n.ticks) for n in result.notes if n.hand == 1} == {Fraction(1, 2)}
    assert {n.voice for n in result.notes} == {1}
    assert any("Finer playing than eighths" in words for words in result.remarks)


@pytest.mark.parametrize("seed", range(4))
def test_triplets_that_were_played_stay_to_the_last_note(seed: int) -> None:
    result = read(run(Fraction(1, 3), 8, seed), "eighth")
    assert {quarters(n.tick) % 1 for n in result.notes if n.hand == 1} == {Fraction(0), Fraction(1, 3), Fraction(2, 3)}
    assert {quarters(n.ticks) for n in result.notes if n.hand == 1} == {Fraction(1, 3)}


def test_tuplets_that_were_asked_for_may_stand_for_what_is_finer() -> None:
    result = read(run(Fraction(1, 4), 8), "eighth", tuplets=True)
    assert any(quarters(n.tick) % Fraction(1, 2) for n in result.notes)
