"""WebSockets: who sits at which desk, the order of messages, and engraving that fills in behind."""

from __future__ import annotations

import asyncio
import contextlib

from fastapi import WebSocket, WebSocketDisconnect
from pydantic import TypeAdapter, ValidationError

from ductus.app.desk import Desk
from ductus.core.errors import DuctusError
from ductus.core.score.changes import Change
from ductus.web import schemas as s
from ductus.web.reading_side import Job, readings_out
from ductus.web.seat import Seat, sheet_out

JOURNAL_SECONDS = 0.2  # everything heard is on disk within 250 ms
QUIET_SECONDS = 0.12  # after an edit, before its readings are worked out again
NO_READINGS = s.ReadingsOut(readings=())
INCOMING: TypeAdapter[s.ClientMessage] = TypeAdapter(s.ClientMessage)


class Chair:
    """One connection: its seat, and the messages that wait to be sent to it."""

    def __init__(self, room: Room, socket: WebSocket) -> None:
        self.room, self.socket = room, socket
        self.outbox: asyncio.Queue[str] = asyncio.Queue()
        self.pending: list[tuple[bool, s.Out]] = []
        self.seat = Seat(room.desk, self._to_me, self._to_all)
        self.seq = 0
        self.ready = False  # has it the list of systems? Only then do single systems make sense to it
        self._timer: asyncio.TimerHandle | None = None
        self._player: asyncio.Task[None] | None = None
        self._order = asyncio.Lock()

    def _to_me(self, message: s.Out) -> None:
        self.pending.append((False, message))

    def _to_all(self, message: s.Out) -> None:
        self.pending.append((True, message))

    def _distribute(self) -> None:
        pending, self.pending = self.pending, []
        for everyone, message in pending:
            self.room.post(message, self.room.chairs if everyone else [self], self)

    async def run(self) -> None:
        """Serve the connection until it closes."""
        tasks = [asyncio.create_task(self._send()), asyncio.create_task(self._keep_journal())]
        try:
            await self._work(self.seat.open)
            self.ready = True
            self.room.greet(self)
            self.room.wake()
            while True:
                text = await self.socket.receive_text()
                await self._receive(text)
        except WebSocketDisconnect:
            pass
        finally:
            if self._timer:
                self._timer.cancel()
            if self._player:
                self._player.cancel()
            for task in tasks:
                task.cancel()
            self.seat.close()  # at once and here: a server that is being stopped would not come back to it
            self._distribute()
            with contextlib.suppress(asyncio.CancelledError):
                await asyncio.gather(*tasks, return_exceptions=True)

    async def _receive(self, text: str) -> None:
        self.seq += 1
        try:
            message = INCOMING.validate_json(text)
        except ValidationError as error:
            first = error.errors()[0]
            place = ".".join(str(x) for x in first["loc"])
            self._to_me(
                s.ProblemOut(message=f"That message was not understood ({place}: {first['msg']}); nothing was changed.")
            )
            self._distribute()
            return
        await self._work(lambda: self.seat.handle(message))
        self._to_me(s.DoneOut(seq=self.seq))
        self._distribute()

    async def _work(self, what: object) -> None:
        """Run something of the seat in a thread, engrave the system at the pen, send what came of it."""
        async with self._order:
            await asyncio.to_thread(self._run, what)
            self._distribute()
            self._set_timer()
        jobs, self.seat.jobs = self.seat.jobs, []
        for job in jobs:
            self.room.start(self, job)
        if self.seat.live is not None and (self._player is None or self._player.done()):
            self._player = asyncio.create_task(self._show_playing())
        self.room.wake()

    async def _show_playing(self) -> None:
        """While a recording with a click goes on, show twice a beat what was played."""
        while self.seat.live is not None and self.seat.recording is not None:
            qpm = self.seat.recording.plan.qpm or 100.0
            await asyncio.sleep(min(max(30 / qpm, 0.15), 1.0))
            await self._work(self.seat.live_step)

    async def make(self, revision: int, change: Change) -> bool:
        """Make a change that was worked out on ``revision``; False if that is not the state any more."""
        done: list[bool] = []
        await self._work(lambda: done.append(self.seat.write_if(revision, change)))
        return bool(done) and done[0]

    def _run(self, what: object) -> None:
        what()  # type: ignore[operator]
        if self.seat.near_system_is_due():
            engraved = self.seat.engrave_one()
            if engraved is not None:
                self._to_all(engraved)

    def _set_timer(self) -> None:
        wake, self.seat.wake_us = self.seat.wake_us, None
        if wake is not None:
            if self._timer:
                self._timer.cancel()
            loop = asyncio.get_running_loop()
            self._timer = loop.call_later(wake / 1e6 + 0.001, lambda: loop.create_task(self._work(self.seat.waited)))

    async def _send(self) -> None:
        """Send what waits in one frame, as a list: the browser then draws once for all that came of a key."""
        while True:
            waiting = [await self.outbox.get()]
            while not self.outbox.empty():
                waiting.append(self.outbox.get_nowait())
            await self.socket.send_text(f"[{','.join(waiting)}]")

    async def _keep_journal(self) -> None:
        while True:
            await asyncio.sleep(JOURNAL_SECONDS)
            if self.seat.journal:
                await asyncio.to_thread(self.seat.flush_journal)


class Room:
    """All chairs at one desk, and the task that engraves what waits."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.chairs: list[Chair] = []
        self._wake = asyncio.Event()
        self._filler: asyncio.Task[None] | None = None
        self._teller: asyncio.Task[None] | None = None
        self._jobs: set[asyncio.Task[None]] = set()
        self._one_job = asyncio.Lock()
        self._told = ""
        self._told_for = -1

    def wake(self) -> None:
        """Something may wait to be engraved."""
        self._wake.set()
        if self._filler is None or self._filler.done():
            self._filler = asyncio.create_task(self._fill())
        if self._told_for != self.desk.history.revision and (self._teller is None or self._teller.done()):
            self._teller = asyncio.create_task(self._tell_readings())

    async def _tell_readings(self) -> None:
        """Say how the takes on the page were read, once the page has been quiet for a moment."""
        while self._told_for != (revision := self.desk.history.revision):
            await asyncio.sleep(QUIET_SECONDS)
            if revision != self.desk.history.revision:
                continue
            message = await asyncio.to_thread(readings_out, self.desk) if len(self.desk.piece.readings) else NO_READINGS
            self._told_for = revision
            text = message.model_dump_json()
            if text != self._told:
                self._told = text
                for chair in self.chairs:
                    chair.outbox.put_nowait(text)

    def greet(self, chair: Chair) -> None:
        """A browser that comes later gets what the others were told."""
        if self._told:
            chair.outbox.put_nowait(self._told)

    def start(self, chair: Chair, job: Job) -> None:
        """Begin long work for one of the chairs; jobs of a room run one after the other."""
        task = asyncio.create_task(self._run_job(chair, job))
        self._jobs.add(task)
        task.add_done_callback(self._jobs.discard)

    async def _run_job(self, chair: Chair, job: Job) -> None:
        async with self._one_job:
            self.post(s.BusyOut(words=job.words), self.chairs)
            try:
                done = False
                while not done:
                    revision, piece = chair.seat.snapshot()
                    change = await asyncio.to_thread(job.work, piece)
                    done = await chair.make(revision, change)
            except DuctusError as error:
                self.desk.end_preview()
                self.post(sheet_out(self.desk), self.chairs)
                self.post(s.ProblemOut(message=str(error)), [chair])
            finally:
                self.post(s.BusyOut(words=""), self.chairs)
        self.wake()

    async def _fill(self) -> None:
        while self.chairs:
            self._wake.clear()
            for chair in [c for c in self.chairs if c.ready]:
                while (engraved := await asyncio.to_thread(chair.seat.engrave_one)) is not None:
                    self.post(engraved, self.chairs)
                    await asyncio.sleep(0.005)
            try:
                await asyncio.wait_for(self._wake.wait(), 5)
            except TimeoutError:
                return

    def post(self, message: s.Out, chairs: list[Chair], sender: Chair | None = None) -> None:
        """Put a message into the outboxes of some of the chairs."""
        text = message.model_dump_json()
        for chair in chairs:
            if isinstance(message, s.SystemOut) and not (chair.ready or chair is sender):
                continue
            chair.outbox.put_nowait(text)
            if isinstance(message, s.SystemOut):
                chair.seat.known.add(message.key)

    def close(self) -> None:
        """Nobody is left."""
        for task in (self._filler, self._teller):
            if task:
                task.cancel()


class Rooms:
    """The rooms of all open pieces."""

    def __init__(self) -> None:
        self._rooms: dict[str, Room] = {}

    async def serve(self, socket: WebSocket, desk: Desk) -> None:
        """Seat a browser at a desk until it leaves."""
        room = self._rooms.get(desk.piece_id)
        if room is None or room.desk is not desk:
            room = self._rooms[desk.piece_id] = Room(desk)
        chair = Chair(room, socket)
        room.chairs.append(chair)
        try:
            await chair.run()
        finally:
            room.chairs.remove(chair)
            if not room.chairs:
                room.close()
                self._rooms.pop(desk.piece_id, None)

    def notify(self, desk: Desk) -> None:
        """Tell the browsers at a desk that the piece was changed from elsewhere (over REST)."""
        room = self._rooms.get(desk.piece_id)
        if room is None:
            return
        for chair in room.chairs:
            chair.pending += [(False, chair.seat.state_out())]
            chair._distribute()
        room.wake()
