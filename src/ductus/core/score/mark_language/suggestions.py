"""What typed words could become while they are typed, and what is asked of words that nobody knows."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass, replace

from ductus.core.errors import BadInput
from ductus.core.score.mark_language.parser import (
    EXACT,
    EXPLAINED,
    NAMED_KIND,
    QUOTED,
    VOCABULARY,
    Wish,
    near_words,
    wish_of,
)


@dataclass(frozen=True, slots=True)
class Suggestion:
    """What typed words could become: the words to give, how it is said, and its picture.

    ``explains``: one of EXPLAINED, where the words are not known and a person is asked what they are.
    """

    text: str
    words: str
    picture: str = ""
    explains: str = ""


MOST_SUGGESTED = 9


def suggestions(text: str, kind: str = "") -> list[Suggestion]:
    """What a beginning could become, the likeliest first; plain words last. An empty text gives the commonest marks.

    Of words that are not known it is asked what they are; ``kind``: one of EXPLAINED that a person answered before.
    """
    text = " ".join(text.split())
    if not text:
        common = ("mf", "p", "f", "staccato", "accent", "slur", "<", "pedal", "rit.")
        return [Suggestion(w, EXACT[w].words, EXACT[w].picture) for w in common]
    out: dict[tuple[str, str, str, bool], Suggestion] = {}

    def add(written: str, wish: Wish) -> None:
        no = "no " if wish.without else ""
        out.setdefault(
            (wish.sort, wish.kind, wish.text, wish.without), Suggestion(written, no + wish.words, wish.picture)
        )

    with contextlib.suppress(BadInput):
        add(text, wish_of(text))
    prefix, rest = ("no ", text[3:]) if text.startswith("no ") else ("", text)
    beginning = rest.casefold()
    for exact in (True, False):
        for written, wish in VOCABULARY:
            folded = written.casefold()
            if (folded.startswith(beginning)) if exact else any(w.startswith(beginning) for w in folded.split()[1:]):
                add(prefix + written, replace(wish, without=bool(prefix)))
    begun = bool(out)
    if not begun and not QUOTED.match(text):
        for word in near_words(rest):
            add(prefix + word, replace(wish_of(word), without=bool(prefix)))
    found = list(out.values())[: MOST_SUGGESTED - 1]
    if QUOTED.match(text) or prefix or NAMED_KIND.match(text):
        return found
    if begun:
        return [*found, Suggestion(f'"{text}"', f"the words “{text}”")]
    asked = [Suggestion(f"{k}: {text}", f"“{text}” is {words}", explains=k) for k, words in EXPLAINED.items()]
    if kind:
        said = next(s for s in asked if s.explains == kind)
        return [replace(said, explains=""), *found, *(s for s in asked if s is not said)]
    return [*found[: MOST_SUGGESTED - len(asked)], *asked]
