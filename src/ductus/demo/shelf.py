"""What stands on the shelf of the demo."""

from __future__ import annotations

from ductus.app.library import Library
from ductus.demo.band import sparks
from ductus.demo.scenario import bends, dance, jig, song, waltz

PIECES = (dance, sparks, song, bends, jig, waltz)


def fill_library(library: Library) -> None:
    """Put the demo pieces on an empty shelf (a shelf that holds anything is left alone)."""
    if not library.shelf():
        for make in PIECES:
            library.add(make())
