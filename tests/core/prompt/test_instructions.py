"""Instructions in words: what each asks for, and what it would change. The words are common practice of rehearsals."""

from __future__ import annotations

import time
from typing import Any

import pytest

from ductus.core.entry.commands.pen import TypedPlace
from ductus.core.errors import BadInput, DuctusError
from ductus.core.pitch.pitches import parse_pitch
from ductus.core.prompt.instruction_rules import EXAMPLES, RULES
from ductus.core.prompt.instruction_scope import Asked
from ductus.core.prompt.instructions import Instruction, instruction
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.mark_edits.commands import DropMarks, Reword
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note
from ductus.core.score.note_edits.durations import Scale, SetLength
from ductus.core.score.note_edits.pitches import Accidental, ByInterval, Octave, StaffSteps, Velocity
from ductus.core.score.note_edits.positions import Delete, MoveToVoice, OtherHand
from ductus.core.score.note_edits.repeat_bars import Repeat
from ductus.core.score.structure_edits.bars import CopyBars, EmptyBars, InsertBars, RemoveBars
from ductus.core.score.structure_edits.meter_key_tempo import KeyFrom, MeterFrom, PickUp, TempoFrom
from ductus.core.score.structure_edits.transpose import TransposeBy, TransposeTo
from ductus.core.time.note_values import NoteValue
from ductus.core.time.ticks import QUARTER
from ductus.demo.scenario import waltz

WALTZ = waltz()  # sixteen bars of 3/4 in G minor, mp in bar 1


def bar(number: int) -> int:
    return WALTZ.timeline.bar(number - 1).start


def in_bars(first: int, last: int, staff: int = 0) -> set[str]:
    notes = WALTZ.notes.values()
    return {n.id for n in notes if bar(first) <= n.tick < bar(last + 1) and staff in (0, n.staff)}


def asked(text: str, chosen: set[str] = frozenset(), piece: Piece = WALTZ) -> Instruction:  # type: ignore[assignment]
    return instruction(piece, text, Asked(("p1", 1, 1), bar(5), QUARTER, tuple(sorted(chosen))))


FRAME: list[tuple[str, Any]] = [
    ("transpose to D", TransposeTo(-1)),  # the piece is in minor, so D minor
    ("Transpose to E flat minor", TransposeTo(-6)),
    ("transpose up a minor third", TransposeBy(2, 3)),
    ("transpose down a whole step", TransposeBy(-1, -2)),
    ("transpose the piece up an octave", TransposeBy(7, 12)),
    ("transpose up a fifth", TransposeBy(4, 7)),
    ("tempo 84 from bar 9", TempoFrom(bar(9), 84.0)),
    ("tempo 120", TempoFrom(bar(5), 120.0)),
    ("4/4 from bar 9", MeterFrom(8, "4/4")),
    ("change to 2/4 at bar 9", MeterFrom(8, "2/4")),
    ("key D minor from bar 9", KeyFrom(8, -1, "minor")),
    ("key of F# minor", KeyFrom(0, 3, "minor")),
    ("pick-up of one quarter", PickUp(QUARTER)),
    ("no pick-up", PickUp(0)),
    ("insert 4 bars before bar 9", InsertBars(8, 4)),
    ("insert two bars after bar 9", InsertBars(9, 2)),
    ("add a bar at the end", InsertBars(16, 1)),
    ("delete bars 5 to 8", RemoveBars(4, 7)),
    ("empty bar 3", EmptyBars(2, 2)),
    ("copy bars 1-4 to bar 9", CopyBars(0, 3, 8)),
    ("repeat bars 5 to 8 twice", CopyBars(4, 7, 8, 2)),
    ("copy bars 1 to 4 3 times", CopyBars(0, 3, 4, 3)),
]


@pytest.mark.parametrize(("text", "do"), FRAME)
def test_a_sentence_about_the_frame_is_its_edit(text: str, do: Any) -> None:
    found = asked(text)
    assert [(s.kind, s.do) for s in found.steps] == [("frame", do)]
    assert found.words


NOTES: list[tuple[str, Any, set[str]]] = [
    ("bars 5 to 8 an octave higher", Octave(1), in_bars(5, 8)),
    ("up two octaves in bars 5-8", Octave(2), in_bars(5, 8)),
    ("bar 5, left hand, an octave lower", Octave(-1), in_bars(5, 5, 2)),
    ("transpose the left hand up an octave", Octave(1), in_bars(1, 16, 2)),
    ("from bar 9 a third lower", StaffSteps(-2), in_bars(9, 16)),
    ("a major third higher in bar 2", ByInterval(2, 4), in_bars(2, 2)),
    ("from here down a semitone", ByInterval(-1, -1), in_bars(5, 16)),
    ("halve the values in bar 5", Scale(1, 2), in_bars(5, 5)),
    ("bar 16 as eighths", SetLength(NoteValue("eighth")), in_bars(16, 16)),
    ("move bars 5 to 8 to the left hand", OtherHand(), in_bars(5, 8, 1)),
    ("left hand voice 2", MoveToVoice(2), in_bars(1, 16, 2)),
    ("sharpen bar 3", Accidental(1), in_bars(3, 3)),
    ("play bars 5 to 8 louder by 15", Velocity(by=15), in_bars(5, 8)),
    ("everything softer", Velocity(by=-10), in_bars(1, 16)),
    ("delete the notes of bar 5", Delete(), in_bars(5, 5)),
]


@pytest.mark.parametrize(("text", "do", "ids"), NOTES)
def test_a_sentence_about_notes_names_them_and_says_what_would_change(text: str, do: Any, ids: set[str]) -> None:
    found = asked(text)
    (step,) = found.steps
    assert (step.kind, step.do, set(step.ids)) == ("edit", do, ids)
    assert "note" in found.words


def test_what_is_selected_is_meant_where_no_bars_are_named() -> None:
    chosen = in_bars(15, 16)
    assert set(asked("an octave higher", chosen).steps[0].ids) == chosen
    assert asked("repeat these twice", chosen).steps[0].do == Repeat(2)
    assert set(asked("bar 3 an octave higher", chosen).steps[0].ids) == in_bars(3, 3)
    with pytest.raises(BadInput, match="Say which notes"):
        asked("an octave higher")


def test_one_mark_takes_the_place_of_another_wherever_it_stands() -> None:
    (step,) = asked("mp to f").steps
    assert step.do == Reword("f")
    (mark,) = [k for k in WALTZ.marks.values() if k.kind == "dynamic"]
    assert step.ids == (mark.id,)
    page = Reword("f").change(WALTZ, step.ids).apply(WALTZ)
    assert page.marks[mark.id].text == "f"
    assert asked("delete all dynamics").steps[0].do == DropMarks()
    with pytest.raises(BadInput, match="no mf in bars 1 to 16"):
        asked("mf to f")


def test_a_mark_goes_to_the_notes_or_the_bar_that_are_named() -> None:
    on_notes = asked("staccato in bars 5 to 8")
    assert [s.kind for s in on_notes.steps] == ["select", "command"]
    assert set(on_notes.steps[0].ids) == in_bars(5, 8)
    at_bar = asked("mf in bar 5")
    first = {n.id for n in WALTZ.notes.values() if n.tick == bar(5)}
    assert set(at_bar.steps[0].ids) == first
    assert at_bar.words == "mf at bar 5, beat 1"
    assert [s.kind for s in asked("mf").steps] == ["command"]


def test_places_and_selections_are_said_too() -> None:
    assert asked("go to bar 12, beat 2").steps[0].do == TypedPlace("12.2")
    assert set(asked("select bars 5 to 8").steps[0].ids) == in_bars(5, 8)


def test_what_is_not_understood_names_what_is_near_and_bars_that_are_not_there_are_said() -> None:
    with pytest.raises(BadInput, match="bars 5 to 8 an octave higher"):
        asked("bars 5 to 8 an octve higher")
    with pytest.raises(BadInput, match="not understood"):
        asked("make it beautiful")
    for text in ("bar 50 an octave higher", "remove bars 90 to 92"):
        with pytest.raises(BadInput, match=r"no bar 50 yet|no such bar yet"):
            asked(text)
    with pytest.raises(BadInput, match="more than seven"):
        asked("key G# major")
    with pytest.raises(BadInput):
        asked("  ")


@pytest.mark.parametrize(
    "text",
    [
        "repeat these 5000 times", "insert 900 bars before bar 2", "tempo 84 from bar 99999999", "velocity 900",
        "copy bars 1 to 4 99 times", "up 9 octaves", "transpose up a third", "transpose up a diminished third",
        "bar 5 as beats", "go to bar 123456789012", "go to bar 3, beat 9", "staccato to tenuto", "tempo 0.0001",
        "left hand to the left hand", "key B# major", "louder by 400", "3/4 from bar 123456", "3/0 from bar 5",
    ],
)  # fmt: skip
def test_numbers_out_of_range_and_what_music_does_not_have_are_refused_in_words_at_once(text: str) -> None:
    begun = time.perf_counter()
    with pytest.raises(DuctusError) as refused:
        asked(text, in_bars(15, 16))
    assert len(str(refused.value)) > 15
    assert time.perf_counter() - begun < 2


def test_a_mark_in_a_long_piece_is_weighed_in_time_that_grows_with_its_notes() -> None:
    """Of 12,000 notes the first are looked for once, not once for each."""
    draft = Draft(new_piece())
    for k in range(12_000):
        draft.put(Note(f"n{k}", "p1", 1, 1, k * QUARTER, QUARTER, parse_pitch("C5")))
    long = draft.change("").apply(new_piece())
    begun = time.perf_counter()
    assert len(asked("mf in bars 1 to 2900", piece=long).steps[0].ids) == 1
    assert time.perf_counter() - begun < 5


@pytest.mark.parametrize("example", [r.example for r in RULES])
def test_each_example_is_understood(example: str) -> None:
    """What is offered as an example must not itself be refused as unknown."""
    said = ""
    try:
        asked(example, in_bars(15, 16))
    except BadInput as error:
        said = str(error)
    assert "not understood" not in said
    assert any(example in e for e in EXAMPLES)
