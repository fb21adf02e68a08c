"""What sounds when, answered once: the page as a performance, for the browser, the MIDI file, audio and the click.

    piece -> notes (key, velocity, on, off, channel) and pedal, in playing order, in ticks; then in microseconds at the tempi of the page

Ties need no care, since a note is one record however many symbols write it. Grace notes with a stroke sound just before their note;
at the very start of the piece they take their time from it. Staccato sounds half (common practice) unless a sounding length is stated. One
key of a channel has one note on at a time: unisons of two staves are one sound, a key struck again ends what sounded.
"""

from __future__ import annotations

from bisect import bisect_right
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from ductus.core.performance.takes import SUSTAIN, Take
from ductus.core.score.piece import Piece
from ductus.core.score.records import Note
from ductus.core.time.pulse import US_PER_MINUTE, Pulse, PulseMap
from ductus.core.time.ticks import QUARTER

GRACE_US = 70_000  # a grace note with a stroke is as short as can be (common practice)
SHARES = {"staccato": (1, 2), "staccatissimo": (1, 4)}  # of the written length that sounds (common practice)
PERCUSSION_CHANNEL = 9  # General MIDI 1: channel 10, counted from 0
PITCHED_CHANNELS = tuple(c for c in range(16) if c != PERCUSSION_CHANNEL)
PEDAL_DOWN = 64  # MIDI 1.0 detailed specification: 64 and above is on


@dataclass(frozen=True, slots=True)
class Sounded:
    """One key going down and up again: ticks, MIDI key and velocity, channel 0..15, part and id of the note."""

    on: int
    off: int
    key: int
    velocity: int
    channel: int
    part: str
    staff: int
    note: str


@dataclass(frozen=True, slots=True)
class PedalChange:
    """The sustain pedal of a channel at a tick."""

    tick: int
    channel: int
    part: str
    down: bool


@dataclass(frozen=True, slots=True)
class Performance:
    """A piece as it sounds: notes by time then key, pedal changes by time."""

    notes: tuple[Sounded, ...]
    pedal: tuple[PedalChange, ...]


@dataclass(frozen=True, slots=True)
class Sounding:
    """One note to sound: onset and length in microseconds, MIDI key and velocity, part and note id."""

    onset_us: int
    length_us: int
    key: int
    velocity: int
    part: str
    note: str


@dataclass(frozen=True, slots=True)
class Playback:
    """What sounds from a place on, and where the beats fall in it: (microseconds, tick)."""

    notes: tuple[Sounding, ...]
    places: tuple[tuple[int, int], ...]


def channels_of(piece: Piece) -> dict[str, int]:
    """The channel of each part: percussion on its own, pitched parts on the other fifteen; where there are more parts than that, parts of
    one sound share."""
    out: dict[str, int] = {}
    pitched = []
    for part in piece.ordered_parts():
        if "percussion" in part.clefs:
            out[part.id] = PERCUSSION_CHANNEL
        else:
            pitched.append(part)
    if len(pitched) <= len(PITCHED_CHANNELS):
        return out | {p.id: c for p, c in zip(pitched, PITCHED_CHANNELS, strict=False)}
    programmes = list(dict.fromkeys(p.programme for p in pitched))
    return out | {p.id: PITCHED_CHANNELS[programmes.index(p.programme) % len(PITCHED_CHANNELS)] for p in pitched}


def written_tempo_map(piece: Piece) -> PulseMap:
    """The tempi of the page as a pulse map that starts at tick 0, time 0."""
    changes = sorted({t.tick: t for t in piece.tempi.values()}.values(), key=lambda t: t.tick)
    pulses, tick, time_us = [Pulse(0, 0)], 0, 0.0
    qpm = piece.tempo_at(0).quarters_per_minute
    end = max([piece.end, *(t.tick for t in changes)]) + 4096 * QUARTER
    for edge, following in [*((t.tick, t.quarters_per_minute) for t in changes if t.tick > 0), (end, 0.0)]:
        time_us += (edge - tick) / QUARTER * US_PER_MINUTE / qpm
        pulses.append(Pulse(edge, round(time_us)))
        tick, qpm = edge, following
    return PulseMap(tuple(pulses))


def performed(piece: Piece, pulses: PulseMap | None = None) -> Performance:
    """The whole page as it sounds."""
    pulses = pulses or written_tempo_map(piece)
    channels = channels_of(piece)
    struck: list[Sounded] = []
    for note in piece.notes.values():
        struck += sounds_of(note, channels[note.part], pulses)
    pedal = []
    for mark in piece.marks.values():
        if mark.kind == "pedal" and mark.ticks > 0:
            channel = channels[mark.part]
            pedal += [
                PedalChange(mark.tick, channel, mark.part, True),
                PedalChange(mark.end, channel, mark.part, False),
            ]
    pedal.sort(key=lambda c: (c.tick, c.down))
    return Performance(tuple(one_by_one(struck)), tuple(pedal))


def sounds_of(note: Note, channel: int, pulses: PulseMap) -> list[Sounded]:
    """A note with its grace notes, as it sounds."""
    on = max(note.tick + note.sounds_late, 0)
    length = note.sounds_ticks
    if length is None:
        times, over = next((SHARES[a] for a in note.signs if a in SHARES), (1, 1))
        length = max(note.ticks * times // over, 1)
    grace = round(GRACE_US / pulses.us_per_quarter_at(on) * QUARTER) if note.crushed else 0
    first = max(on - grace * len(note.crushed), 0)
    delay = max(first + grace * len(note.crushed) - on, 0)
    out = [
        Sounded(
            first + k * grace,
            first + (k + 1) * grace,
            pitch.midi,
            note.velocity,
            channel,
            note.part,
            note.staff,
            note.id,
        )
        for k, pitch in enumerate(note.crushed)
    ]
    key = min(max(note.pitch.midi, 0), 127)
    off = max(on + length, on + delay + 1)
    return [*out, Sounded(on + delay, off, key, note.velocity, channel, note.part, note.staff, note.id)]


def one_by_one(struck: Iterable[Sounded]) -> list[Sounded]:
    """One key, one note on: unisons are one sound as long as the longer, a key that is struck again ends what sounded."""
    by_key: dict[tuple[int, int], list[Sounded]] = defaultdict(list)
    for sound in sorted(struck, key=lambda s: (s.on, s.key, s.note)):
        row = by_key[sound.channel, sound.key]
        if row and row[-1].on == sound.on:
            row[-1] = replace(row[-1], off=max(row[-1].off, sound.off), velocity=max(row[-1].velocity, sound.velocity))
            continue
        if row and row[-1].off > sound.on:
            row[-1] = replace(row[-1], off=sound.on)
        row.append(sound)
    return sorted((s for row in by_key.values() for s in row), key=lambda s: (s.on, s.key, s.channel))


def playback(piece: Piece, start: int = 0, end: int | None = None) -> Playback:
    """What sounds in [start, end) at the written tempi, times from its beginning: notes that sound already at ``start`` are heard from there
    on, grace notes of the first note before it; the pedal holds notes on."""
    pulses = written_tempo_map(piece)
    whole = performed(piece, pulses)
    offs = held_by_pedal(whole.notes, whole.pedal)
    ids = {n.id for n in piece.notes_from(start)} if start else None
    heard = []
    for sound, off in zip(whole.notes, offs, strict=True):
        mine = ids is None or sound.note in ids
        if (end is not None and sound.on >= end) or (not mine and off <= start):
            continue
        heard.append((sound.on if mine else max(sound.on, start), off, sound))
    zero = min([start, *(on for on, _, _ in heard)])
    zero_us = pulses.time_at(zero)
    notes = []
    for on, off, s in heard:
        onset = pulses.time_at(on) - zero_us
        notes.append(Sounding(onset, max(pulses.time_at(off) - zero_us - onset, 1), s.key, s.velocity, s.part, s.note))
    first = piece.timeline.bar_at(start).index
    beats = (t for i in range(first, piece.bar_count) for t in piece.timeline.bar(i).beats() if t >= start)
    places = tuple((pulses.time_at(t) - zero_us, t) for t in beats)
    return Playback(tuple(sorted(notes, key=lambda n: (n.onset_us, n.key))), places)


def held_by_pedal(notes: Sequence[Sounded], pedal: Sequence[PedalChange]) -> list[int]:
    """When each note stops to sound: where its key is let go, or later where the pedal is."""
    if not pedal:
        return [n.off for n in notes]
    changes: dict[int, list[PedalChange]] = defaultdict(list)
    for change in pedal:
        changes[change.channel].append(change)
    again: dict[tuple[int, int], int] = {}
    out = []
    for note in reversed(notes):
        mine = changes[note.channel]
        k = bisect_right(mine, note.off, key=lambda c: c.tick) - 1
        off = note.off
        if k >= 0 and mine[k].down:
            off = next((mine[i].tick for i in range(k + 1, len(mine)) if not mine[i].down), off)
        out.append(min(max(off, note.off), again.get((note.channel, note.key), off)))
        again[note.channel, note.key] = note.on
    return out[::-1]


def company_at(piece: Piece, tick: int, part: str, staff: int) -> list[Sounding]:
    """What all other staves hold at a tick, as sounds that begin at once."""
    pulses = written_tempo_map(piece)
    out = []
    for other in piece.ordered_parts():
        for note in piece.notes_between(other.id, tick, tick + 1):
            if (note.part, note.staff) != (part, staff):
                left = pulses.time_at(note.end) - pulses.time_at(tick)
                out.append(Sounding(0, left, note.pitch.midi, note.velocity, note.part, note.id))
    return sorted(out, key=lambda s: s.key)


def take_sounds(take: Take) -> list[Sounding]:
    """A take as it was played, silence before its first note left out; the pedal holds notes on until it is let go or their key is struck
    again."""
    if not take.notes:
        return []
    first = take.notes[0].onset_us
    notes = [
        Sounded(n.onset_us, n.release_us, n.key, n.velocity, n.channel, "", 0, str(k)) for k, n in enumerate(take.notes)
    ]
    channels = {n.channel for n in take.notes}
    pedal = [
        PedalChange(c.time_us, channel, "", c.value >= PEDAL_DOWN)
        for c in take.controls
        if c.controller == SUSTAIN
        for channel in channels
    ]
    offs = held_by_pedal(notes, pedal)
    return [
        Sounding(n.on - first, max(off - n.on, 1), n.key, n.velocity, "", n.note)
        for n, off in zip(notes, offs, strict=True)
    ]
