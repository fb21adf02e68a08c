"""Marks from a take, only when asked for: the pedal where it went down and up, dynamics by how hard was played.

Dynamics are the loudness of bars, levelled over neighbours, and change only where it stays changed: one mark for a level that holds, a hairpin
where the bar before a new level leads to it. Levels are those that playback gives to the marks, so that what is written sounds as it was played.
"""

from __future__ import annotations

from bisect import bisect_left
from collections import defaultdict
from collections.abc import Sequence
from statistics import median

from ductus.core.performance.takes import PEDAL_DOWN, SUSTAIN, Take
from ductus.core.score.changes import Change, Draft
from ductus.core.score.piece import Piece
from ductus.core.score.records import Mark, Note
from ductus.core.score.signs import DYNAMIC_LEVELS
from ductus.core.time.pulse import PulseMap
from ductus.core.words import count_words

WRITTEN = ("pp", "p", "mp", "mf", "f", "ff")
STAYS = 10  # velocities within this of a level do not leave it
LEAST_SLOPE = 8  # velocities by which a bar must rise or fall to be a hairpin


def pedal_written(piece: Piece, take: Take, pulses: PulseMap, notes: Sequence[Note], start: int, part: str) -> Change:
    """The pedal of a take as marks under the part: each from the onset at which it went down to the one at which it was let go; what stood
    there before goes. ``start`` is the tick of the piece at tick 0 of the pulses."""
    onsets = sorted({n.tick for n in notes} | {n.end for n in notes})
    draft = Draft(piece)
    staff = piece.part(part).staves
    for mark in piece.marks.values():
        if mark.kind == "pedal" and mark.part == part and onsets and onsets[0] <= mark.tick < onsets[-1]:
            draft.drop(mark)
    down: int | None = None
    count = 0
    for control in (c for c in take.controls if c.controller == SUSTAIN):
        place = nearest(onsets, round(pulses.tick_at(control.time_us)) + start)
        if control.value >= PEDAL_DOWN:
            down = place if down is None else down
        elif down is not None:
            if place > down:
                draft.put(Mark(draft.new_id("m"), "pedal", part, staff, 1, down, place - down))
                count += 1
            down = None
    if not count:
        return Change("The pedal was not used in this take")
    return draft.change(f"{count_words(count, 'pedal mark')} written from the take")


def nearest(places: Sequence[int], tick: int) -> int:
    """The nearest of some places, in order."""
    if not places:
        return max(tick, 0)
    k = bisect_left(places, tick)
    return min(places[max(k - 1, 0) : k + 1], key=lambda p: abs(p - tick))


def dynamics_written(piece: Piece, notes: Sequence[Note], part: str) -> Change:
    """Dynamics and hairpins proposed from the velocities of notes that came from a take; what stood there before goes."""
    by_bar: dict[int, list[Note]] = defaultdict(list)
    for note in notes:
        by_bar[piece.timeline.bar_at(note.tick).index].append(note)
    bars = sorted(by_bar)
    draft = Draft(piece)
    if bars:
        first, end = piece.timeline.bar(bars[0]).start, piece.timeline.bar(bars[-1]).end
        for mark in piece.marks.values():
            if mark.kind in ("dynamic", "hairpin") and mark.part == part and first <= mark.tick < end:
                draft.drop(mark)
    loud = {b: float(median(n.velocity for n in by_bar[b])) for b in bars}
    smooth = {b: median([loud[c] for c in bars[max(k - 1, 0) : k + 2]]) for k, b in enumerate(bars)}
    now = ""
    levels = pins = 0
    for k, b in enumerate(bars):
        wanted = min(WRITTEN, key=lambda name: abs(DYNAMIC_LEVELS[name] - smooth[b]))
        if now and (wanted == now or abs(smooth[b] - DYNAMIC_LEVELS[now]) <= STAYS):
            continue
        if now and k + 1 < len(bars) and abs(smooth[bars[k + 1]] - DYNAMIC_LEVELS[now]) <= STAYS:
            continue  # one bar alone makes no level
        if now and k and swells(by_bar[bars[k - 1]], DYNAMIC_LEVELS[wanted] - DYNAMIC_LEVELS[now]):
            before = piece.timeline.bar(bars[k - 1])
            text = "<" if DYNAMIC_LEVELS[wanted] > DYNAMIC_LEVELS[now] else ">"
            draft.put(Mark(draft.new_id("m"), "hairpin", part, 1, 1, before.start, before.ticks, text))
            pins += 1
        place = min(n.tick for n in by_bar[b])
        draft.put(Mark(draft.new_id("m"), "dynamic", part, 1, 1, place, text=wanted))
        levels += 1
        now = wanted
    if not levels:
        return Change("There is no take there to take dynamics from")
    hairpins = f" and {count_words(pins, 'hairpin')}" if pins else ""
    return draft.change(f"{count_words(levels, 'dynamic')}{hairpins} written from how it was played")


def swells(notes: Sequence[Note], toward: float) -> bool:
    """Do notes rise (or fall) steadily in the direction of a change of level?"""
    if len(notes) < 3:
        return False
    ordered = sorted(notes, key=lambda n: n.tick)
    third = max(len(ordered) // 3, 1)
    rise = median(n.velocity for n in ordered[-third:]) - median(n.velocity for n in ordered[:third])
    return rise * toward > 0 and abs(rise) >= LEAST_SLOPE
