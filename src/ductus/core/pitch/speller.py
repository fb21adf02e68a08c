"""The one speller: which letter a sounding key takes where it stands. Step entry, reading and corrections all ask it.

Each name that a key can have is weighed by a conditional logit (McFadden 1974, from memory) over what a musician
looks at: how far the name lies from the signature in this mode, the notes before and behind it in its voice, what
sounds together, what the bar and the voice called this pitch last, and where the names around it lie on the line of
fifths (after Temperley's line of fifths, 2001, from memory). The weights are fitted on open scores by
``tools/fit_speller.py``; ``bench/spelling.py`` measures them on scores that the fit never saw.

Conventions: names are places on the line of fifths (C = 0, G = 1), keys are MIDI numbers, times are ticks.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cache
from importlib import resources
from typing import Any

from ductus.core.pitch.pitches import Pitch, pitch_on_line

WRITABLE = (-15, 20)  # from F double flat to B double sharp
LOWEST_NAME, HIGHEST_NAME = -13, 19  # that the speller gives of itself
NAMES = tuple(tuple(f for f in range(LOWEST_NAME, HIGHEST_NAME + 1) if (7 * f - pc) % 12 == 0) for pc in range(12))
FROM_SIGNATURE = (-9, 15)  # how far from the signature names are told apart
WIDEST = 12  # fifths between two names, beyond which all count alike
LOOK_BACK = 12  # chords of the voice that are looked back on
FADING = 0.88  # how much less each chord before counts
NEAR_WEIGHT, HOME_WEIGHT = (
    0.5,
    2.0,
)  # of a note in another voice, and of the middle of the signature, beside a note just before
MIDDLE = 2  # the middle of a major scale lies two fifths above its tonic
SEMITONE = 5  # fifths down from a sharp to the letter above it, up from a flat to the letter below
PASSING = 2.0  # nats for the letter that a chromatic line leaves by: sharp rising, flat falling (common practice)
LOWERED_FIFTH = -6  # from the signature; falling lines take the raised fourth as well (common practice)
KEPT = 8.0  # nats for a tone of the key in such a line, which keeps its name (common practice)
FAR = 6  # fifths from where the names around lie


@dataclass(frozen=True, slots=True)
class SpelledChord:
    """A chord of a voice: its tick, its keys and their names."""

    tick: int
    keys: tuple[int, ...]
    names: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class NearName:
    """A note of another voice near by: its tick, pitch class and name."""

    tick: int
    pitch_class: int
    name: int


@dataclass(frozen=True, slots=True)
class Around:
    """What stands around a chord that is to be spelled.

    ``fifths`` and ``mode``: the signature in force.
    ``before``: chords of its voice, the oldest first.
    ``mates``: names of what sounds on in other voices when it begins.
    ``near``: notes of other voices near by, the latest last.
    ``bar_start``: the tick at which its bar begins.
    ``after``: the next chord of its voice, where that is known.
    """

    fifths: int
    mode: str = "major"
    before: Sequence[SpelledChord] = ()
    mates: tuple[int, ...] = ()
    near: Sequence[NearName] = ()
    bar_start: int = 0
    after: SpelledChord | None = None


@dataclass(frozen=True, slots=True)
class Clues:
    """What speaks for and against the names of one key.

    Names of its neighbours (``before``, ``earlier``, ``after``) and of its ``mates``, what the bar and the voice
    called it last, and the ``centre`` of the names around; None where nothing is known. ``passing`` is 1 between a
    semitone below and one above, -1 between one above and one below, else 0.
    """

    fifths: int
    mode: str
    before: int | None
    earlier: int | None
    after: int | None
    mates: tuple[int, ...]
    in_bar: int | None
    in_voice: int | None
    centre: float
    passing: int = 0


def is_of_key(name: int, fifths: int) -> bool:
    """Is a name one of the seven of a signature?"""
    return -1 <= name - fifths <= 5


@cache
def name_of_key(key: int, fifths: int) -> int | None:
    """The name that a key has in a signature, None where it is no tone of it.

    >>> name_of_key(66, 1), name_of_key(66, -2)
    (6, None)
    """
    return next((f for f in NAMES[key % 12] if is_of_key(f, fifths)), None)


def names_of(keys: Sequence[int], around: Around) -> tuple[int, ...]:
    """Name the keys of a chord.

    >>> g_minor = Around(-2, "minor", (SpelledChord(0, (67,), (1,)),))
    >>> [str(pitch_on_line(66, f)) for f in names_of([66], g_minor)]
    ['F#4']
    """
    plain = plain_names(keys, around)
    return weighed_names(keys, around) if plain is None else plain


def plain_names(keys: Sequence[int], around: Around) -> tuple[int, ...] | None:
    """The names of the signature, if keys and the chords beside them are all of the key.

    Nothing else need be looked at then (no name of the held scores is changed by that). None otherwise.
    """
    beside = [*around.before[-1:], *([around.after] if around.after is not None else [])]
    if not all(is_of_key(name, around.fifths) for chord in beside for name in chord.names):
        return None
    names = tuple(name_of_key(key, around.fifths) for key in keys)
    return None if None in names else names  # type: ignore[return-value]


def weighed_names(keys: Sequence[int], around: Around) -> tuple[int, ...]:
    """Name the keys of a chord by all that is around it.

    Its own keys count for each other as soon as they are named.
    """
    names: list[int | None] = [None] * len(keys)
    centre = centre_of(around)
    for _ in range(2 if len(keys) > 1 else 1):
        for n, key in enumerate(keys):
            mates = tuple(f for k, f in enumerate(names) if k != n and f is not None)
            names[n] = likeliest(key, clues(key, around, mates, centre))
    return tuple(f for f in names if f is not None)


def names_in_key(key: int, fifths: int, mode: str = "major") -> list[int]:
    """All names of a key with at most two accidentals, the most usual of a signature and mode first, double
    accidentals last.

    >>> [str(pitch_on_line(66, f)) for f in names_in_key(66, -2, "minor")]
    ['F#4', 'Gb4', 'E##4']
    """
    low, high = FROM_SIGNATURE
    table = weights()[mode]
    names = (f for f in range(*WRITABLE) if (7 * f - key) % 12 == 0)
    doubled = {f: not -8 < f < 13 for f in range(*WRITABLE)}
    return sorted(
        names, key=lambda f: (doubled[f], -table[min(max(f - fifths, low), high) - low], abs(f - fifths - MIDDLE))
    )


def likeliest(key: int, told: Clues) -> int:
    """The name that the clues speak for most."""
    return max(NAMES[key % 12], key=lambda f: worth(f, told))


def clues(key: int, around: Around, mates: tuple[int, ...], centre: float | None = None) -> Clues:
    """What speaks for the names of one key.

    ``mates`` are names of the other keys of its chord, ``centre`` is worked out if it is not given.
    """
    before = around.before
    in_bar, in_voice = last_names(key % 12, around)
    return Clues(
        around.fifths,
        around.mode,
        nearest_name(key, before[-1]) if before else None,
        nearest_name(key, before[-2]) if len(before) > 1 else None,
        None if around.after is None else nearest_name(key, around.after),
        (*mates, *around.mates),
        in_bar,
        in_voice,
        centre_of(around) if centre is None else centre,
        passing_of(key, around),
    )


def passing_of(key: int, around: Around) -> int:
    """1 where the line rises through a key by semitones, -1 where it falls, else 0."""
    if around.after is None or not around.before:
        return 0
    before, after = ({k - key for k in chord.keys if abs(k - key) == 1} for chord in (around.before[-1], around.after))
    return 1 if before == {-1} and after == {1} else -1 if before == {1} and after == {-1} else 0


def centre_of(around: Around) -> float:
    """Where the names around lie on the line of fifths: those just before count most, the signature always a little."""
    total, middle, weight = HOME_WEIGHT, HOME_WEIGHT * (around.fifths + MIDDLE), 1.0
    for chord in reversed(around.before[-LOOK_BACK:]):
        total += weight * len(chord.names)
        middle += weight * sum(chord.names)
        weight *= FADING
    total += NEAR_WEIGHT * len(around.near)
    middle += NEAR_WEIGHT * sum(near.name for near in around.near)
    return middle / total


def last_names(pitch_class: int, around: Around) -> tuple[int | None, int | None]:
    """What the bar, and the voice, called a pitch class last; None where it did not come."""
    in_voice, at = None, -1
    for chord in reversed(around.before[-LOOK_BACK:]):
        found = next((f for k, f in zip(chord.keys, chord.names, strict=True) if k % 12 == pitch_class), None)
        if found is not None:
            in_voice, at = found, chord.tick
            break
    if in_voice is not None and at >= around.bar_start:
        return in_voice, in_voice
    here = (n.name for n in around.near if n.pitch_class == pitch_class and n.tick >= around.bar_start)
    return next(here, None), in_voice


def nearest_name(key: int, chord: SpelledChord) -> int:
    """The name of the note of a chord that is nearest to a key."""
    return chord.names[min(range(len(chord.keys)), key=lambda n: abs(chord.keys[n] - key))]


def grace_pitches(keys: Sequence[int], main: Pitch, fifths: int, mode: str = "major") -> tuple[Pitch, ...]:
    """Spell grace notes, in their order, by the note that they lead to."""
    pitches: list[Pitch] = []
    after = SpelledChord(0, (main.midi,), (main.fifths,))
    for key in reversed(keys):
        (name,) = names_of([key], Around(fifths, mode, after=after))
        pitches.insert(0, pitch_on_line(key, name))
        after = SpelledChord(0, (key,), (name,))
    return tuple(pitches)


def worth(name: int, told: Clues) -> float:
    """How much the clues speak for a name, in nats.

    The weights of its ``features``, summed without making a list of them.
    """
    table = weights()
    low, high = FROM_SIGNATURE
    total = table[told.mode][min(max(name - told.fifths, low), high) - low]
    for group, other in (("before", told.before), ("earlier", told.earlier), ("after", told.after)):
        if other is not None:
            total += table[group][min(max(name - other, -WIDEST), WIDEST) + WIDEST]
    mates = table["mates"]
    for mate in told.mates:
        total += mates[min(abs(name - mate), WIDEST)]
    if told.in_bar is not None:
        total += table["in_bar"][told.in_bar != name]
    if told.in_voice is not None:
        total += table["in_voice"][told.in_voice != name]
    if told.passing:
        if is_of_key(name, told.fifths):
            total += KEPT
        elif (
            name - told.fifths != LOWERED_FIFTH
            and told.after is not None
            and name - told.after == SEMITONE * told.passing
        ):
            total += PASSING
    off = name - told.centre
    above, below, square, far = table["centre"]
    total += above * off / 5 if off > 0 else below * -off / 5
    return total + square * off * off / 50 + (far if abs(off) > FAR else 0.0)


def features(name: int, told: Clues) -> Iterator[tuple[str, int, float]]:
    """What a name has of each group of weights: (group, place in it, amount).

    The fit goes by it; ``worth`` sums the same, and PASSING.
    """
    low, high = FROM_SIGNATURE
    yield told.mode, min(max(name - told.fifths, low), high) - low, 1.0
    for group, other in (("before", told.before), ("earlier", told.earlier), ("after", told.after)):
        if other is not None:
            yield group, min(max(name - other, -WIDEST), WIDEST) + WIDEST, 1.0
    for mate in told.mates:
        yield "mates", min(abs(name - mate), WIDEST), 1.0
    for group, last in (("in_bar", told.in_bar), ("in_voice", told.in_voice)):
        if last is not None:
            yield group, int(last != name), 1.0
    off = name - told.centre
    yield "centre", 0, max(off, 0.0) / 5
    yield "centre", 1, max(-off, 0.0) / 5
    yield "centre", 2, off * off / 50
    yield "centre", 3, float(abs(off) > FAR)


GROUPS = {
    "major": FROM_SIGNATURE[1] - FROM_SIGNATURE[0] + 1,
    "minor": FROM_SIGNATURE[1] - FROM_SIGNATURE[0] + 1,
    "before": 2 * WIDEST + 1,
    "earlier": 2 * WIDEST + 1,
    "after": 2 * WIDEST + 1,
    "mates": WIDEST + 1,
    "in_bar": 2,
    "in_voice": 2,
    "centre": 4,
}  # group -> how many weights it has


@cache
def weights() -> dict[str, list[float]]:
    """The fitted weights by group, in nats."""
    text = resources.files("ductus.core.pitch").joinpath("speller.json").read_text("utf-8")
    table: dict[str, Any] = json.loads(text)
    return {group: table[group] for group in GROUPS}
