"""What an invoice line is matched with: receipts, oldest first, at what they were received at."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import ClassVar

from ..errors import DomainError
from ..quantity import ZERO, allocate, exact, money


@dataclass(eq=False)
class MoreThanReceived(DomainError):
    """An invoice asks for more than came and is not invoiced yet."""

    thing: str
    invoiced: Decimal
    open: Decimal
    unit: str
    code: ClassVar[str] = "invoice.more_than_received"
    what: ClassVar[str] = "{invoiced} {unit} of {thing} can't be matched."
    why: ClassVar[str] = "{open} {unit} of it have come and are not invoiced yet."
    fix: ClassVar[str] = (
        "Enter what came first, or match at most {open} {unit} and ask the supplier for a credit note."
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class OpenReceipt:
    """What of one receipt is not invoiced: below zero where more is invoiced than was kept."""

    quantity: Decimal
    value: Decimal


@dataclass(frozen=True, slots=True, kw_only=True)
class Matched:
    """A part of an invoice line: of which receipt, how much, what that was received at, what it costs more."""

    receipt: int
    quantity: Decimal
    value: Decimal
    difference: Decimal


@exact
def match(
    thing: str, unit: str, quantity: Decimal, amount: Decimal, receipts: Sequence[OpenReceipt]
) -> list[Matched]:
    """Match an invoice line with receipts, oldest first.

    Each is cleared at its own value, the last piece of it with all that is left of that, so goods
    received not invoiced end at exactly 0.00. What the amount differs from the sum of these is
    shared by value.

    Parameters
    ----------
    thing, unit : for the refusal
    quantity : invoiced [unit]; below zero in a credit note for what went back
    amount : invoiced without tax [money], with the quantity's sign
    receipts : what is open of each, oldest first

    Returns
    -------
    list of Matched; `receipt` is the place in the sequence

    Raises
    ------
    MoreThanReceived (invoice.more_than_received)

    Source
    ------
    Three-way match (common practice); Kieso, Weygandt & Warfield, Intermediate Accounting.

    Examples
    --------
    >>> came = OpenReceipt(quantity=Decimal(3), value=Decimal("10.00"))
    >>> [str(m.difference) for m in match("A", "pcs", Decimal(3), Decimal(11), [came])]
    ['1.00']
    """
    sign = 1 if quantity > 0 else -1
    left = abs(quantity)
    parts: list[tuple[int, Decimal, Decimal]] = []
    for at, r in enumerate(receipts):
        there = r.quantity * sign
        if there <= 0 or not left:
            continue
        part = min(left, there)
        value = r.value if part == there else money(r.value * part / there)
        parts.append((at, part * sign, value))
        left -= part
    if left:
        raise MoreThanReceived(thing, abs(quantity), abs(quantity) - left, unit)
    values = [abs(value) for _, _, value in parts]
    difference = money(amount) - sum((value for _, _, value in parts), ZERO)
    shares = allocate(difference, values)
    return [
        Matched(receipt=at, quantity=q, value=value, difference=share)
        for (at, q, value), share in zip(parts, shares, strict=True)
    ]


@dataclass(frozen=True, slots=True)
class Differences:
    """Why an invoice asks for another amount than was ordered [money]."""

    price: Decimal
    quantity: Decimal


@exact
def differences_of(
    *, ordered_price: Decimal, received: Decimal, invoiced: Decimal, amount: Decimal
) -> Differences:
    """Divide what an invoice line asks beyond the received quantity at the ordered price.

    price = amount − invoiced × ordered price; quantity = (invoiced − received) × ordered price
    (the purchase price and quantity sides of a flexible budget; Horngren, Datar & Rajan, ch. 7).

    >>> differences_of(ordered_price=Decimal(2), received=Decimal(9), invoiced=Decimal(10), amount=Decimal(21))
    Differences(price=Decimal('1.00'), quantity=Decimal('2.00'))
    """
    price = money(amount) - money(invoiced * ordered_price)
    return Differences(price, money((invoiced - received) * ordered_price))
