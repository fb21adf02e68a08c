"""Standard MIDI Files in (mido): the performance is kept as takes, with what the file says of meters, tempi, keys,
tracks and markers.

Times are microseconds, written places ticks, both from the beginning of the file.
"""

from __future__ import annotations

import io
from collections.abc import Iterator
from dataclasses import dataclass, field

import mido
import numpy as np
from mido.midifiles.meta import KeySignatureError

from ductus.core.capture.takes import PERCUSSION_CHANNEL, Heard, Take, take_of_events
from ductus.core.errors import BadInput, TooMuch
from ductus.core.pitch.keys import MAJOR_NAMES, MINOR_NAMES
from ductus.core.score.model.records import printable
from ductus.core.time.meters import UNITS, Meter
from ductus.core.time.pulse_map import US_PER_MINUTE, Pulse, PulseMap
from ductus.core.time.ticks import QUARTER

MAX_BYTES = 2_000_000  # four hours of dense playing; a million events have more
MAX_NOTES = 200_000
MAX_TRACKS = 2_000
MAX_US = 12 * 3600 * 1_000_000
MAX_TICKS = 2**40
LOWEST_TEMPO, HIGHEST_TEMPO = 5, 1000  # quarters a minute that the page can hold
USUAL_US = 500_000  # microseconds to the quarter where a file says nothing (Standard MIDI Files 1.0)
FAR = 4096 * QUARTER
ON_BEATS = 0.35  # how much onsets must gather on halves, thirds or quarters of the file's beat for it to be real
FEW = 8  # onsets; with fewer nothing can be said
DAMAGE = (
    EOFError, OSError, ValueError, IndexError, KeyError, TypeError, ZeroDivisionError, OverflowError, AttributeError,
    KeySignatureError,
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class MidiTrack:
    """The notes of one track on pitched channels, or those of all tracks on the percussion channel."""

    name: str
    programme: int
    percussion: bool
    take: Take
    lyrics: tuple[tuple[int, str], ...] = ()  # microseconds, syllable as it is written in the file


@dataclass(frozen=True, slots=True)
class MidiFile:
    """A file read: all pitched notes as one take (all notes where there are no others), and each track.

    What the file states (None or empty where it does not): tempo map, meters as (tick, meter), key signature,
    markers as (tick, words). ``real``: do the notes gather on its beats?
    """

    take: Take
    tracks: tuple[MidiTrack, ...]
    pulses: PulseMap | None
    meters: tuple[tuple[int, Meter], ...] = ()
    fifths: int | None = None
    markers: tuple[tuple[int, str], ...] = ()
    name: str = ""
    real: bool = False

    @property
    def meter(self) -> Meter | None:
        """The first meter that the file states."""
        return self.meters[0][1] if self.meters else None

    @property
    def quarters_per_minute(self) -> float | None:
        """The first tempo that the file states."""
        return None if self.pulses is None else US_PER_MINUTE / self.pulses.us_per_quarter_at(0)


def is_midi(data: bytes) -> bool:
    """Does a file begin as a Standard MIDI File does, plain or in a RIFF envelope?"""
    return data[:4] == b"MThd" or (data[:4] == b"RIFF" and data[8:12] == b"RMID")


def read_midi(data: bytes) -> MidiFile:
    """Read a file as a performance. Raises BadInput when it is no MIDI file, is cut, or holds no note; TooMuch for
    more than 2 MB, 200,000 notes or twelve hours. A key never let go is let go at the end of the file."""
    if len(data) > MAX_BYTES:
        raise TooMuch(
            f"That file has {len(data) / 1e6:.1f} MB; Ductus reads MIDI files up to {MAX_BYTES // 1_000_000} MB. It "
            "was not read."
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
                "That MIDI file holds several separate songs (type 2); Ductus reads types 0 and 1. Nothing was "
                "imported."
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


def in_order(file: mido.MidiFile) -> Iterator[tuple[int, int, mido.Message]]:
    """(tick of the file, number of the track, message) of all tracks together, by time."""
    rows = []
    for number, track in enumerate(file.tracks):
        tick = 0
        for message in track:
            tick += message.time
            rows.append((tick, number, message))
    rows.sort(key=lambda r: r[0])  # stable: what a track says at a time stays in its order
    return iter(rows)


def check_counts_in_beats(file: mido.MidiFile) -> None:
    """Raises BadInput for a file that counts in film frames."""
    if file.ticks_per_beat <= 0:
        raise BadInput(
            "That MIDI file counts in film frames, not in beats; Ductus does not read that. Nothing was imported."
        )


def kit_name(drummed: set[int], pitched: set[int], names: dict[int, str]) -> str:
    """The name of the percussion: that of the one track that holds it and no other notes; "" where there is none."""
    alone = drummed - pitched
    return names.get(next(iter(drummed)), "") if len(drummed) == len(alone) == 1 else ""


def usual_pulses() -> PulseMap:
    """The tempo of a file that states none: 120 quarters a minute (Standard MIDI Files 1.0)."""
    found = tempo_map([(0, 0, USUAL_US)])
    assert found is not None
    return found


USUAL_METERS = ((0, Meter(4, 4)),)  # of a file that states none (Standard MIDI Files 1.0)


@dataclass(slots=True)
class Stated:
    """What a file states besides its notes, as it is gone through.

    Names, sounds and syllables by number of the track.
    """

    names: dict[int, str] = field(default_factory=dict)
    programmes: dict[int, int] = field(default_factory=dict)
    sung: dict[int, list[tuple[int, str]]] = field(default_factory=dict)
    tempi: list[tuple[int, int, int]] = field(default_factory=list)  # tick, microseconds, microseconds to the quarter
    meters: dict[int, Meter] = field(default_factory=dict)
    markers: list[tuple[int, str]] = field(default_factory=list)
    fifths: int | None = None

    def take(self, message: mido.Message, number: int, place: int, at_us: int) -> None:
        """One message that is no note, at a place (ticks) and time."""
        if message.type == "program_change":
            self.programmes.setdefault(number, message.program)
        elif message.type == "time_signature" and message.denominator in UNITS:
            self.meters[place] = Meter(min(message.numerator, 32) or 4, message.denominator)
        elif message.type == "set_tempo" and message.tempo:
            self.tempi.append((place, at_us, message.tempo))
        elif message.type == "key_signature" and self.fifths is None:
            self.fifths = KEYS.get(message.key)
        elif message.type == "marker" and message.text.strip():
            self.markers.append((place, printable(message.text.strip())))
        elif message.type == "lyrics" and message.text.strip():
            self.sung.setdefault(number, []).append((at_us, printable(message.text)))
        elif message.type == "track_name":
            self.names.setdefault(number, printable(message.name))


def _performance(file: mido.MidiFile) -> MidiFile:
    check_counts_in_beats(file)
    heard: dict[tuple[int, bool], list[Heard]] = {}
    drummed: set[int] = set()
    stated = Stated()
    now_us, ticks, us_per_quarter, presses = 0.0, 0, USUAL_US, 0
    for tick, number, message in in_order(file):
        now_us += (tick - ticks) * us_per_quarter / file.ticks_per_beat
        ticks = tick
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
            kit = message.channel == PERCUSSION_CHANNEL
            event = Heard(at, "down" if down else "up", message.note, message.velocity, message.channel)
            heard.setdefault((-1 if kit else number, kit), []).append(event)
            if kit:
                drummed.add(number)
        elif message.type == "control_change":
            event = Heard(at, "control", message.control, message.value, message.channel)
            heard.setdefault((number, False), []).append(event)
        else:
            stated.take(message, number, tick * QUARTER // file.ticks_per_beat, at)
            us_per_quarter = stated.tempi[-1][2] if stated.tempi else us_per_quarter
    if not presses:
        raise BadInput("That MIDI file holds no notes, so there is nothing to write. Nothing was imported.")
    names = stated.names
    names[-1] = kit_name(drummed, {number for number, kit in heard if not kit}, names)
    tracks = tracks_of(heard, names, stated.programmes, stated.sung, round(now_us))
    sounding = {number for number, _ in heard} | drummed
    title = names.get(0, "") if 0 not in sounding else ""
    return _file_of(tracks, stated, title)


def _file_of(tracks: tuple[MidiTrack, ...], stated: Stated, title: str) -> MidiFile:
    whole = together([t.take for t in tracks if not t.percussion] or [t.take for t in tracks])
    pulses = tempo_map(stated.tempi)
    return MidiFile(
        whole,
        tracks,
        pulses,
        tuple(sorted(stated.meters.items())),
        stated.fifths,
        tuple(stated.markers),
        title,
        pulses is not None and on_its_beats(whole, pulses),
    )


def tracks_of(
    heard: dict[tuple[int, bool], list[Heard]],
    names: dict[int, str],
    programmes: dict[int, int],
    sung: dict[int, list[tuple[int, str]]],
    end_us: int,
) -> tuple[MidiTrack, ...]:
    """The tracks that hold notes, percussion last; ``heard`` by (number of the track, is it percussion?)."""
    out = []
    for (number, kit), events in sorted(heard.items(), key=lambda r: (r[0][1], r[0][0])):
        take = take_of_events(events, end_us)
        if take.notes:
            name = names.get(number, "") or ("Percussion" if kit else "")
            words = tuple(sung.get(number, ())) if not kit else ()
            out.append(MidiTrack(name, 0 if kit else programmes.get(number, 0), kit, take, words))
    return tuple(out)


def together(takes: list[Take]) -> Take:
    """Several takes of the same time as one."""
    notes = sorted((n for t in takes for n in t.notes), key=lambda n: (n.onset_us, n.key))
    controls = sorted((c for t in takes for c in t.controls), key=lambda c: c.time_us)
    return Take(tuple(notes), tuple(controls))


def tempo_map(tempi: list[tuple[int, int, int]]) -> PulseMap | None:
    """The tempi of a file as pulses; None where it states none, or one that no page can hold."""
    if not tempi or any(not LOWEST_TEMPO <= US_PER_MINUTE / us <= HIGHEST_TEMPO for _, _, us in tempi):
        return None
    pulses = [Pulse(0, 0)]
    for tick, us, _ in tempi:
        if tick > pulses[-1].tick and us > pulses[-1].time_us:
            pulses.append(Pulse(tick, us))
    tick, us, pace = tempi[-1]
    start = pulses[-1]
    return PulseMap((*pulses, Pulse(start.tick + FAR, start.time_us + round(FAR / QUARTER * pace))))


def on_its_beats(take: Take, pulses: PulseMap) -> bool:
    """Do the notes gather on the halves, thirds or quarters of the file's beats?

    A performance that was only stored at some tempo does not.

    Measured by the length of the mean of the onsets as points of a circle (mean resultant length, as in any handbook
    of directional statistics).
    """
    quarters = np.array([pulses.tick_at(n.onset_us) / QUARTER for n in take.notes])
    if len(quarters) < FEW:
        return True
    gathered = max(abs(np.exp(2j * np.pi * quarters * parts).mean()) for parts in (1, 2, 3, 4))
    return bool(gathered > ON_BEATS)


KEYS = {name.replace(" flat", "b").replace(" sharp", "#"): k for k, name in MAJOR_NAMES.items()} | {
    name.replace(" flat", "b").replace(" sharp", "#") + "m": k for k, name in MINOR_NAMES.items()
}
