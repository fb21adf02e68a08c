"""The WebSocket: keys in, systems and sentences out; two browsers; what is not understood.

What messages lead to: ``tests/app``.
"""

from __future__ import annotations

import time
from typing import Any

import pytest
from starlette.testclient import TestClient, WebSocketTestSession
from starlette.websockets import WebSocketDisconnect

from ductus.app.files.midi_import import bring, onto_shelf
from ductus.app.library import Library
from ductus.app.session.session import Session
from ductus.core.score.catalogues.layouts import new_piece
from ductus.demo.scenario import waltz
from ductus.formats.midi import write_midi


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

    def give(self, **command: object) -> None:
        self.ask(type="command", do=command)

    def press(self, *keys: int, at: int = 1000) -> None:
        downs = [{"at_us": at + k, "kind": "down", "key": key, "value": 70} for k, key in enumerate(keys)]
        ups = [{"at_us": at + 100_000 + k, "kind": "up", "key": key} for k, key in enumerate(keys)]
        self.ask(type="keys", epoch_us=0, events=downs + ups, number=7)


def desk(client: TestClient, piece: str) -> Any:
    return client.websocket_connect(f"/api/pieces/{piece}/desk", headers={"origin": "http://testserver"})


def test_a_key_reaches_the_page_is_announced_and_said_to_be_kept(client: TestClient, library: Library) -> None:
    piece = library.add(new_piece(title="New"))
    with desk(client, piece) as socket:
        browser = Browser(socket)
        browser.until("pen")
        assert browser.latest["pen"]["down"] is False
        browser.give(name="pen", down=True)
        browser.press(60, 64)
        assert browser.latest["say"]["text"] == "C 4 and E 4, quarter, bar 1, beat 1"
        ids = [n.id for n in library.desk(piece).piece.notes.values()]
        assert all(f'id="{i}"' in browser.systems[0]["svg"] for i in ids)
        assert browser.latest["pen"]["beat"] == "2"
        kept = browser.latest.get("kept") or browser.until("kept")
        assert kept["number"] == 7


def test_two_browsers_see_both_edits_and_a_stale_one_is_refused(client: TestClient, library: Library) -> None:
    piece = library.add(waltz())
    with desk(client, piece) as one, desk(client, piece) as two:
        a, b = Browser(one), Browser(two)
        a.until("pen")
        b.until("pen")
        base = a.latest["state"]["revision"]
        first, second = list(library.desk(piece).piece.notes)[:2]
        a.ask(type="edit", do={"name": "delete"}, base=base, ids=[first])
        b.until("state")
        b.ask(type="edit", do={"name": "delete"}, base=base, ids=[second])
        assert "Nothing was lost" in b.problems[0]
        assert second in library.desk(piece).piece.notes
        b.ask(type="edit", do={"name": "delete"}, base=b.latest["state"]["revision"], ids=[second])
        a.until("state")
        assert a.latest["state"]["revision"] == base + 2
        assert not {first, second} & set(library.desk(piece).piece.notes)


def test_what_fails_behind_the_keys_is_said_and_the_next_key_works(
    client: TestClient, library: Library, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    piece = library.add(new_piece())

    def fails(*_: object) -> None:
        raise ZeroDivisionError

    with desk(client, piece) as socket:
        browser = Browser(socket)
        browser.until("pen")
        browser.until("system")
        monkeypatch.setattr(Session, "engraved", fails)
        browser.give(name="pen", down=True)
        browser.press(60)
        browser.until("problem")
        assert browser.problems[-1] == (
            "A part of the page cannot be drawn: that went wrong inside Ductus (ZeroDivisionError). What is written is "
            "kept."
        )
        monkeypatch.undo()
        browser.press(62)
        while "n2" not in browser.systems[0]["svg"]:
            browser.until("system")
        assert "cannot be drawn" in caplog.text


def test_a_deleted_piece_takes_no_edits_and_goes_on_when_it_comes_back(client: TestClient, library: Library) -> None:
    piece = library.add(waltz())
    opened = library.desk(piece)
    with desk(client, piece) as one, desk(client, piece) as two:
        a, b = Browser(one), Browser(two)
        a.until("pen")
        b.until("pen")
        client.delete(f"/api/pieces/{piece}")
        assert "was deleted" in a.until("gone")["message"]
        first = next(iter(opened.piece.notes))
        b.until("gone")
        b.ask(type="edit", do={"name": "delete"}, base=0, ids=[first])
        assert "was deleted, so nothing is written" in b.problems[-1]
        client.post(f"/api/pieces/{piece}/restore")
        assert a.until("gone")["message"] == ""
        a.ask(type="edit", do={"name": "delete"}, base=0, ids=[first])
        assert first not in library.desk(piece).piece.notes
        b.until("state")
        b.ask(type="travel", do="undo", base=b.latest["state"]["revision"])
        assert first in library.desk(piece).piece.notes


@pytest.mark.parametrize(
    "text",
    [
        "",
        "{}",
        "[",
        "null",
        '{"type":"keys","epoch_us":0,"events":[{"at_us":-1,"kind":"down","key":300}]}',
        '{"type":"dance"}',
        '{"type":"command","do":{"name":"fly"}}',
        '{"type":"command","do":{"name":"divide","parts":1e99}}',
        '{"type":"command","do":{"name":"next-only","value":{"base":"breve?"}}}',
        '{"type":"command","do":{"name":"tuplet","actual":17,"normal":2}}',
        '{"type":"edit","base":0,"ids":[],"do":{"name":"length",'
        '"value":{"base":"quarter","tuplet":{"actual":99,"normal":1}}}}',
        "[" * 5000,
    ],
)
def test_what_is_not_understood_gets_words_and_changes_nothing(client: TestClient, library: Library, text: str) -> None:
    piece = library.add(waltz())
    with desk(client, piece) as socket:
        browser = Browser(socket)
        browser.until("pen")
        socket.send_text(text)
        assert "nothing was changed" in browser.until("problem")["message"].lower() or browser.problems
        browser.until("done")
        socket.send_bytes(b"\x00\x01")
        browser.until("problem")
        browser.until("done")
        browser.ask(type="record-stop", end_us=0)
        assert browser.problems[-1] == "No recording is going on."
    assert library.desk(piece).history.revision == 0


def test_an_unknown_piece_is_refused_in_words(client: TestClient) -> None:
    with desk(client, "nowhere") as socket:
        assert "no piece at this address" in socket.receive_json()[0]["message"]


def at_seat(client: TestClient, piece: str, token: str) -> Any:
    return client.websocket_connect(
        f"/api/pieces/{piece}/desk?seat={token}&fresh=false", headers={"origin": "http://testserver"}
    )


def test_a_window_with_the_token_of_another_takes_its_place_and_the_other_is_told(
    client: TestClient, library: Library
) -> None:
    piece, token = library.add(new_piece()), "token-of-a-window-00"
    with at_seat(client, piece, token) as first:
        one = Browser(first)
        assert one.until("welcome")["token"] == token
        one.until("pen")
        one.give(name="typed-place", text="3")
        with at_seat(client, piece, token) as second:
            two = Browser(second)
            assert two.until("welcome")["resumed"] is True
            assert two.until("pen")["bar"] == 2
            with pytest.raises(WebSocketDisconnect) as gone:
                one.until("nothing more")
            assert gone.value.code == 4409


def test_what_is_no_token_gets_one(client: TestClient, library: Library) -> None:
    piece = library.add(new_piece())
    with at_seat(client, piece, "short") as socket:
        token = Browser(socket).until("welcome")["token"]
        assert len(token) >= 16


def test_a_numbered_message_has_its_effect_once(client: TestClient, library: Library) -> None:
    piece = library.add(new_piece())
    with at_seat(client, piece, "token-of-a-window-01") as socket:
        browser = Browser(socket)
        browser.until("pen")
        for number, do in ((1, {"type": "command", "do": {"name": "pen", "down": True}}), *[(2, stroke(60, 2))] * 2):
            socket.send_json({"n": number, "do": do})
            assert browser.until("done")["seq"] == number
        assert len(library.desk(piece).piece.notes) == 1


def stroke(key: int, number: int) -> dict[str, Any]:
    events = [{"at_us": 1000, "kind": "down", "key": key, "value": 70}, {"at_us": 2000, "kind": "up", "key": key}]
    return {"type": "keys", "epoch_us": 0, "events": events, "number": number}


def test_whoever_opens_a_piece_whose_file_was_being_read_sees_it_read_on(client: TestClient, library: Library) -> None:
    """As after a server that was killed in the middle of it."""
    piece, _ = onto_shelf(library, bring(write_midi(waltz()), "waltz.mid"))
    with desk(client, piece) as socket:
        Browser(socket).until("pen")
        for _ in range(600):  # a minute
            if library.desk(piece).piece.notes and library.arriving_at(piece) is None:
                break
            time.sleep(0.1)
    assert library.desk(piece).piece.notes
    assert library.arriving_at(piece) is None
