"""Transposing a piece or a part: by an interval, or to a key with its signature."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated, Literal

from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le
from ductus.core.pitch.intervals import check_interval, fifths_of, interval_between, interval_words, within_signatures
from ductus.core.pitch.keys import key_words
from ductus.core.score.model.changes import Change, Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.structure_edits.base import MovingEdit, PartId
from ductus.core.score.structure_edits.moving_bars import move_notes, octave_toward
from ductus.core.words import article, count_words


@dataclass(frozen=True, slots=True)
class TransposeBy(MovingEdit):
    """By an interval (staff steps and semitones, signed).

    The whole piece with its signatures and chord symbols, or one part without.
    """

    steps: Annotated[int, Ge(-28), Le(28)]
    semitones: Annotated[int, Ge(-48), Le(48)]
    part: PartId = ""
    name: Literal["transpose-by"] = "transpose-by"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        steps, semitones = self.steps, self.semitones
        check_interval(steps, semitones)
        if not self.part:
            steps, semitones = within_signatures(steps, semitones, piece.key_at(0).fifths)
        draft = Draft(piece)
        count = move_notes(draft, self.part or None, 0, None, steps, semitones)
        if not self.part:
            _move_keys(draft, steps, semitones)
        left = sum(1 for n in piece.notes.values() if self.part in ("", n.part)) - count
        what = piece.part(self.part).name if self.part else "The piece"
        way = "up" if semitones > 0 or (not semitones and steps > 0) else "down"
        stay = f"; {count_words(left, 'note')} would leave the keyboard and stayed" if left else ""
        interval = interval_words(steps, semitones)
        return draft.change(
            f"{what} transposed {way} by {article(interval)} {interval}, {count_words(count, 'note')}{stay}"
        )


def _move_keys(draft: Draft, steps: int, semitones: int) -> None:
    by = fifths_of(steps, semitones)
    for key in draft.piece.keys.values():
        fifths = key.fifths + by
        draft.put(replace(key, fifths=fifths - 12 if fifths > 7 else fifths + 12 if fifths < -7 else fifths))


@dataclass(frozen=True, slots=True)
class TransposeTo(MovingEdit):
    """The piece to another key: its first signature becomes that one, all others go with it."""

    fifths: Annotated[int, Ge(-7), Le(7)]
    way: Literal["nearest", "up", "down"] = "nearest"
    name: Literal["transpose-to"] = "transpose-to"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        now = piece.key_at(0)
        if now.fifths == self.fifths and self.way == "nearest":
            raise BadInput(f"The piece is in {key_words(now.fifths, now.mode)} already. Nothing was changed.")
        steps, semitones = octave_toward(interval_between(now.fifths, self.fifths), self.way)
        change = TransposeBy(steps, semitones).change(piece)
        return replace(change, sentence=f"{change.sentence}: now in {key_words(self.fifths, now.mode)}")
