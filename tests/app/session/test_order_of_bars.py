"""The order in which bars sound, as a browser is told it, and playing from one of its stretches."""

from __future__ import annotations

from ductus.app.wire.mapping import _order
from ductus.core.playback.performance import playback
from ductus.core.score.model.piece import Piece
from ductus.core.score.structure_edits.form import FormSign, WriteForm
from ductus.demo.scenario import waltz


def formed(*signs: FormSign) -> Piece:
    return WriteForm(signs).change(waltz()).apply(waltz())


TWICE = formed(FormSign("ending", 3, "1"), FormSign("ending", 4, "2"), FormSign("repeat-end", 3))


def test_a_piece_without_repeats_has_no_order_to_tell() -> None:
    assert _order(waltz()) == ()


def test_stretches_are_told_by_their_bars_and_said_aloud() -> None:
    told = _order(TWICE)
    assert [s.bars for s in told] == ["1–4", "1–3", "5–16"]
    assert [s.words for s in told] == ["bars 1 to 4", "bars 1 to 3, 2nd time", "bars 5 to 16"]
    assert told[2].start == TWICE.timeline.bar(4).start


def test_playing_from_the_second_time_leaves_out_the_first_ending() -> None:
    whole, second = playback(TWICE), playback(TWICE, stretch=1)
    assert second.length_us < whole.length_us
    first_ending = {n.id for n in TWICE.notes.values() if TWICE.timeline.bar_at(n.tick).index == 3}
    assert first_ending & {s.note for s in whole.notes}
    assert not first_ending & {s.note for s in second.notes}
    assert second.places[0] == (0, 0)


def test_a_stretch_that_is_not_there_is_the_last() -> None:
    assert next(p for _, p in playback(TWICE, stretch=99).places) == TWICE.timeline.bar(4).start
