"""Several takes of one piece become one: keys are voted on, times and lengths are averaged, before anything is read.

The first take leads: its clock and its place stay. A key that most takes have and it has not is added, one that only
it has (or few have) is left out, and each is told.
"""

from __future__ import annotations

import statistics
from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.comparison.alignment import LEAST_SHARE, NEAR_US, Alignment, align, mapped
from ductus.core.errors import BadInput
from ductus.core.pitch.pitches import pitch_words, spell_in_key
from ductus.core.words import count_words


@dataclass(frozen=True, slots=True)
class Vote:
    """A key that not all takes have: when (in the first take, microseconds), which, in how many of how many, and
    whether it stayed.
    """

    at_us: int
    key: int
    takes: int
    of: int
    kept: bool


@dataclass(frozen=True, slots=True)
class Together:
    """The take that several make, and what was voted on, by time."""

    take: Take
    votes: tuple[Vote, ...]

    @property
    def words(self) -> str:
        """What the votes did, in a sentence."""
        gone = sum(not v.kept and v.takes * 2 < v.of for v in self.votes)
        added = sum(v.kept and v.takes * 2 > v.of for v in self.votes)
        even = sum(v.kept and v.takes * 2 == v.of for v in self.votes)
        said = [
            words
            for count, words in (
                (gone, f"{count_words(gone, 'key')} outvoted"),
                (added, f"{count_words(added, 'key')} kept by most"),
                (even, f"{count_words(even, 'key')} left as in the first of them"),
            )
            if count
        ]
        return ", ".join(said) or "all takes agree"


def vote_words(votes: Sequence[Vote], place_of: Callable[[int], str], fifths: int) -> list[str]:
    """Each place where takes disagree, in words: "bar 7, beat 2: F sharp 4 in 2 of 3 takes, G 4 in the other".

    ``place_of`` names a time of the first take.
    """
    out: list[str] = []
    left = list(votes)
    while left:
        vote = left.pop(0)
        other = next((v for v in left if together_wrong(vote, v)), None)
        if other is not None:
            left.remove(other)
        kept, gone = (vote, other) if other is None or vote.kept else (other, vote)
        name = pitch_words(spell_in_key(kept.key, fifths))
        words = f"{place_of(kept.at_us)}: {name} in {kept.takes} of {kept.of} takes"
        if gone is not None:
            rest = "the other" if kept.of - kept.takes == 1 else "the others"
            words += f", {pitch_words(spell_in_key(gone.key, fifths))} in {rest}"
        else:
            words += ", written" if kept.kept else ", left out"
        out.append(words)
    return out


def together_wrong(a: Vote, b: Vote) -> bool:
    """Are two votes one wrong key: another struck in its place, by the takes that have it not?"""
    return a.kept != b.kept and abs(a.at_us - b.at_us) <= NEAR_US and a.key != b.key and a.takes + b.takes == a.of


@dataclass(frozen=True, slots=True)
class _Heard:
    """A note of some take on the clock of the first."""

    take: int
    onset_us: float
    length_us: float
    key: int
    velocity: int
    channel: int


def together(takes: Sequence[Take], *, same_clock: bool = False) -> Together:
    """One take out of several.

    ``same_clock``: all were played to the same click from the same start. Raises BadInput, with the share that
    agrees, for takes of different pieces.
    """
    first = takes[0]
    groups: list[list[_Heard]] = [[_heard(0, n, n.onset_us, 1.0)] for n in first.notes]
    extras: list[_Heard] = []
    for number, other in enumerate(takes[1:], 1):
        found = align(first, other, same_clock=same_clock)
        if found.share < LEAST_SHARE:
            raise BadInput(
                f"Take {number + 1} does not go with the first: {found.share:.0%} of their notes agree, and at least "
                "half must. Nothing was joined."
            )
        notes = _on_clock(other, found, number, same_clock=same_clock)
        for i, j in found.pairs:
            groups[i].append(notes[j])
        extras += [notes[j] for j in found.extra]
    groups += _gathered(extras)
    return _voted(first, groups, len(takes))


def _heard(take: int, n: PlayedNote, onset: float, slope: float) -> _Heard:
    return _Heard(take, onset, (n.release_us - n.onset_us) * slope, n.key, n.velocity, n.channel)


def _on_clock(take: Take, found: Alignment, number: int, *, same_clock: bool) -> list[_Heard]:
    """The notes of a take on the clock of the first."""
    times = np.array([n.onset_us for n in take.notes], float)
    onsets, slopes = (times, np.ones(len(times))) if same_clock else mapped(found.anchors, times)
    return [_heard(number, n, float(at), float(s)) for n, at, s in zip(take.notes, onsets, slopes, strict=True)]


def _gathered(extras: Sequence[_Heard]) -> list[list[_Heard]]:
    """Notes that the first take has not, those of one key and time together; each take once."""
    by_key: dict[int, list[list[_Heard]]] = defaultdict(list)
    for note in sorted(extras, key=lambda n: n.onset_us):
        own = by_key[note.key]
        last = own[-1] if own else None
        if last is not None and note.onset_us - last[0].onset_us <= NEAR_US and all(n.take != note.take for n in last):
            last.append(note)
        else:
            own.append([note])
    return [g for groups in by_key.values() for g in groups]


def _voted(first: Take, groups: Sequence[Sequence[_Heard]], of: int) -> Together:
    """Keys that at least half of the takes have (those of the first, where it is even)."""
    notes: list[PlayedNote] = []
    votes: list[Vote] = []
    for group in groups:
        leads = any(n.take == 0 for n in group)
        kept = 2 * len(group) > of or (2 * len(group) == of and leads)
        at = round(statistics.fmean(n.onset_us for n in group))
        if len(group) < of:
            votes.append(Vote(at, group[0].key, len(group), of, kept))
        if not kept:
            continue
        head = group[0]
        length = max(round(statistics.fmean(n.length_us for n in group)), 1)
        loud = round(statistics.fmean(n.velocity for n in group))
        notes.append(PlayedNote(at, at + length, head.key, loud, head.channel))
    notes.sort(key=lambda n: (n.onset_us, n.key))
    return Together(replace(first, notes=tuple(notes)), tuple(sorted(votes, key=lambda v: v.at_us)))
