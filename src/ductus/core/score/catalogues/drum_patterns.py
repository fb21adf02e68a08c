"""Patterns: strokes that are written again and again, each bar of each copy following until its notes are changed by
hand.

Whether a bar follows is not stored: it does while its notes are those of the pattern. So undo, and putting a bar
right by hand, need no care.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from ductus.core.errors import BadInput, NotThere
from ductus.core.score.catalogues.drums import DRUMS, drum_pitch
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Cell, Note, Pattern
from ductus.core.time.bars import Bar
from ductus.core.time.meters import Meter

MOST_TIMES = 200
MOST_CELLS = 2_000
ACCENTS = (104, 92, 80, 66)  # velocities by metrical rank: bar, middle, beat, part of a beat (common practice)
Stroke = tuple[int, int, int]  # tick, MIDI key, velocity


def accent(bar: Bar, tick: int) -> int:
    """The velocity that a place in a bar asks for."""
    return ACCENTS[min(bar.meter.level_at(bar.offset_of(tick)), len(ACCENTS) - 1)]


def stroke_ends(bar: Bar, strokes: Iterable[tuple[int, int]]) -> dict[tuple[int, int], int]:
    """Where each stroke (tick, voice) of a bar ends as it is written.

    At the next stroke of its voice, at the latest with its beat (common practice: a stroke has no length, and the
    reader sees the beats).
    """
    by_voice: dict[int, list[int]] = {}
    for tick, voice in sorted(set(strokes)):
        by_voice.setdefault(voice, []).append(tick)
    out = {}
    for voice, ticks in by_voice.items():
        for tick, following in zip(ticks, [*ticks[1:], bar.end], strict=True):
            beat = next((t for t in bar.beats() if t > tick), bar.end)
            out[tick, voice] = min(following, max(beat, tick + 1), bar.end)
    return out


@dataclass(frozen=True, slots=True)
class CopyBar:
    """One bar of one copy: its number among the copies, the bar, where its copy begins, and the stretch of it that
    belongs to the pattern.
    """

    copy: int
    bar: Bar
    origin: int
    start: int
    end: int


def copy_bars(piece: Piece, pattern: Pattern) -> list[CopyBar]:
    """All bars of all copies, in order."""
    out = []
    for k in range(pattern.times):
        origin = pattern.start + k * pattern.ticks
        bar = piece.timeline.bar_at(origin)
        while bar.start < origin + pattern.ticks:
            out.append(CopyBar(k, bar, origin, max(bar.start, origin), min(bar.end, origin + pattern.ticks)))
            bar = piece.timeline.bar(bar.index + 1)
    return out


def strokes_in(pattern: Pattern, at: CopyBar) -> list[Stroke]:
    """What the pattern strikes in a bar of a copy."""
    return sorted((at.origin + c.at, c.key, c.velocity) for c in pattern.cells if at.start <= at.origin + c.at < at.end)


def notes_in(piece: Piece, part: str, at: CopyBar) -> list[Note]:
    """The notes that begin there."""
    return [n for n in piece.notes_between(part, at.start, at.end) if at.start <= n.tick < at.end]


def follows(piece: Piece, pattern: Pattern, at: CopyBar) -> bool:
    """Is a bar of a copy as the pattern has it?"""
    here = sorted((n.tick, n.pitch.midi, n.velocity) for n in notes_in(piece, pattern.part, at))
    return here == strokes_in(pattern, at)


def varied_bars(piece: Piece, pattern: Pattern) -> list[int]:
    """Bars (indices) that do not follow."""
    return [at.bar.index for at in copy_bars(piece, pattern) if not follows(piece, pattern, at)]


def write_bar(draft: Draft, pattern: Pattern, at: CopyBar) -> None:
    """Write a bar of a copy as the pattern has it: notes that are right already stay the same notes."""
    there = {(n.tick, n.pitch.midi, n.velocity): n for n in notes_in(draft.piece, pattern.part, at)}
    wanted = strokes_in(pattern, at)
    ends = stroke_ends(at.bar, ((tick, DRUMS[key].voice) for tick, key, _ in wanted))
    for stroke, note in there.items():
        if stroke not in wanted:
            draft.drop(note)
    for tick, key, velocity in wanted:
        voice = DRUMS[key].voice
        old = there.get((tick, key, velocity))
        ticks = min(ends[tick, voice], at.end) - tick
        new_id = old.id if old else draft.new_id("n")
        draft.put(Note(new_id, pattern.part, 1, voice, tick, ticks, drum_pitch(key), velocity))


def changed(draft: Draft, old: Pattern, new: Pattern) -> tuple[int, list[int]]:
    """Write what a pattern has become: bars that followed follow, those that were varied stay as they are, copies
    that are new replace what is there, copies that are gone leave silence. Returns how many bars were written,
    and the varied ones (indices).
    """
    piece = draft.piece
    followed = {(at.copy, at.bar.index) for at in copy_bars(piece, old) if follows(piece, old, at)}
    varied, written = [], 0
    for at in copy_bars(piece, new):
        if at.copy < old.times and (at.copy, at.bar.index) not in followed:
            varied.append(at.bar.index)
        else:
            write_bar(draft, new, at)
            written += 1
    for at in copy_bars(piece, old):
        if at.copy >= new.times and (at.copy, at.bar.index) in followed:
            for note in notes_in(piece, old.part, at):
                draft.drop(note)
    draft.put(new)
    return written, varied


def cells_from(piece: Piece, part: str, start: int, end: int) -> tuple[Cell, ...]:
    """What is written in a stretch of a part, as strokes of a pattern."""
    found = [n for n in piece.notes_between(part, start, end) if start <= n.tick < end and n.pitch.midi in DRUMS]
    return tuple(sorted((Cell(n.tick - start, n.ticks, n.pitch.midi, n.velocity) for n in found), key=cell_order))


def cell_order(cell: Cell) -> tuple[int, int]:
    """Sort key: by place, then from low to high."""
    return (cell.at, cell.key)


def pattern_of(piece: Piece, pattern_id: str) -> Pattern:
    """A pattern by its id. Raises NotThere."""
    found = piece.patterns.get(pattern_id)
    if found is None:
        raise NotThere("That pattern is not in the piece any more.")
    return found


@dataclass(frozen=True, slots=True)
class ReadyPattern:
    """A pattern to begin with: rows of one bar, a letter for each step ("x" a stroke, "X" a strong one, "." none),
    for bars of ``beats``.
    """

    name: str
    steps: int
    beats: tuple[int, int]
    rows: tuple[tuple[int, str], ...]

    def fits(self, meter: Meter) -> bool:
        """Is it for bars of this meter?"""
        return self.beats == (meter.count, meter.unit)

    def cells(self, bar: Bar) -> tuple[Cell, ...]:
        """Its strokes in a bar."""
        step = bar.ticks // self.steps
        out = []
        for key, row in self.rows:
            for k, letter in enumerate(row):
                if letter != ".":
                    loud = accent(bar, bar.start + k * step) + (12 if letter == "X" else 0)
                    out.append(Cell(k * step, step, key, min(loud, 127)))
        return tuple(sorted(out, key=cell_order))


READY: tuple[ReadyPattern, ...] = (
    ReadyPattern("eighths with a backbeat", 8, (4, 4), ((42, "xxxxxxxx"), (38, "..X...X."), (36, "x...xx.."))),
    ReadyPattern("sixteenths on the hat", 16, (4, 4),
        ((42, "xxxxxxxxxxxxxxxx"), (38, "....X.......X..."), (36, "x.....x.x.......",))),
    ReadyPattern("ride in long and short", 12, (4, 4),
        ((51, "x..x.xx..x.x"), (44, "...x.....x.."), (36, "x.....x....."))),
    ReadyPattern("slow, side stick", 8, (4, 4), ((42, "xxxxxxxx"), (37, "....X..."), (36, "x......x"))),
    ReadyPattern("waltz", 6, (3, 4), ((42, "..x.x."), (38, "..x.x."), (36, "X....."))),
    ReadyPattern("lifted waltz", 6, (3, 4), ((51, "x.xxx."), (38, "...x.."), (36, "X....."))),
    ReadyPattern("march", 8, (2, 4), ((38, "x.xxx.X."), (36, "x...x..."))),
    ReadyPattern("rocking six", 6, (6, 8), ((42, "xxxxxx"), (38, "...X.."), (36, "x....x"))),
    ReadyPattern("walking twelve", 12, (12, 8), ((51, "x.xx.xx.xx.x"), (38, "...X.....X.."), (36, "x.....x....."))),
)  # fmt: skip


def ready(name: str) -> ReadyPattern:
    """A ready pattern by its name. Raises BadInput."""
    found = next((p for p in READY if p.name == name), None)
    if found is None:
        raise BadInput(f"“{name[:40]}” is no ready pattern. Nothing was changed.")
    return found


def numbers_words(numbers: Sequence[int]) -> str:
    """Bars that are varied, in words: "bar 10 is varied"; "" for none."""
    if not numbers:
        return ""
    shown = ", ".join(map(str, numbers[:4])) + (" ..." if len(numbers) > 4 else "")
    return f"bar {shown} is varied" if len(numbers) == 1 else f"bars {shown} are varied"
