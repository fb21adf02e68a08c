"""Edits, questions and the clipboard over very many notes.

Answered at once, worked out beside the keys, true for what was written meanwhile.
"""

from __future__ import annotations

import asyncio
import gc
import json
import sys
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import pytest

from ductus.app import wire as m
from ductus.app.document.jobs import TRIES, Job, PageQuery, answered, carry_out
from ductus.app.library import Library
from ductus.core.entry.commands.pen import PenTo, PlacePen
from ductus.core.errors import BadInput
from ductus.core.score.model.changes import Change, Draft, differences
from ductus.core.score.model.piece import Piece, make_piece, records_of
from ductus.core.score.model.records import Note
from ductus.core.score.note_edits.pitches import ByInterval
from ductus.core.score.note_edits.positions import Delete
from ductus.core.score.note_edits.select import SelectLast
from ductus.core.score.note_edits.sounding import QuantizeInPlace
from ductus.core.score.structure_edits.bars import EmptyBars, InsertBars
from ductus.core.score.structure_edits.base import FrameEdit
from ductus.core.score.structure_edits.meter_key_tempo import KeyFrom, PickUp
from ductus.core.time.ticks import QUARTER
from ductus.web.runtime import for_players
from ductus.web.wire import message_from
from tests.app.driving import Sitter
from tests.building import random_piece

BARS = 80


def notes(piece: Piece) -> list[tuple[int, int, int, str]]:
    return sorted((n.tick, n.ticks, n.pitch.midi, n.part) for n in piece.notes.values())


@pytest.fixture
def sitter(library: Library) -> Sitter:
    found = Sitter(library, library.add(random_piece(7, "4/4", BARS)))
    assert len(found.piece.notes) > 700
    return found


def write_at(sitter: Sitter, bar: int, key: int = 61) -> None:
    """Somebody writes a note at the first beat of a bar."""
    part = next(iter(sitter.piece.parts))
    sitter.give(PlacePen(part, 1, sitter.piece.timeline.bar(bar).start)).give(PenTo(True)).press(key)


def louder(piece: Piece, bars: range = range(BARS)) -> Change:
    inside = [n for n in piece.notes.values() if piece.timeline.bar_at(n.tick).index in bars and n.velocity < 127]
    return Change("louder", tuple((n, replace(n, velocity=127)) for n in inside))


class Interrupted:
    """Work during which something else is written, each time until the list is used up."""

    def __init__(self, work: Callable[[Piece], Change], *meanwhile: Callable[[], None]) -> None:
        self.work, self.meanwhile, self.times = work, list(meanwhile), 0

    def __call__(self, piece: Piece) -> Change:
        self.times += 1
        change = self.work(piece)
        if self.meanwhile:
            self.meanwhile.pop(0)()
        return change


def test_a_key_that_is_struck_meanwhile_costs_no_second_try(sitter: Sitter) -> None:
    work = Interrupted(louder, lambda: write_at(sitter, BARS + 4))
    carry_out(sitter.desk, Job("Making it louder", work))
    assert work.times == 1
    late = [n for n in sitter.piece.notes.values() if n.tick == sitter.piece.timeline.bar(BARS + 4).start]
    assert [n.pitch.midi for n in late] == [61]
    assert sum(n.velocity == 127 for n in sitter.piece.notes.values()) == len(sitter.piece.notes) - 1
    now = notes(sitter.piece)
    sitter.desk.reload()
    assert notes(sitter.piece) == now


def test_keys_that_are_struck_while_it_is_made_ready_are_caught_up_with(
    sitter: Sitter, monkeypatch: pytest.MonkeyPatch
) -> None:
    ready = sitter.desk.made_ready
    times: list[int] = []

    def slowly(change: Change, piece: Piece) -> object:
        step = ready(change, piece)
        times.append(len(change.rows))
        if len(times) == 1:
            for k in range(5):
                write_at(sitter, BARS + 2 + k)
        return step

    monkeypatch.setattr(sitter.desk, "made_ready", slowly)
    carry_out(sitter.desk, Job("Making it louder", louder))
    assert len(times) == 1
    assert sum(n.velocity == 127 for n in sitter.piece.notes.values()) == len(sitter.piece.notes) - 5
    sitter.undo()
    assert max(n.velocity for n in sitter.piece.notes.values()) < 127
    assert sum(n.pitch.midi == 61 and n.tick >= BARS * 4 * QUARTER for n in sitter.piece.notes.values()) == 5
    now = notes(sitter.piece)
    sitter.desk.reload()
    assert notes(sitter.piece) == now


@pytest.mark.parametrize("at", ["work", "ready"])
def test_what_touches_the_same_bars_is_worked_out_again(
    sitter: Sitter, at: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    part = next(iter(sitter.piece.parts))

    def all_deleted(piece: Piece) -> Change:
        return Change("all deleted", tuple((n, None) for n in piece.notes.values()))

    work = Interrupted(all_deleted, *([lambda: write_at(sitter, 3)] if at == "work" else []))
    if at == "ready":
        ready, times = sitter.desk.made_ready, list[float]()

        def slowly(change: Change, piece: Piece) -> object:
            step = ready(change, piece)
            if not times:
                times.append(1)
                write_at(sitter, 3)
            return step

        monkeypatch.setattr(sitter.desk, "made_ready", slowly)
    carry_out(sitter.desk, Job("Deleting", work))
    assert work.times == 2
    assert sitter.piece.notes_between(part, 0, 10**9) == []


def test_new_notes_get_other_ids_than_those_written_meanwhile(sitter: Sitter) -> None:
    def doubled(piece: Piece) -> Change:
        draft = Draft(piece)
        for n in list(piece.notes.values()):
            draft.put(replace(n, id=draft.new_id("n"), voice=n.voice + 2))
        return draft.change("doubled")

    before = len(sitter.piece.notes)
    carry_out(sitter.desk, Job("Doubling", Interrupted(doubled, lambda: write_at(sitter, BARS + 2))))
    assert len(sitter.piece.notes) == 2 * before + 1
    write_at(sitter, BARS + 6)
    assert len(sitter.piece.notes) == 2 * before + 2


def test_a_note_written_while_bars_move_moves_along(sitter: Sitter) -> None:
    insert = Interrupted(InsertBars(2).change, lambda: write_at(sitter, 40))
    carry_out(sitter.desk, Job("Changing the frame", insert))
    assert insert.times == 2
    place = sitter.piece.timeline.bar(41).start
    assert 61 in [n.pitch.midi for n in sitter.piece.notes.values() if n.tick == place and n.staff == 1]


def test_work_that_never_finds_the_page_as_it_left_it_says_so(sitter: Sitter) -> None:
    always = Interrupted(louder, *[lambda: write_at(sitter, 3)] * 20)
    with pytest.raises(Exception, match="the same bars were changed meanwhile"):
        carry_out(sitter.desk, Job("Making it louder", always))
    assert always.times == TRIES


@pytest.mark.parametrize(
    "do",
    [InsertBars(0), PickUp(QUARTER), KeyFrom(0, 3, "major", "up"), EmptyBars(0, BARS - 1)],
    ids=lambda do: type(do).__name__,
)
def test_frames_that_change_many_notes_are_long_work(sitter: Sitter, do: FrameEdit) -> None:
    turn = sitter.session.handle(m.EditFrame(sitter.desk.history.revision, do))  # type: ignore[arg-type]
    assert len(turn.jobs) == 1
    assert not any(isinstance(s.fact, m.StateFact) for s in turn.facts)
    before = notes(sitter.piece)
    sitter._take(turn)
    assert notes(sitter.piece) != before or isinstance(do, PickUp)
    changed = notes(sitter.piece)
    assert sitter.undo().said.startswith("Undone")
    assert notes(sitter.piece) == before
    sitter.redo()
    assert notes(sitter.piece) == changed


def test_frames_that_change_few_notes_are_made_at_once(sitter: Sitter) -> None:
    for do in (KeyFrom(0, 3), EmptyBars(0, 2)):
        assert sitter.session.handle(m.EditFrame(sitter.desk.history.revision, do)).jobs == ()


def test_what_an_edit_of_very_many_notes_would_do_is_answered_beside_the_keys(sitter: Sitter) -> None:
    ids = tuple(sitter.piece.notes)
    weigh = m.WeighNotes(QuantizeInPlace("eighth"), ids)
    assert sitter.session.handle(weigh).question is not None
    turn = sitter.session.handle(m.WeighNotes(QuantizeInPlace("16th"), ids))
    assert turn.question is not None
    assert turn.facts == ()
    sitter._take(turn)
    few = sitter.session.handle(m.WeighNotes(QuantizeInPlace("16th"), ids[:3]))
    assert any(isinstance(s.fact, m.WeighedNotesFact) for s in few.facts)
    assert f"{len(ids):,} notes" in sitter.latest(m.WeighedNotesFact).words
    sitter.tell(m.WeighFrame(InsertBars(0)))
    assert "bar" in sitter.latest(m.WeighedFact).words


@pytest.mark.parametrize(
    ("error", "words"), [(BadInput("No such thing."), "No such thing."), (ValueError(), "went wrong")]
)
def test_a_question_that_cannot_be_answered_is_answered_in_words(
    sitter: Sitter, error: Exception, words: str, caplog: pytest.LogCaptureFixture
) -> None:
    def fails(piece: Piece) -> m.Fact:
        raise error

    fact = answered(sitter.desk, PageQuery("Looking", fails))
    assert isinstance(fact, m.Problem)
    assert words in fact.message


def test_a_browser_may_name_as_many_notes_as_two_hours_have() -> None:
    ids = [f"n{k}" for k in range(60_000)]
    edit = {"type": "edit", "base": 0, "do": {"name": "octave", "by": 1}, "ids": ids, "select": True}
    understood = message_from(json.dumps(edit))
    assert isinstance(understood, m.EditNotes)
    assert len(understood.ids) == 60_000


def test_very_many_notes_are_cut_and_pasted(sitter: Sitter) -> None:
    before = notes(sitter.piece)
    sitter.everything()
    count = len(sitter.selected)
    sitter.clip("cut")
    assert sitter.said == f"{count:,} notes cut"
    assert notes(sitter.piece) == []
    assert sitter.selected == []
    sitter.give(PlacePen(next(iter(sitter.piece.parts)), 1, 0))
    sitter.clip("paste")
    assert notes(sitter.piece) == before
    sitter.undo().undo()
    assert notes(sitter.piece) == before


def test_a_cut_of_very_many_notes_seen_on_an_older_page_is_refused(sitter: Sitter) -> None:
    before = notes(sitter.piece)
    sitter.tell(m.Clip(sitter.desk.history.revision + 1, "cut", tuple(sitter.piece.notes)))
    assert "changed" in sitter.problems[-1]
    assert notes(sitter.piece) == before


def test_edits_after_a_large_one_see_its_notes(sitter: Sitter) -> None:
    sitter.everything().edit(ByInterval(1, 2))
    up = notes(sitter.piece)
    assert set(sitter.selected) == set(sitter.piece.notes)
    sitter.edit(Delete(), list(sitter.piece.notes)[:3])
    sitter.undo()
    assert notes(sitter.piece) == up
    sitter.undo()
    sitter.desk.reload()
    sitter.redo()
    assert notes(sitter.piece) == up


def test_the_last_chords_before_the_pen_are_selected(sitter: Sitter) -> None:
    part = next(iter(sitter.piece.parts))
    here = sitter.piece.timeline.bar(20).start
    mine = [n for n in sitter.piece.notes.values() if n.line == (part, 1, 1) and n.tick < here]
    places = sorted({n.tick for n in mine})
    sitter.give(PlacePen(part, 1, here))
    for count in (1, 7, 10_000):
        sitter.select(SelectLast(count))
        assert set(sitter.selected) == {n.id for n in mine if n.tick in places[-count:]}


def test_differences_of_pieces_make_the_one_the_other() -> None:
    one = random_piece(3, "3/4", 6)
    first: Note = next(iter(one.notes.values()))
    other = one.with_rows(
        [(first, None), (None, replace(first, id="n9999", tick=0)), (one.facts, replace(one.facts, title="Other"))]
    )
    for a, b in ((one, other), (other, one), (one, make_piece(records_of(other)))):
        made = a.with_rows(differences(a, b))
        assert sorted(map(repr, records_of(made))) == sorted(map(repr, records_of(b)))
    assert differences(one, one) == []


def test_the_server_lets_keys_go_first_and_leaves_python_as_it_was(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("ductus.web.runtime.LOOK_S", 0.001)
    monkeypatch.setattr("ductus.web.runtime.WORTH_WHILE", 0)
    collected: list[int] = []
    monkeypatch.setattr(gc, "collect", lambda: collected.append(1) or 0)
    before = sys.getswitchinterval(), gc.get_threshold()
    quiet = [0.0]

    async def served() -> None:
        async with for_players(lambda: quiet[0]):
            assert sys.getswitchinterval() < before[0]
            await asyncio.sleep(0.05)
            assert not collected  # while somebody plays nothing is looked for
            quiet[0] = 60.0
            while not collected:
                await asyncio.sleep(0.01)

    with ThreadPoolExecutor(1) as beside:  # the tests of the browser have a loop in this thread
        beside.submit(lambda: asyncio.run(served())).result()
    assert (sys.getswitchinterval(), gc.get_threshold()) == before
