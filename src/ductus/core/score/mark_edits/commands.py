"""Edits of marks that are chosen on the sheet.

Away with them, moved by hand and back, to the other side, longer and shorter, other words.

``ids`` may name marks, signs of bars, tempo marks and changes of clef, key or meter: what is drawn on the page and
is no note.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Literal

from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le, MaxLen
from ductus.core.score.mark_edits.place_marks import opening, tops
from ductus.core.score.mark_language.parser import wish_of
from ductus.core.score.model.changes import Change, Draft
from ductus.core.score.model.mark_kinds import KINDS, words_of
from ductus.core.score.model.note_signs import MOVABLE, words_of_sign
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import BarSign, ClefChange, KeyChange, Mark, MeterChange, Record, TempoMark
from ductus.core.words import capital, count_words, listed

Tenths = Annotated[int, Ge(-2000), Le(2000)]
BENT_MOST = 300  # tenths of a staff space


@dataclass(frozen=True, slots=True)
class MarkEdit:
    """Base of all edits of marks."""

    def change(self, piece: Piece, ids: Sequence[str]) -> Change:
        """The change that this edit makes. Raises BadInput, and then nothing is changed."""
        raise NotImplementedError


def marks_named(piece: Piece, ids: Sequence[str], *, by_hand: bool = False) -> list[Mark]:
    """The marks among ids; those that a hand can move only. Raises BadInput when there is none."""
    found = [m for i in ids if (m := piece.marks.get(i)) is not None and not (by_hand and KINDS[m.kind].pair)]
    if not found:
        raise BadInput("That mark is not on the page any more, or cannot be moved by hand. Nothing was changed.")
    return found


def moved_named(piece: Piece, ids: Sequence[str]) -> list[Mark | BarSign]:
    """What a hand can move among ids: marks, and letters and words that stand at bars.

    Raises BadInput when there is none.
    """
    signs = [s for i in ids if (s := piece.signs.get(i)) is not None and s.kind in MOVABLE]
    marks = marks_named(piece, ids, by_hand=True) if not signs or any(i in piece.marks for i in ids) else []
    return [*marks, *signs]


def moved_words(piece: Piece, records: Sequence[Mark | BarSign], where: str) -> str:
    """What was moved, in words."""
    first = records[0]
    if isinstance(first, BarSign):
        return capital(f"{words_of_sign(first.kind, first.text)} {where}")
    return opening(first.kind, f"{mark_words(piece, first)} {where}")


def mark_words(piece: Piece, mark: Mark) -> str:
    """A mark in words: "mf", "slur", "chord symbol Am"."""
    if mark.kind == "hairpin" and mark.text in "<>":
        return "crescendo hairpin" if mark.text == "<" else "diminuendo hairpin"
    if mark.kind == "chord":
        return f"chord symbol {mark.text}"
    return words_of(mark)


def record_words(piece: Piece, record: Record) -> str:
    """Anything that is drawn and is no note, with its place: "mf at bar 3, beat 1"."""
    match record:
        case Mark():
            return f"{mark_words(piece, record)} at {piece.timeline.place_words(record.tick)}"
        case BarSign():
            return f"{words_of_sign(record.kind, record.text)} at {piece.timeline.bar_words(record.bar)}"
        case TempoMark():
            return (
                f"tempo {record.text + ' ' if record.text else ''}{record.bpm:g} at "
                f"{piece.timeline.place_words(record.tick)}"
            )
        case ClefChange():
            return f"{record.clef} clef at {piece.timeline.place_words(record.tick)}"
        case KeyChange():
            return f"key signature at {piece.timeline.bar_words(record.bar)}"
        case MeterChange():
            return f"meter {record.meter} at {piece.timeline.bar_words(record.bar)}"
    return ""


def drawn_records(piece: Piece, ids: Sequence[str]) -> list[Record]:
    """What ids name, of everything that is drawn and is no note."""
    tables = (piece.marks, piece.signs, piece.tempi, piece.clefs, piece.keys, piece.meters)
    return [record for i in ids for table in tables if (record := table.get(i)) is not None]


@dataclass(frozen=True, slots=True)
class DropMarks(MarkEdit):
    """They go."""

    name: Literal["drop-marks"] = "drop-marks"

    def change(self, piece: Piece, ids: Sequence[str]) -> Change:
        """See MarkEdit. The first meter, key and tempo stay, since every piece has them."""
        draft = Draft(piece)
        gone = []
        for record in drawn_records(piece, ids):
            if isinstance(record, KeyChange | MeterChange) and record.bar == 0:
                continue
            if isinstance(record, MeterChange):
                raise BadInput("A change of meter goes by setting the meter of its bar anew. Nothing was changed.")
            if isinstance(record, TempoMark) and record.tick == 0:
                draft.put(replace(record, printed=False))
            else:
                draft.drop(record)
            gone.append(record_words(piece, record))
        if not gone:
            raise BadInput(
                "There was nothing to take away: every piece has a first meter and key. Nothing was changed."
            )
        return draft.change(f"Taken away: {listed(gone)}")


@dataclass(frozen=True, slots=True)
class NudgeMarks(MarkEdit):
    """Right and up by tenths of a staff space, from where they stand now."""

    right: Tenths = 0
    up: Tenths = 0
    name: Literal["nudge-marks"] = "nudge-marks"

    def change(self, piece: Piece, ids: Sequence[str]) -> Change:
        """See MarkEdit."""
        draft = Draft(piece)
        marks = moved_named(piece, ids)
        for mark in marks:
            x, y = mark.shift[0] + self.right, mark.shift[1] + self.up
            draft.put(replace(mark, shift=(min(max(x, -2000), 2000), min(max(y, -2000), 2000))))
        return draft.change(moved_words(piece, marks, "moved by hand"))


@dataclass(frozen=True, slots=True)
class MarksInPlace(MarkEdit):
    """Back to where they stand by themselves."""

    name: Literal["marks-in-place"] = "marks-in-place"

    def change(self, piece: Piece, ids: Sequence[str]) -> Change:
        """See MarkEdit."""
        draft = Draft(piece)
        marks = moved_named(piece, ids)
        for mark in marks:
            own = replace(mark, side="", bend=0) if isinstance(mark, Mark) else mark
            draft.put(replace(own, shift=(0, 0)))
        return draft.change(moved_words(piece, marks, "back in its own place"))


@dataclass(frozen=True, slots=True)
class FlipMarks(MarkEdit):
    """To the other side of the staff."""

    name: Literal["flip-marks"] = "flip-marks"

    def change(self, piece: Piece, ids: Sequence[str]) -> Change:
        """See MarkEdit."""
        draft = Draft(piece)
        marks = marks_named(piece, ids, by_hand=True)
        side = ""
        for mark in marks:
            usual = mark.side or KINDS[mark.kind].side or "above"
            side = "below" if usual == "above" else "above"
            draft.put(replace(mark, side=side, shift=(0, 0), bend=-mark.bend))
        return draft.change(capital(f"{count_words(len(marks), 'mark')} now {side} the staff"))


@dataclass(frozen=True, slots=True)
class BendSlurs(MarkEdit):
    """The middle of slurs goes up by tenths of a staff space (down below zero); their ends stay."""

    up: Tenths
    name: Literal["bend-slurs"] = "bend-slurs"

    def change(self, piece: Piece, ids: Sequence[str]) -> Change:
        """See MarkEdit."""
        draft = Draft(piece)
        slurs = [mark for mark in marks_named(piece, ids) if mark.kind == "slur"]
        if not slurs:
            raise BadInput("Only a slur is bent. Nothing was changed.")
        for slur in slurs:
            draft.put(replace(slur, bend=min(max(slur.bend + self.up, -BENT_MOST), BENT_MOST)))
        own = not slurs[0].bend + self.up
        return draft.change(
            f"{capital(mark_words(piece, slurs[0]))} {'in its own curve again' if own else 'bent by hand'}"
        )


@dataclass(frozen=True, slots=True)
class MarkReaches(MarkEdit):
    """Its beginning or end goes to a tick: a hairpin, pedal or octave line to that place, a slur to the note there."""

    tick: Annotated[int, Ge(0), Le(2**52)]
    end: Literal["start", "end"] = "end"
    name: Literal["mark-reaches"] = "mark-reaches"

    def change(self, piece: Piece, ids: Sequence[str]) -> Change:
        """See MarkEdit."""
        mark = marks_named(piece, ids)[0]
        if KINDS[mark.kind].pair:
            raise BadInput(
                f"{capital(mark_words(piece, mark))} goes from a note to the next; put it between two others. Nothing "
                "was changed."
            )
        if not KINDS[mark.kind].spans:
            raise BadInput(
                f"{opening(mark.kind, mark_words(piece, mark))} stands at one place; it reaches nowhere. Nothing was "
                "changed."
            )
        start, end = (self.tick, mark.end) if self.end == "start" else (mark.tick, self.tick)
        draft = Draft(piece)
        if mark.kind == "slur":
            line = (mark.part, mark.staff, mark.voice)
            notes = tops([n for n in piece.line_between(line, start, max(end, start + 1)) if start <= n.tick])
            if len(notes) < 2:
                raise BadInput("A slur joins at least two notes. Nothing was changed.")
            last = notes[-1]
            ids_now = tuple(n.id for n in notes)
            draft.put(replace(mark, tick=notes[0].tick, ticks=last.end - notes[0].tick, notes=ids_now))
        elif end <= start:
            raise BadInput("It would end before it begins. Nothing was changed.")
        else:
            draft.put(replace(mark, tick=start, ticks=end - start))
        place = piece.timeline.place_words(self.tick)
        return draft.change(
            opening(
                mark.kind, f"{mark_words(piece, mark)} now {'begins' if self.end == 'start' else 'ends'} at {place}"
            )
        )


@dataclass(frozen=True, slots=True)
class Reword(MarkEdit):
    """Other words in their place: "mp" for "mf", another chord symbol."""

    text: Annotated[str, MaxLen(200)]
    name: Literal["reword"] = "reword"

    def change(self, piece: Piece, ids: Sequence[str]) -> Change:
        """See MarkEdit."""
        marks, wish = marks_named(piece, ids), wish_of(self.text)
        draft = Draft(piece)
        for mark in marks:
            if wish.sort != "mark" or wish.also or _stands(wish.kind) != _stands(mark.kind):
                raise BadInput(
                    f"{opening(wish.kind, wish.words)} cannot stand in the place of {mark_words(piece, mark)}. Nothing "
                    "was changed."
                )
            draft.put(replace(mark, kind=wish.kind, text=wish.text))
        times = f", {len(marks)} times" if len(marks) > 1 else ""
        return draft.change(f"{wish.words} in place of {mark_words(piece, marks[0])}{times}")


def _stands(kind: str) -> tuple[bool, str]:
    """How a kind of mark stands: over a stretch or at a place; of one that hangs on two notes, which it is."""
    return KINDS[kind].spans, kind if KINDS[kind].pair or KINDS[kind].anchor == "notes" else ""


AnyMarkEdit = DropMarks | NudgeMarks | MarksInPlace | FlipMarks | BendSlurs | MarkReaches | Reword
MARK_EDITS: tuple[type[AnyMarkEdit], ...] = AnyMarkEdit.__args__
