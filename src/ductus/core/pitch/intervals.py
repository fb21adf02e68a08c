"""Intervals: staff steps and semitones together, so that what is transposed stays spelled (a minor third is 2 steps
and 3 semitones).
"""

from __future__ import annotations

from functools import lru_cache

from ductus.core.errors import BadInput
from ductus.core.pitch.pitches import STEP_SEMITONES, STEPS, Pitch, spell_in_key

SIMPLE = {
    "unison": (0, 0), "augmented unison": (0, 1), "minor second": (1, 1), "major second": (1, 2),
    "augmented second": (1, 3),
    "minor third": (2, 3), "major third": (2, 4), "perfect fourth": (3, 5), "augmented fourth": (3, 6),
    "diminished fifth": (4, 6),
    "perfect fifth": (4, 7), "augmented fifth": (4, 8), "minor sixth": (5, 8), "major sixth": (5, 9),
    "minor seventh": (6, 10),
    "major seventh": (6, 11), "octave": (7, 12),
}  # fmt: skip


def fifths_of(steps: int, semitones: int) -> int:
    """How far an interval moves on the line of fifths: a fifth 1, a major second 2.

    >>> fifths_of(4, 7), fifths_of(1, 2), fifths_of(-1, -2)
    (1, 2, -2)
    """
    return 7 * semitones - 12 * steps


MOST_ALTERED = 2  # semitones from the major scale: diminished and augmented twice


def check_interval(steps: int, semitones: int) -> None:
    """Raise BadInput unless so many staff steps can be so many semitones.

    >>> check_interval(2, 3)
    """
    octaves, rest = divmod(steps, 7)
    if abs(semitones - 12 * octaves - STEP_SEMITONES[STEPS[rest]]) > MOST_ALTERED:
        raise BadInput(f"{steps} staff steps are never {semitones} semitones. Nothing was changed.")


@lru_cache(maxsize=8192)
def transposed(pitch: Pitch, steps: int, semitones: int) -> Pitch:
    """A pitch moved by an interval, signed; spelled anew where it would need more than two accidentals.

    >>> str(transposed(Pitch("B", -1, 3), 1, 2))
    'C4'
    """
    octave, index = divmod(pitch.diatonic + steps, 7)
    step = STEPS[index]
    midi = pitch.midi + semitones
    alter = midi - (12 * (octave + 1) + STEP_SEMITONES[step])
    return Pitch(step, alter, octave) if abs(alter) <= 2 else spell_in_key(midi, 0)


def within_signatures(steps: int, semitones: int, fifths: int) -> tuple[int, int]:
    """The interval, or its enharmonic neighbour where the key of ``fifths`` would come to need more than seven
    accidentals.
    """
    to = fifths + fifths_of(steps, semitones)
    return (steps + 1, semitones) if to > 7 else (steps - 1, semitones) if to < -7 else (steps, semitones)


def written_interval(transpose: tuple[int, int], fifths: int) -> tuple[int, int]:
    """The interval from sounding to written pitch of a part that sounds ``transpose`` away from what it reads, in a
    key of ``fifths``.
    """
    return within_signatures(-transpose[0], -transpose[1], fifths)


def interval_between(low: int, high: int) -> tuple[int, int]:
    """The nearest interval that leads from one place on the line of fifths to another (tonics), up or down by at
    most a fourth or so.

    >>> interval_between(0, 2), interval_between(0, -3), interval_between(0, 1)
    ((1, 2), (2, 3), (-3, -5))
    """
    by = high - low
    found = [(s, n) for s in range(-4, 5) for n in range(-6, 7) if fifths_of(s, n) == by]
    return min(found, key=lambda i: (abs(i[1]), -i[1])) if found else spelled_by(by * 7)


def spelled_by(semitones: int) -> tuple[int, int]:
    """The usual interval of so many semitones, reduced into an octave and signed."""
    size = abs(semitones) % 12
    steps = next(s for s, n in SIMPLE.values() if n == size and (s, n) != (0, 1) and (s, n) != (1, 3))
    octaves = abs(semitones) // 12
    sign = -1 if semitones < 0 else 1
    return sign * (steps + 7 * octaves), semitones


def interval_words(steps: int, semitones: int) -> str:
    """An interval in words, without its direction: "minor third", "octave and major second"."""
    octaves, rest = divmod(abs(steps), 7)
    size = abs(semitones) - 12 * octaves
    name = next((w for w, i in SIMPLE.items() if i == (rest, size)), f"{abs(semitones)} semitones")
    if not octaves or abs(steps) == 7:
        return name if abs(steps) != 7 or size else "octave"
    return (
        f"{'octave' if octaves == 1 else f'{octaves} octaves'} and {name}" if name != "unison" else f"{octaves} octaves"
    )


def moved(pitches: tuple[Pitch, ...], steps: int, semitones: int) -> tuple[Pitch, ...]:
    """Several pitches moved by an interval."""
    return tuple(transposed(p, steps, semitones) for p in pitches)
