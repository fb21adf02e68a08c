"""Files that come in: a MIDI file becomes a take and a new piece read from it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import PurePath

from ductus.core.errors import BadInput
from ductus.core.performance.takes import Take
from ductus.core.reading.choices import Choices
from ductus.core.reading.read import read
from ductus.core.reading.settings import ReadSettings
from ductus.core.reading.to_piece import piece_from_reading, start_in_piece
from ductus.core.score.edits import count_words
from ductus.core.score.piece import Piece
from ductus.core.score.records import MAX_TEXT
from ductus.core.time.pulse import steady_map
from ductus.formats.midi import read_midi

XML_STARTS = (b"<?xml", b"<score", b"\xef\xbb\xbf<", b"PK\x03\x04")


@dataclass(frozen=True, slots=True)
class Imported:
    """A new piece, the performance it was read from, and what is to be said about it."""

    piece: Piece
    take: Take
    said: str
    choices: Choices
    start: int


def import_file(data: bytes, name: str) -> Imported:
    """Read a file that a person brings. Raises BadInput with words that say what to do."""
    if data[:64].lstrip().startswith(XML_STARTS):
        raise BadInput(
            "That is a MusicXML file; this version of Ductus writes MusicXML but does not read it yet. Nothing was imported."
        )
    midi = read_midi(data)
    title = " ".join((midi.name or PurePath(name).stem).split())[:MAX_TEXT]
    if midi.quarters_per_minute is not None and midi.meter is not None:
        pulses = steady_map(midi.quarters_per_minute, 0, 0)
        settings = ReadSettings(meter=midi.meter)
        result = read(midi.take, pulses, settings)
        how = f"against its own tempo of {midi.quarters_per_minute:.4g}"
    else:
        pulses = None
        settings = ReadSettings(meter=midi.meter)
        result = read(midi.take, None, settings)
        how = "freely, since the file states no tempo and meter"
    piece = piece_from_reading(result, title)
    said = f"{count_words(len(midi.take.notes), 'note')} read {how}."
    return Imported(piece, replace(midi.take, pulses=pulses), said, Choices(settings), start_in_piece(result))
