"""Accompaniment brought in over bars, as an edit of the frame."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le, MaxLen
from ductus.core.score.catalogues.accompaniment_figures import HIGH, LOW, figure, struck
from ductus.core.score.catalogues.harmony import mark_before
from ductus.core.score.model.changes import Change, Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.playing_order import bars_words
from ductus.core.score.model.records import Note
from ductus.core.score.note_edits.write import clear_brackets, clear_span
from ductus.core.score.structure_edits.base import BarIndex, FrameEdit, PartId
from ductus.core.words import capital, count_words

MOST_BARS = 256


@dataclass(frozen=True, slots=True)
class Accompany(FrameEdit):
    """Bars ``first`` to ``last`` (indices) of a staff take a ready figure, by the chord symbols that stand over
    them; its first voice makes room.
    """

    part: PartId
    staff: Annotated[int, Ge(1), Le(2)]
    first: BarIndex
    last: BarIndex
    figure: Annotated[str, MaxLen(60)]
    name: Literal["accompany"] = "accompany"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        part = piece.part(self.part)
        if part.percussion:
            raise BadInput(f"{part.name} is a kit: it takes ready patterns, not figures. Nothing was changed.")
        if self.last - self.first >= MOST_BARS:
            raise BadInput(f"A figure is brought in over at most {MOST_BARS} bars at a time. Nothing was changed.")
        staff = min(self.staff, part.staves)
        line = (part.id, staff, 1)
        bars = [piece.timeline.bar(k) for k in range(self.first, max(self.first, self.last) + 1)]
        bars = [bar for bar in bars if bar.whole]  # nobody accompanies a pick-up
        wanted = [figure(self.figure, bar.meter) for bar in bars]
        if not bars:
            raise BadInput("A pick-up takes no figure: choose bars behind it. Nothing was changed.")
        draft = Draft(piece)
        end = bars[-1].end
        gone = sum(n.tick >= b.start for b in bars for n in piece.line_between(line, b.start, b.end))
        for bar in bars:
            clear_span(draft, line, bar.start, bar.end)
            clear_brackets(draft, line, bar.start, bar.end)
        for bar, one in zip(bars, wanted, strict=True):
            register = LOW if piece.clef_at(part, staff, bar.start).startswith("bass") else HIGH
            for chord in struck(piece, bar, one, register):
                for pitch in chord.pitches:
                    draft.put(Note(draft.new_id("n"), *line, chord.tick, chord.ticks, pitch))
        by = (
            "by the chord symbols"
            if mark_before(piece, end - 1, "chord")
            else "by the chord of the key: no chord symbol stands there"
        )
        where = bars_words(piece, bars[0].index, bars[-1].index)
        replaced = f"; {count_words(gone, 'note')} there {'makes' if gone == 1 else 'make'} room" if gone else ""
        hand = f", {('right', 'left')[staff - 1]} hand" if part.staves > 1 else ""
        return draft.change(f"{capital(self.figure)} in {where} of {part.name}{hand}, {by}{replaced}")
