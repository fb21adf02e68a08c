"""Standard MIDI Files out (mido): the piece as it sounds."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import mido

from ductus.core.capture.takes import SUSTAIN
from ductus.core.pitch.keys import MAJOR_NAMES, MINOR_NAMES
from ductus.core.playback.channels import channels_of
from ductus.core.playback.performance import AS_SET, PlaybackStyle, one_by_one, performed, unfolded
from ductus.core.playback.tempo_map import Pace, pace_at, paces
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.playing_order import Stretch, played_ticks, playing_order
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import US_PER_MINUTE
from ductus.core.time.ticks import QUARTER

TYPED = str.maketrans(
    {"’": "'", "‘": "'", "“": '"', "”": '"', "„": '"', "–": "-", "—": "-", "…": "...", "♯": "#", "♭": "b"}
)
LEVEL, PAN = 7, 10  # controllers of MIDI 1.0: channel volume, pan
CLOCKS = 24  # MIDI clocks to the quarter
FILE_QUARTER = 960  # ticks to the quarter in the files we write


def write_midi(piece: Piece, manner: PlaybackStyle = AS_SET) -> bytes:
    """Return the piece as a type 1 file: a track of tempo, meter and key, then a track for each part, as
    ``performed`` in a manner.
    """
    midi = mido.MidiFile(type=1, ticks_per_beat=FILE_QUARTER)
    midi.tracks.append(_conductor(piece, playing_order(piece)))
    order = playing_order(piece)
    sound, channels = unfolded(piece, performed(piece, manner=manner), order), channels_of(piece)
    end = file_ticks(played_ticks(order))
    by_part: dict[str, list[tuple[int, int, Any]]] = {part.id: [] for part in piece.ordered_parts()}
    rounded = (
        replace(n, on=max(file_ticks(n.on), 0), off=max(file_ticks(n.off), file_ticks(n.on) + 1, 1))
        for n in sound.notes
    )
    for n in one_by_one(rounded):  # rounding can bring two strikes of a key onto one tick
        on = mido.Message("note_on", note=n.key, velocity=n.velocity, channel=n.channel)
        off = mido.Message("note_off", note=n.key, velocity=64, channel=n.channel)
        by_part[n.part] += [(n.on, 2, on), (n.off, 0, off)]
    for c in sound.pedal:
        value = 127 if c.down else 0
        change = mido.Message("control_change", control=SUSTAIN, value=value, channel=c.channel)
        by_part[c.part].append((file_ticks(c.tick), 1, change))
    before: dict[str, str] = {}
    for n in sound.notes:
        sung = [s for s in piece.notes[n.note].lyrics if s.text and s.verse == 1]
        if sung and before.get(n.part) != n.note:  # a trill sings its syllable once
            joined = "-" if sung[0].syllabic in ("begin", "middle") else ""
            syllable = mido.MetaMessage("lyrics", text=latin(sung[0].text + joined))
            by_part[n.part].append((max(file_ticks(n.on), 0), 1, syllable))
        before[n.part] = n.note
    for part in piece.ordered_parts():
        track = mido.MidiTrack()
        track.append(mido.MetaMessage("track_name", name=latin(part.name)))
        channel = channels[part.id]
        track.append(mido.Message("program_change", program=part.programme, channel=channel))
        if (part.level, part.pan) != (100, 64):  # else the file leaves them to who plays it
            track.append(mido.Message("control_change", control=LEVEL, value=part.level, channel=channel))
            track.append(mido.Message("control_change", control=PAN, value=part.pan, channel=channel))
        _append(track, by_part[part.id], end)
        midi.tracks.append(track)
    out = io.BytesIO()
    midi.save(file=out)
    return out.getvalue()


def file_ticks(ticks: int) -> int:
    """Our ticks as ticks of the file (rounded to 960 to the quarter)."""
    return (ticks * FILE_QUARTER + QUARTER // 2) // QUARTER


def latin(text: str) -> str:
    """Text as the file format can hold it: signs of typesetting become those of a typewriter."""
    return text.translate(TYPED).encode("latin-1", "replace").decode("latin-1")


def _conductor(piece: Piece, order: Sequence[Stretch]) -> mido.MidiTrack:
    """Meter, key and tempo in playing order.

    At the head of each stretch what holds there, then what changes inside it.
    """
    events: list[tuple[int, int, Any]] = []
    timeline, steps = piece.timeline, paces(piece, fermatas=True)
    now = 0
    for stretch in order:
        shown: tuple[object, ...] = ()
        for index in range(stretch.first, stretch.last + 1):
            bar = timeline.bar(index)
            at, key = file_ticks(bar.start - stretch.start + now), piece.key_at(index)
            whole, rest = divmod(bar.ticks, bar.meter.unit_ticks)
            count = bar.meter.count if bar.whole or rest else whole  # a pick-up is a short bar of its own
            if shown[:2] != (count, bar.meter.unit):
                events.append((at, 1, _time_signature(count, bar.meter)))
            tonics = MINOR_NAMES if key.mode == "minor" else MAJOR_NAMES
            name = tonics[key.fifths].replace(" flat", "b").replace(" sharp", "#")
            name += "m" if key.mode == "minor" else ""
            if shown[2:] != (name,):
                events.append((at, 2, mido.MetaMessage("key_signature", key=name)))
            shown = (count, bar.meter.unit, name)
            for sign in piece.signs_at(index):
                if sign.kind == "section":
                    events.append((at, 4, mido.MetaMessage("marker", text=latin(sign.text))))
        inside = [
            Pace(stretch.start, pace_at(steps, stretch.start)),
            *(s for s in steps if stretch.start < s.tick < stretch.end),
        ]
        for pace in inside:
            tempo = min(round(US_PER_MINUTE / pace.qpm), 0xFFFFFF)
            events.append((file_ticks(pace.tick - stretch.start + now), 3, mido.MetaMessage("set_tempo", tempo=tempo)))
        now += stretch.ticks
    track = mido.MidiTrack()
    track.append(mido.MetaMessage("track_name", name=latin(piece.facts.title)))
    _append(track, events, file_ticks(now))
    return track


def _time_signature(count: int, meter: Meter) -> mido.MetaMessage:
    """A meter with the clocks of its click.

    24 to the quarter (Standard MIDI Files 1.0), so 36 to the dotted quarter of 6/8.
    """
    clocks = CLOCKS * 4 // meter.unit * (3 if meter.compound and count % 3 == 0 else 1)
    return mido.MetaMessage(
        "time_signature", numerator=count, denominator=meter.unit, clocks_per_click=min(max(clocks, 1), 255)
    )


def _append(track: mido.MidiTrack, events: list[tuple[int, int, Any]], end: int) -> None:
    now = 0
    for tick, _, message in sorted(events, key=lambda e: (e[0], e[1])):
        track.append(message.copy(time=tick - now))
        now = tick
    track.append(mido.MetaMessage("end_of_track", time=max(end - now, 0)))
