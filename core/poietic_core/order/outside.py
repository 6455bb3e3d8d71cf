"""Units of an order that are out at a supplier: what may be sent, what may come back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import ClassVar

from ..errors import DomainError
from ..quantity import ZERO, exact
from .report import Progress, feeders_of


@dataclass(eq=False)
class MoreThanStands(DomainError):
    """More units would be sent than stand before the operation."""

    order: int
    operation: int
    wanted: Decimal
    stands: Decimal
    code: ClassVar[str] = "order.more_than_stands"
    what: ClassVar[str] = "{wanted} units of order {order} can't be sent to operation {operation}."
    why: ClassVar[str] = "{stands} stand there that may go."
    fix: ClassVar[str] = "Send at most {stands}, or report the operation before it first."


@dataclass(eq=False)
class MoreThanOut(DomainError):
    """More units would have come back than were sent."""

    order: int
    operation: int
    back: Decimal
    sent: Decimal
    code: ClassVar[str] = "order.more_than_out"
    what: ClassVar[str] = (
        "{back} units of order {order} can't have come back to operation {operation}."
    )
    why: ClassVar[str] = "{sent} of them were sent to the supplier."
    fix: ClassVar[str] = (
        "Enter what was sent first, or report fewer; what came back is taken back before its shipment."
    )


@exact
def units_to_send(
    operations: Sequence[Progress], number: int, sent: Decimal, planned: Decimal
) -> Decimal:
    """Return the units that stand before a supplier's operation and were not sent to it.

    Parameters
    ----------
    operations : in working order
    number : the supplier's operation
    sent : units sent to it so far [unit]
    planned : units that enter it for the order quantity, where no operation comes before [unit]

    Source
    ------
    What the operations before have passed on, less what left (common practice).
    """
    by_number = {o.number: o for o in operations}
    feeders = feeders_of(operations, number)
    stands = min((by_number[f].good for f in feeders), default=planned)
    return max(ZERO, stands - max(sent, by_number[number].processed()))


def require_sent(order: int, operation: Progress, sent: Decimal, *, is_sent: bool) -> None:
    """Refuse that more came back than was sent, where units are sent at all.

    Parameters
    ----------
    is_sent : some of its units were sent, or were until now

    Raises
    ------
    MoreThanOut (order.more_than_out)
    """
    if is_sent and operation.processed() > sent:
        raise MoreThanOut(order, operation.number, operation.processed(), sent)
