"""How marks go with notes: one table of kinds, obeyed by every edit, because every draft ends with ``follow_notes``.

A mark hangs on notes that it names (a slur), on the place of its staff (a dynamic), or spans ticks (a hairpin). When
notes move, are given to another staff or go, their marks move, go or stay as this table says; half a mark is never
left.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from ductus.core.score.model.piece import bars_touched
from ductus.core.score.model.records import Mark, Note

if TYPE_CHECKING:
    from ductus.core.score.model.changes import Draft


@dataclass(frozen=True, slots=True)
class MarkKind:
    """``anchor``: "notes" that the mark names, the "place" of its staff, or the "voice" whose rhythm it orders.

    ``travels``: it moves with the notes at its place when all of them move; ``dies``: it goes with the last of them;
    ``copied``: a copy takes it along. ``spans``: it reaches over a stretch; ``side``: where it stands by itself;
    ``words``: what it is called (empty: never on the page); ``alone``: one of its kind at a place; ``pair``: it
    joins a chord and the next of its voice (``between``); ``whole``: it is said to all parts, over the first. How it
    is written in MusicXML stands in ``formats.musicxml_marks``, what it does to the sound in ``playback``.
    """

    anchor: str
    travels: bool = True
    dies: bool = False
    copied: bool = True
    spans: bool = False
    side: str = ""
    words: str = ""
    alone: bool = True
    pair: bool = False
    whole: bool = False


KINDS: dict[str, MarkKind] = {
    "tuplet": MarkKind("voice", dies=True, spans=True),
    "silence": MarkKind("voice", travels=False),
    "slur": MarkKind("notes", dies=True, spans=True, words="slur", alone=False),
    "glissando": MarkKind("notes", dies=True, spans=True, words="glissando", alone=False, pair=True),
    "tremolo": MarkKind("notes", dies=True, spans=True, words="tremolo between two notes", alone=False, pair=True),
    "fermata": MarkKind("place", dies=True, side="above", words="fermata"),
    "dynamic": MarkKind("place", side="below", words="dynamic"),
    "hairpin": MarkKind("place", spans=True, side="below", words="hairpin"),
    "octave": MarkKind("place", spans=True, side="above", words="octave line"),
    "pedal": MarkKind("place", spans=True, side="below", words="pedal"),
    "tempo-word": MarkKind("place", spans=True, side="above", words="tempo word", whole=True),
    "swing": MarkKind("place", travels=False, side="above", words="swing", whole=True),
    "text": MarkKind("place", side="above", words="words", alone=False),
    "chord": MarkKind(
        "place", travels=False, side="above", words="chord symbol"
    ),  # harmony belongs to the bar, not to one part's note
    "scale": MarkKind("place", travels=False, side="above", words="scale"),
    "remark": MarkKind("place", words="", alone=False),
}


STROKES = ("1", "2", "3")  # texts of a tremolo
LEAST_SHARE, MOST_SHARE = 500, 750  # of a swing sign


def words_of(mark: Mark) -> str:
    """What a mark is called: by its words where it has some, else by its kind."""
    return KINDS[mark.kind].words if mark.kind == "tremolo" else mark.text or KINDS[mark.kind].words


def marks_of_notes(draft: Draft, notes: Iterable[Note]) -> dict[str, Mark]:
    """All marks of a piece that touch the bars of these notes, in their parts, as the draft has them."""
    piece = draft.piece
    found: dict[str, Mark] = {}
    if not len(piece.marks):
        return found
    seen: set[tuple[str, int]] = set()
    for note in notes:
        for bar in bars_touched(piece.timeline, note):
            if (note.part, bar) in seen:
                continue
            seen.add((note.part, bar))
            for mark in piece.marks_in_bar(note.part, bar):
                now = draft.mark(mark.id)
                if now is not None:
                    found[mark.id] = now
    return found


def follow_notes(draft: Draft) -> None:
    """Let marks follow the notes that a draft has moved, given away or dropped."""
    gone_or_moved = [
        (before, after)
        for before, after in draft.rows()
        if isinstance(before, Note) and (after is None or (isinstance(after, Note) and _home(after) != _home(before)))
    ]
    if not gone_or_moved:
        return
    marks = marks_of_notes(draft, (before for before, _ in gone_or_moved))
    if not marks:
        return
    for mark in marks.values():
        kind = KINDS[mark.kind]
        if kind.anchor == "notes":
            _follow_named(draft, mark)
        elif draft.mark(mark.id) != draft.piece.marks.get(mark.id):
            continue  # the edit has seen to it itself
        elif kind.anchor == "place":
            _follow_place(draft, mark, kind, gone_or_moved)
        elif mark.kind == "tuplet":
            _follow_rhythm(draft, mark, gone_or_moved)


def _home(note: Note) -> tuple[object, ...]:
    return (note.part, note.staff, note.tick, note.ticks)


def _follow_named(draft: Draft, mark: Mark) -> None:
    """A slur spans the notes that are left of it, and goes when fewer than two places are.

    So does what joins two neighbours, and a tremolo when they do not share its time evenly any more.
    """
    notes = [n for i in mark.notes if (n := draft.note(i)) is not None and n.part == mark.part]
    notes.sort(key=lambda n: (n.tick, n.id != mark.notes[0]))
    if len({n.tick for n in notes}) < 2:
        draft.drop(mark)
        return
    first, last = notes[0], notes[-1]
    if mark.kind == "tremolo" and not shared_evenly(first, last):
        draft.drop(mark)
        return
    kept = tuple(n.id for n in notes)
    draft.put(
        replace(mark, notes=kept, staff=first.staff, voice=first.voice, tick=first.tick, ticks=last.end - first.tick)
    )


def shared_evenly(first: Note, last: Note) -> bool:
    """Do two notes of a voice follow each other, one as long as the other?"""
    return first.line == last.line and first.end == last.tick and first.ticks == last.ticks


def _follow_place(draft: Draft, mark: Mark, kind: MarkKind, rows: Iterable[tuple[Note, object]]) -> None:
    mine = [(b, a) for b, a in rows if (b.part, b.staff, b.tick) == (mark.part, mark.staff, mark.tick)]
    if not mine:
        return
    left = [
        n
        for n in draft.piece.notes_between(mark.part, mark.tick, mark.tick + 1)
        if n.staff == mark.staff and n.tick == mark.tick
    ]
    still = [
        n for n in left if (now := draft.note(n.id)) is not None and (now.staff, now.tick) == (mark.staff, mark.tick)
    ]
    come = [n for n in draft.written_notes() if (n.part, n.staff, n.tick) == (mark.part, mark.staff, mark.tick)]
    if still or come:
        return
    targets = {(a.part, a.staff, a.tick) for _, a in mine if isinstance(a, Note)}
    if not targets:
        if kind.dies:
            draft.drop(mark)
        return
    if kind.travels and len(targets) == 1:
        part, staff, tick = next(iter(targets))
        draft.put(replace(mark, part=part, staff=staff, tick=tick))


def _follow_rhythm(draft: Draft, mark: Mark, rows: Iterable[tuple[Note, object]]) -> None:
    """A bracket goes with its notes when all of them move alike, and goes away when none is left in it."""
    line = (mark.part, mark.staff, mark.voice)
    if draft.line_between(line, mark.tick, mark.end):
        return
    mine = [(b, a) for b, a in rows if b.line == line and mark.tick <= b.tick < mark.end]
    moves = {(a.line, a.tick - b.tick) if isinstance(a, Note) and a.ticks == b.ticks else None for b, a in mine}
    move = next(iter(moves)) if len(moves) == 1 else None
    if move is None:
        draft.drop(mark)
    else:
        (part, staff, voice), by = move
        draft.put(replace(mark, part=part, staff=staff, voice=voice, tick=mark.tick + by))


def marks_with(draft: Draft, notes: list[Note]) -> list[Mark]:
    """The marks that a copy of these notes takes along: those that lie whole inside what is copied."""
    marks = marks_of_notes(draft, notes).values()
    if not marks:
        return []
    ids = {n.id for n in notes}
    places = {(n.part, n.staff, n.tick) for n in notes}
    voices: dict[tuple[str, int, int], list[Note]] = {}
    for n in notes:
        voices.setdefault((n.part, n.staff, n.voice), []).append(n)
    spans = {line: (min(n.tick for n in own), max(n.end for n in own)) for line, own in voices.items()}
    out = []
    for mark in marks:
        kind = KINDS[mark.kind]
        line = (mark.part, mark.staff, mark.voice)
        inside = line in spans and spans[line][0] <= mark.tick and mark.end <= spans[line][1]
        if kind.copied and (
            (kind.anchor == "notes" and set(mark.notes) <= ids)
            or (kind.anchor == "place" and (mark.part, mark.staff, mark.tick) in places)
            or (kind.anchor == "voice" and inside)
        ):
            out.append(mark)
    return sorted(out, key=lambda m: (m.tick, m.id))
