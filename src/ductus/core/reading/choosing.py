"""The choices of a reading as records: what each phrase of the line that tells how a take was read can say instead.

``applied`` gives the choices with one of them changed, for the whole take or (``events``) only for some of its notes.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Annotated, Any, ClassVar, Literal

from annotated_types import Ge, Le, MaxLen

from ductus.core.errors import BadInput
from ductus.core.performance.takes import Take
from ductus.core.pitch.pitches import pitch_words, spell_in_key
from ductus.core.reading.choices import Choices, Passage
from ductus.core.reading.pinning import FASTEST, SAME, SLOWEST
from ductus.core.reading.settings import Pins, ReadingResult, ReadSettings
from ductus.core.time.bars import MAX_BAR, Timeline
from ductus.core.time.meters import parse_meter
from ductus.core.words import count_words, listed, plural

PLAINEST = 2
TUPLET_NAMES = {2: "duplets", 3: "triplets", 4: "quadruplets", 5: "quintuplets", 7: "septuplets"}
Value = Literal["whole", "half", "quarter", "eighth", "16th", "32nd", "64th", "128th"]
QUESTIONS = ("ends", "meter", "size", "first beat", "key", "bar lines")  # of the lead-through after a take, in order
TakeTime = Annotated[int, Ge(0), Le(10**11)]


@dataclass(frozen=True, slots=True)
class Seen:
    """What a choice was made on: the take, its reading, and where tick 0 of it lies in the piece (see ``Timeline``)."""

    take: Take
    result: ReadingResult
    start: int
    timeline: Timeline

    def onsets(self, events: Iterable[int]) -> list[int]:
        """When these events were struck, in order."""
        return sorted(self.take.notes[e].onset_us for e in events if e < len(self.take.notes))

    def place(self, us: int) -> int:
        """The tick of the beat nearest to a time."""
        tick = round(self.result.pulses.tick_at(us))
        start, length = self.result.bars.beat_at(tick)
        return start if tick - start < length / 2 else start + length


@dataclass(frozen=True, slots=True)
class ReadingChoice:
    """Base of all choices."""

    __pydantic_config__: ClassVar[Any] = {"extra": "forbid"}

    def words(self) -> str:
        """What is read otherwise: "down to quarters"."""
        raise NotImplementedError

    def applied(self, choices: Choices, events: frozenset[int] = frozenset(), seen: Seen | None = None) -> Choices:
        """The choices with this one made; ``seen`` is the reading that it was made on. Raises BadInput where it makes no sense."""
        raise NotImplementedError


@dataclass(frozen=True, slots=True)
class SettingChoice(ReadingChoice):
    """Base of choices that change a setting of the reader; with ``events`` only for these notes, joined to what passages there were."""

    def setting(self, settings: ReadSettings) -> ReadSettings:
        """The settings with this choice made."""
        raise NotImplementedError

    def applied(self, choices: Choices, events: frozenset[int] = frozenset(), seen: Seen | None = None) -> Choices:
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

    def applied(self, choices: Choices, events: frozenset[int] = frozenset(), seen: Seen | None = None) -> Choices:
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
    """Tuplets allowed, none, or (None) where clearly played; ``kinds`` which of them (3, 5, 7, and 2 or 4 in compound beats; None: any), with a
    shortest value of their own (None: as of all)."""

    tuplets: bool | None = None
    kinds: tuple[Literal[2, 3, 4, 5, 7], ...] | None = None
    shortest: Value | None = None
    name: Literal["tuplets"] = "tuplets"

    def words(self) -> str:
        """See ReadingChoice."""
        words = {None: "tuplets where played", True: "tuplets allowed", False: "without tuplets"}[self.tuplets]
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


def anew(choices: Choices, settings: ReadSettings) -> Choices:
    """The choices for other beats: what was decided of ticks has no place any more; hands, ornaments and what is left out still apply."""
    pins = Pins(dict(choices.pins.hands), left_out=choices.pins.left_out, ornaments=choices.pins.ornaments)
    passages = tuple(p for p in choices.passages if p.events)
    return replace(choices, settings=settings, pins=pins, rank=0, shift=0, bars={}, passages=passages)


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
        meter = parse_meter(self.meter) if self.meter else None
        return anew(choices, replace(choices.settings, meter=meter, changes=()))

    def applied(self, choices: Choices, events: frozenset[int] = frozenset(), seen: Seen | None = None) -> Choices:
        """See ReadingChoice. A take to the click goes back to the meters of the piece."""
        wanted = WholeChoice.applied(self, choices, events, seen)
        if self.meter is not None or seen is None or seen.take.pulses is None:
            return wanted
        bar = seen.timeline.bar_at(max(seen.start, 0)).index
        (_, meter), *changes = seen.timeline.meters_from(bar, seen.start)
        return replace(wanted, settings=replace(wanted.settings, meter=meter, changes=tuple(changes)))


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
        return anew(choices, replace(choices.settings, about=self.tempo))


@dataclass(frozen=True, slots=True)
class ReadSize(WholeChoice):
    """All values twice as long (1), half as long (-1), or as they were found (0)."""

    size: Literal[-1, 0, 1]
    name: Literal["size"] = "size"

    def words(self) -> str:
        """See ReadingChoice."""
        return {-1: "notes half as long", 0: "notes as long as they were found", 1: "notes twice as long"}[self.size]

    def whole(self, choices: Choices) -> Choices:
        """See WholeChoice."""
        return replace(anew(choices, choices.settings), rank=choices.rank, size=self.size)


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
        return replace(choices, rank=self.rank, shift=0, bars={}, taps=(), pins=untimed(choices.pins))


@dataclass(frozen=True, slots=True)
class ReadBeats(WholeChoice):
    """The beats of a file: those that it states, or (``found``) those that the playing shows."""

    found: bool
    name: Literal["beats"] = "beats"

    def words(self) -> str:
        """See ReadingChoice."""
        return "as played freely" if self.found else "against the beats of its file"

    def whole(self, choices: Choices) -> Choices:
        """See WholeChoice."""
        settings = replace(choices.settings, meter=None, changes=(), about=None)
        return replace(anew(choices, settings), unbound=self.found, taps=(), time="" if self.found else choices.time)


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
        return replace(choices, shift=choices.shift + self.beats, bars={}, pins=untimed(choices.pins))


@dataclass(frozen=True, slots=True)
class ReadTaps(WholeChoice):
    """Beats that a person tapped, in microseconds of the take; the first is a first beat. They are hints. None: back to what was found."""

    times: Annotated[tuple[TakeTime, ...], MaxLen(20_000)]
    name: Literal["taps"] = "taps"

    def words(self) -> str:
        """See ReadingChoice."""
        return "bars follow the tapped beats" if self.times else "bars as they were found"

    def whole(self, choices: Choices) -> Choices:
        """See WholeChoice."""
        taps = tuple(sorted(set(self.times)))
        if len(taps) == 1:
            raise BadInput("One tap gives no tempo: tap at least two beats. The page is as it was.")
        return replace(anew(choices, choices.settings), taps=taps)


@dataclass(frozen=True, slots=True)
class ReadBar(WholeChoice):
    """A bar line or beat (tick of the take) falls at a time (microseconds), or (None) where it was found. Dragged to another beat, it leaves
    the bars before it alone, and those behind it are counted from there."""

    tick: Annotated[int, Ge(-(10**15)), Le(10**15)]
    time_us: Annotated[int, Ge(-(10**11)), Le(10**11)] | None = None
    name: Literal["bar"] = "bar"

    def words(self) -> str:
        """See ReadingChoice."""
        return "bar line set by hand" if self.time_us is not None else "bar line where it was found"

    def applied(self, choices: Choices, events: frozenset[int] = frozenset(), seen: Seen | None = None) -> Choices:
        """See ReadingChoice."""
        bars = {t: us for t, us in choices.bars.items() if t != self.tick}
        if self.time_us is not None:
            if (
                seen is not None
                and abs(seen.result.pulses.tick_at(self.time_us) - self.tick)
                > SAME * seen.result.bars.beat_at(self.tick)[1]
            ):
                before = seen.result.bars.bar_at(self.tick - 1)[0]
                if before not in bars:
                    bars[before] = seen.result.pulses.time_at(before)
            bars[self.tick] = self.time_us
        return replace(choices, bars=bars, pins=untimed(choices.pins))


@dataclass(frozen=True, slots=True)
class ReadPin(ReadingChoice):
    """The (first) chosen note is at a bar, by its number, and a beat."""

    bar: Annotated[int, Ge(0), Le(MAX_BAR)]
    beat: Annotated[int, Ge(1), Le(32)] = 1
    name: Literal["pin"] = "pin"

    def words(self) -> str:
        """See ReadingChoice."""
        return f"this note is bar {self.bar}" + (f", beat {self.beat}" if self.beat > 1 else "")

    def applied(self, choices: Choices, events: frozenset[int] = frozenset(), seen: Seen | None = None) -> Choices:
        """See ReadingChoice."""
        onsets = seen.onsets(events) if seen is not None else []
        if seen is None or not onsets:
            raise BadInput("Choose the note first: it says which bar it is.")
        bar = seen.timeline.bar(max(seen.timeline.index_of(self.bar), 0))
        if self.beat > len(bar.meter.beat_starts):
            raise BadInput(
                f"Bar {self.bar} has {count_words(len(bar.meter.beat_starts), 'beat')}. Nothing was changed."
            )
        tick = seen.timeline.tick_of(self.bar, self.beat) - seen.start
        bars = {t: us for t, us in choices.bars.items() if us != onsets[0]}
        return replace(choices, bars={**bars, tick: onsets[0]}, pins=untimed(choices.pins))


@dataclass(frozen=True, slots=True)
class ReadStretch(ReadingChoice):
    """From the first chosen note to the last are so many bars: tempo = beats x 60 / seconds."""

    bars: Annotated[int, Ge(1), Le(1000)]
    name: Literal["stretch"] = "stretch"

    def words(self) -> str:
        """See ReadingChoice."""
        return f"this stretch holds {count_words(self.bars, 'bar')}"

    def applied(self, choices: Choices, events: frozenset[int] = frozenset(), seen: Seen | None = None) -> Choices:
        """See ReadingChoice."""
        onsets = seen.onsets(events) if seen is not None else []
        if seen is None or len(onsets) < 2:
            raise BadInput("Choose the first and the last note of the stretch first.")
        first = seen.place(onsets[0])
        last = first
        for _ in range(self.bars):
            start, end, _meter = seen.result.bars.bar_at(last)
            last += end - start
        bars = {t: us for t, us in choices.bars.items() if not onsets[0] <= us <= onsets[-1]}
        later = {t: us for t, us in bars.items() if us > onsets[-1] and t <= last}
        if later:
            raise BadInput(
                "A bar line behind this stretch was set by hand before what that would be; remove it first. Nothing was changed."
            )
        return replace(choices, bars={**bars, first: onsets[0], last: onsets[-1]}, pins=untimed(choices.pins))


@dataclass(frozen=True, slots=True)
class ReadUnpinned(WholeChoice):
    """All bar lines and beats that were set by hand go back to where they were found."""

    name: Literal["unpin"] = "unpin"

    def words(self) -> str:
        """See ReadingChoice."""
        return "all bar lines where they were found"

    def whole(self, choices: Choices) -> Choices:
        """See WholeChoice."""
        return replace(choices, bars={}, pins=untimed(choices.pins))


@dataclass(frozen=True, slots=True)
class ReadExtent(WholeChoice):
    """Only this stretch of the take is written (microseconds; None: from its beginning, to its end)."""

    from_us: TakeTime | None = None
    to_us: TakeTime | None = None
    name: Literal["extent"] = "extent"

    def words(self) -> str:
        """See ReadingChoice."""
        return "all of the take" if self.from_us is None and self.to_us is None else "what lies outside is left out"

    def whole(self, choices: Choices) -> Choices:
        """See WholeChoice."""
        if self.from_us is None and self.to_us is None:
            return replace(choices, extent=None)
        extent = (self.from_us or 0, self.to_us if self.to_us is not None else 10**11)
        if extent[1] <= extent[0]:
            raise BadInput("Nothing would be left of the take. The page is as it was.")
        return replace(choices, extent=extent)


@dataclass(frozen=True, slots=True)
class ReadTime(WholeChoice):
    """What becomes of the player's time; "steady" may be given a tempo in beats a minute (None: as it was played)."""

    outcome: Literal["follow", "steady", "fitted"]
    tempo: Annotated[float, Ge(0), Le(100_000)] | None = None
    name: Literal["time"] = "time"

    def words(self) -> str:
        """See ReadingChoice."""
        words = {
            "follow": "the bars follow me",
            "steady": "one steady tempo",
            "fitted": "fitted to the tempo of the piece",
        }[self.outcome]
        return words + (f", {self.tempo:g}" if self.tempo else "")

    def whole(self, choices: Choices) -> Choices:
        """See WholeChoice."""
        if self.tempo is not None and not SLOWEST <= self.tempo <= FASTEST:
            raise BadInput(
                f"{self.tempo:g} is no tempo: use {SLOWEST:.0f} to {FASTEST:.0f} beats a minute. Nothing was changed."
            )
        return replace(choices, time=self.outcome, tempo=self.tempo)


@dataclass(frozen=True, slots=True)
class ReadAnswer(WholeChoice):
    """A question of the lead-through is done (answered, or passed over); with ``question`` None all of them."""

    question: Annotated[str, MaxLen(20)] | None
    name: Literal["answer"] = "answer"

    def words(self) -> str:
        """See ReadingChoice."""
        return f"{self.question} settled" if self.question else "no more questions"

    def whole(self, choices: Choices) -> Choices:
        """See WholeChoice."""
        return replace(
            choices, answered=choices.answered | ({self.question} if self.question else frozenset(QUESTIONS))
        )


def untimed(pins: Pins) -> Pins:
    """The decisions that still hold when the beats lie elsewhere."""
    return replace(pins, places={}, values={})


AnyReadingChoice = (
    ReadShortest | ReadTuplets | ReadHands | ReadVoices | ReadDetached | ReadPedal | ReadPlainness | ReadMeter | ReadAbout | ReadKey
    | ReadProposal | ReadSize | ReadBeats | ReadShift | ReadTaps | ReadBar | ReadPin | ReadStretch | ReadUnpinned | ReadExtent | ReadTime | ReadAnswer
)  # fmt: skip
READING_CHOICES: tuple[type[AnyReadingChoice], ...] = AnyReadingChoice.__args__
