"""What a desk tells its browsers. Times in microseconds, written time in ticks."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from ductus.app.document.sheet import BarView
from ductus.app.wire.prompt import PhraseFact
from ductus.app.wire.takes import FollowedFact, ProofFact, ReadingsFact, TakesFact
from ductus.core.entry.commands.registry import AnyCommand
from ductus.core.playback.click import Click, TempoChoice
from ductus.core.playback.performance import Sounding
from ductus.core.score.mark_edits.commands import AnyMarkEdit
from ductus.core.score.note_edits.registry import NoteEdit
from ductus.core.score.note_edits.select import Selecting
from ductus.core.score.structure_edits.registry import AnyFrameEdit


@dataclass(frozen=True, slots=True)
class PartFact:
    """A part as the line names it."""

    id: str
    name: str
    staves: int
    clefs: tuple[str, ...]
    programme: int
    shown: bool
    only: int  # the one staff that is drawn, 0 for all
    percussion: bool
    level: int
    pan: int


@dataclass(frozen=True, slots=True)
class ClefFact:
    """Another clef on a staff from a tick on."""

    part: str
    staff: int
    tick: int
    clef: str


@dataclass(frozen=True, slots=True)
class HeadFact:
    """The head of the page."""

    title: str
    subtitle: str
    composer: str
    arranger: str
    lyricist: str
    rights: str
    number: str
    cautions: str


@dataclass(frozen=True, slots=True)
class FormFact:
    """Something of the form that does not hold together, in words, and the tick of the bar where it stands."""

    tick: int
    words: str


@dataclass(frozen=True, slots=True)
class StretchFact:
    """Bars that sound in a row, as ticks [start, end), their numbers, and how they are said aloud."""

    start: int
    end: int
    bars: str
    words: str


@dataclass(frozen=True, slots=True)
class StateFact:
    """What the header needs; sent on opening and after every edit.

    ``quarters_per_minute`` is the tempo at the pen in quarters; ``read`` are the takes that were written onto the
    page.
    """

    revision: int
    undo: str | None
    redo: str | None
    facts: HeadFact
    parts: tuple[PartFact, ...]
    clefs: tuple[ClefFact, ...]
    meter: str
    beats_per_minute: float
    quarters_per_minute: float
    beat_base: str
    beat_dots: int
    tempo_text: str
    read: tuple[int, ...] = ()
    form: tuple[FormFact, ...] = ()  # what of repeats, endings and jumps does not hold together
    order: tuple[StretchFact, ...] = ()  # in which bars sound; empty where they sound as they stand
    type: Literal["state"] = "state"


@dataclass(frozen=True, slots=True)
class SystemRef:
    """A system of the sheet; ``key`` is None while it waits to be engraved."""

    first: int
    last: int
    key: str | None


@dataclass(frozen=True, slots=True)
class SheetFact:
    """All systems in order; on pages of a ``size`` ("": one scroll), of which ``leaves`` are the first systems."""

    systems: tuple[SystemRef, ...]
    size: Literal["", "a4", "letter"] = ""
    leaves: tuple[int, ...] = ()
    type: Literal["sheet"] = "sheet"


@dataclass(frozen=True, slots=True)
class SystemFact:
    """An engraved system, ``index`` its place on the sheet.

    ``columns`` are (tick, id of the first symbol that begins there), in order; ``leaves`` are where pages begin now
    that its height is known.
    """

    index: int
    key: str
    svg: str
    first: int
    last: int
    bars: tuple[BarView, ...]
    columns: tuple[tuple[int, str], ...]
    leaves: tuple[int, ...] = ()
    type: Literal["system"] = "system"


@dataclass(frozen=True, slots=True)
class OfferFact:
    """Something that would help at the pen, in words, and what does it."""

    words: str
    do: AnyFrameEdit | None
    edit: NoteEdit | None = None  # of the notes ``ids``; the pen goes to ``staff`` then
    ids: tuple[str, ...] = ()
    staff: int = 0


@dataclass(frozen=True, slots=True)
class PenFact:
    """The pen and every choice that the line speaks.

    ``level`` is the metrical rank of its place (0 bar line, 1 middle, 2 beat, deeper below).
    """

    down: bool
    part: str
    part_name: str
    staff: int
    staves: int
    voice: int
    tick: int
    bar: int
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
    offers: tuple[OfferFact, ...] = ()
    drums: tuple[int, ...] | None = None  # on a kit, the drum that each of the 128 keys means; -1 for none
    naming_drum: int | None = None
    naming_chord: bool = False
    repeats: bool = False
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
    """A question before something is overwritten.

    ``yes`` are the words of the answer, ``do`` the edit of notes (for ``ids``) or, with ``frame``, of the frame that
    it sends.
    """

    message: str
    yes: str
    do: NoteEdit | AnyFrameEdit
    ids: tuple[str, ...]
    frame: bool = False
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
class Welcome:
    """The first thing that a browser is told.

    The ``token`` of its place, the number of its last message that had its effect, whether it ``resumed`` a place
    that was kept.
    """

    token: str
    handled: int
    resumed: bool
    type: Literal["welcome"] = "welcome"


@dataclass(frozen=True, slots=True)
class Saved:
    """What the browser's messages up to ``number`` led to is on disk; they need not be sent again."""

    number: int
    type: Literal["saved"] = "saved"


@dataclass(frozen=True, slots=True)
class Gone:
    """The piece was deleted (``message`` says so), or came back ("")."""

    message: str
    type: Literal["gone"] = "gone"


@dataclass(frozen=True, slots=True)
class SelectionFact:
    """The notes that are selected now, and what they share, in words; "" where they share nothing.

    ``first_bar`` and ``last_bar`` are the indices of the bars in which one begins, -1 for none.
    """

    ids: tuple[str, ...]
    first_bar: int
    last_bar: int
    pitch: str = ""
    value: str = ""
    key: str = ""
    hand: str = ""
    type: Literal["selection"] = "selection"


@dataclass(frozen=True, slots=True)
class WeighedNotesFact:
    """What quantize in place would do, in words, and the notes that would move: (id, on, off) in ticks of the piece."""

    words: str
    moves: tuple[tuple[str, int, int], ...]
    type: Literal["weighed-notes"] = "weighed-notes"


@dataclass(frozen=True, slots=True)
class FrameFact:
    """The frame at a place, for the line to speak of.

    Bars ``bar`` to ``last`` in words and numbers, and what holds there. ``here`` are ids of what stands right there;
    ``pickup`` is in ticks as people see them (960 to the quarter); ``beat_here`` is the beat (from 1) of the place
    in its bar, which is ``cut`` or not; ``going_on`` are the bars (indices) that go on with one that is cut, and
    share its number.
    """

    what: Literal["clef", "key", "meter", "tempo", "part", "bar"]
    bar: int
    last: int
    bars: str
    tick: int
    place: str
    part: str
    staff: int
    meter: str
    fifths: int
    mode: Literal["major", "minor"]
    key: str
    bpm: float
    tempo_text: str
    beat: str
    clef: str
    part_name: str
    short: str
    programme: int
    transpose: tuple[int, int]
    staves: int
    order: int
    parts: int
    pickup: int
    beat_here: float
    cut: bool
    going_on: tuple[int, ...]
    sections: tuple[str, ...]
    here: tuple[str, ...]
    type: Literal["frame-at"] = "frame-at"


@dataclass(frozen=True, slots=True)
class WeighedFact:
    """What an edit of the frame would do."""

    do: AnyFrameEdit
    words: str
    type: Literal["weighed"] = "weighed"


@dataclass(frozen=True, slots=True)
class InstructionStepFact:
    """One thing that an instruction does.

    An "edit" of the notes ``ids``, of the "frame", of the "marks" ``ids``, a "command" of entry, or the notes ``ids``
    to "select".
    """

    kind: Literal["edit", "frame", "marks", "select", "command"]
    do: NoteEdit | AnyFrameEdit | AnyMarkEdit | AnyCommand | Selecting
    ids: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class InstructionFact:
    """What the words ``text`` would do, and the steps that do it; none: why they cannot be done."""

    text: str
    words: str
    steps: tuple[InstructionStepFact, ...]
    type: Literal["instruction"] = "instruction"


@dataclass(frozen=True, slots=True)
class MarksFact:
    """Marks that are chosen on the sheet, in words; none: nothing is chosen.

    One that ``spans`` has handles at ``start`` and ``end`` (ticks).
    """

    ids: tuple[str, ...]
    words: str
    movable: bool
    moved: bool
    bends: bool
    spans: bool
    text: str
    start: int
    end: int
    part: str
    staff: int
    type: Literal["marks-chosen"] = "marks-chosen"


@dataclass(frozen=True, slots=True)
class ClicksFact:
    """What is heard in some bars of a recording, in microseconds from the first click.

    ``lead_us`` until writing begins, ``end_us`` until these bars are over, ``beats`` (microseconds, tick of the
    piece), ``stop_us`` until the span that is written is over (None: it has no end), ``round_bars`` how many bars
    are gone round, ``quarters_per_minute`` the tempo where writing begins. With ``from_us`` it stands in for
    everything that was to be heard from then on: the click goes with the player.
    """

    since: int
    bars: int
    clicks: tuple[Click, ...]
    notes: tuple[Sounding, ...]
    beats: tuple[tuple[int, int], ...]
    lead_us: int
    end_us: int
    stop_us: int | None
    quarters_per_minute: float
    round_bars: int | None = None
    from_us: int | None = None
    type: Literal["clicks"] = "clicks"


@dataclass(frozen=True, slots=True)
class RecordLineFact:
    """How the next recording goes: its line, and what the browser needs to begin it. ``late_us``: how
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
    """A recording goes on or not; ``take`` is what came of it.

    Of one that goes on: ``from_us`` is its first click (or its beginning) on the wall clock, ``bar`` the bar that it
    began in, ``free`` that it has no click, ``proof`` that it is held against the page.
    """

    going: bool
    take: int | None = None
    from_us: int = 0
    bar: int = 0
    free: bool = False
    proof: bool = False
    type: Literal["recording"] = "recording"


@dataclass(frozen=True, slots=True)
class Busy:
    """Long work in words, "" when it is done; ``share`` of it that is done, 0 to 1."""

    words: str
    share: float = 0.0
    type: Literal["busy"] = "busy"


@dataclass(frozen=True, slots=True)
class Done:
    """Everything that followed from the client's message so far has been sent.

    ``seq`` is its number, or counts those that have none.
    """

    seq: int
    type: Literal["done"] = "done"


Fact = (
    StateFact | TakesFact | SheetFact | SystemFact | PenFact | SelectionFact | Say | Problem | Ask | FrameFact
    | InstructionFact | WeighedFact | WeighedNotesFact | MarksFact
    | Keeping | KeptUpTo | Welcome | Saved | Gone | ClicksFact
    | RecordLineFact | RecordingFact
    | ReadingsFact | ProofFact | FollowedFact | Busy | Done
)  # fmt: skip
FACTS: tuple[type[Fact], ...] = Fact.__args__
