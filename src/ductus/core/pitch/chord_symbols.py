"""Chord symbols: reading them as musicians write them, which pitch classes they hold, and the nearest key that is
one of them.

The kinds and their intervals are common practice; the written kinds and degrees are those of MusicXML 4.0
(``kind-value``, ``degree``).
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

from ductus.core.errors import BadInput
from ductus.core.pitch.intervals import transposed
from ductus.core.pitch.pitches import ALTER_SIGNS, Pitch

# quality and extension -> (MusicXML kind, semitones above the root)
KINDS: dict[str, tuple[str, tuple[int, ...]]] = {
    "": ("major", (0, 4, 7)),
    "m": ("minor", (0, 3, 7)),
    "dim": ("diminished", (0, 3, 6)),
    "aug": ("augmented", (0, 4, 8)),
    "5": ("power", (0, 7)),
    "6": ("major-sixth", (0, 4, 7, 9)),
    "m6": ("minor-sixth", (0, 3, 7, 9)),
    "7": ("dominant", (0, 4, 7, 10)),
    "maj7": ("major-seventh", (0, 4, 7, 11)),
    "m7": ("minor-seventh", (0, 3, 7, 10)),
    "mmaj7": ("major-minor", (0, 3, 7, 11)),
    "dim7": ("diminished-seventh", (0, 3, 6, 9)),
    "ø": ("half-diminished", (0, 3, 6, 10)),
    "aug7": ("augmented-seventh", (0, 4, 8, 10)),
    "9": ("dominant-ninth", (0, 2, 4, 7, 10)),
    "maj9": ("major-ninth", (0, 2, 4, 7, 11)),
    "m9": ("minor-ninth", (0, 2, 3, 7, 10)),
    "11": ("dominant-11th", (0, 2, 4, 5, 7, 10)),
    "maj11": ("major-11th", (0, 2, 4, 5, 7, 11)),
    "m11": ("minor-11th", (0, 2, 3, 5, 7, 10)),
    "13": ("dominant-13th", (0, 2, 4, 7, 9, 10)),
    "maj13": ("major-13th", (0, 2, 4, 7, 9, 11)),
    "m13": ("minor-13th", (0, 2, 3, 7, 9, 10)),
    "sus2": ("suspended-second", (0, 2, 7)),
    "sus4": ("suspended-fourth", (0, 5, 7)),
}
ROOT = re.compile(r"^([A-G])([#b♯♭]?)(.*)$")
BASS = re.compile(r"^(.*)/([A-G])([#b♯♭]?)$")
QUALITY = re.compile(
    r"^(mmaj|mMaj|mM|m\(maj|-maj|-Maj|-M|-Δ|maj|Maj|Ma|ma|M|Δ|\^|dim|°|o|ø|aug|\+|min|mi|m|-)?(13|11|9|7|6/9|69|6|5)?"
)
CHANGE = re.compile(r"^[\s,()]*(?:(sus)(2|4)?|(add|no|omit)?([#b♯♭+-]?)(13|11|9|7|6|5|4|3|2))")
SAME = {
    "Maj": "maj", "ma": "maj", "M": "maj", "Δ": "maj", "°": "dim", "o": "dim", "+": "aug", "min": "m", "mi": "m",
    "-": "m", "mMaj": "mmaj",
    "mM": "mmaj", "m(maj": "mmaj", "-maj": "mmaj", "-Maj": "mmaj", "-M": "mmaj", "-Δ": "mmaj", "Ma": "maj", "^": "maj",
}  # fmt: skip
CLASS_OF = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
ALTERS = {"": 0, "#": 1, "♯": 1, "b": -1, "♭": -1, "+": 1, "-": -1}
DEGREES = {
    2: 2,
    3: 4,
    4: 5,
    5: 7,
    6: 9,
    7: 10,
    9: 2,
    11: 5,
    13: 9,
}  # degree -> semitones, unaltered (a seventh is minor)
SPELT = {"2": "add9", "4": "sus4", "7+": "aug7"}  # what else is written for the same
SHARP_NAMES = ("C", "C#", "D", "Eb", "E", "F", "F#", "G", "G#", "A", "Bb", "B")
FLAT_NAMES = ("C", "Db", "D", "Eb", "E", "F", "Gb", "G", "Ab", "A", "Bb", "B")
NO_CHORD = ("N.C.", "NC", "n.c.")


@dataclass(frozen=True, slots=True)
class Degree:
    """One change of a chord: "add", "alter" or "subtract" a degree (3..13), altered by semitones."""

    value: int
    alter: int
    how: str


@dataclass(frozen=True, slots=True)
class ChordSymbol:
    """A symbol read: root letter and its alteration, what is written behind it, the MusicXML kind, its degrees, bass
    (letter, alteration) or None, pitch classes. ``letter`` is empty for "no chord".
    """

    letter: str
    alter: int
    suffix: str
    kind: str
    degrees: tuple[Degree, ...]
    bass: tuple[str, int] | None
    classes: frozenset[int]


ALTERED = (
    Degree(5, -1, "alter"),
    Degree(5, 1, "add"),
    Degree(9, -1, "add"),
    Degree(9, 1, "add"),
)  # a seventh with both fifths and ninths


@lru_cache(maxsize=512)
def parse_chord(text: str) -> ChordSymbol:
    """Read a symbol such as "Bbm7", "D7/F#", "E7#9", "Cmaj9(#11)", "Gsus4", "A6/9", "N.C.". Raises BadInput.

    >>> sorted(parse_chord("D7").classes)
    [0, 2, 6, 9]
    >>> parse_chord("E7#9").degrees
    (Degree(value=9, alter=1, how='add'),)
    """
    text = text.strip()
    if text in NO_CHORD:
        return ChordSymbol("", 0, "N.C.", "none", (), None, frozenset())
    match = ROOT.match(text)
    if match is None:
        raise refused(text)
    letter, sign, rest = match.groups()
    bass = None
    slash = BASS.match(rest)
    if slash is not None:
        rest, bass = slash.group(1), (slash.group(2), ALTERS[slash.group(3)])
    kind, intervals, degrees = _body(rest, text)
    root = CLASS_OF[letter] + ALTERS[sign]
    classes = {(root + i) % 12 for i in intervals}
    for d in degrees:
        tone = (root + DEGREES[d.value] + d.alter) % 12
        if d.how != "add":
            classes -= {(root + DEGREES[d.value] + k) % 12 for k in (-1, 0)}
        if d.how != "subtract":
            classes.add(tone)
    if bass is not None:
        classes.add((CLASS_OF[bass[0]] + bass[1]) % 12)
    return ChordSymbol(letter, ALTERS[sign], rest, kind, degrees, bass, frozenset(classes))


def _body(rest: str, text: str) -> tuple[str, tuple[int, ...], tuple[Degree, ...]]:
    """Kind, intervals and degrees of what stands behind the root."""
    if rest.strip("()") in ("7alt", "alt", "7(alt"):
        return *KINDS["7"], ALTERED
    rest = SPELT.get(rest, rest)
    found = QUALITY.match(rest)
    assert found is not None
    quality = SAME.get(found.group(1) or "", found.group(1) or "")
    name, degrees = _named(quality, found.group(2) or "")
    left = rest[found.end() :].strip()
    while left.strip("() ,"):
        change = CHANGE.match(left)
        if change is None:
            raise refused(text)
        done = rest[: len(rest) - len(left)] + change.group()
        inside = done.count("(") > done.count(")")  # "m7(11)" adds it
        left = left[change.end() :]
        name, more = _changed(name, change, text, inside=inside)
        degrees += more
    if name == "m7" and Degree(5, -1, "alter") in degrees:  # the usual name of the half-diminished chord
        name = "ø"
        degrees.remove(Degree(5, -1, "alter"))
    if name not in KINDS:
        raise refused(text)
    kind, intervals = KINDS[name]
    return kind, intervals, tuple(degrees)


def _named(quality: str, extension: str) -> tuple[str, list[Degree]]:
    """The name of a kind in ``KINDS``, and the degrees that it needs beside it.

    >>> _named("dim", "9")
    ('dim7', [Degree(value=9, alter=0, how='add')])
    """
    tension = [Degree(int(extension), 0, "add")] if extension in ("9", "11", "13") else []
    if extension in ("6/9", "69"):
        return ("" if quality == "maj" else quality) + "6", [Degree(9, 0, "add")]
    if quality in ("dim", "aug") and tension:
        return f"{quality}7", tension
    if quality == "mmaj" and (tension or not extension):
        return "mmaj7", tension
    if quality == "ø":
        return quality, []
    if quality == "maj" and extension in ("", "6"):
        return extension, []
    return quality + extension, []


def _changed(name: str, change: re.Match[str], text: str, *, inside: bool) -> tuple[str, list[Degree]]:
    """What one change ("sus4", "no3", "b9", "add11") makes of a kind; ``inside``: it stands in parentheses.

    Raises BadInput.
    """
    sus, which, how, sign, number = change.groups()
    if sus and name == "":
        return f"sus{which or 4}", []
    if sus and name in ("7", "9", "11", "13"):
        return name, [Degree(3, 0, "subtract"), Degree(int(which or 4), 0, "add")]
    if sus:
        raise refused(text)
    value, alter = int(number), ALTERS[sign]
    if how in ("no", "omit"):
        return name, [Degree(value, 0, "subtract")]
    if value == 5 and alter and not how:
        return name, [Degree(5, alter, "alter")]
    if alter or how == "add" or (inside and value in (9, 11, 13)):
        return name, [Degree(value, alter, "add")]
    raise refused(text)


def refused(text: str) -> BadInput:
    """What is said of a symbol that is none."""
    return BadInput(
        f"'{text[:20]}' is no chord symbol that Ductus knows: write a root (C, F#, Bb), then m, maj7, 7, m7b5, dim, "
        "aug, 6, 9, 11, 13, sus4, "
        "add9 or changes such as b9, #9, #11, b13, then /bass."
    )


def transposed_chord(text: str, steps: int, semitones: int) -> str:
    """A chord symbol moved by an interval: its root and its bass; what is no symbol, or "no chord", stays.

    >>> transposed_chord("C7/E", 1, 2)
    'D7/F#'
    """
    root = None if text in NO_CHORD else ROOT.match(text)
    if root is None:
        return text
    letter, sign, rest = root.groups()
    slash = BASS.match(rest)
    moved = _letter(letter, sign, steps, semitones)
    if slash is None:
        return moved + rest
    return f"{moved}{slash.group(1)}/{_letter(slash.group(2), slash.group(3), steps, semitones)}"


def _letter(letter: str, sign: str, steps: int, semitones: int) -> str:
    pitch = transposed(Pitch(letter, ALTERS[sign], 4), steps, semitones)
    if abs(pitch.alter) > 1:  # nobody writes a chord on B double flat
        pitch = transposed(pitch, 1 if pitch.alter > 0 else -1, 0)
    return f"{pitch.step}{ALTER_SIGNS[pitch.alter]}"


def looks_like_chord(text: str) -> bool:
    """Does a text begin as only chord symbols do, whether it is one or not?"""
    return re.match(r"^[A-G][#b♯♭]?(m|maj|min|dim|aug|sus|add|M|Δ|°|ø|\+|-)?\d", text) is not None


NAMED = (
    "",
    "m",
    "7",
    "m7",
    "maj7",
    "6",
    "m6",
    "dim",
    "aug",
    "sus4",
    "sus2",
    "m7b5",
    "dim7",
    "7sus4",
    "mmaj7",
    "add9",
    "9",
    "m9",
    "maj9",
    "6/9",
    "7b9",
    "7#9",
    "7#11",
    "13",
    "aug7",
    "5",
)


def name_chord(keys: Iterable[int], flats: bool = False) -> str | None:
    """The symbol of keys that are held: the plainest that has just their pitch classes, its root in the bass if
    there is one such; None for keys that make no chord that has a name.

    >>> name_chord([60, 64, 67]), name_chord([64, 67, 72]), name_chord([57, 60, 64, 67]), name_chord([60, 61, 62])
    ('C', 'C/E', 'Am7', None)
    """
    held = sorted(set(keys))
    classes = frozenset(k % 12 for k in held)
    if len(classes) < 2:
        return None
    names = FLAT_NAMES if flats else SHARP_NAMES
    lowest = held[0] % 12
    for root in (lowest, *sorted(classes - {lowest})):
        for suffix in NAMED:
            if parse_chord(names[root] + suffix).classes == classes:
                return names[root] + suffix + ("" if root == lowest else f"/{names[lowest]}")
    for suffix in NAMED:  # a bass note under a chord that has a name
        for root in sorted(classes - {lowest}):
            if parse_chord(names[root] + suffix).classes == classes - {lowest}:
                return f"{names[root]}{suffix}/{names[lowest]}"
    return None


def scale_classes(fifths: int) -> frozenset[int]:
    """Pitch classes of a key signature."""
    tonic = (7 * fifths) % 12
    return frozenset((tonic + s) % 12 for s in (0, 2, 4, 5, 7, 9, 11))


def allowed_classes(symbol: str, fifths: int | None) -> frozenset[int]:
    """Chord tones, or chord and key tones when a signature is given."""
    classes = parse_chord(symbol).classes
    return classes if fifths is None else classes | scale_classes(fifths)


def nearest_allowed(key: int, classes: frozenset[int]) -> int:
    """The nearest MIDI key of those classes, the lower one of two; stays inside 0..127.

    >>> nearest_allowed(61, frozenset({0, 4, 7}))
    60
    """
    around = (k for d in range(12) for k in (key - d, key + d))
    return next((k for k in around if 0 <= k <= 127 and k % 12 in classes), key)
