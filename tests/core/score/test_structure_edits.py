"""Edits of the frame: bar lines are laid anew, values stay, what is behind stays with its music."""

from __future__ import annotations

import io

import music21
import pytest

from ductus.core.errors import BadInput
from ductus.core.score.model.changes import Change
from ductus.core.score.model.piece import Piece, records_of
from ductus.core.score.structure_edits.base import FrameEdit
from ductus.core.score.structure_edits.meter_key_tempo import KeyFrom, MeterFrom, PickUp, TempoFrom
from ductus.core.time.meters import Meter
from ductus.core.time.ticks import QUARTER
from ductus.demo.scenario import bends, jig, waltz
from ductus.formats.musicxml_write import write_musicxml


def done(piece: Piece, edit: FrameEdit) -> tuple[Piece, Change]:
    change = edit.change(piece)
    return change.apply(piece), change


def sounds(piece: Piece) -> list[tuple[int, int, int]]:
    return sorted((n.tick, n.ticks, n.pitch.midi) for n in piece.notes.values())


def test_a_meter_at_any_bar_keeps_the_values_and_counts_the_ties() -> None:
    piece = waltz()
    after, change = done(piece, MeterFrom(8, "4/4"))
    assert sounds(after) == sounds(piece)
    assert after.timeline.bar(7).meter == Meter(3, 4)
    assert after.timeline.bar(8).meter == Meter(4, 4)
    assert after.timeline.bar(9).start == piece.timeline.bar(8).start + 4 * QUARTER
    assert change.sentence.startswith("Bar 9 on is in 4/4, was 3/4: values stay, ")
    score = music21.converter.parse(io.BytesIO(write_musicxml(after)).getvalue(), format="musicxml")
    assert [t.ratioString for t in score.parts[0].recurse().getElementsByClass("TimeSignature")] == ["3/4", "4/4"]
    back = change.inverse().apply(after)
    assert sorted(map(str, records_of(back))) == sorted(map(str, records_of(piece)))


def test_later_changes_of_meter_stay_with_their_music() -> None:
    piece = bends()
    second = piece.timeline.bar(9).start
    after, _ = done(piece, MeterFrom(5, "2/4"))
    change = max(after.meters.values(), key=lambda m: m.bar)
    assert change.meter == Meter(6, 8)
    assert after.timeline.bar(change.bar).start == second  # twelve quarters are six bars of 2/4
    assert sounds(after) == sounds(piece)


def test_a_pick_up_of_another_length_moves_the_bar_lines_only() -> None:
    piece = jig()
    after, _ = done(piece, PickUp(0))
    assert after.timeline.bar(0).ticks == 3 * QUARTER
    assert sounds(after) == sounds(piece)
    again, change = done(after, PickUp(QUARTER // 2))
    assert again.timeline.bar(0).ticks == QUARTER // 2
    assert "another length" in change.sentence
    with pytest.raises(BadInput, match="shorter than a bar"):
        PickUp(4 * QUARTER).change(piece)


def test_a_key_and_a_tempo_from_a_place_on() -> None:
    piece = waltz()
    after, change = done(piece, KeyFrom(4, 2))
    assert (after.key_at(3).fifths, after.key_at(4).fifths) == (-2, 2)
    assert change.sentence == "Bar 5 on is in D major; notes keep their pitch"
    assert sounds(after) == sounds(piece)
    after, change = done(piece, TempoFrom(piece.timeline.bar(8).start, 72, "Slower"))
    assert after.tempo_at(piece.timeline.bar(9).start).bpm == 72
    assert change.bars(piece)[1] is False  # only the bar with the mark is drawn anew
    with pytest.raises(BadInput, match="is no tempo"):
        TempoFrom(0, 5).change(piece)


@pytest.mark.parametrize("meter", ["17/64", "0/4", "4", "7/8 (2+2+2)"])
def test_a_meter_that_is_none_is_refused_in_words(meter: str) -> None:
    with pytest.raises(BadInput):
        MeterFrom(0, meter).change(waltz())
