"""What stands in one bar of one staff: chords and rests with values, ties, tuplets and beams.

The splitting rules follow engraving handbooks (Gould, "Behind Bars", 2011, from memory, and common
practice): the middle of a four-beat bar stays visible unless both ends lie on beats; a note may cross a
weaker place than the one it starts on; short-long-short syncopation is written whole; rests are stricter
and always fill one place of the metrical tree.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from ductus.core.score.model.records import Note
from ductus.core.time.note_values import NoteValue, Tuplet


@dataclass(frozen=True, slots=True)
class TupletSpan:
    """A bracket: ``ratio`` from ``start`` to ``end`` in ticks, counted in notes of ``base``.

    With ``strokes`` it is no bracket but a tremolo between its two chords: each is written with the value of both
    together.
    """

    start: int
    end: int
    ratio: Tuplet
    base: str
    strokes: int = 0
    mark: str = ""  # id of the tremolo
    part: bool = False  # of a bracket that is cut at a bar line


@dataclass(frozen=True, slots=True)
class Symbol:
    """One chord or rest as it is written; ``notes`` is empty for a rest.

    ``tied_from``/``tied_on`` hold the ids of notes that a tie reaches from the left or leads on from.
    ``beams`` holds one word per beam level: "begin", "continue", "end", "forward hook", "backward hook".
    """

    id: str
    tick: int
    ticks: int
    value: NoteValue
    notes: tuple[Note, ...] = ()
    span: TupletSpan | None = None
    tied_from: frozenset[str] = frozenset()
    tied_on: frozenset[str] = frozenset()
    beams: tuple[str, ...] = ()
    whole_bar: bool = False
    hidden: bool = False

    @property
    def is_rest(self) -> bool:
        """True for a rest."""
        return not self.notes

    @property
    def end(self) -> int:
        """First tick after the symbol."""
        return self.tick + self.ticks


@dataclass(frozen=True, slots=True)
class VoiceBar:
    """One voice of one staff in one bar: symbols that fill the bar, in order."""

    staff: int
    voice: int
    symbols: tuple[Symbol, ...]


@dataclass(frozen=True, slots=True)
class PartBar:
    """All voices of a part in one bar, and the accidental to draw beside each note id (if any)."""

    bar: int
    voices: tuple[VoiceBar, ...]
    accidentals: dict[str, int] = field(default_factory=dict)
    cautions: frozenset[str] = frozenset()  # those of the accidentals that only remind
