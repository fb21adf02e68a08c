"""One part of a file, measure by measure.

Its stream of notes, rests, backups and forwards becomes places in quarters.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction

from ductus.core.pitch.intervals import fifths_of
from ductus.core.pitch.pitches import Pitch
from ductus.core.score.model.records import CLEFS, printable
from ductus.core.time.meters import UNITS
from ductus.formats.musicxml_read.directions import Directions
from ductus.formats.musicxml_read.losses import Losses
from ductus.formats.musicxml_read.notes import (
    length_of,
    ratio_of,
    read_notations,
    sounding_pitch,
    syllables_of,
    velocity_of,
)
from ductus.formats.musicxml_read.raw import RawMark, RawMeasure, RawMeter, RawNote, RawPart
from ductus.formats.musicxml_read.text import number_of, text_of, whole_of
from ductus.formats.musicxml_write import CLEF_SIGNS
from ductus.formats.musicxml_xml import Element

CLEF_OF = {sign: name for name, sign in CLEF_SIGNS.items()}
NEAREST = {"G": "treble", "F": "bass", "C": "alto", "percussion": "percussion"}
MODES = ("major", "minor")


NO_NAME = "musicxml part"  # what some programs write where a part has none


def part_of(entry: Element | None, part_id: str) -> RawPart:
    """A part by its entry in the list of parts: name, sound, the keys of its drums."""
    programme, level, pan, drums = 0, 100, 64, {}
    for midi in entry.findall("midi-instrument") if entry is not None else ():
        programme = min(max(whole_of(text_of(midi, "midi-program"), programme + 1) - 1, 0), 127)
        key = whole_of(text_of(midi, "midi-unpitched"), 0)
        if key:
            drums[midi.get("id") or ""] = key - 1
        volume, place = number_of(text_of(midi, "volume")), number_of(text_of(midi, "pan"))
        level = level if volume is None else min(max(round(volume * 127 / 100), 0), 127)
        pan = pan if place is None else min(max(round(64 + place * 63 / 90), 0), 127)
    name = printable(text_of(entry, "part-name"))
    name = "" if name.casefold() == NO_NAME else name
    return RawPart(part_id, name, printable(text_of(entry, "part-abbreviation")), programme, level, pan, drums)


@dataclass(frozen=True, slots=True)
class ChordHead:
    """The first note of a chord: its place and length in quarters, its voice, its type and dots."""

    at: Fraction
    length: Fraction
    voice: str
    shape: tuple[str | int, ...]


class PartReader:
    """Reads the measures of one part into a ``RawPart``."""

    def __init__(self, part: RawPart, losses: Losses) -> None:
        self.part, self.losses = part, losses
        self.divisions = Fraction(1)
        self.grace: dict[str, list[tuple[int, RawNote]]] = {}  # by voice, with the index of their measure
        self.order = 0
        self.written_key: tuple[int, str] | None = None

    def read(self, measures: list[Element]) -> RawPart:
        """All measures, in order."""
        for k, element in enumerate(measures, 1):
            self.part.measures.append(self._measure(element, k))
        for left in self.grace.values():
            self.losses.add("grace note~ before no note", self.measure.number if measures else "1", len(left))
        return self.part

    def _measure(self, element: Element, count: int) -> RawMeasure:
        number = (element.get("number") or str(count)).strip()[:8] or str(count)
        self.measure = measure = RawMeasure(number, implicit=element.get("implicit") == "yes")
        self.directions = Directions(measure, self.losses)
        self.now, self.counted = Fraction(0), Fraction(0)  # quarters, and divisions as they are counted in the file
        self.seen = {Fraction(0): Fraction(0)}
        self.head = ChordHead(Fraction(0), Fraction(0), "1", ())
        for child in element:
            if child.tag == "note":
                self._note(child)
            elif child.tag in ("backup", "forward"):
                duration = number_of(text_of(child, "duration"), Fraction(0)) or Fraction(0)
                self._go(-duration if child.tag == "backup" else duration)
            elif child.tag == "attributes":
                self._attributes(child)
            elif child.tag == "direction":
                self.directions.read(child, self.now, self.divisions)
            elif child.tag == "harmony":
                self.directions.harmony(child, self.now, self.divisions)
            elif child.tag == "barline":
                self.directions.bar_line(child)
            elif child.tag == "sound":
                offset = number_of(text_of(child, "offset"), Fraction(0)) or Fraction(0)
                self.directions.sound(child, max(self.now + offset / self.divisions, Fraction(0)))
            elif child.tag == "figured-bass":
                self.losses.add("figure~ of a figured bass", number)
        return measure

    def _go(self, divisions: Fraction, quarters: Fraction | None = None) -> None:
        """On (or back) by a duration: places that the file counts as the same are the same."""
        self.counted = max(self.counted + divisions, Fraction(0))
        on = divisions / self.divisions if quarters is None else quarters
        self.now = self.seen.setdefault(self.counted, max(self.now + on, Fraction(0)))
        self.measure.length = max(self.measure.length, self.now)

    # --- attributes ---------------------------------------------------------------------------

    def _attributes(self, element: Element) -> None:
        divisions = number_of(text_of(element, "divisions"))
        if divisions is not None and divisions > 0:
            self.counted = self.counted * divisions / self.divisions
            self.seen = {at * divisions / self.divisions: now for at, now in self.seen.items()}
            self.divisions = divisions
        self.part.staves = max(self.part.staves, min(whole_of(text_of(element, "staves"), 1), 9))
        self._transposition(element.findall("transpose"))
        keys = element.findall("key")
        if keys:
            self._key(keys)
        times = element.findall("time")
        if times:
            self._time(times[0])
        for clef in element.findall("clef"):
            self._clef(clef)
        for style in element.findall("measure-style"):
            for tag, words in (
                ("slash", "bar~ written as slashes"),
                ("measure-repeat", "bar~ written as a repeat sign"),
            ):
                if style.find(tag) is not None and style.find(tag).get("type") == "start":  # type: ignore[union-attr]
                    self.losses.add(words, self.measure.number)

    def _transposition(self, found: list[Element]) -> None:
        if not found:
            return
        one = found[0]
        octaves = whole_of(text_of(one, "octave-change"))
        semitones = whole_of(text_of(one, "chromatic"))
        near = {0: 0, 1: 1, 2: 1, 3: 2, 4: 2, 5: 3, 6: 3, 7: 4, 8: 5, 9: 5, 10: 6, 11: 6}
        guess = (near[abs(semitones) % 12] + 7 * (abs(semitones) // 12)) * (-1 if semitones < 0 else 1)
        steps = whole_of(text_of(one, "diatonic"), guess) if one.find("diatonic") is not None else guess
        transpose = (steps + 7 * octaves, semitones + 12 * octaves)
        if not (abs(transpose[0]) <= 28 and abs(transpose[1]) <= 48):
            self.losses.add("transposition~ over more than four octaves", self.measure.number)
            return
        if any(m.notes for m in self.part.measures) and transpose != self.part.transpose:
            self.losses.add(
                "change~ of transposition (the notes sound right; the page is written as before)", self.measure.number
            )
        self.part.transpose = transpose
        if self.written_key is not None:  # a key that was stated before is that of the page, too
            self.measure.keys.append((self.now, *self._sounding_key(*self.written_key)))

    def _sounding_key(self, fifths: int, mode: str) -> tuple[int, str]:
        sounding = fifths + fifths_of(*self.part.transpose)
        return (sounding - 12 if sounding > 7 else sounding + 12 if sounding < -7 else sounding), mode

    def _key(self, keys: list[Element]) -> None:
        key = keys[0]
        if key.find("fifths") is None:
            self.losses.add("key signature~ of single accidentals", self.measure.number)
            return
        if len({text_of(k, "fifths") for k in keys}) > 1:
            self.losses.add("key signature~ of a second staff that differs from the first", self.measure.number)
        fifths = min(max(whole_of(text_of(key, "fifths")), -7), 7)
        mode = text_of(key, "mode", "major")
        self.written_key = (fifths, mode if mode in MODES else "major")
        if mode not in (*MODES, "none"):
            self.losses.add(f"mode~ “{mode[:20]}” of a key signature (its accidentals are kept)", self.measure.number)
        self.measure.keys.append((self.now, *self._sounding_key(*self.written_key)))

    def _time(self, time: Element) -> None:
        if time.find("senza-misura") is not None:
            self.losses.add("bar~ without a meter (the length is kept)", self.measure.number)
            return
        pairs: list[tuple[list[int], int]] = []
        for beats, below in zip(time.findall("beats"), time.findall("beat-type"), strict=False):
            counts = [whole_of(n) for n in (beats.text or "").split("+")]
            pairs.append((counts, whole_of(below.text)))
        if not pairs or any(u not in UNITS or min(c) < 1 for c, u in pairs):
            self.losses.add("meter~ that cannot be read", self.measure.number)
            return
        unit = max(u for _, u in pairs)
        groups = tuple(n * unit // u for counts, u in pairs for n in counts)
        if sum(groups) > 32:
            self.losses.add("meter~ of more than 32 counts", self.measure.number)
            return
        symbol = time.get("symbol") or ""
        sign = "none" if time.get("print-object") == "no" else symbol if symbol in ("common", "cut") else ""
        self.measure.meter = RawMeter(sum(groups), unit, groups if len(groups) > 1 else (), sign)

    def _clef(self, clef: Element) -> None:
        sign, line = text_of(clef, "sign"), whole_of(text_of(clef, "line"))
        octave, staff = whole_of(text_of(clef, "clef-octave-change")), whole_of(clef.get("number"), 1)
        usual = {"G": 2, "F": 4, "C": 3}.get(sign, 0)
        name = CLEF_OF.get((sign, line or usual, octave)) or (
            CLEF_OF.get((sign, 0, 0)) if sign == "percussion" else None
        )
        if name is None:
            name = NEAREST.get(sign, "treble-8" if sign == "TAB" else "treble")
            self.losses.add("clef~ that Ductus does not have (the nearest is written)", self.measure.number)
        assert name in CLEFS
        self.measure.clefs.append((self.now, staff, name))

    # --- notes --------------------------------------------------------------------------------

    def _note(self, element: Element) -> None:
        grace, joins = element.find("grace") is not None, element.find("chord") is not None
        voice, staff = text_of(element, "voice", "1"), max(whole_of(text_of(element, "staff"), 1), 1)
        self.part.staves = max(self.part.staves, min(staff, 9))
        length = Fraction(0) if grace else length_of(element, self.divisions)
        shape = (text_of(element, "type"), len(element.findall("dot")))
        at = self.now
        if not grace and joins:
            at, voice = self.head.at, text_of(element, "voice", self.head.voice)
            length = self.head.length if shape == self.head.shape else length  # a chord is as long as its first note
        elif not grace:
            self.head = ChordHead(at, length, voice, shape)
            self._go(number_of(text_of(element, "duration"), Fraction(0)) or Fraction(0), length)
        if element.find("rest") is not None:
            self._rest(element, at, staff)
            return
        if element.get("print-object") == "no":
            self.losses.add("hidden note", self.measure.number)
            return
        pitch = sounding_pitch(element, self.part, self.losses, self.measure.number)
        if pitch is None or (not grace and length <= 0):
            if pitch is not None:
                self.losses.add("note~ without a length", self.measure.number)
            return
        self.order += 1
        note = RawNote(at, length, staff, voice, pitch, velocity_of(element), self.order)
        if element.find("unpitched") is not None:
            self.part.percussion = True
        elif text_of(element, "notehead", "normal") not in ("normal",):
            self.losses.add("note head~ of another shape", self.measure.number)
        note.tied_from = any(t.get("type") == "stop" for t in element.findall("tie"))
        note.tied_on = any(t.get("type") == "start" for t in element.findall("tie"))
        if element.find("cue") is not None:
            note.signs.append("cue")
        note.ratio = ratio_of(element)
        if grace:
            self._grace(element, note, joins)
            return
        note.lyrics = syllables_of(element, self.losses, self.measure.number)
        self.measure.marks += read_notations(element, note, self.losses, self.measure.number)
        note.grace_notes = [] if joins else self._waiting_grace(note)
        self.measure.notes.append(note)

    def _grace(self, element: Element, note: RawNote, joins: bool) -> None:
        """A grace note waits for the note that follows in its voice."""
        waiting = self.grace.setdefault(note.voice, [])
        if joins and waiting:
            self.losses.add("grace chord~ (the notes are written one after the other)", self.measure.number)
        waiting.append((len(self.part.measures), note))
        marks = read_notations(element, note, self.losses, self.measure.number)
        if note.signs or marks or note.tied_on:
            self.losses.add("sign~ or tie~ of a grace note", self.measure.number)

    def _waiting_grace(self, note: RawNote) -> list[Pitch]:
        """The grace notes that wait for a note; the ends of their slurs are ends of its own."""
        waiting = self.grace.pop(note.voice, [])
        here = len(self.part.measures)
        for bar, grace in waiting:
            if not ((bar == here and grace.at == note.at) or (bar + 1 == here and note.at == 0)):
                self.losses.add("grace note~ at the end of a note (moved to the next one)", self.measure.number)
        note.ends = [*(replace(end, grace=True) for _, grace in waiting for end in grace.ends), *note.ends]
        return [grace.pitch for _, grace in waiting]

    def _rest(self, element: Element, at: Fraction, staff: int) -> None:
        for notations in element.findall("notations"):
            if notations.find("fermata") is not None:
                self.measure.marks.append(RawMark("fermata", at, staff))
            for dynamics in notations.findall("dynamics"):
                self.losses.add("dynamic~ at a rest", self.measure.number, len(dynamics))
