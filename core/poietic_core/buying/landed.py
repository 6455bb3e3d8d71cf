"""Freight, duty and fees that come with goods, spread over what came."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from typing import ClassVar

from ..errors import DomainError
from ..quantity import ZERO, allocate, exact, money


class SpreadBy(StrEnum):
    """What further costs are shared in proportion to."""

    VALUE = "value"
    QUANTITY = "quantity"
    WEIGHT = "weight"
    HAND = "by hand"


@dataclass(eq=False)
class NothingToSpreadBy(DomainError):
    """The receipts tell nothing to share a cost by."""

    what_for: str
    by: str
    lacks: list[str]
    code: ClassVar[str] = "invoice.nothing_to_spread_by"
    what: ClassVar[str] = "{what_for} can't be spread by {by}."
    why: ClassVar[str] = "It is not known of {lacks}, or is nothing for all together."
    fix: ClassVar[str] = "Spread it by value, or say each share by hand."


@dataclass(eq=False)
class SharesDontAddUp(DomainError):
    """Shares said by hand are not the whole cost."""

    what_for: str
    amount: Decimal
    shares: Decimal
    code: ClassVar[str] = "invoice.shares_dont_add_up"
    what: ClassVar[str] = "The shares of {what_for} add up to {shares}."
    why: ClassVar[str] = "The invoice asks {amount} for it."
    fix: ClassVar[str] = "Put the shares right, or spread it by value."


@dataclass(frozen=True, slots=True, kw_only=True)
class Landed:
    """What came, as far as costs are shared by it: value [money], quantity [unit], weight [kg]."""

    name: str
    value: Decimal
    quantity: Decimal
    weight: Decimal | None = None
    by_hand: Decimal | None = None


@exact
def spread(what_for: str, amount: Decimal, by: SpreadBy, goods: Sequence[Landed]) -> list[Decimal]:
    """Share a further cost over goods, to the cent by largest remainder.

    Parameters
    ----------
    what_for : the cost's name, for refusals
    amount : [money]; below zero in a credit note
    by : what it is shared in proportion to
    goods : at least one

    Raises
    ------
    NothingToSpreadBy (invoice.nothing_to_spread_by), SharesDontAddUp (invoice.shares_dont_add_up)

    Source
    ------
    Cost of inventory includes freight-in and other costs of bringing it to its place: Kieso,
    Weygandt & Warfield, Intermediate Accounting, ch. 8; IAS 2.10-11. The key is common practice.

    Examples
    --------
    >>> two = [Landed(name="A", value=Decimal(100), quantity=Decimal(1)), Landed(name="B", value=Decimal(300), quantity=Decimal(1))]
    >>> [str(s) for s in spread("freight", Decimal(40), SpreadBy.VALUE, two)]
    ['10.00', '30.00']
    """
    if by is SpreadBy.HAND:
        shares = [g.by_hand or ZERO for g in goods]
        if sum(shares, ZERO) != amount:
            raise SharesDontAddUp(what_for, amount, sum(shares, ZERO))
        return shares
    weights = [_weight(g, by) for g in goods]
    lacks = [g.name for g, w in zip(goods, weights, strict=True) if w is None]
    known = [w for w in weights if w is not None]
    if lacks or not sum(known, ZERO):
        raise NothingToSpreadBy(what_for, by.value, lacks or [g.name for g in goods])
    return allocate(money(amount), known)


def _weight(goods: Landed, by: SpreadBy) -> Decimal | None:
    if by is SpreadBy.WEIGHT:
        return goods.weight
    return abs(goods.value if by is SpreadBy.VALUE else goods.quantity)
