"""What is played too fast to be counted: trills, rolled chords, crushed notes (JOB 6.9). They are offered, never imposed.

Sizes are common practice: a trill alternates two keys at most two semitones apart, faster than eight notes a second; a rolled
chord is a run of keys in one direction that are all held to its end; a crushed note is let go within 90 ms, just
before a neighbour that lasts.
"""

from __future__ import annotations

from dataclasses import dataclass

from ductus.core.performance.takes import PlayedNote, Take

TRILL_NOTES, TRILL_GAP_US = 5, 125_000
ROLL_NOTES, ROLL_GAP_US, ROLL_LEAST_US = 3, 70_000, 60_000
CRUSHED_US, CRUSHED_GAP_US = 90_000, 85_000


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
    """A rolled chord from this note on: keys in one direction, all still held when the last is struck."""
    run = [start]
    direction = 0
    for n in range(start + 1, len(notes)):
        step = notes[n].key - notes[run[-1]].key
        if notes[n].onset_us - notes[run[-1]].onset_us > ROLL_GAP_US or step * direction < 0 or not step:
            break
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
