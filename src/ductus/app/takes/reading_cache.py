"""Readings that were worked out, kept at hand: the same reading is never worked out twice at a time.

Working one out may take seconds. It is done on a snapshot, without the desk's lock.
"""

from __future__ import annotations

import threading
import weakref
from collections import OrderedDict
from dataclasses import dataclass, field, replace

from ductus.app.document.desk import Desk
from ductus.core.capture.takes import Take
from ductus.core.errors import BadInput
from ductus.core.playback.tempo_outcome import OUTCOMES, Outcome, beats_played, moves_between, put_tempo, tempo_marks
from ductus.core.progress import passed, stretch
from ductus.core.reading.beat_tracking.set_beats import tapped_map
from ductus.core.reading.beat_tracking.tracker import find_beats, late_start
from ductus.core.reading.model import Decisions, ReadingResult, ReadSettings
from ductus.core.reading.pipeline import likely_meter
from ductus.core.reading.review.options import (
    ChosenReading,
    ReadingOptions,
    choices_from_json,
    outside,
    read_chosen,
)
from ductus.core.reading.review.rival_words import in_words
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Reading
from ductus.core.time.meters import Meter
from ductus.core.time.pulse_map import PulseMap
from ductus.store.takes import TakeRow

PROPOSALS = 3  # readings of the whole that are offered of a take played freely
KEPT_IN_MEMORY = 12  # readings that were worked out, over all pieces, beside all those of the piece that is worked at


@dataclass(frozen=True, slots=True)
class Worked:
    """A reading worked out: the take, its beats as proposed (meter and map, best first.

    Of a free take also in words: "3/4, ♩ ≈ 72, 16 bars"), and what came of the choices.
    """

    reading: Reading
    choices: ReadingOptions
    row: TakeRow
    take: Take
    proposals: tuple[tuple[Meter, PulseMap], ...]
    proposal_words: tuple[str, ...]
    chosen: ChosenReading

    @property
    def result(self) -> ReadingResult:
        """The reading as it is written."""
        return self.chosen.result

    @property
    def free(self) -> bool:
        """Are its beats found, because it was played without a click (or they are looked for all the same)?"""
        return self.take.pulses is None or self.choices.unbound


@dataclass(slots=True)
class _Slot:
    """A reading that is being worked out, or was."""

    lock: threading.Lock = field(default_factory=threading.Lock)
    worked: Worked | None = None
    outcomes: tuple[tuple[int, ...], tuple[object, ...], dict[str, str]] | None = None  # and what they came of


class ReadingCache:
    """Readings worked out, by desk and id; the same reading is never worked out twice at a time."""

    def __init__(self, most: int = KEPT_IN_MEMORY) -> None:
        self._most = most
        self._lock = threading.Lock()
        self._slots: OrderedDict[tuple[str, str], _Slot] = OrderedDict()
        self._desks: weakref.WeakValueDictionary[str, Desk] = weakref.WeakValueDictionary()

    def worked_out(self, desk: Desk, reading: Reading) -> Worked:
        """Work out a reading of the desk's piece, or take it from memory. Raises NotThere, BadInput, NotKept."""
        slot = self._slot(desk, reading.id)
        with slot.lock:
            known = slot.worked
            if known is None or (known.reading.choices, known.reading.take) != (reading.choices, reading.take):
                row = desk.take_row(reading.take)
                known = slot.worked = work_out(desk, reading, choices_from_json(reading.choices), row)
            return replace(known, reading=reading)

    def _slot(self, desk: Desk, reading_id: str) -> _Slot:
        """The slot of a reading; what another desk of the same piece (one that was closed) worked out is forgotten."""
        with self._lock:
            if self._desks.get(desk.piece_id) is not desk:
                self._desks[desk.piece_id] = desk
                for key in [k for k in self._slots if k[0] == desk.piece_id]:
                    del self._slots[key]
            slot = self._slots.setdefault((desk.piece_id, reading_id), _Slot())
            self._slots.move_to_end((desk.piece_id, reading_id))
            while len(self._slots) > self._most + len(desk.piece.readings):
                self._slots.popitem(last=False)
            return slot

    def keep(self, desk: Desk, worked: Worked) -> None:
        """Remember a reading that was just worked out for a change of the desk's piece."""
        slot = self._slot(desk, worked.reading.id)
        with slot.lock:
            slot.worked = worked

    def outcomes(self, desk: Desk, piece: Piece, worked: Worked) -> dict[str, str]:
        """What each outcome for the player's time would move, in words.

        Worked out again where the reading or the tempo of the page is another.
        """
        slot = self._slot(desk, worked.reading.id)
        reach = (worked.reading.start, min((n.tick for n in piece.notes.values()), default=0), piece.last_bar)
        of = (worked.chosen, piece.timeline, piece.tempi, piece.marks, piece.signs)
        with slot.lock:
            known = slot.outcomes
            if known is None or known[0] != reach or any(a is not b for a, b in zip(known[1], of, strict=True)):
                known = slot.outcomes = (reach, of, outcomes_of(piece, worked))
            return known[2]


CACHE = ReadingCache()


def worked_out(desk: Desk, reading: Reading) -> Worked:
    """Work out a reading of the desk's piece (from memory if nothing changed). Raises NotThere, BadInput, NotKept."""
    return CACHE.worked_out(desk, reading)


def work_out(desk: Desk, reading: Reading, choices: ReadingOptions, row: TakeRow) -> Worked:
    """Read a take as the choices say."""
    take = desk.take(row.id)
    found = take.pulses is None or choices.unbound
    passed(0.0)
    with stretch(0.0, 0.7 if found else 0.0):
        proposals = beats_of(desk, take, row.id, choices)
    meter, pulses = proposals[min(choices.rank, len(proposals) - 1)]
    told = replace(choices, settings=replace(choices.settings, meter=meter)) if found else choices
    with stretch(0.7 if found else 0.0, 1.0):
        chosen = read_chosen(take, pulses, told, centred=found and not choices.taps)
    if found or row.source == "file" or choices.shift:
        chosen = replace(chosen, result=late_start(chosen.result))
    notes = take.notes
    words = in_words([n.onset_us for n in notes], max(n.release_us for n in notes), proposals) if found else ()
    return Worked(reading, choices, row, take, proposals, words, chosen)


def beats_of(desk: Desk, take: Take, take_id: int, choices: ReadingOptions) -> tuple[tuple[Meter, PulseMap], ...]:
    """The beats that a take may have: those of its click, those tapped, or up to three proposals that were found."""
    settings = choices.settings
    if take.pulses is not None and not choices.unbound:
        return ((settings.meter or likely_meter(take, take.pulses), take.pulses),)
    if len(choices.taps) >= 2:
        meter = settings.meter or Meter(4, 4)
        return ((meter, tapped_map(choices.taps, meter, [n.onset_us for n in take.notes])),)
    hints = f"{settings.meter or ''} {settings.about or ''}" + (f" {choices.extent}" if choices.extent else "")
    if choices.page is not None:
        hints += f" page {choices.page[0]} {choices.page[1]:g}"
    found = desk.found_beats(take_id, hints)
    if found is None:
        wanted = ReadSettings(meter=settings.meter, about=settings.about)
        left_out = outside(take, choices.extent)
        inside = replace(take, notes=tuple(n for k, n in enumerate(take.notes) if k not in left_out))
        if not inside.notes:
            raise BadInput("Every note of that take is left out of the page. The take is kept.")
        found = [(b.frame.meter, b.pulses) for b in find_beats(inside, wanted, Decisions(), PROPOSALS, choices.page)]
        desk.keep_found_beats(take_id, hints, found)
    return tuple(found)


def lay_tempo(page: Piece, start: int, result: ReadingResult, outcome: Outcome, tempo: float | None) -> Draft:
    """A draft that gives the piece the tempo of a reading."""
    draft = Draft(page)
    beats = beats_played(result, start)
    if len(beats) >= 2:
        first, last = beats[0][0], beats[-1][0]
        lead = first if any(n.tick < first for n in page.notes.values()) else 0
        put_tempo(draft, tempo_marks(result, start, lead, outcome, tempo), lead, last)
    return draft


def outcomes_of(piece: Piece, worked: Worked) -> dict[str, str]:
    """What each outcome for the player's time would move, in words."""
    start = worked.reading.start
    ticks = sorted({n.tick + start for n in worked.result.notes if n.tick + start >= 0})
    out: dict[str, str] = {}
    for outcome in OUTCOMES:
        after = lay_tempo(piece, start, worked.result, outcome, None).change("").apply(piece)
        out[outcome] = moves_between(piece, after, ticks).words
    return out
