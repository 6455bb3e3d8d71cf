"""How much of what is wanted could be ready in time."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal

from ..quantity import ZERO, exact


@exact
def most_that_fits(wanted: Decimal, step: Decimal, fits: Callable[[Decimal], bool]) -> Decimal:
    """Return the largest quantity up to what is wanted that fits, in whole steps; 0 where none does.

    Parameters
    ----------
    wanted : Decimal [unit], >= 0
    step : Decimal [unit], > 0
    fits : tells whether a quantity can be there in time; what fits still fits where less is made

    Notes
    -----
    Bisection: O(log(wanted / step)) questions.

    Examples
    --------
    >>> most_that_fits(Decimal(40), Decimal(1), lambda n: n * 3 <= 100)
    Decimal('33')
    """
    if fits(wanted):
        return wanted
    low, high = 0, int(wanted / step)
    while high - low > 1:
        middle = (low + high) // 2
        if fits(middle * step):
            low = middle
        else:
            high = middle
    return low * step if low else ZERO
