"""What an instruction is about: the bars and notes that its words name, and where it was given."""

from __future__ import annotations

import re
from dataclasses import dataclass

from ductus.core.errors import BadInput
from ductus.core.score.model.changes import Line
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.playing_order import bars_words
from ductus.core.score.model.records import Note

BARS = re.compile(
    r"\b(?:in |of |at |over )?(?:bars?|measures?) (\d+)(?: ?(?:to|-|–|until|through|and) ?(?:bar )?(\d+))?\b"
)
FROM = re.compile(r"\bfrom (?:bar|measure) (\d+)(?: on| onwards?)?\b")
HERE = re.compile(r"\bfrom here(?: on)?\b")
ALL = re.compile(
    r"\b(?:in |of |over )?(?:everything|everywhere|all(?: the)? notes|the whole piece|the piece|throughout)\b"
)
THESE = re.compile(r"\b(?:in |of |over )?(?:these|this|the selected|selected|the selection)(?: (?:bars|notes?))?\b")
HAND = re.compile(r"(?<!to )(?<!to the )\b(?:in |of |for )?(?:the )?(right|left) hand\b")


@dataclass(frozen=True, slots=True)
class Asked:
    """Where an instruction is given: the pen's voice, place and step, and the notes that are selected."""

    line: Line
    tick: int
    step: int
    chosen: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Scope:
    """The bars (indices, both included) and notes that a sentence names; ``named``: it does name some."""

    words: str
    first: int
    last: int
    notes: tuple[Note, ...]
    named: bool


def scope_of(piece: Piece, text: str, asked: Asked) -> tuple[Scope, str]:
    """What a sentence is about, and what is left of the sentence. Raises BadInput for bars that are not there.

    Bars come first ("bars 5 to 8", "from bar 9", "from here", "everything"), else what is selected, else the whole
    piece; a hand or a part that is named narrows it.
    """
    last_bar = max(piece.bar_count - 1, 0)
    chosen = tuple(piece.notes[i] for i in asked.chosen if i in piece.notes)
    named, first, last, rest = _bars_named(piece, text, asked)
    start = asked.tick if named is HERE else piece.timeline.bar(first).start
    end = piece.timeline.bar(last).end
    if named is THESE or (named is None and chosen):
        notes, words = chosen, "what is selected"
    else:
        notes = tuple(n for n in piece.notes.values() if start <= n.tick < end)
        words = bars_words(piece, first, min(last, last_bar))
    scope = Scope(words, first, last, notes, named is not None or bool(chosen))
    for narrowed in (_hand_named, _part_named):
        scope, rest = narrowed(piece, scope, rest)
    return scope, " ".join(rest.split()).strip(" ,:;")


def _bars_named(piece: Piece, text: str, asked: Asked) -> tuple[re.Pattern[str] | None, int, int, str]:
    """By which words bars are named, the first and last of them (indices), and the sentence without these words."""
    last_bar = max(piece.bar_count - 1, 0)
    for pattern in (FROM, BARS, HERE, ALL, THESE):
        match = pattern.search(text.casefold())
        if match is None:
            continue
        rest = f"{text[: match.start()]} {text[match.end() :]}"
        if pattern is HERE:
            return HERE, piece.timeline.bar_at(asked.tick).index, last_bar, rest
        if pattern in (ALL, THESE):
            return pattern, 0, last_bar, rest
        first = piece.timeline.index_of(int(match[1]))
        last = last_bar if pattern is FROM else piece.timeline.index_of(int(match[2] or match[1]))
        first, last = min(first, last), max(first, last)
        if not 0 <= first <= last_bar:
            raise BadInput(f"There is no bar {match[1]} yet. Nothing was changed.")
        return pattern, first, min(last, last_bar), rest
    return None, 0, last_bar, text


def _hand_named(piece: Piece, scope: Scope, text: str) -> tuple[Scope, str]:
    match = HAND.search(text.casefold())
    if match is None:
        return scope, text
    staff = 1 if match[1] == "right" else 2
    notes = tuple(n for n in scope.notes if n.staff == staff and piece.part(n.part).staves == 2)
    words = f"{scope.words}, {match[1]} hand"
    return Scope(words, scope.first, scope.last, notes, True), f"{text[: match.start()]} {text[match.end() :]}"


def _part_named(piece: Piece, scope: Scope, text: str) -> tuple[Scope, str]:
    if len(piece.parts) < 2:
        return scope, text
    for part in piece.parts.values():
        match = re.search(rf"\b(?:in |of |for )?(?:the )?{re.escape(part.name.casefold())}\b", text.casefold())
        if part.name and match is not None:
            notes = tuple(n for n in scope.notes if n.part == part.id)
            rest = f"{text[: match.start()]} {text[match.end() :]}"
            return Scope(f"{scope.words}, {part.name}", scope.first, scope.last, notes, True), rest
    return scope, text
