"""How far long work is, and whether it is to stop. Work calls ``passed``; who started it may watch.

A context variable carries the watcher, so that the stages of the engine need no argument for it; without one nothing
happens.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from ductus.core.errors import Stopped

_watch: ContextVar[Callable[[float], bool] | None] = ContextVar("watch", default=None)
_span: ContextVar[tuple[float, float]] = ContextVar("span", default=(0.0, 1.0))


def passed(share: float) -> None:
    """So much of the present stretch of work is done (0 to 1). Raises Stopped if a person stopped it."""
    watch = _watch.get()
    if watch is None:
        return
    start, end = _span.get()
    if not watch(start + (end - start) * min(max(share, 0.0), 1.0)):
        raise Stopped("Stopped; the page is as it was.")


@contextmanager
def watched(watch: Callable[[float], bool]) -> Iterator[None]:
    """Work inside reports to ``watch``, which answers whether to go on."""
    token = _watch.set(watch)
    try:
        yield
    finally:
        _watch.reset(token)


@contextmanager
def stretch(start: float, end: float) -> Iterator[None]:
    """Work inside is this part (0 to 1) of the work around it."""
    a, b = _span.get()
    token = _span.set((a + (b - a) * start, a + (b - a) * end))
    try:
        yield
    finally:
        _span.reset(token)
