"""Long work: worked out on a snapshot without the desk's lock, then made on the page, or worked out again if just what it touches has changed.

Keys go on being written meanwhile. A job can say how far it is and can be stopped; whatever goes wrong in it reaches the person.
"""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import dataclass, field

from ductus.app.desk import Desk
from ductus.core.errors import BadInput, DuctusError
from ductus.core.progress import watched
from ductus.core.score.changes import Change, rebased
from ductus.core.score.piece import Piece

TRIES = 6
log = logging.getLogger(__name__)


@dataclass(slots=True)
class Job:
    """``words`` say what goes on, ``work`` turns the piece as it is into a change. ``kept`` is what a failure leaves untouched."""

    words: str
    work: Callable[[Piece], Change]
    kept: str = "The page is as it was."
    stopped: bool = False
    share: float = 0.0
    told: Callable[[float], None] | None = field(default=None, repr=False)

    def stop(self) -> None:
        """Ask it to stop at the next occasion."""
        self.stopped = True

    def watch(self, share: float) -> bool:
        """How far it is; answers whether to go on."""
        self.share = share
        if self.told is not None:
            self.told(share)
        return not self.stopped


def carry_out(desk: Desk, job: Job) -> Change:
    """Do a job and make its change on the page; returns the change (empty: the page is as it was). Raises DuctusError with words for
    whatever went wrong."""
    try:
        for _ in range(TRIES):
            with desk.lock:
                piece = desk.piece
            with watched(job.watch):
                change = job.work(piece)
            with desk.lock:
                fitting = rebased(change, piece, desk.piece)
                if fitting is not None:
                    if fitting:
                        desk.apply(fitting)
                    return fitting
    except DuctusError:
        raise
    except Exception as error:
        log.exception("%s failed", job.words)
        raise BadInput(f"{job.words} went wrong inside Ductus ({type(error).__name__}). {job.kept}") from error
    raise BadInput(
        f"{job.words} was begun {TRIES} times, and each time the same bars were changed meanwhile. {job.kept}"
    )
