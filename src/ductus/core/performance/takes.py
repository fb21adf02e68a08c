"""A take is what was played: key presses and pedal in microseconds from its start, never altered."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from ductus.core.time.pulse import PulseMap

SUSTAIN = 64  # MIDI controller number (MIDI 1.0 detailed specification)


@dataclass(frozen=True, slots=True)
class PlayedNote:
    """One key press: times in microseconds from the start of the take, velocity 1..127."""

    onset_us: int
    release_us: int
    key: int
    velocity: int = 80
    channel: int = 0


@dataclass(frozen=True, slots=True)
class PlayedControl:
    """One controller value (pedal is controller 64)."""

    time_us: int
    controller: int
    value: int


@dataclass(frozen=True, slots=True)
class Take:
    """Notes by onset then key, controls by time, and the pulse map if one was known while playing."""

    notes: tuple[PlayedNote, ...]
    controls: tuple[PlayedControl, ...] = ()
    pulses: PulseMap | None = None

    @property
    def length_us(self) -> int:
        """Time of the last release."""
        return max((n.release_us for n in self.notes), default=0)


@dataclass(frozen=True, slots=True)
class Heard:
    """One raw event: kind "down", "up" or "control"; ``value`` is velocity or controller value."""

    time_us: int
    kind: str
    key: int
    value: int
    channel: int = 0


def take_of_events(events: Iterable[Heard], end_us: int | None = None, pulses: PulseMap | None = None) -> Take:
    """Pair downs with ups. A key still held at the end is let go there; a second down of a held key ends the first.

    ``end_us`` defaults to the time of the last event.
    """
    held: dict[tuple[int, int], Heard] = {}
    notes: list[PlayedNote] = []
    controls: list[PlayedControl] = []
    last = 0

    def release(key: tuple[int, int], at: int) -> None:
        down = held.pop(key, None)
        if down is not None:
            notes.append(PlayedNote(down.time_us, max(at, down.time_us + 1), down.key, down.value, down.channel))

    for event in sorted(events, key=lambda e: e.time_us):
        last = max(last, event.time_us)
        where = (event.channel, event.key)
        if event.kind == "control":
            controls.append(PlayedControl(event.time_us, event.key, event.value))
        elif event.kind == "down" and event.value > 0:
            release(where, event.time_us)
            held[where] = event
        else:
            release(where, event.time_us)
    for where in list(held):
        release(where, max(end_us or last, held[where].time_us + 1))
    notes.sort(key=lambda n: (n.onset_us, n.key))
    return Take(tuple(notes), tuple(controls), pulses)
