"""Parts: add, remove, rename, reorder, another sound or transposition, one or two staves; clefs at any place."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated, Literal

from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le, MaxLen
from ductus.core.score.catalogues.instruments import instrument
from ductus.core.score.mark_edits.place_marks import Where, marked
from ductus.core.score.mark_language.parser import Wish
from ductus.core.score.model.changes import Change, Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import CLEFS, checked_text
from ductus.core.score.model.voice_rule import keep_apart
from ductus.core.score.structure_edits.base import FrameConfirmationNeeded, FrameEdit, MovingEdit, PartId
from ductus.core.words import count_words

MOST_PARTS = 40


@dataclass(frozen=True, slots=True)
class AddPart(FrameEdit):
    """A part for an instrument, at the foot of the score, or above or under another part."""

    instrument: Annotated[str, MaxLen(60)]
    called: Annotated[str, MaxLen(60)] = ""
    under: PartId = ""
    name: Literal["add-part"] = "add-part"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        if len(piece.parts) >= MOST_PARTS:
            raise BadInput(f"A piece has at most {MOST_PARTS} parts. Nothing was changed.")
        draft = Draft(piece)
        parts = piece.ordered_parts()
        at = next((k + 1 for k, p in enumerate(parts) if p.id == self.under), len(parts))
        for k, part in enumerate(parts):
            draft.put(replace(part, order=k if k < at else k + 1))
        called = checked_text(self.called, "part name") or numbered(piece, instrument(self.instrument).name)
        fresh = instrument(self.instrument).part(draft.new_id("p"), at, called)
        draft.put(fresh)
        below = f" under {parts[at - 1].name}" if at else ""
        return draft.change(f"{called} added{below}")


def numbered(piece: Piece, name: str) -> str:
    """The name, or with a number where there is a part of that name: "Violin 2"."""
    names = {p.name for p in piece.parts.values()}
    return next(n for n in (name, *(f"{name} {k}" for k in range(2, MOST_PARTS + 2))) if n not in names)


@dataclass(frozen=True, slots=True)
class RemovePart(FrameEdit):
    """A part goes with all that is in it; where that is something, it asks first."""

    part: PartId
    name: Literal["remove-part"] = "remove-part"

    def reach(self, piece: Piece) -> int:
        """See FrameEdit. The question before it costs nothing."""
        return len(piece.notes) if self.sure else 0

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        part = piece.part(self.part)
        if len(piece.parts) == 1:
            raise BadInput("A piece keeps at least one part. Nothing was changed.")
        notes = [n for n in piece.notes.values() if n.part == part.id]
        if notes and not self.sure:
            words = f"{part.name} holds {count_words(len(notes), 'note')}."
            raise FrameConfirmationNeeded(
                f"{words} Nothing was changed.", "Remove it with them", replace(self, sure=True)
            )
        draft = Draft(piece)
        for table in (piece.notes, piece.marks, piece.clefs, piece.readings, piece.patterns):
            for record in table.values():
                if record.part == part.id:
                    draft.drop(record)
        draft.drop(part)
        for k, other in enumerate(p for p in piece.ordered_parts() if p.id != part.id):
            draft.put(replace(other, order=k))
        return draft.change(f"{part.name} removed" + (f" with {count_words(len(notes), 'note')}" if notes else ""))


def place_words(pan: int) -> str:
    """Where a part sounds, in words: 0 is the left, 127 the right."""
    share = round(abs(pan - 64) / 63 * 100)
    return f"{share} % to the {'left' if pan < 64 else 'right'}" if share else "in the middle"


@dataclass(frozen=True, slots=True)
class ChangePart(FrameEdit):
    """Another name, short name, instrument (its sound, clefs stay), sound, transposition, level or place from left
    (0) to right (127); what is not given stays.
    """

    part: PartId
    called: Annotated[str, MaxLen(200)] | None = None
    short: Annotated[str, MaxLen(40)] | None = None
    instrument: Annotated[str, MaxLen(60)] | None = None
    programme: Annotated[int, Ge(0), Le(127)] | None = None
    steps: Annotated[int, Ge(-28), Le(28)] | None = None
    semitones: Annotated[int, Ge(-48), Le(48)] | None = None
    level: Annotated[int, Ge(0), Le(127)] | None = None
    pan: Annotated[int, Ge(0), Le(127)] | None = None
    name: Literal["change-part"] = "change-part"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit. Notes keep their sound; only a transposing part reads them at another pitch."""
        part = piece.part(self.part)
        fresh, said = part, []
        if self.instrument is not None:
            new = instrument(self.instrument)
            named = part.name if self.called is not None else new.name
            fresh = replace(
                fresh,
                name=named,
                short=new.short,
                programme=new.programme,
                transpose=new.transpose,
                lyrics=new.lyrics or part.lyrics,
            )
            said.append(f"is now for {new.name}")
        if self.called is not None:
            called = checked_text(self.called, "part name")
            if not called:
                raise BadInput("A part needs a name. Nothing was changed.")
            fresh = replace(fresh, name=called)
            said.append(f"is now called {called}")
        if self.short is not None:
            fresh = replace(fresh, short=checked_text(self.short, "short name"))
            said.append(f"is {fresh.short or 'nothing'} for short")
        if self.programme is not None:
            fresh = replace(fresh, programme=self.programme)
            said.append(f"sounds with sound {self.programme + 1} of General MIDI")
        if self.level is not None:
            fresh = replace(fresh, level=self.level)
            said.append(f"sounds at {round(self.level / 1.27)} %")
        if self.pan is not None:
            fresh = replace(fresh, pan=self.pan)
            said.append(f"sounds {place_words(self.pan)}")
        if self.semitones is not None:
            fresh = replace(fresh, transpose=(self.steps or 0, self.semitones))
            said.append(
                "is written where it sounds" if not self.semitones else "is written transposed; it sounds as before"
            )
        draft = Draft(piece)
        draft.put(fresh)
        return draft.change(f"{part.name} {' and '.join(said) or 'stays as it is'}")


@dataclass(frozen=True, slots=True)
class MovePart(FrameEdit):
    """A part one place up or down in the score."""

    part: PartId
    to: Literal["up", "down"]
    name: Literal["move-part"] = "move-part"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        parts = piece.ordered_parts()
        k = parts.index(piece.part(self.part))
        other = k + (-1 if self.to == "up" else 1)
        if not 0 <= other < len(parts):
            raise BadInput(
                f"{parts[k].name} stands at the {'top' if self.to == 'up' else 'foot'} already. Nothing was changed."
            )
        parts[k], parts[other] = parts[other], parts[k]
        draft = Draft(piece)
        for order, part in enumerate(parts):
            draft.put(replace(part, order=order))
        return draft.change(
            f"{parts[other].name} moved {self.to}, {'above' if self.to == 'up' else 'under'} {parts[k].name}"
        )


@dataclass(frozen=True, slots=True)
class StavesOf(MovingEdit):
    """A part on one staff or on two; the notes of a staff that goes come to the other, in voices that are free."""

    part: PartId
    staves: Annotated[int, Ge(1), Le(2)]
    name: Literal["staves-of"] = "staves-of"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        part = piece.part(self.part)
        if part.staves == self.staves:
            raise BadInput(
                f"{part.name} has {count_words(self.staves, 'staff').replace('staffs', 'staves')} already. Nothing was "
                "changed."
            )
        draft = Draft(piece)
        if self.staves == 2:
            draft.put(replace(part, clefs=(part.clefs[0], "bass")))
            return draft.change(f"{part.name} has two staves now")
        draft.put(replace(part, clefs=part.clefs[:1]))
        moved = [n for n in piece.notes.values() if n.part == part.id and n.staff == 2]
        for note in moved:
            draft.put(replace(note, staff=1))
        for mark in piece.marks.values():
            if mark.part == part.id and mark.staff == 2:
                draft.put(replace(mark, staff=1))
        for clef in piece.clefs.values():
            if clef.part == part.id and clef.staff == 2:
                draft.drop(clef)
        keep_apart(draft, [n.id for n in moved])
        return draft.change(f"{part.name} has one staff now; {count_words(len(moved), 'note')} came to it")


@dataclass(frozen=True, slots=True)
class ClefFrom(FrameEdit):
    """Another clef on a staff from a tick on, up to the next change."""

    part: PartId
    staff: Annotated[int, Ge(1), Le(2)]
    tick: Annotated[int, Ge(0), Le(2**52)]
    clef: Annotated[str, MaxLen(20)]
    name: Literal["clef-from"] = "clef-from"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        piece.part(self.part)
        if self.clef not in CLEFS:
            raise BadInput(f"“{self.clef}” is no clef that Ductus knows: {', '.join(CLEFS)}. Nothing was changed.")
        return marked(
            piece, Wish("clef", self.clef, "", f"{self.clef} clef"), Where((), (self.part, self.staff, 1), self.tick)
        )
