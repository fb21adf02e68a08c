"""An immutable mapping of which a changed copy costs little, however large it is.

A plain dict would be copied whole at every key press. Here the entries of a large table lie in many small dicts; a copy
shares all but those that change. Small tables (parts, keys, tempi) have one.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Iterator, Mapping
from itertools import chain
from typing import Generic, TypeVar

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")
MANY, ONE = 256, 1  # how many dicts; powers of two


class PersistentMap(Mapping[K, V], Generic[K, V]):
    """Immutable; ``changed`` gives the next one. Iteration is in no particular order."""

    __slots__ = ("_buckets", "_mask")

    def __init__(self, items: Iterable[tuple[K, V]] = (), size: int = MANY) -> None:
        self._mask = mask = size - 1
        buckets: list[dict[K, V]] = [{} for _ in range(size)]
        for key, value in items:
            buckets[hash(key) & mask][key] = value
        self._buckets = buckets

    def changed(self, changes: Mapping[K, V | None]) -> PersistentMap[K, V]:
        """A copy with some entries set, or removed where the value is None."""
        buckets, mask = self._buckets.copy(), self._mask
        fresh: set[int] = set()
        for key, value in changes.items():
            b = hash(key) & mask
            if b not in fresh:
                fresh.add(b)
                buckets[b] = buckets[b].copy()
            if value is None:
                buckets[b].pop(key, None)
            else:
                buckets[b][key] = value
        out: PersistentMap[K, V] = PersistentMap.__new__(PersistentMap)
        out._buckets, out._mask = buckets, mask
        return out

    def differences(self, later: PersistentMap[K, V]) -> Iterator[tuple[V | None, V | None]]:
        """(value here, value there) of every key for which the two are not the same object.

        Tables that share much are compared quickly.
        """
        pairs = (
            zip(self._buckets, later._buckets, strict=True)
            if self._mask == later._mask
            else [(dict(self), dict(later))]
        )
        for mine, theirs in pairs:
            if mine is not theirs:
                for key in mine.keys() | theirs.keys():
                    if mine.get(key) is not theirs.get(key):
                        yield mine.get(key), theirs.get(key)

    def __getitem__(self, key: K) -> V:
        return self._buckets[hash(key) & self._mask][key]

    def __contains__(self, key: object) -> bool:
        return key in self._buckets[hash(key) & self._mask]

    def get(self, key: K, default: V | None = None) -> V | None:  # type: ignore[override]
        """The value, or a default."""
        return self._buckets[hash(key) & self._mask].get(key, default)

    def among(self, keys: Iterable[K]) -> list[V]:
        """The values of those keys that are there, in their order."""
        buckets, mask = self._buckets, self._mask
        return [v for k in keys if (v := buckets[hash(k) & mask].get(k)) is not None]

    def __iter__(self) -> Iterator[K]:
        return chain.from_iterable(self._buckets)

    def __len__(self) -> int:
        return sum(map(len, self._buckets))

    def values(self) -> Iterable[V]:  # type: ignore[override]
        """All values."""
        return self._buckets[0].values() if not self._mask else chain.from_iterable([b.values() for b in self._buckets])
