"""What a quantity is stated for, and how often it is taken in: the one rule of need and of cost."""

from __future__ import annotations

from decimal import Decimal
from enum import StrEnum

from ..derivation import Derivation, given, product, quotient
from ..quantity import ONE
from .model import Per

#: what a quantity is times, or else what it is divided by
Spread = tuple[list[Derivation], Derivation | None]


class Basis(StrEnum):
    """What the quantity of an input is stated for."""

    ENTERING = "unit entering"
    GOOD = "good unit"
    ORDER = "order"

    @classmethod
    def of(cls, per: Per) -> Basis:
        """Return what the quantity of a line is stated for."""
        return cls.ORDER if per is Per.ORDER else cls.ENTERING


def spread(
    basis: Basis,
    entering: Derivation | None,
    *,
    operation: int,
    yield_share: Decimal = ONE,
    lot: Decimal | None = None,
) -> Spread:
    """Return what a stated quantity is times, or else what it is divided by.

    Parameters
    ----------
    basis : what the quantity is stated for
    entering : units entering its operation [unit]; None: the flow of its parent doesn't say
    operation : its number
    yield_share : of its operation, above 0, at most 1
    lot : over which what is per order is spread [unit]; None: a whole order is asked about

    Source
    ------
    Common practice: per order once, whatever its quantity; per unit as often as one enters; per
    good unit as often as one leaves.
    """
    if basis is Basis.ORDER:
        return [], None if lot is None else given("standard lot", lot)
    if entering is None:
        return [], None
    factors = [] if entering.value == ONE else [entering]
    if basis is Basis.GOOD:
        factors.append(given(f"yield of operation {operation}", yield_share))
    return factors, None


def taken_in(label: str, stated: Derivation, over: Spread) -> Derivation:
    """Return how much of an input is taken in, unrounded, in the unit of what is stated.

    Parameters
    ----------
    stated : its quantity, for what its basis says
    over : the answer of `spread`

    Source
    ------
    As of `spread`.

    Examples
    --------
    >>> from poietic_core.derivation import given
    >>> screws = given("screws per unit", Decimal(4), unit="pcs")
    >>> entering = given("units entering", Decimal(25))
    >>> print(taken_in("screws", screws, spread(Basis.ENTERING, entering, operation=10)).value)
    100
    >>> print(taken_in("screws", screws, spread(Basis.ORDER, entering, operation=10)).value)
    4
    """
    factors, lot = over
    if lot:
        return quotient(label, stated, lot, unit=stated.unit)
    return product(label, (stated, *factors), unit=stated.unit) if factors else stated
