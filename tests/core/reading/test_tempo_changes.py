"""A new tempo in the middle of free playing: found, read in the same values, written with two marks in round numbers.

The player is simulated, the music is the demo's.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.playback.tempo_map import paces
from ductus.core.reading.beat_tracking.tempo_changes import TempoChange, tempo_change
from ductus.core.reading.beat_tracking.tempo_curve import tempo_curve, tempo_sections
from ductus.core.reading.beat_tracking.tracker import heard
from ductus.core.reading.model import ReadingResult, ReadSettings
from ductus.core.reading.page.insertion import page_of
from ductus.core.reading.pipeline import read
from ductus.core.time.meters import Meter
from ductus.core.time.ticks import QUARTER
from ductus.demo.player import play
from ductus.demo.scenario import waltz

QPM, BARS = 96.0, 16
PASS_S = BARS * 3 * 60 / QPM


def twice(factor: float) -> Take:
    """The waltz of 16 bars two times, the second at so much times the tempo."""
    notes = [
        n
        for k in range(2)
        for n in play(waltz(), range(BARS), 7 + k, QPM, free=True, start_us=round((1 + k * PASS_S) * 1e6))
    ]
    change = TempoChange(1 + PASS_S, factor)
    moved = []
    for n in notes:
        on = change.played(n.onset_us)
        moved.append(replace(n, onset_us=on, release_us=max(change.played(n.release_us), on + 1)))
    return Take(tuple(sorted(moved, key=lambda n: (n.onset_us, n.key))))


def freely(take: Take) -> ReadingResult:
    return read(take, None, ReadSettings(meter=Meter(3, 4), about=QPM))


@pytest.mark.parametrize("factor", [1.5, 1.3, 0.7])
def test_a_new_tempo_is_found_and_written_with_two_marks(factor: float) -> None:
    take = twice(factor)
    found = tempo_change(take, heard(take).chords.time)
    assert found is not None
    assert found.at_s == pytest.approx(1 + PASS_S, abs=3)  # seconds
    assert found.factor == pytest.approx(factor, rel=0.1)
    page = page_of(freely(take))
    first, second = sorted(page.tempi.values(), key=lambda t: t.tick)
    assert first.quarters_per_minute == pytest.approx(QPM, rel=0.06)
    assert second.quarters_per_minute == pytest.approx(QPM * factor, rel=0.06)
    assert second.quarters_per_minute == round(second.quarters_per_minute)
    assert page.timeline.bar_at(second.tick).start == second.tick  # at a bar line
    assert abs(page.timeline.bar_at(second.tick).index - BARS) <= 1
    assert [p.qpm for p in paces(page)] == [t.quarters_per_minute for t in (first, second)]


def test_values_stay_what_they_were_before_the_new_tempo() -> None:
    page = page_of(freely(twice(1.5)))
    lengths = [[n.ticks for n in page.notes.values() if low <= n.tick < high] for low, high in halves()]
    shares = [np.mean([t % (QUARTER // 2) == 0 for t in part]) for part in lengths]
    assert min(shares) > 0.9
    assert np.median(lengths[0]) == np.median(lengths[1]) == QUARTER


def halves() -> tuple[tuple[int, int], tuple[int, int]]:
    """The ticks of both passes, without the bars where one goes over into the other."""
    bar = 3 * QUARTER
    return (0, 14 * bar), (18 * bar, 32 * bar)


def test_a_tempo_that_breathes_or_slows_at_the_end_is_one() -> None:
    take = twice(1.0)
    assert tempo_change(take, heard(take).chords.time) is None
    assert len(page_of(freely(take)).tempi) == 1
    end = take.notes[-1].onset_us
    slower = list(take.notes)
    for k, n in enumerate(slower):  # over the last five seconds to half the tempo
        late = max(n.onset_us - (end - 5_000_000), 0)
        on = n.onset_us + late * late // 10_000_000
        slower[k] = replace(n, onset_us=on, release_us=max(n.release_us, on + 1))
    assert len(tempo_sections(freely(Take(tuple(slower))))) == 1


def test_a_tune_that_goes_over_to_triplets_keeps_its_tempo() -> None:
    """All times between chords become a third shorter; the fifths below go on in quarters."""
    tune = [PlayedNote(round(k * 3e5), round(k * 3e5) + 280_000, 72 + k % 5) for k in range(100)]
    tune += [PlayedNote(round(30e6 + k * 2e5), round(30e6 + k * 2e5) + 180_000, 72 + k % 7) for k in range(150)]
    bass = [PlayedNote(k * 600_000, k * 600_000 + 500_000, 43 + k % 3 + up) for k in range(100) for up in (0, 7)]
    alone = Take(tuple(tune))
    assert tempo_change(alone, heard(alone).chords.time) is not None
    both = Take(tuple(sorted([*tune, *bass], key=lambda n: (n.onset_us, n.key))))
    assert tempo_change(both, heard(both).chords.time) is None


def test_the_strip_says_the_tempo_of_the_whole_take() -> None:
    result = freely(twice(1.5))
    curve = tempo_curve(result)
    assert curve.lowest < 1.1 * QPM < curve.average < 1.4 * QPM < curve.highest


def test_times_without_the_change_are_as_even_as_the_playing_and_come_back() -> None:
    change = TempoChange(10.0, 1.5)
    times = [0, 9_999_999, 10_000_000, 10_000_001, 14_000_000, 60_000_000]
    assert [change.played(change.steady(t)) for t in times] == pytest.approx(times, abs=1)
    assert change.steady(12_000_000) == 13_000_000
