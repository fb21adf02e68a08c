"""Notation is a pure function: examples of the trade, and properties that always hold.

The examples follow E. Gould, "Behind Bars" (2011), from memory, and common practice.
"""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction as F
from typing import Any

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from ductus.core.entry.commands.pen import PlacePen, Rest
from ductus.core.entry.commands.step_value import NoTuplet, StepBase, TupletOf
from ductus.core.notation.bars import notate_bar
from ductus.core.notation.symbols import Symbol
from ductus.core.pitch.pitches import parse_pitch
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Mark
from ductus.core.time.meters import Meter
from ductus.core.time.note_values import Tuplet
from ductus.core.time.ticks import QUARTER
from tests.building import piece_of, random_piece
from tests.core.entry.player import Player


def word(s: Symbol) -> str:
    short = {"whole": "1", "half": "2", "quarter": "4", "eighth": "8"}.get(s.value.base, s.value.base.rstrip("thnd"))
    ratio = f"/{s.span.ratio.actual}:{s.span.ratio.normal}" if s.span else ""
    return (
        ("r" if s.is_rest else "")
        + ("bar" if s.whole_bar else short + "." * s.value.dots)
        + ratio
        + ("~" if s.tied_on else "")
    )


def written(piece: Piece, bar: int = 0, voice: int = 0) -> str:
    return " ".join(word(s) for s in notate_bar(piece, "p1", bar).voices[voice].symbols)


@pytest.mark.parametrize(
    ("meter", "notes", "expected"),
    [
        # the middle of 4/4 stays visible, but quarter-half-quarter is written whole
        ("4/4", [(0, 1), (1, 2), (3, 1)], "4 2 4"),
        ("4/4", [(0, F(1, 2)), (F(1, 2), 3), (F(7, 2), F(1, 2))], "8 4.~ 4. 8"),
        ("4/4", [(0, F(3, 2)), (F(3, 2), F(5, 2))], "4. 8~ 2"),
        ("4/4", [(0, F(1, 2)), (F(1, 2), 1), (F(3, 2), F(1, 2)), (2, 2)], "8 4 8 2"),
        ("4/4", [(1, 3)], "r4 2."),
        # rests fill places of the metrical tree
        ("4/4", [(1, F(1, 2))], "r4 8 r8 r2"),
        ("3/4", [(0, 1)], "4 r4 r4"),
        ("3/4", [(F(1, 2), 1), (F(3, 2), F(3, 2))], "r8 4 4."),
        ("6/8", [(0, 1), (1, F(1, 2)), (F(3, 2), F(3, 2))], "4 8 4."),
        ("6/8", [(0, F(1, 2))], "8 r8 r8 r4."),
        ("6/8", [(F(1, 2), 2)], "r8 4~ 4 r8"),
        ("2/2", [(1, 2)], "r4 2 r4"),
        ("3/4", [(0, F(5, 2))], "2~ 8 r8"),
        ("3/4", [(0, F(9, 4)), (F(9, 4), F(3, 4))], "2~ 16 8."),
        ("3/4", [(F(1, 2), 2)], "r8 8~ 4. r8"),
        ("3/4", [(F(5, 2), F(1, 2))], "r4 r4 r8 8"),
        ("9/8", [(0, 3)], "2. r4."),
        ("12/8", [(0, 6)], "1."),
        ("5/8", [(0, F(5, 2))], "4~ 4."),
        ("7/8", [(1, F(5, 2))], "r4 4~ 4."),
        # dotted rhythm and the scrap after it
        ("2/4", [(0, F(3, 4)), (F(3, 4), F(1, 4)), (1, F(1, 4))], "8. 16 16 r16 r8"),
        # brackets found: triplet beat, quarter triplet over two beats, half triplet over the bar, quintuplet, mixed
        # beat
        ("3/4", [(0, F(1, 3)), (F(1, 3), F(1, 3)), (F(2, 3), F(1, 3))], "8/3:2 8/3:2 8/3:2 r4 r4"),
        ("4/4", [(0, F(2, 3)), (F(2, 3), F(2, 3)), (F(4, 3), F(2, 3))], "4/3:2 4/3:2 4/3:2 r2"),
        ("4/4", [(0, F(4, 3)), (F(4, 3), F(4, 3)), (F(8, 3), F(4, 3))], "2/3:2 2/3:2 2/3:2"),
        ("2/4", [(F(k, 5), F(1, 5)) for k in range(5)], "16/5:4 16/5:4 16/5:4 16/5:4 16/5:4 r4"),
        ("2/4", [(0, F(2, 3)), (F(2, 3), F(1, 3)), (1, 1)], "4/3:2 8/3:2 4"),
        ("6/8", [(0, F(3, 4)), (F(3, 4), F(3, 4))], "8. 8. r4."),
        # half a beat of sixteenth triplets beside a plain eighth
        (
            "2/4",
            [(0, F(1, 2)), (F(1, 2), F(1, 6)), (F(2, 3), F(1, 6)), (F(5, 6), F(1, 6)), (1, 1)],
            "8 16/3:2 16/3:2 16/3:2 4",
        ),
        # the grouping of an irregular meter shows, with as few notes as it takes
        ("7/8", [(0, F(7, 2))], "2~ 4."),
        ("7/8", [(0, 2), (2, F(3, 2))], "2 4."),
        # half a bar of silence in 12/8
        ("12/8", [(0, 3)], "2. r2."),
        # a group of quarter triplets is one bracket wherever it stands; what crosses a beat inside eighth triplets is
        # tied
        ("4/4", [(0, 1), (1, F(2, 3)), (F(5, 3), F(2, 3)), (F(7, 3), F(2, 3)), (3, 1)], "4 4/3:2 4/3:2 4/3:2 4"),
        (
            "2/4",
            [(0, F(1, 3)), (F(1, 3), F(1, 3)), (F(2, 3), F(2, 3)), (F(4, 3), F(1, 3)), (F(5, 3), F(1, 3))],
            "8/3:2 8/3:2 8/3:2~ 8/3:2 8/3:2 8/3:2",
        ),
        ("2/4", [(F(2 * k, 9), F(2, 9)) for k in range(9)], " ".join(["16/9:8"] * 9)),
        ("4/4", [(F(4 * k, 11), F(4, 11)) for k in range(11)], " ".join(["8/11:8"] * 11)),
        ("6/8", [(F(3 * k, 8), F(3, 8)) for k in range(4)], "8/4:3 8/4:3 8/4:3 8/4:3 r4."),
    ],
)
def test_a_bar_is_written_as_the_trade_writes_it(meter: str, notes: list[tuple[F, F]], expected: str) -> None:
    assert written(piece_of(meter, notes)) == expected


def test_a_triplet_whose_middle_note_is_halved_is_one_group() -> None:
    """8 16 16 8 under one 3, though the half of the beat is a place (common practice).

    Six sixteenths and two halves stay two groups.
    """
    rhythms = {(2, 1, 1, 2): 1, (1, 1, 1, 1, 2): 1, (2, 1, 1, 1, 1): 1, (1, 1, 1, 1, 1, 1): 2, (2, 1, 3): 1}
    for rhythm, groups in rhythms.items():
        onsets = [sum(rhythm[:k]) for k in range(len(rhythm))]
        piece = piece_of("2/4", [(F(at, 6), F(length, 6)) for at, length in zip(onsets, rhythm, strict=True)])
        symbols = notate_bar(piece, "p1", 0).voices[0].symbols
        assert len({s.span for s in symbols if s.span}) == groups, rhythm


def test_ties_cross_the_bar_line() -> None:
    piece = piece_of("3/4", [(2, 2)])
    assert written(piece) == "r4 r4 4~"
    assert written(piece, 1) == "4 r4 r4"
    second = notate_bar(piece, "p1", 1).voices[0].symbols[0]
    assert second.tied_from == set(piece.notes)


def test_an_empty_bar_is_a_whole_bar_rest_whatever_the_meter() -> None:
    assert written(piece_of("7/8", [])) == "rbar"


def test_a_pick_up_keeps_the_beats_of_the_full_bar() -> None:
    piece = piece_of("3/4", [(0, F(1, 2)), (F(1, 2), F(1, 2)), (1, 3)], pickup=F(1))
    assert written(piece) == "8 8"
    assert written(piece, 1) == "2."


def test_a_bracket_that_was_asked_for_is_kept_before_it_is_full() -> None:
    piece = piece_of("4/4", [(0, F(4, 7))])
    draft = Draft(piece)
    draft.put(Mark("m1", "tuplet", "p1", 1, 1, 0, 4 * QUARTER, tuplet=Tuplet(7, 4)))
    assert written(draft.change("bracket").apply(piece)) == "4/7:4 r1/7:4 r2/7:4"


def test_accidentals_hold_to_the_bar_line_and_not_beyond() -> None:
    piece = piece_of("2/4", [(0, 1), (1, 1), (2, 1)], pitch="F#5")
    first, _, third = sorted(piece.notes, key=lambda i: piece.notes[i].tick)
    assert notate_bar(piece, "p1", 0).accidentals == {first: 1}
    assert notate_bar(piece, "p1", 1).accidentals == {third: 1}
    in_g = piece_of("2/4", [(0, 1), (1, 1)], pitch="F5", fifths=1)
    assert notate_bar(in_g, "p1", 0).accidentals == {min(in_g.notes, key=lambda i: in_g.notes[i].tick): 0}


@pytest.mark.parametrize(
    ("meter", "notes", "beams"),
    [
        ("4/4", [(F(k, 2), F(1, 2)) for k in range(8)], "b c c e b c c e"),
        ("3/4", [(F(k, 2), F(1, 2)) for k in range(6)], "b c c c c e"),
        ("6/8", [(F(k, 2), F(1, 2)) for k in range(6)], "b c e b c e"),
        ("2/4", [(0, F(3, 4)), (F(3, 4), F(1, 4)), (1, F(1, 2)), (F(3, 2), F(1, 2))], "b eb b e"),
        ("2/4", [(0, F(1, 4)), (F(1, 4), F(1, 2)), (F(3, 4), F(1, 4)), (1, 1)], "bf c eb "),
        # an eighth and half a beat of sixteenth triplets are one beam
        ("2/4", [(0, F(1, 2)), (F(1, 2), F(1, 6)), (F(2, 3), F(1, 6)), (F(5, 6), F(1, 6)), (1, 1)], "b cb cc ee "),
        # a rest inside the beat does not break the beam
        ("2/4", [(0, F(1, 4)), (F(1, 2), F(1, 4)), (F(3, 4), F(1, 4)), (1, 1)], "bb  cc ee "),
        ("6/8", [(0, F(1, 2)), (1, F(1, 2)), (F(3, 2), F(3, 2))], "b  e "),
        # a bracket over several beats is one beam
        ("2/4", [(F(2 * k, 7), F(2, 7)) for k in range(7)], "b c c c c c e"),
        # secondary beams break at the fractions of the beat: eight 32nds are four and four under one beam
        ("2/4", [(F(k, 8), F(1, 8)) for k in range(8)] + [(1, 1)], "bbb ccc ccc cee cbb ccc ccc eee "),
        (
            "2/4",
            [(F(k, 16), F(1, 16)) for k in range(16)] + [(1, 1)],
            "bbbb cccc cccc ccee ccbb cccc cccc ceee cbbb cccc cccc ccee ccbb cccc cccc eeee ",
        ),
    ],
)
def test_beams_join_within_the_beat(meter: str, notes: list[tuple[F, F]], beams: str) -> None:
    symbols = notate_bar(piece_of(meter, notes), "p1", 0).voices[0].symbols
    assert " ".join("".join(w[0] for w in s.beams) for s in symbols) == beams


def test_a_further_voice_shows_no_silence_before_it_begins_and_after_it_has_ended() -> None:
    """Common practice: rests stand only inside the bars through which a further voice goes on."""
    piece = piece_of("4/4", [(0, 4), (4, 4), (8, 4)])
    draft = Draft(piece)
    for onset in (1, 5):
        draft.put(
            replace(
                next(iter(piece.notes.values())), id=draft.new_id("n"), voice=2, tick=onset * QUARTER, ticks=QUARTER
            )
        )
    two = draft.change("two").apply(piece)
    first, second = (notate_bar(two, "p1", bar).voices[1].symbols for bar in (0, 1))
    assert [(s.is_rest, s.hidden) for s in first] == [(True, True), (False, False), (True, False)]
    assert [(s.is_rest, s.hidden) for s in second] == [(True, False), (False, False), (True, True)]


def test_a_bracket_keeps_the_rests_that_are_its_own() -> None:
    """A triplet of one note in a further voice.

    Its rests stand, the silence around the bracket does not (common practice).
    """
    piece = piece_of("4/4", [(0, 4)])
    draft = Draft(piece)
    note = next(iter(piece.notes.values()))
    draft.put(replace(note, id=draft.new_id("n"), voice=2, tick=QUARTER, ticks=QUARTER // 3))
    symbols = notate_bar(draft.change("one").apply(piece), "p1", 0).voices[1].symbols
    assert [(s.is_rest, s.span is not None, s.hidden) for s in symbols] == [
        (True, False, True),
        (False, True, False),
        (True, True, False),
        (True, False, True),
    ]


def test_reminding_accidentals_stand_in_the_next_bar_and_in_another_octave_if_wanted() -> None:
    """Common practice."""
    piece = piece_of("2/4", [(0, 1), (1, 1), (2, 1), (4, 1)], pitch="F#5")
    a, b, c, d = sorted(piece.notes.values(), key=lambda n: n.tick)
    natural, high = parse_pitch("F5"), parse_pitch("F6")
    piece = piece.with_rows(
        [(b, replace(b, pitch=high)), (c, replace(c, pitch=natural)), (d, replace(d, pitch=natural))]
    )
    first, second, third = (notate_bar(piece, "p1", bar) for bar in range(3))
    assert (first.accidentals, first.cautions) == ({a.id: 1, b.id: 0}, {b.id})
    assert (second.accidentals, second.cautions) == ({c.id: 0}, {c.id})
    assert (third.accidentals, third.cautions) == ({}, frozenset())
    without = piece.with_rows([(piece.facts, replace(piece.facts, cautions="none"))])
    assert notate_bar(without, "p1", 1).accidentals == {}


@settings(max_examples=80, deadline=None)
@example([(StepBase("16th"), TupletOf(3, 2), 0, False), (StepBase("quarter"), TupletOf(3, 2), 0, False)])
@given(
    st.lists(
        st.tuples(
            st.sampled_from([StepBase("quarter"), StepBase("eighth"), StepBase("16th")]),
            st.sampled_from([NoTuplet(), TupletOf(3, 2), TupletOf(5, 4), TupletOf(7, 8), TupletOf(9, 8)]),
            st.integers(0, 31),
            st.booleans(),
        ),
        min_size=1,
        max_size=14,
    )
)
def test_brackets_are_whole_however_they_were_overwritten(steps: list[tuple[Any, Any, int, bool]]) -> None:
    """Enter values and tuplets anywhere, one over the other.

    Every bracket that is drawn is full and holds at least two symbols.
    """
    player = Player(new_piece(meter=Meter(4, 4)))
    for base, tuplet, place, rest in steps:
        player.give(PlacePen("p1", 1, place * QUARTER // 4)).give(NoTuplet()).give(base).give(tuplet)
        player.give(Rest()) if rest else player.chord(60)
        player.chord(64)
    for bar in player.piece.bars():
        for voice in notate_bar(player.piece, "p1", bar.index).voices:
            for span in {s.span for s in voice.symbols if s.span}:
                inside = [s for s in voice.symbols if s.span == span]
                assert sum(s.ticks for s in inside) == span.end - span.start
                assert len(inside) > 1
                assert any(s.notes for s in inside)


METERS = st.sampled_from(["2/4", "3/4", "4/4", "2/2", "6/8", "9/8", "12/8", "5/8", "7/8", "5/4", "3/8"])


@settings(max_examples=60, deadline=None)
@given(seed=st.integers(0, 10_000), meter=METERS, pickup=st.sampled_from([F(0), F(1, 2), F(1)]))
def test_every_voice_fills_every_bar_and_keeps_every_note(seed: int, meter: str, pickup: F) -> None:
    piece = random_piece(seed, meter, 5, fifths=seed % 15 - 7, pickup=pickup)
    lengths: dict[str, int] = {}
    for bar in piece.bars():
        for voice in notate_bar(piece, "p1", bar.index).voices:
            assert voice.symbols[0].tick == bar.start
            assert all(a.end == b.tick for a, b in zip(voice.symbols, voice.symbols[1:], strict=False))
            assert voice.symbols[-1].end == bar.end
            for s in voice.symbols:
                scale = s.span.ratio.scale if s.span else 1
                assert s.whole_bar or s.value.plain_ticks * scale == s.ticks
                for note in s.notes:
                    lengths[note.id] = lengths.get(note.id, 0) + s.ticks
    assert lengths == {n.id: n.ticks for n in piece.notes.values()}
