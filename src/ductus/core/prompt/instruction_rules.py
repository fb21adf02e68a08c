"""By which words each edit is asked for: one row an edit, with an example."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from ductus.core.errors import BadInput
from ductus.core.pitch.intervals import SIMPLE
from ductus.core.pitch.keys import MAJOR_NAMES, MINOR_NAMES
from ductus.core.prompt.instruction_scope import Asked
from ductus.core.score.model.piece import Piece
from ductus.core.score.note_edits.base import Edit
from ductus.core.score.note_edits.durations import HoldToNext, Scale, SetLength
from ductus.core.score.note_edits.pitches import Accidental, ByInterval, Octave, Respell, StaffSteps, Velocity
from ductus.core.score.note_edits.positions import Delete, MoveToVoice, OtherHand
from ductus.core.score.note_edits.repeat_bars import Repeat
from ductus.core.score.structure_edits.bars import CopyBars, EmptyBars, InsertBars, RemoveBars
from ductus.core.score.structure_edits.base import FrameEdit
from ductus.core.score.structure_edits.meter_key_tempo import KeyFrom, MeterFrom, PickUp, TempoFrom
from ductus.core.score.structure_edits.transpose import TransposeBy, TransposeTo
from ductus.core.time.bars import MAX_BAR
from ductus.core.time.note_values import NoteValue

NUMBERS = {
    "a": 1, "an": 1, "one": 1, "once": 1, "two": 2, "twice": 2, "three": 3, "four": 4, "five": 5, "six": 6, "seven": 7,
    "eight": 8, "nine": 9, "ten": 10,
}  # fmt: skip
WAY = r"(?P<way>up|down|higher|lower)"
COUNT = r"(?P<count>\d+|an?|one|two|three|four|five)"
KEY = r"(?P<letter>[a-g]) ?(?P<sign>flat|sharp|b|#|♭|♯)?(?: (?P<mode>major|minor))?"
STEPS = ("second", "third", "fourth", "fifth", "sixth", "seventh")


@dataclass(frozen=True, slots=True)
class Found:
    """A sentence that a rule matches, and where it was given."""

    piece: Piece
    asked: Asked
    match: re.Match[str]

    def number(self, name: str, usual: int = 1) -> int:
        """A number of the sentence, written in digits or as a word."""
        said = self.match[name]
        return usual if not said else NUMBERS[said] if said in NUMBERS else int(said)

    def bar(self, name: str) -> int:
        """A bar of the sentence as its index; that of the pen where the sentence names none."""
        said = self.match[name]
        if not said or said == "here":
            return self.piece.timeline.bar_at(self.asked.tick).index
        if int(said) > MAX_BAR:
            raise BadInput(f"There is no bar {said[:8]}: the last that can be is {MAX_BAR:,}. Nothing was changed.")
        return max(self.piece.timeline.index_of(int(said)), 0)

    def sign(self) -> int:
        """1 for up, -1 for down."""
        return 1 if self.match["way"] in ("up", "higher") else -1

    def key(self, usual: str) -> tuple[int, Literal["major", "minor"]]:
        """Fifths and mode of the key that the sentence names. Raises BadInput for one without a signature."""
        mode: Literal["major", "minor"] = "minor" if (self.match["mode"] or usual) == "minor" else "major"
        sign = {"b": " flat", "♭": " flat", "#": " sharp", "♯": " sharp"}.get(self.match["sign"] or "", "")
        sign = sign or (f" {self.match['sign']}" if self.match["sign"] else "")
        name = self.match["letter"].upper() + sign
        names = MINOR_NAMES if mode == "minor" else MAJOR_NAMES
        fifths = next((f for f, known in names.items() if known == name), None)
        if fifths is None:
            raise BadInput(f"{name} {mode} has more than seven sharps or flats. Nothing was changed.")
        return fifths, mode


@dataclass(frozen=True, slots=True)
class Rule:
    """Words that ask for an edit, how it is built from them, and a sentence as an example.

    A rule of the ``frame`` reads the bars of its sentence itself; of the others scope is taken off first.
    """

    example: str
    pattern: re.Pattern[str]
    build: Callable[[Found], Edit | FrameEdit]
    frame: bool = False


def _value(f: Found) -> NoteValue:
    base = f.match["value"].removesuffix("s")
    return NoteValue({"halve": "half", "sixteenth": "16th"}.get(base, base), 1 if f.match["dots"] else 0)


def _interval(f: Found) -> Edit:
    quality, size = f.match["quality"], f.match["size"]
    if not quality and size in STEPS:
        return StaffSteps(f.sign() * (STEPS.index(size) + 1))
    steps, semitones = _simple(quality, size)
    return ByInterval(f.sign() * steps, f.sign() * semitones)


def _simple(quality: str | None, size: str) -> tuple[int, int]:
    """Staff steps and semitones of an interval up to a seventh, a perfect one where nothing else is said."""
    found = SIMPLE.get(f"{quality or 'perfect'} {size}")
    if found is None:
        raise BadInput(f"There is no {quality} {size}. Nothing was changed.")
    return found


def _small(f: Found) -> int:
    """A semitone, or two."""
    return 1 if f.match["small"] in ("semitone", "half step", "half tone") else 2


def _small_step(f: Found) -> Edit:
    return ByInterval(f.sign(), f.sign() * _small(f))


def _transposed(f: Found) -> FrameEdit:
    if f.match["octave"]:
        return TransposeBy(f.sign() * 7, f.sign() * 12)
    if f.match["small"]:
        return TransposeBy(f.sign(), f.sign() * _small(f))
    quality, size = f.match["quality"], f.match["size"]
    if not quality and f"perfect {size}" not in SIMPLE:
        raise BadInput(f"Say whether it is a minor or a major {size}. Nothing was changed.")
    steps, semitones = _simple(quality, size)
    return TransposeBy(f.sign() * steps, f.sign() * semitones)


def _tempo(f: Found) -> FrameEdit:
    start = f.piece.timeline.bar(f.bar("bar")).start if f.match["bar"] else f.asked.tick
    start = 0 if f.match["bar"] == "1" else start  # a pick-up goes with its first bar
    return TempoFrom(start, float(f.match["bpm"]))


def _copied(f: Found) -> FrameEdit:
    first = f.bar("first")
    last = f.bar("last") if f.match["last"] else first
    to = f.bar("to") + (f.match["where"] in ("after", "behind")) if f.match["to"] else last + 1
    return CopyBars(first, last, to, f.number("times"))


def _inserted(f: Found) -> FrameEdit:
    if f.match["end"]:
        return InsertBars(f.piece.bar_count, f.number("count"))
    return InsertBars(f.bar("bar") + (f.match["where"] in ("after", "behind")), f.number("count"))


def _pick_up(f: Found) -> FrameEdit:
    meter = f.piece.timeline.bar(1).meter
    ticks = meter.bar_ticks // meter.count if f.match["beats"] else _value(f).ticks
    return PickUp(f.number("count") * ticks)


VALUE = (
    r"(?P<dots>dotted )?(?P<value>wholes?|halves|half|quarters?|eighths?|16ths?|sixteenths?|32nds?)"
    r"(?: notes?)?"
)
SMALL = r"(?P<small>semitone|half step|half tone|tone|whole step|whole tone)"
INTERVAL = rf"(?:(?P<quality>minor|major|perfect|augmented|diminished) )?(?P<size>{'|'.join(STEPS)})"
WHOLE = r"(?: the (?:whole )?piece| everything)?"
CHANGE = r"(?:(?:change|set|go)(?: the \w+)?(?: to)? )?"
FROM_BAR = r"(?: (?:from|at|in)(?: bar)? (?P<bar>\d+|here)(?: on)?)?"
SPAN = r"(?:bars?|measures?) (?P<first>\d+)(?: ?(?:to|-|–|until|through|and) ?(?P<last>\d+))?"
TIMES = r"(?: (?P<times>once|twice|\d+|two|three|four|five)(?: times)?(?: more)?)?"


def _rule(example: str, pattern: str, build: Callable[[Found], Edit | FrameEdit], *, frame: bool = False) -> Rule:
    return Rule(example, re.compile(pattern), build, frame)


RULES: tuple[Rule, ...] = (
    _rule(
        "transpose to D",
        rf"transpose{WHOLE} (?:in)?to (?:the key of )?{KEY}(?:,? (?P<way>up|down))?",
        lambda f: TransposeTo(f.key(f.piece.key_at(0).mode)[0], f.match["way"] or "nearest"),  # type: ignore[arg-type]
        frame=True,
    ),
    _rule(
        "transpose up a whole step",
        rf"transpose{WHOLE} {WAY}(?: by)? an? (?:{SMALL}|{INTERVAL}|(?P<octave>octave))",
        _transposed,
        frame=True,
    ),
    _rule(
        "tempo 84 from bar 9",
        rf"{CHANGE}(?:tempo|speed)(?: of)? (?P<bpm>\d+(?:\.\d+)?){FROM_BAR}",
        _tempo,
        frame=True,
    ),
    _rule(
        "3/4 from bar 5",
        rf"{CHANGE}(?:meter |time(?: signature)? |in )?(?P<meter>\d+/\d+){FROM_BAR}",
        lambda f: MeterFrom(f.bar("bar") if f.match["bar"] else 0, f.match["meter"]),
        frame=True,
    ),
    _rule(
        "key D minor from bar 9",
        rf"{CHANGE}(?:key(?: of)? |in ){KEY}{FROM_BAR}",
        lambda f: KeyFrom(f.bar("bar") if f.match["bar"] else 0, *f.key("major")),
        frame=True,
    ),
    _rule(
        "pick-up of one quarter",
        rf"(?:pick-?up|upbeat)(?: of)? {COUNT} (?:{VALUE}|(?P<beats>beats?))",
        _pick_up,
        frame=True,
    ),
    _rule("no pick-up", r"(?:no|without) (?:pick-?up|upbeat)", lambda f: PickUp(0), frame=True),
    _rule(
        "insert 4 bars before bar 9",
        rf"(?:insert|add) {COUNT} (?:empty )?bars?"
        r"(?: (?P<where>before|in front of|after|behind|at)(?: bar)? (?P<bar>\d+|here)| (?P<end>at the end))?",
        _inserted,
        frame=True,
    ),
    _rule(
        "remove bars 5 to 8",
        rf"(?:remove|delete|cut|take out) {SPAN}",
        lambda f: RemoveBars(f.bar("first"), f.bar("last") if f.match["last"] else f.bar("first")),
        frame=True,
    ),
    _rule(
        "empty bars 5 to 8",
        rf"(?:empty|clear) {SPAN}",
        lambda f: EmptyBars(f.bar("first"), f.bar("last") if f.match["last"] else f.bar("first")),
        frame=True,
    ),
    _rule("repeat bars 5 to 8 twice", rf"(?:repeat|copy) {SPAN}(?P<to>)(?P<where>){TIMES}", _copied, frame=True),
    _rule(
        "copy bars 1 to 4 before bar 9",
        rf"copy {SPAN} (?P<where>to|before|in front of|after|behind)(?: bar)? (?P<to>\d+){TIMES}",
        _copied,
        frame=True,
    ),
    _rule("an octave higher", rf"{COUNT} octaves? {WAY}", lambda f: Octave(f.sign() * f.number("count"))),
    _rule("up an octave", rf"{WAY}(?: by)? {COUNT} octaves?", lambda f: Octave(f.sign() * f.number("count"))),
    _rule("a third lower", rf"an? {INTERVAL} {WAY}", _interval),
    _rule("up a third", rf"{WAY}(?: by)? an? {INTERVAL}", _interval),
    _rule("a semitone higher", rf"an? {SMALL} {WAY}", _small_step),
    _rule("down a whole step", rf"{WAY}(?: by)? an? {SMALL}", _small_step),
    _rule("repeat these twice", rf"repeat{TIMES}", lambda f: Repeat(f.number("times"))),
    _rule("twice as long", r"twice as long|double(?: the)?(?: values?| lengths?)?", lambda f: Scale(2)),
    _rule("half as long", r"half as long|halve(?: the)?(?: values?| lengths?)?", lambda f: Scale(1, 2)),
    _rule("as dotted quarters", rf"(?:as|to|in) (?:an? )?{VALUE}", lambda f: SetLength(_value(f))),
    _rule("lengthen each to the next note", r"lengthen(?: each)?(?: to the next(?: note)?)?", lambda f: HoldToNext()),
    _rule(
        "to the other hand",
        r"(?:in)?to the (?:other|(?P<hand>right|left)) hand|swap(?: the)? hands|other hand",
        lambda f: OtherHand(),
    ),
    _rule("voice 2", r"(?:in|to|into)? ?voice (?P<voice>[1-4])", lambda f: MoveToVoice(int(f.match["voice"]))),
    _rule("sharpen", r"sharpen|raise(?: by a semitone)?", lambda f: Accidental(1)),
    _rule("flatten", r"flatten", lambda f: Accidental(-1)),
    _rule("respell", r"respell", lambda f: Respell()),
    _rule("velocity 80", r"velocity (?:to )?(?P<velocity>\d+)", lambda f: Velocity(int(f.match["velocity"]))),
    _rule("louder", r"(?:(?P<count>\d+) )?louder(?: by (?P<by>\d+))?", lambda f: Velocity(by=f.number("by", 10))),
    _rule("softer", r"(?:(?P<count>\d+) )?softer(?: by (?P<by>\d+))?", lambda f: Velocity(by=-f.number("by", 10))),
    _rule("delete the notes of bar 5", r"(?:delete|remove|erase|clear)(?: the| all)*(?: notes)?", lambda f: Delete()),
)  # fmt: skip
EXAMPLES = (
    *("bars 5 to 8 " + r.example if r.example in ("an octave higher", "a third lower") else r.example for r in RULES),
    "bars 1 to 8 twice, 1st ending bar 8, 2nd ending bar 9", "repeat bars 1 to 8 with two endings",
    "mf to f", "go to bar 12", "select bars 5 to 8", "staccato in bars 5 to 8", "slur bars 3 to 4",
)  # fmt: skip
USUAL = ("bars 5 to 8 an octave higher", "tempo 84 from bar 9", "transpose to D")  # said where nothing is near
