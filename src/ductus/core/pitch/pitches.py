"""Spelled pitches.

Conventions: steps are the letters C..B, ``alter`` counts semitones (+1 sharp), octave 4 begins at middle C
(MIDI 60), as in MusicXML 4.0. The line of fifths numbers spelled pitch classes: F -1, C 0, G 1, D 2 and so
on; B flat is -2, F sharp 6.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache

from ductus.core.errors import BadInput

STEPS = "CDEFGAB"
STEP_SEMITONES = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
FIFTHS_OF_STEP = {"F": -1, "C": 0, "G": 1, "D": 2, "A": 3, "E": 4, "B": 5}
ALTER_WORDS = {-2: " double flat", -1: " flat", 0: "", 1: " sharp", 2: " double sharp"}
ALTER_SIGNS = {-2: "bb", -1: "b", 0: "", 1: "#", 2: "##"}


@dataclass(frozen=True, slots=True)
class Pitch:
    """A spelled pitch such as Pitch('F', 1, 4).

    >>> Pitch("C", 0, 4).midi
    60
    """

    step: str
    alter: int
    octave: int

    @property
    def midi(self) -> int:
        """MIDI key number of the sounding pitch."""
        return 12 * (self.octave + 1) + STEP_SEMITONES[self.step] + self.alter

    @property
    def diatonic(self) -> int:
        """Staff steps above C0: middle C is 28."""
        return 7 * self.octave + STEPS.index(self.step)

    @property
    def fifths(self) -> int:
        """Place on the line of fifths, C = 0."""
        return FIFTHS_OF_STEP[self.step] + 7 * self.alter

    def __str__(self) -> str:
        return f"{self.step}{ALTER_SIGNS[self.alter]}{self.octave}"


def pitch_words(pitch: Pitch) -> str:
    """Say a pitch: "F sharp 4"."""
    return f"{pitch.step}{ALTER_WORDS[pitch.alter]} {pitch.octave}"


@lru_cache(maxsize=8192)
def pitch_on_line(midi: int, fifths: int) -> Pitch:
    """Return the pitch with this sound and this place on the line of fifths.

    Raises BadInput if the two do not belong together.
    """
    alter, index = divmod(fifths + 1, 7)
    step = "FCGDAEB"[index]
    octave = (midi - alter - STEP_SEMITONES[step]) // 12 - 1
    pitch = Pitch(step, alter, octave)
    if pitch.midi != midi:
        raise BadInput(f"MIDI key {midi} cannot be spelled at {fifths} on the line of fifths.")
    return pitch


@lru_cache(maxsize=8192)
def spell_in_key(midi: int, key_fifths: int, leaning: int = 0) -> Pitch:
    """Spell a key by signature alone: the nearest place on the line of fifths to the key's middle.

    The twelve names run from 5 flats-side to 6 sharps-side of the tonic (common practice: in C major C sharp,
    E flat, F sharp, G sharp, B flat). ``leaning`` +1 prefers sharps (a rising line), -1 flats.

    >>> str(spell_in_key(61, -3))
    'Db4'
    """
    centre = key_fifths + 2 + 2 * leaning
    pitch_class = midi % 12
    best = min(
        (f for f in range(-15, 20) if (f * 7) % 12 == pitch_class),
        key=lambda f: (abs(f - centre - 0.25), abs(f)),
    )
    return pitch_on_line(midi, best)


PITCH_PATTERN = re.compile(r"^([A-Ga-g])(##|#|bb|b|x)?(-?\d)$")


def parse_pitch(text: str) -> Pitch:
    """Read "F#4" or "Bb2". Raises BadInput otherwise."""
    match = PITCH_PATTERN.match(text.strip())
    if not match:
        raise BadInput(f"'{text[:20]}' is no pitch; write it as F#4 or Bb2 (C4 is middle C).")
    alter = {None: 0, "#": 1, "##": 2, "x": 2, "b": -1, "bb": -2}[match.group(2)]
    return Pitch(match.group(1).upper(), alter, int(match.group(3)))
