"""Chord symbols: which pitch classes they hold, and the nearest key that is one of them.

The kinds and their intervals are common practice; the written kinds are those of MusicXML 4.0 (``kind-value``).
"""

from __future__ import annotations

import re
from functools import lru_cache

from ductus.core.errors import BadInput

# suffix -> (MusicXML kind, semitones above the root)
KINDS: dict[str, tuple[str, tuple[int, ...]]] = {
    "": ("major", (0, 4, 7)),
    "m": ("minor", (0, 3, 7)),
    "dim": ("diminished", (0, 3, 6)),
    "aug": ("augmented", (0, 4, 8)),
    "7": ("dominant", (0, 4, 7, 10)),
    "maj7": ("major-seventh", (0, 4, 7, 11)),
    "m7": ("minor-seventh", (0, 3, 7, 10)),
    "dim7": ("diminished-seventh", (0, 3, 6, 9)),
    "m7b5": ("half-diminished", (0, 3, 6, 10)),
    "6": ("major-sixth", (0, 4, 7, 9)),
    "m6": ("minor-sixth", (0, 3, 7, 9)),
    "9": ("dominant-ninth", (0, 2, 4, 7, 10)),
    "sus2": ("suspended-second", (0, 2, 7)),
    "sus4": ("suspended-fourth", (0, 5, 7)),
    "5": ("power", (0, 7)),
}
PATTERN = re.compile(r"^([A-G])(#|b)?(.*?)(?:/([A-G])(#|b)?)?$")
CLASS_OF = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
ALTERS = {None: 0, "#": 1, "b": -1}


@lru_cache(maxsize=512)
def parse_chord(text: str) -> tuple[str, int, str, frozenset[int]]:
    """(root letter, its alteration, suffix, pitch classes) of a symbol such as "Bbm7" or "D7/F#". Raises BadInput.

    >>> sorted(parse_chord("D7")[3])
    [0, 2, 6, 9]
    """
    match = PATTERN.match(text.strip())
    if not match or match.group(3) not in KINDS:
        known = ", ".join(k for k in KINDS if k)
        raise BadInput(f"'{text[:20]}' is no chord symbol that Ductus knows; write a root and one of: {known}.")
    letter, accidental, suffix, bass, bass_accidental = match.groups()
    root = CLASS_OF[letter] + ALTERS[accidental]
    classes = {(root + i) % 12 for i in KINDS[suffix][1]}
    if bass:
        classes.add((CLASS_OF[bass] + ALTERS[bass_accidental]) % 12)
    return letter, ALTERS[accidental], suffix, frozenset(classes)


def scale_classes(fifths: int) -> frozenset[int]:
    """Pitch classes of a key signature."""
    tonic = (7 * fifths) % 12
    return frozenset((tonic + s) % 12 for s in (0, 2, 4, 5, 7, 9, 11))


def allowed_classes(symbol: str, fifths: int | None) -> frozenset[int]:
    """Chord tones, or chord and key tones when a signature is given."""
    classes = parse_chord(symbol)[3]
    return classes if fifths is None else classes | scale_classes(fifths)


def nearest_allowed(key: int, classes: frozenset[int]) -> int:
    """The nearest MIDI key of those classes, the lower one of two; stays inside 0..127.

    >>> nearest_allowed(61, frozenset({0, 4, 7}))
    60
    """
    around = (k for d in range(12) for k in (key - d, key + d))
    return next((k for k in around if 0 <= k <= 127 and k % 12 in classes), key)
