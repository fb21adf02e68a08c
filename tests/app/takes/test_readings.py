"""Takes on the page: recorded freely and with the click, read again, doubts decided, undone. A desk without HTTP."""

from __future__ import annotations

import re
from collections.abc import Callable

import pytest

from ductus.app import wire as m
from ductus.app.document.jobs import carry_out
from ductus.app.files.midi_import import bring, onto_shelf
from ductus.app.library import Library
from ductus.app.takes import reading_cache
from ductus.app.takes.reading_cache import ReadingCache
from ductus.app.takes.reading_views import all_shown, strip_of
from ductus.core.capture.takes import Take
from ductus.core.phrases import Phrase
from ductus.core.reading.decoding import decode
from ductus.core.reading.review.beat_options import ReadBar, ReadBeats, ReadMeter, ReadSize, ReadTaps, ReadUnpinned
from ductus.core.reading.review.note_options import ReadDetached, ReadHands, ReadKey, ReadPlainness, ReadShortest
from ductus.core.reading.review.options import read_chosen
from ductus.core.recording.settings import RecordPolicy
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.mark_edits.commands import DropMarks, NudgeMarks
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Reading
from ductus.core.score.note_edits.durations import SetLength
from ductus.core.score.note_edits.pitches import Octave
from ductus.core.score.note_edits.positions import Delete
from ductus.core.score.structure_edits.meter_key_tempo import TempoFrom
from ductus.core.time.meters import Meter
from ductus.core.time.note_values import NoteValue
from ductus.core.time.ticks import QUARTER
from ductus.demo.player import play as perform
from ductus.demo.scenario import waltz
from tests.app.driving import Sitter
from tests.building import midi_of
from tests.core.reading.test_like_doubts import INNER, inner_voice


def onsets(piece: Piece) -> list[tuple[int, int]]:
    return sorted((n.tick, n.pitch.midi) for n in piece.notes.values())


def line(sitter: Sitter) -> str:
    return "".join(p.words for p in sitter.reading().line)


def phrase(sitter: Sitter, name: str) -> m.PhraseFact | Phrase:
    return next(p for p in sitter.reading().line if p.name == name)


@pytest.fixture
def taken(library: Library) -> Sitter:
    """Somebody at a piece into which the waltz was recorded with the click."""
    piece = library.add(new_piece(meter=Meter(3, 4), fifths=-2, bpm=96))
    return Sitter(library, piece).perform("waltz-with-click", qpm=96.0, count_in=2, shortest=None)


def test_the_line_tells_how_a_take_was_read_and_changes_it(taken: Sitter) -> None:
    assert line(taken).startswith(
        "Read take 1 from bar 1, beat 1, in 3/4, in G minor, on average 6 ms behind the click"
    )
    assert "down to eighths" in line(taken)
    assert any(n.ticks == QUARTER // 2 for n in taken.piece.notes.values())
    before = onsets(taken.piece)
    taken.read(ReadShortest("quarter"))
    assert "down to quarters" in line(taken)
    assert taken.said == "Take read again: down to quarters"
    assert all(n.tick % QUARTER == 0 and n.ticks % QUARTER == 0 for n in taken.piece.notes.values())
    taken.read(ReadHands("right"))
    assert "all in the right" in line(taken)
    assert {n.staff for n in taken.piece.notes.values()} == {1}
    taken.undo().undo()
    assert onsets(taken.piece) == before


def test_what_was_put_right_by_hand_stays_when_the_take_is_read_again(taken: Sitter) -> None:
    notes = sorted(taken.piece.notes.values(), key=lambda n: (n.tick, n.pitch.midi))
    moved, gone, renamed = notes[5], notes[9], notes[14]
    taken.edit(SetLength(NoteValue("eighth")), [moved.id])
    taken.edit(Delete(), [gone.id])
    taken.edit(Octave(1), [renamed.id])
    taken.read(ReadDetached("rest"))
    assert "short with rests" in line(taken)
    piece = taken.piece
    assert piece.notes[moved.id].ticks == QUARTER // 2
    assert gone.id not in piece.notes
    assert not any(n.event == gone.event for n in piece.notes.values())
    assert piece.notes[renamed.id].pitch.midi == renamed.pitch.midi + 12


def test_some_notes_are_read_otherwise_and_the_rest_stays(taken: Sitter) -> None:
    bar = Meter(3, 4).bar_ticks
    chosen = [n.id for n in taken.piece.notes.values() if n.tick < 2 * bar]
    rest = {i: n for i, n in taken.piece.notes.items() if n.tick >= 2 * bar}
    taken.read(ReadShortest("quarter"), chosen)
    assert all(taken.piece.notes[i].tick % QUARTER == 0 for i in chosen)
    assert any(n.tick % QUARTER for n in rest.values())
    assert {i: taken.piece.notes[i].tick for i in rest} == {i: n.tick for i, n in rest.items()}
    before = taken.desk.history.revision
    taken.read(ReadMeter("2/4"), chosen)
    assert "belongs to the whole take" in taken.problems[-1]
    assert taken.desk.history.revision == before


def test_a_doubt_is_decided_for_a_rival_and_back_and_settled(taken: Sitter) -> None:
    before = onsets(taken.piece)
    doubt = next(d for d in taken.reading().doubts if len(d.options) > 1)
    assert doubt.chosen == 0
    assert set(doubt.ids) <= set(taken.piece.notes)
    taken.decide("choose", doubt.key, 1)
    assert next(d for d in taken.reading().doubts if d.key == doubt.key).chosen == 1
    taken.decide("choose", doubt.key, 0)
    assert next(d for d in taken.reading().doubts if d.key == doubt.key).chosen == 0
    assert onsets(taken.piece) == before
    taken.decide("settle", doubt.key)
    assert all(d.key != doubt.key for d in taken.reading().doubts)
    assert taken.reading().settled == 1
    taken.decide("settle all")
    assert not taken.reading().doubts
    taken.decide("settle", 999)
    assert "has been settled" in taken.problems[-1]


def test_what_is_said_of_one_doubt_is_said_of_like_places_and_undone_with_it(library: Library) -> None:
    piece, job = onto_shelf(library, bring(midi_of(inner_voice(), 100, (4, 4)), "inner voice.mid"))
    carry_out(library.desk(piece), job)
    sitter = Sitter(library, piece)

    def inner() -> list[int]:
        return [n.staff for n in sitter.piece.notes.values() if n.pitch.midi == INNER]

    before = inner()
    doubts = sitter.reading().doubts
    doubt = [d for d in doubts if any("F 4 in" in words for words, _ in d.options)][1]  # the first is less sure
    option = next(k for k, (words, _) in enumerate(doubt.options) if "F 4 in" in words)
    sitter.decide("choose", doubt.key, option)
    assert re.search(r"and in \d+ like places", sitter.said)
    assert sum(a != b for a, b in zip(before, inner(), strict=True)) > 2
    sitter.undo()
    assert inner() == before
    sitter.decide("settle", doubt.key)
    assert re.search(r"accepted, and in \d+ like place", sitter.said)
    assert len(sitter.reading().doubts) < len(doubts) - 1
    assert inner() == before


def test_a_free_take_gives_an_empty_piece_its_meter_and_offers_rival_readings(library: Library) -> None:
    free = Sitter(library, library.add(new_piece())).perform("otter-freely", qpm=None, shortest=None)
    assert free.reading().free
    readings = phrase(free, "reading of the whole")
    assert len({c.label for c in readings.choices}) == 3
    free.read(ReadMeter("6/8"))
    assert "in 6/8" in line(free)
    assert free.piece.timeline.bar(1).meter == Meter(6, 8)
    assert free.piece.facts.pickup in (QUARTER // 2, 0)
    seconds = [stroke[0] for stroke in strip_of(free.desk, free.reading().id).strokes]
    assert seconds == sorted(seconds)
    tempo = free.piece.tempo_at(0).quarters_per_minute
    slower = next(c for c in phrase(free, "tempo").choices if c.label.startswith("notes half as long"))
    free.read(slower.do)  # type: ignore[arg-type]
    assert abs(free.piece.tempo_at(0).quarters_per_minute / tempo - 0.5) < 0.1
    assert slower.do == ReadSize(-1)
    free.undo()
    assert free.piece.tempo_at(0).quarters_per_minute == tempo
    free.read(ReadKey(-3))
    assert free.piece.key_at(0).fifths == -3
    assert ", in C minor at " in line(free)


def test_taps_are_hints_and_bar_lines_set_by_hand_are_obeyed(library: Library) -> None:
    free = Sitter(library, library.add(new_piece())).perform("otter-freely", qpm=None, shortest=None)
    name = free.reading().id
    strokes = strip_of(free.desk, name).strokes
    lows = sorted({s[0] for s in strokes if s[2] < 52})
    taps = [lows[0] + k * (lows[-1] - lows[0]) // 14 for k in range(15)]
    free.read(ReadTaps(tuple(taps)))
    assert "tapped" in line(free)
    beats = strip_of(free.desk, name).beats
    assert all(min(abs(t - us) for us, *_ in beats) < 120_000 for t in taps if t > lows[0])
    assert not any(by_hand for *_, by_hand in beats)
    bars = [b for b in beats if b[2] is not None]
    second = bars[2]
    free.read(ReadBar(second[1], second[0] + 40_000))
    now = {tick: us for us, tick, *_ in strip_of(free.desk, name).beats}
    assert now[second[1]] == second[0] + 40_000
    assert now[bars[1][1]] == bars[1][0]  # neighbours stay where they were
    assert now[bars[3][1]] == bars[3][0]
    assert "1 set by hand" in line(free)
    free.read(ReadUnpinned())
    assert {tick: us for us, tick, *_ in strip_of(free.desk, name).beats}[second[1]] == second[0]
    free.read(ReadTaps((5,)))
    assert "at least two beats" in free.problems[-1]
    free.read(ReadTaps(()))
    assert "first of 3 readings" in line(free)


def test_a_bar_line_dragged_to_another_beat_leaves_the_bars_before_it_and_counts_from_there(library: Library) -> None:
    free = Sitter(library, library.add(new_piece())).perform("otter-freely", qpm=None, shortest=None)
    free.read(ReadMeter("6/8"))
    name = free.reading().id
    beats = strip_of(free.desk, name).beats
    bars = [b for b in beats if b[2] is not None]
    third = bars[3]
    after = next(b for b in beats if b[0] > third[0])  # the beat behind its bar line
    free.read(ReadBar(third[1], after[0]))
    now = [b for b in strip_of(free.desk, name).beats if b[2] is not None]
    at = {tick: us for us, tick, *_ in now}
    assert at[third[1]] == after[0]
    assert [at[b[1]] for b in bars[1:3]] == [b[0] for b in bars[1:3]]
    old = [us for us, *_ in beats if us > after[0]]
    later = [us for us, tick, *_ in now if tick > third[1]][:3]
    assert all(min(abs(us - o) for o in old) < 2000 for us in later)  # later bar lines lie on beats that were found


def test_a_take_that_was_undone_can_be_put_on_the_page_at_another_place(taken: Sitter) -> None:
    before = onsets(taken.piece)
    taken.tell(m.WriteTake(1, "p1", 0))
    assert "on the page already" in taken.problems[-1]
    taken.undo()
    assert not taken.piece.notes
    taken.tell(m.WriteTake(1, "p1", 4))
    shift = 4 * Meter(3, 4).bar_ticks
    assert onsets(taken.piece) == [(tick + shift, key) for tick, key in before]


def test_an_imported_performance_can_be_undone_and_read_again_after_a_restart(library: Library) -> None:
    data = midi_of(perform(waltz(), range(8), 3, 96), 96, (3, 4))
    piece, job = onto_shelf(library, bring(data, "a.mid"))
    carry_out(library.desk(piece), job)
    first = Sitter(library, piece)
    assert "the beat of its file" in line(first)
    first.read(ReadPlainness(by=1))
    assert "plainer than usual" in line(first)
    first.leave()
    library.close_desk(piece)
    again = Sitter(library, piece)
    assert "plainer than usual" in line(again)
    again.undo().undo()
    assert not again.piece.notes
    assert [t.notes for t in again.desk.takes] == [len(perform(waltz(), range(8), 3, 96))]


def test_ornaments_are_offered_written_as_such_and_taken_back(library: Library) -> None:
    crane = Sitter(library, library.add(new_piece(bpm=84))).perform("crane-with-click", qpm=84.0, shortest=None)
    offers = [d for d in crane.reading().doubts if d.key < 0]
    assert len(offers) == 11
    trill = next(d for d in offers if "trill" in d.options[1][0])
    assert trill.options[0][0] == f"{len(trill.ids)} notes one by one"
    before = onsets(crane.piece)
    crane.decide("choose", trill.key, 1)
    (note,) = [n for n in crane.piece.notes.values() if "trill" in n.signs]
    assert note.ticks == 2 * QUARTER
    crane.read(ReadHands(split=60))
    assert "split at C4" in line(crane)
    assert any("trill" in n.signs for n in crane.piece.notes.values())  # read again, the choice stays
    crane.undo()
    crane.decide("choose", trill.key, 0)
    assert onsets(crane.piece) == before
    crane.decide("settle", trill.key)
    assert all(d.key != trill.key for d in crane.reading().doubts)
    crane.decide("settle", -9999)
    assert "has been settled" in crane.problems[-1]


def test_keys_that_go_on_elsewhere_do_not_make_a_job_begin_again_and_its_own_bars_do(taken: Sitter) -> None:
    """A job is tried again only if its own rows or bars have changed meanwhile."""
    from ductus.app.takes.reading_jobs import reading_otherwise
    from ductus.core.entry.commands.pen import PenTo, TypedPlace

    job = reading_otherwise(taken.desk, taken.reading().id, ReadShortest("quarter"), ())
    tries = []
    work = job.work

    def counted(piece: Piece) -> object:
        change = work(piece)
        tries.append(1)
        if len(tries) == 1:  # while it is worked out, somebody writes far behind the take
            taken.give(TypedPlace("40.1")).give(PenTo(True)).press(72)
        return change

    job.work = counted  # type: ignore[assignment]
    carry_out(taken.desk, job)
    assert len(tries) == 1
    assert any(n.tick > 38 * Meter(3, 4).bar_ticks for n in taken.piece.notes.values())
    first = min(taken.piece.notes.values(), key=lambda n: n.tick)
    again = reading_otherwise(taken.desk, taken.reading().id, ReadShortest("eighth"), ())
    work, tries = again.work, []

    def disturbed(piece: Piece) -> object:
        change = work(piece)
        tries.append(1)
        if len(tries) == 1:
            taken.edit(Octave(1), [first.id])
        return change

    again.work = disturbed  # type: ignore[assignment]
    carry_out(taken.desk, again)
    assert len(tries) == 2
    assert taken.piece.notes[first.id].pitch.midi == first.pitch.midi + 12


def test_an_error_inside_a_job_reaches_the_person(taken: Sitter, monkeypatch: pytest.MonkeyPatch) -> None:
    def broken(*_: object, **__: object) -> object:
        raise ZeroDivisionError

    monkeypatch.setattr("ductus.app.takes.reading_jobs.read_again", broken)
    before = onsets(taken.piece)
    taken.read(ReadShortest("half"))
    assert "went wrong inside Ductus (ZeroDivisionError)" in taken.problems[-1]
    assert onsets(taken.piece) == before


def test_long_reading_says_how_far_it_is_and_can_be_stopped(library: Library) -> None:
    data = midi_of(perform(waltz(), range(16), 3, 96), 96, (3, 4))
    piece, job = onto_shelf(library, bring(data, "a.mid"))
    shares: list[float] = []
    job.told = shares.append
    job.stop()
    from ductus.core.errors import Stopped

    with pytest.raises(Stopped, match="as it was"):
        carry_out(library.desk(piece), job)
    job.stopped = False
    carry_out(library.desk(piece), job)
    assert shares == sorted(shares[:1]) + shares[1:]
    assert len(set(shares)) > 2
    assert library.desk(piece).piece.notes


def test_a_moved_bar_line_reads_only_what_is_near_it(library: Library, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("ductus.core.reading.incremental.LEAST_NOTES", 10)
    monkeypatch.setattr("ductus.core.reading.incremental.MOST_SHARE", 0.8)
    at = Sitter(library, library.add(new_piece(bpm=96, meter=Meter(3, 4))))
    at.perform("waltz-with-click", qpm=96.0, count_in=2, shortest=None)
    bar = [b for b in strip_of(at.desk, at.reading().id).beats if b[2] is not None][4]
    before = {n.event: (n.tick, n.ticks, n.staff) for n in at.piece.notes.values()}
    decoded = []
    monkeypatch.setattr("ductus.core.reading.incremental.decode", lambda *a, **k: decoded.append(a) or decode(*a, **k))
    at.read(ReadBar(bar[1], bar[0] + 120_000))
    assert len(decoded) == 1
    assert len(decoded[0][0].notes) < len(before) * 0.8
    assert {tick: us for us, tick, *_ in strip_of(at.desk, at.reading().id).beats}[bar[1]] == bar[0] + 120_000
    after = {n.event: (n.tick, n.ticks, n.staff) for n in at.piece.notes.values()}
    near = Meter(3, 4).bar_ticks * 3 // 2
    assert all(after[e] == now for e, now in before.items() if abs(now[0] - bar[1]) > near)
    assert any(after[e] != now for e, now in before.items())
    at.read(ReadUnpinned())
    assert {n.event: (n.tick, n.ticks, n.staff) for n in at.piece.notes.values()} == before


@pytest.mark.parametrize("free", [False, True])
def test_what_was_just_read_is_told_without_reading_it_again(
    library: Library, monkeypatch: pytest.MonkeyPatch, free: bool
) -> None:
    times: list[str] = []

    def counted(name: str, really: Callable[..., object]) -> None:
        def call(*args: object, **more: object) -> object:
            times.append(name)
            return really(*args, **more)

        monkeypatch.setattr(f"ductus.app.takes.reading_cache.{name}", call)

    counted("read_chosen", read_chosen)
    counted("outcomes_of", reading_cache.outcomes_of)
    at = Sitter(library, library.add(new_piece(meter=Meter(3, 4), bpm=96)))
    at.perform("otter-freely" if free else "waltz-with-click", qpm=None if free else 96.0, shortest=None)
    told = all_shown(at.desk)
    assert times == ["read_chosen", "outcomes_of"] if free else ["read_chosen"]
    assert all_shown(at.desk) == told
    assert times.count("outcomes_of") == int(free)
    assert at.latest(m.StateFact).read == (at.desk.takes[-1].id,)
    monkeypatch.setattr("ductus.app.takes.reading_views.CACHE", ReadingCache())
    monkeypatch.setattr("ductus.app.takes.reading_cache.CACHE", ReadingCache())
    assert all_shown(at.desk) == told  # the same when it is worked out anew
    at.undo()
    assert at.latest(m.StateFact).read == ()


def test_what_the_players_time_would_move_follows_the_tempo_of_the_page(library: Library) -> None:
    piece, job = onto_shelf(
        library, bring(midi_of(perform(waltz(), range(16), 3, 96, free=True), 120, (4, 4)), "a.mid")
    )
    carry_out(library.desk(piece), job)
    at = Sitter(library, piece)
    at.read(ReadBeats(True))
    before = all_shown(at.desk)
    at.tell(m.EditFrame(at.desk.history.revision, TempoFrom(0, 60.0)))
    after = all_shown(at.desk)
    assert before[0].line != after[0].line
    assert [p.name for p in before[0].line] == [p.name for p in after[0].line]


def test_a_piece_with_many_readings_works_out_each_once(library: Library, monkeypatch: pytest.MonkeyPatch) -> None:
    """A cache of twelve that is gone through as a whole has never what is asked for next."""
    desk = library.desk(library.add(new_piece()))
    readings = [Reading(f"r{k}", 1, "p1", 0, 0, "") for k in range(20)]
    desk.piece = desk.piece.with_rows([(None, r) for r in readings])
    cache, asked = ReadingCache(), []
    for _ in range(2):
        for reading in readings:
            slot = cache._slot(desk, reading.id)
            if slot.outcomes is None:
                asked.append(reading.id)
                slot.outcomes = ((), (), {})
    assert len(asked) == 20


def pedalled(library: Library) -> Sitter:
    """Somebody who played 32 quarters to the click, soft and then loud, with the pedal in every bar."""
    at = Sitter(library, library.add(new_piece(meter=Meter(4, 4), bpm=90)))
    at.record(qpm=90.0, count_in=1)
    beat = 60_000_000 // 90
    events = []
    for k in range(32):
        on = (4 + k) * beat
        events += [(on, "down", 60 + k % 5, 30 if k < 12 else 100), (on + beat * 9 // 10, "up", 60 + k % 5, 0)]
    for bar in range(8):
        on = 4 * (bar + 1) * beat
        events += [(on + 20_000, "control", 64, 127), (on + beat * 39 // 10, "control", 64, 0)]
    at.hear(*sorted(events))
    at.tell(m.StopRecording(40 * beat))
    for what in ("pedal", "dynamics"):
        at.tell(m.MarksFromTake(at.reading().id, what))
    return at


def marks(at: Sitter, kind: str) -> list[tuple[float, float, str]]:
    return sorted((k.tick / QUARTER, k.ticks / QUARTER, k.text) for k in at.piece.marks.values() if k.kind == kind)


def test_marks_of_a_take_go_with_its_notes_when_it_is_read_otherwise(library: Library) -> None:
    at = pedalled(library)
    first = marks(at, "pedal"), marks(at, "dynamic")
    assert first == ([(4.0 * k, 4.0, "") for k in range(8)], [(0.0, 0.0, "pp"), (12.0, 0.0, "f")])
    at.read(ReadSize(1))
    assert marks(at, "pedal") == [(8.0 * k, 8.0, "") for k in range(8)]
    assert marks(at, "dynamic") == [(0.0, 0.0, "pp"), (24.0, 0.0, "f")]
    at.read(ReadSize(-1))
    assert marks(at, "pedal") == [(2.0 * k, 2.0, "") for k in range(8)]
    at.read(ReadSize(0))
    assert (marks(at, "pedal"), marks(at, "dynamic")) == first
    at.undo().undo().undo()
    assert (marks(at, "pedal"), marks(at, "dynamic")) == first


def test_what_a_person_did_with_the_marks_of_a_take_stays(library: Library) -> None:
    at = pedalled(library)
    second, third = sorted((k for k in at.piece.marks.values() if k.kind == "pedal"), key=lambda k: k.tick)[1:3]
    at.tell(m.EditMarks(at.desk.history.revision, DropMarks(), (second.id,)))
    at.tell(m.EditMarks(at.desk.history.revision, NudgeMarks(0, 10), (third.id,)))
    at.read(ReadSize(1))
    assert [tick for tick, *_ in marks(at, "pedal")] == [0.0, 16.0, *(8.0 * k for k in range(3, 8))]
    assert at.piece.marks[third.id].shift == (0, 10)


def test_what_is_added_over_the_same_music_is_not_written_twice(taken: Sitter) -> None:
    many = len(taken.piece.notes)
    taken.choose(RecordPolicy("add")).perform("waltz-with-click", qpm=96.0, count_in=2)
    assert taken.said.endswith(f"0 notes written from bar 1; {many} more notes stood there already")
    assert len(taken.piece.notes) == many


def test_some_notes_of_a_long_take_are_read_again_with_their_neighbours_only(
    library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    at = Sitter(library, library.add(new_piece(meter=Meter(4, 4), bpm=100)))
    at.record(qpm=100.0, count_in=1)
    keys = [k for k in range(8, 1208) for _ in (0, 1)]
    events = [
        (k * 300_000 + up * 250_000, "up" if up else "down", 60 + k % 7, 70)
        for k, up in zip(keys, (0, 1) * 1200, strict=True)
    ]
    at.hear(*events)
    at.tell(m.StopRecording(1210 * 300_000))
    chosen = [n.id for n in sorted(at.piece.notes.values(), key=lambda n: n.tick)][500:512]
    seen: list[int] = []

    def watched(take: Take, *rest: object, **more: object) -> object:
        seen.append(len(take.notes))
        return decode(take, *rest, **more)  # type: ignore[arg-type]

    monkeypatch.setattr("ductus.core.reading.review.options.decode", watched)
    at.read(ReadShortest("quarter"), chosen)
    assert at.said == "12 notes read again: down to quarters"
    assert max(seen) < 450 < len(at.piece.notes)
    assert {at.piece.notes[i].tick % QUARTER for i in chosen} == {0}


def test_marks_of_a_take_know_it_in_a_copy_of_the_piece_too(library: Library) -> None:
    at = pedalled(library)
    copy = Sitter(library, library.copy(at.piece_id))
    assert marks(copy, "pedal") == marks(at, "pedal")
    copy.read(ReadSize(1))
    assert marks(copy, "pedal") == [(8.0 * k, 8.0, "") for k in range(8)]
