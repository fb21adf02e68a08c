"""How Python behaves while people play.

Threads hand over to each other soon, and unused memory is looked for while nobody plays.

Looking through all objects of a long piece takes a tenth of a second, during which no key is answered.
"""

from __future__ import annotations

import asyncio
import contextlib
import gc
import sys
from collections.abc import AsyncIterator, Callable, Iterator

HAND_OVER_S = 0.001  # Python's own is .005: a key that needs the interpreter five times beside long work waited 25 ms
YOUNG, MIDDLE, OLD = (
    20_000,
    20,
    1_000_000,
)  # counts from which unused objects are looked for; the old ones only in a pause
QUIET_S = 3.0  # a pause
LOOK_S = 1.0
WORTH_WHILE = 3  # times that the middle-aged were looked through since


@contextlib.contextmanager
def keys_first() -> Iterator[None]:
    """While this lasts, Python lets keys go before long work and leaves old objects alone."""
    interval, thresholds = sys.getswitchinterval(), gc.get_threshold()
    sys.setswitchinterval(HAND_OVER_S)
    gc.set_threshold(YOUNG, MIDDLE, OLD)
    try:
        yield
    finally:
        gc.set_threshold(*thresholds)
        sys.setswitchinterval(interval)


@contextlib.asynccontextmanager
async def for_players(quiet_s: Callable[[], float]) -> AsyncIterator[None]:
    """Keys first, and unused objects are looked for in pauses; ``quiet_s``: for how many seconds nobody has played."""
    with keys_first():
        tidier = asyncio.create_task(_tidy(quiet_s))
        try:
            yield
        finally:
            tidier.cancel()


async def _tidy(quiet_s: Callable[[], float]) -> None:
    while True:
        await asyncio.sleep(LOOK_S)
        if quiet_s() > QUIET_S and gc.get_count()[2] >= WORTH_WHILE:
            gc.collect()
