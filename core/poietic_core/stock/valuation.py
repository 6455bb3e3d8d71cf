"""The value of stock as one pool: moving average, standard; with layers its sum."""

from __future__ import annotations

from dataclasses import dataclass, replace
from decimal import Decimal
from enum import StrEnum
from typing import ClassVar

from ..errors import DomainError
from ..quantity import ZERO, exact, money


class Method(StrEnum):
    """How an item's stock is valued."""

    MOVING_AVERAGE = "moving average"
    STANDARD = "standard"
    FIFO = "FIFO layers"
    LOT_ACTUAL = "lot actual"

    @property
    def has_layers(self) -> bool:
        """Tell whether each receipt keeps its own value."""
        return self in (Method.FIFO, Method.LOT_ACTUAL)


@dataclass(frozen=True, slots=True, kw_only=True)
class Holding:
    """All stock of one item and its value; `standard` where the method asks for one."""

    method: Method
    quantity: Decimal = ZERO
    value: Decimal = ZERO
    standard: Decimal | None = None

    @exact
    def unit_value(self) -> Decimal:
        """Return the value of one unit, unrounded; the standard of standard-costed stock."""
        if self.method is Method.STANDARD:
            return self.standard or ZERO
        return self.value / self.quantity if self.quantity else ZERO

    @exact
    def at_standard(self) -> Decimal:
        """Return what all of it is worth at the standard, to the cent."""
        return money((self.standard or ZERO) * self.quantity)


@dataclass(frozen=True, slots=True, kw_only=True)
class Movement:
    """What a movement does to a holding: the value it moves and the holding after it."""

    value: Decimal
    after: Holding


@dataclass(eq=False)
class NotEnoughStock(DomainError):
    """A posting would take more than there is."""

    item: str
    place: str
    wanted: Decimal
    there: Decimal
    unit: str
    elsewhere: list[str]
    last_taken: str = ""
    code: ClassVar[str] = "stock.not_enough"
    what: ClassVar[str] = "{item} at {place}: {wanted} {unit} wanted, {there} {unit} there."
    why: ClassVar[str] = "Stock does not go below zero."
    fix: ClassVar[str] = "Take {there} {unit} or less, or another place, or receive more first."

    def explain(self) -> dict[str, str]:
        """Add who took from it last, and where else it lies."""
        texts = DomainError.explain(self)
        if self.last_taken:
            texts["why"] += f" {self.last_taken}."
        if self.elsewhere:
            texts["fix"] += f" Elsewhere: {', '.join(self.elsewhere)}."
        return texts


@dataclass(eq=False)
class NoStandard(DomainError):
    """Standard-costed stock without a standard."""

    item: str
    code: ClassVar[str] = "cost.no_standard"
    what: ClassVar[str] = "{item} has no standard cost."
    why: ClassVar[str] = "Its stock is valued at standard."
    fix: ClassVar[str] = "Roll up and freeze the standard of {item}."


@exact
def move(holding: Holding, quantity: Decimal, *, worth: Decimal | None = None) -> Movement:
    """Return the value of taking `quantity` in (positive) or out (negative) of a holding.

    Standard: round(standard × quantity after) − value before, so that the value never
    drifts. Moving average: in at `worth`, out at the average. By either method the last
    piece takes all remaining value.

    Parameters
    ----------
    quantity : Decimal [unit], not below -holding.quantity
    worth : Decimal [money], >= 0
        What the quantity is worth by its own papers: needed to come in at moving average;
        going out (a reversal) it is used where it leaves a value that fits the quantity.

    Raises
    ------
    NoStandard is the caller's: a standard-costed holding comes with its standard.

    Source
    ------
    Moving average: Kieso, Weygandt & Warfield, Intermediate Accounting, ch. 8.

    Examples
    --------
    >>> h = Holding(method=Method.MOVING_AVERAGE, quantity=Decimal(3), value=Decimal("10.00"))
    >>> str(move(h, Decimal(-1)).value)
    '-3.33'
    """
    after = holding.quantity + quantity
    if after == 0:
        value = -holding.value
    elif holding.method is Method.STANDARD:
        value = money((holding.standard or ZERO) * after) - holding.value
    elif quantity > 0:
        value = worth or ZERO
    else:
        average = money(holding.value * quantity / holding.quantity)
        value = average if worth is None or worth >= holding.value else -worth
    return Movement(
        value=value, after=replace(holding, quantity=after, value=holding.value + value)
    )
