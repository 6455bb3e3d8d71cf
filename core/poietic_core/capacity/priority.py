"""What comes next at a work center: by due date, by slack, by critical ratio."""

from __future__ import annotations

from decimal import Decimal
from enum import StrEnum

from ..quantity import ZERO, exact, round_to

#: to which ratios are told
RATIO_STEP = Decimal("0.01")


class Rule(StrEnum):
    """What decides who is next."""

    DUE = "due"
    SLACK = "slack"
    RATIO = "critical ratio"


@exact
def slack(days_to_due: Decimal, days_left: Decimal) -> Decimal:
    """Return how many working days an order can wait and still be done when it is due.

    Parameters
    ----------
    days_to_due : from now to the end of the due day; below 0 once that has passed [working days]
    days_left : work that is left, from this operation to the last [working days]

    Source
    ------
    Slack time remaining: Heizer & Render, *Operations Management*, ch. "short-term scheduling".

    >>> slack(Decimal(5), Decimal("3.5"))
    Decimal('1.5')
    """
    return days_to_due - days_left


@exact
def critical_ratio(days_to_due: Decimal, days_left: Decimal) -> Decimal | None:
    """Return time left over work left: below 1 it will be late if nothing is done; None: nothing is left.

    Parameters as of `slack`.

    Source
    ------
    Critical ratio: Heizer & Render, *Operations Management*, ch. "short-term scheduling".

    Examples
    --------
    At day 25, due on day 28 with five days of work left:

    >>> critical_ratio(Decimal(3), Decimal(5))
    Decimal('0.6')
    """
    if days_left <= ZERO:
        return None
    return round_to(days_to_due / days_left, RATIO_STEP)
