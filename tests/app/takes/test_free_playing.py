"""A take played freely: lead-through, pins, what becomes of its time, later takes to its map."""

from __future__ import annotations

import io
import random

import mido
import pytest

from ductus.app import wire as m
from ductus.app.library import Library
from ductus.app.takes.guided_review import openings, untimed_page
from ductus.app.takes.reading_cache import worked_out
from ductus.app.takes.reading_jobs import reading_of
from ductus.app.takes.reading_views import strip_of
from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.errors import BadInput
from ductus.core.pitch.pitches import Pitch
from ductus.core.playback.click import AsWritten, click_plan
from ductus.core.playback.tempo_map import written_tempo_map
from ductus.core.playback.timing import Apart, apart_words
from ductus.core.reading.model import ReadingResult, ReadNote
from ductus.core.reading.page.insertion import page_of
from ductus.core.reading.review.beat_options import (
    ReadAnswer,
    ReadExtent,
    ReadMeter,
    ReadStretch,
    ReadTime,
)
from ductus.core.reading.review.note_options import ReadTuplets
from ductus.core.reading.review.option_base import QUESTIONS
from ductus.core.reading.review.questions import hidden_beat, stray_ends
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.records import KeyChange, MeterChange
from ductus.core.time.meters import Meter, parse_meter
from ductus.core.time.pulse_map import steady_map
from ductus.core.time.ticks import QUARTER
from ductus.demo.keyboard import programme_events
from ductus.formats.midi import write_midi
from tests.app.driving import Sitter


@pytest.fixture
def free(library: Library) -> Sitter:
    return (
        Sitter(library, library.add(new_piece()))
        .perform("otter-freely", qpm=None, shortest=None)
        .read(ReadMeter("6/8"))
    )


def line(at: Sitter) -> str:
    return "".join(p.words for p in at.reading().line)


def question(at: Sitter, name: str) -> m.QuestionFact:
    return next(q for q in at.reading().questions if q.name == name)


def test_the_answer_that_holds_is_shown_as_it_was_read_within_the_whole(
    library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Its beginning is not read again by itself, which could come out otherwise than the page."""
    at = Sitter(library, library.add(new_piece())).perform("otter-freely", qpm=None, shortest=None)

    def refused(*_: object) -> ReadingResult:
        raise BadInput("Nothing is read by itself.")

    monkeypatch.setattr("ductus.app.takes.guided_review.read_head", refused)
    pictures = openings(at.desk, at.reading().id, "meter")
    held = question(at, "meter").chosen
    assert "<svg" in pictures[held]
    assert [p for k, p in enumerate(pictures) if k != held] == [""] * (len(pictures) - 1)


def test_the_lead_through_asks_one_thing_after_the_other(library: Library) -> None:
    at = Sitter(library, library.add(new_piece())).perform("otter-freely", qpm=None, shortest=None)
    assert [q.name for q in at.reading().questions] == ["meter", "size", "first beat", "key", "bar lines"]
    meter = question(at, "meter")
    assert meter.chosen == 0
    at.read(meter.answers[1].do)
    assert "second of 3 readings" in line(at)
    assert (question(at, "meter").answers, question(at, "meter").chosen) == (meter.answers, 1)
    at.read(ReadAnswer("meter"))
    assert at.said == "Meter settled"
    assert next(q.name for q in at.reading().questions) == "size"
    pictures = openings(at.desk, at.reading().id, "size")
    assert openings(at.desk, at.reading().id, "no such question") == []  # answered while the pictures were asked for
    assert len(pictures) == len(question(at, "size").answers)
    assert all("<svg" in p for p in pictures)
    assert len(set(pictures)) > 1
    at.read(ReadAnswer(None))
    assert at.reading().questions == ()
    at.undo()
    assert at.reading().questions
    assert set(QUESTIONS) >= {"ends", "meter"}


def test_the_tempo_of_a_take_is_one_wherever_it_is_said(library: Library) -> None:
    """The printed mark, the line, the strip and the answer that holds.

    The opening beside an answer prints none of its own.
    """
    at = Sitter(library, library.add(new_piece())).perform("otter-freely", qpm=None, shortest=None)
    printed = next(t.bpm for t in at.piece.tempi.values() if t.printed)
    average = strip_of(at.desk, at.reading().id).curve.average
    assert printed == round(average)  # a whole number is printed
    assert f"≈ {round(printed)}" in line(at)
    meter = question(at, "meter")
    assert f"≈ {round(printed)}," in meter.answers[meter.chosen].label
    piece = page_of(worked_out(at.desk, reading_of(at.piece, at.reading().id)).result)
    assert [t.printed for t in untimed_page(piece).tempi.values()] == [False]


def test_a_single_chord_played_freely_is_a_take_like_any(library: Library) -> None:
    at = Sitter(library, library.add(new_piece())).record(qpm=None)
    at.hear(
        (1_000_000, "down", 60, 80), (1_000_000, "down", 64, 80), (1_600_000, "up", 60, 0), (1_600_000, "up", 64, 0)
    )
    at.tell(m.StopRecording(2_000_000))
    assert not at.problems
    assert [(tick, key) for tick, _, key in at.notes()] == [(0, 60), (0, 64)]
    line = "".join(phrase.words for phrase in at.reading().line)
    assert line.startswith("Read take 1 from bar 1, beat 1, in 4/4")


def test_notes_twice_as_long_and_back(free: Sitter) -> None:
    before = sorted((n.tick, n.ticks) for n in free.piece.notes.values())
    tempo = free.piece.tempo_at(0).quarters_per_minute
    double = question(free, "size").answers[1]
    assert double.label.startswith("twice as long")
    free.read(double.do)
    assert question(free, "size").chosen == 1
    assert free.piece.tempo_at(0).quarters_per_minute == pytest.approx(2 * tempo, rel=0.02)
    longer = sum(n.ticks for n in free.piece.notes.values()) / sum(ticks for _, ticks in before)
    assert 1.7 < longer < 2.2
    free.read(question(free, "size").answers[0].do)
    assert sorted((n.tick, n.ticks) for n in free.piece.notes.values()) == before


def test_where_one_is_can_be_answered_and_goes_round(free: Sitter) -> None:
    asked = question(free, "first beat")
    assert len(asked.answers) == 2
    free.read(asked.answers[1 - asked.chosen].do)
    assert question(free, "first beat").chosen == 1 - asked.chosen
    free.read(question(free, "first beat").answers[asked.chosen].do)
    assert question(free, "first beat").chosen == asked.chosen


def test_stray_notes_at_the_ends_are_proposed_to_be_left_out(library: Library) -> None:
    at = Sitter(library, library.add(new_piece())).record(qpm=None)
    late = [(t + 6_000_000, kind, key, value) for t, kind, key, value in programme_events("otter-freely")]
    at.hear((100_000, "down", 40, 50), (300_000, "up", 40, 0), *late)
    at.tell(m.StopRecording(late[-1][0] + 50_000))
    asked = at.reading().questions[0]
    assert asked.name == "ends"
    assert asked.words.startswith("1 note stands apart")
    assert strip_of(at.desk, at.reading().id).music is not None
    notes = len(at.piece.notes)
    at.read(asked.answers[1].do)
    assert len(at.piece.notes) == notes - 1
    assert "its ends left out" in line(at)
    at.read(ReadExtent())
    assert len(at.piece.notes) == notes
    at.read(ReadExtent(50, 40))
    assert "Nothing would be left" in at.problems[-1]


def test_a_free_take_is_not_said_to_have_had_a_click(free: Sitter) -> None:
    assert "from a click at the page's tempo" in strip_of(free.desk, free.reading().id).apart_words
    late = [Apart(1, 0, 30_000), Apart(2, 2880, -10_000)]
    assert apart_words(late, free=False) == "20 ms from the click on average"
    assert apart_words(late[1:], free=True) == "never far from a click at the page's tempo (10 ms on average)"


def test_a_section_after_a_wait_belongs_to_the_music() -> None:
    """Sixteen notes at an end may be somebody trying the keys.

    With one more they are a last section of 17 among 120.
    """

    def played(last: int) -> Take:
        times = [k * 400_000 for k in range(103)] + [103 * 400_000 + 4_000_000 + k * 400_000 for k in range(last)]
        return Take(tuple(PlayedNote(t, t + 300_000, 60 + k % 12, 64) for k, t in enumerate(times)))

    assert stray_ends(played(17)) is None
    assert stray_ends(played(16)) == (0, 102 * 400_000, 16)


def test_a_stretch_holds_so_many_bars(free: Sitter) -> None:
    name = free.reading().id
    beats = [b for b in strip_of(free.desk, name).beats if b[2] is not None]
    strokes = strip_of(free.desk, name).strokes
    first = min(strokes, key=lambda s: abs(s[0] - beats[1][0]))
    last = min(strokes, key=lambda s: abs(s[0] - beats[5][0]))
    free.read(ReadStretch(4), [first[6], last[6]], reading=name)
    curve = {tick: us for us, tick, *_ in strip_of(free.desk, name).beats}
    assert curve[beats[1][1]] == first[0]
    assert curve[beats[5][1]] == last[0]
    free.read(ReadStretch(400), [first[6], last[6]], reading=name)
    assert "beats a minute" in free.problems[-1]


def beats_in_midi(at: Sitter, ticks: list[int]) -> list[float]:
    """Seconds of ticks of the piece in the exported file, as mido computes them."""
    file = mido.MidiFile(file=io.BytesIO(write_midi(at.piece)))
    tempi, now = [], 0
    for message in file.tracks[0]:
        now += message.time
        if message.type == "set_tempo":
            tempi.append((now, message.tempo))
    out = []
    for tick in ticks:
        at_tick = tick * file.ticks_per_beat / QUARTER
        seconds, before, tempo = 0.0, 0.0, 500_000
        for edge, value in tempi:
            if edge >= at_tick:
                break
            seconds += mido.tick2second(edge - before, file.ticks_per_beat, tempo)
            before, tempo = edge, value
        out.append(seconds + mido.tick2second(at_tick - before, file.ticks_per_beat, tempo))
    return out


def test_the_bars_follow_the_player_in_playback_and_in_the_file_and_not_on_the_page(free: Sitter) -> None:
    page = {(n.tick, n.ticks, n.pitch.midi) for n in free.piece.notes.values()}
    name = free.reading().id
    assert "in playback at the tempo found" in line(free)
    choice = next(p for p in free.reading().line if p.name == "what becomes of time").choices[0]
    assert choice.label.startswith("the bars follow me: the page keeps its notes; playback of ")
    free.read(ReadTime("follow"))
    assert "the bars follow me" in line(free)
    assert {(n.tick, n.ticks, n.pitch.midi) for n in free.piece.notes.values()} == page
    assert [t for t in free.piece.tempi.values() if t.printed and t.tick == 0]
    assert sum(t.printed for t in free.piece.tempi.values()) == 1
    start = free.piece.readings[name].start
    last = max(n.tick for n in free.piece.notes.values())
    beats = [(us, tick + start) for us, tick, *_ in strip_of(free.desk, name).beats if 0 <= tick + start <= last]
    first = min(n.tick for n in free.piece.notes.values())
    beats = [b for b in beats if b[1] >= first]
    written = written_tempo_map(free.piece)
    zero = written.time_at(beats[0][1]) - beats[0][0]
    assert all(abs(written.time_at(tick) - zero - us) < 1000 for us, tick in beats)
    seconds = beats_in_midi(free, [tick for _, tick in beats])
    assert all(
        abs((s - seconds[0]) - (us - beats[0][0]) / 1e6) < 0.010 for s, (us, _) in zip(seconds, beats, strict=True)
    )
    assert all(abs(late) < 20_000 for _, _, late in strip_of(free.desk, name).worst)
    free.undo()
    assert len(free.piece.tempi) == 1


def test_one_steady_tempo_rounded_and_the_click_of_a_later_take(free: Sitter) -> None:
    free.read(ReadTime("follow")).read(ReadTime("steady", 100))
    assert [(t.tick, t.bpm, t.printed) for t in free.piece.tempi.values()] == [(0, 100, True)]
    assert "one steady tempo, 100" in line(free)
    assert strip_of(free.desk, free.reading().id).worst
    free.read(ReadTime("follow"))
    plan = click_plan(free.piece, 2, AsWritten(), 1)
    gaps = [b.time_us - a.time_us for a, b in zip(plan.clicks(0, 4), plan.clicks(0, 4)[1:], strict=False)]
    assert len(set(gaps)) > 5  # the click goes with the rubato of the first take
    free.read(ReadTime("steady", 3))
    assert "is no tempo" in free.problems[-1]


def test_only_some_tuplets_may_be_allowed(free: Sitter) -> None:
    free.read(ReadTuplets(True, (3,), "eighth"))
    assert "only triplets, down to eighths in them" in line(free)
    assert free.reading().id


def test_a_take_that_was_wholly_replaced_offers_nothing_and_can_be_written_again(library: Library) -> None:
    at = Sitter(library, library.add(new_piece(bpm=96, meter=None)))
    at.perform("waltz-with-click", qpm=96.0, count_in=2)
    at.perform("waltz-with-click", qpm=96.0, count_in=2)
    from ductus.app.takes.reading_views import all_shown

    assert [r.take for r in all_shown(at.desk)] == [2]
    at.tell(m.WriteTake(1, "p1", 0))
    assert [r.take for r in all_shown(at.desk)] == [1]


def test_taps_are_asked_for_where_syncopation_hides_the_beat() -> None:
    def reading(onsets: list[float]) -> ReadingResult:
        notes = tuple(
            ReadNote(k, round(at * QUARTER), QUARTER // 2, 1, 1, Pitch("C", 0, 4), 70) for k, at in enumerate(onsets)
        )
        return ReadingResult(notes, steady_map(100, 0, 0), Meter(4, 4), 0, 0, "major", "eighth", 0)

    assert hidden_beat(reading([float(k) for k in range(16)])) == ""
    syncopated = [0.0, *(k + 0.5 for k in range(15))]
    assert hidden_beat(reading(syncopated)).startswith("The beat is hidden here: ")


TUNE = ((67, 1.0), (69, 0.5), (71, 0.5), (72, 1.0), (67, 1.0), (65, 0.5), (64, 0.5), (62, 1.0), (64, 2.0))


def played_tune(quarters_per_minute: float) -> list[tuple[int, str, int, int]]:
    """A tune in 4/4 four times over a bass in whole notes, a little unevenly."""
    rng, quarter, out = random.Random(3), 60e6 / quarters_per_minute, []
    at = 0.0
    for key, length in TUNE * 4:
        on = int(1e6 + at * quarter + rng.gauss(0, 15_000))
        out += [(on, "down", key, 80 if at % 4 == 0 else 60), (int(on + length * quarter * 0.9), "up", key, 0)]
        at += length
    for bar in range(8):
        on = int(1e6 + bar * 4 * quarter + rng.gauss(0, 15_000))
        out += [(on, "down", 43 + bar % 3 * 2, 70), (int(on + quarter * 3.5), "up", 43 + bar % 3 * 2, 0)]
    return sorted(out)


@pytest.mark.parametrize(("tempo", "meter"), [(100, "4/4"), (108, "4/4"), (76, "4/4"), (100, "3/4")])
def test_what_an_empty_page_says_is_believed_and_other_bars_are_offered(
    library: Library, tempo: float, meter: str
) -> None:
    at = Sitter(library, library.add(new_piece(meter=parse_meter(meter), bpm=100))).record(qpm=None)
    at.hear(*played_tune(tempo))
    at.tell(m.StopRecording(40_000_000))
    labels = [a.label for a in question(at, "meter").answers]
    assert labels[0].startswith(f"{meter}, ♩ ≈")
    assert abs(float(labels[0].split("≈ ")[1].split(",")[0]) / tempo - 1) < 0.06
    assert len({label.split(",")[0] + label.split(",")[1] for label in labels}) > 1
    assert str(at.piece.timeline.bar(0).meter) == meter
    at.read(ReadMeter(None))  # what the playing shows
    assert str(at.piece.timeline.bar(0).meter) in ("4/4", "2/4")


def test_so_it_is_for_what_comes_from_the_journal_which_is_led_through_too(library: Library) -> None:
    at = Sitter(library, library.add(new_piece(bpm=100)))
    at.hear(*played_tune(100))
    heard = at.tell(m.TellTakes()).latest(m.TakesFact).heard[0]
    at.tell(m.WriteHeard(heard.from_us, heard.to_us, "p1", 0))
    assert str(at.piece.timeline.bar(0).meter) == "4/4"
    assert question(at, "meter").answers[0].label.startswith("4/4, ♩ ≈ 100, 8 bars")
    assert at.latest(m.RecordingFact).take == at.reading().take  # so it is opened


def test_a_frame_that_was_laid_is_kept_when_somebody_plays_freely_over_it(library: Library) -> None:
    piece = new_piece(bpm=100).with_rows(
        [(None, MeterChange("m9", 2, parse_meter("3/4"))), (None, KeyChange("k9", 2, -1))]
    )
    at = Sitter(library, library.add(piece)).record(qpm=None)
    at.hear(*played_tune(100))
    at.tell(m.StopRecording(40_000_000))
    frame = [str(at.piece.timeline.bar(k).meter) for k in range(4)], [at.piece.key_at(k).fifths for k in range(4)]
    assert frame == (["4/4", "4/4", "3/4", "3/4"], [0, 0, -1, -1])
    assert len({n.tick % QUARTER for n in at.piece.notes.values()}) == 2  # quarters and eighths all the same
    at.read(ReadMeter("4/4"))
    assert {str(at.piece.timeline.bar(k).meter) for k in range(4)} == {"4/4"}
