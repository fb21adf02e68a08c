"""Scores of music21's corpus as voices of spelled chords: what the speller is fitted on, and what it is measured on.

A score is *held* when the checksum of its path says so; the fit never sees these. Times are quarters.
"""

from __future__ import annotations

import warnings
import zlib
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import music21

CORPUS = Path(music21.__file__).parent / "corpus"
ENDINGS = (".mxl", ".xml", ".musicxml", ".krn")
KEYBOARD = (
    "chopin/*", "joplin/*", "mozart/k545/*", "mozart/k080/*", "cpebach/*", "schubert/*", "schumann_robert/*",
    "schumann_clara/*",
    "schumann_clara/opus17/*", "beach/*", "liliuokalani/*", "bach/bwv846*", "verdi/*",
)  # fmt: skip
VOCAL = ("bach/*", "monteverdi/*")
OTHERS = (
    "beethoven/*",
    "beethoven/*/*",
    "haydn/*/*",
    "mozart/k155/*",
    "mozart/k156/*",
    "schumann_robert/opus41no1/*",
    "corelli/*",
)
HELD_SHARE = 3  # one vocal score in so many is held
MEASURED = 100
DOUBLE = 2  # most accidentals of a note

Struck = tuple[float, float, list[tuple[int, int]]]  # start, length, (key, place on the line of fifths)


@dataclass(frozen=True, slots=True)
class Part:
    """A part: (start, fifths) of its signatures, starts of its bars, chords of its voices."""

    signatures: list[tuple[float, int]]
    bars: list[float]
    voices: list[list[Struck]]


@dataclass(frozen=True, slots=True)
class Score:
    """A score: its path inside the corpus, the mode that it states ("major" where it states none), its parts."""

    path: str
    mode: str
    parts: list[Part]


def paths(patterns: tuple[str, ...]) -> list[Path]:
    """The files of the corpus under these patterns, each once, in order."""
    return sorted({p for pattern in patterns for p in CORPUS.glob(pattern) if p.suffix in ENDINGS})


def is_held(path: Path) -> bool:
    """Is a vocal score kept from the fit?"""
    return zlib.crc32(path.name.encode()) % HELD_SHARE == 0


def measured(count: int = MEASURED) -> list[Path]:
    """Keyboard scores (all are kept from the fit) and held vocal ones, the madrigals first."""
    vocal = [p for p in paths(VOCAL) if is_held(p) and p not in paths(KEYBOARD)]
    madrigals = [p for p in vocal if p.parent.name == "monteverdi"]
    return [*paths(KEYBOARD), *madrigals, *(p for p in vocal if p not in madrigals)][:count]


def fitted_on() -> list[Path]:
    """What the fit sees."""
    kept = set(paths(KEYBOARD))
    return [p for p in paths(VOCAL) if not is_held(p) and p not in kept] + [p for p in paths(OTHERS) if p not in kept]


def load(path: Path) -> Score | None:
    """Read a score; None where music21 cannot."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            parsed = music21.converter.parse(path)
        except Exception:
            return None
    score = parsed.scores[0] if isinstance(parsed, music21.stream.Opus) else parsed
    first = next(iter(score.recurse().getElementsByClass(music21.key.KeySignature)), None)
    mode = first.mode if isinstance(first, music21.key.Key) and first.mode in ("major", "minor") else "major"
    return Score(str(path.relative_to(CORPUS)), mode, [part_of(p) for p in score.parts])


def load_all(wanted: list[Path]) -> Iterator[Score]:
    """Read scores, two at a time."""
    with ProcessPoolExecutor(2) as pool:
        yield from (score for score in pool.map(load, wanted, chunksize=4) if score is not None)


def part_of(part: music21.stream.Part) -> Part:
    """A part of a score; notes that are tied on, grace notes and chord symbols are left out."""
    signatures = [
        (float(k.getOffsetInHierarchy(part)), int(k.sharps))
        for k in part.recurse().getElementsByClass(music21.key.KeySignature)
    ]
    voices: dict[str, list[Struck]] = {}
    bars = []
    for measure in part.getElementsByClass("Measure"):
        bars.append(float(measure.offset))
        for element in measure.recurse().notes:
            if isinstance(element, music21.harmony.Harmony) or element.duration.isGrace:
                continue
            voice = element.getContextByClass("Voice")
            name = str(voice.id) if voice is not None and voice.activeSite is measure else "1"
            chord = [
                (n.pitch.midi, music21_fifths(n.pitch))
                for n in (element.notes if element.isChord else [element])
                if hasattr(n, "pitch") and not (n.tie and n.tie.type in ("stop", "continue")) and plain(n.pitch)
            ]
            if chord:
                start = float(measure.offset + element.getOffsetInHierarchy(measure))
                voices.setdefault(name, []).append((start, float(element.quarterLength), sorted(set(chord))))
    return Part(signatures, bars, [sorted(v) for v in voices.values()])


def plain(pitch: music21.pitch.Pitch) -> bool:
    """Has a pitch at most two accidentals, and no quarter tones?"""
    return abs(pitch.alter) <= DOUBLE and pitch.alter == int(pitch.alter)


def music21_fifths(pitch: music21.pitch.Pitch) -> int:
    """The place of a pitch on the line of fifths."""
    return "FCGDAEB".index(pitch.step) - 1 + 7 * int(pitch.alter)
