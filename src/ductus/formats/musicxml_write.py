"""MusicXML 4.0 writer: one for export and for the engraver.

Conventions: element order follows the MusicXML 4.0 schema (tests validate against it). Note ids become XML
ids and survive engraving; rests get ids made of their place. ``divisions`` is the smallest that writes every
length exactly. A window of bars is written with the clef, key and meter in force at its first bar.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from math import gcd

from lxml import etree

from ductus.core.notation.bars import grace_note_id, notate_bar
from ductus.core.notation.beams import one_beam
from ductus.core.notation.symbols import PartBar, Symbol, VoiceBar
from ductus.core.pitch.intervals import fifths_of, transposed, written_interval
from ductus.core.pitch.pitches import Pitch
from ductus.core.score.catalogues.drums import DRUMS
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import ClefChange, Note, Part
from ductus.core.time.bars import Bar
from ductus.core.time.ticks import QUARTER
from ductus.core.words import count_words
from ductus.formats.musicxml_marks import (
    UNWRITTEN,
    Scribe,
    collect,
    line_ends,
    of_slur,
    stands_at,
    tempi_by_bar,
    ticks_of_marks,
    wants_bracket,
    write_glissandi,
    write_left_bar_line,
    write_lyrics,
    write_right_bar_line,
    write_signs,
)
from ductus.formats.musicxml_parts import part_list, write_break
from ductus.formats.musicxml_xml import FORTE, USUAL_VELOCITY, Element, sub

DECLARATION = '<?xml version="1.0" encoding="UTF-8"?>\n'
DOCTYPE = (
    '<!DOCTYPE score-partwise PUBLIC "-//Recordare//DTD MusicXML 4.0 Partwise//EN" '
    '"http://www.musicxml.org/dtds/partwise.dtd">\n'
)
CLEF_SIGNS = {
    "treble": ("G", 2, 0),
    "bass": ("F", 4, 0),
    "treble-8": ("G", 2, -1),
    "treble+8": ("G", 2, 1),
    "bass-8": ("F", 4, -1),
    "soprano": ("C", 1, 0),
    "alto": ("C", 3, 0),
    "tenor": ("C", 4, 0),
    "percussion": ("percussion", 0, 0),
}
ACCIDENTALS = {-2: "flat-flat", -1: "flat", 0: "natural", 1: "sharp", 2: "double-sharp"}
VOICES_PER_STAFF = 4
GRACE_SLUR = 16  # the number of the slur from a grace note, far from those of the marks
CLOSE = b"</score-partwise>"


@dataclass(frozen=True, slots=True)
class Window:
    """Bars first..last (indices, both included) and what to write around them."""

    first: int
    last: int
    heading: bool = True  # title, composer: for files, not for the engraver
    part_names: bool = True
    sounds: bool = True
    breaks: frozenset[int] = frozenset()  # bars that begin a system of their own, for pages
    rests: tuple[
        tuple[int, int], ...
    ] = ()  # (first bar, count) of bars of silence of which only the first is written, for pages


def write_musicxml(piece: Piece, window: Window | None = None) -> bytes:
    """Return the piece, or a window of its bars, as an uncompressed MusicXML file (UTF-8)."""
    window = window or Window(0, piece.bar_count - 1)
    root = etree.Element("score-partwise", version="4.0")
    if window.heading:
        _heading(root, piece)
    parts = piece.ordered_parts()
    part_list(root, piece, names=window.part_names, heading=window.heading, sounds=window.sounds)
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
    if facts.lyricist:
        sub(identification, "creator", facts.lyricist, type="lyricist")
    if facts.rights:
        sub(identification, "rights", facts.rights)
    sub(sub(identification, "encoding"), "software", "Ductus")


class _PartWriter:
    """Writes the measures of one part; holds what every measure needs."""

    def __init__(self, piece: Piece, part: Part, window: Window, *, is_top: bool) -> None:
        self.piece, self.part, self.window, self.is_top = piece, part, window, is_top
        self.range = range(window.first, window.last + 1)
        bars = [piece.timeline.bar(i) for i in self.range]
        self.marks = {
            bar.index: [m for m in piece.marks_in_bar(part.id, bar.index) if m.kind != "tuplet"] for bar in bars
        }
        self.tempi = tempi_by_bar(piece, bars) if is_top else {}
        self.signs = sorted(piece.signs.values(), key=lambda s: (s.bar, s.id))
        self.sings = part.lyrics or any(n.lyrics for bar in bars for n in piece.notes_in_bar(part.id, bar.index))
        self.endings = is_top or window.heading  # the engraver draws them once
        self.clefs = [c for c in piece.clefs.values() if c.part == part.id]
        self.tick_unit = gcd(QUARTER, *self._lengths(bars))
        self.fermatas = {(m.staff, m.tick) for marks in self.marks.values() for m in marks if m.kind == "fermata"}
        everywhere = [m for marks in self.marks.values() for m in marks]
        self.slurs, self.glissandi = line_ends(everywhere, "slur"), line_ends(everywhere, "glissando")

    def _lengths(self, bars: list[Bar]) -> Iterator[int]:
        """All lengths and places that the file must be able to count."""
        for bar in bars:
            yield bar.ticks
            for voice in notate_bar(self.piece, self.part.id, bar.index).voices:
                yield from (s.ticks for s in voice.symbols)
            yield from ticks_of_marks(self.marks[bar.index], bar)
            yield from (tempo.tick - bar.start for tempo in self.tempi.get(bar.index, ()))

    def measures(self) -> Iterator[bytes]:
        """The measures one by one, so that a long piece needs no more memory than its text."""
        inside = {bar for first, count in self.window.rests for bar in range(first + 1, first + count)}
        for index in (i for i in self.range if i not in inside):
            bar, notated = self.piece.timeline.bar(index), notate_bar(self.piece, self.part.id, index)
            measure = etree.Element(
                "measure", number=str(self.piece.timeline.number_of(index)), id=f"b{index}-{self.part.id}"
            )
            if bar.missing:
                measure.set("implicit", "yes")
            signs = [s for s in self.signs if s.bar == index] if self.is_top else []
            begins = self.is_top and index in self.window.breaks
            write_break(measure, signs if self.window.heading else (), begins=begins)
            write_left_bar_line(measure, index, self.signs, endings=self.endings)
            self._attributes(measure, bar)
            self.interval = written_interval(self.part.transpose, self.piece.key_at(index).fifths)
            self.scribe = Scribe(
                self.piece,
                self.part.staves,
                self.tick_unit,
                self.window.heading,
                self.sings,
                self.interval if self.part.transpose != (0, 0) else (0, 0),
                self.part.staff_numbers[0],
            )
            collect(self.scribe, bar, self.marks[index], self.tempi.get(index, ()), signs)
            self._voices(measure, bar, notated)
            self._barline(measure, bar)
            yield bytes(etree.tostring(measure, encoding="UTF-8", xml_declaration=False))

    def _barline(self, measure: Element, bar: Bar) -> None:
        """The last bar line, a double one before a new key, and what signs of bars say."""
        end = bar.index + dict(self.window.rests).get(bar.index, 1) - 1  # one bar stands for all of a long rest
        last = end == self.piece.bar_count - 1
        new_key = self.piece.key_at(end + 1).fifths != self.piece.key_at(end).fifths
        usual = "light-heavy" if last else "light-light" if new_key else None
        write_right_bar_line(measure, end, self.signs, usual, endings=self.endings)

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
            steps, semitones = written_interval(self.part.transpose, key.fifths)
            drums = self.part.percussion  # have no signature
            sub(signature, "fifths", 0 if drums else key.fifths + fifths_of(steps, semitones))
            sub(signature, "mode", key.mode)
        if opening or new_meter:
            sign = self._meter_sign(bar)
            time = sub(attributes, "time", **({} if new_meter and sign != "none" else {"print_object": "no"}))
            if sign in ("common", "cut"):
                time.set("symbol", sign)
            sub(time, "beats", bar.meter.count)
            sub(time, "beat-type", bar.meter.unit)
        if opening:
            if self.part.staves > 1:
                sub(attributes, "staves", self.part.staves)
            for k, staff in enumerate(self.part.staff_numbers, 1):
                self._clef(attributes, k, piece.clef_at(self.part, staff, bar.start))
            if self.part.transpose != (0, 0):
                self._transposition(attributes)

    def _meter_sign(self, bar: Bar) -> str:
        """How the meter that begins at a bar is written (see ``MeterChange``)."""
        return next((m.sign for m in self.piece.meters.values() if m.bar == bar.index), "")

    @staticmethod
    def _clef(attributes: Element, staff: int, name: str) -> None:
        sign, line, octave = CLEF_SIGNS[name]
        clef = sub(attributes, "clef", number=str(staff))
        sub(clef, "sign", sign)
        if line:
            sub(clef, "line", line)
        if octave:
            sub(clef, "clef-octave-change", octave)

    def _transposition(self, attributes: Element) -> None:
        steps, semitones = self.part.transpose
        octaves = int(steps / 7)
        transpose = sub(attributes, "transpose")
        sub(transpose, "diatonic", steps - 7 * octaves)
        sub(transpose, "chromatic", semitones - 12 * octaves)
        if octaves:
            sub(transpose, "octave-change", octaves)

    # --- notes ------------------------------------------------------------------------

    def _voices(self, measure: Element, bar: Bar, notated: PartBar) -> None:
        """The voices one after the other; with the first of each staff go its directions and clefs."""
        done: set[int] = set()
        for k, voice in enumerate(notated.voices):
            if k:
                sub(sub(measure, "backup"), "duration", bar.ticks // self.tick_unit)
            first = voice.staff not in done
            done.add(voice.staff)
            clefs = self._clefs_in(voice, bar) if first else []
            for i, symbol in enumerate(voice.symbols):
                end = symbol.tick + symbol.ticks
                if first:
                    self.scribe.due(measure, voice.staff, symbol.tick, end)
                while clefs and clefs[0].tick <= symbol.tick:
                    self._clef(sub(measure, "attributes"), self._number(voice), clefs.pop(0).clef)
                self._symbol(measure, voice, i, symbol, notated)
            if first:
                self.scribe.due(measure, voice.staff, bar.end, bar.end + 1)
            for change in clefs:
                self._clef(sub(measure, "attributes"), self._number(voice), change.clef)

    def _number(self, voice: VoiceBar) -> int:
        """The number of a voice's staff among those that are written."""
        return self.part.staff_numbers.index(voice.staff) + 1

    def _clefs_in(self, voice: VoiceBar, bar: Bar) -> list[ClefChange]:
        """Clefs that change on a staff in a bar.

        One on its bar line has been written at the opening of a window already.
        """
        since = bar.start + (bar.index == self.window.first)
        mine = (c for c in self.clefs if c.staff == voice.staff and since <= c.tick < bar.end)
        return sorted(mine, key=lambda c: c.tick)

    def _symbol(self, measure: Element, voice: VoiceBar, i: int, symbol: Symbol, notated: PartBar) -> None:
        if symbol.is_rest:
            self._rest(measure, voice, i, symbol)
            return
        notes = sorted(symbol.notes, key=lambda n: n.pitch.midi)
        graced = [n for n in notes if n.grace_notes and n.id not in symbol.tied_from]
        slurred = (n.id for n in graced if "bare-grace" not in n.signs)
        self.grace_slurs = {note_id: GRACE_SLUR - k for k, note_id in enumerate(slurred)}
        for note in graced:
            self._grace_notes(measure, voice, note, notated)
        for k, note in enumerate(notes):
            self._note(measure, voice, i, symbol, note, chord=k > 0, notated=notated)

    def _grace_notes(self, measure: Element, voice: VoiceBar, note: Note, notated: PartBar) -> None:
        """Grace notes before a note, slurred to it (common practice) unless a sign says otherwise."""
        group = len(note.grace_notes) > 1  # several are beamed sixteenths, a single one an eighth with a stroke
        for k, pitch in enumerate(note.grace_notes):
            name = grace_note_id(note, k)
            element = sub(measure, "note", id=name)
            sub(element, "grace", **({} if group else {"slash": "yes"}))
            self._pitch(element, self._written(pitch))
            sub(element, "voice", (voice.staff - 1) * VOICES_PER_STAFF + voice.voice)
            sub(element, "type", "16th" if group else "eighth")
            self._accidental(element, name, self._written(pitch), notated)
            if self.part.staves > 1:
                sub(element, "staff", voice.staff)
            word = "begin" if k == 0 else "end" if k == len(note.grace_notes) - 1 else "continue"
            for level in (1, 2) if group else ():
                sub(element, "beam", word, number=str(level))
            if k == 0 and note.id in self.grace_slurs:
                sub(sub(element, "notations"), "slur", type="start", number=str(self.grace_slurs[note.id]))

    def _pitch(self, parent: Element, pitch: Pitch) -> None:
        """The pitch of a note, or where its drum stands."""
        if self.part.percussion:
            drum = DRUMS.get(pitch.midi)
            place, element = drum.place if drum else pitch, sub(parent, "unpitched")
            sub(element, "display-step", place.step)
            sub(element, "display-octave", place.octave)
            return
        element = sub(parent, "pitch")
        sub(element, "step", pitch.step)
        if pitch.alter:
            sub(element, "alter", pitch.alter)
        sub(element, "octave", pitch.octave)

    def _written(self, pitch: Pitch) -> Pitch:
        """A sounding pitch as the part reads it."""
        return pitch if self.part.transpose == (0, 0) else transposed(pitch, *self.interval)

    def _accidental(self, element: Element, name: str, pitch: Pitch, notated: PartBar) -> None:
        """The accidental of a note, if one is drawn; one that only reminds says so. ``pitch`` as it is written."""
        if name not in notated.accidentals or self.part.percussion:
            return
        drawn = sub(element, "accidental", ACCIDENTALS[pitch.alter])
        if name in notated.cautions:
            drawn.set("cautionary", "yes")
            if self.piece.facts.cautions == "parentheses":
                drawn.set("parentheses", "yes")

    def _rest(self, measure: Element, voice: VoiceBar, i: int, symbol: Symbol) -> None:
        element = sub(measure, "note", id=symbol.id, **({"print_object": "no"} if symbol.hidden else {}))
        sub(element, "rest", **({"measure": "yes"} if symbol.whole_bar else {}))
        sub(element, "duration", symbol.ticks // self.tick_unit)
        self._voice_and_value(element, voice, symbol)
        notations = self._tuplet_ends(voice, i, symbol)
        if self._held(voice, symbol) and not symbol.hidden:
            notations = notations if notations is not None else etree.Element("notations")
            sub(notations, "fermata")
        if notations is not None:
            element.append(notations)

    def _note(
        self, measure: Element, voice: VoiceBar, i: int, symbol: Symbol, note: Note, *, chord: bool, notated: PartBar
    ) -> None:
        again = note.id in symbol.tied_from
        element = sub(measure, "note", id=f"{note.id}_{symbol.tick}" if again else note.id)
        if self.window.sounds and note.velocity != USUAL_VELOCITY and not again:
            element.set("dynamics", f"{note.velocity / FORTE * 100:.2f}")
        if "cue" in note.signs:
            sub(element, "cue")
        if chord:
            sub(element, "chord")
        written = self._written(note.pitch)
        self._pitch(element, written)
        sub(element, "duration", symbol.ticks // self.tick_unit)
        ties = [kind for kind, ids in (("stop", symbol.tied_from), ("start", symbol.tied_on)) if note.id in ids]
        for kind in ties if "cue" not in note.signs else ():  # a cue does not sound
            sub(element, "tie", type=kind)
        if self.part.percussion and self.window.sounds and note.pitch.midi in DRUMS:
            sub(element, "instrument", id=f"{self.part.id}-d{note.pitch.midi}")
        self._voice_and_value(element, voice, symbol, None if again else note, (written, notated), beams=not chord)
        notations = self._tuplet_ends(voice, i, symbol) if not chord else None
        notations = notations if notations is not None else etree.Element("notations")
        self._notations(notations, voice, symbol, note, ties, chord=chord)
        if len(notations):
            element.append(notations)
        if not again:
            write_lyrics(element, note, self._held_on)

    def _notations(
        self, notations: Element, voice: VoiceBar, symbol: Symbol, note: Note, ties: list[str], *, chord: bool
    ) -> None:
        """Ties, slurs, glissandi, signs and fermatas of a note, in the order of the schema."""
        again = note.id in symbol.tied_from
        for position, kind in enumerate(ties):
            notations.insert(position, etree.Element("tied", type=kind))
        for kind, number, mark in self.slurs.get(note.id, ()):
            if stands_at(mark, kind, symbol):
                sub(
                    notations,
                    "slur",
                    type=kind,
                    number=str(number),
                    **of_slur(mark, kind, for_file=self.window.heading),
                )
        if note.id in self.grace_slurs and not again:
            sub(notations, "slur", type="stop", number=str(self.grace_slurs[note.id]))
        write_glissandi(notations, self.glissandi.get(note.id, ()), note, symbol)
        if not again:
            write_signs(notations, symbol.notes, note, first=not chord)
        signed = not again and any("fermata" in n.signs for n in symbol.notes)
        if not chord and not signed and self._held(voice, symbol):
            sub(notations, "fermata")

    def _held(self, voice: VoiceBar, symbol: Symbol) -> bool:
        """Does a fermata stand at a symbol by itself?"""
        return any(staff == voice.staff and symbol.tick <= tick < symbol.end for staff, tick in self.fermatas)

    def _held_on(self, note: Note, verse: int) -> bool:
        """Is the syllable of a verse held over the note that follows in the voice?"""
        following = self.piece.line_between(note.line, note.end, note.end + 1)
        return any(s.verse == verse and not s.text for n in following for s in n.lyrics)

    def _voice_and_value(
        self,
        element: Element,
        voice: VoiceBar,
        symbol: Symbol,
        struck: Note | None = None,
        drawn: tuple[Pitch, PartBar] | None = None,
        *,
        beams: bool = False,
    ) -> None:
        sub(element, "voice", (voice.staff - 1) * VOICES_PER_STAFF + voice.voice)
        if not symbol.whole_bar:
            small = {"size": "cue"} if any("cue" in n.signs for n in symbol.notes) else {}
            sub(element, "type", symbol.value.base, **small)
            for _ in range(symbol.value.dots):
                sub(element, "dot")
        if struck is not None and drawn is not None:
            self._accidental(element, struck.id, *drawn)
        if symbol.span is not None:
            ratio = sub(element, "time-modification")
            sub(ratio, "actual-notes", symbol.span.ratio.actual)
            sub(ratio, "normal-notes", symbol.span.ratio.normal)
            if symbol.span.base != symbol.value.base:
                sub(ratio, "normal-type", symbol.span.base)
        stem = next((s for n in symbol.notes for s in n.signs if s.startswith("stem-")), None)
        if stem is not None:
            sub(element, "stem", stem.removeprefix("stem-"))
        elif self.part.percussion and symbol.notes:
            sub(element, "stem", "up" if voice.voice % 2 else "down")
        head = DRUMS.get(drawn[0].midi) if self.part.percussion and drawn is not None else None
        if head is not None and head.head != "normal":
            sub(element, "notehead", head.head)
        if self.part.staves > 1:
            crosses = drawn is not None and struck is not None and "cross" in struck.signs
            sub(element, "staff", 3 - voice.staff if crosses else voice.staff)
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
        if symbol.span.strokes:
            way = "start" if first else "stop"
            named = {"id": symbol.span.mark} if first and not self.window.heading else {}  # the engraver's window only
            sub(sub(notations, "ornaments"), "tremolo", symbol.span.strokes, type=way, **named)
            return notations
        if first:
            ratio = symbol.span.ratio
            usual = ratio.normal in (ratio.actual - 1, 4) and ratio.actual in (3, 5, 6, 7)
            tuplet = sub(
                notations,
                "tuplet",
                type="start",
                bracket="yes" if self._bracket(voice, symbol) else "no",
                show_number="actual" if usual else "both",
            )
            for side, count in (("tuplet-actual", ratio.actual), ("tuplet-normal", ratio.normal)):
                element = sub(tuplet, side)
                sub(element, "tuplet-number", count)
                sub(element, "tuplet-type", symbol.span.base)
        if last and not first:
            sub(notations, "tuplet", type="stop")
        return notations

    @staticmethod
    def _bracket(voice: VoiceBar, symbol: Symbol) -> bool:
        """A group that is one beam needs no bracket, unless a hand chose one."""
        chosen = wants_bracket(voice, symbol.span)
        return not one_beam([s for s in voice.symbols if s.span == symbol.span]) if chosen is None else chosen
