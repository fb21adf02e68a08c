"""What each message of a browser leads to: entry, edits, selections, recording. A desk driven without HTTP."""

from __future__ import annotations

import pytest

from ductus.app import wire as m
from ductus.app.library import Library
from ductus.core.entry.commands.beat import Advance
from ductus.core.entry.commands.mode import (
    ChordSymbol,
    DivideHands,
    HoldToHarmony,
    OverWhat,
    PenAdvances,
    PolicyTo,
    PulseKey,
    WalkRate,
    WayTo,
    WhenWritten,
)
from ductus.core.entry.commands.pen import Back, HoldInBars, OtherStaff, PenTo, Rest, ReturnToStart, ToVoice, TypedPlace
from ductus.core.entry.commands.step_value import Dot, FixVelocity, SoundLate, StepBase, TupletOf
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.records import Mark, MeterChange
from ductus.core.score.note_edits.base import ConfirmationNeeded
from ductus.core.score.note_edits.pitches import Octave
from ductus.core.score.note_edits.positions import Delete, MoveToVoice
from ductus.core.score.note_edits.repeat_bars import Repeat
from ductus.core.score.note_edits.select import Select, SelectByPitch, SelectLast
from ductus.core.time.meters import Meter
from ductus.core.time.ticks import QUARTER
from ductus.demo.scenario import waltz
from tests.app.driving import EPOCH_US, Sitter


@pytest.fixture
def at(library: Library) -> Sitter:
    """Somebody at an empty piece, pen down."""
    return Sitter(library, library.add(new_piece())).give(PenTo(True))


# --- keys, undo ----------------------------------------------------------------------------------


def test_the_pen_goes_back_with_undo_so_that_nothing_is_overwritten(at: Sitter) -> None:
    """C D E F, back to the start, D, undo, E: the second note stays what it was."""
    for key in (60, 62, 64, 65):
        at.press(key)
    at.give(ReturnToStart()).press(62).undo()
    assert at.latest(m.PenFact).tick == 0
    at.press(64)
    assert at.notes() == [(0, 1, 64), (1, 1, 62), (2, 1, 64), (3, 1, 65)]


def test_each_rest_is_a_step_of_the_history_and_redo_brings_it_back(at: Sitter) -> None:
    at.press(60).give(Rest()).give(Rest())
    assert at.latest(m.PenFact).beat == "4"
    at.undo()
    assert (at.latest(m.PenFact).beat, at.notes()) == ("3", [(0, 1, 60)])
    at.undo()
    assert (at.latest(m.PenFact).beat, at.notes()) == ("2", [(0, 1, 60)])
    at.undo()
    assert (at.latest(m.PenFact).beat, at.notes()) == ("1", [])
    at.redo().redo()
    assert (at.latest(m.PenFact).beat, at.notes()) == ("3", [(0, 1, 60)])


def test_the_pen_comes_back_with_undo_after_a_restart_too(at: Sitter, library: Library) -> None:
    at.press(60).give(TypedPlace("3.1")).press(62)
    at.leave()
    again = Sitter(library, at.piece_id)
    again.undo()
    assert again.latest(m.PenFact).bar_number == 3
    again.undo()
    assert again.latest(m.PenFact).tick == 0


def test_advance_while_keys_are_held_writes_once(at: Sitter) -> None:
    at.hear((0, "down", 60, 70), (5, "down", 64, 70)).give(Advance())
    assert at.notes() == [(0, 1, 60), (0, 1, 64)]
    at.hear((900, "up", 60, 0), (905, "up", 64, 0))
    assert at.notes() == [(0, 1, 60), (0, 1, 64)]
    assert at.latest(m.PenFact).pending == ()


def test_a_key_that_joins_keeps_the_others_sounding(at: Sitter) -> None:
    at.give(WhenWritten("advance")).hear((0, "down", 60, 70), (5, "down", 64, 70)).give(Advance())
    at.hear((50, "down", 67, 70)).give(Advance())
    assert at.notes() == [(0, 2, 60), (0, 2, 64), (1, 1, 67)]
    at.give(Back())
    assert at.notes() == [(0, 1, 60), (0, 1, 64)]


def test_a_key_struck_again_while_it_is_held_counts_as_let_go_and_that_is_said(at: Sitter) -> None:
    at.hear((0, "down", 60, 70)).hear((500_000, "down", 60, 70))
    assert at.notes() == [(0, 1, 60)]
    assert "C 4 was struck again, so it counts as let go" in at.said
    at.hear((900_000, "up", 60, 0))
    assert at.notes() == [(0, 1, 60), (1, 1, 60)]


def test_a_tap_on_a_latched_dot_or_tuplet_takes_the_latch_off(at: Sitter) -> None:
    at.give(Dot(latch=True))
    assert "the dot stays on" in at.line
    at.give(Dot())
    assert (at.latest(m.PenFact).dots, at.latest(m.PenFact).dots_latched) == (0, False)
    at.give(TupletOf(3, 2, latch=True))
    assert "the tuplet stays on" in at.line
    at.give(TupletOf(3, 2))
    assert at.latest(m.PenFact).tuplet is None


@pytest.mark.parametrize(
    ("command", "words"),
    [
        (SoundLate(40), "steps sound 40 ticks late"),
        (PenAdvances(False), "the pen stays after each step"),
        (HoldInBars(1, 2), "the pen stays in bars 1 to 2"),
        (FixVelocity(40), "velocity 40"),
        (TupletOf(3, 2, latch=True), "(the tuplet stays on)"),
        (DivideHands("reach"), "divided between the hands by reach"),
        (HoldToHarmony("key"), "snap to chord and key tones"),
    ],
)
def test_the_line_shows_every_choice_that_changes_the_next_note(at: Sitter, command: object, words: str) -> None:
    assert words not in at.line
    assert words in at.give(command).line  # type: ignore[arg-type]


def test_changing_staff_or_way_while_keys_are_held_drops_them_and_says_so(at: Sitter) -> None:
    at.hear((0, "down", 60, 70))
    assert "Backspace drops the last key held" in at.line
    at.give(OtherStaff())
    assert at.said.startswith("C 4 not written; ")
    at.hear((10, "up", 60, 0))
    assert at.notes() == []
    at.give(TypedPlace("2.1")).give(PenTo(False)).give(PenTo(True)).press(62).hear((0, "down", 64, 70)).give(
        WayTo("foot")
    )
    assert "E 4 not written" in at.said
    assert at.latest(m.PenFact).pass_start == "bar 2, beat 1"  # where this pass began stays


def test_a_pulse_key_is_named_by_playing_it_and_never_stands_in_the_first_chord(at: Sitter) -> None:
    at.give(WayTo("pulse")).hear((0, "down", 36, 70))
    assert "press the pedal or the advance key, or choose a pulse key" in at.said
    at.hear((100, "up", 36, 0)).give(PulseKey(listen=True))
    assert "the key that you play now" in at.line
    at.hear((200_000, "down", 36, 70))
    assert at.said == "C 2 beats the pulse"
    at.hear((250_000, "up", 36, 0), (300_000, "down", 36, 70), (301_000, "down", 72, 70)).waited()
    at.give(PenTo(False))
    assert {key for _, _, key in at.notes()} == {72}


def test_with_both_hands_keys_are_divided_between_the_staves(at: Sitter) -> None:
    at.give(DivideHands("split", 60)).press(48, 55, 64, 72)
    assert sorted((n.staff, n.pitch.midi) for n in at.piece.notes.values()) == [(1, 64), (1, 72), (2, 48), (2, 55)]
    assert "both hands" in at.line
    at.give(DivideHands("reach")).press(36, 43, 67, 76)
    later = [n for n in at.piece.notes.values() if n.tick]
    assert sorted((n.staff, n.pitch.midi) for n in later) == [(1, 67), (1, 76), (2, 36), (2, 43)]
    at.give(WayTo("foot")).hear((0, "down", 45, 70), (5, "down", 76, 70)).give(Advance())
    last = [n for n in at.piece.notes.values() if n.tick == 2 * QUARTER]
    assert sorted((n.staff, n.pitch.midi) for n in last) == [(1, 76), (2, 45)]


def test_the_voice_is_changed_by_one_key(at: Sitter) -> None:
    at.press(72).give(ReturnToStart()).give(ToVoice()).press(60)
    assert sorted((n.voice, n.pitch.midi) for n in at.piece.notes.values()) == [(1, 72), (2, 60)]


def test_the_pedal_in_step_entry_is_kept_as_a_pedal_mark(at: Sitter) -> None:
    at.hear((0, "control", 64, 127)).press(60).press(64)
    assert "the pedal is down since bar 1, beat 1" in at.line
    at.hear((500_000, "control", 64, 0))
    (mark,) = at.piece.marks.values()
    assert (mark.kind, mark.tick, mark.ticks, mark.staff) == ("pedal", 0, 2 * QUARTER, 2)
    at.undo()
    assert not at.piece.marks


def test_the_pedal_of_the_instrument_advances_once_a_press(at: Sitter) -> None:
    at.give(WhenWritten("advance")).hear((1, "down", 60, 70))
    for value in (30, 90, 100, 127, 20):  # a continuous pedal: one crossing is one press
        at.hear((5, "control", 64, value))
    assert at.notes() == [(0, 1, 60)]


def test_keys_in_one_gathering_at_the_stroke_are_written_when_the_time_is_over(at: Sitter) -> None:
    at.give(WhenWritten("stroke")).hear((0, "down", 60, 60), (9, "down", 67, 60))
    assert at.notes() == []
    assert at.waited().notes() == [(0, 1, 60), (0, 1, 67)]


def test_walking_goes_on_while_a_key_is_held(at: Sitter) -> None:
    at.give(WayTo("walk")).give(WalkRate(300)).hear((1_000_000, "down", 60, 70))
    at.waited().waited().waited().hear((9_000_000, "up", 60, 0))
    assert at.notes() == [(0, 3, 60)]


def test_in_over_a_chosen_note_of_a_chord_is_the_only_one_that_changes(at: Sitter) -> None:
    at.press(60, 64, 67).give(WayTo("over")).give(OverWhat("pitch")).give(ReturnToStart())
    middle = next(n.id for n in at.piece.notes.values() if n.pitch.midi == 64)
    at.select(Select("these"), [middle])
    assert "of the 1 chosen note only" in at.line
    at.press(65)
    assert at.notes() == [(0, 1, 60), (0, 1, 65), (0, 1, 67)]


def test_a_selection_does_not_move_a_pen_that_is_down(at: Sitter) -> None:
    for key in (60, 62, 64):
        at.press(key)
    ids = [n.id for n in sorted(at.piece.notes.values(), key=lambda n: n.tick)]
    at.select(Select("these"), ids[:1])
    assert at.said == "C 4, quarter, bar 1, beat 1"
    at.select(Select("next"), ids[:1])
    assert (at.latest(m.PenFact).beat, at.selected) == ("4", [ids[1]])
    assert at.latest(m.PenFact).next_key.startswith("The next key steps piano, right hand")
    at.press(65)
    assert at.notes()[-1] == (3, 1, 65)
    at.give(PenTo(False)).select(Select("previous"), [ids[1]])
    assert at.latest(m.PenFact).beat == "1"  # pen up: it goes along


def test_during_playback_keys_only_sound_and_are_kept_in_the_journal(at: Sitter, library: Library) -> None:
    at.hear((1, "down", 60, 70), (2, "up", 60, 0), only_sound=True)
    assert at.notes() == []
    assert library.journal.flush()
    assert [h.key for h in at.desk.journal(EPOCH_US, EPOCH_US + 10)] == [60, 60]


def test_settings_of_the_desk_come_back_and_the_pen_is_up(at: Sitter, library: Library) -> None:
    at.give(StepBase("eighth")).give(PolicyTo("add")).give(OtherStaff()).give(Dot(latch=True)).give(FixVelocity(50))
    at.give(TupletOf(3, 2)).give(WayTo("foot"))
    at.leave()
    again = Sitter(library, at.piece_id).latest(m.PenFact)
    assert (again.base, again.dots, again.tuplet, again.policy, again.staff, again.way, again.down) == (
        "eighth", 1, None, "add", 2, "foot", False,
    )  # fmt: skip
    other = Sitter(library, library.add(new_piece())).latest(m.PenFact)
    assert (other.base, other.policy, other.staff) == ("quarter", "replace", 1)  # another piece begins as usual


# --- edits ----------------------------------------------------------------------------------------


def test_a_selection_is_answered_with_ids_and_words(at: Sitter) -> None:
    for key in (60, 62, 64):
        at.press(key)
    at.select(SelectLast(2))
    assert len(at.selected) == 2
    assert at.said == "2 notes selected: D 4 and E 4"
    at.select(SelectByPitch(36))
    assert at.said == "Nothing there to select"


def test_edits_go_through_history_and_keep_the_selection(at: Sitter) -> None:
    at.press(60).everything()
    chosen = at.selected
    at.edit(Octave(1))
    assert at.notes() == [(0, 1, 72)]
    assert at.selected == chosen
    assert at.latest(m.StateFact).undo == "1 note up an octave"
    at.undo()
    assert at.notes() == [(0, 1, 60)]


def test_copy_cut_paste_and_repeat(at: Sitter) -> None:
    for key in (60, 64, 67, 72):
        at.press(key)
    at.everything().clip("copy")
    assert at.said == "4 notes copied"
    at.clip("paste")
    assert at.notes()[4:] == [(4, 1, 60), (5, 1, 64), (6, 1, 67), (7, 1, 72)]
    at.edit(Repeat(2))
    ask = at.latest(m.Ask)
    assert "4 notes of the same voices stand where the repetition would go" in ask.message
    assert len(at.notes()) == 8
    at.edit(ask.do, list(ask.ids))  # type: ignore[arg-type]
    assert len(at.notes()) == 12
    at.everything().clip("cut")
    assert (at.said, at.notes()) == ("12 notes cut", [])


def test_moving_to_a_voice_that_sounds_does_what_the_line_says(at: Sitter) -> None:
    at.press(72).give(ReturnToStart()).give(ToVoice(2)).give(StepBase("half")).press(60)
    top = next(n.id for n in at.piece.notes.values() if n.pitch.midi == 72)
    at.give(PolicyTo("keep")).edit(MoveToVoice(2), [top])
    assert "is to be kept. Nothing was changed" in at.problems[-1]
    at.give(PolicyTo("add")).edit(MoveToVoice(2), [top])
    assert len({(n.voice, n.pitch.midi) for n in at.piece.notes.values()}) == 2
    at.give(PolicyTo("replace")).edit(MoveToVoice(2), [top])
    assert [(n.voice, n.pitch.midi) for n in at.piece.notes.values()] == [(2, 72)]
    assert at.said == "1 note moved to voice 2, 1 note there replaced or cut"


def test_a_stale_edit_is_refused_and_the_new_state_is_shown(at: Sitter) -> None:
    base = at.desk.history.revision
    at.press(60).press(62)
    at.edit(Delete(), list(at.piece.notes), base=base)
    assert at.latest(m.Problem).stale
    assert len(at.notes()) == 2


def test_a_slur_goes_with_its_notes_and_half_of_one_is_never_left(at: Sitter) -> None:
    for key in (60, 62, 64):
        at.press(key)
    a, b, c = [n.id for n in sorted(at.piece.notes.values(), key=lambda n: n.tick)]
    slur = Mark("m90", "slur", "p1", 1, 1, 0, 3 * QUARTER, notes=(a, b, c))
    at.desk.apply(__import__("ductus.core.score.model.changes", fromlist=["Change"]).Change("slur", ((None, slur),)))
    at.edit(Delete(), [c])
    assert at.piece.marks["m90"].notes == (a, b)
    assert at.piece.marks["m90"].ticks == 2 * QUARTER
    at.edit(Delete(), [b])
    assert not at.piece.marks
    at.undo()
    assert at.piece.marks["m90"].notes == (a, b)


def test_repeating_nothing_is_refused(at: Sitter) -> None:
    at.edit(Repeat(2), [])
    assert "Select some notes first" in at.problems[-1]
    assert issubclass(ConfirmationNeeded, Exception)


def test_two_hands_of_a_demo_piece_are_repeated_bar_for_bar(library: Library) -> None:
    at = Sitter(library, library.add(waltz()))
    first_bar = [n.id for n in at.piece.notes.values() if n.tick < 3 * QUARTER]
    at.edit(Repeat(1, replacing=True), first_bar)
    bars = [
        sorted(
            (n.tick - k * 3 * QUARTER, n.ticks, n.pitch.midi, n.staff)
            for n in at.piece.notes.values()
            if 3 * k * QUARTER <= n.tick < 3 * (k + 1) * QUARTER
        )
        for k in (0, 1)
    ]
    assert bars[0] == bars[1]


# --- the pen's facts -------------------------------------------------------------------------------


def test_the_pen_says_the_line_and_which_keys_are_allowed(at: Sitter) -> None:
    assert at.line.startswith("Step into piano, right hand")
    assert at.latest(m.PenFact).allowed is None
    at.give(ChordSymbol("Dm")).give(HoldToHarmony("chord"))
    assert at.latest(m.PenFact).allowed == (2, 5, 9)


def test_a_way_left_half_done_is_finished_in_one_change(at: Sitter) -> None:
    at.give(WayTo("pulse")).give(Advance(), 1_000_000).hear((1_001_000, "down", 65, 70)).give(PenTo(False))
    assert at.notes() == [(0, 4, 65)]


def test_takes_are_told_only_when_they_change(library: Library) -> None:
    at = Sitter(library, library.add(new_piece())).give(PenTo(True))
    told = len(at.all(m.TakesFact))
    at.press(60).press(62).undo()
    assert len(at.all(m.TakesFact)) == told
    at.perform("waltz-with-click", qpm=96.0)
    assert len(at.all(m.TakesFact)) == told + 1


def test_a_recording_that_was_left_is_kept_as_a_take(library: Library) -> None:
    at = Sitter(library, library.add(new_piece())).record()
    at.press(60, 62, at=6_000_000)
    at.leave()
    assert [t.notes for t in Sitter(library, at.piece_id).desk.takes] == [2]


def test_an_undo_that_is_faster_than_the_answers_undoes_the_latest(library: Library) -> None:
    at = Sitter(library, library.add(new_piece())).give(PenTo(True)).press(60).press(62)
    at.tell(m.Travel(None, "undo"))
    assert [key for _, _, key in at.notes()] == [60]
    at.press(64)
    assert [(tick, key) for tick, _, key in at.notes()] == [(0, 60), (1, 64)]


def test_who_changes_bars_where_another_window_works_is_told_of_there(library: Library) -> None:
    piece = library.add(new_piece())
    one, two = Sitter(library, piece), Sitter(library, piece)
    one.give(PenTo(True)).press(60).press(62)
    assert [
        s.fact for s in two.session.news().facts if isinstance(s.fact, m.Say)
    ] == []  # its pen is up, nothing is selected there
    two.select(Select("all"))
    one.undo()
    said = [s.fact for s in two.session.news().facts]
    assert [f.text for f in said if isinstance(f, m.Say)] == ["1 selected note was changed in another window"]
    assert [len(f.ids) for f in said if isinstance(f, m.SelectionFact)] == [1]
    two.select(Select("none")).give(PenTo(True))  # type: ignore[arg-type]
    one.press(64)
    assert [f.text for f in (s.fact for s in two.session.news().facts) if isinstance(f, m.Say)] == [
        "Bar 1, where your pen is, was changed in another window"
    ]
    assert not one.session.has_news  # its own doing is no news
    two.press(65)
    assert one.session.has_news


def test_bars_that_are_repeated_into_another_meter_get_bars_of_their_own_if_wanted(library: Library) -> None:
    piece = new_piece(meter=Meter(3, 4)).with_rows([(None, MeterChange("m9", 1, Meter(4, 4)))])
    at = Sitter(library, library.add(piece)).give(PenTo(True)).press(60).press(62).press(64).press(65)
    first = [i for i, n in at.piece.notes.items() if n.tick < 3 * QUARTER]
    at.edit(Repeat(), first)
    asked = at.latest(m.Ask)
    assert "Bar 2 has another meter than these bars" in asked.message
    assert len(at.piece.notes) == 4
    at.tell(m.EditFrame(at.desk.history.revision, asked.do))  # type: ignore[arg-type]
    assert [(n, k) for n, _, k in at.notes()] == [(0, 60), (1, 62), (2, 64), (3, 60), (4, 62), (5, 64), (6, 65)]
    assert [str(at.piece.timeline.bar(k).meter) for k in range(3)] == ["3/4", "3/4", "4/4"]
