"""Limits of the fields of records, beside their types: ``Annotated[int, Ge(0), Le(127)]``.

The core states them; the application's border enforces them (``app/wire/adapters.py``).
"""

from __future__ import annotations

from dataclasses import dataclass


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
