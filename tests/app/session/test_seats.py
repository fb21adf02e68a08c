"""A desk survives its connection: a browser that comes back finds its place, and what it sends again has its effect
once.
"""

from __future__ import annotations

import random
import sqlite3

import pytest

from ductus.app import wire as m
from ductus.app.document.journal_writer import Entry
from ductus.app.library import Library
from ductus.app.session.outbox import Turn
from ductus.app.session.seat import KEPT_S, is_token
from ductus.app.session.session import Session
from ductus.core.capture.takes import Heard
from ductus.core.entry.commands.pen import PenTo, TypedPlace
from ductus.core.entry.commands.step_value import StepBase
from ductus.core.errors import NotKept
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.note_edits.select import Select
from ductus.core.time.ticks import QUARTER
from ductus.store import takes as take_store
from tests.app.driving import EPOCH_US

TOKEN = "a-token-of-a-window-1"


class Window:
    """A browser window: numbers its messages, keeps what is not known to be saved, and can lose the server."""

    def __init__(self, library: Library, piece: str, token: str = TOKEN) -> None:
        self.library, self.piece_id, self.token = library, piece, token
        self.now_s = 0.0
        self.number = 0
        self.queue: dict[int, m.ClientMessage] = {}
        self.facts: list[m.Fact] = []
        self.connect()

    def wall(self) -> float:
        return EPOCH_US / 1e6 + self.now_s

    def connect(self, fresh: bool = False) -> None:
        """A server that knows only what is on disk: as after it was killed and started."""
        desk = self.library.desk(self.piece_id)
        desk.reload()
        desk.recording_sessions = 0
        self.session = Session(desk, self.library.journal, None, lambda: self.now_s, self.wall, self.token)
        self._take(self.session.open(fresh))
        welcome = next(f for f in self.facts if isinstance(f, m.Welcome))
        for number in [n for n in self.queue if n <= welcome.handled]:
            del self.queue[number]
        for number, message in sorted(self.queue.items()):
            self._take(self.session.handle(message, number))

    def _take(self, turn: Turn) -> None:
        self.facts = [s.fact for s in turn.facts]
        for number in [n for n in self.queue if n <= (turn.saved or 0)]:
            del self.queue[number]

    def tell(self, message: m.ClientMessage, heard: bool = True) -> None:
        """Say something; ``heard`` False: the connection is lost and it waits."""
        self.number += 1
        self.queue[self.number] = message
        if heard:
            self._take(self.session.handle(message, self.number))

    def give(self, command: object, heard: bool = True) -> None:
        self.tell(m.Give(command), heard)  # type: ignore[arg-type]

    def press(self, *keys: int, at: int = 1000, heard: bool = True) -> None:
        downs = [m.HeardEvent(at + k, "down", key, 70) for k, key in enumerate(keys)]
        ups = [m.HeardEvent(at + 100_000 + k, "up", key) for k, key in enumerate(keys)]
        self.tell(m.Keys(EPOCH_US, (*downs, *ups), number=self.number + 1), heard)

    @property
    def written(self) -> list[tuple[float, int]]:
        piece = self.library.desk(self.piece_id).piece
        return sorted((n.tick / QUARTER, n.pitch.midi) for n in piece.notes.values())


def test_a_window_that_comes_back_stands_where_it_stood(library: Library) -> None:
    window = Window(library, library.add(new_piece()))
    window.give(TypedPlace("3"))
    window.give(StepBase("eighth"))
    window.give(PenTo(True))
    window.press(60)
    window.session.keep_seat()
    window.connect()
    state = window.session.state
    assert (state.down, state.tick, state.step.base, state.policy) == (
        True,
        8 * QUARTER + QUARTER // 2,
        "eighth",
        "replace",
    )
    assert next(f for f in window.facts if isinstance(f, m.Welcome)) == m.Welcome(TOKEN, 4, True)


def test_what_was_typed_meanwhile_is_written_where_it_was_meant(library: Library) -> None:
    window = Window(library, library.add(new_piece()))
    window.give(PenTo(True))
    window.press(60)
    for k, key in enumerate((62, 64, 65)):
        window.press(key, at=1_000_000 * (k + 1), heard=False)
    window.give(TypedPlace("4"), heard=False)
    window.press(67, at=5_000_000, heard=False)
    window.connect()
    assert window.written == [(0, 60), (1, 62), (2, 64), (3, 65), (12, 67)]


@pytest.mark.parametrize("seed", range(25))
def test_kills_and_lost_connections_lose_nothing_and_write_nothing_twice(library: Library, seed: int) -> None:
    """Random work, with the server killed at random moments, against the same work undisturbed."""
    rng = random.Random(seed)
    disturbed, calm = (Window(library, library.add(new_piece())) for _ in range(2))
    disturbed.token = f"{TOKEN}-{seed}"
    disturbed.connect()
    for window in (disturbed, calm):
        window.give(PenTo(True))
    away = False
    for k in range(40):
        what = rng.random()
        if what < 0.12:
            if away:
                disturbed.connect()
            away = not away
        elif what < 0.2 and not away:
            disturbed.connect()
        elif what < 0.24 and not away:
            disturbed.session.keep_seat()
        keys = rng.sample(range(50, 80), rng.choice((1, 1, 2)))
        command = rng.choice(
            (StepBase("eighth"), StepBase("quarter"), TypedPlace(str(rng.randrange(1, 6))), None, None)
        )
        for window in (disturbed, calm):
            heard = not away or window is calm
            if command is not None:
                window.give(command, heard)
            window.press(*keys, at=1_000_000 * (k + 1), heard=heard)
    disturbed.connect()
    assert disturbed.written == calm.written
    assert disturbed.session.state.tick == calm.session.state.tick


def test_a_recording_goes_on_after_the_server_was_killed(library: Library) -> None:
    window = Window(library, library.add(new_piece()))
    window.tell(m.StartRecording(0, 0, EPOCH_US, 0, freely=True))
    for k in range(6):
        window.press(60 + k, at=500_000 * k)
    library.journal.flush()
    window.now_s = 3.0
    for k in range(6, 9):
        window.press(60 + k, at=500_000 * k, heard=False)
    window.connect()
    assert window.session.recorder.recording is not None
    for k in range(9, 12):
        window.press(60 + k, at=500_000 * k)
    window.tell(m.StopRecording(6_500_000, epoch_us=EPOCH_US))
    (row,) = library.desk(window.piece_id).takes
    assert row.notes == 12
    take = library.desk(window.piece_id).take(row.id)
    assert [n.key for n in take.notes] == list(range(60, 72))
    assert [round(n.onset_us / 500_000) for n in take.notes] == list(range(12))


def test_a_page_that_was_reloaded_keeps_its_own_clock(library: Library) -> None:
    """The event clock of a page begins with the page; the recording has the times of the wall."""
    window = Window(library, library.add(new_piece()))
    window.tell(m.StartRecording(0, 0, EPOCH_US, 0, freely=True))
    window.press(60, at=0)
    window.session.keep_seat()
    window.connect(fresh=True)
    heard = (m.HeardEvent(500_000, "down", 62, 70), m.HeardEvent(600_000, "up", 62))
    window.tell(m.Keys(EPOCH_US + 2_000_000, heard, number=window.number + 1))
    window.tell(m.StopRecording(1_000_000, epoch_us=EPOCH_US + 2_000_000))
    (row,) = library.desk(window.piece_id).takes
    assert [n.onset_us for n in library.desk(window.piece_id).take(row.id).notes] == [0, 2_500_000]


def test_keys_that_were_down_when_a_page_was_reloaded_are_let_go(library: Library) -> None:
    window = Window(library, library.add(new_piece()))
    window.give(PenTo(True))
    window.tell(m.Keys(EPOCH_US, (m.HeardEvent(1000, "down", 60, 70),), number=2))
    window.session.keep_seat()
    window.connect(fresh=True)
    assert window.written == [(0, 60)]


def test_a_token_that_nobody_came_back_to_for_a_day_is_a_new_window(library: Library) -> None:
    window = Window(library, library.add(new_piece()))
    window.give(TypedPlace("3"))
    window.session.keep_seat()
    window.now_s = KEPT_S + 10.0
    window.queue.clear()
    window.connect()
    assert not any(isinstance(f, m.Welcome) and f.resumed for f in window.facts)
    assert window.session.seat.handled == 0


@pytest.mark.parametrize("text", ["", "short", "x" * 65, "a token with blanks!!", "a'; drop table seat; --"])
def test_what_is_no_token_is_refused(text: str) -> None:
    assert not is_token(text)


def test_a_stop_that_the_disk_does_not_take_writes_one_take_when_it_is_tried_again(
    library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = Window(library, library.add(new_piece()))
    window.tell(m.StartRecording(0, 0, EPOCH_US, 0, freely=True))
    window.press(60, at=0)
    real = take_store.set_dropped

    def full(*_: object) -> None:
        raise sqlite3.OperationalError("database or disk is full")

    monkeypatch.setattr(take_store, "set_dropped", full)
    window.tell(m.StopRecording(900_000, drop=True, epoch_us=EPOCH_US))
    assert window.session.blocked
    assert window.session.seat.on_disk < window.number  # the browser holds it until it is on disk
    assert window.session.recorder.recording is not None
    assert library.desk(window.piece_id).takes == ()
    monkeypatch.setattr(take_store, "set_dropped", real)
    window.session.drain()
    rows = library.desk(window.piece_id).takes
    assert [(r.notes, r.dropped) for r in rows] == [(1, True)]


def test_the_clipboard_and_the_selection_come_back(library: Library) -> None:
    window = Window(library, library.add(new_piece()))
    window.give(PenTo(True))
    window.press(60)
    window.press(62, at=2_000_000)
    window.tell(m.SelectNotes(Select("all")))
    ids = tuple(window.session.state.chosen)
    window.tell(m.Clip(library.desk(window.piece_id).history.revision, "copy", ids))
    window.session.keep_seat()
    window.connect()
    assert set(window.session.state.chosen) == set(ids)
    window.give(TypedPlace("3"))
    window.tell(m.Clip(library.desk(window.piece_id).history.revision, "paste"))
    assert [key for _, key in window.written] == [60, 62, 60, 62]


def test_a_seat_that_cannot_be_written_does_not_stop_the_work(
    library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = Window(library, library.add(new_piece()))
    window.give(TypedPlace("3"))

    def refuse(*_: object) -> None:
        raise NotKept("The disk is full, so the library cannot be written.")

    monkeypatch.setattr(library.desk(window.piece_id), "keep_beside", refuse)
    with pytest.raises(NotKept):
        window.session.keep_seat()
    window.session.rest()
    assert window.session.state.tick == 8 * QUARTER


def test_the_journal_goes_on_after_an_entry_that_cannot_be_written(library: Library) -> None:
    piece = library.add(new_piece())
    heard = ((Heard(EPOCH_US, "down", 60, 70, 0), False),)
    library.journal.hear(Entry("no such piece", heard))
    library.journal.hear(Entry(piece, heard))
    assert library.journal.flush()
    library.journal.hear(Entry(piece, ((Heard(EPOCH_US + 1, "up", 60, 0, 0), False),)))
    assert library.journal.flush()
    assert len(library.desk(piece).journal(EPOCH_US - 1, EPOCH_US + 2)) == 2
