"""Tuplets as slots: where one begins and ends, what it still lacks, and how it is cut at a bar line.

A slot is a bracket of the page (a mark of kind "tuplet"): ``normal`` notes of its base value, in ticks. It may reach
over a bar line: the notation cuts it there, and what is tied on stays in its ratio.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction

from ductus.core.score.model.records import Mark, Note
from ductus.core.time.note_values import BASE_TICKS, TUPLET_WORDS, NoteValue, Tuplet, describe_value, value_for_ticks
from ductus.core.words import count_words

FINEST = BASE_TICKS["256th"]
PLAIN_BY_TICKS = {ticks: base for base, ticks in BASE_TICKS.items()}


@dataclass(frozen=True, slots=True)
class Slot:
    """A tuplet of a voice: ticks [start, end), its ratio, and the base value that it is counted in."""

    start: int
    end: int
    tuplet: Tuplet
    base: str

    @property
    def words(self) -> str:
        """ "triplet", "5:3"."""
        pair = (self.tuplet.actual, self.tuplet.normal)
        return TUPLET_WORDS.get(pair, f"{pair[0]}:{pair[1]}")

    def left_words(self, tick: int) -> str:
        """What it still lacks from a place on: "1 eighth of the triplet left"."""
        left = written_in(self, self.end - tick)
        count = left / BASE_TICKS[self.base]
        if count.denominator == 1:
            return f"{count_words(int(count), self.base)} of the {self.words} left"
        value = value_for_ticks(int(left)) if left.denominator == 1 else None
        return f"{'some' if value is None else f'a {describe_value(value)}'} of the {self.words} left"

    def holds(self, note: Note) -> bool:
        """Does a note begin where plain values of the ratio reach?"""
        at = written_in(self, note.tick - self.start)
        return at.denominator == 1 and int(at) % FINEST == 0


def written_in(slot: Slot, ticks: int) -> Fraction:
    """A length inside a slot as it is written there, in ticks."""
    return Fraction(ticks) / slot.tuplet.scale


def slot_of(mark: Mark) -> Slot | None:
    """The slot of a tuplet mark; None where its length does not fit its ratio."""
    if mark.tuplet is None or mark.ticks % mark.tuplet.normal:
        return None
    base = PLAIN_BY_TICKS.get(mark.ticks // mark.tuplet.normal)
    return Slot(mark.tick, mark.end, mark.tuplet, base) if base else None


def slot_at(marks: Iterable[Mark], tick: int) -> Slot | None:
    """The slot of a voice that holds a tick; ``marks`` are its brackets."""
    return next((s for m in marks if m.tick <= tick < m.end and (s := slot_of(m)) is not None), None)


def value_within(slot: Slot, ticks: int) -> NoteValue | None:
    """The one value of a slot's ratio that lasts so many ticks, None where there is none."""
    written = written_in(slot, ticks)
    plain = value_for_ticks(int(written)) if written.denominator == 1 else None
    return None if plain is None else NoteValue(plain.base, plain.dots, slot.tuplet)


def cut_at(slot: Slot, cuts: Iterable[int]) -> list[Slot]:
    """A slot cut at bar lines: halved until each line lies between two parts, each of the same ratio.

    Empty where halving does not reach a line.
    """
    inside = [c for c in cuts if slot.start < c < slot.end]
    if not inside:
        return [slot]
    half = PLAIN_BY_TICKS.get(BASE_TICKS[slot.base] // 2)
    if half is None:
        return []
    middle = (slot.start + slot.end) // 2
    parts = [cut_at(Slot(a, b, slot.tuplet, half), inside) for a, b in ((slot.start, middle), (middle, slot.end))]
    return [s for part in parts for s in part] if all(parts) else []
