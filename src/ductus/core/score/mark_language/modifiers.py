"""Words of marks that are put together: "poco rit.", "cresc. poco a poco", "molto espr.", and how much they ask for.

The words are those of any dictionary of musical terms (common practice); what a word does to the tempo is in
``playback.tempo_map``.
"""

from __future__ import annotations

import re
from functools import lru_cache

from ductus.core.score.mark_language.folding import fold, ways
from ductus.core.score.mark_language.terms import (
    AT_ONCE,
    EXPRESSIONS,
    RETURNING,
    SLOWING,
    SPEEDING,
    STRONGER,
    STYLES,
    SYMBOLS,
    TEMPI,
    VALUES,
)
from ductus.core.time.note_values import BASE_TICKS, NoteValue

TEMPO_WORDS = (*SLOWING, *SPEEDING, *AT_ONCE, *RETURNING)
GRADUAL = ("cresc.", "dim.", "decresc.")
LOUDER = ("<", "cresc.")
SIGNS_TOO = (
    "marcato",
    "staccato",
    "tenuto",
    "portato",
    "ped.",
    "pedal",
)  # words beside others, signs of notes by themselves
MODIFIERS = (
    "poco a poco", "un poco", "un pochino", "poco", "pochissimo", "molto", "assai", "sempre", "subito", "più", "meno",
    "ben", "ma non troppo", "non troppo", "gradually", "nach und nach", "peu à peu", "un peu", "sehr", "etwas", "immer",
    "très", "toujours", "ancora", "a little", "e", "ed", "et", "und", "and", "ma", "aber", "mais", "but",
)  # fmt: skip
SAID_SHORT = {"ritard.": "rit.", "crescendo": "cresc.", "diminuendo": "dim.", "decrescendo": "decresc."}
AMOUNTS = {
    "poco": 0.5, "un poco": 0.5, "pochissimo": 0.3, "un pochino": 0.4, "etwas": 0.5, "un peu": 0.5, "a little": 0.5,
    "molto": 1.6, "assai": 1.6, "sehr": 1.6, "tres": 1.6,
}  # share of what the word asks for by itself: our own choice  # fmt: skip
JOINING = re.compile(r"\s*(?:,|\s(?:e|ed|et|und|and|&)\s)\s*", re.I)
_MOST = "|".join(re.escape(fold(m)) for m in sorted(MODIFIERS, key=len, reverse=True))
_BASES = {way.rstrip("."): w for w in (*TEMPO_WORDS, *GRADUAL) for way in ways(w)} | {
    k.rstrip("."): w for k, w in SAID_SHORT.items() if w in GRADUAL or w in SLOWING
}
_MODIFIED = re.compile(
    rf"^(?P<before>(?:(?:{_MOST})\s+)*?)"
    rf"(?P<base>{'|'.join(re.escape(b) for b in sorted(_BASES, key=len, reverse=True))})\.?"
    rf"(?P<behind>(?:\s+(?:{_MOST}))*(?:\s+(?:al|fino al|bis|to)\s+(?:[pmfsz]+|niente|fine))?(?:\s+ad lib\.?)?)$",
    re.I,
)
_PHRASES = frozenset(
    tuple(w.rstrip(".") for w in way.split())
    for words in (*EXPRESSIONS, *SIGNS_TOO, *STYLES, *GRADUAL)
    for way in ways(words)
)
_PACES = frozenset(tuple(way.split()) for words in TEMPI for way in ways(words))
_LONGEST = max(len(p) for p in _PHRASES)
_TOKENS = frozenset(token for phrase in _PHRASES for token in phrase)
_JOINED = frozenset(token for words in MODIFIERS for token in fold(words).split())
_BESIDE = _JOINED | {token for words in STRONGER for token in words.split()}
_ENDINGS = re.compile(r"(?<=\w{4})(?:em|en|er|es|e)$")  # of German adjectives
_UNIT = rf"((?:dotted\s+)?(?:[a-z0-9]+)|{'|'.join(SYMBOLS)})(\.)?"
_EQUATION = re.compile(rf"^\(?{_UNIT}\s*=\s*{_UNIT}\)?$", re.I)


@lru_cache(maxsize=1024)
def modified(text: str) -> tuple[str, str] | None:
    """(the words as they are printed, the word without what says how much) of tempo and dynamics; None for other words.

    >>> modified("Poco rit"), modified("cresc. poco a poco"), modified("dolce")
    (('poco rit.', 'rit.'), ('cresc. poco a poco', 'cresc.'), None)
    """
    if (same := equation(text)) is not None:
        return same[0], same[0]
    folded = fold(text)
    found = _MODIFIED.match(folded)
    if found is None:
        return None
    base = _BASES[found["base"]]
    whole = len(folded) == len(text)  # the modifiers as they were typed, with their accents
    before = text[: found.end("before")].casefold() if whole else found["before"]
    behind = text[found.start("behind") :].casefold() if whole else found["behind"]
    return f"{before}{base}{behind}", base


def value_named(unit: str, dot: str) -> NoteValue | None:
    """The note value of a unit in words ("dotted quarter", "q", "♪")."""
    word = SYMBOLS.get(unit, unit.casefold().removeprefix("dotted").strip())
    base = VALUES.get(word, word)
    dotted = bool(dot) or unit.casefold().startswith("dotted")
    return NoteValue(base, int(dotted)) if base in BASE_TICKS else None


@lru_cache(maxsize=256)
def equation(text: str) -> tuple[str, float] | None:
    """A note value that takes the time of another, "♩ = ♪": as it is printed, and the share of the tempo that holds.

    The left value is of the music before, the right one of the music behind (common practice).

    >>> equation("quarter = eighth"), equation("quarter = 80")
    (('♩ = ♪', 0.5), None)
    """
    found = _EQUATION.match(text.strip())
    if found is None:
        return None
    before, behind = (value_named(found.group(k), found.group(k + 1)) for k in (1, 3))
    if before is None or behind is None:
        return None
    signs = {base: sign for sign, base in SYMBOLS.items()}
    if before.base not in signs or behind.base not in signs:
        return None
    printed = " = ".join(signs[v.base] + "." * v.dots for v in (before, behind))
    return printed, behind.ticks / before.ticks


def base_of(text: str) -> str:
    """The word of tempo or dynamics in a text: "rit." of "poco rit."; the text itself where it holds none."""
    found = modified(text)
    return found[1] if found else text


def at_once(text: str) -> float | None:
    """The share of the tempo that holds from a word on ("più mosso", "♩ = ♪"); None where it is no such word."""
    if (same := equation(text)) is not None:
        return same[1]
    word = base_of(text)
    return AT_ONCE[word] ** amount_of(text) if word in AT_ONCE else None


def amount_of(text: str) -> float:
    """How much of what its word asks for by itself: .5 for "poco rit.", 1.6 for "molto rit."."""
    base = fold(base_of(text))
    left = fold(text).replace("poco a poco", "").replace("peu a peu", "").replace(base, "", 1)
    return next((much for word, much in AMOUNTS.items() if re.search(rf"\b{word}\b", left)), 1.0)


def expression(text: str, paces: bool = False) -> bool:
    """Are these words of expression, and nothing else: "molto espr.", "dolce e cantabile"?

    With ``paces``, words of tempo may stand among them: "Innig, nicht zu rasch".
    """
    tokens = [t.rstrip(".") for t in fold(text).replace(",", " ").split()]
    words = _TOKENS | _BESIDE | {t for phrase in _PACES for t in phrase} if paces else _TOKENS | _JOINED
    known = [t if t in words else _ENDINGS.sub("", t) for t in tokens]
    if not all(t in words for t in known):
        return False
    runs = (tuple(known[a:b]) for a in range(len(known)) for b in range(a + 1, min(a + _LONGEST, len(known)) + 1))
    return any(run in _PHRASES and (len(run) > 1 or len(run[0]) > 2) for run in runs)


_LEVEL = re.compile(
    r"^(?:(?:sempre|subito|sub\.?)\s+)*(?P<much>(?:ancora\s+|un\s+poco\s+|poco\s+)*(?:piu|meno|poco|quasi|mezzo)\s+)?"
    r"(?P<level>p{1,4}|f{1,4}|m[pf]|piano|forte|pianissimo|fortissimo)(?=$|[\s,.])"
)
_SAID = {"piano": "p", "forte": "f", "pianissimo": "pp", "fortissimo": "ff"}
_GOAL = re.compile(r"\b(?:al|fino al|bis|to)\s+(p{1,4}|f{1,4}|m[pf])$")


@lru_cache(maxsize=256)
def level_of(text: str) -> tuple[str, int]:
    """(dynamic, steps from the one that holds) that words ask for: "sempre pp", "più f", "poco f"; ("", 0) for others.

    >>> level_of("sempre pp e leggiero"), level_of("più f"), level_of("poco f"), level_of("dolce")
    (('pp', 0), ('', 1), ('mf', 0), ('', 0))
    """
    found = _LEVEL.match(fold(text))
    if found is None:
        return "", 0
    level, much = _SAID.get(found["level"], found["level"]), found["much"] or ""
    louder = 1 if level[-1] == "f" else -1
    if "piu" in much or "meno" in much:
        return "", louder if "piu" in much else -louder
    return (f"m{level}" if much and len(level) == 1 else level), 0


def goal_of(text: str) -> str:
    """The dynamic that a cresc. or dim. names as its goal: "ff" of "cresc. al ff"; "" where it names none."""
    found = _GOAL.search(fold(text))
    return found.group(1) if found else ""
