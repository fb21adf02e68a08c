"""Functions of the public surface: performances and scores in, pages out (``ductus.transcribe`` and so on)."""

from __future__ import annotations

from pathlib import Path

from ductus.core.capture.takes import Take
from ductus.core.errors import BadInput
from ductus.core.playback.performance import AS_SET
from ductus.core.reading.model import Decisions, ReadingResult, ReadSettings
from ductus.core.reading.pipeline import read
from ductus.core.score.model.piece import Piece
from ductus.core.time.pulse_map import steady_map
from ductus.formats.midi import write_midi as _midi
from ductus.formats.midi_read import read_midi
from ductus.formats.musicxml_read import read_musicxml
from ductus.formats.musicxml_read.score import ReadScore
from ductus.formats.musicxml_write import write_musicxml


def read_performance(source: Path | bytes) -> Take:
    """Read a performance from a Standard MIDI File (type 0 or 1), all its tracks together.

    Raises BadInput for a file that is damaged, empty or too large.
    """
    return read_midi(_bytes(source)).take


def transcribe(
    take: Take,
    settings: ReadSettings | None = None,
    *,
    tempo: float | None = None,
    first_beat_s: float = 0.0,
    decisions: Decisions | None = None,
) -> ReadingResult:
    """Read a performance into written notes, with its doubts and their rivals.

    take          what was played
    settings      how it is to be read; every field has a default that fits most playing
    tempo         quarters a minute of the click it was played to; None: played freely, beats and bars are found
    first_beat_s  seconds at which beat 1 of the first full bar falls, with a click
    decisions     hands, places, lengths that a person has set: they are obeyed

    The same input gives the same result. Raises BadInput when the take holds no note.
    """
    if tempo is not None and tempo <= 0:
        raise BadInput(f"A tempo must be above 0, not {tempo:g}.")
    pulses = None if tempo is None else steady_map(tempo, 0, round(first_beat_s * 1e6))
    return read(take, pulses, settings or ReadSettings(), decisions)


def read_score(source: Path | bytes, name: str = "") -> ReadScore:
    """Read a score from MusicXML, plain or compressed; ``losses`` names in words what could not be kept.

    Raises BadInput for a file that is damaged or holds no part.
    """
    return read_musicxml(_bytes(source), name)


def write_score(piece: Piece) -> bytes:
    """Write a piece as MusicXML 4.0."""
    return write_musicxml(piece)


def write_midi(piece: Piece) -> bytes:
    """Write a piece as a Standard MIDI File, repeats played, as the page is set."""
    return _midi(piece, AS_SET)


def _bytes(source: Path | bytes) -> bytes:
    return source if isinstance(source, bytes) else Path(source).read_bytes()
