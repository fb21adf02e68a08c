"""The choices of a reading as records: what each phrase of the line that tells how a take was read can say instead.

``applied`` gives the choices with one of them changed, for the whole take or (``events``) only for some of its notes.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated, Literal

from ductus.core.limits import Ge, Le
from ductus.core.pitch.keys import signature_words
from ductus.core.pitch.pitches import pitch_words, spell_in_key
from ductus.core.reading.model import ReadSettings
from ductus.core.reading.review.beat_options import (
    ReadAbout,
    ReadAnswer,
    ReadBar,
    ReadBeats,
    ReadExtent,
    ReadMeter,
    ReadPin,
    ReadProposal,
    ReadShift,
    ReadSize,
    ReadStretch,
    ReadTaps,
    ReadTime,
    ReadUnpinned,
)
from ductus.core.reading.review.option_base import SettingChoice, WholeChoice
from ductus.core.reading.review.options import ReadingOptions
from ductus.core.score.mark_language.swing import STRAIGHT
from ductus.core.score.model.mark_kinds import LEAST_SHARE, MOST_SHARE
from ductus.core.words import count_words, listed, plural

PLAINEST = 2
TUPLET_NAMES = {2: "duplets", 3: "triplets", 4: "quadruplets", 5: "quintuplets", 7: "septuplets"}
Value = Literal["whole", "half", "quarter", "eighth", "16th", "32nd", "64th", "128th"]


@dataclass(frozen=True, slots=True)
class ReadShortest(SettingChoice):
    """The shortest value expected, or (None) what the playing shows."""

    value: Value | None = None
    name: Literal["shortest"] = "shortest"

    def words(self) -> str:
        """See ReadingChoice."""
        return f"down to {plural(self.value)}" if self.value else "shortest value as the playing shows"

    def setting(self, settings: ReadSettings) -> ReadSettings:
        """See SettingChoice."""
        return replace(settings, shortest=self.value)


@dataclass(frozen=True, slots=True)
class ReadTuplets(SettingChoice):
    """Tuplets allowed, none, or (None) where clearly played.

    ``kinds`` which of them (3, 5, 7, and 2 or 4 in compound beats; None: any), with a shortest value of their own
    (None: as of all).
    """

    tuplets: bool | None = None
    kinds: tuple[Literal[2, 3, 4, 5, 7], ...] | None = None
    shortest: Value | None = None
    name: Literal["tuplets"] = "tuplets"

    def words(self) -> str:
        """See ReadingChoice."""
        words = {None: "find tuplets", True: "tuplets allowed", False: "without tuplets"}[self.tuplets]
        if self.kinds:
            words = f"only {listed([TUPLET_NAMES[k] for k in self.kinds])} as tuplets"
        return words + (f", down to {plural(self.shortest)} in them" if self.shortest else "")

    def setting(self, settings: ReadSettings) -> ReadSettings:
        """See SettingChoice."""
        return replace(settings, tuplets=self.tuplets, tuplet_kinds=self.kinds, tuplet_shortest=self.shortest)


@dataclass(frozen=True, slots=True)
class ReadHands(SettingChoice):
    """All in one hand, split at a key (the lowest of the right hand), or (neither) by reach."""

    hand: Literal["right", "left"] | None = None
    split: Annotated[int, Ge(0), Le(127)] | None = None
    name: Literal["hands"] = "hands"

    def words(self) -> str:
        """See ReadingChoice."""
        if self.hand:
            return f"all in the {self.hand} hand"
        return "hands by reach" if self.split is None else f"hands split at {pitch_words(spell_in_key(self.split, 0))}"

    def setting(self, settings: ReadSettings) -> ReadSettings:
        """See SettingChoice."""
        hand = None if self.hand is None else 1 if self.hand == "right" else 2
        return replace(settings, hand=hand, split=self.split if hand is None else None)


@dataclass(frozen=True, slots=True)
class ReadVoices(SettingChoice):
    """Voices a staff, or (None) as many as it needs."""

    voices: Literal[1, 2] | None = None
    name: Literal["voices"] = "voices"

    def words(self) -> str:
        """See ReadingChoice."""
        return f"{count_words(self.voices, 'voice')} a staff" if self.voices else "as many voices as it needs"

    def setting(self, settings: ReadSettings) -> ReadSettings:
        """See SettingChoice."""
        return replace(settings, voices=self.voices)


@dataclass(frozen=True, slots=True)
class ReadDetached(SettingChoice):
    """Detached notes in full with a dot, or short with rests."""

    write: Literal["dot", "rest"]
    name: Literal["detached"] = "detached"

    def words(self) -> str:
        """See ReadingChoice."""
        return "detached notes " + ("in full with a dot" if self.write == "dot" else "short with rests")

    def setting(self, settings: ReadSettings) -> ReadSettings:
        """See SettingChoice."""
        return replace(settings, staccato=self.write)


@dataclass(frozen=True, slots=True)
class ReadSwing(SettingChoice):
    """Swung eighths written even with the sign: ``share`` of a beat that the first takes, in thousandths.

    None: as the playing shows; 500: written as they were played.
    """

    share: Annotated[int, Ge(LEAST_SHARE), Le(MOST_SHARE)] | None = None
    name: Literal["swing"] = "swing"

    def words(self) -> str:
        """See ReadingChoice."""
        if self.share is None:
            return "eighths swung or even, as the playing shows"
        return "eighths as they were played" if self.share == STRAIGHT else "swung eighths, written even"

    def setting(self, settings: ReadSettings) -> ReadSettings:
        """See SettingChoice."""
        return replace(settings, swing=None if self.share is None else self.share / 1000)


@dataclass(frozen=True, slots=True)
class ReadPedal(SettingChoice):
    """Does the pedal lengthen notes?"""

    used: bool
    name: Literal["pedal"] = "pedal"

    def words(self) -> str:
        """See ReadingChoice."""
        return "the pedal lengthens notes" if self.used else "the pedal left aside"

    def setting(self, settings: ReadSettings) -> ReadSettings:
        """See SettingChoice."""
        return replace(settings, pedal=self.used)


@dataclass(frozen=True, slots=True)
class ReadPlainness(SettingChoice):
    """Plainer (up to 2) or finer (down to -2) than usual; ``by`` a step from what it is."""

    level: Annotated[int, Ge(-PLAINEST), Le(PLAINEST)] | None = None
    by: Literal[-1, 0, 1] = 0
    name: Literal["plainness"] = "plainness"

    def words(self) -> str:
        """See ReadingChoice."""
        if self.level == 0:
            return "as plain as is true"
        return "plainer" if (self.level or self.by) > 0 else "finer"

    def setting(self, settings: ReadSettings) -> ReadSettings:
        """See SettingChoice."""
        level = settings.plainness + self.by if self.level is None else self.level
        return replace(settings, plainness=min(max(level, -PLAINEST), PLAINEST))


@dataclass(frozen=True, slots=True)
class ReadKey(WholeChoice):
    """The key signature in fifths, or (None) what the notes show."""

    fifths: Annotated[int, Ge(-7), Le(7)] | None = None
    name: Literal["key"] = "key"

    def words(self) -> str:
        """See ReadingChoice."""
        if self.fifths is None:
            return "in the key that the notes show"
        return f"in {signature_words(self.fifths)}"

    def whole(self, choices: ReadingOptions) -> ReadingOptions:
        """See WholeChoice."""
        return replace(choices, settings=replace(choices.settings, key=self.fifths))


AnyReadingChoice = (
    ReadShortest | ReadTuplets | ReadHands | ReadVoices | ReadDetached | ReadSwing | ReadPedal
    | ReadPlainness | ReadMeter | ReadAbout | ReadKey
    | ReadProposal | ReadSize | ReadBeats | ReadShift | ReadTaps | ReadBar | ReadPin | ReadStretch | ReadUnpinned
    | ReadExtent | ReadTime | ReadAnswer
)  # fmt: skip
READING_CHOICES: tuple[type[AnyReadingChoice], ...] = AnyReadingChoice.__args__
