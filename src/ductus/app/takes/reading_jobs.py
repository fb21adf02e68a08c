"""The jobs that put takes on the page and read them again.

The change that a job leads to is made on the state that was read, or worked out again if someone was faster.
``reading_cache`` works readings out.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from ductus.app.document.desk import Desk
from ductus.app.document.jobs import Job
from ductus.app.takes.reading_cache import CACHE, Worked, lay_tempo, work_out, worked_out
from ductus.core.errors import BadInput, NotThere
from ductus.core.reading.incremental import read_nearby
from ductus.core.reading.model import Decisions, Ornament, ReadingResult, ReadSettings
from ductus.core.reading.page.derived_marks import (
    KINDS_OF,
    TakeMark,
    dynamics_of,
    marks_again,
    marks_written,
    pedals_of,
)
from ductus.core.reading.page.insertion import (
    alone_on_page,
    is_framed,
    notes_of_reading,
    put_on_page,
    said_by_page,
    there_already,
)
from ductus.core.reading.page.tempo_words import tempo_words_of
from ductus.core.reading.review.beat_options import (
    ReadAnswer,
    ReadBar,
    ReadExtent,
    ReadPin,
    ReadShift,
    ReadStretch,
    ReadTaps,
    ReadTime,
    ReadUnpinned,
)
from ductus.core.reading.review.like_doubts import LikeDoubts
from ductus.core.reading.review.option_base import ReadingChoice, Seen
from ductus.core.reading.review.options import (
    PageScope,
    ReadingOptions,
    choices_from_json,
    choices_to_json,
    choose_ornament,
    pins_from_page,
    settle,
)
from ductus.core.score.catalogues.drums import kit_of
from ductus.core.score.catalogues.harmony import held_to_harmony
from ductus.core.score.model.changes import Change, joined
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Note, Reading
from ductus.core.score.note_edits.base import At
from ductus.core.score.note_edits.sounding import QuantizeInPlace
from ductus.core.words import capital, count_words, listed
from ductus.store.takes import TakeRow

# What is said as it is.
BY_HAND = (
    ReadBar,
    ReadTaps,
    ReadShift,
    ReadPin,
    ReadStretch,
    ReadUnpinned,
    ReadExtent,
    ReadTime,
    ReadAnswer,
)


def seen_of(piece: Piece, worked: Worked) -> Seen:
    """A reading as a person sees it who chooses something else."""
    alone = alone_on_page(piece, worked.reading)
    return Seen(worked.take, worked.result, worked.reading.start, piece.timeline, alone)


# --- to the page ------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Arrival:
    """What is done to the notes of a take as they come onto the page.

    Held to harmony (see ``score.harmony``), their sounding times quantized.
    """

    in_place: QuantizeInPlace | None = None
    harmony: str = "off"

    def shaped(self, piece: Piece, change: Change, take: int) -> Change:
        """The change with this done."""
        changes = [change]
        page = change.apply(piece)
        if self.harmony != "off":
            held = held_to_harmony(page, [n for n in page.notes.values() if n.take == take], self.harmony)
            changes.append(held)
            page = held.apply(page)
        if self.in_place is not None:
            mine = [n for n in page.notes.values() if n.take == take]
            moved = self.in_place.change(page, mine, At(("", 1, 1), 0))
            changes.append(replace(moved, sentence=f"quantized in place: {self.in_place.words}"))
        said = [c.sentence for c in changes if c.sentence]
        return joined("; ".join(said), changes) if len(changes) > 1 else change


def first_reading(
    desk: Desk,
    piece: Piece,
    row: TakeRow,
    where: Reading,
    choices: ReadingOptions,
    arrival: Arrival | None = None,
) -> Change:
    """Write a take onto the page for the first time (or at a new place).

    ``arrival``: what is done to its notes as it arrives. Raises NotThere, BadInput.
    """
    reading = replace(where, id=next_reading_id(piece))
    worked = work_out(desk, reading, choices, row)
    number = piece.timeline.number_of(piece.timeline.bar_at(max(where.start, 0)).index)
    change = put_on_page(piece, reading, choices, worked.result, "", clear=True, follow=brings_head(worked))
    change = with_time(piece, change, reading, worked.result, choices)
    put = next((after for _, after in change.rows if isinstance(after, Reading) and after.id == reading.id), None)
    if put is not None:
        CACHE.keep(desk, replace(worked, reading=put))
    written = sum(isinstance(after, Note) and after.take == row.id for _, after in change.rows)
    words = f"{row.name}: {count_words(written, 'note')} written from {f'bar {number}' if number else 'the pick-up'}"
    if choices.where.policy == "add" and put is not None:
        doubled = len(there_already(piece, put, (n for n in worked.result.notes if choices.where.holds(n.tick))))
        if doubled:
            words += f"; {count_words(doubled, 'more note')} stood there already"
    if arrival is not None and written:
        return arrival.shaped(piece, replace(change, sentence=words), row.id)
    return replace(change, sentence=words)


def brings_head(worked: Worked) -> bool:
    """Does a reading that is alone on the page bring its own meter, key and tempo?

    What was played freely in the bars of a frame keeps to it.
    """
    choices, stated = worked.choices, worked.choices.stated
    mine = (choices.settings.meter, choices.settings.changes)
    framed = worked.row.source in ("free", "journal") and stated is not None and mine == (stated.meter, stated.changes)
    return worked.row.source == "file" or (worked.free and not framed)


def reading_of(piece: Piece, reading_id: str) -> Reading:
    """A reading of the piece. Raises NotThere."""
    found = piece.readings.get(reading_id)
    if found is None:
        raise NotThere("That reading is not on the page any more (undo may have taken it back). Its take is kept.")
    return found


def reading_with(piece: Piece, ids: Iterable[str]) -> str:
    """The reading that the first of these notes comes from. Raises BadInput if they come from none."""
    takes = [piece.notes[i].take for i in ids if i in piece.notes]
    found = next((r.id for r in piece.readings.values() if r.take in takes), None)
    if found is None:
        raise BadInput("None of the selected notes comes from a take, so there is no playing to read again.")
    return found


# --- the jobs -----------------------------------------------------------------------------------


def takes_onto_page(
    desk: Desk, rows: Sequence[TakeRow], where: Reading, choices: ReadingOptions, arrival: Arrival | None = None
) -> Job:
    """The job that puts takes on the page, one after the other at the same place."""

    def work(piece: Piece) -> Change:
        changes: list[Change] = []
        for row in rows:
            changes.append(first_reading(desk, piece, row, replace(where, take=row.id), choices, arrival))
            piece = changes[-1].apply(piece)
        return changes[0] if len(changes) == 1 else joined("; ".join(c.sentence for c in changes if c), changes)

    names = listed([row.name.lower() for row in rows])
    kept = f"{capital(names)} {'is' if len(rows) == 1 else 'are'} kept among the takes; the page is as it was."
    return Job(f"Reading {names}", work, kept)


def kept_take_onto_page(desk: Desk, take_id: int, part_id: str, staff: int, bar_index: int) -> Job:
    """A take from the margin onto the page at a bar. Raises NotThere, BadInput."""
    row, piece = desk.take_row(take_id), desk.piece
    if any(r.take == row.id and notes_of_reading(piece, r) for r in piece.readings.values()):
        raise BadInput(f"{row.name} is on the page already; change how it is read, or undo it first.")
    part = piece.part(part_id)
    staff = staff if part.staves > 1 else 1
    bar, clicked = piece.timeline.bar(bar_index), row.source == "click"
    barred = clicked or is_framed(piece, bar_index)
    known = barred or len(piece.notes) > 0
    start = bar.start - bar.missing if clicked else bar.start
    meters = piece.timeline.meters_from(bar_index, start)
    settings = ReadSettings(
        meter=meters[0][1] if known else None,
        changes=meters[1:] if barred else (),
        key=piece.key_at(bar_index).fifths if known else None,
        hand=staff or None,
        kit=kit_of(part),
    )
    choices = ReadingOptions(
        settings,
        where=PageScope(since=PageScope.since_part(bar, start)),
        stated=settings if barred else None,
        page=None if known else said_by_page(piece, bar_index),
    )
    return takes_onto_page(desk, [row], Reading("", row.id, part.id, staff, start, ""), choices)


def reading_otherwise(desk: Desk, reading_id: str, choice: ReadingChoice, ids: Iterable[str]) -> Job:
    """Read a take, or some notes of it, otherwise. Raises NotThere, BadInput."""
    wanted = frozenset(ids)
    name = reading_id or reading_with(desk.piece, wanted)
    reading_of(desk.piece, name)

    def work(piece: Piece) -> Change:
        reading = reading_of(piece, name)
        mine = notes_of_reading(piece, reading)
        events = frozenset(n.event for n in mine if n.id in wanted and n.event is not None)
        if wanted and not events:
            raise BadInput("None of the selected notes comes from that take, so there is nothing to read again.")
        seen = seen_of(piece, worked_out(desk, reading))
        choices = choice.applied(choices_from_json(reading.choices), events, seen)
        scope = count_words(len(events), "note") if events else "Take"
        by_hand = isinstance(choice, BY_HAND)
        words = capital(choice.words()) if by_hand else f"{scope} read again: {choice.words()}"
        change = read_again(desk, piece, reading, choices, words)
        if isinstance(choice, ReadPin):
            check_pin(change.apply(piece), choice, next(n.id for n in mine if n.event in events))
        elif not isinstance(choice, ReadAnswer) and all(isinstance(after, Reading) for _, after in change.rows):
            return replace(change, sentence=f"{words}; nothing on the page changed by it")
        return change

    return Job("Reading again", work)


def check_pin(page: Piece, pin: ReadPin, note_id: str) -> None:
    """Raises BadInput where the page with a pin does not have its note where the pin says."""
    timeline, note = page.timeline, page.notes.get(note_id)
    if note is None or note.tick == timeline.tick_of(pin.bar, pin.beat):
        return
    place = timeline.place_words(note.tick)
    raise BadInput(f"Bars count from the first note of the take, so this one would be in {place}. Nothing was changed.")


def marks_from_take(desk: Desk, reading_id: str, what: str) -> Job:
    """Write the "pedal", the "dynamics" or words of the "tempo" of a take at its part, as marks. Raises NotThere."""
    reading_of(desk.piece, reading_id)

    def work(piece: Piece) -> Change:
        reading = reading_of(piece, reading_id)
        notes = notes_of_reading(piece, reading)
        return marks_written(piece, marks_of(piece, reading, worked_out(desk, reading), what), notes, reading, what)

    return Job("Writing marks", work)


def marks_of(piece: Piece, reading: Reading, worked: Worked, what: str) -> list[TakeMark]:
    """The marks that a take gives, as it stands on the page."""
    notes = notes_of_reading(piece, reading)
    if what == "dynamics":
        return dynamics_of(piece.timeline, notes)
    if what == "tempo":
        return tempo_words_of(piece.timeline, worked.result.pulses, notes, reading.start)
    return pedals_of(worked.take, worked.result.pulses, notes, reading.start)


def with_marks(piece: Piece, change: Change, before: Worked, after: Worked) -> Change:
    """The change with the marks that came from the take where its notes then are."""
    reading = before.reading
    own = [m for m in piece.marks.values() if m.take == reading.take and m.part == reading.part]
    if not change or not own:
        return change
    page = change.apply(piece)
    now = page.readings[reading.id]
    changes = [change]
    for what in KINDS_OF:
        moved = marks_again(
            page, now, own, marks_of(piece, reading, before, what), marks_of(page, now, after, what), what
        )
        changes.append(moved)
        page = moved.apply(page)
    return joined(change.sentence, changes)


def doubt_decided(desk: Desk, reading_id: str, do: str, key: int, option: int) -> Job:
    """Choose a rival of a doubt, or settle it. Raises NotThere."""
    reading_of(desk.piece, reading_id)

    def work(piece: Piece) -> Change:
        worked = worked_out(desk, reading_of(piece, reading_id))
        if do == "settle all":
            events = [e for d in worked.chosen.open.doubts for e in d.events]
            events += [ornament_key(o) for o in worked.chosen.open.ornaments]
            return read_again(desk, piece, worked.reading, settle(worked.choices, events), "All doubts looked through")
        if key < 0:
            return ornament_decided(desk, piece, worked, do, key, option)
        return rival_decided(desk, piece, worked, do, key, option)

    return Job("Reading again", work)


def rival_decided(desk: Desk, piece: Piece, worked: Worked, do: str, key: int, option: int) -> Change:
    """One doubt is accepted, or a rival of it taken. Raises NotThere."""
    reading = worked.reading
    doubt = next((d for d in worked.chosen.open.doubts if d.events[0] == key), None)
    if doubt is None:
        raise NotThere("That doubt has been settled.")
    place = piece.timeline.place_words(max(doubt.tick + reading.start, 0))
    likes = LikeDoubts(worked.take, worked.chosen.open)
    if do == "settle":
        others = likes.standing_alike(worked.choices, doubt)
        events = [e for d in (doubt, *others) for e in d.events]
        wanted, words = settle(worked.choices, events), f"Doubt in {place} accepted"
    else:
        wanted, others = likes.chosen(worked.choices, doubt, option)
        words = f"{capital(place)}: {doubt.rivals[option - 1].words if option else doubt.words}"
    also = f", and in {count_words(len(others), 'like place')}" if others else ""
    return read_again(desk, piece, reading, wanted, words + also)


def ornament_decided(desk: Desk, piece: Piece, worked: Worked, do: str, key: int, option: int) -> Change:
    """Write an ornament as such or note by note, or leave it as it is. Raises NotThere."""
    found = next((o for o in worked.chosen.open.ornaments if ornament_key(o) == key), None)
    if found is None:
        raise NotThere("That ornament has been settled.")
    if do == "settle":
        wanted, words = settle(worked.choices, [key]), "Ornament accepted"
    else:
        wanted = choose_ornament(worked.choices, found, written=bool(option))
        words = f"{found.kind.capitalize()} written {'as such' if option else 'note by note'}"
    return read_again(desk, piece, worked.reading, wanted, words)


def ornament_key(ornament: Ornament) -> int:
    """What names the offer of an ornament among the doubts: below zero."""
    return -1 - ornament.events[0]


def next_reading_id(piece: Piece) -> str:
    """An id that no reading of the piece has."""
    return f"r{piece.serial + 1}"


def read_again(desk: Desk, piece: Piece, reading: Reading, wanted: ReadingOptions, sentence: str) -> Change:
    """Read a take on the page as ``wanted``; what was put right by hand on the page stays as it is.

    Raises NotThere, BadInput.
    """
    before = worked_out(desk, reading)
    page = notes_of_reading(piece, reading)
    held = pins_from_page(before.choices, before.result, page, reading.start, bool(reading.staff)).pins
    if not same_beats(before.choices, wanted):
        held = replace(held, places=before.choices.pins.places, values=before.choices.pins.values)
    wanted = with_more_pins(wanted, before.choices.pins, held)
    after = worked_nearby(before, wanted) or work_out(desk, reading, wanted, before.row)
    own_frame = brings_head(after) or not same_beats(before.choices, wanted) or bool(wanted.shift)
    change = put_on_page(
        piece,
        reading,
        wanted,
        after.result,
        sentence,
        follow=own_frame,
        tempo=(after.free or before.row.source == "file" or wanted.size != before.choices.size)
        and wanted.time != "fitted",
        meters=wanted.settings.changes != before.choices.settings.changes,
    )
    CACHE.keep(desk, replace(after, reading=replace(reading, choices=choices_to_json(wanted))))
    change = with_marks(piece, change, replace(before, reading=reading), after)
    return with_time(piece, change, reading, after.result, wanted)


def worked_nearby(before: Worked, wanted: ReadingOptions) -> Worked | None:
    """The reading with only some beats moved, where just the notes near them need be read again.

    None where it takes more.
    """
    found = before.free and not before.choices.taps
    _, pulses = before.proposals[min(before.choices.rank, len(before.proposals) - 1)]
    chosen = read_nearby(before.take, pulses, before.chosen, before.choices, wanted, centred=found)
    return None if chosen is None else replace(before, choices=wanted, chosen=chosen)


def with_time(piece: Piece, change: Change, reading: Reading, result: ReadingResult, choices: ReadingOptions) -> Change:
    """The change with what becomes of the player's time, where that was chosen."""
    if not choices.time or not change:
        return change
    page = change.apply(piece)
    start = page.readings[reading.id].start
    draft = lay_tempo(page, start, result, choices.time, choices.tempo)  # type: ignore[arg-type]
    return joined(change.sentence, [change, draft.change("")])


def same_beats(a: ReadingOptions, b: ReadingOptions) -> bool:
    """Do ticks mean the same in both? Otherwise what was put right by hand has no place in the new reading."""

    def beats(c: ReadingOptions) -> tuple[object, ...]:
        return (
            c.unbound,
            c.rank,
            c.shift,
            c.size,
            c.taps,
            dict(c.bars),
            c.extent,
            c.page,
            c.settings.meter,
            c.settings.about,
        )

    return beats(a) == beats(b)


def with_more_pins(wanted: ReadingOptions, old: Decisions, held: Decisions) -> ReadingOptions:
    """The wanted choices with what the page shows to be decided beyond the old pins."""

    def fresh(now: dict[int, int], before: dict[int, int], mine: dict[int, int]) -> dict[int, int]:
        return {**{e: v for e, v in now.items() if before.get(e) != v}, **mine}

    pins = wanted.pins
    return replace(
        wanted,
        pins=Decisions(
            fresh(dict(held.hands), dict(old.hands), dict(pins.hands)),
            fresh(dict(held.places), dict(old.places), dict(pins.places)),
            fresh(dict(held.values), dict(old.values), dict(pins.values)),
            left_out=pins.left_out | held.left_out,
            ornaments=pins.ornaments,
        ),
    )
