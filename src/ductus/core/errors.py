"""What can go wrong, in words for musicians.

    DuctusError
    ├── BadInput          something that was handed in cannot be used (a file, a number, a name)
    │   ├── TooMuch       it could be used, but it is larger than Ductus takes
    │   └── CannotWrite   no note value or tuplet writes this length
    ├── NotThere          a piece, take, part or note that does not exist (any more)
    ├── Stale             an edit made on an older revision than the one that is kept
    ├── NotKept           the library cannot be written (or read) at the moment; what was asked can be tried again
    └── Stopped           long work that a person stopped

Each message says what was found, what was kept, and what to do next. The web layer maps the classes
to statuses in one table; the core knows no HTTP.
"""

from __future__ import annotations


class DuctusError(Exception):
    """Base of every error whose message is fit to be shown to a person."""


class BadInput(DuctusError):
    """Something handed in cannot be used."""


class TooMuch(BadInput):
    """Something handed in is larger than Ductus takes."""


class CannotWrite(BadInput):
    """No note value or tuplet writes this length."""


class NotThere(DuctusError):
    """A piece, take, part or note that does not exist."""


CHANGED_ELSEWHERE = (
    "The piece was changed elsewhere in the meantime. Nothing was lost: the newer state is shown; try again."
)


class Stale(DuctusError):
    """An edit was made on an older revision; the newer state is kept."""


class NotKept(DuctusError):
    """The library cannot be written or read at the moment."""


class Stopped(DuctusError):
    """Long work was stopped by a person."""
