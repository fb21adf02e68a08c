"""What two MusicXML files say, side by side: both read by music21, compared note by note and sign by sign.

``differences`` lists every fact of the first that the second does not have (and the other way round); ``named`` says
which of them the list of what was not kept speaks of. Run as a program, it goes through scores of music21's corpus:
``python -m tests.formats.round_trip 100``.
"""

from __future__ import annotations

import sys
from collections import Counter
from collections.abc import Iterator
from fractions import Fraction as F
from itertools import pairwise, zip_longest
from pathlib import Path

import music21
from lxml import etree

from ductus.core.errors import BadInput
from ductus.formats.musicxml_read import read_musicxml
from ductus.formats.musicxml_read.source import inside_archive
from ductus.formats.musicxml_write import write_musicxml

CORPUS = Path(music21.__file__).parent / "corpus"
# Words of the list of what was not kept, for each sort of fact that they excuse.
SHIFTED = ("equally long", "no meter has", "finer than ductus writes", "hidden note")
EXCUSES: dict[str, tuple[str, ...]] = {
    "note": ("left out", "struck again", "quarter tone", "triple accidental", "hidden note", "without a ",
        "ends before",
             "behind the end", "drums stand", "as those of a kit", "spelled", "range of midi"),
    "grace": ("grace",),
    "meter": ("meter",),
    "key": ("key signature", "mode", "change of transposition"),
    "lyric": ("syllable", "elision", "humming"),
    "dynamic": ("dynamic",),
    "slur": ("slur",),
    "sign": ("sign", "fingering", "tremolo", "fermata"),
    "repeat": ("bar line", "ending", "second"),
    "chord": ("chord symbol",),
    "length": ("without a meter",),
}  # fmt: skip
DYNAMICS = {
    "p",
    "pp",
    "ppp",
    "pppp",
    "f",
    "ff",
    "fff",
    "ffff",
    "mp",
    "mf",
    "sf",
    "sfz",
    "sffz",
    "sfp",
    "fp",
    "fz",
    "rf",
    "rfz",
    "pf",
}


def exact(offset: F | float) -> F:
    """A place of music21 (a float or a Fraction) as an exact fraction."""
    return F(offset).limit_denominator(5040)


def facts(data: bytes) -> Counter[tuple[object, ...]]:
    """All facts of a file: (sort, staff, place in quarters, what)."""
    score = music21.converter.parseData(begun_where_they_begin(data), format="musicxml", forceSource=True)
    out: Counter[tuple[object, ...]] = Counter()
    starts = bar_lines(score)
    for k, part in enumerate(score.parts):
        for fact in facts_of_part(k, part, starts):
            once = fact[0] in ("dynamic", "key", "meter", "sign")
            out[fact] = 1 if once else out[fact] + 1  # what is stated for each voice or note is stated
    return out


def begun_where_they_begin(data: bytes) -> bytes:
    """A repeat that begins at the right of a measure stated at the left of the next one.

    Music21 makes every repeat at the right an end.
    """
    root = etree.fromstring(data)
    for part in root.iterfind("part"):
        measures = part.findall("measure")
        for measure, following in pairwise(measures):
            for line in measure.findall("barline"):
                repeat = line.find("repeat")
                if line.get("location") == "right" and repeat is not None and repeat.get("direction") == "forward":
                    line.set("location", "left")
                    following.insert(0, line)
    return etree.tostring(root, encoding="UTF-8", xml_declaration=True)


def bar_lines(score: music21.stream.Score) -> list[F]:
    """Where each measure begins: as long as its longest part. (music21 lets a direction with an offset lengthen a
    measure.)
    """
    columns = zip_longest(*(list(p.getElementsByClass("Measure")) for p in score.parts))
    out = [F(0)]
    for column in columns:
        present = [m for m in column if m is not None]
        ends = [
            exact(e.getOffsetInHierarchy(m)) + exact(e.duration.quarterLength)
            for m in present
            for e in m.recurse().notesAndRests
        ]
        out.append(out[-1] + (max(ends, default=F(0)) or exact(present[0].barDuration.quarterLength)))
    return out


def facts_of_part(k: int, part: music21.stream.Part, starts: list[F]) -> Iterator[tuple[object, ...]]:
    """The facts of one staff."""
    open_ties: dict[tuple[str, F], list[F]] = {}
    notes: list[list[object]] = []
    measures = list(part.getElementsByClass("Measure"))
    meter = ""
    for start, measure in zip(starts, measures, strict=False):
        yield "length", k, start, ""
        signature = measure.timeSignature
        if signature is not None and not signature.style.hideObjectOnPrint and signature.ratioString != meter:
            meter = signature.ratioString  # one that is stated again is none that is new
            yield "meter", k, start, meter
        if measure.keySignature is not None and (measure.keySignature.sharps or start):
            yield "key", k, start, measure.keySignature.sharps
        for line, side in ((measure.leftBarline, "left"), (measure.rightBarline, "right")):
            if isinstance(line, music21.bar.Repeat):
                yield "repeat", k, start, side, line.direction, line.times or 2
        for element in measure.recurse().notesAndRests:
            at = start + exact(element.getOffsetInHierarchy(measure))
            if element.isRest or isinstance(element, music21.harmony.Harmony):
                if isinstance(element, music21.harmony.ChordSymbol) and not isinstance(
                    element, music21.harmony.NoChord
                ):
                    yield "chord", k, at, tuple(sorted(p.pitchClass for p in element.pitches)), element.root().name
                continue
            yield from facts_of_element(k, at, element)
            members = getattr(element, "notes", [element])
            if element.duration.isGrace:
                yield from (("grace", k, at, name_of(m)) for m in members)
                continue
            for m in members:
                _tied(k, at, exact(element.duration.quarterLength), m, open_ties, notes)
        for mark in measure.recurse().getElementsByClass(music21.dynamics.Dynamic):
            if mark.value in DYNAMICS:
                yield "dynamic", k, start + exact(mark.getOffsetInHierarchy(measure)), mark.value
    yield from (("note", k, *n) for n in notes)
    places = {
        id(e): start + exact(e.getOffsetInHierarchy(m))
        for start, m in zip(starts, measures, strict=False)
        for e in m.recurse().notes
    }
    for spanner in part.recurse().getElementsByClass(music21.spanner.Slur):
        first, last = spanner.getFirst(), spanner.getLast()
        if id(first) in places and id(last) in places:
            yield "slur", k, places[id(first)], places[id(last)]


def _tied(
    k: int,
    at: F,
    length: F,
    m: music21.note.NotRest,
    open_ties: dict[tuple[str, F], list[F]],
    notes: list[list[object]],
) -> None:
    """A note, or the next length of one that is tied on."""
    name = name_of(m)
    tie = m.tie.type if m.tie is not None else ""
    if (name, at) in open_ties:  # some files state only where a tie begins
        note = open_ties.pop((name, at))
        note[1] = F(note[1]) + length
    else:
        note = [at, length, name]  # type: ignore[list-item]
        notes.append(note)  # type: ignore[arg-type]
    if tie in ("start", "continue"):
        open_ties[name, at + length] = note


def name_of(m: music21.note.NotRest) -> str:
    """A note's pitch with its octave; where an unpitched one stands."""
    if isinstance(m, music21.note.Note):
        return m.pitch.nameWithOctave
    return f"drum {m.displayName}"


def facts_of_element(k: int, at: F, element: music21.note.GeneralNote) -> Iterator[tuple[object, ...]]:
    """Syllables and signs of a note or chord."""
    if element.duration.isGrace:
        return
    for lyric in element.lyrics:
        if lyric.text:
            yield "lyric", k, at, lyric.number, lyric.text.replace("\u00a0", " ").strip(), lyric.syllabic
    for sign in element.articulations:
        number = getattr(sign, "fingerNumber", "")
        yield "sign", k, at, type(sign).__name__, str(number)
    members = getattr(element, "notes", ())
    for sign in (*element.expressions, *(e for m in members for e in m.expressions)):
        if not isinstance(
            sign, music21.expressions.TextExpression | music21.expressions.ArpeggioMark
        ):  # rolled over two staves it is no sign of a note
            yield "sign", k, at, type(sign).__name__, ""


def differences(before: bytes, after: bytes) -> list[tuple[object, ...]]:
    """Facts that only one of two files has."""
    a, b = facts(before), facts(after)
    lost, new = list((a - b).elements()), list((b - a).elements())
    for fact in list(lost):  # files state triplets in whole divisions: such places differ by less than a 64th of a beat
        near = next((n for n in new if same_but_for_rounding(fact, n)), None)
        if near is not None:
            lost.remove(fact)
            new.remove(near)
    return [*(("lost", *f) for f in lost), *(("new", *f) for f in new)]


def same_but_for_rounding(a: tuple[object, ...], b: tuple[object, ...]) -> bool:
    """Do two facts differ by the rounding of places and lengths only?"""
    return len(a) == len(b) and all(
        x == y or (isinstance(x, F) and isinstance(y, F) and abs(x - y) < F(1, 64)) for x, y in zip(a, b, strict=True)
    )


def unexplained(found: list[tuple[object, ...]], losses: tuple[str, ...]) -> list[tuple[object, ...]]:
    """Differences that no sentence of the losses speaks of."""
    said = " ".join(losses).casefold()
    return [d for d in found if not any(word in said for word in (*SHIFTED, *EXCUSES[str(d[1])]))]


def tried(path: Path) -> tuple[str, list[tuple[object, ...]], tuple[str, ...]]:
    """One score in and out again: "whole", "named" or "differs", its unexplained differences, and its losses."""
    data = path.read_bytes()
    read = read_musicxml(data, path.stem)
    found = differences(plain(path), write_musicxml(read.piece))
    open_ones = unexplained(found, read.losses)
    return ("whole" if not found else "differs" if open_ones else "named"), open_ones, read.losses


def plain(path: Path) -> bytes:
    """The text of a score, out of its archive if it is in one."""
    data = path.read_bytes()
    text = inside_archive(data) if data[:4] == b"PK\x03\x04" else data
    return etree.tostring(
        etree.fromstring(text), encoding="UTF-8", xml_declaration=True
    )  # music21 reads no other encoding


def scores(count: int) -> list[Path]:
    """A spread of the MusicXML scores of music21's corpus, from every folder."""
    files = sorted(p for e in ("mxl", "xml", "musicxml") for p in CORPUS.rglob(f"*.{e}"))
    by_folder: dict[str, list[Path]] = {}
    for path in files:
        by_folder.setdefault(path.relative_to(CORPUS).parts[0], []).append(path)
    out: list[Path] = []
    k = 0
    while len(out) < min(count, len(files)):
        for folder in sorted(by_folder):
            mine = by_folder[folder]
            if k < len(mine):
                out.append(mine[(k * 37) % len(mine) if len(mine) > 37 else k])
        k += 1
    return list(dict.fromkeys(out))[:count]


def main() -> None:
    """Go through scores and print what differs."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 20
    names = sys.argv[2:]
    paths = [p for p in scores(10_000) if any(n in str(p) for n in names)] if names else scores(count)
    totals: Counter[str] = Counter()
    for path in paths:
        try:
            verdict, found, _ = tried(path)
        except BadInput as error:
            verdict, found = "refused", [("", str(error))]
        except Exception as error:
            verdict, found = "unreadable", [("", repr(error)[:200])]
        totals[verdict] += 1
        if verdict not in ("whole", "named"):
            print(
                path.relative_to(CORPUS),
                verdict,
                len(found),
                Counter(str(d[1]) for d in found).most_common(4),
                found[:3],
                flush=True,
            )
    print(dict(totals))


if __name__ == "__main__":
    main()
