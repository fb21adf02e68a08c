"""Five pieces for keys and voice from the barge's repertoire, all invented for Ductus."""

from __future__ import annotations

from dataclasses import replace

from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.mark_edits.lyrics import syllables
from ductus.core.score.mark_edits.place_marks import marked, where
from ductus.core.score.mark_language.parser import wish_of
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Mark, MeterChange, Note, Record
from ductus.core.time.meters import Meter
from ductus.core.time.ticks import QUARTER
from ductus.demo.shorthand import parse_line

WALTZ_RIGHT = """
D5:4 G5:4. F5:8 | Eb5:4 Bb5:4 A5:8 G5:8 | F5:4 D5:4 Eb5:4 | D5:2 r:4 |
C5:4 Eb5:4. D5:8 | C5:8 Bb4:8 A4:4 Bb4:4 | G4+Bb4:4 A4+C5:4 F4+D5:4 | G4+D5:2. |
D5:4 Eb5:8t F5:8t G5:8t A5:4 | Bb5:4. A5:8 G5:4 | F5:4 A5:4 D5:4 | G5:2. |
Eb5:4 G5:4. F5:8 | D5:4 F5:4 Eb5:8 D5:8 | C5:4 D5:4 F#4:4 | G4:2."""
WALTZ_LEFT = """
G2:4 D3+Bb3:4 D3+Bb3:4 | G2:4 Eb3+Bb3:4 Eb3+Bb3:4 | Bb2:4 F3+D4:4 F3+D4:4 | Bb2:4 F3+D4:4 F3+D4:4 |
C3:4 G3+Eb4:4 G3+Eb4:4 | F2:4 F3+Eb4:4 F3+C4:4 | D3:4 F#3+C4:4 F#3+C4:4 | G2:2. |
G2:4 D3+Bb3:4 D3+Bb3:4 | Eb2:4 Bb2+G3:4 Bb2+G3:4 | D2:4 A2+F#3:4 C3+F#3:4 | G2:4 D3+Bb3:4 D3+Bb3:4 |
C3:4 G3+Eb4:4 G3+Eb4:4 | Bb2:4 F3+D4:4 F3+D4:4 | D3:4 A3+C4:4 A3+C4:4 | G2:2."""
JIG_RIGHT = """
A4:8 | D5:8 F#5:8 A5:8 A5:4 F#5:8 | G5:8 E5:8 C#5:8 D5:4 A4:8 | B4:8 D5:8 G5:8 F#5:8 E5:8 D5:8 | E5:4. C#5:4 A4:8 |
D5:8 F#5:8 A5:8 A5:4 F#5:8 | B5:8 A5:8 G5:8 F#5:4 E5:8 | D5:8 E5:8 F#5:8 E5:8 D5:8 C#5:8 | D5:4. D5:4."""
JIG_LEFT = """
r:8 | D3:4. A3+F#3:4. | A2:4. A3+F#3:4. | G2:4. D3+B3:4. | A2:4. E3+C#4:4. |
D3:4. A3+F#3:4. | G2:4. D3+A3:4. | A2:4. A2+G3:4. | D2:4. D3+F#3:4."""
DANCE_RIGHT = """
E5:4 D#5'E5:4 C5:4 A4:4 | B4:2~ C5:2 | D5:4 C#5'D5:4 B4:4 G4:4 | A4:2~ B4:2 |
C5:4 B4'C5:4 E5:4 A5:4 | G#5:2~ A5:2 | E5:4 D5:4% C5:4 B4:4 | A4+C5+E5:1^"""
DANCE_LEFT = """
A2+E3+C4:1^ | E3:2 A3:2 | G2+D3+B3:1^ | F3:2 G3:2 | A2+E3+C4:1^ | E3:2 A2:2 | D3:2 E3:2 | A2:1"""
SONG_VOICE = """
r:1 | F4:4=Light G4:4=the A4:4=lamp C5:4=and | D5:4.=let C5:8=it A4:2=go | Bb4:4=down A4:4=the G4:4=slow- F4:4=-ly |
A4:4=turn- G4:2.=-ing | F4:4=stream, G4:4=the A4:4=moon C5:4=a | F5:4.=pa- E5:8=-per D5:2=boat |
C5:4=on Bb4:4=wa- A4:4=-ter G4:4=made |
F4:1=dream."""
SONG_RIGHT = """
A4:8 C5:8 F5:8 C5:8 A4:8 C5:8 F5:8 C5:8 | A4+C5:2 A4+C5:2 | Bb4+D5:2 A4+C5:2 | G4+Bb4:2 G4+Bb4:2 | E4+C5:2 E4+C5:2 |
F4+A4:2 F4+A4:2 | Bb4+D5:2 Bb4+D5:2 | F4+A4:2 E4+Bb4:2 | A4:8 C5:8 F5:8 C5:8 A4:2"""
SONG_LEFT = """
F3:2 C3:2 | F3:2 F2:2 | Bb2:2 F3:2 | G2:2 Bb2:2 | C3:2 C2:2 | D3:2 D2:2 | Bb2:2 G2:2 | C3:2 C2:2 | F2:1"""

SONG_MARKS = (
    ("p", "p2", 1, 0, 0), ("slur", "p2", 1, 0, 3), ("pedal", "p2", 2, 0, 3), ("mp", "p1", 1, 4, 4),
    ("slur", "p1", 1, 4, 7), ("slur", "p1", 1, 8, 11),
    ("F", "p1", 1, 4, 4), ("Bb", "p1", 1, 8, 8), ("Gm7", "p1", 1, 12, 12), ("C7", "p1", 1, 16, 16),
    ("Dm", "p1", 1, 20, 20), ("Bbmaj7", "p1", 1, 24, 24),
    ("C7sus4", "p1", 1, 28, 28), ("F", "p1", 1, 32, 32), ("<", "p1", 1, 20, 23), ("mf", "p1", 1, 24, 24),
    (">", "p1", 1, 28, 31), ("p", "p1", 1, 32, 32),
    ("dolce", "p1", 1, 4, 4), ("section A", "p2", 1, 0, 0), ("section B", "p2", 1, 20, 20), ("tenuto", "p1", 1, 24, 24),
    ("slur", "p2", 1, 32, 34),
    ("lyrics 2: Night let the ri-ver bring home each wan-d'ring wing, oars and the wind a-sleep, hush while they sing.",
        "p1", 1, 4, 35),
)  # fmt: skip

BENDS_RIGHT = """
E5:8 | G5:4 E5:8 D5:4 C5:8 | D5:8 E5:8 G5:8 A5:4 G5:8 | G5:4 E5:8 D5:4 C5:8 | D5:4. D5:4. |
A5:4 G5:4 E5:4 | F5:4 E5:8 D5:8 C5:4 | D5:4 F5:4 A5:4 | G5:2. |
G5:4 E5:8 D5:4 C5:8 | D5:8 E5:8 G5:8 A5:4 G5:8 | E5:8 D5:8 C5:8 D5:4 B4:8 | C5:2."""
BENDS_LEFT = """
r:8 | C3:4. G3:4. | B2:4. G3:4. | C3:4. A2:4. | G2:4. G3:4. |
F2:4 C3+A3:4 C3+A3:4 | A2:4 E3+C4:4 E3+C4:4 | D3:4 A3:4 F3:4 | G2:2. |
C3:4. G3:4. | B2:4. G3:4. | A2:4. G2:4. | C3:2."""


def filled(piece: Piece, voices: dict[tuple[str, int], str], marks: tuple[Mark, ...] = ()) -> Piece:
    """Write shorthand into the (part, staff) lines of a piece."""
    rows: list[tuple[Record | None, Record | None]] = [(None, mark) for mark in marks]
    number = 0
    for (part, staff), text in voices.items():
        for tick, token in parse_line(text):
            for pitch in token.pitches:
                number += 1
                note = Note(f"n{number}", part, staff, 1, tick, token.value.ticks, pitch, 76 if staff == 1 else 62)
                signs = (token.sign,) if token.sign else ()
                rows.append(
                    (None, replace(note, lyrics=syllables(token.syllable), signs=signs, grace_notes=token.grace_notes))
                )
    written = piece.with_rows(rows)
    return written.with_rows([(written.facts, replace(written.facts, bars=max(written.last_end) + 1))])


def waltz() -> Piece:
    """Lock Gate Waltz: two hands, with a triplet."""
    piece = new_piece(
        "keys",
        "Lock Gate Waltz",
        Meter(3, 4),
        -2,
        "minor",
        0,
        96,
        "Drifting, like a gate left open",
        subtitle="from the barge show “The Clockmaker’s Heron”",
        composer="Pit band of the barge",
    )
    return filled(
        piece, {("p1", 1): WALTZ_RIGHT, ("p1", 2): WALTZ_LEFT}, (Mark("m1", "dynamic", "p1", 1, 1, 0, text="mp"),)
    )


def jig() -> Piece:
    """Otter at the Tiller: 6/8 with a pick-up."""
    piece = new_piece(
        "keys",
        "Otter at the Tiller",
        Meter(6, 8),
        2,
        "major",
        QUARTER // 2,
        104,
        "With a wet nose",
        subtitle="entrance of the pilot puppet",
        composer="Pit band of the barge",
    )
    return filled(piece, {("p1", 1): JIG_RIGHT, ("p1", 2): JIG_LEFT})


def song() -> Piece:
    """The Lantern-Keeper's Song: singer and keys."""
    piece = new_piece(
        "singer and keys",
        "The Lantern-Keeper’s Song",
        Meter(4, 4),
        -1,
        "major",
        0,
        72,
        "Quietly",
        subtitle="last scene, lamps low",
        composer="Pit band of the barge",
    )
    return marked_up(filled(piece, {("p1", 1): SONG_VOICE, ("p2", 1): SONG_RIGHT, ("p2", 2): SONG_LEFT}), SONG_MARKS)


def marked_up(piece: Piece, marks: tuple[tuple[str, str, int, int, int], ...]) -> Piece:
    """Marks as musicians write them: (words, part, staff, first and last quarter from 0), on the notes that begin
    there.
    """
    for words, part, staff, first, last in marks:
        notes = [
            n
            for n in piece.notes.values()
            if (n.part, n.staff) == (part, staff) and first * QUARTER <= n.tick < (last + 1) * QUARTER
        ]
        piece = marked(piece, wish_of(words), where(notes, (part, staff, 1), first * QUARTER)).apply(piece)
    return piece


def dance() -> Piece:
    """Dance of the Paper Crane: trills, a turn, rolled chords and grace notes."""
    piece = new_piece(
        "keys",
        "Dance of the Paper Crane",
        Meter(4, 4),
        0,
        "minor",
        0,
        84,
        "On thin legs",
        subtitle="while the puppeteers change the lamp",
        composer="Pit band of the barge",
    )
    return filled(piece, {("p1", 1): DANCE_RIGHT, ("p1", 2): DANCE_LEFT})


def bends() -> Piece:
    """Three Bends of the River: 6/8 with a pick-up, four bars of 3/4 in the middle, and 6/8 again."""
    piece = new_piece(
        "keys",
        "Three Bends of the River",
        Meter(6, 8),
        0,
        "major",
        QUARTER // 2,
        72,
        "Rowing",
        subtitle="between two landings",
        composer="Pit band of the barge",
    )
    changes = [MeterChange("m2", 5, Meter(3, 4)), MeterChange("m3", 9, Meter(6, 8))]
    piece = piece.with_rows([(None, change) for change in changes])
    return filled(piece, {("p1", 1): BENDS_RIGHT, ("p1", 2): BENDS_LEFT})
