"""The recording of one browser: begun, shown while it is played, stopped, kept; what a crash cut off is found again."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from ductus.app import wire as m
from ductus.app.document.desk import Desk
from ductus.app.document.jobs import Job
from ductus.app.takes.reading_jobs import Arrival, takes_onto_page
from ductus.app.takes.recording import (
    NOTHING,
    WRITTEN,
    LivePage,
    Recording,
    RecordPlan,
    begin,
    clicks_of,
    for_page,
    keep,
    read_otherwise,
    recovered,
)
from ductus.core.entry.state import EntryState
from ductus.core.errors import BadInput, NotThere
from ductus.core.playback.adaptive_click import bent_click, lateness, off_beats
from ductus.core.playback.click import ClickPlan, Silence
from ductus.core.recording.settings import RecordChoices
from ductus.core.time.pulse_map import US_PER_MINUTE
from ductus.store.journal import CutOff
from ductus.store.takes import TakeRow

SCHEDULED_US = 260_000  # what is so near is on the audio clock already
BENT_BARS = 16  # a click that was bent is told so far ahead
STAVES = {"right": 1, "left": 2}
Standing = tuple[Recording | None, LivePage | None, tuple[int, dict[int, int]] | None, int]


@dataclass(frozen=True, slots=True)
class RecordingResult:
    """What came of a recording: words, the id of its take, and the job that reads it.

    Or the part that it is to be held against.
    """

    words: str
    take: int | None = None
    job: Job | None = None
    against: str | None = None


def kept_words(rows: Sequence[TakeRow], wanted: Sequence[TakeRow]) -> str:
    """What became of a recording: which takes are kept, and which of them are being read."""
    if len(rows) == 1:
        return f"{rows[0].name} is kept and is being read"
    kept = f"{rows[0].name} to {rows[-1].name.lower()} are kept, one for each round"
    return f"{kept}; {wanted[0].name.lower()} is being read" if len(wanted) == 1 else f"{kept}, and being read"


class Recorder:
    """Methods are called under the desk's lock."""

    def __init__(self, desk: Desk, clock: Callable[[], float], wall: Callable[[], float]) -> None:
        """``clock`` and ``wall`` give seconds."""
        self.desk, self._clock, self._wall = desk, clock, wall
        self.choices = RecordChoices()
        self.recording: Recording | None = None
        self.live: LivePage | None = None
        self.fresh = False  # was something heard since it was shown?
        # The take that was played last, and where its notes stood on the page meanwhile.
        self.seen: tuple[int, dict[int, int]] | None = None
        self._bent_at = 0  # tick of the beat from which the click was bent last
        self._origin = (0, 0.0)  # event time and clock seconds of one moment of the recording

    @property
    def number(self) -> int | None:
        """The row of the recording that goes on."""
        return None if self.recording is None else self.recording.number

    def standing(self) -> Standing:
        """What a message may change, so that it can stand again where the disk does not take it."""
        return (self.recording, self.live, self.seen, self.desk.recording_sessions)

    def stand_again(self, standing: Standing) -> None:
        """Let everything stand as it did before a message that the disk did not take."""
        self.recording, self.live, self.seen, self.desk.recording_sessions = standing

    def fact(self) -> m.RecordingFact:
        """Whether a recording goes on, and where its first click lies."""
        recording = self.recording
        if recording is None:
            return m.RecordingFact(False)
        plan = recording.plan
        free = recording.clicks is None
        return m.RecordingFact(
            True, None, recording.epoch_us + recording.origin_us, plan.bar, free and not plan.proof, plan.proof
        )

    def take_up(self, number: int) -> None:
        """A recording goes on after the server was stopped in the middle of it: what was heard is in the journal.

        Raises NotKept.
        """
        cut = self.desk.going_on(number)
        if cut is None:
            return
        heard = self.desk.journal(cut.from_us, round(self._wall() * 1e6))
        recording = recovered(self.desk, cut, heard)
        recording.known = frozenset((h.time_us, h.kind, h.key) for h in heard)
        self.recording = recording
        self.desk.recording_sessions += 1
        self._origin = (round(self._wall() * 1e6), self._clock())
        self._bent_at = -(2**60)
        self.live = (
            LivePage(self.desk, recording) if recording.clicks is not None and not recording.plan.proof else None
        )

    @property
    def late_us(self) -> int:
        """How late the player's notes arrive, as the delay test found."""
        return self.desk.late_us

    def plan(self, message: m.StartRecording, state: EntryState) -> RecordPlan:
        """What a recording that begins now writes. Raises NotThere."""
        choices = self.choices
        part = self.desk.piece.part(state.part)
        click = not message.proof and (choices.click if message.freely is None else not message.freely)
        staff = STAVES.get(choices.hands, 0) if part.staves > 1 else 1
        count_in = message.count_in if message.count_in is not None else 0 if choices.first_key else choices.count_in
        return RecordPlan(
            part.id,
            staff,
            message.bar,
            (message.tempo or choices.tempo) if click else None,
            count_in if click else 0,
            choices.shortest,
            choices.split if choices.hands == "split" else None,
            choices.tuplets,
            state.voice if staff else 1,
            choices.policy,
            choices.until if choices.until is not None and choices.until >= message.bar else None,
            choices.before,
            self.late_us,
            state.harmony,
            message.proof,
            choices.round and click,
        )

    def keep_delay(self, late_us: int) -> str:
        """How late notes arrive from now on; what that means in words. Raises NotKept."""
        self.desk.keep_late_us(late_us)
        how = f"read {abs(late_us) / 1000:.0f} ms {'earlier' if late_us > 0 else 'later'} than they arrive"
        return f"From now on your notes are {how}" if late_us else "From now on your notes are read as they arrive"

    def clicks(self, message: m.WantClicks, state: EntryState) -> m.ClicksFact:
        """What is heard in some bars of the recording that goes on, or of one that would begin.

        Raises NotThere, BadInput.
        """
        if self.recording is not None and self.recording.clicks is not None:
            plan, clicks = self.recording.plan, self.recording.clicks
        else:
            asked = m.StartRecording(0, 0, 0, message.bar, False, message.tempo, message.count_in)
            plan = self.plan(asked, state)
            found = clicks_of(self.desk.piece, plan)
            assert found is not None
            clicks = found
        return self._heard(plan, clicks, message.since, message.bars, message.halves)

    def _heard(self, plan: RecordPlan, clicks: ClickPlan, since: int, bars: int, halves: bool | None) -> m.ClicksFact:
        timeline = self.desk.piece.timeline
        going = clicks.going
        if going is not None:  # no further than this round: the next holds what was played in it
            bars = min(bars, going.bars + (len(clicks.lead) if not since else 0))
        start, until = timeline.bar(plan.bar).start, timeline.bar(plan.until).end if plan.until is not None else None
        if going is not None and plan.policy == "add" and self.live is not None:
            clicks = replace(clicks, piece=self.live.page)  # what was played in the rounds before is heard in the next
        silent = Silence(
            plan.part, plan.staff, start, (until or 2**60) if plan.policy == "replace" else start,
            not self.choices.before, not self.choices.others,
        )  # fmt: skip
        return m.ClicksFact(
            since,
            bars,
            tuple(clicks.clicks(since, bars, halves)),
            tuple(clicks.heard(since, bars, silent)),
            tuple(
                (clicks.time_of(t), t - later)
                for bar, later in ((b, clicks.later(b)) for b in clicks.bars(since, bars))
                for t in (*bar.beats(), bar.end)
                if t >= 0
            ),
            clicks.lead_us,
            clicks.end_us(since, bars),
            None if until is None or going is not None else clicks.time_of(until),
            US_PER_MINUTE / clicks.pulses.us_per_quarter_at(0),
            None if going is None else going.bars,
        )

    def start(self, message: m.StartRecording, state: EntryState) -> None:
        """Begin; what was going on is kept first. Raises NotThere, BadInput, NotKept."""
        if self.desk.deleted:
            raise NotThere("This piece was deleted, so nothing can be recorded into it.")
        self.desk.look_up_late_us()  # it may have been set at another desk
        plan = self.plan(message, state)
        if self.recording is not None:
            self.finish(self.recording.last_us + self.recording.origin_us)
        self.recording = begin(self.desk, plan, message.origin_us, message.epoch_us)
        self.desk.recording_sessions += 1
        self._origin = (message.now_us, self._clock())
        self._bent_at = -(2**60)
        self.live = LivePage(self.desk, self.recording) if plan.tempo is not None else None

    def show(self) -> int | None:
        """Put what was played up to now on the sheet.

        The tick of the piece where the playing is, None where there is nothing to show.
        """
        self.fresh = False
        if self.live is None or self.recording is None or not self.recording.heard:
            return None
        event_us, seconds = self._origin
        now = event_us + round((self._clock() - seconds) * 1e6) - self.recording.origin_us
        self.live.advance(max(now, self.recording.last_us))
        tick = round(self.live.reading.pulses.tick_at(now)) + self.live.place.start
        going = self.recording.going
        return max(tick if going is None else going.folded(tick), 0)

    def bend(self) -> m.ClicksFact | None:
        """Let the click go with the player, where that was chosen.

        What is to be heard from the next beat on, None where nothing changes.
        """
        recording, live = self.recording, self.live
        if recording is None or live is None or recording.clicks is None or not self.choices.bends:
            return None
        bars, pulses = live.reading.settings.bars, recording.clicks.pulses
        onsets = [n.onset_us - recording.plan.late_us for n in recording.listener.notes(recording.last_us)]
        if not onsets:
            return None
        struck = onsets[-1]
        beat, length = bars.beat_at(round(pulses.tick_at(struck) + bars.meter.beat_ticks / 3))
        soon = pulses.time_at(beat + length) - struck < SCHEDULED_US
        if beat <= self._bent_at or beat < 0 or soon:
            return None
        late = lateness(off_beats(pulses, beat, length, onsets))
        if not late:
            return None
        self._bent_at = beat
        recording.clicks = replace(recording.clicks, pulses=bent_click(pulses, beat, length, late))
        live.reading.pulses = recording.clicks.pulses.moved(0, recording.plan.late_us)
        first = recording.clicks.piece.timeline.bar_at(max(beat + recording.clicks.start, 0)).index
        since = max(first - recording.plan.bar, 0) + len(recording.clicks.lead)
        heard = self._heard(recording.plan, recording.clicks, since, BENT_BARS, None)
        return replace(heard, from_us=recording.clicks.pulses.time_at(beat) + 1)

    def finish(self, end_us: int) -> list[TakeRow]:
        """Keep what was played; the recording is over once that is on disk. Raises NotKept."""
        recording = self.recording
        assert recording is not None
        rows = keep(self.desk, recording, end_us)
        self.seen = (rows[-1].id, self.live.passed()) if rows and self.live is not None else None
        self.recording = self.live = None
        self.desk.recording_sessions -= 1
        return rows

    def changed_since(self) -> str:
        """Bars that the reading of the whole wrote otherwise than they stood while they were played, in words.

        It is said once.
        """
        seen, self.seen = self.seen, None
        return read_otherwise(self.desk.piece, *seen) if seen else ""

    def stop(self, message: m.StopRecording) -> RecordingResult:
        """It is over: its take is read, or (``drop``) stays off the page. Raises BadInput, NotKept."""
        recording = self.recording
        if recording is None:
            raise BadInput("No recording is going on.")
        if message.epoch_us is not None:
            message = replace(
                message, end_us=max(recording.own_time(message.end_us, message.epoch_us), recording.origin_us)
            )
        rows = self.finish(message.end_us)
        if not rows:
            return RecordingResult("Nothing was heard, so nothing was written")
        if message.drop:
            for row in rows:
                self.desk.drop_take(row.id)
            dropped = (
                "The take was dropped from the page; it stays"
                if len(rows) == 1
                else "All rounds were dropped; they stay"
            )
            return RecordingResult(f"{dropped} among the takes", rows[-1].id)
        return self._read(recording, rows, message.end_us - recording.origin_us)

    def _read(self, recording: Recording, rows: Sequence[TakeRow], end_us: int) -> RecordingResult:
        last = rows[-1]
        if recording.plan.proof:
            return RecordingResult(f"{last.name} is kept", last.id, against=recording.plan.part)
        piece = self.desk.piece
        wanted = for_page(piece, recording, rows, end_us)
        job = takes_onto_page(
            self.desk,
            wanted,
            recording.place(piece, wanted[-1].id),
            recording.choices(piece),
            Arrival(self.choices.in_place, recording.plan.harmony),
        )
        return RecordingResult(kept_words(rows, wanted), wanted[-1].id, job)

    def cut_off(self) -> Sequence[CutOff]:
        """Recordings that nobody is making any more and nobody has kept."""
        if self.recording is not None or self.desk.recording_sessions > 0:
            return ()
        return self.desk.cut_off(round(self._wall() * 1e6))

    def recover(self, number: int, do: str) -> RecordingResult:
        """A recording that was cut off: its take from the journal, or nothing. Raises NotThere, NotKept."""
        cut = next((c for c in self.desk.cut_off(round(self._wall() * 1e6)) if c.id == number), None)
        if cut is None:
            raise NotThere("That recording is not there any more.")
        if do == "drop":
            self.desk.end_recording(number)
            self.desk.has_become(cut.from_us, cut.to_us, NOTHING)
            return RecordingResult("Dropped; what was played stays in the journal")
        recording = recovered(self.desk, cut, self.desk.journal(cut.from_us, cut.to_us))
        rows = keep(self.desk, recording, recording.last_us + recording.origin_us)
        self.desk.has_become(cut.from_us, cut.to_us, WRITTEN)
        return self._read(recording, rows, recording.last_us) if rows else RecordingResult("Nothing was played in it")

    def leave(self) -> None:
        """The browser left: what was going on is kept as a take. Raises NotKept."""
        if self.recording is None:
            return
        if self.recording.heard:
            self.finish(self.recording.last_us + self.recording.origin_us)
            self.desk.end_preview()
            return
        self.desk.recording_sessions -= 1
        if self.recording.number is not None:
            self.desk.end_recording(self.recording.number)
        self.recording = self.live = None
