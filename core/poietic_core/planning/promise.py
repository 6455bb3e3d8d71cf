"""What is on hand is promised to those who want it; who gets less is short."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from ..quantity import ZERO, exact
from .model import Demand, Supply


@dataclass(frozen=True, slots=True)
class Lack:
    """What a demand gets less than it wants, and when that comes."""

    short: Decimal
    #: the day on which enough will have come; None: nobody knows
    comes: date | None


@exact
def share(
    demands: Iterable[Demand], free: Decimal, supplies: Iterable[Supply] = ()
) -> dict[int, Lack]:
    """Return how much each demand of an item is short, by its number, and when enough will have come.

    What is reserved belongs to its demand, as far as it may still be used: of reserved stock that has
    expired or is held back the last lose first. What is free goes to the others by rank, then by due
    date, then by number; what they are short of is promised from what comes, the first to come
    first. Demands that are not short are left out.

    Parameters
    ----------
    demands : of one item; numbers are unique
    free : on hand, usable and not reserved [unit]; below 0 by what is reserved and can't be used
    supplies : of the item; what comes on no known day serves nobody

    Source
    ------
    Allocation of available stock by due date: common practice.

    Examples
    --------
    >>> from .model import Source
    >>> first, second = (Demand(source=Source.ORDER, number=n, due=date(2026, 11, 28), quantity=Decimal(6))
    ...                  for n in (1, 2))
    >>> comes = [Supply(source=Source.ORDER, number=9, comes=date(2026, 12, 1), quantity=Decimal(5))]
    >>> lacks = share([second, first], Decimal(10), comes)
    >>> {n: (str(lack.short), str(lack.comes)) for n, lack in lacks.items()}
    {2: ('2', '2026-12-01')}
    """
    left = max(ZERO, free)
    coming = sorted(
        ((s.comes, s.quantity) for s in supplies if s.comes is not None and s.quantity > 0),
        reverse=True,
    )
    open_part = ZERO
    day: date | None = None
    found: dict[int, Lack] = {}
    ranked = sorted(demands, key=lambda d: (d.rank, d.due, d.number))
    lost = _lost(ranked, -free)
    for demand in ranked:
        reserved = demand.reserved - lost.get(demand.number, ZERO)
        wanted = max(ZERO, demand.quantity - reserved)
        given = min(left, wanted)
        left -= given
        short = wanted - given
        if not short:
            continue
        while open_part < short and coming:
            day, quantity = coming.pop()
            open_part += quantity
        found[demand.number] = Lack(short, day if open_part >= short else None)
        open_part = max(ZERO, open_part - short)
    return found


def _lost(ranked: Sequence[Demand], unusable: Decimal) -> dict[int, Decimal]:
    """Return what demands lose of what is reserved for them, the last first, by number."""
    found = {}
    for demand in reversed(ranked if unusable > 0 else ()):
        found[demand.number] = min(demand.reserved, unusable)
        unusable -= found[demand.number]
    return found


@exact
def coming_first(supplies: Sequence[Supply]) -> tuple[Decimal, date] | None:
    """Return what comes next of an item, and when: all of the first day; None where nothing is known to come."""
    days = [s.comes for s in supplies if s.comes is not None and s.quantity > 0]
    if not days:
        return None
    first = min(days)
    return sum((s.quantity for s in supplies if s.comes == first), ZERO), first
