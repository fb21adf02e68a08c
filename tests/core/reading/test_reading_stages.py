"""Every stage of reading on its own: places, values, hands, spelling, key, voices, ornaments, live."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction as F

import numpy as np
import pytest

from ductus.core.capture.takes import SUSTAIN, PlayedControl, PlayedNote, Take
from ductus.core.pitch.pitches import Pitch, parse_pitch
from ductus.core.reading.durations.parallel_passages import alike
from ductus.core.reading.hands.features import hands_by_reach
from ductus.core.reading.live import LiveReading, followed, grown
from ductus.core.reading.model import Decisions, ReadNote, ReadSettings
from ductus.core.reading.ornaments.detection import find_ornaments
from ductus.core.reading.pipeline import likely_meter, read
from ductus.core.reading.quantization.beat_grid import grid_for
from ductus.core.reading.quantization.placement import NoteArrays, place_notes
from ductus.core.reading.quantization.subdivisions import COMPOUND, DIVISIONS, SIMPLE, allowed_divisions, rhythm_table
from ductus.core.reading.sustain import sounding_ends, with_pedal
from ductus.core.reading.tonality.key_estimation import estimate_key
from ductus.core.reading.tonality.spelling import spell_notes
from ductus.core.time.bars import BarLines
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import steady_map
from ductus.core.time.ticks import QUARTER

BEAT_S = 0.6  # a quarter at 100
CLICK = steady_map(100, 0, 0)


def take_of(*notes: tuple[float, float, int], sd: float = 0.0, seed: int = 1, lag: float = 0.0) -> Take:
    """(onset, length) in quarters and key, played at 100 with some unevenness."""
    rng = np.random.default_rng(seed)
    played = []
    for onset, length, key in notes:
        at = (onset * BEAT_S + 2.4 + lag + rng.normal(0, sd)) * 1e6  # a bar of silence first
        played.append(PlayedNote(round(at), round(at + length * BEAT_S * 1e6), key))
    return Take(tuple(sorted(played, key=lambda n: (n.onset_us, n.key))))


def places(take: Take, settings: ReadSettings) -> list[float]:
    return [n.tick / QUARTER - 4 for n in read(take, CLICK, settings).notes]


MELODY = [(0, 1, 67), (1, 0.5, 69), (1.5, 0.5, 71), (2, 1, 72), (3, 1, 71)]


def test_every_table_of_divisions_sums_to_one_and_none_stands_twice() -> None:
    table = rhythm_table()
    for g, division in enumerate(DIVISIONS):
        same = [h for h, d in enumerate(DIVISIONS) if d.family == division.family]
        priced = sum(np.exp(table.turn[g, h] + DIVISIONS[h].price) for h in same)
        assert priced == pytest.approx(1, abs=1e-6)
    assert len({(d.family, d.slots) for d in DIVISIONS}) == len(DIVISIONS)


def test_the_shortest_value_and_tuplets_are_obeyed_in_full() -> None:
    steps = {DIVISIONS[g].step for g in allowed_divisions(QUARTER, SIMPLE, "eighth", False)}
    assert min(steps) == DIVISIONS[2].step
    assert all(not DIVISIONS[g].tuplet for g in allowed_divisions(QUARTER, SIMPLE, None, False))
    assert any(DIVISIONS[g].step.denominator == 12 for g in allowed_divisions(QUARTER * 3 // 2, COMPOUND, "32nd", None))
    fast = take_of(*[(k / 4, 0.25, 60 + k) for k in range(16)])
    assert {p % 0.5 for p in places(fast, ReadSettings(meter=Meter(4, 4), shortest="eighth", tuplets=False))} == {0.0}


@pytest.mark.parametrize("lag", [-0.03, 0.0, 0.03])
def test_a_constant_lag_is_found_and_taken_out(lag: float) -> None:
    notes = [(k / 2, 0.5, 60 + k % 12) for k in range(48)]
    result = read(take_of(*notes, sd=0.012, lag=lag), CLICK, ReadSettings(meter=Meter(4, 4)))
    assert [n.tick / QUARTER - 4 for n in result.notes] == [k / 2 for k in range(48)]
    assert result.lag_us / 1e6 == pytest.approx(lag, abs=0.008)


def test_a_triplet_is_heard_where_it_is_played_and_only_there() -> None:
    notes = [
        (0, 1, 60),
        (1, 1 / 3, 62),
        (4 / 3, 1 / 3, 64),
        (5 / 3, 1 / 3, 65),
        (2, 0.5, 67),
        (2.5, 0.5, 65),
        (3, 1, 64),
    ]
    assert places(take_of(*notes, sd=0.01), ReadSettings(meter=Meter(4, 4))) == pytest.approx([n[0] for n in notes])


def test_a_spread_chord_is_one_chord_and_fast_notes_are_not() -> None:
    played = Take(tuple(PlayedNote(2_400_000 + k * 25_000, 3_000_000, 60 + 4 * k) for k in range(4)))
    assert {n.tick for n in read(played, CLICK, ReadSettings(meter=Meter(4, 4))).notes} == {4 * QUARTER}


@pytest.mark.parametrize("meter", ["2/4", "3/4", "4/4", "2/2", "3/8", "6/8", "9/8", "12/8", "5/4", "5/8", "7/8"])
def test_every_meter_reads_its_own_beats(meter: str) -> None:
    count, unit = (int(x) for x in meter.split("/"))
    step = 4 / unit
    notes = [(k * step, step, 60 + k % 7) for k in range(count * 4)]
    result = read(take_of(*notes, sd=0.008), CLICK, ReadSettings(meter=Meter(count, unit)))
    first = result.notes[0].tick
    assert [(n.tick - first) / QUARTER for n in result.notes] == pytest.approx([n[0] for n in notes])


def test_values_hold_to_the_next_note_and_detached_playing_gets_dots_or_rests() -> None:
    short = take_of(*[(k, 0.35, 60 + k) for k in range(8)])
    dotted = read(short, CLICK, ReadSettings(meter=Meter(4, 4), hand=1))
    assert {n.ticks for n in dotted.notes[:-1]} == {QUARTER}
    assert all("staccato" in n.articulations for n in dotted.notes[:-1])
    rests = read(short, CLICK, ReadSettings(meter=Meter(4, 4), hand=1, staccato="rest"))
    assert max(n.ticks for n in rests.notes[:-1]) < QUARTER
    assert not any(n.articulations for n in rests.notes)


def test_an_eighth_that_sounds_in_full_is_followed_by_a_rest() -> None:
    """In a hand that binds its notes, half a beat of sound before the next beat is an eighth, not a quarter with a
    dot.
    """
    bound = [
        (4 * bar + at, 0.96 * length, 60 + 2 * k)
        for bar in range(4)
        for k, (at, length) in enumerate(((0, 1), (1, 0.5), (2, 0.5), (2.5, 0.5), (3, 1)))
    ]
    result = read(take_of(*bound, sd=0.006), CLICK, ReadSettings(meter=Meter(4, 4), hand=1, shortest="16th"))
    assert [F(n.ticks, QUARTER) for n in result.notes] == [1, F(1, 2), F(1, 2), F(1, 2), 1] * 4
    assert not any(n.articulations for n in result.notes)


@pytest.mark.parametrize("sd", [0.0, 0.01])
def test_a_phrase_that_ends_in_silence_of_both_hands_keeps_its_rest(sd: float) -> None:
    """Four parts in 3/4, every fourth bar a chord that sounds for nearly two beats before all wait for the third: a
    half note (common practice: the end of a phrase is let go, not held over its rest).
    """
    chords = [
        (6 + 3 * bar + beat, 2 if bar % 4 == 3 else 1)
        for bar in range(8)
        for beat in ((0,) if bar % 4 == 3 else (0, 1, 2))
    ]
    parts = [
        (at - 4, length * 0.92, key + at % 3) for at, length in chords for key in (48, 55, 64, 72)
    ]  # a bar of four beats lies before
    result = read(take_of(*parts, sd=sd), CLICK, ReadSettings(meter=Meter(3, 4)))
    written = {F(n.tick, QUARTER): F(n.ticks, QUARTER) for n in result.notes}
    assert written == dict(chords)


def test_no_value_is_shorter_than_the_shortest_that_was_chosen() -> None:
    """Notes that are only touched are as long as the choice allows, whether they are dotted or followed by rests;
    without it they would be sixteenths and rests.
    """
    touched = take_of(*[(k, 0.2, 60 + k) for k in range(8)])
    for shortest, least in (("eighth", F(1, 2)), ("quarter", F(1))):
        for staccato in ("dot", "rest"):
            settings = ReadSettings(meter=Meter(4, 4), hand=1, shortest=shortest, staccato=staccato)
            assert min(F(n.ticks, QUARTER) for n in read(touched, CLICK, settings).notes) >= least
    free = ReadSettings(meter=Meter(4, 4), hand=1, staccato="rest")
    assert min(F(n.ticks, QUARTER) for n in read(touched, CLICK, free).notes) < F(1, 2)


def test_notes_in_like_places_get_like_values() -> None:
    """One note of eight that was held longer, and one that was let go earlier, are read as the other bars have them:
    bars repeat their rhythm (common practice).
    """
    held = [0.47, 0.5, 0.46, 0.6, 0.45, 0.36, 0.48, 0.47]
    notes = []
    for bar, share in enumerate(held):
        notes += [(4 * bar, 0.95, 60), (4 * bar + 1, 0.95, 62), (4 * bar + 2, share, 64), (4 * bar + 3, 0.95, 65)]
    result = read(take_of(*notes, sd=0.005), CLICK, ReadSettings(meter=Meter(4, 4), hand=1, shortest="16th"))
    assert {F(n.ticks, QUARTER) for n in result.notes if n.pitch.midi == 64} == {F(1, 2)}
    groups = alike([0, 4, 8, 12], [2.0, 4.0, 1.0, 4.0], [1, 1, 1, 1], [8, 8, 16, 16])
    assert groups.group[0] == groups.group[2]
    assert len(set(groups.group.tolist())) == 3  # the last has nothing after it
    assert groups.others.tolist() == [1, 0, 1, 0]
    assert groups.share[0] == pytest.approx(np.log(1 / 4))


def test_hands_by_reach_follow_what_a_hand_can_hold() -> None:
    # Common practice: a bass and a chord a tenth and more above it are not one hand's work.
    chords = [(36, 64, 67, 72), (43, 65, 67, 71), (36, 64, 67, 72), (31, 62, 65, 71)]
    on, off, key, number = [], [], [], []
    for q, chord in enumerate(chords):
        for k in chord:
            on.append(q * 0.6)
            off.append(q * 0.6 + 0.55)
            key.append(k)
            number.append(q)
    hands, margin = hands_by_reach(np.array(on), np.array(off), np.array(key), np.array(number))
    assert list(hands) == [2, 1, 1, 1] * 4
    assert (margin > 0).all()
    pinned, _ = hands_by_reach(np.array(on), np.array(off), np.array(key), np.array(number), {1: 2})
    assert pinned[1] == 2


def test_the_split_point_is_middle_c_and_above_to_the_right() -> None:
    take = take_of((0, 1, 59), (1, 1, 60))
    assert [n.hand for n in read(take, CLICK, ReadSettings(meter=Meter(4, 4), split=60)).notes] == [2, 1]


def test_the_spelling_follows_the_line() -> None:
    # Common practice (as in any harmony book): a chromatic step up is sharp, the same step down is flat.
    rising = [60, 61, 62, 64, 65, 67]
    falling = [67, 65, 64, 62, 61, 60]
    for line, name in ((rising, "C#4"), (falling, "Db4")):
        names = spell_notes(line, range(len(line)), [1] * len(line), 0)
        assert str(names[line.index(61)]) == name


def test_the_spelling_of_a_published_theme() -> None:
    # Bach, The Musical Offering, royal theme, first bars (C minor; pitches and names from memory of the score).
    theme = ["C4", "Eb4", "G4", "Ab4", "B3", "G4", "F#4", "F4", "E4", "Eb4", "D4", "Db4", "C4", "B3"]
    keys = [parse_pitch(p).midi for p in theme]
    names = [str(p) for p in spell_notes(keys, range(len(keys)), [1] * len(keys), -3)]
    assert (
        sum(a == b for a, b in zip(names, theme, strict=True)) >= len(theme) - 2
    )  # where the line falls through F sharp our rule of direction differs


@pytest.mark.parametrize("fifths", range(-5, 6))
def test_a_scale_and_its_triad_give_their_key(fifths: int) -> None:
    tonic = 60 + (7 * fifths) % 12
    keys = [tonic + s for s in (0, 2, 4, 5, 7, 9, 11, 12, 11, 9, 7, 5, 4, 2, 0)] + [tonic - 12, tonic + 4, tonic + 7]
    starts = [*range(15), 15, 15, 15]
    assert estimate_key(keys, [float(s) for s in starts], [1.0] * len(keys)) == (fifths, "major")


def test_voices_are_as_many_as_were_asked_for() -> None:
    notes = [(0, 4, 72), (0, 1, 64), (1, 1, 65), (2, 1, 64), (3, 1, 62)]
    settings = ReadSettings(meter=Meter(4, 4), hand=1)
    kept = read(take_of(*notes), CLICK, settings)
    assert {n.voice for n in kept.notes} == {1, 2}
    assert max(n.ticks for n in kept.notes) == 4 * QUARTER
    one = read(take_of(*notes), CLICK, ReadSettings(meter=Meter(4, 4), hand=1, voices=1))
    assert {n.voice for n in one.notes} == {1}
    assert {n.ticks for n in one.notes} == {QUARTER}
    assert len(one.notes) == len(notes)


def test_pins_win() -> None:
    take = take_of(*MELODY, sd=0.01)
    settings = ReadSettings(meter=Meter(4, 4), hand=1)
    pinned = read(take, CLICK, settings, Decisions(values={0: 2 * QUARTER}, places={4: 8 * QUARTER}))
    by_event = {n.event: n for n in pinned.notes}
    assert by_event[0].ticks == 2 * QUARTER
    assert by_event[4].tick == 8 * QUARTER


def test_plainer_never_writes_finer_than_finer() -> None:
    rng = np.random.default_rng(4)
    notes = [(k / 2 + rng.normal(0, 0.09), 0.4, 60 + k % 5) for k in range(32)]
    finest = []
    for plainness in (-2, 0, 2):
        result = read(take_of(*notes), CLICK, ReadSettings(meter=Meter(4, 4), plainness=plainness))
        finest.append(sum(n.tick % (QUARTER // 2) != 0 for n in result.notes))
    assert finest[0] >= finest[1] >= finest[2]
    assert finest[0] > finest[2]


def test_a_hand_that_lets_go_under_the_pedal_makes_no_rest() -> None:
    """Two quarters and a half note let go at once, the pedal changed at each place (legato pedalling, common
    practice): they sound up to the next place of their hand, and no further though the pedal holds on; where it
    comes up long before, up to there.
    """
    notes = tuple(
        PlayedNote(at, at + 150_000, key)
        for at, key in ((0, 60), (600_000, 62), (1_200_000, 64), (2_400_000, 65), (0, 40))
    )
    down, up = 127, 0
    pedal = ((20_000, down), (620_000, up), (700_000, down), (1_260_000, up), (1_320_000, down), (1_700_000, up))
    take = Take(notes, tuple(PlayedControl(at, SUSTAIN, value) for at, value in pedal))
    ticks, hand = [0, 4, 8, 16, 0], [1, 1, 1, 1, 2]
    assert sounding_ends(take, ticks, hand, [0, 4, 1, 2, 3]) == [600_000, 1_200_000, 1_700_000, 2_550_000, 150_000]
    assert sounding_ends(Take(notes), ticks, hand, [0, 4, 1, 2, 3]) == [n.release_us for n in notes]


def test_the_pedal_lengthens_notes_only_when_it_is_used() -> None:
    take = Take(
        (PlayedNote(0, 200_000, 60), PlayedNote(600_000, 800_000, 64)),
        (PlayedControl(100_000, 64, 127), PlayedControl(1_500_000, 64, 0)),
    )
    assert [n.release_us for n in with_pedal(take).notes] == [1_500_000, 1_500_000]
    assert [n.release_us for n in take.notes] == [200_000, 800_000]


def test_trill_roll_and_grace_note_are_named() -> None:
    trill = [PlayedNote(k * 90_000, k * 90_000 + 80_000, 72 + 2 * (k % 2)) for k in range(8)]
    roll = [PlayedNote(2_000_000 + k * 45_000, 3_000_000, 48 + 5 * k) for k in range(4)]
    grace_notes = [PlayedNote(4_000_000, 4_060_000, 71), PlayedNote(4_055_000, 4_700_000, 72)]
    found = find_ornaments(Take((*trill, *roll, *grace_notes)))
    assert [(o.kind, len(o.events)) for o in found] == [("trill", 8), ("rolled chord", 4), ("crushed note", 2)]


def test_a_tremolo_and_a_run_are_named_and_written_as_such_when_they_are_taken_up() -> None:
    tremolo = [PlayedNote(k * 70_000, k * 70_000 + 60_000, 65) for k in range(16)]
    scale = [2_400_000 - 60_000 * (7 - k) for k in range(7)]
    run = [PlayedNote(on, on + 55_000, key) for on, key in zip(scale, (60, 62, 64, 65, 67, 69, 71), strict=True)]
    run.append(PlayedNote(2_400_000, 3_500_000, 72))
    bass = [PlayedNote(1_200_000, 3_500_000, 36)]
    take = Take(tuple(sorted((*tremolo, *bass, *run), key=lambda n: n.onset_us)))
    found = find_ornaments(take)
    assert [(o.kind, len(o.events)) for o in found] == [("tremolo", 16), ("run", 8)]
    pins = Decisions(ornaments={o.events[0]: True for o in found})
    result = read(take, CLICK, ReadSettings(meter=Meter(4, 4)), pins)
    first, low, last = sorted(result.notes, key=lambda n: n.tick)
    assert (str(first.pitch), first.tick, first.articulations) == ("F4", 0, ("tremolo-3",))
    assert (str(low.pitch), low.tick) == ("C2", 2 * QUARTER)
    assert (str(last.pitch), last.tick) == ("C5", 4 * QUARTER)
    assert [str(p) for p in last.grace_notes] == ["C4", "D4", "E4", "F4", "G4", "A4", "B4"]
    refused = Decisions(ornaments={o.events[0]: False for o in found})
    plain = read(take, CLICK, ReadSettings(meter=Meter(4, 4)), refused)
    assert len(plain.notes) == len(take.notes)  # nothing is imposed


def test_scales_and_repeated_notes_that_can_be_counted_are_no_ornaments() -> None:
    sixteenths = [PlayedNote(k * 90_000, k * 90_000 + 85_000, 60 + k) for k in range(12)]  # 166 a minute
    repeated = [PlayedNote(3_000_000 + k * 115_000, 3_000_000 + k * 115_000 + 60_000, 67) for k in range(12)]
    assert not find_ornaments(Take((*sixteenths, *repeated)))


def test_the_meter_of_a_click_take_is_heard_from_its_weight() -> None:
    waltz: list[tuple[float, float, int]] = [(3 * bar, 1, 41) for bar in range(10)]
    waltz += [(3 * bar + b, 0.7, k) for bar in range(10) for b in (1, 2) for k in (57, 60)]
    waltz += [(3 * bar, 2.8, 76) for bar in range(10)]
    take = take_of(*waltz, sd=0.01)
    shifted = steady_map(100, 0, 2_400_000)
    assert likely_meter(take, shifted) == Meter(3, 4)


def test_a_live_reading_agrees_with_the_whole_once_the_bar_is_over() -> None:
    rng = np.random.default_rng(3)
    notes = [(k / 2, 0.48, 60 + int(rng.integers(0, 12))) for k in range(64)]
    take = take_of(*notes, sd=0.015)
    settings = ReadSettings(meter=Meter(4, 4), hand=1, key=0)
    live = LiveReading(CLICK, settings)
    early: dict[int, tuple[int, ...]] = {}
    for beat in range(4, 40):
        now = CLICK.time_at(beat * QUARTER)
        read_so_far = live.advance([n for n in take.notes if n.onset_us < now], now)
        bar = beat // 4 - 1
        early.setdefault(bar, tuple(sorted(n.tick for n in read_so_far if n.tick // (4 * QUARTER) == bar)))
    whole = read(take, CLICK, settings)
    changed = sum(
        early[bar] != tuple(sorted(n.tick for n in whole.notes if n.tick // (4 * QUARTER) == bar))
        for bar in range(1, 8)
    )
    assert changed <= 1


def test_a_key_that_is_still_down_has_no_dot_while_it_is_recorded() -> None:
    """It sounded for a tenth of its beat so far; once it is let go there, it has."""
    take = take_of((0, 0.95, 60), (1, 0.95, 62), (2, 0.95, 64), (3, 0.95, 65), (4, 3.0, 67))
    now = take.notes[-1].onset_us + round(0.1 * BEAT_S * 1e6)
    for down, articulations in ((True, ()), (False, ("staccato",))):
        played = [*take.notes[:-1], replace(take.notes[-1], release_us=now if down else now - 1)]
        live = LiveReading(CLICK, ReadSettings(meter=Meter(4, 4), hand=1, shortest="16th"))
        assert live.advance(played, now)[-1].articulations == articulations


def test_finer_playing_than_the_shortest_value_is_said() -> None:
    run = take_of(*[(k / 8, 0.12, 60 + k) for k in range(8)], *[(1 + k / 2, 0.4, 70) for k in range(6)])
    said = read(run, CLICK, ReadSettings(meter=Meter(4, 4), shortest="16th")).remarks
    assert any("Finer playing than 16ths was heard in one place" in r for r in said)
    sixteenths = take_of(*[(k / 4, 0.2, 60 + k % 12) for k in range(64)], sd=0.025)
    assert not read(sixteenths, CLICK, ReadSettings(meter=Meter(4, 4), shortest="16th")).remarks


def test_ornaments_that_were_taken_up_are_written_as_such() -> None:
    """A trill is one note with its sign, a rolled chord stands at one place, a crushed note before its neighbour."""
    trill = [PlayedNote(k * 90_000, k * 90_000 + 80_000, 72 + 2 * (k % 2)) for k in range(11)]
    roll = [PlayedNote(2_360_000 + k * 45_000, 3_300_000, 48 + 5 * k) for k in range(4)]
    grace_notes = [PlayedNote(4_150_000, 4_200_000, 71), PlayedNote(4_200_000, 4_900_000, 72)]
    take = Take((*trill, *roll, *grace_notes))
    pins = Decisions(ornaments={0: True, 11: True, 15: True})
    plain = read(take, CLICK, ReadSettings(meter=Meter(4, 4)))
    result = read(take, CLICK, ReadSettings(meter=Meter(4, 4)), pins)
    assert len(plain.notes) == 17
    first, *chord, last = result.notes
    assert (str(first.pitch), first.tick, first.articulations) == ("C5", 0, ("trill",))
    assert F(3, 2) <= F(first.ticks, QUARTER) <= 2  # it sounds for 1.6 quarters, and nothing follows at once
    assert {n.tick for n in chord} == {4 * QUARTER}
    assert all(n.articulations == ("rolled",) for n in chord)
    assert [str(p) for p in last.grace_notes] == ["B4"]
    assert str(last.pitch) == "C5"


@pytest.mark.parametrize(
    ("step_ms", "keys", "hand"), [(30, (43, 50, 60), 2), (4, (43, 50, 60), 1), (30, (60, 50, 43), 1)]
)
def test_what_one_hand_rolls_upwards_is_in_that_hand(step_ms: int, keys: tuple[int, ...], hand: int) -> None:
    """A tenth that is rolled under a tune belongs to the left hand.

    Struck at once, or falling apart from above, it is shared as reach has it (common practice).
    """
    notes = []
    for bar in range(4):
        at = round(4 * BEAT_S * bar * 1e6)
        notes += [PlayedNote(at + k * step_ms * 1000, at + 2_300_000, key) for k, key in enumerate(keys)]
        notes += [
            PlayedNote(at + round(b * BEAT_S * 1e6), at + round((b + 0.95) * BEAT_S * 1e6), 69 - b) for b in range(4)
        ]
    take = Take(tuple(sorted(notes, key=lambda n: (n.onset_us, n.key))))
    result = read(take, CLICK, ReadSettings(meter=Meter(4, 4), shortest="16th"))
    assert {n.hand for n in result.notes if n.pitch.midi == 60} == {hand}
    assert {n.hand for n in result.notes if n.pitch.midi < 60} == {2}


def test_what_still_sounds_grows_by_beats_and_scraps_are_not_left_behind() -> None:
    """While it is played, the last note of a hand reaches to the end of a beat.

    What ended at a note that is read to stand elsewhere now goes on to it.
    """
    bass = ReadNote(0, 0, QUARTER * 5 // 4, 2, 1, Pitch("C", 0, 3), 80)
    tune = ReadNote(1, 0, QUARTER // 2, 1, 1, Pitch("C", 0, 5), 80)
    after = ReadNote(2, QUARTER // 2, QUARTER // 5, 1, 1, Pitch("D", 0, 5), 80)
    now = [(n.event, n.ticks) for n in grown([bass, tune, after], BarLines(Meter(4, 4)), QUARTER * 5 // 4)]
    assert now == [(0, 2 * QUARTER), (1, QUARTER // 2), (2, QUARTER // 2)]
    late = [n.ticks for n in grown([replace(bass, ticks=30 * QUARTER)], BarLines(Meter(4, 4)), 40 * QUARTER)]
    assert late == [4 * QUARTER]  # to its bar line, not over it
    held = ReadNote(0, 0, 3 * QUARTER, 2, 1, Pitch("C", 0, 3), 80)
    was = ReadNote(5, 3 * QUARTER, QUARTER, 2, 1, Pitch("G", 0, 3), 80)
    (longer,) = followed([held], [held, was], [replace(was, tick=4 * QUARTER)])
    assert longer.ticks == 4 * QUARTER
    assert followed([held], [held, was], [was]) == [held]


@pytest.mark.parametrize(
    ("keys", "found"), [((74, 72, 71, 72), 4), ((72, 74, 72, 71, 72), 5), ((74, 72, 71, 69), 0), ((71, 72, 74, 72), 0)]
)
def test_a_turn_goes_round_its_note_from_above(keys: tuple[int, ...], found: int) -> None:
    """Upper neighbour, note, lower neighbour, note (common practice).

    Begun on the note or above it; nothing else is a turn.
    """
    quick = [PlayedNote(k * 80_000, k * 80_000 + 75_000, key) for k, key in enumerate(keys[:-1])]
    last = PlayedNote(len(quick) * 80_000, len(quick) * 80_000 + 600_000, keys[-1])
    turns = [o for o in find_ornaments(Take((*quick, last))) if o.kind == "turn"]
    assert [len(o.events) for o in turns] == ([found] if found else [])
    slow = [PlayedNote(k * 130_000, k * 130_000 + 120_000, key) for k, key in enumerate(keys)]
    assert not [o for o in find_ornaments(Take(tuple(slow))) if o.kind == "turn"]


def struck_at(
    seed: int, uneven_s: float, figures: Callable[[random.Random, int], tuple[F, ...]]
) -> tuple[NoteArrays, list[F]]:
    """Forty beats at 100, and where each note truly stands (in beats)."""
    rng = random.Random(seed)
    true = [beat + place for beat in range(40) for place in figures(rng, beat)]
    rows = sorted((1 + float(place) * 0.6 + rng.gauss(0, uneven_s), place) for place in true)
    onset = np.array([at for at, _ in rows]) + np.arange(len(rows)) * 1e-5
    key = np.array([60 + rng.randint(0, 12) for _ in rows])
    return NoteArrays(onset, onset + 0.1, key), [place for _, place in rows]


def syncopated(rng: random.Random, _: int) -> tuple[F, ...]:
    """Sixteenths, many of them 16th, eighth, 16th."""
    return rng.choice(
        ((F(0), F(1, 4), F(3, 4)), (F(0), F(1, 2)), (F(0), F(1, 4), F(1, 2), F(3, 4)), (F(0), F(1, 4), F(3, 4)))
    )


def with_two_triplets(rng: random.Random, beat: int) -> tuple[F, ...]:
    return (F(0), F(1, 3), F(2, 3)) if beat in (9, 21) else rng.choice(((F(0), F(1, 2)), (F(0),)))


@pytest.mark.parametrize(("figures", "uneven_s", "least"), [(syncopated, 0.026, 9), (with_two_triplets, 0.014, 12)])
def test_whether_there_are_tuplets_is_asked_of_the_whole_take(
    figures: Callable[[random.Random, int], tuple[F, ...]], uneven_s: float, least: int
) -> None:
    """Of twelve uneven players: syncopated sixteenths are not written as triplets (all twelve were, when each beat
    decided for itself), and two triplets among eighths stay.
    """
    right = 0
    for seed in range(12):
        played, true = struck_at(seed, uneven_s, figures)
        grid = grid_for(steady_map(100, 0, 1_000_000), BarLines(Meter(4, 4)), 1_000_000, round(played.onset[-1] * 1e6))
        found = place_notes(played, grid, ReadSettings(meter=Meter(4, 4)))
        first = int(np.argmin(np.abs(grid.seconds - 1.0)))
        wrong = sum(abs(p - first - float(t)) > 0.01 for p, t in zip(found.place, true, strict=True))
        right += wrong <= 0.03 * len(true)
    assert right >= least


@pytest.mark.parametrize(("home", "away", "fifths"), [(60, 64, 0), (62, 69, 2), (65, 60, -1)])
def test_the_signature_is_that_of_the_beginning_where_the_music_stops_elsewhere(
    home: int, away: int, fifths: int
) -> None:
    """The first part of a sonata leaves its key and ends in another (common practice).

    The mediant of a famous one, a fifth above in most.
    """
    chords = ((0, 4, 7), (5, 9, 12), (7, 11, 14), (0, 4, 7))
    notes = [
        (4.0 * bar + beat, (home if bar < 12 else away) + k - (12 if not n else 0))
        for bar in range(28)
        for beat in range(4)
        for n, k in enumerate(chords[bar % 4])
    ]
    keys, starts = [k for _, k in notes], [at for at, _ in notes]
    assert estimate_key(keys, starts, [1.0] * len(keys)) == (fifths, "major")
