"""Clefs offered where ledger lines pile up, accidentals by hand, spelling by direction.

Pedal and dynamics of a take as marks.
"""

from __future__ import annotations

import pytest

from ductus.core.capture.takes import PlayedControl, PlayedNote, Take
from ductus.core.notation.clefs import BOTTOM_LINES, clef_offer, ledger_steps
from ductus.core.pitch.pitches import parse_pitch
from ductus.core.reading.page.derived_marks import dynamics_of, marks_written, pedals_of
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note, Reading
from ductus.core.score.note_edits.base import At
from ductus.core.score.note_edits.pitches import Accidental, ByInterval, SpellByDirection
from ductus.core.score.structure_edits.parts import ClefFrom
from ductus.core.time.pulse_map import steady_map
from ductus.core.time.ticks import QUARTER

LINE = ("p1", 1, 1)
READING = Reading("r1", 1, "p1", 0, 0, "")


def line_of(*names: str, velocities: list[int] | None = None) -> Piece:
    piece = new_piece(bpm=120)
    draft = Draft(piece)
    for k, name in enumerate(names):
        velocity = velocities[k] if velocities else 80
        draft.put(Note(draft.new_id("n"), *LINE, k * QUARTER, QUARTER, parse_pitch(name), velocity, take=1, event=k))
    return draft.change("").apply(piece)


def ordered(piece: Piece) -> list[Note]:
    return sorted(piece.notes.values(), key=lambda n: n.tick)


# The lines of the clefs as any book of notation has them: E4, G2, F3, D3, C4 on the lowest line.
@pytest.mark.parametrize(
    ("clef", "name"),
    [
        ("treble", "E4"),
        ("bass", "G2"),
        ("alto", "F3"),
        ("tenor", "D3"),
        ("soprano", "C4"),
        ("treble-8", "E3"),
        ("treble+8", "E5"),
        ("bass-8", "G1"),
    ],
)
def test_the_lowest_line_of_each_clef(clef: str, name: str) -> None:
    assert BOTTOM_LINES[clef] == parse_pitch(name).diatonic
    assert ledger_steps(parse_pitch(name).diatonic, clef) == 0


def test_a_left_hand_on_a_treble_staff_is_offered_a_bass_clef_where_it_begins() -> None:
    piece = line_of("G4", "A4", "C3", "D3", "E3", "D3", "C3", "B2", "A2", "G2")
    offer = clef_offer(piece, "p1", 1, 10 * QUARTER)
    assert offer
    assert (offer.tick, offer.clef, offer.side) == (2 * QUARTER, "bass", "below")
    after = ClefFrom("p1", 1, offer.tick, offer.clef).change(piece).apply(piece)
    assert clef_offer(after, "p1", 1, 10 * QUARTER) is None


def test_a_few_ledger_lines_are_no_reason() -> None:
    assert clef_offer(line_of("C4", "B3", "A3", "G3", "C4", "E4", "G4", "C5"), "p1", 1, 8 * QUARTER) is None


def test_accidentals_by_hand_keep_the_letter() -> None:
    piece = line_of("C4", "E4", "B4")
    notes, at = ordered(piece), At(LINE, 0)
    assert [str(n.pitch) for n in ordered(Accidental(1).change(piece, notes, at).apply(piece))] == ["C#4", "E#4", "B#4"]
    assert [str(n.pitch) for n in ordered(Accidental(to=-2).change(piece, notes, at).apply(piece))] == [
        "Cbb4",
        "Ebb4",
        "Bbb4",
    ]
    twice = Accidental(to=2).change(piece, notes, at).apply(piece)
    assert not Accidental(1).change(twice, ordered(twice), at).rows  # no third accidental


def test_an_interval_moves_letter_and_sound_together() -> None:
    piece = line_of("C4", "F#4")
    change = ByInterval(2, 3).change(piece, ordered(piece), At(LINE, 0))
    assert [str(n.pitch) for n in ordered(change.apply(piece))] == ["Eb4", "A4"]
    assert change.sentence == "2 notes transposed up by a minor third"


def test_chromatic_notes_are_sharp_where_the_line_rises_and_flat_where_it_falls() -> None:
    piece = line_of("C4", "Db4", "D4", "D#4", "D4", "C#4", "C4")
    change = SpellByDirection().change(piece, ordered(piece), At(LINE, 0))
    assert [str(n.pitch) for n in ordered(change.apply(piece))] == ["C4", "C#4", "D4", "Eb4", "D4", "Db4", "C4"]


def test_the_pedal_of_a_take_is_written_between_the_onsets_it_was_used_at() -> None:
    piece = line_of(*["C4"] * 8)
    played = tuple(PlayedNote(k * 500_000, k * 500_000 + 400_000, 60) for k in range(8))
    controls = tuple(
        PlayedControl(us, 64, value) for us, value in ((40_000, 127), (1_960_000, 0), (2_030_000, 100), (3_510_000, 10))
    )
    take = Take(played, controls, steady_map(120, 0, 0))
    found = pedals_of(take, steady_map(120, 0, 0), ordered(piece), 0)
    change = marks_written(piece, found, ordered(piece), READING, "pedal")
    marks = sorted((m.tick // QUARTER, m.end // QUARTER) for m in change.apply(piece).marks.values())
    assert marks == [(0, 4), (4, 7)]
    again = marks_written(change.apply(piece), found, ordered(piece), READING, "pedal")
    assert len(again.apply(change.apply(piece)).marks) == 2  # written anew, not twice


def marked_by_dynamics(piece: Piece) -> Piece:
    found = dynamics_of(piece.timeline, ordered(piece))
    return marks_written(piece, found, ordered(piece), READING, "dynamics").apply(piece)


def test_dynamics_follow_how_it_was_played_and_a_swell_becomes_a_hairpin() -> None:
    soft, rising, loud = [48] * 12, [52, 64, 76, 88], [98] * 12
    piece = line_of(*["C4"] * 28, velocities=soft + rising + loud)
    after = marked_by_dynamics(piece)
    written = sorted((m.tick // QUARTER, m.kind, m.text) for m in after.marks.values())
    assert written[0] == (0, "dynamic", "p")
    assert written[-1][1:] == ("dynamic", "f")
    assert ("hairpin", "<") in [w[1:] for w in written]


def test_one_accent_makes_no_new_dynamic() -> None:
    piece = line_of(*["C4"] * 16, velocities=[64] * 9 + [110] + [64] * 6)
    after = marked_by_dynamics(piece)
    assert [m.text for m in after.marks.values()] == ["mp"]
