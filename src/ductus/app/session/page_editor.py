"""What one browser does to the page: its pen, what it has selected, its edits, undo and redo."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ductus.app import wire as m
from ductus.app.document.desk import Desk
from ductus.app.document.sheet import LineShare, PageSize
from ductus.app.document.sheets import View
from ductus.app.session.bulk_edits import (
    clip,
    long_cut,
    long_edit,
    long_frame,
    long_paste,
    lowest_first,
    selection_words,
)
from ductus.app.session.neighbours import Neighbour
from ductus.app.session.page_queries import marks_left, page_change
from ductus.app.takes.proof import Prover
from ductus.app.wire.mapping import pen_fact, selection_fact, sheet_fact, state_fact
from ductus.core.entry.commands.pen import PlacePen
from ductus.core.entry.events import Command, Event
from ductus.core.entry.machine import fitted, followed
from ductus.core.entry.state import EntryState, Outcome, evolved
from ductus.core.entry.writing.step import dropped_words
from ductus.core.score.model.changes import Change, PenPlace
from ductus.core.score.model.records import Note
from ductus.core.score.note_edits.base import At
from ductus.core.score.note_edits.clipboard import Excerpt
from ductus.core.score.note_edits.registry import edit_notes
from ductus.core.score.note_edits.select import Select, select


def within_view(before: EntryState, outcome: Outcome, view: View) -> Outcome:
    """What follows from an event, with the pen in what the window shows: it does not go where nobody sees it."""
    there = outcome.state
    if (
        (there.part, there.staff) == (before.part, before.staff)
        or outcome.change
        or view.shows(there.part, there.staff)
    ):
        return outcome
    if not view.shows(before.part, before.staff):
        return outcome
    return Outcome(before, say=f"Only this {'staff' if view.staff else 'part'} is shown: the pen stays in it")


class Editor(Neighbour):
    """The page as one browser edits it. Methods are called under the desk's lock."""

    def __init__(self, desk: Desk, state: EntryState) -> None:
        super().__init__(desk, state)
        self.prover = Prover(desk)
        self.near_bar = 0
        self._clipboard = Excerpt()

    def _enter(self, event: Event) -> None:
        """One event of entry."""
        raise NotImplementedError

    def _apply(self, change: Change, base: int | None = None) -> None:
        if change:
            self.desk.apply(change, base)
            self.state = followed(self.state, change)
            self._show_edit()

    def _show_edit(self) -> None:
        self.desk.reach(self.state.tick)
        self.tell(state_fact(self.desk, self.state, self.view))
        self.tell(sheet_fact(self.desk, self.view))
        if self.prover.refresh():
            self.send(self.prover.fact())

    def _at(self) -> At:
        return At(self.state.line, self.state.tick, self.state.step.ticks, self.state.policy)

    def _travel(self, message: m.Travel) -> None:
        move = self.desk.undo if message.do == "undo" else self.desk.redo
        change = move(message.base)
        if change is None:
            self.say("Nothing to undo" if message.do == "undo" else "Nothing to redo")
            return
        left = dropped_words(self.desk.piece, self.state)
        if change.pen is None:
            self.state = followed(self.state, change)
        self.state = fitted(self._pen_at(change.pen and change.pen[1]), self.desk.piece)
        self.near_bar = self.desk.piece.timeline.bar_at(self.state.tick).index
        self._choose(self.desk.piece.notes.among(self.state.chosen))
        self._show_edit()
        self.send(pen_fact(self.desk, self.state))
        self.say(f"{left}{'Undone' if message.do == 'undo' else 'Redone'}: {change.sentence}")

    def _pen_at(self, place: PenPlace | None) -> EntryState:
        """The state with the pen where a change says that it was."""
        state = self.state.fresh()
        if place is None:
            return state
        return evolved(state, part=place.part, staff=place.staff, voice=place.voice, tick=place.tick)

    def own(self, fact: m.StateFact | m.SheetFact) -> m.Fact:
        """What was told to another window, as it is for this one."""
        if isinstance(fact, m.StateFact):
            return state_fact(self.desk, self.state, self.view)
        return sheet_fact(self.desk, self.view)

    def own_facts(self) -> tuple[m.Fact, m.Fact]:
        """The state and the sheet as this window has them."""
        return state_fact(self.desk, self.state, self.view), sheet_fact(self.desk, self.view)

    def _show_view(self) -> None:
        """This window shows the sheet otherwise."""
        self.send(state_fact(self.desk, self.state, self.view))
        self.send(sheet_fact(self.desk, self.view))

    def _show(self, message: m.ShowParts | m.LayOut | m.FitLine) -> None:
        match message:
            case m.ShowParts(parts, staff):
                self._show_parts(parts, staff)
            case m.LayOut(size):
                self._lay_out(size)
            case m.FitLine(share):
                self._fit_line(share)

    def _show_parts(self, parts: tuple[str, ...], staff: int) -> None:
        self.view, alone = self.desk.view_of(parts, staff, self.view)
        self._show_view()
        staff = self.view.staff
        if alone is not None and (self.state.part != alone.id or staff not in (0, self.state.staff)):
            self._enter(Command(PlacePen(alone.id, staff or 1)))
        words = "All parts are shown" if not parts else "Some parts are shown"
        hand = {0: "", 1: ", upper staff,", 2: ", lower staff,"}[staff]
        self.say(f"Only {alone.name}{hand} is shown; the pen is there" if alone else words)

    def _lay_out(self, size: PageSize) -> None:
        self.view = replace(self.view, size=size)
        self._show_view()
        self.say(
            "The sheet goes on without pages"
            if not size
            else f"The sheet stands on {'A4' if size == 'a4' else 'US letter'} pages, as it is printed"
        )

    def _fit_line(self, share: LineShare) -> None:
        """The lines of a scroll become longer or shorter, as the window has room for staves that can be read."""
        if share != self.view.line:
            self.view = replace(self.view, line=share)
            self._show_view()

    # --- selections ---------------------------------------------------------------------------

    def _choose(self, notes: Sequence[Note]) -> None:
        ids = tuple(n.id for n in notes)
        chosen = frozenset(ids)
        if chosen != self.state.chosen:
            self.state = evolved(self.state, chosen=chosen)
        self.send(selection_fact(self.desk.piece, ids, notes))

    def _select(self, message: m.SelectNotes) -> None:
        piece = self.desk.piece
        notes = piece.notes.among(select(piece, message.do, self.state.line, self.state.tick, message.ids))
        self._choose(notes)
        if not notes:
            if message.do != Select("these"):
                self.say("Nothing there to select")
            self.send(pen_fact(self.desk, self.state))
            return
        first = lowest_first(notes)[0]
        walks = isinstance(message.do, Select) and message.do.what in ("previous", "next")
        if walks and not self.state.down:  # a selection never moves a pen that is down
            self._enter(Command(PlacePen(first.part, first.staff, first.tick)))
        self.say(selection_words(piece, notes))
        self.send(pen_fact(self.desk, self.state))

    def _edit(self, message: m.EditNotes) -> None:
        job = long_edit(self.desk, message, self._at())
        if job is not None:
            self.jobs.append(job)
            return
        change = edit_notes(self.desk.piece, message.do, message.ids, self._at())
        self.made(change, message.base, message.ids if message.select else tuple(self.state.chosen))

    def _edit_page(self, message: m.EditFrame | m.EditMarks) -> None:
        job = long_frame(self.desk, message) if isinstance(message, m.EditFrame) else None
        if job is not None:
            self.jobs.append(job)
            return
        self.made(page_change(self.desk.piece, message), message.base, tuple(self.state.chosen))
        if isinstance(message, m.EditMarks):
            self.send(marks_left(self.desk.piece, message.ids))

    def _clip(self, message: m.Clip) -> None:
        piece, at = self.desk.piece, self._at()
        job = long_paste(self.desk, message, self._clipboard, at) or long_cut(self.desk, message, at)
        if job is not None:
            if message.do == "cut":
                self._clipboard = clip(piece, replace(message, do="copy"), self._clipboard, at).held
            self.jobs.append(job)
            return
        clipped = clip(piece, message, self._clipboard, at)
        if clipped.change is not None:
            self.made(clipped.change, message.base, message.ids)
        else:
            self.say(clipped.said)
        self._clipboard = clipped.held

    def made(self, change: Change, base: int, ids: Sequence[str]) -> None:
        self._apply(change, base)
        self.state = fitted(self.state, self.desk.piece)
        self._choose(self.desk.piece.notes.among(dict.fromkeys(ids)))
        self.send(pen_fact(self.desk, self.state))
        self.say(change.sentence if change or change.sentence else "That changes nothing")
