"""The future of an item's stock: what it will be after each demand and each supply."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from ..quantity import exact
from .model import Demand, Source, Supply


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One thing that changes the stock on a day, and what there is after it."""

    day: date
    source: Source
    number: int
    #: above zero: it comes; below: it goes [unit]
    change: Decimal
    projected: Decimal


@exact
def project(
    on_hand: Decimal, demands: Iterable[Demand], supplies: Iterable[Supply], today: date
) -> list[Step]:
    """Return an item's stock after each demand and supply, by date.

    On one day supply comes before demand, and lower numbers before higher ones. What should have
    happened before today happens today. Supply of which nobody knows the day is left out.

    Parameters
    ----------
    on_hand : that may be used today, reserved or not [unit]
    demands, supplies : of the item
    today : the day on which the projection begins

    Source
    ------
    Projected available balance of the time-phased record: Vollmann, Berry & Whybark,
    *Manufacturing Planning and Control Systems*, ch. "material requirements planning".

    Examples
    --------
    >>> first = date(2026, 12, 1)
    >>> steps = project(Decimal(4), [Demand(source=Source.ORDER, number=1, due=first, quantity=Decimal(6))],
    ...     [Supply(source=Source.ORDER, number=2, comes=first, quantity=Decimal(5))], date(2026, 11, 28))
    >>> [(s.number, str(s.projected)) for s in steps]
    [(2, '9'), (1, '3')]
    """
    changes = [
        (max(s.comes, today), 0, s.number, s.source, s.quantity)
        for s in supplies
        if s.comes is not None and s.quantity > 0
    ]
    changes += [
        (max(d.due, today), 1, d.number, d.source, -d.quantity) for d in demands if d.quantity > 0
    ]
    found = []
    left = on_hand
    for day, _, number, source, change in sorted(changes):
        left += change
        found.append(Step(day=day, source=source, number=number, change=change, projected=left))
    return found
