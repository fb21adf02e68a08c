"""MusicXML 4.0 writer: one for export and for the engraver.

Conventions: element order follows the MusicXML 4.0 schema (tests validate against it). Note ids become XML
ids and survive engraving; rests get ids made of their place. ``divisions`` is the smallest that writes every
length exactly. A window of bars is written with the clef, key and meter in force at its first bar.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from math import gcd

from lxml import etree

from ductus.core.notation.bars import crushed_id, notate_bar
from ductus.core.notation.beams import one_beam
from ductus.core.notation.symbols import PartBar, Symbol, VoiceBar
from ductus.core.pitch.chords import KINDS, parse_chord
from ductus.core.pitch.pitches import Pitch
from ductus.core.playback.performance import channels_of
from ductus.core.score.piece import Piece
from ductus.core.score.records import Mark, Note, Part, TempoMark
from ductus.core.time.bars import Bar
from ductus.core.time.ticks import QUARTER
from ductus.core.words import count_words

DECLARATION = '<?xml version="1.0" encoding="UTF-8"?>\n'
DOCTYPE = (
    '<!DOCTYPE score-partwise PUBLIC "-//Recordare//DTD MusicXML 4.0 Partwise//EN" '
    '"http://www.musicxml.org/dtds/partwise.dtd">\n'
)
CLEF_SIGNS = {
    "treble": ("G", 2, 0),
    "bass": ("F", 4, 0),
    "treble-8": ("G", 2, -1),
    "alto": ("C", 3, 0),
    "tenor": ("C", 4, 0),
    "percussion": ("percussion", 0, 0),
}
ACCIDENTALS = {-2: "flat-flat", -1: "flat", 0: "natural", 1: "sharp", 2: "double-sharp"}
ARTICULATIONS = {"staccato": "staccato", "accent": "accent", "tenuto": "tenuto", "marcato": "strong-accent"}
ORNAMENTS = {"trill": "trill-mark", "turn": "turn"}
VOICES_PER_STAFF = 4
SPANNING = ("pedal", "hairpin")
WEDGES = {"<": "crescendo", "crescendo": "crescendo", ">": "diminuendo", "diminuendo": "diminuendo"}
WRITTEN = ("text", "dynamic", "chord", *SPANNING)  # marks at a place of their own
UNWRITTEN = {"remark": "remark of your own", "silence": "silence marked as meant", "repeat": "repeat sign"}
CLOSE = b"</score-partwise>"
Element = etree._Element
NOT_XML = re.compile(
    r"[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]"
)  # the characters of XML 1.0, section 2.2


@dataclass(frozen=True, slots=True)
class Window:
    """Bars first..last (indices, both included) and what to write around them."""

    first: int
    last: int
    heading: bool = True  # title, composer: for files, not for the engraver
    part_names: bool = True
    sounds: bool = True


def sub(parent: Element, tag: str, text: object | None = None, **attributes: str) -> Element:
    """Append a child; ``None`` text leaves it empty."""
    child = etree.SubElement(parent, tag)
    for name, value in attributes.items():
        child.set(name.replace("_", "-"), value)
    if text is not None:
        words = text if isinstance(text, str) else str(text)
        child.text = words if words.isascii() and words.isprintable() else xml_text(words)
    return child


def xml_text(text: str) -> str:
    """Drop what XML 1.0 cannot hold."""
    return NOT_XML.sub("", text)


def write_musicxml(piece: Piece, window: Window | None = None) -> bytes:
    """Return the piece, or a window of its bars, as an uncompressed MusicXML file (UTF-8)."""
    window = window or Window(0, piece.bar_count - 1)
    root = etree.Element("score-partwise", version="4.0")
    if window.heading:
        _heading(root, piece)
    parts = piece.ordered_parts()
    _part_list(root, parts, window, channels_of(piece))
    opened = bytes(etree.tostring(root, encoding="UTF-8", xml_declaration=False))
    out = [(DECLARATION + (DOCTYPE if window.heading else "")).encode(), opened.removesuffix(CLOSE)]
    for part in parts:
        out.append(f'<part id="{part.id}">'.encode())
        out += _PartWriter(piece, part, window, is_top=part is parts[0]).measures()
        out.append(b"</part>")
    out.append(CLOSE)
    return b"".join(out)


def left_out(piece: Piece) -> list[str]:
    """What a piece holds and the file does not say, in sentences with its count."""
    counts = Counter(m.kind for m in piece.marks.values() if m.kind in UNWRITTEN)
    return [
        f"{count_words(n, UNWRITTEN[kind])} {'is' if n == 1 else 'are'} not part of the file."
        for kind, n in sorted(counts.items())
    ]


def _heading(root: Element, piece: Piece) -> None:
    facts = piece.facts
    if facts.title or facts.number:
        work = sub(root, "work")
        if facts.number:
            sub(work, "work-number", facts.number)
        sub(work, "work-title", facts.title)
    if facts.subtitle:
        sub(root, "movement-title", facts.subtitle)
    identification = sub(root, "identification")
    if facts.composer:
        sub(identification, "creator", facts.composer, type="composer")
    if facts.arranger:
        sub(identification, "creator", facts.arranger, type="arranger")
    sub(sub(identification, "encoding"), "software", "Ductus")


def _part_list(root: Element, parts: list[Part], window: Window, channels: dict[str, int]) -> None:
    listing = sub(root, "part-list")
    for part in parts:
        entry = sub(listing, "score-part", id=part.id)
        show = window.part_names and len(parts) > 1
        sub(entry, "part-name", part.name, **({} if show or window.heading else {"print_object": "no"}))
        if part.short:
            sub(entry, "part-abbreviation", part.short, **({} if show or window.heading else {"print_object": "no"}))
        if window.sounds:
            sub(sub(entry, "score-instrument", id=f"{part.id}-i"), "instrument-name", part.name)
            midi = sub(entry, "midi-instrument", id=f"{part.id}-i")
            sub(midi, "midi-channel", channels[part.id] + 1)
            sub(midi, "midi-program", part.programme + 1)


class _PartWriter:
    """Writes the measures of one part; holds what every measure needs."""

    def __init__(self, piece: Piece, part: Part, window: Window, *, is_top: bool) -> None:
        self.piece, self.part, self.window, self.is_top = piece, part, window, is_top
        self.range = range(window.first, window.last + 1)
        bars = [piece.timeline.bar(i) for i in self.range]
        self.marks = {
            bar.index: [m for m in piece.marks_in_bar(part.id, bar.index) if m.kind != "tuplet"] for bar in bars
        }
        self.tempi = _tempi_by_bar(piece, bars) if is_top else {}
        self.tick_unit = gcd(QUARTER, *self._lengths(bars))
        self.fermatas = {(m.staff, m.tick) for marks in self.marks.values() for m in marks if m.kind == "fermata"}
        self.slurs = _slur_ends(m for marks in self.marks.values() for m in marks)

    def _lengths(self, bars: list[Bar]) -> Iterator[int]:
        """All lengths and places that the file must be able to count."""
        for bar in bars:
            yield bar.ticks
            for voice in notate_bar(self.piece, self.part.id, bar.index).voices:
                yield from (s.ticks for s in voice.symbols)
            for mark in self.marks[bar.index]:
                yield from (
                    t - bar.start for t in (mark.tick, mark.end) if bar.start < t < bar.end and mark.kind in WRITTEN
                )
            yield from (tempo.tick - bar.start for tempo in self.tempi.get(bar.index, ()))

    def measures(self) -> Iterator[bytes]:
        """The measures one by one, so that a long piece needs no more memory than its text."""
        for index in self.range:
            bar, notated = self.piece.timeline.bar(index), notate_bar(self.piece, self.part.id, index)
            measure = etree.Element(
                "measure", number=str(self.piece.timeline.number_of(index)), id=f"b{index}-{self.part.id}"
            )
            if bar.missing:
                measure.set("implicit", "yes")
            self._attributes(measure, bar)
            self._directions(measure, bar)
            self._voices(measure, bar, notated)
            self._barline(measure, bar)
            yield bytes(etree.tostring(measure, encoding="UTF-8", xml_declaration=False))

    def _barline(self, measure: Element, bar: Bar) -> None:
        """The last bar line, and a double one before a new key."""
        last = bar.index == self.piece.bar_count - 1
        new_key = self.piece.key_at(bar.index + 1).fifths != self.piece.key_at(bar.index).fifths
        if last or new_key:
            barline = sub(measure, "barline", location="right")
            sub(barline, "bar-style", "light-heavy" if last else "light-light")

    # --- attributes and directions ----------------------------------------------------

    def _attributes(self, measure: Element, bar: Bar) -> None:
        piece, opening = self.piece, bar.index == self.window.first
        new_meter = bar.index == 0 or piece.timeline.bar(bar.index - 1).meter != bar.meter
        key = piece.key_at(bar.index)
        new_key = bar.index == 0 or piece.key_at(bar.index - 1).fifths != key.fifths
        if not (opening or new_meter or new_key):
            return
        attributes = sub(measure, "attributes")
        if opening:
            sub(attributes, "divisions", QUARTER // self.tick_unit)
        if opening or new_key:
            signature = sub(attributes, "key")
            sub(signature, "fifths", key.fifths)
            sub(signature, "mode", key.mode)
        if opening or new_meter:
            time = sub(attributes, "time", **({} if new_meter else {"print_object": "no"}))
            sub(time, "beats", bar.meter.count)
            sub(time, "beat-type", bar.meter.unit)
        if opening:
            if self.part.staves > 1:
                sub(attributes, "staves", self.part.staves)
            for number, name in enumerate(self.part.clefs, 1):
                sign, line, octave = CLEF_SIGNS[name]
                clef = sub(attributes, "clef", number=str(number))
                sub(clef, "sign", sign)
                if line:
                    sub(clef, "line", line)
                if octave:
                    sub(clef, "clef-octave-change", octave)

    def _directions(self, measure: Element, bar: Bar) -> None:
        for tempo in self.tempi.get(bar.index, ()):
            self._tempo(measure, bar, tempo)
        for mark in self.marks[bar.index]:
            begins, ends = bar.start <= mark.tick < bar.end, bar.start < mark.end <= bar.end
            if begins and mark.kind in ("text", "dynamic"):
                self._words(measure, bar, mark)
            elif begins and mark.kind == "chord":
                self._harmony(measure, bar, mark)
            elif mark.kind in SPANNING and mark.ticks:
                if begins:
                    self._spanning(measure, bar, mark, mark.tick, "start")
                if ends:
                    self._spanning(measure, bar, mark, mark.end, "stop")

    def _spanning(self, measure: Element, bar: Bar, mark: Mark, tick: int, which: str) -> None:
        """The beginning or end of a hairpin or of the pedal."""
        _, kind = self._direction(measure, bar, tick, mark.staff, "below")
        if mark.kind == "pedal":
            sub(kind, "pedal", type=which, line="yes", sign="no")
        else:
            sub(kind, "wedge", type=WEDGES.get(mark.text, "crescendo") if which == "start" else "stop")

    def _harmony(self, measure: Element, bar: Bar, mark: Mark) -> None:
        letter, alter, suffix, _ = parse_chord(mark.text)
        harmony = sub(measure, "harmony", placement="above")
        root = sub(harmony, "root")
        sub(root, "root-step", letter)
        if alter:
            sub(root, "root-alter", alter)
        sub(harmony, "kind", KINDS[suffix][0]).set("text", suffix)
        if "/" in mark.text:
            bass_letter, bass_alter, _, _ = parse_chord(mark.text.rpartition("/")[2])
            bass = sub(harmony, "bass")
            sub(bass, "bass-step", bass_letter)
            if bass_alter:
                sub(bass, "bass-alter", bass_alter)
        if mark.tick > bar.start:
            sub(harmony, "offset", (mark.tick - bar.start) // self.tick_unit)

    def _direction(self, measure: Element, bar: Bar, tick: int, staff: int, placement: str) -> tuple[Element, Element]:
        direction = sub(measure, "direction", placement=placement)
        kind = sub(direction, "direction-type")
        if tick > bar.start:
            sub(direction, "offset", (tick - bar.start) // self.tick_unit)
        if self.part.staves > 1:
            sub(direction, "staff", staff)
        return direction, kind

    def _tempo(self, measure: Element, bar: Bar, tempo: TempoMark) -> None:
        if tempo.printed:
            direction, kind = self._direction(measure, bar, tempo.tick, 1, "above")
            if tempo.text:
                sub(kind, "words", f"{tempo.text} ", font_weight="bold")
                second = etree.Element("direction-type")
                kind.addnext(second)
                kind = second
            metronome = sub(kind, "metronome", parentheses="yes" if tempo.text else "no")
            sub(metronome, "beat-unit", tempo.beat.base)
            for _ in range(tempo.beat.dots):
                sub(metronome, "beat-unit-dot")
            sub(metronome, "per-minute", f"{tempo.bpm:g}")
            sub(direction, "sound", tempo=f"{tempo.quarters_per_minute:g}")
        else:
            sub(measure, "sound", tempo=f"{tempo.quarters_per_minute:g}")

    def _words(self, measure: Element, bar: Bar, mark: Mark) -> None:
        _, kind = self._direction(measure, bar, mark.tick, mark.staff, "below" if mark.kind == "dynamic" else "above")
        if mark.kind == "dynamic":
            sub(sub(kind, "dynamics"), mark.text)
        else:
            sub(kind, "words", mark.text, font_style="italic")

    # --- notes ------------------------------------------------------------------------

    def _voices(self, measure: Element, bar: Bar, notated: PartBar) -> None:
        for k, voice in enumerate(notated.voices):
            if k:
                sub(sub(measure, "backup"), "duration", bar.ticks // self.tick_unit)
            for i, symbol in enumerate(voice.symbols):
                self._symbol(measure, voice, i, symbol, notated)

    def _symbol(self, measure: Element, voice: VoiceBar, i: int, symbol: Symbol, notated: PartBar) -> None:
        if symbol.is_rest:
            self._rest(measure, voice, i, symbol)
            return
        notes = sorted(symbol.notes, key=lambda n: n.pitch.midi)
        for note in notes:
            if note.id not in symbol.tied_from:
                self._crushed(measure, voice, note, notated)
        for k, note in enumerate(notes):
            self._note(measure, voice, i, symbol, note, chord=k > 0, notated=notated)

    def _crushed(self, measure: Element, voice: VoiceBar, note: Note, notated: PartBar) -> None:
        """Grace notes with a stroke before a note."""
        group = len(note.crushed) > 1  # several are beamed sixteenths, a single one an eighth with a stroke
        for k, pitch in enumerate(note.crushed):
            name = crushed_id(note, k)
            element = sub(measure, "note", id=name)
            sub(element, "grace", **({} if group else {"slash": "yes"}))
            _pitch(element, pitch)
            sub(element, "voice", (voice.staff - 1) * VOICES_PER_STAFF + voice.voice)
            sub(element, "type", "16th" if group else "eighth")
            self._accidental(element, name, notated)
            if self.part.staves > 1:
                sub(element, "staff", voice.staff)
            word = "begin" if k == 0 else "end" if k == len(note.crushed) - 1 else "continue"
            for level in (1, 2) if group else ():
                sub(element, "beam", word, number=str(level))

    def _accidental(self, element: Element, name: str, notated: PartBar) -> None:
        """The accidental of a note, if one is drawn; one that only reminds says so."""
        alter = notated.accidentals.get(name)
        if alter is None:
            return
        drawn = sub(element, "accidental", ACCIDENTALS[alter])
        if name in notated.cautions:
            drawn.set("cautionary", "yes")
            if self.piece.facts.cautions == "parentheses":
                drawn.set("parentheses", "yes")

    def _rest(self, measure: Element, voice: VoiceBar, i: int, symbol: Symbol) -> None:
        element = sub(measure, "note", id=symbol.id, **({"print_object": "no"} if symbol.hidden else {}))
        sub(element, "rest", **({"measure": "yes"} if symbol.whole_bar else {}))
        sub(element, "duration", symbol.ticks // self.tick_unit)
        self._voice_and_value(element, voice, symbol, None)
        notations = self._tuplet_ends(voice, i, symbol)
        if notations is not None:
            element.append(notations)

    def _note(
        self, measure: Element, voice: VoiceBar, i: int, symbol: Symbol, note: Note, *, chord: bool, notated: PartBar
    ) -> None:
        again = note.id in symbol.tied_from
        element = sub(measure, "note", id=f"{note.id}_{symbol.tick}" if again else note.id)
        if chord:
            sub(element, "chord")
        _pitch(element, note.pitch)
        sub(element, "duration", symbol.ticks // self.tick_unit)
        ties = [kind for kind, ids in (("stop", symbol.tied_from), ("start", symbol.tied_on)) if note.id in ids]
        for kind in ties:
            sub(element, "tie", type=kind)
        self._voice_and_value(element, voice, symbol, None if again else (note.id, notated), beams=not chord)
        notations = self._tuplet_ends(voice, i, symbol) if not chord else None
        notations = notations if notations is not None else etree.Element("notations")
        for position, kind in enumerate(ties):
            notations.insert(position, etree.Element("tied", type=kind))
        for kind, number in self.slurs.get(note.id, ()) if not again else ():
            sub(notations, "slur", type=kind, number=str(number))
        for name, tag in ORNAMENTS.items():
            if name in note.articulations and not again:
                sub(sub(notations, "ornaments"), tag, placement="above")
        drawn = [ARTICULATIONS[a] for a in note.articulations if a in ARTICULATIONS]
        if drawn and not again and not chord:
            group = sub(notations, "articulations")
            for name in drawn:
                sub(group, name)
        fermata = "fermata" in note.articulations or (voice.staff, symbol.tick) in self.fermatas
        if fermata and not again and not chord:
            sub(notations, "fermata")
        if "rolled" in note.articulations and not again:
            sub(notations, "arpeggiate")
        if len(notations):
            element.append(notations)
        if note.lyric and not again:
            lyric = sub(element, "lyric")
            text, begins, ends = note.lyric.strip("-"), not note.lyric.startswith("-"), not note.lyric.endswith("-")
            sub(
                lyric,
                "syllabic",
                {(True, True): "single", (True, False): "begin", (False, True): "end"}.get((begins, ends), "middle"),
            )
            sub(lyric, "text", text)

    def _voice_and_value(
        self,
        element: Element,
        voice: VoiceBar,
        symbol: Symbol,
        struck: tuple[str, PartBar] | None,
        *,
        beams: bool = False,
    ) -> None:
        sub(element, "voice", (voice.staff - 1) * VOICES_PER_STAFF + voice.voice)
        if not symbol.whole_bar:
            sub(element, "type", symbol.value.base)
            for _ in range(symbol.value.dots):
                sub(element, "dot")
        if struck is not None:
            self._accidental(element, *struck)
        if symbol.span is not None:
            ratio = sub(element, "time-modification")
            sub(ratio, "actual-notes", symbol.span.ratio.actual)
            sub(ratio, "normal-notes", symbol.span.ratio.normal)
            if symbol.span.base != symbol.value.base:
                sub(ratio, "normal-type", symbol.span.base)
        if self.part.staves > 1:
            sub(element, "staff", voice.staff)
        if beams:
            for number, word in enumerate(symbol.beams, 1):
                sub(element, "beam", word, number=str(number))

    def _tuplet_ends(self, voice: VoiceBar, i: int, symbol: Symbol) -> Element | None:
        """<notations> with the bracket's start or stop, where this symbol is its first or last."""
        if symbol.span is None:
            return None
        first = i == 0 or voice.symbols[i - 1].span != symbol.span
        last = i + 1 == len(voice.symbols) or voice.symbols[i + 1].span != symbol.span
        if not (first or last):
            return None
        notations = etree.Element("notations")
        if first:
            ratio = symbol.span.ratio
            usual = ratio.normal in (ratio.actual - 1, 4) and ratio.actual in (3, 5, 6, 7)
            tuplet = sub(
                notations,
                "tuplet",
                type="start",
                bracket="no" if one_beam([s for s in voice.symbols if s.span == symbol.span]) else "yes",
                show_number="actual" if usual else "both",
            )
            for side, count in (("tuplet-actual", ratio.actual), ("tuplet-normal", ratio.normal)):
                element = sub(tuplet, side)
                sub(element, "tuplet-number", count)
                sub(element, "tuplet-type", symbol.span.base)
        if last and not first:
            sub(notations, "tuplet", type="stop")
        return notations


def _pitch(parent: Element, pitch: Pitch) -> None:
    element = sub(parent, "pitch")
    sub(element, "step", pitch.step)
    if pitch.alter:
        sub(element, "alter", pitch.alter)
    sub(element, "octave", pitch.octave)


def _tempi_by_bar(piece: Piece, bars: list[Bar]) -> dict[int, list[TempoMark]]:
    """Bar index -> the tempo marks in it, in order."""
    out: dict[int, list[TempoMark]] = {}
    for tempo in sorted(piece.tempi.values(), key=lambda t: t.tick):
        if bars and bars[0].start <= tempo.tick < bars[-1].end:
            out.setdefault(piece.timeline.bar_at(tempo.tick).index, []).append(tempo)
    return out


def _slur_ends(marks: Iterable[Mark]) -> dict[str, list[tuple[str, int]]]:
    """Note id -> (start or stop, slur number) of the slurs among these marks."""
    out: dict[str, list[tuple[str, int]]] = {}
    slurs = {m.id: m for m in marks if m.kind == "slur" and len(m.notes) >= 2}
    for k, mark in enumerate(sorted(slurs.values(), key=lambda m: (m.tick, m.id))):
        out.setdefault(mark.notes[0], []).append(("start", k % 6 + 1))
        out.setdefault(mark.notes[-1], []).append(("stop", k % 6 + 1))
    return out
