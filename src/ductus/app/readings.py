"""Takes on the page: reading them, reading them again, and what is shown of a reading.

Working a reading out may take seconds, so it is done on a snapshot and without the desk's lock; the change it leads to is then
made on the state that was read, or worked out again if someone was faster.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from ductus.app.desk import Desk
from ductus.core.entry.line import Phrase
from ductus.core.errors import NotThere
from ductus.core.performance.takes import Take
from ductus.core.pitch.pitches import spell_in_key
from ductus.core.reading.choices import (
    Choices,
    ChosenReading,
    choices_from_json,
    option_chosen,
    pins_from_page,
    read_chosen,
    tapped_map,
)
from ductus.core.reading.free import find_beats, late_start
from ductus.core.reading.onto_page import notes_of_reading, put_on_page
from ductus.core.reading.ornaments import ornament_words
from ductus.core.reading.sentence import read_sentence, tempo_words
from ductus.core.reading.settings import Doubt, Ornament, Pins, ReadingResult, ReadSettings
from ductus.core.reading.tempo import TempoCurve, tempo_curve
from ductus.core.score.changes import Change
from ductus.core.score.edits import count_words
from ductus.core.score.piece import Piece
from ductus.core.score.records import Note, Reading
from ductus.core.time.meters import Meter
from ductus.core.time.pulse import PulseMap
from ductus.store.takes import TakeRow

PROPOSALS = 3  # readings of the whole that are offered of a take played freely
KEPT_IN_MEMORY = 12  # readings of one piece


@dataclass(frozen=True, slots=True)
class Worked:
    """A reading worked out: the take, its beats as proposed (meter and map, best first), and what came of the choices."""

    reading: Reading
    choices: Choices
    row: TakeRow
    take: Take
    proposals: tuple[tuple[Meter, PulseMap], ...]
    chosen: ChosenReading

    @property
    def result(self) -> ReadingResult:
        """The reading as it is written."""
        return self.chosen.result

    @property
    def free(self) -> bool:
        """Was it played without a click?"""
        return self.take.pulses is None


@dataclass(frozen=True, slots=True)
class DoubtShown:
    """A close call on the page: ``options`` are (words, probability or None), the first as read; ``chosen`` the present one or
    None. ``key`` is the first event, or below zero -1 less an ornament's first event."""

    key: int
    tick: int
    place: str
    ids: tuple[str, ...]
    options: tuple[tuple[str, float | None], ...]
    chosen: int | None


@dataclass(frozen=True, slots=True)
class ReadingShown:
    """What the line, the margin and the strip say of a reading."""

    id: str
    take: int
    name: str
    free: bool
    line: tuple[Phrase, ...]
    doubts: tuple[DoubtShown, ...]
    settled: int
    remarks: tuple[str, ...]
    first_tick: int
    last_tick: int


def worked_out(desk: Desk, reading: Reading) -> Worked:
    """Work out a reading of the desk's piece (from memory if nothing changed). Raises NotThere, BadInput."""
    cached: Worked | None = desk.readings.get(reading.id)
    if cached is not None and (cached.reading.choices, cached.reading.take) == (reading.choices, reading.take):
        return replace(cached, reading=reading)
    row = next((t for t in desk.takes() if t.id == reading.take), None)
    if row is None:
        raise NotThere("The take of that reading is not among the takes of this piece.")
    worked = work_out(desk, reading, choices_from_json(reading.choices), row)
    desk.readings[reading.id] = worked
    while len(desk.readings) > KEPT_IN_MEMORY:
        desk.readings.pop(next(iter(desk.readings)))
    return worked


def work_out(desk: Desk, reading: Reading, choices: Choices, row: TakeRow) -> Worked:
    """Read a take as the choices say."""
    take = desk.take(row.id)
    proposals = beats_of(desk, take, row.id, choices)
    meter, pulses = proposals[min(choices.rank, len(proposals) - 1)]
    found = take.pulses is None
    told = replace(choices, settings=replace(choices.settings, meter=meter)) if found else choices
    chosen = read_chosen(take, pulses, told, centred=found and not choices.taps)
    if found:
        chosen = replace(chosen, result=late_start(chosen.result))
    return Worked(reading, choices, row, take, proposals, chosen)


def beats_of(desk: Desk, take: Take, take_id: int, choices: Choices) -> tuple[tuple[Meter, PulseMap], ...]:
    """The beats that a take may have: those of its click, those tapped, or up to three proposals that were found."""
    settings = choices.settings
    if take.pulses is not None:
        return ((settings.meter or Meter(4, 4), take.pulses),)
    if len(choices.taps) >= 2:
        meter = settings.meter or Meter(4, 4)
        return ((meter, tapped_map(choices.taps, meter)),)
    found = desk.found_beats(take_id, settings.meter, settings.about)
    if found is None:
        hints = ReadSettings(meter=settings.meter, about=settings.about)
        found = [(b.frame.meter, b.pulses) for b in find_beats(take, hints, Pins(), PROPOSALS)]
        desk.keep_found_beats(take_id, settings.meter, settings.about, found)
    return tuple(found)


# --- to the page ------------------------------------------------------------------------------


def first_reading(desk: Desk, piece: Piece, row: TakeRow, where: Reading, choices: Choices) -> Change:
    """Write a take onto the page for the first time (or at a new place). Raises NotThere, BadInput."""
    reading = replace(where, id=next_reading_id(piece))
    worked = work_out(desk, reading, choices, row)
    number = piece.timeline.number_of(piece.timeline.bar_at(max(where.start, 0)).index)
    change = put_on_page(piece, reading, choices, worked.result, "", clear=True, follow=worked.free)
    written = sum(isinstance(after, Note) and after.take == row.id for _, after in change.rows)
    words = f"{row.name}: {count_words(written, 'note')} written from {f'bar {number}' if number else 'the pick-up'}"
    return replace(change, sentence=words)


def next_reading_id(piece: Piece) -> str:
    """An id that no reading of the piece has."""
    return f"r{piece.serial + 1}"


def read_again(desk: Desk, piece: Piece, reading: Reading, wanted: Choices, sentence: str) -> Change:
    """Read a take on the page as ``wanted``; what was put right by hand on the page stays as it is. Raises NotThere, BadInput."""
    before = worked_out(desk, reading)
    page = notes_of_reading(piece, reading)
    if same_beats(before.choices, wanted):
        held = pins_from_page(before.choices, before.result, page, reading.start, bool(reading.staff))
        wanted = with_more_pins(wanted, before.choices.pins, held.pins)
    after = work_out(desk, reading, wanted, before.row)
    return put_on_page(piece, reading, wanted, after.result, sentence, follow=after.free)


def same_beats(a: Choices, b: Choices) -> bool:
    """Do ticks mean the same in both? Otherwise what was put right by hand has no place in the new reading."""
    return (a.rank, a.shift, a.taps, a.settings.meter, a.settings.about) == (
        b.rank,
        b.shift,
        b.taps,
        b.settings.meter,
        b.settings.about,
    )


def with_more_pins(wanted: Choices, old: Pins, held: Pins) -> Choices:
    """The wanted choices with what the page shows to be decided beyond the old pins."""

    def fresh(now: dict[int, int], before: dict[int, int], mine: dict[int, int]) -> dict[int, int]:
        return {**{e: v for e, v in now.items() if before.get(e) != v}, **mine}

    pins = wanted.pins
    return replace(
        wanted,
        pins=Pins(
            fresh(dict(held.hands), dict(old.hands), dict(pins.hands)),
            fresh(dict(held.places), dict(old.places), dict(pins.places)),
            fresh(dict(held.values), dict(old.values), dict(pins.values)),
            left_out=pins.left_out | held.left_out,
            ornaments=pins.ornaments,
        ),
    )


# --- what is shown ------------------------------------------------------------------------------


def shown(piece: Piece, worked: Worked) -> ReadingShown:
    """A reading in words, its doubts on the notes of the page."""
    reading, result = worked.reading, worked.result
    ids = {n.event: n.id for n in notes_of_reading(piece, reading) if n.event is not None}
    ticks = [n.tick + reading.start for n in result.notes]
    open_doubts = worked.chosen.doubts(worked.choices)
    place = piece.timeline.place_words(max(min(ticks), 0))
    calls = [doubt_shown(piece, worked, d, ids) for d in open_doubts if any(e in ids for e in d.events)]
    offers = [
        ornament_shown(piece, worked, o, ids)
        for o in worked.chosen.open.ornaments
        if ornament_key(o) not in worked.choices.settled and any(e in ids for e in o.events)
    ]
    return ReadingShown(
        reading.id,
        reading.take,
        worked.row.name,
        worked.free,
        read_sentence(worked.row.name, worked.row.source, place, worked.choices, result, proposal_words(worked)),
        tuple(sorted((*offers, *calls), key=lambda d: (d.tick, d.key))),
        len(worked.chosen.open.doubts) - len(open_doubts),
        result.remarks,
        max(min(ticks), 0),
        max(n.tick + n.ticks for n in result.notes) + reading.start,
    )


def doubt_shown(piece: Piece, worked: Worked, doubt: Doubt, ids: dict[int, str]) -> DoubtShown:
    """A doubt with its options in words."""
    tick = max(doubt.tick + worked.reading.start, 0)
    options = ((doubt.words, doubt.probability), *((r.words, r.probability) for r in doubt.rivals))
    notes = tuple(ids[e] for e in doubt.events if e in ids)
    chosen = option_chosen(worked.choices, doubt)
    return DoubtShown(doubt.events[0], tick, piece.timeline.place_words(tick), notes, options, chosen)


def ornament_key(ornament: Ornament) -> int:
    """What names the offer of an ornament among the doubts: below zero."""
    return -1 - ornament.events[0]


def ornament_shown(piece: Piece, worked: Worked, ornament: Ornament, ids: dict[int, str]) -> DoubtShown:
    """An ornament that was heard, offered like a doubt: its notes one by one, or the sign."""
    read = {n.event: n for n in worked.chosen.open.notes}
    tick = max(min(read[e].tick for e in ornament.events if e in read) + worked.reading.start, 0)
    key = worked.chosen.open.key
    keys = [worked.take.notes[e].key for e in ornament.events]
    leaning = 1 if keys[0] < keys[-1] else -1
    pitches = {
        e: read[e].pitch if e in read else spell_in_key(k, key, leaning)
        for e, k in zip(ornament.events, keys, strict=True)
    }
    words = ornament_words(ornament, pitches)
    options = ((f"{count_words(len(ornament.events), 'note')} one by one", None), (words, None))
    notes = tuple(ids[e] for e in ornament.events if e in ids)
    chosen = int(ornament.events[0] in worked.choices.pins.ornaments)
    return DoubtShown(ornament_key(ornament), tick, piece.timeline.place_words(tick), notes, options, chosen)


def proposal_words(worked: Worked) -> tuple[str, ...]:
    """The proposals for the beats of a free take: "3/4, ♩ ≈ 72, 16 bars"."""
    if not worked.free:
        return ()
    out = []
    last = worked.take.notes[-1].onset_us
    for meter, pulses in worked.proposals:
        bars = round((pulses.tick_at(last) - pulses.tick_at(worked.take.notes[0].onset_us)) / meter.bar_ticks)
        tempo = tempo_words(meter, replace(worked.result, pulses=pulses))
        out.append(f"{meter}, {tempo}, {count_words(max(bars, 1), 'bar')}")
    return tuple(out)


@dataclass(frozen=True, slots=True)
class StripShown:
    """The performance over time. ``strokes`` are (onset, release in microseconds, key, velocity, hand, event or written time in
    microseconds, note id or ""), ``beats`` (microseconds, tick of the take, bar number or None inside a bar, set by hand)."""

    start_us: int
    length_us: int
    strokes: tuple[tuple[int, int, int, int, int, int, str], ...]
    beats: tuple[tuple[int, int, int | None, bool], ...]
    curve: TempoCurve
    beat_words: str


def strip(piece: Piece, worked: Worked) -> StripShown:
    """The strip of a reading."""
    result, reading = worked.result, worked.reading
    ids = {n.event: n for n in notes_of_reading(piece, reading)}
    written = {n.event: n for n in (*worked.chosen.open.notes, *result.notes)}
    pulses, meter = result.pulses, result.meter
    hands = {
        e: next((written[m].hand for m in o.events if m in written), 1) for o in result.ornaments for e in o.events
    }
    strokes = []
    for event, note in enumerate(worked.take.notes):
        read = written.get(event)
        page = ids.get(event)
        tick = page.tick - reading.start if page else read.tick if read else round(pulses.tick_at(note.onset_us))
        hand = read.hand if read else hands.get(event, 1)
        strokes.append(
            (
                note.onset_us, note.release_us, note.key, note.velocity, hand, pulses.time_at(tick),
                page.id if page else "",
            )
        )  # fmt: skip
    first = min(n.tick for n in result.notes)
    last = max(n.tick + n.ticks for n in result.notes)
    hand_set = {p.tick for p in pulses.pulses if p.by_hand}
    beats = []
    bar = meter.bar_ticks
    for k in range(first // bar, -(-last // bar) + 1):
        number = piece.timeline.number_of(piece.timeline.bar_at(max(k * bar + reading.start, 0)).index)
        for start in meter.beat_starts:
            tick = k * bar + start
            if tick > last + bar or (tick > last and start):
                continue
            beats.append((pulses.time_at(tick), tick, number if not start else None, tick in hand_set))
    return StripShown(
        min(beats[0][0], strokes[0][0]),
        worked.take.length_us,
        tuple(strokes),
        tuple(beats),
        tempo_curve(pulses, meter, max(first, 0) if last > meter.bar_ticks else first, last),
        tempo_words(meter, result),
    )
