"""Bars: insert, remove, empty, trim, copy, and sections by name ("A again here")."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Literal

from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le, MaxLen
from ductus.core.score.model.changes import Change, Draft, Moved, joined
from ductus.core.score.model.mark_kinds import KINDS
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.playing_order import bars_words
from ductus.core.score.model.records import BarSign, KeyChange, MeterChange, Note
from ductus.core.score.note_edits.clipboard import MOST_COPIED, excerpt_of, put_copies
from ductus.core.score.note_edits.write import clear_span
from ductus.core.score.structure_edits.base import BarIndex, FrameEdit, MovingEdit, shifted_bars, shifted_ticks
from ductus.core.time.bars import MAX_BAR
from ductus.core.time.meters import Meter
from ductus.core.words import capital, count_words


@dataclass(frozen=True, slots=True)
class InsertBars(MovingEdit):
    """Empty bars in front of a bar (index), in the meter of the bar before; what follows goes later."""

    bar: BarIndex
    count: Annotated[int, Ge(1), Le(500)] = 1
    name: Literal["insert-bars"] = "insert-bars"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit. In front of a pick-up no bar can stand, nor inside one that is cut; they go behind it."""
        at = max(self.bar, 1 if piece.timeline.bar(0).missing else 0)
        parts = piece.timeline.parts_of(at)
        at = at if at == parts[0] else parts[-1] + 1
        if max(piece.bar_count, at) + self.count > MAX_BAR:
            raise BadInput(f"A piece has at most {MAX_BAR:,} bars. Nothing was changed.")
        draft = Draft(piece)
        meter = piece.timeline.bar(max(at - 1, 0)).meter
        start = piece.timeline.bar(at).start
        shifted_ticks(draft, start, meter.bar_ticks * self.count)
        shifted_bars(draft, at, self.count)
        if at and piece.timeline.laid_by(at - 1) != meter:  # behind a bar that is cut
            back = next(
                (m for m in piece.meters.values() if m.bar == at and (m.meter, m.sign) == (meter, "none")), None
            )
            draft.put(back or MeterChange(draft.new_id("m"), at, meter, "none"))
        draft.put(replace(piece.facts, bars=max(piece.bar_count, at) + self.count))
        cut = tied_over(piece, start)
        change = draft.change(f"{count_words(self.count, 'bar')} inserted before {bars_words(piece, at, at)}{cut}")
        moved = Moved(start, meter.bar_ticks * self.count, piece.timeline.bar(at).end)  # a pen in that bar stays there
        return replace(change, moved=moved)


def tied_over(piece: Piece, tick: int) -> str:
    """What becomes of notes that sound over a place where bars come in, in words."""
    count = sum(n.tick < tick < n.end for n in piece.notes.values())
    return (
        f"; {count_words(count, 'note')} tied over the place {'is' if count == 1 else 'are'} struck again behind"
        if count
        else ""
    )


@dataclass(frozen=True, slots=True)
class RemoveBars(MovingEdit):
    """Bars (indices, both included) go with all that is in them; what follows goes earlier."""

    first: BarIndex
    last: BarIndex
    name: Literal["remove-bars"] = "remove-bars"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        first, last = checked_bars(piece, self.first, self.last)
        if last - first + 1 >= piece.bar_count:
            raise BadInput("A piece keeps at least one bar; these bars can be emptied. Nothing was changed.")
        if first == 0 and piece.timeline.bar(0).missing:
            raise BadInput("The pick-up goes by setting its length to nothing. Nothing was changed.")
        draft = Draft(piece)
        gone = emptied(draft, first, last)
        start, end = piece.timeline.bar(first).start, piece.timeline.bar(last).end
        _frame_of_removed(draft, first, last)
        shifted_ticks(draft, end, start - end)
        shifted_bars(draft, last + 1, first - last - 1)
        draft.put(replace(piece.facts, bars=max(piece.bar_count - (last - first + 1), 1)))
        with_notes = f" with {count_words(gone, 'note')}" if gone else ""
        change = draft.change(f"{capital(bars_words(piece, first, last))} removed{with_notes}")
        return replace(change, moved=Moved(end, start - end, end))


def _frame_of_removed(draft: Draft, first: int, last: int) -> None:
    """What was set in removed bars holds from the bar behind them on, unless that bar sets it itself."""
    piece = draft.piece
    meters, keys = list(piece.meters.values()), list(piece.keys.values())
    _last_setting_stays(draft, meters, first, last)
    _last_setting_stays(draft, keys, first, last)
    _sign_behind(draft, meters, first, last)
    if first == 0:
        _head_takes_over(draft, last + 1)
    _form_of_removed(draft, first, last)
    start, end = piece.timeline.bar(first).start, piece.timeline.bar(last).end
    for tempo in piece.tempi.values():
        if start <= tempo.tick < end and tempo.tick > 0:
            draft.drop(tempo)
    for clef in piece.clefs.values():
        if start <= clef.tick < end:
            draft.drop(clef)


def _last_setting_stays(draft: Draft, settings: Sequence[MeterChange | KeyChange], first: int, last: int) -> None:
    """Of the meters (or keys) set in removed bars the last moves to the bar behind them; the others go."""
    inside = sorted((s for s in settings if max(first, 1) <= s.bar <= last), key=lambda s: s.bar)
    stays = inside[-1:] if not any(s.bar == last + 1 for s in settings) else []
    for record in inside:
        if record not in stays:
            draft.drop(record)
    for record in stays:
        draft.put(replace(record, bar=first))


def _sign_behind(draft: Draft, meters: Sequence[MeterChange], first: int, last: int) -> None:
    """A meter behind the removed bars that leaned on a sign inside them gets that sign."""
    inside = sorted((m for m in meters if max(first, 1) <= m.bar <= last and m.sign != "none"), key=lambda m: m.bar)
    for meter in meters:
        if inside and meter.bar == last + 1 and (meter.meter, meter.sign) == (inside[-1].meter, "none"):
            draft.put(replace(meter, sign=inside[-1].sign))


def _head_takes_over(draft: Draft, behind: int) -> None:
    """The head of the piece takes over the meter and key of the bar that comes first now."""
    piece = draft.piece
    for meter in [m for m in piece.meters.values() if m.bar == behind]:
        head = next(m for m in piece.meters.values() if m.bar == 0)
        draft.put(replace(head, meter=meter.meter))
        draft.drop(meter)
    for key in [k for k in piece.keys.values() if k.bar == behind]:
        head_key = next(k for k in piece.keys.values() if k.bar == 0)
        draft.put(replace(head_key, fifths=key.fifths, mode=key.mode))
        draft.drop(key)


def _form_of_removed(draft: Draft, first: int, last: int) -> None:
    """Signs of removed bars go with them.

    But a repeat that begins before them ends before them now, and one that ends behind them begins there.
    """
    piece = draft.piece
    signs = sorted(piece.signs.values(), key=lambda s: s.bar)
    inside = [s for s in signs if first <= s.bar and s.bar + s.bars - 1 <= last]
    ends = {s.bar for s in signs if s.kind == "repeat-end"}
    starts = {s.bar for s in signs if s.kind == "repeat-start"}
    for sign in inside:
        begun_before = max((b for b in ends if b < sign.bar), default=-1) < first - 1
        ends_behind = any(b > last for b in ends) and not any(sign.bar <= b <= last for b in ends)
        if sign.kind == "repeat-end" and first and begun_before and not any(first <= b <= sign.bar for b in starts):
            draft.put(replace(sign, bar=first - 1))
        elif sign.kind == "repeat-start" and ends_behind and last + 1 not in starts:
            draft.put(replace(sign, bar=last + 1))
        else:
            draft.drop(sign)


@dataclass(frozen=True, slots=True)
class EmptyBars(FrameEdit):
    """Bars (indices, both included) are emptied of notes and marks; they stay."""

    first: BarIndex
    last: BarIndex
    name: Literal["empty-bars"] = "empty-bars"

    def reach(self, piece: Piece) -> int:
        """See FrameEdit."""
        return piece.about_between(*sorted((self.first, self.last)))

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        first, last = checked_bars(piece, self.first, self.last)
        draft = Draft(piece)
        gone = emptied(draft, first, last)
        return draft.change(f"{capital(bars_words(piece, first, last))} emptied of {count_words(gone, 'note')}")


def checked_bars(piece: Piece, first: int, last: int) -> tuple[int, int]:
    """Bars that are there. Raises BadInput."""
    first, last = min(first, last), max(first, last)
    if first >= piece.bar_count:
        raise BadInput("There is no such bar yet. Nothing was changed.")
    return first, min(last, piece.bar_count - 1)


def emptied(draft: Draft, first: int, last: int) -> int:
    """Drop notes and marks that begin in bars, cut notes that reach in; returns how many notes went."""
    piece = draft.piece
    start, end = piece.timeline.bar(first).start, piece.timeline.bar(last).end
    inside = [n for p in piece.parts for n in piece.notes_between(p, start, end)]
    for line in {n.line for n in inside}:
        clear_span(draft, line, start, end)
    for mark in piece.marks.values():
        if start <= mark.tick < end and KINDS[mark.kind].anchor != "notes":
            draft.drop(mark)
    return sum(n.tick >= start for n in inside)


@dataclass(frozen=True, slots=True)
class TrimBars(FrameEdit):
    """The empty bars at the end go."""

    name: Literal["trim-bars"] = "trim-bars"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        used = max(max(piece.last_end, default=-1) + 1, 1)
        left = piece.bar_count - used
        draft = Draft(piece)
        draft.put(replace(piece.facts, bars=used))
        for sign in piece.signs.values():
            if sign.bar >= used:
                draft.drop(sign)
        return draft.change(
            f"{count_words(left, 'empty bar')} at the end removed" if left > 0 else "No bar at the end is empty"
        )


@dataclass(frozen=True, slots=True)
class CopyBars(MovingEdit):
    """Bars (indices, both included) of all parts once more (``times``), inserted in front of a bar, with their
    marks, meters and keys.
    """

    first: BarIndex
    last: BarIndex
    to: BarIndex
    times: Annotated[int, Ge(1), Le(50)] = 1
    name: Literal["copy-bars"] = "copy-bars"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        first, last = checked_bars(piece, self.first, self.last)
        first, last = piece.timeline.parts_of(first)[0], piece.timeline.parts_of(last)[-1]
        with_pickup = bool(piece.timeline.bar(first).missing)
        if with_pickup and (last == first or not piece.timeline.parts_of(self.to)[0]):
            raise BadInput("A pick-up alone cannot be copied; take the bars behind it, too. Nothing was changed.")
        first += with_pickup
        notes = sum(1 for _ in _source(piece, first, last))
        if notes * self.times > MOST_COPIED:
            raise BadInput(
                f"That would write {notes * self.times:,} notes at once; copy fewer bars. Nothing was changed."
            )
        changes: list[Change] = []
        source, to, count = (first, last), piece.timeline.parts_of(self.to)[0], last - first + 1
        page, at = piece, to
        for _ in range(self.times):
            change = _copied_once(page, first, last, at)
            changes.append(change)
            page = change.apply(page)
            if at <= first:
                first, last = first + (last - first + 1), last + (last - first + 1)
            at += count
        what = capital(bars_words(piece, *source))
        times = "" if self.times == 1 else f" {self.times} times"
        say = (
            f"{what} copied{times} in front of "
            f"{bars_words(piece, to, to)}{tied_over(piece, piece.timeline.bar(to).start)}"
        )
        if with_pickup:
            start = page.timeline.bar(to).start
            led, words = pickup_before(page, start)
            changes.append(led)
            say += words
        return joined(say, changes)


def pickup_before(piece: Piece, start: int) -> tuple[Change, str]:
    """The notes of the pick-up once more, leading to a copy that begins at ``start``.

    In the voices that are silent there. In words, what became of them.
    """
    bar = piece.timeline.bar(0)
    draft, kept, left = Draft(piece), 0, 0
    for note in [n for p in piece.parts for n in piece.notes_between(p, bar.start, bar.end)]:
        tick = start - (bar.end - note.tick)
        ticks = min(note.ticks, bar.end - note.tick)
        if tick < bar.end or piece.line_between(note.line, tick, tick + ticks):
            left += 1
            continue
        draft.put(replace(note, id=draft.new_id("n"), tick=tick, ticks=ticks, take=None, event=None))
        kept += 1
    words = f", with {count_words(kept, 'note')} of the pick-up before it" if kept else ""
    return draft.change(""), words + (
        f"; {count_words(left, 'note')} of the pick-up left out, since notes stand there" if left else ""
    )


def _source(piece: Piece, first: int, last: int) -> list[Note]:
    """The notes of bars, cut at their end; of those that are tied into them, what sounds there."""
    start, end = piece.timeline.bar(first).start, piece.timeline.bar(last).end
    found = (n for p in piece.parts for n in piece.notes_between(p, start, end))
    return [
        replace(n, ticks=min(n.ticks, end - n.tick))
        if n.tick >= start
        else replace(n, tick=start, ticks=min(n.end, end) - start, sounds_ticks=None, lyrics=(), grace_notes=())
        for n in found
    ]


def _copied_once(piece: Piece, first: int, last: int, to: int) -> Change:
    """One copy: room is made, the meters and keys of the bars are set there, notes and marks follow."""
    count = last - first + 1
    made = _room(piece, first, last, to)
    page = made.apply(piece)
    shift_bars = count if to <= first else 0
    source_first, source_last = first + shift_bars, last + shift_bars
    by = page.timeline.bar(to).start - page.timeline.bar(source_first).start
    draft = Draft(page)
    notes = _source(page, source_first, source_last)
    excerpt = excerpt_of(page, notes)
    places = {n.line: n.line for n in notes}
    put_copies(draft, excerpt, places, by)
    start, end = page.timeline.bar(source_first).start, page.timeline.bar(source_last).end
    taken = {m.id for m in excerpt.marks}
    for mark in page.marks.values():
        if (
            start <= mark.tick < end
            and mark.id not in taken
            and KINDS[mark.kind].anchor == "place"
            and KINDS[mark.kind].copied
        ):
            draft.put(replace(mark, id=draft.new_id("m"), tick=mark.tick + by))
    for sign in page.signs.values():
        if source_first <= sign.bar <= source_last and sign.kind != "section":
            draft.put(replace(sign, id=draft.new_id("s"), bar=sign.bar + to - source_first))
    for clef in page.clefs.values():
        if start <= clef.tick < end:
            draft.put(replace(clef, id=draft.new_id("c"), tick=clef.tick + by))
    return joined("", (made, draft.change("")))


def _room(piece: Piece, first: int, last: int, to: int) -> Change:
    """Bars of the lengths of the source, inserted in front of a bar."""
    count = last - first + 1
    timeline = piece.timeline
    length = timeline.bar(last).end - timeline.bar(first).start
    draft = Draft(piece)
    at = max(to, 1 if timeline.bar(0).missing else 0)
    shifted_ticks(draft, timeline.bar(at).start, length)
    shifted_bars(draft, at, count)
    signed = timeline.bar(at - 1).meter if at else None
    before = timeline.laid_by(at - 1) if at else None
    for k, b in enumerate(range(first, last + 1)):
        meter, bar = timeline.laid_by(b), timeline.bar(b)
        if meter != before and at + k:
            sign = "none" if bar.meter == signed or not bar.whole else sign_of(piece, meter)
            draft.put(MeterChange(draft.new_id("m"), at + k, meter, sign))
        before, signed = meter, bar.meter
    after = timeline.laid_by(at)
    if after != before and not any(m.bar == at for m in piece.meters.values()):
        draft.put(
            MeterChange(draft.new_id("m"), at + count, after, "none" if after == signed else sign_of(piece, after))
        )
    elif after == before:
        for change in piece.meters.values():
            if change.bar == at and change.bar > 0:
                draft.drop(change)
    draft.put(replace(piece.facts, bars=max(piece.bar_count, at) + count))
    return draft.change("")


def sign_of(piece: Piece, meter: Meter) -> str:
    """How a meter is written where the piece has it already: as C, as C with a stroke, in numbers."""
    return next((m.sign for m in piece.meters.values() if m.meter == meter and m.sign != "none"), "")


@dataclass(frozen=True, slots=True)
class SectionAgain(MovingEdit):
    """A named section once more, inserted in front of a bar: A B, then "A" again."""

    section: Annotated[str, MaxLen(200)]
    to: BarIndex
    name: Literal["section-again"] = "section-again"

    def change(self, piece: Piece) -> Change:
        """See FrameEdit."""
        found = section_bars(piece, self.section)
        change = CopyBars(*found, self.to).change(piece)
        page = change.apply(piece)
        draft = Draft(page)
        draft.put(BarSign(draft.new_id("s"), "section", self.to, self.section))
        return joined(
            f"Section {self.section} again from {bars_words(page, self.to, self.to)} on", (change, draft.change(""))
        )


def section_bars(piece: Piece, name: str) -> tuple[int, int]:
    """The bars of a named section, up to the next one or the end. Raises BadInput when there is none of that name."""
    names = sorted((s for s in piece.signs.values() if s.kind == "section"), key=lambda s: s.bar)
    for k, sign in enumerate(names):
        if sign.text.casefold() == name.strip().casefold():
            used = max(max(piece.last_end, default=-1), sign.bar)
            return sign.bar, names[k + 1].bar - 1 if k + 1 < len(names) else used
    there = ", ".join(s.text for s in names) or "none yet: write [A] at its first bar"
    raise BadInput(f"There is no section “{name[:40]}”; sections are {there}. Nothing was changed.")
