"""Standard MIDI Files: what we write others read (mido, music21), and bad files get a sentence."""

from __future__ import annotations

import io
from statistics import median

import mido
import music21
import pytest

from ductus.core.errors import BadInput, TooMuch
from ductus.demo.scenario import jig, song, waltz
from ductus.formats import midi_read as midi
from ductus.formats.midi import write_midi
from ductus.formats.midi_read import read_midi


def file_of(*messages: mido.Message, kind: int = 0) -> bytes:
    out = io.BytesIO()
    file = mido.MidiFile(type=kind)
    file.tracks.append(mido.MidiTrack(messages))
    file.save(file=out)
    return out.getvalue()


NOTE = (mido.Message("note_on", note=60, velocity=64), mido.Message("note_off", note=60, time=480))


MP = 64  # the velocity of mp, the dynamic at the head of the waltz (common practice: even steps from pp to ff)


def test_a_piece_read_back_has_its_onsets_keys_meter_and_tempo() -> None:
    piece = waltz()
    file = read_midi(write_midi(piece))
    per_quarter = 60e6 / 96
    usual = median(n.velocity for n in piece.notes.values())
    ours = sorted(
        (round(n.tick / 23_063_040 * per_quarter), n.pitch.midi, MP + round((n.velocity - usual) / 2))
        for n in piece.notes.values()
    )
    theirs = sorted((n.onset_us, n.key, n.velocity) for n in file.take.notes)
    assert len(ours) == len(theirs)
    assert all(abs(a[0] - b[0]) < 1500 and a[1:] == b[1:] for a, b in zip(ours, theirs, strict=True))
    assert str(file.meter) == "3/4"
    assert file.quarters_per_minute == pytest.approx(96, abs=0.01)


def test_music21_reads_the_same_meter_key_and_bars() -> None:
    score = music21.converter.parse(write_midi(jig()), format="midi")
    flat = score.flatten()
    assert flat.getElementsByClass("TimeSignature")[-1].ratioString == "6/8"
    assert flat.getElementsByClass("KeySignature")[0].sharps == 2


def test_each_part_has_a_track_of_its_own() -> None:
    tracks = mido.MidiFile(file=io.BytesIO(write_midi(song()))).tracks
    assert [t.name for t in tracks][1:] == ["Singer", "Piano"]


def test_a_hanging_note_is_let_go_at_the_end() -> None:
    take = read_midi(
        file_of(mido.Message("note_on", note=60), mido.Message("note_on", note=64, time=480), NOTE[1])
    ).take
    assert {n.key: n.release_us for n in take.notes} == {60: 1_000_000, 64: 1_000_000}


def test_a_key_struck_twice_without_release_is_two_notes() -> None:
    take = read_midi(file_of(NOTE[0], NOTE[0].copy(time=240), NOTE[1])).take
    assert [n.onset_us for n in take.notes] == [0, 250_000]


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "no Standard MIDI File"),
        (b"hello, this is a letter", "no Standard MIDI File"),
        (file_of(*NOTE)[:20], "damaged or cut short"),
        (file_of(*NOTE)[:-6], "damaged or cut short"),
        (b"MThd" + b"\xff" * 40, "film frames"),
        (file_of(mido.Message("control_change", control=64, value=127)), "holds no notes"),
        (file_of(), "holds no notes"),
        (file_of(*NOTE, kind=2), "several separate songs"),
    ],
)
def test_a_file_that_cannot_be_used_is_refused_in_words(data: bytes, words: str) -> None:
    with pytest.raises(BadInput, match=words):
        read_midi(data)


def test_a_file_with_a_million_events_is_refused_in_time(monkeypatch: pytest.MonkeyPatch) -> None:
    head = b"MThd\0\0\0\6\0\0\0\1\1\xe0MTrk"
    many = bytes((1, 0x90, 60, 80, 1, 0x80, 60, 0)) * 205_000 + b"\0\xff\x2f\0"
    with pytest.raises(TooMuch, match="more than 200,000 notes"):
        read_midi(head + len(many).to_bytes(4, "big") + many)
    million = head + b"\0\x3d\x09\x00" + bytes((0, 0xB0, 1, 9)) * 1_000_000
    with pytest.raises(TooMuch, match=r"4\.0 MB; Ductus reads MIDI files up to 2 MB"):  # before anything is unpacked
        read_midi(million)
    monkeypatch.setattr(midi, "MAX_BYTES", 1000)
    with pytest.raises(TooMuch, match="MB"):
        read_midi(file_of(*(NOTE * 500)))


def test_signs_of_typesetting_become_those_of_a_typewriter() -> None:
    names = [m.name for m in mido.MidiFile(file=io.BytesIO(write_midi(song()))).tracks[0] if m.type == "track_name"]
    assert names == ["The Lantern-Keeper's Song"]
