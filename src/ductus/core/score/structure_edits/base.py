"""What all edits of the frame share: what stands at bars stays with its music, and each says what it does."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Annotated

from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le, MaxLen
from ductus.core.score.model.changes import Change, Draft
from ductus.core.score.model.note_signs import BAR_SIGNS
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import BarSign, KeyChange, Note, Pattern
from ductus.core.time.bars import MAX_BAR, Timeline
from ductus.core.words import capital, count_words

BarIndex = Annotated[int, Ge(0), Le(MAX_BAR)]
PartId = Annotated[str, MaxLen(40)]


@dataclass(frozen=True, slots=True)
class FrameEdit:
    """Base of all edits of the frame."""

    sure: bool = field(default=False, kw_only=True)  # what it takes away was asked, and answered with yes

    def change(self, piece: Piece) -> Change:
        """The change that this edit makes. Raises BadInput, and then nothing is changed."""
        raise NotImplementedError

    def reach(self, piece: Piece) -> int:
        """About how many notes the edit may change: what costs time."""
        return 0


@dataclass(frozen=True, slots=True)
class MovingEdit(FrameEdit):
    """Base of edits that may move or change all notes."""

    def reach(self, piece: Piece) -> int:
        """See FrameEdit."""
        return len(piece.notes)


class FrameConfirmationNeeded(BadInput):
    """The edit would take something away: ``again`` is the same edit with the answer yes, ``yes`` its words."""

    def __init__(self, words: str, yes: str, again: FrameEdit) -> None:
        super().__init__(words)
        self.yes, self.again = yes, again


def bar_line_near(timeline: Timeline, tick: int) -> int:
    """The bar (index) that begins at a tick, or the next one."""
    bar = timeline.bar_at(tick)
    return bar.index if bar.start == tick else bar.index + 1


def nearest_bar_line(timeline: Timeline, tick: int) -> int:
    """The bar (index) whose beginning is nearest to a tick; of two equally near ones the later."""
    bar = timeline.bar_at(max(tick, 0))
    return bar.index if tick - bar.start < bar.end - tick else bar.index + 1


def stay_with_music(draft: Draft, old: Timeline, laid: Timeline, which: Callable[[KeyChange | BarSign], bool]) -> None:
    """Changes of key and signs of bars stay with the music when bar lines are laid anew.

    Each goes to the bar line that is nearest now, so that laying them back brings it back. An ending that is left
    without a bar goes.
    """
    for key in draft.piece.keys.values():
        if which(key):
            draft.put(replace(key, bar=bar_line_near(laid, old.bar(key.bar).start)))
    for sign in draft.piece.signs.values():
        if not which(sign):
            continue
        bar = nearest_bar_line(laid, old.bar(sign.bar).start)
        after = nearest_bar_line(laid, old.bar(sign.bar + max(sign.bars, 1) - 1).end)
        if BAR_SIGNS[sign.kind].right:
            draft.put(replace(sign, bar=max(after - 1, 0)))
        elif sign.kind == "ending" and after <= bar:
            draft.drop(sign)
        else:
            draft.put(replace(sign, bar=bar, bars=after - bar if sign.kind == "ending" else sign.bars))


def place(piece: Piece, bar: int) -> str:
    """A bar as people count, at the head of a sentence: "Bar 9", "The pick-up"."""
    return capital(piece.timeline.bar_words(bar))


def said(draft: Draft, laid: Timeline, words: str) -> Change:
    """The change, with how many notes now go over a bar line that did not before."""
    piece, old = draft.piece, draft.piece.timeline
    ties = 0
    for note in piece.notes.values():
        ties += (laid.bar_at(note.end - 1).index - laid.bar_at(note.tick).index) > (
            old.bar_at(note.end - 1).index - old.bar_at(note.tick).index
        )
    appear = f"{count_words(ties, 'tie')} {'appears' if ties == 1 else 'appear'}" if ties else "no tie appears"
    return draft.change(f"{words}: values stay, {appear}")


def shifted_bars(draft: Draft, from_bar: int, by: int) -> None:
    """What stands at bars from one on goes ``by`` bars later."""

    def shifted(bar: int) -> int:
        return bar + by if bar >= from_bar else bar

    moved_bars(draft, shifted, shifted)


def moved_bars(draft: Draft, begins: Callable[[int], int], ends: Callable[[int], int]) -> None:
    """Meters, keys and signs of bars go to other bars (indices).

    By ``begins`` what stands at the beginning of one, by ``ends`` what stands at its end; an ending reaches from one
    to the other. The first of meter and key stay, and records that were dropped stay so.
    """
    piece = draft.piece
    for meter in piece.meters.values():
        if meter.bar and begins(meter.bar) != meter.bar and draft.has(meter.id):
            draft.put(replace(meter, bar=begins(meter.bar)))
    for key in piece.keys.values():
        if key.bar and begins(key.bar) != key.bar and draft.has(key.id):
            draft.put(replace(key, bar=begins(key.bar)))
    for sign in piece.signs.values():
        if not draft.has(sign.id):
            continue
        first = (ends if BAR_SIGNS[sign.kind].right else begins)(sign.bar)
        last = ends(sign.bar + sign.bars - 1)
        moved = replace(sign, bar=first, bars=max(last - first + 1, 1) if sign.kind == "ending" else sign.bars)
        if moved != sign:
            draft.put(moved)


def shifted_ticks(draft: Draft, start: int, by: int) -> None:
    """Everything that begins at a tick or later goes ``by`` ticks later.

    What spans the place grows or shrinks with it.
    """
    piece = draft.piece
    for note in [n for n in piece.notes.values() if draft.has(n.id)]:
        _shift_note(draft, note, start, by)
    for mark in [m for m in piece.marks.values() if draft.has(m.id)]:
        if mark.tick >= start:
            draft.put(replace(mark, tick=mark.tick + by))
        elif mark.end > start:
            draft.put(replace(mark, ticks=max(mark.ticks + by, 1)))
    for tempo in piece.tempi.values():
        if tempo.tick >= start and tempo.tick > 0 and draft.has(tempo.id):
            draft.put(replace(tempo, tick=tempo.tick + by))
    for clef in piece.clefs.values():
        if clef.tick >= start and draft.has(clef.id):
            draft.put(replace(clef, tick=clef.tick + by))
    for reading in piece.readings.values():
        if reading.start >= start and draft.has(reading.id):
            draft.put(replace(reading, start=reading.start + by))
    for pattern in [p for p in piece.patterns.values() if draft.has(p.id)]:
        _shift_pattern(draft, pattern, start, by)


def _shift_note(draft: Draft, note: Note, start: int, by: int) -> None:
    """A note that sounds over the place ends there; what comes behind it is struck anew."""
    if note.tick >= start:
        draft.put(replace(note, tick=note.tick + by))
    elif note.end > start and by > 0:
        draft.put(replace(note, ticks=start - note.tick, sounds_ticks=None))
        behind = replace(note, id=draft.new_id("n"), tick=start + by, ticks=note.end - start, sounds_ticks=None)
        draft.put(replace(behind, lyrics=(), grace_notes=(), take=None, event=None))


def _shift_pattern(draft: Draft, pattern: Pattern, start: int, by: int) -> None:
    """A pattern that spans the place keeps the copies before it; one that has none there goes."""
    whole = (start - pattern.start) // pattern.ticks
    if pattern.start >= start:
        draft.put(replace(pattern, start=pattern.start + by))
    elif pattern.end > start and whole:
        draft.put(replace(pattern, times=whole))
    elif pattern.end > start:
        draft.drop(pattern)
