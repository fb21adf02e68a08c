"""Doubts that are alike: what a person says of one is said of the others, too.

Two doubts are alike where their beats read the same rhythm and something else would change it in the same way: the
same notes of the beat, counted from its start, to the same places, or notes of the same pitch to the other hand, nearly
as likely as where it was said. Of hands that were taken from a like place 490 of 549 were better there, of readings
that were accepted 901 of 954 were right; of lengths 3 of 18, so these are left to each place (simulated players, two
seeds that nothing was chosen by; docs/research/reading-experiments.md).
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from ductus.core.capture.takes import Take
from ductus.core.reading.model import Doubt, ReadingResult, Rival
from ductus.core.reading.review.options import ReadingOptions, choose_rival, option_chosen

AS_LIKELY = 0.8  # share of what was said to be likely that the same must have in a like place


@dataclass(frozen=True, slots=True)
class LikeDoubts:
    """The doubts of a reading of a take, compared with each other."""

    take: Take
    result: ReadingResult

    def chosen(self, choices: ReadingOptions, doubt: Doubt, option: int) -> tuple[ReadingOptions, list[Doubt]]:
        """The choices with an option of a doubt taken, and with the same in the like doubts, which are given, too.

        A doubt that a person decided by itself stays so; one that went along with this one goes along again.
        """
        before = option_chosen(choices, doubt)
        for other, same in self.like(doubt, before, self.result.doubts) if before else ():
            if option_chosen(choices, other) == same:
                choices = choose_rival(choices, other, 0)
        wanted, also = choose_rival(choices, doubt, option), []
        for other, same in self.like(doubt, option, self.result.doubts):
            if option_chosen(choices, other) == 0 and choices.settled.isdisjoint(other.events):
                wanted = choose_rival(wanted, other, same)
                also.append(other)
        return wanted, also if option or before else []

    def standing_alike(self, choices: ReadingOptions, doubt: Doubt) -> list[Doubt]:
        """The like doubts that stand as a doubt does and that nobody settled: accepted with it."""
        now = option_chosen(choices, doubt)
        return [
            other
            for other, same in self.like(doubt, now or 0, self.result.doubts)
            if now is not None and option_chosen(choices, other) == same and choices.settled.isdisjoint(other.events)
        ]

    def like(self, doubt: Doubt, option: int, others: Collection[Doubt]) -> list[tuple[Doubt, int]]:
        """The other doubts that what was said of one holds for, each with the option that says the same.

        Option 0 is the reading as it was found: then doubts are alike whose likeliest rival is.
        """
        if not doubt.rivals:
            return []
        ticks = {n.event: n.tick for n in self.result.notes}
        said = doubt.rivals[option - 1] if option else doubt.rivals[0]
        if option and said.values:
            return []
        wanted = self._change(doubt, said, ticks)
        out = []
        for other in others:
            if other is doubt or other.words != doubt.words or not other.rivals:
                continue
            for k, rival in enumerate(other.rivals, 1):
                likely = rival.probability >= AS_LIKELY * said.probability
                likely = likely if option else said.probability >= AS_LIKELY * rival.probability
                if (option or k == 1) and likely and self._change(other, rival, ticks) == wanted:
                    out.append((other, k if option else 0))
                    break
        return out

    def _change(self, doubt: Doubt, rival: Rival, ticks: dict[int, int]) -> tuple[object, ...]:
        """What a rival changes, told from the start of its beat."""
        start, length = self.result.bars.beat_at(doubt.tick)
        lengths = {n.event: n.ticks for n in self.result.notes}
        places = {(ticks.get(e, 0) - start, tick - start) for e, tick in rival.places}
        values = {(ticks.get(e, 0) - start, lengths.get(e, 0), value) for e, value in rival.values}
        hands = sorted((ticks.get(e, 0) - start, hand, self.take.notes[e].key) for e, hand in rival.hands)
        return length, frozenset(places), frozenset(values), tuple(hands)
