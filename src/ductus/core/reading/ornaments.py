"""What is played too fast to be counted: trills, rolled chords, crushed notes (JOB 6.9). They are offered, never imposed.

Sizes are common practice: a trill alternates two keys at most two semitones apart, faster than eight notes a second; a rolled
chord is a run of keys in one direction that are all held to its end; a crushed note is let go within 90 ms, just
before a neighbour that lasts. A person who takes an offer pins it (``Pins.ornaments``).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from ductus.core.performance.takes import PlayedNote, Take
from ductus.core.pitch.pitches import Pitch, pitch_words
from ductus.core.time.meters import Meter
from ductus.core.time.values import BASE_TICKS

if TYPE_CHECKING:
    from ductus.core.reading.settings import ReadNote

TRILL_NOTES, TRILL_GAP_US = 5, 125_000
ROLL_NOTES, ROLL_GAP_US, ROLL_LEAST_US, ROLL_STEP = 3, 70_000, 60_000, 12
CRUSHED_US, CRUSHED_GAP_US = 90_000, 85_000
PLAIN = sorted(v for base in BASE_TICKS.values() for v in (base, base * 3 // 2))


@dataclass(frozen=True, slots=True)
class Ornament:
    """Kind "trill", "rolled chord" or "crushed note", and the events of the take that make it, in order."""

    kind: str
    events: tuple[int, ...]


def find_ornaments(take: Take) -> list[Ornament]:
    """All ornaments of a take, in order; an event belongs to one at most."""
    used: set[int] = set()
    found: list[Ornament] = []
    for finder in (trill_at, roll_at, crushed_at):
        for n in range(len(take.notes)):
            if n in used:
                continue
            ornament = finder(take.notes, n)
            if ornament is not None and not used & set(ornament.events):
                found.append(ornament)
                used |= set(ornament.events)
    return sorted(found, key=lambda o: o.events)


def trill_at(notes: tuple[PlayedNote, ...], start: int) -> Ornament | None:
    """A trill that begins with this note: every second note of the run is the same key."""
    run = [start]
    other: int | None = None
    for n in range(start + 1, len(notes)):
        last = notes[run[-1]]
        if notes[n].onset_us - last.onset_us > TRILL_GAP_US:
            break
        wanted = other if last.key == notes[start].key else notes[start].key
        if wanted is None and 1 <= abs(notes[n].key - last.key) <= 2:
            wanted = other = notes[n].key
        if notes[n].key == wanted:
            run.append(n)
    return Ornament("trill", tuple(run)) if len(run) >= TRILL_NOTES else None


def roll_at(notes: tuple[PlayedNote, ...], start: int) -> Ornament | None:
    """A rolled chord from this note on: keys in one direction, all still held when the last is struck; what the other hand
    strikes meanwhile (a leap of more than an octave, or against the direction) is passed over."""
    run = [start]
    direction = 0
    for n in range(start + 1, len(notes)):
        step = notes[n].key - notes[run[-1]].key
        if notes[n].onset_us - notes[run[-1]].onset_us > ROLL_GAP_US or not step:
            break
        if step * direction < 0 or abs(step) > ROLL_STEP:
            continue
        direction = direction or (1 if step > 0 else -1)
        run.append(n)
    end = notes[run[-1]].onset_us
    held = all(notes[n].release_us > end for n in run)
    wide = end - notes[start].onset_us >= ROLL_LEAST_US
    return Ornament("rolled chord", tuple(run)) if len(run) >= ROLL_NOTES and held and wide else None


def crushed_at(notes: tuple[PlayedNote, ...], start: int) -> Ornament | None:
    """A note let go at once, close before a neighbouring key that lasts."""
    note = notes[start]
    if note.release_us - note.onset_us > CRUSHED_US:
        return None
    for n in range(start + 1, min(start + 4, len(notes))):
        main = notes[n]
        if main.onset_us - note.onset_us > CRUSHED_GAP_US:
            break
        lasts = main.release_us - main.onset_us > 2 * CRUSHED_US
        if main.onset_us - note.onset_us > 15_000 and 1 <= abs(main.key - note.key) <= 2 and lasts:
            return Ornament("crushed note", (start, n))
    return None


# --- as written ---------------------------------------------------------------------------


def ornament_words(ornament: Ornament, pitches: Mapping[int, Pitch]) -> str:
    """What would be written: "a trill on D 5"; ``pitches`` by event."""
    named = [pitches[e] for e in ornament.events if e in pitches]
    if ornament.kind == "trill":
        return f"a trill on {pitch_words(min(named, key=lambda p: p.midi))}"
    if ornament.kind == "rolled chord":
        return f"a rolled chord of {len(ornament.events)} notes"
    return f"{pitch_words(named[0])} crushed into {pitch_words(named[-1])}"


def with_ornaments(notes: Sequence[ReadNote], ornaments: Sequence[Ornament], meter: Meter) -> list[ReadNote]:
    """The notes with these ornaments written as such: a trill as one note of a plain value with its sign, the notes of a rolled chord at one
    place (the metrically strongest of theirs), a crushed note as a grace note of the note that follows it."""
    by_event = {n.event: n for n in notes}
    for ornament in ornaments:
        if all(e in by_event for e in ornament.events):
            WRITE[ornament.kind](by_event, [by_event[e] for e in ornament.events], meter)
    return sorted(by_event.values(), key=lambda n: (n.tick, n.pitch.midi))


def strongest(run: Sequence[ReadNote], meter: Meter) -> int:
    """The metrically strongest place of some notes, the first of equals."""
    return min((n.tick for n in run), key=lambda t: (meter.level_at(t % meter.bar_ticks), t))


def _write_trill(by_event: dict[int, ReadNote], run: list[ReadNote], meter: Meter) -> None:
    main = min(run[:2], key=lambda n: n.pitch.midi)
    start, end = min(n.tick for n in run), max(n.tick + n.ticks for n in run)
    for n in run:
        del by_event[n.event]
    following = min((n.tick for n in by_event.values() if n.hand == main.hand and n.tick > start), default=end * 2 + 1)
    lengths = [v for v in PLAIN if start + v <= following] + [following - start]
    ticks = min(lengths, key=lambda v: abs(math.log(v / max(end - start, 1))))
    marks = tuple(a for a in main.articulations if a != "staccato")
    by_event[main.event] = replace(main, tick=start, ticks=ticks, articulations=(*marks, "trill"))


def _write_roll(by_event: dict[int, ReadNote], run: list[ReadNote], meter: Meter) -> None:
    tick = strongest(run, meter)
    hand = 1 if sum(n.hand == 1 for n in run) * 2 > len(run) else 2
    end = max(n.tick + n.ticks for n in run)
    for n in run:
        by_event[n.event] = replace(
            n, hand=hand if len(run) <= 5 else n.hand, tick=tick, ticks=end - tick, articulations=("rolled",),
        )  # fmt: skip


def _write_crushed(by_event: dict[int, ReadNote], run: list[ReadNote], meter: Meter) -> None:
    grace, main = run
    del by_event[grace.event]
    tick = strongest(run, meter)
    by_event[main.event] = replace(
        main, tick=tick, ticks=main.tick + main.ticks - tick, crushed=(*main.crushed, grace.pitch)
    )
    for n in list(by_event.values()):  # what was held up to either of the two is held up to where they now stand
        if n.hand == main.hand and n.tick < tick and n.tick + n.ticks in (grace.tick, main.tick):
            by_event[n.event] = replace(n, ticks=tick - n.tick)


WRITE = {"trill": _write_trill, "rolled chord": _write_roll, "crushed note": _write_crushed}
