"""A free take in two tempi, recorded at the desk: the page gets both, undone and redone with it."""

from __future__ import annotations

import pytest

import ductus.app.wire as m
from ductus.app.library import Library
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.time.meters import Meter
from tests.app.driving import Sitter
from tests.core.reading.test_tempo_changes import BARS, QPM, twice


def test_a_free_take_in_two_tempi_is_written_with_two_marks_at_the_desk(library: Library) -> None:
    notes = twice(1.5).notes
    events = [(n.onset_us, "down", n.key, n.velocity) for n in notes]
    events += [(n.release_us, "up", n.key, 0) for n in notes]
    at = Sitter(library, library.add(new_piece(meter=Meter(3, 4)))).record(qpm=None)
    at.hear(*sorted(events, key=lambda e: (e[0], e[1] == "down")))
    at.tell(m.StopRecording(max(n.release_us for n in notes) + 100_000))
    first, second = sorted(at.piece.tempi.values(), key=lambda t: t.tick)
    assert second.quarters_per_minute / first.quarters_per_minute == pytest.approx(1.5, rel=0.08)
    assert first.quarters_per_minute == pytest.approx(QPM, rel=0.06)
    assert abs(at.piece.timeline.bar_at(second.tick).index - BARS) <= 1
    at.undo()
    assert len(at.piece.tempi) == 1
    at.redo()
    assert len(at.piece.tempi) == 2
