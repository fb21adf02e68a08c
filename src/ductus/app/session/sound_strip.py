"""How a stretch of the page sounds, for the strip and the list.

Times, velocities, and what quantize in place would do.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ductus.app import wire as m
from ductus.core.reading.review.rhythm_words import length_words
from ductus.core.score.catalogues.drums import sound_words
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note
from ductus.core.score.note_edits.sounding import QuantizeInPlace, Tempo, as_set, moved_words, sounding_notes

MOST_NOTES = 4_000


@dataclass(frozen=True, slots=True)
class ShapedNote:
    """A note as the strip draws it and the list says it.

    Where it is written and how it sounds (ticks), key, velocity, staff; its place, pitch and value in words, and how
    late and how long it sounds.
    """

    id: str
    tick: int
    on: int
    off: int
    key: int
    velocity: int
    staff: int
    place: str
    pitch: str
    value: str
    late_ms: float
    percent: float


@dataclass(frozen=True, slots=True)
class Shape:
    """A stretch of a part: its ticks, bar lines as (tick, number), beats, notes; ``more`` that did not fit."""

    start: int
    end: int
    bars: tuple[tuple[int, int], ...]
    beats: tuple[int, ...]
    notes: tuple[ShapedNote, ...]
    more: int


def shape_of(piece: Piece, part: str, first: int, last: int) -> Shape:
    """The stretch from bar index ``first`` to ``last`` of a part. Raises NotThere."""
    mine = piece.part(part)
    bars = [piece.timeline.bar(k) for k in range(first, max(last, first) + 1)]
    start, end = bars[0].start, bars[-1].end
    notes = list(sounding_notes(piece, part, start, end))
    tempo = Tempo(piece)

    def shaped(n: Note) -> ShapedNote:
        now = as_set(n)
        return ShapedNote(
            n.id,
            n.tick,
            now.on,
            now.off,
            n.pitch.midi,
            n.velocity,
            n.staff,
            piece.timeline.place_words(n.tick),
            sound_words(mine, n.pitch),
            length_words(n.ticks),
            round((now.on - n.tick) * tempo.us_per_tick(n.tick) / 1000, 1),
            round((now.off - now.on) / n.ticks * 100, 1),
        )

    number = piece.timeline.number_of
    return Shape(
        start,
        end,
        tuple((b.start, number(b.index)) for b in bars),
        tuple(t for b in bars for t in b.beats()),
        tuple(shaped(n) for n in notes[:MOST_NOTES]),
        max(len(notes) - MOST_NOTES, 0),
    )


def weighed_notes(piece: Piece, do: QuantizeInPlace, ids: Sequence[str]) -> m.WeighedNotesFact:
    """What quantize in place would do, before it is done. Raises BadInput."""
    notes = piece.notes.among(dict.fromkeys(ids))
    moves = do.moves(piece, notes)
    return m.WeighedNotesFact(moved_words(moves), tuple((v.note.id, v.will.on, v.will.off) for v in moves if v.moves))
