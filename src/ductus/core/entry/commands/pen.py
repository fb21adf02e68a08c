"""Commands that move the pen, lift it, or take a step back."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction

from ductus.core.entry.state import SPAN_ENDS, EntryState, Outcome, Span, Step, evolved
from ductus.core.entry.ways.registry import way_of
from ductus.core.entry.writing import spell, write_step
from ductus.core.errors import BadInput
from ductus.core.pitch.pitches import pitch_words
from ductus.core.score.changes import Draft
from ductus.core.score.edits import clear_span
from ductus.core.score.piece import Piece


def pen(state: EntryState, argument: str, piece: Piece) -> Outcome:
    """Down, up, or the other of the two; lifting it ends what is half done."""
    down = {"down": True, "up": False}.get(argument, not state.down)
    finished = way_of(state).finish(state, piece) if state.down and not down else Outcome(state)
    state = finished.state.fresh()
    state = evolved(state, down=down, pass_start=state.tick if down else state.pass_start)
    place = piece.timeline.place_words(state.tick)
    return Outcome(state, finished.change, f"Pen down at {place}" if down else "Pen up: keys only sound")


def ready(state: EntryState, _: str, piece: Piece) -> Outcome:
    """One action makes everything ready: pen down in the way of stepping; the same undoes it (JOB 1.5)."""
    if state.down:
        return pen(state, "up", piece)
    return pen(evolved(state, way="step"), "down", piece)


def rest(state: EntryState, _: str, piece: Piece) -> Outcome:
    """A rest of the step value."""
    if not state.down:
        return Outcome(state, say="The pen is up; nothing was written")
    return write_step(evolved(state, held=()), piece)


def back(state: EntryState, _: str, piece: Piece) -> Outcome:
    """Drop the last pending key; else what the way says; else take the last step away (JOB 3.7)."""
    own = way_of(state).back(state, piece)
    if own is not None:
        return own
    if state.held and state.way in ("step", "over"):
        dropped, kept = state.held[-1], state.held[:-1]
        return Outcome(
            evolved(state, held=kept), say=f"{pitch_words_of(piece, state, dropped.key)} dropped before it was written"
        )
    steps = list(state.steps)
    if steps and steps[-1].tick + steps[-1].ticks == state.tick:
        last = steps.pop()
    else:
        before = piece.line_between(state.line, 0, state.tick) if state.tick else []
        if not before:
            return Outcome(state, say="Nothing before the pen")
        start = max(n.tick for n in before)
        last, steps = Step(start, state.tick - start), []
    draft = Draft(piece)
    clear_span(draft, state.line, last.tick, last.tick + last.ticks)
    for note_id in last.ids:
        note = draft.note(note_id)
        if note is not None:
            draft.drop(note)
    for mark in draft.marks_between(state.line, "tuplet", last.tick, last.tick + last.ticks):
        if not draft.line_between(state.line, mark.tick, mark.end):
            draft.drop(mark)
    place = piece.timeline.place_words(last.tick)
    change = draft.change(f"Step at {place} removed")
    after = evolved(state.fresh(), tick=last.tick, steps=tuple(steps))
    return Outcome(after, change or None, f"Back to {place}")


def pitch_words_of(piece: Piece, state: EntryState, key: int) -> str:
    """A pending key in words."""
    return pitch_words(spell(piece, state, key))


def move(by: str, direction: int) -> Callable[[EntryState, str, Piece], Outcome]:
    """A command that moves the pen by a step, beat or bar."""

    def run(state: EntryState, _: str, piece: Piece) -> Outcome:
        return placed(state, moved_tick(state, by, direction, piece), piece)

    return run


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
    earlier = timeline.bar(bar.index - 1).beats() if bar.index else []
    return earlier[-1] if earlier else 0


def placed(state: EntryState, tick: int, piece: Piece, **more: object) -> Outcome:
    """The pen at a tick; what was half done is forgotten, what stands there is said."""
    state = evolved(state.fresh(), tick=tick, **more)
    return Outcome(state, say=where(state, piece))


def where(state: EntryState, piece: Piece) -> str:
    """The place of the pen and what is there."""
    part = piece.part(state.part)
    staff = "" if part.staves == 1 else (", right hand" if state.staff == 1 else ", left hand")
    there = list(piece.line_between(state.line, state.tick, state.tick + 1))
    holds = " and ".join(pitch_words(n.pitch) for n in there) or "silence"
    return f"{piece.timeline.place_words(state.tick)}{staff}: {holds}"


def place(state: EntryState, argument: str, piece: Piece) -> Outcome:
    """Place the pen: "PART STAFF TICK" or a position as people type it, "5.2"."""
    words = argument.split()
    try:
        if len(words) == 3:
            part, staff, tick = words[0], int(words[1]), int(words[2])
            if not 1 <= staff <= piece.part(part).staves or not 0 <= tick < 2**52:
                raise ValueError
            new_line = (part, staff) != (state.part, state.staff)
            return placed(state, tick, piece, part=part, staff=staff, voice=1 if new_line else state.voice)
        return placed(state, typed_tick(argument, piece), piece)
    except (ValueError, ZeroDivisionError):
        raise BadInput(f"'{argument[:30]}' is no place; type bar and beat, as 5.2. The pen stays.") from None


def typed_tick(text: str, piece: Piece) -> int:
    """ "5.2" as a tick; raises ValueError."""
    bar, _, beat = text.strip().partition(".")
    number, which = int(bar), Fraction(beat.replace(",", ".") or 1)
    if not 0 <= number <= 9999 or which < 1:
        raise ValueError
    return max(piece.timeline.tick_of(number, which), 0)


def return_to_start(state: EntryState, _: str, piece: Piece) -> Outcome:
    """Back to where this pass began."""
    return placed(state, state.pass_start, piece)


def staff(state: EntryState, argument: str, piece: Piece) -> Outcome:
    """Go to the staff above or below ("previous", "next"); with "start" at the place where this pass began (JOB 3.2)."""
    direction, _, at = argument.partition(" ")
    places = [(p.id, s) for p in piece.ordered_parts() for s in range(1, p.staves + 1)]
    here = places.index((state.part, state.staff)) if (state.part, state.staff) in places else 0
    part, number = places[(here + (-1 if direction == "previous" else 1)) % len(places)]
    tick = state.pass_start if at == "start" else state.tick
    outcome = placed(state, tick, piece, part=part, staff=number, voice=1)
    if at != "start" and state.pass_start != tick:
        return replace(outcome, say=f"{outcome.say}; this pass began at {piece.timeline.place_words(state.pass_start)}")
    return outcome


def voice(state: EntryState, argument: str, _: Piece) -> Outcome:
    """Voice 1 to 4."""
    if argument not in ("1", "2", "3", "4"):
        raise BadInput("A staff has voices 1 to 4.")
    return Outcome(evolved(state.fresh(), voice=int(argument)), say=f"Voice {argument}")


def span(state: EntryState, argument: str, piece: Piece) -> Outcome:
    """ "BAR BAR" holds the pen in those bars, "off" lets it go, "stop"/"wrap"/"run on" says what happens at the end (JOB 3.9)."""
    if argument in ("", "off"):
        return Outcome(evolved(state, span=None), say="The pen may go anywhere")
    if argument in SPAN_ENDS:
        if state.span is None:
            raise BadInput("There is no span yet; give its first and last bar, as 5 8.")
        return Outcome(
            evolved(state, span=replace(state.span, then=argument)), say=f"At the end of the span: {argument}"
        )
    try:
        first, last = (int(x) for x in argument.split())
        if not 0 <= first <= last <= 9999:
            raise ValueError
    except ValueError:
        raise BadInput(f"'{argument[:20]}' is no span; give its first and last bar, as 5 8.") from None
    start = typed_tick(f"{first}.1", piece)
    end = piece.timeline.bar_at(typed_tick(f"{last}.1", piece)).end
    then = state.span.then if state.span else "stop"
    state = evolved(state.fresh(), span=Span(start, end, then), tick=start, pass_start=start)
    return Outcome(state, say=f"The pen stays in bars {first} to {last}")
