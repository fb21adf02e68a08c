"""Ready figures of accompaniment: a bar of chord tones in rhythm, brought in over bars and lengthened at will; the
chord symbols say which tones.

A figure is a row of steps of equal length: "b" the bass, "f" the chord's fifth under it or above it, "*" the whole
chord, "1", "2", "3" its lowest, middle and highest tone, "-" what sounds goes on, "." silence. The figures and their
names are common practice of players of keyboards.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

from ductus.core.errors import BadInput
from ductus.core.pitch.chord_symbols import NO_CHORD, ChordSymbol, parse_chord
from ductus.core.pitch.pitches import FIFTHS_OF_STEP, Pitch, spell_in_key
from ductus.core.score.catalogues.harmony import mark_before
from ductus.core.score.model.piece import Piece
from ductus.core.time.bars import Bar
from ductus.core.time.meters import Meter

MOST_TONES = 4  # of a chord in one hand
MINOR_KINDS = ("minor", "diminished", "half-diminished")
HOLDS, RESTS = "-", "."


@dataclass(frozen=True, slots=True)
class Register:
    """Where a figure lies on a staff: the lowest key of its bass, the key about which its chords lie."""

    bass: int
    chords: float


LOW, HIGH = Register(36, 55.0), Register(53, 67.0)  # on a bass staff; on any other


@dataclass(frozen=True, slots=True)
class Figure:
    """A figure for bars of ``beats`` (count, unit)."""

    name: str
    beats: tuple[int, int]
    row: str

    @property
    def steps(self) -> list[str]:
        """What each step of a bar does."""
        return self.row.split()

    def fits(self, meter: Meter) -> bool:
        """Is it for bars of this meter?"""
        return self.beats == (meter.count, meter.unit)


FIGURES: tuple[Figure, ...] = (
    Figure("held chords", (4, 4), "* - - -"),
    Figure("chords on the beats", (4, 4), "* * * *"),
    Figure("bass and chords", (4, 4), "b * f *"),
    Figure("broken chords", (4, 4), "1 3 2 3 1 3 2 3"),
    Figure("rising and falling eighths", (4, 4), "b 1 2 3 b 1 2 3"),
    Figure("chords off the beat", (4, 4), ". * . * . * . *"),
    Figure("held chords", (3, 4), "* - -"),
    Figure("waltz bass", (3, 4), "b * *"),
    Figure("broken chords", (3, 4), "1 3 2 3 2 3"),
    Figure("rising and falling eighths", (3, 4), "b 1 2 3 2 1"),
    Figure("bass and chords", (2, 4), "b * f *"),
    Figure("broken chords", (2, 4), "1 3 2 3"),
    Figure("held chords", (6, 8), "* - - * - -"),
    Figure("rolling eighths", (6, 8), "b 1 2 3 2 1"),
    Figure("bass and chords", (6, 8), "b - * f - *"),
    Figure("rolling eighths", (12, 8), "b 1 2 3 2 1 b 1 2 3 2 1"),
    Figure("bass and chords", (12, 8), "b - * f - * b - * f - *"),
    Figure("rolling eighths", (9, 8), "b 1 2 3 2 1 3 2 1"),
)


def figure(name: str, meter: Meter) -> Figure:
    """A figure by its name, for a meter. Raises BadInput."""
    found = next((f for f in FIGURES if f.name == name and f.fits(meter)), None)
    if found is None:
        raise BadInput(f"There is no ready figure “{name[:40]}” for bars of {meter}. Nothing was changed.")
    return found


@dataclass(frozen=True, slots=True)
class Struck:
    """Tones that a figure strikes together: tick, length in ticks, pitches from the lowest up."""

    tick: int
    ticks: int
    pitches: tuple[Pitch, ...]


def struck(piece: Piece, bar: Bar, of: Figure, register: Register) -> Iterator[Struck]:
    """A bar of a figure by the chord symbols; where none stands, by the chord of the key.

    What is held is struck again where the chord changes.
    """
    steps = of.steps
    length = bar.ticks // len(steps)
    chords = [chord_at(piece, bar.start + k * length) for k in range(len(steps))]
    k = 0
    while k < len(steps):
        what, chord = steps[k], chords[k]
        first = k
        k += 1
        while k < len(steps) and steps[k] == HOLDS and chords[k] == chord:
            k += 1
        if k < len(steps) and steps[k] == HOLDS:
            steps[k] = what  # the chord changes under a held one
        if what != RESTS and chord is not None:
            yield Struck(bar.start + first * length, (k - first) * length, tones(chord, what, register))


def chord_at(piece: Piece, tick: int) -> ChordSymbol | None:
    """The chord in force at a tick, None for "no chord"; where no symbol stands yet, that of the key."""
    symbol = mark_before(piece, tick, "chord")
    if symbol is not None:
        return None if symbol.text in NO_CHORD else parse_chord(symbol.text)
    key = piece.key_at(piece.timeline.bar_at(tick).index)
    root = spell_in_key(60 + 7 * (key.fifths + (3 if key.mode == "minor" else 0)) % 12, key.fifths)
    return parse_chord(
        f"{root.step}{'#' * root.alter if root.alter > 0 else 'b' * -root.alter}{'m' * (key.mode == 'minor')}"
    )


@lru_cache(maxsize=1024)
def tones(chord: ChordSymbol, what: str, register: Register) -> tuple[Pitch, ...]:
    """What a step strikes: spelled by the root of the chord, lying near the middle of its register, so that chords
    go to the nearest place.
    """
    root = root_class(chord)
    if what == "b":
        keys = [above(bass_class(chord), register.bass)]
    elif what == "f":
        fifth = next((c for c in ((root + 7) % 12, (root + 6) % 12, (root + 8) % 12) if c in chord.classes), root)
        keys = [above(fifth, register.bass)]
    else:
        whole = close_position(upper_classes(chord), register.chords)
        keys = whole if what == "*" else [whole[{"1": 0, "2": len(whole) // 2 if len(whole) < 4 else 1, "3": -1}[what]]]
    minor = chord.kind.startswith(MINOR_KINDS)
    centre = FIFTHS_OF_STEP[chord.letter] + 7 * chord.alter - (3 if minor else 0)
    return tuple(spell_in_key(key, centre) for key in keys)


def root_class(chord: ChordSymbol) -> int:
    """Pitch class of the root."""
    return class_of(chord.letter, chord.alter)


def bass_class(chord: ChordSymbol) -> int:
    """Pitch class of the bass: the root, where no other is written."""
    return class_of(*chord.bass) if chord.bass is not None else root_class(chord)


def class_of(letter: str, alter: int) -> int:
    """Pitch class of a letter and its alteration."""
    return (Pitch(letter, alter, 4).midi) % 12


def above(pitch_class: int, lowest: int) -> int:
    """The lowest key of a pitch class that is not under ``lowest``."""
    return lowest + (pitch_class - lowest) % 12


def upper_classes(chord: ChordSymbol) -> list[int]:
    """The tones that one hand takes, from the root up.

    Of a fuller chord the tone of the bass goes first, then the fifth (common practice).
    """
    root = root_class(chord)
    classes = sorted(chord.classes, key=lambda c: (c - root) % 12)
    for spare in (bass_class(chord), (root + 7) % 12):
        if len(classes) > MOST_TONES and spare in classes:
            classes.remove(spare)
    return classes[:MOST_TONES]


def close_position(classes: list[int], middle: float) -> list[int]:
    """The inversion in close position whose middle lies nearest."""
    inversions = []
    ordered = sorted(classes)
    for k, octave in itertools.product(range(len(ordered)), range(2, 8)):
        keys = [12 * octave + c for c in ordered[k:]] + [12 * (octave + 1) + c for c in ordered[:k]]
        inversions.append(keys)
    return min(inversions, key=lambda keys: (abs((keys[0] + keys[-1]) / 2 - middle), keys))
