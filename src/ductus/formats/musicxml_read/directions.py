"""What stands over and under the staves of a file.

Dynamics, hairpins, lines, words, tempi, chord symbols, bar lines.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from fractions import Fraction

from ductus.core.errors import BadInput
from ductus.core.pitch.chord_symbols import KINDS as CHORD_KINDS
from ductus.core.pitch.chord_symbols import parse_chord
from ductus.core.score.mark_edits.place_marks import FASTEST, SLOWEST
from ductus.core.score.mark_language.modifiers import TEMPO_WORDS, at_once, modified
from ductus.core.score.mark_language.swing import STRAIGHT, TWO_TO_ONE, swing_words
from ductus.core.score.model.mark_kinds import KINDS, LEAST_SHARE, MOST_SHARE
from ductus.core.score.model.note_signs import numbers_of
from ductus.core.score.model.records import MAX_TEXT, printable
from ductus.core.time.note_values import MAX_DOTS, NoteValue
from ductus.formats.musicxml_marks import BAR_STYLES, OCTAVES, WEDGES
from ductus.formats.musicxml_read.losses import Losses
from ductus.formats.musicxml_read.notes import dynamics_of
from ductus.formats.musicxml_read.raw import RawMark, RawMeasure, RawTempo
from ductus.formats.musicxml_read.text import number_of, text_of, whole_of
from ductus.formats.musicxml_xml import Element

HAIRPIN_OF = {kind: text for text, kind in WEDGES.items()}
OCTAVE_OF = {way: text for text, way in OCTAVES.items()}
STYLE_OF = {style: kind for kind, style in BAR_STYLES.items()} | {"dotted": "dashed"}
PLAIN_STYLES = ("regular", "none", "heavy-light", "")
SUFFIX_OF = {kind: suffix for suffix, (kind, _) in reversed(CHORD_KINDS.items())}
SIGNS = {-2: "bb", -1: "b", 0: "", 1: "#", 2: "##"}
JUMP = re.compile(r"^(d\.\s?c\.|da capo|d\.\s?s\.|dal segno)", re.I)
NUMBER = re.compile(r"\d+(?:\.\d+)?")
UNHEARD = {
    "image",
    "scordatura",
    "principal-voice",
    "percussion",
    "accordion-registration",
    "staff-divide",
    "other-direction",
    "harp-pedals",
    "damp",
    "damp-all",
    "eyeglasses",
    "string-mute",
}


def swing_said(sound: Element | None, words: str) -> tuple[str, int] | None:
    """The words and the share (thousandths) of a swing sign: of its sound, or by its words alone; None where it is
    none, or longer than Ductus plays.
    """
    said = swing_words(words) if words else None
    swing = sound.find("swing") if sound is not None else None
    if swing is None:
        return said
    if swing.find("straight") is not None:
        return (words or "Straight")[:MAX_TEXT], STRAIGHT
    first, second = number_of(text_of(swing, "first")), number_of(text_of(swing, "second"))
    if not first or not second or first < 0 or second < 0:
        return said
    share = TWO_TO_ONE if first == 2 * second else round(1000 * first / (first + second))
    usual = "Swing 16ths" if text_of(swing, "swing-type") == "16th" else "Swing"
    return ((words or usual)[:MAX_TEXT], share) if LEAST_SHARE <= share <= MOST_SHARE else said


class Directions:
    """Reads the directions of one measure into it."""

    def __init__(self, measure: RawMeasure, losses: Losses) -> None:
        self.measure, self.losses = measure, losses

    def read(self, direction: Element, now: Fraction, divisions: Fraction) -> None:
        """A ``direction``."""
        at = max(now + (number_of(text_of(direction, "offset"), Fraction(0)) or Fraction(0)) / divisions, Fraction(0))
        staff, side = whole_of(text_of(direction, "staff"), 1), direction.get("placement") or ""
        sound = direction.find("sound")
        kinds = [one for kind in direction.findall("direction-type") for one in kind]
        words = printable(" ".join(k.text or "" for k in kinds if k.tag == "words"))
        tags = {k.tag for k in kinds}
        jump = self._jump(sound, words)
        if jump:
            self.measure.signs.append((jump, ""))
        elif (swing := swing_said(sound, words)) is not None:
            text, share = swing
            self.measure.marks.append(RawMark("swing", at, 1, text, side=_side("swing", side), share=share))
        elif words and "metronome" not in tags:
            self._words(words, at, staff, side, kinds)
        for one in kinds:
            self._one(one, at, staff, side, words)
        if sound is not None and "metronome" not in tags:
            self.sound(sound, at)

    def _one(self, one: Element, at: Fraction, staff: int, side: str, words: str) -> None:
        number = one.get("number") or "1"
        kind, way = str(one.tag), one.get("type") or ""
        if kind == "dynamics":
            self.measure.marks += dynamics_of(one, at, staff, self.losses, self.measure.number, _side("dynamic", side))
        elif kind == "wedge" and way in HAIRPIN_OF:
            self._mark("hairpin", at, staff, HAIRPIN_OF[way], "start", number, side)
        elif kind == "wedge" and way == "stop":
            self._mark("hairpin", at, staff, "", "stop", number)
        elif kind == "dashes" and way == "stop":
            self._mark("dashes", at, staff, "", "stop", number)
        elif kind == "octave-shift":
            self._octave(one, at, staff, number)
        elif kind == "pedal":
            self._pedal(way, at, staff)
        elif kind == "metronome":
            self._metronome(one, at, words)
        else:
            self._sign(kind, printable(one.text or ""))

    def _sign(self, kind: str, text: str) -> None:
        if kind == "rehearsal" and text:
            self.measure.signs.append(("section", text[:MAX_TEXT]))
        elif kind in ("segno", "coda"):
            self.measure.signs.append((kind, ""))
        elif kind not in ("words", "dashes", "rehearsal", "wedge"):
            self._lose(f"direction~ “{kind.replace('-', ' ')}”")

    def _mark(
        self, kind: str, at: Fraction, staff: int, text: str, which: str, number: str = "1", side: str = ""
    ) -> None:
        self.measure.marks.append(RawMark(kind, at, staff, text, which, number, _side(kind, side)))

    def _lose(self, thing: str) -> None:
        self.losses.add(thing, self.measure.number)

    def _words(self, words: str, at: Fraction, staff: int, side: str, kinds: Iterable[Element]) -> None:
        if len(words) > MAX_TEXT:
            self._lose(f"text~ of more than {MAX_TEXT} letters (cut)")
        number = next((k.get("number") or "1" for k in kinds if k.tag == "dashes" and k.get("type") == "start"), "")
        printed, base = modified(words) or ("", "")
        kind = (
            "tempo-word"
            if base in TEMPO_WORDS or at_once(words) is not None
            else "hairpin"
            if base and number
            else "text"
        )
        text = printed if kind != "text" else words[:MAX_TEXT]
        self._mark(kind, at, staff, text, "start" if number and kind != "text" else "at", f"dashes {number}", side)

    def _octave(self, one: Element, at: Fraction, staff: int, number: str) -> None:
        way, size = one.get("type") or "", whole_of(one.get("size"), 8)
        if way == "stop":
            self._mark("octave", at, staff, "", "stop", number)
        elif (way, size) in OCTAVE_OF:
            self._mark("octave", at, staff, OCTAVE_OF[way, size], "start", number)
        elif way in ("up", "down"):
            self._lose("octave line~ over three octaves")

    def _pedal(self, way: str, at: Fraction, staff: int) -> None:
        if way in ("stop", "change", "discontinue"):
            self._mark("pedal", at, staff, "", "stop")
        if way in ("start", "change", "sostenuto", "resume"):
            self._mark("pedal", at, staff, "", "start")
        if way == "sostenuto":
            self._lose("sostenuto pedal~ (written as a pedal)")

    def _metronome(self, one: Element, at: Fraction, words: str) -> None:
        shown = printable(text_of(one, "per-minute"))
        numbers = [float(n) for n in NUMBER.findall(shown)]
        base = text_of(one, "beat-unit", "quarter")
        dots = len(one.findall("beat-unit-dot"))
        try:
            beat = NoteValue(base, min(dots, MAX_DOTS))
        except BadInput:
            numbers = []
        if not numbers or len(one.findall("beat-unit")) > 1 or not SLOWEST <= sum(numbers) / len(numbers) <= FASTEST:
            self._lose("tempo mark~ that states no tempo from 10 to 400")
            if words:
                self._mark("text", at, 1, words[:MAX_TEXT], "at")
            return
        bpm = sum(numbers[:2]) / len(numbers[:2])
        plain = shown == f"{bpm:g}" or NUMBER.fullmatch(shown) is not None
        printed = one.get("print-object") != "no"
        self.measure.tempi.append(
            RawTempo(
                at, bpm, beat, words.replace("\u00a0", " ").strip()[:MAX_TEXT], printed, "" if plain else shown[:40]
            )
        )

    def sound(self, sound: Element, at: Fraction) -> None:
        """A ``sound``: its tempo, where no tempo mark says one."""
        tempo = number_of(sound.get("tempo"))
        if tempo is None:
            return
        if SLOWEST <= tempo <= FASTEST:
            self.measure.tempi.append(RawTempo(at, float(tempo), NoteValue("quarter"), printed=False))
        else:
            self._lose("tempo mark~ outside 10 to 400")

    def _jump(self, sound: Element | None, words: str) -> str:
        """The sign of a bar that words over a staff are: "D.C. al Fine"."""
        says = set(sound.attrib) if sound is not None else set()
        folded = words.casefold()
        if not words:
            return ""
        to = "-fine" if "al fine" in folded else "-coda" if "coda" in folded else ""
        found = JUMP.match(words)
        if "dacapo" in says or (
            found and found[0][:1].lower() == "d" and found[0].lower().replace(" ", "") in ("d.c.", "dacapo")
        ):
            return f"da-capo{to}"
        if "dalsegno" in says or found:
            return f"dal-segno{to}"
        if "tocoda" in says or folded == "to coda":
            return "to-coda"
        return "fine" if "fine" in says or words == "Fine" else ""

    # --- chord symbols ------------------------------------------------------------------------

    def harmony(self, harmony: Element, now: Fraction, divisions: Fraction) -> None:
        """A chord symbol, as it is written, or made of its kind and degrees."""
        at = max(now + (number_of(text_of(harmony, "offset"), Fraction(0)) or Fraction(0)) / divisions, Fraction(0))
        text = chord_text(harmony)
        if text is None:
            self._lose("chord symbol")
            return
        self.measure.marks.append(RawMark("chord", at, whole_of(text_of(harmony, "staff"), 1), text))

    # --- bar lines ----------------------------------------------------------------------------

    def bar_line(self, line: Element) -> None:
        """A ``barline``: repeats, endings, its style."""
        left = line.get("location") == "left"
        style = text_of(line, "bar-style")
        repeat, ending = line.find("repeat"), line.find("ending")
        signs = self.measure.signs
        if repeat is not None:
            forward = repeat.get("direction") == "forward"
            times = repeat.get("times") or ""
            begins = "repeat-start" if left else "next repeat-start"
            signs.append((begins, "") if forward else ("repeat-end", times if times not in ("", "2") else ""))
        elif style in STYLE_OF:
            if style == "dotted":
                self._lose("dotted bar line~ (dashed now)")
            signs.append((("left " if left else "") + STYLE_OF[style], ""))
        elif style not in PLAIN_STYLES:
            self._lose(f"bar line~ of the kind “{style[:20]}”")
        if line.get("location") == "middle" and (repeat is not None or style in STYLE_OF):
            self._lose("bar line~ inside a bar")
        if ending is not None:
            numbers = ", ".join(map(str, numbers_of((ending.get("number") or "").replace(".", " "))))
            self.measure.endings.append((numbers or "1", ending.get("type") or ""))
        for tag in ("segno", "coda"):
            if line.find(tag) is not None:
                signs.append((tag, ""))
        if line.find("fermata") is not None:
            self._lose("fermata~ over a bar line")


def _side(kind: str, side: str) -> str:
    """The side of a mark, where it is not the one that it stands on by itself."""
    usual = KINDS[kind].side if kind in KINDS else ""
    return side if side in ("above", "below") and side != usual else ""


def chord_text(harmony: Element) -> str | None:
    """A chord symbol in letters; None for one that cannot be read."""
    kind = harmony.find("kind")
    if kind is None or len(harmony.findall("kind")) > 1:
        return None
    if (kind.text or "").strip() == "none":
        return "N.C."
    root, bass = harmony.find("root"), harmony.find("bass")
    step, alter = text_of(root, "root-step").upper(), whole_of(text_of(root, "root-alter"))
    if len(step) != 1 or step not in "ABCDEFG" or abs(alter) > 1:
        return None
    head, tail = step + SIGNS[alter], ""
    if bass is not None:
        low = whole_of(text_of(bass, "bass-alter"))
        if abs(low) > 1:
            return None
        tail = f"/{text_of(bass, 'bass-step').upper()}{SIGNS[low]}"
    wanted = (kind.text or "").strip()
    suffix = SUFFIX_OF.get(wanted)
    changes = sorted(
        (text_of(d, "degree-type"), whole_of(text_of(d, "degree-value")), whole_of(text_of(d, "degree-alter")))
        for d in harmony.findall("degree")
    )
    written = [kind.get("text") or ""] if not harmony.findall("degree") or kind.get("text") else []
    made = [] if suffix is None else [suffix + "".join(map(_degree, changes))]
    for name in (*written, *made):
        with_all = f"{head}{printable(name)}{tail}"
        try:
            read = parse_chord(with_all)
        except BadInput:
            continue
        same = sorted((d.how, d.value, d.alter) for d in read.degrees) == changes
        if read.kind == wanted and same:
            return with_all
    return None


def _degree(change: tuple[str, int, int]) -> str:
    how, value, alter = change
    if how == "subtract":
        return f"no{value}"
    sign = {1: "#", -1: "b"}.get(alter, "")
    return f"{'add' if how == 'add' and not sign else ''}{sign}{value}"
