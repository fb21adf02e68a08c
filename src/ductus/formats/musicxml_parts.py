"""The list of parts of a MusicXML file (names, instruments, channels of MIDI, level and place), and its breaks."""

from __future__ import annotations

from collections.abc import Iterable

from ductus.core.notation.part_groups import part_groups
from ductus.core.playback.channels import channels_of
from ductus.core.score.catalogues.drums import DRUMS
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import BarSign, Part
from ductus.formats.musicxml_xml import Element, sub


def part_list(root: Element, piece: Piece, *, names: bool, heading: bool, sounds: bool) -> None:
    """The parts of a piece: ``names`` are shown where there are several, ``sounds`` said (instrument, channel,
    level, place).
    """
    parts, channels = piece.ordered_parts(), channels_of(piece)
    listing = sub(root, "part-list")
    groups = part_groups(parts)
    for place, part in enumerate(parts):
        for number, group in enumerate(groups, 1):
            if group.first == place:
                _begin(listing, number, through=group.through)
        entry = sub(listing, "score-part", id=part.id)
        show = names and len(parts) > 1
        sub(entry, "part-name", part.name, **({} if show or heading else {"print_object": "no"}))
        if part.short:
            sub(entry, "part-abbreviation", part.short, **({} if show or heading else {"print_object": "no"}))
        if sounds and part.percussion:
            _drums(entry, piece, part, channels[part.id])
        elif sounds:
            sub(sub(entry, "score-instrument", id=f"{part.id}-i"), "instrument-name", part.name)
            midi = sub(entry, "midi-instrument", id=f"{part.id}-i")
            sub(midi, "midi-channel", channels[part.id] + 1)
            sub(midi, "midi-program", part.programme + 1)
            _loudness(midi, part)
        for number, group in enumerate(groups, 1):
            if group.last == place:
                sub(listing, "part-group", type="stop", number=str(number))


def _begin(listing: Element, number: int, *, through: bool) -> None:
    """The beginning of a group: a bracket, and bar lines through it or not."""
    entry = sub(listing, "part-group", type="start", number=str(number))
    sub(entry, "group-symbol", "bracket")
    sub(entry, "group-barline", "yes" if through else "no")


def _drums(entry: Element, piece: Piece, part: Part, channel: int) -> None:
    """An instrument for each drum that is struck, all on one channel: keys of ``midi-unpitched`` count from 1."""
    struck = {n.pitch.midi for n in piece.notes.values() if n.part == part.id}
    drums = [DRUMS[key] for key in sorted(struck & DRUMS.keys())]
    for drum in drums:
        sub(sub(entry, "score-instrument", id=f"{part.id}-d{drum.key}"), "instrument-name", drum.name)
    for drum in drums:
        midi = sub(entry, "midi-instrument", id=f"{part.id}-d{drum.key}")
        sub(midi, "midi-channel", channel + 1)
        sub(midi, "midi-program", 1)
        sub(midi, "midi-unpitched", drum.key + 1)
        _loudness(midi, part)


def _loudness(midi: Element, part: Part) -> None:
    """Level in percent and place in degrees (-90 is the left), where they are not as usual."""
    if part.level != Part("", "").level:
        sub(midi, "volume", round(part.level / 1.27, 2))
    if part.pan != Part("", "").pan:
        sub(midi, "pan", round((part.pan - 64) / 63 * 90))


def write_break(measure: Element, signs: Iterable[BarSign], *, begins: bool) -> None:
    """A break before a bar: one that a hand set, or of a system that ``begins`` there."""
    kinds = {s.kind for s in signs}
    if "page-break" in kinds:
        sub(measure, "print", new_page="yes")
    elif begins or "system-break" in kinds:
        sub(measure, "print", new_system="yes")
