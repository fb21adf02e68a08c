"""Marks with two ends: slurs between notes, hairpins, lines and pedals between places."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from ductus.core.score.model.mark_kinds import KINDS, shared_evenly
from ductus.core.score.model.records import Mark, Note
from ductus.formats.musicxml_read.bars import Ids
from ductus.formats.musicxml_read.chains import Chain
from ductus.formats.musicxml_read.losses import Losses
from ductus.formats.musicxml_read.raw import RawEnd, RawMark

LEAST_TICKS = 1


@dataclass(frozen=True, slots=True)
class LineEnd:
    """Where a slur, glissando or tremolo begins or ends.

    At a printed note from ``tick`` until ``until``, of a voice of the file.
    """

    tick: int
    until: int
    line: tuple[int, str]
    end: RawEnd
    chain: Chain
    bar: str


def lines(
    ends: Sequence[LineEnd], notes: Mapping[str, Note], slurred: set[str], ids: Ids, losses: Losses
) -> Iterator[Mark]:
    """Slurs, glissandi and tremolos with both ends.

    ``ends`` in the order of the file; ``slurred`` gets the ids of the notes whose grace notes are slurred to them:
    that is no mark of its own.
    """
    for kind in ("slur", "glissando", "tremolo"):
        mine = [e for e in ends if e.end.kind == kind and e.end.way in ("start", "stop")]
        for start, end in _pairs(kind, mine, losses):
            first, last = notes.get(start.chain.id), notes.get(end.chain.id)
            if kind == "slur" and start.end.grace:
                slurred.add(start.chain.id)
                if start.tick == end.tick:
                    continue
                losses.add("slur~ from a grace note (now from the note behind it)", start.bar)
            elif start.end.grace or end.end.grace:
                losses.add(f"{kind}~ at a grace note (now at the note behind it)", start.bar)
            if first is None or last is None or first.tick >= last.tick:
                losses.add(f"{kind}~ within one note or chord", start.bar)
            elif kind == "tremolo" and not shared_evenly(first, last):
                losses.add("tremolo~ between two notes of unequal length", start.bar)
            else:
                side, begin = start.end.side, first.tick if KINDS[kind].pair else start.tick
                yield Mark(
                    ids.new("m"), kind, first.part, first.staff, first.voice, begin,
                    max((last.end if KINDS[kind].pair else end.until) - begin, LEAST_TICKS), start.end.text,
                    notes=(first.id, last.id), side=side if side in ("above", "below") else "",
                )  # fmt: skip


def _pairs(kind: str, ends: list[LineEnd], losses: Losses) -> list[tuple[LineEnd, LineEnd]]:
    """Beginnings with their ends: by number, of one voice first.

    What a file states the wrong way round (another voice, written before) is paired by time.
    """
    begun: dict[str, list[LineEnd]] = defaultdict(list)
    out: list[tuple[LineEnd, LineEnd]] = []
    left: list[LineEnd] = []
    for end in ends:
        if end.end.way == "start":
            begun[end.end.number].append(end)
            continue
        waiting = [s for s in begun[end.end.number] if s.tick <= end.tick]
        if not waiting:
            left.append(end)
            continue
        start = max(waiting, key=lambda s: (s.line[1] == end.line[1], s.line[0] == end.line[0]))
        begun[end.end.number].remove(start)
        out.append((start, end))
    for end in sorted(left, key=lambda e: e.tick):
        late = [s for s in begun[end.end.number] if s.tick <= end.tick]
        if not late:
            losses.add(f"{kind}~ with one end", end.bar)
            continue
        begun[end.end.number].remove(late[0])
        out.append((late[0], end))
    for start in (s for starts in begun.values() for s in starts):
        losses.add(f"{kind}~ with one end", start.bar)
    return out


def spans(
    found: Iterable[tuple[int, str, RawMark]], home: Callable[[int], tuple[str, int]], ids: Ids, losses: Losses
) -> Iterator[Mark]:
    """Marks at places, and those with two ends paired by kind, number and time."""
    begun: dict[tuple[str, str], list[tuple[int, str, RawMark]]] = defaultdict(list)
    ordered = sorted(found, key=lambda f: (f[0], f[2].which == "start"))
    for tick, number, raw in ordered:
        part, staff = home(raw.staff)
        key = (raw.number if raw.number.startswith("dashes") else raw.kind, raw.number)
        if raw.kind == "dashes":
            key = (f"dashes {raw.number}", f"dashes {raw.number}")
        if raw.which == "at":
            yield Mark(ids.new("m"), raw.kind, part, staff, 1, tick, 0, raw.text, side=raw.side, share=raw.share)
        elif raw.which == "start":
            begun[key].append((tick, number, raw))
        elif begun[key]:
            start, _, first = begun[key].pop()
            part, staff = home(first.staff)
            if tick > start:
                yield Mark(ids.new("m"), first.kind, part, staff, 1, start, tick - start, first.text, side=first.side)
            else:
                losses.add(f"{KINDS[first.kind].words}~ of no length", number)
        elif raw.kind != "dashes":
            losses.add(f"{KINDS[raw.kind].words}~ with one end", number)
    for starts in begun.values():
        for start, number, raw in starts:
            if raw.kind == "tempo-word":
                yield Mark(ids.new("m"), raw.kind, *home(raw.staff), 1, start, 0, raw.text, side=raw.side)
            else:
                losses.add(f"{KINDS[raw.kind].words}~ with one end", number)
