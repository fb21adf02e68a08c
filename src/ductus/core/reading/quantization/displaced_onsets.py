"""What one hand strikes beside a beat that it means stands on the beat: a bass that leads, a tune that trails.

places + onsets and releases -> places

People roll chords and let one hand lead, by so much that the lattice, which knows neither hands nor how long a key
is held, puts it on a place of its own beside the beat.

- *It leads* what is held over the beat, longer than it sounded before it, and was struck nearer to the beat than to
  its place; or stands on the last sixth of a simple beat (the last twelfth of a compound one), where nobody begins
  what is held over: 8 of 219,000 notes in the open scores of ``tools/fit_corpus.py``; or lies as this player's leads
  do rather than as what is meant there.
- *It trails* what stands on the first sixth (twelfth) of a beat that was struck more than an octave away, with nothing
  after it like a figure: 24 of them.

(Three works are left out of these counts: their notes stand beside their bar lines in the files.)
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ductus.core.reading.quantization.beat_grid import BeatGrid
from ductus.core.reading.quantization.placement import Places
from ductus.core.reading.quantization.subdivisions import COMPOUND, DIVISIONS, SIMPLE, Floats, Ints

BESIDE = {SIMPLE: 1 / 6, COMPOUND: 1 / 12}  # of a beat of each family
# Than before the beat it sounds after it: freely, and to a click, where fingers that overlap are commoner than wide
# chords.
LONGER = {True: 1.0, False: 3.0}
LAST_PART = 1 / 3  # of a beat: what begins before it does not lead the next
LONGEST_LEAD_S = 0.15
PSEUDO_LEADS, PSEUDO_MEANT, ROUNDS = 1.0, 2.0, 10
OCTAVE, FIGURE = 12, 1 / 4  # semitones; of a beat
NEIGHBOURS = 48  # notes on each side among which those of the same beat are looked for
# The division of a beat that has nothing but what stands on it, by family.
UNDIVIDED = {d.family: k for k, d in enumerate(DIVISIONS) if len(d.slots) == 1}
Flags = NDArray[np.bool_]


def onto_beats(found: Places, key: Ints, onset: Floats, release: Floats, grid: BeatGrid, *, centred: bool) -> Places:
    """The places, with what leads or trails a beat standing on it, in the chord that is there.

    Not where the same key is struck there. ``onset`` and ``release`` in seconds, pedal apart; ``centred``: the beats
    were found from the same notes. Rivals stay: where it was found is one of them.
    """
    leading = leads(found, onset, release, grid, centred=centred)
    to = np.where(leading, found.beat + 1, found.beat)
    moved = [
        n
        for n in np.flatnonzero(leading | soon_after(found, grid)).tolist()
        if (leading[n] or trails(found, key, n)) and not struck_at(found, key, n, int(to[n]))
    ]
    if not moved:
        return found
    place = found.place.copy()
    beat, division, slot, chord = (a.copy() for a in (found.beat, found.division, found.slot, found.chord))
    taken: set[tuple[int, int]] = set()
    for n in moved:
        near, there = around(n), int(to[n])
        if (there, int(key[n])) in taken:  # one key does not stand twice on a beat
            continue
        taken.add((there, int(key[n])))
        same, on = found.division[near][found.beat[near] == there], found.chord[near][found.place[near] == there]
        beat[n], place[n], slot[n] = there, there, 0
        division[n] = same[0] if len(same) else UNDIVIDED[int(grid.family[there])]
        chord[n] = on[0] if len(on) else found.chord[n]
    _, chord = np.unique(np.stack([place, chord.astype(float)], 1), axis=0, return_inverse=True)
    return replace(found, beat=beat, place=place, division=division, slot=slot, chord=chord.reshape(-1))


def around(n: int) -> slice:
    """The notes before and after one."""
    return slice(max(n - NEIGHBOURS, 0), n + NEIGHBOURS + 1)


def struck_at(found: Places, key: Ints, n: int, beat: int) -> bool:
    """Is the key of a note struck on a beat?"""
    near = around(n)
    return bool(((found.place[near] == beat) & (key[near] == key[n])).any())


def beside(found: Places, grid: BeatGrid) -> Floats:
    """The share of its beat, for each note, that counts as beside a beat."""
    return np.where(grid.family[found.beat] == COMPOUND, BESIDE[COMPOUND], BESIDE[SIMPLE]) + 1e-9


def leads(found: Places, onset: Floats, release: Floats, grid: BeatGrid, *, centred: bool) -> Flags:
    """Which notes lead the beat after them."""
    following = np.minimum(found.beat + 1, len(grid.family) - 1)
    at = grid.seconds[following] + found.feel.lag
    before = at - onset
    ahead = (following - found.place) * np.diff(grid.seconds)[found.beat]  # as it was placed
    held = (release - at > LONGER[centred] * before) & (found.beat < following)
    near = (found.place >= following - beside(found, grid)) | (before < ahead / 2)
    places = np.sort(found.place)
    struck = places[np.minimum(np.searchsorted(places, following), len(places) - 1)] == following
    some = held & struck & (following - found.place <= LAST_PART + 1e-9)
    near[some] |= like_leads(before[some], ahead[some], math.hypot(found.feel.chord_sd, found.feel.note_sd))
    return np.asarray(held & near)


def like_leads(before: Floats, ahead: Floats, sd: float) -> Flags:
    """Which of some notes, struck ``before`` seconds ahead of a beat and put on places that are ``ahead`` of it, lie
    there as leads. What is meant on its place scatters around it as the player's chords do (``sd``); a lead may
    be of any length. How common leads are with this player is found with them, by expectation and maximisation.
    """
    meant = np.exp(-0.5 * ((before - ahead) / sd) ** 2) / (sd * math.sqrt(2 * math.pi))
    lead = np.where(before <= LONGEST_LEAD_S, 1 / LONGEST_LEAD_S, 0.0)
    share, chance = 0.5, np.zeros(len(before))
    for _ in range(ROUNDS):
        chance = share * lead / (share * lead + (1 - share) * meant + 1e-12)
        share = (float(chance.sum()) + PSEUDO_LEADS) / (len(before) + PSEUDO_LEADS + PSEUDO_MEANT)
    return np.asarray(chance > 0.5)


def soon_after(found: Places, grid: BeatGrid) -> Flags:
    """Which notes stand so shortly after a beat that they may trail it."""
    return np.asarray((found.place > found.beat) & (found.place <= found.beat + beside(found, grid)))


def trails(found: Places, key: Ints, n: int) -> bool:
    """Does a note come late after a beat that another hand struck?

    Nothing within an octave of it stands on the beat, and nothing follows it there like a figure.
    """
    near = around(n)
    within = np.abs(key[near] - key[n]) <= OCTAVE
    places, beat, place = found.place[near], found.beat[n], found.place[n]
    figure = within & (places > place) & (places <= place + FIGURE)
    on = places == beat
    return bool(on.any() and not (within & on).any() and not figure.any())
