"""Words under notes: a text spread over notes as singers' parts are written, and fingers over keys.

In a text, a space ends a word, a hyphen a syllable, and an underscore lets the syllable go on over one more note:
"Ro-se _ red". An undertie (U+203F, or U+035C over two letters) joins the syllables of two words on one note.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

from ductus.core.errors import BadInput
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.note_signs import with_sign
from ductus.core.score.model.records import Note, Syllable, joined_by_undertie, printable
from ductus.core.words import count_words

MOST_VERSES = 9
LONGEST = 40  # letters of a syllable
TOKEN = re.compile(r"[^\s_-]+|[-_]|\s+")


@dataclass(frozen=True, slots=True)
class Sung:
    """What one note gets: a syllable and how it is joined, or nothing where the one before goes on."""

    text: str = ""
    hyphen_before: bool = False
    hyphen_after: bool = False
    holds: bool = False


def spread(text: str) -> list[Sung]:
    """A text as one entry for each note.

    >>> [(s.text, s.hyphen_after, s.holds) for s in spread("Ro-se _ red")]
    [('Ro', True, False), ('se', False, False), ('', False, True), ('red', False, False)]
    """
    out: list[Sung] = []
    joined = False
    for token in TOKEN.findall(text):
        if token.isspace():
            continue
        if token == "_":
            out.append(Sung(holds=True))
        elif token == "-":
            if joined and out:  # a second hyphen: the syllable goes on over one more note
                out.append(Sung(hyphen_before=True, hyphen_after=True))
            elif out:
                out[-1] = replace(out[-1], hyphen_after=True)
            joined = True
            continue
        else:
            out.append(
                Sung(joined_by_undertie(printable(token))[:LONGEST].replace("~", "\u00a0"), hyphen_before=joined)
            )
        joined = False
    return out


def syllables(text: str, verse: int = 1) -> tuple[Syllable, ...]:
    """One syllable written with its hyphens, "-se" or "Ro-"; nothing for an empty text."""
    bare = text.strip("-_")
    if not bare:
        return ()
    return (Syllable(bare, syllabic(text.startswith("-"), text.endswith("-")), verse, text.endswith("_")),)


def syllabic(before: bool, after: bool) -> str:
    """The place of a syllable in its word, as MusicXML names it."""
    return {(False, False): "single", (False, True): "begin", (True, False): "end", (True, True): "middle"}[
        before, after
    ]


def with_syllable(note: Note, syllable: Syllable | None, verse: int) -> Note:
    """The note with another syllable in a verse (None: without one)."""
    others = [s for s in note.lyrics if s.verse != verse]
    both = [*others, *([syllable] if syllable else [])]
    return replace(note, lyrics=tuple(sorted(both, key=lambda s: s.verse)))


def sung(draft: Draft, chords: Sequence[Note], text: str, verse: int) -> str:
    """Spread a text over notes; returns what is said. Raises BadInput for a text of nothing."""
    if not 1 <= verse <= MOST_VERSES:
        raise BadInput(f"There are at most {MOST_VERSES} verses. Nothing was changed.")
    words = spread(text)
    if not words:
        raise BadInput("There are no words to sing in that. Nothing was changed.")
    last: Note | None = None
    for note, word in zip(chords, words, strict=False):
        if word.text:
            last = with_syllable(
                note, Syllable(word.text, syllabic(word.hyphen_before, word.hyphen_after), verse), verse
            )
            draft.put(last)
            continue
        held = Syllable("", verse=verse, extends=True) if word.holds and last is not None else None
        draft.put(with_syllable(note, held, verse))
        if held is not None and last is not None:
            own = next(s for s in last.lyrics if s.verse == verse)
            last = with_syllable(last, replace(own, extends=True), verse)
            draft.put(last)
    given = min(len(words), len(chords))
    of_verse = f" of verse {verse}" if verse > 1 else ""
    left = len(words) - given
    over = f"; {count_words(left, 'syllable')} found no note: “{_text_of(words[given:])}”" if left else ""
    return f"words{of_verse} under {count_words(given, 'note')}{over}"


def _text_of(words: Sequence[Sung]) -> str:
    text = "".join((w.text or "_") + ("-" if w.hyphen_after else " ") for w in words).strip()
    return text if len(text) <= 60 else text[:60] + " ..."


def fingered(draft: Draft, notes: Sequence[Note], fingers: Sequence[int]) -> int:
    """Give notes their fingers, one each, in order; returns how many got one."""
    pairs = list(zip(notes, fingers, strict=False))
    for note, finger in pairs:
        draft.put(replace(note, signs=with_sign(note.signs, f"finger-{finger}")))
    return len(pairs)
