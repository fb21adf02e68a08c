"""The one door from a take to the page: a reading as notes of a piece, as one Change.

Recording, live, import, reading again and the command line all come through ``put_on_page`` (or, while one plays,
``written_note``). Notes that are there keep their ids and what was put right by hand.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import replace

from ductus.core.reading.beat_tracking.tempo_curve import average_tempo, beats_a_minute, tempo_sections
from ductus.core.reading.model import ReadingResult, ReadNote
from ductus.core.reading.review.options import PageScope, ReadingOptions, choices_to_json
from ductus.core.score.catalogues.layouts import LAYOUTS
from ductus.core.score.mark_language.swing import STRAIGHT
from ductus.core.score.model.changes import Change, Draft, Line
from ductus.core.score.model.piece import Piece, make_piece
from ductus.core.score.model.records import (
    Facts,
    KeyChange,
    Mark,
    MeterChange,
    Note,
    Reading,
    Record,
    TempoMark,
    checked_text,
)
from ductus.core.score.model.voice_rule import fits, voice_for
from ductus.core.score.note_edits.write import MAX_VOICES, clear_brackets, clear_span
from ductus.core.time.bars import Timeline
from ductus.core.time.meters import Meter

AS_SAID = 40  # thousandths by which a swing may differ from the sign of the page
READ_MARKS = ("staccato", "trill", "turn", "rolled", "tremolo-3")  # marks that come from the playing


def notes_of_reading(piece: Piece, reading: Reading) -> list[Note]:
    """The notes of a reading that are on the page, in order of place."""
    mine = (
        n for n in piece.notes.values() if n.take == reading.take and n.part == reading.part and n.event is not None
    )
    return sorted(mine, key=lambda n: (n.tick, n.pitch.midi, n.id))


def staff_of(reading: Reading, note: ReadNote) -> int:
    """The staff on which a note of a reading stands."""
    return reading.staff or note.hand


def put_on_page(
    piece: Piece,
    reading: Reading,
    choices: ReadingOptions,
    result: ReadingResult,
    sentence: str,
    *,
    clear: bool = False,
    follow: bool = False,
    tempo: bool = True,
    meters: bool = False,
) -> Change:
    """Write a reading (or write it anew).

    ``clear`` empties all voices of its staves over its stretch first: what a take replaces; ``follow`` lets a piece
    that holds nothing else take over the meter, key, pick-up and (``tempo``) tempo that were found, ``meters`` the
    meters alone.

    Notes that were split by hand are left alone; pitches, marks and words that a person gave to a note stay.
    """
    draft = Draft(piece)
    alone = follow and alone_on_page(piece, reading)
    start = follow_with_head(draft, result, tempo) if alone else later_if_needed(reading.start, result)
    if meters and not alone and alone_on_page(piece, reading):
        lay_meters(draft, start, result)
    respell = alone and piece.key_at(0).fifths != result.key
    fill_draft(draft, replace(reading, start=start), choices, result, clear, respell)
    return draft.change(sentence)


def fill_draft(
    draft: Draft, reading: Reading, choices: ReadingOptions, result: ReadingResult, clear: bool, respell: bool
) -> None:
    """The rows of ``put_on_page``."""
    piece = draft.piece
    page: dict[int, list[Note]] = defaultdict(list)
    for note in notes_of_reading(piece, reading):
        assert note.event is not None
        page[note.event].append(note)
    where = choices.where
    wanted = [n for n in result.notes if n.tick + reading.start >= 0 and where.holds(n.tick) and len(page[n.event]) < 2]
    wanted = (
        [replace(n, ticks=min(n.ticks, where.until - n.tick)) for n in wanted] if where.until is not None else wanted
    )
    if clear and choices.where.policy == "replace":
        clear_for(draft, reading, wanted, choices.where)
    elif clear:
        doubled = there_already(piece, reading, wanted)
        wanted = [n for n in wanted if n.event not in doubled]
    events = {n.event for n in wanted}
    for event, notes in page.items():
        if event not in events and len(notes) == 1:
            draft.drop(notes[0])
    for n in wanted:
        here = page[n.event][0] if page[n.event] else None
        draft.put(page_note(draft, reading, n, here, respell, where.voice))
    apart(draft, reading)
    put_swing(draft, reading, result, wanted)
    for other in piece.readings.values():  # an earlier reading of the same take, of which nothing is left on the page
        if (
            other.take == reading.take
            and other.part == reading.part
            and other.id != reading.id
            and not any(page.values())
        ):
            draft.drop(other)
    draft.put(replace(reading, choices=choices_to_json(choices)))


def put_swing(draft: Draft, reading: Reading, result: ReadingResult, wanted: Iterable[ReadNote]) -> None:
    """The sign of swing over the bar in which a swung reading begins, unless the page says as much already."""
    piece = draft.piece
    own = next((m for m in piece.marks.values() if m.kind == "swing" and m.take == reading.take), None)
    first = min((n.tick for n in wanted), default=None)
    if first is None or not result.swing:
        if own is not None:
            draft.drop(own)
        return
    at = max(result.bars.bar_at(first)[0] + reading.start, 0)
    said = [m for m in piece.marks.values() if m.kind == "swing" and m is not own and m.tick <= at]
    now = max(said, key=lambda m: m.tick).share if said else STRAIGHT
    if own is not None:
        draft.put(replace(own, tick=at, share=result.swing))
    elif abs(now - result.swing) > AS_SAID:
        part = piece.ordered_parts()[0].id
        mark = Mark(draft.new_id("m"), "swing", part, 1, 1, at, 0, "Swing", take=reading.take, share=result.swing)
        draft.put(mark)


def there_already(piece: Piece, reading: Reading, notes: Iterable[ReadNote]) -> frozenset[int]:
    """The events of notes whose key is struck at that place of the staff by other music already.

    Added, it would only be written twice.
    """
    out = []
    for n in notes:
        tick = n.tick + reading.start
        here = piece.notes_between(reading.part, tick, tick + 1) if tick >= 0 else []
        if any(
            (o.tick, o.staff, o.pitch.midi) == (tick, staff_of(reading, n), n.pitch.midi) and o.take != reading.take
            for o in here
        ):
            out.append(n.event)
    return frozenset(out)


def written_note(reading: Reading, n: ReadNote, note_id: str, voice: int = 1) -> Note:
    """A note as the reading writes it, its first voice being ``voice``: the one conversion."""
    return Note(
        note_id, reading.part, staff_of(reading, n), min(n.voice + voice - 1, MAX_VOICES), n.tick + reading.start,
        n.ticks, n.pitch, n.velocity,
        signs=n.articulations, take=reading.take, event=n.event, grace_notes=n.grace_notes,
        played=n.played and (n.played[0] - n.tick, n.played[1]),
    )  # fmt: skip


def page_note(draft: Draft, reading: Reading, n: ReadNote, here: Note | None, respell: bool, voice: int) -> Note:
    """A note as the reading writes it, over what stands there already (whose name stays unless the key changes)."""
    fresh = written_note(reading, n, draft.new_id("n") if here is None else here.id, voice)
    if here is None:
        return fresh
    pitch = n.pitch if respell and here.pitch.midi == n.pitch.midi else here.pitch
    kept = [a for a in here.signs if a not in READ_MARKS]
    return replace(
        here, staff=fresh.staff, voice=fresh.voice, tick=fresh.tick, ticks=fresh.ticks, pitch=pitch,
        signs=(*kept, *n.articulations), grace_notes=n.grace_notes, played=fresh.played,
    )  # fmt: skip


def clear_for(draft: Draft, reading: Reading, wanted: Iterable[ReadNote], where: PageScope) -> None:
    """Empty the staves of a reading from its first bar line to its last note; in a span of bars, all of the span."""
    listed = list(wanted)
    if not listed:
        return
    start = max(min([reading.start, *(n.tick + reading.start for n in listed)]), 0)
    end = max(n.tick + n.ticks for n in listed) + reading.start
    if where.since is not None:
        start = max(where.since + reading.start, 0)
    if where.until is not None:
        end = where.until + reading.start
    for staff in sorted({staff_of(reading, n) for n in listed}):
        for voice in where.voices(reading.staff):
            line: Line = (reading.part, staff, voice)
            clear_span(draft, line, start, end)
            clear_brackets(draft, line, start, end)


def apart(draft: Draft, reading: Reading) -> None:
    """One voice, one chord at a time: notes of the reading that would run into others of their voice go to one that
    is free; where all are taken, what began before ends there.
    """
    mine = [n for n in draft.written_notes() if n.take == reading.take and n.part == reading.part]
    for note in sorted(mine, key=lambda n: (n.tick, n.pitch.midi)):
        if fits(draft, note.line, note):
            continue
        voice = voice_for(draft, note)
        if voice is not None:
            draft.put(replace(note, voice=voice))
            continue
        ticks = note.ticks
        for other in draft.line_between(note.line, note.tick, note.end):
            if other.tick < note.tick:
                draft.put(replace(other, ticks=note.tick - other.tick))
            elif other.id != note.id:
                ticks = other.ticks if other.tick == note.tick else min(ticks, other.tick - note.tick)
        draft.put(replace(note, ticks=ticks))


def alone_on_page(piece: Piece, reading: Reading) -> bool:
    """Does the piece hold no other notes than those of this reading?"""
    return all(n.take == reading.take for n in piece.notes.values())


def said_by_page(piece: Piece, bar: int) -> tuple[Meter, float]:
    """The meter of an empty page at a bar, and its tempo in quarters a minute."""
    found = piece.timeline.bar(bar)
    return found.meter, piece.tempo_at(found.start).quarters_per_minute


def is_framed(piece: Piece, bar: int) -> bool:
    """Was a frame laid from a bar on: does the meter or the key change there?

    Then what is played freely over it is read in its bars.
    """
    return any(m.bar > bar for m in piece.meters.values()) or any(k.bar > bar for k in piece.keys.values())


def later_if_needed(start: int, result: ReadingResult) -> int:
    """``start``, as many bars later as it takes for every note to stand in the piece."""
    first = min(n.tick for n in result.notes) + start
    bar = result.meter.bar_ticks
    return start + max(-(first // bar), 0) * bar


def follow_with_head(draft: Draft, result: ReadingResult, tempo: bool = True) -> int:
    """Give the piece the meter, key, pick-up and (``tempo``) tempo of a reading that is alone in it.

    Returns the tick of the piece where tick 0 of the reading then lies. Empty bars before the first note are left
    out.
    """
    piece = draft.piece
    start = start_in_piece(result)
    draft.put(replace(piece.facts, pickup=result.pickup))
    olds: list[Record] = [*piece.meters.values(), *piece.keys.values(), *(piece.tempi.values() if tempo else ())]
    for old in olds:
        draft.drop(old)
    draft.put(MeterChange("m0", 0, result.meter))
    frame = Timeline({0: result.meter}, result.pickup)
    for tick, meter in result.changes:
        if tick + start > 0:
            index = frame.bar_at(tick + start).index
            draft.put(MeterChange(draft.new_id("m"), index, meter))
            frame = Timeline({**frame.meters, index: meter}, result.pickup)
    draft.put(KeyChange("k0", 0, result.key, result.mode))
    if tempo:
        word = next((t.text for t in piece.tempi.values() if t.tick == 0), "")
        bpm, beat = average_tempo(result)
        draft.put(TempoMark("t0", 0, float(round(bpm)), beat, word))
        for tick, quarter_us in tempo_sections(result)[1:]:
            bpm, beat = beats_a_minute(result, quarter_us)
            draft.put(TempoMark(draft.new_id("t"), tick + start, float(round(bpm)), beat))
    return start


def lay_meters(draft: Draft, start: int, result: ReadingResult) -> None:
    """Give the piece the meters of a reading from its first bar on.

    ``start`` is the tick of the piece at tick 0 of the reading.
    """
    timeline, pickup = draft.piece.timeline, draft.piece.facts.pickup
    first = timeline.bar_at(max(start, 0)).index
    frame = Timeline({**{i: m for i, m in timeline.meters.items() if i < first}, first: result.meter}, pickup)
    for tick, meter in result.changes:
        if tick + start > 0:
            frame = Timeline({**frame.meters, frame.bar_at(tick + start).index: meter}, pickup)
    old = {m.bar: m for m in draft.piece.meters.values() if m.bar >= first}
    for mark in old.values():
        draft.drop(mark)
    for index, meter in frame.meters.items():
        if index >= first:
            draft.put(MeterChange(old[index].id if index in old else draft.new_id("m"), index, meter))


def start_in_piece(result: ReadingResult) -> int:
    """Where tick 0 of a reading lies in a piece that begins with its first note's bar (or its pick-up)."""
    bar = result.meter.bar_ticks
    first = min(n.tick for n in result.notes)
    return -(first // bar) * bar - (bar - result.pickup if result.pickup else 0)


def blank_page(title: str = "") -> Piece:
    """A piece for keys with nothing in it, on which a reading that is alone may set the head of the page."""
    records: list[Record] = [Facts(title=checked_text(title, "title")), *LAYOUTS["keys"], TempoMark("t0", 0, 100.0)]
    return make_piece(records)


def page_of(result: ReadingResult, title: str = "", take: int = 0) -> Piece:
    """A reading on a page of its own."""
    blank = blank_page(title)
    reading = Reading("r1", take, "p1", 0, 0, "")
    return put_on_page(blank, reading, ReadingOptions(), result, "", follow=True).apply(blank)
