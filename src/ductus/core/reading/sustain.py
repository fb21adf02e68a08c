"""The sustain pedal of a take: how long notes sound on under it, and when they end as they are written."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import replace

from ductus.core.capture.takes import SUSTAIN, Take

PEDAL_DOWN = 64  # MIDI 1.0 detailed specification: 64 and above is on
PEDAL_CHANGE_US = 120_000  # a pedal that comes up so shortly before the next place is changed for it


class Pedal:
    """The sustain pedal of a take, asked when a key that is let go sounds on until."""

    def __init__(self, take: Take) -> None:
        changes = [(c.time_us, c.value >= PEDAL_DOWN) for c in take.controls if c.controller == SUSTAIN]
        self._times = [t for t, _ in changes]
        self._up: list[int] = [-1] * len(
            changes
        )  # when it comes up, from each change on that finds it down; -1: it is up, or never comes up
        up = -1
        for k in range(len(changes) - 1, -1, -1):
            time, down = changes[k]
            if down:
                self._up[k] = up
            else:
                up = time

    def __bool__(self) -> bool:
        return bool(self._times)

    def end_of(self, release_us: int) -> int:
        """When what is let go at a time stops sounding."""
        k = bisect_right(self._times, release_us) - 1
        return max(self._up[k], release_us) if k >= 0 else release_us


def with_pedal(take: Take) -> Take:
    """The take with every note sounding on while the sustain pedal is down (until its key is struck again)."""
    pedal = Pedal(take)
    again: dict[int, int] = {}  # key -> when it is next struck
    notes = []
    for note in reversed(take.notes):
        end = min(pedal.end_of(note.release_us), again.get(note.key, 2**60))
        again[note.key] = note.onset_us
        notes.append(replace(note, release_us=max(end, note.onset_us + 1)))
    return replace(take, notes=tuple(reversed(notes)))


def sounding_ends(take: Take, ticks: list[int], hand: list[int], order: list[int]) -> list[int]:
    """When each note ends, in microseconds.

    When its key is let go; under the sustain pedal it sounds on until the pedal comes up, but no further than the
    next place of its hand (a hand that lets go under the pedal is on its way there, it makes no rest).
    """
    ends = [n.release_us for n in take.notes]
    pedal = Pedal(take)
    if not pedal:
        return ends
    place: dict[
        int, tuple[int, int]
    ] = {}  # hand -> its latest place seen (tick, when it was struck), from the end backwards
    following: dict[int, int] = {}  # hand -> when the place after that was struck
    for n in reversed(order):
        side, struck = hand[n], take.notes[n].onset_us
        if side in place and place[side][0] > ticks[n]:
            following[side] = place[side][1]
        place[side] = (
            ticks[n],
            struck if side not in place or place[side][0] > ticks[n] else min(place[side][1], struck),
        )
        if side not in following:
            continue
        up = pedal.end_of(ends[n])
        if up > ends[n]:
            ends[n] = max(ends[n], following[side] if up >= following[side] - PEDAL_CHANGE_US else up)
    return ends
