"""What a list price leaves over the standard cost."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal

from ..quantity import exact


@dataclass(frozen=True, slots=True)
class Margin:
    """What is left of a price [money/unit], and what share of the price that is."""

    amount: Decimal
    #: None of a price of 0
    share: Decimal | None


@exact
def margin(price: Decimal, cost: Decimal) -> Margin:
    """Return the gross margin of a price over a cost.

    Parameters
    ----------
    price, cost : Decimal [money/unit], >= 0

    Notes
    -----
    The share is of the price, not of the cost (gross margin percentage).

    Source
    ------
    Horngren, Datar & Rajan, Cost Accounting, ch. 3, "contribution margin versus gross margin".

    Examples
    --------
    >>> left = margin(Decimal(200), Decimal(120))
    >>> print(left.amount, left.share)
    80 0.4
    """
    amount = price - cost
    return Margin(amount, amount / price if price else None)
