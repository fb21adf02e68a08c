"""The grammar of what is said: every sentence that random work brings forth, and every choice of the lines, over
their whole tables.
"""

from __future__ import annotations

import re

import pytest

from ductus.app import wire as m
from ductus.app.library import Library
from ductus.core.words import article, count_words, listed, ordinal, plural
from tests.formats.test_agreement import entered

THINGS = "note|bar|beat|time|key|event|semitone|octave|step|half|quarter|eighth|16th|32nd|place|voice|sharp|flat"
WRONG = {
    "one of many": rf"(?<![\d.,/:-])1 (?:{THINGS.replace('half', 'halve')})s\b",
    "many of one": rf"(?<![\d.,/:])(?:[02-9]|[1-9]\d+) (?:{THINGS})\b"
    r"(?![- ](?:triplet|quintuplet|septuplet|rest|note))(?! \d)",
    "plural": r"halfs\b",
    "a before a vowel": r"\b[Aa] (?:eighth|octave|ornament|8th|11:)",
    "an before a consonant": r"\b[Aa]n (?:quarter|half|whole|16th|32nd|64th|128th|dotted|double|triplet|note|bar)\b",
    "holes": r"  |\bNone\b|[{}]| ,| \.(?![\d.])|\(\)|[^.]\.\.(?!\.)|;\s*$|^\s*$",
}  # fmt: skip


@pytest.mark.parametrize("seed", range(200, 212))
def test_nothing_that_is_said_is_bad_english(library: Library, seed: int) -> None:
    sitter = entered(library, seed)
    said = (
        {f.text for f in sitter.all(m.Say)}
        | {f.message for f in sitter.all(m.Problem)}
        | {f.message for f in sitter.all(m.Ask)}
    )
    for pen in sitter.all(m.PenFact):
        said |= {c.label for p in pen.line for c in p.choices} | {"".join(p.words for p in pen.line)}
    assert len(said) > 20
    bad = [(why, s) for s in said for why, wrong in WRONG.items() if re.search(wrong, s)]
    assert not bad


def test_bad_english_would_be_found() -> None:
    for why, sentence in (
        ("one of many", "1 notes deleted"), ("many of one", "3 note deleted"), ("plural", "read again as halfs"),
        ("a before a vowel", "set to a eighth"),
        ("an before a consonant", "set to an quarter"), ("holes", "moved to None"), ("holes", "C 4 , quarter"),
    ):  # fmt: skip
        assert re.search(WRONG[why], sentence), sentence
    assert not any(re.search(wrong, "12 notes read again as eighths in bar 1, beat 2") for wrong in WRONG.values())


def test_words_of_one_place() -> None:
    assert [article(w) for w in ("eighth", "quarter", "11:8", "8th")] == ["an", "a", "an", "an"]
    assert [count_words(n, "half") for n in (0, 1, 2)] == ["0 halves", "1 half", "2 halves"]
    assert plural("dotted half") == "dotted halves"
    assert listed(["C 4", "E 4", "G 4"]) == "C 4, E 4 and G 4"
    assert [ordinal(n) for n in (11, 12, 13, 21, 101)] == ["11th", "12th", "13th", "21st", "101st"]
