"""A pen stays at its music where bars come in or go before it: its own, and that of another window."""

from __future__ import annotations

import pytest

from ductus.app import wire as m
from ductus.app.library import Library
from ductus.core.entry.commands.pen import PlacePen
from ductus.core.score.structure_edits.bars import InsertBars, RemoveBars
from ductus.core.score.structure_edits.base import FrameEdit
from ductus.demo.scenario import waltz
from tests.app.driving import Sitter


def bar_of(sitter: Sitter) -> int:
    """The number of the bar at the pen."""
    return sitter.piece.timeline.number_of(sitter.piece.timeline.bar_at(sitter.session.state.tick).index)


def at_bar(library: Library, piece: str, number: int) -> Sitter:
    sitter = Sitter(library, piece)
    bar = sitter.piece.timeline.bar(sitter.piece.timeline.index_of(number))
    return sitter.give(PlacePen("p1", 1, bar.start + bar.meter.beat_ticks))


def frame(sitter: Sitter, do: FrameEdit) -> Sitter:
    return sitter.tell(m.EditFrame(sitter.desk.history.revision, do))  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("do", "after"),
    [
        (InsertBars(2, 3), 12),  # three bars before bar 3: the pen goes with bar 9
        (InsertBars(8, 2), 9),  # before the bar at the pen: it stands in the first of them
        (InsertBars(12, 2), 9),  # behind it
        (RemoveBars(1, 2), 7),
        (RemoveBars(12, 13), 9),
        (RemoveBars(7, 10), 8),  # its own bar goes: it stands where what follows begins
    ],
)
def test_the_pen_stays_with_its_music_and_undo_brings_it_back(library: Library, do: FrameEdit, after: int) -> None:
    piece = library.add(waltz())
    sitter = at_bar(library, piece, 9)
    bars = sitter.piece.bar_count
    frame(sitter, do)
    assert bar_of(sitter) == after
    count = getattr(do, "count", 0) or -(getattr(do, "last", 0) - getattr(do, "first", 0) + 1)
    assert sitter.piece.bar_count == bars + count  # no bar is added under a pen that was left behind
    sitter.undo()
    if not (isinstance(do, RemoveBars) and do.first <= 8 <= do.last):
        assert bar_of(sitter) == 9
    assert sitter.piece.bar_count == bars


def test_the_pen_of_another_window_goes_with_its_music_too(library: Library) -> None:
    piece = library.add(waltz())
    mine, other = at_bar(library, piece, 9), at_bar(library, piece, 5)
    frame(mine, InsertBars(0, 2))
    other.session.news()
    assert (bar_of(mine), bar_of(other)) == (11, 7)
