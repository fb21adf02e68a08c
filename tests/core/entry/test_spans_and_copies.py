"""Steps at the end of a span, copies of bars with ties and a pick-up, chord symbols of transposing parts, octaves at
the keyboard's end.
"""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction as F

import pytest
from lxml import etree

from ductus.core.entry.commands.marks import WithHere
from ductus.core.entry.commands.pen import HoldInBars, Rest, TypedPlace
from ductus.core.entry.commands.step_value import StepBase
from ductus.core.entry.modes.rescale_beat import scaled
from ductus.core.errors import BadInput
from ductus.core.score.mark_edits.place_marks import marked, where
from ductus.core.score.mark_language.parser import wish_of
from ductus.core.score.model.piece import Piece
from ductus.core.score.note_edits.base import At
from ductus.core.score.note_edits.pitches import ByInterval, Octave
from ductus.core.score.note_edits.registry import edit_notes
from ductus.core.score.structure_edits.bars import CopyBars, InsertBars, SectionAgain
from ductus.core.score.structure_edits.transpose import TransposeBy
from ductus.core.time.ticks import QUARTER
from ductus.formats.musicxml_read.score import read_musicxml
from ductus.formats.musicxml_write import write_musicxml
from tests.building import piece_of
from tests.core.entry.player import Player


def rhythm(piece: Piece) -> list[tuple[float, float]]:
    return sorted((n.tick / QUARTER, n.ticks / QUARTER) for n in piece.notes.values())


def test_a_step_at_the_last_beat_of_a_span_ends_there_and_leaves_the_next_bar() -> None:
    player = Player(piece_of("4/4", [(k, 1) for k in range(8)])).give(HoldInBars(1, 1)).give(TypedPlace("1.4"))
    player.give(StepBase("half")).chord(72)
    assert rhythm(player.piece) == [(float(k), 1.0) for k in range(8)]
    assert "it ends with the span" in player.said[-1]
    assert player.state.step.words == "half"
    rested = Player(piece_of("4/4", [(k, 1) for k in range(8)])).give(HoldInBars(1, 1)).give(TypedPlace("1.4"))
    rested.give(StepBase("half")).give(Rest())
    assert rhythm(rested.piece) == [(float(k), 1.0) for k in range(8) if k != 3]


def spans(player: Player) -> list[tuple[str, float, float]]:
    """(kind or text, from, to) of the marks that span notes, in quarters."""
    marks = sorted(player.piece.marks.values(), key=lambda m: (m.tick, m.kind))
    return [(m.text or m.kind, m.tick / QUARTER, m.end / QUARTER) for m in marks]


@pytest.mark.parametrize(("mark", "name"), [("<", "<"), ("slur", "slur"), ("pedal", "pedal"), ("8va", "8va")])
def test_what_spans_lies_at_once_over_the_notes_that_are_there(mark: str, name: str) -> None:
    player = Player(piece_of("4/4", [(k, 1) for k in range(8)])).give(TypedPlace("1.2")).give(WithHere(mark))
    assert spans(player) == [(name, 1, 4)]
    assert "to the end of the bar" in player.said[-1]
    player.chord(72).chord(74).chord(76).chord(77)  # what is written on from there is under it, too
    assert spans(player) == [(name, 1, 5)]
    fresh = Player(piece_of("4/4", [(k, 1) for k in range(8)])).give(TypedPlace("1.2")).give(WithHere(mark))
    assert spans(fresh.give(WithHere(mark))) == []  # the same again takes it away
    assert fresh.state.open_marks == ()


def test_what_spans_before_anything_is_written_goes_on_with_what_is() -> None:
    player = Player().give(WithHere("<"))
    assert spans(player) == []
    player.chord(60).chord(62)
    assert spans(player) == [("<", 0, 2)]


@pytest.mark.parametrize(("place", "end"), [("1.3", 2), ("2", 4), ("2.3", 6)])
def test_a_tempo_ends_what_slows_down(place: str, end: float) -> None:
    player = Player(piece_of("4/4", [(k, 1) for k in range(8)])).give(WithHere("rit."))
    assert spans(player) == [("rit.", 0, 4)]
    player.give(TypedPlace(place)).give(WithHere("a tempo"))
    assert spans(player) == [("rit.", 0, end), ("a tempo", end, end)]


@pytest.mark.parametrize("sign", ["repeat end", "D.S. al Coda", "Fine", "double bar"])
def test_a_sign_at_the_end_of_a_bar_goes_to_the_bar_of_the_pen(sign: str) -> None:
    player = Player(piece_of("4/4", [(k, 1) for k in range(32)])).give(TypedPlace("6")).give(WithHere(sign))
    assert [s.bar for s in player.piece.signs.values()] == [5]
    behind = Player(piece_of("4/4", [(k, 1) for k in range(20)])).give(TypedPlace("6")).give(WithHere(sign))
    assert [s.bar for s in behind.piece.signs.values()] == [4]  # bar 5 has just been finished


def test_a_figure_in_a_compound_beat_divides_by_three_first() -> None:
    assert scaled([0, 0.31, 0.62], 3, compound=True) == (3, [0, 1, 2])
    assert scaled([0, 0.5], 2, compound=True)[0] in (3, 6)
    assert scaled([0, 0.25, 0.5, 0.75], 4, compound=True)[0] == 6


def test_copied_bars_have_what_is_tied_into_them() -> None:
    piece = piece_of("4/4", [(0, 2), (2, 4), (6, 2)])
    after = CopyBars(1, 1, 2).change(piece).apply(piece)
    assert rhythm(after) == [(0, 2), (2, 4), (6, 2), (8, 2), (10, 2)]


def test_bars_inserted_under_a_tie_strike_its_second_half_again_and_say_so() -> None:
    piece = piece_of("4/4", [(0, 2), (2, 4), (6, 2)])
    change = InsertBars(1, 1).change(piece)
    assert rhythm(change.apply(piece)) == [(0, 2), (2, 2), (8, 2), (10, 2)]
    assert "1 note tied over the place is struck again behind" in change.sentence


def test_a_copy_takes_its_pick_up_along() -> None:
    piece = piece_of("4/4", [(0, 1), (1, 4), (5, 2), (9, 4)], pickup=F(1))
    change = CopyBars(0, 2, 3).change(piece)
    # bar 2 has a rest on its last beat: there the pick-up of the copy stands
    assert rhythm(change.apply(piece))[3] == (8, 1)
    assert "with 1 note of the pick-up before it" in change.sentence


def test_a_section_again_keeps_ties_into_it() -> None:
    piece = piece_of("4/4", [(0, 2), (2, 4), (6, 2), (8, 4)])
    piece = marked(piece, wish_of("[B]"), where([], ("p1", 1, 1), 4 * QUARTER)).apply(piece)
    after = SectionAgain("B", 3).change(piece).apply(piece)
    assert (12.0, 2.0) in rhythm(after)


def clarinet() -> Piece:
    """A part in B flat with a chord symbol of C7 over E, G, B flat (sounding)."""
    piece = piece_of("4/4", [(k, 1) for k in range(4)])
    part = piece.parts["p1"]
    piece = piece.with_rows([(part, replace(part, transpose=(-1, -2)))])
    return marked(piece, wish_of("C7"), where([], ("p1", 1, 1), 0)).apply(piece)


def test_chord_symbols_are_written_in_the_key_of_a_transposing_part() -> None:
    """Common practice: over a clarinet in B flat, which reads D for C, the chord reads D7."""
    piece = clarinet()
    data = write_musicxml(piece)
    assert [e.text for e in etree.fromstring(data).iter("root-step")] == ["D"]
    (back,) = [m for m in read_musicxml(data).piece.marks.values() if m.kind == "chord"]
    assert back.text == "C7"


def test_notes_of_a_transposing_part_are_said_as_they_are_read() -> None:
    player = Player(clarinet()).chord(60)
    assert player.said[-1].startswith("D 4, quarter")


def test_an_octave_that_not_all_notes_can_go_names_those_that_stay() -> None:
    piece = piece_of("4/4", [(0, 1)], pitch="G9")
    (top,) = piece.notes.values()
    change = edit_notes(piece, Octave(1), [top.id], At(top.line, 0, QUARTER))
    assert not change.rows
    assert change.sentence == "G 9 stays, since the keyboard ends there"


@pytest.mark.parametrize(("steps", "semitones"), [(28, -48), (0, 12), (7, 0), (1, 9)])
def test_an_interval_that_no_steps_can_be_is_refused(steps: int, semitones: int) -> None:
    piece = piece_of("4/4", [(0, 1)])
    ids = list(piece.notes)
    with pytest.raises(BadInput, match="staff steps are never"):
        edit_notes(piece, ByInterval(steps, semitones), ids, At(("p1", 1, 1), 0, QUARTER))
    with pytest.raises(BadInput, match="staff steps are never"):
        TransposeBy(steps, semitones).change(piece)
