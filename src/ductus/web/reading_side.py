"""What a seat does about takes: writing them onto the page, reading them again, deciding doubts.

Each of these becomes a *job*: worked out in a thread of its own on a snapshot, without the desk's lock, so that keys go on being
written meanwhile; then made on the page, or worked out again if the page changed under it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from ductus.app.desk import Desk
from ductus.app.readings import Worked, first_reading, ornament_key, read_again, shown, strip, worked_out
from ductus.core.errors import BadInput, DuctusError, NotThere
from ductus.core.reading.choices import Choices, choices_from_json, choose_ornament, choose_rival, settle
from ductus.core.reading.choosing import changed_choices
from ductus.core.reading.onto_page import notes_of_reading
from ductus.core.reading.settings import Doubt, ReadSettings
from ductus.core.score.changes import Change
from ductus.core.score.piece import Piece
from ductus.core.score.records import Reading
from ductus.store.takes import TakeRow
from ductus.web import schemas as s


@dataclass(frozen=True, slots=True)
class Job:
    """Long work: ``words`` say what goes on, ``work`` turns the piece as it is into a change."""

    words: str
    work: Callable[[Piece], Change]


def reading_of(piece: Piece, reading_id: str) -> Reading:
    """A reading of the piece. Raises NotThere."""
    found = piece.readings.get(reading_id)
    if found is None:
        raise NotThere("That reading is not on the page any more (undo may have taken it back). Its take is kept.")
    return found


def reading_with(piece: Piece, ids: list[str]) -> str:
    """The reading that the first of these notes comes from. Raises BadInput if they come from none."""
    takes = [piece.notes[i].take for i in ids if i in piece.notes]
    found = next((r.id for r in piece.readings.values() if r.take in takes), None)
    if found is None:
        raise BadInput("None of the selected notes comes from a take, so there is no playing to read again.")
    return found


def write_take(desk: Desk, row: TakeRow, where: Reading, choices: Choices) -> Job:
    """The job that puts a take on the page."""
    return Job(f"Reading {row.name.lower()}", lambda piece: first_reading(desk, piece, row, where, choices))


def write_kept_take(desk: Desk, message: s.TakeReadIn) -> Job:
    """A take from the margin, onto the page at the pen. Raises NotThere."""
    row = next((t for t in desk.takes() if t.id == message.take), None)
    if row is None:
        raise NotThere("That take is not among the takes of this piece.")
    if any(r.take == row.id for r in desk.piece.readings.values()):
        raise BadInput(f"{row.name} is on the page already; change how it is read, or undo it first.")
    part = desk.piece.part(message.part)
    staff = message.staff if part.staves > 1 else 1
    bar = desk.piece.timeline.bar(message.bar)
    known = row.source != "free" or len(desk.piece.notes) > 0
    settings = ReadSettings(
        meter=bar.meter if known else None,
        key=desk.piece.key_at(message.bar).fifths if known else None,
        hand=staff or None,
    )
    return write_take(desk, row, Reading("", row.id, part.id, staff, bar.start, ""), Choices(settings))


def set_reading(desk: Desk, message: s.ReadingSetIn) -> Job:
    """Read a take, or some notes of it, otherwise. Raises NotThere."""
    reading_of(desk.piece, message.reading or reading_with(desk.piece, message.ids))

    def work(piece: Piece) -> Change:
        reading = reading_of(piece, message.reading or reading_with(piece, message.ids))
        wanted_ids = set(message.ids)
        events = frozenset(
            n.event for n in notes_of_reading(piece, reading) if n.id in wanted_ids and n.event is not None
        )
        if wanted_ids and not events:
            raise BadInput("None of the selected notes comes from that take, so there is nothing to read again.")
        choices = changed_choices(choices_from_json(reading.choices), message.name, message.value, events)
        scope = f"{len(events)} notes" if events else "Take"
        value = "by hand" if message.name in ("taps", "bar") else message.value
        words = {
            "bar": "Bar line set by hand",
            "taps": "Bars follow the tapped beats",
            "shift": "Bar lines moved by beats",
        }.get(message.name, f"{scope} read again: {message.name} {value}")
        return read_again(desk, piece, reading, choices, words)

    return Job("Reading again", work)


def decide_doubt(desk: Desk, message: s.DoubtIn) -> Job:
    """Choose a rival of a doubt, or settle it. Raises NotThere."""
    reading_of(desk.piece, message.reading)

    def work(piece: Piece) -> Change:
        reading = reading_of(piece, message.reading)
        worked = worked_out(desk, reading)
        doubts = worked.chosen.open.doubts
        if message.action == "settle all":
            events = [e for d in doubts for e in d.events] + [ornament_key(o) for o in worked.chosen.open.ornaments]
            return read_again(desk, piece, reading, settle(worked.choices, events), "All doubts looked through")
        if message.key < 0:
            return decide_ornament(desk, piece, worked, message)
        doubt = doubt_of(doubts, message.key)
        place = piece.timeline.place_words(max(doubt.tick + reading.start, 0))
        if message.action == "settle":
            return read_again(desk, piece, reading, settle(worked.choices, doubt.events), f"Doubt in {place} accepted")
        wanted = choose_rival(worked.choices, doubt, message.option)
        words = doubt.words if not message.option else doubt.rivals[message.option - 1].words
        return read_again(desk, piece, reading, wanted, f"{place[0].upper()}{place[1:]}: {words}")

    return Job("Reading again", work)


def decide_ornament(desk: Desk, piece: Piece, worked: Worked, message: s.DoubtIn) -> Change:
    """Write an ornament as such or note by note, or leave it as it is. Raises NotThere."""
    found = next((o for o in worked.chosen.open.ornaments if ornament_key(o) == message.key), None)
    if found is None:
        raise NotThere("That ornament is not there any more.")
    if message.action == "settle":
        wanted, words = settle(worked.choices, [message.key]), "Ornament accepted"
    else:
        wanted = choose_ornament(worked.choices, found, written=bool(message.option))
        words = f"{found.kind.capitalize()} written {'as such' if message.option else 'note by note'}"
    return read_again(desk, piece, worked.reading, wanted, words)


def doubt_of(doubts: tuple[Doubt, ...], key: int) -> Doubt:
    """The doubt whose first event is ``key``. Raises NotThere."""
    found = next((d for d in doubts if d.events[0] == key), None)
    if found is None:
        raise NotThere("That doubt is not there any more.")
    return found


def readings_out(desk: Desk) -> s.ReadingsOut:
    """All readings of the desk's piece in words; those that cannot be worked out are left out."""
    piece = desk.piece
    views = []
    for reading in sorted(piece.readings.values(), key=lambda r: (r.start, r.id)):
        try:
            views.append(s.ReadingOut.model_validate(shown(piece, worked_out(desk, reading))))
        except DuctusError:
            continue
    return s.ReadingsOut(readings=tuple(views))


def strip_view(desk: Desk, reading_id: str) -> s.StripView:
    """The strip of a reading. Raises NotThere."""
    piece = desk.piece
    return s.StripView.model_validate(strip(piece, worked_out(desk, replace(reading_of(piece, reading_id)))))
