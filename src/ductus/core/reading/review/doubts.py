"""Close calls: where a reading might well be wrong, and what else it could be.

probabilities of places, of values and of hands -> doubts, one for each beat that holds one

The three stages give probabilities of their own; each is mapped to "how likely is this note wrong here" by a
logistic curve fitted on simulated players (``tools/fit_doubts.py``). A doubt covers the notes of one beat, since a
person settles them together.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ductus.core.pitch.pitches import pitch_words
from ductus.core.reading.evidence import NoteEvidence
from ductus.core.reading.model import Decisions, Doubt, Rival
from ductus.core.reading.review.rhythm_words import figure_words, length_words, with_article
from ductus.core.words import count_words, listed

PLACE_CURVE = (0.579, 1.268)  # intercept and slope on ln(odds against), as tools/fit_doubts.py found them
VALUE_CURVE = (-0.505, 0.659)
HAND_CURVE = (-0.099, 0.513)
ENOUGH = 0.07  # expected wrong notes in a beat from which on it is a doubt
LEAST_PLACE, LEAST_VALUE, LEAST_HAND = 0.04, 0.1, 0.12  # less likely rivals are not offered
MOST_RIVALS = 3
NEARLY = 0.6  # of the most doubtful hand: a note as doubtful as that goes with it
MOST_NAMED = 3  # pitches that are named one by one
MOST_PER_100 = 12  # doubts a hundred notes at the most: a longer list is not worked through


def wrong_chance(probability: float, curve: tuple[float, float]) -> float:
    """Calibrated chance that a decision taken with this probability is wrong."""
    p = min(max(probability, 1e-6), 1 - 1e-6)
    return 1 / (1 + math.exp(-(curve[0] + curve[1] * math.log((1 - p) / p))))


def find_doubts(found: NoteEvidence, decisions: Decisions) -> tuple[Doubt, ...]:
    """All doubts of a reading in order of place, at most MOST_PER_100 for a hundred notes."""
    groups: dict[int, list[int]] = defaultdict(list)
    for n in found.order:
        groups[int(found.located.places.beat[n])].append(n)
    ranked = []
    for beat, notes in groups.items():
        chance = {n: note_chance(n, found, decisions) for n in notes}
        total = sum(sum(c) for c in chance.values())
        if total > ENOUGH:
            ranked.append((total, beat, notes, chance))
    ranked.sort(key=lambda r: -r[0])
    room = max(1, len(found.order) * MOST_PER_100 // 100)
    chosen = sorted(ranked[:room], key=lambda r: (r[1], min(r[2])))
    return tuple(_doubt(found, notes, chance) for _, _, notes, chance in chosen)


def _doubt(found: NoteEvidence, notes: list[int], chance: Mapping[int, tuple[float, float, float]]) -> Doubt:
    """The doubt of one beat; its probability is that every place, value and hand in it is right."""
    tick = min(found.ticks[n] for n in notes)
    fine = math.prod(1 - x for c in chance.values() for x in c)
    beat = BeatRivals(found)
    bar = found.located.settings.bars.number_at(tick)
    return Doubt(bar, tick, tuple(notes), fine, beat.rivals_in(notes, chance), beat.figure(notes))


def note_chance(n: int, found: NoteEvidence, decisions: Decisions) -> tuple[float, float, float]:
    """Chance that place, value, hand of a note are wrong."""
    rivals, choices, sure = found.located.places.rivals, found.choices, found.sure[n]
    pins = decisions
    place = wrong_chance(rivals[n][0][3], PLACE_CURVE) if rivals and rivals[n] else 0.0
    value = wrong_chance(choices[n][0][1], VALUE_CURVE) if choices[n] else 0.0
    side = wrong_chance(1 / (1 + math.exp(-sure)), HAND_CURVE) if sure < 40 else 0.0
    return (
        0.0 if n in pins.places else place,
        0.0 if n in pins.values else value,
        0.0 if n in pins.hands else side,
    )


@dataclass(frozen=True, slots=True)
class BeatRivals:
    """What else the notes of a beat could be, from the evidence of a finished reading."""

    found: NoteEvidence

    def figure(self, notes: Sequence[int], moved: Mapping[int, int] | None = None) -> str:
        """The rhythm of the beat that holds these notes, some of them perhaps moved (event -> tick), in words."""
        beat = int(self.found.located.places.beat[notes[0]])
        start, end = int(self.found.located.grid.ticks[beat]), int(self.found.located.grid.ticks[beat + 1])
        return figure_words(start, end, [(moved or {}).get(n, self.found.ticks[n]) for n in notes])

    def rivals_in(self, notes: Sequence[int], chance: Mapping[int, tuple[float, float, float]]) -> tuple[Rival, ...]:
        """What else the beat could be: other places, other values, other hands; the likeliest first.

        The likeliest of each kind is among them.
        """
        for ease in (1.0, 0.1):  # where nothing is likely enough, the likeliest is named all the same
            kinds = (self._places(notes, ease), self._values(notes, ease), self._hands(notes, chance, ease))
            if any(kinds):
                break
        ranked = [sorted(kind, key=lambda r: -r.probability) for kind in kinds]
        first = [kind[0] for kind in ranked if kind]
        more = sorted((r for kind in ranked for r in kind[1:]), key=lambda r: -r.probability)
        return tuple(sorted([*first, *more[: MOST_RIVALS - len(first)]], key=lambda r: -r.probability))

    def _hands(
        self, notes: Sequence[int], chance: Mapping[int, tuple[float, float, float]], ease: float
    ) -> list[Rival]:
        """Notes that may belong to the other hand.

        All those that are nearly as doubtful as the most doubtful one and lie in the same hand go together; and the
        most doubtful one alone.
        """
        weakest = max(notes, key=lambda n: chance[n][2])
        most = chance[weakest][2]
        if most <= LEAST_HAND * ease:
            return []
        hand = self.found.hand[weakest]
        along = [n for n in notes if self.found.hand[n] == hand and chance[n][2] >= NEARLY * most]
        sets = [along] if len(along) == 1 else [along, [weakest]]
        side = "left" if hand == 1 else "right"
        return [
            Rival(
                f"{self._named(moved)} in the {side} hand", most * 0.999**k, hands=tuple((n, 3 - hand) for n in moved)
            )
            for k, moved in enumerate(sets)
        ]

    def _named(self, notes: Sequence[int]) -> str:
        """Notes by their pitches, lowest first; many by their number."""
        names = list(
            dict.fromkeys(
                pitch_words(self.found.pitches[n]) for n in sorted(notes, key=lambda n: self.found.pitches[n].midi)
            )
        )
        return listed(names) if len(names) <= MOST_NAMED else count_words(len(notes), "note")

    def _places(self, notes: Sequence[int], ease: float) -> list[Rival]:
        """Each note's next likely place: all that move together, and each alone where they differ."""
        moved: dict[int, tuple[int, float]] = {}
        for n in notes:
            options = self.found.located.places.rivals[n] if self.found.located.places.rivals else ()
            other = next((r for r in options if self.found.located.grid.tick_of(*r[:3]) != self.found.ticks[n]), None)
            if other is not None and other[3] > LEAST_PLACE * ease:
                moved[n] = (self.found.located.grid.tick_of(*other[:3]), other[3])
        if not moved:
            return []
        everything = {n: tick for n, (tick, _) in moved.items()}
        likely = {n: tick for n, (tick, p) in moved.items() if p == max(q for _, q in moved.values())}
        out = [Rival(self.figure(notes, everything), max(p for _, p in moved.values()), tuple(everything.items()))]
        if likely != everything and self.figure(notes, likely) != out[0].words:
            p = max(moved[n][1] for n in likely)
            out.append(Rival(self.figure(notes, likely), p * 0.999, tuple(likely.items())))
        return [r for r in out if r.words != self.figure(notes)]

    def _values(self, notes: Sequence[int], ease: float) -> list[Rival]:
        """Other lengths: the notes of one hand that are struck together and read alike go together, since they are
        mostly meant alike.
        """
        together: dict[tuple[int, int, int], list[int]] = defaultdict(list)
        for n in notes:
            if self.found.choices[n]:
                together[self.found.ticks[n], self.found.hand[n], self.found.choices[n][0][0]].append(n)
        out = []
        for mates in together.values():
            offered: dict[int, list[float]] = defaultdict(list)
            for n in mates:
                for length, p in self.found.choices[n][1:3]:
                    offered[length].append(p)
            for length, found in offered.items():
                p = sum(found) / len(mates)
                if p > LEAST_VALUE * ease:
                    words = f"{self._named(mates)} as {with_article(length_words(length))}"
                    out.append(Rival(words, p, values=tuple((n, length) for n in mates)))
        return out
