"""A bar cut in two for a repeat in its middle.

Two bars for signs, one number for people; a last bar without what the pick-up has.
"""

from __future__ import annotations

import random
from dataclasses import replace
from fractions import Fraction as F
from pathlib import Path

import music21
import pytest

from ductus.core.entry.commands.pen import moved_tick
from ductus.core.entry.state import EntryState
from ductus.core.errors import BadInput
from ductus.core.notation.bars import notate_bar
from ductus.core.playback.click import click_ranks
from ductus.core.score.mark_edits.place_marks import marked, where
from ductus.core.score.mark_language.parser import wish_of
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece, make_piece, records_of
from ductus.core.score.model.playing_order import playing_order
from ductus.core.score.model.records import BarSign
from ductus.core.score.structure_edits.accompaniment import Accompany
from ductus.core.score.structure_edits.bars import CopyBars, InsertBars, RemoveBars
from ductus.core.score.structure_edits.meter_key_tempo import MeterFrom
from ductus.core.score.structure_edits.split_bars import CutBar, JoinBar
from ductus.core.time.bars import Timeline
from ductus.core.time.meters import parse_meter
from ductus.core.time.ticks import QUARTER
from ductus.engraving.breaking import ends_with_rest
from ductus.engraving.pages import PageSetup, printed
from ductus.formats.musicxml_read import read_musicxml
from ductus.formats.musicxml_read.source import inside_archive
from ductus.formats.musicxml_write import write_musicxml
from tests.building import piece_of
from tests.core.score.test_bars_and_parts import content, made, marked_piece

CORPUS = Path(music21.__file__).parent / "corpus"


def numbers(piece: Piece) -> list[int]:
    return [piece.timeline.number_of(b.index) for b in piece.bars()]


def lengths(piece: Piece) -> list[F]:
    return [F(b.ticks, QUARTER) for b in piece.bars()]


def minuet() -> Piece:
    """Sixteen bars of 3/4 with a pick-up of a quarter."""
    return piece_of("3/4", [(k, 1) for k in range(49)], pickup=F(1))


def test_both_parts_have_one_number_and_beats_go_on_in_the_second() -> None:
    piece = made(minuet(), CutBar(8, 3))
    assert numbers(piece)[7:11] == [7, 8, 8, 9]
    assert lengths(piece)[7:11] == [3, 2, 1, 3]
    line = piece.timeline
    assert line.place_words(line.bar(9).start) == "bar 8, beat 3"
    assert line.place_words(line.bar(10).start) == "bar 9, beat 1"
    assert [line.index_of(n) for n in (7, 8, 9)] == [7, 8, 10]
    assert line.tick_of(8, 3) == line.bar(9).start
    assert line.tick_of(9, 1) == line.bar(10).start
    assert line.parts_of(8) == line.parts_of(9) == range(8, 10)
    assert line.parts_of(10) == range(10, 11)
    assert numbers(piece)[-1] == 16


def test_nothing_that_sounds_moves() -> None:
    piece = minuet()
    assert {n.id: n.tick for n in made(piece, CutBar(8, 3)).notes.values()} == {
        n.id: n.tick for n in piece.notes.values()
    }


@pytest.mark.parametrize("seed", range(20))
def test_a_bar_that_was_cut_and_made_whole_is_as_it_was(seed: int) -> None:
    piece = marked_piece(seed)
    rng = random.Random(seed)
    meter = piece.timeline.bar(0).meter
    bar = rng.randrange(1, piece.bar_count)
    beat = rng.choice([F(k, 2) for k in range(3, 2 * len(meter.groups) + 2)])
    cut = made(piece, CutBar(bar, float(beat)))
    assert cut.bar_count in (piece.bar_count, piece.bar_count + 1)
    again = made(cut, JoinBar(bar))
    assert content(again) == content(piece)
    assert again.bar_count == piece.bar_count


def test_the_second_part_is_counted_felt_and_written_as_the_end_of_its_bar() -> None:
    piece = made(piece_of("4/4", [(k, F(1, 2)) for k in range(16)]), CutBar(1, 4))
    last = piece.timeline.bar(2)
    assert [rank for _, rank in click_ranks(last)] == ["beat"]  # no bar line is clicked in the middle of a bar
    first = notate_bar(piece, "p1", 1).voices[0]
    assert sum(s.ticks for s in first.symbols) == 3 * QUARTER


def test_a_part_that_is_empty_shows_the_rests_that_it_has_room_for() -> None:
    piece = made(minuet(), CutBar(8, 3))
    left = [next(v for v in notate_bar(piece, "p1", bar).voices if v.staff == 2) for bar in (7, 8, 9)]
    assert [[s.ticks / QUARTER for s in v.symbols] for v in left] == [[3], [1, 1], [1]]
    assert [v.symbols[0].whole_bar for v in left] == [True, False, False]


def test_a_repeat_in_the_middle_of_a_bar_plays_up_to_there() -> None:
    """A minuet with a pick-up: its first half ends with two quarters and is played twice (common practice)."""
    piece = made(minuet(), CutBar(8, 3))
    for sign in ("repeat end", "repeat start"):  # with the pen at the cut
        piece = marked(piece, wish_of(sign), where((), ("p1", 1, 1), piece.timeline.bar(9).start)).apply(piece)
    assert [(s.first, s.last) for s in playing_order(piece)] == [(0, 8), (0, 17)]


def test_a_part_without_a_beat_is_printed_walked_over_and_beamed() -> None:
    piece = made(piece_of("4/4", [(F(k, 2), F(1, 2)) for k in range(32)]), CutBar(2, 4.5))
    last = piece.timeline.bar(3)
    assert (last.beats(), last.last_beat, last.stretches()) == ([], last.start, [last.start, last.end])
    assert printed(piece, PageSetup()).pages
    assert ends_with_rest(piece, 3)
    state = EntryState(part="p1", tick=last.end)
    assert moved_tick(state, "beat", -1, piece) == last.start
    assert moved_tick(replace(state, tick=last.start), "beat", -1, piece) == piece.timeline.bar(2).last_beat


def test_a_repeat_with_the_pen_inside_a_bar_says_how_it_could_stand_there() -> None:
    piece, line = minuet(), ("p1", 1, 1)
    inside = piece.timeline.bar(8).start + QUARTER
    hint = "; for one in its middle, cut the bar there first"
    for tick, words in ((inside, f"8{hint}"), (piece.timeline.bar(9).start, "9")):
        change = marked(piece, wish_of("repeat end"), where((), line, tick))
        assert change.sentence == f"Repeat ends at the end of bar {words}"
    assert marked(piece, wish_of("Fine"), where((), line, inside)).sentence == "Fine at the end of bar 8"


def test_signs_at_the_end_of_a_bar_stay_at_its_end() -> None:
    piece = minuet()
    draft = Draft(piece)
    draft.put(BarSign("s1", "repeat-end", 8))
    draft.put(BarSign("s2", "repeat-start", 8))
    draft.put(BarSign("s3", "ending", 7, "1", 2))
    cut = made(draft.change("").apply(piece), CutBar(8, 3))
    assert {s.id: (s.bar, s.bars) for s in cut.signs.values()} == {"s1": (9, 1), "s2": (8, 1), "s3": (7, 3)}


def test_what_stands_in_its_middle_is_named_when_a_bar_is_made_whole() -> None:
    piece = made(minuet(), CutBar(8, 3))
    draft = Draft(piece)
    draft.put(BarSign("s1", "repeat-end", 8))
    change = JoinBar(9).change(draft.change("").apply(piece))
    assert change.sentence == "Bar 8 is whole again; gone from its middle: repeat ends"


def test_a_last_bar_ends_without_what_the_pick_up_has() -> None:
    piece = piece_of("3/4", [(k, 1) for k in range(12)], pickup=F(1))  # the last bar has two beats of three
    change = CutBar(4, 3).change(piece)
    assert change.sentence == "Bar 4 ends in front of beat 3"
    short = change.apply(piece)
    assert lengths(short) == [1, 3, 3, 3, 2]
    assert short.timeline.bar(5).ticks == 3 * QUARTER  # what is written behind it has whole bars
    measures = music21.converter.parse(write_musicxml(short), format="musicxml").parts[0].getElementsByClass("Measure")
    assert [m.duration.quarterLength for m in measures] == [1, 3, 3, 3, 2]
    assert content(made(short, JoinBar(4))) == content(piece)


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (CutBar(0, 3), "A pick-up is not cut in two"),
        (CutBar(1, 2), "The sign of 2/4 stands at bar 1"),
        (CutBar(8, 1), "A bar line stands there already"),
        (CutBar(8, 2.015625), "finer than a thirty-second"),
        (JoinBar(5), "Bar 5 is not cut"),
        (CutBar(8, 4), "Bar 8 has 3 beats"),
    ],
)
def test_what_cannot_be_cut_is_said(edit: CutBar | JoinBar, words: str) -> None:
    piece = made(minuet(), MeterFrom(1, "2/4")) if words.startswith("The sign") else minuet()
    with pytest.raises(BadInput, match=words):
        edit.change(piece)


def test_bars_are_inserted_and_copied_around_it() -> None:
    piece = made(minuet(), CutBar(8, 3))
    for at, found in ((9, [7, 8, 8, 9, 10, 11]), (10, [7, 8, 8, 9, 10, 11]), (8, [7, 8, 9, 10, 10, 11])):
        more = made(piece, InsertBars(at, 2))
        assert numbers(more)[7:13] == found
        assert lengths(more)[10 if at > 8 else 8] == 3
        assert content(made(more, RemoveBars(10 if at > 8 else 8, 11 if at > 8 else 9))) == content(piece)
    copied = made(piece, CopyBars(8, 9, 12))
    part = CopyBars(9, 9, 12).change(piece)  # a part is copied with its bar
    assert part.sentence == "Bar 8 copied in front of bar 11"
    assert content(part.apply(piece)) == content(copied)
    assert lengths(copied)[8:15] == [2, 1, 3, 3, 2, 1, 3]
    assert numbers(copied)[8:15] == [8, 8, 9, 10, 11, 11, 12]
    assert not [m for m in copied.meters.values() if m.sign != "none" and m.bar]  # no sign appears on the page


def test_another_meter_of_the_same_length_keeps_it_and_one_of_another_says_that_it_goes() -> None:
    piece = made(piece_of("4/4", [(k, 1) for k in range(32)]), CutBar(4, 3))
    same = MeterFrom(0, "2/2").change(piece)
    assert lengths(same.apply(piece))[3:7] == [4, 2, 2, 4]
    assert numbers(same.apply(piece))[3:7] == [4, 5, 5, 6]
    assert {str(m.meter) for m in same.apply(piece).meters.values()} == {"2/2", "2/4"}
    other = MeterFrom(0, "3/4").change(piece)
    assert set(lengths(other.apply(piece))) == {3}
    assert "bars that are cut are whole again" in other.sentence


def test_a_figure_is_not_played_into_parts_of_a_bar_and_clears_none() -> None:
    piece = made(piece_of("4/4", [(k, 1) for k in range(32)]), CutBar(4, 3))
    change = Accompany("p1", 1, 3, 6, "broken chords").change(piece).apply(piece)
    cut = [piece.timeline.bar(k) for k in (4, 5)]
    inside = [n.tick for n in change.notes.values() if cut[0].start <= n.tick < cut[1].end]
    assert inside == [n.tick for n in piece.notes.values() if cut[0].start <= n.tick < cut[1].end]


def test_parts_are_found_where_they_make_up_one_bar_and_nowhere_else() -> None:
    four, three, two, one = (parse_meter(m) for m in ("4/4", "3/4", "2/4", "1/4"))

    def going_on(meters: dict[int, object], unsigned: set[int]) -> list[int]:
        return Timeline(meters, 0, unsigned).going_on  # type: ignore[arg-type]

    assert going_on({0: four, 4: three, 5: one, 6: four}, {4, 5, 6}) == [5]
    assert going_on({0: four, 4: two, 6: four}, {4, 6}) == [5]  # two halves without a sign between them
    assert going_on({0: four, 4: two, 8: four}, {4, 8}) == []  # four bars of 2/4 without a sign are bars of their own
    assert going_on({0: four, 4: three, 5: one, 6: four}, {6}) == []  # with their signs on the page they are bars
    assert going_on({0: four, 4: three, 5: two, 6: four}, {4, 5, 6}) == []  # more than a bar
    assert going_on({0: four, 4: three, 5: one, 6: one, 7: three, 8: four}, {4, 5, 6, 7, 8}) == [5, 7]  # two bars
    assert going_on({0: four, 4: three, 5: one, 6: three}, {4, 5, 6}) == [5]  # a last bar without its pick-up


@pytest.mark.parametrize("name", ["bach/bwv144.6.mxl", "bach/bwv244.15.mxl", "bach/bwv370.mxl", "bach/bwv41.6.mxl"])
def test_bars_have_the_numbers_of_the_edition(name: str) -> None:
    """music21's corpus: measure "5a" of a chorale is the rest of measure 5."""
    path = CORPUS / name
    data = inside_archive(path.read_bytes())
    piece = read_musicxml(data, name).piece
    printed = [
        int(m.number) for m in music21.converter.parse(path, forceSource=True).parts[0].getElementsByClass("Measure")
    ]
    assert numbers(piece) == printed
    again = read_musicxml(write_musicxml(piece), name).piece
    assert numbers(again) == printed


@pytest.mark.parametrize(
    "cuts", [(CutBar(5, 2), CutBar(6, 3)), (CutBar(5, 2.5), CutBar(7, 2.5)), (CutBar(5, 3), CutBar(7, 3))]
)
def test_bars_cut_in_equal_parts_and_beside_each_other_come_back(cuts: tuple[CutBar, ...]) -> None:
    piece = made(minuet(), *cuts)
    assert numbers(read_musicxml(write_musicxml(piece)).piece) == numbers(piece)
    assert sorted(set(numbers(piece))) == list(range(17))


def test_it_comes_back_from_the_records() -> None:
    piece = made(minuet(), CutBar(8, 3))
    assert numbers(make_piece(list(records_of(piece)))) == numbers(piece)
