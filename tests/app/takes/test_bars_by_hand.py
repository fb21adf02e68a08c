"""Bars that a person sets in a take: a note says which bar it is, a bar line is dragged, to a click or without."""

from __future__ import annotations

import pytest

from ductus.app import wire as m
from ductus.app.library import Library
from ductus.app.takes.reading_views import strip_of
from ductus.core.reading.review.beat_options import ReadBar, ReadMeter, ReadPin, ReadSize, ReadUnpinned
from ductus.core.recording.settings import RecordPolicy
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.time.meters import Meter
from ductus.core.time.ticks import QUARTER
from tests.app.driving import Sitter


@pytest.fixture
def free(library: Library) -> Sitter:
    at = Sitter(library, library.add(new_piece())).perform("otter-freely", qpm=None, shortest=None)
    return at.read(ReadMeter("6/8"))


@pytest.fixture
def clicked(library: Library) -> Sitter:
    piece = library.add(new_piece(meter=Meter(3, 4), fifths=-2, bpm=96))
    return Sitter(library, piece).perform("waltz-with-click", qpm=96.0, count_in=2, shortest=None)


def number(at: Sitter, note: str) -> tuple[int, int]:
    """Bar number and tick in the bar of a note."""
    timeline, tick = at.piece.timeline, at.piece.notes[note].tick
    bar = timeline.bar_at(tick)
    return timeline.number_of(bar.index), tick - bar.start


def bars(at: Sitter) -> int:
    return max(number(at, note)[0] for note in at.piece.notes)


def meters(at: Sitter) -> list[tuple[int, str]]:
    return sorted((m.bar, str(m.meter)) for m in at.piece.meters.values())


def lines(at: Sitter) -> list[tuple[int, int]]:
    """(microseconds, tick) of the bar lines of the take."""
    return [(b[0], b[1]) for b in strip_of(at.desk, at.reading().id).beats if b[2] is not None]


def beat_after(at: Sitter, us: int) -> int:
    return min(b[0] for b in strip_of(at.desk, at.reading().id).beats if b[0] > us)


def pin(at: Sitter, note: str, bar: int, beat: int = 1) -> str:
    """A note is said to be in a bar; returns what stands against it."""
    before = len(at.problems)
    at.read(ReadPin(bar, beat), [note], reading=at.reading().id)
    return "".join(at.problems[before:])


def test_a_note_says_which_bar_it_is_and_the_bars_before_it_are_counted_anew(free: Sitter) -> None:
    note = next(i for i, n in free.piece.notes.items() if number(free, i) == (5, 0))
    many = bars(free)
    for wanted in (4, 6, 3):
        assert pin(free, note, wanted) == ""
        assert free.said == f"This note is bar {wanted}"
        assert number(free, note) == (wanted, 0)
        assert bars(free) <= wanted + many - 5 + 1
        free.undo()
    pin(free, note, 6)
    assert "set by hand" in "".join(p.words for p in free.reading().line)
    free.read(ReadUnpinned())
    assert free.reading().set_by_hand == 0
    assert number(free, note) == (5, 0)


@pytest.mark.parametrize(
    ("bar", "beat", "words"),
    [
        (500, 1, "beats a minute"),
        (1, 1, "Bar 1 begins before this note"),
        (0, 1, "Bar 1 begins before this note"),
        (3, 9, "2 beats"),
    ],
)
def test_what_cannot_be_is_refused_with_its_reason_and_nothing_moves(
    free: Sitter, bar: int, beat: int, words: str
) -> None:
    note = next(i for i, n in free.piece.notes.items() if number(free, i) == (5, 0))
    before = free.piece.notes[note]
    assert words in pin(free, note, bar, beat)
    assert free.piece.notes[note] == before


def test_the_first_note_cannot_be_bar_four(free: Sitter) -> None:
    first = min(free.piece.notes.values(), key=lambda n: n.tick)
    assert "count from the first note" in pin(free, first.id, 4)
    assert free.piece.notes[first.id] == first


def test_two_pins_that_contradict_each_other_are_named(free: Sitter) -> None:
    first, second = (next(i for i in free.piece.notes if number(free, i) == (bar, 0)) for bar in (4, 7))
    assert pin(free, second, 7) == ""
    assert "Bar 7 was set by hand" in pin(free, first, 8)
    assert pin(free, first, 5) == ""
    assert (number(free, first), number(free, second)) == ((5, 0), (7, 0))


def test_to_a_click_a_note_moves_inside_its_bar_with_all_others_and_to_no_other_bar(clicked: Sitter) -> None:
    note = next(i for i in clicked.piece.notes if number(clicked, i) == (3, QUARTER))
    gap = min(n.tick for n in clicked.piece.notes.values()) - clicked.piece.notes[note].tick
    assert "already" in pin(clicked, note, 3, 2)
    assert pin(clicked, note, 3, 1) == ""
    assert number(clicked, note) == (3, 0)
    assert min(n.tick for n in clicked.piece.notes.values()) - clicked.piece.notes[note].tick == gap
    clicked.undo()
    assert "click counted" in pin(clicked, note, 8)
    assert number(clicked, note) == (3, QUARTER)


def test_a_bar_line_dragged_along_a_click_gives_the_bar_before_it_another_meter(clicked: Sitter) -> None:
    values = {n.ticks for n in clicked.piece.notes.values()}
    us, tick = lines(clicked)[3]
    clicked.read(ReadBar(tick, beat_after(clicked, us)))
    assert meters(clicked) == [(0, "3/4"), (2, "4/4"), (3, "3/4")]
    assert {n.ticks for n in clicked.piece.notes.values()} == values
    us, tick = lines(clicked)[5]
    clicked.read(ReadBar(tick, beat_after(clicked, us)))
    assert meters(clicked) == [(0, "3/4"), (2, "4/4"), (3, "3/4"), (4, "4/4"), (5, "3/4")]
    clicked.read(ReadMeter(None))
    assert meters(clicked) == [(0, "3/4")]  # that of the piece when it was recorded


def test_or_all_bar_lines_move_along(clicked: Sitter) -> None:
    values = sorted(n.ticks for n in clicked.piece.notes.values())
    us, tick = lines(clicked)[3]
    clicked.read(ReadBar(tick, beat_after(clicked, us), by="before"))
    assert meters(clicked) == [(0, "3/4")]
    assert clicked.piece.facts.pickup == QUARTER  # what was the first beat is an upbeat now
    assert sorted(n.ticks for n in clicked.piece.notes.values()) == values


def test_beside_other_music_a_take_changes_no_meter(clicked: Sitter) -> None:
    """What was played in both hands before stays in its bars."""
    clicked.choose(RecordPolicy("add")).perform("waltz-with-click", qpm=96.0, count_in=2, bar=2)
    reading = next(r for r in clicked.piece.readings.values() if r.start)
    beats = strip_of(clicked.desk, reading.id).beats
    third = [b for b in beats if b[2] is not None][3]
    clicked.read(ReadBar(third[1], min(b[0] for b in beats if b[0] > third[0])), reading=reading.id)
    assert "Other music" in clicked.problems[-1]
    assert meters(clicked) == [(0, "3/4")]


def test_a_take_in_doubled_values_has_its_last_chord_doubled_too(library: Library) -> None:
    at = Sitter(library, library.add(new_piece(bpm=90))).record(qpm=90.0, count_in=1)
    beat = 60_000_000 // 90
    events = []
    for k in range(16):
        events += [((4 + k) * beat, "down", 60 + k % 5, 70), ((4 + k) * beat + beat * 9 // 10, "up", 60 + k % 5, 0)]
    for key in (48, 60, 64):
        events += [(20 * beat, "down", key, 70), (20 * beat + beat * 39 // 10, "up", key, 0)]
    at.hear(*sorted(events))
    at.tell(m.StopRecording(25 * beat))
    for size, length in ((1, 8), (0, 4), (-1, 2)):
        at.read(ReadSize(size))  # type: ignore[arg-type]
        assert {ticks for _, ticks, _ in at.notes()[-3:]} == {length}
