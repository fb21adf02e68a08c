"""Swing in words: "Swing", "Swing 60 %", "Swing 16ths", "Straight", and the share of a pair that its first note takes.

Conventions: shares in thousandths of the pair; "swing" alone is the triplet's two to one (common practice). A pair is
two eighths, or two 16ths where the words say so. "Light" and "hard" are shares of our own choice.
"""

from __future__ import annotations

import re

from ductus.core.score.model.mark_kinds import LEAST_SHARE, MOST_SHARE
from ductus.core.time.ticks import QUARTER

STRAIGHT, TWO_TO_ONE = 500, 667
LIGHT, HARD = 600, 720
SWUNG_WORDS = ("Swing", "Swing eighths", "Swing 16ths", "Light swing", "Hard swing", "Swung", "Shuffle")
STRAIGHT_WORDS = ("Straight", "Straight eighths", "Even eighths", "Straight 16ths")
WORDS = (*SWUNG_WORDS, *STRAIGHT_WORDS)
_FOLDED = {w.casefold() for w in WORDS}
_NUMBER = re.compile(r"^(?P<words>.+?)\s+(?:(?P<percent>\d\d(?:\.\d)?)\s*%?|(?P<a>\d{1,2})\s*:\s*(?P<b>\d{1,2}))$")
_SHORT = re.compile(r"16ths?|sixteenths?|semiquavers?", re.I)


def swing_words(text: str) -> tuple[str, int] | None:
    """(the words as they are printed, the share) of a swing sign; None for other words, and for shares out of reach.

    >>> swing_words("swing"), swing_words("swing 60%"), swing_words("Straight eighths"), swing_words("waltz")
    (('Swing', 667), ('Swing 60%', 600), ('Straight eighths', 500), None)
    """
    text = " ".join(text.split())
    number = _NUMBER.match(text)
    words = number["words"] if number else text
    folded = words.casefold()
    if folded not in _FOLDED:
        return None
    if folded in {w.casefold() for w in STRAIGHT_WORDS}:
        share = STRAIGHT
    elif number is None:
        share = LIGHT if folded.startswith("light") else HARD if folded.startswith("hard") else TWO_TO_ONE
    elif number["percent"]:
        share = round(float(number["percent"]) * 10)
    else:
        a, b = int(number["a"]), int(number["b"])
        share = round(1000 * a / (a + b)) if a + b else 0
    return (text[0].upper() + text[1:], share) if LEAST_SHARE <= share <= MOST_SHARE else None


def pair_of(text: str) -> int:
    """Ticks of the pair that a sign swings: two eighths, or two 16ths.

    >>> pair_of("Swing 16ths") * 2 == pair_of("Swing")
    True
    """
    return QUARTER // 2 if _SHORT.search(text) else QUARTER
