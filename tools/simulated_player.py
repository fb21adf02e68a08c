"""A simulated keyboardist for fitting and for our own bench, seeded.

Its habits (all chosen by us; none measured): timing errors are correlated from chord to chord (first-order
autoregression) plus an own part for each note, hardly one for each hand (hands do not give themselves away by time);
chords are rolled upwards by a few milliseconds a note; the left hand is early or late as a habit of the piece;
articulation is a legato share that drifts slowly for each hand, with short notes where the next key lies far away;
long notes are let go early now and then.
"""

from __future__ import annotations

import itertools
import math
import random
from bisect import bisect_right
from collections.abc import Callable
from typing import Any

from fit_corpus import UNIT

Row = tuple[float, float, int, int, int]  # onset s, release s, key, velocity, index of the note in the piece
SKILLS = {"steady": (0.010, 0.004, 0.85), "ordinary": (0.018, 0.008, 0.65), "rough": (0.027, 0.014, 0.45)}


def felt_beat(meter: str) -> int:
    """Ticks of the felt beat."""
    count, unit = (int(x) for x in meter.split("/"))
    return UNIT * 3 // 2 if unit == 8 and count % 3 == 0 else UNIT


def choose_pace(piece: dict[str, Any], rng: random.Random) -> float:
    """Seconds to the quarter: a usual pace, slower where fast notes would be out of reach."""
    beat_s = rng.uniform(0.4, 0.95)
    quarter_s = beat_s * UNIT / felt_beat(piece["meter"])
    return max(quarter_s, 0.11 / fast_gap(piece, 25))


def fast_gap(piece: dict[str, Any], one_in: int) -> float:
    """Quarters between onsets in a hand where it goes fast: one gap in so many is as short."""
    gaps: list[int] = []
    for staff in (1, 2):
        at = sorted({n[0] for n in piece["notes"] if n[5] == staff})
        gaps += [b - a for a, b in itertools.pairwise(at)]
    gaps.sort()
    return gaps[len(gaps) // one_in] / UNIT


def steady_clock(quarter_s: float, start_s: float) -> Callable[[int], float]:
    """Seconds of a tick with a click."""
    return lambda tick: start_s + tick / UNIT * quarter_s


def breathing_clock(
    piece: dict[str, Any], quarter_s: float, start_s: float, rng: random.Random, depth: float
) -> Callable[[int], float]:
    """Seconds of a tick when played freely.

    Slow waves, phrase ends that broaden, a slower close, rests now and then.
    """
    last = max(n[0] + n[1] for n in piece["notes"]) + 8 * UNIT
    step = UNIT // 4
    phrase = rng.choice((2, 4, 4, 8)) * 4 * UNIT
    wave, drift = rng.uniform(0, 6.3), 0.0
    ticks, seconds = [0], [start_s]
    while ticks[-1] < last:
        tick = ticks[-1]
        drift = 0.97 * drift + rng.gauss(0, depth * 0.12)
        near_end = max(0.0, 1 - (phrase - tick % phrase) / UNIT) * depth * rng.uniform(0.5, 2.0)
        closing = max(0.0, 1 - (last - 8 * UNIT - tick) / (3 * UNIT)) * depth * 2.5
        pace = quarter_s * math.exp(
            drift + depth * 0.5 * math.sin(wave + tick / phrase * 6.283) + near_end + min(closing, 0.8)
        )
        hold = rng.uniform(0.2, 0.9) * quarter_s if tick % phrase == 0 and tick and rng.random() < depth * 0.8 else 0.0
        ticks.append(tick + step)
        seconds.append(seconds[-1] + pace * step / UNIT + hold)

    def clock(tick: int) -> float:
        k = min(max(bisect_right(ticks, tick) - 1, 0), len(ticks) - 2)
        return seconds[k] + (tick - ticks[k]) * (seconds[k + 1] - seconds[k]) / (ticks[k + 1] - ticks[k])

    return clock


def play(piece: dict[str, Any], clock: Callable[[int], float], skill: str, rng: random.Random) -> list[Row]:
    """Play a piece of the fitting corpus."""
    sd, roll, legato_mean = SKILLS[skill]
    notes = piece["notes"]
    wander, shared = 0.0, {}
    for tick in sorted({n[0] for n in notes}):
        wander = 0.5 * wander + rng.gauss(0, sd * 0.75)
        shared[tick] = wander + rng.gauss(0, sd * 0.45)
    habit = {1: 0.0, 2: rng.gauss(0, sd * 0.6)}
    own = {(n[0], n[5]): rng.gauss(0, sd * 0.15) * (2.5 if rng.random() < 0.04 else 1) for n in notes}
    rank: dict[int, int] = {}
    by_hand: dict[tuple[int, int], list[Any]] = {}
    for n in notes:
        by_hand.setdefault((n[0], n[5]), []).append(n)
    onset: list[float] = []
    for i, n in enumerate(notes):
        rank[i] = sorted(m[2] for m in by_hand[n[0], n[5]]).index(n[2])
        onset.append(
            max(
                clock(n[0])
                + shared[n[0]]
                + habit[n[5]]
                + own[n[0], n[5]]
                + rank[i] * roll * rng.uniform(0, 1)
                + rng.gauss(0, sd * 0.5),
                0.0,
            )
        )
    release = let_go(piece, clock, onset, legato_mean, rng)
    out: list[Row] = []
    for i, n in enumerate(notes):
        strong = 6 if n[0] % (2 * UNIT) == piece["pickup"] % (2 * UNIT) else 0
        velocity = int(min(max(rng.gauss(66 + strong + (5 if n[5] == 1 else -4), 6), 12), 120))
        out.append((onset[i], max(release[i], onset[i] + 0.035), n[2], velocity, i))
    return let_go_before_striking(sorted(out))


def let_go(
    piece: dict[str, Any], clock: Callable[[int], float], onset: list[float], legato_mean: float, rng: random.Random
) -> list[float]:
    """When each key is let go: a hand lets the notes of its chord go together, joined to the next, held for most of
    their length, or short, and goes on so for a while.
    """
    notes = piece["notes"]
    goes_on, loose = rng.uniform(0.5, 0.9), rng.uniform(0.04, 0.16)
    touch = {h: legato_mean + rng.gauss(0, 0.15) for h in (1, 2)}
    # Of each hand: its manner now, and the share of their length that its chords sound.
    manner = {1: ("joined", 0.95), 2: ("joined", 0.95)}
    next_of = {h: sorted({n[0] for n in notes if n[5] == h}) for h in (1, 2)}
    chords: dict[tuple[int, int], tuple[str, float]] = {}  # manner and sounded share of each chord of a hand
    out = []
    for i, n in enumerate(notes):
        hand = n[5]
        if (n[0], hand) not in chords:
            touch[hand] = min(max(0.93 * touch[hand] + 0.07 * legato_mean + rng.gauss(0, 0.08), 0.0), 1.1)
            if rng.random() > goes_on:
                short = 0.12 * (1.2 - touch[hand])
                manner[hand] = rng.choices(
                    (
                        ("joined", 0.95),
                        ("short", rng.uniform(0.22, 0.45)),
                        ("held", min(rng.gauss(0.55 + 0.4 * touch[hand], 0.15), 0.98)),
                    ),
                    (touch[hand], max(short, 0.01), max(1 - touch[hand] - short, 0.01)),
                )[0]
            how, usual = manner[hand]
            if n[1] > UNIT:
                usual = max(usual, 0.55 + 0.4 * touch[hand])
            share = rng.uniform(0.6, 0.9) if n[1] >= 2 * UNIT and rng.random() < 0.1 else rng.gauss(usual, loose)
            chords[n[0], hand] = how, min(max(share, 0.2), 1.03)
        how, share = chords[n[0], hand]
        length = clock(n[0] + n[1]) - clock(n[0])
        k = bisect_right(next_of[hand], n[0])
        if how == "joined" and k < len(next_of[hand]) and next_of[hand][k] == n[0] + n[1]:
            out.append(onset[i] + length + rng.gauss(0.012, 0.02))
        else:
            out.append(onset[i] + length * share * rng.gauss(1, 0.04) + rng.gauss(0, 0.01))
    return out


def let_go_before_striking(rows: list[Row]) -> list[Row]:
    """A key is up before it is struck again."""
    out = list(rows)
    last: dict[Any, Any] = {}
    for k, row in enumerate(rows):
        if row[2] in last:
            j = last[row[2]]
            a = out[j]
            out[j] = (a[0], max(min(a[1], row[0] - 0.012), a[0] + 0.008), *a[2:])
        last[row[2]] = k
    return out
