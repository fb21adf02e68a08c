"""What stands before the application: hosts, origins, bodies without an end, safe headers on every answer."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from starlette.testclient import TestClient
from starlette.websockets import WebSocketDisconnect

from ductus.app.library import Library
from ductus.demo.scenario import waltz
from ductus.web import guard
from ductus.web.guard import Guard
from ductus.web.server import create_app


@pytest.mark.parametrize(
    "path", ["/", "/api/pieces", "/api/pieces/x", "/%00", "/api/nonsense", "/" + "x" * 5000, "/a/../..", "/%2e%2e/x"]
)
def test_every_answer_carries_the_safe_headers_and_none_fails(client: TestClient, path: str) -> None:
    answer = client.get(path)
    assert answer.status_code < 500 or answer.status_code == 503
    assert answer.headers["x-content-type-options"] == "nosniff"
    assert "script-src 'self' 'wasm-unsafe-eval';" in answer.headers["content-security-policy"]


@pytest.mark.parametrize(
    "origin", ["http://evil.example", "[evil", "null", "http://testserver.evil.example", "http://[::1"]
)
def test_pages_that_are_not_ours_are_refused(client: TestClient, library: Library, origin: str) -> None:
    assert client.post("/api/pieces", json={}, headers={"origin": origin}).status_code == 403
    piece = library.add(waltz())
    with (
        pytest.raises(WebSocketDisconnect),
        client.websocket_connect(f"/api/pieces/{piece}/desk", headers={"origin": origin}) as ws,
    ):
        ws.receive_text()


def test_a_take_number_beyond_the_database_is_refused_in_words(client: TestClient, library: Library) -> None:
    piece = library.add(waltz())
    answer = client.get(f"/api/pieces/{piece}/takes/{2**70}/playback")
    assert answer.status_code == 422
    assert answer.json()["message"]


def test_characters_that_no_page_can_hold_do_no_harm(client: TestClient) -> None:
    made = client.post("/api/pieces", json={"title": "Lamp\ufffe\uffff\u0007 oil", "composer": "\u202eX"}).json()["id"]
    assert client.get(f"/api/pieces/{made}").json()["title"] == "Lamp oil"
    assert client.get(f"/api/pieces/{made}/export.musicxml").status_code == 200
    base = {"base": 0, "subtitle": "\uffff"}
    assert client.patch(f"/api/pieces/{made}/facts", json=base).json()["subtitle"] == ""


async def plain_app(scope: Any, receive: Callable[[], Awaitable[Any]], send: Callable[[Any], Awaitable[None]]) -> None:
    """Reads its whole body and answers how long it was."""
    length, more = 0, True
    while more:
        message = await receive()
        length += len(message.get("body", b""))
        more = message.get("more_body", False)
    await send({"type": "http.response.start", "status": 200, "headers": []})
    await send({"type": "http.response.body", "body": str(length).encode()})


def status_for(headers: list[tuple[bytes, bytes]], chunks: list[bytes | None]) -> tuple[int, bytes]:
    """Status and body of a POST with these headers and body chunks (None: it stops coming)."""
    sent: list[Any] = []

    async def receive() -> Any:
        if chunks and (chunk := chunks.pop(0)) is not None:
            return {"type": "http.request", "body": chunk, "more_body": bool(chunks)}
        await asyncio.sleep(3600)
        return None

    async def send(message: Any) -> None:
        sent.append(message)

    scope = {"type": "http", "method": "POST", "path": "/api/import", "headers": headers}
    with ThreadPoolExecutor(1) as thread:  # a loop of its own: the browser's may be running in this thread
        thread.submit(asyncio.run, Guard(plain_app, ("testserver",))(scope, receive, send)).result()
    return sent[0]["status"], sent[1]["body"]


HOST = (b"host", b"testserver")


def test_repeated_hosts_and_origins_are_refused() -> None:
    assert status_for([HOST], [b"x"]) == (200, b"1")
    for headers in ([HOST, HOST], [HOST, (b"origin", b"http://testserver"), (b"origin", b"http://evil")], []):
        assert status_for(headers, [b"x"])[0] == 400


def test_a_body_without_an_end_is_cut_off() -> None:
    chunk = bytes(1_000_000)
    status, words = status_for([HOST], [chunk] * 300)
    assert (status, b"20 MB" in words) == (413, True)
    assert status_for([HOST, (b"content-length", b"99999999999999999999999")], [b""])[0] == 413
    assert status_for([HOST, (b"content-length", b"\xb2")], [b""])[0] == 413


def test_a_body_that_stops_coming_is_given_up(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(guard, "BODY_IDLE_S", 0.05)
    status, words = status_for([HOST], [b"abc", None])
    assert (status, b"stopped coming" in words) == (408, True)


@pytest.mark.parametrize("site", ["cross-site", "same-site"])
def test_what_another_page_asks_for_is_refused_by_what_the_browser_says(
    client: TestClient, library: Library, site: str
) -> None:
    """Fetch Metadata Request Headers (W3C): a browser says which page asked."""
    piece = library.add(waltz())
    assert client.get(f"/api/pieces/{piece}/export.mid", headers={"sec-fetch-site": site}).status_code == 403
    assert client.get("/", headers={"sec-fetch-site": site}).status_code in (200, 503)  # a link to us may be followed
    assert client.get(f"/api/pieces/{piece}/export.mid", headers={"sec-fetch-site": "same-origin"}).status_code == 200


def test_an_address_with_a_very_long_name_does_no_harm(client: TestClient) -> None:
    assert client.get("/" + "a" * 300).status_code in (200, 503)


def test_the_interface_describes_itself_only_when_asked(client: TestClient, library: Library) -> None:
    assert b"swagger" not in client.get("/docs").content.lower()
    assert client.get("/openapi.json").headers["content-type"].startswith(("text/html", "text/plain"))
    with TestClient(create_app(library, ("testserver",), described=True)) as asked:
        assert asked.get("/openapi.json").json()["paths"]


def test_a_part_may_be_asked_for_by_its_name(client: TestClient, library: Library) -> None:
    piece = library.add(waltz())
    name = library.desk(piece).piece.ordered_parts()[0].name
    assert client.get(f"/api/pieces/{piece}/export.musicxml?part={name.upper()}").status_code == 200
    answer = client.get(f"/api/pieces/{piece}/export.musicxml?part=Kazoo")
    assert answer.status_code == 404
    assert f"its parts are {name}" in answer.json()["message"]


def test_served_to_other_machines_it_asks_for_its_key_once(library: Library) -> None:
    """The key comes in the address that was printed; a cookie keeps it.

    Cookies of other hosts do not reach us, so any name is answered to.
    """
    piece = library.add(waltz())
    with TestClient(create_app(library, ("testserver",), key="secret"), base_url="http://barge.local") as client:
        answer = client.get("/api/pieces")
        assert answer.status_code == 401
        assert "asks for its key" in answer.json()["message"]
        assert client.get("/?key=wrong").status_code == 401
        with pytest.raises(WebSocketDisconnect), client.websocket_connect(f"/api/pieces/{piece}/desk?key=secret") as ws:
            ws.receive_text()
        answer = client.get("/piece/x?key=secret", follow_redirects=False)
        assert (answer.status_code, answer.headers["location"]) == (303, "/piece/x")
        assert "HttpOnly; SameSite=Strict" in answer.headers["set-cookie"]
        assert (
            client.get("http://barge.local//evil.example/?key=secret", follow_redirects=False).headers["location"]
            == "/evil.example/"
        )
        assert client.get("/api/pieces").status_code == 200
        cookie = {"cookie": "ductus-key=secret"}  # the client of these tests sends none of its own over a socket
        with client.websocket_connect(f"/api/pieces/{piece}/desk", headers=cookie) as ws:
            assert "welcome" in ws.receive_text()
        assert client.post("/api/pieces", json={}, headers={"origin": "http://evil.example"}).status_code == 403
