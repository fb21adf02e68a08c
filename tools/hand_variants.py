"""Keyboard textures made from the fitting corpus, so that hands are not learned from quartets and tunes alone.

piece of fit_corpus.py -> another piece: doubled in octaves, thirds or sixths, set in chords, with the hands' work
exchanged, in canon, fewer voices, broken
    chords, one hand alone

Only notes and staves are changed; all by chance, seeded by the caller.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Sequence
from typing import Any

from fit_corpus import UNIT, Piece, unisons_once

Note = list[Any]  # [tick, ticks, midi, step, alter, staff, voice]
REACH = 14


def of_staff(notes: list[Note], staff: int) -> list[Note]:
    """The notes of one hand."""
    return [n for n in notes if n[5] == staff]


def moved(notes: list[Note], semitones: int, staff: int) -> list[Note]:
    """Transposed, in another hand."""
    return [[n[0], n[1], n[2] + semitones, "", 0, staff, n[6]] for n in notes]


def octaves(notes: list[Note], rng: random.Random) -> list[Note]:
    """The top line, or the bass, doubled at the octave by the same hand."""
    staff = rng.choice((1, 2))
    outer = line_of(notes, staff)
    return [*notes, *moved(outer, -12 if staff == 1 else rng.choice((12, -12)), staff)]


def thirds(notes: list[Note], rng: random.Random) -> list[Note]:
    """The top line in thirds or sixths."""
    return [*notes, *moved(line_of(notes, 1), -rng.choice((3, 4, 8, 9)), 1)]


def full_chords(notes: list[Note], rng: random.Random) -> list[Note]:
    """Longer notes of the top line set as chords of three or four."""
    step = rng.choice(((4, 7, 12), (5, 9), (3, 8, 12), (4, 9, 12)))
    added = [m for n in line_of(notes, 1) if n[1] >= UNIT // 2 for d in step for m in moved([n], -d, 1)]
    return [*notes, *added]


def exchanged(notes: list[Note], rng: random.Random) -> list[Note]:
    """The tune in the left hand below what the left hand played, now in the right."""
    upper, lower = of_staff(notes, 1), of_staff(notes, 2)
    return [*moved(upper, -rng.choice((17, 19, 24)), 2), *moved(lower, rng.choice((12, 19, 24)), 1)]


def canon(notes: list[Note], rng: random.Random) -> list[Note]:
    """The top line followed by the left hand an octave or two lower."""
    tune = line_of(notes, 1)
    late, down = rng.choice((UNIT, 2 * UNIT, 4 * UNIT)), rng.choice((12, 12, 19, 24))
    return [*tune, *([t + late, *rest] for t, *rest in moved(tune, -down, 2))]


def unison_lines(notes: list[Note], rng: random.Random) -> list[Note]:
    """Both hands the same line, one or two octaves apart."""
    tune = line_of(notes, rng.choice((1, 1, 2)))
    down = rng.choice((12, 12, 24))
    upper = moved(tune, 12 if tune and tune[0][2] < 60 else 0, 1)
    return [*upper, *moved(upper, -down, 2)]


def fewer(notes: list[Note], rng: random.Random) -> list[Note]:
    """Two or three of a quartet's voices; the left hand takes what is left of the lower ones."""
    voices = sorted({(n[5], n[6]) for n in notes})
    if len(voices) < 4:
        return [*line_of(notes, 1), *line_of(notes, 2)]
    kept = set(rng.choice(([0, 1, 3], [0, 2, 3], [0, 3], [0, 2], [1, 3], [0, 1, 2])))
    return [n for n in notes if voices.index((n[5], n[6])) in kept]


def broken(notes: list[Note], rng: random.Random) -> list[Note]:
    """The left hand's longer notes as broken chords over its bass, close or wide."""
    bass = line_of(notes, 2)
    figure = rng.choice(((0, 7, 4, 7), (0, 7, 12, 7), (0, 7, 12, 16), (0, 12, 7, 12), (0, 4, 7, 4)))
    step = rng.choice((UNIT // 2, UNIT // 4, UNIT // 2))
    lowest_above = min((n[2] for n in of_staff(notes, 1)), default=90)
    out = of_staff(notes, 1)
    for n in bass:
        drop = 12 if n[2] > 52 else 0
        count = max(n[1] // step, 1)
        for k in range(count):
            p = n[2] - drop + figure[k % len(figure)]
            out.append([n[0] + k * step, min(step, n[1]), p if p < lowest_above + 5 else n[2] - drop, "", 0, 2, 1])
    return out


def running(notes: list[Note], rng: random.Random) -> list[Note]:
    """The right hand's longer notes dissolved into scales or arpeggios that may dive towards the left hand."""
    out = of_staff(notes, 2)
    step = rng.choice((UNIT // 4, UNIT // 2))
    shape = rng.choice(
        ((0, -2, -4, -5, -7, -9, -11, -12), (0, 2, 4, 5, 7, 9, 11, 12), (0, -5, -8, -12), (0, 4, 7, 12, 16, 12, 7, 4))
    )
    for n in line_of(notes, 1):
        count = max(n[1] // step, 1)
        out += [[n[0] + k * step, min(step, n[1]), n[2] + shape[k % len(shape)], "", 0, 1, 1] for k in range(count)]
    return out


def lowest_by_beat(notes: list[Note]) -> dict[int, int]:
    """The lowest key of each beat."""
    lowest: dict[int, int] = {}
    for n in notes:
        for beat in range(n[0] // UNIT, (n[0] + n[1] - 1) // UNIT + 1):
            lowest[beat] = min(lowest.get(beat, 128), n[2])
    return lowest


def left_chords(notes: list[Note], rng: random.Random) -> list[Note]:
    """The left hand's longer notes as close chords, near under the right hand's line."""
    out, lowest = line_of(notes, 1), lowest_by_beat(line_of(notes, 1))
    steps = rng.choice(((4, 7), (5, 9), (3, 8), (4, 7, 10), (7, 12), (5, 8, 12)))
    for n in line_of(notes, 2):
        room = lowest.get(n[0] // UNIT, 128) - steps[-1] - n[2]
        up = 12 if n[2] < 50 and room > 12 else 0
        chord = (0, *steps) if n[1] >= UNIT // 2 and room > up else (0,)
        out += [m for step in chord for m in moved([n], up + step, 2)]
    return out


def pulsing(notes: list[Note], rng: random.Random) -> list[Note]:
    """The left hand's notes as close chords that are struck again and again.

    Now and then the right hand moves so, too.
    """
    step = rng.choice((UNIT // 2, UNIT // 2, UNIT // 4, UNIT // 3))
    steps = rng.choice(((4, 7), (5, 9), (3, 8), (7, 12), (4,), ()))
    out = of_staff(notes, 1)
    if rng.random() < 0.25:
        out = [[n[0] + k * step, step, *n[2:]] for n in out for k in range(max(n[1] // step, 1))]
    for n in line_of(notes, 2):
        for k in range(max(n[1] // step, 1)):
            out += [[n[0] + k * step, min(step, n[1]), n[2] + d, "", 0, 2, 1] for d in (0, *steps)]
    return out


def stride(notes: list[Note], rng: random.Random) -> list[Note]:
    """A bass in octaves on the beats, its chords after them; the right hand as it was, or in octaves."""
    upper = of_staff(notes, 1)
    tune = line_of(notes, 1)
    out = [*tune, *moved(tune, 12, 1)] if rng.random() < 0.4 else upper
    lowest = lowest_by_beat(out)
    half, after = rng.choice((UNIT, UNIT // 2)), rng.choice(((0, 4, 7), (4, 7, 12), (3, 8, 12), (0, 5, 9)))
    doubled = rng.random() < 0.6
    for n in line_of(notes, 2):
        bass = n[2] - 12 if n[2] > 50 else n[2]
        for t in range(n[0], n[0] + max(n[1], half), half):
            if (t // half) % 2 == 0:
                out += [[t, half, k, "", 0, 2, 1] for k in ((bass - 12, bass) if doubled else (bass,))]
            else:
                root = bass + 12
                while root + after[-1] >= lowest.get(t // UNIT, 128) and root > 40:
                    root -= 12
                out += [[t, half, root + k, "", 0, 2, 1] for k in after]
    return out


def close_by(notes: list[Note], rng: random.Random) -> list[Note]:
    """The left hand's chords an octave higher, close under the right hand, its bass notes left where they are."""
    lowest = lowest_by_beat(of_staff(notes, 1))
    bass = {(n[0], n[2]) for n in line_of(notes, 2) if n[0] % (2 * UNIT) == 0}
    out = of_staff(notes, 1)
    for n in of_staff(notes, 2):
        room = lowest.get(n[0] // UNIT, 128) - n[2]
        up = 12 if (n[0], n[2]) not in bass and room > 13 else 0
        out += moved([n], up, 2)
    return out


def alone(notes: list[Note], rng: random.Random) -> list[Note]:
    """Stretches where one of the hands is silent."""
    bar = 4 * UNIT
    out = []
    silent: dict[int, int] = {}
    for n in notes:
        block = n[0] // (bar * 4)
        if block not in silent:
            silent[block] = rng.choice((0, 0, 0, 1, 2))
        if n[5] != silent[block]:
            out.append(n)
    return out


def high_or_low(notes: list[Note], rng: random.Random) -> list[Note]:
    """Everything in another place of the keyboard."""
    by = rng.choice((-12, -7, 7, 12))
    return [n for staff in (1, 2) for n in moved(of_staff(notes, staff), by, staff)]


Variant = Callable[[list[Note], random.Random], list[Note]]
ANY: tuple[Variant, ...] = (
    octaves, close_by, close_by, thirds, full_chords, exchanged, canon, unison_lines, fewer, broken, running,
    high_or_low,
)  # fmt: skip
DANCES: tuple[Variant, ...] = (
    octaves, close_by, left_chords, left_chords, stride, stride, thirds, full_chords, exchanged, canon, unison_lines,
    fewer, broken, running,
    high_or_low,
)  # fmt: skip
RHYTHMS: tuple[Variant, ...] = (
    octaves, thirds, full_chords, left_chords, stride, broken, broken, broken, running, running, pulsing, pulsing,
    unison_lines, fewer,
)  # fmt: skip
SELDOM = 0.04  # share of pieces in which a hand is silent for a while


def line_of(notes: list[Note], staff: int) -> list[Note]:
    """The outer line of a hand: the top of the right one, the bass of the left one."""
    best: dict[int, Note] = {}
    for n in of_staff(notes, staff):
        old = best.get(n[0])
        if old is None or (n[2] > old[2]) == (staff == 1):
            best[n[0]] = n
    return [best[t] for t in sorted(best)]


def playable(notes: list[Note]) -> list[Note]:
    """Inner notes that a hand could not reach, or that stand outside the keyboard, are left out.

    Of the rest each key sounds once.
    """
    kept = []
    inside = [n for n in notes if 21 <= n[2] <= 108]
    edge: dict[tuple[int, int], int] = {}
    for n in inside:
        at = (n[0], n[5])
        edge[at] = max(edge.get(at, -1), n[2]) if n[5] == 1 else min(edge.get(at, 999), n[2])
    for n in inside:
        if abs(n[2] - edge[n[0], n[5]]) <= REACH:
            kept.append(n)
    return unisons_once(kept)


def varied(piece: Piece, rng: random.Random, variants: Sequence[Variant]) -> Piece:
    """The piece in another texture, made by one or two of the variants."""
    notes = piece["notes"]
    made = rng.sample(variants, rng.choice((1, 1, 2)))
    if rng.random() < SELDOM:
        made.append(alone)
    for make in made:
        notes = playable(make(notes, rng))
    return {**piece, "name": f"{piece['name']}~{'+'.join(m.__name__ for m in made)}", "notes": notes}
