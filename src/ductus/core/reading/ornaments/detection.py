"""What is played too fast to be counted: trills, turns, tremolos, rolled chords, runs, crushed notes.
Where no value can hold them they are their signs (``notation``), elsewhere they are offered.

Sizes are common practice: a trill alternates two keys at most two semitones apart, faster than eight notes a second;
a turn goes round a key (above, itself, below, itself, perhaps after itself) as fast as that; a rolled chord is a run
of keys in one direction that are all held to its end; a tremolo strikes one key at least ten times a second; a run
is a scale in one direction, faster than fourteen notes a second, into a note that lasts: a group of grace notes; a
crushed note is let go within 90 ms, just before a neighbour that lasts. A person who takes an offer pins it
(``Decisions.ornaments``).
"""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import replace

from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.pitch.pitches import Pitch, pitch_words
from ductus.core.pitch.speller import grace_pitches
from ductus.core.reading.model import Ornament, ReadNote
from ductus.core.reading.percussion import ROLLED, struck_again

TRILL_NOTES, TRILL_GAP_US = 5, 125_000
TURN_GAP_US = 100_000
ROLL_NOTES, ROLL_GAP_US, ROLL_LEAST_US, ROLL_STEP = 3, 70_000, 60_000, 12
ROLL_STEP_US, ROLLED_OUT = 15_000, 4  # between two keys; all of it, in deviations of the player's chords
CRUSHED_US, CRUSHED_GAP_US = 90_000, 85_000
TREMOLO_STROKES, TREMOLO_GAP_US = 6, 100_000
RUN_NOTES, RUN_GAP_US, RUN_STEP = 5, 70_000, 3  # the note that it leads to included; semitones of a step


def find_ornaments(take: Take) -> list[Ornament]:
    """All ornaments of a take, in order; an event belongs to one at most."""
    used: set[int] = set()
    found: list[Ornament] = []
    for finder in (trill_at, tremolo_at, turn_at, roll_at, run_at, grace_note_at):
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


def turn_at(notes: tuple[PlayedNote, ...], start: int) -> Ornament | None:
    """A turn that begins with this note: round a key by steps of at most two semitones, upper neighbour first; the
    key itself may come before.
    """
    for first in (notes[start].key, None):  # begun on the key itself, or on its upper neighbour
        run = [start]
        for n in range(start + 1, min(start + 12, len(notes))):
            if notes[n].onset_us - notes[run[-1]].onset_us > TURN_GAP_US or len(run) == (4 if first is None else 5):
                break
            if abs(notes[n].key - notes[run[-1]].key) <= 2:
                run.append(n)
        keys = [notes[n].key for n in (run if first is None else run[1:])]
        if len(keys) != 4 or keys[1] != keys[3] or (first is not None and first != keys[1]):
            continue
        if 1 <= keys[0] - keys[1] <= 2 and 1 <= keys[1] - keys[2] <= 2:
            return Ornament("turn", tuple(run))
    return None


def roll_at(notes: tuple[PlayedNote, ...], start: int) -> Ornament | None:
    """A rolled chord from this note on: keys in one direction, all still held when the last is struck.

    What the other hand strikes meanwhile (a leap of more than an octave, or against the direction) is passed over.
    """
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


def tremolo_at(notes: tuple[PlayedNote, ...], start: int) -> Ornament | None:
    """One key struck again and again."""
    run = struck_again(notes, start, TREMOLO_GAP_US)
    return Ornament("tremolo", tuple(run)) if len(run) >= TREMOLO_STROKES else None


def run_at(notes: tuple[PlayedNote, ...], start: int) -> Ornament | None:
    """A scale in one direction into a note that lasts; what the other hand strikes meanwhile is passed over."""
    run = [start]
    direction = 0
    for n in range(start + 1, len(notes)):
        step = notes[n].key - notes[run[-1]].key
        if notes[n].onset_us - notes[run[-1]].onset_us > RUN_GAP_US:
            break
        if not 1 <= abs(step) <= RUN_STEP or step * direction < 0:
            continue
        direction = 1 if step > 0 else -1
        run.append(n)
        last = notes[n]
        if len(run) >= RUN_NOTES and last.release_us - last.onset_us > 2 * CRUSHED_US:
            return Ornament("run", tuple(run))
    return None


def grace_note_at(notes: tuple[PlayedNote, ...], start: int) -> Ornament | None:
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


def rolled_upwards(take: Take, ornament: Ornament, even_s: float) -> bool:
    """Are its keys struck upwards and clearly one after another, by a player whose chords scatter by ``even_s``
    (standard deviation, seconds)? Chords that only fall apart lead with the tune, as a rule (common practice).
    """
    mine = [take.notes[e] for e in ornament.events]
    upwards = all(b.key > a.key and b.onset_us - a.onset_us >= ROLL_STEP_US for a, b in itertools.pairwise(mine))
    return upwards and mine[-1].onset_us - mine[0].onset_us >= ROLLED_OUT * even_s * 1e6


# --- as written ---------------------------------------------------------------------------


def ornament_words(ornament: Ornament, pitches: Mapping[int, Pitch]) -> str:
    """What would be written: "a trill on D 5"; ``pitches`` by event."""
    named = [pitches[e] for e in ornament.events]
    if ornament.kind == "trill":
        return f"a trill on {pitch_words(min(named, key=lambda p: p.midi))}"
    if ornament.kind == "turn":
        return f"a turn on {pitch_words(named[-1])}"
    if ornament.kind == "tremolo":
        return f"a tremolo on {pitch_words(named[0])}"
    if ornament.kind == "rolled chord":
        return f"a rolled chord of {len(ornament.events)} notes"
    if ornament.kind == "run":
        return f"a run of {len(named) - 1} grace notes into {pitch_words(named[-1])}"
    return f"{pitch_words(named[0])} crushed into {pitch_words(named[-1])}"


def main_event(take: Take, ornament: Ornament) -> int:
    """The event that stands for an ornament on the page.

    The lower key of a trill, the first of a tremolo, the last of a turn, the note that grace notes lead to.
    """
    if ornament.kind == "trill":
        return min(ornament.events[:2], key=lambda e: take.notes[e].key)
    return ornament.events[0] if ornament.kind in ("roll", "tremolo") else ornament.events[-1]


def plainly(take: Take, ornaments: Sequence[Ornament]) -> tuple[Take, tuple[int, ...]]:
    """The take as if these ornaments were plain notes, and the event of each of its notes.

    A trill, a turn or a tremolo is one long note, a rolled chord is struck at once, grace notes are left out. So the
    notes around them are read as if nobody had ornamented.
    """
    notes: dict[int, PlayedNote] = dict(enumerate(take.notes))
    for ornament in ornaments:
        mine = [take.notes[e] for e in ornament.events]
        first = mine[0].onset_us
        if ornament.kind == "rolled chord":
            for e in ornament.events:
                notes[e] = replace(take.notes[e], onset_us=first)
            continue
        for e in ornament.events:
            notes.pop(e, None)
        main = main_event(take, ornament)
        if ornament.kind == "roll":
            last = max(n.release_us for n in mine)
            notes[main] = replace(take.notes[main], release_us=last, channel=ROLLED)
        elif ornament.kind in ("trill", "turn", "tremolo"):
            end = max(n.release_us for n in mine)
            notes[main] = replace(take.notes[main], onset_us=first, release_us=end)
        else:
            notes[main] = take.notes[main]
    order = sorted(notes, key=lambda e: (notes[e].onset_us, notes[e].key))
    return replace(take, notes=tuple(notes[e] for e in order)), tuple(order)


def dressed(notes: Sequence[ReadNote], take: Take, ornaments: Sequence[Ornament], fifths: int) -> tuple[ReadNote, ...]:
    """The notes of a reading of ``plainly`` (events already those of the take) with the signs of these ornaments."""
    sign: dict[int, str] = {}
    written = {n.event: n for n in notes}
    grace_notes: dict[int, tuple[Pitch, ...]] = {}
    for ornament in ornaments:
        main = main_event(take, ornament)
        if ornament.kind in ("trill", "turn"):
            sign[main] = ornament.kind
        elif ornament.kind in ("roll", "tremolo"):
            sign[main] = "tremolo-3"
        elif ornament.kind == "rolled chord":
            sign.update(dict.fromkeys(ornament.events, "rolled"))
        else:
            keys = [take.notes[e].key for e in ornament.events[:-1]]
            grace_notes[main] = (*grace_notes.get(main, ()), *grace_pitches(keys, written[main].pitch, fifths))
    return tuple(
        replace(
            n,
            articulations=(sign[n.event],) if n.event in sign else n.articulations,
            grace_notes=grace_notes.get(n.event, ()),
        )
        for n in notes
    )
