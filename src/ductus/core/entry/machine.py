"""Entry as a state machine: one pure function from state and event to what follows (JOB 3 and 4).

Conventions: ticks and microseconds as everywhere; the piece is only read. Keys, pedal and waiting go to the way of working that
is on (``ways``); a command is a small function in COMMANDS. The web layer, the table of keys and the tests walk that table.
"""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

from ductus.core.entry.commands import beating, choices, pen, values
from ductus.core.entry.events import Command, Event, KeyDown, KeyUp, Pedal, Wait
from ductus.core.entry.state import EntryState, Outcome, evolved
from ductus.core.entry.ways.registry import way_of
from ductus.core.errors import BadInput
from ductus.core.score.changes import Change
from ductus.core.score.piece import Piece
from ductus.core.time.bars import mixed


def advance_entry(state: EntryState, event: Event, piece: Piece) -> Outcome:
    """Return what follows from one event. Raises BadInput only for a command that does not exist or makes no sense."""
    if isinstance(event, Command):
        if event.name in TIMED:
            return TIMED[event.name](state, event.time_us, piece)
        run = COMMANDS.get(event.name)
        if run is None:
            raise BadInput(f"There is no command called '{event.name[:40]}'.")
        return run(state, event.argument, piece)
    if not state.down:
        return Outcome(state)
    way = way_of(state)
    match event:
        case KeyDown():
            return way.key_down(state, event, piece)
        case KeyUp():
            return way.key_up(state, event, piece)
        case Pedal():
            return way.pedal(state, event, piece)
        case Wait():
            return way.wait(state, event, piece)


TIMED: dict[str, Callable[[EntryState, int, Piece], Outcome]] = {"advance": beating.advance}
COMMANDS: dict[str, Callable[[EntryState, str, Piece], Outcome]] = {
    "pen": pen.pen,
    "ready": pen.ready,
    "rest": pen.rest,
    "back": pen.back,
    "step-left": pen.move("step", -1),
    "step-right": pen.move("step", 1),
    "beat-left": pen.move("beat", -1),
    "beat-right": pen.move("beat", 1),
    "bar-left": pen.move("bar", -1),
    "bar-right": pen.move("bar", 1),
    "place": pen.place,
    "return": pen.return_to_start,
    "staff": pen.staff,
    "voice": pen.voice,
    "span": pen.span,
    "value": values.value(values.base),
    "finer": values.value(lambda step, _: step.shifted(1)),
    "coarser": values.value(lambda step, _: step.shifted(-1)),
    "dot": values.value(values.dot),
    "tuplet": values.value(values.tuplet),
    "added": values.value(values.added),
    "custom": values.value(values.custom),
    "next-only": values.next_only,
    "sounding": values.sounding,
    "late": values.late,
    "velocity": values.velocity,
    "vary": values.vary,
    "pitch": values.pitch,
    "way": choices.way,
    "when": choices.when,
    "policy": choices.policy,
    "harmony": choices.harmony,
    "over": choices.over,
    "pitches": choices.pitches,
    "rhythm-by": choices.rhythm_by,
    "clicks": choices.clicks,
    "click": beating.click,
    "advances": choices.advances,
    "pulse-until": choices.pulse_until,
    "pulse-key": choices.pulse_key,
    "grey": choices.foot_grey,
    "walk-rate": choices.walk_rate,
    "chord-symbol": choices.chord_symbol,
    "rhythm-value": beating.rhythm_value,
    "divide": beating.divide,
    "letter": beating.letter,
}


def fitted(state: EntryState, piece: Piece, change: Change | None = None) -> EntryState:
    """The state made valid after the piece changed under it: the pen's part and staff exist, steps are forgotten."""
    part = state.part if state.part in piece.parts else piece.ordered_parts()[0].id
    staff = min(state.staff, piece.part(part).staves)
    if change is None and (part, staff) == (state.part, state.staff):
        return state
    return evolved(state.fresh(), part=part, staff=staff)


def left_in_bar(state: EntryState, piece: Piece) -> str:
    """What is left of the bar at the pen, in beats: "2 1/2 beats left"."""
    bar = piece.timeline.bar_at(state.tick)
    left = Fraction(bar.end - state.tick, bar.meter.beat_ticks)
    return f"{mixed(left)} {'beat' if left == 1 else 'beats'} left"
