"""The form of a piece in one sentence: "bars 1-4 twice, 1st ending bar 4, then D.S. al Coda"."""

from __future__ import annotations

import re
from dataclasses import replace

from ductus.core.errors import BadInput
from ductus.core.score.mark_language.parser import wish_of
from ductus.core.score.model.note_signs import BAR_SIGNS
from ductus.core.score.model.piece import Piece
from ductus.core.score.structure_edits.form import FormSign, WriteForm
from ductus.core.words import ordinal

CLAUSES = re.compile(r"\s*(?:[,;]\s*(?:and\s+)?(?:then\s+)?|\s(?:and\s+)?then\s+)", re.IGNORECASE)
BARS = r"(?:bars?|measures?) (?P<first>\d+)(?: ?(?:to|-|–|until|through|and) ?(?:bar )?(?P<last>\d+))?"
TIMES = {"twice": 2, "two": 2, "three": 3, "four": 4, "once": 1}
REPEATED = re.compile(
    rf"(?:play |repeat )?{BARS}(?: (?P<times>twice|\d+|two|three|four)(?: times)?)?"
    r"(?: with (?P<with>(?:two |2 |three |3 |\d )?endings|repeat signs|a repeat))?",
    re.IGNORECASE,
)
SIGN = re.compile(
    rf"(?P<sign>.+?),? (?:(?:is|at|in|over|after|before|behind|on|the end of|the beginning of) )*{BARS}", re.IGNORECASE
)
ENDING_NAMES = {"first": "1st", "second": "2nd", "third": "3rd", "fourth": "4th"}


def form_asked(piece: Piece, text: str) -> WriteForm | None:
    """The signs that a sentence about the form asks for; None for a sentence that is about something else.

    Its parts are set apart by commas or "then". Raises BadInput for bars that are not there.
    """
    clauses = [c for c in CLAUSES.split(text.strip()) if c]
    signs: list[FormSign] = []
    about = len(clauses) > 1
    for clause in clauses:
        found = _repeated(piece, clause, alone=not about)
        found = _sign(piece, clause, alone=not about) if found is None else found
        if not found:
            return None
        signs += found
    return WriteForm(_settled(piece, signs)) if signs else None


def _bar(piece: Piece, said: str) -> int:
    """The index of a bar that is named. Raises BadInput for one that is not there."""
    index = piece.timeline.index_of(int(said)) if len(said) < 7 else piece.bar_count
    if not 0 <= index < piece.bar_count:
        last = piece.timeline.number_of(piece.bar_count - 1)
        raise BadInput(f"There is no bar {said[:8]}: the piece ends with bar {last}. Nothing was changed.")
    return index


def _repeated(piece: Piece, clause: str, *, alone: bool) -> list[FormSign] | None:
    """ "bars 1 to 8 twice", "repeat bars 1 to 8 with two endings": its repeat signs and endings."""
    match, repeat = REPEATED.fullmatch(clause), clause[:6].casefold() == "repeat"
    if match is None or not (match["times"] or match["with"] or (repeat and not alone)):
        return None
    if alone and repeat and not match["with"]:
        return None  # "repeat bars 5 to 8 twice" writes them out
    first = _bar(piece, match["first"])
    last = _bar(piece, match["last"] or match["first"])
    if last < first:
        raise BadInput("The last bar of a repeat stands before its first. Nothing was changed.")
    said = (match["times"] or "two").casefold()
    times = TIMES.get(said) or int(said)
    if not 2 <= times <= 20:
        raise BadInput("A repeat is played 2 to 20 times. Nothing was changed.")
    out = [FormSign("repeat-start", first)] if first or piece.facts.pickup else []
    if "endings" in (named := (match["with"] or "").casefold()):
        count = {"three": 3}.get(named.split()[0], 0) or int(next(iter(re.findall(r"\d", named)), "2"))
        if not last > first:
            raise BadInput("A repeat of one bar has no room for an ending. Nothing was changed.")
        for k in range(count):
            if last + k >= piece.bar_count:
                where = piece.timeline.bar_words(piece.bar_count - 1)
                nth = ordinal(k + 1)
                raise BadInput(f"The {nth} ending has no bar: the piece ends with {where}. Nothing was changed.")
            out.append(FormSign("ending", last + k, str(k + 1)))
        return [*out, *(FormSign("repeat-end", last + k) for k in range(count - 1))]
    return [*out, FormSign("repeat-end", last, str(times) if times > 2 else "")]


def _sign(piece: Piece, clause: str, *, alone: bool) -> list[FormSign] | None:
    """ "1st ending bars 7 to 8", "segno at bar 3", "D.S. al Coda": one sign, at the end of the piece by itself."""
    match = SIGN.fullmatch(clause)
    words = (match["sign"] if match else clause).removeprefix("the ").removeprefix("a ")
    for long, short in ENDING_NAMES.items():
        words = re.sub(rf"\b{long}(?= ending)", short, words, flags=re.IGNORECASE)
    try:
        wish = wish_of(words)
    except BadInput:
        return None
    if wish.sort != "bar" or wish.without or (alone and wish.kind != "ending"):
        return None
    kind = BAR_SIGNS[wish.kind]
    if match is None:
        return [FormSign(wish.kind, piece.bar_count - 1, wish.text)] if kind.right else None
    first = _bar(piece, match["first"])
    last = _bar(piece, match["last"] or match["first"])
    if wish.kind == "ending":
        return [FormSign("ending", min(first, last), wish.text, abs(last - first) + 1)]
    return [FormSign(wish.kind, last if kind.right else first, wish.text)]


def _settled(piece: Piece, signs: list[FormSign]) -> tuple[FormSign, ...]:
    """Signs that follow from each other.

    A repeat of an ending ends with it, and a jump to a coda without a place stands in front of the coda.
    """
    endings = [s for s in signs if s.kind == "ending"]
    coda = next((s.bar for s in signs if s.kind == "coda"), 0)
    out: list[FormSign] = []
    for sign in signs:
        if sign.kind == "repeat-end":
            inside = next((e for e in endings if e.bar <= sign.bar < e.bar + e.bars), None)
            sign = replace(sign, bar=inside.bar + inside.bars - 1) if inside else sign
        if sign.kind.endswith("-coda") and sign.kind != "to-coda" and sign.bar == piece.bar_count - 1 and coda:
            sign = replace(sign, bar=coda - 1)
        out.append(sign)
    for ending in endings:
        following = any(e.bar == ending.bar + ending.bars for e in endings)
        end = ending.bar + ending.bars - 1
        if following and not any(s.kind == "repeat-end" and s.bar == end for s in out):
            out.append(FormSign("repeat-end", end))
    return tuple(dict.fromkeys(out))
