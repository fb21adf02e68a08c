"""English as it is said on screen: counts, articles, plurals.

One place, so that no announcement says "1 notes" or "a eighth".
"""

from __future__ import annotations

from collections.abc import Sequence

IRREGULAR = {"half": "halves"}
VOWEL_SOUNDS = ("a", "e", "i", "o", "8", "11:", "18:")


def article(words: str) -> str:
    """ "a" or "an", as it is spoken before these words.

    >>> article("eighth"), article("16th"), article("dotted half")
    ('an', 'a', 'a')
    """
    return "an" if words.startswith(VOWEL_SOUNDS) else "a"


def plural(thing: str) -> str:
    """More than one of a thing; the last word counts.

    >>> plural("dotted half"), plural("16th"), plural("eighth triplet")
    ('dotted halves', '16ths', 'eighth triplets')
    """
    head, _, last = thing.rpartition(" ")
    many = IRREGULAR.get(last, f"{last}s")
    return f"{head} {many}" if head else many


def count_words(count: int, thing: str) -> str:
    """ "1 note", "12 notes"."""
    return f"{count:,} {thing if abs(count) == 1 else plural(thing)}"


def listed(words: Sequence[str], most: int = 4) -> str:
    """ "C 4 and E 4"; of many only the first few."""
    shown = list(words[:most])
    if len(words) > most:
        return ", ".join(shown) + f" and {len(words) - most} more"
    return " and ".join([", ".join(shown[:-1]), shown[-1]] if len(shown) > 2 else shown)


def ordinal(number: int) -> str:
    """ "1st", "2nd", "12th".

    >>> [ordinal(n) for n in (1, 2, 3, 4, 11, 22)]
    ['1st', '2nd', '3rd', '4th', '11th', '22nd']
    """
    ending = "th" if 10 <= number % 100 <= 20 else {1: "st", 2: "nd", 3: "rd"}.get(number % 10, "th")
    return f"{number}{ending}"


def capital(sentence: str) -> str:
    """The sentence with a capital at its head."""
    return sentence[:1].upper() + sentence[1:]


def with_the(place: str) -> str:
    """A place with the article that English wants: "the pick-up, beat 3", "bar 2, beat 1"."""
    return f"the {place}" if place.startswith(("pick-up", "last")) else place
