"""Selecting, editing, copying and the ways of entry over the WebSocket, as the browser does it."""

from __future__ import annotations

import time
from collections.abc import Iterator

import pytest
from starlette.testclient import TestClient

from ductus.app.library import Library
from ductus.core.score.layouts import new_piece
from ductus.core.score.piece import Piece
from ductus.core.time.ticks import QUARTER
from ductus.demo.scenario import waltz
from tests.web.test_socket import Browser, desk


class At:
    """A browser at a desk, and the piece as the server has it."""

    def __init__(self, browser: Browser, library: Library, piece_id: str) -> None:
        self.browser, self._library, self._id = browser, library, piece_id

    @property
    def piece(self) -> Piece:
        return self._library.desk(self._id).piece

    @property
    def said(self) -> str:
        return str(self.browser.latest["say"]["text"])

    @property
    def selected(self) -> list[str]:
        return list(self.browser.latest["selection"]["ids"])

    def command(self, name: str, argument: str = "", at_us: int = 0) -> None:
        self.browser.ask(type="command", name=name, argument=argument, at_us=at_us)

    def edit(self, name: str, argument: str = "", ids: list[str] | None = None) -> None:
        base = self.browser.latest["state"]["revision"]
        self.browser.ask(
            type="edit", name=name, argument=argument, base=base, ids=self.selected if ids is None else ids
        )

    def notes(self) -> list[tuple[float, float, int]]:
        return sorted((n.tick / QUARTER, n.ticks / QUARTER, n.pitch.midi) for n in self.piece.notes.values())


@pytest.fixture
def at(client: TestClient, library: Library) -> Iterator[At]:
    """An empty piece, pen down."""
    piece_id = library.add(new_piece())
    with desk(client, piece_id) as socket:
        browser = Browser(socket)
        browser.until("pen")
        made = At(browser, library, piece_id)
        made.command("pen", "down")
        yield made


def test_a_selection_is_answered_with_ids_and_words(at: At) -> None:
    for key in (60, 62, 64):
        at.browser.press(key)
    at.browser.ask(type="select", what="last 2")
    assert len(at.selected) == 2
    assert at.said == "2 notes selected: D 4 and E 4"
    at.browser.ask(type="select", what="below C2")
    assert at.said == "Nothing there to select"


def test_edits_go_through_history_and_keep_the_selection(at: At) -> None:
    at.browser.press(60)
    at.browser.ask(type="select", what="all")
    chosen = at.selected
    at.edit("octave", "1")
    assert at.notes() == [(0, 1, 72)]
    assert at.selected == chosen
    assert at.browser.latest["state"]["undo"] == "1 note up an octave"
    at.browser.ask(type="undo", base=at.browser.latest["state"]["revision"])
    assert at.notes() == [(0, 1, 60)]


def test_copy_paste_and_repeat_over_the_wire(at: At) -> None:
    for key in (60, 64, 67, 72):
        at.browser.press(key)
    at.browser.ask(type="select", what="all")
    at.edit("copy")
    assert at.said == "4 notes copied"
    at.edit("paste")
    assert at.notes()[4:] == [(4, 1, 60), (5, 1, 64), (6, 1, 67), (7, 1, 72)]
    at.edit("repeat", "2")
    assert len(at.notes()) == 12


def test_a_stale_edit_is_refused_and_the_new_state_is_shown(at: At) -> None:
    at.browser.press(60)
    base = at.browser.latest["state"]["revision"]
    at.browser.press(62)
    ids = list(at.piece.notes)
    at.browser.ask(type="edit", name="delete", base=base, ids=ids)
    assert at.browser.latest["problem"]["stale"] is True
    assert len(at.notes()) == 2


@pytest.mark.parametrize(
    ("name", "argument", "words"),
    [
        ("polish", "", "no edit called"),
        ("length", "long", "no note value"),
        ("scale", "0", "no factor"),
        ("voice", "9", "voices 1 to 4"),
    ],
)
def test_an_edit_that_makes_no_sense_gets_words(at: At, name: str, argument: str, words: str) -> None:
    at.browser.press(60)
    at.edit(name, argument, list(at.piece.notes))
    assert words in at.browser.problems[-1]
    assert at.notes() == [(0, 1, 60)]


def test_repeating_nothing_is_refused(at: At) -> None:
    at.edit("repeat", "2", [])
    assert "Select the bars to repeat first" in at.browser.problems[-1]


def test_the_pedal_of_the_instrument_advances_once_a_press(at: At) -> None:
    at.command("when", "advance")
    at.browser.ask(type="keys", epoch_us=0, events=[{"at_us": 1, "kind": "down", "key": 60, "value": 70}])
    for value in (30, 90, 100, 127, 20):  # a continuous pedal: one crossing is one press
        at.browser.ask(type="keys", epoch_us=0, events=[{"at_us": 5, "kind": "control", "key": 64, "value": value}])
    assert at.notes() == [(0, 1, 60)]


def test_walking_goes_on_by_the_servers_clock_while_a_key_is_held(at: At) -> None:
    at.command("way", "walk")
    at.command("walk-rate", "300")
    at.browser.ask(type="keys", epoch_us=0, events=[{"at_us": 1_000_000, "kind": "down", "key": 60, "value": 70}])
    for _ in range(100):
        if at.notes() and at.notes()[0][1] >= 3:
            break
        time.sleep(0.02)
    at.browser.ask(type="keys", epoch_us=0, events=[{"at_us": 9_000_000, "kind": "up", "key": 60}])
    assert at.notes()[0][1] >= 3


def test_during_playback_keys_only_sound_and_are_kept_in_the_journal(at: At) -> None:
    events = [{"at_us": 1, "kind": "down", "key": 60, "value": 70}, {"at_us": 2, "kind": "up", "key": 60}]
    at.browser.ask(type="keys", epoch_us=0, events=events, only_sound=True)
    assert at.notes() == []


def test_the_pen_says_the_line_and_which_keys_are_allowed(at: At) -> None:
    pen = at.browser.latest["pen"]
    assert "".join(p["words"] for p in pen["line"]).startswith("Step into piano, right hand")
    assert pen["allowed"] is None
    at.command("chord-symbol", "Dm")
    at.command("harmony", "chord")
    assert at.browser.latest["pen"]["allowed"] == [2, 5, 9]


def test_a_way_left_half_done_is_finished_in_one_change(at: At) -> None:
    at.command("way", "pulse")
    at.command("advance", at_us=1_000_000)
    at.browser.ask(type="keys", epoch_us=0, events=[{"at_us": 1_001_000, "kind": "down", "key": 65, "value": 70}])
    at.command("pen", "up")
    assert at.notes() == [(0, 4, 65)]


def test_two_hands_of_a_demo_piece_are_repeated_bar_for_bar(client: TestClient, library: Library) -> None:
    piece_id = library.add(waltz())
    with desk(client, piece_id) as socket:
        browser = Browser(socket)
        browser.until("pen")
        at = At(browser, library, piece_id)
        first_bar = [n.id for n in at.piece.notes.values() if n.tick < 3 * QUARTER]
        at.edit("repeat", "1", first_bar)
    second = sorted(
        (n.tick - 3 * QUARTER, n.ticks, n.pitch.midi, n.staff)
        for n in at.piece.notes.values()
        if 3 * QUARTER <= n.tick < 6 * QUARTER
    )
    first = sorted((n.tick, n.ticks, n.pitch.midi, n.staff) for n in at.piece.notes.values() if n.tick < 3 * QUARTER)
    assert second == first
