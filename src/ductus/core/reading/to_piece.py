"""A reading as written notes of a piece: into an open piece at a bar, or as a piece of its own."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from ductus.core.reading.settings import ReadingResult
from ductus.core.score.layouts import LAYOUTS
from ductus.core.score.piece import Piece, make_piece
from ductus.core.score.records import Facts, KeyChange, MeterChange, Note, Record, TempoMark, checked_text
from ductus.core.time.ticks import QUARTER
from ductus.core.time.values import NoteValue


def to_notes(
    result: ReadingResult, part: str, staff_of_hand: dict[int, int], shift: int, take: int | None
) -> list[Note]:
    """Written notes of a reading, ``shift`` ticks later, ids still empty."""
    return [
        Note(
            "",
            part,
            staff_of_hand[n.hand],
            n.voice,
            n.tick + shift,
            n.ticks,
            n.pitch,
            n.velocity,
            articulations=n.articulations,
            take=take,
            event=n.event,
            crushed=n.crushed,
        )
        for n in result.notes
        if n.tick + shift >= 0
    ]


def pickup_of(result: ReadingResult) -> int:
    """Length of the pick-up in ticks, 0 for none."""
    return result.pickup


def start_in_piece(result: ReadingResult) -> int:
    """Where tick 0 of a reading lies in a piece that begins with its first note's bar (or its pick-up)."""
    bar = result.meter.bar_ticks
    pickup = pickup_of(result)
    first = min(n.tick for n in result.notes)
    return -(first // bar) * bar - (bar - pickup if pickup else 0)


def piece_from_reading(result: ReadingResult, title: str = "") -> Piece:
    """A piece for keys that holds a reading, pick-up included."""
    pickup, shift = pickup_of(result), start_in_piece(result)
    beat = NoteValue("quarter", 1) if result.meter.compound else NoteValue("quarter")
    us_per_quarter = typical_quarter_us(result)
    bpm = round(60e6 / us_per_quarter * QUARTER / beat.ticks, 2)
    records: list[Record] = [
        Facts(title=checked_text(title, "title"), pickup=pickup),
        *LAYOUTS["keys"],
        MeterChange("m0", 0, result.meter),
        KeyChange("k0", 0, result.key, result.mode),
        TempoMark("t0", 0, bpm, beat),
    ]
    notes = to_notes(result, "p1", {1: 1, 2: 2}, shift, None)
    return make_piece([*records, *(replace(n, id=f"n{k}") for k, n in enumerate(notes, 1))])


def typical_quarter_us(result: ReadingResult) -> float:
    """Median microseconds to the quarter over the stretch that was played."""
    ticks = sorted({n.tick for n in result.notes})
    paces = sorted(result.pulses.us_per_quarter_at(t) for t in ticks)
    return paces[len(paces) // 2]


def span_of_notes(notes: Iterable[Note]) -> tuple[int, int]:
    """First tick and end of a set of notes."""
    listed = list(notes)
    return min(n.tick for n in listed), max(n.end for n in listed)
