"""Meter, key, tempo and pick-up at any place.

Values stay (or are scaled), bar lines are laid anew; each says what it does.

Changes of meter and key behind the edited place stay with the music that they stood over: at the bar line that is
there now, or the next one.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import takewhile
from typing import Annotated, Literal

from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le, MaxLen
from ductus.core.pitch.intervals import interval_between
from ductus.core.pitch.keys import key_words
from ductus.core.score.catalogues.layouts import felt_beat
from ductus.core.score.mark_edits.place_marks import FASTEST, SLOWEST
from ductus.core.score.model.changes import Change, Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.playing_order import bars_words
from ductus.core.score.model.records import KeyChange, MeterChange, TempoMark, checked_text
from ductus.core.score.structure_edits.base import (
    BarIndex,
    FrameEdit,
    MovingEdit,
    bar_line_near,
    place,
    said,
    shifted_ticks,
    stay_with_music,
)
from ductus.core.score.structure_edits.moving_bars import move_notes, octave_toward
from ductus.core.time.bars import Timeline
from ductus.core.time.meters import Meter, meter_sign, parse_meter
from ductus.core.words import capital, count_words


@dataclass(frozen=True, slots=True)
class MeterFrom(MovingEdit):
    """A meter from a bar (index) on, up to the next change of meter: "3/4", "7/8 (2+2+3)"."""

    bar: BarIndex
    meter: Annotated[str, MaxLen(40)]
    values: Literal["kept", "scaled"] = "kept"
    name: Literal["meter-from"] = "meter-from"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit. Scaled values fill as many bars of the new meter as they filled of the old."""
        meter = parse_meter(self.meter)
        if self.values == "scaled":
            return scaled_into(piece, self.bar, meter)
        old = piece.timeline
        was = old.bar(self.bar).meter
        draft = Draft(piece)
        here = next((m for m in piece.meters.values() if m.bar == self.bar), None)
        before = {m.bar: m.meter for m in piece.meters.values() if m.bar < self.bar}
        laid = Timeline({0: old.bar(0).meter, **before, self.bar: meter}, piece.facts.pickup)
        later = sorted((m for m in piece.meters.values() if m.bar > self.bar), key=lambda m: m.bar)
        unsigned = list(takewhile(lambda m: m.sign == "none", later))
        if meter.bar_ticks == was.bar_ticks and old.bar(self.bar).whole:  # bars that are cut stay so
            later = [replace(m, meter=meter) if m in unsigned and m.meter == was else m for m in later]
        else:
            for change in unsigned:
                draft.drop(change)
            later = later[len(unsigned) :]
        draft.put(MeterChange(here.id if here else draft.new_id("m"), self.bar, meter, meter_sign(self.meter)))
        for change in later:
            bar = bar_line_near(laid, old.bar(change.bar).start)
            draft.put(replace(change, bar=bar))
            laid = Timeline({**laid.meters, bar: change.meter}, piece.facts.pickup)
        stay_with_music(draft, old, laid, lambda k: k.bar > self.bar)
        cut = len(unsigned) and not any(draft.has(m.id) for m in unsigned)
        whole = ", bars that are cut are whole again" if cut else ""
        return said(
            draft,
            laid,
            f"{place(piece, self.bar)} on is in {self.meter.split()[0] if meter_sign(self.meter) else meter}, was "
            f"{was}{whole}",
        )


def scaled_into(piece: Piece, bar: int, meter: Meter) -> Change:
    """The bars up to the next change of meter in another meter, each bar a bar, all values scaled.

    Raises BadInput unless the bars are twice, half, four times or a quarter as long.
    """
    old = piece.timeline
    was = old.bar(bar).meter
    share = Fraction(meter.bar_ticks, was.bar_ticks)
    if share not in (Fraction(1, 4), Fraction(1, 2), Fraction(2), Fraction(4)) or old.bar(bar).missing:
        raise BadInput(
            f"A bar of {meter} is not twice or half as long as one of {was}; values can be kept there, not scaled. "
            "Nothing was changed."
        )
    start = old.bar(bar).start
    following = min((m.bar for m in piece.meters.values() if m.bar > bar), default=max(piece.bar_count, bar + 1))
    stop = old.bar(following).start
    draft = Draft(piece)
    shifted_ticks(draft, stop, round((stop - start) * (share - 1)))

    def at(tick: int) -> int:
        return start + round((min(tick, stop) - start) * share) + max(tick - stop, 0)

    for note in piece.notes.values():
        if start <= note.tick < stop:
            sounds = note.sounds_ticks and max(round(note.sounds_ticks * share), 1)
            draft.put(
                replace(note, tick=at(note.tick), ticks=max(at(note.end) - at(note.tick), 1), sounds_ticks=sounds)
            )
    for mark in piece.marks.values():
        if start <= mark.tick < stop:
            draft.put(replace(mark, tick=at(mark.tick), ticks=at(mark.end) - at(mark.tick)))
    for tempo in piece.tempi.values():
        if start < tempo.tick < stop:
            draft.put(replace(tempo, tick=at(tempo.tick)))
    for clef in piece.clefs.values():
        if start < clef.tick < stop:
            draft.put(replace(clef, tick=at(clef.tick)))
    here = next((m for m in piece.meters.values() if m.bar == bar), None)
    draft.put(MeterChange(here.id if here else draft.new_id("m"), bar, meter))
    if not any(m.bar == following for m in piece.meters.values()) and following < piece.bar_count:
        draft.put(MeterChange(draft.new_id("m"), following, was))
    how = {Fraction(1, 2): "half", Fraction(2): "twice", Fraction(4): "four times", Fraction(1, 4): "a quarter"}[share]
    return draft.change(
        f"{capital(bars_words(piece, bar, following - 1))} in {meter}, was {was}: all values {how} as long"
    )


@dataclass(frozen=True, slots=True)
class KeyFrom(FrameEdit):
    """A key signature from a bar (index) on, up to the next change of key.

    The notes keep their pitch, or go with the key.
    """

    bar: BarIndex
    fifths: Annotated[int, Ge(-7), Le(7)]
    mode: Literal["major", "minor"] = "major"
    notes: Literal["kept", "nearest", "up", "down"] = "kept"
    name: Literal["key-from"] = "key-from"

    def reach(self, piece: Piece) -> int:
        """See FrameEdit."""
        return 0 if self.notes == "kept" else len(piece.notes)

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        draft = Draft(piece)
        was = piece.key_at(self.bar).fifths
        here = next((k for k in piece.keys.values() if k.bar == self.bar), None)
        draft.put(KeyChange(here.id if here else draft.new_id("k"), self.bar, self.fifths, self.mode))
        signs = key_words(self.fifths, self.mode)
        if self.notes == "kept":
            return draft.change(f"{place(piece, self.bar)} on is in {signs}; notes keep their pitch")
        following = min((k.bar for k in piece.keys.values() if k.bar > self.bar), default=None)
        end = piece.timeline.bar(following).start if following is not None else None
        steps, semitones = octave_toward(interval_between(was, self.fifths), self.notes)
        start = piece.timeline.bar(self.bar).start
        count = move_notes(draft, None, start, end, steps, semitones)
        return draft.change(f"{place(piece, self.bar)} on is in {signs}; {count_words(count, 'note')} moved with it")


@dataclass(frozen=True, slots=True)
class TempoFrom(FrameEdit):
    """A tempo from a tick on, in beats of the meter there, with its word; notes go with it."""

    tick: Annotated[int, Ge(0), Le(2**52)]
    bpm: Annotated[float, Ge(0), Le(100_000)]
    text: Annotated[str, MaxLen(200)] = ""
    upto: Annotated[float, Ge(0), Le(100_000)] | None = None  # a range is printed, its middle is played
    name: Literal["tempo-from"] = "tempo-from"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit. Tempo changes that are not printed give way up to the next printed one."""
        if not SLOWEST <= self.bpm <= FASTEST:
            raise BadInput(f"{self.bpm:g} is no tempo: use {SLOWEST} to {FASTEST} beats a minute. Nothing was changed.")
        draft = Draft(piece)
        marks = sorted(piece.tempi.values(), key=lambda t: t.tick)
        end = next((t.tick for t in marks if t.printed and t.tick > self.tick), None)
        for old in marks:
            if not old.printed and old.tick >= self.tick and (end is None or old.tick < end):
                draft.drop(old)
        here = next((t for t in marks if t.tick == self.tick and t.printed), None)
        beat = felt_beat(piece.timeline.bar_at(self.tick).meter)
        text = checked_text(self.text, "tempo word") or (here.text if here else "")
        if self.upto is not None and not self.bpm < self.upto <= FASTEST:
            raise BadInput(
                f"A range goes up, to at most {FASTEST}: not from {self.bpm:g} to {self.upto:g}. Nothing was changed."
            )
        bpm, shown = float(self.bpm), ""
        if self.upto is not None:
            bpm, shown = (self.bpm + self.upto) / 2, f"{self.bpm:g}–{self.upto:g}"
        draft.put(TempoMark(here.id if here else draft.new_id("t"), self.tick, bpm, beat, text, shown=shown))
        return draft.change(f"{capital(piece.timeline.place_words(self.tick))}: tempo {shown or f'{bpm:g}'}")


@dataclass(frozen=True, slots=True)
class PickUp(MovingEdit):
    """The pick-up holds so many ticks (0: there is none): bar lines move, notes stay."""

    ticks: Annotated[int, Ge(0), Le(2**40)]
    name: Literal["pick-up"] = "pick-up"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        old = piece.timeline
        if self.ticks >= old.bar(0).meter.bar_ticks:
            raise BadInput("A pick-up is shorter than a bar. Nothing was changed.")
        draft = Draft(piece)
        laid = Timeline({0: old.meters[0]}, self.ticks)
        for change in sorted((m for m in piece.meters.values() if m.bar > 0), key=lambda m: m.bar):
            bar = bar_line_near(laid, old.bar(change.bar).start)
            draft.put(replace(change, bar=bar))
            laid = Timeline({**laid.meters, bar: change.meter}, self.ticks)
        stay_with_music(draft, old, laid, lambda k: k.bar > 0)
        draft.put(replace(piece.facts, pickup=self.ticks))
        words = "There is no pick-up any more" if not self.ticks else "The pick-up has another length"
        return said(draft, laid, words)
