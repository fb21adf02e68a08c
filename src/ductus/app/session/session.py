"""One browser at a desk: its pen, its recording, and what each of its messages leads to.

message -> the next state, and facts to send (to this browser, or to all at the desk)

No network and no JSON here: the web layer hands in messages and carries facts, the tests do the same. A message that
the disk did not take stays at the head of the backlog, so that no key is lost: ``drain`` tries it again.
"""

from __future__ import annotations

import logging
import sqlite3
import time
from collections import deque
from collections.abc import Callable
from dataclasses import replace

from ductus.app import wire as m
from ductus.app.document.desk import Desk
from ductus.app.document.jobs import PageQuery
from ductus.app.document.journal_writer import Entry, Journal
from ductus.app.session.bulk_edits import AT_ONCE, long_marking, long_question
from ductus.app.session.outbox import Item, OneEvent, Turn
from ductus.app.session.page_editor import Editor, within_view
from ductus.app.session.page_queries import about_page, aloud, in_words
from ductus.app.session.playing import Playing
from ductus.app.session.saved_settings import habits_json, record_choices_from, with_habits
from ductus.app.session.seat import Seat
from ductus.app.takes.recorder import Recorder
from ductus.app.takes.recording import NOTHING, WRITTEN, Recording
from ductus.app.wire.mapping import pen_fact, sheet_fact, state_fact, system_fact
from ductus.core.capture.takes import PEDAL_DOWN, SUSTAIN, Heard
from ductus.core.entry.events import Command, Event, KeyDown, KeyUp, Pedal, Wait
from ductus.core.entry.machine import advance_entry, fitted, followed
from ductus.core.entry.state import EntryState, StepValue, evolved
from ductus.core.entry.writing.step import pending_words
from ductus.core.errors import DuctusError, NotKept, NotThere, Stale
from ductus.core.prompt.instruction_scope import Asked
from ductus.core.score.model.changes import Change
from ductus.core.score.note_edits.base import ConfirmationNeeded
from ductus.core.score.structure_edits.base import FrameConfirmationNeeded

log = logging.getLogger(__name__)
AGAIN_US = 50_000  # a key that was gathered before a break is looked after so soon


def first_state(desk: Desk) -> EntryState:
    """A pen where work stopped, set as it was last time; up."""
    piece = desk.piece
    keys = next((p for p in piece.ordered_parts() if p.staves > 1), piece.ordered_parts()[0])
    step = StepValue("eighth" if piece.timeline.bar(0).meter.unit >= 8 else "quarter")
    state = EntryState(keys.id, tick=min(desk.last_place, piece.end), step=step)
    state = with_habits(state, desk.habits(), piece)
    return evolved(state, down=False, pass_start=state.tick, way_start=state.tick)


class Session(Editor):
    """The work of one browser in a piece, whether it is connected or not.

    Methods may be called from any thread, one at a time; ``into_journal`` at any time.
    """

    def __init__(
        self,
        desk: Desk,
        journal: Journal,
        kept: Callable[[int], None] | None = None,
        clock: Callable[[], float] = time.monotonic,
        wall: Callable[[], float] = time.time,
        token: str = "",
    ) -> None:
        """``kept`` hears the number of each message of keys once it is on disk; ``clock`` and ``wall`` give seconds.

        The place that was kept under ``token`` is taken again.
        """
        super().__init__(desk, first_state(desk))
        self.journal, self.kept = journal, kept
        self._wall = wall
        self.seat = Seat(token, desk.piece_id, wall)
        self.backlog: deque[Item] = deque()
        self.taken = 0  # the last message that came
        self._coming: EntryState | None = None  # the state once the change that is being written is on disk
        self.blocked = False
        self.playing = Playing(self, self.prover, clock, wall)
        self.recorder.choices = record_choices_from(desk.habits())
        self.resumed = self._take_place()
        self._habits = habits_json(self.state, self.recorder.choices)
        self.due_us: int | None = None  # event time at which the next Wait is due
        self._now_us = 0
        self._pedal_down = False
        self.known: set[str] = set()  # keys of the systems that this browser has

    @property
    def recorder(self) -> Recorder:
        """The recorder of this browser."""
        return self.playing.recorder

    @property
    def recording(self) -> Recording | None:
        """The recording that goes on here."""
        return self.recorder.recording

    def collect(self) -> Turn:
        """What has come together, with how things stand."""
        struck, self.recorder.fresh = self.recorder.fresh, False
        turn, playing = super().collect(), self.recorder.live is not None
        return replace(turn, saved=self.saved(), playing=playing, struck=struck, blocked=self.blocked)

    def _take_place(self) -> bool:
        """Take the place that was kept under the token; a recording that went on there goes on."""
        self.journal.flush()
        place = self.desk.looked_up(lambda connection: self.seat.found(connection, self.desk.piece))
        if place is None:
            return False
        self.state, self.near_bar, self._clipboard = place.state, place.near_bar, place.clipboard
        self.taken = self.seat.handled
        if place.recording is not None:
            self.recorder.take_up(place.recording)
        return True

    def open(self, fresh: bool = False) -> Turn:
        """Everything that a browser needs at the start.

        ``fresh``: its page was opened anew, so that no key is down any more.
        """
        with self.desk.lock:
            self._news.clear()  # it gets everything as it is now
            self.send(m.Welcome(self.seat.token, self.seat.handled, self.resumed))
            self.resumed = True
            if fresh:
                self.known.clear()
            let_go = self._let_keys_go() if fresh else ""
            self.desk.reach(self.state.tick)
            self.near_bar = self.desk.piece.timeline.bar_at(self.state.tick).index
            self.send(state_fact(self.desk, self.state, self.view))
            self.playing.tell_takes(everyone=False)
            self.send(sheet_fact(self.desk, self.view))
            self.send(pen_fact(self.desk, self.state))
            self.playing.record_line = None
            self.playing.tell_record_line()
            self.send(self.recorder.fact())
            if self.state.chosen:
                self._choose(self.desk.piece.notes.among(self.state.chosen))
            self.send(m.Keeping(self.journal.trouble))
            self.say(let_go, urgent=True)
            if self.due_us is not None and self.state.held:
                self.wake_us = AGAIN_US
            if self.desk.deleted:
                self.send(m.Gone("This piece was deleted; the shelf can bring it back."))
            return self.collect()

    def _let_keys_go(self) -> str:
        """A page that is opened anew holds no keys.

        Those that were down are let go, which writes them where that is how a step ends; else it is said that they
        were not written.
        """
        held = [h for h in self.state.held if h.is_down]
        words = pending_words(self.desk.piece, self.state, self.state.held) if held else ""
        revision = self.desk.history.revision
        for key in held:
            self._enter(KeyUp(key.down_us + 1, key.key))
        if not words or self.desk.history.revision != revision:
            return ""
        self.state = evolved(self.state, held=())
        return f"{words} not written: the page was opened anew; the journal has what was played"

    def into_journal(self, message: m.Keys) -> None:
        """Keep what is heard at once, before anything that was sent earlier is done.

        A guess says whether something is written from it.
        """
        written = self._is_written(message)
        heard = tuple(
            (Heard(message.epoch_us + e.at_us, e.kind, e.key, e.value, e.channel), written) for e in message.events
        )
        number = message.number
        self.journal.hear(Entry(self.desk.piece_id, heard, message.again, lambda: self._is_kept(number)))

    def _is_kept(self, number: int) -> None:
        if self.kept is not None:
            self.kept(number)

    def _is_written(self, message: m.Keys) -> bool:
        """Is something written from keys, as it looks now.

        At the pen, or by a recording (one that was cut off, too)?
        """
        late = any(message.epoch_us + e.at_us < self.playing.cut_until_us for e in message.events)
        return self.recording is not None or late or (self.state.down and not message.only_sound)

    def handle(self, message: m.ClientMessage, number: int = 0, journaled: bool = False) -> Turn:
        """Do what a message asks; errors become words for the browser.

        A ``number`` that had its effect already, or waits for it, is left.
        """
        if number and number <= self.taken:
            return self.collect()
        self.taken = max(number, self.taken)
        if isinstance(message, m.Keys):
            if not journaled:
                self.into_journal(message)
            late = any(message.epoch_us + e.at_us < self.playing.cut_until_us for e in message.events)
            if late and self.journal.flush():  # a recording that was cut off has them too
                with self.desk.lock:
                    self.playing.tell_takes(anew=True)
            guessed = self._is_written(message)
            done = self.seat.part if number == self.seat.handled + 1 else 0  # before a kill
            self.backlog.extend(
                Item(OneEvent(heard, message.only_sound, message.epoch_us, guessed), number, k)
                for k, heard in enumerate(message.events, 1)
                if k > done
            )
            self.backlog.append(Item(None, number))
        else:
            self.backlog.append(Item(message, number))
        return self.drain()

    def drain(self) -> Turn:
        """Do what waits, in order, until all is done or the disk does not take it."""
        with self._acting():
            while self.backlog:
                before = (self.state, self.recorder.standing())
                try:
                    self._do(self.backlog[0])
                except NotKept as error:
                    self.state = before[0]
                    self.recorder.stand_again(before[1])
                    if not self.blocked:
                        self.blocked = True
                        self.send(m.Keeping(f"{error} What you do is held and goes on by itself as soon as it can."))
                    return self.collect()
                self.backlog.popleft()
                if self.blocked:
                    self.blocked = False
                    self.send(m.Keeping(""))
                    self.say("Written: everything is saved again", urgent=True)
        return self.collect()

    def _do(self, item: Item) -> None:
        """Do one thing; its effect and the place of the browser are written together."""
        if item.what is not None and not isinstance(item.what, OneEvent):
            self.journal.flush()  # a stroke before this message wrote nothing, perhaps: it is on disk before the number
        counted = (self.seat.handled, self.seat.part)
        if item.number:
            self.seat.handled, self.seat.part = (item.number - 1, item.part) if item.part else (item.number, 0)
        self.desk.beside = self._write_seat
        try:
            self._try(item.what)
            self.seat.settle(kept=True)
        except NotKept:
            self.seat.handled, self.seat.part = counted
            self.seat.settle(kept=False)
            raise
        finally:
            self.desk.beside, self._coming = None, None

    def _write_seat(self, connection: sqlite3.Connection) -> None:
        state = self.state if self._coming is None else self._coming
        self.seat.write(connection, state, self.near_bar, self._clipboard, self.recorder.number)

    def keep_seat(self) -> None:
        """Keep the place of the browser, if it is another one than is on disk. Raises NotKept."""
        with self.desk.lock:
            if not self.journal.flush():
                return  # a stroke that is not on disk is sent again
            if not self.backlog and self.seat.differs(self.state, self.near_bar, self._clipboard, self.recorder.number):
                try:
                    self.desk.keep_beside(self._write_seat)
                except NotKept:
                    self.seat.settle(kept=False)
                    raise
                self.seat.settle(kept=True)

    def saved(self) -> int | None:
        """The number of the last message whose effect is on disk, if it is another one than was told."""
        number = self.seat.on_disk
        if number == self.seat.saved:
            return None
        self.seat.saved = number
        return number

    def _try(self, item: m.ClientMessage | OneEvent | None) -> None:
        try:
            if item is not None:
                self._dispatch(item)
        except NotKept:
            raise
        except ConfirmationNeeded as question:
            ids = item.ids if isinstance(item, m.EditNotes) else ()
            self.send(m.Ask(str(question), question.yes, question.again, ids))  # type: ignore[arg-type]
        except FrameConfirmationNeeded as question:
            self._ask_frame(question)
        except Stale as error:
            self.send(m.Problem(str(error), stale=True))
            self.send(state_fact(self.desk, self.state, self.view))
            self.send(sheet_fact(self.desk, self.view))
        except DuctusError as error:
            self.send(m.Problem(str(error)))
        except Exception as error:
            log.exception("a message failed: %s", type(item).__name__)
            self.state = self.state.fresh()
            self.send(m.Problem(f"That went wrong inside Ductus ({type(error).__name__}); nothing was changed by it."))

    def _dispatch(self, item: m.ClientMessage | OneEvent) -> None:  # noqa: C901 - a table: one case a message
        match item:
            case OneEvent():
                self._hear(item)
            case m.Look(bar):
                self.near_bar = bar
            case m.Give(do, at_us):
                job = long_marking(self.desk, do, self.state.chosen, self.state.line, self.state.tick)
                self._enter(Command(do, at_us)) if job is None else self.jobs.append(job)
            case m.SelectNotes():
                self._select(item)
            case m.EditNotes():
                self._edit(item)
            case m.WeighFrame() | m.WeighNotes() | m.LookAtFrame() | m.PickMarks():
                self._tell_about_page(item)
            case m.AskInWords(text):
                self._weigh_words(text)
            case m.ReadAloud(what):
                self.say(aloud(self.desk.piece, self.state, what))
            case m.EditFrame() | m.EditMarks():
                self._edit_page(item)
            case m.Clip():
                self._clip(item)
            case m.Travel():
                self._travel(item)
            case m.ShowParts() | m.LayOut() | m.FitLine():
                self._show(item)
            case _:
                self.playing.dispatch(item)

    def _tell_about_page(self, message: m.WeighFrame | m.WeighNotes | m.LookAtFrame | m.PickMarks) -> None:
        question = long_question(self.desk.piece, message)
        if question is not None:
            self.question = question
            return
        self.send(fact := about_page(self.desk.piece, message))
        self.say(fact.words if isinstance(fact, m.MarksFact) else "")

    def _weigh_words(self, text: str) -> None:
        asked = Asked(self.state.line, self.state.tick, self.state.step.ticks, tuple(self.state.chosen))
        if len(self.desk.piece.notes) > AT_ONCE:
            self.question = PageQuery("Working out what would change", lambda now: in_words(now, text, asked))
        else:
            self.send(in_words(self.desk.piece, text, asked))

    def _hear(self, event: OneEvent) -> None:
        heard, recording = event.heard, self.recording
        written = recording is not None or (self.state.down and not event.only_sound)
        if written != event.guessed and event.epoch_us + heard.at_us >= self.playing.cut_until_us:
            at = event.epoch_us + heard.at_us
            self.desk.has_become(at, at, WRITTEN if written else NOTHING)
        if recording is not None:
            at = recording.own_time(heard.at_us, event.epoch_us)
            fresh = recording.hear(Heard(at, heard.kind, heard.key, heard.value, heard.channel))
            if fresh and heard.kind == "down":
                self.recorder.fresh = True
                self.playing.follow(self.prover.hear(heard.key, at))
        elif event.only_sound:
            return
        elif heard.kind == "down":
            self._enter(KeyDown(heard.at_us, heard.key, max(heard.value, 1)))
        elif heard.kind == "up":
            self._enter(KeyUp(heard.at_us, heard.key))
        elif heard.key == SUSTAIN:
            down = heard.value >= PEDAL_DOWN
            if down != self._pedal_down:
                self._enter(Pedal(heard.at_us, down))
                self._pedal_down = down

    def waited(self) -> Turn:
        """The time that the last event asked for is over."""
        with self._acting():
            if self.due_us is not None and not self.backlog:
                try:
                    self._enter(Wait(self.due_us))
                except NotKept as error:
                    self.send(m.Keeping(str(error)))
                    self.wake_us = 250_000  # tried again
            return self.collect()

    def _enter(self, event: Event) -> None:
        """One event of entry. The state is taken over after what it changes is on disk."""
        before = self.state
        outcome = within_view(before, advance_entry(before, event, self.desk.piece), self.view)
        if outcome.change:
            self._coming = outcome.state
            try:
                self.desk.apply(outcome.change)
            except (Stale, NotThere):
                self.state = fitted(before.fresh(), self.desk.piece)  # keys that were gathered for it are let go
                raise
        self.state = outcome.state
        if self.state.down and self.prover.proof is not None:  # who writes has done with proving
            self.prover.close()
            self.send(self.prover.fact())
        self.wake_us = outcome.wake_us
        if outcome.wake_us is not None:
            self._now_us = event.time_us if not isinstance(event, Command) or event.time_us else self._now_us
            self.due_us = self._now_us + outcome.wake_us
        moved = self.state.tick != before.tick
        if moved:
            self.near_bar = self.desk.piece.timeline.bar_at(self.state.tick).index
        if outcome.change:
            self._show_edit()
        elif moved and self.desk.reach(self.state.tick):
            self.tell(sheet_fact(self.desk, self.view))
        if self.state != before:
            self.send(pen_fact(self.desk, self.state))
            if self.recorder.choices.on:
                self.playing.tell_record_line()
        self.say(outcome.say)

    # --- long work ------------------------------------------------------------------------------

    def job_done(self, change: Change) -> Turn:
        """A job of this session was carried out."""
        with self.desk.lock:
            self._news.clear()  # what it has asked for itself is said below
            if change:
                self.state = followed(self.state, change)
                self._show_edit()
                chosen = self.state.chosen
                self.state = fitted(self.state, self.desk.piece)
                if chosen:  # notes of it may be gone, or stand elsewhere
                    self._choose(self.desk.piece.notes.among(chosen))
                self.send(pen_fact(self.desk, self.state))
            else:
                self.desk.end_preview()
                self.tell(sheet_fact(self.desk, self.view))
            self.playing.tell_takes()  # a job may have kept one
            otherwise = self.recorder.changed_since()
            said = f"{change.sentence}; {otherwise}" if otherwise else change.sentence
            self.say(said if change else "That reads the same", urgent=True)
            return self.collect()

    def job_failed(self, error: DuctusError) -> Turn:
        """A job of this session came to nothing."""
        with self.desk.lock:
            self.desk.end_preview()
            self.tell(sheet_fact(self.desk, self.view))
            if isinstance(error, FrameConfirmationNeeded):
                self._ask_frame(error)
            else:
                self.send(m.Problem(str(error)))
            return self.collect()

    def _ask_frame(self, question: FrameConfirmationNeeded) -> None:
        self.send(m.Ask(str(question), question.yes, question.again, (), frame=True))  # type: ignore[arg-type]

    def engraved(self, within: int | None = None) -> m.SystemFact | None:
        """The next system that this browser should see.

        None when all (within so many bars of the place it looks at) are up to date.
        """
        view = self.desk.engrave(self.view, self.near_bar, self.known, within)
        return None if view is None else system_fact(view, self.desk.leaves(self.view))

    def keep_habits(self) -> None:
        """Keep how entry is set, if it is another way now.

        Trouble with the disk is passed over: they are only habits.
        """
        text = habits_json(self.state, self.recorder.choices)
        if text != self._habits:
            try:
                self.desk.keep_habits(text)
            except NotKept:
                return
            self._habits = text

    def rest(self) -> None:
        """The browser is not connected any more: its place and habits are remembered, a recording goes on."""
        with self.desk.lock:
            try:
                self.keep_seat()
                self.desk.remember_place(self.state.tick)
            except NotKept:
                log.warning("the library could not be written while a browser left; what was played is in the journal")
            self.keep_habits()

    def close(self) -> None:
        """The browser left and did not come back.

        A recording that was going on is kept as a take, with the place and habits.
        """
        with self.desk.lock:
            try:
                with self.desk.together():
                    self.recorder.leave()
                self.keep_seat()
                self.desk.remember_place(self.state.tick)
            except NotKept:
                log.warning("the library could not be written while a browser left; what was played is in the journal")
            self.keep_habits()
