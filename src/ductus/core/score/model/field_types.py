"""Do the fields of a record hold what they say? Asked of what comes in files, where anything may stand."""

from __future__ import annotations

import types
import typing
from dataclasses import fields, is_dataclass
from functools import cache
from typing import Any, Literal, Union

from ductus.core.errors import BadInput

LARGEST = 10**17  # numbers beyond are none that a record holds, nor what is no number at all


@cache
def hints_of(kind: Any) -> dict[str, Any]:
    """The types of the fields of a record."""
    return typing.get_type_hints(kind)


def holds(value: object, hint: Any) -> bool:
    """Is a value of a type, as far as records have types.

    Plain ones, unions, tuples, literals, records inside records?
    """
    origin = typing.get_origin(hint)
    if origin is typing.Annotated:
        return holds(value, typing.get_args(hint)[0])
    if origin in (Union, types.UnionType):
        return any(holds(value, one) for one in typing.get_args(hint))
    if origin is Literal:
        return value in typing.get_args(hint)
    if origin is tuple:
        inside = typing.get_args(hint)
        if not isinstance(value, tuple):
            return False
        if len(inside) == 2 and inside[1] is Ellipsis:
            return all(holds(one, inside[0]) for one in value)
        return len(value) == len(inside) and all(map(holds, value, inside))
    if hint is None or hint is type(None):
        return value is None
    if hint is float:
        return isinstance(value, int | float) and -LARGEST < value < LARGEST
    if hint is int:
        return isinstance(value, int) and -LARGEST < value < LARGEST
    return isinstance(value, hint) and (not is_dataclass(hint) or well_typed(value))


def well_typed(record: Any) -> bool:
    """Does every field of a record hold what it says?"""
    hints = hints_of(record.__class__)
    return all(holds(getattr(record, f.name), hints[f.name]) for f in fields(record))


def check_typed(record: Any) -> None:
    """Raises BadInput, with the field, for a record that holds what its field cannot."""
    hints = hints_of(record.__class__)
    for field in fields(record):
        if not holds(getattr(record, field.name), hints[field.name]):
            kind = type(record).__name__.lower()
            raise BadInput(
                f"A {kind} has a {field.name.replace('_', ' ')} that is none "
                f"({str(getattr(record, field.name))[:40]!r})."
            )
