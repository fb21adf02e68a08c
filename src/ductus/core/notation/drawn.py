"""Where a note is drawn on its staff, and which note is meant by a place on it.

Drums, transposing parts and octave lines taken into account.
"""

from __future__ import annotations

from dataclasses import replace

from ductus.core.pitch.intervals import fifths_of, transposed, written_interval
from ductus.core.pitch.keys import signature
from ductus.core.pitch.pitches import STEPS, Pitch
from ductus.core.score.catalogues.drums import DRUMS, drum_at, drum_pitch
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Part

# By how many octaves notes under a line sound away from where they are drawn.
OCTAVE_LINES = {"8va": 1, "8vb": -1, "15ma": 2, "15mb": -2}


def octaves_at(piece: Piece, part: str, staff: int, tick: int) -> int:
    """By how many octaves a staff sounds away from where it is drawn, at a tick."""
    here = piece.marks_in_bar(part, piece.timeline.bar_at(tick).index)
    lines = (m for m in here if m.kind == "octave" and m.staff == staff and m.tick <= tick < m.end)
    return sum(OCTAVE_LINES.get(line.text, 0) for line in lines)


def drawn_at(piece: Piece, part: Part, staff: int, tick: int, pitch: Pitch) -> int:
    """Staff steps (C0 = 0) at which a note of a part is drawn."""
    if part.percussion:
        drum = DRUMS.get(pitch.midi)
        return (drum.place if drum else pitch).diatonic
    if part.transpose != (0, 0):
        pitch = transposed(pitch, *written_interval(part.transpose, _fifths(piece, tick)))
    return pitch.diatonic - 7 * octaves_at(piece, part.id, staff, tick)


def pitch_drawn_at(piece: Piece, part: Part, staff: int, tick: int, place: int) -> Pitch:
    """The note that is meant by a place on a staff (steps, C0 = 0).

    Of a kit the drum that stands there, else as it sounds, with the accidental of the signature that the part reads.
    """
    if part.percussion:
        return drum_pitch(drum_at(place).key)
    fifths = _fifths(piece, tick)
    steps, semitones = written_interval(part.transpose, fifths) if part.transpose != (0, 0) else (0, 0)
    step = STEPS[place % 7]
    read = Pitch(step, signature(fifths + fifths_of(steps, semitones))[step], place // 7)
    sounding = transposed(read, -steps, -semitones)
    return replace(sounding, octave=sounding.octave + octaves_at(piece, part.id, staff, tick))


def _fifths(piece: Piece, tick: int) -> int:
    return piece.key_at(piece.timeline.bar_at(tick).index).fifths
