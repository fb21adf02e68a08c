"""What one hand strikes beside a beat that it means stands on the beat.

Numbers worked out by hand, for beats of half a second.
"""

from __future__ import annotations

import numpy as np
import pytest

from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.reading.decoding import read_against
from ductus.core.reading.model import Decisions, ReadSettings
from ductus.core.reading.quantization.beat_grid import BeatGrid
from ductus.core.reading.quantization.displaced_onsets import onto_beats
from ductus.core.reading.quantization.lattice import Feel
from ductus.core.reading.quantization.placement import Places
from ductus.core.reading.quantization.subdivisions import DIVISIONS, SIMPLE
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import steady_map
from ductus.core.time.ticks import QUARTER

BEAT_S = 0.5
EIGHTHS_OF_BEAT = next(k for k, d in enumerate(DIVISIONS) if d.family == SIMPLE and len(d.slots) == 8 and not d.tuplet)
GRID = BeatGrid(np.arange(9) * QUARTER, np.arange(9.0) * BEAT_S, np.zeros(8, np.int64))


def moved(
    places: list[float],
    keys: list[int],
    releases: list[float],
    chords: list[int],
    lag: float = 0.0,
    struck: list[float] | None = None,
    centred: bool = True,
) -> Places:
    """The notes at these places in beats, struck exactly there (later by the lag) or at other times, after the rule."""
    place = np.array(places)
    beat = np.floor(place).astype(np.int64)
    slot = np.round((place - beat) * 8).astype(np.int64)
    found = Places(
        beat,
        place,
        np.full(len(places), EIGHTHS_OF_BEAT),
        slot,
        np.array(chords),
        Feel(lag, 0.02, 0.014, (0.0, 0.0, 0.0)),
        0.0,
    )
    onset = place * BEAT_S + lag if struck is None else np.array(struck)
    return onto_beats(found, np.array(keys), onset, np.array(releases), GRID, centred=centred)


def test_a_bass_that_leads_its_chord_joins_it() -> None:
    """The bass lies an eighth of a beat (62.5 ms) before beat 2 and is held to beat 3.

    The chord of that beat is above.
    """
    out = moved([1.0, 1.875, 2.0, 2.0], [60, 36, 60, 64], [0.8, 1.5, 1.5, 1.5], [0, 1, 2, 2])
    assert out.place.tolist() == [1.0, 2.0, 2.0, 2.0]
    assert out.slot.tolist() == [0, 0, 0, 0]
    assert out.chord.tolist() == [0, 1, 1, 1]
    assert out.division[1] == out.division[2]


@pytest.mark.parametrize(
    ("release", "place"),
    [(0.99, 1.875), (1.05, 1.875), (1.07, 2.0)],
    ids=["let go before the beat", "longer before than after", "longer after than before"],
)
def test_it_goes_where_most_of_it_sounds(release: float, place: float) -> None:
    """Struck at .9375 s, the beat at 1 s: half of what sounds to 1.0625 s lies after it."""
    out = moved([1.0, 1.875, 2.0], [60, 62, 64], [0.9, release, 1.4], [0, 1, 2])
    assert out.place.tolist() == [1.0, place, 2.0]


@pytest.mark.parametrize(("ahead_s", "place"), [(0.06, 2.0), (0.08, 2.0), (0.11, 1.75), (0.125, 1.75), (0.14, 1.75)])
def test_what_was_put_on_a_sixteenth_goes_to_the_beat_unless_it_lies_like_a_sixteenth(
    ahead_s: float, place: float
) -> None:
    """The sixteenth before the beat is 125 ms ahead, chords scatter by 24 ms (20 and 14 together).

    80 ms is 1.8 of that off.
    """
    found = moved([1.75, 2.0], [36, 60], [1.5, 1.5], [0, 1], struck=[1.0 - ahead_s, 1.0])
    assert found.place.tolist() == [place, 2.0]


def test_many_leads_of_a_player_make_each_likelier_and_many_sixteenths_less_so() -> None:
    """The last is 95 ms ahead of its beat (a sixteenth is 125).

    Alone it stays, after five of 80 it is a lead like them, after five true sixteenths it is one more.
    """
    for others, place in (((), 6.75), ((0.08,) * 5, 7.0), ((0.125,) * 5, 6.75)):
        beats = [*range(1, 1 + len(others)), 7]
        ahead = [*others, 0.095]
        places = [q for b in beats for q in (b - 0.25, b)]
        struck = [t for b, lead in zip(beats, ahead, strict=True) for t in (b * BEAT_S - lead, b * BEAT_S)]
        found = moved(
            places,
            [36, 60] * len(beats),
            [b * BEAT_S + 0.45 for b in beats for _ in range(2)],
            list(range(len(places))),
            struck=struck,
        )
        assert found.place.tolist()[-2:] == [place, 7.0]


def test_a_key_struck_again_on_the_beat_stays() -> None:
    assert moved([1.875, 2.0], [60, 60], [1.5, 1.5], [0, 1]).place.tolist() == [1.875, 2.0]


def test_a_key_that_leads_and_is_struck_again_just_after_the_beat_stands_there_once() -> None:
    """C 5 is struck 50 ms before the beat of a low bass, let go 55 ms after it, and struck again an eighth of the
    beat after it.
    """
    out = moved([1.75, 2.0, 2.125], [72, 36, 72], [1.055, 1.5, 1.5], [0, 1, 2], struck=[0.95, 1.0, 1.0625])
    assert out.place.tolist() == [2.0, 2.0, 2.125]


def test_where_nothing_stands_on_the_beat_it_stands_there_alone_and_undivided() -> None:
    out = moved([1.0, 1.875, 3.0], [60, 62, 64], [0.9, 1.4, 1.9], [0, 1, 2])
    assert out.place.tolist() == [1.0, 2.0, 3.0]
    assert len(DIVISIONS[int(out.division[1])].slots) == 1
    assert out.chord.tolist() == [0, 1, 2]


def test_half_of_a_chord_may_go_and_chords_stay_in_order() -> None:
    out = moved([1.875, 1.875, 2.0], [48, 72, 60], [0.95, 1.5, 1.5], [0, 0, 1])
    assert out.place.tolist() == [1.875, 2.0, 2.0]
    assert out.chord.tolist() == [0, 1, 1]


def test_a_constant_lateness_is_taken_out_first() -> None:
    """40 ms late, held to 1.08 s: 62.5 ms before the beat as the player feels it (1.04 s), and 40 ms after."""
    late = moved([1.875, 2.0], [36, 60], [1.08, 1.5], [0, 1], lag=0.04)
    assert late.place.tolist() == [1.875, 2.0]
    assert moved([1.875, 2.0], [36, 60], [1.12, 1.5], [0, 1], lag=0.04).place.tolist() == [2.0, 2.0]


def test_a_tune_that_trails_its_bass_joins_it() -> None:
    """An eighth of a beat (62.5 ms) after a bass two octaves and a half below."""
    out = moved([1.0, 1.125, 2.0], [43, 74, 60], [1.4, 0.9, 1.4], [0, 1, 2])
    assert out.place.tolist() == [1.0, 1.0, 2.0]
    assert out.chord.tolist() == [0, 0, 1]


@pytest.mark.parametrize(
    ("places", "keys"),
    [([1.0, 1.125, 2.0], [62, 74, 60]), ([1.0, 1.125, 1.25], [43, 74, 76]), ([1.25, 1.375, 2.0], [43, 74, 60])],
    ids=["an octave from the note on the beat", "a figure that goes on", "not after a beat"],
)
def test_what_may_be_a_figure_stays(places: list[float], keys: list[int]) -> None:
    assert moved(places, keys, [1.4, 0.9, 1.4], [0, 1, 2]).place.tolist() == places


def test_places_far_apart_do_not_meet() -> None:
    """In a long take, too, only the notes of the same beat count.

    Seven beats of eight notes each, the next led by a bass.
    """
    places = [b + k / 8 for b in range(7) for k in range(8)]
    keys = [60 + k for _ in range(7) for k in range(8)]
    found = moved(
        [*places, 6.875, 7.0], [*keys, 30, 72], [*[p * BEAT_S + 0.05 for p in places], 3.9, 3.9], list(range(58))
    )
    assert found.place.tolist() == [*places, 7.0, 7.0]


def led_by_its_octave(lead_us: int, held_us: int, centred: bool = True) -> list[float]:
    """Places (quarters) off the beats at which the octave of the ninth beat is written.

    32 quarters over octaves of halves, that one ahead of its chord.
    """
    notes = []
    for k in range(32):
        at = 1_000_000 + k * 700_000
        notes.append(PlayedNote(at, at + 630_000, 72 + k % 3, 70))
        for key in (36, 48) if k % 2 == 0 else ():
            led = k == 16
            notes.append(PlayedNote(at - (lead_us if led else 0), at + (held_us if led else 1_260_000), key, 70))
    take = Take(tuple(sorted(notes, key=lambda n: (n.onset_us, n.key))))
    settings = ReadSettings(meter=Meter(4, 4))
    result = read_against(take, steady_map(60 / 0.7, 0, 1_000_000), settings, Decisions(), centred=centred)
    assert len(result.notes) == 64
    return [n.tick / QUARTER for n in result.notes if n.pitch.midi in (36, 48) and n.tick % QUARTER]


@pytest.mark.parametrize("lead_ms", [80, 95, 110])
def test_in_free_playing_an_octave_that_leads_is_written_on_its_beat(lead_ms: int) -> None:
    """A sixteenth would be 175 ms, and a chord of 80 ms is none for the lattice."""
    assert led_by_its_octave(lead_ms * 1000, 1_260_000) == []


def test_in_free_playing_a_sixteenth_that_is_held_over_is_one() -> None:
    assert led_by_its_octave(175_000, 1_260_000) == [15.75, 15.75]


def test_what_is_let_go_at_the_beat_is_an_upbeat() -> None:
    assert led_by_its_octave(80_000, 10_000) == [15.75, 15.75]


def test_to_a_click_it_has_to_be_held_well_over_the_beat() -> None:
    """62.5 ms before the beat; three times as long after it is 187.5 ms.

    The octave that leads by 80 ms is no tied 32nd there, either.
    """
    for release, place in ((1.18, 1.875), (1.2, 2.0)):
        assert moved([1.875, 2.0], [36, 60], [release, 1.5], [0, 1], centred=False).place.tolist() == [place, 2.0]
    assert led_by_its_octave(80_000, 1_260_000, centred=False) == []
