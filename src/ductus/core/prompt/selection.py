"""What selected notes share, in words: pitch, value, key and hand, with which the prompt of a selection begins."""

from __future__ import annotations

from collections.abc import Sequence

from ductus.core.pitch.keys import key_words
from ductus.core.reading.review.rhythm_words import length_words, with_article
from ductus.core.score.catalogues.drums import sound_words
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note
from ductus.core.words import listed, plural

MOST_NOTES = 64  # pitches of more notes are not looked at
MOST_NAMED = 4


def pitch_of(piece: Piece, notes: Sequence[Note]) -> str:
    """The pitches of a few notes, lowest first: "E 4", "G 2 and D 3"; "" where there are more than four."""
    if len(notes) > MOST_NOTES:
        return ""
    lowest = sorted(notes, key=lambda n: n.pitch.midi)
    names = list(dict.fromkeys(sound_words(piece.part(n.part), n.pitch) for n in lowest))
    return listed(names) if len(names) <= MOST_NAMED else ""


def value_of(notes: Sequence[Note]) -> str:
    """The value that all of some notes have: "a dotted half", "quarters"; "" where they differ."""
    if len({n.ticks for n in notes}) != 1:
        return ""
    words = length_words(notes[0].ticks)
    return with_article(words) if len(notes) == 1 else plural(words)


def key_of(piece: Piece, notes: Sequence[Note]) -> str:
    """The key in which the first of some notes stands: "C major"; "" in a kit."""
    if piece.part(notes[0].part).percussion:
        return ""
    key = piece.key_at(piece.timeline.bar_at(min(n.tick for n in notes)).index)
    return key_words(key.fifths, key.mode)


def hand_of(piece: Piece, notes: Sequence[Note]) -> str:
    """The hand of some notes of one part on two staves: "left hand"; "" where they are in both."""
    staves = {(n.part, n.staff) for n in notes}
    if len(staves) != 1 or piece.part(notes[0].part).staves != 2:
        return ""
    return "right hand" if notes[0].staff == 1 else "left hand"
