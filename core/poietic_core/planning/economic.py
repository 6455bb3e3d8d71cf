"""What to make or buy at once where it is wanted evenly: economic quantities, with discounts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt


def economic_quantity(demand: float, setup: float, holding: float) -> float:
    """Return the lot at which setting up costs as much as holding [unit].

    Parameters
    ----------
    demand : in a span of time [unit], > 0
    setup : of one lot [money]
    holding : of one unit over that span [money], > 0

    Source
    ------
    Harris, "How many parts to make at once" (1913): sqrt(2 D S / H).

    Examples
    --------
    >>> economic_quantity(1000, 10, 0.5)
    200.0
    """
    return sqrt(2 * demand * setup / holding)


def production_quantity(
    demand: float, setup: float, holding: float, *, used: float, made: float
) -> float:
    """Return the economic lot of what is used while it is made, `made` > `used` a day [unit].

    Source
    ------
    Economic production quantity: Heizer & Render, Operations Management, ch. 12.
    """
    return economic_quantity(demand, setup, holding * (1 - used / made))


@dataclass(frozen=True, slots=True)
class Bought:
    """What to buy at once, and what that costs in all over the span [unit, money]."""

    quantity: float
    cost: float


def with_discounts(
    demand: float, setup: float, holding_share: float, breaks: Sequence[tuple[float, float]]
) -> Bought:
    """Return what to buy at once where more of it is cheaper.

    Parameters
    ----------
    demand : in a span of time [unit]
    setup : of one order [money]
    holding_share : of the price, over that span
    breaks : quantity from which on a price holds, rising, the first from 0 or 1

    Source
    ------
    All-units quantity discounts: Heizer & Render, Operations Management, ch. 12.
    """
    found: list[Bought] = []
    for n, (least, price) in enumerate(breaks):
        best = economic_quantity(demand, setup, holding_share * price)
        if n + 1 < len(breaks) and best >= breaks[n + 1][0]:
            continue  # it is cheaper still at the next price
        quantity = max(best, least)
        holding = quantity / 2 * holding_share * price
        found.append(Bought(quantity, demand * price + demand / quantity * setup + holding))
    return min(found, key=lambda b: b.cost)
