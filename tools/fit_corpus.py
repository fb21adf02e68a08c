"""Scores for fitting the tables of the reader, taken from the corpus that music21's package carries.

    python tools/fit_corpus.py build/fit-corpus.json.gz

Only the folders in SOURCES are used. The encodings' licences allow statistics over them, not copies: what is
written here stays under build/ and is never shipped; the tables made from it (fit_rhythm.py, fit_values.py,
fit_hands.py) hold counts and weights only.

A piece is {"name", "meter", "key", "pickup", "notes"}; a note is [tick, ticks, midi, step, alter, staff, voice] with
UNIT ticks to the quarter. Quartets and chorales stand on two staves as two hands would take them; tunes
have a left hand of our own making (``accompany``), another for every tune.
"""

from __future__ import annotations

import glob
import gzip
import json
import random
import sys
import warnings
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from fractions import Fraction
from functools import partial
from pathlib import Path
from typing import Any

import music21

UNIT = 10080
CORPUS = Path(music21.__file__).parent / "corpus"
QUARTETS = (
    "beethoven/*.mxl",
    "beethoven/*/*.mxl",
    "haydn/opus74no1/*.mxl",
    "schumann_robert/opus41no1/*.mxl",
    "mozart/k155/*.mxl",
    "mozart/k156/*.mxl",
)
TUNES = (
    "oneills1850/0[1-9]*.abc",
    "oneills1850/1[0-9]*.abc",
    "nottingham-dataset/*.abc",
    "essenFolksong/ballad*.abc",
    "essenFolksong/fink*.abc",
    "essenFolksong/kinder*.abc",
    "essenFolksong/dva*.abc",
    "essenFolksong/han*.abc",
)
TUNES_PER_FILE = 40
MIN_BARS = 8
METERS = {"2/4", "3/4", "4/4", "2/2", "3/8", "6/8", "9/8", "12/8"}
Piece = dict[str, Any]


def part_notes(part: Any, staff: int, voice: int) -> list[list[Any]]:
    """Notes of a part with ties merged; grace notes and chord symbols are left out."""
    out: list[list[Any]] = []
    open_ties: dict[int, list[Any]] = {}
    for measure in part.getElementsByClass("Measure"):
        start = Fraction(measure.offset).limit_denominator(96)
        for element in measure.recurse().notes:
            if element.duration.isGrace or isinstance(element, music21.harmony.Harmony):
                continue
            tick = round((start + Fraction(element.getOffsetInHierarchy(measure)).limit_denominator(96)) * UNIT)
            ticks = round(Fraction(element.duration.quarterLength).limit_denominator(96) * UNIT)
            for note in element.notes if element.isChord else [element]:
                if not hasattr(note, "pitch") or ticks <= 0:
                    continue
                tie = note.tie or element.tie
                before = open_ties.get(note.pitch.midi)
                if tie and tie.type in ("stop", "continue") and before and before[0] + before[1] == tick:
                    before[1] += ticks
                    if tie.type == "stop":
                        del open_ties[note.pitch.midi]
                    continue
                row = [tick, ticks, note.pitch.midi, note.pitch.step, int(note.pitch.alter), staff, voice]
                out.append(row)
                if tie and tie.type in ("start", "continue"):
                    open_ties[note.pitch.midi] = row
    return out


def stretches(part: Any, joined: bool = False) -> list[tuple[str, int, int, int, int]]:
    """Stretches of one meter with full bars: (meter, key, start tick, end tick, pick-up ticks).

    ``joined``: the two parts of a bar that is split (at a repeat, say) are one bar; else a stretch ends there.
    """
    out: list[tuple[str, int, int, int, int]] = []
    meter, key, first, pickup, bars = "", 0, 0, 0, 0
    measures = list(part.getElementsByClass("Measure"))
    edges = [round(Fraction(m.offset).limit_denominator(96) * UNIT) for m in measures]
    edges.append(edges[-1] + round(Fraction(measures[-1].duration.quarterLength).limit_denominator(96) * UNIT))
    begun: int | None = None  # where a split bar began

    def close(end: int) -> None:
        if bars >= MIN_BARS and meter in METERS:
            out.append((meter, key, first, end, pickup))

    for i, measure in enumerate(measures):
        start, end = edges[i], edges[i + 1]
        if measure.keySignature is not None and measure.keySignature.sharps != key:
            close(start)
            key, first, pickup, bars = measure.keySignature.sharps, start, 0, 0
        if measure.timeSignature is not None and measure.timeSignature.ratioString != meter:
            close(start)
            meter, first, pickup, bars = measure.timeSignature.ratioString, start, 0, 0
        if not meter:
            continue
        count, unit = (int(x) for x in meter.split("/"))
        full = 4 * UNIT * count // unit
        if joined and begun is None and end - start < full and edges[i + 2 : i + 3] == [start + full]:
            begun = start
            continue
        start, begun = begun if begun is not None else start, None
        if end - start == full:
            bars += 1
        elif bars == 0 and 0 < end - start < full:
            first, pickup = start, end - start
        else:
            close(start)
            first, pickup, bars = end, 0, 0
    close(edges[-1])
    return out


def unisons_once(notes: list[list[Any]]) -> list[list[Any]]:
    """One key can be struck once at a time: the longest of unisons stays."""
    best: dict[tuple[int, int], list[Any]] = {}
    for n in notes:
        old = best.get((n[0], n[2]))
        if old is None or n[1] > old[1]:
            best[n[0], n[2]] = n
    return sorted(best.values(), key=lambda n: (n[0], n[2]))


def pieces_of(name: str, notes: list[list[Any]], spans: list[tuple[str, int, int, int, int]]) -> list[Piece]:
    """One piece for each stretch of one meter and key."""
    out = []
    for k, (meter, key, start, end, pickup) in enumerate(spans):
        inside = [[n[0] - start, *n[1:]] for n in notes if start <= n[0] < end]
        if len(inside) >= 40 and {n[5] for n in inside} == {1, 2}:
            out.append(
                {"name": f"{name}#{k}", "meter": meter, "key": key, "pickup": pickup, "notes": unisons_once(inside)}
            )
    return out


def reachable(notes: list[list[Any]], span: int = 15) -> list[list[Any]]:
    """Quartets on two staves: inner notes (voices 2 and 3) that a hand could not reach are left out."""
    kept = []
    for n in notes:
        outer = (o for o in notes if o[5] == n[5] and o[6] != n[6] and o[0] < n[0] + n[1] and n[0] < o[0] + o[1])
        if n[6] in (2, 3) and any(abs(o[2] - n[2]) > span for o in outer):
            continue
        kept.append(n)
    return kept


def read_quartet(path: str, joined: bool = False) -> list[Piece]:
    """A quartet movement or chorale: upper two parts right hand, lower two left. ``joined``: see ``stretches``."""
    warnings.filterwarnings("ignore")
    try:
        parts = list(music21.converter.parse(path).parts)
        if len(parts) < 4:
            return []
        notes = [n for k in range(4) for n in part_notes(parts[k], 1 if k < 2 else 2, k + 1)]
        spans = stretches(parts[0], joined)
    except Exception as error:  # a file that music21 cannot read is passed over, and said
        print(f"passed over {path}: {error}", file=sys.stderr)
        return []
    name = str(Path(path).relative_to(CORPUS))
    return pieces_of(name, notes if "bach" in name else reachable(notes), spans)


def read_tunes(path: str) -> list[Piece]:
    """Tunes of a collection with a made left hand."""
    warnings.filterwarnings("ignore")
    rng = random.Random(path)
    out: list[Piece] = []
    try:
        opus = music21.converter.parse(path)
        scores = list(opus.scores) if hasattr(opus, "scores") else [opus]
    except Exception as error:
        print(f"passed over {path}: {error}", file=sys.stderr)
        return []
    rng.shuffle(scores)
    for number, score in enumerate(scores[:TUNES_PER_FILE]):
        try:
            part = score.parts[0] if score.parts else score
            melody = part_notes(part, 1, 1)
            spans = stretches(part)[:1]
            if spans and melody:
                melody = [n for n in melody if spans[0][2] <= n[0] < spans[0][3]]
                left = accompany(melody, spans[0], rng)
                out += pieces_of(f"{Path(path).name}-{number}", melody + left, spans)
        except Exception as error:
            print(f"passed over a tune of {path}: {error}", file=sys.stderr)
    return out


def accompany(melody: list[list[Any]], span: tuple[str, int, int, int, int], rng: random.Random) -> list[list[Any]]:
    """A plain left hand: the chord of each bar that fits the tune best, in a figure drawn by chance."""
    meter, key, start, end, pickup = span
    count, unit = (int(x) for x in meter.split("/"))
    bar = 4 * UNIT * count // unit
    compound = unit == 8 and count % 3 == 0
    beat = 4 * UNIT * 3 // 8 if compound else 4 * UNIT // unit
    figure = rng.choice(("hold", "bass and chords", "broken", "fifths", "afterbeats", "walking", "half bars"))
    floor = rng.choice((36, 40, 43, 45))
    out: list[list[Any]] = []
    for at in range(start + pickup, end, bar):
        mine = Counter[int]()
        for n in melody:
            overlap = min(n[0] + n[1], at + bar) - max(n[0], at)
            if overlap > 0:
                mine[n[2] % 12] += overlap
        roots = [(7 * (key + k)) % 12 for k in (0, 1, -1, 3)]
        minor = {roots[3]}
        root = max(roots, key=lambda r: sum(mine[(r + d) % 12] for d in (0, 3 if r in minor else 4, 7)))
        bass = floor + (root - floor) % 12
        chord = [bass + 12, bass + (15 if root in minor else 16), bass + 19]
        lowest = min((n[2] for n in melody if at <= n[0] < at + bar), default=90)
        chord = [c for c in chord if c < lowest] or [bass]
        beats = bar // beat
        if figure == "hold":
            out += [[at, bar, p, "", 0, 2, 1] for p in [bass, *chord[1:]]]
        elif figure == "half bars" and beats % 2 == 0:
            out += [[at + h * bar // 2, bar // 2, p, "", 0, 2, 1] for h in (0, 1) for p in (bass, chord[-1])]
        elif figure == "bass and chords":
            out.append([at, beat, bass, "", 0, 2, 1])
            out += [[at + b * beat, beat, p, "", 0, 2, 1] for b in range(1, beats) for p in chord[-2:]]
        elif figure == "afterbeats" and not compound:
            out += [[at + b * beat, beat // 2, bass, "", 0, 2, 1] for b in range(beats)]
            out += [[at + b * beat + beat // 2, beat // 2, p, "", 0, 2, 1] for b in range(beats) for p in chord[-2:]]
        elif figure == "walking":
            out += [
                [at + b * beat, beat, [bass, chord[-1], chord[0], chord[len(chord) // 2]][b % 4], "", 0, 2, 1]
                for b in range(beats)
            ]
        elif figure == "fifths":
            out += [[at, bar, bass, "", 0, 2, 1], [at, bar, bass + 7, "", 0, 2, 1]]
        else:
            step = beat // 3 if compound else beat // 2
            notes = [bass, chord[0], chord[len(chord) // 2], chord[-1]]
            out += [[at + b * step, step, notes[b % len(notes)], "", 0, 2, 1] for b in range(bar // step)]
    return [n for n in out if n[0] + n[1] <= end]


def split_chorales(pieces: list[Piece]) -> list[Piece]:
    """The chorales that are not among the pieces, because their bars are split at the ends of lines."""
    there = {p["name"].partition("#")[0] for p in pieces}
    paths = [path for path in chorales() if str(Path(path).relative_to(CORPUS)) not in there]
    with ProcessPoolExecutor(2) as pool:
        return [p for found in pool.map(partial(read_quartet, joined=True), paths) for p in found]


def chorales() -> list[str]:
    """bwv253 to bwv343."""
    found = []
    for path in glob.glob(str(CORPUS / "bach/bwv*.mxl")):
        number = Path(path).stem[3:].split(".")[0]
        if number.isdigit() and 253 <= int(number) <= 343:
            found.append(path)
    return sorted(found)


def main() -> None:
    """Read everything and write one file."""
    out = Path(sys.argv[1])
    quartets = sorted({p for pattern in QUARTETS for p in glob.glob(str(CORPUS / pattern))}) + chorales()
    tunes = sorted({p for pattern in TUNES for p in glob.glob(str(CORPUS / pattern))})
    with ProcessPoolExecutor(2) as pool:
        pieces = [p for found in pool.map(read_tunes, tunes) for p in found]
        print(len(pieces), "tunes")
        pieces += [p for found in pool.map(read_quartet, quartets) for p in found]
    out.parent.mkdir(parents=True, exist_ok=True)
    out.write_bytes(gzip.compress(json.dumps(pieces).encode()))
    print(len(pieces), "pieces", sum(len(p["notes"]) for p in pieces), "notes", Counter(p["meter"] for p in pieces))


if __name__ == "__main__":
    main()
