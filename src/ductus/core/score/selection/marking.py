"""Giving notes a mark, as musicians write it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Literal

from annotated_types import MaxLen

from ductus.core.score.changes import Change
from ductus.core.score.marking import marked, where
from ductus.core.score.piece import Piece
from ductus.core.score.records import Note
from ductus.core.score.selection.base import At, Edit
from ductus.core.score.wording import wish_of


@dataclass(frozen=True, slots=True)
class WithMark(Edit):
    """With a mark: "mf", "slur", "staccato", "1st ending", "lyrics Ro-se", "no slur" ..."""

    text: Annotated[str, MaxLen(20_000)]
    name: Literal["with"] = "with"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        return marked(piece, wish_of(self.text), where(notes, at.line, at.tick))
