"""Files that come in: a MIDI file becomes a take on a blank page, which is then read like any other take (``readings.take_onto_page``)."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import PurePath

from ductus.app.jobs import Job
from ductus.app.library import Library
from ductus.app.readings import take_onto_page
from ductus.core.errors import BadInput
from ductus.core.performance.takes import Take
from ductus.core.reading.choices import Choices
from ductus.core.reading.onto_page import blank_page
from ductus.core.reading.settings import ReadSettings
from ductus.core.score.records import MAX_TEXT, Reading, printable
from ductus.core.time.pulse import steady_map
from ductus.core.words import count_words
from ductus.formats.midi import read_midi

XML_STARTS = (b"<?xml", b"<score", b"\xef\xbb\xbf<", b"PK\x03\x04")


@dataclass(frozen=True, slots=True)
class Brought:
    """A performance that came in: the take, its title, how it is to be read, and what is to be said about it."""

    take: Take
    title: str
    choices: Choices
    said: str


def bring(data: bytes, name: str) -> Brought:
    """Read a file that a person brings. Raises BadInput with words that say what to do."""
    if data[:64].lstrip().startswith(XML_STARTS):
        raise BadInput(
            "That is a MusicXML file; this version of Ductus writes MusicXML but does not read it yet. Nothing was imported."
        )
    midi = read_midi(data)
    title = printable(midi.name or PurePath(name).stem)[:MAX_TEXT]
    known = midi.quarters_per_minute is not None and midi.meter is not None
    take = midi.take
    if known:
        take = replace(take, pulses=steady_map(midi.quarters_per_minute or 100.0, 0, 0))
        how = f"against its own tempo of {midi.quarters_per_minute:.4g}"
    else:
        how = "freely, since the file states no tempo and meter"
    said = f"{count_words(len(take.notes), 'note')} read {how}."
    return Brought(take, title, Choices(ReadSettings(meter=midi.meter)), said)


def onto_shelf(library: Library, brought: Brought) -> tuple[str, Job]:
    """Put a blank piece with the take on the shelf; returns its id and the job that reads the take onto its page. Raises NotKept."""
    piece_id = library.add(blank_page(brought.title), brought.take, "file")
    desk = library.desk(piece_id)
    row = desk.takes[0]
    return piece_id, take_onto_page(desk, row, Reading("", row.id, "p1", 0, 0, ""), brought.choices)
