"""Sparks over the Paddle: the barge's band with bass and kit, a beat whose copies follow, chords over it.

Invented for Ductus, like the rest.
"""

from __future__ import annotations

from ductus.core.pitch.pitches import Pitch
from ductus.core.score.catalogues.drums import DRUMS, drum_pitch
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Mark, Note
from ductus.core.score.structure_edits.drum_patterns import MakePattern, StrikeCell
from ductus.core.time.meters import Meter
from ductus.core.time.ticks import QUARTER
from ductus.demo.scenario import filled

BARS = 8
RIGHT = """
r:4 E4+G4+B4:4 r:8 E4+G4+B4:8 r:4 | r:4 E4+G4+C5:4 r:8 E4+G4+C5:8 r:4 | r:4 F#4+A4+C5:4 r:8 F#4+A4+C5:8 r:4 |
r:4 F#4+A4+B4:4 D#5:8 C#5:8 B4:8 A4:8 |
G4+B4:4 E5:4. D5:8 B4:4 | C5:8 D5:8 E5:4 G5:4 E5:4 | A4+C5:4 D5:8 C5:8 B4:4 A4:4 | E4+G4+B4:2. r:4"""
LEFT = """
E3:4. B3:8 E3:4 r:4 | C3:4. G3:8 C3:4 r:4 | A2:4. E3:8 A2:4 r:4 | B2:4. F#3:8 B2:4 r:4 |
E3:4. B3:8 E3:4 r:4 | C3:4. G3:8 C3:4 r:4 | A2:4. E3:8 B2:4 r:4 | E3:2. r:4"""
BASS = """
E2:8 r:8 E2:8 G2:8 B2:4 A2:8 G2:8 | C2:8 r:8 C2:8 E2:8 G2:4 E2:8 D2:8 | A1:8 r:8 A1:8 C2:8 E2:4 D2:8 C2:8 |
B1:8 r:8 B1:8 D#2:8 F#2:4 E2:8 D#2:8 |
E2:8 r:8 E2:8 G2:8 B2:4 A2:8 G2:8 | C2:8 r:8 C2:8 E2:8 G2:4 E2:8 D2:8 | A1:4 C2:4 B1:4 D#2:4 | E2:2. r:4"""
CHORDS = ("Em", "Cmaj7", "Am6", "B7", "Em", "Cmaj7", "Am7", "Em")
FILL = (0, 1, 2, 3), (38, 48, 45, 43)  # sixteenths of the last beat, from drum to drum


def sparks() -> Piece:
    """Keys, bass guitar and kit."""
    piece = new_piece(
        title="Sparks over the Paddle",
        meter=Meter(4, 4),
        fifths=1,
        mode="minor",
        bpm=112,
        tempo_text="Shovelling",
        subtitle="the stoker’s dance",
        composer="Pit band of the barge",
        parts=("Piano", "Bass guitar", "Drum kit"),
    )
    marks = tuple(Mark(f"m{k + 1}", "chord", "p1", 1, 1, k * 4 * QUARTER, text=text) for k, text in enumerate(CHORDS))
    piece = filled(piece, {("p1", 1): RIGHT, ("p1", 2): LEFT, ("p2", 1): BASS}, marks)
    kit = MakePattern("p3", 0, 1, BARS, "eighths with a backbeat").change(piece).apply(piece)
    pattern = next(iter(kit.patterns))
    closed = StrikeCell(pattern, 7 * QUARTER // 2, 42, 0).change(kit).apply(kit)
    piece = StrikeCell(pattern, 7 * QUARTER // 2, 46).change(closed).apply(closed)
    return with_fill(piece, 3)


def with_fill(piece: Piece, index: int) -> Piece:
    """A bar of the kit varied: its last beat goes round the drums."""
    start = piece.timeline.bar(index).start + 3 * QUARTER
    gone = [n for n in piece.notes_between("p3", start, start + QUARTER) if n.tick >= start]
    serial = piece.serial
    pitches: list[Pitch] = [drum_pitch(key) for key in FILL[1]]
    fresh = [
        Note(f"n{serial + k + 1}", "p3", 1, DRUMS[p.midi].voice, start + k * QUARTER // 4, QUARTER // 4, p, 84 + 6 * k)
        for k, p in zip(FILL[0], pitches, strict=True)
    ]
    return piece.with_rows([*((n, None) for n in gone), *((None, n) for n in fresh)])
