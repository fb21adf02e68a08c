"""Recordings, takes, readings and proofs of one browser: its messages about what is played."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from ductus.app import wire as m
from ductus.app.session.outbox import Sent, Turn
from ductus.app.takes.merging import reading_anew
from ductus.app.takes.proof import Prover
from ductus.app.takes.reading_jobs import doubt_decided, kept_take_onto_page, marks_from_take
from ductus.app.takes.recorder import Recorder
from ductus.app.takes.recording import DROPPED, take_from_journal
from ductus.app.wire.mapping import record_line_fact, sheet_fact, takes_fact
from ductus.core.entry.state import evolved
from ductus.core.errors import NotKept
from ductus.core.score.model.changes import Change

if TYPE_CHECKING:
    from ductus.app.session.session import Session


class Playing:
    """The recorder and the prover of a session. Methods are called under the desk's lock, but ``live_step``."""

    def __init__(self, session: Session, prover: Prover, clock: Callable[[], float], wall: Callable[[], float]) -> None:
        self._of = session
        self.prover = prover
        self.recorder = Recorder(session.desk, clock, wall)
        self.cut_until_us = 0  # recordings that were cut off end here, in wall-clock time
        self.record_line: m.RecordLineFact | None = None  # that was told last
        self._takes: object = None  # the takes that were told last

    def dispatch(self, item: m.ClientMessage) -> None:  # noqa: C901 - a table: one case a message
        """Messages about recordings, takes, readings and proofs."""
        match item:
            case m.SetRecording(do):
                self.recorder.choices = do.applied(self.recorder.choices)
                self.tell_record_line()
            case m.SetDelay(late_us):
                self._set_delay(late_us)
            case m.WantClicks():
                self._of.send(self.recorder.clicks(item, self._of.state))
            case m.StartRecording():
                with self._of.desk.together():
                    self._record(item)
            case m.StopRecording():
                with self._of.desk.together():
                    self._stop(item)
            case m.CutOffTake(recording, do):
                with self._of.desk.together():
                    self._recover(recording, do)
            case m.TellTakes():
                self._of.journal.flush()
                self.tell_takes(everyone=False)
            case m.WriteHeard():
                with self._of.desk.together():
                    self._write_heard(item)
            case m.DropHeard(from_us, to_us):
                self._of.desk.has_become(from_us, to_us, DROPPED)
                self.tell_takes(everyone=True, anew=True)
                self._of.say("Dropped from the journal's list")
            case m.WriteTake(take, part, bar, staff):
                self._write_take(take, part, staff, bar)
            case m.JoinTakes() | m.ReadOtherwise():
                self._of.jobs.append(reading_anew(self._of.desk, item))
            case m.HoldAgainstPage(take, part):
                self._hold_against_page(take, part)
            case m.DecideDifference():
                self._decide_difference(item)
            case m.MarksFromTake(reading, what):
                self._of.jobs.append(marks_from_take(self._of.desk, reading, what))
            case m.DecideDoubt(reading, do, key, option):
                self._of.jobs.append(doubt_decided(self._of.desk, reading, do, key, option))

    def _set_delay(self, late_us: int) -> None:
        words = self.recorder.keep_delay(late_us)
        self.tell_record_line()
        self._of.say(words)

    def tell_record_line(self) -> None:
        fact = record_line_fact(self._of.desk, self._of.state, self.recorder.choices, self.recorder.late_us)
        if fact != self.record_line:
            self.record_line = fact
            self._of.send(fact)

    def _record(self, message: m.StartRecording) -> None:
        self.recorder.start(message, self._of.state)
        self.prover.follow(self._of.state.part if message.proof else None)
        self._of.state = evolved(self._of.state, held=())
        self._of.send(self.recorder.fact())

    def live_step(self) -> Turn:
        """Show what was played up to now."""
        with self._of.desk.lock:
            tick = self.recorder.show()
            if tick is not None:
                self._of.near_bar = self._of.desk.piece.timeline.bar_at(tick).index
                self._of.tell(sheet_fact(self._of.desk, self._of.view))
                if (bent := self.recorder.bend()) is not None:
                    self._of.send(bent)
            return self._of.collect()

    def _stop(self, message: m.StopRecording) -> None:
        stopped = self.recorder.stop(message)
        if stopped.job is not None:
            self._of.jobs.append(stopped.job)
        else:
            self._of.desk.end_preview()
            self._of.tell(sheet_fact(self._of.desk, self._of.view))
        self.tell_takes()
        self._of.send(m.RecordingFact(False, stopped.take))
        self._of.say(stopped.words, urgent=True)
        if stopped.take is not None and stopped.against is not None:
            self._hold_against_page(stopped.take, stopped.against)

    def _recover(self, number: int, do: str) -> None:
        stopped = self.recorder.recover(number, do)
        if stopped.job is not None:
            self._of.jobs.append(stopped.job)
        self.tell_takes(anew=True)
        self._of.say(stopped.words, urgent=True)

    def _write_heard(self, message: m.WriteHeard) -> None:
        """A stretch of the journal as a take, read onto the page at a bar."""
        if not self._of.journal.flush():
            raise NotKept(self._of.journal.trouble or "The journal cannot be written at the moment.")
        row = take_from_journal(self._of.desk, message.from_us, message.to_us)
        self.tell_takes(anew=True)
        self._write_take(row.id, message.part, message.staff, message.bar)
        self._of.say(f"{row.name} is kept and is being read")

    def _write_take(self, take: int, part: str, staff: int, bar: int) -> None:
        """A kept take onto the page; it is opened when it has been read, as after a recording."""
        self._of.jobs.append(kept_take_onto_page(self._of.desk, take, part, staff, bar))
        if self.recorder.recording is None:
            self._of.send(m.RecordingFact(False, take))

    def follow(self, tick: int | None) -> None:
        """The page goes with the player."""
        if tick is not None:
            self._of.near_bar = self._of.desk.piece.timeline.bar_at(tick).index
            self._of.send(m.FollowedFact(tick))

    def _hold_against_page(self, take: int, part: str) -> None:
        try:
            self._of.say(self.prover.hold(take, part), urgent=True)
        finally:
            self._of.send(self.prover.fact())

    def _decide_difference(self, message: m.DecideDifference) -> None:
        decided = self.prover.decide(message)
        if isinstance(decided, Change):
            self._of.made(
                decided, self._of.desk.history.revision, tuple(self._of.state.chosen)
            )  # which tells the proof anew
        else:
            self._of.say(decided)
            self._of.send(self.prover.fact())

    def tell_takes(self, *, everyone: bool = True, anew: bool = False) -> None:
        """Takes, cut-off recordings and the journal, if they are others than were told."""
        if anew or self._takes is not self._of.desk.takes or not everyone:
            self._takes = self._of.desk.takes
            cut = self.recorder.cut_off()
            self.cut_until_us = max((c.to_us for c in cut), default=0)
            self._of.out.append(Sent(takes_fact(self._of.desk, cut, self._of.desk.heard_and_left()), everyone))
