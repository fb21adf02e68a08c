"""Commands that move the pen, lift it, or take a step back."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Annotated, Literal

from ductus.core.entry.commands.base import PEN_UP, EntryCommand
from ductus.core.entry.modes.registry import way_of
from ductus.core.entry.state import EntryState, Outcome, Span, Step, evolved
from ductus.core.entry.writing.hand_split import lines_of
from ductus.core.entry.writing.step import dropped_words, spell, write_step
from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le, MaxLen
from ductus.core.score.catalogues.drums import sound_words
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.note_edits.write import MAX_VOICES, clear_span
from ductus.core.time.bars import MAX_BAR
from ductus.core.words import count_words

BarNumber = Annotated[int, Ge(0), Le(MAX_BAR)]
TYPED_PLACE = re.compile(r"^(\d{1,4})(?:[.,](\d{1,2})(?:[ +](\d{1,2})/(\d{1,2}))?)?$")


def finished_first(state: EntryState, piece: Piece) -> Outcome:
    """What is half done is brought to its end, as the way has it."""
    return way_of(state).finish(state, piece) if state.down else Outcome(state)


@dataclass(frozen=True, slots=True)
class PenTo(EntryCommand):
    """Pen down, up, or (None) the other of the two; lifting it ends what is half done."""

    down: bool | None = None
    name: Literal["pen"] = "pen"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        down = not state.down if self.down is None else self.down
        finished = finished_first(state, piece) if not down else Outcome(state)
        left = dropped_words(piece, finished.state)
        named = finished.state  # a key or pad that is being named goes on to be: it is never written instead
        state = evolved(named.fresh(), naming_pulse=named.naming_pulse, naming_drum=named.naming_drum)
        if down:
            state = evolved(state, pass_start=state.tick, way_start=state.tick)
        state = evolved(state, down=down)
        place = piece.timeline.place_words(state.tick)
        return Outcome(state, finished.change, left + (f"Pen down at {place}" if down else "Pen up: keys only sound"))


@dataclass(frozen=True, slots=True)
class Ready(EntryCommand):
    """One action makes everything ready: pen down in the way of stepping; the same undoes it."""

    name: Literal["ready"] = "ready"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        if state.down:
            return PenTo(False).run(state, piece, time_us)
        return PenTo(True).run(evolved(state, way="step"), piece, time_us)


@dataclass(frozen=True, slots=True)
class Rest(EntryCommand):
    """A rest of the step value."""

    name: Literal["rest"] = "rest"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        if not state.down:
            return Outcome(state, say=PEN_UP)
        left = dropped_words(piece, state)
        outcome = write_step(evolved(state, held=()), piece)
        return replace(outcome, say=left + outcome.say)


@dataclass(frozen=True, slots=True)
class Back(EntryCommand):
    """Drop the last pending key; else what the way says; else take the last step away."""

    name: Literal["back"] = "back"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        if state.graces:
            left = state.graces[:-1]
            return Outcome(
                evolved(state, graces=left), say=f"Grace note dropped; {count_words(len(left), 'grace note')} left"
            )
        own = way_of(state).back(state, piece)
        if own is not None:
            return own
        if state.held and state.way in ("step", "over"):
            dropped, kept = state.held[-1], state.held[:-1]
            name = sound_words(piece.part(state.part), spell(piece, state, dropped.key))
            return Outcome(evolved(state, held=kept), say=f"{name} dropped before it was written")
        return step_taken_back(state, piece)


def step_taken_back(state: EntryState, piece: Piece) -> Outcome:
    """The last step of this pass goes, or what stands before the pen."""
    steps = list(state.steps)
    if steps and steps[-1].tick + steps[-1].ticks == state.tick:
        last = steps.pop()
    else:
        before = (
            [n for line in lines_of(state, piece) for n in piece.line_between(line, 0, state.tick)]
            if state.tick
            else []
        )
        if not before:
            return Outcome(state, say="Nothing before the pen")
        start = max(n.tick for n in before)
        last, steps = Step(start, state.tick - start), []
    draft = Draft(piece)
    for line in lines_of(state, piece):
        clear_span(draft, line, last.tick, last.tick + last.ticks)
    for note_id in last.ids:
        note = draft.note(note_id)
        if note is not None:
            draft.drop(note)
    for line in lines_of(state, piece):
        for mark in draft.marks_between(line, "tuplet", last.tick, last.tick + last.ticks):
            if not draft.line_between(line, mark.tick, mark.end):
                draft.drop(mark)
    place = piece.timeline.place_words(last.tick)
    change = draft.change(f"Step at {place} removed")
    return Outcome(evolved(state.fresh(), tick=last.tick, steps=tuple(steps)), change, f"Back to {place}")


@dataclass(frozen=True, slots=True)
class MovePen(EntryCommand):
    """Move the pen by a step, beat or bar, left or right."""

    by: Literal["step", "beat", "bar"]
    to: Literal["left", "right"]
    name: Literal["move"] = "move"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        return placed(state, moved_tick(state, self.by, 1 if self.to == "right" else -1, piece), piece)


def moved_tick(state: EntryState, by: str, direction: int, piece: Piece) -> int:
    """Where the pen goes by one step, beat or bar, left (-1) or right (1), never before the start."""
    timeline, tick = piece.timeline, state.tick
    if by == "step":
        return max(tick + direction * state.step.ticks, 0)
    bar = timeline.bar_at(tick)
    if by == "bar":
        if direction > 0:
            return bar.end
        return bar.start if tick > bar.start else timeline.bar(max(bar.index - 1, 0)).start
    if direction > 0:
        return min([b for b in bar.beats() if b > tick], default=bar.end)
    before = [b for b in bar.beats() if b < tick]
    if before:
        return before[-1]
    return timeline.bar(bar.index - 1).last_beat if bar.index else 0


def placed(state: EntryState, tick: int, piece: Piece, **more: object) -> Outcome:
    """The pen at a tick; keys that were held are dropped, and that is said; then what stands there."""
    left = dropped_words(piece, state)
    tick = min(tick, piece.timeline.bar(MAX_BAR).start)
    state = evolved(state.fresh(), tick=tick, way_start=tick, **more)
    return Outcome(state, say=left + where(state, piece))


def where(state: EntryState, piece: Piece) -> str:
    """The place of the pen and what is there."""
    part = piece.part(state.part)
    staff = "" if part.staves == 1 else (", right hand" if state.staff == 1 else ", left hand")
    there = list(piece.line_between(state.line, state.tick, state.tick + 1))
    holds = " and ".join(sound_words(piece.part(n.part), n.pitch) for n in there) or "silence"
    return f"{piece.timeline.place_words(state.tick)}{staff}: {holds}"


@dataclass(frozen=True, slots=True)
class PlacePen(EntryCommand):
    """Place the pen on a staff of a part at a tick (None: where it stands)."""

    part: Annotated[str, MaxLen(40)]
    staff: Annotated[int, Ge(1), Le(2)]
    tick: Annotated[int, Ge(0), Le(2**52)] | None = None
    name: Literal["place"] = "place"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        if self.staff > piece.part(self.part).staves:
            raise BadInput("That part has one staff only. The pen stays.")
        new_line = (self.part, self.staff) != (state.part, state.staff)
        tick = state.tick if self.tick is None else self.tick
        return placed(state, tick, piece, part=self.part, staff=self.staff, voice=1 if new_line else state.voice)


@dataclass(frozen=True, slots=True)
class TypedPlace(EntryCommand):
    """Place the pen where people say: bar and beat, as "5.2", "5" or "5.2 1/2" (half a beat later)."""

    text: Annotated[str, MaxLen(20)]
    name: Literal["typed-place"] = "typed-place"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        return placed(state, typed_tick(self.text, piece), piece)


def typed_tick(text: str, piece: Piece) -> int:
    """ "5.2" as a tick; also "5:2", "5 2", "bar 5, beat 2 and".

    Raises BadInput for what is no place, or a beat that the bar does not have.
    """
    plain = re.sub(r"^(?:bar|measure)\s+", "", text.strip().casefold())
    plain = re.sub(r"\s*[,;:]\s*|(?<=\d)\s+(?=\d+(?:\s|$))", ".", re.sub(r",?\s+beat\s+", ".", plain), count=1)
    match = TYPED_PLACE.match(re.sub(r"\s+and$", " 1/2", plain))
    if match is None:
        raise BadInput(f"'{text[:20]}' is no place; type bar and beat, as 5.2. The pen stays.")
    number, beat = int(match.group(1)), int(match.group(2) or 1)
    part, parts = int(match.group(3) or 0), int(match.group(4) or 1)
    timeline = piece.timeline
    first = 0 if timeline.pickup else 1
    if number < first:
        raise BadInput(f"The first bar is {first}. The pen stays.")
    bar = timeline.bar(timeline.index_of(number))
    beats = len(bar.meter.beat_starts)
    if not 1 <= beat <= beats or not 0 <= part < max(parts, 1):
        raise BadInput(f'Bar {number} has beats 1 to {beats}, not "{text[:20]}". The pen stays.')
    tick = timeline.tick_of(number, beat + Fraction(part, max(parts, 1)))
    if tick < bar.start:
        raise BadInput(f"The pick-up begins later than beat {beat}. The pen stays.")
    return tick


@dataclass(frozen=True, slots=True)
class ReturnToStart(EntryCommand):
    """Back to where this pass began."""

    name: Literal["return"] = "return"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        return placed(state, state.pass_start, piece)


@dataclass(frozen=True, slots=True)
class OtherStaff(EntryCommand):
    """Go to the staff above or below; ``at_start``: at the place where this pass began."""

    direction: Literal["previous", "next"] = "next"
    at_start: bool = False
    name: Literal["staff"] = "staff"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        places = [(p.id, s) for p in piece.ordered_parts() for s in range(1, p.staves + 1)]
        here = places.index((state.part, state.staff)) if (state.part, state.staff) in places else 0
        part, number = places[(here + (-1 if self.direction == "previous" else 1)) % len(places)]
        tick = state.pass_start if self.at_start else state.tick
        outcome = placed(state, tick, piece, part=part, staff=number, voice=1)
        if not self.at_start and state.pass_start != tick:
            began = piece.timeline.place_words(state.pass_start)
            return replace(outcome, say=f"{outcome.say}; this pass began at {began}")
        return outcome


@dataclass(frozen=True, slots=True)
class ToVoice(EntryCommand):
    """Write into a voice, 1 to 4, or (None) the next one."""

    voice: Annotated[int, Ge(1), Le(MAX_VOICES)] | None = None
    name: Literal["voice"] = "voice"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        voice = self.voice or state.voice % MAX_VOICES + 1
        left = dropped_words(piece, state)
        return Outcome(evolved(state.fresh(), voice=voice), say=f"{left}Voice {voice}")


@dataclass(frozen=True, slots=True)
class HoldInBars(EntryCommand):
    """Hold the pen in these bars (as people count them), or (None) let it go."""

    first: BarNumber | None = None
    last: BarNumber | None = None
    name: Literal["span"] = "span"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        if self.first is None:
            return Outcome(evolved(state, span=None), say="The pen may go anywhere")
        first, last = self.first, self.first if self.last is None else self.last
        timeline = piece.timeline
        if last < first or (first == 0 and not timeline.pickup):
            raise BadInput(f"Bars {first} to {last} are no span; give its first and last bar, as 5 and 8.")
        start = timeline.bar(timeline.index_of(first)).start
        end = timeline.bar(timeline.index_of(last)).end
        left = dropped_words(piece, state)
        then = state.span.then if state.span else "stop"
        state = evolved(state.fresh(), span=Span(start, end, then), tick=start, pass_start=start)
        return Outcome(state, say=f"{left}The pen stays in {count_words(last - first + 1, 'bar')} from {first} on")


@dataclass(frozen=True, slots=True)
class AtSpanEnd(EntryCommand):
    """What the pen does at the end of its span."""

    then: Literal["stop", "wrap", "run on"]
    name: Literal["span-end"] = "span-end"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        if state.span is None:
            raise BadInput("There is no span yet; give its first and last bar, as 5 and 8.")
        words = {"stop": "it stops", "wrap": "it begins again", "run on": "it runs on"}[self.then]
        return Outcome(evolved(state, span=replace(state.span, then=self.then)), say=f"At the end of the span {words}")
