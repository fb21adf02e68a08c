"""Limits of the fields of records, beside their types: ``Annotated[int, Ge(0), Le(127)]``.

The core states them; the application's border enforces them (``app/wire/adapters.py``). What the core makes of words
itself is checked by ``check_numbers``.
"""

from __future__ import annotations

import typing
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from typing import Any

from ductus.core.errors import BadInput


@dataclass(frozen=True, slots=True)
class Ge:
    """A number is at least ``ge``."""

    ge: float


@dataclass(frozen=True, slots=True)
class Gt:
    """A number is above ``gt``."""

    gt: float


@dataclass(frozen=True, slots=True)
class Le:
    """A number is at most ``le``."""

    le: float


@dataclass(frozen=True, slots=True)
class Lt:
    """A number is below ``lt``."""

    lt: float


@dataclass(frozen=True, slots=True)
class MinLen:
    """A text or a tuple has at least so many letters or members."""

    min_length: int


@dataclass(frozen=True, slots=True)
class MaxLen:
    """A text or a tuple has at most so many letters or members."""

    max_length: int


@cache
def _limits(kind: Any) -> dict[str, tuple[object, ...]]:
    """The limits of each field of a record, by its name."""
    hints = typing.get_type_hints(kind, include_extras=True)
    return {name: tuple(_inside(hint)) for name, hint in hints.items()}


def _inside(hint: Any) -> Iterator[object]:
    yield from getattr(hint, "__metadata__", ())
    for part in typing.get_args(hint):
        yield from _inside(part)


def check_numbers(record: object) -> None:
    """Raise BadInput for a number of a record that is outside the limits of its field."""
    kind: Any = type(record)
    for name, limits in _limits(kind).items():
        number = getattr(record, name)
        if isinstance(number, bool) or not isinstance(number, int | float):
            continue
        low = max((x.ge for x in limits if isinstance(x, Ge)), default=number)
        high = min((x.le for x in limits if isinstance(x, Le)), default=number)
        if not low <= number <= high:
            raise BadInput(f"{number:g} is too {'little' if number < low else 'much'}. Nothing was changed.")
