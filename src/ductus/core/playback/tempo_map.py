"""The tempo of the page from place to place: its tempo marks, and what rit., accel., a tempo and fermatas do to it.

A rit. or accel. goes evenly, in steps of an eighth, to the tempo that is marked at its goal, or else to a share of
the tempo it began at; it lasts over what it spans, or to the next tempo, or to the end of its bar. The shares are
common practice.
"""

from __future__ import annotations

from dataclasses import dataclass

from ductus.core.score.mark_language.modifiers import amount_of, at_once, base_of
from ductus.core.score.mark_language.terms import RETURNING, SLOWING, SPEEDING, TO_THE_FIRST
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Mark, TempoMark
from ductus.core.time.pulse_map import US_PER_MINUTE, Pulse, PulseMap
from ductus.core.time.ticks import QUARTER

SLOWER, FASTER = 0.75, 1.3  # where a rit. or accel. without a goal arrives
FERMATA = 0.55  # the tempo under a fermata
STEP = QUARTER // 2
FAR = 4096 * QUARTER


@dataclass(frozen=True, slots=True)
class Pace:
    """From ``tick`` on, so many quarters a minute."""

    tick: int
    qpm: float


def paces(piece: Piece, *, fermatas: bool = False) -> list[Pace]:
    """The tempo from place to place, in order; the first at tick 0."""
    words = sorted((m for m in piece.marks.values() if m.kind == "tempo-word"), key=lambda m: m.tick)
    events: list[tuple[int, int, TempoMark | Mark]] = [(t.tick, 0, t) for t in piece.tempi.values()]
    events += [(m.tick, 1, m) for m in words]
    events.sort(key=lambda e: (e[0], e[1]))
    first = now = usual = piece.tempo_at(0).quarters_per_minute
    out = [Pace(0, first)]
    for k, (tick, _, event) in enumerate(events):
        word = "" if isinstance(event, TempoMark) else base_of(event.text)
        if isinstance(event, TempoMark):
            now = usual = event.quarters_per_minute
        elif (word in SLOWING or word in SPEEDING) and _followed(event, events):
            continue
        elif word in SLOWING or word in SPEEDING:
            later = [e for e in events[k + 1 :] if e[0] > tick]
            out = [p for p in out if p.tick < tick or p.tick == 0]
            steps = _gradual(piece, event, now, later)
            out += steps
            now = steps[-1].qpm if steps else now
            continue
        elif (share := at_once(event.text)) is not None:
            now *= share
        elif word in RETURNING:
            now = first if word in TO_THE_FIRST else usual
        out = [p for p in out if p.tick < tick]
        out.append(Pace(tick, now))
    return _held(piece, out) if fermatas else out


def _followed(word: Mark, events: list[tuple[int, int, TempoMark | Mark]]) -> bool:
    """Do unprinted tempi inside a rit. or accel. follow the player? Then they are what it does."""
    return any(isinstance(e, TempoMark) and not e.printed and word.tick < tick < word.end for tick, _, e in events)


def _gradual(piece: Piece, word: Mark, now: float, later: list[tuple[int, int, TempoMark | Mark]]) -> list[Pace]:
    """The steps of a rit. or accel."""
    following = later[0] if later else None
    end = word.end if word.ticks else piece.timeline.bar_at(word.tick).end
    if not word.ticks and following is not None and following[0] <= piece.timeline.bar_at(word.tick).end + 2 * STEP:
        end = following[0]
    elif following is not None:
        end = min(end, following[0])
    slowing = base_of(word.text) in SLOWING
    goal = now * (SLOWER if slowing else FASTER) ** amount_of(word.text)
    if following is not None and isinstance(following[2], TempoMark) and 0 <= following[0] - end <= QUARTER:
        marked = following[2].quarters_per_minute
        if (marked < now) == slowing:
            goal = marked
    count = max((end - word.tick) // STEP, 1)
    return [
        Pace(word.tick + (end - word.tick) * k // count, now + (goal - now) * (k + 1) / count) for k in range(count)
    ]


def _held(piece: Piece, plain: list[Pace]) -> list[Pace]:
    """The same with time standing still a little under each fermata."""
    held = {(n.tick, n.end) for n in piece.notes.values() if "fermata" in n.signs}
    for mark in piece.marks.values():
        if mark.kind == "fermata":
            under = [n.end for n in piece.notes_between(mark.part, mark.tick, mark.tick + 1) if n.tick == mark.tick]
            held.add((mark.tick, max(under, default=mark.tick + QUARTER)))
    out = plain
    followed = sorted(t.tick for t in piece.tempi.values() if not t.printed)
    for start, end in sorted(held):
        bar = piece.timeline.bar_at(start)
        if any(bar.start <= t <= end for t in followed):
            continue  # the tempi of the player know how long it was held
        inside = [Pace(p.tick, p.qpm * FERMATA) for p in out if start < p.tick < end]
        out = [
            *(p for p in out if p.tick < start), Pace(start, pace_at(out, start) * FERMATA), *inside,
            Pace(end, pace_at(out, end)),
            *(p for p in out if p.tick > end),
        ]  # fmt: skip
    return out


def pace_at(steps: list[Pace], tick: int) -> float:
    """Quarters a minute at a place."""
    return next((p.qpm for p in reversed(steps) if p.tick <= tick), steps[0].qpm)


def written_tempo_map(piece: Piece, *, fermatas: bool = False) -> PulseMap:
    """The tempi of the page as a pulse map that starts at tick 0, time 0; with ``fermatas`` as it is played."""
    steps = paces(piece, fermatas=fermatas)
    pulses, tick, time_us = [Pulse(0, 0)], 0, 0.0
    qpm = steps[0].qpm
    end = max(piece.end, steps[-1].tick) + FAR
    for pace in (*(p for p in steps if p.tick > 0), Pace(end, 0.0)):
        time_us += (pace.tick - tick) / QUARTER * US_PER_MINUTE / qpm
        pulses.append(Pulse(pace.tick, round(time_us)))
        tick, qpm = pace.tick, pace.qpm
    return PulseMap(tuple(pulses))
