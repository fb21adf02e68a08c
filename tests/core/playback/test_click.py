"""The click plan: times, meters and tempi of the piece, count-in, what is heard with it."""

from __future__ import annotations

from fractions import Fraction

import pytest

from ductus.core.errors import BadInput
from ductus.core.pitch.pitches import parse_pitch
from ductus.core.playback.click import AsWritten, ClickPlan, OneTempo, Silence, click_plan
from ductus.core.score.catalogues.layouts import new_piece
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import MeterChange, Note, TempoMark
from ductus.core.time.meters import Meter
from ductus.core.time.note_values import NoteValue
from ductus.core.time.ticks import QUARTER


def piece(pickup: int = 0) -> Piece:
    """Two bars of 6/8 at dotted quarter = 60, then 3/4 at quarter = 120."""
    made = new_piece(meter=Meter(6, 8), pickup=pickup, bpm=60)
    tempo = next(iter(made.tempi.values()))
    dotted = TempoMark(tempo.id, 0, 60, NoteValue("quarter", 1))
    changed = made.with_rows([(tempo, dotted), (None, MeterChange("m2", 3 if pickup else 2, Meter(3, 4)))])
    tick = changed.timeline.bar(3 if pickup else 2).start
    return changed.with_rows([(None, TempoMark("t2", tick, 120.0))])


def times(plan: ClickPlan, since: int, bars: int) -> list[float]:
    return [c.time_us / 1e6 for c in plan.clicks(since, bars)]


def test_a_click_follows_meters_and_tempi_as_they_are_written() -> None:
    """Dotted quarter = 60: six eighths in two seconds.

    Quarter = 120: three quarters in a second and a half (arithmetic).
    """
    plan = click_plan(piece(), 1, AsWritten(), 1)
    thirds = [k / 3 for k in range(6)]
    assert times(plan, 0, 3) == pytest.approx([*thirds, *(2 + t for t in thirds), 4, 4.5, 5], abs=1e-6)
    assert [c.rank for c in plan.clicks(2, 1)] == ["bar", "beat", "beat"]
    assert (plan.lead_us, plan.end_us(2, 1)) == (2_000_000, 5_500_000)


def test_half_tempo_and_one_tempo() -> None:
    """A tempo in percent of the written one, or one for all (arithmetic)."""
    assert times(click_plan(piece(), 2, AsWritten(50), 0), 0, 1) == [0, 1, 2]
    assert times(click_plan(piece(), 2, OneTempo(60), 1), 1, 1) == pytest.approx([3, 4, 5])


def test_a_count_in_without_bars_before_is_like_the_first_bar() -> None:
    plan = click_plan(new_piece(meter=Meter(3, 4), bpm=120), 0, AsWritten(), 2)
    assert times(plan, 0, 3) == [k * 0.5 for k in range(9)]
    assert plan.pulses.tick_at(3_000_000) == 0


def test_a_pick_up_is_counted_as_the_end_of_a_bar() -> None:
    """Two bars and what the pick-up lacks are counted before it (common practice)."""
    plan = click_plan(new_piece(meter=Meter(4, 4), pickup=QUARTER, bpm=60), 0, AsWritten(), 2)
    lead = times(plan, 0, 3)
    assert lead == list(range(11))
    assert plan.lead_us == 11_000_000
    assert [c.rank for c in plan.clicks(3, 1)] == ["beat"]
    assert plan.pulses.tick_at(11_000_000) == 3 * QUARTER  # the fourth beat of its bar
    assert plan.start == -3 * QUARTER


def test_the_click_never_ends_and_does_not_drift() -> None:
    """A thousand bars at a tempo whose beat is no whole number of microseconds."""
    plan = click_plan(new_piece(meter=Meter(4, 4), bpm=97.3), 0, AsWritten(), 0)
    last = plan.clicks(999, 1)[-1].time_us
    exact = Fraction(3999 * 60_000_000) / Fraction("97.3")
    assert abs(last - exact) <= 1000


def test_a_place_or_a_tempo_out_of_reach_is_refused() -> None:
    with pytest.raises(BadInput):
        click_plan(piece(), -1, AsWritten(), 2)
    with pytest.raises(BadInput):
        click_plan(piece(), 0, AsWritten(), 9)


def note(name: str, tick: int, staff: int = 1, pitch: str = "C4") -> tuple[None, Note]:
    return None, Note(name, "p1", staff, 1, tick, QUARTER, parse_pitch(pitch))


def test_the_music_around_a_recording_is_heard_and_what_it_replaces_is_not() -> None:
    four = 4 * QUARTER
    made = new_piece(meter=Meter(4, 4), bpm=60).with_rows(
        [note("n1", 0), note("n2", four), note("n3", four, 2, "C3"), note("n4", 2 * four), note("n5", 0, 2, "C3")]
    )
    plan = click_plan(made, 1, AsWritten(), 1)
    own = Silence("p1", 1, four, 2 * four)
    assert [(s.onset_us, s.note) for s in plan.heard(0, 3, own)] == [
        (0, "n5"), (0, "n1"), (4_000_000, "n3"), (8_000_000, "n4"),
    ]  # fmt: skip
    quiet = Silence("p1", 1, four, 2 * four, before=True, others=True)
    assert [s.note for s in plan.heard(0, 3, quiet)] == ["n4"]


def test_the_bars_before_are_not_heard_where_the_count_in_is_made_up() -> None:
    made = new_piece(meter=Meter(4, 4), bpm=60).with_rows([note("n1", 0), note("n2", 4 * QUARTER)])
    plan = click_plan(made, 1, AsWritten(), 2)
    assert not plan.real
    assert [s.onset_us for s in plan.heard(0, 3, Silence())] == [8_000_000]


def test_the_meters_of_a_reading_are_those_of_the_piece() -> None:
    assert piece().timeline.meters_from(1, 3 * QUARTER) == ((0, Meter(6, 8)), (3 * QUARTER, Meter(3, 4)))
