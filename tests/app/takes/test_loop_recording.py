"""Recording round and round: one take for each round, the last whole one on the page, or all of them added."""

from __future__ import annotations

from collections.abc import Sequence

import pytest

from ductus.app import wire as m
from ductus.app.library import Library
from ductus.core.pitch.pitches import parse_pitch
from ductus.core.playback.click import AsWritten, Silence, click_plan
from ductus.core.playback.loop import round_of, takes_of_rounds
from ductus.core.recording.settings import RecordHands, RecordPolicy, RecordUntil
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.records import MeterChange, Note, TempoMark
from ductus.core.time.meters import Meter
from ductus.core.time.ticks import QUARTER
from tests.app.driving import EPOCH_US, Sitter

BEAT_US = 500_000  # at 120


def going_round(library: Library, policy: str, keys: Sequence[int | None], until: int = 1) -> Sitter:
    """A key on each beat (None: silence) round and round over two bars of 4/4, shown beat by beat, stopped a beat
    later.
    """
    at = Sitter(library, library.add(new_piece(bpm=120)))
    at.choose(RecordHands("right"), RecordUntil(until, True), RecordPolicy(policy))  # type: ignore[arg-type]
    at.tell(m.StartRecording(0, 0, EPOCH_US, 0, count_in=0))
    for k, key in enumerate(keys):
        on = k * BEAT_US + 9_000 * (-1) ** k
        at.now_s = max(on, 0) / 1e6
        if key is not None:
            at.hear((max(on, 0), "down", key, 70), (on + 430_000, "up", key, 0))
        at.session.playing.live_step()
    return at


def test_each_round_is_a_take_and_the_last_whole_one_stands_on_the_page(library: Library) -> None:
    at = going_round(library, "replace", [60] * 8 + [62] * 8 + [64] * 3)
    live = at.session.recorder.live
    assert live is not None
    shown = sorted((n.tick / QUARTER, n.pitch.midi) for n in live.page.notes.values())
    assert shown == [(0, 64), (1, 64), (2, 64)]  # the present round, in place of the last
    at.tell(m.StopRecording(19 * BEAT_US))
    assert [t.notes for t in at.desk.takes] == [8, 8, 3]
    assert at.notes() == [(k, 1, 62) for k in range(8)]
    assert any("Take 1 to take 3 are kept, one for each round; take 2 is being read" in s.text for s in at.all(m.Say))
    at.undo()
    assert not at.piece.notes
    assert len(at.desk.takes) == 3


def test_rounds_that_are_added_stand_on_the_page_together(library: Library) -> None:
    at = going_round(library, "add", [60, None, 60, None] * 2 + [None, 64, None, 64] * 2 + [67] + [None] * 7)
    at.tell(m.StopRecording(24 * BEAT_US))
    assert [t.notes for t in at.desk.takes] == [4, 4, 1]
    assert sorted((on, key) for on, _, key in at.notes()) == sorted(
        [(k, 60 if k % 2 == 0 else 64) for k in range(8)] + [(0, 67)]
    )
    assert {n.take for n in at.piece.notes.values()} == {t.id for t in at.desk.takes}
    at.undo()
    assert not at.piece.notes


def test_what_was_played_in_a_round_is_heard_in_the_next_when_it_is_added(library: Library) -> None:
    for policy, keys in (("add", {60}), ("replace", set())):
        at = going_round(library, policy, [60] * 8 + [None])
        at.tell(m.WantClicks(0, 2, 16, None, None))  # bars from the second round on
        heard = at.latest(m.ClicksFact)
        assert (heard.bars, heard.stop_us, heard.round_bars) == (2, None, 2)
        assert {n.key for n in heard.notes} == keys
        assert all(8 * BEAT_US - 1 <= n.onset_us < 16 * BEAT_US for n in heard.notes)
        assert {tick // QUARTER for _, tick in heard.beats} == set(range(9))  # ticks of the page, whichever the round


def test_only_one_unfinished_round_is_written_as_far_as_it_came(library: Library) -> None:
    at = going_round(library, "replace", [60] * 3)
    at.tell(m.StopRecording(3 * BEAT_US))
    assert [on for on, _, _ in at.notes()] == [0, 1, 2]
    assert at.said.startswith("Take 1: 3 notes")


def test_a_round_that_was_cut_off_is_offered_from_the_journal(library: Library) -> None:
    at = going_round(library, "replace", [60] * 8 + [62] * 8 + [None])
    at.session.journal.flush()
    at.session.recorder.recording = None  # the server ended in the middle of it
    at.desk.recording_sessions = 0
    again = Sitter(library, at.piece_id, now_s=60.0)
    (cut,) = again.latest(m.TakesFact).cut_off
    again.tell(m.CutOffTake(cut.recording, "write"))
    assert [t.notes for t in again.desk.takes] == [8, 8]
    assert {key for _, _, key in again.notes()} == {62}


def test_clicks_and_music_go_round_through_changes_of_meter_and_tempo() -> None:
    piece = new_piece(meter=Meter(2, 4), bpm=120)
    piece = piece.with_rows([
        (None, MeterChange("m9", 1, Meter(3, 4))), (None, MeterChange("m10", 2, Meter(4, 4))),
        (None, TempoMark("t9", 2 * QUARTER, 60.0)),
        (None, Note("n1", "p1", 1, 1, 2 * QUARTER, QUARTER, parse_pitch("C4"))),
    ])  # fmt: skip
    plan = click_plan(piece, 0, AsWritten(), 0, round_to=1)
    clicks = plan.clicks(0, 6)
    once = [(0, "bar"), (0.5, "beat"), (1.0, "bar"), (2.0, "beat"), (3.0, "beat")]
    assert [(round(c.time_us / 1e6, 3), c.rank) for c in clicks] == [
        (at + 4.0 * k, rank) for k in range(3) for at, rank in once
    ]
    silent = plan.heard(0, 6, Silence())
    assert [round(n.onset_us / 1e6, 3) for n in silent] == [1.0, 5.0, 9.0]
    assert plan.pulses.time_at(5 * QUARTER * 7) == 28_000_000


def test_a_round_from_a_pick_up_is_refused(library: Library) -> None:
    at = Sitter(library, library.add(new_piece(pickup=QUARTER)))
    at.choose(RecordUntil(2, True))
    at.tell(m.StartRecording(0, 0, EPOCH_US, 0))
    assert "A pick-up is not gone round" in at.problems[-1]


@pytest.mark.parametrize("early_us", [0, 40_000])
def test_a_key_just_before_the_first_beat_belongs_to_the_round_that_begins(early_us: int, library: Library) -> None:
    at = Sitter(library, library.add(new_piece(bpm=120)))
    at.choose(RecordHands("right"), RecordUntil(0, True))
    at.tell(m.StartRecording(0, 0, EPOCH_US, 0, count_in=0))
    at.hear((0, "control", 64, 127), (500_000, "down", 60, 70), (600_000, "up", 60, 0))
    at.hear((2_000_000 - early_us, "down", 62, 70), (2_300_000, "up", 62, 0))
    recording = at.session.recorder.recording
    assert recording is not None
    take = recording.listener.take(3_000_000, recording.pulses())
    rounds = dict(takes_of_rounds(take, round_of(at.piece.timeline, 0, 0)))
    assert [[n.key for n in t.notes] for t in rounds.values()] == [[60], [62]]
    second = rounds[1]
    assert second.notes[0].onset_us == max(-early_us, 0)
    assert second.controls[0].value == 127  # the pedal was down at the seam
    assert second.pulses is not None
    assert second.pulses.time_at(0) == 0


def test_again_drops_all_rounds_from_the_page_and_they_stay_among_the_takes(library: Library) -> None:
    at = going_round(library, "replace", [60] * 8 + [62] * 4)
    at.tell(m.StopRecording(12 * BEAT_US, drop=True))
    assert at.said == "All rounds were dropped; they stay among the takes"
    assert not at.piece.notes
    assert [(t.notes, t.dropped) for t in at.desk.takes] == [(8, True), (4, True)]
