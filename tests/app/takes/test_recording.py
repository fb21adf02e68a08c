"""Recordings at a desk: where they go, what they follow, what becomes of them."""

from __future__ import annotations

import random
from dataclasses import replace

import pytest

from ductus.app import wire as m
from ductus.app.library import Library
from ductus.core.entry.commands.pen import PenTo, ToVoice
from ductus.core.errors import BadInput
from ductus.core.playback.click import AsWritten, OneTempo, click_plan
from ductus.core.recording.settings import (
    RecordClick,
    RecordCountIn,
    RecordHands,
    RecordHear,
    RecordOn,
    RecordPolicy,
    RecordTempo,
    RecordUntil,
)
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import KeyChange, MeterChange, TempoMark
from ductus.core.score.structure_edits.split_bars import CutBar
from ductus.core.time.meters import Meter
from ductus.core.time.ticks import QUARTER
from tests.app.driving import EPOCH_US, Sitter

EIGHTH = QUARTER // 2


def changing() -> Piece:
    """An eighth of pick-up in 6/8, two bars of 3/4 from bar 3 (faster, in D), 6/8 again from bar 5."""
    piece = new_piece(meter=Meter(6, 8), pickup=EIGHTH, bpm=90)
    bar = piece.timeline.index_of
    piece = piece.with_rows(
        [(None, MeterChange("m3", bar(3), Meter(3, 4))), (None, MeterChange("m5", bar(5), Meter(6, 8)))]
    )
    rows: list[tuple[None, KeyChange | TempoMark]] = [
        (None, KeyChange("k3", bar(3), 2)),
        (None, TempoMark("t3", piece.timeline.bar(bar(3)).start, 132.0)),
    ]
    return piece.with_rows(rows)


def tune(piece: Piece) -> list[tuple[int, int, int]]:
    """(tick, ticks, key): eighths in the compound bars, quarters in the simple ones, from the pick-up on."""
    out = [(0, EIGHTH, 67)]
    for number in range(1, 7):
        bar = piece.timeline.bar(piece.timeline.index_of(number))
        step = EIGHTH if bar.meter.compound else QUARTER
        out += [(bar.start + k * step, step, 60 + (number + 2 * k) % 12) for k in range(bar.ticks // step)]
    return out


def played(at: Sitter, notes: list[tuple[int, int, int]], count_in: int, seed: int = 3, late_us: int = 0) -> Sitter:
    """Play written notes against the click as a person would, and stop."""
    first = at.session.recorder.recording
    assert first is not None
    assert first.clicks is not None
    rng = random.Random(seed)
    events = []
    for tick, ticks, key in notes:
        on = first.clicks.time_of(tick) + late_us + round(rng.gauss(0, 12_000))
        off = first.clicks.time_of(tick + ticks) + late_us - 25_000
        events += [(max(on, 0), "down", key, 70), (off, "up", key, 0)]
    events.sort(key=lambda e: (e[0], e[1] == "down"))
    at.hear(*events)
    return at.tell(m.StopRecording(events[-1][0] + 50_000))


def test_a_take_over_changes_of_meter_key_and_tempo_is_written_as_it_was(library: Library) -> None:
    piece = changing()
    at = Sitter(library, library.add(piece))
    at.choose(RecordHands("right")).tell(m.StartRecording(0, 0, EPOCH_US, 0))
    played(at, tune(piece), 2)
    assert [(n.tick, n.ticks, n.pitch.midi) for n in sorted(at.piece.notes.values(), key=lambda n: n.tick)] == tune(
        piece
    )
    assert at.piece.timeline.meters == piece.timeline.meters


def test_a_take_at_half_tempo_is_written_the_same(library: Library) -> None:
    piece = changing()
    for tempo in (AsWritten(50), AsWritten(137.5), OneTempo(80)):
        at = Sitter(library, library.add(piece))
        at.choose(RecordHands("right"), RecordTempo(tempo)).tell(m.StartRecording(0, 0, EPOCH_US, 0))
        played(at, tune(piece), 2)
        assert sorted((n.tick, n.ticks, n.pitch.midi) for n in at.piece.notes.values()) == sorted(tune(piece))


def quarters(*keys: int, start: int = 0) -> list[tuple[int, int, int]]:
    return [((start + k) * QUARTER, QUARTER, key) for k, key in enumerate(keys)]


def written(library: Library) -> Sitter:
    """Four bars of quarters in the right hand."""
    at = Sitter(library, library.add(new_piece(bpm=100)))
    at.choose(RecordHands("right")).tell(m.StartRecording(0, 0, EPOCH_US, 0))
    return played(at, quarters(*range(60, 76)), 2)


def test_punching_in_leaves_the_music_around_it_alone(library: Library) -> None:
    at = written(library)
    at.choose(RecordUntil(2)).tell(m.StartRecording(0, 0, EPOCH_US, 1))
    played(at, quarters(*([48] * 16)), 2)  # plays on, before and after the span
    assert [key for _, _, key in at.notes()] == [60, 61, 62, 63, *[48] * 8, 72, 73, 74, 75]


def test_what_is_recorded_is_added_or_replaces(library: Library) -> None:
    at = written(library)
    at.choose(RecordPolicy("add")).tell(m.StartRecording(0, 0, EPOCH_US, 0))
    played(at, quarters(48, 50), 2)
    assert len(at.piece.notes) == 18
    assert {(n.tick, n.ticks) for n in at.piece.notes.values() if n.pitch.midi < 55} == {
        (0, QUARTER),
        (QUARTER, QUARTER),
    }
    at.choose(RecordPolicy("replace")).tell(m.StartRecording(0, 0, EPOCH_US, 0))
    played(at, quarters(72, 74, 76, 77), 2)
    assert [key for tick, _, key in at.notes() if tick < 4] == [72, 74, 76, 77]


def test_a_recording_goes_into_the_voice_of_the_pen(library: Library) -> None:
    at = written(library)
    at.give(ToVoice(2)).tell(m.StartRecording(0, 0, EPOCH_US, 0))
    played(at, quarters(50, 52, 53, 55), 2)
    voices = {n.voice for n in at.piece.notes.values() if n.pitch.midi < 60}
    assert voices == {2}
    assert len([n for n in at.piece.notes.values() if n.voice == 1]) == 16


def test_the_compensation_of_the_delay_test_is_used(library: Library) -> None:
    """Half a sixteenth at 120 is 62.5 ms (arithmetic).

    Later than that a note belongs to the next sixteenth, unless the delay is known.
    """
    at = Sitter(library, library.add(new_piece(bpm=120)))
    at.tell(m.SetDelay(110_000))
    assert at.said == "From now on your notes are read 110 ms earlier than they arrive"
    at.choose(RecordHands("right")).tell(m.StartRecording(0, 0, EPOCH_US, 0))
    played(at, quarters(60, 62, 64, 65), 2, late_us=110_000)
    assert at.notes() == [(0, 1, 60), (1, 1, 62), (2, 1, 64), (3, 1, 65)]


def test_what_is_heard_with_a_recording(library: Library) -> None:
    at = written(library)
    at.tell(m.WantClicks(1, 0, 3))
    told = at.latest(m.ClicksFact)
    assert told.lead_us == 4 * 2 * 600_000
    assert [n.key for n in told.notes] == []  # a count-in of two bars has no bars before bar 2 to be heard
    at.choose(RecordCountIn(1)).tell(m.WantClicks(1, 0, 3))
    assert [n.key for n in at.latest(m.ClicksFact).notes] == [60, 61, 62, 63]
    at.choose(RecordHear(False, False), RecordPolicy("add")).tell(m.WantClicks(1, 0, 3))
    assert [n.key for n in at.latest(m.ClicksFact).notes] == list(range(64, 72))


def test_clicks_go_on_behind_the_last_bar(library: Library) -> None:
    at = Sitter(library, library.add(new_piece(bpm=100))).tell(m.StartRecording(0, 0, EPOCH_US, 0))
    at.tell(m.WantClicks(0, 600, 16))
    told = at.latest(m.ClicksFact)
    assert len(told.clicks) == 64
    assert told.clicks[0].time_us == 600 * 4 * 600_000


def test_the_line_of_a_recording_says_what_it_does(library: Library) -> None:
    at = Sitter(library, library.add(changing()))

    def line() -> str:
        return "".join(p.words for p in at.latest(m.RecordLineFact).line)

    at.choose(RecordOn())
    assert line() == (
        "Record into piano, split between the hands, from the pick-up on, with the click after 2 bars of "
        "count-in at the written "
        "tempi, from ♩. = 90, with the score playing along, shortest note: 16th; it replaces what is there; it sounds "
        "as written."
    )
    at.choose(
        RecordHands("right"), RecordUntil(4), RecordTempo(AsWritten(50)), RecordCountIn(None), RecordPolicy("add")
    )
    assert "right hand, from the pick-up" in line()
    assert "to bar 4" in line()
    assert "from the first key on at 50 % of the written tempi, ♩. = 45" in line()
    assert "is added to what is there" in line()
    at.choose(RecordTempo(OneTempo(90)))
    assert "at one tempo, ♩. = 60" in line()


def test_how_recordings_are_made_comes_back(library: Library) -> None:
    at = Sitter(library, library.add(new_piece())).choose(RecordOn(), RecordTempo(AsWritten(70)), RecordPolicy("add"))
    at.leave()
    again = Sitter(library, at.piece_id).latest(m.RecordLineFact)
    assert again.on
    assert again.tempo == AsWritten(70)


def test_a_tempo_that_nobody_can_play_to_is_refused(library: Library) -> None:
    at = Sitter(library, library.add(new_piece()))
    for tempo in (OneTempo(0), OneTempo(401), AsWritten(5)):
        at.choose(RecordTempo(tempo))
        assert "The tempo stays." in at.problems[-1]
        with pytest.raises(BadInput):
            click_plan(new_piece(), 0, tempo, 1)
    assert at.latest(m.RecordLineFact).tempo == AsWritten()


def test_a_pen_that_is_down_and_a_recording_do_not_write_twice(library: Library) -> None:
    at = Sitter(library, library.add(new_piece(bpm=100))).give(PenTo(True))
    at.tell(m.StartRecording(0, 0, EPOCH_US, 0))
    played(at, quarters(60, 62), 2)
    assert [key for _, _, key in at.notes()] == [60, 62]


def journal(at: Sitter) -> list[tuple[int, int]]:
    """(seconds since the epoch of the tests, notes) of what stands in the journal."""
    at.tell(m.TellTakes())
    return [((h.from_us - EPOCH_US) // 1_000_000, h.notes) for h in at.latest(m.TakesFact).heard]


def strike(at: Sitter, second: int, *keys: int, only_sound: bool = False) -> None:
    for k, key in enumerate(keys):
        on = second * 1_000_000 + k * 400_000
        at.hear((on, "down", key, 70), (on + 300_000, "up", key, 0), only_sound=only_sound)


def test_what_was_heard_and_not_written_stands_in_the_journal_until_it_is_written_or_dropped(library: Library) -> None:
    at = Sitter(library, library.add(new_piece(bpm=100)))
    strike(at, 1, 60, 62, 64)
    strike(at, 30, 65, 67)
    at.give(PenTo(True))
    strike(at, 60, 72)  # written at the pen
    strike(at, 90, 74, only_sound=True)  # during playback: heard only
    assert journal(at) == [(90, 1), (30, 2), (1, 3)]
    again = Sitter(library, at.piece_id, 200.0)
    first = again.latest(m.TakesFact).heard[-1]
    again.tell(m.WriteHeard(first.from_us, first.to_us, "p1", 4))
    assert [t.source for t in again.latest(m.TakesFact).takes] == ["journal"]
    assert sorted(n.pitch.midi for n in again.piece.notes.values() if n.take) == [60, 62, 64]
    assert journal(again) == [(90, 1), (30, 2)]
    second = again.latest(m.TakesFact).heard[-1]
    again.tell(m.DropHeard(second.from_us, second.to_us))
    assert journal(again) == [(90, 1)]
    again.tell(m.WriteHeard(5, 6, "p1", 0))
    assert "Nothing was heard there" in again.problems[-1]


def test_what_a_recording_keeps_does_not_stand_in_the_journal(library: Library) -> None:
    at = Sitter(library, library.add(new_piece(bpm=100)))
    at.record(qpm=100.0)
    played(at, quarters(60, 62), 2)
    assert journal(at) == []


def test_a_dropped_recording_that_was_cut_off_stays_in_the_journal(library: Library) -> None:
    at = Sitter(library, library.add(new_piece(bpm=100))).record()
    strike(at, 6, 60, 62)
    library.journal.flush()
    at.desk.recording_sessions = 0
    again = Sitter(library, at.piece_id, 60.0)
    (cut,) = again.latest(m.TakesFact).cut_off
    assert journal(again) == []
    again.tell(m.CutOffTake(cut.recording, "drop"))
    assert journal(again) == [(6, 2)]


def test_a_click_that_goes_with_the_player_follows_a_slower_one(library: Library) -> None:
    """A player at 88 against a click at 100.

    A steady click is soon beats away, one that bends stays near, and the take is written all the same.
    """
    for bends in (True, False):
        at = Sitter(library, library.add(new_piece(bpm=100)))
        at.choose(RecordHands("right"), RecordClick("bends" if bends else "steady"))
        at.tell(m.StartRecording(0, 0, EPOCH_US, 0))
        recording = at.session.recorder.recording
        assert recording is not None
        assert recording.clicks is not None
        on, apart = recording.clicks.lead_us, []
        for k in range(24):
            at.now_s = on / 1e6
            at.hear((on, "down", 60 + k % 5, 70), (on + 400_000, "up", 60 + k % 5, 0))
            at.session.playing.live_step()
            apart.append(abs(recording.clicks.time_of(k * QUARTER) - on))
            on += round(60e6 / 88)
        at.tell(m.StopRecording(on))
        assert (max(apart[4:]) < 130_000) == bends
        if bends:
            assert [tick for tick, _, _ in at.notes()] == list(range(24))


@pytest.mark.parametrize("stood", [0, QUARTER // 2])
def test_a_bar_that_reads_otherwise_than_while_it_was_played_is_named(library: Library, stood: int) -> None:
    """``stood``: how much later a note of bar 2 stood on the page than the reading of the whole puts it."""
    at = Sitter(library, library.add(new_piece(bpm=100)))
    at.choose(RecordHands("right")).tell(m.StartRecording(0, 0, EPOCH_US, 0, count_in=0))
    for k in range(16):
        on = k * 600_000
        at.now_s = on / 1e6
        at.hear((on, "down", 60 + k % 5, 70), (on + 550_000, "up", 60 + k % 5, 0))
        at.session.playing.live_step()
    live = at.session.recorder.live
    assert live is not None
    assert set(live.passed()) == set(range(12))  # bar 4 was not over
    live._notes[5] = replace(live._notes[5], tick=5 * QUARTER + stood)
    at.tell(m.StopRecording(16 * 600_000))
    assert [tick for tick, _, _ in at.notes()] == list(range(16))
    assert ("; bar 2 reads otherwise than while you played" in at.said) == bool(stood)
    at.undo().redo()
    assert "otherwise" not in at.said


# --- bad input ------------------------------------------------------------------------------------


def test_a_key_that_is_held_over_the_stop_ends_there(library: Library) -> None:
    at = Sitter(library, library.add(new_piece(bpm=60))).record(qpm=60.0, count_in=0)
    at.hear((0, "down", 60, 70)).tell(m.StopRecording(2_000_000))
    (take,) = at.desk.takes
    assert take.length_us == 2_000_000
    at.hear((9_000_000, "up", 60, 0))
    assert at.notes() == [(0, 2, 60)]


def test_nothing_played_and_one_note(library: Library) -> None:
    at = Sitter(library, library.add(new_piece(bpm=100)))
    at.record(qpm=100.0).tell(m.StopRecording(5_000_000))
    assert at.said == "Nothing was heard, so nothing was written"
    assert at.desk.takes == ()
    at.record(qpm=None).hear((700_000, "down", 64, 70), (1_200_000, "up", 64, 0)).tell(m.StopRecording(1_500_000))
    assert [key for _, _, key in at.notes()] == [64]
    assert not at.problems


def test_a_clock_that_jumps_backwards_loses_nothing_and_forwards_neither(library: Library) -> None:
    at = Sitter(library, library.add(new_piece(bpm=100))).record(qpm=100.0)
    at.hear((6_000_000, "down", 60, 70), (6_300_000, "up", 60, 0))
    at.hear((2_000_000, "down", 62, 70), (2_100_000, "up", 62, 0))
    at.hear((90_000_000_000, "down", 64, 70), (90_000_300_000, "up", 64, 0))
    at.tell(m.StopRecording(90_000_400_000))
    assert [t.notes for t in at.desk.takes] == [3]
    assert len(at.piece.notes) in (0, 3)  # a page a day long is refused in words
    assert bool(at.problems) == (len(at.piece.notes) == 0)


def test_a_tab_that_was_hidden_for_a_minute_sends_its_notes_late_and_they_stand_where_they_were_played(
    library: Library,
) -> None:
    piece = changing()
    at = Sitter(library, library.add(piece))
    at.choose(RecordHands("right")).tell(m.StartRecording(0, 0, EPOCH_US, 0))
    at.now_s = 60.0
    at.session.playing.live_step()
    played(at, tune(piece), 2)
    assert len(at.piece.notes) == len(tune(piece))


def test_keys_that_no_drum_of_a_kit_has_stop_nothing_while_it_is_played(library: Library) -> None:
    at = Sitter(library, library.add(new_piece("keys", parts=("Drum kit",)))).record(count_in=0)
    beat = 625_000
    at.hear((beat, "down", 20, 80), (beat + 90_000, "up", 20, 0))
    at.now_s = 2.0
    at.session.playing.live_step()
    at.hear((4 * beat, "down", 38, 80), (4 * beat + 90_000, "up", 38, 0))
    at.now_s = 4.0
    at.session.playing.live_step()
    assert [n.event for n in at.session.recorder.live.reading.notes] == [1]  # type: ignore[union-attr]


def test_two_browsers_record_at_one_desk_and_both_takes_are_kept(library: Library) -> None:
    first = Sitter(library, library.add(new_piece(bpm=100)))
    second = Sitter(library, first.piece_id)
    first.record(qpm=100.0)
    second.record(qpm=100.0)
    for at, key in ((first, 60), (second, 64)):
        at.hear((5_000_000, "down", key, 70), (5_500_000, "up", key, 0))
    first.tell(m.StopRecording(6_000_000))
    second.tell(m.StopRecording(6_000_000))
    assert [t.notes for t in first.desk.takes] == [1, 1]
    assert not first.problems + second.problems


def test_a_span_before_the_pen_is_left_aside_and_a_device_that_goes_ends_its_keys(library: Library) -> None:
    at = written(library)
    at.choose(RecordUntil(0)).tell(m.StartRecording(0, 0, EPOCH_US, 2))
    played(at, quarters(48, 50, start=8), 2)
    assert [key for tick, _, key in at.notes() if tick >= 8][:2] == [48, 50]


def test_a_key_asks_the_disk_for_nothing_to_say_the_line_of_a_recording(
    library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What failed after the note was written would make the session try the key again, and write it twice."""
    at = Sitter(library, library.add(new_piece())).choose(RecordOn()).give(PenTo(True))
    monkeypatch.setattr(at.desk, "look_up_late_us", lambda: pytest.fail("the disk was asked"))
    at.press(60)
    assert len(at.notes()) == 1
    assert at.latest(m.RecordLineFact).late_us == 0


def test_a_take_from_the_middle_of_a_bar_that_is_cut_leaves_its_first_part_alone(library: Library) -> None:
    """The second half of a dance with a pick-up is recorded from its own pick-up on."""
    at = written(library)
    at.tell(m.EditFrame(at.desk.history.revision, CutBar(1, 4)))
    at.choose(RecordHands("right")).tell(m.StartRecording(0, 0, EPOCH_US, 2))
    played(at, quarters(48, 50, 52, 53, 55, start=7), 2)
    assert [(tick, key) for tick, _, key in at.notes()] == [
        *((k, 60 + k) for k in range(7)), *((7 + k, key) for k, key in enumerate((48, 50, 52, 53, 55))),
        *((k, 60 + k) for k in range(12, 16)),
    ]  # fmt: skip


def test_a_take_over_a_bar_that_is_cut_is_written_as_it_was(library: Library) -> None:
    at = written(library)
    at.tell(m.EditFrame(at.desk.history.revision, CutBar(1, 3.5)))
    at.choose(RecordHands("right")).tell(m.StartRecording(0, 0, EPOCH_US, 0))
    tune = quarters(*range(72, 88))
    played(at, tune, 2)
    assert [(tick * QUARTER, ticks * QUARTER, key) for tick, ticks, key in at.notes()] == tune
