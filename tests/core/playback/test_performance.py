"""What is sounded: the page at its tempi, a take as it was played, the click and its ranks."""

from __future__ import annotations

import io
from dataclasses import replace

import mido
import pytest

from ductus.core.capture.takes import Heard, PlayedControl, PlayedNote, Take, take_of_events
from ductus.core.pitch.pitches import parse_pitch
from ductus.core.playback.channels import PITCHED_CHANNELS, channels_of
from ductus.core.playback.click import click_ranks
from ductus.core.playback.performance import (
    company_at,
    performed,
    playback,
    take_sounds,
)
from ductus.core.playback.tempo_map import written_tempo_map
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.records import Mark, Part, TempoMark
from ductus.core.time.meters import Meter, parse_meter
from ductus.core.time.pulse_map import Pulse, PulseMap, tempo_of
from ductus.core.time.ticks import QUARTER
from ductus.demo.keyboard import PROGRAMMES, programme_events
from ductus.demo.player import play
from ductus.demo.scenario import jig, song, waltz
from ductus.formats.midi import write_midi
from ductus.formats.musicxml_write import write_musicxml
from tests.building import piece_of


def test_two_bars_of_four_last_as_long_as_arithmetic_says() -> None:
    """Arithmetic (check values): two bars of 4/4 last 7.62 s at 63 and 6.32 s at 76."""
    for bpm, seconds in ((63, 7.62), (76, 6.32)):
        piece = new_piece(bpm=bpm)
        assert written_tempo_map(piece).time_at(8 * QUARTER) / 1e6 == pytest.approx(seconds, abs=0.005)


@pytest.mark.parametrize(("beats", "seconds", "bpm"), [(16, 11.456, 83.80), (12, 11.456, 62.85), (20, 11.456, 104.75)])
def test_tempo_is_beats_times_sixty_over_seconds(beats: int, seconds: float, bpm: float) -> None:
    assert tempo_of(beats, seconds) == pytest.approx(bpm, abs=0.005)


def test_a_tempo_change_holds_from_its_tick() -> None:
    piece = new_piece(bpm=60).with_rows([(None, TempoMark("t9", 4 * QUARTER, 120.0))])
    times = [written_tempo_map(piece).time_at(k * QUARTER) for k in (0, 4, 6)]
    assert times == [0, 4_000_000, 5_000_000]


def test_notes_sound_from_a_place_on_and_late_or_short_where_they_were_told_to() -> None:
    piece = piece_of("4/4", [(0, 1), (1, 1), (2, 1)])
    piece = piece.with_rows(
        [
            (n, replace(n, sounds_ticks=QUARTER // 2, sounds_late=QUARTER // 10))
            for n in list(piece.notes.values())
            if n.tick
        ]
    )
    beat = 60_000_000 / 92
    events = playback(piece, QUARTER).notes
    assert [e.onset_us for e in events] == pytest.approx([0.1 * beat, 1.1 * beat], abs=2)
    assert [e.length_us for e in events] == pytest.approx([beat / 2] * 2, abs=2)


def test_a_take_sounds_as_it_was_played_without_its_silence_before() -> None:
    take = Take((PlayedNote(900_000, 1_000_000, 60, 44), PlayedNote(950_000, 1_400_000, 64, 90)))
    assert [(e.onset_us, e.length_us, e.key, e.velocity) for e in take_sounds(take)] == [
        (0, 100_000, 60, 44),
        (50_000, 450_000, 64, 90),
    ]


@pytest.mark.parametrize(
    ("meter", "subdivide", "ranks"),
    [
        ("4/4", None, "bar beat strong beat"),
        ("3/4", None, "bar beat beat"),
        ("6/8", None, "bar half half beat half half"),
        ("3/4", True, "bar half beat half beat half"),
        ("7/8", None, "bar beat beat"),
    ],
)
def test_the_click_ranks_bar_over_strong_over_weak_over_half(meter: str, subdivide: bool | None, ranks: str) -> None:
    """4/4 is 1, 3, 2 = 4; subdivisions off for simple and on for compound meters by default."""
    bar = new_piece(meter=parse_meter(meter)).timeline.bar(0)
    assert " ".join(rank for _, rank in click_ranks(bar, subdivide)) == ranks


def test_events_pair_into_notes_whatever_order_they_came_in() -> None:
    events = [
        Heard(0, "down", 60, 80),
        Heard(5, "down", 60, 70),
        Heard(9, "up", 60, 0),
        Heard(3, "down", 64, 0),
        Heard(2, "control", 64, 127),
        Heard(4, "down", 67, 50),
    ]
    take = take_of_events(events, end_us=50)
    assert [(n.onset_us, n.release_us, n.key) for n in take.notes] == [(0, 5, 60), (4, 50, 67), (5, 9, 60)]
    assert [(c.time_us, c.controller, c.value) for c in take.controls] == [(2, 64, 127)]


def test_a_pulse_map_goes_both_ways_and_beyond_its_ends() -> None:
    pulses = PulseMap((Pulse(0, 1_000_000), Pulse(QUARTER, 1_500_000), Pulse(3 * QUARTER, 3_500_000)))
    assert pulses.time_at(2 * QUARTER) == 2_500_000
    assert pulses.tick_at(2_500_000) == 2 * QUARTER
    assert pulses.time_at(-QUARTER) == 500_000
    assert pulses.time_at(4 * QUARTER) == 4_500_000
    assert pulses.us_per_quarter_at(2 * QUARTER) == 1_000_000


def test_the_simulated_player_is_the_same_for_a_seed_and_human_in_size() -> None:
    one, two = play(waltz(), range(4), 5, 96), play(waltz(), range(4), 5, 96)
    assert one == two
    assert one != play(waltz(), range(4), 6, 96)
    exact = sorted(
        n.tick / QUARTER * 60e6 / 96 for n in waltz().notes.values() if n.tick < waltz().timeline.bar(4).start
    )
    off = [a.onset_us - b for a, b in zip(sorted(one, key=lambda n: n.onset_us), exact, strict=True)]
    assert 2_000 < max(map(abs, off)) < 80_000


def test_free_playing_breathes_and_every_programme_plays_whole_notes() -> None:
    free = play(jig(), range(9), 3, 150, free=True)
    length = max(n.release_us for n in free) / 1e6
    assert length != pytest.approx(25 * 60 / 150, rel=0.005)
    for programme in PROGRAMMES:
        events = programme_events(programme.name)
        assert [e[0] for e in events] == sorted(e[0] for e in events)
        assert sum(e[1] == "down" for e in events) == sum(e[1] == "up" for e in events)
        assert Meter(*(int(x) for x in programme.meter.split("/")))  # type: ignore[arg-type]


def test_the_company_of_a_place_is_what_all_other_staves_hold_there() -> None:
    piece = song()
    bar = piece.timeline.bar(1)
    around = company_at(piece, bar.start + QUARTER, "p2", 1)
    assert [(s.key, s.part) for s in around] == [(53, "p2"), (67, "p1")]
    assert [round(s.length_us / 1e6, 2) for s in around] == [0.83, 0.83]  # a quarter of each is left, at 72
    assert company_at(piece, 0, "p2", 1)[0].key == 53


def test_notes_that_already_sound_where_playback_starts_are_heard_from_there() -> None:
    piece = piece_of("4/4", [(0, 4), (4, 1)])
    heard = playback(piece, 2 * QUARTER)
    beat = 60_000_000 / 92
    assert [(round(n.onset_us / beat, 3), round(n.length_us / beat, 3)) for n in heard.notes] == [(0, 2), (2, 1)]
    assert heard.places[0] == (0, 2 * QUARTER)
    assert playback(piece, 8 * QUARTER).notes == ()


def test_grace_notes_sound_before_their_note_and_at_the_start_they_take_its_time() -> None:
    piece = piece_of("4/4", [(0, 1), (1, 1)])
    graced = piece.with_rows(
        [(n, replace(n, grace_notes=(parse_pitch("B4"), parse_pitch("D5")))) for n in list(piece.notes.values())]
    )
    sounds = performed(graced).notes
    first, second = sounds[:3], sounds[3:]
    assert [s.key for s in first] == [s.key for s in second] == [71, 74, 72]
    assert first[0].on == 0
    assert second[2].on == QUARTER
    for a, b in ((first[0], first[1]), (first[1], first[2]), (second[0], second[1]), (second[1], second[2])):
        assert a.off == b.on
    from_second = playback(graced, QUARTER)
    assert [n.key for n in from_second.notes] == [71, 74, 72]
    assert from_second.notes[0].onset_us == 0
    assert from_second.places[0] == (from_second.notes[2].onset_us, QUARTER)


def test_staccato_sounds_half_unless_a_length_is_stated() -> None:
    """Common practice."""
    piece = piece_of("4/4", [(0, 1), (1, 1)])
    a, b = sorted(piece.notes.values(), key=lambda n: n.tick)
    rows = [
        (a, replace(a, signs=("staccato",))),
        (b, replace(b, signs=("staccato",), sounds_ticks=QUARTER // 5)),
    ]
    assert [s.off - s.on for s in performed(piece.with_rows(rows)).notes] == [QUARTER // 2, QUARTER // 5]


def test_one_key_has_one_note_on_at_a_time() -> None:
    piece = piece_of("4/4", [(0, 1), (2, 1)])
    one, two = sorted(piece.notes.values(), key=lambda n: n.tick)
    unison = replace(one, id="n90", staff=2, ticks=3 * QUARTER, velocity=99)
    sounds = performed(piece.with_rows([(None, unison)])).notes
    assert [(s.on, s.off, s.velocity) for s in sounds] == [
        (0, 2 * QUARTER, 99),
        (2 * QUARTER, 3 * QUARTER, two.velocity),
    ]


def test_the_pedal_holds_notes_on_in_the_browser_and_is_a_controller_in_the_file() -> None:
    piece = piece_of("4/4", [(0, 1), (1, 1), (3, 1)])
    pedal = Mark("m90", "pedal", "p1", 2, 1, 0, 2 * QUARTER)
    piece = piece.with_rows([(None, pedal)])
    beat = 60_000_000 / 92
    assert [round(n.length_us / beat, 3) for n in playback(piece).notes] == [1, 1, 1]  # the same key is struck again
    other = piece.with_rows(
        [(n, replace(n, pitch=parse_pitch("E5"))) for n in piece.notes.values() if n.tick == QUARTER]
    )
    assert [round(n.length_us / beat, 3) for n in playback(other).notes] == [2, 1, 1]
    track = mido.MidiFile(file=io.BytesIO(write_midi(other))).tracks[1]
    at, changes = 0, []
    for message in track:
        at += message.time
        if message.type == "control_change":
            changes.append((at, message.control, message.value))
    assert changes == [(0, 64, 127), (1920, 64, 0)]


def test_the_pedal_of_a_take_holds_its_notes() -> None:
    take = Take(
        (PlayedNote(0, 100, 60), PlayedNote(500, 600, 64), PlayedNote(2000, 2100, 60)),
        (PlayedControl(50, 64, 127), PlayedControl(1000, 64, 0)),
    )
    assert [(s.onset_us, s.length_us) for s in take_sounds(take)] == [(0, 1000), (500, 500), (2000, 100)]


def test_sixteen_pitched_parts_find_channels_and_none_is_the_drums() -> None:
    """General MIDI 1: percussion is channel 10, that is 9 counted from 0."""
    piece = new_piece()
    parts = [(None, Part(f"p{k}", f"Part {k}", "", k if k < 18 else 3, ("treble",), k)) for k in range(2, 20)]
    kit = (None, Part("p99", "Kit", "", 0, ("percussion",), 99))
    channels = channels_of(piece.with_rows([*parts, kit]))
    assert channels["p99"] == 9
    assert all(c != 9 for p, c in channels.items() if p != "p99")
    assert channels["p3"] == channels["p18"] == channels["p19"]
    few = channels_of(piece.with_rows(parts[:14]))
    assert sorted(few.values()) == sorted(PITCHED_CHANNELS)


def test_a_meter_of_halves_is_played_and_printed_in_halves() -> None:
    """2/2 at 60: a half is a beat of a second (arithmetic)."""
    piece = new_piece(meter=Meter(2, 2), bpm=60)
    assert written_tempo_map(piece).time_at(2 * QUARTER) == 1_000_000
    assert b"<beat-unit>half</beat-unit>" in write_musicxml(piece)
