"""The smaller parts of reading: segments and lattices, salience, the beam, choices of value, doubts, beats of a
meter.
"""

from __future__ import annotations

import json
import math
from dataclasses import replace
from fractions import Fraction as F
from importlib import resources

import numpy as np
import pytest

from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.reading.beat_tracking.beam_search import BeamSearch, build_targets, frame_of, level_table
from ductus.core.reading.beat_tracking.onset_clusters import FEATURES, LEVELS, cluster, salience
from ductus.core.reading.beat_tracking.tracker import find_beats, heard, pulses_of, same_bars, search, smoothed
from ductus.core.reading.durations.duration_choice import choose_values, let_go_at_bar
from ductus.core.reading.durations.offset_options import (
    AT_QUIET,
    HELD_EDGES,
    N_HELD,
    N_QUIET,
    UNIT,
    Situation,
    classes_of,
    options_of,
)
from ductus.core.reading.hands.features import FEATURES as HAND_FEATURES
from ductus.core.reading.hands.features import hand_features
from ductus.core.reading.model import Decisions, ReadSettings, Rival
from ductus.core.reading.pipeline import read
from ductus.core.reading.quantization.beat_grid import beat_pattern, grid_for
from ductus.core.reading.quantization.lattice import MOST_TOGETHER, segments_of
from ductus.core.reading.quantization.placement import (
    LEAST_CENTRED_SD_S,
    NoteArrays,
    allowed_by_beat,
    estimate_feel,
    place_notes,
    plainer,
)
from ductus.core.reading.quantization.subdivisions import (
    COMPOUND,
    DIVISIONS,
    SIMPLE,
    allowed_divisions,
    rhythm_table,
    smallest_division,
)
from ductus.core.reading.review.doubts import MOST_PER_100, BeatRivals, wrong_chance
from ductus.core.reading.tonality.key_estimation import FEATURES as FEATURES_OF_KEY
from ductus.core.reading.tonality.key_estimation import (
    key_scores,
    local_evidence,
    local_windows,
    spelling_table,
    turned,
)
from ductus.core.time.bars import BarLines
from ductus.core.time.meters import Meter, parse_meter
from ductus.core.time.pulse_map import Pulse, PulseMap, steady_map
from ductus.core.time.ticks import QUARTER


def arrays(*columns: list[float]) -> list[np.ndarray]:
    return [np.array(c, float if k < 2 else np.int64) for k, c in enumerate(columns)]


@pytest.mark.parametrize("name", ["rhythm", "values", "hands", "salience", "spelling"])
def test_every_fitted_table_says_where_it_comes_from(name: str) -> None:
    table = json.loads(resources.files("ductus.core.reading.tables").joinpath(f"{name}.json").read_text("utf-8"))
    assert "tools/fit_" in table["provenance"]


@pytest.mark.parametrize(
    ("family", "places", "step"),
    [
        (SIMPLE, {0}, 1),
        (SIMPLE, {F(1, 2)}, F(1, 2)),
        (SIMPLE, {0, F(2, 3)}, F(1, 3)),
        (SIMPLE, {F(3, 4)}, F(1, 4)),
        (COMPOUND, {0, F(2, 3)}, F(1, 3)),
        (COMPOUND, {F(1, 2)}, F(1, 2)),
    ],
)
def test_the_smallest_division_that_holds_all_places(family: int, places: set[object], step: object) -> None:
    found = smallest_division(family, frozenset(places))  # type: ignore[arg-type]
    assert found is not None
    assert DIVISIONS[found].step == step


def test_no_division_holds_a_place_that_is_on_no_grid() -> None:
    assert smallest_division(SIMPLE, frozenset({F(1, 11)})) is None


@pytest.mark.parametrize(
    ("meter", "beats"),
    [("4/4", 4), ("2/2", 4), ("3/2", 6), ("6/8", 2), ("9/8", 3), ("5/8", 2), ("7/8", 3), ("3/8", 1), ("2/8", 2)],
)
def test_beats_fill_the_bar(meter: str, beats: int) -> None:
    pattern = beat_pattern(parse_meter(meter))
    assert sum(ticks for ticks, _ in pattern) == parse_meter(meter).bar_ticks
    assert len(pattern) == beats


def test_a_grid_covers_the_take_and_its_places_are_exact() -> None:
    grid = grid_for(steady_map(90, 0, 0), BarLines(Meter(6, 8)), 2e6, 9e6)
    assert grid.seconds[0] < 2
    assert grid.seconds[-1] > 9
    thirds = next(g for g, d in enumerate(DIVISIONS) if d.family == COMPOUND and len(d.slots) == 3)
    assert grid.tick_of(1, thirds, 2) - grid.tick_of(1, thirds, 1) == QUARTER // 2


def test_segments_never_join_struck_again_keys_wide_gaps_or_too_many_fingers() -> None:
    onset, release, key = arrays(
        [0, 0.01, 0.02, 0.2, 0.21, 0.9], [0.5, 0.5, 0.5, 0.5, 0.5, 1.2], [60, 64, 60, 62, 65, 70]
    )
    segments = segments_of(onset, release, key)
    for rows in segments.values():
        for s in rows:
            keys = list(key[s.first : s.last + 1])
            assert len(set(keys)) == len(keys) <= MOST_TOGETHER
            assert onset[s.last] - onset[s.first] <= 0.14
    ends = set(segments) | {-1}
    assert all(s.first - 1 in ends for rows in segments.values() for s in rows)


def test_the_feel_is_estimated_from_where_chords_came() -> None:
    rng = np.random.default_rng(2)
    place = np.repeat(np.arange(200) * 0.5, 2)
    chord = np.repeat(np.arange(200), 2)
    onset = place + 0.02 + np.repeat(rng.normal(0, 0.03, 200), 2) + rng.normal(0, 0.01, 400)
    feel = estimate_feel(onset, place, chord, None)
    assert feel.lag == pytest.approx(0.02, abs=0.006)
    assert feel.chord_sd == pytest.approx(0.03, abs=0.005)
    assert feel.note_sd == pytest.approx(0.01, abs=0.003)


def test_plainer_prices_fine_divisions_and_leaves_the_beat_alone() -> None:
    table = rhythm_table()
    plain = plainer(table, 2)
    one = next(g for g, d in enumerate(DIVISIONS) if d.family == SIMPLE and len(d.slots) == 1)
    eight = next(g for g, d in enumerate(DIVISIONS) if d.family == SIMPLE and len(d.slots) == 8)
    assert plain.alone[one] == table.alone[one]
    assert plain.alone[eight] < table.alone[eight]


def test_settings_remove_divisions_from_every_beat() -> None:
    grid = grid_for(steady_map(90, 0, 0), BarLines(Meter(4, 4)), 0, 4e6)
    free = allowed_by_beat(grid, ReadSettings(meter=Meter(4, 4)))
    strict = allowed_by_beat(grid, ReadSettings(meter=Meter(4, 4), shortest="eighth", tuplets=False))
    assert (strict <= free).all()
    assert strict.sum() < free.sum()
    with_fives = allowed_divisions(QUARTER, SIMPLE, None, True)
    assert any(len(DIVISIONS[g].slots) == 5 for g in with_fives)
    assert not any(len(DIVISIONS[g].slots) == 5 for g in allowed_divisions(QUARTER, SIMPLE, None, None))


def test_chords_are_clustered_and_a_loud_low_long_one_weighs_most() -> None:
    onset, release = list[float](), list[float]()
    key, velocity = list[int](), list[int]()
    for beat in range(32):
        heavy = beat % 4 == 0
        for k in (36, 60, 64) if heavy else (72,):
            onset.append(beat * 0.5 + 0.003 * len(onset) % 0.01)
            release.append(beat * 0.5 + (1.9 if heavy else 0.3))
            key.append(k)
            velocity.append(90 if heavy else 60)
    order = np.argsort(onset, kind="stable")
    chords = cluster(*(np.array(c)[order] for c in (onset, release, key, velocity)))
    assert len(chords.time) == 32
    assert chords.features.shape == (32, FEATURES)
    weight = salience(chords)
    assert weight.shape == (32, LEVELS)
    assert weight[::4, 0].mean() > weight[1::4, 0].mean() + 1


def test_levels_of_a_frame_follow_the_meter() -> None:
    table = rhythm_table()
    frame = frame_of(Meter(4, 4))
    targets, rows, inside = build_targets(
        table, [g for g in allowed_divisions(QUARTER, SIMPLE, None, None) if DIVISIONS[g].slots], SIMPLE
    )
    levels = level_table(frame, inside)
    on_beat = int(np.flatnonzero(inside == 0)[0])
    assert list(levels[:, on_beat]) == [0, 2, 1, 2]
    assert (np.diff(targets.nearest) >= 0).all()
    assert len(rows) == len(inside)


@pytest.mark.parametrize("bpm", [70, 110, 150])
def test_the_beam_follows_a_steady_tune_at_the_tempo_that_was_hinted(bpm: float) -> None:
    frame = frame_of(Meter(4, 4))
    beam = BeamSearch(frame, rhythm_table(), allowed_divisions(QUARTER, SIMPLE, None, None), 60 / bpm)
    time = np.cumsum([0.0, *([1, 0.5, 0.5, 1, 1] * 8)]) * 60 / bpm
    beam.advance(time, np.zeros((len(time), LEVELS)), 0.02)
    track = beam.tracks()[0]
    assert np.diff(track.place) == pytest.approx([1, 0.5, 0.5, 1, 1] * 8)
    assert track.period == pytest.approx(60 / bpm, rel=0.03)


def test_a_pause_does_not_lose_the_beat() -> None:
    frame = frame_of(Meter(4, 4))
    beam = BeamSearch(frame, rhythm_table(), allowed_divisions(QUARTER, SIMPLE, None, None), 0.5)
    time = np.concatenate((np.arange(16) * 0.5, np.arange(16) * 0.5 + 16 * 0.5 + 0.6))
    weight = np.zeros((32, LEVELS))
    weight[::4, 0] = 2.0
    beam.advance(time, weight, 0.02)
    places = beam.tracks()[0].place
    assert places[-1] - places[0] == pytest.approx(31)
    _, _, smooth = smoothed(beam.tracks()[0], time)
    assert smooth == pytest.approx(time, abs=0.08)


def test_a_beat_that_is_played_lies_near_its_chord_however_much_the_tempo_bends() -> None:
    """Else what was struck on the beat would be read as a very fine value beside it."""
    frame = frame_of(Meter(4, 4))
    beam = BeamSearch(frame, rhythm_table(), allowed_divisions(QUARTER, SIMPLE, None, None), 0.5)
    time = np.arange(24.0) * 0.5
    time[12] -= 0.085  # an upbeat that comes early
    beam.advance(time, np.zeros((24, LEVELS)), 0.027)
    track = beam.tracks()[0]
    assert np.diff(track.place) == pytest.approx(np.ones(23))
    _, _, smooth = smoothed(track, time)
    assert abs(smooth[12] - time[12]) > 0.04  # by itself the smoother would leave it alone
    pulses = pulses_of(track, time)
    beats = [pulses.time_at(round(float(p)) * QUARTER) / 1e6 for p in track.place]
    assert np.abs(np.array(beats) - time).max() <= 0.0305


def test_nobody_is_taken_to_be_so_even_that_beats_which_follow_them_fit_exactly() -> None:
    onset = np.arange(64.0) * 0.25
    played = NoteArrays(onset, onset + 0.2, np.full(64, 60) + np.arange(64) % 5)
    pulses = PulseMap(tuple(Pulse(k * QUARTER, k * 500_000) for k in range(-4, 40)))
    grid = grid_for(pulses, BarLines(Meter(4, 4)), 0, 16e6)
    settings = ReadSettings(meter=Meter(4, 4))
    assert place_notes(played, grid, settings, centred=True).feel.chord_sd == LEAST_CENTRED_SD_S
    assert (
        place_notes(played, grid, settings).feel.chord_sd < LEAST_CENTRED_SD_S / 1.5
    )  # a click says how even they are


def test_rivals_of_a_search_are_distinct_and_two_pinned_beats_settle_it() -> None:
    notes = tuple(PlayedNote(k * 300_000, k * 300_000 + 250_000, 60 + k % 7) for k in range(48))
    tracks = search(heard(Take(notes)), ReadSettings())
    assert not all(same_bars(t, tracks[0]) for t in tracks[:3])
    assert (
        len({(str(t.frame.meter), round(t.place[-1] - t.place[0], 2), round(float(t.place[0]), 2)) for t in tracks[:3]})
        == 3
    )
    pins = Decisions(beats=((0, 0), (1_200_000, 4 * QUARTER)))
    assert find_beats(Take(notes), ReadSettings(), pins)[0].pulses.us_per_quarter_at(0) == 300_000


def situation(rows: list[tuple[float, float, int, int]], bar: int = 4 * UNIT) -> Situation:
    """(onset, played length) in quarters at 60 a minute, hand, key."""
    tick = [round(r[0] * UNIT) for r in rows]
    return Situation(
        tick,
        [r[1] * UNIT for r in rows],
        [r[0] for r in rows],
        [r[0] + r[1] for r in rows],
        [r[2] for r in rows],
        [r[3] for r in rows],
        [t // bar * bar + bar for t in tick],
        [t // UNIT * UNIT for t in tick],
        [UNIT] * len(rows),
    )


def test_a_note_ends_where_the_next_of_its_hand_begins_unless_it_is_struck_again() -> None:
    s = situation([(0, 0.95, 1, 60), (1, 0.9, 1, 62), (2, 1.9, 1, 64), (0, 3.8, 2, 40)])
    lengths, ranked = choose_values(s)
    assert lengths == [UNIT, UNIT, 2 * UNIT, 4 * UNIT]
    assert all(math.isclose(sum(p for _, p in row), 1, abs_tol=1e-9) for row in ranked)
    again = situation([(0, 0.4, 1, 60), (0.5, 0.4, 1, 60), (1, 0.9, 1, 62)])
    options = options_of(again)
    assert (options.length[options.note == 0] <= UNIT // 2).all()


def test_silence_counts_only_where_neither_hand_sounds() -> None:
    """A quarter's sound on a way of two: the rest of it is silent, or the other hand sounds on, or strikes on the
    way.
    """

    def quiet(*left: tuple[float, float, int, int]) -> tuple[int, int]:
        s = situation(sorted([(0, 1.0, 1, 72), (2, 0.9, 1, 74), *left]))
        options = options_of(s)
        note = s.key.index(72)
        (row,) = options.features[(options.note == note) & (options.ahead == 1)]
        (found,) = [f - AT_QUIET for f in row if AT_QUIET <= f < AT_QUIET + 3 * N_QUIET * N_HELD]
        assert found % N_HELD == HELD_EDGES.searchsorted(0.5)
        return found // N_HELD // N_QUIET, found // N_HELD % N_QUIET

    alone, waits, strikes = 2, 1, 0
    assert quiet() == (alone, N_QUIET - 1)
    assert quiet((0, 1.0, 2, 48), (2, 0.9, 2, 50)) == (waits, N_QUIET - 1)
    assert quiet((0, 2.0, 2, 48), (2, 0.9, 2, 50)) == (waits, 0)
    assert quiet((0, 1.0, 2, 48), (1, 0.5, 2, 50)) == (strikes, 1)


def test_value_classes_are_one_to_one_for_plain_values() -> None:
    plain = [UNIT // 2, UNIT, 2 * UNIT, 3 * UNIT, UNIT // 3]
    assert len(set(classes_of(np.array(plain)).tolist())) == len(plain)
    assert len(set(classes_of(np.array([UNIT * 5, UNIT // 5, *plain])).tolist())) == len(plain) + 2


def test_hand_features_are_the_same_in_blocks_of_any_size() -> None:
    rng = np.random.default_rng(0)
    on = np.sort(rng.uniform(0, 30, 200))
    pitch = rng.integers(36, 84, 200)
    whole = hand_features(on, on + 0.4, pitch)
    assert whole.shape == (200, HAND_FEATURES)
    assert np.isfinite(whole).all()


def test_key_features_turn_with_the_music() -> None:
    keys = [60, 62, 64, 65, 67, 69, 71, 72]
    starts, lengths = [float(k) for k in range(8)], [1.0] * 8
    plain = key_scores(keys, starts, lengths)
    higher = key_scores([k + 7 for k in keys], starts, lengths)
    assert max(plain, key=plain.__getitem__) + 1 == max(higher, key=higher.__getitem__)
    assert sum(math.exp(v) for v in plain.values()) == pytest.approx(1)
    assert len(turned(np.zeros(132), 3)) == FEATURES_OF_KEY


@pytest.mark.parametrize("curve", [(0.6, 1.1), (-0.5, 0.55), (0.0, 0.3)])
def test_a_surer_decision_is_less_likely_to_be_wrong(curve: tuple[float, float]) -> None:
    chances = [wrong_chance(p, curve) for p in (0.3, 0.6, 0.9, 0.99, 1.0)]
    assert chances == sorted(chances, reverse=True)
    assert all(0 < c < 1 for c in chances)


def test_doubts_are_few_in_order_and_name_real_notes() -> None:
    rng = np.random.default_rng(8)
    notes = tuple(
        sorted(
            (
                PlayedNote(
                    int(2e6 + k * 250_000 + rng.normal(0, 45_000)),
                    int(2.2e6 + k * 250_000),
                    48 + int(rng.integers(0, 30)),
                )
                for k in range(100)
            ),
            key=lambda n: n.onset_us,
        )
    )
    result = read(Take(notes), steady_map(120, 0, 2_000_000), ReadSettings(meter=Meter(4, 4)))
    assert 0 < len(result.doubts) <= MOST_PER_100
    assert [d.tick for d in result.doubts] == sorted(d.tick for d in result.doubts)
    for d in result.doubts:
        assert d.bar == d.tick // (4 * QUARTER)
        assert set(d.events) <= set(range(100))
        assert all(r.words for r in d.rivals)
        assert [r.probability for r in d.rivals] == sorted((r.probability for r in d.rivals), reverse=True)


def test_a_minor_piece_that_stands_on_its_dominant_keeps_its_signature() -> None:
    """Eight bars on the dominant of C sharp minor (a pedal point, common practice) and eight in the key.

    Four sharps, not the four flats of the dominant's own enharmonic key.
    """
    pedal = [56, 63, 68, 71, 72, 68, 63, 72]  # G sharp, D sharp, G sharp, B, B sharp
    home = [49, 61, 64, 68, 57, 66, 56, 72, 49, 64, 61, 69, 63, 64, 66, 68]
    keys = [*pedal * 4, *home * 4, *pedal * 2, *home * 2]
    starts = [float(k) for k in range(len(keys))]
    scores = key_scores(keys, starts, [1.0] * len(keys))
    assert max(scores, key=scores.__getitem__) == 4
    dominant = key_scores(pedal * 8, starts[:64], [1.0] * 64)
    assert scores[4] - scores[-4] > dominant[4] - dominant[-4]  # the bars in the key are what decides


def test_evidence_of_local_keys_turns_with_the_music_and_grows_with_its_length() -> None:
    cadence = [48, 52, 55, 60, 53, 57, 60, 65, 55, 59, 62, 67, 48, 55, 60, 64]  # I IV V I in C (common practice)
    starts = [float(k) for k in range(len(cadence))]
    relations = np.array(spelling_table()["relations"])
    assert relations.shape == (2, 2, 12)
    assert relations.sum((1, 2)) == pytest.approx([1, 1], abs=1e-3)
    assert relations[0, 0].argmax() == 0  # a piece in major is mostly in its own key
    assert relations[1, 1].argmax() == 0
    once = local_evidence(local_windows(cadence, starts), relations)
    assert np.unravel_index(once.argmax(), once.shape) == (0, 0)
    higher = local_evidence(local_windows([k + 3 for k in cadence], starts), relations)
    assert higher == pytest.approx(np.roll(once, 3, axis=1))
    twice = local_evidence(local_windows(cadence * 2, [*starts, *(s + 16 for s in starts)]), relations)
    assert twice == pytest.approx(2 * once)


def test_a_note_let_go_at_the_bar_line_is_not_tied_over_it() -> None:
    """A half note on the last beat of 3/4 that sounds a little over the bar line, while the hand goes on a beat
    later: it ends with its bar.
    """
    situation = Situation(
        [2 * UNIT, 4 * UNIT], [1.2 * UNIT, UNIT], [0.0, 1.2], [0.72, 1.7], [1, 1], [60, 62], [3 * UNIT, 6 * UNIT],
        [2 * UNIT, 4 * UNIT], [UNIT, UNIT]
    )  # fmt: skip
    options = options_of(situation)
    assert let_go_at_bar(situation, options, np.array([2 * UNIT, UNIT])).tolist() == [UNIT, UNIT]
    held = replace(situation, played=[1.9 * UNIT, UNIT])
    assert let_go_at_bar(held, options, np.array([2 * UNIT, UNIT])).tolist() == [2 * UNIT, UNIT]
    assert let_go_at_bar(situation, options, np.array([UNIT // 2, UNIT])).tolist() == [UNIT // 2, UNIT]


def test_the_rivals_of_a_doubt_hold_the_likeliest_of_each_kind(monkeypatch: pytest.MonkeyPatch) -> None:
    """Three likelier lengths do not crowd out another rhythm."""
    lengths = [Rival(f"length {k}", p) for k, p in enumerate((0.3, 0.35, 0.25))]
    kinds = {"_places": [Rival("rhythm", 0.1), Rival("rhythm too", 0.09)], "_values": lengths, "_hands": []}
    for name, found in kinds.items():
        monkeypatch.setattr(BeatRivals, name, lambda *_, found=found: found)
    settled = BeatRivals(None)  # type: ignore[arg-type]
    assert [r.words for r in settled.rivals_in([], {})] == ["length 1", "length 0", "rhythm"]
    kinds["_values"].clear()
    assert [r.words for r in settled.rivals_in([], {})] == ["rhythm", "rhythm too"]
