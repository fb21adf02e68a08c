"""Written time as integers.

Conventions: a position or length in the score is an ``int`` count of ticks, ``QUARTER`` to the quarter
note. The number is 2^9 x 3^2 x 5 x 7 x 11 x 13, so that every value down to the dotted 128th and every
tuplet up to 16 in any of them is exact. People see and type ticks at ``SHOWN_QUARTER`` = 960.
"""

from __future__ import annotations

from fractions import Fraction

from ductus.core.errors import CannotWrite

QUARTER = 23_063_040
WHOLE = 4 * QUARTER
SHOWN_QUARTER = 960  # ticks to the quarter wherever a person sees or types them


def ticks_of_quarters(quarters: Fraction | int) -> int:
    """Return the exact tick count of a length in quarters.

    Raises CannotWrite when the length does not fall on a tick.

    >>> ticks_of_quarters(Fraction(1, 3)) * 3 == QUARTER
    True
    """
    ticks = Fraction(quarters) * QUARTER
    if ticks.denominator != 1:
        raise CannotWrite(f"{quarters} of a quarter note is finer than Ductus writes; choose a tuplet of up to 16.")
    return int(ticks)


def quarters_of_ticks(ticks: int) -> Fraction:
    """Return a tick count as an exact length in quarters."""
    return Fraction(ticks, QUARTER)


def shown_ticks(ticks: int) -> Fraction:
    """Return a tick count at 960 to the quarter, as people see it (exact, so possibly a fraction).

    >>> shown_ticks(QUARTER // 3)
    Fraction(320, 1)
    """
    return Fraction(ticks * SHOWN_QUARTER, QUARTER)


def ticks_of_shown(shown: Fraction | int) -> int:
    """Return the exact tick count of a length typed at 960 to the quarter."""
    return ticks_of_quarters(Fraction(shown) / SHOWN_QUARTER)
