"""The programmes of the rehearsal keyboard: performances with human unevenness, always the same for a seed."""

from __future__ import annotations

import random
from dataclasses import dataclass
from functools import lru_cache

from ductus.core.errors import NotThere
from ductus.core.performance.takes import SUSTAIN
from ductus.core.playback.click import DELAY_COUNT_IN, DELAY_QPM, delay_clicks
from ductus.demo.player import play
from ductus.demo.scenario import dance, jig, waltz


@dataclass(frozen=True, slots=True)
class Programme:
    """One performance; with a click it begins after ``count_in`` bars at ``qpm`` quarters a minute."""

    name: str
    title: str
    about: str
    qpm: float | None
    count_in: int
    meter: str


PROGRAMMES = (
    Programme("waltz-with-click", "Lock Gate Waltz, bars 1 to 8", "with the click, both hands", 96, 2, "3/4"),
    Programme("crane-with-click", "Dance of the Paper Crane", "with the click, trills and rolled chords", 84, 2, "4/4"),
    Programme(
        "quarters", "Quarters for the delay test", "with its click, never quite on it", DELAY_QPM, DELAY_COUNT_IN, "4/4"
    ),
    Programme("otter-freely", "Otter at the Tiller", "freely, with pedal", None, 0, "6/8"),
)
Event = tuple[int, str, int, int]
HIDDEN_LATENESS_US = 37_400  # of the rehearsal keyboard in the delay test, which has to find it


@lru_cache(maxsize=8)
def programme_events(name: str) -> list[Event]:
    """(microseconds, "down" | "up" | "control", key or controller, value), in order. Raises NotThere."""
    pedal: list[int] = []
    if name == "waltz-with-click":
        start_us = round(2 * 3 * 60e6 / 96)
        notes = play(waltz(), range(8), 11, 96, start_us=start_us)
    elif name == "crane-with-click":
        notes = play(dance(), range(8), 7, 84, start_us=round(2 * 4 * 60e6 / 84))
    elif name == "quarters":
        return late_quarters()
    elif name == "otter-freely":
        notes = play(jig(), range(9), 23, 150, free=True, start_us=800_000)
        pedal = [n.onset_us for n in notes if n.key < 52]
    else:
        raise NotThere("The rehearsal keyboard has no such programme.")
    events: list[Event] = []
    for n in notes:
        events += [(n.onset_us, "down", n.key, n.velocity), (n.release_us, "up", n.key, 0)]
    for time_us in pedal:
        events += [(max(time_us - 40_000, 0), "control", SUSTAIN, 0), (time_us + 120_000, "control", SUSTAIN, 127)]
    return sorted(events, key=lambda e: (e[0], e[1] == "down"))


def late_quarters() -> list[Event]:
    """Quarters with the click of the delay test, a little uneven, all late by the same hidden time."""
    rng = random.Random(5)
    clicks, counted = delay_clicks()
    events: list[Event] = []
    for k, click in enumerate(clicks[counted:]):
        on = click.time_us + HIDDEN_LATENESS_US + round(rng.gauss(0, 5_000))
        events += [(on, "down", 60 + (0, 4, 7, 4)[k % 4], 72), (on + 350_000, "up", 60 + (0, 4, 7, 4)[k % 4], 0)]
    return sorted(events, key=lambda e: (e[0], e[1] == "down"))
