"""Anything may come over the border: damaged files, every command over every argument, requests of all shapes.

Seeds are fixed; ``make fuzz`` goes on with others (DUCTUS_FUZZ, the number of rounds). No 500, no closed socket
without words, no answer over five seconds.
"""

from __future__ import annotations

import functools
import io
import json
import random
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any, cast

import mido
import pytest
from fastapi import FastAPI
from pydantic import TypeAdapter
from starlette.testclient import TestClient

from ductus.app import wire as m
from ductus.app.library import Library
from ductus.core.entry.commands.registry import COMMANDS
from ductus.core.reading.review.note_options import READING_CHOICES
from ductus.core.score.note_edits.registry import EDITS
from ductus.core.score.note_edits.select import Select, SelectByPitch, SelectLast
from ductus.demo.keyboard import programme_events
from ductus.demo.scenario import waltz
from ductus.formats.midi import write_midi
from tests.app.driving import EPOCH_US
from tests.building import random_piece
from tests.inventing import ROUNDS, TEXTS, invent
from tests.web.test_socket import Browser, desk

SLOWEST_S = 5.0
# Four give every command and edit some six times, half of them with a take on the page.
SEEDS = range(10 * ROUNDS if ROUNDS > 1 else 4)


@contextmanager
def in_time(what: object) -> Iterator[None]:
    """The processor's time, so that a busy machine does not count."""
    began = time.process_time()
    yield
    assert time.process_time() - began < SLOWEST_S, f"too slow: {what!r:.400}"


def damaged(rng: random.Random, sources: list[bytes]) -> bytes:
    """A MIDI file with bytes changed, cut, doubled, or numbers at their limits.

    Sometimes mere noise behind a good head.
    """
    data = bytearray(rng.choice(sources))
    for _ in range(rng.choice((0, 1, 1, 2, 5, 40))):
        at = rng.randrange(len(data))
        match rng.randrange(6):
            case 0:
                data[at] = rng.randrange(256)
            case 1:
                del data[at : at + rng.choice((1, 4, 60))]
            case 2:
                data[at:at] = data[at : at + rng.choice((1, 8, 90))]
            case 3:
                data[at : at + 4] = rng.choice(
                    (b"\xff\xff\xff\x7f", b"\x00\x00\x00\x00", b"\xff\x51\x03\xff", b"\xff\xff\xff\xff")
                )
            case 4:
                data[8:14] = rng.randbytes(6)
            case _:
                data[at:] = rng.randbytes(rng.randrange(60))
        data = data or bytearray(b"MThd")
    return bytes(data)


@pytest.fixture(scope="module")
def sources() -> list[bytes]:
    loud = mido.MidiFile(type=0)
    loud.tracks.append(mido.MidiTrack([mido.Message("note_on", note=60 + k % 12, time=9) for k in range(300)]))
    out = io.BytesIO()
    loud.save(file=out)
    return [write_midi(random_piece(k, "6/8", 2)) for k in range(4)] + [write_midi(waltz()), out.getvalue()]


@pytest.mark.parametrize("seed", SEEDS)
def test_fifty_damaged_midi_files(client: TestClient, sources: list[bytes], seed: int) -> None:
    rng = random.Random(seed)
    good = 0
    for k in range(50):
        data = damaged(rng, sources)
        with in_time((seed, k, data)):
            answer = client.post("/api/import", files={"file": (rng.choice(TEXTS) + ".mid", data, "audio/midi")})
        assert answer.status_code in (201, 400, 413, 422), (seed, k, answer.status_code)
        assert answer.json().get("message") or answer.json().get("id")
        good += answer.status_code == 201
    assert 0 < good < 50


MESSAGES = [kind for kind in m.ClientMessage.__args__ if kind is not m.Keys]
CHOICES = [*COMMANDS, *EDITS, *READING_CHOICES, Select, SelectByPitch, SelectLast]


def any_message(rng: random.Random, number: int, ids: list[str], revision: int) -> str:
    """A message: the ``number``-th command, edit or choice of all, keys, or something that is none."""
    pools: dict[str, list[Any]] = {
        "ids": [tuple(rng.sample(ids, min(len(ids), 3)))],
        "note": ids,
    }
    if number % 5 == 4:
        if rng.random() < 0.3:
            return rng.choice(
                (
                    "",
                    "{",
                    "[]",
                    "null",
                    '{"type":"keys"}',
                    "[" * 3000,
                    '{"type":"command","do":{"name":"pen","x":1}}',
                    "\ufffe",
                )
            )
        if rng.random() < 0.5:
            return dumped(invent(rng.choice(MESSAGES), rng, 0.3, pools))
        key = rng.randrange(128)
        at = number * 300_000
        events: tuple[Any, ...] = (
            (at, "down", key, 80),
            (at + 9, "control", 64, rng.randrange(128)),
            (at + 90_000, "up", key, 0),
        )
        heard = tuple(m.HeardEvent(*e) for e in events[: rng.randint(1, 3)])
        return dumped(m.Keys(EPOCH_US, heard, number=number + 1))
    kind = CHOICES[number % len(CHOICES)]
    record: Any = invent(kind, rng, 0.25, pools)
    if kind in COMMANDS:
        return dumped(m.Give(record, number * 300_000))
    if kind in EDITS:
        return dumped(m.EditNotes(revision, record, pools["ids"][0]))
    if kind in READING_CHOICES:
        return dumped(m.ReadOtherwise(record, rng.choice(("", "r1", "x")), pools["ids"][0]))
    return dumped(m.SelectNotes(record, pools["ids"][0]))


@functools.cache
def adapter(kind: type[Any]) -> TypeAdapter[Any]:
    return TypeAdapter(kind)


def dumped(message: Any) -> str:
    return adapter(cast(Any, type(message))).dump_json(message).decode()


@pytest.mark.parametrize("seed", SEEDS)
def test_two_hundred_messages_over_every_command_and_argument(client: TestClient, library: Library, seed: int) -> None:
    rng = random.Random(seed)
    piece = library.add(random_piece(seed, "3/4", 6))
    with desk(client, piece) as socket:
        browser = Browser(socket)
        browser.until("pen")
        if seed % 2:  # half of them with a take on the page
            perform(browser, "waltz-with-click")
        for k in range(200):
            ids, revision = sorted(library.desk(piece).piece.notes), library.desk(piece).history.revision
            text = any_message(rng, seed * 200 + k, ids, revision)
            with in_time((seed, k, text)):
                socket.send_text(text)
                browser.until("done")
        browser.give(name="pen", down=True)  # it still goes on
        browser.press(60, at=10**10)
        assert browser.latest["pen"]["down"] is True


def perform(browser: Browser, name: str) -> None:
    browser.ask(type="record-start", origin_us=0, now_us=0, epoch_us=EPOCH_US, bar=0)
    events: list[dict[str, Any]] = [
        {"at_us": at, "kind": kind, "key": key, "value": value} for at, kind, key, value in programme_events(name)
    ]
    browser.ask(type="keys", epoch_us=EPOCH_US, events=events, number=1)
    browser.ask(type="record-stop", end_us=events[-1]["at_us"] + 9)


@pytest.mark.parametrize("seed", SEEDS)
def test_fifty_requests_of_all_shapes(client: TestClient, library: Library, seed: int) -> None:
    rng = random.Random(seed)
    piece = library.add(waltz())
    paths = [
        *list(cast(FastAPI, client.app).openapi()["paths"]),
        "/",
        "/assets/x",
        "/%00",
        "/" + "y" * 3000,
        "/api/../..",
        "/é",
    ]
    for _ in range(50):
        path = rng.choice(paths)
        for name in ("piece_id", "take_id", "reading_id", "name"):
            good = piece if name == "piece_id" else "1"
            path = path.replace(
                f"{{{name}}}",
                good if rng.random() < 0.7 else rng.choice((str(2**70), "-1", "x" * 300, "%00", "..", "é", "[evil")),
            )
        numbers = [str(rng.choice((0, 1, -1, 2**52, 2**70, "x", "1e999", ""))) for _ in range(5)]
        params = dict(zip(("from_tick", "tick", "bar", "qpm", "count_in"), numbers, strict=True)) | {
            "part": rng.choice(TEXTS),
            "staff": "1",
            "bars": numbers[0],
        }
        body = rng.choice(
            (
                json.dumps({"title": rng.choice(TEXTS), "base": rng.choice((0, -1, 2**62)), "meter": rng.choice(TEXTS),
                    "bpm": rng.choice((92, -1, 1e308))}).encode(),
                b"{", b"\xff\xfe", b"[" * 5000, b"", rng.randbytes(200),
            )
        )  # fmt: skip
        method = rng.choice(("GET", "GET", "POST", "PATCH", "PUT", "OPTIONS", "HEAD"))
        headers = {
            "content-type": rng.choice(
                (
                    "application/json",
                    "multipart/form-data",
                    "multipart/form-data; boundary=x",
                )
            )
        }
        with in_time((seed, method, path, params)):
            answer = client.request(method, path, params=params, content=body, headers=headers)
        assert answer.status_code < 500 or answer.status_code == 503, (seed, method, path, params, body)
        if answer.status_code >= 400 and method != "HEAD" and "json" in answer.headers.get("content-type", ""):
            assert answer.json().get("message") or answer.json().get("detail")
    assert client.get(f"/api/pieces/{piece}").status_code == 200
