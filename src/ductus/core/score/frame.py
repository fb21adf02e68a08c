"""Edits of the frame: meter, key, tempo and pick-up at any place. Values stay, bar lines are laid anew; each says what it does.

Changes of meter and key behind the edited place stay with the music that they stood over: at the bar line that is there now, or the next one.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Annotated, Any, ClassVar, Literal

from annotated_types import Ge, Le, MaxLen

from ductus.core.errors import BadInput
from ductus.core.score.changes import Change, Draft
from ductus.core.score.layouts import felt_beat
from ductus.core.score.piece import Piece
from ductus.core.score.records import KeyChange, MeterChange, TempoMark, checked_text
from ductus.core.time.bars import MAX_BAR, Timeline
from ductus.core.time.meters import parse_meter
from ductus.core.words import capital, count_words

SLOWEST, FASTEST = 10, 400  # beats a minute
BarIndex = Annotated[int, Ge(0), Le(MAX_BAR)]


@dataclass(frozen=True, slots=True)
class FrameEdit:
    """Base of all edits of the frame."""

    __pydantic_config__: ClassVar[Any] = {"extra": "forbid"}

    def change(self, piece: Piece) -> Change:
        """The change that this edit makes. Raises BadInput, and then nothing is changed."""
        raise NotImplementedError


@dataclass(frozen=True, slots=True)
class MeterFrom(FrameEdit):
    """A meter from a bar (index) on, up to the next change of meter: "3/4", "7/8 (2+2+3)"."""

    bar: BarIndex
    meter: Annotated[str, MaxLen(40)]
    name: Literal["meter-from"] = "meter-from"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        meter = parse_meter(self.meter)
        old = piece.timeline
        was = old.bar(self.bar).meter
        draft = Draft(piece)
        here = next((m for m in piece.meters.values() if m.bar == self.bar), None)
        before = {m.bar: m.meter for m in piece.meters.values() if m.bar < self.bar}
        laid = Timeline({0: old.bar(0).meter, **before, self.bar: meter}, piece.facts.pickup)
        later = sorted((m for m in piece.meters.values() if m.bar > self.bar), key=lambda m: m.bar)
        draft.put(MeterChange(here.id if here else draft.new_id("m"), self.bar, meter))
        for change in later:
            bar = bar_line_near(laid, old.bar(change.bar).start)
            draft.put(replace(change, bar=bar))
            laid = Timeline({**laid.meters, bar: change.meter}, piece.facts.pickup)
        keys_follow(draft, old, laid, lambda k: k.bar > self.bar)
        return said(draft, laid, f"{place(piece, self.bar)} on is in {self.meter.split()[0]}, was {was}")


@dataclass(frozen=True, slots=True)
class KeyFrom(FrameEdit):
    """A key signature from a bar (index) on, up to the next change of key; notes keep their pitch."""

    bar: BarIndex
    fifths: Annotated[int, Ge(-7), Le(7)]
    mode: Literal["major", "minor"] = "major"
    name: Literal["key-from"] = "key-from"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        draft = Draft(piece)
        here = next((k for k in piece.keys.values() if k.bar == self.bar), None)
        draft.put(KeyChange(here.id if here else draft.new_id("k"), self.bar, self.fifths, self.mode))
        signs = (
            count_words(abs(self.fifths), "flat" if self.fifths < 0 else "sharp")
            if self.fifths
            else "no sharps or flats"
        )
        return draft.change(f"{place(piece, self.bar)} on has {signs}; notes keep their pitch")


@dataclass(frozen=True, slots=True)
class TempoFrom(FrameEdit):
    """A tempo from a tick on, in beats of the meter there, with its word; notes go with it."""

    tick: Annotated[int, Ge(0), Le(2**52)]
    bpm: Annotated[float, Ge(0), Le(100_000)]
    text: Annotated[str, MaxLen(200)] = ""
    name: Literal["tempo-from"] = "tempo-from"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit. Tempo changes that are not printed give way up to the next printed one."""
        if not SLOWEST <= self.bpm <= FASTEST:
            raise BadInput(f"{self.bpm:g} is no tempo: use {SLOWEST} to {FASTEST} beats a minute. Nothing was changed.")
        draft = Draft(piece)
        marks = sorted(piece.tempi.values(), key=lambda t: t.tick)
        end = next((t.tick for t in marks if t.printed and t.tick > self.tick), None)
        for old in marks:
            if not old.printed and old.tick >= self.tick and (end is None or old.tick < end):
                draft.drop(old)
        here = next((t for t in marks if t.tick == self.tick and t.printed), None)
        beat = felt_beat(piece.timeline.bar_at(self.tick).meter)
        text = checked_text(self.text, "tempo word") or (here.text if here else "")
        draft.put(TempoMark(here.id if here else draft.new_id("t"), self.tick, float(self.bpm), beat, text))
        return draft.change(f"{capital(piece.timeline.place_words(self.tick))}: tempo {self.bpm:g}")


@dataclass(frozen=True, slots=True)
class PickUp(FrameEdit):
    """The pick-up holds so many ticks (0: there is none): bar lines move, notes stay."""

    ticks: Annotated[int, Ge(0), Le(2**40)]
    name: Literal["pick-up"] = "pick-up"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        old = piece.timeline
        if self.ticks >= old.bar(0).meter.bar_ticks:
            raise BadInput("A pick-up is shorter than a bar. Nothing was changed.")
        draft = Draft(piece)
        laid = Timeline({0: old.meters[0]}, self.ticks)
        for change in sorted((m for m in piece.meters.values() if m.bar > 0), key=lambda m: m.bar):
            bar = bar_line_near(laid, old.bar(change.bar).start)
            draft.put(replace(change, bar=bar))
            laid = Timeline({**laid.meters, bar: change.meter}, self.ticks)
        keys_follow(draft, old, laid, lambda k: k.bar > 0)
        draft.put(replace(piece.facts, pickup=self.ticks))
        words = "There is no pick-up any more" if not self.ticks else "The pick-up has another length"
        return said(draft, laid, words)


def bar_line_near(timeline: Timeline, tick: int) -> int:
    """The bar (index) that begins at a tick, or the next one."""
    bar = timeline.bar_at(tick)
    return bar.index if bar.start == tick else bar.index + 1


def keys_follow(draft: Draft, old: Timeline, laid: Timeline, which: Callable[[KeyChange], bool]) -> None:
    """Changes of key stay with the music."""
    for key in draft.piece.keys.values():
        if which(key):
            draft.put(replace(key, bar=bar_line_near(laid, old.bar(key.bar).start)))


def place(piece: Piece, bar: int) -> str:
    """A bar as people count: "Bar 9", "The pick-up"."""
    number = piece.timeline.number_of(bar)
    return f"Bar {number}" if number else "The pick-up"


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


AnyFrameEdit = MeterFrom | KeyFrom | TempoFrom | PickUp
FRAME_EDITS: tuple[type[AnyFrameEdit], ...] = AnyFrameEdit.__args__
