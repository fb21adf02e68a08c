"""Spelling at the pen: what the speller sees of the piece around a chord, and the correction of the last step by the
next.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import replace

from ductus.core.pitch.pitches import Pitch, pitch_on_line, pitch_words
from ductus.core.pitch.speller import (
    LOOK_BACK,
    Around,
    NearName,
    SpelledChord,
    is_of_key,
    names_of,
    plain_names,
    weighed_names,
)
from ductus.core.score.model.changes import Draft, Line
from ductus.core.score.model.piece import Piece, note_order
from ductus.core.score.model.records import Note
from ductus.core.time.ticks import QUARTER

BEFORE_TICKS = 8 * QUARTER  # the voice is looked back on so far
NEAR_BEFORE, NEAR_AFTER = 4 * QUARTER, 2 * QUARTER  # other voices are seen from and to here
CORRECTED_WITHIN = 4 * QUARTER  # a step this long ago is not corrected any more


def spelled_chord(tick: int, notes: Sequence[Note]) -> SpelledChord:
    """Notes that begin together, as the speller sees them."""
    return SpelledChord(tick, tuple(n.pitch.midi for n in notes), tuple(n.pitch.fifths for n in notes))


def chords_before(piece: Piece, line: Line, tick: int, ticks: int) -> list[SpelledChord]:
    """The chords of a voice that begin in the ``ticks`` before a place, the oldest first."""
    notes = [n for n in piece.line_between(line, max(tick - ticks, 0), tick) if n.tick < tick]
    return [spelled_chord(t, list(group)) for t, group in itertools.groupby(notes, lambda n: n.tick)][-LOOK_BACK:]


def around_place(piece: Piece, line: Line, tick: int, after: SpelledChord | None = None) -> Around:
    """All that the speller looks at for a chord of a voice at a place."""
    bar = piece.timeline.bar_at(tick)
    key = piece.key_at(bar.index)
    others = sorted(
        (
            n
            for part in piece.parts.values()
            if not part.percussion
            for n in piece.notes_between(part.id, max(tick - NEAR_BEFORE, 0), tick + NEAR_AFTER)
            if n.line != line
        ),
        key=note_order,
    )
    return Around(
        key.fifths,
        key.mode,
        chords_before(piece, line, tick, BEFORE_TICKS),
        tuple(n.pitch.fifths for n in others if n.tick <= tick < n.end),
        tuple(NearName(n.tick, n.pitch.midi % 12, n.pitch.fifths) for n in others if n.tick >= tick - NEAR_BEFORE),
        bar.start,
        after,
    )


def spelled_at(piece: Piece, line: Line, tick: int, keys: Sequence[int]) -> list[Pitch]:
    """Spell keys that are struck together in a voice at a place.

    Only where something is out of the key does it look far.
    """
    key = piece.key_at(piece.timeline.bar_at(tick).index)
    last = last_chord(piece, line, tick)
    names = plain_names(keys, Around(key.fifths, key.mode, [last] if last else []))
    if names is None:
        names = weighed_names(keys, around_place(piece, line, tick))
    return [pitch_on_line(k, f) for k, f in zip(keys, names, strict=True)]


def last_chord(piece: Piece, line: Line, tick: int) -> SpelledChord | None:
    """The chord of a voice that sounds just before a place."""
    notes = piece.line_between(line, tick - 1, tick) if tick else []
    first = max((n.tick for n in notes), default=0)
    return spelled_chord(first, [n for n in notes if n.tick == first]) if notes else None


def correct_last(draft: Draft, line: Line, last_ids: Sequence[str], tick: int, new_ids: Sequence[str]) -> str:
    """Spell the step before anew, now that the next one is known, and the next one after it.

    Returns what changed, in words.

    Only names that the speller gave are corrected: what a person spelled stays.
    """
    piece = draft.piece
    last = [n for i in last_ids if (n := draft.note(i)) is not None and n.line == line]
    new = [n for i in new_ids if (n := draft.note(i)) is not None and n.line == line]
    if not last or not new or tick - max(n.end for n in last) > CORRECTED_WITHIN:
        return ""
    fifths = piece.key_at(piece.timeline.bar_at(tick).index).fifths
    if all(is_of_key(n.pitch.fifths, fifths) for n in (*last, *new)):
        return ""  # all of the key: nothing to be corrected
    around = around_place(piece, line, last[0].tick)
    mine = spelled_chord(last[0].tick, last)
    if names_of(mine.keys, around) != mine.names:
        return ""  # spelled by hand
    names = names_of(mine.keys, replace(around, after=spelled_chord(tick, new)))
    words = renamed(draft, last, names)
    if words:
        at = around_place(piece, line, tick)
        before = [*(c for c in at.before if c.tick < mine.tick), SpelledChord(mine.tick, mine.keys, names)]
        renamed(draft, new, names_of([n.pitch.midi for n in new], replace(at, before=before)))
        words += "".join(
            f", and it is {pitch_words(n.pitch)} itself"
            for n in new
            if (now := draft.note(n.id)) and now.pitch != n.pitch
        )
    return words


def renamed(draft: Draft, notes: Sequence[Note], names: Sequence[int]) -> str:
    """Give notes their names; what changed, in words."""
    said = []
    for note, name in zip(notes, names, strict=True):
        if name != note.pitch.fifths:
            pitch = pitch_on_line(note.pitch.midi, name)
            draft.put(replace(note, pitch=pitch))
            said.append(f"{pitch_words(note.pitch)} before it is {pitch_words(pitch)} now")
    return " and ".join(said)
