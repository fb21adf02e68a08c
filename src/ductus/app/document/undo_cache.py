"""Edits at hand: what was changed of late with the piece on both sides of it, so that to make a large edit, to take
it back and to make it again cost no more than to point at another piece.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from ductus.app.document.sheet import Widths
from ductus.core.score.model.changes import Change, differences
from ductus.core.score.model.piece import TABLES, Piece
from ductus.store.rows import MANY_ROWS, Kept, kept_rows

STEPS_KEPT, LARGE_KEPT = 64, 8  # of all edits, and of those of very many rows


@dataclass(frozen=True, slots=True)
class PreparedChange:
    """A change between two pieces; ``bars`` look different on the two, or ``everything`` may.

    ``kept``: its rows as the library takes them.
    """

    change: Change
    before: Piece
    after: Piece
    bars: frozenset[int]
    everything: bool
    kept: Kept | None = None
    ids: frozenset[str] = frozenset()  # of the records that are changed, if it was made ready
    widths: Widths | None = None  # of those bars, likewise

    def made_ready(self, widths: Widths) -> PreparedChange:
        """The same, made ready for the library, for a piece that goes on meanwhile, and for the sheet."""
        ids = frozenset(r.id for row in self.change.rows for r in row if r is not None)
        return replace(self, kept=kept_rows(self.change), ids=ids, widths=widths)


def step_of(change: Change, piece: Piece) -> PreparedChange:
    """What a change makes of a piece."""
    bars, everything = change.bars(piece)
    after = change.apply(piece)
    if after.timeline is not piece.timeline:
        more, all_of_it = change.bars(after)
        bars, everything = bars | more, everything or all_of_it
    return PreparedChange(change, piece, after, frozenset(bars), everything)


def taken_back(change: Change, piece: Piece) -> PreparedChange:
    """The step by which ``change`` has led to a piece."""
    back = step_of(change.inverse(), piece)
    return replace(back, change=change, before=back.after, after=piece)


def same_records(one: Piece, other: Piece) -> bool:
    """Do two pieces hold the very same tables?"""
    return one.facts is other.facts and all(getattr(one, name) is getattr(other, name) for name in TABLES.values())


def caught_up(step: PreparedChange, piece: Piece) -> PreparedChange | None:
    """A step that was worked out a moment ago, as it is from the piece by now.

    None where what was written meanwhile touches what it touches. Costs what was written meanwhile.
    """
    if step.everything or step.before.timeline is not piece.timeline:
        return None
    meanwhile = Change("", tuple(differences(step.before, piece)))
    bars, everything = meanwhile.bars(piece)
    before = meanwhile.inverse().bars(piece)[0]
    if everything or not step.bars.isdisjoint(bars | before):
        return None
    if not step.ids.isdisjoint(r.id for row in meanwhile.rows for r in row if r is not None):
        return None
    return replace(step, before=piece, after=meanwhile.apply(step.after))


class Steps:
    """The latest edits by their places in the history."""

    def __init__(self) -> None:
        self._steps: dict[int, PreparedChange] = {}

    @property
    def changes(self) -> dict[int, Change]:
        """The changes of these edits."""
        return {position: step.change for position, step in self._steps.items()}

    def put(self, position: int, step: PreparedChange) -> None:
        """An edit was made there; those that were undone are forgotten."""
        steps = {p: s for p, s in self._steps.items() if p < position}
        steps[position] = replace(step, kept=None, ids=frozenset(), widths=None)
        large = [p for p, s in steps.items() if len(s.change.rows) >= MANY_ROWS]
        for p in [*large[:-LARGE_KEPT], *list(steps)[:-STEPS_KEPT]]:
            steps.pop(p, None)
        self._steps = steps

    def remember(self, position: int, step: PreparedChange) -> None:
        """An edit of before is at hand, too."""
        self._steps.setdefault(position, step)

    def travelled(self, position: int, change: Change, piece: Piece, *, back: bool) -> PreparedChange:
        """The step from ``piece`` that ``change`` makes: the edit there, or (``back``) its inverse.

        Ids that were given once are not given again.
        """
        step = self._steps.get(position)
        if step is None or step.change.sentence != change.sentence:
            return step_of(change, piece)
        before, after = (step.after, step.before) if back else (step.before, step.after)
        if not same_records(before, piece):
            return step_of(change, piece)
        serial = max(piece.serial, after.serial)
        return replace(step, change=change, before=piece, after=replace(after, serial=serial))
