"""The WebSocket: keys in, systems and sentences out; two browsers; a recording; bad messages."""

from __future__ import annotations

from typing import Any

from starlette.testclient import TestClient, WebSocketTestSession

from ductus.app.library import Library
from ductus.core.score.layouts import new_piece
from ductus.core.time.meters import Meter
from ductus.demo.keyboard import programme_events
from ductus.demo.scenario import waltz


class Browser:
    """One end of the socket; collects messages until the server says that it is done."""

    def __init__(self, socket: WebSocketTestSession) -> None:
        self.socket = socket
        self.latest: dict[str, dict[str, Any]] = {}
        self.problems: list[str] = []
        self.systems: dict[int, dict[str, Any]] = {}
        self._come: list[dict[str, Any]] = []

    def until(self, kind: str) -> dict[str, Any]:
        while True:
            while not self._come:
                self._come = self.socket.receive_json()
            message = self._come.pop(0)
            self.latest[message["type"]] = message
            if message["type"] == "problem":
                self.problems.append(message["message"])
            if message["type"] == "system":
                self.systems[message["index"]] = message
            if message["type"] == kind:
                return message

    def ask(self, **message: object) -> None:
        self.socket.send_json(message)
        self.until("done")

    def press(self, *keys: int, at: int = 1000) -> None:
        downs = [{"at_us": at + k, "kind": "down", "key": key, "value": 70} for k, key in enumerate(keys)]
        ups = [{"at_us": at + 100_000 + k, "kind": "up", "key": key} for k, key in enumerate(keys)]
        self.ask(type="keys", epoch_us=0, events=downs + ups)


def desk(client: TestClient, piece: str) -> Any:
    return client.websocket_connect(f"/api/pieces/{piece}/desk", headers={"origin": "http://testserver"})


def test_a_key_reaches_the_page_and_is_announced(client: TestClient, library: Library) -> None:
    piece = library.add(new_piece(title="New"))
    with desk(client, piece) as socket:
        browser = Browser(socket)
        browser.until("pen")
        assert browser.latest["pen"]["down"] is False
        browser.ask(type="command", name="pen", argument="down")
        browser.press(60, 64)
        assert browser.latest["say"]["text"] == "C 4 and E 4, quarter, bar 1, beat 1"
        ids = [n.id for n in library.desk(piece).piece.notes.values()]
        assert all(f'id="{i}"' in browser.systems[0]["svg"] for i in ids)
        assert browser.latest["pen"]["beat"] == "2"


def test_keys_in_one_gathering_at_the_stroke_are_written_by_the_timer(client: TestClient, library: Library) -> None:
    piece = library.add(new_piece())
    with desk(client, piece) as socket:
        browser = Browser(socket)
        browser.ask(type="command", name="pen")
        browser.ask(type="command", name="when", argument="stroke")
        browser.ask(
            type="keys",
            epoch_us=0,
            events=[{"at_us": k, "kind": "down", "key": key, "value": 60} for k, key in ((0, 60), (9, 67))],
        )
        browser.until("say")
        assert {n.pitch.midi for n in library.desk(piece).piece.notes.values()} == {60, 67}


def test_two_browsers_see_both_edits_and_a_stale_one_is_refused(client: TestClient, library: Library) -> None:
    piece = library.add(waltz())
    with desk(client, piece) as one, desk(client, piece) as two:
        a, b = Browser(one), Browser(two)
        a.until("pen")
        b.until("pen")
        base = a.latest["state"]["revision"]
        first, second = list(library.desk(piece).piece.notes)[:2]
        a.ask(type="edit", name="delete", base=base, ids=[first])
        b.until("state")
        b.ask(type="edit", name="delete", base=base, ids=[second])
        assert "Nothing was lost" in b.problems[0]
        assert second in library.desk(piece).piece.notes
        b.ask(type="edit", name="delete", base=b.latest["state"]["revision"], ids=[second])
        a.until("state")
        assert a.latest["state"]["revision"] == base + 2
        assert not {first, second} & set(library.desk(piece).piece.notes)


def test_a_recording_of_the_rehearsal_keyboard_is_the_piece_that_it_plays(client: TestClient, library: Library) -> None:
    piece = library.add(new_piece(meter=Meter(3, 4), fifths=-2, bpm=96))
    with desk(client, piece) as socket:
        browser = Browser(socket)
        browser.ask(
            type="record-start", origin_us=0, now_us=0, qpm=96, bar=0, count_in=2, staff=0, shortest="eighth", split=60
        )
        events = programme_events("waltz-with-click")
        for k in range(0, len(events), 50):
            part = [
                {"at_us": t, "kind": kind, "key": key, "value": value} for t, kind, key, value in events[k : k + 50]
            ]
            browser.ask(type="keys", epoch_us=0, events=part)
        browser.ask(type="record-stop", end_us=events[-1][0] + 100_000)
        while "written from bar 1" not in browser.latest["say"]["text"]:
            browser.until("say")
    ours = {(n.tick, n.pitch) for n in library.desk(piece).piece.notes.values()}
    source = waltz()
    end = source.timeline.bar(8).start
    assert ours == {(n.tick, n.pitch) for n in source.notes.values() if n.tick < end}
    assert len(library.desk(piece).takes()) == 1
    library.desk(piece).undo()
    assert not library.desk(piece).piece.notes


def test_a_recording_cut_off_by_a_closed_tab_is_kept_as_a_take(client: TestClient, library: Library) -> None:
    piece = library.add(new_piece())
    with desk(client, piece) as socket:
        browser = Browser(socket)
        browser.ask(type="record-start", origin_us=0, now_us=0, qpm=100, bar=0)
        browser.press(60, 62, at=6_000_000)
    assert [t.notes for t in library.desk(piece).takes()] == [2]


def test_what_is_played_with_the_pen_up_is_in_the_journal(client: TestClient, library: Library) -> None:
    piece = library.add(new_piece())
    with desk(client, piece) as socket:
        Browser(socket).press(60, 64)
    heard = library.desk(piece).journal(0, 10**9)
    assert [h.key for h in heard if h.kind == "down"] == [60, 64]
    assert not library.desk(piece).piece.notes


def test_messages_that_make_no_sense_get_words_and_change_nothing(client: TestClient, library: Library) -> None:
    piece = library.add(waltz())
    with desk(client, piece) as socket:
        browser = Browser(socket)
        browser.until("pen")
        for text in (
            "",
            "{}",
            '{"type":"keys","epoch_us":0,"events":[{"at_us":-1,"kind":"down","key":300}]}',
            '{"type":"dance"}',
        ):
            socket.send_text(text)
            browser.until("problem")
        browser.ask(type="command", name="fly")
        browser.ask(type="record-stop", end_us=0)
        assert browser.problems[-2:] == ["There is no command called 'fly'.", "No recording is going on."]
    assert library.desk(piece).history.revision == 0


def test_an_unknown_piece_is_refused_in_words(client: TestClient) -> None:
    with desk(client, "nowhere") as socket:
        assert "no piece at this address" in socket.receive_json()["message"]
