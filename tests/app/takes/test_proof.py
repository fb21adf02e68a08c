"""Proof by playing, at a desk without HTTP.

Followed while it is played, differences decided one by one, undone, and held again after a restart.
"""

from __future__ import annotations

import itertools
from dataclasses import replace

import pytest

from ductus.app import wire as m
from ductus.app.library import Library
from ductus.app.takes.proof import bars_in_words
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note
from ductus.core.time.ticks import QUARTER
from ductus.demo.keyboard import programme_events
from ductus.demo.scenario import jig, waltz
from tests.app.driving import Sitter

FREELY = "waltz-freely"


def planted() -> Piece:
    """The waltz with three errors: a C sharp for a D in bar 2, a note left out in bar 6, one too many in bar 11."""
    piece = waltz()
    notes = sorted(piece.notes.values(), key=lambda n: (n.tick, n.pitch.midi))

    def first_in(bar: int) -> Note:
        return next(n for n in notes if n.tick > (bar - 1) * 3 * QUARTER and n.staff == 1)

    wrong, gone, copied = first_in(2), first_in(6), first_in(11)
    return piece.with_rows(
        [
            (wrong, replace(wrong, pitch=replace(wrong.pitch, alter=wrong.pitch.alter + 1))),
            (gone, None),
            (None, replace(copied, id="n9001", pitch=replace(copied.pitch, octave=copied.pitch.octave + 1))),
        ]
    )


@pytest.fixture
def sitter(library: Library) -> Sitter:
    return Sitter(library, library.add(planted()))


def prove(sitter: Sitter, programme: str = FREELY) -> m.ProofFact:
    """Play a programme of the rehearsal keyboard against the page."""
    sitter.tell(m.StartRecording(0, 0, 1_800_000_000_000_000, 0, proof=True))
    events = programme_events(programme)
    for k in range(0, len(events), 100):
        sitter.hear(*events[k : k + 100])
    sitter.tell(m.StopRecording(events[-1][0] + 100_000))
    return sitter.latest(m.ProofFact)


def written(piece: Piece) -> list[tuple[int, int]]:
    return sorted((n.tick, n.pitch.midi) for n in piece.notes.values())


def test_the_page_follows_and_three_planted_errors_are_found(sitter: Sitter) -> None:
    before = written(sitter.piece)
    proof = prove(sitter)
    followed = [f.tick for f in sitter.all(m.FollowedFact)]
    assert sum(b < a for a, b in itertools.pairwise(followed)) <= 0.05 * len(
        followed
    )  # a wrong note may be taken for the next place
    assert followed[-1] == max(n.tick for n in sitter.piece.notes.values())
    assert [d.kind for d in proof.differences] == ["pitch", "extra", "missing"]
    assert proof.words == "Take 1 against bars 1 to 16: 119 notes agree, 3 places differ"
    assert all(d.ids for d in proof.differences)  # each can be washed on the sheet
    assert written(sitter.piece) == before  # nothing is written until it is said
    assert sitter.latest(m.TakesFact).takes[0].notes == len(waltz().notes)


def test_each_is_taken_over_or_left_and_undone(sitter: Sitter) -> None:
    proof = prove(sitter)
    before = written(sitter.piece)
    pitch, extra, missing = proof.differences
    sitter.tell(m.DecideDifference("take", pitch.key))
    assert [d.kind for d in sitter.latest(m.ProofFact).differences] == ["extra", "missing"]
    assert sitter.said.startswith("bar 2, beat 2")
    sitter.tell(m.DecideDifference("leave", extra.key))
    assert [d.kind for d in sitter.latest(m.ProofFact).differences] == ["missing"]
    assert sitter.latest(m.ProofFact).words.endswith("1 place differs (1 place left as on the page)")
    sitter.undo()
    assert written(sitter.piece) == before
    assert [d.kind for d in sitter.latest(m.ProofFact).differences] == ["pitch", "missing"]
    sitter.tell(m.DecideDifference("take"))
    assert sitter.latest(m.ProofFact).differences == ()
    assert sitter.said == "2 places as played"
    sitter.tell(m.DecideDifference("take", missing.key))
    assert "does not differ any more" in sitter.problems[-1]


def test_all_taken_over_is_the_piece_that_was_played(sitter: Sitter) -> None:
    prove(sitter)
    sitter.tell(m.DecideDifference("take"))
    assert written(sitter.piece) == written(waltz())
    assert "nothing differs" in sitter.latest(m.ProofFact).words


def test_a_kept_take_is_held_against_the_page_after_a_restart(sitter: Sitter) -> None:
    take = prove(sitter).take
    sitter.leave()
    again = Sitter(sitter.library, sitter.piece_id)
    assert not again.all(m.ProofFact)
    again.tell(m.HoldAgainstPage(take, "p1"))
    assert len(again.latest(m.ProofFact).differences) == 3
    again.tell(m.DecideDifference("close"))
    assert again.latest(m.ProofFact).take == 0
    again.tell(m.DecideDifference("leave"))
    assert again.problems[-1].startswith("No proof is open")


def test_bars_are_said_as_musicians_do() -> None:
    assert [bars_in_words(*b) for b in ((1, 16), (3, 3), (0, 8), (0, 0))] == [
        "bars 1 to 16",
        "bar 3",
        "the pick-up to bar 8",
        "the pick-up",
    ]


def test_the_wrong_piece_is_refused_and_its_take_kept(library: Library) -> None:
    sitter = Sitter(library, library.add(jig()))
    proof = prove(sitter)
    assert proof.take == 0
    assert "not what stands on the page" in sitter.problems[-1] or "not found on the page" in sitter.problems[-1]
    assert len(sitter.desk.takes) == 1
    assert written(sitter.piece) == written(jig())


def test_a_proof_that_was_cut_off_is_kept_and_writes_nothing(sitter: Sitter) -> None:
    sitter.tell(m.StartRecording(0, 0, 1_800_000_000_000_000, 0, proof=True))
    sitter.hear(*programme_events(FREELY)[:60])
    before = written(sitter.piece)
    sitter.leave()
    assert len(sitter.desk.takes) == 1
    assert written(sitter.piece) == before
