"""What stands before the application.

Host and origin, limits on what is sent, safe headers on every answer, words for every failure.

Ductus serves one person on their own machine. It answers only to its own host names and only to pages it served
itself, reads no body without an end, and lets no script run that it did not ship. Served to other machines, it
answers under any name, but only to who has its key: in the address at first, in a cookie from then on.
"""

from __future__ import annotations

import asyncio
import hmac
import json
import logging
from collections.abc import Sequence
from urllib.parse import parse_qs, quote, urlsplit

from starlette.types import ASGIApp, Message, Receive, Scope, Send

MAX_BODY = 21_000_000
MAX_FILE = 201_000_000  # of a file that comes in
MAX_PATH = 2_000
BODY_IDLE_S = 20.0  # a body that stops coming is given up
POLICY = (
    "default-src 'self'; script-src 'self' 'wasm-unsafe-eval'; style-src 'self' 'unsafe-inline'; font-src 'self' "
    "data:; img-src 'self' data: blob:; "
    "media-src 'self' blob:; worker-src 'self' blob:; connect-src 'self'; object-src 'none'; base-uri 'none'; "
    "frame-ancestors 'none'"
)
HEADERS = (
    (b"content-security-policy", POLICY.encode()),
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"no-referrer"),
)
OURS_ONLY = "This request came from a page that is not ours; it was not carried out."
NO_HOST = "Ductus answers only on this machine, under its own address."
NO_KEY = "This Ductus asks for its key: open the address that was printed where it was started."
COOKIE = "ductus-key"
NO_ADDRESS = "There is nothing at this address."
TOO_LONG = "That is more than Ductus takes at once (200 MB of a file, 20 MB of anything else). Nothing was imported."
GIVEN_UP = "The upload stopped coming, so it was given up. Nothing was imported."
log = logging.getLogger(__name__)


class _Refused(Exception):
    """A request that is not carried out: its status and what is said."""

    def __init__(self, status: int, words: str) -> None:
        super().__init__(words)
        self.status, self.words = status, words


def same_origin(origin: str | None, host: str | None) -> bool:
    """May a page from ``origin`` talk to us? Programs that are no browsers send none."""
    if origin is None:
        return True
    try:
        return urlsplit(origin).netloc == host
    except ValueError:
        return False


def only(headers: Sequence[tuple[bytes, bytes]], name: bytes) -> str | None:
    """The value of a header that may stand once, None if it does not. Raises _Refused if it is repeated."""
    found = [value for key, value in headers if key.lower() == name]
    if len(found) > 1:
        raise _Refused(400, f"A request with two {name.decode().capitalize()} lines is not carried out.")
    return found[0].decode("latin-1") if found else None


def most_of(path: str) -> int:
    """How many bytes a request to an address may have."""
    return MAX_FILE if path == "/api/import" else MAX_BODY


class Guard:
    """The outermost layer of the application."""

    def __init__(self, app: ASGIApp, hosts: Sequence[str], key: str = "") -> None:
        """``hosts`` are the names that are answered to; with a ``key`` any name, and who has the key."""
        self._app, self._hosts, self._key = app, frozenset(hosts), key

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Let a request through, or say why not."""
        if scope["type"] == "websocket":
            await self._socket(scope, receive, send)
        elif scope["type"] == "http":
            await self._request(scope, receive, send)
        else:
            await self._app(scope, receive, send)

    def _check(self, scope: Scope) -> None:
        """Raises _Refused."""
        headers = scope["headers"]
        host, origin = only(headers, b"host"), only(headers, b"origin")
        if host is None or (not self._key and name_of(host) not in self._hosts):
            raise _Refused(400, NO_HOST)
        if self._key and not self._knows(scope, only(headers, b"cookie") or ""):
            raise _Refused(401, NO_KEY)
        path = scope["path"]
        if len(path) > MAX_PATH or any(ord(c) < 32 or ord(c) == 127 for c in path):
            raise _Refused(404, NO_ADDRESS)
        changes = scope["type"] == "websocket" or scope["method"] not in ("GET", "HEAD")
        if changes and not same_origin(origin, host):
            raise _Refused(403, OURS_ONLY)
        if (changes or path.startswith("/api/")) and only(headers, b"sec-fetch-site") in ("cross-site", "same-site"):
            raise _Refused(403, OURS_ONLY)  # the browser itself says that another page asked (Fetch Metadata, W3C)
        length = only(headers, b"content-length") or "0"
        if not length.isascii() or not length.isdecimal() or int(length[:20]) > most_of(path):
            raise _Refused(413, TOO_LONG)

    def _knows(self, scope: Scope, cookies: str) -> bool:
        """Does a request bring the key?"""
        given = dict(pair.strip().partition("=")[::2] for pair in cookies.split(";")).get(COOKIE, "")
        asked = parse_qs(scope["query_string"].decode("latin-1")).get("key", [""])[0]
        wanted = self._key.encode()
        return hmac.compare_digest(given.encode(), wanted) or (
            scope["type"] == "http" and hmac.compare_digest(asked.encode(), wanted)
        )

    def _comes_with_key(self, scope: Scope) -> bool:
        """Is it somebody who opens a page by the address that was printed?"""
        return bool(self._key) and scope["method"] == "GET" and b"key=" in scope["query_string"]

    async def _socket(self, scope: Scope, receive: Receive, send: Send) -> None:
        try:
            self._check(scope)
        except _Refused:
            await receive()
            await send({"type": "websocket.close", "code": 4403, "reason": OURS_ONLY})
            return
        await self._app(scope, receive, send)

    async def _request(self, scope: Scope, receive: Receive, send: Send) -> None:
        started = False
        read = 0

        async def bounded() -> Message:
            nonlocal read
            try:
                message = await asyncio.wait_for(receive(), BODY_IDLE_S) if not finished else await receive()
            except TimeoutError:
                raise _Refused(408, GIVEN_UP) from None
            note(message)
            return message

        finished = False

        def note(message: Message) -> None:
            nonlocal read, finished
            read += len(message.get("body", b""))
            finished = not message.get("more_body", False)
            if read > most_of(scope["path"]):
                raise _Refused(413, TOO_LONG)

        async def dressed(message: Message) -> None:
            nonlocal started
            if message["type"] == "http.response.start":
                started = True
                kept = [h for h in message.get("headers", ()) if h[0].lower() not in {k for k, _ in HEADERS}]
                message = {**message, "headers": [*kept, *HEADERS]}
            await send(message)

        try:
            self._check(scope)
            if self._comes_with_key(scope):
                await seated(dressed, scope["path"], self._key)
                return
            await self._app(scope, bounded, dressed)
        except _Refused as refused:
            if not started:
                await answer(dressed, refused.status, refused.words)
        except Exception as error:
            log.exception("a request failed: %s %s", scope["method"], scope["path"][:80])
            if not started:
                words = f"That went wrong inside Ductus ({type(error).__name__}). Nothing was changed by it."
                await answer(dressed, 500, words)


def name_of(host: str) -> str:
    """The name in a Host header, without its port."""
    if host.startswith("["):
        return host.partition("]")[0] + "]"
    return host.partition(":")[0]


async def seated(send: Send, path: str, key: str) -> None:
    """Give a browser the cookie, and send it to the page without the key in its address."""
    cookie = f"{COOKIE}={key}; Path=/; HttpOnly; SameSite=Strict"
    headers = [
        (b"location", b"/" + quote(path.lstrip("/")).encode()),
        (b"set-cookie", cookie.encode()),
        (b"content-length", b"0"),
    ]
    await send({"type": "http.response.start", "status": 303, "headers": headers})
    await send({"type": "http.response.body", "body": b""})


async def answer(send: Send, status: int, words: str) -> None:
    """Say something as JSON."""
    body = json.dumps({"message": words}).encode()
    headers = [(b"content-type", b"application/json"), (b"content-length", str(len(body)).encode())]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body})
