"""Recording with a click (JOB 5): from the start of the count-in to written notes."""

from __future__ import annotations

from dataclasses import dataclass, field

from ductus.app.desk import Desk
from ductus.core.performance.takes import Heard, Take, take_of_events
from ductus.core.reading.read import read
from ductus.core.reading.settings import ReadSettings
from ductus.core.reading.to_piece import to_notes
from ductus.core.score.changes import Change
from ductus.core.score.edits import Line, count_words, write_notes
from ductus.core.score.records import Note
from ductus.core.time.pulse import PulseMap, steady_map


@dataclass(frozen=True, slots=True)
class RecordPlan:
    """What a recording writes: into ``part`` from bar ``bar`` (index), at ``qpm`` quarters a minute after ``count_in``
    bars; ``staff`` 0 divides the hands over both staves."""

    part: str
    staff: int
    bar: int
    qpm: float
    count_in: int
    shortest: str | None = None
    split: int | None = None
    tuplets: bool | None = None


@dataclass(slots=True)
class Recording:
    """A recording that is going on; event times count from the first click of the count-in, in microseconds."""

    plan: RecordPlan
    origin_us: int
    events: list[Heard] = field(default_factory=list)

    def hear(self, heard: Heard) -> None:
        """Keep one event; its time is turned to microseconds from the first click."""
        self.events.append(
            Heard(max(heard.time_us - self.origin_us, 0), heard.kind, heard.key, heard.value, heard.channel)
        )

    def pulses(self, desk: Desk) -> PulseMap:
        """The metronome's map: tick 0 is the bar line where writing begins."""
        meter = desk.piece.timeline.bar(self.plan.bar).meter
        return steady_map(self.plan.qpm, -self.plan.count_in * meter.bar_ticks, 0)


@dataclass(frozen=True, slots=True)
class Recorded:
    """What became of a recording: the take, the change (None if nothing was written) and a sentence."""

    take_id: int | None
    change: Change | None
    sentence: str


def keep(desk: Desk, recording: Recording, end_us: int) -> tuple[Take, int, str] | None:
    """Keep what was played as a take: (take, its id, its name); None if nothing was played."""
    plan = recording.plan
    take = take_of_events(recording.events, max(end_us - recording.origin_us, 0), recording.pulses(desk))
    if not take.notes:
        return None
    described = {"bar": plan.bar, "qpm": plan.qpm, "shortest": plan.shortest, "split": plan.split, "staff": plan.staff}
    return take, *desk.keep_take(take, "click", described)


def finish(desk: Desk, recording: Recording, end_us: int) -> Recorded:
    """Keep the take, read it against the click and return the change that writes it."""
    plan = recording.plan
    kept = keep(desk, recording, end_us)
    if kept is None:
        return Recorded(None, None, "Nothing was heard, so nothing was written.")
    take, take_id, name = kept
    bar = desk.piece.timeline.bar(plan.bar)
    settings = ReadSettings(
        meter=bar.meter,
        shortest=plan.shortest,
        split=plan.split,
        tuplets=plan.tuplets,
        key=desk.piece.key_at(plan.bar).fifths,
        hand=plan.staff or (1 if desk.piece.part(plan.part).staves == 1 else None),
    )
    result = read(take, recording.pulses(desk), settings)
    staves = {1: plan.staff or 1, 2: plan.staff or 2}
    notes = to_notes(result, plan.part, staves, bar.start, take_id)
    if not notes:
        return Recorded(take_id, None, f"{name} is kept; all of it came before the first bar, so nothing was written.")
    sentence = f"{name}: {count_words(len(notes), 'note')} written from bar {desk.piece.timeline.number_of(plan.bar)}"
    return Recorded(take_id, write_notes(desk.piece, notes, cleared(notes, bar.start), sentence), sentence)


def cleared(notes: list[Note], start: int) -> list[tuple[Line, int, int]]:
    """The stretches of voices that a take replaces: all voices of its staves, from its bar to its last note."""
    end = max(n.end for n in notes)
    staves = {(n.part, n.staff) for n in notes}
    return [((part, staff, voice), start, end) for part, staff in staves for voice in range(1, 5)]
