"""Written notes in time, and the click.

Conventions: times in microseconds from the start of what is played. Ties need no care here, since a note is
one record however many symbols write it.
"""

from __future__ import annotations

from dataclasses import dataclass

from ductus.core.performance.takes import Take
from ductus.core.score.piece import Piece
from ductus.core.time.bars import Bar
from ductus.core.time.meters import BEAT, MIDDLE
from ductus.core.time.pulse import US_PER_MINUTE, Pulse, PulseMap
from ductus.core.time.ticks import QUARTER

CRUSHED_US = (
    70_000  # how long a grace note with a stroke sounds, just before its note (common practice: as short as can be)
)


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
class Click:
    """One click: rank "bar", "strong", "beat" or "half" (JOB 5.2)."""

    time_us: int
    rank: str


def written_tempo_map(piece: Piece) -> PulseMap:
    """The tempi of the page as a pulse map that starts at tick 0, time 0."""
    changes = sorted({t.tick: t for t in piece.tempi.values()}.values(), key=lambda t: t.tick)
    edges = [t.tick for t in changes if t.tick > 0]
    pulses, tick, time_us = [Pulse(0, 0)], 0, 0.0
    for edge in [*edges, max(piece.end, *edges, 0) + 4096 * QUARTER]:
        qpm = piece.tempo_at(tick).quarters_per_minute
        time_us += (edge - tick) / QUARTER * US_PER_MINUTE / qpm
        pulses.append(Pulse(edge, round(time_us)))
        tick = edge
    return PulseMap(tuple(pulses))


def piece_events(piece: Piece, start: int = 0, end: int | None = None) -> list[Sounding]:
    """Notes that begin in [start, end) at the written tempi, times from ``start``."""
    pulses = written_tempo_map(piece)
    zero = pulses.time_at(start)
    out = []
    for note in piece.notes.values():
        if note.tick < start or (end is not None and note.tick >= end):
            continue
        onset = pulses.time_at(note.tick + note.sounds_late)
        off = pulses.time_at(note.tick + note.sounds_late + (note.sounds_ticks or note.ticks))
        out.append(
            Sounding(max(onset - zero, 0), max(off - onset, 1), note.pitch.midi, note.velocity, note.part, note.id)
        )
        for k, pitch in enumerate(reversed(note.crushed), 1):
            early = max(onset - k * CRUSHED_US - zero, 0)
            out.append(Sounding(early, CRUSHED_US, pitch.midi, note.velocity, note.part, note.id))
    return sorted(out, key=lambda s: (s.onset_us, s.key))


def company_at(piece: Piece, tick: int, part: str, staff: int) -> list[Sounding]:
    """What all other staves hold at a tick (JOB 3.11), as sounds that begin at once."""
    pulses = written_tempo_map(piece)
    out = []
    for other in piece.ordered_parts():
        for note in piece.notes_between(other.id, tick, tick + 1):
            if (note.part, note.staff) != (part, staff):
                left = pulses.time_at(note.end) - pulses.time_at(tick)
                out.append(Sounding(0, left, note.pitch.midi, note.velocity, note.part, note.id))
    return sorted(out, key=lambda s: s.key)


def take_events(take: Take) -> list[Sounding]:
    """A take as it was played, silence before its first note left out; the pedal holds notes on."""
    first = take.notes[0].onset_us if take.notes else 0
    return [
        Sounding(n.onset_us - first, n.release_us - n.onset_us, n.key, n.velocity, "", str(k))
        for k, n in enumerate(take.notes)
    ]


def click_ranks(bar: Bar, subdivide: bool | None = None) -> list[tuple[int, str]]:
    """(tick, rank) of the clicks in a bar; ``subdivide`` None means in compound meters only (JOB 5.2)."""
    meter = bar.meter
    out = []
    for tick in bar.beats():
        level = bar.meter.level_at(bar.offset_of(tick))
        out.append((tick, "bar" if level == 0 else "strong" if level == MIDDLE and not meter.irregular else "beat"))
    if meter.compound if subdivide is None else subdivide:
        step = meter.unit_ticks if meter.compound or meter.irregular else meter.beat_ticks // 2
        taken = {t for t, _ in out}
        tick = bar.start
        while tick < bar.end:
            if tick not in taken and bar.level_at(tick) > BEAT:
                out.append((tick, "half"))
            tick += step
    return sorted(out)
