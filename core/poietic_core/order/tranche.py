"""Releasing an order's material in parts: what a part brings of each component, and what is left."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal
from typing import ClassVar

from ..errors import DomainError
from ..quantity import ZERO


@dataclass(eq=False)
class MoreThanLeft(DomainError):
    """A part of an order for more units than are left to release."""

    order: str
    wanted: Decimal
    left: Decimal
    unit: str
    first: int
    last: int
    code: ClassVar[str] = "order.more_than_left"
    what: ClassVar[str] = "Material of order {order} for {wanted} {unit} can't be released."
    why: ClassVar[str] = "For operations {first} to {last}, {left} {unit} are left to release."
    fix: ClassVar[str] = "Release material for {left} {unit} or less, or for other operations."


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """A part that was released: the material of a range of operations for a quantity."""

    #: operation numbers, both included
    first: int
    last: int
    #: of the order's item [unit]
    quantity: Decimal

    def covers(self, operation: int) -> bool:
        """Tell whether it brings an operation's material."""
        return self.first <= operation <= self.last


def released_for(parts: Iterable[Part], operation: int) -> Decimal:
    """Return for how many units of an order an operation's material was released.

    Parameters
    ----------
    parts : of one order
    operation : its number

    Source
    ------
    Common practice.

    >>> parts = [Part(first=10, last=20, quantity=Decimal(24)), Part(first=10, last=10, quantity=Decimal(24))]
    >>> released_for(parts, 10), released_for(parts, 20), released_for(parts, 30)
    (Decimal('48'), Decimal('24'), Decimal('0'))
    """
    return sum((p.quantity for p in parts if p.covers(operation)), ZERO)


def left_to_release(parts: Iterable[Part], operations: Iterable[int], whole: Decimal) -> Decimal:
    """Return for how many units the material of all of some operations can still be released.

    Parameters
    ----------
    parts : that were released
    operations : numbers; none: nothing is left
    whole : quantity of the order [unit]

    Returns
    -------
    Decimal [unit], 0 to `whole`
        The least of what is left at any of the operations.
    """
    listed = list(parts)
    left = [whole - released_for(listed, o) for o in operations]
    return max(ZERO, min(left, default=ZERO))
