"""What is struck a hair before a beat and sounds on over it stands on the beat.

    places + onsets and releases -> places

People roll chords and let one hand lead, and what comes first can lie so far ahead that the lattice, which does not know how long a key is held, puts it on
the last sixteenth or 32nd before the beat. It belongs to the beat where it was struck nearer to that than to the place it was put on; or where that place is the last sixth of a
simple beat or the last twelfth of a compound one, where nobody begins a note that is held over: eight of 219,000 in the open scores of ``tools/fit_corpus.py`` (three works left
out whose notes stand beside their bar lines there).
"""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

import numpy as np

from ductus.core.reading.beats import BeatGrid
from ductus.core.reading.divisions import COMPOUND, SIMPLE, Floats, Ints, smallest_division
from ductus.core.reading.places import Places

EARLY = {SIMPLE: 1 / 6, COMPOUND: 1 / 12}  # shares of a beat: what begins later is not held over the next
LONGER = {
    True: 1.0,
    False: 3.0,
}  # than before the beat it sounds after it: in free playing, and to a click, where fingers that overlap are commoner than wide chords
ON_BEAT = frozenset({Fraction(0)})


def early_on_beats(
    found: Places, key: Ints, onset: Floats, release: Floats, grid: BeatGrid, *, centred: bool
) -> Places:
    """The places, with what is struck so shortly before a beat and sounds longer after it than before (``onset`` and ``release`` in seconds, pedal apart) standing on it, in the
    chord that is there; not where the same key is struck there. Rivals stay: where it was found is one of them. ``centred``: the beats were found from the same notes."""
    beat, last = found.beat, len(grid.family) - 1
    following = np.minimum(beat + 1, last)
    at = grid.seconds[following] + found.feel.lag
    ahead = (following - found.place) * np.diff(grid.seconds)[beat]  # of the beat, as it was placed
    last_part = np.where(grid.family[beat] == COMPOUND, EARLY[COMPOUND], EARLY[SIMPLE]) + 1e-9
    near = (found.place >= following - last_part) | (at - onset < ahead / 2)
    early = near & (release - at > LONGER[centred] * (at - onset)) & (beat < following)
    moved = [n for n in np.flatnonzero(early).tolist() if key[n] not in key[found.place == following[n]]]
    if not moved:
        return found
    place = found.place.copy()
    beat, division, slot, chord = (a.copy() for a in (found.beat, found.division, found.slot, found.chord))
    for n in moved:
        to = int(following[n])
        there, on = np.flatnonzero(found.beat == to), np.flatnonzero(found.place == to)
        family = int(grid.family[to])
        plain = smallest_division(family, ON_BEAT)
        assert plain is not None
        beat[n], place[n], slot[n] = to, to, 0
        division[n] = found.division[there[0]] if len(there) else plain
        chord[n] = found.chord[on[0]] if len(on) else found.chord[n]
    _, chord = np.unique(np.stack([place, chord.astype(float)], 1), axis=0, return_inverse=True)
    return replace(found, beat=beat, place=place, division=division, slot=slot, chord=chord.reshape(-1))
