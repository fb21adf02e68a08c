"""Long work: worked out on a snapshot without the desk's lock, then made on the page, or worked out again if just
what it touches has changed.

Keys go on being written meanwhile. A job can say how far it is and can be stopped; whatever goes wrong in it reaches
the person.
"""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import dataclass, field

from ductus.app import wire as m
from ductus.app.document.desk import Desk
from ductus.app.document.undo_cache import caught_up
from ductus.core.errors import BadInput, DuctusError
from ductus.core.progress import watched
from ductus.core.score.model.changes import Change, rebased
from ductus.core.score.model.piece import Piece
from ductus.store.rows import MANY_ROWS

TRIES = 6
log = logging.getLogger(__name__)


@dataclass(slots=True)
class Job:
    """``words`` say what goes on, ``work`` turns the piece as it is into a change.

    ``kept`` is what a failure leaves untouched; ``over`` is called when it is done, or has failed.
    """

    words: str
    work: Callable[[Piece], Change]
    kept: str = "The page is as it was."
    over: Callable[[], None] | None = field(default=None, repr=False)
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


@dataclass(frozen=True, slots=True)
class PageQuery:
    """Something about the page that takes a moment to answer: worked out on a snapshot, without the desk's lock.

    ``words`` say what goes on.
    """

    words: str
    answer: Callable[[Piece], m.Fact]


def answered(desk: Desk, question: PageQuery) -> m.Fact:
    """The answer, or words for what went wrong."""
    try:
        return question.answer(desk.piece)
    except DuctusError as error:
        return m.Problem(str(error))
    except Exception as error:
        log.exception("%s failed", question.words)
        return m.Problem(f"{question.words} went wrong inside Ductus ({type(error).__name__}). The page is as it was.")


def _made(desk: Desk, change: Change, piece: Piece) -> Change | None:
    """Make a change that was worked out on ``piece`` on the page as it is by now.

    None where the two do not go together. A large one is made ready without the lock, as often as something is
    written meanwhile (not for ever).
    """
    fitting: Change | None = change
    for _ in range(TRIES if len(change.rows) >= MANY_ROWS else 0):
        if not fitting:
            return fitting
        step = desk.made_ready(fitting, piece)
        with desk.lock:
            now = desk.piece
            ready = step if now is piece else caught_up(step, now)
            if ready is not None:
                desk.go(ready)
                return fitting
        fitting, piece = rebased(fitting, piece, now), now
    with desk.lock:
        fitting = None if fitting is None else rebased(fitting, piece, desk.piece)
        if fitting:
            desk.apply(fitting)
    return fitting


def carry_out(desk: Desk, job: Job) -> Change:
    """Do a job and make its change on the page; returns the change (empty: the page is as it was).

    Raises DuctusError with words for whatever went wrong.
    """
    try:
        for _ in range(TRIES):
            with desk.lock:
                piece = desk.piece
            with watched(job.watch):
                change = job.work(piece)
            made = _made(desk, change, piece)
            if made is not None:
                return made
    except DuctusError:
        raise
    except Exception as error:
        log.exception("%s failed", job.words)
        raise BadInput(f"{job.words} went wrong inside Ductus ({type(error).__name__}). {job.kept}") from error
    finally:
        if job.over is not None:
            job.over()
    raise BadInput(
        f"{job.words} was begun {TRIES} times, and each time the same bars were changed meanwhile. {job.kept}"
    )
