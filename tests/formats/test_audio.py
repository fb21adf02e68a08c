"""Audio out, compressed MusicXML, and what else a MIDI file says.

Read back by libraries that have nothing to do with Ductus.
"""

from __future__ import annotations

import io
import shutil
import zipfile
from dataclasses import replace

import mido
import music21
import numpy as np
import pytest
import soundfile

from ductus.app.files.exporting import Wanted, kind_of
from ductus.core.errors import BadInput, Stopped
from ductus.core.pitch.pitches import parse_pitch
from ductus.core.playback.performance import PlaybackStyle
from ductus.core.progress import watched
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note
from ductus.core.time.ticks import QUARTER
from ductus.demo.band import sparks
from ductus.demo.scenario import song
from ductus.engraving.pages import PageSetup
from ductus.formats.audio import FORMATS, RATE, balance, write_audio
from ductus.formats.midi import write_midi

needs_synthesizer = pytest.mark.skipif(shutil.which("fluidsynth") is None, reason="fluidsynth is not installed")


def tones(instrument: str, *pitches: str, bpm: float = 60) -> Piece:
    """Whole beats, one after the other."""
    piece = new_piece(parts=(instrument,), bpm=bpm)
    notes = [Note(f"n{k}", "p1", 1, 1, k * QUARTER, QUARTER, parse_pitch(p), 90) for k, p in enumerate(pitches)]
    return piece.with_rows([(None, n) for n in notes])


def heard(data: bytes) -> np.ndarray:
    frames, rate = soundfile.read(io.BytesIO(data), always_2d=True)
    assert rate == RATE
    return frames


def loudest_hz(frames: np.ndarray) -> float:
    """The strongest frequency of a stretch."""
    mono = frames.mean(axis=1) * np.hanning(len(frames))
    spectrum = np.abs(np.fft.rfft(mono, 4 * len(mono)))
    return float(np.fft.rfftfreq(4 * len(mono), 1 / RATE)[int(spectrum.argmax())])


@needs_synthesizer
@pytest.mark.parametrize("instrument", ["Flute", "Piano", "Violin"])
def test_a_sounds_at_440_hertz(instrument: str) -> None:
    """ISO 16:1975: the A above middle C is 440 Hz; the octave above is 880 Hz."""
    frames = heard(write_audio(tones(instrument, "A4", "A5"), "wav"))
    for second, hz in ((0, 440), (1, 880)):
        found = loudest_hz(frames[int((second + 0.2) * RATE) : int((second + 0.8) * RATE)])
        assert min(abs(found / hz / n - 1) for n in (1, 2, 3)) < 0.01, (
            found
        )  # the strongest partial may be the second or third


@needs_synthesizer
@pytest.mark.parametrize("ending", FORMATS)
def test_every_format_is_read_back_as_long_as_it_should_be(ending: str) -> None:
    piece = tones("Flute", *["C5"] * 4)
    frames = heard(kind_of(ending).write(piece, PageSetup()))
    assert len(frames) / RATE == pytest.approx(5.5, abs=0.15)  # four beats at 60, and what rings on
    assert 0.01 < np.abs(frames).max() <= 1.0
    assert np.abs(frames[-RATE // 20 :]).max() < 0.01


@needs_synthesizer
def test_bars_parts_level_place_and_manner() -> None:
    piece = sparks()
    two = heard(write_audio(piece, "wav", bars=(2, 3)))
    assert len(two) / RATE == pytest.approx(2 * 4 * 60 / 112 + 1.5, abs=0.6)
    bass, kit = (heard(write_audio(piece, "wav", part=p)) for p in ("p2", "p3"))
    assert np.abs(bass - kit[: len(bass)] if len(kit) >= len(bass) else bass[: len(kit)] - kit).max() > 0.01
    part = piece.part("p2")
    left = piece.with_rows([(part, replace(part, pan=0, level=50))])
    turned = heard(write_audio(left, "wav", part="p2"))
    assert np.abs(turned[:, 1]).max() < 0.001 < np.abs(turned[:, 0]).max()
    assert balance(replace(part, pan=64, level=100)) == pytest.approx((1, 1))
    late = tones("Flute", "C5")
    note = late.notes["n0"]
    late = late.with_rows([(note, replace(note, take=1, event=0, played=(QUARTER // 2, QUARTER // 2)))])
    first = [
        int(np.argmax(np.abs(heard(write_audio(late, "wav", manner=PlaybackStyle(played=p)))).max(axis=1) > 0.005))
        / RATE
        for p in (False, True)
    ]
    assert first[1] - first[0] == pytest.approx(0.5, abs=0.02)


def test_nothing_to_hear_is_said_and_writing_can_be_stopped() -> None:
    with pytest.raises(BadInput, match="nothing to hear"):
        write_audio(new_piece(), "wav")
    with pytest.raises(Stopped), watched(lambda share: share < 0.2):
        write_audio(sparks(), "wav", part="p1")


def test_without_the_synthesizer_it_is_said_what_is_missing(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("shutil.which", lambda _: None)
    with pytest.raises(BadInput, match="apt-get install fluidsynth"):
        write_audio(tones("Flute", "C5"), "wav")


def test_compressed_musicxml_is_an_archive_that_music21_reads() -> None:
    data = kind_of("mxl").write(song(), PageSetup(), Wanted())
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        assert archive.namelist()[0] == "mimetype"
        assert b"score.musicxml" in archive.read("META-INF/container.xml")
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        score = music21.converter.parseData(archive.read("score.musicxml").decode(), format="musicxml")
    assert len(score.parts) == 3


def test_a_midi_file_says_minor_keys_sections_and_words() -> None:
    midi = mido.MidiFile(file=io.BytesIO(write_midi(song())))
    said = [m for t in midi.tracks for m in t if m.is_meta]
    assert [m.text for m in said if m.type == "marker"] == ["A", "B"]
    sung = [m.text for m in said if m.type == "lyrics"]
    assert sung[:4] == ["Light", "the", "lamp", "and"]
    assert len(sung) == len([n for n in song().notes.values() if any(s.text and s.verse == 1 for s in n.lyrics)])
    keys = [m.key for m in mido.MidiFile(file=io.BytesIO(write_midi(sparks()))).tracks[0] if m.type == "key_signature"]
    assert keys == ["Em"]
