"""What an edit of the frame does to the form.

Brackets of endings that lose their repeat go, and what would not hold together is asked first.
"""

from __future__ import annotations

from dataclasses import replace

from ductus.core.score.model.changes import Change, Draft, joined
from ductus.core.score.model.note_signs import numbers_of, words_of_sign
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.playing_order import FormProblem, form_of, new_problems
from ductus.core.score.model.records import BarSign
from ductus.core.score.structure_edits.base import FrameConfirmationNeeded, FrameEdit
from ductus.core.score.structure_edits.form import WriteForm
from ductus.core.words import listed

MOST_SAID = 3


def frame_change(piece: Piece, edit: FrameEdit) -> Change:
    """The change that an edit of the frame makes, with what it does to repeats and endings.

    Raises FrameQuestion where something of them would go or would not be heard any more, unless the edit is
    ``sure``; raises BadInput as the edit does.
    """
    change = edit.change(piece)
    if not change or not (piece.signs or isinstance(edit, WriteForm)):
        return change
    page = change.apply(piece)
    draft = Draft(page)
    for ending in orphans(page, piece):
        draft.drop(ending)
    gone = [words_of_sign(e.kind, e.text) for e in orphans(page, piece)]
    rows = draft.change("")
    page = rows.apply(page)
    words = [f"the bracket of the {listed(gone)} goes, since nothing leads to it"] if gone else []
    words += said_of(new_problems(form_of(piece), form_of(page)))
    if not words:
        return change
    sentence = f"{change.sentence}; {'; '.join(words)}"
    if not edit.sure:
        raise FrameConfirmationNeeded(
            f"{sentence}. Nothing was changed.", "Do it all the same", replace(edit, sure=True)
        )
    return replace(joined(sentence, (change, rows)), pen=change.pen)


def said_of(problems: tuple[FormProblem, ...]) -> list[str]:
    """Problems in words, a few of them."""
    more = len(problems) - MOST_SAID
    return [p.words for p in problems[:MOST_SAID]] + ([f"and {more} more"] if more > 0 else [])


def orphans(page: Piece, before: Piece) -> list[BarSign]:
    """Endings of a page that stand for a later time, but follow no ending any more, though they did before the edit."""
    return [e for e in _leaders(page) if e.id not in {b.id for b in _leaders(before)}]


def _leaders(piece: Piece) -> list[BarSign]:
    """Endings that are for a later time than the first and follow no other one."""
    endings = [s for s in piece.signs.values() if s.kind == "ending"]
    ends = {e.bar + max(e.bars, 1) for e in endings}
    return sorted(
        (e for e in endings if e.bar not in ends and min(numbers_of(e.text) or (1,)) > 1), key=lambda e: e.bar
    )
