"""The table that pieces share: it behaves as a dict does, and never changes behind anybody's back."""

from __future__ import annotations

from hypothesis import given, settings
from hypothesis import strategies as st

from ductus.core.score.model.persistent_map import MANY, ONE, PersistentMap

KEYS = st.text(min_size=1, max_size=3)
CHANGES = st.lists(st.dictionaries(KEYS, st.none() | st.integers(), max_size=6), max_size=8)


@settings(max_examples=100, deadline=None)
@given(st.dictionaries(KEYS, st.integers(), max_size=20), CHANGES, st.sampled_from([MANY, ONE]))
def test_a_changed_table_is_what_a_changed_dict_is(
    start: dict[str, int], changes: list[dict[str, int | None]], size: int
) -> None:
    table, plain = PersistentMap(start.items(), size), dict(start)
    earlier: list[tuple[PersistentMap[str, int], dict[str, int]]] = []
    for change in changes:
        earlier.append((table, dict(plain)))
        table = table.changed(change)
        for key, value in change.items():
            if value is None:
                plain.pop(key, None)
            else:
                plain[key] = value
    for found, expected in [*earlier, (table, plain)]:
        assert dict(found.items()) == expected
        assert len(found) == len(expected)
        assert sorted(found.values()) == sorted(expected.values())
        assert all(key in found and found.get(key) == value for key, value in expected.items())
        assert "nowhere at all" not in found
