"""Where the signs and words of a page lie: boxes in units of the drawing, measured from its fonts."""

from __future__ import annotations

import itertools
import math
import re
from bisect import bisect_left
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from lxml import etree

from ductus.engraving.faces import sign_bounds, sign_width, text_width

SVG = "{http://www.w3.org/2000/svg}"
EM = 1000  # units of the drawing in an em of the music font, before it is scaled
SPACE = 180  # units in a staff space
TOUCH = 0.25 * SPACE  # what overlaps by less, across or down, only touches
ASCENT, DESCENT, X_HEIGHT = 0.66, 0.2, 0.45  # of a line of words, as shares of its size
WORDS = ("dynam", "dir", "tempo", "harm", "reh", "syl", "mNum", "fing")
SIGNS = ("notehead", "accid", "clef", "rest", "artic", "trill", "fermata", "turn", "mordent", "flag", "dots")
LINES = ("slur", "tie", "hairpin", "stem", "beam", "bracketSpan", "octave", "pedal")
NAMES = {
    "dynam": "a dynamic", "dir": "words", "tempo": "a tempo", "harm": "a chord symbol", "reh": "a rehearsal mark",
    "syl": "lyrics", "mNum": "a bar number", "fing": "a fingering", "notehead": "a note", "accid": "an accidental",
    "clef": "a clef", "rest": "a rest", "artic": "an articulation", "trill": "a trill", "fermata": "a fermata",
    "slur": "a slur", "tie": "a tie", "hairpin": "a hairpin", "stem": "a stem", "beam": "a beam",
    "octave": "an octave line", "pedal": "a pedal line", "turn": "a turn", "mordent": "a mordent", "flag": "a flag",
    "dots": "a dot",
}  # fmt: skip
MOVED = re.compile(r"translate\((-?[\d.]+)[ ,]+(-?[\d.]+)\)(?: *scale\((-?[\d.]+))?")
HANGING = frozenset("gjpqyQ,;çß")
FLAT = frozenset("acegmnopqrsuvwxyz.,:;-–_ ")
STEPS, THIN = 40, 10.0  # boxes along a line at most, and half their side
NUMBER = re.compile(r"-?\d+(?:\.\d+)?")
BAR = re.compile(r"b(\d+)-")


@dataclass(frozen=True, slots=True)
class Box:
    """A sign or a line of words: what it is (a class of the engraver), the bar it stands in (index), the text, and its
    edges; ``group`` is the same for pieces of one thing.
    """

    kind: str
    bar: int
    group: str
    left: float
    top: float
    right: float
    bottom: float
    text: str = ""


def boxes_of(page: str) -> list[Box]:
    """The boxes of all words and signs on a page (SVG), system by system."""
    root = etree.fromstring(page.encode())
    return list(_boxes(root, 0.0, 0.0, "", -1, ""))


def _boxes(element: etree._Element, x: float, y: float, kind: str, bar: int, group: str) -> Iterator[Box]:
    tag = str(element.tag).removeprefix(SVG)
    if tag in ("defs", "style", "symbol"):
        return
    moved = MOVED.match(element.get("transform") or "") if tag == "g" else None
    if moved is not None:
        x, y = x + float(moved[1]), y + float(moved[2])
    names = (element.get("class") or "").split()
    if "measure" in names and (found := BAR.match(element.get("id") or "")):
        bar = int(found[1])
    mine = next((k for k in (*WORDS, *SIGNS, *LINES) if k in names), None)
    if mine is not None:
        kind, group = mine, element.get("id") or group
    if tag == "text" and kind in WORDS:
        yield from _words(element, x, y, kind, bar, group)
        return
    if tag == "use" and kind:
        yield from _sign(element, x, y, kind, bar, group)
        return
    if tag in ("path", "polygon", "polyline") and kind in LINES:
        yield from _line(element, x, y, kind, bar, group)
        return
    for child in element:
        if isinstance(child.tag, str):
            yield from _boxes(child, x, y, kind, bar, group)


def _sign(use: etree._Element, x: float, y: float, kind: str, bar: int, group: str) -> Iterator[Box]:
    place = MOVED.match(use.get("transform") or "")
    code = re.match(r"#([0-9A-Fa-f]{4})", use.get("href") or "")
    bounds = sign_bounds(int(code[1], 16)) if code else None
    if place is None or bounds is None:
        return
    scale = EM * float(place[3] or 1)
    left, low, right, high = (edge * scale for edge in bounds)
    x, y = x + float(place[1]), y + float(place[2])
    yield Box(kind, bar, group, x + left, y - high, x + right, y - low)


def _line(shape: etree._Element, x: float, y: float, kind: str, bar: int, group: str) -> Iterator[Box]:
    """A line or curve, as small boxes along it; what is filled (a beam, a slur) by its edges."""
    numbers = [float(n) for n in NUMBER.findall(shape.get("d") or shape.get("points") or "")]
    places = list(zip(numbers[::2], numbers[1::2], strict=False))
    curved = "C" in (shape.get("d") or "")
    for k in range(0, len(places) - 1, 3 if curved else 1):
        part = places[k : k + 4] if curved else places[k : k + 2]
        if len(part) in (2, 4):
            steps = min(max(round(math.dist(part[0], part[-1]) / SPACE), 1), STEPS)
            for at in range(steps + 1):
                px, py = _on(part, at / steps)
                yield Box(kind, bar, group, x + px - THIN, y + py - THIN, x + px + THIN, y + py + THIN)


def _on(part: list[tuple[float, float]], at: float) -> tuple[float, float]:
    """A point of a straight line (two points) or of a cubic curve (four), from 0 to 1 along it (de Casteljau)."""
    while len(part) > 1:
        part = [(a[0] + (b[0] - a[0]) * at, a[1] + (b[1] - a[1]) * at) for a, b in itertools.pairwise(part)]
    return part[0]


def _words(text: etree._Element, x: float, y: float, kind: str, bar: int, group: str) -> Iterator[Box]:
    """The lines of a text: a run with a place of its own begins a new one."""
    lines: list[tuple[float, float, list[tuple[str, float, bool, bool]]]] = []
    for element, size, italic, music in _runs(text, 0.0, False, False):
        if element.get("x") is not None or not lines:
            at = element.get("x") or text.get("x") or "0", element.get("y") or text.get("y") or "0"
            lines.append((float(at[0]), float(at[1]), []))
        lines[-1][2].append((element.text or "", size, italic, music))
    for left, base, runs in lines:
        wide = sum(
            size * (sum(sign_width(ord(c)) for c in words) if music else text_width(words, italic=italic))
            for words, size, italic, music in runs
        )
        said = "".join(words for words, *_ in runs).strip()
        if not said:
            continue
        size = max(size for words, size, *_ in runs if words.strip())
        shift = {"middle": wide / 2, "end": wide}.get(text.get("text-anchor") or "", 0.0)
        high = size * (X_HEIGHT if set(said) <= FLAT else ASCENT)
        low = size * (DESCENT if HANGING & set(said) else 0.0)
        begin = x + left - shift
        yield Box(kind, bar, group, begin, y + base - high, begin + wide, y + base + low, said)


def _runs(
    element: etree._Element, size: float, italic: bool, music: bool
) -> Iterator[tuple[etree._Element, float, bool, bool]]:
    """The pieces of a text with their size, slant and whether the music font draws them."""
    asked = element.get("font-size") or ""
    if asked.endswith("px"):
        size = float(asked[:-2])
    elif asked.endswith("em"):
        size *= float(asked[:-2])
    italic = {"italic": True, "normal": False}.get(element.get("font-style") or "", italic)
    music = music or element.get("font-family") == "Leipzig"
    if element.text:
        yield element, size, italic, music
    for child in element:
        yield from _runs(child, size, italic, music)
        if child.tail and child.tail.strip():
            tail = etree.Element("tspan")
            tail.text = child.tail
            yield tail, size, italic, music


def collisions(boxes: Iterable[Box]) -> Iterator[tuple[Box, Box]]:
    """Words that lie over other words, signs or lines, each pair of things once."""
    ordered = sorted(boxes, key=lambda b: b.left)
    lefts = [b.left for b in ordered]
    widest = max((b.right - b.left for b in ordered), default=0.0)
    told: set[tuple[str, str]] = set()
    for words in (b for b in ordered if b.kind in WORDS):
        near = range(bisect_left(lefts, words.left - widest), bisect_left(lefts, words.right))
        for other in (ordered[k] for k in near):
            pair = (min(words.group, other.group), max(words.group, other.group))
            if words.group != other.group and pair not in told and _over(words, other):
                told.add(pair)
                yield words, other


def _over(words: Box, thing: Box) -> bool:
    """Do words lie over a thing by more than a touch? A line must run inside."""
    if thing.kind in LINES:
        inside_x = words.left + TOUCH < (thing.left + thing.right) / 2 < words.right - TOUCH
        return inside_x and words.top + TOUCH < (thing.top + thing.bottom) / 2 < words.bottom - TOUCH
    across = min(words.right, thing.right) - max(words.left, thing.left)
    down = min(words.bottom, thing.bottom) - max(words.top, thing.top)
    return across > TOUCH and down > TOUCH
