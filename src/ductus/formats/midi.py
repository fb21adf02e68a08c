"""Standard MIDI Files in and out (mido). Reading keeps the performance as a take, times in microseconds."""

from __future__ import annotations

import io
from dataclasses import dataclass, replace
from typing import Any

import mido
from mido.midifiles.meta import KeySignatureError

from ductus.core.errors import BadInput, TooMuch
from ductus.core.performance.takes import SUSTAIN, Heard, Take, take_of_events
from ductus.core.pitch.keys import MAJOR_NAMES
from ductus.core.playback.performance import channels_of, one_by_one, performed
from ductus.core.score.piece import Piece
from ductus.core.score.records import printable
from ductus.core.time.meters import UNITS, Meter
from ductus.core.time.pulse import US_PER_MINUTE
from ductus.core.time.ticks import QUARTER

FILE_QUARTER = 960  # ticks to the quarter in the files we write
MAX_BYTES = 2_000_000  # four hours of dense playing; a million events have more
MAX_NOTES = 200_000
MAX_TRACKS = 2_000
MAX_US = 12 * 3600 * 1_000_000
MAX_TICKS = 2**40
LOWEST_TEMPO, HIGHEST_TEMPO = 5, 1000  # quarters a minute that the page can hold
DAMAGE = (
    EOFError, OSError, ValueError, IndexError, KeyError, TypeError, ZeroDivisionError, OverflowError, AttributeError, KeySignatureError,
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class MidiFile:
    """A file read: the performance, and the first meter and tempo it states (None when it states none)."""

    take: Take
    meter: Meter | None
    quarters_per_minute: float | None
    name: str = ""


def read_midi(data: bytes) -> MidiFile:
    """Read a file as a performance. Raises BadInput when it is no MIDI file, is cut, or holds no note; TooMuch for
    more than 2 MB, 200,000 notes or twelve hours. A key never let go is let go at the end of the file."""
    if len(data) > MAX_BYTES:
        raise TooMuch(
            f"That file has {len(data) / 1e6:.1f} MB; Ductus reads MIDI files up to {MAX_BYTES // 1_000_000} MB. It was not read."
        )
    if data[:4] not in (b"MThd", b"RIFF"):
        raise BadInput("That is no Standard MIDI File (it does not begin as one). Nothing was imported.")
    data = inside_riff(data)
    if data.count(b"MTrk") > MAX_TRACKS:
        raise TooMuch(f"That file has more than {MAX_TRACKS} tracks; Ductus takes no more. Nothing was imported.")
    try:
        file = mido.MidiFile(file=io.BytesIO(data), clip=True)
        if file.type == 2:
            raise BadInput(
                "That MIDI file holds several separate songs (type 2); Ductus reads types 0 and 1. Nothing was imported."
            )
        return _performance(file)
    except DAMAGE as error:
        raise BadInput(
            f"That MIDI file is damaged or cut short ({str(error)[:80] or 'it ends too soon'}). Nothing was imported."
        ) from error


def inside_riff(data: bytes) -> bytes:
    """The file inside a RIFF envelope (RMID), or the data as it is."""
    start = data.find(b"MThd") if data[:4] == b"RIFF" else 0
    return data[max(start, 0) :]


def _performance(file: mido.MidiFile) -> MidiFile:
    heard: list[Heard] = []
    meter = tempo = None
    name = ""
    now_us, ticks, us_per_tick, presses = 0.0, 0, 500_000 / max(file.ticks_per_beat, 1), 0
    if file.ticks_per_beat <= 0:
        raise BadInput(
            "That MIDI file counts in film frames, not in beats; Ductus does not read that. Nothing was imported."
        )
    for message in mido.merge_tracks(file.tracks, skip_checks=True):
        ticks += message.time
        now_us += message.time * us_per_tick
        if now_us > MAX_US or ticks > MAX_TICKS:
            raise TooMuch("That file lasts longer than twelve hours; cut it into parts first. Nothing was imported.")
        at = round(now_us)
        if message.type in ("note_on", "note_off"):
            down = message.type == "note_on" and message.velocity > 0
            presses += down
            if presses > MAX_NOTES:
                raise TooMuch(
                    f"That file holds more than {MAX_NOTES:,} notes; cut it into parts first. Nothing was imported."
                )
            heard.append(Heard(at, "down" if down else "up", message.note, message.velocity, message.channel))
        elif message.type == "control_change":
            heard.append(Heard(at, "control", message.control, message.value, message.channel))
        elif message.type == "time_signature" and meter is None and message.denominator in UNITS:
            meter = Meter(min(message.numerator, 32) or 4, message.denominator)
        elif message.type == "set_tempo" and message.tempo:
            us_per_tick = message.tempo / file.ticks_per_beat
            tempo = US_PER_MINUTE / message.tempo if tempo is None else tempo
        elif message.type == "track_name" and not name:
            name = message.name
    if not presses:
        raise BadInput("That MIDI file holds no notes, so there is nothing to write. Nothing was imported.")
    if tempo is not None and not LOWEST_TEMPO <= tempo <= HIGHEST_TEMPO:
        tempo = None
    return MidiFile(take_of_events(heard, round(now_us)), meter, tempo, printable(name))


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
