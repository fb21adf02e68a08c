"""Edits of notes: each returns a Change or fills a Draft. Every way of entry obeys the same three policies.

Policies: "replace" clears the voice inside the step and cuts a note that sounds into it; "add"
leaves what is there; "keep" jumps to the next silence. Exact duplicates are never stacked: they are counted.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence, Set
from dataclasses import dataclass, replace

from ductus.core.errors import BadInput
from ductus.core.pitch.pitches import Pitch
from ductus.core.score.model.changes import Change, Draft, Line
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Mark, Note
from ductus.core.score.note_edits.tuplet_slots import FINEST, Slot, slot_at
from ductus.core.time.note_values import BASE_TICKS, NoteValue
from ductus.core.words import count_words

POLICIES = ("replace", "add", "keep")
MAX_VOICES = 4


@dataclass(frozen=True, slots=True)
class Strike:
    """One note to be written: spelled pitch and velocity 1..127."""

    pitch: Pitch
    velocity: int


@dataclass(frozen=True, slots=True)
class Placed:
    """What became of a chord: the tick it was written at, ids of its notes, duplicates left out, its voice, notes of
    the step before that it gave other names (in words), how many notes of a tuplet it broke are gone, and the
    tuplet it stands in.
    """

    tick: int
    ids: tuple[str, ...]
    duplicates: int
    voice: int
    respelled: str = ""
    broken: int = 0
    slot: Slot | None = None


def clear_span(draft: Draft, line: Line, start: int, end: int, keep: Set[str] = frozenset()) -> None:
    """Empty a stretch of a voice: notes that begin in it go, a note that sounds into it is cut.

    ``keep`` are left alone.
    """
    for note in draft.line_between(line, start, end):
        if note.id in keep:
            continue
        if note.tick < start:
            draft.put(replace(note, ticks=start - note.tick, sounds_ticks=None))
        else:
            draft.drop(note)


def next_silence(draft: Draft, line: Line, tick: int, ticks: int) -> int:
    """The first tick from ``tick`` on at which ``ticks`` of silence begin in the voice."""
    while True:
        inside = draft.line_between(line, tick, tick + ticks)
        if not inside:
            return tick
        tick = max(n.end for n in inside)


def place_chord(
    draft: Draft,
    line: Line,
    tick: int,
    ticks: int,
    strikes: Sequence[Strike],
    policy: str,
    *,
    sounds_ticks: int | None = None,
    sounds_late: int = 0,
    written: int | None = None,
) -> Placed:
    """Write a chord into a voice under a policy; an empty ``strikes`` is a rest (only "replace" clears).

    ``written`` is the length of the notes where it is shorter than the stretch that the policy treats."""
    part, staff, voice = line
    length = ticks if written is None else written
    if policy == "keep":
        tick = next_silence(draft, line, tick, ticks)
    elif policy == "replace":
        clear_span(draft, line, tick, tick + ticks)
    there = [] if policy == "replace" else draft.line_between(line, tick, tick + ticks)  # what was there is cleared
    in_the_way = (n for n in there if n.end > tick and n.tick < tick + length)
    if policy == "add" and strikes and any((n.tick, n.ticks) != (tick, length) for n in in_the_way):
        voice = free_voice(draft, line, tick, length)
        if is_above(draft, line, voice, tick, tick + length, strikes):
            for note in draft.line_between(line, tick, tick + length):
                draft.put(replace(note, voice=voice))  # the lower voice is the one whose stems go down
            voice = line[2]
        there = draft.line_between((part, staff, voice), tick, tick + length)
    present = {n.pitch.midi for n in there if n.tick == tick}
    ids = []
    for strike in strikes:
        if strike.pitch.midi not in present:
            present.add(strike.pitch.midi)
            name, pitch, velocity = draft.new_id("n"), strike.pitch, strike.velocity
            draft.put(Note(name, part, staff, voice, tick, length, pitch, velocity, sounds_late, sounds_ticks))
            ids.append(name)
    return Placed(tick, tuple(ids), len(strikes) - len(ids), voice)


def is_above(draft: Draft, line: Line, free: int, start: int, end: int, strikes: Sequence[Strike]) -> bool:
    """Do strikes that are added over [start, end) lie above all that the voice has there, so that it is they who
    take the upper voice? The free voice must hold all of what makes room.
    """
    _, _, own = line
    notes = draft.line_between(line, start, end)
    if own % 2 == 0 or free % 2 or any(n.tick < start or n.end > end for n in notes):
        return False
    return bool(notes) and min(s.pitch.midi for s in strikes) > max(n.pitch.midi for n in notes)


def free_voice(draft: Draft, line: Line, tick: int, ticks: int) -> int:
    """Another voice of the staff that is silent in a stretch (or holds chords of just that length).

    Raises BadInput if none is.
    """
    part, staff, own = line
    for voice in range(1, MAX_VOICES + 1):
        inside = draft.line_between((part, staff, voice), tick, tick + ticks)
        if voice != own and all((n.tick, n.ticks) == (tick, ticks) for n in inside):
            return voice
    place = draft.piece.timeline.place_words(tick)
    raise BadInput(f"All {MAX_VOICES} voices of the staff are taken at {place}, so nothing was written there.")


def mark_tuplet(draft: Draft, line: Line, tick: int, value: NoteValue) -> None:
    """Put a bracket for ``value`` at ``tick`` unless one with its ratio is there already.

    One that begins there and ends inside the value gives way.

    The bracket spans ``normal`` notes of the value's base, over a bar line too. A value that runs past the end of
    the bracket it begins in gets another of the same ratio there.
    """
    part, staff, voice = line
    if value.tuplet is None:
        return
    length = value.tuplet.normal * BASE_TICKS[value.base]
    there = draft.marks_between(line, "tuplet", tick, tick + 1)
    mine = next((m for m in there if m.tuplet == value.tuplet and (m.tick < tick or m.end >= tick + value.ticks)), None)
    if mine is not None:
        if mine.end < tick + value.ticks and not draft.marks_between(line, "tuplet", mine.end, mine.end + 1):
            draft.put(replace(mine, id=draft.new_id("m"), tick=mine.end))
        return
    for old in draft.marks_between(line, "tuplet", tick, tick + length):
        draft.drop(old)
    draft.put(Mark(draft.new_id("m"), "tuplet", part, staff, voice, tick, length, tuplet=value.tuplet))


def clear_brackets(draft: Draft, line: Line, tick: int, ticks: int) -> int:
    """Remove brackets that a plain value written over [tick, tick + ticks) breaks, with what they leave behind it
    that no plain value reaches; returns how many notes went.
    """
    gone = 0
    for mark in draft.marks_between(line, "tuplet", tick, tick + ticks):
        draft.drop(mark)
        for note in draft.line_between(line, tick + ticks, mark.end) if mark.end > tick + ticks else ():
            if note.tick >= tick + ticks and ((note.tick - mark.tick) % FINEST or (note.end - mark.tick) % FINEST):
                draft.drop(note)
                gone += 1
    return gone


def clear_strangers(draft: Draft, line: Line, tick: int, end: int) -> int:
    """Drop notes behind ``end`` that the bracket at ``tick`` cannot write in its ratio; returns how many went."""
    slot = slot_at(draft.marks_between(line, "tuplet", tick, tick + 1), tick)
    if slot is None:
        return 0
    strangers = [n for n in draft.line_between(line, end, slot.end) if n.tick >= end and not slot.holds(n)]
    for note in strangers:
        draft.drop(note)
    return len(strangers)


def delete_notes(piece: Piece, ids: Iterable[str]) -> Change:
    """Delete notes; brackets left with no note inside go with them."""
    draft = Draft(piece)
    gone = [piece.notes[i] for i in ids if i in piece.notes]
    for note in gone:
        draft.drop(note)
    for note in gone:
        for mark in draft.marks_between(note.line, "tuplet", note.tick, note.end):
            if not draft.line_between(note.line, mark.tick, mark.end):
                draft.drop(mark)
    return draft.change(f"{count_words(len(gone), 'note')} deleted")


def write_notes(piece: Piece, notes: Iterable[Note], clear: Iterable[tuple[Line, int, int]], sentence: str) -> Change:
    """Write ready notes (ids are given here) after clearing stretches of voices: how a reading reaches the page."""
    draft = Draft(piece)
    for line, start, end in clear:
        clear_span(draft, line, start, end)
        clear_brackets(draft, line, start, end)
    for note in notes:
        draft.put(replace(note, id=draft.new_id("n")))
    return draft.change(sentence)


def change_facts(piece: Piece, **facts: object) -> Change:
    """Change the head of the page (title, composer, ...)."""
    draft = Draft(piece)
    draft.put(replace(piece.facts, **facts))  # type: ignore[arg-type]
    return draft.change("Title block changed")
