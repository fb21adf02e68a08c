"""What a browser says to a desk. Times in microseconds, written time in ticks."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from ductus.core.capture.delay import MOST_LATE_US
from ductus.core.entry.commands.registry import AnyCommand
from ductus.core.limits import Ge, Le, MaxLen
from ductus.core.playback.click import TempoChoice
from ductus.core.reading.review.note_options import AnyReadingChoice
from ductus.core.recording.settings import AnyRecordChoice
from ductus.core.score.mark_edits.commands import AnyMarkEdit
from ductus.core.score.note_edits.registry import NoteEdit
from ductus.core.score.note_edits.select import Selecting
from ductus.core.score.note_edits.sounding import QuantizeInPlace
from ductus.core.score.structure_edits.registry import AnyFrameEdit
from ductus.core.time.bars import MAX_BAR

MAX_TIME_US = 2**52
MidiKey = Annotated[int, Ge(0), Le(127)]
Microseconds = Annotated[int, Ge(0), Le(MAX_TIME_US)]
NoteId = Annotated[str, MaxLen(40)]
NoteIds = Annotated[tuple[NoteId, ...], MaxLen(200_000)]
BarIndex = Annotated[int, Ge(0), Le(MAX_BAR)]
Revision = Annotated[int, Ge(0), Le(2**62)]
RowId = Annotated[int, Ge(1), Le(2**62)]


@dataclass(frozen=True, slots=True)
class Message:
    """Base of what a browser says; unknown fields are refused."""


@dataclass(frozen=True, slots=True)
class HeardEvent(Message):
    """One raw event of an instrument, stamped by the browser."""

    at_us: Microseconds
    kind: Literal["down", "up", "control"]
    key: MidiKey
    value: MidiKey = 0
    channel: Annotated[int, Ge(0), Le(15)] = 0


@dataclass(frozen=True, slots=True)
class Keys(Message):
    """Events in the order they were heard; ``epoch_us`` is the wall clock at event time 0.

    With ``only_sound`` (during playback) they are kept in the journal and write nothing; ``again``: sent before a
    connection was lost and perhaps not kept. ``number`` counts what the browser sends, so that it can be told what
    is kept.
    """

    epoch_us: Microseconds
    events: Annotated[tuple[HeardEvent, ...], MaxLen(2000)]
    only_sound: bool = False
    again: bool = False
    number: Annotated[int, Ge(0), Le(2**52)] = 0
    type: Literal["keys"] = "keys"


@dataclass(frozen=True, slots=True)
class Give(Message):
    """A command of entry."""

    do: AnyCommand
    at_us: Microseconds = 0
    type: Literal["command"] = "command"


@dataclass(frozen=True, slots=True)
class SelectNotes(Message):
    """Select notes, seen from the pen, beside (or instead of) those selected now."""

    do: Selecting
    ids: NoteIds = ()
    type: Literal["select"] = "select"


@dataclass(frozen=True, slots=True)
class EditNotes(Message):
    """Edit selected notes, seen on revision ``base``; ``select``: they are those that are selected then."""

    base: Revision
    do: NoteEdit
    ids: NoteIds = ()
    select: bool = True
    type: Literal["edit"] = "edit"


@dataclass(frozen=True, slots=True)
class EditFrame(Message):
    """Change meter, key, tempo or pick-up, seen on revision ``base``."""

    base: Revision
    do: AnyFrameEdit
    type: Literal["frame"] = "frame"


@dataclass(frozen=True, slots=True)
class WeighFrame(Message):
    """What would an edit of the frame do? Nothing is changed."""

    do: AnyFrameEdit
    type: Literal["weigh"] = "weigh"


@dataclass(frozen=True, slots=True)
class WeighNotes(Message):
    """What would quantize in place do to notes? Nothing is changed."""

    do: QuantizeInPlace
    ids: NoteIds = ()
    type: Literal["weigh-notes"] = "weigh-notes"


@dataclass(frozen=True, slots=True)
class ReadAloud(Message):
    """Say what stands at the pen: all that sounds at its place (pitches as written, or as sounding), its voice in
    this bar, or the whole bar; or where work stands.
    """

    what: Literal["column", "sounding", "voice", "bar", "where"]
    type: Literal["aloud"] = "aloud"


@dataclass(frozen=True, slots=True)
class LookAtFrame(Message):
    """The line is to speak of the clef, key, meter, tempo, part or bar at a place.

    ``last`` is the last bar where several are meant, ``id`` a tempo mark that was pointed at, ``near``: the change
    of clef nearest to the place is meant.
    """

    what: Literal["clef", "key", "meter", "tempo", "part", "bar"]
    bar: BarIndex
    part: Annotated[str, MaxLen(40)]
    staff: Annotated[int, Ge(1), Le(2)] = 1
    tick: Annotated[int, Ge(0), Le(2**52)] = 0
    last: BarIndex = 0
    near: bool = False
    id: Annotated[str, MaxLen(40)] = ""
    type: Literal["frame-wanted"] = "frame-wanted"


@dataclass(frozen=True, slots=True)
class PickMarks(Message):
    """Marks (and signs of bars, tempi, clefs) that are chosen on the sheet; none: they are let go."""

    ids: NoteIds = ()
    type: Literal["marks"] = "marks"


@dataclass(frozen=True, slots=True)
class EditMarks(Message):
    """Edit chosen marks, seen on revision ``base``."""

    base: Revision
    do: AnyMarkEdit
    ids: NoteIds = ()
    type: Literal["mark-edit"] = "mark-edit"


@dataclass(frozen=True, slots=True)
class Clip(Message):
    """Copy or cut selected notes, or paste at the pen."""

    base: Revision
    do: Literal["copy", "cut", "paste"]
    ids: NoteIds = ()
    type: Literal["clip"] = "clip"


@dataclass(frozen=True, slots=True)
class Travel(Message):
    """Undo or redo, seen from revision ``base``.

    None: whatever is the latest when it arrives, as for a hand that is faster than the answers.
    """

    base: Revision | None
    do: Literal["undo", "redo"]
    type: Literal["travel"] = "travel"


@dataclass(frozen=True, slots=True)
class SetRecording(Message):
    """Choose how the next recording goes."""

    do: AnyRecordChoice
    type: Literal["record-set"] = "record-set"


@dataclass(frozen=True, slots=True)
class StartRecording(Message):
    """A recording begins as it was chosen.

    ``origin_us`` is the first click of the count-in on the event clock, ``now_us`` the present there; ``epoch_us``
    the wall clock at event time 0. ``freely``, ``tempo`` and ``count_in`` stand in for what was chosen (None: as
    chosen). ``proof``: it is held against the page, not written.
    """

    origin_us: Microseconds
    now_us: Microseconds
    epoch_us: Microseconds
    bar: BarIndex
    freely: bool | None = None
    tempo: TempoChoice | None = None
    count_in: Annotated[int, Ge(0), Le(8)] | None = None
    proof: bool = False
    type: Literal["record-start"] = "record-start"


@dataclass(frozen=True, slots=True)
class SetDelay(Message):
    """How late the player's notes arrive, as the delay test found (0.

    Not at all); later takes are read that much earlier.
    """

    late_us: Annotated[int, Ge(-MOST_LATE_US), Le(MOST_LATE_US)]
    type: Literal["delay-set"] = "delay-set"


@dataclass(frozen=True, slots=True)
class WantClicks(Message):
    """What is to be heard in ``bars`` bars from the bar ``since`` (0.

    The first of the count-in) of a recording that goes on, or of one that would begin at ``bar`` (see
    ``StartRecording``). ``halves``: half beats are clicked, too (None: in compound meters).
    """

    bar: BarIndex
    since: Annotated[int, Ge(0), Le(MAX_BAR)] = 0
    bars: Annotated[int, Ge(1), Le(64)] = 16
    halves: bool | None = None
    tempo: TempoChoice | None = None
    count_in: Annotated[int, Ge(0), Le(8)] | None = None
    type: Literal["clicks-wanted"] = "clicks-wanted"


@dataclass(frozen=True, slots=True)
class StopRecording(Message):
    """The recording ends; ``drop`` keeps the take off the page.

    ``epoch_us`` is the wall clock at event time 0 (None: that of its start).
    """

    end_us: Microseconds
    drop: bool = False
    epoch_us: Microseconds | None = None
    type: Literal["record-stop"] = "record-stop"


@dataclass(frozen=True, slots=True)
class CutOffTake(Message):
    """A recording that was cut off: write it onto the page, or drop it (it stays in the journal)."""

    recording: RowId
    do: Literal["write", "drop"]
    type: Literal["cut-off"] = "cut-off"


@dataclass(frozen=True, slots=True)
class WriteHeard(Message):
    """Write a stretch of the journal (microseconds of the wall clock) onto the page at a bar (index) of a part;
    ``staff`` 0 divides the hands.
    """

    from_us: Microseconds
    to_us: Microseconds
    part: Annotated[str, MaxLen(40)]
    bar: BarIndex
    staff: Annotated[int, Ge(0), Le(2)] = 0
    type: Literal["heard-write"] = "heard-write"


@dataclass(frozen=True, slots=True)
class DropHeard(Message):
    """Take a stretch of the journal (microseconds of the wall clock) off its list."""

    from_us: Microseconds
    to_us: Microseconds
    type: Literal["heard-drop"] = "heard-drop"


@dataclass(frozen=True, slots=True)
class TellTakes(Message):
    """Say anew what takes there are and what stands in the journal."""

    type: Literal["takes-wanted"] = "takes-wanted"


@dataclass(frozen=True, slots=True)
class WriteTake(Message):
    """Write a kept take onto the page at a bar (index) of a part; ``staff`` 0 divides the hands."""

    take: RowId
    part: Annotated[str, MaxLen(40)]
    bar: BarIndex
    staff: Annotated[int, Ge(0), Le(2)] = 0
    type: Literal["take-write"] = "take-write"


@dataclass(frozen=True, slots=True)
class JoinTakes(Message):
    """Read further takes of the same bars together with the one of a reading."""

    reading: Annotated[str, MaxLen(40)]
    takes: Annotated[tuple[RowId, ...], MaxLen(9)]
    type: Literal["takes-together"] = "takes-together"


@dataclass(frozen=True, slots=True)
class HoldAgainstPage(Message):
    """Hold a kept take against the page of a part."""

    take: RowId
    part: Annotated[str, MaxLen(40)]
    type: Literal["proof-hold"] = "proof-hold"


@dataclass(frozen=True, slots=True)
class DecideDifference(Message):
    """Take over what was played at a place that differs (``key`` "".

    At all of them), leave the page, or close the proof.
    """

    do: Literal["take", "leave", "close"]
    key: Annotated[str, MaxLen(4000)] = ""
    type: Literal["proof-decide"] = "proof-decide"


@dataclass(frozen=True, slots=True)
class ReadOtherwise(Message):
    """Read a take on the page otherwise; with ``ids`` only these notes of it.

    Without a ``reading``: the one those notes come from.
    """

    do: AnyReadingChoice
    reading: NoteId = ""
    ids: NoteIds = ()
    type: Literal["read"] = "read"


@dataclass(frozen=True, slots=True)
class DecideDoubt(Message):
    """Decide a doubt (``key`` its first event, or below zero for an ornament).

    Choose an option, or settle it; or settle all of the reading.
    """

    reading: NoteId
    do: Literal["choose", "settle", "settle all"]
    key: Annotated[int, Ge(-(2**40)), Le(2**40)] = 0
    option: Annotated[int, Ge(0), Le(9)] = 0
    type: Literal["doubt"] = "doubt"


@dataclass(frozen=True, slots=True)
class ShowParts(Message):
    """Which parts the sheet shows; none named: all; of one alone, which staff (0: both).

    Where it is one alone, the pen goes there.
    """

    parts: Annotated[tuple[Annotated[str, MaxLen(40)], ...], MaxLen(100)] = ()
    staff: Annotated[int, Ge(0), Le(2)] = 0
    type: Literal["parts-shown"] = "parts-shown"


@dataclass(frozen=True, slots=True)
class LayOut(Message):
    """The sheet as pages of a size, with the bars and pages of print, or ("") as one scroll."""

    size: Literal["", "a4", "letter"] = ""
    type: Literal["lay-out"] = "lay-out"


@dataclass(frozen=True, slots=True)
class FitLine(Message):
    """How long the lines of a scroll are, in percent of the longest: a narrow window has shorter ones."""

    share: Literal[100, 76, 58, 44, 34] = 100
    type: Literal["fit-line"] = "fit-line"


@dataclass(frozen=True, slots=True)
class MarksFromTake(Message):
    """Write the pedal of a take, dynamics by how it was played, or words of its tempo, as marks."""

    reading: NoteId
    what: Literal["pedal", "dynamics", "tempo"]
    type: Literal["take-marks"] = "take-marks"


@dataclass(frozen=True, slots=True)
class StopWork(Message):
    """Stop the long work that is going on; the page stays as it is."""

    type: Literal["stop-work"] = "stop-work"


@dataclass(frozen=True, slots=True)
class AskInWords(Message):
    """What would an instruction in words do, seen from the pen and what is selected? Nothing is changed."""

    text: Annotated[str, MaxLen(400)]
    type: Literal["in-words"] = "in-words"


@dataclass(frozen=True, slots=True)
class Look(Message):
    """The browser looks at this bar (index); engraving fills in from there."""

    bar: BarIndex
    type: Literal["look"] = "look"


ClientMessage = (
    Keys | Give | SelectNotes | EditNotes | EditFrame | WeighFrame | WeighNotes | LookAtFrame | ReadAloud | PickMarks
    | EditMarks | Clip | Travel | SetRecording | SetDelay | WantClicks | StartRecording | StopRecording | CutOffTake
    | WriteHeard | DropHeard | TellTakes | WriteTake | JoinTakes | HoldAgainstPage | DecideDifference | ReadOtherwise
    | DecideDoubt | MarksFromTake | ShowParts | LayOut | FitLine | StopWork
    | Look | AskInWords
)  # fmt: skip
