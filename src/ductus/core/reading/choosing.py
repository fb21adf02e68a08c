"""The choices of a reading as records: what each phrase of the line that tells how a take was read can say instead.

``applied`` gives the choices with one of them changed, for the whole take or (``events``) only for some of its notes.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated, Any, ClassVar, Literal

from annotated_types import Ge, Le, MaxLen

from ductus.core.errors import BadInput
from ductus.core.pitch.pitches import pitch_words, spell_in_key
from ductus.core.reading.choices import Choices, Passage
from ductus.core.reading.settings import Pins, ReadSettings
from ductus.core.time.meters import parse_meter
from ductus.core.words import count_words, plural

PLAINEST = 2
Value = Literal["whole", "half", "quarter", "eighth", "16th", "32nd", "64th", "128th"]
TakeTime = Annotated[int, Ge(0), Le(10**11)]


@dataclass(frozen=True, slots=True)
class ReadingChoice:
    """Base of all choices."""

    __pydantic_config__: ClassVar[Any] = {"extra": "forbid"}

    def words(self) -> str:
        """What is read otherwise: "down to quarters"."""
        raise NotImplementedError

    def applied(self, choices: Choices, events: frozenset[int] = frozenset()) -> Choices:
        """The choices with this one made. Raises BadInput where it makes no sense."""
        raise NotImplementedError


@dataclass(frozen=True, slots=True)
class SettingChoice(ReadingChoice):
    """Base of choices that change a setting of the reader; with ``events`` only for these notes, joined to what passages there were."""

    def setting(self, settings: ReadSettings) -> ReadSettings:
        """The settings with this choice made."""
        raise NotImplementedError

    def applied(self, choices: Choices, events: frozenset[int] = frozenset()) -> Choices:
        """See ReadingChoice."""
        if not events:
            return replace(choices, settings=self.setting(choices.settings))
        own = next((p.settings for p in choices.passages if p.events >= events), choices.settings)
        rest = [replace(p, events=p.events - events) for p in choices.passages]
        passage = Passage(events, self.setting(own))
        kept = [p for p in rest if p.events and p.settings != passage.settings]
        same = frozenset().union(*(p.events for p in rest if p.settings == passage.settings))
        passages = [*kept, replace(passage, events=passage.events | same)]
        return replace(choices, passages=tuple(p for p in passages if p.settings != choices.settings))


@dataclass(frozen=True, slots=True)
class WholeChoice(ReadingChoice):
    """Base of choices that belong to the whole take: a passage cannot have its own."""

    def whole(self, choices: Choices) -> Choices:
        """The choices with this one made."""
        raise NotImplementedError

    def applied(self, choices: Choices, events: frozenset[int] = frozenset()) -> Choices:
        """See ReadingChoice."""
        if events:
            raise BadInput("That belongs to the whole take, not to some notes of it; nothing was changed.")
        return self.whole(choices)


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
    """Tuplets allowed, none, or (None) where clearly played."""

    tuplets: bool | None = None
    name: Literal["tuplets"] = "tuplets"

    def words(self) -> str:
        """See ReadingChoice."""
        return {None: "tuplets where played", True: "tuplets allowed", False: "without tuplets"}[self.tuplets]

    def setting(self, settings: ReadSettings) -> ReadSettings:
        """See SettingChoice."""
        return replace(settings, tuplets=self.tuplets)


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
class ReadMeter(WholeChoice):
    """The meter, as "3/4" or "7/8 (2+2+3)", or (None) what the playing shows."""

    meter: Annotated[str, MaxLen(40)] | None = None
    name: Literal["meter"] = "meter"

    def words(self) -> str:
        """See ReadingChoice."""
        return f"in {self.meter}" if self.meter else "in the meter that the playing shows"

    def whole(self, choices: Choices) -> Choices:
        """See WholeChoice."""
        return Choices(replace(choices.settings, meter=parse_meter(self.meter) if self.meter else None))


@dataclass(frozen=True, slots=True)
class ReadAbout(WholeChoice):
    """A rough tempo in quarters a minute, or (None) what the playing shows."""

    tempo: Annotated[float, Ge(5), Le(1000)] | None = None
    name: Literal["about"] = "about"

    def words(self) -> str:
        """See ReadingChoice."""
        return f"at about {self.tempo:g} quarters a minute" if self.tempo else "at the tempo that the playing shows"

    def whole(self, choices: Choices) -> Choices:
        """See WholeChoice."""
        return Choices(replace(choices.settings, about=self.tempo))


@dataclass(frozen=True, slots=True)
class ReadKey(WholeChoice):
    """The key signature in fifths, or (None) what the notes show."""

    fifths: Annotated[int, Ge(-7), Le(7)] | None = None
    name: Literal["key"] = "key"

    def words(self) -> str:
        """See ReadingChoice."""
        if self.fifths is None:
            return "in the key that the notes show"
        signature = count_words(abs(self.fifths), "flat" if self.fifths < 0 else "sharp")
        return f"with {signature if self.fifths else 'no sharps or flats'}"

    def whole(self, choices: Choices) -> Choices:
        """See WholeChoice."""
        return replace(choices, settings=replace(choices.settings, key=self.fifths))


@dataclass(frozen=True, slots=True)
class ReadProposal(WholeChoice):
    """Which of the proposals for the beats of a free take, from 0."""

    rank: Annotated[int, Ge(0), Le(2)]
    name: Literal["proposal"] = "proposal"

    def words(self) -> str:
        """See ReadingChoice."""
        return f"the {('first', 'second', 'third')[self.rank]} of the readings of the whole"

    def whole(self, choices: Choices) -> Choices:
        """See WholeChoice."""
        return replace(choices, rank=self.rank, shift=0, bars={}, taps=(), pins=Pins(), settled=frozenset())


@dataclass(frozen=True, slots=True)
class ReadShift(WholeChoice):
    """Bar lines later (or earlier) by beats."""

    beats: Annotated[int, Ge(-64), Le(64)]
    name: Literal["shift"] = "shift"

    def words(self) -> str:
        """See ReadingChoice."""
        return f"bar lines {count_words(abs(self.beats), 'beat')} {'later' if self.beats > 0 else 'earlier'}"

    def whole(self, choices: Choices) -> Choices:
        """See WholeChoice."""
        return replace(choices, shift=choices.shift + self.beats, bars={}, pins=Pins())


@dataclass(frozen=True, slots=True)
class ReadTaps(WholeChoice):
    """Beats that a person tapped, in microseconds of the take; the first is a first beat."""

    times: Annotated[tuple[TakeTime, ...], MaxLen(20_000)]
    name: Literal["taps"] = "taps"

    def words(self) -> str:
        """See ReadingChoice."""
        return "bars follow the tapped beats"

    def whole(self, choices: Choices) -> Choices:
        """See WholeChoice."""
        taps = tuple(sorted(set(self.times)))
        if len(taps) == 1:
            raise BadInput("One tap gives no tempo: tap at least two beats. The page is as it was.")
        return replace(choices, taps=taps, shift=0, bars={}, pins=Pins(), rank=0)


@dataclass(frozen=True, slots=True)
class ReadBar(WholeChoice):
    """A bar line (tick of the take) falls at a time (microseconds), or (None) where it was found."""

    tick: Annotated[int, Ge(-(10**15)), Le(10**15)]
    time_us: Annotated[int, Ge(-(10**11)), Le(10**11)] | None = None
    name: Literal["bar"] = "bar"

    def words(self) -> str:
        """See ReadingChoice."""
        return "bar line set by hand" if self.time_us is not None else "bar line where it was found"

    def whole(self, choices: Choices) -> Choices:
        """See WholeChoice."""
        bars = {t: us for t, us in choices.bars.items() if t != self.tick}
        if self.time_us is not None:
            bars[self.tick] = self.time_us
        return replace(choices, bars=bars)


AnyReadingChoice = (
    ReadShortest | ReadTuplets | ReadHands | ReadVoices | ReadDetached | ReadPedal | ReadPlainness | ReadMeter | ReadAbout | ReadKey
    | ReadProposal | ReadShift | ReadTaps | ReadBar
)  # fmt: skip
READING_CHOICES: tuple[type[AnyReadingChoice], ...] = AnyReadingChoice.__args__
