"""Key signatures.

Conventions: a key is its number of fifths, -7 (seven flats) to 7 (seven sharps), and a mode.
"""

from __future__ import annotations

from functools import lru_cache

from ductus.core.errors import BadInput
from ductus.core.pitch.pitches import STEPS, Pitch

SHARP_ORDER = "FCGDAEB"
MAJOR_NAMES = {
    i - 7: name
    for i, name in enumerate(
        (
            "C flat",
            "G flat",
            "D flat",
            "A flat",
            "E flat",
            "B flat",
            "F",
            "C",
            "G",
            "D",
            "A",
            "E",
            "B",
            "F sharp",
            "C sharp",
        )
    )
}
MINOR_NAMES = {
    i - 7: name
    for i, name in enumerate(
        (
            "A flat",
            "E flat",
            "B flat",
            "F",
            "C",
            "G",
            "D",
            "A",
            "E",
            "B",
            "F sharp",
            "C sharp",
            "G sharp",
            "D sharp",
            "A sharp",
        )
    )
}


@lru_cache(maxsize=16)
def signature(fifths: int) -> dict[str, int]:
    """Alteration of each letter under a key signature.

    >>> signature(-2)["E"], signature(1)["F"], signature(0)["C"]
    (-1, 1, 0)
    """
    check_fifths(fifths)
    return {
        step: int(step in SHARP_ORDER[: max(fifths, 0)]) - int(step in SHARP_ORDER[::-1][: max(-fifths, 0)])
        for step in SHARP_ORDER
    }


def check_fifths(fifths: int) -> None:
    """Raise BadInput unless a signature of so many fifths exists."""
    if not -7 <= fifths <= 7:
        raise BadInput(f"A key signature has at most seven sharps or flats, not {abs(fifths)}.")


def key_words(fifths: int, mode: str = "major") -> str:
    """Say a key: "G minor".

    >>> key_words(-2, "minor")
    'G minor'
    """
    check_fifths(fifths)
    return f"{(MINOR_NAMES if mode == 'minor' else MAJOR_NAMES)[fifths]} {mode}"


def signature_words(fifths: int) -> str:
    """Say a key signature by its two keys: "B flat major or G minor".

    >>> signature_words(-2)
    'B flat major or G minor'
    """
    return f"{key_words(fifths)} or {key_words(fifths, 'minor')}"


DEGREES = ("tonic", "supertonic", "mediant", "subdominant", "dominant", "submediant", "leading note")
ORDINALS = ("first", "second", "third", "fourth", "fifth", "sixth", "seventh")
ALTERED = {
    -3: "three times lowered ",
    -2: "twice lowered ",
    -1: "lowered ",
    1: "raised ",
    2: "twice raised ",
    3: "three times raised ",
}
TONIC_OF_MINOR = 3  # fifths from the major tonic of the same signature


def degree_words(pitch: Pitch, fifths: int, mode: str = "major") -> str:
    """Say what a pitch is in a key (common practice): "leading note", "raised sixth", "lowered second".

    >>> degree_words(Pitch("F", 1, 4), -2, "minor"), degree_words(Pitch("E", 0, 4), -2, "minor")
    ('leading note', 'raised sixth')
    """
    minor = mode == "minor"
    tonic = fifths + (TONIC_OF_MINOR if minor else 0)
    degree = (STEPS.index(pitch.step) - STEPS.index("FCGDAEB"[(tonic + 1) % 7])) % 7
    off = pitch.alter - signature(fifths)[pitch.step]
    if minor and degree == 6:
        return "leading note" if off == 1 else "subtonic" if not off else f"{ALTERED[off]}seventh"
    return f"{ALTERED[off]}{ORDINALS[degree]}" if off else DEGREES[degree]
