"""The harmony over a piece: chord symbols and scales, and which pitch classes they allow at a place."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Literal

from ductus.core.pitch.chord_symbols import NO_CHORD, allowed_classes, nearest_allowed
from ductus.core.pitch.pitches import spell_in_key
from ductus.core.pitch.scales import named_scale_classes
from ductus.core.score.model.changes import Change, Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Mark, Note
from ductus.core.words import count_words

Constraint = Literal["off", "chord", "key", "scale"]


def mark_before(piece: Piece, tick: int, kind: str) -> Mark | None:
    """The chord symbol (or scale) in force at a tick: looked for bar by bar backwards, over all parts."""
    for index in range(piece.timeline.bar_at(tick).index, -1, -1):
        here = [m for p in piece.parts for m in piece.marks_in_bar(p, index) if m.kind == kind and m.tick <= tick]
        if here:
            return max(here, key=lambda m: m.tick)
    return None


def classes_at(piece: Piece, tick: int, constraint: str) -> frozenset[int] | None:
    """Pitch classes that a constraint allows at a tick.

    Tones of the chord, of chord and key, or of the scale (where none is written, of the key); None when it is off or
    nothing is known there.
    """
    if constraint == "off":
        return None
    fifths = piece.key_at(piece.timeline.bar_at(tick).index).fifths
    if constraint == "scale":
        scale = mark_before(piece, tick, "scale")
        return named_scale_classes(scale.text) if scale else allowed_classes("N.C.", fifths)
    symbol = mark_before(piece, tick, "chord")
    if symbol is None or symbol.text in NO_CHORD:
        return None
    return allowed_classes(symbol.text, fifths if constraint == "key" else None)


def held_to_harmony(piece: Piece, notes: Iterable[Note], constraint: str) -> Change:
    """Notes moved to the nearest pitch that the constraint allows where they stand."""
    draft = Draft(piece)
    for note in notes:
        classes = None if piece.part(note.part).percussion else classes_at(piece, note.tick, constraint)
        if classes is not None and note.pitch.midi % 12 not in classes:
            key = nearest_allowed(note.pitch.midi, classes)
            fifths = piece.key_at(piece.timeline.bar_at(note.tick).index).fifths
            draft.put(replace(note, pitch=spell_in_key(key, fifths)))
    moved = len(draft.rows())
    return draft.change(f"{count_words(moved, 'note')} held to the harmony" if moved else "")
