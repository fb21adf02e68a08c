"""The waltz played freely with a rit. and a pause: asked for, they stand on the page as words and a fermata."""

from __future__ import annotations

import pytest

from ductus.app import wire as m
from ductus.app.document.jobs import carry_out
from ductus.app.files.midi_import import bring, onto_shelf
from ductus.app.library import Library
from ductus.core.capture.takes import PlayedNote
from ductus.core.playback.tempo_map import written_tempo_map
from ductus.core.reading.review.beat_options import ReadBeats, ReadTime
from ductus.core.time.ticks import QUARTER
from ductus.demo.player import play
from ductus.demo.scenario import waltz
from tests.app.driving import Sitter
from tests.building import midi_of

BEAT_US = 60e6 / 96
LONGER = {18: 1.06, 19: 1.14, 20: 1.24, 21: 1.36, 22: 1.5, 23: 1.66, 35: 2.3}  # beat -> times its usual length


def bent(notes: list[PlayedNote]) -> list[PlayedNote]:
    """The same playing with some beats longer."""
    first = notes[0].onset_us
    edges = [float(first)]
    for beat in range(80):
        edges.append(edges[-1] + BEAT_US * LONGER.get(beat, 1))

    def moved(us: int) -> int:
        beats = max((us - first) / BEAT_US, 0)
        k = int(beats)
        return round(edges[k] + (beats - k) * (edges[k + 1] - edges[k]))

    return [PlayedNote(a := moved(n.onset_us), max(moved(n.release_us), a + 30_000), n.key, n.velocity) for n in notes]


@pytest.fixture
def freely(library: Library) -> Sitter:
    piece, job = onto_shelf(library, bring(midi_of(bent(play(waltz(), range(16), 3, 96)), 96, (3, 4)), "freely.mid"))
    carry_out(library.desk(piece), job)
    return Sitter(library, piece).read(ReadBeats(found=True))


def test_a_rit_and_a_pause_are_written_where_they_were_played_and_undone(freely: Sitter) -> None:
    freely.tell(m.MarksFromTake(freely.reading().id, "tempo"))
    assert freely.said == "2 tempo words and 1 fermata written from the take"
    place = freely.piece.timeline.place_words
    found = sorted((mark.tick, mark.text or mark.kind, mark.ticks) for mark in freely.piece.marks.values())
    assert [(place(tick), words, ticks // QUARTER) for tick, words, ticks in found] == [
        ("bar 7, beat 1", "rit.", 6),
        ("bar 9, beat 1", "a tempo", 0),
        ("bar 12, beat 3", "fermata", 0),
    ]
    freely.undo()
    assert not len(freely.piece.marks)


def test_where_playback_follows_the_player_the_words_do_not_slow_it_down_once_more(freely: Sitter) -> None:
    freely.read(ReadTime("follow"))
    before = written_tempo_map(freely.piece, fermatas=True)
    assert any(not t.printed for t in freely.piece.tempi.values())
    freely.tell(m.MarksFromTake(freely.reading().id, "tempo"))
    after = written_tempo_map(freely.piece, fermatas=True)
    end = freely.piece.end
    assert abs(after.time_at(end) - before.time_at(end)) < 0.02 * before.time_at(end)


def test_a_take_without_any_says_so_and_changes_nothing(library: Library) -> None:
    piece, job = onto_shelf(library, bring(midi_of(play(waltz(), range(16), 3, 96), 96, (3, 4)), "even.mid"))
    carry_out(library.desk(piece), job)
    sitter = Sitter(library, piece)
    before = sitter.desk.history.revision
    sitter.tell(m.MarksFromTake(sitter.reading().id, "tempo"))
    assert "There is no rit., accel. or pause in this take" in sitter.problems[-1]
    assert sitter.desk.history.revision == before
