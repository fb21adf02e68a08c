"""Silence that a player made is written.

At the end of a phrase, and at the end of a piece with a pick-up (common practice).
"""

from __future__ import annotations

import random
from fractions import Fraction

import pytest

from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.reading.decoding import read_against
from ductus.core.reading.model import Decisions, ReadSettings
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import steady_map
from ductus.core.time.ticks import QUARTER

PHRASE = (1, 1, 1, 1, 1, 1, Fraction(1, 2), Fraction(1, 2), 1, 3)
KEYS = (67, 69, 71, 72, 74, 72, 71, 69, 67, 67)


def played(
    lengths: tuple[int | Fraction, ...],
    tempo: float,
    share: float,
    last: float,
    silence: int = 0,
    times: int = 1,
    bass: bool = False,
) -> Take:
    """Phrases whose notes sound ``share`` of their lengths, the last of each ``last``, with so many beats of silence
    after each; unevenly (12 ms).
    """
    rng, beat = random.Random(4), 60 / tempo
    notes, at = [], Fraction(0)

    def strike(place: Fraction, length: float, key: int) -> None:
        on = 1 + float(place) * beat + rng.gauss(0, 0.012)
        notes.append(PlayedNote(round(on * 1e6), round((on + length * beat) * 1e6), key, 70))

    for _ in range(times):
        for k, length in enumerate(lengths):
            strike(at, float(length) * (share if k < len(lengths) - 1 else last), KEYS[k])
            at += length
        at += silence
    if bass:
        for bar in range(0, int(at), 4):
            strike(Fraction(bar), 4 * 0.9, 43)
    return Take(tuple(sorted(notes, key=lambda n: n.onset_us)))


def lengths_read(take: Take, tempo: float, meter: Meter, start: int = 0) -> list[Fraction]:
    result = read_against(take, steady_map(tempo, start, 1_000_000), ReadSettings(meter=meter, key=0), Decisions())
    return [Fraction(n.ticks, QUARTER) for n in result.notes if n.pitch.midi > 50]


@pytest.mark.parametrize("tempo", [72, 100, 132])
@pytest.mark.parametrize("share", [0.95, 0.85])
@pytest.mark.parametrize("bass", [False, True])
def test_a_silence_at_the_end_of_a_phrase_is_a_rest(tempo: float, share: float, bass: bool) -> None:
    """A dotted half held for 1.76 of 1.8 s, then .6 s of nothing."""
    take = played(PHRASE, tempo, share, last=0.978, silence=1, times=4, bass=bass)
    assert lengths_read(take, tempo, Meter(4, 4)) == [Fraction(n) for n in PHRASE] * 4


@pytest.mark.parametrize("share", [0.95, 0.85])
def test_a_note_that_is_held_as_all_others_are_fills_its_time(share: float) -> None:
    lengths = (*PHRASE[:-1], 4)
    take = played(lengths, 100, share, last=share, times=4)
    assert lengths_read(take, 100, Meter(4, 4)) == [Fraction(n) for n in lengths] * 4


def test_a_hand_that_lets_go_of_all_its_notes_early_has_no_rests() -> None:
    """Half of each note sounds: that is a manner of playing."""
    take = played((1,) * 8, 100, 0.5, last=0.5, times=4)
    assert lengths_read(take, 100, Meter(4, 4)) == [Fraction(1)] * 32


@pytest.mark.parametrize("last", [0.95, 1.1])
def test_the_last_bar_is_shorter_by_the_pick_up(last: float) -> None:
    take = played((1, 2, 1, 2, 1, 1, 1, 1, 2), 100, 0.92, last=last)
    assert lengths_read(take, 100, Meter(3, 4), -QUARTER)[-1] == 2
