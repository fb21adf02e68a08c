"""Ready figures of accompaniment: which tones they strike (held against music21's chord symbols), where, and for how
long.
"""

from __future__ import annotations

import pytest
from music21 import harmony

from ductus.core.errors import BadInput
from ductus.core.pitch.chord_symbols import parse_chord
from ductus.core.score.catalogues.accompaniment_figures import FIGURES, HIGH, LOW, tones
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Mark
from ductus.core.score.structure_edits.accompaniment import Accompany
from ductus.core.time.meters import Meter, parse_meter
from ductus.core.time.ticks import QUARTER

# as Ductus and as music21 write the same chord
SYMBOLS = (
    ("C", "C"), ("Bb", "B-"), ("F#m", "F#m"), ("D7", "D7"), ("Ebmaj7", "E-maj7"), ("Am7", "Am7"), ("Bdim", "Bdim"),
    ("G7/B", "G7/B"), ("Gsus4", "Gsus4"),
    ("C/E", "C/E"), ("Dm7/G", "Dm7/G"), ("A6", "A6"), ("F#dim7", "F#o7"), ("Caug", "C+"),
)  # fmt: skip


def with_chords(meter: str, *symbols: tuple[float, str], layout: str = "keys", pickup: int = 0) -> Piece:
    """A piece with chord symbols at so many quarters from its start."""
    piece = new_piece(layout, meter=parse_meter(meter), pickup=pickup)
    part = piece.ordered_parts()[0].id
    return piece.with_rows(
        [(None, Mark(f"m90{k}", "chord", part, 1, 1, round(at * QUARTER), text=t)) for k, (at, t) in enumerate(symbols)]
    )


def brought(piece: Piece, figure: str, first: int, last: int, staff: int = 2) -> list[tuple[float, float, str]]:
    part = piece.ordered_parts()[-1].id
    written = Accompany(part, staff, first, last, figure).change(piece).apply(piece)
    return sorted(
        (n.tick / QUARTER, n.ticks / QUARTER, str(n.pitch)) for n in written.notes.values() if n.staff == staff
    )


@pytest.mark.parametrize(("ours", "theirs"), SYMBOLS)
def test_a_chord_has_the_tones_and_the_bass_that_music21_gives_it(ours: str, theirs: str) -> None:
    reference = harmony.ChordSymbol(theirs)
    wanted = {p.pitchClass for p in reference.pitches}
    for register in (LOW, HIGH):
        chord, bass = tones(parse_chord(ours), "*", register), tones(parse_chord(ours), "b", register)
        assert {p.midi % 12 for p in (*chord, *bass)} == wanted
        assert bass[0].midi % 12 == reference.bass().pitchClass
        assert bass[0].midi < chord[-1].midi
        assert chord[-1].midi - chord[0].midi < 12  # close position


def test_a_waltz_follows_its_chords_and_lies_close_together() -> None:
    piece = with_chords("3/4", (0, "Gm"), (3, "D7/F#"), (6, "N.C."))
    notes = brought(piece, "waltz bass", 0, 2)
    assert notes == sorted([
        (0, 1, "G2"), *((beat, 1, p) for beat in (1, 2) for p in ("D3", "G3", "Bb3")),
        (3, 1, "F#2"), *((beat, 1, p) for beat in (4, 5) for p in ("D3", "F#3", "A3", "C4")),
    ])  # fmt: skip


def test_a_held_chord_is_struck_again_where_the_chord_changes() -> None:
    piece = with_chords("4/4", (0, "C"), (2, "F"), (4, "G"))
    onsets = {(on, length) for on, length, _ in brought(piece, "held chords", 0, 1)}
    assert onsets == {(0, 2), (2, 2), (4, 4)}


def test_without_symbols_the_chord_of_the_key_sounds_and_it_is_said() -> None:
    piece = new_piece(meter=Meter(6, 8), fifths=-2, mode="minor")
    change = Accompany("p1", 2, 0, 0, "rolling eighths").change(piece)
    assert "no chord symbol" in change.sentence
    assert [str(n.pitch) for n in sorted(change.apply(piece).notes.values(), key=lambda n: n.tick)] == [
        "G2", "D3", "G3", "Bb3", "G3", "D3",
    ]  # fmt: skip


def test_notes_of_the_voice_make_room_and_undo_brings_them_back() -> None:
    piece = with_chords("2/4", (0, "C"))
    once = Accompany("p1", 2, 0, 3, "bass and chords").change(piece).apply(piece)
    change = Accompany("p1", 2, 1, 2, "broken chords").change(once)
    assert "16 notes there make room" in change.sentence
    again = change.apply(once)
    assert change.inverse().apply(again).notes == once.notes
    outside = {n.id for n in once.notes.values() if not QUARTER * 2 <= n.tick < QUARTER * 6}
    assert outside <= set(again.notes)


def test_what_cannot_be_accompanied_is_refused_in_words() -> None:
    with pytest.raises(BadInput, match="for bars of 5/4"):
        Accompany("p1", 2, 0, 0, "waltz bass").change(new_piece(meter=Meter(5, 4)))
    kit = new_piece("keys and kit")
    drums = next(p.id for p in kit.ordered_parts() if p.percussion)
    with pytest.raises(BadInput, match="is a kit"):
        Accompany(drums, 1, 0, 0, "held chords").change(kit)
    with pytest.raises(BadInput, match="at most 256 bars"):
        Accompany("p1", 2, 0, 256, "held chords").change(new_piece())
    upbeat = with_chords("3/4", pickup=QUARTER)
    with pytest.raises(BadInput, match="pick-up"):
        Accompany("p1", 2, 0, 0, "waltz bass").change(upbeat)
    assert brought(upbeat, "waltz bass", 0, 1)[0][0] == 1  # behind the pick-up


def test_every_figure_fills_its_bar() -> None:
    for figure in FIGURES:
        piece = new_piece(meter=Meter(*figure.beats))
        notes = Accompany("p1", 2, 0, 0, figure.name).change(piece).apply(piece).notes.values()
        assert notes
        assert max(n.end for n in notes) == piece.timeline.bar(0).end
        assert piece.timeline.bar(0).ticks % len(figure.steps) == 0
