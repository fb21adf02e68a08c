"""The state of entry: the pen, the step value, what is held, and the choices the line speaks."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import lru_cache

from ductus.core.chance import scattered
from ductus.core.score.model.changes import Change, Line
from ductus.core.time.note_values import STEP_BASES, NoteValue, Tuplet, describe_value, value_for_ticks
from ductus.core.time.ticks import shown_ticks
from ductus.core.words import count_words

MODES = ("step", "pulse", "rhythm", "over", "beat", "foot", "walk")
WHENS = ("all up", "stroke", "advance")
OVERS = ("pitch", "velocity", "both", "beside")
SPAN_ENDS = ("stop", "wrap", "run on")
HARMONIES = ("off", "chord", "key", "scale")
HANDS = ("one", "reach", "split")
MIDDLE_C = 60
GATHER_US = 40_000  # keys within this time are one chord when writing at the stroke
FIGURE_OVER_US = 900_000  # silence that ends the figure of "one beat again"
BRUSHED_US = 110_000  # a key let go within this time, under another that was struck meanwhile, was brushed
RHYTHM_OVER_US = 2_500_000  # silence that ends a rhythm struck in time


@dataclass(frozen=True, slots=True)
class StepValue:
    """The value of a step. Dots and tuplets hold for the next note unless latched.

    ``added`` is a second value joined on (half + eighth); ``custom`` a length in ticks that stands for all of it.
    """

    base: str = "quarter"
    dots: int = 0
    tuplet: Tuplet | None = None
    dots_latched: bool = False
    tuplet_latched: bool = False
    added: str | None = None
    custom: int | None = None

    @property
    def value(self) -> NoteValue:
        """The note value of the next step (without what is added)."""
        return NoteValue(self.base, self.dots, self.tuplet)

    @property
    def ticks(self) -> int:
        """Its length in ticks."""
        return length_of_step(self)

    @property
    def words(self) -> str:
        """The value in words: "dotted quarter", "half + eighth", "400 ticks"."""
        if self.custom is not None:
            plain = value_for_ticks(self.custom)
            shown = shown_ticks(self.custom)
            return describe_value(plain) if plain else f"length of {shown} ticks (960 to the quarter)"
        joined = f" + {describe_value(NoteValue(self.added, 0, self.tuplet))}" if self.added else ""
        return describe_value(self.value) + joined

    @property
    def latch_words(self) -> str:
        """What stays on after the next note: " (the dot stays on)"."""
        stays = [w for w, on in (("dot", self.dots_latched), ("tuplet", self.tuplet_latched)) if on]
        return f" (the {' and the '.join(stays)} {'stays' if len(stays) == 1 else 'stay'} on)" if stays else ""

    def after_step(self, bracket_full: bool) -> StepValue:
        """The value once a step is written: unlatched dots go, an unlatched tuplet goes when its bracket is full."""
        dots = self.dots if self.dots_latched else 0
        tuplet = self.tuplet if self.tuplet_latched or not bracket_full else None
        if dots == self.dots and tuplet == self.tuplet:
            return self
        return replace(self, dots=dots, tuplet=tuplet)

    def shifted(self, by: int) -> StepValue:
        """Finer (+1) or coarser (-1), staying inside whole..128th."""
        k = min(max(STEP_BASES.index(self.base) + by, 0), len(STEP_BASES) - 1)
        return replace(self, base=STEP_BASES[k], custom=None, added=None)


@lru_cache(maxsize=256)
def length_of_step(step: StepValue) -> int:
    """Length of a step value in ticks: asked for several times at each key."""
    if step.custom is not None:
        return step.custom
    return step.value.ticks + (NoteValue(step.added, 0, step.tuplet).ticks if step.added else 0)


@dataclass(frozen=True, slots=True)
class Touch:
    """How a step sounds: ``percent`` of its value or ``ticks`` of its own (None.

    In full), ``late`` ticks after its place (early if negative), a fixed velocity or pitch instead of the played
    one. ``vary`` is the most by which sounding lengths vary at random, in percent of the step, always the same for a
    ``seed`` and a place.
    """

    percent: int = 100
    ticks: int | None = None
    late: int = 0
    velocity: int | None = None
    pitch: int | None = None
    vary: int = 0
    seed: int = 1

    def lengths(self, step: int) -> tuple[int, int | None]:
        """(written ticks, sounding ticks where they differ). From 75 % to 100 % the full value is written and only the
        sound is shorter; below, the note is written short; over 100 % the sound overlaps."""
        if self.ticks is not None:
            return min(self.ticks, step), None
        if self.percent == 100:
            return step, None
        sounds = step * self.percent // 100
        return (sounds, None) if self.percent < 75 else (step, sounds)

    @property
    def late_words(self) -> str:
        """When steps sound, in words: "40 ticks late"."""
        shown = shown_ticks(self.late)
        return "on time" if not shown else f"{count_words(int(abs(shown)), 'tick')} {'late' if shown > 0 else 'early'}"

    def varied(self, tick: int, written: int, sounds: int | None) -> int | None:
        """The sounding length of a note at ``tick`` with the variation in it; the writing never varies."""
        if not self.vary:
            return sounds
        by = scattered(self.seed, tick) * self.vary / 100
        return max(round((sounds or written) * (1 + by)), 1)


@dataclass(frozen=True, slots=True)
class Held:
    """A key that belongs to the step being gathered."""

    key: int
    velocity: int
    down_us: int
    is_down: bool = True


@dataclass(frozen=True, slots=True)
class Step:
    """A step of this pass: where the pen stood, what it wrote."""

    tick: int
    ticks: int
    ids: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Span:
    """A stretch that holds the pen, in ticks, and what happens at its end."""

    start: int
    end: int
    then: str = "stop"


@dataclass(frozen=True, slots=True)
class Sounding:
    """A chord that is being lengthened: its place, the ids of its notes, their keys."""

    tick: int
    ids: tuple[str, ...]
    keys: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class Beating:
    """What the ways that beat time remember: pulses so far, time of the last, what still sounds."""

    count: int = 0
    last_us: int = 0
    sounding: tuple[Sounding, ...] = ()


@dataclass(frozen=True, slots=True)
class Figure:
    """The figure being played for "one beat again": key, velocity, down and up time (0 while held)."""

    notes: tuple[tuple[int, int, int, int], ...] = ()


@dataclass(frozen=True, slots=True)
class OpenMark:
    """A mark that goes on from note to note.

    Its kind and words, the id it has on the page by now, and the note it waits at.
    """

    kind: str
    text: str = ""
    id: str = ""
    first: str = ""


@dataclass(frozen=True)
class EntryState:
    """Everything that decides what the next key does."""

    part: str
    staff: int = 1
    voice: int = 1
    tick: int = 0
    down: bool = False
    way: str = "step"
    step: StepValue = field(default_factory=StepValue)
    step_after: StepValue | None = None  # the value to return to after the next note
    touch: Touch = field(default_factory=Touch)
    when: str = "all up"
    policy: str = "replace"
    advances: bool = True
    pass_start: int = 0
    span: Span | None = None
    held: tuple[Held, ...] = ()
    steps: tuple[Step, ...] = ()
    beating: Beating = field(default_factory=Beating)
    figure: Figure = field(default_factory=Figure)
    pulse_key: int | None = None
    pulse_until: str = "next"  # a tune note lasts until the "next" one or until its "release"
    way_start: int = 0  # tick where the present way of working began
    rhythm_by: str = "step"  # a key in "rhythm first" writes one "step", or its strokes are read in "time"
    clicks: str = "place"  # a click on a staff "place"s the pen, or "write"s a note there
    over: str = "pitch"
    over_done: bool = False
    foot_grey: str = "drop"  # a key let go before the tap: "drop" or "write"
    walk_us: int = 700_000
    harmony: str = "off"
    harmony_kept: str = "chord"  # what the switch of harmony comes back to
    naming_chord: bool = False  # a chord that is played is written as its symbol
    hands: str = "one"  # "one" staff takes all keys, or they are divided between both by "reach" or at a "split"
    split: int = MIDDLE_C  # lowest MIDI key of the right hand with "split"
    chosen: frozenset[str] = frozenset()  # notes that are selected on the page
    naming_pulse: bool = False  # the next key that is struck becomes the pulse key
    grace: str = ""  # the "next" key is a grace note, or all until they are ended ("latched")
    graces: tuple[int, ...] = ()  # keys that wait for the note that they lead to, in order
    brushed: bool = False  # a key that is brushed just before another one of its step is a grace note
    carries: tuple[str, ...] = ()  # signs that the next note comes with
    open_marks: tuple[OpenMark, ...] = ()  # marks that go on over what is written
    kit_by: str = "map"  # on a kit, keys mean drums by the "map", or by their "place" on the staff
    naming_drum: int | None = None  # the next key that is struck will mean this drum
    repeats: bool = False  # in walking entry, keys that are held are struck again at each step
    pedal_from: int | None = None  # tick at which the pedal went down, where it is kept as a pedal mark

    @property
    def line(self) -> Line:
        """The voice the pen writes into."""
        return (self.part, self.staff, self.voice)

    def fresh(self) -> EntryState:
        """The state with nothing held or half done."""
        return evolved(
            self,
            held=(),
            steps=(),
            beating=NOT_BEATING,
            figure=NO_FIGURE,
            over_done=False,
            naming_pulse=False,
            naming_drum=None,
            naming_chord=False,
            grace="",
            graces=(),
            carries=(),
            open_marks=(),
        )


NOT_BEATING, NO_FIGURE = Beating(), Figure()


def evolved(state: EntryState, **changes: object) -> EntryState:
    """``dataclasses.replace`` for the state of entry, without calling its constructor.

    An event costs a few of these, and a state has many fields (which is also why it has no slots).
    """
    new: EntryState = object.__new__(EntryState)
    new.__dict__.update(state.__dict__)
    new.__dict__.update(changes)
    return new


@dataclass(frozen=True, slots=True)
class Outcome:
    """What an event leads to: the next state, a change of the piece (or None), a sentence to announce, and after how
    many microseconds a Wait must be sent (None for never)."""

    state: EntryState
    change: Change | None = None
    say: str = ""
    wake_us: int | None = None
