"""Takes of the same bars are read together, at a desk without HTTP.

Each further one leaves fewer wrong keys, all can be undone.
"""

from __future__ import annotations

import random
from dataclasses import replace

import pytest

from ductus.app import wire as m
from ductus.app.document.jobs import carry_out
from ductus.app.library import Library
from ductus.app.takes.merging import takes_together
from ductus.app.takes.reading_views import all_shown
from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.errors import BadInput
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.piece import Piece
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import steady_map
from ductus.demo.player import play
from ductus.demo.scenario import jig, waltz
from tests.app.driving import Sitter

BARS, QPM, START_US = range(16), 96.0, 3_000_000


def slipped(seed: int) -> Take:
    """The waltz to the click, with six wrong keys in a hundred."""
    rng = random.Random(seed)
    notes: list[PlayedNote] = []
    for n in play(waltz(), BARS, seed, QPM, start_us=START_US):
        notes.append(replace(n, key=n.key + rng.choice((-1, 1, 2))) if rng.random() < 0.06 else n)
    return Take(tuple(notes), (), steady_map(QPM, 0, START_US))


def corrections(piece: Piece) -> int:
    """Notes of the page that are not in the piece, and the other way round."""
    there = {(n.tick, n.pitch.midi) for n in piece.notes.values()}
    wanted = {(n.tick, n.pitch.midi) for n in waltz().notes.values()}
    return len(there ^ wanted)


@pytest.fixture
def played(library: Library) -> Sitter:
    """A piece with three takes in its margin, of which the first is on the page."""
    piece = library.add(new_piece(meter=Meter(3, 4), fifths=-2, bpm=QPM), [slipped(s) for s in (41, 42, 43)], "click")
    sitter = Sitter(library, piece)
    sitter.tell(m.WriteTake(sitter.desk.takes[0].id, "p1", 0)).waited()
    return sitter


def test_each_further_take_lowers_the_corrections(played: Sitter) -> None:
    first = corrections(played.piece)
    takes = [row.id for row in played.desk.takes]
    assert first >= 6
    played.tell(m.JoinTakes(played.reading().id, (takes[1], takes[2]))).waited()
    assert "read from takes 1, 2 and 3" in played.said
    told = next(r for r in all_shown(played.desk) if r.take == played.desk.takes[-1].id).remarks
    assert all(t.startswith("Bar ") and "of 3 takes" in t for t in told[:4])
    assert "more where the takes differ" in told[4]
    assert "outvoted" in played.said
    assert corrections(played.piece) <= first // 3
    assert len(played.desk.takes) == 4  # the three stay, what they make together is a take of its own
    assert [r.name for r in played.desk.takes] == ["Take 1", "Take 2", "Take 3", "Take 4"]
    played.undo()
    assert corrections(played.piece) == first
    played.redo()
    assert corrections(played.piece) <= first // 3


def test_takes_that_join_one_after_the_other_all_vote(played: Sitter) -> None:
    """Joined one by one they make what they make together: a joined take stands for each of its takes."""
    first = corrections(played.piece)
    takes = [row.id for row in played.desk.takes]
    played.tell(m.JoinTakes(played.reading().id, (takes[1],))).waited()
    assert (
        "left as in the first of them" in played.said
    )  # two takes cannot outvote each other, and nothing else is said
    joined = next(r for r in played.piece.readings.values() if r.take == played.desk.takes[-1].id)
    played.tell(m.JoinTakes(joined.id, (takes[2],))).waited()
    assert "read from takes 1, 2 and 3" in played.said
    told = next(r for r in all_shown(played.desk) if r.take == played.desk.takes[-1].id).remarks
    assert all(t.startswith("Bar ") and "of 3 takes" in t for t in told[:4])
    assert "more where the takes differ" in told[4]
    assert corrections(played.piece) <= first // 3


def test_takes_at_another_tempo_of_the_click_go_together(library: Library) -> None:
    slow = [replace(n, onset_us=n.onset_us * 2, release_us=n.release_us * 2) for n in slipped(42).notes]
    other = Take(tuple(slow), (), steady_map(QPM / 2, 0, START_US * 2))
    piece = library.add(new_piece(meter=Meter(3, 4), fifths=-2, bpm=QPM), [slipped(41), other, slipped(43)], "click")
    sitter = Sitter(library, piece)
    sitter.tell(m.WriteTake(sitter.desk.takes[0].id, "p1", 0)).waited()
    before = corrections(sitter.piece)
    sitter.tell(m.JoinTakes(sitter.reading().id, tuple(r.id for r in sitter.desk.takes[1:]))).waited()
    assert corrections(sitter.piece) <= before // 3


def test_a_take_of_another_piece_is_refused_and_the_page_stays(library: Library) -> None:
    other = Take(tuple(play(jig(), range(9), 3, 120, start_us=START_US)), (), steady_map(120, 0, START_US))
    piece = library.add(new_piece(meter=Meter(3, 4), fifths=-2, bpm=QPM), [slipped(41), other], "click")
    sitter = Sitter(library, piece)
    sitter.tell(m.WriteTake(sitter.desk.takes[0].id, "p1", 0)).waited()
    before = corrections(sitter.piece)
    reading = sitter.reading().id
    with pytest.raises(BadInput, match="does not go with the first"):
        carry_out(sitter.desk, takes_together(sitter.desk, reading, (sitter.desk.takes[1].id,)))
    assert corrections(sitter.piece) == before
    assert len(sitter.desk.takes) == 2


def test_one_take_alone_is_refused(played: Sitter) -> None:
    take = played.desk.takes[0].id
    with pytest.raises(BadInput, match="nothing to be joined with"):
        takes_together(played.desk, played.reading().id, (take,))
