"""Step entry: one pure function from state and event to what follows (JOB 3).

Conventions: ticks and microseconds as everywhere; the piece is only read. A command is a small function in
COMMANDS; the web layer, the table of keys and the tests walk that table.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction

from ductus.core.entry.events import Command, Event, KeyDown, KeyUp, Wait
from ductus.core.entry.state import GATHER_US, WHENS, EntryState, Held, Outcome, Step, StepValue
from ductus.core.errors import BadInput
from ductus.core.pitch.pitches import Pitch, pitch_words, spell_in_key
from ductus.core.score.changes import Change, Draft
from ductus.core.score.edits import (
    POLICIES,
    Strike,
    clear_brackets,
    clear_span,
    count_words,
    mark_tuplet,
    place_chord,
)
from ductus.core.score.piece import Piece
from ductus.core.time.bars import mixed
from ductus.core.time.values import BASE_TICKS, MAX_TUPLET, STEP_BASES, Tuplet, describe_value


def advance_entry(state: EntryState, event: Event, piece: Piece) -> Outcome:
    """Return what follows from one event. Raises BadInput only for a command that does not exist."""
    match event:
        case KeyDown():
            return _key_down(state, event, piece)
        case KeyUp():
            return _key_up(state, event, piece)
        case Wait():
            return _wait(state, event, piece)
        case Command():
            run = COMMANDS.get(event.name)
            if run is None:
                raise BadInput(f"There is no command called '{event.name[:40]}'.")
            return run(state, event.argument, piece)


# --- keys ---------------------------------------------------------------------------


def _key_down(state: EntryState, event: KeyDown, piece: Piece) -> Outcome:
    if not state.down:
        return Outcome(state)
    held = Held(event.key, event.velocity, event.time_us)
    if state.when == "stroke":
        if state.held and event.time_us - state.held[0].down_us > GATHER_US:
            written = write_step(state, piece)
            after = written.change.apply(piece) if written.change else piece
            following = _key_down(written.state, event, after)
            return replace(following, change=written.change, say=written.say)
        return Outcome(_gathered(state, held), wake_us=GATHER_US)
    return Outcome(_gathered(state, held))


def _gathered(state: EntryState, held: Held) -> EntryState:
    others = tuple(h for h in state.held if h.key != held.key)
    return replace(state, held=(*others, held))


def _key_up(state: EntryState, event: KeyUp, piece: Piece) -> Outcome:
    if not any(h.key == event.key for h in state.held):
        return Outcome(state)
    held = tuple(replace(h, is_down=False) if h.key == event.key else h for h in state.held)
    state = replace(state, held=held)
    if state.when == "all up" and not any(h.is_down for h in held):
        return write_step(state, piece)
    return Outcome(state)


def _wait(state: EntryState, event: Wait, piece: Piece) -> Outcome:
    if state.when == "stroke" and state.held and event.time_us - state.held[0].down_us >= GATHER_US:
        return write_step(state, piece)
    return Outcome(state)


def write_step(state: EntryState, piece: Piece) -> Outcome:
    """Write the keys gathered (none: a rest) at the pen and move it on by the step."""
    strikes = [Strike(spell(piece, state, h.key), h.velocity) for h in sorted(state.held, key=lambda h: h.key)]
    value, ticks = state.step.value, state.step.ticks
    draft = Draft(piece)
    placed = place_chord(draft, state.line, state.tick, ticks, strikes, state.policy)
    if value.tuplet is not None:
        mark_tuplet(draft, state.line, placed.tick, value)
    elif state.policy == "replace":
        clear_brackets(draft, state.line, placed.tick, ticks)
    what = " and ".join(pitch_words(s.pitch) for s in strikes) if strikes else "rest"
    place = piece.timeline.place_words(placed.tick)
    say = f"{what}, {describe_value(value)}, {place}"
    if placed.duplicates:
        say += f"; {count_words(placed.duplicates, 'note')} there already"
    if strikes and placed.voice != state.voice:
        say += f"; in voice {placed.voice}, since voice {state.voice} is taken"
    end = placed.tick + ticks
    after = replace(
        state,
        tick=end,
        held=(),
        step=state.step.after_step(_bracket_full(state, placed.tick, end)),
        steps=(*state.steps, Step(state.tick, end - state.tick, placed.ids)),
    )
    change = draft.change(say[:1].upper() + say[1:])
    return Outcome(after, change or None, say)


def _bracket_full(state: EntryState, start: int, end: int) -> bool:
    """Has the bracket that this pass is filling reached its end?"""
    tuplet = state.step.tuplet
    if tuplet is None:
        return True
    length = tuplet.normal * BASE_TICKS[state.step.base]
    first = start
    for step in reversed(state.steps):
        if step.tick + step.ticks != first or end - step.tick > length:
            break
        first = step.tick
    return (end - first) % length == 0


def spell(piece: Piece, state: EntryState, key: int) -> Pitch:
    """Spell a played key by the key signature in force at the pen."""
    bar = piece.timeline.bar_at(state.tick)
    return spell_in_key(key, piece.key_at(bar.index).fifths)


# --- commands ------------------------------------------------------------------------


def _pen(state: EntryState, argument: str, piece: Piece) -> Outcome:
    down = {"down": True, "up": False}.get(argument, not state.down)
    state = replace(
        state,
        down=down,
        held=(),
        pass_start=state.tick if down else state.pass_start,
        steps=() if down else state.steps,
    )
    place = piece.timeline.place_words(state.tick)
    return Outcome(state, say=f"Pen down at {place}" if down else "Pen up: keys only sound")


def _rest(state: EntryState, _: str, piece: Piece) -> Outcome:
    if not state.down:
        return Outcome(state, say="The pen is up; nothing was written")
    return write_step(replace(state, held=()), piece)


def _back(state: EntryState, _: str, piece: Piece) -> Outcome:
    """Take the last step away and put the pen where it stood (JOB 3.7)."""
    if state.held:
        return Outcome(replace(state, held=()), say="Pending notes dropped")
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
    for mark in draft.marks_between(state.line, "tuplet", last.tick, last.tick + last.ticks):
        if not draft.line_between(state.line, mark.tick, mark.end):
            draft.drop(mark)
    place = piece.timeline.place_words(last.tick)
    change = draft.change(f"Step at {place} removed")
    return Outcome(replace(state, tick=last.tick, steps=tuple(steps)), change or None, f"Back to {place}")


def _move(by: str, direction: int) -> Callable[[EntryState, str, Piece], Outcome]:
    def run(state: EntryState, _: str, piece: Piece) -> Outcome:
        return _placed(state, moved_tick(state, by, direction, piece), piece)

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


def _placed(state: EntryState, tick: int, piece: Piece, **more: object) -> Outcome:
    state = replace(state, tick=tick, held=(), steps=(), **more)  # type: ignore[arg-type]
    return Outcome(state, say=_where(state, piece))


def _where(state: EntryState, piece: Piece) -> str:
    part = piece.part(state.part)
    staff = "" if part.staves == 1 else (", right hand" if state.staff == 1 else ", left hand")
    there = list(piece.line_between(state.line, state.tick, state.tick + 1))
    holds = " and ".join(pitch_words(n.pitch) for n in there) or "silence"
    return f"{piece.timeline.place_words(state.tick)}{staff}: {holds}"


def _place(state: EntryState, argument: str, piece: Piece) -> Outcome:
    """Place the pen: "PART STAFF TICK" or a position as people type it, "5.2"."""
    words = argument.split()
    try:
        if len(words) == 3:
            part, staff, tick = words[0], int(words[1]), int(words[2])
            if not 1 <= staff <= piece.part(part).staves or not 0 <= tick < 2**52:
                raise ValueError
            new_line = (part, staff) != (state.part, state.staff)
            return _placed(state, tick, piece, part=part, staff=staff, voice=1 if new_line else state.voice)
        bar, _, beat = argument.strip().partition(".")
        number, which = int(bar), Fraction(beat.replace(",", ".") or 1)
        if not 0 <= number <= 9999 or which < 1:
            raise ValueError
        return _placed(state, max(piece.timeline.tick_of(number, which), 0), piece)
    except (ValueError, ZeroDivisionError):
        raise BadInput(f"'{argument[:30]}' is no place; type bar and beat, as 5.2. The pen stays.") from None


def _return_to_start(state: EntryState, _: str, piece: Piece) -> Outcome:
    return _placed(state, state.pass_start, piece)


def _staff(state: EntryState, argument: str, piece: Piece) -> Outcome:
    """Go to the other staff ("next", "previous" or its number), at the start of this pass when it had begun."""
    places = [(p.id, s) for p in piece.ordered_parts() for s in range(1, p.staves + 1)]
    at = places.index((state.part, state.staff)) if (state.part, state.staff) in places else 0
    k = at + (-1 if argument == "previous" else 1)
    part, staff = places[k % len(places)]
    return _placed(state, state.tick, piece, part=part, staff=staff, voice=1)


def _voice(state: EntryState, argument: str, piece: Piece) -> Outcome:
    if argument not in ("1", "2", "3", "4"):
        raise BadInput("A staff has voices 1 to 4.")
    return Outcome(replace(state, voice=int(argument), held=(), steps=()), say=f"Voice {argument}")


def _value(change: Callable[[StepValue, str], StepValue]) -> Callable[[EntryState, str, Piece], Outcome]:
    def run(state: EntryState, argument: str, _: Piece) -> Outcome:
        step = change(state.step, argument)
        words = describe_value(step.value)
        latched = " (stays on)" if step.dots_latched or step.tuplet_latched else ""
        return Outcome(
            replace(state, step=step), say=f"Each step {'an' if words[0] in 'aei' else 'a'} {words}{latched}"
        )

    return run


def _base(step: StepValue, argument: str) -> StepValue:
    if argument not in STEP_BASES:
        raise BadInput(f"'{argument[:20]}' is no step value.")
    return replace(step, base=argument)


def _dot(step: StepValue, argument: str) -> StepValue:
    if argument == "latch":
        on = not step.dots_latched
        return replace(step, dots=max(step.dots, 1) if on else 0, dots_latched=on)
    return replace(step, dots=(step.dots + 1) % 3, dots_latched=False)


def _tuplet(step: StepValue, argument: str) -> StepValue:
    """ "3:2", "3:2 latch", or "off"; the same again takes it off."""
    words = argument.split()
    if not words or words[0] == "off":
        return replace(step, tuplet=None, tuplet_latched=False)
    try:
        actual, normal = (int(x) for x in words[0].split(":"))
    except ValueError:
        raise BadInput(f"'{argument[:20]}' is no tuplet; type both numbers, as 7:8 (up to {MAX_TUPLET}).") from None
    tuplet, latch = Tuplet(actual, normal), "latch" in words
    if step.tuplet == tuplet and step.tuplet_latched == latch:
        return replace(step, tuplet=None, tuplet_latched=False)
    return replace(step, tuplet=tuplet, tuplet_latched=latch)


def _when(state: EntryState, argument: str, _: Piece) -> Outcome:
    if argument not in WHENS:
        raise BadInput(f"'{argument[:20]}' is no way to write a step.")
    say = {"all up": "A step is written when all keys are up", "stroke": "A step is written at the stroke"}[argument]
    return Outcome(replace(state, when=argument, held=()), say=say)


def _policy(state: EntryState, argument: str, _: Piece) -> Outcome:
    policy = argument or POLICIES[(POLICIES.index(state.policy) + 1) % len(POLICIES)]
    if policy not in POLICIES:
        raise BadInput(f"'{argument[:20]}' is neither replace, add nor keep.")
    says = {
        "replace": "New notes replace what is there",
        "add": "New notes are added to what is there",
        "keep": "What is there stays; the pen goes to the next silence",
    }
    return Outcome(replace(state, policy=policy), say=says[policy])


COMMANDS: dict[str, Callable[[EntryState, str, Piece], Outcome]] = {
    "pen": _pen,
    "rest": _rest,
    "back": _back,
    "step-left": _move("step", -1),
    "step-right": _move("step", 1),
    "beat-left": _move("beat", -1),
    "beat-right": _move("beat", 1),
    "bar-left": _move("bar", -1),
    "bar-right": _move("bar", 1),
    "place": _place,
    "return": _return_to_start,
    "staff": _staff,
    "voice": _voice,
    "value": _value(_base),
    "finer": _value(lambda step, _: step.shifted(1)),
    "coarser": _value(lambda step, _: step.shifted(-1)),
    "dot": _value(_dot),
    "tuplet": _value(_tuplet),
    "when": _when,
    "policy": _policy,
}


def fitted(state: EntryState, piece: Piece, change: Change | None = None) -> EntryState:
    """The state made valid after the piece changed under it: the pen's part and staff exist, steps are forgotten."""
    part = state.part if state.part in piece.parts else piece.ordered_parts()[0].id
    staff = min(state.staff, piece.part(part).staves)
    if change is None and (part, staff) == (state.part, state.staff):
        return state
    return replace(state, part=part, staff=staff, steps=(), held=())


def left_in_bar(state: EntryState, piece: Piece) -> str:
    """What is left of the bar at the pen, in beats: "2 1/2 beats left"."""
    bar = piece.timeline.bar_at(state.tick)
    left = Fraction(bar.end - state.tick, bar.meter.beat_ticks)
    return f"{mixed(left)} {'beat' if left == 1 else 'beats'} left"
