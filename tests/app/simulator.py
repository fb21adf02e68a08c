"""A deterministic simulation of the server's shell.

Rooms, chairs, timers, jobs, the journal and the disk are the real ones, on an event loop whose clock stands still until
nothing else can be done. Several windows of one piece step, undo, record, lose their connection and are loaded again,
and the server is killed, in an order that a seed decides. Work of threads runs on the loop after a delay that is drawn,
so that its order is drawn, too; the disk refuses when the seed says so. At the end every window is connected and has
time to settle. Then

- every stroke that a window was told to be kept is in the journal or on the page, and none is there twice;
- without undo, each stroke that was to be written stands on the page (where the place of its window was lost: in the
  journal); none ever stands there twice;
- every window has the piece at the latest revision, and nothing waits to be sent or engraved;
- the piece on disk is the piece in memory, and undoing and redoing everything gives it again;
- nothing is engraved any more, and nothing went wrong inside.
"""

from __future__ import annotations

import asyncio
import contextlib
import json
import random
import shutil
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ductus.app.document.desk import Desk
from ductus.app.library import Library
from ductus.core.errors import NotKept
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.piece import Piece
from ductus.core.time.ticks import QUARTER
from ductus.store.journal import read_journal
from ductus.web.rooms import Rooms
from tests.app.driving import EPOCH_US
from tests.app.simulated import Disk, Loop, Paced, Plain

SETTLE_S = 12.0
AWAY_S = 130.0  # longer than a recording waits for a window that is away
TURNS = 30
APART = 60 * 4 * QUARTER  # sixty bars between the pens


class Wire:
    """The server's end of a connection, and the window's: frames arrive after a delay, or never."""

    def __init__(self, world: World, window: Window) -> None:
        self._world, self._window = world, window
        self._inbox: asyncio.Queue[dict[str, Any]] = asyncio.Queue()
        self._up, self._down = 0.0, 0.0  # when the last frame arrives in each direction: none overtakes another
        self.open = True

    async def receive(self) -> dict[str, Any]:
        return await self._inbox.get()

    async def send_text(self, data: str) -> None:
        if self.open:
            self._down = max(self._down + 1e-6, self._world.loop.time() + self._world.lag())
            self._world.loop.call_at(self._down, self._arrive, data)

    def _arrive(self, data: str) -> None:
        if self.open:
            for fact in json.loads(data):
                self._window.hear(fact)

    async def close(self, code: int = 1000) -> None:
        self.cut(code)

    def to_server(self, text: str) -> None:
        self._up = max(self._up + 1e-6, self._world.loop.time() + self._world.lag())
        self._world.loop.call_at(self._up, self._come, {"type": "websocket.receive", "text": text})

    def _come(self, event: dict[str, Any]) -> None:
        if self.open:
            self._inbox.put_nowait(event)

    def cut(self, code: int = 1006) -> None:
        """The connection is lost, with everything that is on its way."""
        if self.open:
            self.open = False
            self._inbox.put_nowait({"type": "websocket.disconnect", "code": code})


@dataclass
class Window:
    """A browser window, as `web/src/session/connection.ts` has it: numbers, keeps and sends again."""

    world: World
    name: int
    token: str = ""
    wire: Wire | None = None
    welcomed: bool = False
    handled: int | None = None
    last: int = 0
    queue: dict[int, dict[str, Any]] = field(default_factory=dict)
    kept: set[int] = field(default_factory=set)
    strokes: dict[int, tuple[int, int]] = field(default_factory=dict)  # number of a message: key and velocity
    saved: int = 0
    revision: int = -1
    lost_place: set[tuple[int, int]] = field(default_factory=set)
    problems: list[str] = field(default_factory=list)
    waiting_systems: set[tuple[int, int]] = field(default_factory=set)
    down: bool = False
    recording: bool = False
    lifted: bool = False  # whether its pen is down when a stroke is done cannot be told any more

    def connect(self, fresh: bool) -> None:
        """Open a connection."""
        self.wire, self.welcomed = Wire(self.world, self), False
        self.world.seat(self.wire, self.token, fresh)

    def send(self, message: dict[str, Any], stroke: tuple[int, int] | None = None) -> None:
        """Give a message its number, keep it until it is saved, and send it if the server listens."""
        self.last += 1
        self.queue[self.last] = message
        if stroke:
            self.strokes[self.last] = stroke
        if self.welcomed:
            self._put(self.last)

    def _put(self, number: int) -> None:
        message = self.queue[number]
        if message["type"] == "keys":
            message = {**message, "number": number, "again": message["again"] or number in self.kept}
            self.kept.add(number)  # from now on it may be on disk without our knowing
        assert self.wire is not None
        self.wire.to_server(json.dumps({"n": number, "do": message}))

    def hear(self, fact: dict[str, Any]) -> None:
        """Fold a fact."""
        match fact["type"]:
            case "welcome":
                self._welcomed(fact)
            case "saved":
                self.saved = max(self.saved, fact["number"])
                self.queue = {n: m for n, m in self.queue.items() if n > fact["number"]}
            case "kept":
                told = {n for n in self.strokes if n <= fact["number"]}
                self.world.told_kept |= {self.strokes[n] for n in told}
            case "state":
                self.revision = fact["revision"]
            case "pen":
                self.down = fact["down"]
            case "sheet":
                self.waiting_systems = {(s["first"], s["last"]) for s in fact["systems"] if s["key"] is None}
            case "system":
                self.waiting_systems.discard((fact["first"], fact["last"]))
            case "problem":
                self.problems.append(fact["message"])

    def _welcomed(self, fact: dict[str, Any]) -> None:
        self.token, handled = fact["token"], fact["handled"]
        if self.saved and not fact["resumed"]:
            self.problems.append(f"went wrong inside: window {self.name} lost its place, though it was saved")
        if fact["resumed"]:
            self.queue = {n: m for n, m in self.queue.items() if n > handled}
        elif self.queue:
            strokes = [(n, m) for n, m in sorted(self.queue.items()) if m["type"] == "keys"]
            self.lost_place |= {self.strokes[n] for n, _ in strokes if n in self.strokes}
            old, self.queue = dict(self.strokes), {}
            self.last = handled
            for n, message in strokes:
                self.last += 1
                self.queue[self.last] = {**message, "again": True, "only_sound": True}
                if n in old:
                    self.strokes[self.last] = old[n]
        self.last = max(self.last, handled)
        self.welcomed = True
        for number in sorted(self.queue):
            self._put(number)


class World:
    """The server with its library, the windows, and the seed's decisions."""

    def __init__(self, seed: int, folder: Path) -> None:
        self.rng = random.Random(seed)
        self.loop = Loop(self.rng)
        self.folder, self.lives = folder, 0
        self.disk = Disk()
        self.windows: list[Window] = []
        self.told_kept: set[tuple[int, int]] = set()
        self.struck: list[tuple[int, int]] = []
        self.undone = False
        self.tasks: set[asyncio.Task[None]] = set()
        self.dead: list[Library] = []  # libraries of servers that were killed: nothing is written to them any more
        self._count = self.engraved = 0
        self.library = self._open(folder / "0" / "library.db")
        self.piece_id = self.library.add(new_piece("keys", "Simulated"))
        self.desk: Desk = self.library.desk(self.piece_id)
        self.first = self.desk.piece

    def lag(self) -> float:
        """Seconds that a frame is on its way."""
        return self.rng.choice((0.001, 0.005, 0.04))

    def _open(self, path: Path) -> Library:
        library = Library(path, engraver=Plain(), journal=Paced)
        library.journal.loop = self.loop  # type: ignore[attr-defined]
        self.disk.watch(library.database)
        self.rooms = Rooms(library.journal, (self.loop.time, lambda: EPOCH_US / 1e6 + self.loop.time()))
        self.rooms.begin(self.loop)
        return library

    def seat(self, wire: Wire, token: str, fresh: bool) -> None:
        """Serve a connection."""

        async def serve() -> None:
            with contextlib.suppress(NotKept):
                await self.rooms.serve(wire, self.library.desk(self.piece_id), token, fresh)
            wire.cut()

        task = self.loop.create_task(serve())
        self.tasks.add(task)
        task.add_done_callback(self.tasks.discard)

    # --- what may happen ----------------------------------------------------------------------

    def step(self, window: Window) -> None:
        """A key is struck and let go: a note of its own, known by its key and velocity."""
        self._count += 1
        key, velocity = 36 + self._count % 50, 1 + self._count // 50
        now = round(self.loop.time() * 1e6)
        events = [
            {"at_us": now, "kind": "down", "key": key, "value": velocity, "channel": 0},
            {"at_us": now + 1000, "kind": "up", "key": key, "value": 0, "channel": 0},
        ]
        message = {
            "type": "keys",
            "epoch_us": EPOCH_US,
            "events": events,
            "only_sound": False,
            "again": False,
            "number": 0,
        }
        if window.down and not window.recording and not window.lifted:
            self.struck.append((key, velocity))
        window.send(message, (key, velocity))

    def command(self, window: Window, **command: Any) -> None:
        window.send({"type": "command", "do": command, "at_us": round(self.loop.time() * 1e6)})

    def travel(self, window: Window, do: str) -> None:
        self.undone = True
        window.send({"type": "travel", "do": do, "base": None})

    def record(self, window: Window) -> None:
        """A recording begins, played freely; or it ends, and is read."""
        now = round(self.loop.time() * 1e6)
        if window.recording:
            window.send({"type": "record-stop", "end_us": now, "epoch_us": EPOCH_US, "drop": False})
        else:
            start = {"origin_us": now, "now_us": now, "epoch_us": EPOCH_US, "bar": window.name * 60}
            how = {"freely": True, "tempo": None, "count_in": None, "proof": False}
            window.send({"type": "record-start", **start, **how})
        window.recording = not window.recording

    def cut(self, window: Window) -> None:
        """The connection is lost for a while."""
        if window.wire is not None:
            window.wire.cut()
            window.welcomed = False

    def reload(self, window: Window) -> None:
        """The window is loaded again: it has its token and what it had not sent."""
        self.cut(window)
        window.connect(True)

    def kill(self) -> None:
        """The server dies at once; another is started on what is on disk."""
        for window in self.windows:
            self.cut(window)
        for task in asyncio.all_tasks(self.loop):
            if task is not asyncio.current_task(self.loop):
                task.cancel()
        self.library.journal._closing.set()
        self.lives += 1
        old, new = self.folder / str(self.lives - 1), self.folder / str(self.lives)
        shutil.copytree(old, new, ignore=shutil.ignore_patterns("*.lock", "*-shm"))
        self.library.database.transaction = _gone  # type: ignore[method-assign]
        self.dead.append(self.library)
        self.library = self._open(new / "library.db")
        self.desk = self.library.desk(self.piece_id)

    async def live(self) -> None:
        """Random things, then rest."""
        for name in range(self.rng.choice((1, 1, 2, 3))):
            self.windows.append(Window(self, name))
            self.windows[-1].connect(False)
        await asyncio.sleep(1)
        for window in self.windows:  # far from each other: a pen replaces what is there
            self.command(window, name="place", part="p1", staff=1, tick=window.name * APART)
            self.command(window, name="pen", down=True)
        await asyncio.sleep(1)
        undoes, records = self.rng.random() < 0.5, self.rng.random() < 0.3
        for _ in range(self.rng.randint(5, TURNS)):
            await self._turn(undoes, records)
            await asyncio.sleep(self.rng.choice((0, 0.001, 0.01, 0.05, 0.3, 2)))
        self.disk.full = False
        for wait in (AWAY_S if records else SETTLE_S, SETTLE_S):
            for window in self.windows:
                if window.wire is None or not window.wire.open:
                    window.connect(False)
            await asyncio.sleep(wait)
        self.engraved = self.library.engraver.count  # type: ignore[attr-defined]
        await asyncio.sleep(1)

    async def _turn(self, undoes: bool, records: bool) -> None:
        window = self.rng.choice(self.windows)
        draw = self.rng.random()
        if draw < 0.5:
            self.step(window)
        elif draw < 0.6:
            self.command(window, name="value", base=self.rng.choice(("quarter", "eighth", "half")))
        elif draw < 0.63:
            self.command(window, name="pen", down=not window.down)
            window.lifted = True
        elif draw < 0.7 and undoes:
            self.travel(window, self.rng.choice(("undo", "undo", "redo")))
        elif draw < 0.8:
            self.cut(window)
        elif draw < 0.86:
            self.reload(window)
        elif draw < 0.9:
            self.disk.full = not self.disk.full
        elif draw < 0.93:
            self.step(window)
            await asyncio.sleep(self.rng.choice((0, 0.004, 0.012, 0.05)))  # in the middle of it
            self.kill()
        elif draw < 0.96 and records:
            self.record(window)
        elif window.wire is None or not window.wire.open:
            window.connect(False)

    def run(self) -> None:
        """Live, then check."""
        asyncio.set_event_loop(self.loop)
        try:
            self.loop.run_until_complete(self.live())
            self.check()
        finally:
            tasks = asyncio.all_tasks(self.loop)
            for task in tasks:
                task.cancel()
            self.loop.run_until_complete(asyncio.gather(*tasks, return_exceptions=True))
            self.loop.close()
            asyncio.set_event_loop(None)
            for library in (*self.dead, self.library):
                library.database.close()

    # --- what must hold -----------------------------------------------------------------------

    def check(self) -> None:
        """Everything that the module's docstring names. Raises AssertionError."""
        desk = self.library.desk(self.piece_id)
        problems = [p for w in self.windows for p in w.problems]
        assert not [p for p in problems if "went wrong inside" in p], problems
        with self.library.database.transaction() as connection:
            heard = read_journal(connection, self.piece_id, 0, 2**62)
        journal = Counter((h.key, h.value) for h in heard if h.kind == "down")
        page = Counter((n.pitch.midi, n.velocity) for n in desk.piece.notes.values())
        missing = self.told_kept - set(journal) - (set(self.struck) if self.undone else set(page))
        assert not missing, f"told to be kept, and neither in the journal nor on the page: {missing}"
        assert not [s for s, n in journal.items() if n > 1], "a stroke is in the journal twice"
        assert not [s for s, n in page.items() if n > 1], "a stroke stands on the page twice"
        if not self.undone:
            lost = set(self.struck) - set(page) - {s for w in self.windows for s in w.lost_place}
            assert not lost, f"struck with the pen down, and not on the page: {lost}"
        drawn = self.library.engraver.count  # type: ignore[attr-defined]
        assert drawn == self.engraved, "systems are engraved again and again, though nothing is done"
        for window in self.windows:
            assert window.welcomed, f"window {window.name} is not connected"
            assert not window.queue, f"window {window.name} still has {len(window.queue)} messages to send"
            assert window.revision == desk.history.revision, f"window {window.name} shows an old page"
            assert not window.waiting_systems, f"window {window.name} waits for {window.waiting_systems}"
        self._check_history(desk)

    def _check_history(self, desk: Desk) -> None:
        now = records(desk.piece)
        desk.reload()
        assert records(desk.piece) == now, "the piece on disk is another than the one in memory"
        steps = 0
        while desk.history.undo is not None:
            desk.undo(desk.history.revision)
            steps += 1
        assert records(desk.piece) == records(self.first), "undoing everything does not give the first page"
        while desk.history.redo is not None and steps:
            desk.redo(desk.history.revision)
            steps -= 1
        assert records(desk.piece) == now, "redoing everything does not give the last page"


@contextlib.contextmanager
def _gone() -> Iterator[Any]:
    raise NotKept("The server was killed.")
    yield


def records(piece: Piece) -> dict[str, object]:
    """The rows of a piece."""
    return {n.id: n for n in piece.notes.values()}
