"""The delay test: mean and spread of (played - click)."""

from __future__ import annotations

import random
import statistics

import pytest

from ductus.core.capture.delay import find_delay
from ductus.core.errors import BadInput
from ductus.core.playback.click import delay_clicks
from ductus.demo.keyboard import HIDDEN_LATENESS_US, programme_events

CLICKS = [k * 600_000 for k in range(20)]


def test_the_hidden_lateness_of_the_rehearsal_keyboard_is_found_within_3_ms() -> None:
    clicks, _ = delay_clicks()
    strokes = [at for at, kind, _, _ in programme_events("quarters") if kind == "down"]
    found = find_delay([c.time_us for c in clicks], strokes)
    assert abs(found.mean_us - HIDDEN_LATENESS_US) < 3000
    assert found.words.startswith("Your notes arrive 3")
    assert "late on average" in found.words


def test_mean_and_spread_are_the_usual_ones() -> None:
    """Checked against the statistics module of Python's standard library."""
    rng = random.Random(1)
    off = [round(rng.gauss(-21_000, 8_000)) for _ in CLICKS]
    found = find_delay(CLICKS, [c + d for c, d in zip(CLICKS, off, strict=True)])
    assert found.mean_us == round(statistics.fmean(off))
    assert found.spread_us == round(statistics.stdev(off))
    assert "21 ms early" in found.words or "20 ms early" in found.words or "22 ms early" in found.words


def test_slips_and_doubled_strokes_are_left_out_and_counted() -> None:
    strokes = [c + 10_000 for c in CLICKS]
    strokes[4] += 200_000
    found = find_delay(CLICKS, [*strokes, CLICKS[7] + 40_000])
    assert (found.mean_us, found.left_out) == (10_000, 2)
    assert "2 strokes far from the others left out" in found.words


def test_too_few_strokes_are_refused_in_words() -> None:
    with pytest.raises(BadInput, match="3 strokes on the click were heard"):
        find_delay(CLICKS, CLICKS[:3])
    with pytest.raises(BadInput, match="needs a click"):
        find_delay([], [1])
