"""Several takes of the same bars make one reading.

The take that they make together is kept beside them, and read in the place of the one that led.
"""

from __future__ import annotations

from dataclasses import replace

from ductus.app import wire as m
from ductus.app.document.desk import Desk
from ductus.app.document.jobs import Job
from ductus.app.takes.reading_cache import worked_out
from ductus.app.takes.reading_jobs import first_reading, reading_of, reading_otherwise
from ductus.core.capture.takes import Take
from ductus.core.errors import BadInput
from ductus.core.reading.merging import Together, Vote, together
from ductus.core.reading.review.options import ReadingOptions, choices_from_json
from ductus.core.score.model.changes import Change
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Reading
from ductus.core.words import listed
from ductus.store.takes import JOINED, VOTES, TakeRow

MOST_TAKES = 9


def reading_anew(desk: Desk, asked: m.JoinTakes | m.ReadOtherwise) -> Job:
    """The job that reads a take otherwise, or together with others. Raises NotThere, BadInput."""
    if isinstance(asked, m.JoinTakes):
        return takes_together(desk, asked.reading, asked.takes)
    return reading_otherwise(desk, asked.reading, asked.do, asked.ids)


def takes_together(desk: Desk, reading_id: str, others: tuple[int, ...]) -> Job:
    """A reading made from further takes, too; the take of the reading leads. Raises NotThere, BadInput."""
    reading = reading_of(desk.piece, reading_id)
    asked = [reading.take, *others]
    ids = dict.fromkeys(k for take in asked for k in sources_of(desk, take))
    rows = [desk.take_row(k) for k in ids]
    if len(rows) < 2:
        raise BadInput("One take alone has nothing to be joined with. Nothing was changed.")
    if len(rows) > MOST_TAKES:
        raise BadInput(f"At most {MOST_TAKES} takes are joined. Nothing was changed.")
    made: list[
        tuple[TakeRow, Together]
    ] = []  # kept once, even if the page changes meanwhile and the work is done again

    def work(piece: Piece) -> Change:
        now = reading_of(piece, reading_id)
        if not made:
            joined = joined_on_clock([desk.take(row.id) for row in rows])
            made.append((desk.keep_take(joined.take, rows[0].source, about_votes(list(ids), joined)), joined))
        row, joined = made[0]
        old = choices_from_json(now.choices)
        meter = worked_out(desk, now).result.meter
        choices = ReadingOptions(
            replace(old.settings, meter=meter), time=old.time, tempo=old.tempo, answered=old.answered
        )
        where = Reading("", row.id, now.part, now.staff, now.start, "")
        change = first_reading(desk, piece, row, where, choices)
        names = listed([r.name.removeprefix("Take ") for r in rows], MOST_TAKES)
        return replace(change, sentence=f"{row.name}, read from takes {names}: {joined.words}")

    return Job("Reading the takes together", work, "The takes are kept as they were; the page is as it was.")


def about_votes(ids: list[int], joined: Together) -> dict[str, object]:
    """What is kept of a take that others were joined to: which, and what they did not agree on."""
    return {JOINED: ids, VOTES: [[v.at_us, v.key, v.takes, v.of, v.kept] for v in joined.votes]}


def votes_of(row: TakeRow) -> list[Vote]:
    """What the takes that a take was made of did not agree on."""
    kept = row.settings.get(VOTES)
    return [Vote(*v) for v in kept] if isinstance(kept, list) else []


def sources_of(desk: Desk, take: int) -> list[int]:
    """The takes that a take was made of; itself for one that was played.

    So a further take votes beside each of them, not against all.
    """
    kept = desk.take_row(take).settings.get(JOINED)
    there = {row.id for row in desk.takes}
    return [k for k in kept if k in there] or [take] if isinstance(kept, list) else [take]


def joined_on_clock(takes: list[Take]) -> Together:
    """Takes to a click at the same bars share its clock, whatever its tempo was.

    All others are aligned by what was played. Raises BadInput.
    """
    first = takes[0]
    if first.pulses is not None and all(t.pulses is not None for t in takes):
        try:
            return together([first, *(on_clock_of(first, t) for t in takes[1:])], same_clock=True)
        except BadInput:
            pass  # recorded from other bars: what was played says where they meet
    return together(takes)


def on_clock_of(first: Take, other: Take) -> Take:
    """A take to another click with its times as they would be at the first one's."""
    here, there = first.pulses, other.pulses
    assert here is not None
    assert there is not None

    def at(us: int) -> int:
        return round(here.time_at(round(there.tick_at(us))))

    return replace(
        other,
        notes=tuple(
            replace(n, onset_us=at(n.onset_us), release_us=max(at(n.release_us), at(n.onset_us) + 1))
            for n in other.notes
        ),
    )
