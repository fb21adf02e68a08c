"""A simulated player with human unevenness, seeded: onsets wander, chords spread, touch and length vary.

Sizes are common practice for trained players (onset spread of about 12 ms, chords within 15 ms); they are
chosen by us and measured nowhere.
"""

from __future__ import annotations

import math
import random
from dataclasses import replace

from ductus.core.capture.takes import PlayedNote
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note
from ductus.core.time.ticks import QUARTER

ONSET_SD_S = 0.012
CHORD_SPREAD_S = 0.012
LEGATO = (0.86, 1.01)
TRILL_S, ROLL_S, CRUSHED_S = (0.075, 0.095), (0.032, 0.045), (0.05, 0.065)


def play(
    piece: Piece, bars: range, seed: int, qpm: float, *, free: bool = False, start_us: int = 0
) -> list[PlayedNote]:
    """Play bars of a piece; the first bar line falls at ``start_us``. ``free`` lets the tempo breathe."""
    rng = random.Random(seed)
    first, last = piece.timeline.bar(bars.start).start, piece.timeline.bar(bars.stop - 1).end
    clock = _clock(first, last, qpm, rng, free)
    notes = sorted((n for n in piece.notes.values() if first <= n.tick < last), key=lambda n: (n.tick, n.pitch.midi))
    together = {tick: rng.gauss(0, ONSET_SD_S) for tick in sorted({n.tick for n in notes})}
    played = []
    for note in notes:
        onset = clock(note.tick) + together[note.tick] + rng.uniform(0, CHORD_SPREAD_S)
        length = (clock(min(note.end, last)) - clock(note.tick)) * rng.uniform(*LEGATO)
        velocity = _velocity(piece, note, rng)
        onset = max(onset, 0.0)
        played += embellished(note, notes, onset, length, velocity, rng)
    return [
        PlayedNote(start_us + round(a * 1e6), start_us + round(b * 1e6), key, velocity)
        for a, b, key, velocity in sorted(played)
    ]


def with_slips(notes: list[PlayedNote], share: float, seed: int) -> list[PlayedNote]:
    """What an amateur's fingers make of it.

    Of ``share`` of the keys a third is missed, a third struck beside, and beside a third another key is brushed.
    """
    rng = random.Random(seed)
    out = []
    for note in notes:
        chance = rng.random()
        if chance < share / 3:
            continue
        beside = replace(note, key=note.key + rng.choice((-2, -1, 1, 2)))
        out.append(beside if chance < 2 * share / 3 else note)
        if chance > 1 - share / 3:
            out.append(replace(beside, velocity=max(note.velocity // 2, 1)))
    return sorted(out, key=lambda n: (n.onset_us, n.key))


def embellished(
    note: Note, notes: list[Note], onset: float, length: float, velocity: int, rng: random.Random
) -> list[tuple[float, float, int, int]]:
    """A note as (onset, release in seconds, key, velocity), with what its signs ask for.

    A trill with the key above it in a minor scale, a chord rolled upwards, grace notes just before.
    """
    key = note.pitch.midi
    out = []
    for k, grace in enumerate(reversed(note.grace_notes), 1):
        early = onset - k * rng.uniform(*CRUSHED_S)
        out.append((max(early, 0.0), max(early, 0.0) + 0.05, grace.midi, velocity - 6))
    if "rolled" in note.signs:
        rank = sum(n.tick == note.tick and n.staff == note.staff and n.pitch.midi < key for n in notes)
        late = rank * rng.uniform(*ROLL_S)
        return [*out, (onset + late, onset + length, key, velocity)]
    if "turn" in note.signs:
        at = onset
        for by in (2, 0, -2 if key % 12 in (2, 4, 7, 9) else -1, 0):
            step = rng.uniform(*TRILL_S)
            last = by == 0 and at > onset + 2 * TRILL_S[0]
            out.append((at, onset + length if last else at + step * 0.95, key + by, velocity - rng.randint(0, 8)))
            at += step
        return out
    if "trill" in note.signs:
        upper = key + (1 if key % 12 in (4, 8, 11) else 2)
        at, now = onset, key
        while at < onset + length - 0.06:
            step = rng.uniform(*TRILL_S)
            out.append((at, min(at + step * 0.95, onset + length), now, velocity - rng.randint(0, 8)))
            at, now = at + step, upper if now == key else key
        return out
    return [*out, (onset, onset + length, key, velocity)]


def _velocity(piece: Piece, note: Note, rng: random.Random) -> int:
    bar = piece.timeline.bar_at(note.tick)
    accent = 8 if note.tick == bar.start else 0
    return int(min(max(note.velocity + accent + rng.gauss(0, 5), 20), 115))


def _clock(first: int, last: int, qpm: float, rng: random.Random, free: bool):  # type: ignore[no-untyped-def]
    """Seconds from the first tick; freely played bars swell and slow over four-bar phrases."""
    step = QUARTER // 4
    places, seconds, drift = [0.0], [0.0], 0.0
    length = (last - first) / QUARTER
    while places[-1] < length + 4:
        quarter = places[-1]
        pace = qpm
        if free:
            drift = 0.95 * drift + rng.gauss(0, 0.008)
            phrase = (quarter % 12) / 12
            pace *= math.exp(
                drift + 0.05 * math.sin(2 * math.pi * phrase) - 0.25 * max(quarter / length - 0.9, 0) / 0.1
            )
        places.append(quarter + step / QUARTER)
        seconds.append(seconds[-1] + step / QUARTER * 60 / pace)

    def clock(tick: int) -> float:
        quarter = (tick - first) / QUARTER
        k = min(int(quarter * 4), len(places) - 2)
        return seconds[k] + (quarter - places[k]) * (seconds[k + 1] - seconds[k]) / (places[k + 1] - places[k])

    return clock
