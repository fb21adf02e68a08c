"""Close calls (JOB 6.9): where a reading might well be wrong, and what else it could be.

    probabilities of places, of values and of hands -> doubts, one for each beat that holds one

The three stages give probabilities of their own; each is mapped to "how likely is this note wrong here" by a logistic
curve fitted on simulated players (``tools/fit_doubts.py``). A doubt covers the notes of one beat, since a person settles
them together.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Sequence

from ductus.core.reading.beats import BeatGrid
from ductus.core.reading.places import Places
from ductus.core.reading.settings import Doubt, Pins, Rival
from ductus.core.time.meters import Meter
from ductus.core.time.ticks import QUARTER, quarters_of_ticks
from ductus.core.time.values import describe_value, value_for_ticks

PLACE_CURVE = (0.606, 1.093)  # intercept and slope on ln(odds against), as tools/fit_doubts.py found them
VALUE_CURVE = (-0.537, 0.555)
HAND_CURVE = (-0.023, 0.294)
ENOUGH = 0.12  # expected wrong notes in a beat from which on it is a doubt
MOST_PER_100 = 12  # doubts a hundred notes at the most: a longer list is not worked through


def wrong_chance(probability: float, curve: tuple[float, float]) -> float:
    """Calibrated chance that a decision taken with this probability is wrong."""
    p = min(max(probability, 1e-6), 1 - 1e-6)
    return 1 / (1 + math.exp(-(curve[0] + curve[1] * math.log((1 - p) / p))))


def find_doubts(
    grid: BeatGrid,
    places: Places,
    meter: Meter,
    ticks: Sequence[int],
    hand: Sequence[int],
    sure: Sequence[float],
    choices: Sequence[Sequence[tuple[int, float]]],
    order: Sequence[int],
    pins: Pins,
) -> tuple[Doubt, ...]:
    """All doubts of a reading in order of place, at most MOST_PER_100 for a hundred notes."""
    groups: dict[int, list[int]] = defaultdict(list)
    for n in order:
        groups[int(places.beat[n])].append(n)
    ranked = []
    for beat, notes in groups.items():
        chance = {n: note_chance(n, places, sure, choices, pins) for n in notes}
        total = sum(sum(c) for c in chance.values())
        if total > ENOUGH:
            ranked.append((total, beat, notes, chance))
    ranked.sort(key=lambda r: -r[0])
    room = max(1, len(order) * MOST_PER_100 // 100)
    chosen = [r for r in ranked[:room] if r[0] > ENOUGH]
    out = []
    for _, _beat, notes, chance in sorted(chosen, key=lambda r: (r[1], min(r[2]))):
        tick = min(ticks[n] for n in notes)
        fine = 1.0
        for c in chance.values():
            for x in c:
                fine *= 1 - x
        out.append(
            Doubt(
                tick // meter.bar_ticks,
                tick,
                tuple(notes),
                fine,
                rivals_in(grid, places, ticks, notes, chance, choices, hand),
            )
        )
    return tuple(out)


def note_chance(
    n: int, places: Places, sure: Sequence[float], choices: Sequence[Sequence[tuple[int, float]]], pins: Pins
) -> tuple[float, float, float]:
    """Chance that place, value, hand of a note are wrong."""
    place = wrong_chance(places.rivals[n][0][3], PLACE_CURVE) if places.rivals and places.rivals[n] else 0.0
    value = wrong_chance(choices[n][0][1], VALUE_CURVE) if choices[n] else 0.0
    side = wrong_chance(1 / (1 + math.exp(-sure[n])), HAND_CURVE) if sure[n] < 40 else 0.0
    return (
        0.0 if n in pins.places else place,
        0.0 if n in pins.values else value,
        0.0 if n in pins.hands else side,
    )


def rivals_in(
    grid: BeatGrid,
    places: Places,
    ticks: Sequence[int],
    notes: Sequence[int],
    chance: dict[int, tuple[float, float, float]],
    choices: Sequence[Sequence[tuple[int, float]]],
    hand: Sequence[int],
) -> tuple[Rival, ...]:
    """What else the beat could be: other places, other values, the other hand; the likeliest first."""
    out: list[Rival] = []
    moved: list[tuple[int, int, int]] = []
    probability = 0.0
    for n in notes:
        if places.rivals and len(places.rivals[n]) > 1:
            other = next((r for r in places.rivals[n] if grid.tick_of(*r[:3]) != ticks[n]), None)
            if other is not None and other[3] > 0.04:
                moved.append((n, grid.tick_of(*other[:3]), choices[n][0][0] if choices[n] else QUARTER))
                probability = max(probability, other[3])
    if moved:
        inside = sorted({quarters_of_ticks(t - int(grid.ticks[places.beat[notes[0]]])) for _, t, _ in moved})
        out.append(
            Rival(
                "at " + ", ".join(f"{q} of a quarter" if q else "the beat" for q in inside), probability, tuple(moved)
            )
        )
    for n in notes:
        for length, p in choices[n][1:3]:
            if p > 0.1:
                value = value_for_ticks(length)
                words = describe_value(value) if value else f"{quarters_of_ticks(length)} quarters long"
                out.append(Rival(f"a {words}", p, ((n, ticks[n], length),)))
    weakest = max(notes, key=lambda n: chance[n][2])
    if chance[weakest][2] > 0.12:
        side = "left" if hand[weakest] == 1 else "right"
        out.append(Rival(f"in the {side} hand", chance[weakest][2], ()))
    return tuple(sorted(out, key=lambda r: -r.probability)[:3])
