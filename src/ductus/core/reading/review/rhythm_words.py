"""What is played inside a beat, in words: "an eighth and two 16ths", "a triplet of eighths"."""

from __future__ import annotations

import itertools
from collections.abc import Iterable

from ductus.core.time.note_values import MAX_TUPLET, NoteValue, Tuplet, describe_value, value_for_ticks
from ductus.core.time.ticks import quarters_of_ticks

NUMBERS = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")
TUPLETS = tuple(
    Tuplet(n, m) for n, m in ((3, 2), (5, 4), (6, 4), (7, 4), (7, 8), (9, 8), (10, 8), (11, 8), (13, 8), (15, 8))
)
TUPLET_NAMES = {3: "triplet", 5: "quintuplet", 7: "septuplet"}


def value_of(ticks: int) -> NoteValue | None:
    """The one value that lasts ``ticks``: plain, dotted, or of a tuplet; None when it needs ties."""
    plain = value_for_ticks(ticks)
    if plain is not None:
        return plain
    for tuplet in TUPLETS:
        scaled = ticks * tuplet.actual
        inside = value_for_ticks(scaled // tuplet.normal) if scaled % tuplet.normal == 0 else None
        if inside is not None and tuplet.actual <= MAX_TUPLET:
            return NoteValue(inside.base, inside.dots, tuplet)
    return None


def length_words(ticks: int) -> str:
    """A length in words: "dotted quarter", "5/4 of a quarter" where no one value lasts so long.

    >>> from ductus.core.time.ticks import QUARTER
    >>> length_words(QUARTER * 3 // 2)
    'dotted quarter'
    """
    value = value_of(ticks)
    return describe_value(value) if value else f"{quarters_of_ticks(ticks)} of a quarter"


def with_article(words: str) -> str:
    """ "an eighth", "a dotted quarter"."""
    return f"{'an' if words[0] in 'aeiou' or words.startswith(('8', '11')) else 'a'} {words}"


def counted(count: int, words: str) -> str:
    """ "a 16th", "two 16ths"."""
    if count == 1:
        return with_article(words)
    return f"{NUMBERS[count] if count < len(NUMBERS) else count} {words}s"


def figure_words(start: int, end: int, places: Iterable[int]) -> str:
    """The rhythm of notes at ``places`` (ticks) inside a beat [start, end); places outside are named after it.

    >>> from ductus.core.time.ticks import QUARTER
    >>> figure_words(0, QUARTER, [0, QUARTER // 2, QUARTER * 3 // 4])
    'an eighth and two 16ths'
    >>> figure_words(0, QUARTER, [0, QUARTER // 3, QUARTER * 2 // 3])
    'a triplet of eighths'
    """
    listed = sorted(set(places))
    inside = [t for t in listed if start <= t < end]
    after = " then on the next beat" if any(t >= end for t in listed) else ""
    before = "from the beat before, " if any(t < start for t in listed) else ""
    if not inside:
        return (before + after.replace(" then ", "", 1)).strip(", ") or "nothing in this beat"
    gaps = [b - a for a, b in itertools.pairwise([*inside, end])]
    lead = f"after {with_article(length_words(inside[0] - start))} rest, " if inside[0] > start else ""
    return before + lead + gap_words(gaps) + ("," + after if after else "")


def gap_words(gaps: list[int]) -> str:
    """Successive lengths in words, equal ones counted together; a full tuplet by its name."""
    value = value_of(gaps[0])
    if value is not None and value.tuplet and len(gaps) == value.tuplet.actual and len(set(gaps)) == 1:
        name = TUPLET_NAMES.get(value.tuplet.actual, f"{value.tuplet.actual}:{value.tuplet.normal}")
        return f"a {name} of {describe_value(NoteValue(value.base, value.dots))}s"
    parts = [counted(len(list(run)), length_words(gap)) for gap, run in itertools.groupby(gaps)]
    return parts[0] if len(parts) == 1 else f"{', '.join(parts[:-1])} and {parts[-1]}"
