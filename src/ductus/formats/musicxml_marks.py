"""Marks in MusicXML 4.0: directions, chord symbols, bar lines with repeats and endings, and the notations of notes.

``DIRECTIONS`` says for each kind of mark how it is written. A direction stands in the stream of the first voice of
its staff, before the symbol in whose time it falls, with an offset where it falls inside one; so readers that go
along the stream (octave lines) and readers that count time agree.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from fractions import Fraction
from functools import partial

from lxml import etree

from ductus.core.notation.companions import company, drawn_end
from ductus.core.notation.drawn import OCTAVE_LINES
from ductus.core.notation.symbols import Symbol, VoiceBar
from ductus.core.pitch.chord_symbols import ChordSymbol, parse_chord, transposed_chord
from ductus.core.score.mark_language.swing import STRAIGHT, TWO_TO_ONE, pair_of
from ductus.core.score.model.mark_kinds import KINDS
from ductus.core.score.model.note_signs import BAR_SIGNS, JUMPS, NOTE_SIGNS, UPPER
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import UNDERTIE, BarSign, Mark, Note, TempoMark
from ductus.core.time.bars import Bar
from ductus.core.time.ticks import QUARTER
from ductus.formats.musicxml_xml import Element, sub

OF_THE_PART = ("chord", "scale", "tempo-word", "swing")  # stand over its uppermost staff
WEDGES = {"<": "crescendo", ">": "diminuendo"}
OCTAVES = {
    text: ("down" if n > 0 else "up", 7 * abs(n) + 1) for text, n in OCTAVE_LINES.items()
}  # down: drawn so much lower
DASHES = {"hairpin": "1", "tempo-word": "2"}  # numbers of lines that words reach over
UNWRITTEN = {"remark": "remark of your own", "silence": "silence marked as meant"}
BAR_STYLES = {"double": "light-light", "dashed": "dashed", "final": "light-heavy"}


@dataclass(frozen=True, slots=True)
class Standing:
    """A direction to be written: its tick, the order among those of one tick, and what writes it into a measure at
    an offset.
    """

    tick: int
    rank: int
    write: Callable[[Element, int], None]


@dataclass(slots=True)
class Scribe:
    """What directions need to know of the part and the bar they stand in; ``place`` writes the frame of a direction."""

    piece: Piece
    staves: int
    tick_unit: int
    for_file: bool = True  # what only a file needs, not the engraver
    sings: bool = False  # words stand under the staff, so loudness goes above it (common practice)
    interval: tuple[int, int] = (
        0,
        0,
    )  # from sounding to written pitch: chord symbols are written in the key of their part
    top: int = 1  # the uppermost staff that is written: what belongs to the whole part stands there
    standing: dict[int, list[Standing]] = field(default_factory=lambda: defaultdict(list))  # by staff

    def direction(self, measure: Element, offset: int, staff: int, side: str) -> tuple[Element, Element]:
        """A <direction> with its first <direction-type>; ``offset`` in ticks from where the stream stands."""
        direction = sub(measure, "direction", placement=side)
        kind = sub(direction, "direction-type")
        if offset:
            sub(direction, "offset", offset // self.tick_unit)
        if self.staves > 1:
            sub(direction, "staff", staff)
        return direction, kind

    def put(self, staff: int, tick: int, rank: int, write: Callable[[Element, int], None]) -> None:
        """Remember a direction of this bar."""
        self.standing[staff].append(Standing(tick, rank, write))

    def due(self, measure: Element, staff: int, start: int, before: int) -> None:
        """Write what falls before a tick, the stream standing at ``start``."""
        waiting = self.standing.get(staff)
        if not waiting:
            return
        now = sorted((s for s in waiting if s.tick < before), key=lambda s: (s.tick, s.rank))
        for one in now:
            one.write(measure, one.tick - start)
        self.standing[staff] = [s for s in waiting if s.tick >= before]


def ticks_of_marks(marks: Iterable[Mark], bar: Bar) -> list[int]:
    """Places inside a bar that the file must be able to count, in ticks from its bar line."""
    return [t - bar.start for m in marks if m.kind in DIRECTIONS for t in (m.tick, m.end) if bar.start < t < bar.end]


def collect(
    scribe: Scribe, bar: Bar, marks: Iterable[Mark], tempi: Iterable[TempoMark], signs: Iterable[BarSign]
) -> None:
    """Everything that stands over and under a bar, ready to be written along with its voices."""
    for sign in signs:
        _bar_words(scribe, bar, sign)
    for tempo in tempi:
        scribe.put(scribe.top, tempo.tick, 1, partial(write_tempo, scribe, tempo))
    for mark in marks:
        write = DIRECTIONS.get(mark.kind)
        if write is None:
            continue
        if bar.start <= mark.tick < bar.end:
            staff = scribe.top if mark.kind in OF_THE_PART else mark.staff
            scribe.put(staff, mark.tick, 2, partial(_edge, scribe, write, mark, "start"))
        end = mark.end if scribe.for_file else drawn_end(scribe.piece, mark)
        if mark.ticks and KINDS[mark.kind].spans and bar.start < end <= bar.end:
            staff = scribe.top if mark.kind in OF_THE_PART else mark.staff
            scribe.put(staff, end, 0, partial(_edge, scribe, write, mark, "stop"))


# --- kinds of marks ---------------------------------------------------------------------------


def _side(mark: Mark, scribe: Scribe) -> str:
    loud = None if scribe.for_file else company(scribe.piece, mark)
    if loud is not None and loud is not mark:
        return _side(loud, scribe)
    usual = "above" if scribe.sings and mark.kind in ("dynamic", "hairpin") else KINDS[mark.kind].side
    return mark.side or usual


def _dynamic(scribe: Scribe, measure: Element, offset: int, mark: Mark, which: str) -> None:
    _, kind = scribe.direction(measure, offset, mark.staff, _side(mark, scribe))
    element = sub(kind, "dynamics", id=mark.id, **_moved(mark))
    if mark.text in UNNAMED:
        sub(element, "other-dynamics", mark.text)
    else:
        sub(element, mark.text)


def _hairpin(scribe: Scribe, measure: Element, offset: int, mark: Mark, which: str) -> None:
    if mark.text not in WEDGES:
        _words(scribe, measure, offset, mark, which)
        return
    _, kind = scribe.direction(measure, offset, mark.staff, _side(mark, scribe))
    sub(kind, "wedge", type=WEDGES[mark.text] if which == "start" else "stop", **_named(mark, which))


def _pedal(scribe: Scribe, measure: Element, offset: int, mark: Mark, which: str) -> None:
    _, kind = scribe.direction(measure, offset, mark.staff, _side(mark, scribe))
    sub(kind, "pedal", type=which, line="yes", sign="no", **_named(mark, which))


def _octave(scribe: Scribe, measure: Element, offset: int, mark: Mark, which: str) -> None:
    way, size = OCTAVES.get(mark.text, ("down", 8))
    side = mark.side or ("above" if way == "down" else "below")
    _, kind = scribe.direction(measure, offset, mark.staff, side)
    sub(kind, "octave-shift", type=way if which == "start" else "stop", size=str(size), **_named(mark, which))


def _words(scribe: Scribe, measure: Element, offset: int, mark: Mark, which: str) -> None:
    """Words; a file says with dashes how far they reach."""
    reaches = scribe.for_file and mark.ticks > 0 and mark.kind in DASHES
    if which == "stop" and not reaches:
        return
    direction, kind = scribe.direction(measure, offset, mark.staff, _side(mark, scribe))
    if which == "start":
        sub(kind, "words", mark.text, font_style="italic", **_named(mark, which))
        if reaches:
            kind.addnext(etree.Element("direction-type"))
            sub(direction[1], "dashes", type="start", number=DASHES[mark.kind])
    else:
        sub(kind, "dashes", type="stop", number=DASHES[mark.kind])


def _swing(scribe: Scribe, measure: Element, offset: int, mark: Mark, which: str) -> None:
    """Swing with its share as MusicXML 4.0 has it: long to short in whole numbers, the value that is swung."""
    direction, kind = scribe.direction(measure, offset, mark.staff, _side(mark, scribe))
    sub(kind, "words", mark.text, font_weight="bold", **_named(mark, which))
    swing = sub(sub(direction, "sound"), "swing")
    if mark.share == STRAIGHT:
        sub(swing, "straight")
        return
    ratio = Fraction(2, 1) if mark.share == TWO_TO_ONE else Fraction(mark.share, 1000 - mark.share)
    sub(swing, "first", ratio.numerator)
    sub(swing, "second", ratio.denominator)
    sub(swing, "swing-type", "eighth" if pair_of(mark.text) == QUARTER else "16th")


def _harmony(scribe: Scribe, measure: Element, offset: int, mark: Mark, which: str) -> None:
    symbol = parse_chord(transposed_chord(mark.text, *scribe.interval))
    harmony = sub(measure, "harmony", placement=_side(mark, scribe), id=mark.id, **_moved(mark))
    if symbol.letter:
        root = sub(harmony, "root")
        sub(root, "root-step", symbol.letter)
        if symbol.alter:
            sub(root, "root-alter", symbol.alter)
        sub(harmony, "kind", symbol.kind).set("text", symbol.suffix)
    else:
        sub(sub(harmony, "root"), "root-step", "C").set("text", "")
        sub(harmony, "kind", "none").set("text", "N.C.")
    _bass_and_degrees(harmony, symbol, degrees=scribe.for_file)
    if offset:
        sub(harmony, "offset", offset // scribe.tick_unit)
    if scribe.staves > 1:
        sub(harmony, "staff", mark.staff)


def _bass_and_degrees(harmony: Element, symbol: ChordSymbol, *, degrees: bool) -> None:
    """Bass and degrees; what is printed of these stands in the text of the kind already."""
    if symbol.bass is not None:
        bass = sub(harmony, "bass")
        sub(bass, "bass-step", symbol.bass[0])
        if symbol.bass[1]:
            sub(bass, "bass-alter", symbol.bass[1])
    for degree in symbol.degrees if degrees else ():
        element = sub(harmony, "degree", print_object="no")
        sub(element, "degree-value", degree.value)
        sub(element, "degree-alter", degree.alter)
        sub(element, "degree-type", degree.how)


def _named(mark: Mark, which: str) -> dict[str, str]:
    """The id of a mark and where a hand moved it, at its beginning."""
    return {"id": mark.id, **_moved(mark)} if which == "start" else {}


def _moved(mark: Mark | BarSign) -> dict[str, str]:
    """Where a hand moved it, in tenths."""
    x, y = mark.shift
    return {**({"relative_x": str(x)} if x else {}), **({"relative_y": str(y)} if y else {})}


def _edge(scribe: Scribe, write: DirectionWriter, mark: Mark, which: str, measure: Element, offset: int) -> None:
    write(scribe, measure, offset, mark, which)


DirectionWriter = Callable[[Scribe, Element, int, Mark, str], None]
DIRECTIONS: dict[str, Callable[[Scribe, Element, int, Mark, str], None]] = {
    "dynamic": _dynamic,
    "hairpin": _hairpin,
    "pedal": _pedal,
    "octave": _octave,
    "tempo-word": _words,
    "text": _words,
    "scale": _words,
    "swing": _swing,
    "chord": _harmony,
}


# --- tempo and signs of bars --------------------------------------------------------------------


def write_tempo(scribe: Scribe, tempo: TempoMark, measure: Element, offset: int) -> None:
    """A tempo mark, printed or only sounding."""
    if not tempo.printed:
        sound = sub(measure, "sound", tempo=f"{tempo.quarters_per_minute:g}")
        if offset:
            sub(sound, "offset", offset // scribe.tick_unit)
        return
    direction, kind = scribe.direction(measure, offset, 1, "above")
    if tempo.text:
        sub(kind, "words", f"{tempo.text}\u00a0", font_weight="bold", id=tempo.id)
        second = etree.Element("direction-type")
        kind.addnext(second)
        kind = second
    metronome = sub(
        kind, "metronome", parentheses="yes" if tempo.text else "no", **({} if tempo.text else {"id": tempo.id})
    )
    sub(metronome, "beat-unit", tempo.beat.base)
    for _ in range(tempo.beat.dots):
        sub(metronome, "beat-unit-dot")
    sub(metronome, "per-minute", tempo.shown or f"{tempo.bpm:g}")
    sub(direction, "sound", tempo=f"{tempo.quarters_per_minute:g}")


def _bar_words(scribe: Scribe, bar: Bar, sign: BarSign) -> None:
    """Signs of a bar that are written as words or signs over the staff."""
    if sign.bar != bar.index or sign.kind not in SAID:
        return
    tag, sound = SAID[sign.kind]
    right = BAR_SIGNS[sign.kind].right

    def write(measure: Element, offset: int) -> None:
        direction, kind = scribe.direction(measure, offset, 1, "above")
        if tag == "words":
            sub(
                kind,
                "words",
                BAR_SIGNS[sign.kind].shown,
                id=sign.id,
                font_weight="bold",
                **_moved(sign),
                **({"justify": "right", "halign": "right"} if right else {}),
            )
        else:
            sub(kind, tag, sign.text if tag == "rehearsal" else None, id=sign.id, **_moved(sign))
        if sound:
            sub(direction, "sound", **sound)

    scribe.put(scribe.top, bar.end if right else bar.start, 0 if right else 1, write)


SAID: dict[str, tuple[str, dict[str, str]]] = {
    "segno": ("segno", {"segno": "segno"}),
    "coda": ("coda", {"coda": "coda"}),
    "to-coda": ("words", {"tocoda": "coda"}),
    "fine": ("words", {"fine": "yes"}),
    "section": ("rehearsal", {}),
    **{kind: ("words", {"dacapo": "yes"} if kind.startswith("da-capo") else {"dalsegno": "segno"}) for kind in JUMPS},
}


def write_left_bar_line(measure: Element, bar: int, signs: Iterable[BarSign], *, endings: bool) -> None:
    """The bar line before a bar, where a repeat or an ending begins."""
    here = [s for s in signs if s.bar == bar]
    ending = next((s for s in here if s.kind == "ending"), None) if endings else None
    repeat = any(s.kind == "repeat-start" for s in here)
    if not (ending or repeat):
        return
    barline = sub(measure, "barline", location="left")
    if repeat:
        sub(barline, "bar-style", "heavy-light")
    if ending:
        sub(barline, "ending", _ending_words(ending), number=ending.text.replace(" ", ""), type="start")
    if repeat:
        sub(barline, "repeat", direction="forward")


def write_right_bar_line(
    measure: Element, bar: int, signs: Iterable[BarSign], usual: str | None, *, endings: bool
) -> None:
    """The bar line after a bar; ``usual`` is its style where no sign says another."""
    signs = list(signs)
    here = {s.kind: s for s in signs if s.bar == bar}
    ending = next((s for s in signs if endings and s.kind == "ending" and s.bar + s.bars - 1 == bar), None)
    style = next((BAR_STYLES[k] for k in BAR_STYLES if k in here), usual)
    repeat = here.get("repeat-end")
    if not (style or ending or repeat):
        return
    barline = sub(measure, "barline", location="right")
    if repeat or style:
        sub(barline, "bar-style", "light-heavy" if repeat else style)
    if ending:
        sub(barline, "ending", number=ending.text.replace(" ", ""), type="stop" if repeat else "discontinue")
    if repeat:
        sub(barline, "repeat", direction="backward", **({"times": repeat.text} if repeat.text else {}))


def _ending_words(sign: BarSign) -> str:
    return ", ".join(f"{n.strip()}." for n in sign.text.split(","))


# --- notations of notes ---------------------------------------------------------------------------


def write_signs(notations: Element, chord: Iterable[Note], note: Note, *, first: bool) -> None:
    """The signs of a note; those of a chord stand at its first note only."""
    shared = dict.fromkeys(s for n in chord for s in n.signs if not NOTE_SIGNS[s].each) if first else {}
    groups: dict[str, list[str]] = defaultdict(list)
    for name in (*shared, *(s for s in note.signs if NOTE_SIGNS[s].each)):
        sign = NOTE_SIGNS[name]
        if sign.tag:
            groups[sign.group or sign.tag].append(name)
    for group in ("tied", "ornaments", "technical", "articulations", "fermata", "arpeggiate"):
        names = groups.get(group)
        if not names:
            continue
        if group == "tied":
            sub(notations, "tied", type="let-ring")
        elif group in ("fermata", "arpeggiate"):
            sub(notations, group)
        else:
            parent = sub(notations, group)
            for name in names:
                _write_sign(parent, name)


def _write_sign(parent: Element, name: str) -> None:
    sign = NOTE_SIGNS[name]
    if sign.tag == "tremolo":
        sub(parent, "tremolo", name[-1], type="single")
    elif sign.tag == "fingering":
        sub(parent, "fingering", name[-1])
    elif sign.group == "ornaments":
        sub(parent, sign.tag, placement="above")
        if sign.upper is not None:
            sub(parent, "accidental-mark", next(a for a, alter in UPPER.items() if alter == sign.upper))
    else:
        sub(parent, sign.tag)


JOINT = re.compile(f"(?<=.){UNDERTIE}(?=.)")


def write_lyrics(element: Element, note: Note, held_on: Callable[[Note, int], bool]) -> None:
    """The syllables of a note; ``held_on`` says whether the syllable of a verse is held over the note after it, too."""
    for syllable in note.lyrics:
        lyric = sub(element, "lyric", number=str(syllable.verse))
        if not syllable.text:
            sub(lyric, "extend", type="continue" if held_on(note, syllable.verse) else "stop")
            continue
        sub(lyric, "syllabic", syllable.syllabic)
        first, *more = JOINT.split(syllable.text)
        sub(lyric, "text", first)
        for text in more:
            sub(lyric, "elision", UNDERTIE)
            sub(lyric, "text", text)
        if syllable.extends:
            sub(lyric, "extend", type="start")


UNNAMED = ("sff", "ffz")  # dynamics that MusicXML has no element for
ARCH = 20  # tenths that the control points of a usual slur lie from its ends
CONTROL = 4 / 3  # the middle of a cubic curve goes three quarters of the way with its two control points


def line_ends(marks: Iterable[Mark], kind: str) -> dict[str, list[tuple[str, int, Mark]]]:
    """Note id -> (start or stop, number, the mark) of the slurs or glissandi among these marks."""
    out: dict[str, list[tuple[str, int, Mark]]] = {}
    lines = {m.id: m for m in marks if m.kind == kind and len(m.notes) >= 2}
    for k, mark in enumerate(sorted(lines.values(), key=lambda m: (m.tick, m.id))):
        out.setdefault(mark.notes[0], []).append(("start", k % 6 + 1, mark))
        out.setdefault(mark.notes[-1], []).append(("stop", k % 6 + 1, mark))
    return out


def of_slur(slur: Mark, which: str, *, for_file: bool) -> dict[str, str]:
    """Its id, its side, and how a hand moved and bent it.

    MusicXML has no "bent from where it stands by itself": the ends of a bent slur say where their control points lie
    (MusicXML 4.0, bezier), counted from an arch of usual height on its side; in a file only where that side is
    known, since a curve on the other side would be false.
    """
    side = {"placement": slur.side} if slur.side and which == "start" else {}
    if not slur.bend or (for_file and not slur.side):
        return {**_named(slur, which), **side}
    up = slur.side != "below"
    control = (ARCH if up else -ARCH) + round(slur.bend * CONTROL)
    return {
        **_named(slur, which),
        **side,
        "bezier_x": str(ARCH if which == "start" else -ARCH),
        "bezier_y": str(control),
    }


def write_glissandi(notations: Element, ends: Iterable[tuple[str, int, Mark]], note: Note, symbol: Symbol) -> None:
    """The glissandi and slides that leave a note or come to it.

    From the last to the first printed note of what is tied.
    """
    for which, number, mark in ends:
        if note.id not in (symbol.tied_on if which == "start" else symbol.tied_from):
            line = "solid" if mark.text else "wavy"
            named = _named(mark, which)
            sub(notations, mark.text or "glissando", type=which, number=str(number), line_type=line, **named)


def stands_at(slur: Mark, kind: str, symbol: Symbol) -> bool:
    """Does a slur begin ("start") or end at just this printed note of those that are tied to one?

    It reaches over all of a tie (E. Gould, Behind Bars, 2011: slurs and ties; from memory) unless its own place says
    otherwise.
    """
    end = symbol.tick + symbol.ticks
    if kind == "start":
        return symbol.tick <= slur.tick < end or (slur.tick < symbol.tick and not symbol.tied_from)
    return (
        symbol.tick < slur.end <= end
        or (slur.end > end and not symbol.tied_on)
        or (slur.end <= symbol.tick and not symbol.tied_from)
    )


def tempi_by_bar(piece: Piece, bars: list[Bar]) -> dict[int, list[TempoMark]]:
    """Bar index -> the tempo marks in it, in order."""
    out: dict[int, list[TempoMark]] = {}
    for tempo in sorted(piece.tempi.values(), key=lambda t: t.tick):
        if bars and bars[0].start <= tempo.tick < bars[-1].end:
            out.setdefault(piece.timeline.bar_at(tempo.tick).index, []).append(tempo)
    return out


def wants_bracket(voice: VoiceBar, span: object) -> bool | None:
    """Whether a hand chose that the bracket of a tuplet is shown, hidden, or neither."""
    inside: list[Symbol] = [s for s in voice.symbols if s.span == span]
    signs = {s for symbol in inside for n in symbol.notes for s in n.signs}
    return True if "bracket" in signs else False if "no-bracket" in signs else None
