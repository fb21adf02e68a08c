"""Copying, pasting and repeating: notes with the marks that belong to them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from ductus.core.errors import BadInput
from ductus.core.score.model.changes import Change, Draft, Line
from ductus.core.score.model.mark_kinds import marks_with
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Mark, Note
from ductus.core.score.note_edits.base import At
from ductus.core.score.note_edits.write import clear_brackets, clear_span
from ductus.core.words import count_words

MOST_COPIED = 2_000  # notes that one repetition may write


@dataclass(frozen=True, slots=True)
class Excerpt:
    """Notes that were copied, with their marks."""

    notes: tuple[Note, ...] = ()
    marks: tuple[Mark, ...] = ()


def excerpt_of(piece: Piece, notes: Sequence[Note]) -> Excerpt:
    """A copy of notes with the marks that go along."""
    return Excerpt(tuple(notes), tuple(marks_with(Draft(piece), list(notes))))


def put_copies(draft: Draft, excerpt: Excerpt, place: dict[Line, Line], shift: int) -> list[str]:
    """Put copies ``shift`` ticks later, each voice into the voice that ``place`` names.

    Returns the ids of the notes.
    """
    names: dict[str, str] = {}
    for note in excerpt.notes:
        part, staff, voice = place[note.line]
        names[note.id] = draft.new_id("n")
        draft.put(
            replace(
                note,
                id=names[note.id],
                part=part,
                staff=staff,
                voice=voice,
                tick=note.tick + shift,
                take=None,
                event=None,
            )
        )
    staves = {(a[0], a[1]): b for a, b in place.items()}
    for mark in excerpt.marks:
        line = place.get((mark.part, mark.staff, mark.voice)) or (*staves[mark.part, mark.staff][:2], mark.voice)
        part, staff, voice = line
        notes = tuple(names[i] for i in mark.notes)
        fresh = replace(
            mark, id=draft.new_id("m"), part=part, staff=staff, voice=voice, tick=mark.tick + shift, notes=notes
        )
        draft.put(fresh)
    return list(names.values())


def paste_places(piece: Piece, notes: Iterable[Note], line: Line) -> dict[Line, Line]:
    """Where each voice of a copy goes: one voice to the pen's voice.

    Several voices of one part to the pen's part, as far as it has such staves; several parts stay where they are.
    """
    lines = sorted({n.line for n in notes})
    if len(lines) == 1:
        return {lines[0]: line}
    if len({part for part, _, _ in lines}) > 1:
        return {one: one for one in lines}
    staves = piece.part(line[0]).staves
    if staves == 1 and len({staff for _, staff, _ in lines}) > 1:
        raise BadInput("That was copied from two staves; put the pen on a part with two staves. Nothing was pasted.")
    offset = 0 if staves > 1 and len({staff for _, staff, _ in lines}) > 1 else line[1] - lines[0][1]
    return {(part, staff, voice): (line[0], staff + offset, voice) for part, staff, voice in lines}


def paste_reach(piece: Piece, excerpt: Excerpt, at: At) -> int:
    """About how many notes come and go where a copy is put at the pen."""
    if not excerpt.notes:
        return 0
    end = at.tick + max(n.end for n in excerpt.notes) - min(n.tick for n in excerpt.notes)
    bar_at = piece.timeline.bar_at
    return len(excerpt.notes) + piece.about_between(bar_at(at.tick).index, bar_at(end).index)


def paste(piece: Piece, excerpt: Excerpt, at: At) -> Change:
    """Put a copy at the pen: its first note begins there; what is there is replaced. Raises BadInput."""
    if not excerpt.notes:
        raise BadInput("Nothing was copied yet.")
    start = min(n.tick for n in excerpt.notes)
    length = max(n.end for n in excerpt.notes) - start
    place = paste_places(piece, excerpt.notes, at.line)
    draft = Draft(piece)
    for target in place.values():
        clear_span(draft, target, at.tick, at.tick + length)
        clear_brackets(draft, target, at.tick, length)
    put_copies(draft, excerpt, place, at.tick - start)
    return draft.change(f"{count_words(len(excerpt.notes), 'note')} pasted at {piece.timeline.place_words(at.tick)}")
