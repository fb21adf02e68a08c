"""What crosses the border to the browser. Times in microseconds, written time in ticks (see DESIGN in docs)."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

MAX_TIME_US = 2**52
MidiKey = Annotated[int, Field(ge=0, le=127, description="MIDI key number, 60 is middle C")]
Microseconds = Annotated[int, Field(ge=0, le=MAX_TIME_US, description="microseconds of the browser's event clock")]
Ticks = Annotated[int, Field(ge=0, le=MAX_TIME_US, description="written time, 23,063,040 to the quarter")]
NoteId = Annotated[str, Field(max_length=40)]
Revision = Annotated[int, Field(ge=0, description="the revision the client saw")]


class In(BaseModel):
    """Base of what comes in: unknown fields are refused."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Out(BaseModel):
    """Base of what goes out."""

    model_config = ConfigDict(frozen=True, from_attributes=True)


# --- REST ---------------------------------------------------------------------------


class NewPiece(In):
    """The answers of the fill-in sentence; what is not answered leaves no text on the page."""

    layout: Literal["keys", "singer and keys", "melody", "four voices"] = "keys"
    title: str = ""
    subtitle: str = ""
    composer: str = ""
    meter: str = "4/4"
    fifths: Annotated[int, Field(ge=-7, le=7)] = 0
    mode: Literal["major", "minor"] = "major"
    pickup_beats: Annotated[int, Field(ge=0, le=31)] = 0
    tempo_text: str = ""
    bpm: Annotated[float, Field(ge=5, le=600)] = 92


class FactsEdit(In):
    """New words for the head of the page, made on revision ``base``."""

    base: Revision
    title: str | None = None
    subtitle: str | None = None
    composer: str | None = None
    arranger: str | None = None


class PieceRow(Out):
    """A piece on the shelf."""

    id: str
    title: str
    subtitle: str
    composer: str
    parts: str
    meter: str
    notes: int
    takes: int
    changed_at: str


class PieceId(Out):
    """The address of a piece, and what is to be said about how it came."""

    id: str
    said: str = ""


class PartView(Out):
    """A part as the line names it."""

    id: str
    name: str
    staves: int
    clefs: tuple[str, ...]
    programme: int


class FactsView(Out):
    """The head of the page."""

    title: str
    subtitle: str
    composer: str
    arranger: str


class TakeView(Out):
    """A take in the margin."""

    id: int
    name: str
    source: str
    made_at: str
    dropped: bool
    notes: int
    length_us: int


class SoundingView(Out):
    """One note to sound."""

    onset_us: int
    length_us: int
    key: int
    velocity: int
    part: str
    note: str


class ClickView(Out):
    """One click, ``time_us`` from the first bar line written (negative during the count-in)."""

    time_us: int
    rank: Literal["bar", "strong", "beat", "half"]


class ProgrammeView(Out):
    """A performance that the rehearsal keyboard can play."""

    name: str
    title: str
    about: str
    qpm: float | None
    count_in: int
    meter: str


class ProgrammeEvents(Out):
    """Key and pedal events of a performance: (microseconds, kind, key or controller, value)."""

    events: list[tuple[int, str, int, int]]


class Problem(Out):
    """An error in words."""

    message: str


# --- WebSocket, in --------------------------------------------------------------------


class HeardIn(In):
    """One raw event of an instrument, stamped by the browser."""

    at_us: Microseconds
    kind: Literal["down", "up", "control"]
    key: MidiKey
    value: Annotated[int, Field(ge=0, le=127)] = 0
    channel: Annotated[int, Field(ge=0, le=15)] = 0


class KeysIn(In):
    """Events in the order they were heard; ``epoch_us`` is the wall clock at event time 0. With ``only_sound``
    (during playback) they are kept in the journal and write nothing."""

    type: Literal["keys"]
    epoch_us: Microseconds
    events: Annotated[list[HeardIn], Field(max_length=2000)]
    only_sound: bool = False


class CommandIn(In):
    """A command of entry (see ``core.entry.machine.COMMANDS``)."""

    type: Literal["command"]
    name: Annotated[str, Field(max_length=40)]
    argument: Annotated[str, Field(max_length=200)] = ""
    at_us: Microseconds = 0


class SelectIn(In):
    """Select notes: "bar", "staff", "voice", "all", "below C4", "left", "last 8" ... beside those selected now."""

    type: Literal["select"]
    what: Annotated[str, Field(max_length=40)]
    ids: Annotated[list[NoteId], Field(max_length=20000)] = []


class EditIn(In):
    """Edit selected notes (see ``core.score.selection_edits.EDITS``; also "copy", "paste", "repeat")."""

    type: Literal["edit"]
    base: Revision
    name: Annotated[str, Field(max_length=40)]
    ids: Annotated[list[NoteId], Field(max_length=20000)] = []
    argument: Annotated[str, Field(max_length=40)] = ""


class HistoryIn(In):
    """Undo or redo, seen from revision ``base``."""

    type: Literal["undo", "redo"]
    base: Revision


class RecordStartIn(In):
    """A recording begins: ``origin_us`` is the first click of the count-in on the event clock, ``now_us`` the present there;
    ``qpm`` None: played freely, without a click."""

    type: Literal["record-start"]
    origin_us: Microseconds
    now_us: Microseconds
    qpm: Annotated[float, Field(ge=5, le=1000)] | None
    count_in: Annotated[int, Field(ge=0, le=8)] = 2
    staff: Annotated[int, Field(ge=0, le=2)] = 0
    bar: Annotated[int, Field(ge=0, le=9999)]
    shortest: Literal["whole", "half", "quarter", "eighth", "16th", "32nd", "64th", "128th"] | None = "16th"
    tuplets: bool | None = None
    split: MidiKey | None = None


class RecordStopIn(In):
    """The recording ends; ``drop`` keeps the take off the page."""

    type: Literal["record-stop"]
    end_us: Microseconds
    drop: bool = False


class TakeReadIn(In):
    """Write a kept take onto the page at a bar (index) of a part; ``staff`` 0 divides the hands."""

    type: Literal["take-read"]
    take: Annotated[int, Field(ge=1)]
    part: Annotated[str, Field(max_length=40)]
    staff: Annotated[int, Field(ge=0, le=2)] = 0
    bar: Annotated[int, Field(ge=0, le=9999)]


class ReadingSetIn(In):
    """Read a take on the page otherwise (see ``core.reading.choosing``); with ``ids`` only these notes of it."""

    type: Literal["reading-set"]
    reading: NoteId
    name: Annotated[str, Field(max_length=40)]
    value: Annotated[str, Field(max_length=200_000)] = ""
    ids: Annotated[list[NoteId], Field(max_length=20000)] = []


class DoubtIn(In):
    """Decide a doubt (``key`` its first event, or below zero for an ornament): choose an option, or settle it; "settle all" settles all of the reading."""

    type: Literal["doubt"]
    reading: NoteId
    key: int = 0
    action: Literal["choose", "settle", "settle all"]
    option: Annotated[int, Field(ge=0, le=9)] = 0


class ViewIn(In):
    """The browser looks at this bar (index); engraving fills in from there."""

    type: Literal["view"]
    bar: Annotated[int, Field(ge=0, le=9999)]


ClientMessage = Annotated[
    KeysIn | CommandIn | SelectIn | EditIn | HistoryIn | RecordStartIn | RecordStopIn | TakeReadIn | ReadingSetIn | DoubtIn | ViewIn,
    Field(discriminator="type"),
]  # fmt: skip


# --- WebSocket, out -------------------------------------------------------------------


class StateOut(Out):
    """What the header and the margin need; sent on opening and after every edit."""

    type: Literal["state"] = "state"
    revision: int
    undo: str | None
    redo: str | None
    facts: FactsView
    parts: list[PartView]
    meter: str
    beats_per_minute: float
    beat: str
    tempo_text: str
    takes: list[TakeView]


class SystemRef(Out):
    """A system of the sheet; ``key`` is None while it waits to be engraved."""

    first: int
    last: int
    key: str | None


class SheetOut(Out):
    """All systems in order."""

    type: Literal["sheet"] = "sheet"
    systems: list[SystemRef]


class BarOut(Out):
    """A bar of an engraved system."""

    index: int
    number: int
    start: int
    ticks: int
    missing: int
    beats: tuple[int, ...]


class SystemOut(Out):
    """An engraved system, ``index`` its place on the sheet; ``answers`` is the event time that it shows the effect of."""

    type: Literal["system"] = "system"
    index: int
    key: str
    svg: str
    first: int
    last: int
    bars: tuple[BarOut, ...]
    columns: tuple[tuple[int, str], ...]


class PhraseOut(Out):
    """Words of the line; with a name they are a control."""

    words: str
    name: str
    command: str
    value: str
    choices: tuple[tuple[str, str], ...]
    form: str


class PenOut(Out):
    """The pen and every choice that the line speaks."""

    type: Literal["pen"] = "pen"
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
    left: str
    base: str
    dots: int
    tuplet: tuple[int, int] | None
    dots_latched: bool
    tuplet_latched: bool
    step_ticks: int
    step_words: str
    when: str
    policy: str
    pass_start: str
    pending: list[str]
    pending_diatonic: list[int]
    way: str
    line: list[PhraseOut]
    allowed: list[int] | None
    over: str
    clicks: Literal["place", "write"]
    clef: str


class SayOut(Out):
    """A sentence to announce; ``urgent`` interrupts."""

    type: Literal["say"] = "say"
    text: str
    urgent: bool = False


class ProblemOut(Out):
    """Something went wrong; what was kept is in the words."""

    type: Literal["problem"] = "problem"
    message: str
    stale: bool = False


class SelectionOut(Out):
    """The notes that are selected now, and their pitches in words where they are few."""

    type: Literal["selection"] = "selection"
    ids: list[str]


class RecordingOut(Out):
    """A recording began or ended (take id or None)."""

    type: Literal["recording"] = "recording"
    going: bool
    take: int | None = None


class DoubtOut(Out):
    """A close call, or an ornament that is offered: ``options`` are (words, probability or None), the first as it was read; ``chosen`` the present one, None if it is
    something of the person's own."""

    key: int
    tick: int
    place: str
    ids: tuple[str, ...]
    options: tuple[tuple[str, float | None], ...]
    chosen: int | None


class ReadingOut(Out):
    """A take on the page: the line that tells how it was read, and its doubts."""

    id: str
    take: int
    name: str
    free: bool
    line: tuple[PhraseOut, ...]
    doubts: tuple[DoubtOut, ...]
    settled: int
    remarks: tuple[str, ...]
    first_tick: int
    last_tick: int


class ReadingsOut(Out):
    """All readings of the piece, in order of place; sent when any of them changed."""

    type: Literal["readings"] = "readings"
    readings: tuple[ReadingOut, ...]


class BusyOut(Out):
    """Long work in words, empty when it is done."""

    type: Literal["busy"] = "busy"
    words: str


class CurveView(Out):
    """Tempo bar by bar: (bar index of the take, microseconds of its bar line, beats a minute)."""

    bars: tuple[tuple[int, int, float], ...]
    lowest: float
    highest: float
    average: float


class StripView(Out):
    """A performance over time. ``strokes``: (onset, release, key, velocity, hand, written time, note id), times in microseconds;
    ``beats``: (microseconds, tick of the take, bar number or None inside a bar, set by hand)."""

    start_us: int
    length_us: int
    strokes: tuple[tuple[int, int, int, int, int, int, str], ...]
    beats: tuple[tuple[int, int, int | None, bool], ...]
    curve: CurveView
    beat_words: str


class DoneOut(Out):
    """Everything that followed from the client's message so far has been sent; ``seq`` counts its messages."""

    type: Literal["done"] = "done"
    seq: int


class WireMessages(Out):
    """All messages of the WebSocket, so that their types are part of the API's description."""

    client: ClientMessage
    server: (
        StateOut
        | SheetOut
        | SystemOut
        | PenOut
        | SelectionOut
        | SayOut
        | ProblemOut
        | RecordingOut
        | ReadingsOut
        | BusyOut
        | DoneOut
    )
