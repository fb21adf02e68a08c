"""An instruction in words: "bars 5 to 8 an octave higher", "transpose to D", "tempo 84 from bar 9", "mf to f".

A sentence names notes or bars (``instruction_scope``) and one thing to do. What is done is always an edit, a mark or a
command that exists without it: ``instruction_rules`` says by which words each edit is asked for, and the language of
marks (``core.score.mark_language``) understands the rest. Nothing is changed here: the steps are given back, with what
they would change in words.
"""

from __future__ import annotations

import difflib
import re
from dataclasses import dataclass
from typing import Literal

from ductus.core.entry.commands.marks import WithHere
from ductus.core.entry.commands.pen import PlacePen, TypedPlace, typed_tick
from ductus.core.errors import BadInput
from ductus.core.limits import check_numbers
from ductus.core.prompt.form_sentence import form_asked
from ductus.core.prompt.instruction_rules import EXAMPLES, RULES, USUAL, Found
from ductus.core.prompt.instruction_scope import Asked, Scope, scope_of
from ductus.core.score.mark_edits.commands import DropMarks, MarkEdit, Reword
from ductus.core.score.mark_edits.place_marks import marked, where
from ductus.core.score.mark_language.parser import wish_of
from ductus.core.score.model.mark_kinds import KINDS
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Mark
from ductus.core.score.note_edits.base import At, ConfirmationNeeded, Edit
from ductus.core.score.note_edits.registry import edit_notes
from ductus.core.score.note_edits.select import Select
from ductus.core.score.structure_edits.base import FrameConfirmationNeeded, FrameEdit
from ductus.core.score.structure_edits.settling import frame_change
from ductus.core.words import capital, count_words

MOST_NEAR = 3  # examples that are offered for words that are not understood
KINDS_NAMED = {
    "dynamic": ("dynamic",), "hairpin": ("hairpin",), "slur": ("slur",), "chord symbol": ("chord",),
    "pedal": ("pedal",), "word": ("text",), "tempo word": ("tempo-word",), "mark": tuple(KINDS),
}  # fmt: skip
VERBS = re.compile(r"^(?:please )?(?:transpose|move|shift|put|make|play|set)(?: (?:it|them))? ", re.IGNORECASE)
NEAR = 0.45  # how alike they must be, by difflib's ratio


@dataclass(frozen=True, slots=True)
class InstructionStep:
    """One thing to do.

    "edit" of the notes ``ids``, "frame" of the piece, "marks" named ``ids``, "select" the notes ``ids``, or a
    "command" of entry.
    """

    kind: Literal["edit", "frame", "marks", "select", "command"]
    do: object
    ids: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Instruction:
    """What words ask for: what it would change, in words, and the steps that do it, in order."""

    words: str
    steps: tuple[InstructionStep, ...]


def instruction(piece: Piece, text: str, asked: Asked) -> Instruction:
    """What a sentence asks for. Raises BadInput, with what is near, for what is not understood or cannot be done."""
    words = " ".join(text.replace("’", "'").split()).rstrip(".!")
    if not words:
        raise BadInput("Say what is to be done. Nothing was changed.")
    folded = words.casefold()
    for rule in RULES:
        if rule.frame and (match := rule.pattern.fullmatch(folded)) is not None:
            return _weighed(piece, rule.build(Found(piece, asked, match)), (), asked)
    if (form := form_asked(piece, words)) is not None:
        return _weighed(piece, form, (), asked)
    scope, rest = scope_of(piece, words, asked)
    plain = VERBS.sub("", rest.casefold())
    for rule in RULES:
        if not rule.frame and (match := rule.pattern.fullmatch(plain)) is not None:
            return _weighed(piece, rule.build(Found(piece, asked, match)), _notes_of(scope, match), asked)
    found = _placed(piece, folded) or _selected(scope, rest) or _without(piece, scope, rest)
    return found or _marks(piece, scope, VERBS.sub("", rest), text, asked)


def _notes_of(scope: Scope, match: re.Match[str]) -> tuple[str, ...]:
    """The notes that an edit is for; "to the left hand" is for those that are not there yet. Raises BadInput."""
    if not scope.named:
        raise BadInput('Say which notes: "bars 5 to 8", "from bar 9", "left hand", "everything", or select some first.')
    if not scope.notes:
        raise BadInput(f"There are no notes in {scope.words}. Nothing was changed.")
    hand = match.groupdict().get("hand")
    there = {"right": 1, "left": 2}.get(hand or "", 0)
    ids = tuple(n.id for n in scope.notes if n.staff != there)
    if not ids:
        raise BadInput(f"All notes of {scope.words} are in the {hand} hand already. Nothing was changed.")
    return ids


def _weighed(piece: Piece, do: Edit | FrameEdit, ids: tuple[str, ...], asked: Asked) -> Instruction:
    """An edit with what it would change. Raises BadInput for one that cannot be made."""
    check_numbers(do)
    if isinstance(do, FrameEdit):
        try:
            return Instruction(frame_change(piece, do).sentence, (InstructionStep("frame", do),))
        except FrameConfirmationNeeded as question:
            said = str(question).removesuffix(" Nothing was changed.")
            return Instruction(said, (InstructionStep("frame", question.again),))
    try:
        said = edit_notes(piece, do, ids, At(asked.line, asked.tick, asked.step)).sentence
    except (ConfirmationNeeded, FrameConfirmationNeeded) as question:  # asked again when it is done
        said = str(question).removesuffix(" Nothing was changed.")
    return Instruction(said, (InstructionStep("edit", do, ids),))


def _placed(piece: Piece, whole: str) -> Instruction | None:
    """ "go to bar 12": the pen goes there."""
    match = re.fullmatch(r"(?:go to |to )?(?:bar|measure) (\d+)(?:,? beat (\d+))?", whole)
    if match is None:
        return None
    place = match[1] + (f".{match[2]}" if match[2] else "")
    words = piece.timeline.place_words(typed_tick(place, piece))
    return Instruction(f"The pen goes to {words}", (InstructionStep("command", TypedPlace(place)),))


def _selected(scope: Scope, rest: str) -> Instruction | None:
    if rest.casefold() not in ("select", "choose", "mark"):
        return None
    ids = tuple(n.id for n in scope.notes)
    said = f"{capital(count_words(len(ids), 'note'))} of {scope.words} selected"
    return Instruction(said, (InstructionStep("select", Select("these"), ids),))


def _marks(piece: Piece, scope: Scope, rest: str, text: str, asked: Asked) -> Instruction:
    """A mark for the notes that are named, at their bar, or at the pen; or one mark in place of another."""
    swap = re.fullmatch(r"(?:change |replace |make )?(.+?) (?:to|by|with|into|->|→) (.+)", rest)
    if swap is not None and (found := _swapped(piece, scope, swap[1], swap[2])) is not None:
        return found
    try:
        wish = wish_of(re.sub(r"^(?:put|write|add|an?) ", "", rest))
    except BadInput as error:
        raise BadInput(_not_understood(text)) from error
    mark = WithHere(re.sub(r"^(?:put|write|add|an?) ", "", rest))
    if not scope.named:
        return Instruction(f"At the pen: {wish.words}", (InstructionStep("command", mark),))
    if scope.notes:
        notes = scope.notes
        if wish.sort == "tempo" or (wish.sort == "mark" and not KINDS[wish.kind].spans):  # it stands where they begin
            first = min(n.tick for n in notes)
            notes = tuple(n for n in notes if n.tick == first)
        said = marked(piece, wish, where(notes, asked.line, asked.tick)).sentence
        ids = tuple(n.id for n in notes)
        return Instruction(said, (InstructionStep("select", Select("these"), ids), InstructionStep("command", mark)))
    start = piece.timeline.bar(scope.first).start
    place = PlacePen(asked.line[0], asked.line[1], start)
    said = marked(piece, wish, where((), asked.line, start)).sentence
    return Instruction(said, (InstructionStep("command", place), InstructionStep("command", mark)))


def _without(piece: Piece, scope: Scope, rest: str) -> Instruction | None:
    """ "delete all slurs": every mark of a kind in the bars that are named."""
    match = re.fullmatch(r"(?:delete|remove|erase|take away) (?:all |the |every )*(.+)", rest.casefold())
    if match is None:
        return None
    kinds = KINDS_NAMED.get(match[1].removesuffix("s"))
    try:
        wish = None if kinds else wish_of(match[1].removesuffix("s"))
    except BadInput:
        return None
    ids = tuple(
        mark.id
        for mark in _between(piece, scope)
        if (mark.kind in kinds if kinds else wish is not None and (mark.kind, mark.text) == (wish.kind, wish.text))
    )
    if not ids and wish is not None and wish.sort == "note":
        return None  # a sign of notes: said as "no staccato"
    if not ids:
        raise BadInput(f"There is no {match[1].removesuffix('s')} in {scope.words}. Nothing was changed.")
    said = f"{capital(count_words(len(ids), match[1].removesuffix('s')))} in {scope.words} taken away"
    return Instruction(said, (InstructionStep("marks", DropMarks(), ids),))


def _between(piece: Piece, scope: Scope) -> list[Mark]:
    start, end = piece.timeline.bar(scope.first).start, piece.timeline.bar(scope.last).end
    return [mark for mark in piece.marks.values() if start <= mark.tick < end]


def _swapped(piece: Piece, scope: Scope, old: str, new: str) -> Instruction | None:
    """One kind of mark in place of another, wherever it stands in the bars that are named."""
    try:
        before = wish_of(old)
        after = wish_of(new) if new.casefold() not in ("nothing", "none") else None
    except BadInput:
        return None
    if before.sort != "mark":
        return None
    ids = tuple(k.id for k in _between(piece, scope) if (k.kind, k.text) == (before.kind, before.text))
    if not ids:
        raise BadInput(f"There is no {before.words} in {scope.words}. Nothing was changed.")
    do: MarkEdit = DropMarks() if after is None else Reword(new)
    return Instruction(do.change(piece, ids).sentence, (InstructionStep("marks", do, ids),))


def _not_understood(text: str) -> str:
    near = difflib.get_close_matches(" ".join(text.casefold().split()), EXAMPLES, MOST_NEAR, NEAR)
    like = " · ".join(near or USUAL)
    return f"“{text[:60]}” is not understood. Like this: {like}"
