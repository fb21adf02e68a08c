"""Who sits at which desk, long work there, and engraving that fills in behind.

Everything of a desk runs in worker threads; this module carries facts out, and decides nothing. ``chair`` is one
connection.
"""

from __future__ import annotations

import asyncio
import logging
import secrets
import time
from collections.abc import Callable, Coroutine, Sequence
from concurrent.futures import ThreadPoolExecutor
from concurrent.futures import TimeoutError as NotYet
from typing import Any

from ductus.app import wire as m
from ductus.app.document.desk import DELETED, Desk
from ductus.app.document.jobs import Job, carry_out
from ductus.app.document.journal_writer import Journal
from ductus.app.session.outbox import Sent
from ductus.app.session.seat import is_token
from ductus.app.session.session import Session
from ductus.app.takes.reading_views import all_shown
from ductus.core.errors import DuctusError
from ductus.core.score.model.changes import Change
from ductus.web.chair import NOT_DRAWN, Chair, Socket, went_wrong
from ductus.web.wire import fact_json

QUIET_S = 0.12  # after an edit, before its readings are worked out again
TELL_SHARE_S = 0.2  # how often long work says how far it is
AWAY_S = 120.0  # a recording waits so long for a browser that is away, then it is kept as a take
REST_S = 300.0  # a room that nobody is in is kept so long
PAUSE_S, MOST_PAUSES = 0.12, 8  # between keys, before what lies beside the pen is engraved
WORK_FIRST_S = 3.0  # so long it also waits for long work
Clocks = tuple[Callable[[], float], Callable[[], float]]
NO_READINGS = m.ReadingsFact(())
log = logging.getLogger(__name__)


class Room:
    """All chairs at one desk, the long work there, and the task that engraves what waits."""

    def __init__(self, desk: Desk, journal: Journal, outside: dict[str, Job], clocks: Clocks) -> None:
        """``outside`` are jobs that came over REST, by piece."""
        self.desk, self.journal, self._outside, self._clocks = desk, journal, outside, clocks
        self.chairs: list[Chair] = []
        self.sessions: dict[str, Session] = {}  # by the token of their browser, connected or not
        self.left: dict[str, asyncio.TimerHandle] = {}  # recordings of browsers that are away, until they are ended
        self._wake = asyncio.Event()
        self._filler: asyncio.Task[None] | None = None
        self._teller: asyncio.Task[None] | None = None
        self._jobs: set[asyncio.Task[None]] = set()
        self._one_job = asyncio.Lock()
        self._now: Job | None = None
        self._began = 0.0  # when it did, on the clock of the loop
        self._told = ""
        self._told_for = -1
        self.touched = float("-inf")  # when a key was last struck here, on the clock of the loop

    def busy(self) -> bool:
        """Is somebody here, does long work go on, or a recording whose browser is away?"""
        return bool(self.chairs or self._jobs or self.left or self._going_on())

    def seated(self, token: str) -> Session:
        """The work of a browser: as it left it, or begun. Raises NotKept. Called in a thread."""
        session = self.sessions.get(token)
        if session is None:
            now, wall = self._clocks
            session = self.sessions.setdefault(token, Session(self.desk, self.journal, None, now, wall, token))
        return session

    def came(self, token: str) -> Chair | None:
        """A browser comes (back); returns the connection that had its place, if there is one."""
        timer = self.left.pop(token, None)
        if timer is not None:
            timer.cancel()
        return next((c for c in self.chairs if c.session.seat.token == token), None)

    def gone(self, chair: Chair) -> None:
        """A connection is lost or was closed. A recording goes on for a while, then it is kept as a take."""
        session, token = chair.session, chair.session.seat.token
        if any(c.session is session for c in self.chairs):
            return  # another connection has its place
        session.kept = None
        loop = asyncio.get_running_loop()
        loop.run_in_executor(None, session.rest)
        loop.call_later(REST_S, self._forget, token)
        if session.recorder.recording is not None:
            self.left[token] = loop.call_later(AWAY_S, lambda: loop.create_task(self._give_up(token)))

    def _forget(self, token: str) -> None:
        """A browser that did not come back soon is not kept in memory; its place is on disk."""
        if token not in self.left and not any(c.session.seat.token == token for c in self.chairs):
            self.sessions.pop(token, None)

    async def _give_up(self, token: str) -> None:
        """Nobody came back to a recording: it is kept as a take, and the others are told."""
        self.left.pop(token, None)
        session = self.sessions.get(token)
        if session is None:
            return
        await asyncio.to_thread(session.close)
        for sent in session.collect().facts:
            if sent.everyone:
                self.post(sent.fact)

    def wake(self) -> None:
        """Something may wait to be engraved or told."""
        self._wake.set()
        if self._filler is None or self._filler.done():
            self._filler = asyncio.create_task(self._fill())
        if self._told_for != self.desk.history.revision and (self._teller is None or self._teller.done()):
            self._teller = asyncio.create_task(self._tell_readings())

    async def _tell_readings(self) -> None:
        """Say how the takes on the page were read, once the page has been quiet for a moment."""
        while self._told_for != (revision := self.desk.history.revision):
            await asyncio.sleep(QUIET_S)
            if revision != self.desk.history.revision:
                continue
            self._told_for = revision
            fact = NO_READINGS
            if len(self.desk.piece.readings):
                try:
                    fact = m.ReadingsFact(tuple(await asyncio.to_thread(all_shown, self.desk)))
                except Exception as error:
                    self.post(went_wrong("How the takes were read cannot be told", error))
                    continue
            text = fact_json(fact)
            if text != self._told:
                self._told = text
                for chair in self.chairs:
                    chair.outbox.put_nowait(text)

    def greet(self, chair: Chair) -> None:
        """A browser that comes later gets what the others were told."""
        if self._told:
            chair.outbox.put_nowait(self._told)
        for job in self._going_on():
            chair.post(m.Busy(job.words, round(job.share, 3)))

    # --- long work ------------------------------------------------------------------------

    def start(self, chair: Chair | None, job: Job, done: Callable[[], None] | None = None) -> None:
        """Begin long work, for one of the chairs if it came from there; jobs of a room run one after the other."""
        self.begin(self._run_job(chair, job, done))

    def begin(self, what: Coroutine[Any, Any, None]) -> None:
        """Do something beside, on the loop."""
        task = asyncio.create_task(what)
        self._jobs.add(task)
        task.add_done_callback(self._jobs.discard)

    def stop_work(self) -> None:
        """Stop what goes on."""
        for job in self._going_on():
            job.stop()

    def _going_on(self) -> list[Job]:
        return [job for job in (self._now, self._outside.get(self.desk.piece_id)) if job is not None]

    async def _run_job(self, chair: Chair | None, job: Job, done: Callable[[], None] | None) -> None:
        async with self._one_job:
            self._now, self._began = job, asyncio.get_running_loop().time()
            self.post(m.Busy(job.words))
            teller = asyncio.create_task(self._tell_share(job))
            try:
                change = await asyncio.to_thread(carry_out, self.desk, job)
                await self._job_done(chair, change)
            except DuctusError as error:
                await self._job_failed(chair, error)
            finally:
                teller.cancel()
                self._now = None
                self.post(m.Busy(""))
                if done is not None:
                    done()
        self.wake()

    async def _tell_share(self, job: Job) -> None:
        told = 0.0
        while True:
            await asyncio.sleep(TELL_SHARE_S)
            if job.share > told:
                told = job.share
                self.post(m.Busy(job.words, round(told, 3)))

    async def _job_done(self, chair: Chair | None, change: Change) -> None:
        speaker = chair if chair in self.chairs else (self.chairs[0] if self.chairs else None)
        if speaker is not None:
            await speaker.told(lambda: speaker.session.job_done(change))
            self.tell_others(speaker)

    def tell_others(self, speaker: Chair) -> None:
        """Tell the other browsers of what was changed where they work."""
        for chair in self.chairs:
            if chair is not speaker and chair.session.has_news:
                self.begin(chair.told(chair.session.news))

    async def _job_failed(self, chair: Chair | None, error: DuctusError) -> None:
        speaker = chair if chair in self.chairs else (self.chairs[0] if self.chairs else None)
        if speaker is not None:
            await speaker.told(lambda: speaker.session.job_failed(error))
        else:
            log.warning("%s", error)

    async def outside_done(self, outcome: Change | DuctusError) -> None:
        """Long work that came over REST is done, or failed."""
        if isinstance(outcome, Change):
            await self._job_done(None, outcome)
        else:
            await self._job_failed(None, outcome)

    async def changed_elsewhere(self) -> None:
        """The piece was changed over REST: all who sit here see it."""

        def facts() -> list[tuple[Chair, m.Fact]]:
            with self.desk.lock:
                return [(chair, fact) for chair in self.chairs for fact in chair.session.own_facts()]

        for chair, fact in await asyncio.to_thread(facts):
            chair.post(fact)
        self.wake()

    # --- facts ------------------------------------------------------------------------------

    async def _fill(self) -> None:
        while self.chairs:
            self._wake.clear()
            for chair in [c for c in self.chairs if c.ready]:
                while chair in self.chairs:  # whoever has left sees nothing, and would never have enough
                    await self._hands_rest()
                    try:
                        engraved = await asyncio.to_thread(chair.session.engraved)
                    except Exception as error:
                        self.post(went_wrong(NOT_DRAWN, error))
                        break
                    if engraved is None:
                        break
                    self.distribute(chair, [Sent(engraved, everyone=True)])
                    await asyncio.sleep(0.005)
            try:
                await asyncio.wait_for(self._wake.wait(), 5)
            except TimeoutError:
                return

    async def _hands_rest(self) -> None:
        """Systems beside the one at the pen wait for long work that is soon done, and for a pause between keys (not
        for long): a key finds the engraver free.
        """
        now = asyncio.get_running_loop().time
        while self._now is not None and now() - self._began < WORK_FIRST_S:
            await asyncio.sleep(PAUSE_S)
        for _ in range(MOST_PAUSES):
            left = self.touched + PAUSE_S - now()
            if left <= 0:
                return
            await asyncio.sleep(left)

    def post(self, fact: m.Fact) -> None:
        """Tell all who sit here."""
        for chair in self.chairs:
            chair.post(fact)

    def each_its_own(self, sender: Chair, facts: Sequence[Sent]) -> list[Sent]:
        """The facts, with what is seen from a window (its pen, its view of the sheet) as it is for each of them.

        Called in a thread.
        """
        others = [c.session for c in self.chairs if c is not sender]
        out = []
        for sent in facts:
            out.append(sent)
            if sent.everyone and isinstance(sent.fact, m.StateFact | m.SheetFact):
                out[-1] = Sent(sent.fact)
                with self.desk.lock:
                    out += [Sent(session.own(sent.fact), to=session) for session in others]
        return out

    def distribute(self, sender: Chair, facts: Sequence[Sent]) -> None:
        """Put facts into the outboxes that they are for.

        Systems go to those who have the list of systems, and show them so.
        """
        for sent in facts:
            text = fact_json(sent.fact)
            chairs = self.chairs if sent.everyone else [sender]
            for chair in chairs if sent.to is None else [c for c in self.chairs if c.session is sent.to]:
                if isinstance(sent.fact, m.SystemFact):
                    if not (chair.ready and chair.session.view == sender.session.view) and chair is not sender:
                        continue
                    chair.session.known.add(sent.fact.key)
                chair.outbox.put_nowait(text)

    def close(self) -> None:
        """Nobody is left."""
        for task in (self._filler, self._teller):
            if task:
                task.cancel()


class Rooms:
    """The rooms of all open pieces. ``notify``, ``deleted`` and ``start`` may be called from any thread."""

    def __init__(self, journal: Journal, clocks: Clocks = (time.monotonic, time.time)) -> None:
        """``clocks``: seconds that only go on, and seconds of the wall clock."""
        self._journal, self._clocks = journal, clocks
        self._rooms: dict[str, Room] = {}
        self._loop: asyncio.AbstractEventLoop | None = None
        self._outside: dict[str, Job] = {}
        self._given: set[str] = set()  # pieces whose work was given from outside and is not over
        self._alone = ThreadPoolExecutor(1, "reading")

    def begin(self, loop: asyncio.AbstractEventLoop) -> None:
        """The server runs."""
        self._loop = loop

    def end(self) -> None:
        """The server stops."""
        self._alone.shutdown(wait=False, cancel_futures=True)

    @property
    def touched(self) -> float:
        """When a key was last struck at any desk, on the clock of the loop."""
        return max((room.touched for room in list(self._rooms.values())), default=float("-inf"))

    async def serve(self, socket: Socket, desk: Desk, token: str, fresh: bool) -> None:
        """Seat a browser at a desk until it leaves.

        ``token`` is that of the place it had ("" or none that can be: it gets one); ``fresh``: its page was opened
        anew.
        """
        room = self._rooms.get(desk.piece_id)
        if room is None or room.desk is not desk:
            room = self._rooms[desk.piece_id] = Room(desk, self._journal, self._outside, self._clocks)
        token = token if is_token(token) else secrets.token_urlsafe(16)
        before = room.came(token)
        if before is not None:
            room.chairs.remove(before)
            await before.taken()
        chair = Chair(room, socket, await asyncio.to_thread(room.seated, token))
        room.chairs.append(chair)
        try:
            await chair.run(fresh)
        finally:
            if chair in room.chairs:
                room.chairs.remove(chair)
            room.gone(chair)
            if not room.chairs:
                asyncio.get_running_loop().call_later(REST_S, self._tidy, room)

    def _tidy(self, room: Room) -> None:
        """Close a room that nobody came back to; what its browsers had is on disk."""
        if room.busy():
            if not room.chairs:
                asyncio.get_running_loop().call_later(REST_S, self._tidy, room)
            return
        room.close()
        if self._rooms.get(room.desk.piece_id) is room:
            del self._rooms[room.desk.piece_id]

    def start(self, desk: Desk, job: Job, wait_s: float) -> bool:
        """Begin long work that came over REST, and wait for it a little. True if it is done."""
        self._given.add(desk.piece_id)
        future = self._alone.submit(self._alone_job, desk, job)
        try:
            future.result(wait_s)
        except NotYet:
            return False
        return True

    def go_on(self, desk: Desk, unfinished: Callable[[], Job | None]) -> None:
        """Go on with work that a stopped server left, unless it goes on already."""
        if desk.piece_id not in self._given and (job := unfinished()) is not None:
            self.start(desk, job, 0)

    def _alone_job(self, desk: Desk, job: Job) -> None:
        def told(share: float) -> None:
            self._tell(desk.piece_id, m.Busy(job.words, round(share, 3)))

        job.told = told
        self._outside[desk.piece_id] = job
        try:
            change = carry_out(desk, job)
            self._call(lambda room: room.begin(room.outside_done(change)), desk.piece_id)
        except DuctusError as error:
            words = error
            self._call(lambda room: room.begin(room.outside_done(words)), desk.piece_id)
        finally:
            self._outside.pop(desk.piece_id, None)
            self._given.discard(desk.piece_id)
            self._tell(desk.piece_id, m.Busy(""))

    def notify(self, desk: Desk) -> None:
        """Tell the browsers at a desk that the piece was changed from elsewhere (over REST)."""

        self._call(lambda room: room.begin(room.changed_elsewhere()), desk.piece_id)

    def deleted(self, piece_id: str, gone: bool) -> None:
        """Tell the browsers at a desk that its piece was deleted, or came back."""
        self._tell(piece_id, m.Gone(DELETED if gone else ""))

    def _tell(self, piece_id: str, fact: m.Fact) -> None:
        self._call(lambda room: room.post(fact), piece_id)

    def _call(self, what: Callable[[Room], None], piece_id: str) -> None:
        def run() -> None:
            room = self._rooms.get(piece_id)
            if room is not None:
                what(room)

        if self._loop is not None and not self._loop.is_closed():
            self._loop.call_soon_threadsafe(run)
