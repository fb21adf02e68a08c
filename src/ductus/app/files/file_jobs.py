"""Files that take a while to make: how far each is, and whether it is to stop.

Who asks for a file names its work, and may ask and stop by that name.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Iterator
from contextlib import contextmanager

from ductus.core.errors import Stopped
from ductus.core.progress import watched

REMEMBERED = 64  # works that were stopped before they began


class Works:
    """Safe to share between threads."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._shares: dict[str, float] = {}
        self._stopped: OrderedDict[str, None] = OrderedDict()

    @contextmanager
    def begun(self, name: str) -> Iterator[None]:
        """The work that goes on inside has a name ("": nobody asks for it).

        Raises Stopped, and then no file was written.
        """
        if not name:
            yield
            return
        with self._lock:
            self._shares[name] = 0.0
        try:
            with watched(lambda share: self._watch(name, share)):
                yield
        except Stopped as error:
            raise Stopped("Stopped; no file was written.") from error
        finally:
            with self._lock:
                self._shares.pop(name, None)
                self._stopped.pop(name, None)

    def _watch(self, name: str, share: float) -> bool:
        with self._lock:
            self._shares[name] = max(share, self._shares.get(name, 0.0))
            return name not in self._stopped

    def share(self, name: str) -> float | None:
        """How much of a work is done, 0 to 1; None where none of that name goes on."""
        with self._lock:
            return self._shares.get(name)

    def stop(self, name: str) -> None:
        """A work stops at its next occasion, also one that has not begun yet."""
        with self._lock:
            self._stopped[name] = None
            if len(self._stopped) > REMEMBERED:
                self._stopped.popitem(last=False)
