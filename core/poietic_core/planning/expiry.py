"""What of stock will expire before it is used."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from typing import TypeVar

Number = TypeVar("Number", float, Decimal)


def left_to_expire(
    lots: Sequence[tuple[int, Number]], wanted: Sequence[tuple[int, Number]]
) -> list[tuple[int, Number]]:
    """Return how much of each lot nobody will have used by when it may not be used any more.

    Parameters
    ----------
    lots : from which day or period on it may not be used, and its quantity [unit]
    wanted : when, and how much [unit]

    Notes
    -----
    What expires first goes first; stock that does not expire goes after it. O(lots × wanted).

    Source
    ------
    First expired, first out: WHO TRS 1025, annex 7 (from memory).

    Examples
    --------
    >>> left_to_expire([(5, 10.0), (2, 4.0)], [(0, 3.0), (3, 4.0), (6, 9.0)])
    [(2, 1.0), (5, 6.0)]
    """
    found: list[tuple[int, Number]] = []
    taken: list[Number] = []
    for end, quantity in sorted(lots):
        nothing = quantity - quantity
        asked = sum((q for at, q in wanted if at < end), nothing) - sum(taken, nothing)
        taken.append(min(quantity, max(nothing, asked)))
        if quantity > taken[-1]:
            found.append((end, quantity - taken[-1]))
    return found
