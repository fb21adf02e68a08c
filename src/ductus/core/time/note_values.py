"""Note values, dots and tuplets.

Conventions: names are the MusicXML 4.0 ``note-type-value`` words. A tuplet ``actual:normal`` writes
``actual`` equal notes in the time of ``normal`` of the same value; ``actual`` is at most 16, which keeps
every length exact in ticks (see ``ticks``).
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from ductus.core.errors import CannotWrite
from ductus.core.time.ticks import WHOLE

BASE_TICKS: dict[str, int] = {
    "breve": 2 * WHOLE,
    "whole": WHOLE,
    "half": WHOLE // 2,
    "quarter": WHOLE // 4,
    "eighth": WHOLE // 8,
    "16th": WHOLE // 16,
    "32nd": WHOLE // 32,
    "64th": WHOLE // 64,
    "128th": WHOLE // 128,
    "256th": WHOLE // 256,
}
STEP_BASES = ("whole", "half", "quarter", "eighth", "16th", "32nd", "64th", "128th")
MAX_DOTS = 2
MAX_TUPLET = 16


@dataclass(frozen=True, slots=True)
class Tuplet:
    """``actual`` notes in the time of ``normal``, both 1..16.

    >>> Tuplet(7, 8).scale
    Fraction(8, 7)
    """

    actual: int
    normal: int

    def __post_init__(self) -> None:
        if not (2 <= self.actual <= MAX_TUPLET and 1 <= self.normal <= MAX_TUPLET):
            raise CannotWrite(
                f"A tuplet of {self.actual} in the time of {self.normal} cannot be written: "
                f"Ductus takes 2 to {MAX_TUPLET} notes in the time of 1 to {MAX_TUPLET}."
            )

    @property
    def scale(self) -> Fraction:
        """Sounding length over written length."""
        return Fraction(self.normal, self.actual)


TRIPLET = Tuplet(3, 2)


@dataclass(frozen=True, slots=True)
class NoteValue:
    """A written value: a base, up to two dots, possibly inside a tuplet."""

    base: str
    dots: int = 0
    tuplet: Tuplet | None = None

    def __post_init__(self) -> None:
        if self.base not in BASE_TICKS:
            raise CannotWrite(f"There is no note value called '{self.base}'.")
        if not 0 <= self.dots <= MAX_DOTS:
            raise CannotWrite(f"A note takes at most {MAX_DOTS} dots, not {self.dots}.")

    @property
    def plain_ticks(self) -> int:
        """Length without the tuplet."""
        return dotted_ticks(self.base, self.dots)

    @property
    def ticks(self) -> int:
        """Length in ticks, tuplet included (exact)."""
        if self.tuplet is None:
            return self.plain_ticks
        ticks = self.plain_ticks * self.tuplet.scale
        if ticks.denominator != 1:
            raise CannotWrite(f"{describe_value(self)} is finer than Ductus writes.")
        return int(ticks)


def dotted_ticks(base: str, dots: int) -> int:
    """Length of a base value with dots, in ticks.

    >>> dotted_ticks("quarter", 1) == 3 * dotted_ticks("eighth", 0)
    True
    """
    plain = BASE_TICKS[base]
    return 2 * plain - (plain >> dots)


VALUE_BY_TICKS: dict[int, NoteValue] = {
    dotted_ticks(base, dots): NoteValue(base, dots) for base in BASE_TICKS for dots in range(MAX_DOTS + 1)
}


def value_for_ticks(ticks: int) -> NoteValue | None:
    """Return the one plain or dotted value that lasts ``ticks``, or None when it needs ties or a tuplet.

    >>> value_for_ticks(WHOLE * 3 // 8)
    NoteValue(base='quarter', dots=1, tuplet=None)
    """
    return VALUE_BY_TICKS.get(ticks)


BRITISH = {
    "breve": "breve",
    "whole": "semibreve",
    "half": "minim",
    "quarter": "crotchet",
    "eighth": "quaver",
    "16th": "semiquaver",
    "32nd": "demisemiquaver",
    "64th": "hemidemisemiquaver",
    "128th": "quasihemidemisemiquaver",
    "256th": "demisemihemidemisemiquaver",
}
DOT_WORDS = ("", "dotted ", "double-dotted ")
TUPLET_WORDS = {(3, 2): "triplet", (5, 4): "quintuplet", (7, 4): "septuplet", (7, 8): "septuplet 7:8"}


def describe_value(value: NoteValue, *, british: bool = False) -> str:
    """Return the value in words: "dotted quarter", "eighth triplet", "16th 11:8".

    >>> describe_value(NoteValue("eighth", 0, TRIPLET))
    'eighth triplet'
    """
    name = BRITISH[value.base] if british else value.base
    words = DOT_WORDS[value.dots] + name
    if value.tuplet is None:
        return words
    pair = (value.tuplet.actual, value.tuplet.normal)
    return f"{words} {TUPLET_WORDS.get(pair, f'{pair[0]}:{pair[1]}')}"
