"""What one part of a file holds, by measure, before bars are known.

Places and lengths are quarters from the beginning of the measure.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction

from ductus.core.pitch.pitches import Pitch
from ductus.core.score.model.records import Syllable
from ductus.core.time.note_values import NoteValue


@dataclass(frozen=True, slots=True)
class RawEnd:
    """Where a line between notes begins or ends.

    Kind of ``marks.KINDS``, its number, "start" or "stop", its side and text; ``grace``: at a grace note of the note
    that has it.
    """

    kind: str
    number: str
    way: str
    side: str = ""
    text: str = ""
    grace: bool = False


@dataclass(slots=True)
class RawNote:
    """One printed note: its place and length, staff and voice of the file, sounding pitch (or drum), and what is
    written at it.
    """

    at: Fraction
    length: Fraction
    staff: int
    voice: str
    pitch: Pitch
    velocity: int
    order: int
    grace_notes: list[Pitch] = field(default_factory=list)
    signs: list[str] = field(default_factory=list)
    lyrics: list[Syllable] = field(default_factory=list)
    tied_from: bool = False
    tied_on: bool = False
    ends: list[RawEnd] = field(default_factory=list)
    tuplets: list[tuple[str, str, tuple[int, int] | None]] = field(default_factory=list)  # number, type, ratio
    ratio: tuple[int, int] | None = None


@dataclass(frozen=True, slots=True)
class RawMark:
    """A mark at a place of a staff: ``kind`` of ``marks.KINDS``.

    ``which`` is "at", "start" or "stop", with a number that joins the two; ``share`` is that of a swing sign.
    """

    kind: str
    at: Fraction
    staff: int
    text: str = ""
    which: str = "at"
    number: str = "1"
    side: str = ""
    share: int = 0


@dataclass(frozen=True, slots=True)
class RawTempo:
    """A tempo mark; without ``printed`` it only sounds."""

    at: Fraction
    bpm: float
    beat: NoteValue
    text: str = ""
    printed: bool = True
    shown: str = ""


@dataclass(frozen=True, slots=True)
class RawMeter:
    """A meter as it is written: counts, unit, groups."""

    count: int
    unit: int
    groups: tuple[int, ...] = ()
    sign: str = ""  # see ``MeterChange``


@dataclass(slots=True)
class RawMeasure:
    """One measure of a part."""

    number: str
    length: Fraction = Fraction(0)
    implicit: bool = False
    notes: list[RawNote] = field(default_factory=list)
    marks: list[RawMark] = field(default_factory=list)
    tempi: list[RawTempo] = field(default_factory=list)
    clefs: list[tuple[Fraction, int, str]] = field(default_factory=list)
    keys: list[tuple[Fraction, int, str]] = field(default_factory=list)  # place, fifths as it sounds, mode
    meter: RawMeter | None = None
    signs: list[tuple[str, str]] = field(default_factory=list)  # kind of ``signs.BAR_SIGNS``, text
    endings: list[tuple[str, str]] = field(default_factory=list)  # numbers, type


@dataclass(slots=True)
class RawPart:
    """One part of a file."""

    id: str
    name: str
    short: str
    programme: int
    level: int
    pan: int
    drums: dict[str, int]  # id of an instrument -> MIDI key
    measures: list[RawMeasure] = field(default_factory=list)
    staves: int = 1
    transpose: tuple[int, int] = (0, 0)
    percussion: bool = False
