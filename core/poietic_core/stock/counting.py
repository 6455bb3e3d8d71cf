"""Counting stock: when what was counted has to be counted again."""

from __future__ import annotations

from decimal import Decimal

from ..quantity import exact


@exact
def needs_recount(on_hand: Decimal, counted: Decimal, tolerance: Decimal, times: int) -> bool:
    """Tell whether a line has to be counted again: it differs by more than the tolerance, once.

    What was counted a second time stands, whatever it is.

    Parameters
    ----------
    on_hand : what the books said when it was counted [unit], >= 0
    counted : [unit], >= 0
    tolerance : share of what should be there, >= 0
    times : how often it was counted, >= 1

    Source
    ------
    Cycle counting with a tolerance by value class: APICS Dictionary, "count tolerance"; from memory.

    Examples
    --------
    >>> needs_recount(Decimal(100), Decimal(98), Decimal("0.02"), 1)
    False
    >>> needs_recount(Decimal(100), Decimal(97), Decimal("0.02"), 1)
    True
    """
    return times < 2 and abs(counted - on_hand) > tolerance * on_hand
