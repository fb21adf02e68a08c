"""A bar cut in two, for a repeat or a double bar in its middle, and made whole again.

A last bar without what its pick-up has.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Annotated, Literal

from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le
from ductus.core.score.model.changes import Change, Draft
from ductus.core.score.model.note_signs import BAR_SIGNS, words_of_sign
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import MeterChange
from ductus.core.score.structure_edits.base import BarIndex, FrameEdit, moved_bars, place
from ductus.core.time.bars import beat_words
from ductus.core.time.meters import Meter, meter_for
from ductus.core.words import count_words, listed

FINEST_BEAT = 64  # parts of a beat in which a place is asked for


@dataclass(frozen=True, slots=True)
class CutBar(FrameEdit):
    """A bar (index) is cut in two in front of a beat (from 1, with its fraction).

    Two bars for signs and repeats, one number for people. The last bar of a piece ends there, where nothing stands
    behind.
    """

    bar: BarIndex
    beat: Annotated[float, Ge(1), Le(64)]
    name: Literal["cut-bar"] = "cut-bar"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        timeline = piece.timeline
        number, beats = timeline.number_of(self.bar), len(timeline.bar(self.bar).meter.groups)
        tick = timeline.tick_of(number, Fraction(self.beat).limit_denominator(FINEST_BEAT))
        bar = timeline.bar_at(tick)
        if timeline.number_of(bar.index) != number:
            raise BadInput(f"{place(piece, self.bar)} has {count_words(beats, 'beat')}. Nothing was changed.")
        index, laid = bar.index, timeline.laid_by(bar.index)
        if index == 0 and timeline.pickup:
            raise BadInput("A pick-up is not cut in two: give it another length. Nothing was changed.")
        if tick == bar.start:
            raise BadInput("A bar line stands there already: cut in front of a later beat. Nothing was changed.")
        here = next((m for m in piece.meters.values() if m.bar == index), None)
        if here is not None and here.sign != "none":
            raise BadInput(
                f"The sign of {here.meter} stands at {place(piece, index).lower()}, for a whole bar: cut a later one. "
                "Nothing was changed."
            )
        first, second = _meter(tick - bar.start, laid), _meter(bar.end - tick, laid)
        draft = Draft(piece)
        part = MeterChange(here.id if here else draft.new_id("m"), index, first, "none")
        where = f"{place(piece, index)}{{}} beat {beat_words(bar, tick)}"
        if _nothing_from(piece, tick, index):
            if not any(m.bar == index + 1 for m in piece.meters.values()):
                draft.put(MeterChange(draft.new_id("m"), index + 1, laid, "none"))
            draft.put(part)
            return draft.change(where.format(" ends in front of"))
        moved_bars(draft, lambda bar: bar + (bar > index), lambda bar: bar + (bar >= index))
        draft.put(part)
        draft.put(MeterChange(draft.new_id("m"), index + 1, second, "none"))
        if not any(m.bar == index + 1 for m in piece.meters.values()):
            draft.put(MeterChange(draft.new_id("m"), index + 2, laid, "none"))
        draft.put(replace(piece.facts, bars=piece.bar_count + 1))
        ties = sum(n.tick < tick < n.end for p in piece.parts for n in piece.notes_between(p, bar.start, bar.end))
        over = f"; {count_words(ties, 'note')} {'goes' if ties == 1 else 'go'} over it with a tie" if ties else ""
        return draft.change(where.format(" is cut in two in front of") + over)


@dataclass(frozen=True, slots=True)
class JoinBar(FrameEdit):
    """The parts of the bar to which a bar (index) belongs are one bar again, or a last bar that was cut short has
    its full length.
    """

    bar: BarIndex
    name: Literal["join-bar"] = "join-bar"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        timeline = piece.timeline
        parts = timeline.parts_of(min(self.bar, piece.bar_count - 1))
        first, last = parts[0], parts[-1]
        if len(parts) == 1 and not short_end(piece, first):
            raise BadInput(f"{place(piece, first)} is not cut. Nothing was changed.")
        gone = len(parts) - 1
        inside = [s for s in piece.signs.values() if _in_the_middle(s.bar, BAR_SIGNS[s.kind].right, first, last)]
        draft = Draft(piece)
        for sign in inside:
            draft.drop(sign)

        def earlier(bar: int) -> int:
            return bar - min(max(bar - first, 0), gone)

        moved_bars(draft, earlier, earlier)
        whole = timeline.bar(first).meter if gone else timeline.laid_by(last + 1)
        for meter in piece.meters.values():
            if meter.bar == first and timeline.laid_by(first - 1) != whole:  # behind another bar that is cut
                draft.put(replace(meter, meter=whole))
            elif first <= meter.bar <= last or (meter.bar == last + 1 and (meter.meter, meter.sign) == (whole, "none")):
                draft.drop(meter)
        draft.put(replace(piece.facts, bars=max(piece.bar_count - gone, 1)))
        lost = listed([words_of_sign(s.kind, s.text) for s in inside])
        return draft.change(
            f"Bar {timeline.number_of(first)} is whole again" + (f"; gone from its middle: {lost}" if lost else "")
        )


def short_end(piece: Piece, index: int) -> bool:
    """Is it the last bar, and shorter than its meter without a sign that says so?"""
    here = next((m for m in piece.meters.values() if m.bar == index), None)
    return (
        index == piece.bar_count - 1
        and here is not None
        and here.sign == "none"
        and here.meter.bar_ticks < piece.timeline.laid_by(index + 1).bar_ticks
    )


def _in_the_middle(bar: int, right: bool, first: int, last: int) -> bool:
    """Does a sign of a bar stand between two parts of a bar that reaches from ``first`` to ``last``?"""
    return first <= bar < last if right else first < bar <= last


def _meter(ticks: int, usual: Meter) -> Meter:
    """The meter of a part of a bar. Raises BadInput where no meter has its length."""
    meter = meter_for(ticks, usual)
    if meter is None or meter.bar_ticks != ticks:
        raise BadInput(
            "That place is finer than a thirty-second: cut in front of a beat or its half. Nothing was changed."
        )
    return meter


def _nothing_from(piece: Piece, tick: int, index: int) -> bool:
    """Is it the last bar of the piece, with nothing that sounds or stands from a tick on?"""
    if index != piece.bar_count - 1:
        return False
    sounding = any(
        n.end > tick for p in piece.parts for n in piece.notes_between(p, tick, piece.timeline.bar(index).end)
    )
    return not sounding and not any(m.tick >= tick or m.end > tick for m in piece.marks.values())
