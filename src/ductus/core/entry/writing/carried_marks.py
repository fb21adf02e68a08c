"""What goes along with notes that are entered.

Signs that the next note carries, and marks that go on from note to note.
"""

from __future__ import annotations

from dataclasses import replace

from ductus.core.entry.state import EntryState, OpenMark, Outcome, evolved
from ductus.core.entry.writing.graces import give_graces
from ductus.core.score.mark_edits.place_marks import Where, home_of, tops
from ductus.core.score.model.changes import Draft, joined
from ductus.core.score.model.mark_kinds import KINDS
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Mark, Note


def open_words(mark: OpenMark) -> str:
    """A mark that goes on, in words."""
    if mark.kind == "hairpin" and mark.text in "<>":
        return "crescendo" if mark.text == "<" else "diminuendo"
    return mark.text or KINDS[mark.kind].words


def carried(before: EntryState, outcome: Outcome, piece: Piece) -> Outcome:
    """The outcome of an event of entry with what its new notes carry and what goes on over them."""
    graces = outcome.state.graces or before.graces
    if not (before.carries or before.open_marks or graces) or outcome.change is None:
        return outcome
    fresh = [
        a
        for b, a in outcome.change.rows
        if isinstance(a, Note) and (b is None or a.tick + a.ticks != b.tick + b.ticks)  # type: ignore[union-attr]
    ]
    fresh = [n for n in fresh if n.part == before.part]
    if not fresh:
        return outcome
    after = outcome.change.apply(piece)
    draft = Draft(after)
    if graces:
        give_graces(draft, graces, fresh)
    for note in fresh:
        if before.carries:
            now = draft.note(note.id) or note
            draft.put(replace(now, signs=(*now.signs, *(s for s in before.carries if s not in now.signs))))
    marks = tuple(reaching(draft, mark, before, fresh) for mark in before.open_marks)
    state = evolved(outcome.state, carries=(), graces=(), open_marks=marks if outcome.state.open_marks else ())
    more = draft.change(outcome.change.sentence)
    return replace(outcome, state=state, change=joined(outcome.change.sentence, (outcome.change, more)))


def reaching(draft: Draft, mark: OpenMark, state: EntryState, fresh: list[Note]) -> OpenMark:
    """The mark, now up to the end of these notes: what was written, or what stood there."""
    piece = draft.piece
    old = piece.marks.get(mark.id)
    mine = tops([n for n in fresh if n.line == state.line]) or tops(fresh)
    end = max(n.end for n in fresh)
    if mark.kind == "slur":
        known = (
            [piece.notes[i] for i in old.notes if i in piece.notes]
            if old
            else [piece.notes[mark.first]]
            if mark.first in piece.notes
            else []
        )
        notes = tops([*known, *mine])
        if len(notes) < 2:
            return replace(mark, first=notes[0].id)
        first, last = notes[0], notes[-1]
        part, staff, voice = first.line
        record = Mark(
            old.id if old else draft.new_id("m"),
            "slur",
            part,
            staff,
            voice,
            first.tick,
            last.end - first.tick,
            notes=tuple(n.id for n in notes),
        )
    elif old is not None:
        record = replace(old, ticks=max(end, old.tick + 1) - old.tick)
    else:
        start = min(n.tick for n in fresh)
        part, staff = home_of(piece, mark.kind, Where(tuple(fresh), state.line, start))
        record = Mark(draft.new_id("m"), mark.kind, part, staff, 1, start, end - start, mark.text)
    draft.put(record)
    return replace(mark, id=record.id)
