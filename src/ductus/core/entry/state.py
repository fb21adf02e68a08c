"""The state of entry: the pen, the step value, what is held, and the choices the line speaks."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from ductus.core.score.changes import Change
from ductus.core.score.edits import Line
from ductus.core.time.values import STEP_BASES, NoteValue, Tuplet

WHENS = ("all up", "stroke")
GATHER_US = 40_000  # keys within this time are one chord when writing at the stroke (JOB 3.6)


@dataclass(frozen=True, slots=True)
class StepValue:
    """The value of a step. Dots and tuplets hold for the next note unless latched (JOB 3.3)."""

    base: str = "quarter"
    dots: int = 0
    tuplet: Tuplet | None = None
    dots_latched: bool = False
    tuplet_latched: bool = False

    @property
    def value(self) -> NoteValue:
        """The note value of the next step."""
        return NoteValue(self.base, self.dots, self.tuplet)

    @property
    def ticks(self) -> int:
        """Its length in ticks."""
        return self.value.ticks

    def after_step(self, bracket_full: bool) -> StepValue:
        """The value once a step is written: unlatched dots go, an unlatched tuplet goes when its bracket is full."""
        dots = self.dots if self.dots_latched else 0
        tuplet = self.tuplet if self.tuplet_latched or not bracket_full else None
        return replace(self, dots=dots, tuplet=tuplet)

    def shifted(self, by: int) -> StepValue:
        """Finer (+1) or coarser (-1), staying inside whole..128th."""
        k = min(max(STEP_BASES.index(self.base) + by, 0), len(STEP_BASES) - 1)
        return replace(self, base=STEP_BASES[k])


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
class EntryState:
    """Everything that decides what the next key does."""

    part: str
    staff: int = 1
    voice: int = 1
    tick: int = 0
    down: bool = False
    step: StepValue = field(default_factory=StepValue)
    when: str = "all up"
    policy: str = "replace"
    pass_start: int = 0
    held: tuple[Held, ...] = ()
    steps: tuple[Step, ...] = ()

    @property
    def line(self) -> Line:
        """The voice the pen writes into."""
        return (self.part, self.staff, self.voice)


@dataclass(frozen=True, slots=True)
class Outcome:
    """What an event leads to: the next state, a change of the piece (or None), a sentence to announce, and after how
    many microseconds a Wait must be sent (None for never)."""

    state: EntryState
    change: Change | None = None
    say: str = ""
    wake_us: int | None = None
