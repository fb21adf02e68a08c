"""One browser at a desk: its pen, its recording, and what each of its messages leads to.

    message -> the next state, and facts to send (to this browser, or to all at the desk)

No network and no JSON here: the web layer hands in messages and carries facts, the tests do the same. A message that the disk did not take stays at
the head of the backlog, so that no key is lost: ``drain`` tries it again.
"""

from __future__ import annotations

import logging
import time
from collections import deque
from collections.abc import Callable

from ductus.app import messages as m
from ductus.app.desk import Desk
from ductus.app.editing import long_marking, long_question
from ductus.app.editor import Editor
from ductus.app.facts import pen_fact, record_line_fact, sheet_fact, state_fact, system_fact, takes_fact
from ductus.app.habits import habits_json, record_choices_from, with_habits
from ductus.app.joining import reading_anew
from ductus.app.journal import Entry, Journal
from ductus.app.outbox import Item, OneEvent, Sent
from ductus.app.page import about_page, aloud
from ductus.app.readings import doubt_decided, kept_take_onto_page, marks_from_take
from ductus.app.recorder import Recorder
from ductus.app.recording import DROPPED, Recording, take_from_journal
from ductus.core.entry.events import Command, Event, KeyDown, KeyUp, Pedal, Wait
from ductus.core.entry.machine import advance_entry, fitted
from ductus.core.entry.state import EntryState, StepValue, evolved
from ductus.core.errors import DuctusError, NotKept, NotThere, Stale
from ductus.core.performance.takes import PEDAL_DOWN, SUSTAIN, Heard
from ductus.core.score.changes import Change
from ductus.core.score.frame.base import FrameQuestion
from ductus.core.score.selection.base import Question

log = logging.getLogger(__name__)


def first_state(desk: Desk) -> EntryState:
    """A pen where work stopped, set as it was last time; up."""
    piece = desk.piece
    keys = next((p for p in piece.ordered_parts() if p.staves > 1), piece.ordered_parts()[0])
    step = StepValue("eighth" if piece.timeline.bar(0).meter.unit >= 8 else "quarter")
    state = EntryState(keys.id, tick=min(desk.last_place, piece.end), step=step)
    state = with_habits(state, desk.habits(), piece)
    return evolved(state, down=False, pass_start=state.tick, way_start=state.tick)


class Session(Editor):
    """The state of one connection. Methods may be called from any thread, one at a time."""

    def __init__(
        self,
        desk: Desk,
        journal: Journal,
        kept: Callable[[int], None] | None = None,
        clock: Callable[[], float] = time.monotonic,
        wall: Callable[[], float] = time.time,
    ) -> None:
        """``kept`` hears the number of each message of keys once it is on disk; ``clock`` and ``wall`` give seconds."""
        super().__init__(desk, first_state(desk))
        self.journal, self._kept = journal, kept
        self._wall = wall
        self.backlog: deque[Item] = deque()
        self.blocked = False
        self.recorder = Recorder(desk, clock, wall)
        self.recorder.choices = record_choices_from(desk.habits())
        self._habits = habits_json(self.state, self.recorder.choices)
        self._record_line: m.RecordLineFact | None = None  # that was told last
        self.wake_us: int | None = None
        self.due_us: int | None = None  # event time at which the next Wait is due
        self._now_us = 0
        self._pedal_down = False
        self._takes: object = None  # the takes that were told last
        self._cut_until_us = 0  # recordings that were cut off end here, in wall-clock time
        self.known: set[str] = set()  # keys of the systems that this browser has

    # --- in and out ---------------------------------------------------------------------

    def open(self) -> list[Sent]:
        """Everything that a browser needs at the start. No recording goes on then, whatever the browser believed."""
        with self.desk.lock:
            self.desk.reach(self.state.tick)
            self.near_bar = self.desk.piece.timeline.bar_at(self.state.tick).index
            self._send(state_fact(self.desk, self.state))
            self._tell_takes(everyone=False)
            self._send(sheet_fact(self.desk))
            self._send(pen_fact(self.desk, self.state))
            self._tell_record_line()
            self._send(m.RecordingFact(False))
            self._send(m.Keeping(self.journal.trouble))
            if self.desk.deleted:
                self._send(m.Gone("This piece was deleted; the shelf can bring it back."))
            return self.collect()

    def handle(self, message: m.ClientMessage) -> list[Sent]:
        """Do what a message asks; errors become words for the browser."""
        if isinstance(message, m.Keys):
            late = any(message.epoch_us + e.at_us < self._cut_until_us for e in message.events)
            self._into_journal(message, late)
            if late and self.journal.flush():  # a recording that was cut off has them too
                with self.desk.lock:
                    self._tell_takes(anew=True)
            if message.again:  # kept, not played a second time
                return self.collect()
            self.backlog.extend(OneEvent(heard, message.only_sound) for heard in message.events)
        elif isinstance(message, m.Look):
            self.near_bar = message.bar
        else:
            self.backlog.append(message)
        return self.drain()

    def drain(self) -> list[Sent]:
        """Do what waits, in order, until all is done or the disk does not take it."""
        with self.desk.lock:
            while self.backlog:
                try:
                    self._do(self.backlog[0])
                except NotKept as error:
                    if not self.blocked:
                        self.blocked = True
                        self._send(m.Keeping(f"{error} What you do is held and goes on by itself as soon as it can."))
                    return self.collect()
                self.backlog.popleft()
                if self.blocked:
                    self.blocked = False
                    self._send(m.Keeping(""))
                    self._say("Written: everything is kept again", urgent=True)
        return self.collect()

    def _do(self, item: Item) -> None:
        try:
            self._dispatch(item)
        except NotKept:
            raise
        except Question as question:
            ids = item.ids if isinstance(item, m.EditNotes) else ()
            self._send(m.Ask(str(question), question.yes, question.again, ids))  # type: ignore[arg-type]
        except FrameQuestion as question:
            self._ask_frame(question)
        except Stale as error:
            self._send(m.Problem(str(error), stale=True))
            self._send(state_fact(self.desk, self.state))
            self._send(sheet_fact(self.desk))
        except DuctusError as error:
            self._send(m.Problem(str(error)))
        except Exception as error:
            log.exception("a message failed: %s", type(item).__name__)
            self.state = self.state.fresh()
            self._send(m.Problem(f"That went wrong inside Ductus ({type(error).__name__}); nothing was changed by it."))

    def _dispatch(self, item: Item) -> None:
        match item:
            case OneEvent(heard, only_sound):
                self._hear(heard, only_sound)
            case m.Give(do, at_us):
                job = long_marking(self.desk, do, self.state.chosen, self.state.line, self.state.tick)
                self._enter(Command(do, at_us)) if job is None else self.jobs.append(job)
            case m.SelectNotes():
                self._select(item)
            case m.EditNotes():
                self._edit(item)
            case m.WeighFrame() | m.WeighNotes() | m.LookAtFrame() | m.PickMarks():
                self._tell_about_page(item)
            case m.ReadAloud(what):
                self._say(aloud(self.desk.piece, self.state, what))
            case m.EditFrame() | m.EditMarks():
                self._edit_page(item)
            case m.Clip():
                self._clip(item)
            case m.Travel():
                self._travel(item)
            case m.SetRecording(do):
                self.recorder.choices = do.applied(self.recorder.choices)
                self._tell_record_line()
            case m.SetDelay(late_us):
                self._set_delay(late_us)
            case m.WantClicks():
                self._send(self.recorder.clicks(item, self.state))
            case m.StartRecording():
                self._record(item)
            case m.StopRecording():
                self._stop(item)
            case m.CutOffTake(recording, do):
                self._recover(recording, do)
            case m.TellTakes():
                self.journal.flush()
                self._tell_takes(everyone=False)
            case m.WriteHeard():
                self._write_heard(item)
            case m.DropHeard(from_us, to_us):
                self.desk.has_become(from_us, to_us, DROPPED)
                self._tell_takes(everyone=True, anew=True)
                self._say("Dropped from the journal's list")
            case m.WriteTake(take, part, bar, staff):
                self.jobs.append(kept_take_onto_page(self.desk, take, part, staff, bar))
            case m.JoinTakes() | m.ReadOtherwise():
                self.jobs.append(reading_anew(self.desk, item))
            case m.HoldAgainstPage(take, part):
                self._hold_against_page(take, part)
            case m.DecideDifference():
                self._decide_difference(item)
            case m.ShowParts(parts, staff):
                self._show_parts(parts, staff)
            case m.LayOut(size):
                self._lay_out(size)
            case m.MarksFromTake(reading, what):
                self.jobs.append(marks_from_take(self.desk, reading, what))
            case m.DecideDoubt(reading, do, key, option):
                self.jobs.append(doubt_decided(self.desk, reading, do, key, option))

    def _tell_about_page(self, message: m.WeighFrame | m.WeighNotes | m.LookAtFrame | m.PickMarks) -> None:
        question = long_question(self.desk.piece, message)
        if question is not None:
            self.question = question
            return
        self._send(fact := about_page(self.desk.piece, message))
        self._say(fact.words if isinstance(fact, m.MarksFact) else "")

    def _set_delay(self, late_us: int) -> None:
        words = self.recorder.keep_delay(late_us)
        self._tell_record_line()
        self._say(words)

    def _tell_takes(self, *, everyone: bool = True, anew: bool = False) -> None:
        """Takes, cut-off recordings and the journal, if they are others than were told."""
        if anew or self._takes is not self.desk.takes or not everyone:
            self._takes = self.desk.takes
            cut = self.recorder.cut_off()
            self._cut_until_us = max((c.to_us for c in cut), default=0)
            self.out.append(Sent(takes_fact(self.desk, cut, self.desk.heard_and_left()), everyone))

    # --- keys -----------------------------------------------------------------------------

    def _into_journal(self, message: m.Keys, late: bool) -> None:
        """Keep what is heard, with whether something is written from it: at the pen, or by a recording (one that was cut off, too)."""
        written = self.recording is not None or late or (self.state.down and not message.only_sound)
        heard = tuple(
            (Heard(message.epoch_us + e.at_us, e.kind, e.key, e.value, e.channel), written) for e in message.events
        )
        kept, number = self._kept, message.number
        self.journal.hear(
            Entry(self.desk.piece_id, heard, message.again, None if kept is None else lambda: kept(number))
        )

    def _hear(self, heard: m.HeardEvent, only_sound: bool) -> None:
        if self.recording is not None:
            self.recording.hear(Heard(heard.at_us, heard.kind, heard.key, heard.value, heard.channel))
            if heard.kind == "down":
                self.recorder.fresh = True
                self._follow(self.prover.hear(heard.key, heard.at_us))
        elif only_sound:
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

    def waited(self) -> list[Sent]:
        """The time that the last event asked for is over."""
        with self.desk.lock:
            if self.due_us is not None and not self.backlog:
                try:
                    self._enter(Wait(self.due_us))
                except NotKept as error:
                    self._send(m.Keeping(str(error)))
                    self.wake_us = 250_000  # tried again
            return self.collect()

    def _enter(self, event: Event) -> None:
        """One event of entry. The state is taken over after what it changes is on disk."""
        before = self.state
        outcome = advance_entry(before, event, self.desk.piece)
        if outcome.change:
            try:
                self.desk.apply(outcome.change)
            except (Stale, NotThere):
                self.state = fitted(before.fresh(), self.desk.piece)  # keys that were gathered for it are let go
                raise
        self.state = outcome.state
        if self.state.down and self.prover.proof is not None:  # who writes has done with proving
            self.prover.close()
            self._send(self.prover.fact())
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
            self._tell(sheet_fact(self.desk))
        if self.state != before:
            self._send(pen_fact(self.desk, self.state))
            if self.recorder.choices.on:
                self._tell_record_line()
        self._say(outcome.say)

    # --- recording ----------------------------------------------------------------------------

    @property
    def recording(self) -> Recording | None:
        """The recording that goes on here."""
        return self.recorder.recording

    def _tell_record_line(self) -> None:
        fact = record_line_fact(self.desk, self.state, self.recorder.choices, self.recorder.late_us)
        if fact != self._record_line:
            self._record_line = fact
            self._send(fact)

    def _record(self, message: m.StartRecording) -> None:
        self.recorder.start(message, self.state)
        self.prover.follow(self.state.part if message.proof else None)
        self.state = evolved(self.state, held=())
        self._send(m.RecordingFact(True))

    def live_step(self) -> list[Sent]:
        """Show what was played up to now."""
        with self.desk.lock:
            tick = self.recorder.show()
            if tick is not None:
                self.near_bar = self.desk.piece.timeline.bar_at(tick).index
                self._tell(sheet_fact(self.desk))
                if (bent := self.recorder.bend()) is not None:
                    self._send(bent)
            return self.collect()

    def _stop(self, message: m.StopRecording) -> None:
        stopped = self.recorder.stop(message)
        if stopped.job is not None:
            self.jobs.append(stopped.job)
        else:
            self.desk.end_preview()
            self._tell(sheet_fact(self.desk))
        self._tell_takes()
        self._send(m.RecordingFact(False, stopped.take))
        self._say(stopped.words, urgent=True)
        if stopped.take is not None and stopped.against is not None:
            self._hold_against_page(stopped.take, stopped.against)

    def _recover(self, number: int, do: str) -> None:
        stopped = self.recorder.recover(number, do)
        if stopped.job is not None:
            self.jobs.append(stopped.job)
        self._tell_takes(anew=True)
        self._say(stopped.words, urgent=True)

    def _write_heard(self, message: m.WriteHeard) -> None:
        """A stretch of the journal as a take, read onto the page at a bar."""
        if not self.journal.flush():
            raise NotKept(self.journal.trouble or "The journal cannot be written at the moment.")
        row = take_from_journal(self.desk, message.from_us, message.to_us)
        self._tell_takes(anew=True)
        self.jobs.append(kept_take_onto_page(self.desk, row.id, message.part, message.staff, message.bar))
        self._say(f"{row.name} is kept and is being read")

    # --- proof by playing -----------------------------------------------------------------------

    def _follow(self, tick: int | None) -> None:
        """The page goes with the player."""
        if tick is not None:
            self.near_bar = self.desk.piece.timeline.bar_at(tick).index
            self._send(m.FollowedFact(tick))

    def _hold_against_page(self, take: int, part: str) -> None:
        try:
            self._say(self.prover.hold(take, part), urgent=True)
        finally:
            self._send(self.prover.fact())

    def _decide_difference(self, message: m.DecideDifference) -> None:
        decided = self.prover.decide(message)
        if isinstance(decided, Change):
            self._made(decided, self.desk.history.revision, tuple(self.state.chosen))  # which tells the proof anew
        else:
            self._say(decided)
            self._send(self.prover.fact())

    # --- long work ------------------------------------------------------------------------------

    def job_done(self, change: Change) -> list[Sent]:
        """A job of this session was carried out."""
        with self.desk.lock:
            if change:
                self._show_edit()
                chosen = self.state.chosen
                self.state = fitted(self.state, self.desk.piece)
                if chosen:  # notes of it may be gone, or stand elsewhere
                    self._choose(self.desk.piece.notes.among(chosen))
                self._send(pen_fact(self.desk, self.state))
            else:
                self.desk.end_preview()
                self._tell(sheet_fact(self.desk))
            self._tell_takes()  # a job may have kept one
            otherwise = self.recorder.changed_since()
            said = f"{change.sentence}; {otherwise}" if otherwise else change.sentence
            self._say(said if change else "That reads the same", urgent=True)
            return self.collect()

    def job_failed(self, error: DuctusError) -> list[Sent]:
        """A job of this session came to nothing."""
        with self.desk.lock:
            self.desk.end_preview()
            self._tell(sheet_fact(self.desk))
            if isinstance(error, FrameQuestion):
                self._ask_frame(error)
            else:
                self._send(m.Problem(str(error)))
            return self.collect()

    def _ask_frame(self, question: FrameQuestion) -> None:
        self._send(m.Ask(str(question), question.yes, question.again, (), frame=True))  # type: ignore[arg-type]

    def engraved(self, within: int | None = None) -> m.SystemFact | None:
        """The next system that this browser should see; None when all (within so many bars of the place it looks at) are up to date."""
        view = self.desk.engrave(self.near_bar, self.known, within)
        return None if view is None else system_fact(view, self.desk.leaves())

    def keep_habits(self) -> None:
        """Keep how entry is set, if it is another way now. Trouble with the disk is passed over: they are only habits."""
        text = habits_json(self.state, self.recorder.choices)
        if text != self._habits:
            try:
                self.desk.keep_habits(text)
            except NotKept:
                return
            self._habits = text

    def close(self) -> None:
        """The browser left: a recording that was going on is kept as a take; place and habits are remembered."""
        with self.desk.lock:
            try:
                self.recorder.leave()
                self.desk.remember_place(self.state.tick)
            except NotKept:
                log.warning("the library could not be written while a browser left; what was played is in the journal")
            self.keep_habits()
