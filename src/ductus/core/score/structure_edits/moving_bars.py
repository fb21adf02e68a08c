"""Moving what sounds by an interval: notes with their grace notes, and chord symbols over them."""

from __future__ import annotations

from dataclasses import replace

from ductus.core.pitch.chord_symbols import transposed_chord
from ductus.core.pitch.intervals import moved, transposed
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.records import Mark, Note


def octave_toward(interval: tuple[int, int], way: str) -> tuple[int, int]:
    """The interval as asked: the "nearest", or the same to the other side ("up", "down")."""
    steps, semitones = interval
    if way == "up" and semitones < 0:
        return steps + 7, semitones + 12
    if way == "down" and semitones > 0:
        return steps - 7, semitones - 12
    return interval


def moved_note(note: Note, steps: int, semitones: int) -> Note | None:
    """A note moved by an interval; None where it would leave the keyboard."""
    pitch = transposed(note.pitch, steps, semitones)
    if not 0 <= pitch.midi <= 127:
        return None
    return replace(note, pitch=pitch, grace_notes=moved(note.grace_notes, steps, semitones))


def moved_chord(mark: Mark, steps: int, semitones: int) -> Mark:
    """A chord symbol moved by an interval: its root and its bass."""
    return replace(mark, text=transposed_chord(mark.text, steps, semitones))


def move_notes(draft: Draft, part: str | None, start: int, end: int | None, steps: int, semitones: int) -> int:
    """Move the notes that begin in [start, end) of a part (None.

    Of all pitched parts), with the chord symbols; returns how many notes.
    """
    piece = draft.piece
    pitched = {p.id for p in piece.parts.values() if "percussion" not in p.clefs and part in (None, p.id)}
    count = 0
    for note in piece.notes.values():
        if note.part in pitched and note.tick >= start and (end is None or note.tick < end):
            fresh = moved_note(note, steps, semitones)
            if fresh is not None:
                draft.put(fresh)
                count += 1
    for mark in piece.marks.values():
        if mark.kind == "chord" and mark.part in pitched and mark.tick >= start and (end is None or mark.tick < end):
            draft.put(moved_chord(mark, steps, semitones))
    return count
