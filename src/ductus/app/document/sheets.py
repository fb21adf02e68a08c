"""The sheets of an open piece: one for each way in which a window shows it (parts, one staff, pages).

Windows that show it alike share one.
"""

from __future__ import annotations

from collections.abc import Iterable
from collections.abc import Set as AbstractSet
from dataclasses import dataclass

from ductus.app.document.sheet import LineShare, PageSize, Sheet, Widths
from ductus.core.score.model.piece import Piece
from ductus.engraving.engraver import Engraver


@dataclass(frozen=True, slots=True)
class View:
    """How a window shows the sheet: without some parts, of the one that is left only a staff (0: all), on pages of a
    size or ("") on one scroll, whose lines have a share of the longest.
    """

    hidden: frozenset[str] = frozenset()
    staff: int = 0
    size: PageSize = ""
    line: LineShare = 100

    def shows(self, part: str, staff: int) -> bool:
        """Is a staff of a part seen?"""
        return part not in self.hidden and self.staff in (0, staff)


WHOLE = View()


class Sheets:
    """The sheets by view. Its methods are called under the desk's lock."""

    def __init__(self, piece: Piece, engraver: Engraver) -> None:
        self._engraver = engraver
        self._sheets = {WHOLE: Sheet(piece, engraver)}
        self._shown = piece, 0  # what all of them show: a piece, with at least so many bars

    def of(self, view: View, used: Iterable[View]) -> Sheet:
        """The sheet of a view; those of views that nobody has any more (but for the whole) go."""
        found = self._sheets.get(view)
        if found is None:
            kept = {WHOLE, view, *used}
            self._sheets = {v: s for v, s in self._sheets.items() if v in kept}
            piece, at_least = self._shown
            found = self._sheets[view] = Sheet(piece, self._engraver, view.size, view.line)
            found.hidden, found.staff = view.hidden, view.staff
            found.update(piece, set(), True, at_least)
        return found

    def update(
        self, piece: Piece, bars: AbstractSet[int], everything: bool, at_least: int = 0, foreseen: Widths | None = None
    ) -> bool:
        """See ``Sheet``. Returns True if the division of any of them changed."""
        self._shown = piece, at_least
        divided = [sheet.update(piece, bars, everything, at_least, foreseen) for sheet in self._sheets.values()]
        return any(divided)

    def foresee(self, piece: Piece, bars: AbstractSet[int]) -> Widths:
        """See ``Sheet``: for the whole. Needs no lock."""
        return self._sheets[WHOLE].foresee(piece, bars)

    @property
    def bars(self) -> int:
        """How many bars are shown."""
        return self._sheets[WHOLE].piece.bar_count
