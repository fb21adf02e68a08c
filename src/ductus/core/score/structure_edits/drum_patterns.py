"""Patterns of a kit as edits: begun, struck, repeated, let go."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated, Literal

from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le, MaxLen
from ductus.core.score.catalogues.drum_patterns import (
    MOST_CELLS,
    MOST_TIMES,
    accent,
    cell_order,
    cells_from,
    changed,
    copy_bars,
    numbers_words,
    pattern_of,
    ready,
    write_bar,
)
from ductus.core.score.catalogues.drums import DRUMS, HIGHEST, LOWEST
from ductus.core.score.model.changes import Change, Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.playing_order import bars_words
from ductus.core.score.model.records import Cell, Pattern
from ductus.core.score.structure_edits.base import BarIndex, FrameEdit, PartId
from ductus.core.words import capital, count_words

PatternId = Annotated[str, MaxLen(40)]
Times = Annotated[int, Ge(1), Le(MOST_TIMES)]


@dataclass(frozen=True, slots=True)
class MakePattern(FrameEdit):
    """What is written in bars of a kit becomes a pattern that stands ``times`` times.

    With ``ready`` its strokes are those of a ready one.
    """

    part: PartId
    bar: BarIndex
    bars: Annotated[int, Ge(1), Le(16)] = 1
    times: Times = 1
    ready: Annotated[str, MaxLen(60)] = ""
    name: Literal["make-pattern"] = "make-pattern"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        part = piece.part(self.part)
        if not part.percussion:
            raise BadInput(f"{part.name} is no kit: patterns are for percussion parts. Nothing was changed.")
        first, last = piece.timeline.bar(self.bar), piece.timeline.bar(self.bar + self.bars - 1)
        draft = Draft(piece)
        for other in piece.patterns.values():
            if other.part == part.id and other.start < last.end and other.end > first.start:
                draft.drop(other)  # its notes stay, as any notes
        cells = cells_from(piece, part.id, first.start, last.end)
        if self.ready:
            wanted = ready(self.ready)
            if not wanted.fits(first.meter):
                raise BadInput(
                    f"“{wanted.name}” is for bars of {wanted.beats[0]}/{wanted.beats[1]}; here is {first.meter}. "
                    "Nothing was changed."
                )
            cells = tuple(
                replace(c, at=bar.start - first.start + c.at)
                for bar in (piece.timeline.bar(k) for k in range(first.index, last.index + 1))
                for c in wanted.cells(bar)
            )
        fresh = Pattern(draft.new_id("p"), part.id, first.start, last.end - first.start, self.times, cells)
        for at in copy_bars(piece, fresh):
            if at.copy or self.ready:
                write_bar(draft, fresh, at)
        draft.put(fresh)
        where = capital(bars_words(piece, first.index, last.index))
        return draft.change(
            f"{where} {'is' if self.bars == 1 else 'are'} a pattern that stands {times_words(self.times)}"
        )


@dataclass(frozen=True, slots=True)
class StrikeCell(FrameEdit):
    """A stroke of a pattern set (with a velocity, or None.

    As the meter accents it) or taken away (0), ``at`` ticks from its beginning.
    """

    pattern: PatternId
    at: Annotated[int, Ge(0), Le(2**52)]
    key: Annotated[int, Ge(LOWEST), Le(HIGHEST)]
    velocity: Annotated[int, Ge(0), Le(127)] | None = None
    ticks: Annotated[int, Ge(1), Le(2**52)] = 1
    name: Literal["strike-cell"] = "strike-cell"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        old = pattern_of(piece, self.pattern)
        if self.at >= old.ticks:
            raise BadInput("That is behind the end of the pattern. Nothing was changed.")
        bar = piece.timeline.bar_at(old.start + self.at)
        velocity = accent(bar, old.start + self.at) if self.velocity is None else self.velocity
        cells = [c for c in old.cells if (c.at, c.key) != (self.at, self.key)]
        if velocity:
            cells.append(Cell(self.at, self.ticks, self.key, velocity))
        if len(cells) > MOST_CELLS:
            raise BadInput(f"A pattern has at most {MOST_CELLS:,} strokes. Nothing was changed.")
        draft = Draft(piece)
        _, varied = changed(draft, old, replace(old, cells=tuple(sorted(cells, key=cell_order))))
        place = piece.timeline.place_words(old.start + self.at)
        say = f"{capital(DRUMS[self.key].label)}, {place}" + (f", velocity {velocity}" if velocity else " taken away")
        return draft.change(_with_varied(piece, say, varied))


@dataclass(frozen=True, slots=True)
class RepeatPattern(FrameEdit):
    """The pattern stands so many times."""

    pattern: PatternId
    times: Times
    name: Literal["repeat-pattern"] = "repeat-pattern"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        old = pattern_of(piece, self.pattern)
        draft = Draft(piece)
        new = replace(old, times=self.times)
        _, varied = changed(draft, old, new)
        last = piece.timeline.bar_at(new.end - 1)
        say = f"The pattern stands {times_words(self.times)}, to bar {piece.timeline.number_of(last.index)}"
        return draft.change(_with_varied(piece, say, varied))


@dataclass(frozen=True, slots=True)
class FollowPattern(FrameEdit):
    """A varied bar follows the pattern again."""

    pattern: PatternId
    bar: BarIndex
    name: Literal["follow-pattern"] = "follow-pattern"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        pattern = pattern_of(piece, self.pattern)
        draft = Draft(piece)
        here = [at for at in copy_bars(piece, pattern) if at.bar.index == self.bar]
        if not here:
            raise BadInput("The pattern does not stand in that bar. Nothing was changed.")
        for at in here:
            write_bar(draft, pattern, at)
        return draft.change(f"{capital(bars_words(piece, self.bar, self.bar))} follows the pattern again")


@dataclass(frozen=True, slots=True)
class LetPatternGo(FrameEdit):
    """The pattern is no more; its notes stay as any notes."""

    pattern: PatternId
    name: Literal["let-pattern-go"] = "let-pattern-go"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        draft = Draft(piece)
        draft.drop(pattern_of(piece, self.pattern))
        return draft.change("The pattern is let go; its notes stay")


def times_words(times: int) -> str:
    """How often, in words."""
    return "once" if times == 1 else count_words(times, "time")


def _with_varied(piece: Piece, say: str, varied: list[int]) -> str:
    words = numbers_words([piece.timeline.number_of(bar) for bar in sorted(set(varied))])
    return f"{say}; {words} and stays" if words else say
