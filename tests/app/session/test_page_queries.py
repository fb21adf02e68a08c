"""The frame, marks and parts of a page over the session: asked about, weighed, changed, shown."""

from __future__ import annotations

import re

import pytest
from lxml import etree

from ductus.app import wire as m
from ductus.app.document.sheet import PageSize
from ductus.app.library import Library
from ductus.core.entry.commands.marks import WithHere
from ductus.core.entry.commands.pen import OtherStaff, PenTo, PlacePen
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.mark_edits.commands import DropMarks, NudgeMarks
from ductus.core.score.note_edits.select import Select
from ductus.core.score.structure_edits.bars import InsertBars
from ductus.core.score.structure_edits.meter_key_tempo import MeterFrom
from ductus.core.score.structure_edits.parts import RemovePart
from ductus.core.time.ticks import QUARTER
from ductus.engraving.pages import PageSetup, printed
from ductus.formats.musicxml_write import Window, write_musicxml
from tests.app.driving import Sitter
from tests.building import random_piece


def test_one_part_shown_alone_takes_the_pen_and_the_others_are_drawn_again_when_they_come_back(
    library: Library,
) -> None:
    at = Sitter(library, library.add(new_piece("singer and keys")))
    at.tell(m.ShowParts(("p1",)))
    assert at.latest(m.PenFact).part == "p1"
    assert at.said == "Only Singer is shown; the pen is there"
    assert [p.shown for p in at.latest(m.StateFact).parts] == [True, False]
    assert list(at.desk.sheet_for(at.session.view).piece.parts) == ["p1"]
    at.give(PenTo(True)).press(60)
    assert list(at.desk.sheet_for(at.session.view).piece.parts) == ["p1"]
    assert len(at.desk.piece.parts) == 2
    at.tell(m.ShowParts())
    assert len(at.desk.sheet_for(at.session.view).piece.parts) == 2


def test_one_staff_is_shown_alone_takes_the_pen_and_the_other_keeps_its_notes(library: Library) -> None:
    at = Sitter(library, library.add(random_piece(4, "4/4", 4)))
    at.tell(m.ShowParts(("p1",), 2))
    assert at.said == "Only Piano, lower staff, is shown; the pen is there"
    assert at.latest(m.PenFact).staff == 2
    page = at.desk.sheet_for(at.session.view).piece
    xml = etree.fromstring(write_musicxml(page, Window(0, 3)))
    drawn = {n.get("id", "").split("_")[0] for n in xml.iter("note") if n.find("rest") is None}
    assert drawn == {n.id for n in at.desk.piece.notes.values() if n.staff == 2}
    assert [c.findtext("sign") for c in xml.iter("clef")] == ["F"]
    assert not list(xml.iter("staves"))
    assert [s.get("tempo") for s in xml.iter("sound") if s.get("tempo")]  # the tempo stands over the staff that is left
    at.give(PenTo(True)).press(48)
    at.tell(m.ShowParts())
    assert at.session.view.staff == 0
    assert {n.staff for n in at.desk.sheet_for(at.session.view).piece.notes.values()} == {1, 2}


def test_a_part_that_holds_the_pen_is_removed_and_the_pen_finds_another(library: Library) -> None:
    at = Sitter(library, library.add(new_piece("singer and keys")))
    at.give(PlacePen("p2", 2)).give(PenTo(True)).press(48)
    base = at.desk.history.revision
    at.tell(m.EditFrame(base, RemovePart("p2")))
    question = at.latest(m.Ask)
    assert question.frame
    assert "Piano holds 1 note" in question.message
    at.tell(m.EditFrame(at.desk.history.revision, question.do))  # type: ignore[arg-type]
    assert list(at.desk.piece.parts) == ["p1"]
    assert at.latest(m.PenFact).part == "p1"
    at.press(60)
    assert len(at.desk.piece.notes) == 1


def test_what_an_edit_of_the_frame_would_do_is_said_and_nothing_is_changed(library: Library) -> None:
    at = Sitter(library, library.add(new_piece()))
    before = at.desk.piece
    at.tell(m.WeighFrame(MeterFrom(0, "3/4")))
    assert "is in 3/4, was 4/4" in at.latest(m.WeighedFact).words
    assert at.desk.piece is before


def test_an_instruction_in_words_is_weighed_from_the_selection_and_its_steps_do_it(library: Library) -> None:
    at = Sitter(library, library.add(new_piece())).give(PenTo(True)).press(60).press(62)
    at.select(Select("all"))
    before = at.desk.piece
    at.tell(m.AskInWords("an octave higher"))
    told = at.latest(m.InstructionFact)
    assert (told.text, told.words) == ("an octave higher", "2 notes up an octave")
    assert at.desk.piece is before
    (step,) = told.steps
    at.edit(step.do, list(step.ids))  # type: ignore[arg-type]
    assert sorted(n.pitch.midi for n in at.piece.notes.values()) == [72, 74]
    at.tell(m.AskInWords("make it beautiful"))
    assert not at.latest(m.InstructionFact).steps
    assert "not understood" in at.latest(m.InstructionFact).words


def test_dynamics_of_a_take_are_written_when_they_are_asked_for_and_never_before(library: Library) -> None:
    at = Sitter(library, library.add(new_piece(bpm=96)))
    at.perform("waltz-right")
    assert not at.piece.marks
    reading = at.reading().id
    at.tell(m.MarksFromTake(reading, "dynamics"))
    assert {mark.kind for mark in at.piece.marks.values()} <= {"dynamic", "hairpin"}
    assert at.piece.marks
    at.undo()
    assert not at.piece.marks
    at.tell(m.MarksFromTake(reading, "pedal"))
    assert not [mark for mark in at.piece.marks.values() if mark.kind == "dynamic"]


def test_a_mark_goes_to_what_is_selected_else_to_the_pen_and_can_be_chosen_by_its_id(library: Library) -> None:
    at = Sitter(library, library.add(new_piece())).give(PenTo(True)).press(60).press(62)
    at.everything().give(WithHere("staccato"))
    assert all(n.signs == ("staccato",) for n in at.piece.notes.values())
    at.tell(m.SelectNotes(Select("these")))
    at.give(WithHere("mf"))
    (mark,) = at.piece.marks.values()
    assert mark.tick == 2 * QUARTER
    at.tell(m.PickMarks((mark.id,)))
    chosen = at.latest(m.MarksFact)
    assert chosen.words == "mf at bar 1, beat 3"
    assert chosen.movable
    at.tell(m.EditMarks(at.desk.history.revision, NudgeMarks(5, 5), (mark.id,)))
    assert at.latest(m.MarksFact).moved
    at.tell(m.EditMarks(at.desk.history.revision, DropMarks(), (mark.id,)))
    assert at.latest(m.MarksFact).ids == ()
    at.undo().undo()
    assert at.piece.marks[mark.id].shift == (0, 0)


def test_the_frame_is_told_as_it_holds_at_a_place(library: Library) -> None:
    at = Sitter(library, library.add(new_piece("singer and keys", meter=None, fifths=-3, bpm=80, tempo_text="Calm")))
    at.tell(m.LookAtFrame("key", 2, "p2", 2))
    told = at.latest(m.FrameFact)
    assert (told.bars, told.key, told.meter, told.clef, told.tempo_text, told.parts) == (
        "bar 3",
        "E flat major",
        "4/4",
        "bass",
        "Calm",
        2,
    )
    at.tell(m.LookAtFrame("key", 2, "nobody"))
    assert at.problems[-1] == "That part is not in this piece any more."


def test_what_moves_very_many_notes_is_long_work_and_keys_are_answered_meanwhile(library: Library) -> None:
    piece = random_piece(1, "4/4", 700)
    at = Sitter(library, library.add(piece)).give(PenTo(True))
    assert len(at.piece.notes) > 5000
    at.tell(m.EditFrame(at.desk.history.revision, InsertBars(1, 2)))
    assert at.said.startswith("2 bars inserted") or at.piece.bar_count == piece.bar_count + 2
    at.everything().give(WithHere("staccato"))
    assert all("staccato" in n.signs for n in at.piece.notes.values())
    at.undo().undo()
    assert at.piece.bar_count == piece.bar_count


@pytest.mark.parametrize(("size", "bars"), [("a4", 40), ("letter", 23)])
def test_the_sheet_on_pages_has_the_bars_and_the_pages_of_print(library: Library, size: PageSize, bars: int) -> None:
    at = Sitter(library, library.add(random_piece(3, "4/4", bars)))
    at.tell(m.LayOut(size))
    assert at.said == f"The sheet stands on {'A4' if size == 'a4' else 'US letter'} pages, as it is printed"
    leaves: tuple[int, ...] = ()
    while (fact := at.session.engraved()) is not None:
        at.session.known.add(fact.key)
        leaves = fact.leaves
    sheet = at.desk.sheet_for(at.session.view)
    assert leaves == sheet.leaves()
    pages = [
        sorted({int(b) for b in re.findall(r'id="b(\d+)-[^"]*" class="measure', page)})
        for page in printed(at.piece, PageSetup(size)).pages  # type: ignore[arg-type]
    ]
    ends = [*leaves[1:], len(sheet.systems)]
    on_screen = [
        [b for s in sheet.systems[a:z] for b in range(s.bars.first, s.bars.last + 1)]
        for a, z in zip(leaves, ends, strict=True)
    ]
    assert on_screen == pages
    at.give(PenTo(True)).press(60)  # entry goes on there
    assert at.latest(m.SheetFact).size == size
    at.tell(m.LayOut(""))
    assert at.latest(m.SheetFact).leaves == ()


def test_a_narrow_window_has_shorter_lines_with_the_same_bars(library: Library) -> None:
    piece = library.add(random_piece(3, "4/4", 24))
    wide, narrow = Sitter(library, piece), Sitter(library, piece)
    narrow.tell(m.FitLine(44))
    long, short = (at.desk.sheet_for(at.session.view).systems for at in (wide, narrow))
    assert len(short) > 1.7 * len(long)
    assert [(s.first, s.last) for s in narrow.latest(m.SheetFact).systems] == [
        (s.bars.first, s.bars.last) for s in short
    ]
    assert [b for s in short for b in range(s.bars.first, s.bars.last + 1)] == list(range(24))
    drawings = [at.session.engraved() for at in (wide, narrow)]
    long_line, short_line = (float(re.search(r'viewBox="0 0 (\d+)', s.svg).group(1)) for s in drawings if s)  # type: ignore[union-attr]
    assert short_line == pytest.approx(0.44 * long_line, rel=0.03)
    narrow.tell(m.ShowParts(("p1",), 1))  # other parts, the same lines
    assert narrow.session.view.line == 44


def test_each_window_has_parts_and_pages_of_its_own_and_both_see_what_is_written(library: Library) -> None:
    piece = library.add(new_piece("singer and keys"))
    one, two = Sitter(library, piece), Sitter(library, piece)
    one.tell(m.ShowParts(("p1",))).tell(m.LayOut("a4"))
    assert [p.shown for p in one.latest(m.StateFact).parts] == [True, False]
    state, sheet = two.session.own_facts()
    assert isinstance(state, m.StateFact)
    assert isinstance(sheet, m.SheetFact)
    assert [p.shown for p in state.parts] == [True, True]
    assert (sheet.size, one.latest(m.SheetFact).size) == ("", "a4")
    one.give(PenTo(True)).press(60)
    (note,) = one.piece.notes
    svg = [s.svg for s in (one.session.engraved(), two.session.engraved()) if s is not None]
    assert all(note in drawn for drawn in svg)
    assert svg[1].count('class="staff') > svg[0].count('class="staff')


def test_the_pen_stays_in_the_staff_that_is_shown_alone(library: Library) -> None:
    at = Sitter(library, library.add(new_piece())).tell(m.ShowParts(("p1",), 2)).give(PenTo(True))
    at.give(OtherStaff())
    assert at.latest(m.PenFact).staff == 2
    assert at.said == "Only this staff is shown: the pen stays in it"
    at.tell(m.ShowParts()).give(OtherStaff())
    assert at.latest(m.PenFact).staff == 1
