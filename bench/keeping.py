"""How soon a stroke is on disk while a recording goes on, freely and with a click, and how much a kill costs.

.venv/bin/python bench/keeping.py
"""

from __future__ import annotations

import contextlib
import json
import random
import signal
import sqlite3
import statistics
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parent.parent))

from tests.building import random_piece
from tests.ui.conftest import Server
from websockets.exceptions import ConnectionClosed
from websockets.sync.client import ClientConnection, connect

from ductus.app.library import Library

NOTES_A_SECOND = 20
SECONDS = 12
BARS = 100
KILLS = 20
EPOCH_US = 1_800_000_000_000_000


class Player:
    """A browser without a page: strokes a recording and hears when they are kept."""

    def __init__(self, server: Server, piece: str) -> None:
        address = f"ws://127.0.0.1:{server.port}/api/pieces/{piece}/desk"
        origin = server.url
        self.socket: ClientConnection = connect(
            address,
            origin=origin,
            max_size=None,
            legacy=True,  # type: ignore[arg-type]
        )
        self.number = 0
        self.sent: dict[int, float] = {}
        self.kept: dict[int, float] = {}
        self.begun = time.monotonic()
        self.listen(0.6)

    def now_us(self) -> int:
        return round((time.monotonic() - self.begun) * 1e6)

    def tell(self, message: dict[str, Any]) -> None:
        self.number += 1
        self.socket.send(json.dumps({"n": self.number, "do": {**message}}))

    def stroke(self, key: int) -> None:
        """A key down and up, as one message."""
        at = self.now_us()
        down = {"at_us": at, "kind": "down", "key": key, "value": 70}
        up = {"at_us": at + 1000, "kind": "up", "key": key}
        self.sent[self.number + 1] = time.monotonic()
        self.tell({"type": "keys", "epoch_us": EPOCH_US, "events": [down, up], "number": self.number + 1})

    def listen(self, seconds: float) -> None:
        """Hear what the server says for a while."""
        until = time.monotonic() + seconds
        while (left := until - time.monotonic()) > 0:
            try:
                facts = json.loads(self.socket.recv(timeout=left))
            except TimeoutError:
                return
            for fact in facts:
                if fact["type"] == "kept":
                    for number in [n for n in self.sent if n <= fact["number"] and n not in self.kept]:
                        self.kept[number] = time.monotonic()

    def record(self, *, click: bool) -> None:
        """A recording begins, with a bar of count-in or freely."""
        how = {
            "freely": not click,
            "count_in": 1 if click else None,
            "tempo": {"name": "one-tempo", "qpm": 100} if click else None,
        }
        self.tell(
            {
                "type": "record-start",
                "origin_us": self.now_us(),
                "now_us": self.now_us(),
                "epoch_us": EPOCH_US,
                "bar": 2,
                **how,
            }
        )
        self.listen(0.3)

    def play(self, seconds: float) -> None:
        """Notes at an even pace."""
        rng = random.Random(1)
        began = time.monotonic()
        for k in range(round(seconds * NOTES_A_SECOND)):
            self.listen(max(began + k / NOTES_A_SECOND - time.monotonic(), 0.0))
            self.stroke(rng.randrange(48, 84))

    def waited_ms(self) -> list[float]:
        """How long each stroke took to be kept."""
        return sorted((self.kept[n] - at) * 1000 for n, at in self.sent.items() if n in self.kept)


def piece_on(server: Server) -> str:
    """A piece of BARS bars on the shelf of a server that is stopped."""
    library = Library(server.data / "library.sqlite")
    piece = library.add(random_piece(3, "4/4", BARS))
    library.close()
    return piece


def median_and_95(values: list[float]) -> tuple[float, float]:
    return statistics.median(values), values[int(len(values) * 0.95)]


def loss_ms(server: Server, piece: str, after_s: float) -> float:
    """How many milliseconds of playing are not in the journal after a kill."""
    player = Player(server, piece)
    player.record(click=True)
    player.play(after_s)
    player.listen(random.Random(round(after_s * 100)).random() / NOTES_A_SECOND)
    killed = time.monotonic()
    server.stop(signal.SIGKILL)
    with sqlite3.connect(server.data / "library.sqlite") as disk:
        there = {row[0] - EPOCH_US for row in disk.execute("select at_us from journal where kind = 'down'")}
    disk.close()
    struck = {n: round((at - player.begun) * 1e6) for n, at in player.sent.items()}
    lost = [at for n, at in player.sent.items() if not any(abs(struck[n] - t) < 3000 for t in there)]
    with contextlib.suppress(ConnectionClosed, OSError):
        player.socket.close()
    return (killed - min(lost)) * 1000 if lost else 0.0


def measure() -> dict[str, tuple[float, str]]:
    """What ``make bench`` keeps: strokes to kept at NOTES_A_SECOND, freely and with a click (wanted.

    95th of 100 at most 60 ms, and at most three times that of free recording), and what a kill costs (at most 100
    ms).
    """
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder) / "library")
        server.stop()
        piece = piece_on(server)
        server.start()
        found = {}
        for click in (False, True):
            player = Player(server, piece)
            player.record(click=click)
            player.play(SECONDS)
            player.listen(1.0)
            found[click] = median_and_95(player.waited_ms())
            player.tell({"type": "record-stop", "end_us": player.now_us()})
            player.listen(2.0)
            player.socket.close()
        losses = []
        for k in range(KILLS):
            losses.append(loss_ms(server, piece, 1.0 + (k * 37 % 100) / 100))
            server.start()
        server.stop()
    losses.sort()
    return {
        "kept_free_ms": (round(found[False][0], 1), "ms"),
        "kept_free_p95_ms": (round(found[False][1], 1), "ms"),
        "kept_click_ms": (round(found[True][0], 1), "ms"),
        "kept_click_p95_ms": (round(found[True][1], 1), "ms"),
        "kept_click_against_free": (round(found[True][1] / found[False][1], 2), "ratio"),
        "kill_loss_p95_ms": (round(losses[int(len(losses) * 0.95)], 1), "ms"),
    }


if __name__ == "__main__":
    for name, (value, words) in measure().items():
        print(f"{name:28} {value:10} {words}")
