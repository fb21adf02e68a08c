"""A take is what was played: key presses and pedal in microseconds from its start, never altered."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from ductus.core.time.pulse_map import PulseMap

SUSTAIN = 64  # MIDI controller number (MIDI 1.0 detailed specification)
PEDAL_DOWN = 64  # its values from here on are on (the same)
PERCUSSION_CHANNEL = 9  # General MIDI 1: channel 10, counted from 0


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


class Listener:
    """Pairs downs with ups as they come. A second down of a held key ends the first."""

    def __init__(self) -> None:
        self._held: dict[tuple[int, int], int] = {}  # (channel, key) -> index of its note
        self._notes: list[PlayedNote] = []
        self._controls: list[PlayedControl] = []

    def hear(self, event: Heard) -> None:
        """Take in the next event (times may not run backwards)."""
        where = (event.channel, event.key)
        if event.kind == "control":
            self._controls.append(PlayedControl(event.time_us, event.key, event.value))
            return
        self._release(where, event.time_us)
        if event.kind == "down" and event.value > 0:
            self._held[where] = len(self._notes)
            self._notes.append(PlayedNote(event.time_us, event.time_us + 1, event.key, event.value, event.channel))

    def _release(self, where: tuple[int, int], at: int) -> None:
        index = self._held.pop(where, None)
        if index is not None:
            note = self._notes[index]
            self._notes[index] = replace(note, release_us=max(at, note.onset_us + 1))

    def notes(self, now_us: int) -> list[PlayedNote]:
        """All notes in the order they were struck; those still held last until ``now_us``."""
        out = list(self._notes)
        for index in self._held.values():
            out[index] = replace(out[index], release_us=max(now_us, out[index].onset_us + 1))
        return out

    def take(self, end_us: int, pulses: PulseMap | None = None) -> Take:
        """What was heard as a take that ends at ``end_us``."""
        notes = sorted(self.notes(end_us), key=lambda n: (n.onset_us, n.key))
        return Take(tuple(notes), tuple(self._controls), pulses)


def take_of_events(events: Iterable[Heard], end_us: int | None = None, pulses: PulseMap | None = None) -> Take:
    """Pair downs with ups. A key still held at the end is let go there; a second down of a held key ends the first.

    ``end_us`` defaults to the time of the last event.
    """
    listener = Listener()
    last = 0
    for event in sorted(events, key=lambda e: e.time_us):
        last = max(last, event.time_us)
        listener.hear(event)
    return listener.take(end_us or last, pulses)
