"""Why each note was written as it was: for every stage its decision, the evidence for it, and the rivals.

a decoded take + decisions -> one ``NoteTrace`` for each note that was played

A trace is made on request only; it repeats the stages of writing and reads their containers.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from fractions import Fraction

from ductus.core.capture.takes import Take
from ductus.core.pitch.keys import key_words
from ductus.core.pitch.pitches import pitch_words
from ductus.core.reading.decoding import Decoded, decode
from ductus.core.reading.evidence import NoteEvidence
from ductus.core.reading.model import Decisions, ReadingResult
from ductus.core.reading.quantization.subdivisions import DIVISIONS
from ductus.core.reading.review.options import ReadingOptions, outside, part_around, part_of
from ductus.core.reading.review.rhythm_words import length_words, with_article
from ductus.core.time.ticks import QUARTER

LEAST_SHOWN = 0.005  # less likely rivals are not listed
SURE = 40  # nats from which on a hand was not weighed but given
BY_HAND = "a person set it"


@dataclass(frozen=True, slots=True)
class Stage:
    """What one stage decided about one note.

    name         "ornament", "place", "hand", "length", "sign" or "spelling"
    decided      the decision in words
    because      the evidence for it in words
    probability  that it is right, as the stage has it; None where nothing was weighed
    rivals       what else it could be, in words, and how likely; the likeliest first
    """

    name: str
    decided: str
    because: str
    probability: float | None = None
    rivals: tuple[tuple[str, float], ...] = ()


@dataclass(frozen=True, slots=True)
class NoteTrace:
    """One played note (its number in the take, MIDI key) and its stages; ``tick`` None where it is not written."""

    event: int
    key: int
    tick: int | None
    stages: tuple[Stage, ...]

    @property
    def words(self) -> str:
        """The trace as one sentence for each stage."""
        return " ".join(f"{s.decided[:1].upper()}{s.decided[1:]}: {s.because}." for s in self.stages)


def trace(decoded: Decoded, decisions: Decisions, place: Callable[[int], str]) -> tuple[NoteTrace, ...]:
    """The traces of all notes of a take that is not for a kit, by their number in the take.

    ``place`` gives the words for a tick of the reading, "bar 3, beat 2".
    """
    own = decoded.own_decisions(decisions)
    found = decoded.evidence(decisions)
    out = {
        event: NoteTrace(event, decoded.whole.notes[event].key, found.ticks[n], tuple(_stages(found, n, own, place)))
        for n, event in enumerate(decoded.events)
        if n not in own.left_out
    }
    for ornament in decoded.ornaments:
        for event in ornament.events:
            if event not in out:
                words = f"it is part of {with_article(ornament.kind)}, which is written as its sign"
                out[event] = NoteTrace(
                    event, decoded.whole.notes[event].key, None, (Stage("ornament", "not written by itself", words),)
                )
    return tuple(out[event] for event in sorted(out))


def trace_chosen(
    take: Take, result: ReadingResult, options: ReadingOptions, place: Callable[[int], str], *, centred: bool
) -> tuple[NoteTrace, ...]:
    """The traces of a take that was read with a person's options; notes of a passage are traced as it was read."""
    decisions = replace(options.pins, left_out=options.pins.left_out | outside(take, options.extent))
    settings = replace(options.settings, meter=result.meter)
    decoded = decode(take, result.pulses, settings, centred=centred, ornaments=decisions.ornaments)
    rows = {row.event: row for row in trace(decoded, decisions, place)}
    for passage in options.passages:
        first, after = part_around(take, passage.events)
        part = replace(take, notes=take.notes[first:after])
        own = part_of(decisions, first, after)
        signs = {e - first: sign for e, sign in result.signs.items() if first <= e < after}
        settings = replace(passage.settings, meter=result.meter, key=result.key)
        decoded = decode(part, result.pulses, settings, centred=centred, ornaments=signs)
        for row in trace(decoded, own, place):
            if row.event + first in passage.events:
                rows[row.event + first] = replace(row, event=row.event + first)
    return tuple(rows[event] for event in sorted(rows))


def _stages(found: NoteEvidence, n: int, own: Decisions, place: Callable[[int], str]) -> Iterable[Stage]:
    yield _place(found, n, own, place)
    yield _hand(found, n, own)
    yield _length(found, n, own)
    for sign in found.articulations[n]:
        share = round(100 * _sounded(found, n) / found.lengths[n])
        yield Stage("sign", sign, f"it was let go after {share} % of its length")
    name = pitch_words(found.pitches[n])
    yield Stage("spelling", name, f"the notes around it speak for {key_words(found.key, found.mode)}")


def _place(found: NoteEvidence, n: int, own: Decisions, place: Callable[[int], str]) -> Stage:
    at, decided = found.located, place(found.ticks[n])
    if n in own.places:
        return Stage("place", decided, BY_HAND)
    options = at.places.rivals[n] if at.places.rivals else ()
    likely = [(at.grid.tick_of(*option[:3]), option[3]) for option in options]
    chance = next((p for tick, p in likely if tick == found.ticks[n]), None)
    us = round(at.take.notes[n].onset_us - at.pulses.time_at(found.ticks[n]) - at.lag_us)
    usual = f", beside the player's usual {abs(at.lag_us) // 1000} ms" if abs(at.lag_us) >= 1000 else ""
    off = f"{abs(us) // 1000} ms {'after' if us > 0 else 'before'} it{usual}" if abs(us) >= 1000 else f"on it{usual}"
    division = DIVISIONS[int(at.places.division[n])]
    parts = "" if division.step == 1 else f"; its beat is divided into {Fraction(1) / division.step} parts"
    moved = likely and likely[0][0] != found.ticks[n]
    because = (
        f"it leads or trails the beat that it belongs to, struck {off}" if moved else f"it was struck {off}{parts}"
    )
    rivals = tuple((place(tick), round(p, 4)) for tick, p in likely if tick != found.ticks[n] and p >= LEAST_SHOWN)
    return Stage("place", decided, because, None if chance is None else round(chance, 4), rivals)


def _hand(found: NoteEvidence, n: int, own: Decisions) -> Stage:
    settings, sides = found.located.settings, {1: "right hand", 2: "left hand"}
    decided = sides[found.hand[n]]
    if settings.hand is not None:
        return Stage("hand", decided, "everything goes to one staff")
    if settings.split is not None:
        return Stage("hand", decided, "the hands are split at a key")
    if n in own.hands:
        return Stage("hand", decided, BY_HAND)
    sure = min(found.sure[n], SURE)
    chance = 1 / (1 + math.exp(-sure))
    because = f"reach and motion of both hands speak for it, {round(math.exp(min(sure, 12)))} to 1"
    other = sides[3 - found.hand[n]]
    rivals = ((other, round(1 - chance, 4)),) if 1 - chance >= LEAST_SHOWN else ()
    return Stage("hand", decided, because, round(chance, 4), rivals)


def _length(found: NoteEvidence, n: int, own: Decisions) -> Stage:
    decided = length_words(found.lengths[n])
    if n in own.values:
        return Stage("length", decided, BY_HAND)
    likely = found.choices[n]
    chance = next((p for ticks, p in likely if ticks == found.lengths[n]), None)
    because = f"its key was held for {_sounded(found, n) / QUARTER:.2f} of a quarter"
    rivals = tuple(
        (length_words(ticks), round(p, 4)) for ticks, p in likely if ticks != found.lengths[n] and p >= LEAST_SHOWN
    )
    return Stage("length", decided, because, None if chance is None else round(chance, 4), rivals)


def _sounded(found: NoteEvidence, n: int) -> float:
    """How long the key was held, in ticks."""
    note, pulses = found.located.take.notes[n], found.located.pulses
    return pulses.tick_at(note.release_us) - pulses.tick_at(note.onset_us)
