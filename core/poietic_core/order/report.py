"""What a report may say, which operations it moves, and what it charges by the standard."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from itertools import pairwise
from typing import ClassVar

from ..errors import DomainError
from ..quantity import ONE, ZERO, exact, round_to, round_up


@dataclass(frozen=True, slots=True, kw_only=True)
class Progress:
    """How far an operation of an order has come [unit]."""

    number: int
    good: Decimal
    scrap: Decimal
    is_report_point: bool
    yield_share: Decimal = ONE

    def processed(self) -> Decimal:
        """Return the units worked on, each once."""
        return self.good + self.scrap


@dataclass(eq=False)
class NotAReportPoint(DomainError):
    """The operation is reported with a later one."""

    operation: int
    reported_with: int
    code: ClassVar[str] = "report.not_a_report_point"
    what: ClassVar[str] = "Operation {operation} is not reported by itself."
    why: ClassVar[str] = "It is reported with operation {reported_with}."
    fix: ClassVar[str] = "Report operation {reported_with}."


@dataclass(eq=False)
class BeyondPredecessor(DomainError):
    """More units reported than the operation before has passed on."""

    operation: int
    processed: Decimal
    predecessor: int
    passed_on: Decimal
    most: Decimal
    code: ClassVar[str] = "report.beyond_predecessor"
    what: ClassVar[str] = "Operation {operation} would have worked on {processed} pieces."
    why: ClassVar[str] = "Operation {predecessor} has passed on {passed_on} good pieces."
    fix: ClassVar[str] = (
        "Report {most} pieces or fewer here, or report operation {predecessor} first."
    )


@dataclass(eq=False)
class BelowSuccessor(DomainError):
    """Taking back would leave fewer good units than the next operation has worked on."""

    operation: int
    good: Decimal
    successor: int
    processed: Decimal
    code: ClassVar[str] = "report.below_successor"
    what: ClassVar[str] = "Operation {operation} would have {good} good pieces."
    why: ClassVar[str] = "{successor} has already taken {processed} of them."
    fix: ClassVar[str] = "Take back what {successor} reported first."

    def context(self) -> dict[str, object]:
        """Name the receipt where no operation follows."""
        follower = f"Operation {self.successor}" if self.successor else "Receipt"
        return DomainError.context(self) | {"successor": follower}

    def __reduce__(self) -> tuple[type[DomainError], tuple[object, ...]]:
        return type(self), (self.operation, self.good, self.successor, self.processed)


def moved_by(operations: Sequence[Progress], number: int) -> list[int]:
    """Return the operations that a report on `number` moves: those not reported before it, and it.

    Raises
    ------
    NotAReportPoint (report.not_a_report_point)
    """
    position = next(i for i, o in enumerate(operations) if o.number == number)
    if not operations[position].is_report_point:
        later = next(o for o in operations[position:] if o.is_report_point)
        raise NotAReportPoint(number, later.number)
    first = position
    while first and not operations[first - 1].is_report_point:
        first -= 1
    return [o.number for o in operations[first : position + 1]]


@exact
def check_flow(operations: Sequence[Progress], received: Decimal) -> None:
    """Refuse progress in which an operation has worked on more than the one before passed on.

    Parameters
    ----------
    operations : in working order, as they would stand after the posting
    received : pieces received out of the order, after the posting

    Raises
    ------
    BeyondPredecessor (report.beyond_predecessor)
    BelowSuccessor (report.below_successor)
        If the pieces received exceed the good ones of the last operation.
    """
    reported = [o for o in operations if o.is_report_point]
    for before, after in pairwise(reported):
        if after.processed() > before.good:
            raise BeyondPredecessor(
                after.number, after.processed(), before.number, before.good, before.good
            )
    last = reported[-1]
    if received > last.good:
        raise BelowSuccessor(last.number, last.good, 0, received)


@exact
def backflush(
    *, per_unit: Decimal, units_to_date: Decimal, charged_so_far: Decimal, step: Decimal
) -> Decimal:
    """Return what to charge now so that the total is the standard for all units to date.

    Rounded on the running total, not per report; never below zero, so that a quantity
    issued by hand beforehand is used up first.

    Examples
    --------
    >>> backflush(per_unit=Decimal("0.7"), units_to_date=Decimal(10),
    ...           charged_so_far=Decimal(6), step=Decimal(1))
    Decimal('1')
    """
    return max(ZERO, round_to(per_unit * units_to_date, step) - charged_so_far)


@exact
def returned_value(*, issued: Decimal, amount: Decimal, quantity: Decimal) -> Decimal:
    """Return the value at which `quantity` of what was issued goes back [money].

    The average value issued; all of it for the last of it.
    """
    return amount if quantity == issued else round_to(amount * quantity / issued, Decimal("0.01"))


@exact
def leftovers(
    needs: Mapping[str, Decimal], issued: Mapping[str, Decimal], steps: Mapping[str, Decimal]
) -> dict[str, Decimal]:
    """Return per line what was issued beyond the work done, rounded down to the step."""
    found: dict[str, Decimal] = {}
    for key, quantity in issued.items():
        over = quantity - needs[key]
        if over > 0 and (whole := over - over % steps[key]) > 0:
            found[key] = whole
    return found


@exact
def due_at(operations: Sequence[Progress], ordered: Decimal, step: Decimal) -> dict[int, Decimal]:
    """Return the units that each reported operation should work on next.

    What is still to be worked on for the order quantity, as far as the operation before
    has passed it on: remaining(k) = (remaining(next) + processed(next) − good(k)) / yield(k),
    rounded up to the step.

    Parameters
    ----------
    operations : in working order
    ordered : the order's quantity [unit]
    step : of the item made
    """
    reported = [o for o in operations if o.is_report_point]
    still: dict[int, Decimal] = {}
    wanted = ordered
    for o in reversed(reported):
        rest = max(ZERO, wanted - o.good) / o.yield_share
        still[o.number] = rest
        wanted = rest + o.processed()
    due: dict[int, Decimal] = {}
    passed_on: Decimal | None = None
    for o in reported:
        units = round_up(still[o.number], step)
        if passed_on is not None:
            units = min(units, passed_on - o.processed())
        due[o.number] = units
        passed_on = o.good
    return due
