"""Standard MIDI Files out (mido): the piece as it sounds."""

from __future__ import annotations

import io
from dataclasses import replace
from typing import Any

import mido

from ductus.core.performance.takes import SUSTAIN
from ductus.core.pitch.keys import MAJOR_NAMES
from ductus.core.playback.performance import channels_of, one_by_one, performed
from ductus.core.score.piece import Piece
from ductus.core.time.pulse import US_PER_MINUTE
from ductus.core.time.ticks import QUARTER

FILE_QUARTER = 960  # ticks to the quarter in the files we write


def write_midi(piece: Piece) -> bytes:
    """Return the piece as a type 1 file: a track of tempo, meter and key, then a track for each part, as ``performed``."""
    midi = mido.MidiFile(type=1, ticks_per_beat=FILE_QUARTER)
    midi.tracks.append(_conductor(piece))
    sound, channels = performed(piece), channels_of(piece)
    by_part: dict[str, list[tuple[int, int, mido.Message]]] = {part.id: [] for part in piece.ordered_parts()}
    rounded = (replace(n, on=file_ticks(n.on), off=max(file_ticks(n.off), file_ticks(n.on) + 1)) for n in sound.notes)
    for n in one_by_one(rounded):  # rounding can bring two strikes of a key onto one tick
        on = mido.Message("note_on", note=n.key, velocity=n.velocity, channel=n.channel)
        off = mido.Message("note_off", note=n.key, velocity=64, channel=n.channel)
        by_part[n.part] += [(n.on, 2, on), (n.off, 0, off)]
    for c in sound.pedal:
        value = 127 if c.down else 0
        change = mido.Message("control_change", control=SUSTAIN, value=value, channel=c.channel)
        by_part[c.part].append((file_ticks(c.tick), 1, change))
    for part in piece.ordered_parts():
        track = mido.MidiTrack()
        track.append(mido.MetaMessage("track_name", name=latin(part.name)))
        track.append(mido.Message("program_change", program=part.programme, channel=channels[part.id]))
        _append(track, by_part[part.id], file_ticks(piece.end))
        midi.tracks.append(track)
    out = io.BytesIO()
    midi.save(file=out)
    return out.getvalue()


def file_ticks(ticks: int) -> int:
    """Our ticks as ticks of the file (rounded to 960 to the quarter)."""
    return (ticks * FILE_QUARTER + QUARTER // 2) // QUARTER


def latin(text: str) -> str:
    """Text as the file format can hold it."""
    return text.encode("latin-1", "replace").decode("latin-1")


def _conductor(piece: Piece) -> mido.MidiTrack:
    events: list[tuple[int, int, Any]] = []
    timeline = piece.timeline
    first = timeline.bar(0)
    if first.missing:  # a short bar of its own, so that bar lines fall where they should
        unit = first.meter.unit_ticks
        if first.ticks % unit == 0:
            events.append(
                (0, 0, mido.MetaMessage("time_signature", numerator=first.ticks // unit, denominator=first.meter.unit))
            )
    for change in piece.meters.values():
        bar = timeline.bar(max(change.bar, 1 if first.missing else 0))
        events.append(
            (
                file_ticks(bar.start),
                1,
                mido.MetaMessage("time_signature", numerator=change.meter.count, denominator=change.meter.unit),
            )
        )
    for key in piece.keys.values():
        name = MAJOR_NAMES[key.fifths].replace(" flat", "b").replace(" sharp", "#")
        events.append((file_ticks(timeline.bar(key.bar).start), 2, mido.MetaMessage("key_signature", key=name)))
    for tempo in piece.tempi.values():
        us = round(US_PER_MINUTE / tempo.quarters_per_minute)
        events.append((file_ticks(tempo.tick), 3, mido.MetaMessage("set_tempo", tempo=min(us, 0xFFFFFF))))
    track = mido.MidiTrack()
    track.append(mido.MetaMessage("track_name", name=latin(piece.facts.title)))
    _append(track, events, file_ticks(piece.end))
    return track


def _append(track: mido.MidiTrack, events: list[tuple[int, int, Any]], end: int) -> None:
    now = 0
    for tick, _, message in sorted(events, key=lambda e: (e[0], e[1])):
        track.append(message.copy(time=tick - now))
        now = tick
    track.append(mido.MetaMessage("end_of_track", time=max(end - now, 0)))
