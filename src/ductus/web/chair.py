"""One connection of a browser: the order of its messages, and what is sent to it.

Everything of a desk runs in worker threads; this module carries messages in and facts out, and decides nothing.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, Any, Protocol

from fastapi import WebSocketDisconnect

from ductus.app import wire as m
from ductus.app.document.jobs import PageQuery, answered
from ductus.app.session.outbox import Sent, Turn
from ductus.app.session.session import Session
from ductus.core.errors import DuctusError, NotKept
from ductus.web.wire import fact_json, numbered_message

if TYPE_CHECKING:
    from ductus.web.rooms import Room

LOOK_S = 0.5  # how often the disk is asked how it does
RETRY_S = 0.25  # a message that the disk did not take is tried again
SHOW_S = 0.4  # while recording: how often notes that still sound are shown anew
CHORD_S = 0.015  # keys of a chord come together; they are shown at once
NEAR_BARS = 1
MOST_WAITING = 20_000  # messages of one browser
TAKEN = 4409  # the code of a connection whose place another window took
NOT_DRAWN = "A part of the page cannot be drawn"
log = logging.getLogger(__name__)


class Socket(Protocol):
    """The part of a WebSocket that a chair uses."""

    async def receive(self) -> Any:
        """The next event, as the ASGI specification has it."""

    async def send_text(self, data: str) -> None:
        """Send a frame of text."""

    async def close(self, code: int = 1000) -> None:
        """Close the connection with a code."""


def went_wrong(words: str, error: Exception) -> m.Problem:
    """What failed behind the keys, as it is said; the whole of it goes to the log."""
    log.error("%s", words, exc_info=error)
    return m.Problem(f"{words}: that went wrong inside Ductus ({type(error).__name__}). What is written is kept.")


class Chair:
    """One connection: the work of its browser, and the messages that wait to be done and to be sent.

    A stroke goes to the journal as soon as it is read, whatever is being done meanwhile.
    """

    def __init__(self, room: Room, socket: Socket, session: Session) -> None:
        self.room, self.socket, self.session = room, socket, session
        self.loop = asyncio.get_running_loop()
        self.outbox: asyncio.Queue[str] = asyncio.Queue()
        self._inbox: asyncio.Queue[tuple[int, m.ClientMessage]] = asyncio.Queue(MOST_WAITING)
        session.kept = self._kept
        self.seq = 0  # messages that have no number
        self.ready = False  # has it the list of systems? Only then do single systems make sense to it
        self._timer: asyncio.TimerHandle | None = None
        self._player: asyncio.Task[None] | None = None
        self._retry: asyncio.Task[None] | None = None
        self._answerer: asyncio.Task[None] | None = None
        self._played = asyncio.Event()  # something was struck while recording
        self._order = asyncio.Lock()
        self._trouble = ""
        self._question: PageQuery | None = None  # the latest
        self._blocked = False  # the disk does not take the message at the head

    def _kept(self, number: int) -> None:
        """From the journal's thread: everything up to a message is on disk."""
        with contextlib.suppress(RuntimeError):  # the loop may be gone
            self.loop.call_soon_threadsafe(self.post, m.KeptUpTo(number))

    def post(self, fact: m.Fact) -> None:
        """Send a fact to this browser."""
        self.outbox.put_nowait(fact_json(fact))

    async def run(self, fresh: bool) -> None:
        """Serve the connection until it closes; ``fresh``: its page was opened anew."""
        tasks = [asyncio.create_task(self._send()), asyncio.create_task(self._look_after())]
        try:
            await self._work(lambda: self.session.open(fresh))
            self.ready = True
            self.room.greet(self)
            self.room.wake()
            tasks.append(asyncio.create_task(self._do_in_order()))
            while True:
                await self._receive(await self._next_text())
        except WebSocketDisconnect:
            pass
        finally:
            for handle in (self._timer, self._player, self._retry, self._answerer, *tasks):
                if handle is not None:
                    handle.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await asyncio.gather(*tasks, return_exceptions=True)

    async def taken(self) -> None:
        """Another window came with the token of this one: it takes the place, and this one gets another."""
        with contextlib.suppress(RuntimeError, WebSocketDisconnect, OSError):  # it may be gone without our knowing
            await self.socket.close(TAKEN)

    async def _next_text(self) -> str:
        """The next message; a frame of bytes is none, and is answered like any that is not understood."""
        event = await self.socket.receive()
        if event["type"] == "websocket.disconnect":
            raise WebSocketDisconnect(event.get("code") or 1000, event.get("reason"))
        return event.get("text") or ""

    async def _receive(self, text: str) -> None:
        try:
            number, message = numbered_message(text)
        except DuctusError as error:
            self.seq += 1
            self.post(m.Problem(str(error)))
            self.post(m.Done(self.seq))
            return
        if isinstance(message, m.Keys | m.Give):
            self.room.touched = self.loop.time()
        if isinstance(message, m.Keys) and not (number and number <= self.session.taken):
            self.session.into_journal(message)
        if isinstance(message, m.StopWork):
            self.room.stop_work()
        await self._inbox.put((number, message))

    async def _do_in_order(self) -> None:
        """Do what was received, one message after the other."""
        while True:
            number, message = await self._inbox.get()
            if not isinstance(message, m.StopWork):
                await self._careful(partial(self.session.handle, message, number, journaled=True))
            self.seq = number or self.seq + 1
            self.post(m.Done(self.seq))

    async def _careful(self, what: Callable[[], Turn]) -> None:
        """Run something of the session; an error that nobody foresaw reaches the person, and the next message goes
        on.
        """
        try:
            await self._work(what)
        except Exception as error:
            self.post(went_wrong("The last message", error))

    async def _work(self, what: Callable[[], Turn], *, draws: bool = False) -> Turn:
        """Run something of the session in a thread, engrave the system at the pen, send what came of it.

        While somebody plays only what ``draws`` is engraved, not each event.
        """
        async with self._order:
            turn, facts = await asyncio.to_thread(self._run, what, draws)
            self.room.distribute(self, facts)
            self._set_timer(turn.wake_us)
        self.room.tell_others(self)
        self._take_up(turn)
        if turn.playing and (self._player is None or self._player.done()):
            self._player = asyncio.create_task(self._show_playing())
        if turn.struck:
            self._played.set()
        self._blocked = turn.blocked
        if turn.blocked and (self._retry is None or self._retry.done()):
            self._retry = asyncio.create_task(self._try_again())
        self.room.wake()
        return turn

    def _take_up(self, turn: Turn) -> None:
        """Say what is saved, begin long work, and answer a question."""
        if turn.saved is not None:
            self.post(m.Saved(turn.saved))
        for job in turn.jobs:
            self.room.start(self, job)
        if turn.question is not None:
            self._question = turn.question
            if self._answerer is None or self._answerer.done():
                self._answerer = asyncio.create_task(self._answer())

    async def told(self, what: Callable[[], Turn]) -> None:
        """Tell the session of something beside its messages, between two of them.

        What comes of it is sent in that order.
        """

        def run() -> tuple[Turn, list[Sent]]:
            turn = what()
            return turn, self.room.each_its_own(self, turn.facts)

        async with self._order:
            turn, facts = await asyncio.to_thread(run)
            self.room.distribute(self, facts)
        self._take_up(turn)

    def _tell_saved(self) -> None:
        number = self.session.saved()
        if number is not None:
            self.post(m.Saved(number))

    def _run(self, what: Callable[[], Turn], draws: bool) -> tuple[Turn, list[Sent]]:
        turn = what()
        facts = self.room.each_its_own(self, turn.facts)
        if turn.playing and not draws:
            return turn, facts
        try:
            engraved = self.session.engraved(NEAR_BARS)
        except Exception as error:
            return turn, [*facts, Sent(went_wrong(NOT_DRAWN, error))]
        return turn, facts if engraved is None else [*facts, Sent(engraved, everyone=True)]

    async def _answer(self) -> None:
        """Questions that take a moment, the latest first and last."""
        while (question := self._question) is not None:
            self._question = None
            self.post(await asyncio.to_thread(answered, self.room.desk, question))

    async def _try_again(self) -> None:
        """The disk did not take a message: it waits, and everything after it, until the disk does."""
        while self._blocked:
            await asyncio.sleep(RETRY_S)
            await self._work(self.session.drain)

    async def _show_playing(self) -> None:
        """While a recording with a click goes on, show what was played.

        Soon after each stroke, and now and then what still sounds.
        """
        while True:
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(self._played.wait(), SHOW_S)
            await asyncio.sleep(CHORD_S)
            self._played.clear()
            try:
                turn = await self._work(self.session.playing.live_step, draws=True)
            except Exception as error:
                self.post(went_wrong("What is being played cannot be shown", error))
                return
            if not turn.playing:
                return

    def _set_timer(self, wake: int | None) -> None:
        if wake is not None:
            if self._timer:
                self._timer.cancel()
            self._timer = self.loop.call_later(
                wake / 1e6 + 0.001, lambda: self.loop.create_task(self._careful(self.session.waited))
            )

    async def _send(self) -> None:
        """Send what waits in one frame, as a list: the browser then draws once for all that came of a key."""
        while True:
            waiting = [await self.outbox.get()]
            while not self.outbox.empty():
                waiting.append(self.outbox.get_nowait())
            await self.socket.send_text(f"[{','.join(waiting)}]")

    async def _look_after(self) -> None:
        """Say when the journal cannot be written, and when it can be again; keep how entry is set."""
        while True:
            await asyncio.sleep(LOOK_S)
            trouble = self.session.journal.trouble
            if trouble != self._trouble and not self._blocked:
                self._trouble = trouble
                self.post(m.Keeping(trouble))
            await asyncio.to_thread(self._keep)
            self._tell_saved()

    def _keep(self) -> None:
        self.session.keep_habits()
        with contextlib.suppress(NotKept):  # the next time, or with the next change
            self.session.keep_seat()
