"""Commands that choose the step value and how it sounds."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Annotated, Literal

from ductus.core.entry.commands.base import PEN_UP, Base, EntryCommand
from ductus.core.entry.state import EntryState, Outcome, StepValue, evolved
from ductus.core.entry.writing.step import open_slot, rest_of_slot
from ductus.core.errors import BadInput, CannotWrite
from ductus.core.limits import Ge, Le, MaxLen
from ductus.core.pitch.pitches import parse_pitch, pitch_words
from ductus.core.score.model.piece import Piece
from ductus.core.time.note_values import BASE_TICKS, MAX_TUPLET, NoteValue, Tuplet
from ductus.core.time.ticks import WHOLE, ticks_of_quarters, ticks_of_shown
from ductus.core.words import article

LONGEST = 4 * WHOLE
SHORTEST_CUSTOM = BASE_TICKS["128th"] // 8
FRACTION = re.compile(r"^(\d{1,3})/(\d{1,4})$")
TICKS_TYPED = re.compile(r"^\d{1,5}$")


@dataclass(frozen=True, slots=True)
class ChangeValue(EntryCommand):
    """Base of commands that change the step value; what each step will be is said."""

    def changed(self, step: StepValue) -> StepValue:
        """The step value after the command."""
        raise NotImplementedError

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        step = self.changed(state.step)
        if not 0 < step.ticks <= LONGEST:
            raise CannotWrite("A step lasts at least one tick and at most four whole notes.")
        say = f"Each step {article(step.words)} {step.words}{step.latch_words}"
        old = state.step.tuplet
        slot = open_slot(piece, state) if state.down and old is not None and step.tuplet != old else None
        if slot is None or slot.tuplet != old:
            return Outcome(evolved(state, step=step), say=say)
        ended = rest_of_slot(piece, state)
        return Outcome(evolved(ended.state, step=step), ended.change, f"{ended.say}. {say}")


@dataclass(frozen=True, slots=True)
class StepBase(ChangeValue):
    """A plain value."""

    base: Base
    name: Literal["value"] = "value"

    def changed(self, step: StepValue) -> StepValue:
        """See ChangeValue."""
        return replace(step, base=self.base, custom=None, added=None)


@dataclass(frozen=True, slots=True)
class ShiftValue(ChangeValue):
    """Finer or coarser."""

    to: Literal["finer", "coarser"]
    name: Literal["shift-value"] = "shift-value"

    def changed(self, step: StepValue) -> StepValue:
        """See ChangeValue."""
        return step.shifted(1 if self.to == "finer" else -1)


@dataclass(frozen=True, slots=True)
class Dot(ChangeValue):
    """None, one, two dots in turn; with ``latch`` one stays on. A tap on a latched dot takes it off."""

    latch: bool = False
    name: Literal["dot"] = "dot"

    def changed(self, step: StepValue) -> StepValue:
        """See ChangeValue."""
        if step.dots_latched:
            return replace(step, dots=0, dots_latched=False)
        if self.latch:
            return replace(step, dots=max(step.dots, 1), dots_latched=True)
        return replace(step, dots=(step.dots + 1) % 3)


@dataclass(frozen=True, slots=True)
class TupletOf(ChangeValue):
    """``actual`` steps in the time of ``normal``, for one bracket or latched; the same again takes it off."""

    actual: Annotated[int, Ge(2), Le(MAX_TUPLET)]
    normal: Annotated[int, Ge(1), Le(MAX_TUPLET)]
    latch: bool = False
    name: Literal["tuplet"] = "tuplet"

    def changed(self, step: StepValue) -> StepValue:
        """See ChangeValue."""
        chosen = Tuplet(self.actual, self.normal)
        if step.tuplet == chosen and (step.tuplet_latched or not self.latch):
            return replace(step, tuplet=None, tuplet_latched=False)
        return replace(step, tuplet=chosen, tuplet_latched=self.latch)


@dataclass(frozen=True, slots=True)
class NoTuplet(ChangeValue):
    """No tuplet."""

    name: Literal["no-tuplet"] = "no-tuplet"

    def changed(self, step: StepValue) -> StepValue:
        """See ChangeValue."""
        return replace(step, tuplet=None, tuplet_latched=False)


@dataclass(frozen=True, slots=True)
class FillTuplet(EntryCommand):
    """What is left of the tuplet at the pen: a rest, or the note before it is held to its end."""

    by: Literal["rest", "hold"] = "rest"
    name: Literal["fill-tuplet"] = "fill-tuplet"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        return rest_of_slot(piece, state, self.by == "hold") if state.down else Outcome(state, say=PEN_UP)


@dataclass(frozen=True, slots=True)
class AddedValue(ChangeValue):
    """A second value joined on, or none."""

    base: Base | None = None
    name: Literal["added"] = "added"

    def changed(self, step: StepValue) -> StepValue:
        """See ChangeValue."""
        return replace(step, added=self.base, custom=None if self.base else step.custom)


@dataclass(frozen=True, slots=True)
class CustomLength(ChangeValue):
    """A length as people type it: a fraction of a whole note ("5/16") or ticks at 960 to the quarter ("400"); "" for
    none.
    """

    text: Annotated[str, MaxLen(20)] = ""
    name: Literal["custom"] = "custom"

    def changed(self, step: StepValue) -> StepValue:
        """See ChangeValue."""
        return replace(step, custom=typed_length(self.text), added=None)


def typed_length(text: str) -> int | None:
    """A typed length in ticks, None for nothing. Raises BadInput, CannotWrite."""
    text = text.strip()
    if not text:
        return None
    fraction = FRACTION.match(text)
    if fraction and int(fraction.group(2)):
        ticks = ticks_of_quarters(Fraction(int(fraction.group(1)), int(fraction.group(2))) * 4)
    elif TICKS_TYPED.match(text):
        ticks = ticks_of_shown(int(text))
    else:
        raise BadInput(
            f"'{text[:20]}' is no length; type a fraction of a whole note (5/16) or ticks (960 to the quarter)."
        )
    if not SHORTEST_CUSTOM <= ticks <= LONGEST:
        raise CannotWrite("A step lasts at least an eighth of a 128th and at most four whole notes.")
    return ticks


@dataclass(frozen=True, slots=True)
class NextOnly(EntryCommand):
    """A value for the next note only, then back by itself; None takes that back."""

    value: NoteValue | None = None
    name: Literal["next-only"] = "next-only"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        back = state.step_after or state.step
        if self.value is None:
            return Outcome(evolved(state, step=back, step_after=None), say="The step value stays")
        value = self.value
        chosen = replace(back, base=value.base, dots=value.dots, tuplet=value.tuplet, custom=None, added=None)
        say = f"Next note {article(chosen.words)} {chosen.words}, then {back.words} again"
        return Outcome(evolved(state, step=chosen, step_after=back), say=say)


@dataclass(frozen=True, slots=True)
class SoundFor(EntryCommand):
    """How long each step sounds: a percentage of its value, or a value of its own; 100 % is in full."""

    percent: Annotated[int, Ge(1), Le(400)] = 100
    base: Base | None = None
    name: Literal["sounding"] = "sounding"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        ticks = BASE_TICKS[self.base] if self.base else None
        if self.base:
            say = f"Each step sounds for {article(self.base)} {self.base}"
        else:
            say = (
                "Steps are held for their full length"
                if self.percent == 100
                else f"Steps sound for {self.percent} % of their value"
            )
        percent = 100 if self.base else self.percent
        return Outcome(evolved(state, touch=replace(state.touch, percent=percent, ticks=ticks)), say=say)


@dataclass(frozen=True, slots=True)
class SoundLate(EntryCommand):
    """Ticks (960 to the quarter) by which steps sound late, early if negative."""

    ticks: Annotated[int, Ge(-480), Le(480)] = 0
    name: Literal["late"] = "late"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        touch = replace(state.touch, late=ticks_of_shown(self.ticks))
        return Outcome(evolved(state, touch=touch), say=f"Steps sound {touch.late_words}")


@dataclass(frozen=True, slots=True)
class VaryLength(EntryCommand):
    """Most variation of the sounding length in percent, and a seed that chooses another variation."""

    percent: Annotated[int, Ge(0), Le(50)] = 0
    seed: Annotated[int, Ge(1), Le(9999)] | None = None
    name: Literal["vary"] = "vary"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        touch = replace(state.touch, vary=self.percent, seed=self.seed or state.touch.seed)
        say = f"Sounding lengths vary by up to {touch.vary} %" if touch.vary else "Sounding lengths do not vary"
        return Outcome(evolved(state, touch=touch), say=say)


@dataclass(frozen=True, slots=True)
class FixVelocity(EntryCommand):
    """A fixed velocity, or (None) as touched."""

    velocity: Annotated[int, Ge(1), Le(127)] | None = None
    name: Literal["fix-velocity"] = "fix-velocity"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        say = "Velocity as touched" if self.velocity is None else f"Velocity fixed at {self.velocity}"
        return Outcome(evolved(state, touch=replace(state.touch, velocity=self.velocity)), say=say)


@dataclass(frozen=True, slots=True)
class FixPitch(EntryCommand):
    """One pitch for all keys as people write it ("B4"): rhythm only; "" for pitches as played."""

    pitch: Annotated[str, MaxLen(6)] = ""
    name: Literal["fix-pitch"] = "fix-pitch"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        if not self.pitch.strip():
            return Outcome(evolved(state, touch=replace(state.touch, pitch=None)), say="Pitches as played")
        fixed = parse_pitch(self.pitch)
        touch = replace(state.touch, pitch=fixed.midi)
        return Outcome(evolved(state, touch=touch), say=f"Every key writes {pitch_words(fixed)}")
