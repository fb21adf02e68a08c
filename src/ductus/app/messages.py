"""What a desk is told and what it tells: plain records, the one description of the wire. Times in microseconds, written time in ticks.

The web layer turns them to JSON and back; the types of the browser are made from them.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any, ClassVar, Literal

from annotated_types import Ge, Le, MaxLen

from ductus.app.sheet import BarView
from ductus.core.entry.commands.table import AnyCommand
from ductus.core.performance.delay import MOST_LATE_US
from ductus.core.playback.click import Click, TempoChoice
from ductus.core.playback.performance import Sounding
from ductus.core.reading.choosing import AnyReadingChoice
from ductus.core.recording.choices import AnyRecordChoice
from ductus.core.score.selection.choosing import Selecting
from ductus.core.score.selection.table import NoteEdit
from ductus.core.time.bars import MAX_BAR

MAX_TIME_US = 2**52
MidiKey = Annotated[int, Ge(0), Le(127)]
Microseconds = Annotated[int, Ge(0), Le(MAX_TIME_US)]
NoteId = Annotated[str, MaxLen(40)]
NoteIds = Annotated[tuple[NoteId, ...], MaxLen(20_000)]
BarIndex = Annotated[int, Ge(0), Le(MAX_BAR)]
Revision = Annotated[int, Ge(0), Le(2**62)]
RowId = Annotated[int, Ge(1), Le(2**62)]


@dataclass(frozen=True, slots=True)
class Message:
    """Base of what a browser says; unknown fields are refused."""

    __pydantic_config__: ClassVar[Any] = {"extra": "forbid"}


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
    """Events in the order they were heard; ``epoch_us`` is the wall clock at event time 0. With ``only_sound`` (during playback) they are kept
    in the journal and write nothing; ``again``: sent before a connection was lost and perhaps not kept. ``number`` counts what the browser
    sends, so that it can be told what is kept."""

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
    """Edit selected notes, seen on revision ``base``."""

    base: Revision
    do: NoteEdit
    ids: NoteIds = ()
    type: Literal["edit"] = "edit"


@dataclass(frozen=True, slots=True)
class Clip(Message):
    """Copy or cut selected notes, or paste at the pen."""

    base: Revision
    do: Literal["copy", "cut", "paste"]
    ids: NoteIds = ()
    type: Literal["clip"] = "clip"


@dataclass(frozen=True, slots=True)
class Travel(Message):
    """Undo or redo, seen from revision ``base``."""

    base: Revision
    do: Literal["undo", "redo"]
    type: Literal["travel"] = "travel"


@dataclass(frozen=True, slots=True)
class SetRecording(Message):
    """Choose how the next recording goes."""

    do: AnyRecordChoice
    type: Literal["record-set"] = "record-set"


@dataclass(frozen=True, slots=True)
class StartRecording(Message):
    """A recording begins as it was chosen: ``origin_us`` is the first click of the count-in on the event clock, ``now_us`` the present there;
    ``epoch_us`` the wall clock at event time 0. ``freely``, ``tempo`` and ``count_in`` stand in for what was chosen (None: as chosen)."""

    origin_us: Microseconds
    now_us: Microseconds
    epoch_us: Microseconds
    bar: BarIndex
    freely: bool | None = None
    tempo: TempoChoice | None = None
    count_in: Annotated[int, Ge(0), Le(8)] | None = None
    type: Literal["record-start"] = "record-start"


@dataclass(frozen=True, slots=True)
class SetDelay(Message):
    """How late the player's notes arrive, as the delay test found (0: not at all); later takes are read that much earlier."""

    late_us: Annotated[int, Ge(-MOST_LATE_US), Le(MOST_LATE_US)]
    type: Literal["delay-set"] = "delay-set"


@dataclass(frozen=True, slots=True)
class WantClicks(Message):
    """What is to be heard in ``bars`` bars from the bar ``since`` (0: the first of the count-in) of a recording that goes on, or of one that
    would begin at ``bar`` (see ``StartRecording``). ``halves``: half beats are clicked, too (None: in compound meters)."""

    bar: BarIndex
    since: Annotated[int, Ge(0), Le(MAX_BAR)] = 0
    bars: Annotated[int, Ge(1), Le(64)] = 16
    halves: bool | None = None
    tempo: TempoChoice | None = None
    count_in: Annotated[int, Ge(0), Le(8)] | None = None
    type: Literal["clicks-wanted"] = "clicks-wanted"


@dataclass(frozen=True, slots=True)
class StopRecording(Message):
    """The recording ends; ``drop`` keeps the take off the page."""

    end_us: Microseconds
    drop: bool = False
    type: Literal["record-stop"] = "record-stop"


@dataclass(frozen=True, slots=True)
class CutOffTake(Message):
    """A recording that was cut off: write it onto the page, or drop it (it stays in the journal)."""

    recording: RowId
    do: Literal["write", "drop"]
    type: Literal["cut-off"] = "cut-off"


@dataclass(frozen=True, slots=True)
class WriteHeard(Message):
    """Write a stretch of the journal (microseconds of the wall clock) onto the page at a bar (index) of a part; ``staff`` 0 divides the hands."""

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
class ReadOtherwise(Message):
    """Read a take on the page otherwise; with ``ids`` only these notes of it. Without a ``reading``: the one those notes come from."""

    do: AnyReadingChoice
    reading: NoteId = ""
    ids: NoteIds = ()
    type: Literal["read"] = "read"


@dataclass(frozen=True, slots=True)
class DecideDoubt(Message):
    """Decide a doubt (``key`` its first event, or below zero for an ornament): choose an option, or settle it; or settle all of the reading."""

    reading: NoteId
    do: Literal["choose", "settle", "settle all"]
    key: Annotated[int, Ge(-(2**40)), Le(2**40)] = 0
    option: Annotated[int, Ge(0), Le(9)] = 0
    type: Literal["doubt"] = "doubt"


@dataclass(frozen=True, slots=True)
class StopWork(Message):
    """Stop the long work that is going on; the page stays as it is."""

    type: Literal["stop-work"] = "stop-work"


@dataclass(frozen=True, slots=True)
class Look(Message):
    """The browser looks at this bar (index); engraving fills in from there."""

    bar: BarIndex
    type: Literal["look"] = "look"


ClientMessage = (
    Keys | Give | SelectNotes | EditNotes | Clip | Travel | SetRecording | SetDelay | WantClicks | StartRecording | StopRecording | CutOffTake | WriteHeard | DropHeard | TellTakes | WriteTake | ReadOtherwise | DecideDoubt
    | StopWork | Look
)  # fmt: skip


# --- facts ------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class PartFact:
    """A part as the line names it."""

    id: str
    name: str
    staves: int
    clefs: tuple[str, ...]
    programme: int


@dataclass(frozen=True, slots=True)
class HeadFact:
    """The head of the page."""

    title: str
    subtitle: str
    composer: str
    arranger: str
    cautions: str


@dataclass(frozen=True, slots=True)
class StateFact:
    """What the header needs; sent on opening and after every edit. ``quarters_per_minute`` is the tempo at the pen in quarters."""

    revision: int
    undo: str | None
    redo: str | None
    facts: HeadFact
    parts: tuple[PartFact, ...]
    meter: str
    beats_per_minute: float
    quarters_per_minute: float
    beat_base: str
    beat_dots: int
    tempo_text: str
    type: Literal["state"] = "state"


@dataclass(frozen=True, slots=True)
class TakeFact:
    """A take in the margin."""

    id: int
    name: str
    source: Literal["click", "free", "file", "journal"]
    made_at: str
    dropped: bool
    notes: int
    length_us: int


@dataclass(frozen=True, slots=True)
class CutOffFact:
    """A recording that was cut off, in the margin."""

    recording: int
    notes: int
    length_us: int


@dataclass(frozen=True, slots=True)
class HeardFact:
    """A stretch of the journal of which nothing was made: microseconds of the wall clock, and how many keys were struck."""

    from_us: int
    to_us: int
    notes: int


@dataclass(frozen=True, slots=True)
class TakesFact:
    """All takes of the piece, the oldest first, recordings that were cut off, and the journal: what was heard and not written, the latest
    first. Sent when they change."""

    takes: tuple[TakeFact, ...]
    cut_off: tuple[CutOffFact, ...]
    heard: tuple[HeardFact, ...]
    type: Literal["takes"] = "takes"


@dataclass(frozen=True, slots=True)
class SystemRef:
    """A system of the sheet; ``key`` is None while it waits to be engraved."""

    first: int
    last: int
    key: str | None


@dataclass(frozen=True, slots=True)
class SheetFact:
    """All systems in order."""

    systems: tuple[SystemRef, ...]
    type: Literal["sheet"] = "sheet"


@dataclass(frozen=True, slots=True)
class SystemFact:
    """An engraved system, ``index`` its place on the sheet; ``columns`` are (tick, id of the first symbol that begins there), in order."""

    index: int
    key: str
    svg: str
    first: int
    last: int
    bars: tuple[BarView, ...]
    columns: tuple[tuple[int, str], ...]
    type: Literal["system"] = "system"


@dataclass(frozen=True, slots=True)
class ChoiceFact:
    """One thing that a phrase could say: ``do`` is sent back as it is."""

    label: str
    do: AnyCommand | AnyReadingChoice | AnyRecordChoice
    chosen: bool


@dataclass(frozen=True, slots=True)
class PhraseFact:
    """Words of the line; with a name they are a control."""

    words: str
    name: str
    choices: tuple[ChoiceFact, ...]
    form: str


@dataclass(frozen=True, slots=True)
class PenFact:
    """The pen and every choice that the line speaks. ``level`` is the metrical rank of its place (0 bar line, 1 middle, 2 beat, deeper below)."""

    down: bool
    part: str
    part_name: str
    staff: int
    staves: int
    voice: int
    tick: int
    bar: int
    bar_start: int
    bar_number: int
    beat: str
    level: int
    left: str
    base: str
    dots: int
    tuplet: tuple[int, int] | None
    dots_latched: bool
    tuplet_latched: bool
    step_ticks: int
    step_shown: int
    step_words: str
    when: str
    policy: str
    pass_start: str
    pass_start_tick: int
    pending: tuple[str, ...]
    pending_diatonic: tuple[int, ...]
    way: str
    line: tuple[PhraseFact, ...]
    next_key: str
    allowed: tuple[int, ...] | None
    over: str
    clicks: Literal["place", "write"]
    hands: str
    split: int
    clef: str
    advances: bool
    harmony: str
    pulse_key: int | None
    type: Literal["pen"] = "pen"


@dataclass(frozen=True, slots=True)
class Say:
    """A sentence to announce; ``urgent`` interrupts."""

    text: str
    urgent: bool = False
    type: Literal["say"] = "say"


@dataclass(frozen=True, slots=True)
class Problem:
    """Something went wrong; what was kept is in the words."""

    message: str
    stale: bool = False
    type: Literal["problem"] = "problem"


@dataclass(frozen=True, slots=True)
class Ask:
    """A question before something is overwritten: ``yes`` are the words of the answer, ``do`` the edit that it sends for ``ids``."""

    message: str
    yes: str
    do: NoteEdit
    ids: tuple[str, ...]
    type: Literal["ask"] = "ask"


@dataclass(frozen=True, slots=True)
class Keeping:
    """Whether what is heard and written reaches the disk: ``trouble`` in words, "" when all is well."""

    trouble: str
    type: Literal["keeping"] = "keeping"


@dataclass(frozen=True, slots=True)
class KeptUpTo:
    """Everything heard up to the browser's message ``number`` is on disk."""

    number: int
    type: Literal["kept"] = "kept"


@dataclass(frozen=True, slots=True)
class Gone:
    """The piece was deleted (``message`` says so), or came back ("")."""

    message: str
    type: Literal["gone"] = "gone"


@dataclass(frozen=True, slots=True)
class SelectionFact:
    """The notes that are selected now."""

    ids: tuple[str, ...]
    type: Literal["selection"] = "selection"


@dataclass(frozen=True, slots=True)
class ClicksFact:
    """What is heard in some bars of a recording, in microseconds from the first click: ``lead_us`` until writing begins, ``end_us`` until these
    bars are over, ``beats`` (microseconds, tick of the piece), ``stop_us`` until the span that is written is over (None: it has no end). With ``from_us`` it stands in for everything that was to be
    heard from then on: the click goes with the player."""

    since: int
    bars: int
    clicks: tuple[Click, ...]
    notes: tuple[Sounding, ...]
    beats: tuple[tuple[int, int], ...]
    lead_us: int
    end_us: int
    stop_us: int | None
    from_us: int | None = None
    type: Literal["clicks"] = "clicks"


@dataclass(frozen=True, slots=True)
class RecordLineFact:
    """How the next recording goes: its line, and what the browser needs to begin it. ``quarters_per_minute`` where it begins; ``late_us``: how
    late the player's notes arrive, as the delay test found."""

    on: bool
    click: bool
    first_key: bool
    count_in: int
    tempo: TempoChoice
    hands: str
    split: int
    until: int | None
    bends: bool
    line: tuple[PhraseFact, ...]
    late_us: int
    type: Literal["record-line"] = "record-line"


@dataclass(frozen=True, slots=True)
class RecordingFact:
    """A recording goes on or not; ``take`` is what came of it."""

    going: bool
    take: int | None = None
    type: Literal["recording"] = "recording"


@dataclass(frozen=True, slots=True)
class DoubtFact:
    """A close call, or an ornament that is offered: ``options`` are (words, probability or None), the first as it was read; ``chosen`` the
    present one, None if it is something of the person's own."""

    key: int
    tick: int
    place: str
    ids: tuple[str, ...]
    options: tuple[tuple[str, float | None], ...]
    chosen: int | None


@dataclass(frozen=True, slots=True)
class AnswerFact:
    """An answer of the lead-through: ``do`` makes it so, None where there is nothing to choose."""

    label: str
    do: AnyReadingChoice | None


@dataclass(frozen=True, slots=True)
class QuestionFact:
    """A question of the lead-through; ``chosen`` is the answer that holds now."""

    name: str
    words: str
    answers: tuple[AnswerFact, ...]
    chosen: int


@dataclass(frozen=True, slots=True)
class ReadingFact:
    """A take on the page: the line that tells how it was read, the questions of its lead-through, its doubts, and how many bar lines and
    beats were set by hand."""

    id: str
    take: int
    name: str
    free: bool
    line: tuple[PhraseFact, ...]
    doubts: tuple[DoubtFact, ...]
    settled: int
    remarks: tuple[str, ...]
    questions: tuple[QuestionFact, ...]
    set_by_hand: int
    first_tick: int
    last_tick: int


@dataclass(frozen=True, slots=True)
class ReadingsFact:
    """All readings of the piece, in order of place; sent when any of them changed."""

    readings: tuple[ReadingFact, ...]
    type: Literal["readings"] = "readings"


@dataclass(frozen=True, slots=True)
class Busy:
    """Long work in words, "" when it is done; ``share`` of it that is done, 0 to 1."""

    words: str
    share: float = 0.0
    type: Literal["busy"] = "busy"


@dataclass(frozen=True, slots=True)
class Done:
    """Everything that followed from the client's message so far has been sent; ``seq`` counts its messages."""

    seq: int
    type: Literal["done"] = "done"


Fact = (
    StateFact | TakesFact | SheetFact | SystemFact | PenFact | SelectionFact | Say | Problem | Ask | Keeping | KeptUpTo | Gone | ClicksFact | RecordLineFact | RecordingFact
    | ReadingsFact | Busy | Done
)  # fmt: skip
FACTS: tuple[type[Fact], ...] = Fact.__args__
