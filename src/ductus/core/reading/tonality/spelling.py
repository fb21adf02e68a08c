"""Spelling a take: each chord of a hand by the speller, first as it comes, then once more with the chord behind it
and the other hand known.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, field

from ductus.core.pitch.pitches import Pitch, pitch_on_line
from ductus.core.pitch.speller import LOOK_BACK, Around, NearName, SpelledChord, plain_names, weighed_names
from ductus.core.time.ticks import QUARTER

NEAR_BEFORE, NEAR_AFTER = 4 * QUARTER, 2 * QUARTER  # the other hand is seen from and to here
MOST_NEAR = 32  # notes of it
PASSES = 2


@dataclass(slots=True)
class Hand:
    """The chords of one hand: their ticks, which notes they are, and their names so far."""

    ticks: list[int] = field(default_factory=list)
    notes: list[list[int]] = field(default_factory=list)
    chords: list[SpelledChord] = field(default_factory=list)

    def near(self, tick: int, until: int) -> list[NearName]:
        """The notes that are named around a place, up to ``until``."""
        first, last = bisect_left(self.ticks, tick - NEAR_BEFORE), bisect_right(self.ticks, until)
        return [
            NearName(chord.tick, key % 12, name)
            for chord in self.chords[first:last]
            for key, name in zip(chord.keys, chord.names, strict=True)
        ][-MOST_NEAR:]


def _chords_by_hand(ticks: Sequence[int], hands: Sequence[int]) -> dict[int, Hand]:
    """The notes of each hand, by number, those of one tick together."""
    by_hand = {hand: Hand() for hand in sorted(set(hands))}
    for n, (tick, hand) in enumerate(zip(ticks, hands, strict=True)):
        mine = by_hand[hand]
        if not mine.ticks or mine.ticks[-1] != tick:
            mine.ticks.append(tick)
            mine.notes.append([])
        mine.notes[-1].append(n)
    return by_hand


def spell_notes(
    keys: Sequence[int],
    ticks: Sequence[int],
    hands: Sequence[int],
    fifths: int,
    mode: str = "major",
    bar_starts: Sequence[int] = (),
) -> list[Pitch]:
    """Name every key.

    ``ticks`` rise; ``fifths`` and ``mode`` are the signature, ``bar_starts`` the ticks of its bar lines, rising.
    """
    by_hand = _chords_by_hand(ticks, hands)
    order = sorted((tick, hand, k) for hand, mine in by_hand.items() for k, tick in enumerate(mine.ticks))
    for turn in range(PASSES):
        for tick, hand, k in order:
            mine = by_hand[hand]
            mine.notes[k].sort(key=lambda n: keys[n])
            struck = tuple(keys[n] for n in mine.notes[k])
            before = mine.chords[max(k - LOOK_BACK, 0) : k]
            after = mine.chords[k + 1] if turn and k + 1 < len(mine.chords) else None
            names = plain_names(struck, Around(fifths, mode, before[-1:], after=after))
            if names is None:
                others = [other for side, other in by_hand.items() if side != hand]
                bar = bisect_right(bar_starts, tick) - 1
                around = Around(
                    fifths,
                    mode,
                    before,
                    tuple(f for other in others for f in _begun(other, tick)),
                    tuple(near for other in others for near in other.near(tick, tick + NEAR_AFTER if turn else tick)),
                    bar_starts[bar] if bar >= 0 else tick,
                    after,
                )
                names = weighed_names(struck, around)
            if turn:
                mine.chords[k] = SpelledChord(tick, struck, names)
            else:
                mine.chords.append(SpelledChord(tick, struck, names))
    name = {
        n: f
        for mine in by_hand.values()
        for struck, chord in zip(mine.notes, mine.chords, strict=True)
        for n, f in zip(struck, chord.names, strict=True)
    }
    return [pitch_on_line(key, name[n]) for n, key in enumerate(keys)]


def _begun(other: Hand, tick: int) -> tuple[int, ...]:
    """Names of the other hand's chord at a place."""
    k = bisect_left(other.ticks, tick)
    return other.chords[k].names if k < len(other.chords) and other.ticks[k] == tick else ()
