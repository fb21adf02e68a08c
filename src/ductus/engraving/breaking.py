"""Where systems and pages break in print.

Systems balanced over the piece, so that the last is as full as the others; pages so that none holds a single last
system and that right-hand pages end, where they can, with a rest to turn in.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping, Sequence, Set
from functools import partial
from types import MappingProxyType

from ductus.core.score.model.piece import Piece
from ductus.engraving.layout import IN_PRINT, SIGNATURE_UNITS, bar_units, begun_by_hand

SPACE = 180  # units of the drawing in a staff space
LEAST_GAP = 5 * SPACE  # between systems
OPENING, NAMES = 9.0, 8.0  # units of ``layout`` for brace and clef, and for names of parts
WANDER = 4  # lines by which a balanced break may lie from where it would at even widths
FULL = 1.02  # a system may be estimated this full
ORPHAN, TURN = 6.0, 0.35  # costs of a page with a single last system, and of a turn without a rest
TURN_AT_RESTS = 12.0  # the same cost where turns at rests are asked for: half a page may stay empty for one


def balanced(
    piece: Piece,
    line: float,
    joined: Mapping[int, int] = MappingProxyType({}),
    units: Callable[[int], float] | None = None,
) -> list[tuple[int, int]]:
    """Which bars share a system on a line of so many units of ``layout``.

    As few systems as hold them between the breaks that were set by hand, all about equally full. A long
    rest that is ``joined`` (see ``core.notation.long_rests``) stays whole. ``units``: the widths of bars, where they
    are known already.
    """
    inside = {bar for first, count in joined.items() for bar in range(first + 1, first + count)}
    width_of = units or partial(bar_units, piece, density=IN_PRINT)
    widths = [0.0 if b in inside else width_of(b) for b in range(piece.bar_count)]
    sums = [0.0, *itertools.accumulate(widths)]
    names = NAMES if len(piece.parts) > 1 else 0.0
    full = [(line - OPENING - names - SIGNATURE_UNITS * abs(fifths)) * FULL for fifths in _fifths(piece)]
    out: list[tuple[int, int]] = []
    for begin, end in itertools.pairwise([0, *sorted(begun_by_hand(piece) - inside), piece.bar_count]):
        here, closed = sums[begin : end + 1], {b - begin for b in inside}
        greedy = _greedy(here, full[begin:end], closed)
        breaks = _even(here, full[begin:end], closed, len(greedy) - 1, WANDER * line) or greedy
        out += [(begin + a, begin + b - 1) for a, b in itertools.pairwise(breaks)]
    return out


def _greedy(sums: Sequence[float], full: Sequence[float], inside: Set[int]) -> list[int]:
    """Where systems begin, and the end, if each takes as many bars as it holds: the fewest systems.

    ``sums``: the width before each bar; ``full``: what a system that begins there holds; ``inside``: bars at which none
    may begin.
    """
    first, breaks, bars = 0, [0], len(sums) - 1
    while first < bars:
        last = first + 1
        while last < bars and (last in inside or sums[last + 1] - sums[first] <= full[first]):
            last += 1
        first = last
        breaks.append(last)
    return breaks


def _even(
    sums: Sequence[float], full: Sequence[float], inside: Set[int], count: int, wander: float
) -> list[int] | None:
    """The same for ``count`` systems that are about equally full; None where that cannot be.

    No system ends further than ``wander`` from where equally full ones would.
    """
    bars, aim = len(sums) - 1, (sums[-1] - sums[0]) / count
    layers: list[dict[int, tuple[float, int]]] = [
        {0: (0.0, 0)}
    ]  # after so many systems: bar -> cost, where the last of them began
    for k in range(1, count + 1):
        following: dict[int, tuple[float, int]] = {}
        for first, (cost, _) in layers[-1].items():
            for last in range(first + 1, bars + 1):
                if last in inside:
                    continue
                width = sums[last] - sums[first]
                if width > full[first] and last > first + 1:
                    break
                if last < bars and abs(sums[last] - sums[0] - k * aim) > wander:
                    continue  # far from where so many systems would end: never balanced
                total = cost + ((width - aim) / aim) ** 2
                if last not in following or total < following[last][0]:
                    following[last] = (total, first)
        layers.append(following)
    if bars not in layers[-1]:
        return None
    breaks = [bars]
    for layer in reversed(layers[1:]):
        breaks.insert(0, layer[breaks[0]][1])
    return breaks


def _fifths(piece: Piece) -> list[int]:
    """The key signature of each bar."""
    changes = sorted({0, *(key.bar for key in piece.keys.values() if key.bar < piece.bar_count)})
    out: list[int] = []
    for first, following in itertools.pairwise([*changes, piece.bar_count]):
        out += [piece.key_at(first).fifths] * (following - first)
    return out


def broken(
    tall: Sequence[float],
    turns: Sequence[bool],
    head: float,
    high: float,
    by_hand: Set[int] = frozenset(),
    turn: float = TURN,
) -> list[int]:
    """Where pages begin, and the end: the cheapest way to break systems of these heights (leftover room, single last
    systems, turns without a rest). Systems ``by_hand`` begin a page; ``turn``: what a turn without a rest costs.
    """
    count = len(tall)

    best: dict[tuple[int, int], tuple[float, tuple[int, int]]] = {
        (0, 0): (0.0, (0, 0))
    }  # (systems placed, left or right page) -> cost, where from
    end: tuple[float, tuple[int, int]] | None = None
    for first in range(count):
        for side in (0, 1):
            if (first, side) not in best:
                continue
            cost, _ = best[first, side]
            room = high - (head if first == 0 else 0.0)
            filled = float(-LEAST_GAP)
            for last in range(first + 1, count + 1):
                if last - 1 in by_hand and last > first + 1:
                    break
                filled += tall[last - 1] + LEAST_GAP
                if filled > room and last > first + 1:
                    break
                used = filled / room
                more = 0.5
                if last == count:
                    more += ORPHAN if first and last - first == 1 else 0.0
                    if end is None or cost + more < end[0]:
                        end = (cost + more, (first, side))
                    continue
                more += (1 - min(used, 1.0)) ** 2 * 4 + (turn if side == 0 and not turns[last - 1] else 0.0)
                key = (last, 1 - side)
                if key not in best or cost + more < best[key][0]:
                    best[key] = (cost + more, (first, side))
    edges = [count]
    key = end[1] if end is not None else (0, 0)
    while key[0]:
        edges.append(key[0])
        key = best[key][1]
    return [0, *reversed(edges)]


def ends_with_rest(piece: Piece, bar: int) -> bool:
    """Is there time to turn at the end of a bar.

    Nothing sounds in its last beat on some staff of two, or on all of one?
    """
    here = piece.timeline.bar(bar)
    last = here.last_beat
    for part in piece.ordered_parts():
        sounding = {n.staff for n in piece.notes_between(part.id, last, here.end)}
        if len(sounding) < part.staves:
            return True
    return False
