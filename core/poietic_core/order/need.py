"""What a whole order needs of an input: the one rounding that is stored, and its explanation."""

from __future__ import annotations

from decimal import Decimal

from ..derivation import Derivation, rounded, rounded_up
from ..quantity import HOUR_STEP, ZERO, round_up
from ..structure.basis import Spread, taken_in


def need_of_item(allowed: Derivation, over: Spread, *, step: Decimal) -> Derivation:
    """Return what an order needs of a component or an output, rounded up once to the item's step.

    Parameters
    ----------
    allowed : by the order's structure, for what its basis says [unit]
    over : how often that is for the order quantity: the answer of `spread` without a lot
    step : of the item [unit]

    Source
    ------
    Gross requirement with allowance and yield, rounded up once: common practice (APICS
    dictionary, "scrap factor", "yield"; from memory).
    """
    return rounded_up("need of the order", taken_in("need, unrounded", allowed, over), step)


def need_of_work(allowed: Derivation, over: Spread) -> Derivation:
    """Return what an order needs of time, a supplier's work or overhead, to the nearest 0.0001.

    Parameters as of `need_of_item`.

    Source
    ------
    As of `need_of_item`; hours are not whole pieces, so they are rounded to the nearest.
    """
    return rounded("need of the order", taken_in("need, unrounded", allowed, over), HOUR_STEP)


def still_needed(need: Decimal, covered: Decimal, step: Decimal) -> Decimal:
    """Return what is still to be issued of a need, rounded up to the item's step; never below 0.

    Parameters
    ----------
    need : of the whole order [unit]
    covered : issued, and what was used in its place [unit]

    Source
    ------
    Net requirement: common practice.

    >>> still_needed(Decimal(6), Decimal("2.5"), Decimal(1))
    Decimal('4')
    """
    return round_up(max(ZERO, need - covered), step)
