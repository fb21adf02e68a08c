"""The records a piece is made of: frozen rows with an id each.

Conventions: written time in ticks from the start of the piece (``time.ticks``); bar numbers inside are
indices from 0. Rests are not stored, they are what is left; ties, dots, beams and accidentals are derived
(``notation``).
"""

from __future__ import annotations

import unicodedata
from dataclasses import dataclass

from ductus.core.errors import BadInput
from ductus.core.pitch.pitches import Pitch
from ductus.core.time.meters import Meter
from ductus.core.time.note_values import NoteValue, Tuplet

CLEFS = ("treble", "bass", "treble-8", "treble+8", "bass-8", "soprano", "alto", "tenor", "percussion")
CAUTIONS = ("plain", "parentheses", "none")
MAX_TEXT = 200


@dataclass(frozen=True, slots=True)
class Facts:
    """What stands at the head of the page, and the length of the pick-up in ticks (0: none)."""

    id: str = "facts"
    title: str = ""
    subtitle: str = ""
    composer: str = ""
    arranger: str = ""
    lyricist: str = ""  # whose the words are
    rights: str = ""  # the copyright line, at the foot of the first page
    number: str = ""
    pickup: int = 0
    bars: int = 1  # bars shown even when nothing is in them, pick-up included
    cautions: str = "plain"  # reminding accidentals: "plain", in "parentheses" or "none"


@dataclass(frozen=True, slots=True)
class Part:
    """One player's part: one or two staves with a clef each, sounding by General MIDI ``programme`` 0..127.

    ``transpose``: staff steps and semitones from the written to the sounding pitch, (-1, -2) for an instrument in B
    flat; notes are kept at sounding pitch, and only the notation writes them transposed. ``level`` and ``pan``
    (0..127, 64 in the middle) are those of MIDI controllers 7 and 10. ``kit``: keys of a percussion part that mean
    another drum than in General MIDI, as (key, drum).
    """

    id: str
    name: str
    short: str = ""
    programme: int = 0
    clefs: tuple[str, ...] = ("treble", "bass")
    order: int = 0
    lyrics: bool = False
    transpose: tuple[int, int] = (0, 0)
    level: int = 100
    pan: int = 64
    kit: tuple[tuple[int, int], ...] = ()
    only: int = 0  # while it is drawn: the one staff that is shown (0: all); never stored

    @property
    def percussion(self) -> bool:
        """Is it a kit: names of drums in place of pitches?"""
        return "percussion" in self.clefs

    @property
    def staves(self) -> int:
        """How many staves, 1 or 2."""
        return 1 if self.only else len(self.clefs)

    @property
    def staff_numbers(self) -> tuple[int, ...]:
        """The numbers of its staves, from the top."""
        return (self.only,) if self.only else tuple(range(1, len(self.clefs) + 1))


@dataclass(frozen=True, slots=True)
class MeterChange:
    """``meter`` holds from bar index ``bar`` on.

    Its ``sign`` is its numbers (""), C ("common"), C with a stroke ("cut"), or "none": a bar that is cut in two, a
    last bar without its pick-up.
    """

    id: str
    bar: int
    meter: Meter
    sign: str = ""


@dataclass(frozen=True, slots=True)
class KeyChange:
    """A key signature of ``fifths`` holds from bar index ``bar`` on."""

    id: str
    bar: int
    fifths: int
    mode: str = "major"


@dataclass(frozen=True, slots=True)
class TempoMark:
    """Tempo from ``tick`` on: ``bpm`` beats of ``beat`` a minute, with its word."""

    id: str
    tick: int
    bpm: float
    beat: NoteValue = NoteValue("quarter")
    text: str = ""
    printed: bool = True
    shown: str = ""  # what is printed in place of the number: "63–76"

    @property
    def quarters_per_minute(self) -> float:
        """The same in quarters a minute."""
        return self.bpm * self.beat.ticks / NoteValue("quarter").ticks


@dataclass(frozen=True, slots=True)
class ClefChange:
    """Another clef (one of CLEFS) from a tick on, on one staff."""

    id: str
    part: str
    staff: int
    tick: int
    clef: str


@dataclass(frozen=True, slots=True)
class BarSign:
    """What stands at a bar for all parts: see ``signs.BAR_SIGNS``.

    ``bars`` is how many bars an ending reaches over, ``text`` its numbers, the times of a repeat, or the name of a
    section, ``shift`` how far a hand moved it (as of a mark).
    """

    id: str
    kind: str
    bar: int
    text: str = ""
    bars: int = 1
    shift: tuple[int, int] = (0, 0)


@dataclass(frozen=True, slots=True)
class Syllable:
    """What is sung on a note in one verse.

    A "single" word, or its "begin", "middle" or "end"; ``extends``: it is held over the next note. A note over which
    a syllable is held has one of no text that extends.
    """

    text: str
    syllabic: str = "single"
    verse: int = 1
    extends: bool = False


@dataclass(frozen=True, slots=True)
class Note:
    """One written note. Notes of one voice with the same tick and length are a chord.

    ``sounds_ticks`` is the sounding length where it differs from the written one; ``take`` and ``event`` say where
    it was played, ``played`` how: ticks after its written place (before, if negative) and length in ticks;
    ``grace_notes`` are grace notes, played just before it, in order; ``signs`` are of ``signs.NOTE_SIGNS``.
    """

    id: str
    part: str
    staff: int
    voice: int
    tick: int
    ticks: int
    pitch: Pitch
    velocity: int = 80
    sounds_late: int = 0
    sounds_ticks: int | None = None
    signs: tuple[str, ...] = ()
    lyrics: tuple[Syllable, ...] = ()
    take: int | None = None
    event: int | None = None
    grace_notes: tuple[Pitch, ...] = ()
    played: tuple[int, int] | None = None

    @property
    def end(self) -> int:
        """First tick after the note."""
        return self.tick + self.ticks

    @property
    def line(self) -> tuple[str, int, int]:
        """The (part, staff, voice) it belongs to."""
        return (self.part, self.staff, self.voice)


@dataclass(frozen=True, slots=True)
class Mark:
    """Anything on the page that is not a note: see ``marks.KINDS``.

    ``ticks`` is the length of what it spans (0 for a point), ``text`` its words, ``tuplet`` the ratio of a tuplet
    span, ``notes`` the note ids a slur joins, ``shift`` how far a hand moved it from where it stands by itself
    (right and up, in tenths of a staff space), ``side`` "above" or "below" where a hand chose it, ``bend`` how far
    up a hand bent the middle of a slur (tenths of a staff space), ``take`` the take that it came from, None where a
    person wrote or changed it, ``share`` of a swing sign what the first of two short notes takes of both, in
    thousandths.
    """

    id: str
    kind: str
    part: str
    staff: int
    voice: int
    tick: int
    ticks: int = 0
    text: str = ""
    tuplet: Tuplet | None = None
    notes: tuple[str, ...] = ()
    shift: tuple[int, int] = (0, 0)
    side: str = ""
    bend: int = 0
    take: int | None = None
    share: int = 0

    @property
    def end(self) -> int:
        """First tick after the mark."""
        return self.tick + self.ticks


@dataclass(frozen=True, slots=True)
class Reading:
    """How a take stands on the page: tick 0 of its beats is tick ``start`` of the piece, in ``part`` on ``staff``
    (0: both hands divided). ``choices`` (JSON, see ``reading.choices``) says how it is read and what a person
    decided.
    """

    id: str
    take: int
    part: str
    staff: int
    start: int
    choices: str


@dataclass(frozen=True, slots=True)
class Cell:
    """One stroke of a pattern: ticks from its beginning, written length in ticks, MIDI key, velocity."""

    at: int
    ticks: int
    key: int
    velocity: int


@dataclass(frozen=True, slots=True)
class Pattern:
    """Strokes that are written ``times`` times in ``part`` from tick ``start`` on, ``ticks`` apart.

    Each copy follows the pattern until its notes are changed by hand.
    """

    id: str
    part: str
    start: int
    ticks: int
    times: int
    cells: tuple[Cell, ...] = ()

    @property
    def end(self) -> int:
        """First tick after its last copy."""
        return self.start + self.ticks * self.times


Record = Facts | Part | MeterChange | KeyChange | TempoMark | ClefChange | BarSign | Note | Mark | Reading | Pattern
KIND_OF: dict[type, str] = {
    Facts: "facts",
    Part: "part",
    MeterChange: "meter",
    KeyChange: "key",
    TempoMark: "tempo",
    ClefChange: "clef",
    BarSign: "sign",
    Note: "note",
    Mark: "mark",
    Reading: "reading",
    Pattern: "pattern",
}


UNDERTIE = "\u203f"  # joins the syllables of two words that are sung on one note


def joined_by_undertie(text: str) -> str:
    """A syllable with U+203F where a breve below two letters (U+035C) was typed for it."""
    return text.replace("\u035c", UNDERTIE)


def printable(text: str) -> str:
    """Text on one line without what no page, file or screen can hold.

    Control characters, halves of surrogate pairs, U+FFFE and U+FFFF.
    """
    kept = (
        c
        for c in text
        if c.isspace() or (unicodedata.category(c) not in ("Cc", "Cs", "Cn") and c not in "\ufffe\uffff")
    )
    return " ".join("".join(kept).split())


def checked_text(text: str, what: str) -> str:
    """Return ``text`` on one line, fit to be printed; raise BadInput when it is longer than a page can show."""
    flat = printable(text)
    if len(flat) > MAX_TEXT:
        raise BadInput(f"That {what} has {len(flat):,} letters; {MAX_TEXT} fit on the page. Nothing was changed.")
    return flat
