"""What every choice of a reading is: a record with its words, and the choices with it made."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from ductus.core.capture.takes import Take
from ductus.core.errors import BadInput
from ductus.core.reading.model import Decisions, ReadingResult, ReadSettings
from ductus.core.reading.review.options import Passage, ReadingOptions
from ductus.core.time.bars import Timeline

QUESTIONS = ("ends", "meter", "size", "first beat", "key", "bar lines")  # of the lead-through after a take, in order


@dataclass(frozen=True, slots=True)
class Seen:
    """What a choice was made on: the take, its reading, and where tick 0 of it lies in the piece (see ``Timeline``);
    ``alone``: is there no other music on the page?
    """

    take: Take
    result: ReadingResult
    start: int
    timeline: Timeline
    alone: bool = True

    def told(self, choices: ReadingOptions) -> bool:
        """Did a click (or a file) say where the beats are?"""
        return self.take.pulses is not None and not choices.unbound and not choices.taps

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

    def words(self) -> str:
        """What is read otherwise: "down to quarters"."""
        raise NotImplementedError

    def applied(
        self, choices: ReadingOptions, events: frozenset[int] = frozenset(), seen: Seen | None = None
    ) -> ReadingOptions:
        """The choices with this one made; ``seen`` is the reading that it was made on.

        Raises BadInput where it makes no sense.
        """
        raise NotImplementedError


@dataclass(frozen=True, slots=True)
class SettingChoice(ReadingChoice):
    """Base of choices that change a setting of the reader.

    With ``events`` only for these notes, joined to what passages there were.
    """

    def setting(self, settings: ReadSettings) -> ReadSettings:
        """The settings with this choice made."""
        raise NotImplementedError

    def applied(
        self, choices: ReadingOptions, events: frozenset[int] = frozenset(), seen: Seen | None = None
    ) -> ReadingOptions:
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

    def whole(self, choices: ReadingOptions) -> ReadingOptions:
        """The choices with this one made."""
        raise NotImplementedError

    def applied(
        self, choices: ReadingOptions, events: frozenset[int] = frozenset(), seen: Seen | None = None
    ) -> ReadingOptions:
        """See ReadingChoice."""
        if events:
            raise BadInput("That belongs to the whole take, not to some notes of it; nothing was changed.")
        return self.whole(choices)


def anew(choices: ReadingOptions, settings: ReadSettings) -> ReadingOptions:
    """The choices for other beats: what was decided of ticks has no place any more.

    Hands, ornaments and what is left out still apply.
    """
    pins = Decisions(dict(choices.pins.hands), left_out=choices.pins.left_out, ornaments=choices.pins.ornaments)
    passages = tuple(p for p in choices.passages if p.events)
    return replace(choices, settings=settings, pins=pins, rank=0, shift=0, bars={}, passages=passages)


def untimed(pins: Decisions) -> Decisions:
    """The decisions that still hold when the beats lie elsewhere."""
    return replace(pins, places={}, values={})
