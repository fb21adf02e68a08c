"""Which clef suits pitches: proposed for a staff, and offered where ledger lines pile up (the common slip: a left
hand on a treble staff).
"""

from __future__ import annotations

from dataclasses import dataclass

from ductus.core.notation.drawn import drawn_at
from ductus.core.score.model.piece import Piece

# staff steps above C0 of the lowest line of each clef (middle C is 28)
BOTTOM_LINES = {
    "treble": 30, "bass": 18, "treble-8": 23, "treble+8": 37, "bass-8": 11, "soprano": 28, "alto": 24, "tenor": 22,
    "percussion": 30,
}  # fmt: skip
FAR = 6  # steps beyond the outer lines: a third ledger line
MANY = 6  # notes so far out before anything is offered
LOOK_BACK = 2  # bars before the pen that are looked at
OFFERS = {
    ("treble", "below"): "bass",
    ("alto", "below"): "bass",
    ("tenor", "below"): "bass",
    ("soprano", "below"): "bass",
    ("bass", "above"): "treble",
    ("alto", "above"): "treble",
    ("tenor", "above"): "treble",
    ("treble", "above"): "treble+8",
    ("treble-8", "below"): "bass",
    ("bass", "below"): "bass-8",
    ("treble-8", "above"): "treble",
}


FOUR_LINES = 8  # steps beyond the outer lines: a fourth ledger line
FEW = 3  # notes so far out before the other hand is offered


@dataclass(frozen=True, slots=True)
class ClefOffer:
    """So many notes lie far ``side`` of the staff from ``tick`` on; another clef would suit them."""

    tick: int
    clef: str
    count: int
    side: str


def ledger_steps(diatonic: int, clef: str) -> int:
    """Staff steps beyond the outer lines: positive above, negative below, 0 on the staff."""
    bottom = BOTTOM_LINES[clef]
    return max(diatonic - bottom - 8, 0) or min(diatonic - bottom, 0)


def other_hand_offer(piece: Piece, part_id: str, staff: int, tick: int) -> tuple[str, ...]:
    """Ids of notes before a pen that would be the other hand's.

    At least FEW on four and more ledger lines towards the other staff of their part. Empty where there are none.
    """
    part = piece.parts.get(part_id)
    if part is None or "percussion" in part.clefs or len(part.clefs) < 2:
        return ()
    bar = piece.timeline.bar_at(tick)
    start = piece.timeline.bar(max(bar.index - LOOK_BACK, 0)).start
    toward = -1 if staff == 1 else 1  # the left hand's staff lies below
    found = [
        n.id
        for n in piece.notes_between(part_id, start, bar.end)
        if n.staff == staff
        and n.tick >= start
        and toward * ledger_steps(drawn_at(piece, part, staff, n.tick, n.pitch), piece.clef_at(part, staff, n.tick))
        >= FOUR_LINES
    ]
    return tuple(found) if len(found) >= FEW else ()


def clef_offer(piece: Piece, part_id: str, staff: int, tick: int) -> ClefOffer | None:
    """What to offer at a pen: the notes of the last bars before it, as they stand on its staff.

    None where the clef suits.
    """
    part = piece.parts.get(part_id)
    if part is None or "percussion" in part.clefs:
        return None
    bar = piece.timeline.bar_at(tick)
    start = piece.timeline.bar(max(bar.index - LOOK_BACK, 0)).start
    notes = [n for n in piece.notes_between(part_id, start, bar.end) if n.staff == staff and n.tick >= start]
    far = [
        (n, ledger_steps(drawn_at(piece, part, staff, n.tick, n.pitch), piece.clef_at(part, staff, n.tick)))
        for n in notes
    ]
    for side, mine in (("below", [n for n, s in far if s <= -FAR]), ("above", [n for n, s in far if s >= FAR])):
        if len(mine) >= MANY and len(mine) * 2 > len(notes):
            first = min(n.tick for n in mine)
            clef = OFFERS.get((piece.clef_at(part, staff, first), side))
            if clef is not None:
                return ClefOffer(first, clef, len(mine), side)
    return None
