"""Printed notes become notes: what is tied is one note, and each voice has one chord at a time."""

from __future__ import annotations

from bisect import bisect_left
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace

from ductus.core.pitch.pitches import Pitch
from ductus.core.score.model.note_signs import with_sign
from ductus.core.score.model.records import Syllable
from ductus.core.score.note_edits.write import MAX_VOICES
from ductus.formats.musicxml_read.losses import Losses
from ductus.formats.musicxml_read.raw import RawNote


@dataclass(slots=True)
class Chain:
    """A note with all that is tied to it.

    Id, place, lengths of what is tied (ticks), staff, voice of the file, what is at it, and the voice of the page
    (from 1; 0: not yet placed).
    """

    id: str
    tick: int
    lengths: list[int]
    staff: int
    voice: str
    pitch: Pitch
    velocity: int
    number: str
    signs: tuple[str, ...] = ()
    lyrics: dict[int, Syllable] = field(default_factory=dict)
    grace_notes: tuple[Pitch, ...] = ()
    slot: int = 0

    @property
    def end(self) -> int:
        """First tick after it."""
        return self.tick + sum(self.lengths)

    @property
    def line(self) -> tuple[int, str]:
        """Its staff and voice of the file."""
        return (self.staff, self.voice)


class Ties:
    """Joins what is tied, by key and place."""

    def __init__(self, losses: Losses) -> None:
        self.losses = losses
        self.chains: list[Chain] = []
        self._waiting: dict[int, list[Chain]] = defaultdict(list)

    def add(self, chain: Chain, raw: RawNote) -> Chain:
        """A printed note: goes on with the chain that it is tied from, or begins one; returns the chain."""
        joined = self._from(chain, raw)
        if joined is None:
            self.chains.append(chain)
            if raw.tied_on:
                self._waiting[chain.pitch.midi].append(chain)
            return chain
        joined.lengths += chain.lengths
        if chain.pitch != joined.pitch:
            self.losses.add("note~ spelled anew within a tie", chain.number)
        for sign in chain.signs:
            if sign not in ("let-ring", "cross") and sign not in joined.signs:
                self.losses.add("sign~ at a note that is held over (now at its beginning)", chain.number)
            joined.signs = with_sign(joined.signs, sign)
        for verse, syllable in chain.lyrics.items():
            if joined.lyrics.setdefault(verse, syllable) is not syllable and syllable.text:
                self.losses.add("syllable~ at a note that is held over", chain.number)
        if not raw.tied_on:
            self._waiting[chain.pitch.midi].remove(joined)
        return joined

    def _from(self, chain: Chain, raw: RawNote) -> Chain | None:
        """The chain that a printed note goes on with.

        Some programs state only where a tie begins: it leads to the note of the same pitch that follows at once.
        """
        found = [c for c in self._waiting[chain.pitch.midi] if c.end == chain.tick]
        if not raw.tied_from:
            found = [c for c in found if c.pitch == chain.pitch and "let-ring" not in c.signs]
        elif not found:
            self.losses.add("tie~ from no note", chain.number)
        if not found:
            return None
        return min(found, key=lambda c: (c.voice != raw.voice, c.staff != chain.staff))

    def close(self) -> None:
        """Ties that were begun and lead nowhere."""
        for chain in (c for chains in self._waiting.values() for c in chains):
            if "let-ring" not in chain.signs:
                self.losses.add("tie~ to no note", chain.number)


@dataclass(slots=True)
class Voice:
    """The chords of one voice of a staff: (first tick, end), by first tick."""

    chords: list[tuple[int, int]] = field(default_factory=list)

    def fits(self, start: int, end: int) -> bool:
        """Is the voice silent from start to end, or has just this chord?"""
        at = bisect_left(self.chords, (start, end))
        if at < len(self.chords) and self.chords[at] == (start, end):
            return True
        before = self.chords[at - 1][1] if at else 0
        return before <= start and (at == len(self.chords) or self.chords[at][0] >= end)

    def put(self, start: int, end: int) -> None:
        """Take the place of a chord."""
        at = bisect_left(self.chords, (start, end))
        if at == len(self.chords) or self.chords[at] != (start, end):
            self.chords.insert(at, (start, end))


def ranks(chains: Iterable[Chain]) -> dict[tuple[int, str], int]:
    """The voice of the page for each voice of the file on one staff, from 1."""
    lines = {c.line for c in chains}
    order = sorted(lines, key=lambda x: (x[0], int(x[1]) if x[1].isdecimal() else 99, x[1]))
    return {line: k for k, line in enumerate(order, 1)}


def apart(chains: Sequence[Chain], new_id: Callable[[], str], losses: Losses) -> list[Chain]:
    """The chains of one staff, each in a voice in which it is alone or part of a chord of its length.

    Its own, or a free one for what is held while its voice goes on. Where none is free it is struck again.
    """
    rank = ranks(chains)
    voices = [Voice() for _ in range(MAX_VOICES)]
    held: list[Chain] = []
    for line in rank:
        mine = [c for c in chains if c.line == line]
        for chain, plain in _plain_or_held(mine):
            if plain and rank[line] <= MAX_VOICES:
                chain.slot = rank[line]
                voices[chain.slot - 1].put(chain.tick, chain.end)
            else:
                held.append(chain)
    out = [c for c in chains if c.slot]
    for chain in sorted(held, key=lambda c: (c.tick, -c.pitch.midi)):
        out += _placed(chain, rank[chain.line], voices, new_id, losses)
    return out


def _plain_or_held(mine: Sequence[Chain]) -> list[tuple[Chain, bool]]:
    """Each chain of a voice, and whether it is over when the voice goes on, together with its chord."""
    ticks = sorted({c.tick for c in mine})
    following = dict(zip(ticks, [*ticks[1:], 2**62], strict=True))
    at: dict[int, list[Chain]] = defaultdict(list)
    for chain in mine:
        at[chain.tick].append(chain)
    out: list[tuple[Chain, bool]] = []
    for tick in ticks:
        over = Counter(c.end for c in at[tick] if c.end <= following[tick])
        usual = max(over, key=lambda end: (over[end], -end)) if over else None
        out += [(c, c.end == usual) for c in at[tick]]
    return out


def _placed(
    chain: Chain, own: int, voices: list[Voice], new_id: Callable[[], str], losses: Losses, *, whole: bool = True
) -> list[Chain]:
    order = sorted(range(1, MAX_VOICES + 1), key=lambda v: (v != own, v))
    for slot in order:
        if voices[slot - 1].fits(chain.tick, chain.end):
            chain.slot = slot
            voices[slot - 1].put(chain.tick, chain.end)
            return [chain]
    if not whole or len(chain.lengths) < 2:
        losses.add("note~ against others of its voice (left out)", chain.number)
        return []
    losses.add("held note~ for which no voice was free (struck again)", chain.number)
    out, tick = [], chain.tick
    for k, length in enumerate(chain.lengths):
        name = chain.id if k == 0 else new_id()
        part = replace(chain, id=name, tick=tick, lengths=[length])
        if k:
            part.signs, part.lyrics, part.grace_notes = (), {}, ()
        out += _placed(part, own, voices, new_id, losses, whole=False)
        tick += length
    return out
