"""Long pieces, long takes, many takes, and a process that is killed while somebody plays.

Used by ``bench/speed.py``; also ``python bench/long.py read N`` reads N notes and prints seconds and megabytes.
"""

from __future__ import annotations

import asyncio
import json
import random
import resource
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))

from tests.app.driving import Sitter
from tests.building import random_piece
from tests.ui.conftest import Server
from websockets.asyncio.client import connect

from ductus.app import wire as m
from ductus.app.library import Library
from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.entry.commands.pen import PenTo, PlacePen
from ductus.core.reading.model import ReadSettings
from ductus.core.reading.pipeline import read
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.note_edits.pitches import ByInterval
from ductus.core.time.meters import parse_meter
from ductus.core.time.pulse_map import steady_map
from ductus.demo.player import play
from ductus.formats.musicxml_write import write_musicxml
from ductus.web.runtime import keys_first

QPM = 96
BARS = 200
KILLS = 20


def long_take(count: int) -> Take:
    """Played notes at a click, as many as are wanted: a random piece of 200 bars again and again."""
    once = play(random_piece(3, "4/4", BARS), range(BARS), 1, QPM, start_us=0)
    span = round(BARS * 4 * 60e6 / QPM)
    notes: list[PlayedNote] = []
    while len(notes) < count:
        shift = len(notes) // len(once) * span
        notes += [PlayedNote(n.onset_us + shift, n.release_us + shift, n.key, n.velocity) for n in once]
    return Take(tuple(sorted(notes[:count], key=lambda n: (n.onset_us, n.key))))


def read_notes(count: int) -> tuple[float, float]:
    """Seconds and megabytes (the most that was resident) to read so many notes in a process of its own."""
    out = subprocess.run([sys.executable, __file__, "read", str(count)], check=True, capture_output=True, text=True)
    seconds, megabytes = out.stdout.split()
    return float(seconds), float(megabytes)


def export_seconds(bars: int) -> float:
    """Seconds to write MusicXML of so many bars on two staves, nothing engraved before."""
    piece = random_piece(1, "4/4", bars)
    started = time.perf_counter()
    write_musicxml(piece)
    return time.perf_counter() - started


def large_edit_ms(bars: int = 2000) -> dict[str, float]:
    """Milliseconds until an edit of all notes of a piece is answered, the longest that a key waits beside it, and
    until its undo and redo are answered.
    """
    with tempfile.TemporaryDirectory() as tmp, keys_first():
        library = Library(Path(tmp) / "l.sqlite")
        piece_id = library.add(random_piece(1, "4/4", bars))
        editor, player = Sitter(library, piece_id), Sitter(library, piece_id)
        end = editor.piece.timeline.bar(bars + 2).start
        player.give(PlacePen(next(iter(editor.piece.parts)), 1, end)).give(PenTo(True))
        waits: list[float] = []
        done = threading.Event()

        def plays() -> None:
            while not done.is_set():
                at = len(waits) * 200_000
                for event in ((at, "down", 60, 70), (at + 90_000, "up", 60, 0)):
                    started = time.perf_counter()
                    player.hear(event)
                    waits.append((time.perf_counter() - started) * 1000)
                time.sleep(0.03)

        def timed(what: Callable[[], object]) -> float:
            started = time.perf_counter()
            what()
            return (time.perf_counter() - started) * 1000

        editor.everything()
        ids, base = tuple(editor.selected), editor.desk.history.revision
        keys = threading.Thread(target=plays)
        started = time.perf_counter()
        turn = editor.session.handle(m.EditNotes(base, ByInterval(1, 2), ids))
        asked = (time.perf_counter() - started) * 1000
        keys.start()
        editor._take(turn)  # carries it out
        edited = editor.said
        done.set()
        keys.join()
        while editor.desk.history.undo not in (edited, None):
            editor.undo()
        figures = {"asked": asked, "key_beside": max(waits), "undo": timed(editor.undo), "redo": timed(editor.redo)}
        library.close()
    return figures


def with_takes(library: Library, piece_id: str, takes: int = 30, notes: int = 3000) -> None:
    """Put takes beside a piece."""
    take = long_take(notes)
    desk = library.desk(piece_id)
    for _ in range(takes):
        desk.keep_take(take, "free", {})


async def _play_until_killed(server: Server, piece: str, seconds: float) -> list[int]:
    """Play 40 strokes a second, 20 % of them in bursts of ten, while a second desk engraves.

    Returns the stamps that were sent.
    """
    sent: list[int] = []
    headers = {"Origin": server.url}
    address = f"ws://127.0.0.1:{server.port}/api/pieces/{piece}/desk"
    try:
        async with connect(address, additional_headers=headers, max_size=None) as socket:

            async def listen() -> None:
                async for _ in socket:
                    pass

            listening = asyncio.create_task(listen())
            began = time.monotonic()
            number = 0
            while time.monotonic() - began < seconds:
                for _ in range(10 if random.random() < 0.02 else 1):
                    stamp = time.time_ns() // 1000
                    number += 1
                    events = [
                        {"at_us": stamp, "kind": "down", "key": 40 + number % 40, "value": 70},
                        {"at_us": stamp, "kind": "up", "key": 40 + number % 40, "value": 0},
                    ]
                    await socket.send(json.dumps({"type": "keys", "epoch_us": 0, "events": events, "number": number}))
                    sent.append(stamp)
                await asyncio.sleep(0.025)
            server.process.kill()
            listening.cancel()
    except OSError:
        pass
    return sent


def journal_lost_ms(kills: int = KILLS) -> list[float]:
    """Milliseconds of playing that a SIGKILL loses, for each of so many kills.

    From the last stroke on disk to the last that was sent.
    """
    lost = []
    rng = random.Random(1)
    with tempfile.TemporaryDirectory() as folder:
        data = Path(folder) / "data"
        data.mkdir()
        library = Library(data / "library.sqlite")
        piece = library.add(random_piece(1, "4/4", 60))
        library.add(new_piece())
        library.close()
        server = Server(data)
        for _ in range(kills):
            sent = asyncio.run(_play_until_killed(server, piece, 1.5 + rng.random()))
            server.process.join(20)
            with sqlite3.connect(data / "library.sqlite") as connection:
                last = connection.execute("select max(at_us) from journal").fetchone()[0] or sent[0]
            lost.append(max(sent[-1] - last, 0) / 1000)
            server.start()
        server.stop()
    return sorted(lost)


def main() -> None:
    """Read so many notes and print seconds and megabytes."""
    take = long_take(int(sys.argv[2]))
    started = time.perf_counter()
    read(take, steady_map(QPM, 0, 0), ReadSettings(meter=parse_meter("4/4")))
    print(time.perf_counter() - started, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)


if __name__ == "__main__":
    main()
