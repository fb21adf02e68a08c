"""Which notes are selected: each way to select is a record of its arguments."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Annotated, Literal

from ductus.core.limits import Ge, Le
from ductus.core.score.model.changes import Line
from ductus.core.score.model.piece import Piece


@dataclass(frozen=True, slots=True)
class Select:
    """All notes of the "bar", "voice" or "staff" at the pen, or "all".

    One more chord to the "left" or "right" of what is selected now; the "previous" or "next" chord instead of it; or
    the notes "these" that are selected on the page.
    """

    what: Literal["these", "bar", "voice", "staff", "all", "left", "right", "previous", "next"]
    name: Literal["select"] = "select"


@dataclass(frozen=True, slots=True)
class SelectByPitch:
    """All notes of the staff below a MIDI key, or from it on up."""

    key: Annotated[int, Ge(0), Le(127)]
    below: bool = True
    name: Literal["by-pitch"] = "by-pitch"


@dataclass(frozen=True, slots=True)
class SelectLast:
    """The last chords before the pen."""

    count: Annotated[int, Ge(1), Le(10_000)]
    name: Literal["last"] = "last"


Selecting = Select | SelectByPitch | SelectLast


def select(piece: Piece, how: Selecting, line: Line, tick: int, now: Iterable[str] = ()) -> list[str]:
    """Ids of the notes that are selected, seen from a pen in ``line`` at ``tick``, with ``now`` selected before."""
    part, staff, _ = line
    chosen = [n.id for n in piece.notes.among(dict.fromkeys(now))]
    match how:
        case Select("these"):
            return chosen
        case Select("all"):
            return [n.id for n in piece.notes.values()]
        case Select("staff"):
            return [n.id for n in piece.notes.values() if (n.part, n.staff) == (part, staff)]
        case Select("voice"):
            return [n.id for n in piece.notes.values() if n.line == line]
        case Select("bar"):
            bar = piece.timeline.bar_at(tick)
            here = piece.notes_between(part, bar.start, bar.end)
            return [n.id for n in here if n.staff == staff and n.tick >= bar.start]
        case SelectByPitch(key, below):
            on_staff = (n for n in piece.notes.values() if (n.part, n.staff) == (part, staff))
            return [n.id for n in on_staff if (n.pitch.midi < key) == below]
        case SelectLast(count):
            mine = [n for n in piece.notes.values() if n.line == line and n.tick < tick]
            first = min(sorted({n.tick for n in mine})[-count:], default=tick)
            return [n.id for n in mine if n.tick >= first]
    return neighbours(piece, how.what, line, tick, chosen)


def neighbours(piece: Piece, what: str, line: Line, tick: int, chosen: list[str]) -> list[str]:
    """The chord before or after what is chosen (or the pen), added to it or instead of it."""
    if chosen:
        line = piece.notes[chosen[0]].line
    ticks = [n.tick for n in piece.notes.among(chosen)] or [tick]
    first, last = min(ticks), max(ticks)
    mine = [n for n in piece.notes.values() if n.line == line]
    if what in ("left", "previous"):
        edge = max((n.tick for n in mine if n.tick < first), default=None)
    else:
        edge = min((n.tick for n in mine if (n.tick > last if chosen else n.tick >= tick)), default=None)
    if what in ("previous", "next"):
        edge = edge if edge is not None else (first if what == "previous" else last)
        return [n.id for n in mine if n.tick == edge]
    return [*chosen, *(n.id for n in mine if n.tick == edge)]
