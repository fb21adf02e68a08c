"""The programmes of the rehearsal keyboard: performances with human unevenness, always the same for a seed."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

from ductus.core.capture.takes import SUSTAIN
from ductus.core.errors import NotThere
from ductus.core.playback.click import DELAY_COUNT_IN, DELAY_QPM, OneTempo, click_plan, delay_clicks
from ductus.core.score.model.piece import Piece
from ductus.demo.band import sparks
from ductus.demo.player import play, with_slips
from ductus.demo.scenario import bends, dance, jig, waltz


@dataclass(frozen=True, slots=True)
class Programme:
    """One performance; with a click it begins after ``count_in`` bars at ``qpm`` quarters a minute.

    ``bars`` (indices) of a piece are played, all staves and parts, or one; ``slips`` is the share of wrong keys.
    """

    name: str
    title: str
    about: str
    qpm: float | None
    count_in: int
    meter: str
    make: Callable[[], Piece] | None = None
    bars: range = range(0)
    seed: int = 0
    pace: float = 0.0
    staff: int = 0
    pedalled: bool = False
    part: str = ""
    slips: float = 0.0


PROGRAMMES = (
    Programme("waltz-with-click", "Lock Gate Waltz, bars 1 to 8", "with the click, both hands", 96, 2, "3/4", waltz,
        range(8), 11),
    *(
        Programme(f"waltz-try-{k}", f"Lock Gate Waltz, {name} try", "with the click, bars 1 to 8, not every key right",
            96, 2, "3/4", waltz, range(8), 66 + k, slips=0.06)
        for k, name in enumerate(("first", "second", "third"), 1)
    ),
    Programme("waltz-right", "Lock Gate Waltz, right hand", "with the click, bars 1 to 8", 96, 2, "3/4", waltz,
        range(8), 12, staff=1),
    Programme("waltz-left", "Lock Gate Waltz, left hand", "with the click, bars 1 to 8", 96, 2, "3/4", waltz, range(8),
        13, staff=2),
    Programme("waltz-left-again", "Lock Gate Waltz, left hand again", "with the click, bars 5 to 8", 96, 2, "3/4",
        waltz, range(4, 8), 14, staff=2),
    Programme("bends-with-click", "Three Bends of the River", "with the click, 6/8, 3/4, 6/8", 108, 2, "6/8", bends,
        range(13), 17),
    Programme("crane-with-click", "Dance of the Paper Crane", "with the click, trills and rolled chords", 84, 2, "4/4",
        dance, range(8), 7),
    Programme("quarters", "Quarters for the delay test", "with its click, never quite on it", DELAY_QPM, DELAY_COUNT_IN,
        "4/4"),
    Programme("sparks-on-pads", "Sparks over the Paddle, on the pads", "with the click, the kit alone, bars 1 to 4",
        112, 2, "4/4", sparks, range(4), 31, part="p3"),
    Programme("otter-freely", "Otter at the Tiller", "freely, with pedal", None, 0, "6/8", jig, range(9), 23, 150,
        pedalled=True),
    Programme("waltz-freely", "Lock Gate Waltz, freely", "freely, slowing at the end", None, 0, "3/4", waltz, range(16),
        29, 108),
)  # fmt: skip
Event = tuple[int, str, int, int]
HIDDEN_LATENESS_US = 37_400  # of the rehearsal keyboard in the delay test, which has to find it
FREE_START_US = 800_000
PEDAL_BELOW = 52  # the pedal changes with each bass note below this key


@lru_cache(maxsize=16)
def programme_events(name: str, qpm: float | None = None, lead_us: int | None = None) -> list[Event]:
    """(microseconds, "down" | "up" | "control", key or controller, value), in order.

    A programme with a click is played at ``qpm`` quarters a minute, its first bar ``lead_us`` after the first click
    (None: as the programme says). Raises NotThere.
    """
    found = next((p for p in PROGRAMMES if p.name == name), None)
    if found is None:
        raise NotThere("The rehearsal keyboard has no such programme.")
    if found.make is None:
        return late_quarters()
    piece = found.make()
    if found.staff:
        others = [(n, None) for n in piece.notes.values() if n.staff != found.staff]
        piece = piece.with_rows(others)
    if found.part:
        others = [(n, None) for n in piece.notes.values() if n.part != found.part]
        piece = piece.with_rows(others)
    free = found.qpm is None
    start_us, pace = FREE_START_US, found.pace
    if found.qpm is not None:
        pace = qpm or found.qpm
        own = click_plan(piece, found.bars.start, OneTempo(pace), found.count_in, before=False).lead_us
        start_us = own if lead_us is None else lead_us
    notes = play(piece, found.bars, found.seed, pace, free=free, start_us=start_us)
    if found.slips:
        notes = with_slips(notes, found.slips, found.seed)
    events: list[Event] = []
    for n in notes:
        events += [(n.onset_us, "down", n.key, n.velocity), (n.release_us, "up", n.key, 0)]
    for time_us in [n.onset_us for n in notes if found.pedalled and n.key < PEDAL_BELOW]:
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
