"""Scores and files of our own with wrong values, cut, doubled or changed.

Read or refused in words, and what was read can be written again. Seeds as in ``test_anything``.
"""

from __future__ import annotations

import io
import json
import random
import re
import zipfile
from typing import Any

import pytest
from starlette.testclient import TestClient

from ductus.app.document.journal_writer import Entry
from ductus.app.library import Library
from ductus.core.capture.takes import Heard
from ductus.core.score.note_edits.write import change_facts
from ductus.demo.scenario import bends, waltz
from ductus.demo.shelf import PIECES
from ductus.formats.midi import write_midi
from ductus.formats.musicxml_write import write_musicxml
from ductus.store.packed import Packed, to_file
from tests.building import random_piece
from tests.fuzz.test_anything import SEEDS, in_time
from tests.inventing import TEXTS

NUMBER = re.compile(rb">(-?\d+)<")
ELEMENT = re.compile(rb"<(\w[\w-]*)[^<>]*>(?:[^<]|<(?!/?\1[ >]))*</\1>")
NUMBERS = (b"0", b"-1", b"1", b"7", b"64", b"99999", b"-3000000000", b"1e9", b"1.5", b"", b"x", b"9" * 40)
WRONG: tuple[Any, ...] = (
    None,
    -1,
    0,
    1,
    3,
    10**6,
    -(10**15),
    2**70,
    1.5,
    True,
    "",
    "x",
    "p1",
    [],
    [1],
    {},
    {"x": 1},
    [[]],
    "A" * 5000,
)


def changed_score(rng: random.Random, good: bytes) -> bytes:
    """A MusicXML file in which numbers, elements or bytes are others."""
    data = good
    for _ in range(rng.choice((1, 1, 2, 5, 20))):
        match rng.randrange(4):
            case 0 | 1:
                found = rng.choice(list(NUMBER.finditer(data)) or [None])
                if found is not None:
                    data = data[: found.start(1)] + rng.choice(NUMBERS) + data[found.end(1) :]
            case 2:
                found = rng.choice(list(ELEMENT.finditer(data))[:4000] or [None])
                if found is not None:
                    twice = found.group() * rng.choice((0, 0, 2, 3))
                    data = data[: found.start()] + twice + data[found.end() :]
            case _:
                at = rng.randrange(len(data) or 1)
                data = data[:at] + rng.randbytes(rng.randrange(9)) + data[at + rng.choice((0, 1, 40, 4000)) :]
    return data


def change_value(rng: random.Random, inside: Any) -> None:
    """Some value inside JSON becomes another, goes, or comes twice."""
    here = inside
    for _ in range(12):
        keys = list(here) if isinstance(here, dict) else range(len(here))
        if not keys:
            return
        key = rng.choice(list(keys))
        deeper = here[key]
        if isinstance(deeper, dict | list) and deeper and rng.random() < 0.85:
            here = deeper
            continue
        match rng.randrange(4):
            case 0 if isinstance(here, dict):
                del here[key]
            case 1 if isinstance(here, list):
                here.append(here[key])
            case _:
                here[key] = rng.choice((*WRONG, rng.choice(TEXTS)))
        return


def changed_archive(rng: random.Random, good: bytes) -> bytes:
    """A ``.ductus`` file in which values or bytes are others."""
    if rng.random() < 0.15:
        data = bytearray(good)
        at = rng.randrange(len(data))
        data[at : at + rng.choice((0, 1, 30))] = rng.randbytes(rng.randrange(12))
        return bytes(data)
    with zipfile.ZipFile(io.BytesIO(good)) as archive:
        members = {name: archive.read(name) for name in archive.namelist()}
    for _ in range(rng.choice((1, 1, 2, 6))):
        name = rng.choice([n for n in members if n.endswith(".json")])
        inside = json.loads(members[name])
        change_value(rng, inside)
        members[name] = json.dumps(inside).encode()
    if rng.random() < 0.05:
        del members[rng.choice(list(members))]
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, inner in members.items():
            archive.writestr(name, inner)
    return out.getvalue()


def comes_in(client: TestClient, name: str, data: bytes, what: object, *, looked_at: bool) -> bool:
    """Is a file taken in? Whatever becomes of it has words, is quick, and can go out again."""
    with in_time(what):
        answer = client.post("/api/import", files={"file": (name, data, "application/octet-stream")})
    assert answer.status_code in (201, 400, 413, 422), (what, answer.status_code, answer.text)
    assert answer.json().get("message") or answer.json().get("id")
    if answer.status_code != 201:
        return False
    if looked_at:
        piece = answer.json()["id"]
        for kind in ("export.musicxml", "export.mid", "opening.svg"):
            with in_time((what, kind)):
                out = client.get(f"/api/pieces/{piece}/{kind}")
            assert out.status_code < 500, (what, kind, out.text)
    return True


@pytest.mark.parametrize("seed", SEEDS)
def test_fifty_damaged_scores(client: TestClient, seed: int) -> None:
    rng = random.Random(seed)
    good = [
        write_musicxml(random_piece(seed, "6/8", 2)),
        write_musicxml(random_piece(seed + 1, "4/4", 3)),
        write_musicxml(PIECES[seed % len(PIECES)]()),
    ]
    came = sum(
        comes_in(client, "a.musicxml", changed_score(rng, rng.choice(good)), ("score", seed, k), looked_at=k % 10 == 0)
        for k in range(50)
    )
    assert came > 0


@pytest.mark.parametrize("seed", SEEDS)
def test_fifty_damaged_files_of_our_own(client: TestClient, library: Library, seed: int) -> None:
    rng = random.Random(seed)
    plain = to_file([Packed(random_piece(seed, "3/4", 2))])
    desk = library.desk(
        client.post(
            "/api/import", files={"file": ("a.mid", write_midi(random_piece(seed, "3/4", 2)), "audio/midi")}
        ).json()["id"]
    )
    for title in ("One", "Two"):
        desk.apply(change_facts(desk.piece, title=title))
    heard = Heard(1_700_000_000_000_000, "down", 60, 70)
    library.journal.hear(Entry(desk.piece_id, ((heard, False),)))
    library.journal.flush()
    whole = to_file([library.packed(desk.piece_id, history=True)])
    good = [plain, to_file([Packed(waltz()), Packed(bends())]), whole, whole]
    came = sum(
        comes_in(client, "a.ductus", changed_archive(rng, rng.choice(good)), ("ductus", seed, k), looked_at=k % 10 == 0)
        for k in range(50)
    )
    assert came > 0
