"""What a work center absorbed into orders against what it really cost in a period."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal

from ..quantity import ZERO, exact


@dataclass(frozen=True, slots=True)
class Absorption:
    """Why absorbed and actual cost differ [money]; unfavourable is positive."""

    spending: Decimal
    #: of fixed cost only: capacity that was paid for and not used
    volume: Decimal


@exact
def absorption_of(
    *, absorbed: Decimal, actual: Decimal, budget: Decimal | None = None
) -> Absorption:
    """Return spending and volume variance of a work center's cost in a period.

    Parameters
    ----------
    absorbed : actual base of the orders × standard rate [money]
    actual : what it really cost [money]
    budget : of fixed cost, what it was to be whatever is made [money]; None: the cost is variable,
        and there is no volume variance

    Returns
    -------
    Absorption
        spending + volume = actual - absorbed, exactly.

    Source
    ------
    Three- and four-variance analysis of overhead: Horngren, Datar & Rajan, Cost Accounting, ch. 8.

    Examples
    --------
    >>> fixed = absorption_of(absorbed=Decimal(230000), actual=Decimal(285000), budget=Decimal(276000))
    >>> str(fixed.spending), str(fixed.volume)
    ('9000', '46000')
    """
    if budget is None:
        return Absorption(actual - absorbed, ZERO)
    return Absorption(actual - budget, budget - absorbed)
