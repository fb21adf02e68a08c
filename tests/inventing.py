"""Records made up from their own field types, seeded.

Every command over every argument, in its range and at its edges.
"""

from __future__ import annotations

import dataclasses
import os
import random
import types
import typing
from typing import Any, Literal, TypeVar, Union

from ductus.core.limits import Ge, Gt, Le, Lt, MaxLen, MinLen
from ductus.core.time.note_values import BASE_TICKS, NoteValue, Tuplet

R = TypeVar("R")
ROUNDS = int(os.environ.get("DUCTUS_FUZZ", "1"))  # `make fuzz` goes on with other seeds for much longer
TEXTS = (
    "", " ", "C", "F#4", "3/4", "7/8 (2+2+3)", "4.1", "0.5", "3.2.1", "1.1e9999999", "²", "9999.1", "half",
    "3:2 eighth",
    "\ufffe\uffff", "\x00", "<svg onload=alert(1)>", "é" * 30, "1e99", "-1", "%00", "C7/E", "Bb-9", "10:1",
)  # fmt: skip


def invent(record: type[R], rng: random.Random, wild: float = 0.1, pools: dict[str, list[Any]] | None = None) -> R:
    """An instance of a dataclass.

    ``wild`` is how often a number stands at an edge of its range; ``pools`` gives values by field name.
    """
    hints = typing.get_type_hints(record, include_extras=True)
    values = {}
    for f in dataclasses.fields(record):  # type: ignore[arg-type]
        if pools and f.name in pools and pools[f.name]:
            values[f.name] = rng.choice(pools[f.name])
        else:
            values[f.name] = _value(hints[f.name], rng, wild, pools)
    return record(**values)


def _value(
    hint: Any, rng: random.Random, wild: float, pools: dict[str, list[Any]] | None, bounds: tuple[Any, ...] = ()
) -> Any:
    origin = typing.get_origin(hint)
    if origin is typing.Annotated:
        return _value(hint.__origin__, rng, wild, pools, hint.__metadata__)
    if origin is Literal:
        return rng.choice(hint.__args__)
    if origin in (Union, types.UnionType):
        return _value(rng.choice(hint.__args__), rng, wild, pools, bounds)
    if origin is tuple:
        most = next((b.max_length for b in bounds if isinstance(b, MaxLen)), 6)
        least = next((b.min_length for b in bounds if isinstance(b, MinLen)), 0)
        if hint.__args__[-1] is Ellipsis:
            return tuple(_value(hint.__args__[0], rng, wild, pools) for _ in range(rng.randint(least, min(most, 5))))
        return tuple(_value(a, rng, wild, pools) for a in hint.__args__)
    if hint is type(None):
        return None
    if hint is bool:
        return rng.random() < 0.5
    if hint is str:
        most = next((b.max_length for b in bounds if isinstance(b, MaxLen)), 100)
        return rng.choice(TEXTS)[:most]
    if hint in (int, float):
        low = next(
            (b.ge for b in bounds if isinstance(b, Ge)), next((b.gt + 1 for b in bounds if isinstance(b, Gt)), -100)
        )
        high = next(
            (b.le for b in bounds if isinstance(b, Le)), next((b.lt - 1 for b in bounds if isinstance(b, Lt)), 100)
        )
        if rng.random() < wild:
            return hint(rng.choice((low, high)))
        number = rng.randint(max(int(low), -50), min(int(high), 130)) if low <= 130 and high >= -50 else int(low)
        return hint(min(max(number, low), high))
    if hint is NoteValue:
        return NoteValue(
            rng.choice(list(BASE_TICKS)),
            rng.choice((0, 0, 0, 1, 2)),
            rng.choice((None, None, Tuplet(3, 2), Tuplet(7, 4))),
        )
    if isinstance(hint, type) and dataclasses.is_dataclass(hint):
        return invent(hint, rng, wild, pools)
    raise NotImplementedError(f"no way to invent {hint}")
