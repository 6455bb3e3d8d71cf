"""What of a cost that comes after its receipt belongs to what is still in stock."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from decimal import Decimal

from ..quantity import ONE, ZERO, exact, money


@exact
def shares_left(
    held: Decimal, moved: Sequence[tuple[int, Decimal]], receipts: Collection[int]
) -> dict[int, Decimal]:
    """Return of receipts into a pool which share of their value is still there.

    Each issue takes with it the same part of every cost that the pool holds; what comes in
    takes nothing away.

    Parameters
    ----------
    held : what is in stock now [unit]
    moved : posting and quantity of each movement from the first of these receipts on, in order:
        above zero what came, below what went [unit]
    receipts : postings

    Source
    ------
    Moving average: Kieso, Weygandt & Warfield, Intermediate Accounting, ch. 8.

    Examples
    --------
    >>> moved = [(1, Decimal(100)), (2, Decimal(-60))]
    >>> print(shares_left(Decimal(40), moved, {1})[1])
    0.4
    """
    found: dict[int, Decimal] = {}
    share, after = ONE, held
    for posting, quantity in reversed(moved):
        if posting in receipts:
            found.setdefault(posting, share)
        before = after - quantity
        if quantity < 0:
            share = share * after / before if before > 0 else ZERO
        after = before
    return found


@exact
def still_in_stock(amount: Decimal, share: Decimal, value: Decimal) -> Decimal:
    """Return what of a late cost goes to what is still in stock [money].

    Parameters
    ----------
    amount : the late cost; below zero where less is asked than was received at
    share : of it that is still in stock, 0 to 1
    value : what the stock is worth: it can't come to be worth less than nothing

    >>> print(f"{still_in_stock(Decimal(200), Decimal('0.4'), Decimal(400)):.2f}")
    80.00
    """
    return max(money(amount * share), -max(value, ZERO))
