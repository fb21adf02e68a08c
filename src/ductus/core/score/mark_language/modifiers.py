"""Words of marks that are put together: "poco rit.", "cresc. poco a poco", "molto espr.", and how much they ask for.

The words are those of any dictionary of musical terms (common practice); what a word does to the tempo is in
``playback.tempi``.
"""

from __future__ import annotations

import re
from functools import lru_cache

from ductus.core.score.mark_language.terms import AT_ONCE, EXPRESSIONS, RETURNING, SLOWING, SPEEDING

TEMPO_WORDS = (*SLOWING, *SPEEDING, *AT_ONCE, *RETURNING)
GRADUAL = ("cresc.", "dim.", "decresc.")
LOUDER = ("<", "cresc.")
SIGNS_TOO = ("marcato", "staccato", "tenuto", "portato")  # words beside others, signs of notes by themselves
MODIFIERS = (
    "poco a poco",
    "un poco",
    "poco",
    "molto",
    "assai",
    "sempre",
    "subito",
    "più",
    "meno",
    "ben",
    "ma non troppo",
    "e",
    "ed",
    "ma",
)
SAID_SHORT = {"ritard.": "rit.", "crescendo": "cresc.", "diminuendo": "dim.", "decrescendo": "decresc."}
AMOUNTS = {
    "poco": 0.5,
    "un poco": 0.5,
    "molto": 1.6,
    "assai": 1.6,
}  # share of what the word asks for by itself: our own choice
_MOST = "|".join(re.escape(m) for m in sorted(MODIFIERS, key=len, reverse=True))
_BASES = {w.casefold().rstrip("."): w for w in (*TEMPO_WORDS, *GRADUAL)} | {
    k.rstrip("."): w for k, w in SAID_SHORT.items() if w in GRADUAL or w in SLOWING
}
_MODIFIED = re.compile(
    rf"^(?P<before>(?:(?:{_MOST})\s+)*?)"
    rf"(?P<base>{'|'.join(re.escape(b) for b in sorted(_BASES, key=len, reverse=True))})\.?"
    rf"(?P<behind>(?:\s+(?:{_MOST}))*(?:\s+(?:al|fino al|bis|to)\s+(?:[pmfsz]+|niente))?)$",
    re.I,
)
_ALONE = {words.casefold().rstrip(".") for words in (*EXPRESSIONS, *MODIFIERS, *SIGNS_TOO) if len(words) > 2}
_TOKENS = {
    t.casefold().rstrip(".") for words in (*EXPRESSIONS, *MODIFIERS, *SIGNS_TOO, *GRADUAL) for t in words.split()
}


@lru_cache(maxsize=1024)
def modified(text: str) -> tuple[str, str] | None:
    """(the words as they are printed, the word without what says how much) of tempo and dynamics; None for other words.

    >>> modified("Poco rit"), modified("cresc. poco a poco"), modified("dolce")
    (('poco rit.', 'rit.'), ('cresc. poco a poco', 'cresc.'), None)
    """
    found = _MODIFIED.match(text)
    if found is None:
        return None
    base = _BASES[found["base"].casefold()]
    return f"{found['before'].casefold()}{base}{found['behind'].casefold()}", base


def base_of(text: str) -> str:
    """The word of tempo or dynamics in a text: "rit." of "poco rit."; the text itself where it holds none."""
    found = modified(text)
    return found[1] if found else text


def amount_of(text: str) -> float:
    """How much of what its word asks for by itself: .5 for "poco rit.", 1.6 for "molto rit."."""
    left = text.casefold().replace("poco a poco", "")
    return next((much for word, much in AMOUNTS.items() if re.search(rf"\b{word}\b", left)), 1.0)


def expression(text: str) -> bool:
    """Are these words of expression, and nothing else: "molto espr.", "dolce e cantabile"?"""
    tokens = [t.casefold().rstrip(".") for t in text.split()]
    return all(t in _TOKENS for t in tokens) and any(t in _ALONE for t in tokens)
