"""Edits of how notes sound, never of how they are written: quantize in place, and velocities.

Quantize in place moves sounding times toward a grid, a share of the way. It begins from how a note was played (or,
where nobody played it, from how it sounded when it was first moved), so it can be done again with other settings,
and taken away, at any time.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Annotated, Literal

from ductus.core.chance import scattered
from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le, MaxLen
from ductus.core.score.model.changes import Change
from ductus.core.score.model.note_signs import sounding_ticks
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note
from ductus.core.score.note_edits.base import At, Edit, each
from ductus.core.time.bars import Bar
from ductus.core.time.note_values import BASE_TICKS
from ductus.core.time.pulse_map import US_PER_MINUTE
from ductus.core.time.ticks import QUARTER
from ductus.core.words import count_words, listed

GridBase = Literal["half", "quarter", "eighth", "16th", "32nd"]
Percent = Annotated[float, Ge(0), Le(100)]
Ms = Annotated[float, Ge(-200), Le(200)]
KINDS = {"straight": Fraction(1), "triplet": Fraction(2, 3), "dotted": Fraction(3, 2)}
ALL_OF_IT = 50.0  # percent of a step that reaches every note
UNHEARD_MS = 0.5  # a note that moves by less is not counted


@dataclass(frozen=True, slots=True)
class Sounds:
    """When a note sounds: ticks of the piece, on and off."""

    on: int
    off: int


def as_played(note: Note) -> Sounds:
    """How a note was played, or sounded before anybody moved it."""
    late, ticks = note.played or (note.sounds_late, sounding_ticks(note))
    return Sounds(note.tick + late, note.tick + late + ticks)


def as_set(note: Note) -> Sounds:
    """How a note sounds now."""
    on = note.tick + note.sounds_late
    return Sounds(on, on + sounding_ticks(note))


class Tempo:
    """The tempo marks of a piece, printed or not, ready to be asked for many notes."""

    def __init__(self, piece: Piece) -> None:
        marks = sorted(piece.tempi.values(), key=lambda t: t.tick)
        self._ticks = [m.tick for m in marks]
        self._paces = [US_PER_MINUTE / m.quarters_per_minute / QUARTER for m in [piece.tempo_at(0), *marks]]

    def us_per_tick(self, tick: int) -> float:
        """Microseconds to a tick there."""
        return self._paces[bisect_right(self._ticks, tick)]


@dataclass(frozen=True, slots=True)
class QuantizeInPlace(Edit):
    """Sounding times of notes toward a grid.

    ``far`` percent of the way, only those ``within`` so many percent of a grid step of it; of each pair of steps the
    first takes ``long_short`` percent; then ``ahead_ms`` later (earlier if negative) and up to ``uneven_ms`` off at
    random, always the same for a seed.
    """

    grid: GridBase = "16th"
    kind: Literal["straight", "triplet", "dotted"] = "straight"
    onsets: bool = True
    ends: bool = False
    lengths: bool = False
    far: Percent = 100.0
    within: Percent = 50.0
    long_short: Annotated[float, Ge(25), Le(75)] = 50.0
    ahead_ms: Ms = 0.0
    uneven_ms: Annotated[float, Ge(0), Le(200)] = 0.0
    seed: Annotated[int, Ge(0), Le(2**31)] = 1
    name: Literal["quantize-in-place"] = "quantize-in-place"

    @property
    def step(self) -> int:
        """A step of the grid in ticks."""
        return int(BASE_TICKS[self.grid] * KINDS[self.kind])

    @property
    def words(self) -> str:
        """What it does, as one sentence says it."""
        what = listed([w for w, on in (("onsets", self.onsets), ("ends", self.ends), ("lengths", self.lengths)) if on])
        plural = f"{self.grid}s" if self.grid != "half" else "halves"
        out = f"{what} {self.far:g} % of the way to {self.kind} {plural}"
        if self.within < ALL_OF_IT:
            out += f", only those within {self.within:g} % of a step"
        if self.long_short != 50:
            out += (
                f"; pairs {self.long_short:g} to {100 - self.long_short:g}, the "
                f"{'first' if self.long_short > 50 else 'second'} longer"
            )
        if self.ahead_ms:
            out += f"; {abs(self.ahead_ms):g} ms {'behind' if self.ahead_ms > 0 else 'ahead of'} the beat"
        return out + (f"; up to {self.uneven_ms:g} ms uneven" if self.uneven_ms else "")

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        moves = self.moves(piece, notes)
        fresh = {m.note.id: m.moved() for m in moves if m.moves}
        stays = len(moves) - len(fresh)
        change = each(piece, notes, lambda n: fresh.get(n.id), lambda _: self.words)
        said = f"{moved_words(moves)} The writing stays." if fresh else f"None of {count_words(stays, 'note')} moves"
        return replace(change, sentence=said)

    def moves(self, piece: Piece, notes: Sequence[Note]) -> list[Move]:
        """What becomes of each note, moved or not."""
        if not (self.onsets or self.ends or self.lengths):
            raise BadInput("Say what is to move: onsets, ends or lengths. Nothing was changed.")
        tempo, grid = Tempo(piece), Grid(piece, self.step, self.long_short)
        return [self._move(grid, tempo, n) for n in notes]

    def _move(self, grid: Grid, tempo: Tempo, note: Note) -> Move:
        now = as_set(note)
        was = now if note.played is None else as_played(note)
        us_per_tick = tempo.us_per_tick(note.tick)
        on, length = was.on, was.off - was.on
        reached = True
        if self.onsets:
            target = grid.nearest(was.on)
            reached = self.reaches(target - was.on)
            if reached:
                on += round((target - was.on) * self.far / 100)
        if self.ends:
            target = grid.nearest(was.off)
            target = target if target > on else on + self.step
            if self.reaches(target - was.off):
                length = was.off + round((target - was.off) * self.far / 100) - on
        if self.lengths:
            target = max(round(length / self.step), 1) * self.step
            if self.reaches(target - length):
                length += round((target - length) * self.far / 100)
        if reached and (self.ahead_ms or self.uneven_ms):
            off_ms = self.ahead_ms + scattered(self.seed, note.tick * 128 + note.pitch.midi) * self.uneven_ms
            on += round(off_ms * 1000 / us_per_tick)
        will = Sounds(on, on + max(length, 1))
        changes = will.on != now.on or will.off != now.off
        return Move(note, was, now, will, us_per_tick / 1000, changes)

    def reaches(self, distance: int) -> bool:
        """Is a note near enough to the grid to be moved?"""
        return self.within >= ALL_OF_IT or abs(distance) <= self.within / 100 * self.step


class Grid:
    """The places of a grid over a piece, counted from each bar line anew."""

    def __init__(self, piece: Piece, step: int, long_short: float) -> None:
        self._timeline, self._step, self._long_short = piece.timeline, step, long_short
        self._bar = piece.timeline.bar(0)
        self._places: dict[int, list[int]] = {}

    def nearest(self, tick: int) -> int:
        """The nearest place, in ticks."""
        if not self._bar.start <= tick < self._bar.end:
            self._bar = self._timeline.bar_at(max(tick, 0))
        bar = self._bar
        places = self._places.get(bar.index)
        if places is None:
            places = self._places[bar.index] = grid_of(bar, self._step, self._long_short)
        k = bisect_left(places, tick)
        if k == 0 or k == len(places):
            return places[min(k, len(places) - 1)]
        before, after = places[k - 1], places[k]
        return before if tick - before <= after - tick else after


def grid_of(bar: Bar, step: int, long_short: float) -> list[int]:
    """The places of a grid in a bar, both bar lines included."""
    out, tick, k = [], bar.start, 0
    while tick < bar.end:
        out.append(tick)
        k += 1
        pair = bar.start + k // 2 * 2 * step
        tick = pair + (round(2 * step * long_short / 100) if k % 2 else 0)
    return [*out, bar.end]


@dataclass(frozen=True, slots=True)
class Move:
    """A note, how it was played, how it sounds now and how it will, milliseconds to a tick there, and whether it
    will sound otherwise than now.
    """

    note: Note
    was: Sounds
    now: Sounds
    will: Sounds
    ms_per_tick: float
    moves: bool

    @property
    def ms(self) -> float:
        """By how much its onset moves from where it is now, in milliseconds."""
        return (self.will.on - self.now.on) * self.ms_per_tick

    def moved(self) -> Note:
        """The note as it will sound; how it was played is kept in it."""
        late, ticks = self.will.on - self.note.tick, self.will.off - self.will.on
        played = self.note.played or (self.was.on - self.note.tick, self.was.off - self.was.on)
        plain = replace(self.note, sounds_late=late, sounds_ticks=None, played=played)
        return plain if sounding_ticks(plain) == ticks else replace(plain, sounds_ticks=ticks)


def moved_words(moves: Sequence[Move]) -> str:
    """How many notes move, and by how much."""
    far = [ms for ms in (abs(m.ms) for m in moves) if ms > UNHEARD_MS]
    resized = sum(m.will.off - m.will.on != m.now.off - m.now.on for m in moves)
    length = f" {count_words(resized, 'note')} {'gets' if resized == 1 else 'get'} another length." if resized else ""
    if not far:
        return f"No onset of {count_words(len(moves), 'note')} moves.{length}"
    stay = len(moves) - len(far)
    by = f"by {sum(far) / len(far):.0f} ms on average, {max(far):.0f} at most"
    return (
        f"{len(far)} of {count_words(len(moves), 'note')} {'moves' if len(far) == 1 else 'move'}, {by}; {stay} "
        f"stay.{length}"
    )


@dataclass(frozen=True, slots=True)
class SoundAsBefore(Edit):
    """Quantize in place taken away: notes of takes sound as they are written again (and as played, where playback
    does so), all others as they sounded before.
    """

    name: Literal["sound-as-before"] = "sound-as-before"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""

        def before(note: Note) -> Note | None:
            if note.played is None:
                return None
            if note.take is not None:
                return replace(note, sounds_late=0, sounds_ticks=None)
            late, ticks = note.played
            plain = replace(note, sounds_late=late, sounds_ticks=None, played=None)
            return plain if sounding_ticks(plain) == ticks else replace(plain, sounds_ticks=ticks)

        return each(piece, notes, before, lambda n: f"{n} as before it was moved; the played times were never lost")


@dataclass(frozen=True, slots=True)
class SoundAt(Edit):
    """Typed numbers for how notes sound: milliseconds after their place (before, if negative) at the tempo there,
    length in percent of the written.
    """

    late_ms: Annotated[float, Ge(-2000), Le(2000)] | None = None
    percent: Annotated[float, Ge(1), Le(400)] | None = None
    name: Literal["sound-at"] = "sound-at"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        tempo = Tempo(piece)

        def typed(note: Note) -> Note:
            fresh = replace(note, played=note.played or (note.sounds_late, sounding_ticks(note)))
            if self.late_ms is not None:
                late = round(self.late_ms * 1000 / tempo.us_per_tick(note.tick))
                fresh = replace(fresh, sounds_late=max(late, -note.tick))
            if self.percent is not None:
                ticks = max(round(note.ticks * self.percent / 100), 1)
                fresh = replace(fresh, sounds_ticks=None if ticks == note.ticks and not note.signs else ticks)
            return fresh

        late = f"{abs(self.late_ms):g} ms {'late' if self.late_ms > 0 else 'early'}" if self.late_ms else "on time"
        said = [late] if self.late_ms is not None else []
        said += [f"for {self.percent:g} % of the value"] if self.percent is not None else []
        return each(piece, notes, typed, lambda n: f"{n} sound {listed(said)}")


# --- velocities -----------------------------------------------------------------------------


def louder(note: Note, velocity: float) -> Note:
    """The note with a velocity in 1..127."""
    return replace(note, velocity=min(max(round(velocity), 1), 127))


@dataclass(frozen=True, slots=True)
class ScaleVelocity(Edit):
    """Velocities in percent of what they are."""

    percent: Annotated[float, Ge(1), Le(400)]
    name: Literal["scale-velocity"] = "scale-velocity"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        return each(
            piece,
            notes,
            lambda n: louder(n, n.velocity * self.percent / 100),
            lambda n: f"Velocity of {n} at {self.percent:g} %",
        )


@dataclass(frozen=True, slots=True)
class LimitVelocity(Edit):
    """Velocities kept between two limits."""

    low: Annotated[int, Ge(1), Le(127)] = 1
    high: Annotated[int, Ge(1), Le(127)] = 127
    name: Literal["limit-velocity"] = "limit-velocity"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        if self.low > self.high:
            raise BadInput(f"{self.low} is above {self.high}: nothing lies between them. Nothing was changed.")
        return each(
            piece,
            notes,
            lambda n: louder(n, min(max(n.velocity, self.low), self.high)),
            lambda n: f"Velocity of {n} kept between {self.low} and {self.high}",
        )


@dataclass(frozen=True, slots=True)
class GradualVelocity(Edit):
    """Velocities evenly from one at the first place to another at the last."""

    first: Annotated[int, Ge(1), Le(127)]
    last: Annotated[int, Ge(1), Le(127)]
    name: Literal["gradual-velocity"] = "gradual-velocity"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        begin, end = min(n.tick for n in notes), max(n.tick for n in notes)
        span = max(end - begin, 1)
        return each(
            piece,
            notes,
            lambda n: louder(n, self.first + (self.last - self.first) * (n.tick - begin) / span),
            lambda n: f"Velocity of {n} from {self.first} to {self.last}",
        )


@dataclass(frozen=True, slots=True)
class AccentVelocity(Edit):
    """Accents by meter: bar lines louder by ``by``, the middle of the bar by two thirds of it, beats by a third,
    what lies between them softer by a third.
    """

    by: Annotated[int, Ge(-60), Le(60)] = 12
    name: Literal["accent-velocity"] = "accent-velocity"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        shares = (1.0, 2 / 3, 1 / 3, -1 / 3)

        def accented(note: Note) -> Note:
            bar = piece.timeline.bar_at(note.tick)
            level = min(bar.meter.level_at(bar.offset_of(note.tick)), len(shares) - 1)
            return louder(note, note.velocity + self.by * shares[level])

        return each(piece, notes, accented, lambda n: f"{n} accented by meter, by {self.by}")


@dataclass(frozen=True, slots=True)
class RandomVelocity(Edit):
    """Velocities changed at random by up to ``by``; the same for a seed."""

    by: Annotated[int, Ge(1), Le(64)]
    seed: Annotated[int, Ge(0), Le(2**31)] = 1
    name: Literal["random-velocity"] = "random-velocity"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        return each(
            piece,
            notes,
            lambda n: louder(n, n.velocity + scattered(self.seed, n.tick * 128 + n.pitch.midi) * self.by),
            lambda n: f"Velocity of {n} changed at random by up to {self.by}",
        )


@dataclass(frozen=True, slots=True)
class DrawVelocity(Edit):
    """Velocities drawn on the strip: (note id, velocity)."""

    to: Annotated[tuple[tuple[Annotated[str, MaxLen(40)], Annotated[int, Ge(1), Le(127)]], ...], MaxLen(20_000)]
    name: Literal["draw-velocity"] = "draw-velocity"

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """See Edit."""
        wanted = dict(self.to)
        low, high = min(wanted.values(), default=1), max(wanted.values(), default=1)
        what = f"{low}" if low == high else f"{low} to {high}"
        return each(
            piece, notes, lambda n: louder(n, wanted.get(n.id, n.velocity)), lambda n: f"Velocity of {n} drawn: {what}"
        )


def sounding_notes(piece: Piece, part: str, start: int, end: int) -> Iterable[Note]:
    """Notes of a part that are written in a stretch of ticks, in order."""
    return (n for n in piece.notes_between(part, start, end) if start <= n.tick < end)
