"""One voice, one chord at a time: notes of a voice that sound together begin and end together.

Page, sound and file agree because of this rule, so every edit that moves or lengthens notes ends with ``keep_apart``.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from ductus.core.errors import BadInput
from ductus.core.score.model.changes import Draft, Line
from ductus.core.score.model.records import Note
from ductus.core.score.note_edits.write import MAX_VOICES


def fits(draft: Draft, line: Line, note: Note) -> bool:
    """May the note stand in a voice: is it silent there, or a chord of the same place and length?"""
    inside = draft.line_between(line, note.tick, note.end)
    return all((n.tick, n.ticks) == (note.tick, note.ticks) for n in inside if n.id != note.id)


def voice_for(draft: Draft, note: Note) -> int | None:
    """The voice of its staff in which a note can stand, its own first; None if all are taken."""
    order = (note.voice, *(v for v in range(1, MAX_VOICES + 1) if v != note.voice))
    return next((v for v in order if fits(draft, (note.part, note.staff, v), note)), None)


def keep_apart(draft: Draft, ids: Iterable[str]) -> int:
    """Give each of these notes that sounds against others of its voice a voice that is free; returns how many went.

    Raises BadInput where all voices of the staff are taken; the caller then drops its draft."""
    moved = 0
    notes = [n for i in ids if (n := draft.note(i)) is not None]
    for note in sorted(notes, key=lambda n: (n.tick, n.pitch.midi, n.id)):
        voice = voice_for(draft, note)
        if voice is None:
            place = draft.piece.timeline.place_words(note.tick)
            raise BadInput(f"All {MAX_VOICES} voices of the staff are taken at {place}. Nothing was changed.")
        if voice != note.voice:
            moved += 1
            draft.put(replace(note, voice=voice))
    return moved
