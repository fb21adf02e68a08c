"""The compiler for the inner loops: numba, with its results cached beside the source (or in the user's cache)."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar, cast

import numba

F = TypeVar("F", bound=Callable[..., object])


def compiled(function: F) -> F:
    """Compile a loop over arrays; the first call on a new machine takes seconds, later ones read the cache."""
    return cast(F, numba.njit(cache=True, fastmath=False, nogil=True)(function))
