"""Spelling played keys: by local key and by the direction of the line.

A hidden local key (a place on the line of fifths) wanders through the piece; a Viterbi search finds it from the pitches,
and each note takes the name that is likeliest in its key and leads rightly to the next note of its hand: C sharp
rising, D flat falling. The table of names by distance from the key is counted on open scores (``tools/fit_spelling.py``).
Compare ps13s1 (Meredith 2006, from memory), which counts pitch classes around each note instead.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np

from ductus.core.pitch.pitches import Pitch, pitch_on_line
from ductus.core.reading.divisions import Floats
from ductus.core.reading.key import spelling_table

LOWEST, HIGHEST = -8, 8  # local keys, in fifths of their signature
CHANGE_COST = 4.2  # nats for a change of local key, and
FIFTH_COST = 0.9  # for each fifth it moves
HOME_PULL = 0.012  # nats a note for each fifth away from the signature
LEADING = 4.5  # nats for a semitone to the next note that changes the letter
FROM_BEFORE = 0.7  # the same for a semitone from the note before
RANGE = range(-15, 20)


def spell_notes(keys: Sequence[int], chords: Sequence[int], hands: Sequence[int], fifths: int) -> list[Pitch]:
    """Name every key. ``chords`` numbers the chord of each note (rising), ``fifths`` is the signature."""
    local = local_keys(keys, chords, fifths)
    table = spelling_table()["names"]
    log_of = {int(d): float(v) for d, v in table.items()}
    floor = min(log_of.values()) - 2.0
    later = neighbours(keys, chords, hands, 1)
    earlier = neighbours(keys, chords, hands, -1)
    names: list[int] = []
    options = [[f for f in RANGE if (7 * f - k) % 12 == 0] for k in keys]
    for n in range(len(keys)):
        names.append(max(options[n], key=lambda f: log_of.get(f - local[n], floor)))
    for _ in range(2):  # a neighbour's name counts as it stands now
        for n in range(len(keys)):

            def worth(f: int, n: int = n) -> float:
                score = log_of.get(f - local[n], floor)
                for near, bonus in ((later[n], LEADING), (earlier[n], FROM_BEFORE)):
                    if near is not None and abs(f - names[near]) == 5:  # five fifths: a semitone between two letters
                        score += bonus
                return score

            names[n] = max(options[n], key=worth)
    return [pitch_on_line(k, f) for k, f in zip(keys, names, strict=True)]


def neighbours(keys: Sequence[int], chords: Sequence[int], hands: Sequence[int], direction: int) -> list[int | None]:
    """For each note the note a semitone away in the next (or the last) chord of its hand, if there is one."""
    groups: dict[tuple[int, int], list[int]] = {}
    order: dict[int, list[int]] = {}
    for n, (chord, hand) in enumerate(zip(chords, hands, strict=True)):
        if (hand, chord) not in groups:
            order.setdefault(hand, []).append(chord)
        groups.setdefault((hand, chord), []).append(n)
    place = {(hand, chord): k for hand, listed in order.items() for k, chord in enumerate(listed)}
    out: list[int | None] = []
    for n, (chord, hand) in enumerate(zip(chords, hands, strict=True)):
        k = place[hand, chord] + direction
        listed = order[hand]
        found = None
        if 0 <= k < len(listed):
            found = next((m for m in groups[hand, listed[k]] if abs(keys[m] - keys[n]) == 1), None)
        out.append(found)
    return out


def local_keys(keys: Sequence[int], chords: Sequence[int], fifths: int) -> list[int]:
    """The local key at each note, by Viterbi over chords."""
    states = np.arange(LOWEST, HIGHEST + 1)
    emission = _emissions()
    pull = HOME_PULL * np.abs(states - fifths)
    count = chords[-1] + 1
    scores = np.zeros((count, len(states)))
    for key, chord in zip(keys, chords, strict=True):
        scores[chord] += emission[key % 12] - pull
    change = -CHANGE_COST * (states[:, None] != states[None, :]) - FIFTH_COST * np.abs(
        states[:, None] - states[None, :]
    )
    value = scores[0] - 0.6 * np.abs(states - fifths)
    back = np.zeros((count, len(states)), np.int64)
    for q in range(1, count):
        ways = value[:, None] + change
        back[q] = ways.argmax(0)
        value = ways.max(0) + scores[q]
    best = int(value.argmax())
    path = [best]
    for q in range(count - 1, 0, -1):
        best = int(back[q, best])
        path.append(best)
    path.reverse()
    return [int(states[path[chord]]) for chord in chords]


@lru_cache(maxsize=1)
def _emissions() -> Floats:
    """ln probability of a pitch class (row) in a local key (column), by its best name."""
    log_of = {int(d): float(v) for d, v in spelling_table()["names"].items()}
    floor = min(log_of.values()) - 2.0
    out = np.zeros((12, HIGHEST - LOWEST + 1))
    for pc in range(12):
        for c, key in enumerate(range(LOWEST, HIGHEST + 1)):
            out[pc, c] = max(log_of.get(f - key, floor) for f in RANGE if (7 * f - pc) % 12 == 0)
    return out
