"""Dividing the keys of a step between the staves, as a recording is divided: at a split, or by reach."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ductus.core.entry.state import EntryState
from ductus.core.reading.hands.features import hands_by_reach
from ductus.core.score.catalogues.drums import FEET
from ductus.core.score.catalogues.drums import HANDS as HANDS_UP
from ductus.core.score.model.changes import Line
from ductus.core.score.model.piece import Piece
from ductus.core.time.ticks import QUARTER

LOOK_BACK = 8 * QUARTER  # what was written this far before the pen tells where the hands are
CONTEXT = 40  # notes of it at most
S_PER_QUARTER = 0.5  # a nominal pace: steps have no time of their own


def divides(state: EntryState, piece: Piece) -> bool:
    """Are keys divided between two staves?"""
    return state.hands != "one" and piece.part(state.part).staves > 1


def lines_of(state: EntryState, piece: Piece) -> tuple[Line, ...]:
    """The voices that a step writes into.

    One, the same voice of both staves where keys are divided, or hands and feet of a kit.
    """
    if piece.part(state.part).percussion:
        return ((state.part, 1, HANDS_UP), (state.part, 1, FEET))
    if state.hands == "one":
        return (state.line,)
    return ((state.part, 1, state.voice), (state.part, 2, state.voice))


def hands_of(piece: Piece, state: EntryState, keys: Sequence[int]) -> list[int]:
    """The staff of each key (rising): 1 the right hand, 2 the left."""
    if not divides(state, piece):
        return [state.staff] * len(keys)
    if state.hands == "split" or not keys:
        return [1 if key >= state.split else 2 for key in keys]
    start = max(state.tick - LOOK_BACK, 0)
    before = [n for n in piece.notes_between(state.part, start, state.tick) if start <= n.tick < state.tick][-CONTEXT:]
    if not before:
        return [1 if key >= state.split else 2 for key in keys]
    ticks = [n.tick for n in before] + [state.tick] * len(keys)
    ends = [n.end for n in before] + [state.tick + state.step.ticks] * len(keys)
    chord = np.unique(ticks, return_inverse=True)[1].astype(np.int64)
    pitch = np.array([n.pitch.midi for n in before] + list(keys), np.int64)
    on = np.array(ticks, float) / QUARTER * S_PER_QUARTER
    off = np.array(ends, float) / QUARTER * S_PER_QUARTER
    pins = {k: n.staff for k, n in enumerate(before)}
    hands, _ = hands_by_reach(on, off, pitch, chord, pins)
    return [int(h) for h in hands[len(before) :]]
