"""Editing what is selected: at once or, where it reaches many notes, as long work.

The clipboard; what a selection is called.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ductus.app import wire as m
from ductus.app.document.desk import Desk
from ductus.app.document.jobs import Job, PageQuery
from ductus.app.session.page_queries import about_page
from ductus.core.entry.commands.marks import WithHere
from ductus.core.entry.commands.registry import AnyCommand
from ductus.core.errors import CHANGED_ELSEWHERE, BadInput, Stale
from ductus.core.reading.review.rhythm_words import length_words
from ductus.core.score.catalogues.drums import sound_words
from ductus.core.score.mark_edits.place_marks import marked, where
from ductus.core.score.mark_language.parser import wish_of
from ductus.core.score.model.changes import Change, Line
from ductus.core.score.model.piece import Piece, note_order
from ductus.core.score.model.records import Note
from ductus.core.score.note_edits.base import At
from ductus.core.score.note_edits.clipboard import Excerpt, excerpt_of, paste, paste_reach
from ductus.core.score.note_edits.positions import Delete
from ductus.core.score.note_edits.registry import edit_notes
from ductus.core.score.structure_edits.settling import frame_change
from ductus.core.words import count_words, listed

AT_ONCE = 600  # an edit that reaches more notes than this is long work
FEW = 4  # notes that are named one by one


def lowest_first(notes: Sequence[Note]) -> list[Note]:
    """The notes that begin first, from low to high."""
    first = min(n.tick for n in notes)
    return sorted((n for n in notes if n.tick == first), key=note_order)


def selection_words(piece: Piece, notes: Sequence[Note]) -> str:
    """Selected notes in words: name, value and place of one chord, else how many there are."""
    first = lowest_first(notes)
    where = piece.timeline.place_words(first[0].tick)
    chord = len(first) == len(notes) and len({n.ticks for n in notes}) == 1
    named = first if chord else sorted(notes, key=note_order) if len(notes) <= FEW else []
    names = [sound_words(piece.part(n.part), n.pitch) for n in named]
    if chord:
        return f"{listed(names, 6)}, {length_words(first[0].ticks)}, {where}"
    few = listed(names) if names else f"from {where}"
    return f"{count_words(len(notes), 'note')} selected: {few}"


def long_edit(desk: Desk, message: m.EditNotes, at: At) -> Job | None:
    """The edit as long work, so that keys are answered meanwhile; None if it can be made at once. Raises Stale."""
    notes = desk.piece.notes.among(message.ids)
    if not notes or message.do.reach(desk.piece, notes) <= AT_ONCE:
        return None
    check_base(desk, message.base)
    return Job("Changing many notes", lambda piece: edit_notes(piece, message.do, message.ids, at))


def long_marking(desk: Desk, do: AnyCommand, chosen: frozenset[str], line: Line, tick: int) -> Job | None:
    """A mark for very many selected notes as long work; None if it can be put at once."""
    if not isinstance(do, WithHere) or len(chosen) <= AT_ONCE:
        return None
    wish = wish_of(do.text)

    def work(piece: Piece) -> Change:
        return marked(piece, wish, where([piece.notes[i] for i in chosen if i in piece.notes], line, tick))

    return Job("Marking many notes", work)


def long_frame(desk: Desk, message: m.EditFrame) -> Job | None:
    """An edit of the frame that moves very many notes as long work; None if it can be made at once. Raises Stale."""
    if message.do.reach(desk.piece) <= AT_ONCE:
        return None
    check_base(desk, message.base)
    return Job("Changing the frame", lambda piece: frame_change(piece, message.do))


def long_paste(desk: Desk, message: m.Clip, held: Excerpt, at: At) -> Job | None:
    """Pasting very many notes as long work; None if it can be done at once. Raises Stale."""
    if message.do != "paste" or paste_reach(desk.piece, held, at) <= AT_ONCE:
        return None
    check_base(desk, message.base)
    return Job("Pasting many notes", lambda piece: paste(piece, held, at))


def long_cut(desk: Desk, message: m.Clip, at: At) -> Job | None:
    """Cutting very many notes as long work, all but the copy that goes on the clipboard.

    None if it can be done at once. Raises Stale.
    """
    if message.do != "cut" or len(message.ids) <= AT_ONCE:
        return None
    check_base(desk, message.base)

    def work(piece: Piece) -> Change:
        gone = edit_notes(piece, Delete(), message.ids, at)
        return replace(gone, sentence=f"{count_words(len(piece.notes.among(set(message.ids))), 'note')} cut")

    return Job("Cutting many notes", work)


def long_question(piece: Piece, message: m.ClientMessage) -> PageQuery | None:
    """A question about very many notes, so that keys are answered meanwhile.

    None for one that is answered at once, or none.
    """
    match message:
        case m.WeighFrame(do):
            reach = do.reach(piece)
        case m.WeighNotes(_, ids):
            reach = len(ids)
        case _:
            return None
    return PageQuery("Working out what would change", lambda now: about_page(now, message)) if reach > AT_ONCE else None


def check_base(desk: Desk, base: int) -> None:
    """Raises Stale if the page is not any more what its author saw."""
    if base != desk.history.revision:
        raise Stale(CHANGED_ELSEWHERE)


@dataclass(frozen=True, slots=True)
class Clipped:
    """What came of copy, cut or paste: the change (None.

    The page stays), what is said then, and what the clipboard holds.
    """

    change: Change | None
    said: str
    held: Excerpt


def clip(piece: Piece, message: m.Clip, held: Excerpt, at: At) -> Clipped:
    """Copy or cut notes, or paste at the pen. Raises BadInput when nothing is selected."""
    if message.do == "paste":
        return Clipped(paste(piece, held, at), "", held)
    notes = piece.notes.among(dict.fromkeys(message.ids))
    if not notes:
        raise BadInput("Select some notes first; nothing was copied.")
    copied, count = excerpt_of(piece, notes), count_words(len(notes), "note")
    if message.do == "copy":
        return Clipped(None, f"{count} copied", copied)
    return Clipped(replace(edit_notes(piece, Delete(), message.ids, at), sentence=f"{count} cut"), "", copied)
