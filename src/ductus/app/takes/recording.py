"""Recording, with a click or freely: everything played is kept as a take, and shown while it is played."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from typing import Any

from ductus.app.document.desk import Desk
from ductus.core.capture.takes import Heard, Listener, Take, take_of_events
from ductus.core.errors import NotThere
from ductus.core.playback.click import AsWritten, ClickPlan, OneTempo, TempoChoice, click_plan
from ductus.core.playback.loop import MOST_ROUNDS, Round, takes_of_rounds
from ductus.core.playback.performance import Sounding, take_sounds
from ductus.core.reading.live import LiveReading
from ductus.core.reading.model import ReadNote, ReadSettings
from ductus.core.reading.page.insertion import is_framed, said_by_page, written_note
from ductus.core.reading.review.options import PageScope, ReadingOptions
from ductus.core.score.catalogues.drums import kit_of
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece, bars_touched
from ductus.core.score.model.records import Note, Reading
from ductus.core.score.note_edits.write import clear_brackets, clear_span
from ductus.core.time.pulse_map import PulseMap
from ductus.core.words import listed
from ductus.store.journal import CutOff
from ductus.store.takes import TakeRow

NOTHING, WRITTEN, DROPPED = range(3)  # what became of an event of the journal
RING_US = 10_000_000  # the last keys of a stretch are let go within this time


@dataclass(frozen=True, slots=True)
class RecordPlan:
    """What a recording writes: into ``part`` from bar ``bar`` (index) to the end of ``until`` (None.

    As long as it goes on), at ``tempo`` after ``count_in`` bars; ``tempo`` None: played freely, the beats are found
    afterwards. ``staff`` 0 divides the hands over both staves. ``before``: the bars of the count-in are those of the
    piece. ``late_us``: how late the player's notes arrive, found by the delay test; ``harmony``: what the written
    notes are held to. ``proof``: nothing is written, it is held against the page. ``round``: the bars up to
    ``until`` are gone round until it is stopped; each round becomes a take.
    """

    part: str
    staff: int
    bar: int
    tempo: TempoChoice | None
    count_in: int = 0
    shortest: str | None = None
    split: int | None = None
    tuplets: bool | None = None
    voice: int = 1
    policy: str = "replace"
    until: int | None = None
    before: bool = True
    late_us: int = 0
    harmony: str = "off"
    proof: bool = False
    round: bool = False

    @property
    def round_to(self) -> int | None:
        """The last of the bars that are gone round; None: they are not."""
        return max(self.until, self.bar) if self.round and self.until is not None and self.tempo is not None else None


def plan_from(kept: dict[str, Any]) -> RecordPlan:
    """A plan as it was kept in the library; those of earlier days say their tempo in quarters a minute."""
    told = dict(kept)
    if "qpm" in told:
        qpm = told.pop("qpm")
        told["tempo"] = None if qpm is None else {"qpm": qpm}
    tempo = told.get("tempo")
    if tempo is not None:
        told["tempo"] = OneTempo(tempo["qpm"]) if "qpm" in tempo else AsWritten(tempo["percent"])
    return RecordPlan(**told)


@dataclass(slots=True)
class Recording:
    """A recording that is going on; event times count from the first click of the count-in (or from its start), in
    microseconds.
    """

    plan: RecordPlan
    origin_us: int
    clicks: ClickPlan | None = None  # None: played freely
    listener: Listener = field(default_factory=Listener)
    last_us: int = 0
    heard: int = 0
    number: int | None = None  # its row in the library while it goes on
    epoch_us: int = 0  # the wall clock at event time 0 of the clock that its times are on
    known: frozenset[tuple[int, str, int]] = (
        frozenset()
    )  # of a recording that goes on after a break: what the journal had (time, kind, key)

    def own_time(self, at_us: int, epoch_us: int) -> int:
        """An event time of a page, whose time 0 is ``epoch_us`` on the wall clock, on the clock of this recording."""
        return at_us + epoch_us - self.epoch_us

    def hear(self, heard: Heard) -> bool:
        """Keep one event; its time is turned to microseconds from the origin, and never runs backwards.

        False for one that is there already.
        """
        if self.known and (heard.time_us, heard.kind, heard.key) in self.known:
            return False
        self.last_us = max(heard.time_us - self.origin_us, self.last_us, 0)
        self.heard += 1
        self.listener.hear(replace(heard, time_us=self.last_us))
        return True

    def pulses(self) -> PulseMap | None:
        """The click as a map: tick 0 is the bar line where writing begins (or would, for a pick-up).

        As late as the player's notes arrive. None for a free recording.
        """
        return None if self.clicks is None else self.clicks.pulses.moved(0, self.plan.late_us)

    def start(self, piece: Piece) -> int:
        """The tick of the piece where tick 0 of the reading lies."""
        bar = piece.timeline.bar(self.plan.bar)
        return bar.start - bar.missing if self.clicks is not None else bar.start

    @property
    def going(self) -> Round | None:
        """The bars that are gone round; None: they are not."""
        return None if self.clicks is None else self.clicks.going

    def settings(self, piece: Piece, *, rounds: bool = False) -> ReadSettings:
        """How the take is read at first; ``rounds``: all of them in one."""
        plan = self.plan
        one = plan.staff or (1 if piece.part(plan.part).staves == 1 else None)
        barred = self.clicks is not None or is_framed(piece, plan.bar)
        known = barred or bool(len(piece.notes))
        meters = piece.timeline.meters_from(plan.bar, self.start(piece))
        if self.going is not None:
            meters = self.going.meters(meters, MOST_ROUNDS if rounds else 1)
        return ReadSettings(
            meter=meters[0][1] if known else None,
            changes=meters[1:] if barred else (),
            shortest=plan.shortest,
            split=plan.split,
            tuplets=plan.tuplets,
            key=piece.key_at(plan.bar).fifths if known else None,
            hand=one,
            kit=kit_of(piece.part(plan.part)),
        )

    def place(self, piece: Piece, take: int) -> Reading:
        """Where the take goes; a part of one staff takes everything."""
        plan = self.plan
        staff = plan.staff or (1 if piece.part(plan.part).staves == 1 else 0)
        return Reading("", take, plan.part, staff, self.start(piece), "")

    def choices(self, piece: Piece) -> ReadingOptions:
        """The choices that the first reading is made with."""
        settings = self.settings(piece)
        barred = self.clicks is not None or is_framed(piece, self.plan.bar)
        known = barred or bool(len(piece.notes))
        return ReadingOptions(
            settings,
            where=self.where(piece),
            stated=settings if barred else None,
            page=None if known else said_by_page(piece, self.plan.bar),
        )

    def where(self, piece: Piece) -> PageScope:
        """What of the page it may touch."""
        plan, start = self.plan, self.start(piece)
        voice = 1 if piece.part(plan.part).percussion else plan.voice  # hands and feet have voices of their own
        first = piece.timeline.bar(plan.bar)
        if plan.until is None or self.clicks is None:
            return PageScope(plan.policy, voice, PageScope.since_part(first, start))
        last = piece.timeline.bar(max(plan.until, plan.bar))
        return PageScope(plan.policy, voice, first.start - start, last.end - start)


def begin(desk: Desk, plan: RecordPlan, origin_us: int, epoch_us: int) -> Recording:
    """Begin a recording; the library remembers it, so that a take that is cut off can be found in the journal.

    Raises BadInput for a place or tempo out of reach, NotKept.
    """
    clicks = clicks_of(desk.piece, plan)
    number = desk.begin_recording(epoch_us + origin_us, asdict(plan))
    return Recording(plan, origin_us, clicks, number=number, epoch_us=epoch_us)


def clicks_of(piece: Piece, plan: RecordPlan) -> ClickPlan | None:
    """The click of a plan; None: played freely."""
    if plan.tempo is None:
        return None
    return click_plan(piece, plan.bar, plan.tempo, plan.count_in, before=plan.before, round_to=plan.round_to)


def keep(desk: Desk, recording: Recording, end_us: int) -> list[TakeRow]:
    """Keep what was played as a take, of bars that were gone round as one for each round; none if nothing was played.

    Raises NotKept.
    """
    plan, going = recording.plan, recording.going
    take = recording.listener.take(max(end_us - recording.origin_us, 0), recording.pulses())
    if not take.notes:
        if recording.number is not None:
            desk.end_recording(recording.number)
        return []
    source = "free" if recording.clicks is None else "click"
    takes = [take] if going is None else [one for _, one in takes_of_rounds(take, going)]
    # The recording is over once its last take is kept: cut off before that, all of it is offered from the journal.
    numbers = [None] * (len(takes) - 1) + [recording.number]
    return [desk.keep_take(one, source, asdict(plan), n) for one, n in zip(takes, numbers, strict=True)]


def for_page(piece: Piece, recording: Recording, rows: Sequence[TakeRow], end_us: int) -> list[TakeRow]:
    """Which takes of a recording go onto the page.

    Of rounds that replace each other the last that came to its last beat (or the only one), of rounds that are added
    all. ``end_us`` from the origin.
    """
    going, pulses = recording.going, recording.pulses()
    if going is None or pulses is None or recording.plan.policy == "add":
        return list(rows)
    numbers = [k for k, _ in takes_of_rounds(recording.listener.take(max(end_us, 0), pulses), going)]
    last_beat = piece.timeline.bar(going.last).last_beat - going.start
    whole = [
        row for k, row in zip(numbers, rows, strict=True) if pulses.time_at(k * going.length + last_beat) <= end_us
    ]
    return (whole or list(rows))[-1:]


def recovered(desk: Desk, cut: CutOff, heard: Iterable[Heard]) -> Recording:
    """A recording that was cut off, as it was heard: from the journal (its clock is the wall clock)."""
    plan = plan_from(cut.plan)
    if plan.part not in desk.piece.parts:
        plan = replace(plan, part=desk.piece.ordered_parts()[0].id)
    recording = Recording(plan, cut.from_us, clicks_of(desk.piece, plan), number=cut.id)
    for event in heard:
        recording.hear(event)
    return recording


def heard_between(desk: Desk, from_us: int, to_us: int) -> Take:
    """What was heard in a stretch of wall-clock time, from its first key to its last and until all are up.

    Raises NotThere, NotKept.
    """
    heard = [e for e in desk.journal(from_us, to_us + RING_US) if e.time_us <= to_us or e.kind != "down"]
    take = take_of_events([replace(e, time_us=e.time_us - from_us) for e in heard])
    if not take.notes:
        raise NotThere("Nothing was heard there; the journal's list may have changed.")
    return take


def heard_sounds(desk: Desk, from_us: int, to_us: int) -> list[Sounding]:
    """A stretch of the journal, to be heard. Raises NotThere, NotKept."""
    return take_sounds(heard_between(desk, from_us, to_us))


def take_from_journal(desk: Desk, from_us: int, to_us: int) -> TakeRow:
    """A stretch of the journal as a take. Raises NotThere, NotKept."""
    row = desk.keep_take(heard_between(desk, from_us, to_us), "journal", {"from_us": from_us})
    desk.has_become(from_us, to_us, WRITTEN)
    return row


def read_otherwise(piece: Piece, take: int, seen: Mapping[int, int]) -> str:
    """The bars in which notes of a take came to stand elsewhere than where they were ``seen`` (event -> tick) while
    it was played, in words; nothing if there are none.
    """
    here = {n.event: n.tick for n in piece.notes.values() if n.take == take}
    timeline = piece.timeline
    bars = sorted({timeline.bar_at(tick).index for event, tick in seen.items() if here.get(event, tick) != tick})
    if not bars:
        return ""
    verb = "reads" if len(bars) == 1 else "read"
    return f"{listed([piece.timeline.bar_words(b) for b in bars])} {verb} otherwise than while you played"


class LivePage:
    """The notes of a recording on the sheet while they are played.

    A preview of the piece that grows with every beat.
    """

    def __init__(self, desk: Desk, recording: Recording) -> None:
        """Raises nothing; a free recording has no live page, since its beats are not known yet."""
        pulses = recording.pulses()
        assert pulses is not None
        self.desk, self.recording = desk, recording
        self.where = recording.where(desk.piece)
        self.reading = LiveReading(pulses, replace(recording.settings(desk.piece, rounds=True), voices=1))
        self.going = recording.going
        self.place = recording.place(desk.piece, 0)
        self._start_anew()

    def _start_anew(self) -> None:
        self._revision = self.desk.history.revision
        self._page = self.desk.piece
        self._notes: dict[int, Note] = {}
        self._cleared = max(self.place.start, 0)

    @property
    def page(self) -> Piece:
        """The piece with what was played up to now."""
        return self._page

    def advance(self, now_us: int) -> bool:
        """Read on and show it; ``now_us`` from the origin of the recording.

        Returns True if the systems were divided anew.
        """
        if self._revision != self.desk.history.revision:
            self._start_anew()
        read = self._in_round(self.reading.advance(self.recording.listener.notes(now_us), now_us), now_us)
        place = self.place
        fresh = {
            n.event: replace(written_note(place, n, f"live{n.event}", self.where.voice), take=None)
            for n in read
            if n.tick + place.start >= 0 and self.where.holds(n.tick)
        }
        changed = {
            event: (self._notes.get(event), fresh.get(event))
            for event in {*self._notes, *fresh}
            if self._notes.get(event) != fresh.get(event)
        }
        if not changed:
            return False
        draft = Draft(self._page)
        self._clear(draft, fresh)
        for before, after in changed.values():
            if after is not None:
                draft.put(after)
            elif before is not None:
                draft.drop(before)
        self._notes = fresh
        change = draft.change("")
        bars = change.bars(self._page)[0]
        self._page = change.apply(self._page)
        both = [n for pair in changed.values() for n in pair if n is not None]
        bars |= {bar for n in both for bar in bars_touched(self._page.timeline, n)}
        return self.desk.preview(self._page, bars)

    def _in_round(self, read: list[ReadNote], now_us: int) -> list[ReadNote]:
        """The notes as they stand on the page where bars are gone round.

        What replaces, shows the present round; what adds, all of them.
        """
        going = self.going
        if going is None:
            return read
        now = going.of(self.reading.pulses.tick_at(now_us))
        out = []
        for n in read:
            k = n.tick // going.length
            if k == now or (k >= 0 and self.where.policy == "add"):
                tick = n.tick - k * going.length
                out.append(replace(n, tick=tick, ticks=min(n.ticks, going.length - tick)))
        return out

    def passed(self) -> dict[int, int]:
        """Event -> tick of the notes in bars that were over when the playing ended.

        What stood there was as good as final.
        """
        if not self._notes or self.going is not None:
            return {}
        last = self._page.timeline.bar_at(max(n.tick for n in self._notes.values())).start
        return {event: note.tick for event, note in self._notes.items() if note.tick < last}

    def _clear(self, draft: Draft, fresh: dict[int, Note]) -> None:
        """What was written there before makes room, as far as the playing has come."""
        end = max((n.end for n in fresh.values()), default=0)
        if end <= self._cleared or self.where.policy != "replace":
            return
        mine = {n.id for n in self._notes.values()}
        for staff in [self.place.staff] if self.place.staff else (1, 2):
            for voice in self.where.voices(self.place.staff):
                line = (self.place.part, staff, voice)
                clear_span(draft, line, self._cleared, end, mine)
                clear_brackets(draft, line, self._cleared, end)
        self._cleared = end
