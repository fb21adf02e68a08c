"""A small shorthand for the demo pieces: "D5:4. r:8 | G4+Bb4:2" (pitches, colon, value, dots; t for triplet)."""

from __future__ import annotations

from ductus.core.pitch.pitches import Pitch, parse_pitch
from ductus.core.time.values import TRIPLET, NoteValue

BASES = {"1": "whole", "2": "half", "4": "quarter", "8": "eighth", "16": "16th", "32": "32nd"}
Token = tuple[list[Pitch], NoteValue, str]  # pitches (none: rest), value, syllable


def parse_token(word: str) -> Token:
    """Read one token; a syllable follows after an equals sign.

    >>> parse_token("r:8")[1].base
    'eighth'
    """
    body, _, syllable = word.partition("=")
    names, _, length = body.partition(":")
    triplet = TRIPLET if "t" in length else None
    value = NoteValue(BASES[length.rstrip(".t")], length.count("."), triplet)
    pitches = [] if names == "r" else [parse_pitch(name) for name in names.split("+")]
    return pitches, value, syllable


def parse_line(text: str) -> list[tuple[int, Token]]:
    """(tick, token) of a whole voice; bar lines are only for the eye."""
    out, tick = [], 0
    for word in text.split():
        if word != "|":
            token = parse_token(word)
            out.append((tick, token))
            tick += token[1].ticks
    return out
