"""Edits of place: another tick, hand or voice; and deleting."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Literal

from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le, MaxLen
from ductus.core.score.model.changes import Change, Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note
from ductus.core.score.note_edits.base import At, Edit, Shown, finished
from ductus.core.score.note_edits.durations import Tick
from ductus.core.score.note_edits.write import clear_span, delete_notes
from ductus.core.time.ticks import ticks_of_shown
from ductus.core.words import count_words


@dataclass(frozen=True, slots=True)
class MoveBy(Edit):
    """Later (or earlier) by ticks as people see them (960 to the quarter)."""

    by: Shown
    name: Literal["move-by"] = "move-by"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        return moved_by(piece, notes, ticks_of_shown(self.by))


@dataclass(frozen=True, slots=True)
class MoveTo(Edit):
    """That note goes to a tick and the others with it: what dragging does."""

    note: Annotated[str, MaxLen(40)]
    tick: Tick
    name: Literal["move-to"] = "move-to"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        anchor = next((n for n in notes if n.id == self.note), notes[0])
        return moved_by(piece, notes, self.tick - anchor.tick)


def moved_by(piece: Piece, notes: Sequence[Note], by: int) -> Change:
    """Nothing is overwritten: where a voice is taken, a note goes to a free one."""
    by = max(by, -min(n.tick for n in notes))
    draft = Draft(piece)
    for note in notes:
        draft.put(replace(note, tick=note.tick + by))
    place = piece.timeline.place_words(min(n.tick for n in notes) + by)
    return finished(draft, lambda n: f"{n} moved to {place}")


@dataclass(frozen=True, slots=True)
class OtherHand(Edit):
    """Move to the other staff of the part, into a voice that is free there."""

    name: Literal["other-hand"] = "other-hand"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        draft = Draft(piece)
        for note in notes:
            if piece.part(note.part).staves > 1:
                draft.put(replace(note, staff=3 - note.staff))
        return finished(draft, lambda n: f"{n} moved to the other hand")


@dataclass(frozen=True, slots=True)
class MoveToVoice(Edit):
    """Move to a voice.

    What sounds there already makes room as the pen's policy says: it is replaced, or stays and the notes go to a
    voice that is free, or nothing is done.
    """

    voice: Annotated[int, Ge(1), Le(4)]
    name: Literal["move-to-voice"] = "move-to-voice"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        draft = Draft(piece)
        mine = {n.id for n in notes}
        fresh = [replace(n, voice=self.voice) for n in notes if n.voice != self.voice]
        others = {o.id: o for n in fresh for o in piece.line_between(n.line, n.tick, n.end) if o.id not in mine}
        against = [o for o in others.values() if any(clash(o, n) for n in fresh)]
        if against and at.policy == "keep":
            raise BadInput(
                f"{count_words(len(against), 'note')} sound in voice {self.voice} there, and what is there is to be "
                "kept. Nothing was changed."
            )
        if against and at.policy == "replace":
            for note in fresh:
                chord = {o.id for o in others.values() if (o.tick, o.ticks) == (note.tick, note.ticks)}
                clear_span(draft, note.line, note.tick, note.end, mine | chord)
        for note in fresh:
            draft.put(note)
        if not fresh:
            return Change(f"They are in voice {self.voice} already")
        replaced = against and at.policy == "replace"
        say = f"{count_words(len(fresh), 'note')} moved to voice {self.voice}"
        say += f", {count_words(len(against), 'note')} there replaced or cut" if replaced else ""
        return finished(draft, lambda _: say, [n.id for n in fresh])


def clash(one: Note, other: Note) -> bool:
    """Do two notes sound together without being a chord?"""
    return (one.tick, one.ticks) != (other.tick, other.ticks) and one.end > other.tick and one.tick < other.end


@dataclass(frozen=True, slots=True)
class Delete(Edit):
    """Delete; what hung on the notes goes with them."""

    name: Literal["delete"] = "delete"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        return delete_notes(piece, [n.id for n in notes])
