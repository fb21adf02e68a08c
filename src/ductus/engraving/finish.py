"""What is done to an engraved system after the engraver.

Marks get the ids of the piece, a repeat's ending is drawn once, words stand clear of the numbers of tuplets, marks
that a hand moved stand where it put them, slurs that a hand bent have its curve.

The engraver keeps the ids of notes, slurs, hairpins and signs, but gives words, dynamics and the like ids of its
own. Within a measure it draws them in the order in which they stand in the file, so that they are named by counting.
"""

from __future__ import annotations

import re
from collections import defaultdict

from ductus.core.notation.companions import company
from ductus.core.score.model.piece import Piece
from ductus.engraving.faces import sign_width, with_signs
from ductus.formats.musicxml_marks import CONTROL

PLACEHOLDER = re.compile(
    r'(class="[^"]*\bplaceholder\b[^"]*">)\s*<ellipse [^>]*/>'
)  # a dot where the engraver keeps a place
CLUTTER = re.compile(r"<desc>.*?</desc>|<style.*?</style>|<title.*?</title>", re.DOTALL)
VOLTAS = re.compile(r'(<g class="voltaBracket">.*?</g>)(?:\s*<g class="voltaBracket">.*?</g>)+', re.DOTALL)
VOLTA_NUMBER = re.compile(
    r'(<g class="voltaBracket">(?:(?!</g>).)*?<tspan font-size="\d+px">)([\d, ]+)(</tspan>)', re.DOTALL
)
MEASURE = re.compile(r'<measure number="[^"]*" id="b(\d+)-[^"]*".*?</measure>', re.DOTALL)
STANDING = re.compile(r"<(direction|harmony)[ >].*?</\1>", re.DOTALL)
ELEMENT = re.compile(r"<(dynamics|words|octave-shift|pedal|rehearsal|metronome|harmony)\b([^>]*)>([^<]*)")
LOUDNESS = re.compile("(?:de)?cresc|dim")  # words that the engraver takes for dynamics
ID = re.compile(r'\bid="([^"]+)"')
SHAKEN = re.compile(r'<tremolo type="start" id="([^"]+)"')
DRAWN = re.compile(
    r'<g id="(?:b(\d+)-[^"]*" class="measure|([^"]+)" class="(dynam|dir|tempo|octave|pedal|reh|harm|fTrem))\b'
)
CLASS_OF = {
    "dynamics": "dynam",
    "words": "dir",
    "octave-shift": "octave",
    "pedal": "pedal",
    "rehearsal": "reh",
    "harmony": "harm",
}
SLUR = re.compile(r'(<g id="([^"]+)"[^>]* class="slur"[^>]*>\s*<path d=")([^"]*)"')
CURVE = re.compile(r"C(-?\d+),(-?\d+) (-?\d+),(-?\d+)")
NUMBER = re.compile(r'class="tupletNum">((?:\s*<use [^>]*>)+)')
AT = re.compile(r"translate\((-?\d+), (-?\d+)\)")
OVER = re.compile(r'<g id="[^"]*" class="(?:tempo|dir|harm)\b[^>]*>.*?</text>', re.DOTALL)
TEXT = re.compile(r'(<text x="(-?\d+)" y=")(-?\d+)"')
RUN = re.compile(r'font-size="(\d+)px">([^<]+)<')
PIECE = re.compile(r">( *)([^<>]*?)( *)</tspan>")
PARENTHESIS = re.compile(r"(<tspan[^>]*> *)\((?=</tspan>)<")
SPACE_KEPT = "\u00a0"
LETTER = 0.5  # mean width of a letter as a share of the size of its type
NUMBER_HIGH, NUMBER_WIDE, GAP = (
    260,
    110,
    70,
)  # of a tuplet's number, in units of the drawing, and what is left free around it
EM = 1000  # units of the drawing in an em of the music font, before it is scaled
LINE = 3 * 180  # what lies closer is one line
BESIDE = 110  # between a dynamic and its words
LETTERS = re.compile(r'<use href="#([0-9A-F]{4})-[^"]*" transform="translate\((-?\d+), (-?\d+)\) scale\(([\d.]+)')
WEDGE = re.compile(r'class="hairpin"[^>]*><polyline [^>]*points="([^"]*)"')
WORDS_OF_MARKS = re.compile(r'<g id="([^"]*)" class="(?:dir|dynam)\b[^>]*><text [^>]*>.*?</text>', re.DOTALL)
TENTH = 18  # units of the drawing in a tenth of a staff space: its lines lie 180 apart


def finished(svg: str, xml: str, piece: Piece, first: int) -> str:
    """The drawing of a system that begins with bar ``first``, as it goes to the page."""
    svg = PLACEHOLDER.sub(r"\1", CLUTTER.sub("", svg))
    if "voltaBracket" in svg:
        svg = VOLTA_NUMBER.sub(
            lambda m: m.group(1) + m.group(2).replace(",", ".,") + "." + m.group(3), VOLTAS.sub(r"\1", svg)
        )
    if "</tspan>" in svg:
        svg = spaced(svg)
    if "<direction" in xml or "<harmony" in xml or "<tremolo type" in xml:
        svg = named(svg, xml)
    if "tupletNum" in svg:
        svg = cleared(svg)
    if "<dynamics" in xml and "<words" in xml:
        svg = joined(svg, piece)
    if "relative-" in xml:
        svg = moved(svg, piece)
    if "bezier-" in xml:
        svg = bent(svg, piece)
    return with_signs(svg)


def spaced(svg: str) -> str:
    """Words keep the spaces at both ends of their pieces, whatever draws them, and a note stands clear of the
    parenthesis before it.
    """
    svg = PARENTHESIS.sub("\\1(\u00a0<", svg)
    return PIECE.sub(
        lambda m: f">{SPACE_KEPT * len(m.group(1))}{m.group(2)}{SPACE_KEPT * len(m.group(3))}</tspan>", svg
    )


def named(svg: str, xml: str) -> str:
    """Give words, dynamics, octave lines, pedals, chord symbols and tremolos the ids of their marks."""
    written: dict[tuple[int, str], list[str]] = defaultdict(list)
    for measure in MEASURE.finditer(xml):
        bar = int(measure.group(1))
        written[bar, "fTrem"] = SHAKEN.findall(measure.group())
        for standing in STANDING.finditer(measure.group()):
            tempo = "<metronome" in standing.group()
            found = ELEMENT.search(standing.group())
            name = found and ID.search(found.group(2))
            if found is None or (found.group(1) == "octave-shift" and name is None):
                continue
            kind = "dynamics" if found.group(1) == "words" and LOUDNESS.match(found.group(3)) else found.group(1)
            written[bar, "tempo" if tempo else CLASS_OF.get(kind, "")].append(name.group(1) if name else "")
    drawn: dict[tuple[int, str], list[str]] = defaultdict(list)
    bar = -1
    for group in DRAWN.finditer(svg):
        if group.group(1) is not None:
            bar = int(group.group(1))
        else:
            drawn[bar, group.group(3)].append(group.group(2))
    names = {}
    for place, theirs in drawn.items():
        ours = written.get(place, [])
        if len(ours) == len(theirs):
            names.update({a: b for a, b in zip(theirs, ours, strict=True) if b})
    if not names:
        return svg
    return re.sub(r'<g id="([^"]+)"', lambda m: f'<g id="{names.get(m.group(1), m.group(1))}"', svg)


def cleared(svg: str) -> str:
    """Words over a staff go above the numbers of tuplets that they would stand on.

    The engraver leaves no room for these.
    """
    numbers = [
        (int(x), int(y)) for group in NUMBER.finditer(svg) for x, y in AT.findall(group.group(1))
    ]  # left end and baseline

    def lift(words: re.Match[str]) -> str:
        text = TEXT.search(words.group())
        if text is None:
            return words.group()
        x, base = int(text.group(2)), int(text.group(3))
        runs = [(int(size), len(letters.strip("\n"))) for size, letters in RUN.findall(words.group())]
        right = x + sum(size * count for size, count in runs) * LETTER
        low = [
            y - NUMBER_HIGH - GAP
            for number, y in numbers
            if x - NUMBER_WIDE - GAP < number < right + GAP and y - NUMBER_HIGH - GAP < base <= y + NUMBER_HIGH
        ]
        return TEXT.sub(rf'\g<1>{min(low)}"', words.group(), count=1) if low else words.group()

    return OVER.sub(lift, svg)


def joined(svg: str, piece: Piece) -> str:
    """Dynamics and their words stand on one line: "p dolce". The engraver sets them one under the other."""
    right: dict[str, list[int]] = {}  # of a dynamic: where it ends, and its line
    signs = [(int(x), int(y)) for code, x, y, _ in LETTERS.findall(svg) if code.startswith("E5")]
    for wedge in WEDGE.findall(svg):
        numbers = [int(n) for n in re.findall(r"-?\d+", wedge)]
        signs.append(min(zip(numbers[::2], numbers[1::2], strict=False)))

    def set_beside(words: re.Match[str]) -> str:
        mark = piece.marks.get(words.group(1))
        loud = company(piece, mark) if mark else None
        if mark is None or loud is None:
            return words.group()
        if loud.id not in right:
            drawn = re.search(rf'<g id="{loud.id}" class="dynam[^>]*>((?:<use [^>]*>)+)', svg)
            ends = LETTERS.findall(drawn.group(1)) if drawn else []
            if not ends:
                return words.group()
            code, x, base, scale = ends[-1]
            right[loud.id] = [int(x) + round(sign_width(int(code, 16)) * EM * float(scale)) + BESIDE, int(base)]
        x, base = right[loud.id]
        end = x + round(sum(int(size) * len(text) for size, text in RUN.findall(words.group())) * LETTER) + BESIDE
        if any(x <= sign < end and abs(line - base) < LINE for sign, line in signs):
            return words.group()  # the next dynamic stands there: one under the other, as the engraver has set them
        right[loud.id][0] = end
        return TEXT.sub(rf'<text x="{x}" y="{base}"', words.group(), count=1)

    return WORDS_OF_MARKS.sub(set_beside, svg)


def moved(svg: str, piece: Piece) -> str:
    """Marks that a hand moved: right and up by tenths of a staff space."""

    def shift(match: re.Match[str]) -> str:
        mark = piece.marks.get(match.group(1)) or piece.signs.get(match.group(1))
        if mark is None or mark.shift == (0, 0):
            return match.group()
        x, y = mark.shift
        return f'{match.group()} transform="translate({x * TENTH}, {-y * TENTH})"'

    return re.sub(r'<g id="([^"]+)"', shift, svg)


def bent(svg: str, piece: Piece) -> str:
    """Slurs that a hand bent: their control points go up or down, their ends stay. Over a break, each half is bent."""

    def bend(match: re.Match[str]) -> str:
        mark = piece.marks.get(match.group(2))
        if mark is None or not mark.bend:
            return match.group()
        up = round(mark.bend * TENTH * CONTROL)
        path = CURVE.sub(
            lambda c: f"C{c.group(1)},{int(c.group(2)) - up} {c.group(3)},{int(c.group(4)) - up}", match.group(3)
        )
        return f'{match.group(1)}{path}"'

    return SLUR.sub(bend, svg)
