"""What is on hand is promised to those who want it; who gets less is short."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date
from decimal import Decimal

from ..quantity import ZERO, exact
from .model import Demand, Supply


@exact
def short_of(demands: Iterable[Demand], free: Decimal) -> dict[int, Decimal]:
    """Return how much each demand of an item is short, by its number; those that are not are left out.

    What is reserved belongs to its demand. What is free goes to the others by due date, then by
    number: of one day the lower first.

    Parameters
    ----------
    demands : of one item; numbers are unique
    free : on hand, usable and not reserved [unit]; below 0 counts as nothing

    Source
    ------
    Allocation of available stock by due date: common practice.

    Examples
    --------
    >>> from datetime import date
    >>> from .model import Source
    >>> first, second = (Demand(source=Source.ORDER, number=n, due=date(2026, 11, 28), quantity=Decimal(6))
    ...                  for n in (1, 2))
    >>> {n: str(q) for n, q in short_of([second, first], Decimal(10)).items()}
    {2: '2'}
    """
    left = max(ZERO, free)
    found: dict[int, Decimal] = {}
    for demand in sorted(demands, key=lambda d: (d.due, d.number)):
        wanted = max(ZERO, demand.quantity - demand.reserved)
        given = min(left, wanted)
        left -= given
        if wanted > given:
            found[demand.number] = wanted - given
    return found


@exact
def coming_first(supplies: Sequence[Supply]) -> tuple[Decimal, date] | None:
    """Return what comes next of an item, and when: all of the first day; None where nothing is known to come."""
    days = [s.comes for s in supplies if s.comes is not None and s.quantity > 0]
    if not days:
        return None
    first = min(days)
    return sum((s.quantity for s in supplies if s.comes == first), ZERO), first
