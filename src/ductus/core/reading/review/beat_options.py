"""Choices of the beats, the bars and the time of a take; see ``note_options``."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Annotated, Literal

from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le, MaxLen
from ductus.core.reading.beat_tracking.set_beats import FASTEST, SAME, SLOWEST, with_bar_line
from ductus.core.reading.model import ReadSettings
from ductus.core.reading.review.option_base import QUESTIONS, ReadingChoice, Seen, WholeChoice, anew, untimed
from ductus.core.reading.review.options import ReadingOptions
from ductus.core.time.bars import MAX_BAR
from ductus.core.time.meters import parse_meter
from ductus.core.words import capital, count_words

TakeTime = Annotated[int, Ge(0), Le(10**11)]


@dataclass(frozen=True, slots=True)
class ReadMeter(WholeChoice):
    """The meter, as "3/4" or "7/8 (2+2+3)", or (None) what the playing shows."""

    meter: Annotated[str, MaxLen(40)] | None = None
    name: Literal["meter"] = "meter"

    def words(self) -> str:
        """See ReadingChoice."""
        return f"in {self.meter}" if self.meter else "in the meter that the playing shows"

    def whole(self, choices: ReadingOptions) -> ReadingOptions:
        """See WholeChoice."""
        meter = parse_meter(self.meter) if self.meter else None
        return replace(anew(choices, replace(choices.settings, meter=meter, changes=())), page=None)

    def applied(
        self, choices: ReadingOptions, events: frozenset[int] = frozenset(), seen: Seen | None = None
    ) -> ReadingOptions:
        """See ReadingChoice. A take to the click goes back to the meters of the piece."""
        wanted = WholeChoice.applied(self, choices, events, seen)
        if self.meter is not None or seen is None or seen.take.pulses is None:
            return wanted
        if choices.stated is not None and choices.stated.meter is not None:
            meter, changes = choices.stated.meter, choices.stated.changes
        else:
            bar = seen.timeline.bar_at(max(seen.start, 0)).index
            (_, meter), *later = seen.timeline.meters_from(bar, seen.start)
            changes = tuple(later)
        return replace(wanted, settings=replace(wanted.settings, meter=meter, changes=changes))


@dataclass(frozen=True, slots=True)
class ReadAbout(WholeChoice):
    """A rough tempo in quarters a minute, or (None) what the playing shows."""

    tempo: Annotated[float, Ge(5), Le(1000)] | None = None
    name: Literal["about"] = "about"

    def words(self) -> str:
        """See ReadingChoice."""
        return f"at about {self.tempo:g} quarters a minute" if self.tempo else "at the tempo that the playing shows"

    def whole(self, choices: ReadingOptions) -> ReadingOptions:
        """See WholeChoice."""
        return replace(anew(choices, replace(choices.settings, about=self.tempo)), page=None)


@dataclass(frozen=True, slots=True)
class ReadSize(WholeChoice):
    """All values twice as long (1), half as long (-1), or as they were found (0)."""

    size: Literal[-1, 0, 1]
    name: Literal["size"] = "size"

    def words(self) -> str:
        """See ReadingChoice."""
        return {-1: "notes half as long", 0: "notes as long as they were found", 1: "notes twice as long"}[self.size]

    def whole(self, choices: ReadingOptions) -> ReadingOptions:
        """See WholeChoice."""
        return replace(anew(choices, choices.settings), rank=choices.rank, size=self.size)


@dataclass(frozen=True, slots=True)
class ReadProposal(WholeChoice):
    """Which of the proposals for the beats of a free take, from 0."""

    rank: Annotated[int, Ge(0), Le(2)]
    name: Literal["proposal"] = "proposal"

    def words(self) -> str:
        """See ReadingChoice."""
        return f"the {('first', 'second', 'third')[self.rank]} of the readings of the whole"

    def whole(self, choices: ReadingOptions) -> ReadingOptions:
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

    def whole(self, choices: ReadingOptions) -> ReadingOptions:
        """See WholeChoice."""
        stated = (choices.stated if not self.found else None) or ReadSettings()
        settings = replace(choices.settings, meter=stated.meter, changes=stated.changes, about=None)
        return replace(anew(choices, settings), unbound=self.found, taps=(), time="" if self.found else choices.time)


@dataclass(frozen=True, slots=True)
class ReadShift(WholeChoice):
    """Bar lines later (or earlier) by beats."""

    beats: Annotated[int, Ge(-64), Le(64)]
    name: Literal["shift"] = "shift"

    def words(self) -> str:
        """See ReadingChoice."""
        return f"bar lines {count_words(abs(self.beats), 'beat')} {'later' if self.beats > 0 else 'earlier'}"

    def whole(self, choices: ReadingOptions) -> ReadingOptions:
        """See WholeChoice."""
        return replace(choices, shift=choices.shift + self.beats, bars={}, pins=untimed(choices.pins))


@dataclass(frozen=True, slots=True)
class ReadTaps(WholeChoice):
    """Beats that a person tapped, in microseconds of the take; the first is a first beat.

    They are hints. None: back to what was found.
    """

    times: Annotated[tuple[TakeTime, ...], MaxLen(20_000)]
    name: Literal["taps"] = "taps"

    def words(self) -> str:
        """See ReadingChoice."""
        return "bars follow the tapped beats" if self.times else "bars as they were found"

    def whole(self, choices: ReadingOptions) -> ReadingOptions:
        """See WholeChoice."""
        taps = tuple(sorted(set(self.times)))
        if len(taps) == 1:
            raise BadInput("One tap gives no tempo: tap at least two beats. The page is as it was.")
        return replace(anew(choices, choices.settings), taps=taps)


@dataclass(frozen=True, slots=True)
class ReadBar(WholeChoice):
    """A bar line or beat (tick of the take) falls at a time (microseconds), or (None) where it was found.

    Dragged to another beat, it leaves the bars before it alone, and those behind it are counted from there.

    Where a click said the beats they stay: the bar before takes the ``meter`` that it then has, or all bar lines
    ``before`` it move along.
    """

    tick: Annotated[int, Ge(-(10**15)), Le(10**15)]
    time_us: Annotated[int, Ge(-(10**11)), Le(10**11)] | None = None
    by: Literal["meter", "before"] = "meter"
    name: Literal["bar"] = "bar"

    def words(self) -> str:
        """See ReadingChoice."""
        return "bar line set by hand" if self.time_us is not None else "bar line where it was found"

    def applied(
        self, choices: ReadingOptions, events: frozenset[int] = frozenset(), seen: Seen | None = None
    ) -> ReadingOptions:
        """See ReadingChoice."""
        bars = {t: us for t, us in choices.bars.items() if t != self.tick}
        if self.time_us is not None:
            if seen is not None and self._elsewhere(seen, self.time_us):
                if seen.told(choices):
                    return self._among_beats(choices, seen, self.time_us)
                before = seen.result.bars.bar_at(self.tick - 1)[0]
                if before not in bars:
                    bars[before] = seen.result.pulses.time_at(before)
            bars[self.tick] = self.time_us
        return replace(choices, bars=bars, pins=untimed(choices.pins))

    def _elsewhere(self, seen: Seen, time_us: int) -> bool:
        """Does it fall on another beat than its own?"""
        away = seen.result.pulses.tick_at(time_us) - self.tick
        return abs(away) > SAME * seen.result.bars.beat_at(self.tick)[1]

    def _among_beats(self, choices: ReadingOptions, seen: Seen, time_us: int) -> ReadingOptions:
        """The choices with the bar line on another beat of the click."""
        to, settings = seen.place(time_us), choices.settings
        if self.by == "before":
            beats = Fraction(to - self.tick, seen.result.meter.beat_ticks)
            if beats.denominator > 1:
                raise BadInput("The bar lines before would fall between beats. It stays where it was.")
            return ReadShift(int(beats)).applied(choices)
        if not seen.alone:
            raise BadInput(
                "Other music stands in these bars, so their meter is not changed from a take. It stays where it was."
            )
        bars = with_bar_line(seen.result.bars, self.tick, to)
        moved = {t + (to - self.tick if t >= self.tick else 0): us for t, us in choices.bars.items()}
        return replace(choices, settings=replace(settings, meter=bars.meter, changes=bars.changes), bars=moved)


@dataclass(frozen=True, slots=True)
class ReadPin(ReadingChoice):
    """The (first) chosen note is at a bar, by its number, and a beat.

    Bars before it are counted anew, from the one before it that holds.
    """

    bar: Annotated[int, Ge(0), Le(MAX_BAR)]
    beat: Annotated[int, Ge(1), Le(32)] = 1
    name: Literal["pin"] = "pin"

    def words(self) -> str:
        """See ReadingChoice."""
        return f"this note is bar {self.bar}" + (f", beat {self.beat}" if self.beat > 1 else "")

    def applied(
        self, choices: ReadingOptions, events: frozenset[int] = frozenset(), seen: Seen | None = None
    ) -> ReadingOptions:
        """See ReadingChoice."""
        onsets = seen.onsets(events) if seen is not None else []
        if seen is None or not onsets:
            raise BadInput("Choose the note first: it says which bar it is.")
        timeline, index = seen.timeline, seen.timeline.index_of(self.bar)
        if index < 0:
            raise BadInput(
                f"There is no bar {self.bar}: the first is bar {timeline.number_of(0)}. Nothing was changed."
            )
        beats = len(timeline.bar(index).meter.beat_starts)
        if self.beat > beats:
            raise BadInput(f"Bar {self.bar} has {count_words(beats, 'beat')}. Nothing was changed.")
        wanted = timeline.tick_of(self.bar, self.beat) - seen.start
        if seen.told(choices):
            return self._against_click(choices, seen, wanted - seen.place(onsets[0]))
        return replace(choices, bars=self._pins(choices, seen, wanted, onsets[0]), pins=untimed(choices.pins))

    def _pins(self, choices: ReadingOptions, seen: Seen, wanted: int, us: int) -> dict[int, int]:
        """All pins with this one; without one before it the first full bar of the take stays where it is."""
        bars = {t: at for t, at in choices.bars.items() if at != us}
        against = [t for t, at in bars.items() if (t < wanted) != (at < us)]
        if against:
            held = seen.timeline.bar_at(max(against[0] + seen.start, 0)).index
            raise BadInput(
                f"{capital(seen.timeline.bar_words(held))} was set by hand, which contradicts it; let that go first. "
                "Nothing was changed."
            )
        first, after, _ = seen.result.bars.bar_at(min(n.tick for n in seen.result.notes))
        origin = after if seen.result.pickup else first
        if not any(at < us for at in bars.values()) and seen.place(us) > origin:
            if wanted <= origin:
                held = seen.timeline.bar_at(max(origin + seen.start, 0)).index
                raise BadInput(
                    f"{capital(seen.timeline.bar_words(held))} begins before this note. Nothing was changed."
                )
            bars[origin] = seen.result.pulses.time_at(origin)
        return {**bars, wanted: us}

    def _against_click(self, choices: ReadingOptions, seen: Seen, by: int) -> ReadingOptions:
        """The choices with all of the take ``by`` ticks later, if that is less than a bar.

        A click has counted the bars.
        """
        meter = seen.result.meter
        if not by:
            raise BadInput("It is there already: nothing was changed.")
        if abs(by) >= meter.bar_ticks or by % meter.beat_ticks:
            raise BadInput(
                "The click counted these bars, so this note stays in its own. Drag a bar line to another beat, or read "
                "the take as played freely."
            )
        return ReadShift(-by // meter.beat_ticks).applied(choices)


@dataclass(frozen=True, slots=True)
class ReadStretch(ReadingChoice):
    """From the first chosen note to the last are so many bars: tempo = beats x 60 / seconds."""

    bars: Annotated[int, Ge(1), Le(1000)]
    name: Literal["stretch"] = "stretch"

    def words(self) -> str:
        """See ReadingChoice."""
        return f"this stretch holds {count_words(self.bars, 'bar')}"

    def applied(
        self, choices: ReadingOptions, events: frozenset[int] = frozenset(), seen: Seen | None = None
    ) -> ReadingOptions:
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
                "A bar line behind this stretch was set by hand before what that would be; remove it first. Nothing "
                "was changed."
            )
        return replace(choices, bars={**bars, first: onsets[0], last: onsets[-1]}, pins=untimed(choices.pins))


@dataclass(frozen=True, slots=True)
class ReadUnpinned(WholeChoice):
    """All bar lines and beats that were set by hand go back to where they were found."""

    name: Literal["unpin"] = "unpin"

    def words(self) -> str:
        """See ReadingChoice."""
        return "all bar lines where they were found"

    def whole(self, choices: ReadingOptions) -> ReadingOptions:
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

    def whole(self, choices: ReadingOptions) -> ReadingOptions:
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

    def whole(self, choices: ReadingOptions) -> ReadingOptions:
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

    def whole(self, choices: ReadingOptions) -> ReadingOptions:
        """See WholeChoice."""
        return replace(
            choices, answered=choices.answered | ({self.question} if self.question else frozenset(QUESTIONS))
        )
