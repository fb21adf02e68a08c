"""What entry hears. No clock: times come with the events, in microseconds, and waiting is an event too."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ductus.core.entry.commands.base import EntryCommand


@dataclass(frozen=True, slots=True)
class KeyDown:
    """A key of the instrument goes down: MIDI key 0..127, velocity 1..127."""

    time_us: int
    key: int
    velocity: int = 80


@dataclass(frozen=True, slots=True)
class KeyUp:
    """A key is let go."""

    time_us: int
    key: int


@dataclass(frozen=True, slots=True)
class Pedal:
    """The sustain pedal is pressed or let go."""

    time_us: int
    down: bool


@dataclass(frozen=True, slots=True)
class Wait:
    """Time has passed with nothing heard."""

    time_us: int


@dataclass(frozen=True, slots=True)
class Command:
    """A command that was given: one of the records of ``commands`` (each says what it does).

    ``time_us`` matters to those that beat time (advance).
    """

    do: EntryCommand
    time_us: int = 0


Event = KeyDown | KeyUp | Pedal | Wait | Command
