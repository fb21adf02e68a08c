"""What crosses the border over REST (the WebSocket: ``wire``). Times in microseconds, written time in ticks."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from ductus.core.playback.click import Click
from ductus.core.playback.performance import Sounding
from ductus.core.time.bars import MAX_BAR
from ductus.engraving.pages import LARGEST, MOST_PAGES, SMALLEST

Revision = Annotated[int, Field(ge=0, le=2**62, description="the revision the client saw")]
Words = Annotated[str, Field(max_length=100_000)]
Cautions = Literal["plain", "parentheses", "none"]
Ticks = Annotated[int, Field(ge=0, le=2**52, description="written time, 23,063,040 to the quarter")]


class In(BaseModel):
    """Base of what comes in: unknown fields are refused."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Out(BaseModel):
    """Base of what goes out."""

    model_config = ConfigDict(frozen=True, from_attributes=True)


# --- REST ---------------------------------------------------------------------------


class NewPiece(In):
    """The answers of the fill-in sentence; what is not answered leaves no text on the page."""

    layout: Literal["keys", "singer and keys", "keys and kit", "melody", "four voices"] = "keys"
    parts: Annotated[tuple[Words, ...], Field(max_length=40)] = ()
    title: Words = ""
    subtitle: Words = ""
    composer: Words = ""
    arranger: Words = ""
    lyricist: Words = ""
    number: Words = ""
    meter: Annotated[str, Field(max_length=40)] = "4/4"
    fifths: Annotated[int, Field(ge=-7, le=7)] = 0
    mode: Literal["major", "minor"] = "major"
    pickup_beats: Annotated[int, Field(ge=0, le=31)] = 0
    pickup: Annotated[int, Field(ge=0, le=960 * 32)] = 0  # any length, in ticks as people see them (960 to the quarter)
    tempo_text: Words = ""
    bpm: Annotated[float, Field(ge=5, le=600)] = 92
    bpm_to: Annotated[float, Field(ge=5, le=600)] | None = None


class PagesView(Out):
    """A piece on pages: sizes in mm, each page an SVG drawing; letters that no font here has."""

    width_mm: float
    height_mm: float
    staff_mm: float
    pages: tuple[str, ...]
    undrawn: str = ""


class FindingView(Out):
    """Something to look at before printing: its kind, page, place (tick, and bar in words), and what it is."""

    kind: str
    page: int
    tick: int
    place: str
    words: str


class InstrumentView(Out):
    """An instrument that a part can be for."""

    name: str
    short: str
    family: str
    programme: int


class DrumView(Out):
    """A drum of a kit: its key in General MIDI, its names, where it stands (staff steps, C0 = 0), its head, whether
    feet strike it.
    """

    key: int
    name: str
    label: str
    place: int
    head: str
    foot: bool


class PatternView(Out):
    """A pattern: bars (indices) of its first copy, where it begins, how long it is, its strokes as (ticks from its
    beginning, key, velocity), its bar lines and beats as (ticks, is it a bar line), which bars are varied
    (indices and numbers).
    """

    id: str
    part: str
    first: int
    last: int
    start: int
    ticks: int
    times: int
    where: str
    until: int
    cells: tuple[tuple[int, int, int], ...]
    beats: tuple[tuple[int, bool], ...]
    varied: tuple[tuple[int, int], ...]


class ReadyPatternView(Out):
    """A ready pattern, and whether it is for the meter of a bar."""

    name: str
    fits: bool


class FactsEdit(In):
    """New words for the head of the page, made on revision ``base``."""

    base: Revision
    title: Words | None = None
    subtitle: Words | None = None
    composer: Words | None = None
    arranger: Words | None = None
    lyricist: Words | None = None
    rights: Words | None = None
    number: Words | None = None
    cautions: Cautions | None = None


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
    tags: tuple[str, ...]
    revision: int


class PieceId(Out):
    """The address of a piece, and what is to be said about how it came."""

    id: str
    said: str = ""


class ArrivedView(Out):
    """What became of a file: its pieces (the first of which is opened), what is said, and what of the file was not
    kept.
    """

    id: str
    pieces: tuple[str, ...]
    said: str
    left_out: tuple[str, ...]


class TagsEdit(In):
    """The tags of a piece, in place of those it has."""

    tags: Annotated[tuple[Annotated[str, Field(max_length=100)], ...], Field(max_length=50)]


class WordKind(In):
    """Words of a mark, and what a person says they are."""

    text: Annotated[str, Field(max_length=200)]
    kind: Annotated[str, Field(max_length=20)]


class TagsView(Out):
    """The tags of a piece as they are kept."""

    tags: tuple[str, ...]


class FactsView(Out):
    """The head of the page."""

    title: str
    subtitle: str
    composer: str
    arranger: str
    lyricist: str
    rights: str
    cautions: Cautions


class Listening(In):
    """What is to be heard, and how: from a tick to another (None.

    To the end), at the page's tempi in percent or at one tempo (quarters a minute), with repeats and jumps or
    without, as it was played where it was, with feel (percent); ``cut``: nothing sounds on behind the end;
    ``stretch``: from this one of the order of bars on.
    """

    from_tick: Ticks = 0
    to_tick: Ticks | None = None
    percent: Annotated[float, Field(ge=1, le=100_000)] = 100
    qpm: Annotated[float, Field(ge=0, le=1_000_000)] | None = None
    repeats: bool = True
    as_played: bool = False
    feel: Annotated[int, Field(ge=0, le=100)] = 0
    seed: Annotated[int, Field(ge=0, le=2**31)] = 1
    cut: bool = False
    first_bar: Annotated[int, Field(ge=0, le=MAX_BAR)] | None = (
        None  # index; with it the bars up to ``last_bar`` are meant
    )
    last_bar: Annotated[int, Field(ge=0, le=MAX_BAR)] = 0
    stretch: Annotated[int, Field(ge=0, le=MAX_BAR)] | None = None


class PagesHow(In):
    """How pages are wanted: size and staff height, one part ("": all), at most so many pages, turns at rests.

    ``work`` is a name of the asker's own, by which the work is watched and stopped.
    """

    size: Literal["a4", "letter"] = "a4"
    staff_mm: Annotated[float, Field(ge=SMALLEST, le=LARGEST)] | None = None
    part: Annotated[str, Field(max_length=40)] = ""
    pages: Annotated[int, Field(ge=1, le=MOST_PAGES)] | None = None
    turn_at_rests: bool = False
    work: Annotated[str, Field(max_length=40)] = ""


class FileHow(PagesHow):
    """How a file is wanted: its pages, how audio sounds, which bars of it."""

    as_played: bool = False
    feel: Annotated[int, Field(ge=0, le=100)] = 0
    seed: Annotated[int, Field(ge=0, le=2**31)] = 1
    first_bar: Annotated[int, Field(ge=0, le=MAX_BAR)] | None = None
    last_bar: Annotated[int, Field(ge=0, le=MAX_BAR)] = 0
    history: bool = False


class WorkView(Out):
    """How much of a file is made, 0 to 1; None where nothing of that name goes on."""

    share: float | None


class TakeSoundsView(Out):
    """A take as it was played; times from its first note, which was struck at ``first_us`` of the take."""

    first_us: int
    notes: tuple[Sounding, ...]


class DelayClicks(Out):
    """The click of the delay test; the first ``counted`` are only counted."""

    clicks: tuple[Click, ...]
    counted: int


DelayTimes = Annotated[tuple[Annotated[int, Field(ge=-(2**52), le=2**52)], ...], Field(max_length=1000)]


class DelayPlayed(BaseModel):
    """What was played to the click, in microseconds of one clock."""

    clicks_us: DelayTimes
    strokes_us: DelayTimes


class DelayView(Out):
    """Mean and spread of (played - click) in microseconds, each stroke as (number of its click, deviation), in
    words, and what the sign means.
    """

    mean_us: int
    spread_us: int
    points: tuple[tuple[int, int], ...]
    words: str
    sign: str


class PlaybackView(Out):
    """What sounds, where the beats fall in it as (microseconds, tick), its click, how long it is up to its last bar
    line, and the ticks it reaches from and to.
    """

    notes: tuple[Sounding, ...]
    places: tuple[tuple[int, int], ...]
    clicks: tuple[Click, ...]
    length_us: int
    start: int
    end: int


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
