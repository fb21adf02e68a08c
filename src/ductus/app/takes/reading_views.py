"""What is told of the takes on the page: their lines, questions, doubts, and the strip."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from ductus.app import wire as m
from ductus.app.document.desk import Desk
from ductus.app.takes.guided_review import question_facts
from ductus.app.takes.merging import votes_of
from ductus.app.takes.reading_cache import CACHE, Worked, worked_out
from ductus.app.takes.reading_jobs import ornament_key, reading_of
from ductus.app.wire.mapping import phrase_facts
from ductus.core.errors import DuctusError, NotThere
from ductus.core.pitch.pitches import spell_in_key
from ductus.core.playback.swing import SwingMap
from ductus.core.playback.timing import apart_by_bar, apart_words, worst_of
from ductus.core.reading.beat_tracking.tempo_curve import TempoCurve, tempo_curve
from ductus.core.reading.merging import vote_words
from ductus.core.reading.model import Doubt, Ornament, ReadingResult
from ductus.core.reading.ornaments.detection import ornament_words
from ductus.core.reading.page.insertion import notes_of_reading
from ductus.core.reading.review.options import option_chosen
from ductus.core.reading.review.prompt import read_sentence, tempo_words
from ductus.core.reading.review.questions import hidden_beat, stray_ends
from ductus.core.reading.trace import Stage, trace_chosen
from ductus.core.score.model.piece import Piece
from ductus.core.words import capital, count_words, with_the

MOST_VOTES = 4  # places where takes differ that are named
PLAUSIBLE = 0.06  # a rival that is less likely is not worth a musician's look


def all_shown(desk: Desk) -> list[m.ReadingFact]:
    """All readings of the desk's piece in words; those that cannot be worked out are left out."""
    piece = desk.piece
    out = []
    for reading in sorted(piece.readings.values(), key=lambda r: (r.start, r.id)):
        if not notes_of_reading(piece, reading):
            continue  # wholly replaced by something else: there is nothing on the page to read otherwise
        try:
            worked = worked_out(desk, reading)
            out.append(shown(piece, worked, CACHE.outcomes(desk, piece, worked) if worked.free else {}))
        except DuctusError:
            continue
    return out


def strip_of(desk: Desk, reading_id: str) -> StripShown:
    """The strip of a reading of the desk's piece. Raises NotThere."""
    piece = desk.piece
    return strip(piece, worked_out(desk, reading_of(piece, reading_id)))


def why_note(desk: Desk, reading_id: str, note_id: str) -> tuple[Stage, ...]:
    """Why a note of a reading was written as it was, stage by stage; empty for a kit. Raises NotThere."""
    piece = desk.piece
    worked = worked_out(desk, reading_of(piece, reading_id))
    note = piece.notes.get(note_id)
    if note is None or note.take != worked.reading.take or note.event is None:
        raise NotThere("That note is not from this take.")
    if worked.choices.settings.kit is not None:
        return ()
    start = worked.reading.start
    rows = trace_chosen(
        worked.take,
        worked.result,
        worked.choices,
        lambda tick: piece.timeline.place_words(max(tick + start, 0)),
        centred=worked.free and not worked.choices.taps,
    )
    return next((row.stages for row in rows if row.event == note.event), ())


def _remarks(piece: Piece, worked: Worked) -> Iterator[str]:
    yield from worked.result.remarks
    yield from outvoted(piece, worked)
    hidden = worked.free and not worked.choices.taps and hidden_beat(worked.result)
    if hidden:
        yield hidden


def shown(piece: Piece, worked: Worked, outcomes: Mapping[str, str]) -> m.ReadingFact:
    """A reading in words, its doubts on the notes of the page.

    ``outcomes``: what each outcome for the player's time would move, in words.
    """
    reading, result = worked.reading, worked.result
    ids = {n.event: n.id for n in notes_of_reading(piece, reading) if n.event is not None}
    ticks = [n.tick + reading.start for n in result.notes]
    open_doubts = worked.chosen.doubts(worked.choices)
    place = piece.timeline.place_words(max(min(ticks), 0))
    calls = [
        doubt_shown(piece, worked, d, ids) for d in open_doubts if plausible(d) and any(e in ids for e in d.events)
    ]
    offers = [
        ornament_shown(piece, worked, o, ids)
        for o in worked.chosen.open.ornaments
        if ornament_key(o) not in worked.choices.settled and any(e in ids for e in o.events)
    ]
    return m.ReadingFact(
        reading.id,
        reading.take,
        worked.row.name,
        worked.free,
        phrase_facts(
            read_sentence(
                worked.row.name,
                worked.row.source,
                with_the(place),
                worked.choices,
                result,
                worked.proposal_words,
                outcomes,
            )
        ),
        tuple(sorted((*offers, *calls), key=lambda d: (d.tick, d.key))),
        len(worked.chosen.open.doubts) - len(open_doubts),
        tuple(_remarks(piece, worked)),
        question_facts(worked),
        len(worked.choices.bars),
        max(min(ticks), 0),
    )


def outvoted(piece: Piece, worked: Worked) -> list[str]:
    """Where the takes that were read together do not agree, in words; of many the first few."""
    timeline, pulses = piece.timeline, worked.result.pulses

    def place(us: int) -> str:
        tick = max(round(pulses.tick_at(us)) + worked.reading.start, 0)
        beat = worked.result.meter.beat_ticks
        return capital(timeline.place_words(round(tick / (beat / 4)) * (beat // 4)))

    said = vote_words(
        votes_of(worked.row), place, piece.key_at(timeline.bar_at(max(worked.reading.start, 0)).index).fifths
    )
    more = len(said) - MOST_VOTES
    return [
        *said[:MOST_VOTES],
        *([f"and {count_words(more, 'place')} more where the takes differ"] if more > 0 else []),
    ]


def plausible(doubt: Doubt) -> bool:
    """Is one of its rivals likely enough to be worth a look?"""
    return any(r.probability >= PLAUSIBLE for r in doubt.rivals)


def doubt_shown(piece: Piece, worked: Worked, doubt: Doubt, ids: dict[int, str]) -> m.DoubtFact:
    """A doubt with its options in words."""
    tick = max(doubt.tick + worked.reading.start, 0)
    options = ((doubt.words, doubt.probability), *((r.words, r.probability) for r in doubt.rivals))
    notes = tuple(ids[e] for e in doubt.events if e in ids)
    chosen = option_chosen(worked.choices, doubt)
    return m.DoubtFact(doubt.events[0], tick, piece.timeline.place_words(tick), notes, options, chosen)


def ornament_shown(piece: Piece, worked: Worked, ornament: Ornament, ids: dict[int, str]) -> m.DoubtFact:
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
    chosen = int(ornament.events[0] in worked.result.signed)
    return m.DoubtFact(ornament_key(ornament), tick, piece.timeline.place_words(tick), notes, options, chosen)


@dataclass(frozen=True, slots=True)
class StripShown:
    """The performance over time.

    ``strokes`` are (onset, release in microseconds, key, velocity, hand, event or written time in microseconds, note
    id or ""), ``beats`` (microseconds, tick of the take, bar number or None inside a bar, set by hand), ``worst``
    the bars that are farthest from the click, as (number, tick, microseconds late), and all in words; ``extent``
    what of the take is written, and ``music`` what of it does not stand apart (microseconds; None: all).
    """

    start_us: int
    length_us: int
    strokes: tuple[tuple[int, int, int, int, int, int, str], ...]
    beats: tuple[tuple[int, int, int | None, bool], ...]
    curve: TempoCurve
    beat_words: str
    worst: tuple[tuple[int, int, int], ...]
    apart_words: str
    extent: tuple[int, int] | None
    music: tuple[int, int] | None


def _beats(piece: Piece, result: ReadingResult, start: int) -> list[tuple[int, int, int | None, bool]]:
    """The beats of a reading that begins at this tick: microseconds, tick, number of the bar that begins, by hand?"""
    first = min(n.tick for n in result.notes)
    last = max(n.tick + n.ticks for n in result.notes)
    by_hand = {p.tick for p in result.pulses.pulses if p.by_hand}
    beats = []
    for begin, _, here in result.bars.between(first, result.bars.bar_at(last - 1)[1] + 1):
        number = piece.timeline.number_of(piece.timeline.bar_at(max(begin + start, 0)).index)
        for at in here.beat_starts:
            tick = begin + at
            if tick <= last or not at:
                time_us = result.pulses.time_at(tick)
                beats.append((time_us, tick, number if not at else None, tick in by_hand))
    return beats


def strip(piece: Piece, worked: Worked) -> StripShown:
    """The strip of a reading."""
    result, reading = worked.result, worked.reading
    ids = {n.event: n for n in notes_of_reading(piece, reading)}
    written = {n.event: n for n in (*worked.chosen.open.notes, *result.notes)}
    pulses, meter = result.pulses, result.meter
    hands = {
        e: next((written[m].hand for m in o.events if m in written), 1) for o in result.ornaments for e in o.events
    }
    strokes, swing = [], SwingMap(piece)
    for event, note in enumerate(worked.take.notes):
        read = written.get(event)
        page = ids.get(event)
        tick = page.tick - reading.start if page else read.tick if read else round(pulses.tick_at(note.onset_us))
        hand = read.hand if read else hands.get(event, 1)
        strokes.append(
            (
                note.onset_us, note.release_us, note.key, note.velocity, hand,
                pulses.time_at(swing.sounds(tick + reading.start) - reading.start),
                page.id if page else "",
            )
        )  # fmt: skip
    beats = _beats(piece, result, reading.start)
    apart = apart_by_bar(piece, worked.take, result, reading.start, free=worked.free)
    stray = stray_ends(worked.take)
    return StripShown(
        min(beats[0][0], strokes[0][0]),
        worked.take.length_us,
        tuple(strokes),
        tuple(beats),
        tempo_curve(result),
        tempo_words(meter, result),
        tuple((a.bar, a.tick, a.us) for a in worst_of(apart)),
        apart_words(apart, free=worked.free),
        worked.choices.extent,
        stray and stray[:2],
    )
