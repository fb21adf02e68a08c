"""Which ornaments are written as their signs: those that a person chose, and those that are too fast to be counted.

ornaments that were heard + beats + allowed values + decisions -> the ones to be made plain before places are looked for

A trill of nine notes a beat where nothing finer than sixteenths is written cannot be written note by note: its notes
would be crammed onto each other's places, and push the notes around them off theirs.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from fractions import Fraction

import numpy as np

from ductus.core.capture.takes import Take
from ductus.core.reading.model import Ornament, ReadSettings
from ductus.core.reading.quantization.beat_grid import BeatGrid
from ductus.core.reading.quantization.subdivisions import DIVISIONS, allowed_divisions
from ductus.core.words import count_words, listed

TOO_FAST = 0.85  # of the finest step that may be written
TOO_SHORT = 0.4  # of the finest plain value: a crushed note so near to its neighbour is no value of its own
APART_S = 0.03  # what is struck nearer than this may be one chord, and no fingers are so fast
NAMED = {"crushed note": "grace note", "run": "grace-note group"}
COUNTABLE = frozenset({"rolled chord"})  # one place holds all its notes


def as_signs(
    take: Take, found: Sequence[Ornament], grid: BeatGrid, settings: ReadSettings, decided: Mapping[int, bool]
) -> tuple[Ornament, ...]:
    """Those of the ornaments that are written as signs.

    ``decided`` by a person: first event -> as its sign, or note by note.
    """
    return tuple(
        o for o in found if (decided[o.events[0]] if o.events[0] in decided else too_fast(take, o, grid, settings))
    )


def too_fast(take: Take, ornament: Ornament, grid: BeatGrid, settings: ReadSettings) -> bool:
    """Can no allowed value hold it note by note?"""
    if ornament.kind in COUNTABLE:
        return False
    first, last = (take.notes[ornament.events[k]].onset_us / 1e6 for k in (0, -1))
    beat = int(np.clip(np.searchsorted(grid.seconds, first, side="right") - 1, 0, len(grid.family) - 1))
    seconds = float(grid.seconds[beat + 1] - grid.seconds[beat])
    plain, finest = finest_steps(int(grid.ticks[beat + 1] - grid.ticks[beat]), int(grid.family[beat]), settings)
    step = (last - first) / (len(ornament.events) - 1)
    return APART_S <= step < seconds * (TOO_SHORT * plain if ornament.kind == "crushed note" else TOO_FAST * finest)


def finest_steps(beat_ticks: int, family: int, settings: ReadSettings) -> tuple[Fraction, Fraction]:
    """The finest step that may be written in a beat, in beats: without tuplets, and with them."""
    allowed = allowed_divisions(
        beat_ticks, family, settings.shortest, settings.tuplets, settings.tuplet_kinds, settings.tuplet_shortest
    )
    divisions = [DIVISIONS[g] for g in allowed]
    return min(d.step for d in divisions if not d.tuplet), min(d.step for d in divisions)


def sign_words(taken: Sequence[Ornament], decided: Mapping[int, bool]) -> tuple[str, ...]:
    """A sentence on those that nobody chose."""
    kinds = [NAMED.get(o.kind, o.kind) for o in taken if o.events[0] not in decided]
    if not kinds:
        return ()
    counted = listed([count_words(kinds.count(k), k) for k in dict.fromkeys(kinds)])
    as_what = "a sign" if len(kinds) == 1 else "signs"
    return (f"Too fast to be counted, so written as {as_what}: {counted}. The take keeps every note.",)
