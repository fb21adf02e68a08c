"""Where notes are drawn: a note that is clicked in stands where the click was, on transposing parts and under octave
lines, too; music21 reads it so.
"""

from __future__ import annotations

import music21
import pytest

from ductus.core.entry.commands.beat import ClickNote
from ductus.core.entry.state import EntryState
from ductus.core.notation.clefs import clef_offer
from ductus.core.notation.drawn import drawn_at, pitch_drawn_at
from ductus.core.pitch.pitches import Pitch
from ductus.core.score.catalogues.instruments import INSTRUMENTS
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Mark, Note
from ductus.core.time.ticks import QUARTER
from ductus.formats.musicxml_write import write_musicxml

READ_ELSEWHERE = [i.name for i in INSTRUMENTS if i.transpose != (0, 0)]


def clicked(piece: Piece, place: int, tick: int = 0) -> Piece:
    part = piece.ordered_parts()[0].id
    state = EntryState(down=True, part=part, clicks="write")
    outcome = ClickNote(part, 1, tick, place).run(state, piece, 0)
    assert outcome.change
    return outcome.change.apply(piece)


@pytest.mark.parametrize("name", READ_ELSEWHERE)
@pytest.mark.parametrize("fifths", [-5, 0, 4])
def test_a_click_on_a_transposing_staff_writes_what_the_player_reads_there(name: str, fifths: int) -> None:
    piece = new_piece(parts=(name,), fifths=fifths)
    part = piece.ordered_parts()[0]
    for place in (30, 33, 38):
        written = clicked(piece, place)
        (note,) = written.notes.values()
        assert drawn_at(written, part, 1, 0, note.pitch) == place
        score = music21.converter.parseData(write_musicxml(written).decode(), format="musicxml")
        (read,) = score.toWrittenPitch().flatten().notes
        assert read.pitch.diatonicNoteNum - 1 == place  # music21 counts C0 as 1
        assert read.pitch.accidental is None or not read.pitch.accidental.displayStatus  # it is in the signature
        assert score.toSoundingPitch().flatten().notes[0].pitch.midi == note.pitch.midi


def test_a_click_under_an_octave_line_writes_the_note_that_is_drawn_there() -> None:
    piece = new_piece().with_rows([(None, Mark("m9", "octave", "p1", 1, 1, 0, 4 * QUARTER, "8va"))])
    (note,) = clicked(piece, 32).notes.values()
    assert str(note.pitch) == "G5"
    (behind,) = clicked(piece, 32, 4 * QUARTER).notes.values()
    assert str(behind.pitch) == "G4"
    low = new_piece().with_rows([(None, Mark("m9", "octave", "p1", 2, 1, 0, QUARTER, "15mb"))])
    part = low.ordered_parts()[0]
    assert drawn_at(low, part, 2, 0, Pitch("A", 0, 0)) == Pitch("A", 0, 2).diatonic
    assert pitch_drawn_at(low, part, 2, 0, Pitch("A", 0, 2).diatonic) == Pitch("A", 0, 0)


def test_a_double_bass_in_its_own_range_is_offered_no_other_clef() -> None:
    """It sounds an octave lower than it reads: E1 is drawn on the first ledger line below (E2)."""
    piece = new_piece(parts=("Double bass",))
    notes = [(None, Note(f"n{k}", "p1", 1, 1, k * QUARTER, QUARTER, Pitch("E", 0, 1))) for k in range(8)]
    assert clef_offer(piece.with_rows(notes), "p1", 1, 8 * QUARTER) is None
