"""What stands on the shelf of the demo."""

from __future__ import annotations

from dataclasses import replace

from ductus.app.document.jobs import carry_out
from ductus.app.library import Library
from ductus.app.takes.reading_jobs import kept_take_onto_page
from ductus.core.capture.takes import Take
from ductus.core.reading.page.insertion import blank_page
from ductus.core.score.model.piece import Piece
from ductus.demo.band import sparks
from ductus.demo.player import play
from ductus.demo.scenario import bends, dance, jig, song, waltz

PIECES = (dance, sparks, song, bends, jig, waltz)
FREELY = "Tiller Tune, as it was played"
HASTY = "Gate Waltz, copied in haste"


def in_haste() -> Piece:
    """The waltz with three slips of the pen, to be found by playing it.

    A wrong note, one that is missing, one too many.
    """
    piece = waltz()
    upper = sorted((n for n in piece.notes.values() if n.staff == 1), key=lambda n: (n.tick, n.pitch.midi))
    wrong, gone, doubled = upper[4], upper[17], upper[31]
    return piece.with_rows(
        [
            (piece.facts, replace(piece.facts, title=HASTY)),
            (wrong, replace(wrong, pitch=replace(wrong.pitch, alter=wrong.pitch.alter + 1))),
            (gone, None),
            (None, replace(doubled, id="n901", pitch=replace(doubled.pitch, octave=doubled.pitch.octave - 1))),
        ]
    )


def as_played(library: Library) -> None:
    """A tune that was played once through, freely, and read: with what is in doubt and the questions still open."""
    take = Take(tuple(play(jig(), range(9), 23, 150, free=True, start_us=800_000)))
    desk = library.desk(library.add(blank_page(FREELY), [take], "free"))
    job = kept_take_onto_page(desk, desk.takes[0].id, desk.piece.ordered_parts()[0].id, 0, 0)
    carry_out(desk, job)


def fill_library(library: Library) -> None:
    """Put the demo pieces on an empty shelf (a shelf that holds anything is left alone)."""
    if not library.shelf():
        as_played(library)
        library.add(in_haste())
        for make in PIECES:
            library.add(make())
