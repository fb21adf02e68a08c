"""What stands beside a dynamic: its words on one line with it, a hairpin up to it."""

from __future__ import annotations

from ductus.core.score.mark_language.terms import TECHNIQUES
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Mark


def company(piece: Piece, mark: Mark) -> Mark | None:
    """The dynamic that words stand beside, on one line with it: "p dolce", "mf cresc." (common practice).

    None for words of technique, and for those that a hand put on a side.
    """
    words = mark.kind == "text" or (mark.kind == "hairpin" and mark.text not in ("<", ">"))
    if not words or mark.side or mark.text.casefold() in TECHNIQUES:
        return None
    here = piece.marks_in_bar(mark.part, piece.timeline.bar_at(mark.tick).index)
    return next((m for m in here if m.kind == "dynamic" and (m.tick, m.staff) == (mark.tick, mark.staff)), None)


def drawn_end(piece: Piece, mark: Mark) -> int:
    """Where a mark is drawn to end: a hairpin comes to the dynamic that it leads to, and does not go through it
    (common practice).
    """
    if mark.kind != "hairpin":
        return mark.end
    bars = range(piece.timeline.bar_at(mark.tick).index, piece.timeline.bar_at(mark.end).index + 1)
    goals = (
        m.tick
        for bar in bars
        for m in piece.marks_in_bar(mark.part, bar)
        if m.kind == "dynamic" and m.staff == mark.staff and mark.tick < m.tick < mark.end
    )
    return min(goals, default=mark.end)
