"""What all edits of a selection share.

An edit is a frozen record; its fields are its arguments with their ranges, from which the types of the wire are
made. ``change`` gives the Change on a piece; ids that are gone are passed over, and an edit that changes nothing
gives an empty change.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Annotated

from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le
from ductus.core.score.model.changes import Change, Draft, Line
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note
from ductus.core.score.model.voice_rule import keep_apart
from ductus.core.time.note_values import BASE_TICKS
from ductus.core.words import count_words

FINEST_TICKS = BASE_TICKS["128th"]  # nothing is made shorter than the finest value of the ladder
Shown = Annotated[int, Ge(-960 * 64), Le(960 * 64)]  # ticks as people see them, 960 to the quarter


@dataclass(frozen=True, slots=True)
class At:
    """Where and how the pen stands while a selection is edited.

    Its voice, place, step in ticks and policy (see ``edits``).
    """

    line: Line
    tick: int
    step: int = BASE_TICKS["quarter"]
    policy: str = "replace"


@dataclass(frozen=True, slots=True)
class Edit:
    """Base of all edits."""

    def change(self, piece: Piece, notes: Sequence[Note], at: At) -> Change:
        """The change that this edit makes. Raises BadInput, and then nothing is changed."""
        raise NotImplementedError

    def reach(self, piece: Piece, notes: Sequence[Note]) -> int:
        """About how many notes the edit may change: what costs time."""
        return len(notes)


class ConfirmationNeeded(BadInput):
    """An edit would overwrite something: ``again`` is the same edit with the answer yes, ``yes`` its words."""

    def __init__(self, words: str, yes: str, again: Edit) -> None:
        super().__init__(words)
        self.yes, self.again = yes, again


def chords_of(notes: Iterable[Note]) -> dict[Line, dict[int, list[Note]]]:
    """Notes by line and tick, both in order."""
    out: dict[Line, dict[int, list[Note]]] = defaultdict(lambda: defaultdict(list))
    for note in sorted(notes, key=lambda n: (n.line, n.tick, n.pitch.midi)):
        out[note.line][note.tick].append(note)
    return out


def changed_notes(draft: Draft) -> int:
    """How many notes a draft changes, adds or removes."""
    return sum(isinstance(b, Note) or isinstance(a, Note) for b, a in draft.rows())


def finished(draft: Draft, words: Callable[[str], str], ids: Iterable[str] | None = None) -> Change:
    """The change of a draft: notes that were moved or lengthened are kept apart from others of their voice, and what
    is said counts what changed. ``words`` gets "3 notes".
    """
    mine = [n.id for n in draft.written_notes()] if ids is None else ids
    count = changed_notes(draft)
    moved = keep_apart(draft, mine)
    if not count:
        return draft.change("Nothing to change")
    say = words(count_words(count, "note"))
    if moved:
        say += f"; {count_words(moved, 'note')} in another voice, since the own one sounds there"
    return draft.change(say)


def each(
    piece: Piece, notes: Sequence[Note], new: Callable[[Note], Note | None], words: Callable[[str], str]
) -> Change:
    """Replace each note by what ``new`` makes of it (None: as it is)."""
    draft = Draft(piece)
    for note in notes:
        fresh = new(note)
        if fresh is not None and fresh != note:
            draft.put(fresh)
    return finished(draft, words)


def next_onset(piece: Piece, line: Line, tick: int) -> int | None:
    """The next onset of a voice after a tick, looked for up to the end of the piece."""
    bar = piece.timeline.bar_at(tick)
    while bar.index < piece.bar_count:
        later = [n.tick for n in piece.line_between(line, max(bar.start, tick + 1), bar.end) if n.tick > tick]
        if later:
            return min(later)
        bar = piece.timeline.bar(bar.index + 1)
    return None


def silence_from(piece: Piece, line: Line, tick: int, end: int) -> int:
    """Where a silence that was marked as meant begins in [tick, end); ``end`` if there is none."""
    bars = range(piece.timeline.bar_at(tick).index, piece.timeline.bar_at(max(end - 1, tick)).index + 1)
    marks = (
        m
        for bar in bars
        for m in piece.marks_in_bar(line[0], bar)
        if m.kind == "silence" and (m.part, m.staff, m.voice) == line
    )
    return min((m.tick for m in marks if tick < m.tick < end), default=end)


def shortened(note: Note, ticks: int) -> Note:
    """The note with another written length; what it sounded apart from that is forgotten."""
    return replace(note, ticks=ticks, sounds_ticks=None)
