"""Voices on a staff: one, two, or as many as keep every length.

    notes of a reading -> the same notes with voices, and with lengths cut where fewer voices are wanted

Within a voice only chords (same place, same length) may sound at once. Two voices: the upper one takes what lies on top
where both move; what fits neither is cut at the next onset of its voice.
"""

from __future__ import annotations

import itertools
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import replace

from ductus.core.reading.model import ReadNote

MOST_VOICES = 4


def with_voices(notes: Sequence[ReadNote], wanted: int | None) -> list[ReadNote]:
    """Notes in order of place and pitch, voices given; ``wanted`` None keeps every length (up to four voices)."""
    out: list[ReadNote] = []
    for hand in (1, 2):
        mine = [n for n in notes if n.hand == hand]
        out += one_voice(mine) if wanted == 1 else layered(mine, MOST_VOICES if wanted is None else wanted)
    return sorted(out, key=lambda n: (n.tick, n.pitch.midi, n.event))


def one_voice(notes: Sequence[ReadNote]) -> list[ReadNote]:
    """All in one voice: a chord takes the length most of its notes have, and ends where the next begins."""
    chords: dict[int, list[ReadNote]] = defaultdict(list)
    for n in notes:
        chords[n.tick].append(n)
    ticks = sorted(chords)
    out = []
    for tick, following in zip(ticks, [*ticks[1:], None], strict=False):
        lengths = [n.ticks for n in chords[tick]]
        length = max(set(lengths), key=lambda x: (lengths.count(x), x))
        if following is not None:
            length = min(length, following - tick)
        out += [replace(n, ticks=length, voice=1) for n in chords[tick]]
    return out


def layered(notes: Sequence[ReadNote], most: int) -> list[ReadNote]:
    """Greedy: at each place the highest chord first, into the first voice that is free."""
    chords: dict[tuple[int, int], list[ReadNote]] = defaultdict(list)
    for n in notes:
        chords[n.tick, n.ticks].append(n)
    order = sorted(chords, key=lambda c: (c[0], -max(n.pitch.midi for n in chords[c])))
    busy: list[list[tuple[int, int]]] = [[] for _ in range(most)]
    placed: list[list[ReadNote]] = [[] for _ in range(most)]
    for tick, ticks in order:
        free = (v for v in range(most) if not busy[v] or busy[v][-1][1] <= tick or busy[v][-1] == (tick, tick + ticks))
        voice = next(free, most - 1)
        busy[voice].append((tick, tick + ticks))
        placed[voice] += [replace(n, voice=voice + 1) for n in chords[tick, ticks]]
    last = placed[-1]
    clash = any(
        b.tick < a.tick + a.ticks and (a.tick, a.ticks) != (b.tick, b.ticks) for a, b in itertools.pairwise(last)
    )
    if clash:
        placed[-1] = [replace(n, voice=most) for n in one_voice(last)]
    return [n for row in placed for n in row]
