"""Entry as a state machine: one pure function from state and event to what follows.

Conventions: ticks and microseconds as everywhere; the piece is only read. Keys, pedal and waiting go to the way of
working that is on (``ways``); a command is a record that knows what it does (``commands``).
"""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

from ductus.core.entry.commands.mode import NameDrum, PulseKey, chord_named
from ductus.core.entry.events import Command, Event, KeyDown, KeyUp, Pedal, Wait
from ductus.core.entry.modes.registry import way_of
from ductus.core.entry.state import EntryState, Outcome, evolved
from ductus.core.entry.writing.carried_marks import carried
from ductus.core.entry.writing.graces import grace_struck
from ductus.core.errors import BadInput
from ductus.core.pitch.pitches import pitch_words, spell_in_key
from ductus.core.score.catalogues.drums import HIGHEST, LOWEST, drum_of
from ductus.core.score.model.changes import Change, PenPlace, joined
from ductus.core.score.model.piece import Piece
from ductus.core.time.bars import MAX_BAR, mixed


def advance_entry(state: EntryState, event: Event, piece: Piece) -> Outcome:
    """Return what follows from one event.

    Raises BadInput only for a command that makes no sense; what a key cannot write is said.
    """
    if isinstance(event, Command):
        outcome = event.do.run(state, piece, event.time_us)
    elif state.naming_pulse and isinstance(event, KeyDown):  # with the pen up, too: naming writes nothing
        return PulseKey(event.key).run(state, piece, event.time_us)
    elif state.naming_drum is not None and isinstance(event, KeyDown) and piece.part(state.part).percussion:
        return NameDrum(state.naming_drum, event.key).run(state, piece, event.time_us)
    elif not state.down:
        return Outcome(state)
    elif state.naming_chord and isinstance(event, KeyDown | KeyUp):
        outcome = chord_named(state, event, piece)
    elif state.grace and isinstance(event, KeyDown) and event.key != state.pulse_key:
        return grace_struck(state, event, piece)
    elif isinstance(event, KeyDown) and is_stranger(state, event.key, piece):
        return Outcome(state, say=f"Key {event.key} is no drum: the kit has {LOWEST} to {HIGHEST}. Nothing was written")
    else:
        try:
            outcome = _played(state, event, piece)
        except BadInput as error:
            return Outcome(evolved(state, held=()), say=str(error))
    outcome = carried(state, outcome, piece)
    if outcome.change is None:
        return outcome
    if outcome.state.tick > piece.timeline.bar(MAX_BAR).start:
        return Outcome(evolved(state, held=()), say=f"A piece has at most {MAX_BAR:,} bars; nothing was written")
    return Outcome(
        outcome.state, with_pen(outcome.change, state, outcome.state), outcome.say, outcome.wake_us
    )  # in full: faster than ``replace``


def _played(state: EntryState, event: Event, piece: Piece) -> Outcome:
    way = way_of(state)
    match event:
        case KeyDown():
            if is_held(state, event.key):
                return struck_again(state, event, piece)
            return way.key_down(state, event, piece)
        case KeyUp():
            return way.key_up(state, event, piece)
        case Pedal():
            return way.pedal(state, event, piece)
        case Wait():
            return way.wait(state, event, piece)
    raise TypeError(event)


def is_stranger(state: EntryState, key: int, piece: Piece) -> bool:
    """Does a key mean no drum on a kit?"""
    part = piece.part(state.part)
    return part.percussion and state.kit_by == "map" and key != state.pulse_key and drum_of(part, key) is None


def is_held(state: EntryState, key: int) -> bool:
    """Is a key down, or does it still sound in a chord that is being lengthened?"""
    return any(h.key == key and h.is_down for h in state.held) or any(key in s.keys for s in state.beating.sounding)


def struck_again(state: EntryState, event: KeyDown, piece: Piece) -> Outcome:
    """A key that is struck while it is held was let go in between, though nobody heard it."""
    way = way_of(state)
    first = way.key_up(state, KeyUp(event.time_us, event.key), piece)
    after = first.change.apply(piece) if first.change else piece
    second = way.key_down(first.state, event, after)
    changes = [c for c in (first.change, second.change) if c is not None]
    name = pitch_words(spell_in_key(event.key, 0))
    say = f"{name} was struck again, so it counts as let go; {first.say or second.say}".rstrip("; ")
    return replace(second, change=joined(changes[0].sentence, changes) if changes else None, say=say)


def pen_place(state: EntryState) -> PenPlace:
    """Where the pen of a state stands."""
    return PenPlace(state.part, state.staff, state.voice, state.tick)


def with_pen(change: Change, before: EntryState, after: EntryState) -> Change | None:
    """A change that remembers where the pen was, so that undo takes it back there, too.

    None if neither notes nor pen changed.
    """
    moved = (pen_place(before), pen_place(after))
    if not change.rows and moved[0] == moved[1]:
        return None
    return Change(change.sentence, change.rows, moved)


def followed(state: EntryState, change: Change) -> EntryState:
    """The state with its pen where its music is after a change that let bars come in or go."""
    tick = state.tick if change.moved is None else change.moved.tick(state.tick)
    return state if tick == state.tick else evolved(state.fresh(), tick=tick)


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
    if left == Fraction(1, 2):
        return "half a beat left"
    return f"{mixed(left)} {'beat' if left <= 1 else 'beats'} left"
