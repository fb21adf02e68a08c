"""Imported performances: tempo maps, meters, tracks, markers, percussion; and files whose tempo means nothing."""

from __future__ import annotations

import io
import random
from pathlib import Path

import mido
import pytest

from ductus.app.document.jobs import carry_out
from ductus.app.files.midi_import import bring, onto_shelf, read_on
from ductus.app.library import Library
from ductus.core.playback.tempo_map import written_tempo_map
from ductus.core.reading.review.beat_options import ReadBeats
from ductus.core.score.model.piece import Piece
from ductus.core.time.meters import Meter
from ductus.core.time.ticks import QUARTER
from ductus.demo.band import sparks
from ductus.demo.player import play
from ductus.demo.scenario import bends, song, waltz
from ductus.formats.midi import write_midi
from tests.app.driving import Sitter

TPB = 480


def file_of(*tracks: list[tuple[float, mido.Message]]) -> bytes:
    """A file of tracks of (quarters, message)."""
    file = mido.MidiFile(type=1, ticks_per_beat=TPB)
    for rows in tracks:
        track, now = mido.MidiTrack(), 0
        for quarters, message in sorted(rows, key=lambda r: r[0]):
            track.append(message.copy(time=round(quarters * TPB) - now))
            now = round(quarters * TPB)
        file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def struck(notes: list[tuple[float, float, int]], channel: int = 0) -> list[tuple[float, mido.Message]]:
    """(onset, length in quarters, key) as messages."""
    rows = []
    for on, length, key in notes:
        rows.append((on, mido.Message("note_on", note=key, velocity=70, channel=channel)))
        rows.append((on + length, mido.Message("note_off", note=key, channel=channel)))
    return rows


def tempo(at: float, bpm: float) -> tuple[float, mido.Message]:
    return at, mido.MetaMessage("set_tempo", tempo=round(60e6 / bpm))


def meter(at: float, count: int, unit: int) -> tuple[float, mido.Message]:
    return at, mido.MetaMessage("time_signature", numerator=count, denominator=unit)


def brought(library: Library, data: bytes) -> Sitter:
    made = bring(data, "file.mid")
    piece_id, job = onto_shelf(library, made)
    carry_out(library.desk(piece_id), job)
    at = Sitter(library, piece_id)
    at.facts.append(made)  # type: ignore[arg-type]
    return at


def uneven(notes: list[tuple[float, float, int]], seed: int = 1) -> list[tuple[float, float, int]]:
    rng = random.Random(seed)
    return [(max(on + rng.gauss(0, 0.02), 0), length * 0.93, key) for on, length, key in notes]


def test_a_change_of_tempo_in_a_file_is_followed(library: Library) -> None:
    """92, then 70 from bar 9: sixteen bars of quarters and eighths come back as they were written."""
    notes = [(4.0 * b + k, 1.0, 60 + (b + 2 * k) % 12) for b in range(16) for k in range(2)]
    notes += [(4.0 * b + 2 + k / 2, 0.5, 72 - k) for b in range(16) for k in range(4)]
    at = brought(library, file_of([tempo(0, 92), tempo(32, 70), meter(0, 4, 4)], struck(uneven(notes))))
    assert sorted((n.tick / QUARTER, n.pitch.midi) for n in at.piece.notes.values()) == sorted(
        (on, k) for on, _, k in notes
    )
    written = written_tempo_map(at.piece)
    assert written.time_at(32 * QUARTER) / 1e6 == pytest.approx(32 * 60 / 92, abs=0.01)
    assert written.time_at(40 * QUARTER) / 1e6 - written.time_at(32 * QUARTER) / 1e6 == pytest.approx(
        8 * 60 / 70, abs=0.01
    )
    printed = sorted((t.tick / QUARTER, t.quarters_per_minute) for t in at.piece.tempi.values() if t.printed)
    assert printed == [(0, 92), (32, 70)]
    ticks = [t.tick for t in at.piece.tempi.values()]
    assert len(ticks) == len(set(ticks))


def test_changes_of_meter_and_a_pick_up_are_followed(library: Library) -> None:
    source = bends()
    at = brought(library, write_midi(source))
    assert at.piece.timeline.meters == source.timeline.meters
    assert at.piece.facts.pickup == source.facts.pickup
    mine = sorted((n.tick, n.pitch.midi, n.staff) for n in at.piece.notes.values())
    assert [m[:2] for m in mine] == sorted((n.tick, n.pitch.midi) for n in source.notes.values())
    at.read(ReadBeats(True)).read(ReadBeats(False))  # as played freely, and back: its meters are those of the file
    assert at.piece.timeline.meters == source.timeline.meters
    assert sorted((n.tick, n.pitch.midi, n.staff) for n in at.piece.notes.values()) == mine


def test_a_performance_that_was_only_stored_at_120_is_read_as_played_freely(library: Library) -> None:
    notes = play(waltz(), range(12), 3, 87, free=True, start_us=700_000)
    rows = [(n.onset_us / 500_000, (n.release_us - n.onset_us) / 500_000, n.key) for n in notes]
    made = bring(file_of([tempo(0, 120), meter(0, 4, 4)], struck(rows)), "stored.mid")
    assert "its notes do not lie on those beats" in made.said
    at = brought(library, file_of([tempo(0, 120), meter(0, 4, 4)], struck(rows)))
    reading = at.reading()
    assert reading.free
    phrase = next(p for p in reading.line if p.name == "beats of the file")
    assert phrase.words == "as played freely"
    at.read(ReadBeats(False))
    assert not at.reading().free
    at.read(ReadBeats(True))
    assert at.reading().free


def parts_of(piece: Piece) -> list[tuple[str, tuple[str, ...], int]]:
    return [(p.name, p.clefs, p.programme) for p in piece.ordered_parts()]


def test_tracks_stay_parts_and_percussion_stays_apart(library: Library) -> None:
    flute = [(0.0, mido.MetaMessage("track_name", name="Flute")), (0.0, mido.Message("program_change", program=73))]
    flute += struck([(float(k), 1.0, 72 + k % 5) for k in range(16)])
    low = [
        (0.0, mido.MetaMessage("track_name", name="Cello")),
        (0.0, mido.Message("program_change", program=42, channel=1)),
    ]
    low += struck([(2.0 * k, 2.0, 43 + k % 4) for k in range(8)], 1)
    kit = struck([(float(k), 0.5, 38 if k % 2 else 36) for k in range(16)], 9)
    data = file_of([tempo(0, 100), meter(0, 4, 4), (4.0, mido.MetaMessage("marker", text="Verse"))], flute, low, kit)
    at = brought(library, data)
    assert parts_of(at.piece) == [
        ("Flute", ("treble",), 73), ("Cello", ("bass",), 42), ("Percussion", ("percussion",), 0),
    ]  # fmt: skip
    by_part = {
        p.name: sorted(n.pitch.midi for n in at.piece.notes.values() if n.part == p.id)
        for p in at.piece.ordered_parts()
    }
    assert set(by_part["Percussion"]) == {36, 38}
    assert min(by_part["Flute"]) >= 72
    assert [(s.kind, s.text, s.bar) for s in at.piece.signs.values()] == [("section", "Verse", 1)]
    assert len(at.desk.takes) == 3


def test_two_tracks_of_a_keyboard_are_its_hands(library: Library) -> None:
    right = struck([(float(k), 1.0, 60 + k % 3) for k in range(12)])
    left = struck([(float(k), 1.0, 57 + k % 3) for k in range(12)])  # so near that reach alone would not tell
    at = brought(library, file_of([tempo(0, 90), meter(0, 3, 4)], right, left))
    assert {n.staff for n in at.piece.notes.values() if n.pitch.midi >= 60} == {1}
    assert {n.staff for n in at.piece.notes.values() if n.pitch.midi < 60} == {2}
    assert at.piece.timeline.bar(0).meter == Meter(3, 4)


def test_our_own_file_of_a_song_comes_back_with_its_parts(library: Library) -> None:
    at = brought(library, write_midi(song()))
    assert [p.name for p in at.piece.ordered_parts()] == ["Singer", "Piano"]
    assert at.piece.key_at(0).fifths == -1


def test_our_own_file_comes_back_with_its_parts_instruments_and_kit(tmp_path: Path) -> None:
    library = Library(tmp_path / "library.sqlite")
    page = sparks()
    piece_id, job = onto_shelf(library, bring(write_midi(page), "sparks.mid"))
    desk = library.desk(piece_id)
    carry_out(desk, job)
    back = desk.piece
    told = [(p.name, p.short, p.programme, p.clefs, p.transpose) for p in page.ordered_parts()]
    assert [(p.name, p.short, p.programme, p.clefs, p.transpose) for p in back.ordered_parts()] == told
    assert [(k.fifths, k.mode) for k in back.keys.values()] == [(1, "minor")]
    for part, again in zip(page.ordered_parts(), back.ordered_parts(), strict=True):
        struck = sorted((n.tick, n.pitch.midi) for n in page.notes.values() if n.part == part.id)
        assert sorted((n.tick, n.pitch.midi) for n in back.notes.values() if n.part == again.id) == struck
    library.close()


def test_a_file_of_drums_alone_becomes_a_kit(tmp_path: Path) -> None:
    library = Library(tmp_path / "library.sqlite")
    page = sparks()
    alone = page.with_rows([(n, None) for n in page.notes.values() if n.part != "p3"])
    piece_id, job = onto_shelf(library, bring(write_midi(alone), "beat.mid"))
    desk = library.desk(piece_id)
    carry_out(desk, job)
    (part,) = desk.piece.ordered_parts()
    assert part.percussion
    struck = sorted((n.tick, n.pitch.midi, n.voice) for n in alone.notes.values())
    assert sorted((n.tick, n.pitch.midi, n.voice) for n in desk.piece.notes.values()) == struck
    library.close()


BAND: tuple[tuple[int, list[tuple[float, float, int]]], ...] = (
    (73, [(k / 2, 0.5, 76 + k % 5) for k in range(32)]),
    (40, [(k, 1.0, 67 + k % 3) for k in range(16)]),
    (33, [(2 * k, 2.0, 36 + k % 4) for k in range(8)]),
)  # flute, violin, bass by General MIDI 1, counted from 0


def band(*head: tuple[float, mido.Message]) -> bytes:
    """Flute, violin, bass and drums on tracks without names, with or without what a file may state."""
    tracks = [
        [(0.0, mido.Message("program_change", program=programme, channel=k)), *struck(notes, k)]
        for k, (programme, notes) in enumerate(BAND)
    ]
    drums = struck([(k / 2, 0.25, 42 if k % 2 else 36) for k in range(96)], 9)
    return file_of([*head], *tracks, drums)


@pytest.mark.parametrize("stated", [[], [tempo(0, 96)]])
def test_a_file_without_a_meter_is_in_four_and_keeps_its_parts(
    library: Library, stated: list[tuple[float, mido.Message]]
) -> None:
    """Standard MIDI Files 1.0: 4/4, and 120 quarters a minute, where a file states nothing."""
    at = brought(library, band(*stated))
    parts = at.piece.ordered_parts()
    assert [p.programme for p in parts if not p.percussion] == [73, 40, 33]
    assert [p.name for p in parts][:1] == ["Flute"]
    (kit,) = [p for p in parts if p.percussion]
    assert sum(n.part == kit.id for n in at.piece.notes.values()) == 96
    assert at.piece.timeline.bar(0).meter == Meter(4, 4)
    flute = sorted((n.tick / QUARTER, n.ticks / QUARTER) for n in at.piece.notes.values() if n.part == parts[0].id)
    assert flute == [(k / 2, 0.5) for k in range(32)]


def test_one_track_keeps_its_sound_and_the_file_its_own_name(library: Library) -> None:
    rows = [
        (0.0, mido.MetaMessage("track_name", name="Untitled track 1")),
        (0.0, mido.Message("program_change", program=73)),
    ]
    data = file_of([*rows, *struck([(k, 1.0, 72 + k % 5) for k in range(16)])])
    found = bring(data, "Ferry Song.mid")
    assert found.title == "Ferry Song"
    assert [(v.part.programme, len(v.part.clefs)) for v in found.voices] == [(73, 1)]


def test_a_file_that_was_being_read_when_the_server_stopped_is_read_on(tmp_path: Path) -> None:
    data = write_midi(waltz())
    library = Library(tmp_path / "library.sqlite")
    piece, job = onto_shelf(library, bring(data, "steps.mid"))
    cut, _ = onto_shelf(library, bring(data, "steps.mid"))  # which is never carried out
    carry_out(library.desk(piece), job)
    whole = sorted((n.tick, n.pitch.midi) for n in library.desk(piece).piece.notes.values())
    library.close()
    again = Library(tmp_path / "library.sqlite")
    assert read_on(again, again.desk(piece)) is None
    left = read_on(again, again.desk(cut))
    assert left is not None
    carry_out(again.desk(cut), left)
    assert sorted((n.tick, n.pitch.midi) for n in again.desk(cut).piece.notes.values()) == whole
    assert read_on(again, again.desk(cut)) is None
    again.close()
