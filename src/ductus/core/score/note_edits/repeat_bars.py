"""Bars that hold notes, once more behind them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Literal

from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le
from ductus.core.score.model.changes import Change, Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note
from ductus.core.score.note_edits.base import At, ConfirmationNeeded, Edit
from ductus.core.score.note_edits.clipboard import MOST_COPIED, excerpt_of, put_copies
from ductus.core.score.note_edits.write import clear_brackets, clear_span
from ductus.core.score.structure_edits.bars import CopyBars
from ductus.core.score.structure_edits.base import FrameConfirmationNeeded
from ductus.core.time.bars import MAX_BAR
from ductus.core.words import capital, count_words

MOST_TIMES = 50  # that bars are inserted at once


def other_meter(piece: Piece, first: int, last: int, times: int) -> int | None:
    """The first bar (index) behind ``first`` to ``last`` that is of another length than the one that would be
    repeated there; None if all fit.
    """
    bars = piece.timeline.bar
    count = last - first + 1
    for k in range(count * times):
        here, there = bars(first + k % count), bars(last + 1 + k)
        if there.ticks != here.ticks:
            return last + 1 + k
    return None


@dataclass(frozen=True, slots=True)
class Repeat(Edit):
    """Repeat the whole bars that hold the notes, behind them; only the voices of the notes.

    Where something is written there, it asks first; ``replacing`` is the answer yes.
    """

    times: Annotated[int, Ge(1), Le(200)] = 1
    replacing: bool = False
    name: Literal["repeat"] = "repeat"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        first = piece.timeline.bar_at(min(n.tick for n in notes))
        last = piece.timeline.bar_at(max(n.end for n in notes) - 1)
        length = last.end - first.start
        stop = last.end + length * self.times
        if piece.timeline.bar_at(stop - 1).index > MAX_BAR:
            raise BadInput(f"That would go past bar {MAX_BAR:,}; repeat it fewer times. Nothing was changed.")
        if (other := other_meter(piece, first.index, last.index, self.times)) is not None:
            raise FrameConfirmationNeeded(
                f"{capital(piece.timeline.bar_words(other))} has another meter than these bars, so that what is "
                "repeated would not fit its bar lines. "
                "Nothing was changed.",
                "Insert bars for it, in all parts",
                CopyBars(first.index, last.index, last.index + 1, min(self.times, MOST_TIMES)),
            )
        lines = sorted({n.line for n in notes})
        there = [n for line in lines for n in piece.line_between(line, last.end, stop) if n.tick >= last.end]
        if there and not self.replacing:
            words = f"{count_words(len(there), 'note')} of the same voices stand where the repetition would go."
            raise ConfirmationNeeded(f"{words} Nothing was changed.", "Replace them", replace(self, replacing=True))
        draft = Draft(piece)
        for line in lines:
            clear_span(draft, line, last.end, stop)
            clear_brackets(draft, line, last.end, stop - last.end)
        source = [n for line in lines for n in piece.line_between(line, first.start, last.end) if n.tick >= first.start]
        if len(source) * self.times > MOST_COPIED:
            many = f"{len(source) * self.times:,} notes at once"
            raise BadInput(f"That would write {many}; repeat it fewer times. Nothing was changed.")
        copied = excerpt_of(piece, [replace(n, ticks=min(n.ticks, last.end - n.tick)) for n in source])
        for k in range(1, self.times + 1):
            put_copies(draft, copied, {line: line for line in lines}, k * length)
        bars = count_words(last.index - first.index + 1, "bar")
        say = f"{bars} repeated {count_words(self.times, 'time')}"
        say += f", {count_words(len(there), 'note')} replaced" if there else ""
        return draft.change(say)
