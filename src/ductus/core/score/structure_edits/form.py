"""The form of a piece written at once: the repeats, endings, jumps and signs of bars that one sentence names."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le, MaxLen, MinLen
from ductus.core.score.model.changes import Change, Draft
from ductus.core.score.model.note_signs import BAR_SIGNS, LINES, words_of_sign
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.playing_order import Form, bars_words, form_of
from ductus.core.score.model.records import BarSign
from ductus.core.score.structure_edits.base import BarIndex, FrameEdit
from ductus.core.time.bars import MAX_BAR
from ductus.core.words import capital

MOST_SIGNS = 40  # that one sentence puts
MOST_STRETCHES = 8  # of the order of bars that are said; of a longer one the first


@dataclass(frozen=True, slots=True)
class FormSign:
    """A sign of bars that is asked for: its kind of ``BAR_SIGNS``, its bar (index), its text, the bars it covers."""

    kind: Annotated[str, MaxLen(20)]
    bar: BarIndex
    text: Annotated[str, MaxLen(40)] = ""
    bars: Annotated[int, Ge(1), Le(MAX_BAR)] = 1


@dataclass(frozen=True, slots=True)
class WriteForm(FrameEdit):
    """Signs of bars are put together, in place of those that stand where they go.

    Its sentence says in which order the bars then sound.
    """

    signs: Annotated[tuple[FormSign, ...], MinLen(1), MaxLen(MOST_SIGNS)]
    name: Literal["write-form"] = "write-form"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        draft = Draft(piece)
        kept = {s.id: s for s in piece.signs.values()}
        for sign in self.signs:
            if sign.kind not in BAR_SIGNS:
                raise BadInput(f"“{sign.kind}” is no sign of bars. Nothing was changed.")
            if sign.bar + sign.bars > piece.bar_count:
                last = piece.timeline.bar_words(piece.bar_count - 1)
                raise BadInput(f"The piece ends with {last}: add bars first. Nothing was changed.")
            for old in [s for s in kept.values() if _gives_way(s, sign)]:
                del kept[old.id]
                if piece.signs.get(old.id) is not None:
                    draft.drop(old)
            put = BarSign(draft.new_id("s"), sign.kind, sign.bar, sign.text, sign.bars)
            kept[put.id] = put
        for put in kept.values():
            if put.id not in piece.signs:
                draft.put(put)
        page = draft.change("").apply(piece)
        said = ", ".join(_words(piece, s) for s in self.signs)
        return draft.change(f"{capital(said)}. In order: {order_words(page, form_of(page))}")


def _gives_way(old: BarSign, new: FormSign) -> bool:
    """Does a sign go where another one is put?"""
    if BAR_SIGNS[new.kind].alone and old.kind == new.kind:
        return True
    if old.kind == new.kind == "ending":
        return old.bar < new.bar + new.bars and old.bar + old.bars > new.bar
    return old.bar == new.bar and (old.kind == new.kind or (new.kind in LINES and old.kind in LINES))


def _words(piece: Piece, sign: FormSign) -> str:
    """A sign and where it stands: "1st ending over bar 4", "repeat ends at the end of bar 8"."""
    words, where = words_of_sign(sign.kind, sign.text), bars_words(piece, sign.bar, sign.bar + sign.bars - 1)
    if sign.kind == "ending":
        return f"{words} over {where}"
    return f"{words} at the {'end' if BAR_SIGNS[sign.kind].right else 'beginning'} of {where}"


def order_words(piece: Piece, form: Form) -> str:
    """The order in which the bars of a piece sound: "bars 1 to 4, bars 1 to 3, bar 5"."""
    said = [bars_words(piece, s.first, s.last) for s in form.order[:MOST_STRETCHES]]
    more = len(form.order) - MOST_STRETCHES
    return ", ".join(said) + (f" and {more} more stretches" if more > 0 else "")
