"""Marks at the pen: what the next note carries, what goes on from note to note, and words sung along the notes."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated, Literal

from ductus.core.entry.commands.base import EntryCommand
from ductus.core.entry.commands.mode import GraceNext
from ductus.core.entry.state import EntryState, OpenMark, Outcome, evolved
from ductus.core.entry.writing.carried_marks import open_words, reaching
from ductus.core.errors import BadInput
from ductus.core.limits import Ge, Le, MaxLen
from ductus.core.score.mark_edits.lyrics import LONGEST, MOST_VERSES, syllabic, with_syllable
from ductus.core.score.mark_edits.place_marks import marked, tops, where
from ductus.core.score.mark_language.modifiers import at_once, base_of
from ductus.core.score.mark_language.parser import Wish, wish_of
from ductus.core.score.mark_language.terms import RETURNING
from ductus.core.score.model.changes import Change, Draft
from ductus.core.score.model.mark_kinds import KINDS
from ductus.core.score.model.note_signs import NOTE_SIGNS, with_sign
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note, Syllable, printable
from ductus.core.words import capital, listed


@dataclass(frozen=True, slots=True)
class WithHere(EntryCommand):
    """A mark as musicians write it, to the notes that are selected or at the pen.

    There, signs of notes are carried by the next note, what spans goes on from the next note until it is given
    again, everything else stands at the pen.
    """

    text: Annotated[str, MaxLen(20_000)]
    name: Literal["with-here"] = "with-here"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        wish = wish_of(self.text)
        chosen = [piece.notes[i] for i in state.chosen if i in piece.notes]
        if chosen:
            change = marked(piece, wish, where(chosen, state.line, state.tick))
            state = self._closed_up(state, piece, change) if wish.sort == "grace" else state
            return Outcome(state, change if change.rows else None, change.sentence)
        if wish.sort == "grace" and not wish.without:
            return GraceNext(self.text.strip().lower().endswith("s")).run(state, piece, time_us)
        if wish.sort == "note" and not wish.without:
            return self._carried(state, wish)
        if spans_on(wish):
            return self._open(state, piece, wish)
        change = marked(piece, wish, where((), state.line, state.tick))
        return Outcome(state, change if change.rows else None, change.sentence)

    @staticmethod
    def _closed_up(state: EntryState, piece: Piece, change: Change) -> EntryState:
        """A pen behind the last note of its voice stays behind it."""
        last = max((n.end for n in piece.line_between(state.line, 0, state.tick)), default=-1) if state.tick else -1
        if last != state.tick:
            return state
        page = change.apply(piece)
        return evolved(
            state, tick=max((n.end for n in page.line_between(state.line, 0, state.tick)), default=state.tick)
        )

    @staticmethod
    def _carried(state: EntryState, wish: Wish) -> Outcome:
        if wish.kind in state.carries:
            left = tuple(s for s in state.carries if s != wish.kind)
            return Outcome(evolved(state, carries=left), say=f"The next note comes without {wish.words}")
        carries = with_sign(state.carries, wish.kind)
        return Outcome(
            evolved(state, carries=carries),
            say=f"The next note comes with {listed([NOTE_SIGNS[s].words for s in carries])}",
        )

    @staticmethod
    def _open(state: EntryState, piece: Piece, wish: Wish) -> Outcome:
        now = next((o for o in state.open_marks if o.kind == wish.kind), None)
        if now is not None and (wish.without or now.text == wish.text):
            return _ended(state, piece, now, wish.words)
        others = tuple(o for o in state.open_marks if o is not now)
        fresh, draft = OpenMark(wish.kind, wish.text), Draft(piece)
        bar, place = piece.timeline.bar_at(state.tick), piece.timeline.place_words(state.tick)
        there = [n for n in piece.line_between(state.line, state.tick, bar.end) if n.tick >= state.tick]
        if there:
            fresh = reaching(draft, fresh, state, there)
        state = evolved(state, open_marks=(*others, fresh))
        words = capital(open_words(fresh))
        if there:
            said = f"{words} from {place} to the end of the bar"
            return Outcome(state, draft.change(said) or None, said)
        return Outcome(state, say=f"{words} from {place} on, until it is given again")


def _ended(state: EntryState, piece: Piece, mark: OpenMark, words: str) -> Outcome:
    """What goes on ends at the pen: over the notes that stand before it. At its own beginning it is taken away."""
    left = tuple(o for o in state.open_marks if o is not mark)
    record, draft = piece.marks.get(mark.id), Draft(piece)
    said = f"{capital(words)} ends"
    if record is not None and state.tick <= record.tick:
        draft.drop(record)
        said = f"{capital(words)} taken away"
    elif record is not None:
        line = (record.part, record.staff, record.voice) if record.kind == "slur" else state.line
        there = [n for n in piece.line_between(line, record.tick, state.tick) if n.tick >= record.tick]
        if there:
            reaching(draft, mark, state, there)
            said = f"{capital(words)} ends at {piece.timeline.place_words(state.tick)}"
    return Outcome(evolved(state, open_marks=left), draft.change(said) or None, said)


def spans_on(wish: Wish) -> bool:
    """Does a wish reach from note to note?"""
    return (
        wish.sort == "mark"
        and KINDS[wish.kind].spans
        and not KINDS[wish.kind].pair
        and not (wish.kind == "tempo-word" and (at_once(wish.text) is not None or base_of(wish.text) in RETURNING))
    )


@dataclass(frozen=True, slots=True)
class Sing(EntryCommand):
    """A syllable under the chord at the pen (or the next one), and the pen goes on.

    After a "word", to the next "syllable" of the same word, or it "hold"s over the next chord.
    """

    text: Annotated[str, MaxLen(LONGEST)]
    then: Literal["word", "syllable", "hold"] = "word"
    verse: Annotated[int, Ge(1), Le(MOST_VERSES)] = 1
    name: Literal["sing"] = "sing"

    def run(self, state: EntryState, piece: Piece, time_us: int) -> Outcome:
        """See EntryCommand."""
        part, staff, voice = state.line
        chords = tops([n for n in piece.notes.values() if n.voice == voice and n.staff == staff and n.part == part])
        here = next((n for n in chords if n.tick >= state.tick), None)
        if here is None:
            raise BadInput("No note follows in this voice; the words end here. Nothing was changed.")
        before = [n for n in chords if n.tick < here.tick]
        sung = [word for n in before if (word := syllable_of(n, self.verse))]
        joined = bool(sung) and sung[-1] in ("begin", "middle")
        draft = Draft(piece)
        text = printable(self.text)
        last = next((n for n in reversed(before) if any(s.verse == self.verse and s.text for s in n.lyrics)), None)
        if text:
            own = Syllable(text, syllabic(joined, self.then == "syllable"), self.verse, self.then == "hold")
            draft.put(with_syllable(here, own, self.verse))
            after = next((n for n in chords if n.tick > here.tick), None)
            if self.then == "hold" and after is not None:
                draft.put(with_syllable(after, Syllable("", verse=self.verse, extends=True), self.verse))
        elif last is not None:
            held = next(s for s in last.lyrics if s.verse == self.verse)
            draft.put(with_syllable(here, Syllable("", verse=self.verse, extends=True), self.verse))
            draft.put(with_syllable(last, replace(held, extends=True), self.verse))
        later = [n.tick for n in chords if n.tick > here.tick]
        passed = 1 if text and self.then == "hold" else 0
        following = later[passed] if len(later) > passed else chords[-1].end
        say = f"{text or 'held'}{'-' if self.then == 'syllable' else ''} at {piece.timeline.place_words(here.tick)}"
        return Outcome(evolved(state, tick=following), draft.change(say) or None, say)


def syllable_of(note: Note, verse: int) -> str:
    """Where in its word the syllable of a note stands, "" for none."""
    return next((s.syllabic for s in note.lyrics if s.verse == verse and s.text), "")
