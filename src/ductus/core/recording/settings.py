"""How the next recording goes: every choice that its line speaks of, each set by a record of its own."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated, Literal

from ductus.core.limits import Ge, Le
from ductus.core.playback.click import MOST_COUNT_IN, AsWritten, TempoChoice, checked_tempo
from ductus.core.score.note_edits.sounding import QuantizeInPlace
from ductus.core.time.bars import MAX_BAR

Value = Literal["whole", "half", "quarter", "eighth", "16th", "32nd", "64th", "128th"]
Hands = Literal["reach", "split", "right", "left"]
MidiKey = Annotated[int, Ge(0), Le(127)]
USUAL_SHORTEST: Value = "16th"


@dataclass(frozen=True, slots=True)
class RecordChoices:
    """``on``: recording is the way of working.

    ``click`` False: played freely. ``first_key``: the first key begins it, without a count-in. ``hands`` "right",
    "left": everything into that staff, in the voice of the pen. ``until``: the bar (index) after which nothing is
    written, None: as long as it goes on; ``round``: there it begins again, round and round. ``in_place``: how
    sounding times are quantized as the take arrives (None: not at all). ``before``, ``others``: are the bars before
    it, and what else is written, heard? ``bends``: does the click go with the player?
    """

    on: bool = False
    click: bool = True
    first_key: bool = False
    count_in: int = 2
    tempo: TempoChoice = AsWritten()
    hands: Hands = "reach"
    split: int = 60
    shortest: Value | None = USUAL_SHORTEST
    tuplets: bool | None = None
    policy: Literal["replace", "add"] = "replace"
    until: int | None = None
    round: bool = False
    before: bool = True
    others: bool = True
    bends: bool = False
    in_place: QuantizeInPlace | None = None


@dataclass(frozen=True, slots=True)
class RecordChoice:
    """Base of all choices of a recording."""

    def applied(self, choices: RecordChoices) -> RecordChoices:
        """The choices with this one made."""
        raise NotImplementedError


@dataclass(frozen=True, slots=True)
class RecordOn(RecordChoice):
    """Recording is the way of working, or not."""

    on: bool = True
    name: Literal["record-on"] = "record-on"

    def applied(self, choices: RecordChoices) -> RecordChoices:
        """See RecordChoice."""
        return replace(choices, on=self.on)


@dataclass(frozen=True, slots=True)
class RecordInPlace(RecordChoice):
    """Sounding times are quantized in place as a take arrives, or stay (None). The writing is read as ever."""

    how: QuantizeInPlace | None = None
    name: Literal["record-in-place"] = "record-in-place"

    def applied(self, choices: RecordChoices) -> RecordChoices:
        """See RecordChoice."""
        return replace(choices, in_place=self.how)


@dataclass(frozen=True, slots=True)
class RecordClick(RecordChoice):
    """With a click that stays as it is, with one that goes with the player, or freely.

    The shortest value goes with it: freely it is what the playing shows.
    """

    click: Literal["steady", "bends", "none"]
    name: Literal["record-click"] = "record-click"

    def applied(self, choices: RecordChoices) -> RecordChoices:
        """See RecordChoice."""
        click = self.click != "none"
        shortest = choices.shortest if click == choices.click else USUAL_SHORTEST if click else None
        return replace(choices, click=click, bends=self.click == "bends", shortest=shortest)


@dataclass(frozen=True, slots=True)
class RecordCountIn(RecordChoice):
    """Bars of count-in, or (None) it begins with the first key."""

    bars: Annotated[int, Ge(0), Le(MOST_COUNT_IN)] | None
    name: Literal["record-count-in"] = "record-count-in"

    def applied(self, choices: RecordChoices) -> RecordChoices:
        """See RecordChoice."""
        if self.bars is None:
            return replace(choices, first_key=True)
        return replace(choices, first_key=False, count_in=self.bars)


@dataclass(frozen=True, slots=True)
class RecordTempo(RecordChoice):
    """The tempo of the click."""

    tempo: TempoChoice
    name: Literal["record-tempo"] = "record-tempo"

    def applied(self, choices: RecordChoices) -> RecordChoices:
        """See RecordChoice."""
        return replace(choices, tempo=checked_tempo(self.tempo))


@dataclass(frozen=True, slots=True)
class RecordHands(RecordChoice):
    """Both hands by reach, both hands split at a key, or one hand only."""

    hands: Hands
    split: MidiKey = 60
    name: Literal["record-hands"] = "record-hands"

    def applied(self, choices: RecordChoices) -> RecordChoices:
        """See RecordChoice."""
        return replace(choices, hands=self.hands, split=self.split)


@dataclass(frozen=True, slots=True)
class RecordShortest(RecordChoice):
    """The shortest value that is written, or (None) what the playing shows."""

    value: Value | None
    name: Literal["record-shortest"] = "record-shortest"

    def applied(self, choices: RecordChoices) -> RecordChoices:
        """See RecordChoice."""
        return replace(choices, shortest=self.value)


@dataclass(frozen=True, slots=True)
class RecordPolicy(RecordChoice):
    """It replaces what is there, or is added to it."""

    policy: Literal["replace", "add"]
    name: Literal["record-policy"] = "record-policy"

    def applied(self, choices: RecordChoices) -> RecordChoices:
        """See RecordChoice."""
        return replace(choices, policy=self.policy)


@dataclass(frozen=True, slots=True)
class RecordUntil(RecordChoice):
    """The last bar (index) that is written, or (None) as long as it goes on.

    ``round``: behind it the first comes again, until it is stopped.
    """

    bar: Annotated[int, Ge(0), Le(MAX_BAR)] | None
    round: bool = False
    name: Literal["record-until"] = "record-until"

    def applied(self, choices: RecordChoices) -> RecordChoices:
        """See RecordChoice."""
        return replace(choices, until=self.bar, round=self.round and self.bar is not None)


@dataclass(frozen=True, slots=True)
class RecordHear(RecordChoice):
    """What is heard beside the click: the bars before it, the other music."""

    before: bool
    others: bool
    name: Literal["record-hear"] = "record-hear"

    def applied(self, choices: RecordChoices) -> RecordChoices:
        """See RecordChoice."""
        return replace(choices, before=self.before, others=self.others)


AnyRecordChoice = (
    RecordOn | RecordClick | RecordCountIn | RecordTempo | RecordHands | RecordShortest | RecordPolicy | RecordUntil
    | RecordHear
    | RecordInPlace
)  # fmt: skip
RECORD_CHOICES: tuple[type[AnyRecordChoice], ...] = AnyRecordChoice.__args__
