"""Marks: read as musicians write them, put on the page, following their notes, and the order in which bars are
played.
"""

from __future__ import annotations

from typing import Any

import pytest

from ductus.core.entry.commands.marks import Sing, WithHere
from ductus.core.entry.events import Command
from ductus.core.entry.machine import advance_entry
from ductus.core.errors import BadInput
from ductus.core.pitch.chord_symbols import parse_chord
from ductus.core.pitch.pitches import parse_pitch
from ductus.core.playback.dynamics import LEVELS, Loudness
from ductus.core.playback.performance import performed
from ductus.core.playback.tempo_map import paces, written_tempo_map
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.mark_edits.commands import (
    BendSlurs,
    DropMarks,
    FlipMarks,
    MarkReaches,
    MarksInPlace,
    NudgeMarks,
    Reword,
)
from ductus.core.score.mark_edits.lyrics import spread
from ductus.core.score.mark_edits.place_marks import marked, where
from ductus.core.score.mark_language.parser import DYNAMICS, VOCABULARY, wish_of
from ductus.core.score.mark_language.suggestions import suggestions
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.playing_order import playing_order
from ductus.core.score.model.records import Note
from ductus.core.score.note_edits.base import At
from ductus.core.score.note_edits.clipboard import excerpt_of, paste
from ductus.core.score.note_edits.positions import Delete, MoveBy
from ductus.core.score.note_edits.registry import edit_notes
from ductus.core.time.ticks import QUARTER
from tests.core.entry.player import Player

LINE = ("p1", 1, 1)


def quarters(bars: int = 8) -> Piece:
    """Bars of four quarters on C5."""
    piece = new_piece(bpm=120)
    draft = Draft(piece)
    for k in range(4 * bars):
        draft.put(Note(draft.new_id("n"), *LINE, k * QUARTER, QUARTER, parse_pitch("C5")))
    return draft.change("").apply(piece)


def notes(piece: Piece, first: int, last: int) -> list[Note]:
    """The quarters first..last (from 0, both included)."""
    return sorted(
        (n for n in piece.notes.values() if first * QUARTER <= n.tick <= last * QUARTER), key=lambda n: n.tick
    )


def put(piece: Piece, text: str, first: int, last: int | None = None) -> Piece:
    some = notes(piece, first, first if last is None else last)
    return marked(piece, wish_of(text), where(some, LINE, first * QUARTER)).apply(piece)


# --- reading what musicians write ------------------------------------------------------------

WRITTEN = {
    "mf": ("mark", "dynamic", "mf"), "pppp": ("mark", "dynamic", "pppp"), "fp": ("mark", "dynamic", "fp"),
    "<": ("mark", "hairpin", "<"),
    "cresc.": ("mark", "hairpin", "cresc."), "slur": ("mark", "slur", ""), "Staccato": ("note", "staccato", ""),
    "portato": ("note", "portato", ""),
    "l.v.": ("note", "let-ring", ""), "tr": ("note", "trill", ""), "arpeggio": ("note", "rolled", ""),
    "tremolo 2": ("note", "tremolo-2", ""),
    "8va": ("mark", "octave", "8va"), "15mb": ("mark", "octave", "15mb"), "ped.": ("mark", "pedal", ""),
    "rit.": ("mark", "tempo-word", "rit."),
    "a tempo": ("mark", "tempo-word", "a tempo"), "Cm7/G": ("mark", "chord", "Cm7/G"),
    "E7#9": ("mark", "chord", "E7#9"), "B": ("mark", "chord", "B"),
    "2nd ending": ("bar", "ending", "2"), "1st and 2nd ending": ("bar", "ending", "1, 2"),
    "D.S. al Coda": ("bar", "dal-segno-coda", ""),
    "Fine": ("bar", "fine", ""), "segno": ("bar", "segno", ""), "[B]": ("bar", "section", "B"),
    "section Verse": ("bar", "section", "Verse"),
    "3 times": ("bar", "repeat-end", "3"), "double bar": ("bar", "double", ""),
    "Andante": ("tempo", "tempo", "Andante"),
    "dotted quarter = 80": ("tempo", "tempo", ""), "bass clef": ("clef", "bass", ""),
    "dolce": ("mark", "text", "dolce"),
    '"as if asleep"': ("mark", "text", "as if asleep"), "fingers 1 3 5": ("fingers", "fingers", "1 3 5"),
    "stem up": ("note", "stem-up", ""),
    "cresc": ("mark", "hairpin", "cresc."), "Poco a poco cresc.": ("mark", "hairpin", "poco a poco cresc."),
    "dim. molto": ("mark", "hairpin", "dim. molto"),
    "poco rit": ("mark", "tempo-word", "poco rit."), "molto ritardando": ("mark", "tempo-word", "molto ritardando"),
    "rall": ("mark", "tempo-word", "rall."),
    "sempre staccato": ("mark", "text", "sempre staccato"), "dolce e cantabile": ("mark", "text", "dolce e cantabile"),
    "con ped.": ("mark", "text", "con ped."),
    "ped": ("mark", "pedal", ""), "breath": ("note", "breath", ""), "bass": ("clef", "bass", ""),
    "x3": ("bar", "repeat-end", "3"), "p dolce": ("mark", "dynamic", "p"),
    "other staff": ("note", "cross", ""), "no bracket": ("note", "no-bracket", ""),
    "grace note": ("grace", "grace", ""),
}  # fmt: skip


@pytest.mark.parametrize("text", WRITTEN)
def test_a_mark_is_read_as_musicians_write_it(text: str) -> None:
    wish = wish_of(text)
    assert (wish.sort, wish.kind, wish.text) == WRITTEN[text]
    assert wish.words
    assert not wish.without


@pytest.mark.parametrize("text", ["a", "e", "con", "Gm dolce", "p nonsense", "poco nonsense"])
def test_words_that_are_half_a_mark_are_none(text: str) -> None:
    with pytest.raises(BadInput, match="is no mark that Ductus knows"):
        wish_of(text)


@pytest.mark.parametrize(
    ("text", "hint"),
    [
        ("tie", "ties follow from values"),
        ("3/4", "the frame"),
        ("key G", "the frame"),
        ("triplet", "keys of their own"),
    ],
)
def test_what_is_written_elsewhere_says_where(text: str, hint: str) -> None:
    with pytest.raises(BadInput, match=hint):
        wish_of(text)


def test_a_dynamic_with_its_words_is_two_marks_put_at_once() -> None:
    piece = put(quarters(2), "p dolce", 2)
    assert {(m.kind, m.text, m.tick) for m in piece.marks.values()} == {
        ("dynamic", "p", 2 * QUARTER),
        ("text", "dolce", 2 * QUARTER),
    }
    sudden = put(quarters(2), "subito f", 2)
    assert {(m.kind, m.text) for m in sudden.marks.values()} == {("dynamic", "f"), ("text", "sub.")}
    with pytest.raises(BadInput, match="cannot stand in the place of"):
        Reword("p dolce").change(piece, [next(m.id for m in piece.marks.values() if m.kind == "dynamic")])


def test_a_little_and_a_lot_are_played_so() -> None:
    """Our own choice: half of what the word asks for by itself, and more than it."""
    slow = {text: paces(put(quarters(4), text, 4, 7))[-1].qpm for text in ("poco rit.", "rit.", "molto rit.")}
    assert slow["molto rit."] < slow["rit."] < slow["poco rit."] < paces(quarters(4))[0].qpm
    grown = put(put(quarters(4), "p", 0), "poco a poco cresc.", 0, 7)
    played = [n.velocity for n in performed(grown).notes]
    assert played[7] > played[0]


@pytest.mark.parametrize("text", ["Cm7x9", "H7x9", "blubber", "", "  ", "99th"])
def test_what_is_no_mark_is_refused_with_what_is_understood(text: str) -> None:
    with pytest.raises(BadInput, match=r"Nothing was changed|nothing was changed|write a root"):
        wish_of(text)


def test_every_word_of_the_vocabulary_is_found_by_its_beginning_and_asks_for_what_it_says() -> None:
    for written, wish in VOCABULARY:
        assert wish_of(written).words, written
        if len(written) > 3 and wish.sort != "clef":
            assert any(s.words == wish.words for s in suggestions(written)), written
    assert [s.text for s in suggestions("")][:3] == ["mf", "p", "f"]
    assert suggestions("stacc")[-1].text == '"stacc"'
    assert all(s.text.startswith("no ") for s in suggestions("no st"))


CHORDS = {  # pitch classes as common practice has them
    "C": {0, 4, 7}, "Bbm7": {10, 1, 5, 8}, "D7/F#": {2, 6, 9, 0}, "E7#9": {4, 8, 11, 2, 7},
    "Cmaj9(#11)": {0, 4, 7, 11, 2, 6},
    "G7sus4": {7, 0, 2, 5}, "F#m7b5": {6, 9, 0, 4}, "Cadd9": {0, 4, 7, 2}, "Dm(maj7)": {2, 5, 9, 1},
    "G13": {7, 11, 2, 5, 9, 4} , "Gno3": {7, 2},
    "C7(b9,#11)": {0, 4, 7, 10, 1, 6}, "A6/9": {9, 1, 4, 6, 11}, "C7alt": {0, 4, 10, 6, 8, 1, 3},
    "Dm7(11)": {2, 5, 9, 0, 7}, "C7(b9,13)": {0, 4, 7, 10, 1, 9},
    "Cmaj7(9,13)": {0, 4, 7, 11, 2, 9}, "C^7": {0, 4, 7, 11}, "G-maj7": {7, 10, 2, 6}, "E7+": {4, 8, 0, 2},
    "C4": {0, 5, 7},
}  # fmt: skip


@pytest.mark.parametrize("text", CHORDS)
def test_a_chord_symbol_holds_its_pitch_classes(text: str) -> None:
    assert parse_chord(text).classes == CHORDS[text]


# --- on the page -------------------------------------------------------------------------------


def test_the_same_mark_again_takes_it_away() -> None:
    for word in ("staccato", "mf", "slur", "<", "8va", "[A]", "1st ending", "segno"):
        piece = put(quarters(), word, 4, 7)
        again = put(piece, word, 4, 7)
        assert (len(again.marks), len(again.signs)) == (0, 0), word
        assert not any(n.signs for n in again.notes.values()), word
        assert piece.marks or piece.signs or any(n.signs for n in piece.notes.values()), word


def test_signs_of_notes_take_the_place_of_their_rivals() -> None:
    piece = put(put(put(quarters(), "staccato", 0), "tenuto", 0), "accent", 0)
    assert notes(piece, 0, 0)[0].signs == ("tenuto", "accent")
    assert notes(put(piece, "no accent", 0), 0, 0)[0].signs == ("tenuto",)


def test_marks_travel_with_their_notes_and_none_is_left_half() -> None:
    piece = put(put(put(quarters(), "slur", 4, 7), "staccato", 5), "f", 4)
    ids = [n.id for n in notes(piece, 4, 7)]
    moved = edit_notes(piece, MoveBy(960), ids, At(LINE, 0)).apply(piece)
    slur = next(m for m in moved.marks.values() if m.kind == "slur")
    assert slur.tick == 5 * QUARTER
    copied = paste(piece, excerpt_of(piece, notes(piece, 4, 7)), At(LINE, 16 * QUARTER)).apply(piece)
    assert sorted(m.kind for m in copied.marks.values()) == ["dynamic", "dynamic", "slur", "slur"]
    gone = edit_notes(piece, Delete(), ids[1:], At(LINE, 0)).apply(piece)
    assert [m.kind for m in gone.marks.values()] == ["dynamic"]


def test_a_slur_between_parts_or_of_one_note_is_refused() -> None:
    piece = quarters()
    with pytest.raises(BadInput, match="one voice"):
        put(piece, "slur", 3)
    other = Note("n900", "p1", 2, 1, 0, QUARTER, parse_pitch("C3"))
    piece = piece.with_rows([(None, other)])
    with pytest.raises(BadInput, match="one voice"):
        marked(piece, wish_of("slur"), where([notes(piece, 0, 0)[0], other], LINE, 0))


def test_a_mark_is_moved_turned_stretched_and_reworded_by_hand() -> None:
    piece = put(put(quarters(), "mf", 4), "<", 4, 7)
    mark = next(m for m in piece.marks.values() if m.kind == "dynamic")
    for edit, check in (
        (NudgeMarks(10, -5), lambda m: m.shift == (10, -5)), (NudgeMarks(0, 5), lambda m: m.shift == (10, 0)),
        (FlipMarks(), lambda m: m.side == "above"),
        (MarksInPlace(), lambda m: (m.shift, m.side) == ((0, 0), "")), (Reword("pp"), lambda m: m.text == "pp"),
    ):  # fmt: skip
        piece = edit.change(piece, [mark.id]).apply(piece)
        assert check(piece.marks[mark.id]), edit
    pin = next(m for m in piece.marks.values() if m.kind == "hairpin")
    longer = MarkReaches(12 * QUARTER).change(piece, [pin.id]).apply(piece)
    assert longer.marks[pin.id].end == 12 * QUARTER
    with pytest.raises(BadInput, match="before it begins"):
        MarkReaches(QUARTER).change(piece, [pin.id])
    with pytest.raises(BadInput, match="reaches nowhere"):
        MarkReaches(QUARTER).change(piece, [mark.id])
    assert not DropMarks().change(longer, [mark.id, pin.id]).apply(longer).marks


def test_a_slur_is_reshaped_to_another_note() -> None:
    piece = put(quarters(), "slur", 0, 3)
    slur = next(iter(piece.marks.values()))
    longer = MarkReaches(6 * QUARTER).change(piece, [slur.id]).apply(piece)
    assert len(longer.marks[slur.id].notes) == 6
    shorter = MarkReaches(2 * QUARTER, "start").change(longer, [slur.id]).apply(longer)
    assert shorter.marks[slur.id].tick == 2 * QUARTER


def test_a_slur_is_bent_turned_over_and_let_go() -> None:
    piece = put(put(quarters(), "slur", 0, 3), "mf", 0)
    slur = next(m for m in piece.marks.values() if m.kind == "slur")
    bent = BendSlurs(15).change(piece, [slur.id]).apply(piece)
    assert bent.marks[slur.id].bend == 15
    assert FlipMarks().change(bent, [slur.id]).apply(bent).marks[slur.id].bend == -15
    change = BendSlurs(-15).change(bent, [slur.id])
    assert change.apply(bent).marks == piece.marks
    assert "own curve" in change.sentence
    assert MarksInPlace().change(bent, [slur.id]).apply(bent).marks == piece.marks
    loud = next(m for m in piece.marks.values() if m.kind == "dynamic")
    with pytest.raises(BadInput, match="Only a slur"):
        BendSlurs(5).change(piece, [loud.id])


# --- words -------------------------------------------------------------------------------------


def test_words_are_spread_over_notes() -> None:
    piece = put(quarters(), "lyrics Ro-se _ red, le--gends", 0, 7)
    sung = [[(s.text, s.syllabic, s.extends) for s in n.lyrics] for n in notes(piece, 0, 6)]
    assert sung == [
        [("Ro", "begin", False)], [("se", "end", True)], [("", "single", True)], [("red,", "single", False)],
        [("le", "begin", False)], [], [("gends", "end", False)],
    ]  # fmt: skip
    second = put(piece, "lyrics 2: Blue", 0, 7)
    assert [s.verse for s in notes(second, 0, 0)[0].lyrics] == [1, 2]


def test_a_lyric_of_ten_thousand_words_keeps_what_finds_a_note_and_says_the_rest() -> None:
    piece = quarters(2)
    change = marked(piece, wish_of("lyrics " + "la " * 10_000), where(notes(piece, 0, 7), LINE, 0))
    assert "9,992 syllables found no note" in change.sentence
    assert all(n.lyrics for n in change.apply(piece).notes.values())


def test_words_are_sung_along_the_notes_by_space_hyphen_and_underscore() -> None:
    player = Player()
    piece = quarters(2)
    state = player.state
    for text, then in (("Ro", "syllable"), ("se", "hold"), ("red", "word")):
        outcome = advance_entry(state, Command(Sing(text, then)), piece)  # type: ignore[arg-type]
        state, piece = outcome.state, outcome.change.apply(piece) if outcome.change else piece
    assert [[(s.text, s.syllabic) for s in n.lyrics] for n in notes(piece, 0, 3)] == [
        [("Ro", "begin")],
        [("se", "end")],
        [("", "single")],
        [("red", "single")],
    ]
    assert state.tick == 4 * QUARTER


def test_spreading_is_the_same_however_the_spaces_fall() -> None:
    assert spread("Ro- se") == spread("Ro-se") == spread(" Ro -se ")


# --- at the pen ----------------------------------------------------------------------------------


def test_the_next_note_carries_what_was_asked_before_it() -> None:
    player = Player()
    player.give(WithHere("staccato")).give(WithHere("accent")).give(WithHere("mf"))
    player.chord(60).chord(62)
    first, second = sorted(player.piece.notes.values(), key=lambda n: n.tick)
    assert first.signs == ("staccato", "accent")
    assert second.signs == ()
    assert [(m.kind, m.tick) for m in player.piece.marks.values()] == [("dynamic", 0)]


def test_a_slur_and_a_hairpin_go_on_from_note_to_note_until_they_are_given_again() -> None:
    player = Player()
    player.give(WithHere("slur")).give(WithHere("<"))
    for key in (60, 62, 64):
        player.chord(key)
    player.give(WithHere("slur")).give(WithHere("<"))
    player.chord(65)
    slur = next(m for m in player.piece.marks.values() if m.kind == "slur")
    pin = next(m for m in player.piece.marks.values() if m.kind == "hairpin")
    assert len(slur.notes) == 3
    assert (pin.tick, pin.end) == (0, slur.end)


# --- the order of playing --------------------------------------------------------------------------


def order(piece: Piece) -> str:
    """Bars in playing order, from 1."""
    return " ".join(str(b + 1) for s in playing_order(piece) for b in range(s.first, s.last + 1))


def bar(piece: Piece, text: str, first: int, last: int | None = None) -> Piece:
    """A sign on bars (from 1)."""
    return put(piece, text, 4 * (first - 1), 4 * (last or first) - 1)


# Common practice, as any handbook of notation has it: repeats are not taken again after D.C. and D.S., coda and fine
# count only then.
ORDERS: list[tuple[Any, ...]] = [
    ([], "1 2 3 4 5 6 7 8"),
    ([("repeat end", 4)], "1 2 3 4 1 2 3 4 5 6 7 8"),
    ([("|:", 3), ("3 times", 4)], "1 2 3 4 3 4 3 4 5 6 7 8"),
    ([("|:", 2), ("1st ending", 4), ("repeat end", 4), ("2nd ending", 5)], "1 2 3 4 2 3 5 6 7 8"),
    ([("1st and 2nd ending", 3), ("repeat end", 3), ("3rd ending", 4)], "1 2 3 1 2 3 1 2 4 5 6 7 8"),
    ([("repeat end", 2), ("|:", 5), ("repeat end", 6)], "1 2 1 2 3 4 5 6 5 6 7 8"),
    ([("Fine", 3), ("D.C. al Fine", 8)], "1 2 3 4 5 6 7 8 1 2 3"),
    ([("segno", 3), ("to coda", 4), ("D.S. al Coda", 6), ("coda", 7)], "1 2 3 4 5 6 3 4 7 8"),
    ([("segno", 2), ("to coda", 5), ("D.S. al Coda", 6), ("coda", 7), ("|:", 2), ("repeat end", 3)],
        "1 2 3 2 3 4 5 6 2 3 4 5 7 8"),
    ([("1st ending", 3), ("repeat end", 3), ("2nd ending", 4), ("D.C. al Fine", 8), ("Fine", 5)],
        "1 2 3 1 2 4 5 6 7 8 1 2 4 5"),
    ([("1st ending", 3), ("2nd ending", 4)], "1 2 3 1 2 4 5 6 7 8"),
    ([("1st ending", 2, 3), ("repeat end", 3), ("2nd ending", 4), ("|:", 6), ("repeat end", 7)],
        "1 2 3 1 4 5 6 7 6 7 8"),
]  # fmt: skip


@pytest.mark.parametrize(("signs", "wanted"), ORDERS)
def test_bars_are_played_in_order(signs: list[tuple[str, int]], wanted: str) -> None:
    piece = quarters()
    for text, *bars in signs:
        piece = bar(piece, text, *bars)
    assert order(piece) == wanted


def test_an_ending_without_a_repeat_is_said() -> None:
    piece = quarters()
    change = marked(piece, wish_of("1st ending"), where(notes(piece, 4, 7), LINE, 0))
    assert "nothing is repeated yet" in change.sentence


# --- heard --------------------------------------------------------------------------------------------


def test_dynamics_rise_evenly_and_a_hairpin_leads_from_one_to_the_other() -> None:
    piece = put(put(put(quarters(2), "p", 0), "<", 1, 4), "f", 5)
    heard = [Loudness(piece).velocity(n) for n in notes(piece, 0, 7)]
    assert heard[0] == LEVELS["p"]
    assert heard[5:] == [LEVELS["f"]] * 3
    assert heard == sorted(heard)
    assert len(set(heard[1:6])) == 5


def test_stresses_are_heard_once() -> None:
    piece = put(put(put(quarters(2), "mp", 0), "sfz", 2), "fp", 5)
    heard = [Loudness(piece).velocity(n) for n in notes(piece, 0, 7)]
    assert heard[1] == heard[3] == LEVELS["mp"] < heard[2]
    assert heard[5] == LEVELS["f"]
    assert heard[6] == LEVELS["p"]


def test_without_a_dynamic_notes_sound_as_they_were_entered() -> None:
    piece = put(quarters(1), "accent", 1)
    assert [Loudness(piece).velocity(n) for n in notes(piece, 0, 1)] == [80, 96]


def test_every_dynamic_is_heard_or_stresses() -> None:
    from ductus.core.playback.dynamics import STRESSED, STRUCK

    assert set(DYNAMICS) == {*LEVELS, *STRESSED, *STRUCK}


def test_a_rit_slows_to_its_goal_and_a_tempo_comes_back() -> None:
    piece = put(put(quarters(4), "rit.", 4, 7), "a tempo", 8)
    steps = paces(piece)
    inside = [p.qpm for p in steps if 4 * QUARTER <= p.tick < 8 * QUARTER]
    assert inside == sorted(inside, reverse=True)
    assert inside[-1] == pytest.approx(90)  # three quarters of 120
    assert steps[-1].qpm == 120
    fermata = put(piece, "fermata", 12)
    plain, held = (written_tempo_map(fermata, fermatas=f).time_at(16 * QUARTER) for f in (False, True))
    assert 300_000 < held - plain < 600_000
