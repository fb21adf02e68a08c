"""Meters and the rank of places inside a bar.

Conventions: a meter is felt in groups of its denominator: 4/4 is 1+1+1+1 quarters, 6/8 is 3+3 eighths,
7/8 is 2+2+3 unless told otherwise. ``level_at`` gives the metrical rank of a place: 0 bar line, 1 middle of
a four-beat bar (or the group boundary of an irregular one), 2 beat, 3 half of a beat (third in compound
meters), 4 half of that, and so on. The hierarchy is common practice (as in any handbook of theory).
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from functools import lru_cache

from ductus.core.errors import BadInput
from ductus.core.time.ticks import WHOLE

UNITS = (1, 2, 4, 8, 16, 32)
BAR, MIDDLE, BEAT = 0, 1, 2
DEEPEST = 12
IRREGULAR_GROUPS = {5: (2, 3), 7: (2, 2, 3), 8: (3, 3, 2), 10: (3, 3, 2, 2), 11: (3, 3, 3, 2), 13: (3, 3, 3, 2, 2)}


def default_groups(count: int, unit: int) -> tuple[int, ...]:
    """How a meter is felt when nobody says otherwise, in units of its denominator."""
    if unit >= 8 and count % 3 == 0:
        return (3,) * (count // 3)
    if unit >= 8 and count in IRREGULAR_GROUPS and (count, unit) != (8, 8):
        return IRREGULAR_GROUPS[count]
    if (count, unit) == (8, 8):
        return (2, 2, 2, 2)
    return (1,) * count


@dataclass(frozen=True, slots=True)
class Meter:
    """A time signature ``count/unit`` with its grouping.

    Raises BadInput for a count outside 1..32 or a unit that is no note value.

    >>> Meter(6, 8).beat_ticks == Meter(2, 4).beat_ticks * 3 // 2
    True
    """

    count: int
    unit: int
    groups: tuple[int, ...] = field(default=())

    def __post_init__(self) -> None:
        if not 1 <= self.count <= 32 or self.unit not in UNITS:
            raise BadInput(f"{self.count}/{self.unit} is no meter: use 1 to 32 over 1, 2, 4, 8, 16 or 32.")
        if not self.groups:
            object.__setattr__(self, "groups", default_groups(self.count, self.unit))
        if sum(self.groups) != self.count:
            raise BadInput(
                f"The groups {'+'.join(map(str, self.groups))} do not fill a bar of {self.count}/{self.unit}."
            )

    @property
    def unit_ticks(self) -> int:
        """Length of one unit of the denominator."""
        return WHOLE // self.unit

    @property
    def bar_ticks(self) -> int:
        """Length of a full bar."""
        return self.count * self.unit_ticks

    @property
    def compound(self) -> bool:
        """True when every beat divides in three (6/8, 9/8, 12/8, 3/8)."""
        return all(g == 3 for g in self.groups) and self.unit >= 8

    @property
    def irregular(self) -> bool:
        """True when the beats are of unequal length (5/8, 7/8)."""
        return len(set(self.groups)) > 1

    @property
    def beat_ticks(self) -> int:
        """Length of the first beat (all beats are equal unless the meter is irregular)."""
        return self.groups[0] * self.unit_ticks

    @property
    def beat_starts(self) -> tuple[int, ...]:
        """Ticks from the bar line to each beat."""
        return _beat_starts(self)

    def beat_at(self, offset: int) -> int:
        """Return the number of the beat (from 0) that holds ``offset`` ticks from the bar line."""
        return max(i for i, start in enumerate(self.beat_starts) if start <= offset or i == 0)

    def level_at(self, offset: int) -> int:
        """Return the metrical rank of a place, 0 (bar line) to 12 (off every binary grid)."""
        return _level_at(self, offset)

    def __str__(self) -> str:
        return f"{self.count}/{self.unit}"


@lru_cache(maxsize=256)
def _beat_starts(meter: Meter) -> tuple[int, ...]:
    starts, at = [], 0
    for group in meter.groups:
        starts.append(at)
        at += group * meter.unit_ticks
    return tuple(starts)


@lru_cache(maxsize=65536)
def _level_at(meter: Meter, offset: int) -> int:
    offset %= meter.bar_ticks
    if offset == 0:
        return BAR
    starts = meter.beat_starts
    if offset in starts:
        if meter.irregular:
            return MIDDLE
        beat, count = starts.index(offset), len(starts)
        if (
            max(meter.groups) == 1 and count > 3 and count % 3 == 0
        ):  # 6/4 is two threes, 9/4 three of them (common practice)
            return BEAT if beat % 3 else MIDDLE
        return MIDDLE if count >= 4 and count % 2 == 0 and beat % 2 == 0 else BEAT
    beat = meter.beat_at(offset)
    inside, length = offset - starts[beat], meter.groups[beat] * meter.unit_ticks
    step, level = length, BEAT
    if meter.groups[beat] == 3 and meter.unit >= 8:
        step, level = length // 3, BEAT + 1
        if inside % step == 0:
            return level
    while level < DEEPEST:
        level, step = level + 1, step // 2
        if inside % step == 0:
            return level
    return DEEPEST


SIGNED = {"common": "4/4", "cut": "2/2"}  # meters that have a sign in place of numbers
WORDS_OF_SIGN = {
    "c": "common",
    "common": "common",
    "common time": "common",
    "c|": "cut",
    "¢": "cut",
    "cut": "cut",
    "cut time": "cut",
    "alla breve": "cut",
}


def meter_sign(text: str) -> str:
    """The sign that a meter is asked for by: "common" for "C", "cut" for "cut" or "alla breve", "" for numbers.

    >>> meter_sign("C"), meter_sign("alla breve"), meter_sign("4/4")
    ('common', 'cut', '')
    """
    return WORDS_OF_SIGN.get(text.strip().casefold(), "")


GROUPED = re.compile(r"^(?P<count>\d+)\s*/\s*(?P<unit>\d+)(?:\s*\(?(?P<groups>[\d+\s]+)\)?)?$")  # 7/8 (2+2+3)
ADDED = re.compile(r"^\(?(?P<groups>\d+(?:\s*\+\s*\d+)+)\)?\s*/\s*(?P<unit>\d+)$")  # 2+2+3/8


def parse_meter(text: str) -> Meter:
    """Read "3/4", "6/8", "7/8 (2+2+3)", "2+2+3/8", "C" or "cut".

    Raises BadInput with a sentence when it cannot be read.

    >>> parse_meter("5/8 (3+2)").groups, str(parse_meter("3+2/8"))
    ((3, 2), '5/8')
    """
    written = SIGNED.get(meter_sign(text), text).strip()
    found = GROUPED.match(written) or ADDED.match(written)
    try:
        groups = tuple(int(x) for x in (found["groups"] or "").split("+") if x.strip()) if found else ()
    except ValueError:
        found = None
    if found is None:
        raise BadInput(f"'{text[:40]}' is no meter; write it as 3/4, 6/8 or 7/8 (2+2+3).")
    return Meter(int(found.groupdict().get("count") or sum(groups)), int(found["unit"]), groups)


def meter_for(ticks: int, usual: Meter) -> Meter | None:
    """A meter of a length, in the units of the usual one where that goes, else in the coarsest that does.

    None where none does. A length between two gets the longer one.
    """
    for unit in (usual.unit, *(u for u in (4, 8, 16, 32) if u > usual.unit)):
        if ticks % (WHOLE // unit) == 0 and ticks * unit // WHOLE <= 32:
            return Meter(ticks * unit // WHOLE, unit)
    for unit in (usual.unit, 4, 2, 1):
        count = -(-ticks * unit // WHOLE)
        if 1 <= count <= 32:
            return Meter(count, unit)
    return None
