"""A small shorthand for the demo pieces: "D5:4. r:8 | G4+Bb4:2" (pitches, colon, value, dots; t for triplet).

Before a pitch may stand grace notes with a stroke, "C#5'D5:4"; after the value "~" for a trill, "%" for a turn, "^"
for a rolled chord.
"""

from __future__ import annotations

from dataclasses import dataclass

from ductus.core.pitch.pitches import Pitch, parse_pitch
from ductus.core.time.note_values import TRIPLET, NoteValue

BASES = {"1": "whole", "2": "half", "4": "quarter", "8": "eighth", "16": "16th", "32": "32nd"}
SIGNS = {"~": "trill", "%": "turn", "^": "rolled"}


@dataclass(frozen=True, slots=True)
class Token:
    """Pitches (none: a rest), value, syllable, sign ("" for none), grace notes."""

    pitches: list[Pitch]
    value: NoteValue
    syllable: str = ""
    sign: str = ""
    grace_notes: tuple[Pitch, ...] = ()


def parse_token(word: str) -> Token:
    """Read one token; a syllable follows after an equals sign.

    >>> parse_token("r:8").value.base
    'eighth'
    """
    body, _, syllable = word.partition("=")
    names, _, length = body.partition(":")
    *graces, names = names.split("'")
    sign = SIGNS.get(length[-1], "")
    length = length.rstrip("~%^")
    triplet = TRIPLET if "t" in length else None
    value = NoteValue(BASES[length.rstrip(".t")], length.count("."), triplet)
    pitches = [] if names == "r" else [parse_pitch(name) for name in names.split("+")]
    return Token(pitches, value, syllable, sign, tuple(parse_pitch(name) for name in graces))


def parse_line(text: str) -> list[tuple[int, Token]]:
    """(tick, token) of a whole voice; bar lines are only for the eye."""
    out, tick = [], 0
    for word in text.split():
        if word != "|":
            token = parse_token(word)
            out.append((tick, token))
            tick += token.value.ticks
    return out
