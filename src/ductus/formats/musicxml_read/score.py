"""From the parts of a file to a piece: bars from its measures, then notes, marks and signs at their ticks."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ductus.core.errors import BadInput, TooMuch
from ductus.core.score.model.note_signs import BAR_SIGNS, LINES
from ductus.core.score.model.piece import Piece, make_piece
from ductus.core.score.model.records import (
    MAX_TEXT,
    BarSign,
    Facts,
    KeyChange,
    Record,
    TempoMark,
    printable,
)
from ductus.core.time.bars import MAX_BAR
from ductus.formats.archives import NOTHING
from ductus.formats.musicxml_read.bars import Bars, Ids, lay_bars
from ductus.formats.musicxml_read.losses import Losses
from ductus.formats.musicxml_read.onto_staves import StavesWriter
from ductus.formats.musicxml_read.parts import PartReader, part_of
from ductus.formats.musicxml_read.raw import RawMeasure, RawPart
from ductus.formats.musicxml_read.source import partwise
from ductus.formats.musicxml_read.text import text_of
from ductus.formats.musicxml_xml import Element

MAX_PARTS = 64
MAX_NOTES = 200_000


@dataclass(frozen=True, slots=True)
class ReadScore:
    """A piece that came out of a file, and what of the file it does not hold, in sentences."""

    piece: Piece
    losses: tuple[str, ...]


def read_musicxml(data: bytes, name: str = "") -> ReadScore:
    """Read a file, plain or compressed, partwise or timewise.

    Raises BadInput for one that is damaged or holds no part, TooMuch for one that is too large.
    """
    root, losses = partwise(data), Losses()
    parts = read_parts(root, losses)
    ids = Ids(len(parts) * 4)
    bars = lay_bars(parts, losses, ids)
    records: list[Record] = [facts_of(root, name, bars, len(bars.starts), losses), *bars.meters]
    records += keys_of(parts, bars, losses, ids)
    records += tempi_of(parts, bars, losses, ids)
    records += signs_of(parts, bars, losses, ids)
    records += breaks_of(root, ids)
    names: set[str] = set()
    order = 0
    for part in parts:
        writer = StavesWriter(part, bars, losses, ids)
        on_page = writer.parts(order, names)
        order += len(on_page)
        records += [*on_page, *writer.records()]
    return ReadScore(make_piece(records), losses.sentences())


def read_parts(root: Element, losses: Losses) -> list[RawPart]:
    """All parts of a score. Raises BadInput, TooMuch."""
    entries = {e.get("id") or "": e for e in root.findall("part-list/score-part")}
    found = root.findall("part")
    if not found or not any(p.find("measure") is not None for p in found):
        raise BadInput(f"That score holds no bars. {NOTHING}")
    if len(found) > MAX_PARTS:
        raise TooMuch(f"That score has {len(found)} parts; Ductus takes {MAX_PARTS}. {NOTHING}")
    if sum(1 for _ in root.iter("note")) > MAX_NOTES:
        raise TooMuch(f"That score has more than {MAX_NOTES:,} notes; cut it into parts first. {NOTHING}")
    parts = []
    for k, element in enumerate(found, 1):
        measures = element.findall("measure")
        if len(measures) > MAX_BAR:
            raise TooMuch(f"That score has {len(measures):,} bars; pieces end at bar {MAX_BAR:,}. {NOTHING}")
        part_id = element.get("id") or ""
        parts.append(PartReader(part_of(entries.get(part_id), f"p{k}"), losses).read(measures))
    most = max(len(p.measures) for p in parts)
    for part in parts:
        if len(part.measures) < most:
            losses.once(f"{part.name or part.id} ends before the other parts; rests follow.")
        part.measures += [RawMeasure(str(n + 1)) for n in range(len(part.measures), most)]
    return parts


def facts_of(root: Element, name: str, bars: Bars, count: int, losses: Losses) -> Facts:
    """What stands at the head of the page."""
    title, movement = printable(text_of(root, "work/work-title")), printable(text_of(root, "movement-title"))
    number = printable(text_of(root, "work/work-number"))
    people = {"composer": "", "arranger": "", "lyricist": ""}
    for creator in root.findall("identification/creator"):
        kind, words = creator.get("type") or "composer", printable(creator.text or "")
        kind = "lyricist" if kind == "poet" else kind
        if kind in people and not people[kind]:
            people[kind] = words
        elif words:
            losses.once(f"“{words[:60]}” ({kind[:20]}) is not on the page.")
    found = [printable(e.text or "") for e in root.findall("identification/rights")]
    rights = " ".join(words for words in found if words)
    if not title:
        title, movement = movement or printable(name), ""
    elif movement == title:
        movement = ""
    head = {"title": title, "subtitle": movement, "number": number, "rights": rights, **people}
    return Facts(**{name: words[:MAX_TEXT] for name, words in head.items()}, pickup=bars.pickup, bars=count)


# --- keys, tempi, signs of bars --------------------------------------------------------------------


def keys_of(parts: list[RawPart], bars: Bars, losses: Losses, ids: Ids) -> Iterator[KeyChange]:
    """The key signatures, as they sound; one inside a bar stands at the next."""
    pitched = [p for p in parts if not p.percussion] or parts
    plain = [p for p in pitched if p.transpose == (0, 0)] or pitched
    found: dict[int, tuple[int, str]] = {}
    for part in plain:
        for bar, measure in enumerate(part.measures):
            for at, fifths, mode in measure.keys:
                inside = at > 0 and bar + 1 < len(bars.starts)
                if inside and part is plain[0]:
                    losses.add("key signature~ inside a bar (moved to the next)", measure.number)
                if part is plain[0] or bar + inside not in found:
                    found[bar + inside] = (fifths, mode)
                elif found[bar + inside][0] != fifths:
                    losses.add("key signature~ of a part that differs from the first", measure.number)
    now: tuple[int, str] | None = None
    found.setdefault(0, (0, "major"))
    for bar in sorted(found):
        if found[bar] != now:
            now = found[bar]
            yield KeyChange(ids.new("k"), bar, *now)


def tempi_of(parts: list[RawPart], bars: Bars, losses: Losses, ids: Ids) -> Iterator[TempoMark]:
    """All tempo marks; of several at one place the first that is printed counts."""
    found: dict[int, TempoMark] = {}
    for part in parts:
        for bar, measure in enumerate(part.measures):
            for raw in measure.tempi:
                tick = bars.tick(bar, raw.at, losses, measure.number)
                old = found.get(tick)
                if old is None or (raw.printed and not old.printed):
                    found[tick] = TempoMark(ids.new("t"), tick, raw.bpm, raw.beat, raw.text, raw.printed, raw.shown)
    before: TempoMark | None = None
    for tick in sorted(found):
        mark = found[tick]
        if not mark.printed and before is not None and mark.quarters_per_minute == before.quarters_per_minute:
            continue
        before = mark
        yield mark


def signs_of(parts: list[RawPart], bars: Bars, losses: Losses, ids: Ids) -> Iterator[BarSign]:
    """Repeats, endings, bar lines, jumps and sections: what any part says of a bar holds for all."""
    last = len(bars.starts) - 1
    found: dict[tuple[int, str], str] = {}
    for part in parts:
        for bar, measure in enumerate(part.measures):
            for kind, text in measure.signs:
                way, _, name = kind.rpartition(" ")  # what stands at the other side belongs to the bar beside it
                at = bar + {"left": -1, "next": 1}.get(way, 0)
                if 0 <= at <= last and not (name == "final" and at == last):
                    found.setdefault((at, name), text)
    yield from endings_of(parts, bars, losses, ids)
    changes = {b for b, m in enumerate(parts[0].measures) if any(at == 0 for at, *_ in m.keys)}
    seen: set[str] = set()
    for (bar, kind), text in sorted(found.items()):
        if kind == "double" and bar + 1 in changes:
            continue  # stands there by itself, before a new key
        if kind in LINES and any((bar, k) in found for k in LINES[: LINES.index(kind)]):
            continue
        if BAR_SIGNS[kind].alone and kind in seen:
            losses.add(f"second~ “{BAR_SIGNS[kind].words}”", parts[0].measures[bar].number)
            continue
        seen.add(kind)
        yield BarSign(ids.new("s"), kind, bar, text)


def breaks_of(root: Element, ids: Ids) -> Iterator[BarSign]:
    """Breaks that were set by hand, from files of our own.

    Others name every system of their own page, which need not be those of ours.
    """
    if text_of(root, "identification/encoding/software") != "Ductus":
        return
    for bar, measure in enumerate(root.iterfind("part[1]/measure")):
        for shown in measure.findall("print") if bar else ():
            if shown.get("new-page") == "yes" or shown.get("new-system") == "yes":
                yield BarSign(ids.new("s"), "page-break" if shown.get("new-page") == "yes" else "system-break", bar)


def endings_of(parts: list[RawPart], bars: Bars, losses: Losses, ids: Ids) -> Iterator[BarSign]:
    """First and second endings, as the first part that has any says them."""
    for part in parts:
        if not any(m.endings for m in part.measures):
            continue
        begun: tuple[int, str] | None = None
        for bar, measure in enumerate(part.measures):
            for numbers, way in measure.endings:
                if way == "start":
                    begun = (bar, numbers)
                elif begun is not None:
                    yield BarSign(ids.new("s"), "ending", begun[0], begun[1], bar - begun[0] + 1)
                    begun = None
        if begun is not None:
            losses.add("ending~ without an end (reaching over one bar)", part.measures[begun[0]].number)
            yield BarSign(ids.new("s"), "ending", begun[0], begun[1], 1)
        return
