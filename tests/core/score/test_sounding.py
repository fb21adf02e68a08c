"""How notes sound apart from how they are written: quantize in place, velocities, feel, as played, held to harmony."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from ductus.core.entry.commands.mode import ChordsByKeys, HoldToHarmony, SwitchHarmony
from ductus.core.entry.events import Command, KeyDown, KeyUp
from ductus.core.entry.machine import advance_entry
from ductus.core.entry.state import EntryState, evolved
from ductus.core.errors import BadInput
from ductus.core.pitch.chord_symbols import name_chord, parse_chord
from ductus.core.pitch.pitches import parse_pitch
from ductus.core.pitch.scales import SCALES, named_scale_classes
from ductus.core.playback.click import AsWritten, OneTempo, practice_map
from ductus.core.playback.performance import FEEL_US, PlaybackStyle, playback
from ductus.core.score.catalogues.harmony import held_to_harmony
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.mark_edits.place_marks import marked, where
from ductus.core.score.mark_language.parser import wish_of
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Mark, Note
from ductus.core.score.note_edits.base import At
from ductus.core.score.note_edits.registry import edit_notes
from ductus.core.score.note_edits.sounding import (
    AccentVelocity,
    DrawVelocity,
    GradualVelocity,
    LimitVelocity,
    QuantizeInPlace,
    RandomVelocity,
    ScaleVelocity,
    SoundAsBefore,
    SoundAt,
    grid_of,
)
from ductus.core.time.ticks import QUARTER
from ductus.formats.musicxml_write import write_musicxml

MS = QUARTER / 500  # ticks to a millisecond at 120
HERE = At(("p1", 1, 1), 0)


def sixteenths(*late_ms: float, bpm: float = 120.0, **more: Any) -> Piece:
    """Sixteenths that sound so many milliseconds late at 120."""
    piece = new_piece(bpm=bpm)
    notes = [
        Note(f"n{k}", "p1", 1, 1, k * QUARTER // 4, QUARTER // 4, parse_pitch("C5"), 80, round(ms * MS), **more)
        for k, ms in enumerate(late_ms)
    ]
    return piece.with_rows([(None, n) for n in notes])


def late(piece: Piece) -> list[float]:
    """How late each note sounds, in milliseconds at 120."""
    notes = sorted(piece.notes.values(), key=lambda n: n.tick)
    return [round(n.sounds_late / MS, 1) for n in notes]


def shaped(piece: Piece, edit: object) -> Piece:
    return edit_notes(piece, edit, list(piece.notes), HERE).apply(piece)  # type: ignore[arg-type]


def test_only_within_reaches_as_far_as_arithmetic_says() -> None:
    """A sixteenth at 120 is 125 ms: 25 % of a step reaches 31.25 ms, 50 % reaches all (check values, arithmetic)."""
    played = sixteenths(31.2, 31.3, -31.2, -31.3, 60)
    assert late(shaped(played, QuantizeInPlace(within=25))) == [0, 31.3, 0, -31.3, 60]
    assert late(shaped(played, QuantizeInPlace(within=50))) == [0] * 5


def test_how_far_goes_a_share_of_the_way() -> None:
    assert late(shaped(sixteenths(30, -20, 0, 10), QuantizeInPlace(far=60))) == [12, -8, 0, 4]
    assert late(shaped(sixteenths(30, -20, 0, 10), QuantizeInPlace(far=0))) == [30, -20, 0, 10]


@pytest.mark.parametrize(("share", "second_ms"), [(50, 0), (66.7, 41.75), (58, 20), (42, -20), (75, 62.5)])
def test_long_short_lengthens_the_first_of_a_pair_or_the_second(share: float, second_ms: float) -> None:
    """A pair of sixteenths at 120 lasts 250 ms; its first half takes the share (66.7: triplet feel; arithmetic)."""
    moved = late(shaped(sixteenths(0, 0, 0, 0), QuantizeInPlace(long_short=share)))
    assert moved == pytest.approx([0, second_ms, 0, second_ms], abs=0.1)


def test_what_gets_longer_is_said() -> None:
    assert "58 to 42, the first longer" in QuantizeInPlace(long_short=58).words
    assert "42 to 58, the second longer" in QuantizeInPlace(long_short=42).words


def test_triplet_and_dotted_grids() -> None:
    bar = new_piece().timeline.bar(0)
    assert [
        t / QUARTER for t in grid_of(bar, QuantizeInPlace(grid="eighth", kind="triplet").step, 50)
    ] == pytest.approx([k / 3 for k in range(13)])
    assert [t / QUARTER for t in grid_of(bar, QuantizeInPlace(grid="eighth", kind="dotted").step, 50)] == [
        0,
        0.75,
        1.5,
        2.25,
        3,
        3.75,
        4,
    ]


def test_ends_and_lengths() -> None:
    piece = sixteenths(0)
    note = piece.notes["n0"]
    odd = piece.with_rows([(note, replace(note, sounds_ticks=round(QUARTER * 0.45)))])
    ends = shaped(odd, QuantizeInPlace(grid="eighth", onsets=False, ends=True))
    assert ends.notes["n0"].sounds_ticks == QUARTER // 2
    lengths = shaped(odd, QuantizeInPlace(grid="eighth", onsets=False, lengths=True, far=50))
    assert lengths.notes["n0"].sounds_ticks == pytest.approx(QUARTER * 0.475, abs=1)
    with pytest.raises(BadInput, match="onsets, ends or lengths"):
        shaped(odd, QuantizeInPlace(onsets=False))


def test_ahead_and_uneven_are_milliseconds_and_repeatable() -> None:
    piece = sixteenths(10, -10, 5)
    assert late(shaped(piece, QuantizeInPlace(ahead_ms=-12))) == [-12, -12, -12]
    uneven = QuantizeInPlace(uneven_ms=20, seed=3)
    assert late(shaped(piece, uneven)) == late(shaped(piece, uneven)) != late(shaped(piece, replace(uneven, seed=4)))
    assert all(abs(ms) <= 20.1 for ms in late(shaped(piece, uneven)))


def test_played_times_are_never_lost() -> None:
    piece = sixteenths(30, -20, 12)
    once = shaped(piece, QuantizeInPlace())
    other = shaped(once, QuantizeInPlace(far=50))
    assert late(other) == [15, -10, 6]  # from what was played, not from what was moved
    assert late(shaped(other, SoundAsBefore())) == [30, -20, 12]
    taken = sixteenths(0, 0, take=1, event=0, played=(round(25 * MS), QUARTER // 5))
    moved = shaped(taken, QuantizeInPlace(far=60))
    assert late(moved) == [10, 10]
    assert late(shaped(moved, SoundAsBefore())) == [0, 0]
    assert all(n.played == (round(25 * MS), QUARTER // 5) for n in shaped(moved, SoundAsBefore()).notes.values())


def test_the_writing_stays() -> None:
    piece = sixteenths(30, -20, 12)
    moved = shaped(piece, QuantizeInPlace(long_short=60, far=70))
    assert write_musicxml(moved) == write_musicxml(piece)


def test_what_it_would_do_is_counted() -> None:
    change = edit_notes(sixteenths(30, 10, 62, 0), QuantizeInPlace(within=25), ["n0", "n1", "n2", "n3"], HERE)
    assert change.sentence == "2 of 4 notes move, by 20 ms on average, 30 at most; 2 stay. The writing stays."


def test_what_moves_is_counted_from_where_notes_are_now() -> None:
    """Played on the grid and then set 50 ms behind it, they move back by 50 ms."""
    piece = shaped(sixteenths(0, 0, 0, 0), QuantizeInPlace(ahead_ms=50))
    assert late(piece) == [50] * 4
    back = QuantizeInPlace().change(piece, list(piece.notes.values()), HERE)
    assert late(back.apply(piece)) == [0] * 4
    assert back.sentence.startswith("4 of 4 notes move, by 50 ms on average")


def test_a_grid_finer_than_the_playing_moves_little_and_says_so() -> None:
    change = edit_notes(sixteenths(0, 0), QuantizeInPlace(grid="32nd"), ["n0", "n1"], HERE)
    assert not change
    assert change.sentence == "None of 2 notes moves"


def test_numbers_are_typed_for_one_note() -> None:
    piece = edit_notes(sixteenths(0, 0), SoundAt(late_ms=-15, percent=150), ["n1"], HERE).apply(sixteenths(0, 0))
    assert late(piece) == [0, -15]
    assert piece.notes["n1"].sounds_ticks == QUARTER // 4 * 3 // 2


# --- velocities -----------------------------------------------------------------------------------


def velocities(piece: Piece) -> list[int]:
    return [n.velocity for n in sorted(piece.notes.values(), key=lambda n: n.tick)]


def test_velocities_are_scaled_limited_graded_drawn_and_stay_in_their_range() -> None:
    piece = sixteenths(*[0] * 5)
    assert velocities(shaped(piece, ScaleVelocity(50))) == [40] * 5
    assert velocities(shaped(piece, ScaleVelocity(400))) == [127] * 5
    graded = shaped(piece, GradualVelocity(20, 100))
    assert velocities(graded) == [20, 40, 60, 80, 100]
    assert velocities(shaped(graded, LimitVelocity(30, 90))) == [30, 40, 60, 80, 90]
    assert velocities(shaped(piece, DrawVelocity((("n1", 11), ("n3", 99))))) == [80, 11, 80, 99, 80]
    with pytest.raises(BadInput, match="nothing lies between"):
        shaped(piece, LimitVelocity(90, 30))


def test_accents_go_by_meter_and_chance_by_its_seed() -> None:
    """Common practice: bar line > middle of the bar > beat > part of a beat."""
    piece = sixteenths(*[0] * 16)
    by_meter = velocities(shaped(piece, AccentVelocity(12)))
    assert by_meter[0] > by_meter[8] > by_meter[4] == by_meter[12] > by_meter[1]
    assert velocities(shaped(piece, RandomVelocity(9, 1))) == velocities(shaped(piece, RandomVelocity(9, 1)))
    assert velocities(shaped(piece, RandomVelocity(9, 1))) != velocities(shaped(piece, RandomVelocity(9, 2)))
    assert all(abs(v - 80) <= 9 for v in velocities(shaped(piece, RandomVelocity(9, 1))))


# --- playback ---------------------------------------------------------------------------------------


def test_as_played_and_as_set_are_two_ways_to_hear_the_same_page() -> None:
    piece = sixteenths(0, 0, take=1, event=0, played=(round(40 * MS), round(60 * MS)))
    assert [n.onset_us for n in playback(piece).notes] == [0, 125_000]
    assert [(n.onset_us, n.length_us) for n in playback(piece, manner=PlaybackStyle(played=True)).notes] == [
        (40_000, 60_000),
        (165_000, 60_000),
    ]


def test_feel_is_small_repeatable_and_never_in_the_writing() -> None:
    piece = sixteenths(*[0] * 16)
    even, felt, again, other = (
        playback(piece, manner=m).notes
        for m in (PlaybackStyle(), PlaybackStyle(feel=50), PlaybackStyle(feel=50), PlaybackStyle(feel=50, seed=2))
    )
    assert felt == again != other
    apart = [abs(a.onset_us - b.onset_us) for a, b in zip(even, felt, strict=True)]
    assert 0 < max(apart) <= FEEL_US
    assert {n.velocity for n in even} == {80} != {n.velocity for n in felt}
    assert playback(piece, manner=PlaybackStyle(feel=0)).notes == even


def test_the_practice_tempo_is_apart_from_the_written() -> None:
    piece = sixteenths(0, 0, 0, 0, 0, bpm=96)
    at = [
        playback(piece, pulses=practice_map(piece, tempo)).notes[4].onset_us
        for tempo in (AsWritten(), AsWritten(50), OneTempo(48))
    ]
    assert at == pytest.approx([625_000, 1_250_000, 1_250_000], abs=1)
    with pytest.raises(BadInput, match="out of reach"):
        practice_map(piece, AsWritten(2))


def test_bars_that_go_round_are_as_long_as_their_bars_and_nothing_rings_on() -> None:
    piece = new_piece(bpm=60)
    piece = piece.with_rows([(None, Note("n1", "p1", 1, 1, 3 * QUARTER, 4 * QUARTER, parse_pitch("C5")))])
    bar = piece.timeline.bar(0)
    heard = playback(piece, bar.start, bar.end, cut=True)
    assert heard.length_us == 4_000_000
    assert [(n.onset_us, n.length_us) for n in heard.notes] == [(3_000_000, 1_000_000)]
    assert playback(piece, bar.start, bar.end).notes[0].length_us == 4_000_000


# --- harmony ----------------------------------------------------------------------------------------


def with_harmony(*marks: tuple[float, str, str], fifths: int = 0) -> Piece:
    piece = new_piece(fifths=fifths)
    return piece.with_rows(
        [
            (None, Mark(f"m{k}", kind, "p1", 1, 1, round(at * QUARTER), text=text))
            for k, (at, kind, text) in enumerate(marks)
        ]
    )


def test_the_same_keys_become_other_notes_over_other_chords() -> None:
    piece = with_harmony((0, "chord", "C"), (4, "chord", "Ab7"))
    state = EntryState("p1", down=True, harmony="chord")
    now = 0
    for _ in range(8):
        for key in (62, 66):
            now += 1000
            state = (outcome := advance_entry(state, KeyDown(now, key, 80), piece)).state
            piece = outcome.change.apply(piece) if outcome.change else piece
        for key in (62, 66):
            now += 1000
            state = (outcome := advance_entry(state, KeyUp(now, key), piece)).state
            piece = outcome.change.apply(piece) if outcome.change else piece
    by_bar = [{n.pitch.midi % 12 for n in piece.notes.values() if n.tick // (4 * QUARTER) == bar} for bar in (0, 1)]
    assert by_bar[0] <= parse_chord("C").classes
    assert by_bar[1] <= parse_chord("Ab7").classes
    assert by_bar[0] != by_bar[1]


def test_held_to_a_scale_or_to_the_key_where_none_is_written() -> None:
    notes = [
        Note(f"n{k}", "p1", 1, 1, k * QUARTER, QUARTER, parse_pitch(p))
        for k, p in enumerate(("F5", "F#5", "F#5", "C#5"))
    ]
    piece = with_harmony((2, "scale", "D lydian")).with_rows([(None, n) for n in notes])
    held = held_to_harmony(piece, notes, "scale").apply(piece)
    assert [str(held.notes[f"n{k}"].pitch) for k in range(4)] == ["F5", "F5", "F#5", "C#5"]
    assert not held_to_harmony(piece, notes, "off")
    assert not held_to_harmony(piece, notes, "chord")  # no chord is known


def test_one_key_frees_and_holds_again() -> None:
    piece, state = with_harmony((0, "chord", "C")), EntryState("p1", down=True)
    for command, wanted in ((HoldToHarmony("scale"), "scale"), (SwitchHarmony(), "off"), (SwitchHarmony(), "scale")):
        state = advance_entry(state, Command(command), piece).state
        assert state.harmony == wanted


def test_chords_are_named_by_playing_them() -> None:
    piece, state = new_piece(fifths=-3), evolved(EntryState("p1", down=True), tick=0)
    state = advance_entry(state, Command(ChordsByKeys(True)), piece).state
    now = 0
    for keys in ((48, 55, 60, 63), (56, 60, 63, 66), (60, 61, 62)):
        for down in (True, False):
            for key in keys:
                now += 1000
                outcome = advance_entry(state, KeyDown(now, key, 80) if down else KeyUp(now, key), piece)
                state = outcome.state
                piece = outcome.change.apply(piece) if outcome.change else piece
    found = sorted((m.tick / QUARTER, m.text) for m in piece.marks.values() if m.kind == "chord")
    assert found == [(0, "Cm"), (1, "Ab7")]
    assert "no name" in outcome.say
    assert not piece.notes


@pytest.mark.parametrize("suffix", ["", "m", "7", "m7", "maj7", "dim", "aug", "sus4", "dim7", "m7b5", "9"])
def test_a_chord_in_root_position_gets_its_own_name_back(suffix: str) -> None:
    for root in range(12):
        symbol = ("C", "C#", "D", "Eb", "E", "F", "F#", "G", "G#", "A", "Bb", "B")[root] + suffix
        classes = parse_chord(symbol).classes
        keys = [48 + root + (c - root) % 12 for c in classes]
        assert parse_chord(name_chord(keys) or "N.C.").classes == classes


def test_scales_are_those_of_music21() -> None:
    """The modes, as music21's scale module has them."""
    from music21 import scale

    for name, kind in {
        "major": scale.MajorScale, "minor": scale.MinorScale, "dorian": scale.DorianScale,
        "phrygian": scale.PhrygianScale, "lydian": scale.LydianScale,
        "mixolydian": scale.MixolydianScale, "locrian": scale.LocrianScale, "harmonic minor": scale.HarmonicMinorScale,
        "whole tone": scale.WholeToneScale,
        "octatonic": scale.OctatonicScale,
    }.items():  # fmt: skip
        for tonic in ("C", "D", "B-", "F#"):
            ours = named_scale_classes(f"{tonic.replace('-', 'b')} {name}")
            assert ours == {p.pitchClass for p in kind(tonic).pitches}, (name, tonic)
    assert set(SCALES) > {"blues", "minor pentatonic"}


def test_a_scale_is_a_mark_in_words() -> None:
    piece = new_piece()
    change = marked(piece, wish_of("scale D dorian"), where([], ("p1", 1, 1), 0))
    piece = change.apply(piece)
    assert [(m.kind, m.text) for m in piece.marks.values()] == [("scale", "D dorian")]
    assert b"D dorian" in write_musicxml(piece)
    with pytest.raises(BadInput, match="is no scale"):
        named_scale_classes("H dorian")
