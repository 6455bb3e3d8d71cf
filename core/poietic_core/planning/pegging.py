"""Who gets what: every supply knows its demands, every demand its supplies."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from ..quantity import ZERO, exact
from .model import Demand, Supply


@dataclass(frozen=True, slots=True)
class Peg:
    """A quantity of a demand that a supply covers; no supply: stock, no demand: nobody wants it."""

    demand: Demand | None
    supply: Supply | None
    quantity: Decimal
    #: neither stock nor any supply covers it
    is_open: bool = False


@exact
def peg(on_hand: Decimal, demands: Sequence[Demand], supplies: Sequence[Supply]) -> list[Peg]:
    """Return which demand is covered by what, stock first and what comes first before what comes later.

    Demands are served by date, of one day by rank and number, and of what comes by the day on which
    it does; what comes on no known day serves last.

    Parameters
    ----------
    on_hand : that may be used [unit]
    demands, supplies : of one item

    Source
    ------
    Full pegging: Orlicky, Material Requirements Planning (1975).

    Examples
    --------
    >>> from .model import Source
    >>> day = date(2026, 12, 1)
    >>> wants = Demand(source=Source.ORDER, number=1, due=day, quantity=Decimal(6))
    >>> comes = Supply(source=Source.PURCHASE, number=9, comes=day, quantity=Decimal(5))
    >>> [(p.supply and p.supply.number, str(p.quantity), p.is_open) for p in peg(Decimal(2), [wants], [comes])]
    [(None, '2', False), (9, '4', False), (9, '1', False)]
    """
    ranked = sorted(demands, key=lambda d: (d.due, d.rank, d.source, d.number))
    coming = sorted(supplies, key=lambda s: (s.comes or date.max, s.source, s.number))
    lots: list[tuple[Supply | None, Decimal]] = [(None, max(ZERO, on_hand))]
    lots += [(s, s.quantity) for s in coming]
    found: list[Peg] = []
    at, left = 0, lots[0][1]
    for demand in ranked:
        wanted = demand.quantity
        while wanted > 0:
            while not left and at + 1 < len(lots):
                at += 1
                left = lots[at][1]
            part = min(wanted, left)
            if not part:
                found.append(Peg(demand, None, wanted, is_open=True))
                break
            found.append(Peg(demand, lots[at][0], part))
            wanted, left = wanted - part, left - part
    rest = [(lots[at][0], left), *lots[at + 1 :]]
    return found + [Peg(None, supply, quantity) for supply, quantity in rest if quantity > 0]


@exact
def available_to_promise(
    on_hand: Decimal, comes: Sequence[Decimal], committed: Sequence[Decimal]
) -> list[Decimal]:
    """Return what can still be promised of each period's supply, without breaking a promise [unit].

    What is on hand belongs to the first period. Where later periods are short, the supplies before
    them lose, the latest first; who was promised earlier and waits still gets of what comes next.

    Parameters
    ----------
    comes, committed : in each period: supplies, and what is promised [unit]

    Source
    ------
    Discrete available-to-promise with what later shortages take back: Vollmann, Berry & Whybark,
    Manufacturing Planning and Control Systems, ch. "demand management".

    Examples
    --------
    >>> d = [Decimal(n) for n in (0, 30, 0, 20)]
    >>> [str(a) for a in available_to_promise(Decimal(10), d, [Decimal(n) for n in (4, 25, 9, 5)])]
    ['2', '0', '0', '15']
    """
    free = list(comes)
    free[0] += on_hand
    owed = ZERO
    for period in range(len(free)):
        owed += committed[period]
        for at in range(period, -1, -1):
            part = min(owed, max(ZERO, free[at]))
            free[at] -= part
            owed -= part
    return [max(ZERO, f) for f in free]
