"""Scales by name: which pitch classes they hold. Intervals are common practice."""

from __future__ import annotations

import re

from ductus.core.errors import BadInput
from ductus.core.pitch.chord_symbols import ALTERS, CLASS_OF

SCALES: dict[str, tuple[int, ...]] = {
    "major": (0, 2, 4, 5, 7, 9, 11),
    "minor": (0, 2, 3, 5, 7, 8, 10),
    "harmonic minor": (0, 2, 3, 5, 7, 8, 11),
    "melodic minor": (0, 2, 3, 5, 7, 9, 11),
    "dorian": (0, 2, 3, 5, 7, 9, 10),
    "phrygian": (0, 1, 3, 5, 7, 8, 10),
    "lydian": (0, 2, 4, 6, 7, 9, 11),
    "mixolydian": (0, 2, 4, 5, 7, 9, 10),
    "locrian": (0, 1, 3, 5, 6, 8, 10),
    "major pentatonic": (0, 2, 4, 7, 9),
    "minor pentatonic": (0, 3, 5, 7, 10),
    "blues": (0, 3, 5, 6, 7, 10),
    "whole tone": (0, 2, 4, 6, 8, 10),
    "octatonic": (0, 2, 3, 5, 6, 8, 9, 11),
    "chromatic": tuple(range(12)),
}
_KINDS = "|".join(map(re.escape, SCALES))
WRITTEN = re.compile(rf"^(?:scale\s+)?([A-G])\s*(#|b|♯|♭|sharp|flat)?\s+({_KINDS})(?:\s+scale)?$", re.I)
SIGNS = {"sharp": "#", "flat": "b", "♯": "#", "♭": "b"}


def scale_named(text: str) -> str | None:
    """The name of a scale as it is kept ("Bb blues"), or None where a text names none.

    >>> scale_named("scale D dorian"), scale_named("b flat blues"), scale_named("dolce")
    ('D dorian', 'Bb blues', None)
    """
    match = WRITTEN.match(" ".join(text.split()))
    if match is None:
        return None
    letter, sign, name = match.groups()
    return f"{letter.upper()}{SIGNS.get((sign or '').casefold(), sign or '')} {name.casefold()}"


def named_scale_classes(text: str) -> frozenset[int]:
    """Pitch classes of a scale by its name. Raises BadInput.

    >>> sorted(named_scale_classes("A minor pentatonic"))
    [0, 2, 4, 7, 9]
    """
    name = scale_named(text)
    if name is None:
        raise BadInput(
            f"“{text[:30]}” is no scale: write a letter and one of {', '.join(SCALES)}. Nothing was changed."
        )
    root, _, kind = name.partition(" ")
    tonic = CLASS_OF[root[0]] + ALTERS[root[1:]]
    return frozenset((tonic + step) % 12 for step in SCALES[kind])
