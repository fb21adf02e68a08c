"""Validators for the core's records: its limits and its closed records, as pydantic has them.

The core knows nothing of pydantic; ``adapter`` translates the types of a record and of all records inside it once.
"""

from __future__ import annotations

import types
import typing
from collections.abc import Callable
from dataclasses import fields, is_dataclass
from functools import reduce
from operator import or_
from typing import Annotated, Any, TypeVar

import annotated_types as at
from pydantic import TypeAdapter

from ductus.core import limits
from ductus.core.entry.commands.base import EntryCommand
from ductus.core.playback.click import AsWritten, OneTempo
from ductus.core.reading.review.option_base import ReadingChoice
from ductus.core.recording.settings import RecordChoice
from ductus.core.score.mark_edits.commands import MarkEdit
from ductus.core.score.note_edits.base import Edit
from ductus.core.score.note_edits.select import Select, SelectByPitch, SelectLast
from ductus.core.score.structure_edits.base import FrameEdit

T = TypeVar("T")
# Records that come from browsers: a field that they do not have is refused.
CLOSED: list[type] = [
    EntryCommand,
    Edit,
    FrameEdit,
    MarkEdit,
    ReadingChoice,
    RecordChoice,
    Select,
    SelectByPitch,
    SelectLast,
    AsWritten,
    OneTempo,
]
LIMITS: dict[type, Callable[[Any], object]] = {
    limits.Ge: lambda x: at.Ge(x.ge),
    limits.Gt: lambda x: at.Gt(x.gt),
    limits.Le: lambda x: at.Le(x.le),
    limits.Lt: lambda x: at.Lt(x.lt),
    limits.MinLen: lambda x: at.MinLen(x.min_length),
    limits.MaxLen: lambda x: at.MaxLen(x.max_length),
}
_translated: set[type] = set()


def adapter(kind: Any, *closed: type) -> TypeAdapter[Any]:
    """A validator for a type; ``closed`` are further bases of records that refuse unknown fields."""
    for base in (*CLOSED, *closed):
        base.__pydantic_config__ = {"extra": "forbid"}  # type: ignore[attr-defined]
    return TypeAdapter(_translate(kind))


def _translate(hint: Any) -> Any:
    """A type with the core's limits as pydantic knows them, in all records inside it, too."""
    origin, inside = typing.get_origin(hint), typing.get_args(hint)
    if isinstance(hint, type) and is_dataclass(hint):
        _translate_record(hint)
    elif origin is Annotated:
        marks = (LIMITS[type(m)](m) if type(m) in LIMITS else m for m in hint.__metadata__)
        return Annotated[_translate(inside[0]), *marks]
    elif origin in (typing.Union, types.UnionType):
        return reduce(or_, map(_translate, inside))
    elif origin is not None and origin is not typing.Literal:
        return origin[tuple(x if x is Ellipsis else _translate(x) for x in inside)]
    return hint


def _translate_record(record: type) -> None:
    if record in _translated:
        return
    _translated.add(record)
    hints = typing.get_type_hints(record, include_extras=True)
    for field in fields(record):
        field.type = _translate(hints[field.name])
