"""What a report may say, which operations it moves, and what it charges by the standard."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from typing import ClassVar

from ..errors import DomainError
from ..planning.in_time import most_that_fits
from ..quantity import ONE, UNIT_COST_STEP, ZERO, decimal_of, exact, round_to, round_up
from ..structure.flow import Network


@dataclass(frozen=True, slots=True, kw_only=True)
class Progress:
    """How far an operation of an order has come [unit]."""

    number: int
    good: Decimal
    scrap: Decimal
    is_report_point: bool
    yield_share: Decimal = ONE
    #: operations that must come before; None: the one listed before, (): none
    after: tuple[int, ...] | None = None
    #: worked on, neither good nor lost yet
    rework_pending: Decimal = ZERO

    def processed(self) -> Decimal:
        """Return the units worked on, each once."""
        return self.good + self.scrap + self.rework_pending


@dataclass(eq=False)
class ReworkPending(DomainError):
    """An order can't be completed while it is open what becomes of some units."""

    operation: int
    units: Decimal
    code: ClassVar[str] = "order.rework_pending"
    what: ClassVar[str] = "The order can't be completed yet."
    why: ClassVar[str] = "{units} pieces wait for rework at operation {operation}."
    fix: ClassVar[str] = "Report them as good after their rework, or as scrap."


@dataclass(eq=False)
class ReworkDecided(DomainError):
    """Units that were set aside for rework would not have been, and are decided on by now."""

    operation: int
    units: Decimal
    code: ClassVar[str] = "report.rework_decided"
    what: ClassVar[str] = "The report of operation {operation} can't go."
    why: ClassVar[str] = "{units} of the pieces that it set aside came out of rework since."
    fix: ClassVar[str] = "Take the report of their rework back first."


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


@exact
def most_received(ordered: Decimal, tolerance: Decimal, step: Decimal) -> Decimal:
    """Return how many pieces may come of an order without a reason: what was ordered, and the tolerance.

    Parameters
    ----------
    ordered : Decimal [unit], > 0
    tolerance : share of it that may come on top, >= 0
    step : of the item [unit], > 0

    Source
    ------
    Overrun tolerance of a production order: common practice.

    Examples
    --------
    >>> most_received(Decimal(50), Decimal("0.05"), Decimal(1))
    Decimal('52.00')
    """
    most = ordered * (ONE + tolerance)
    return most - most % step


@exact
def least_received(ordered: Decimal, tolerance: Decimal, step: Decimal) -> Decimal:
    """Return how many pieces have to come of an order so that it is complete without a reason.

    Parameters
    ----------
    ordered : Decimal [unit], > 0
    tolerance : share of it that may be missing, 0 to 1
    step : of the item [unit], > 0

    Source
    ------
    Underrun tolerance of a production order: common practice.

    Examples
    --------
    >>> least_received(Decimal(50), Decimal("0.05"), Decimal(1))
    Decimal('48')
    """
    return round_up(ordered * (ONE - tolerance), step)


def moved_by(operations: Sequence[Progress], number: int) -> list[int]:
    """Return the operations that a report on `number` moves: those not reported before it, and it.

    Raises
    ------
    NotAReportPoint (report.not_a_report_point)
    """
    network, reported = _network(operations)
    if number not in reported:
        raise NotAReportPoint(number, network.reported_with(number, reported))
    return [o.number for o in operations if network.reported_with(o.number, reported) == number]


def _network(operations: Sequence[Progress]) -> tuple[Network, set[int]]:
    return Network(operations), {o.number for o in operations if o.is_report_point}


@exact
def check_flow(
    operations: Sequence[Progress], received: Decimal, *, before: Sequence[Progress] = ()
) -> None:
    """Refuse progress in which an operation has worked on more than the one before passed on.

    Parameters
    ----------
    operations : in working order, as they would stand after the posting
    received : pieces received out of the order, after the posting
    before : the operations as they stood, to say how many pieces may still be reported

    Raises
    ------
    BeyondPredecessor (report.beyond_predecessor)
    BelowSuccessor (report.below_successor)
        If the pieces received exceed the good ones of the last operation.
    ReworkDecided (report.rework_decided)
        If fewer units were set aside than came out of rework.
    """
    network, reported = _network(operations)
    by_number = {o.number: o for o in operations}
    stood = {o.number: o.processed() for o in before}
    for o in operations:
        if o.rework_pending < 0:
            raise ReworkDecided(o.number, -o.rework_pending)
    for number in sorted(reported):
        processed = by_number[number].processed()
        for feeder in network.feeders(number, reported):
            good = by_number[feeder].good
            if processed > good:
                left = max(ZERO, good - stood.get(number, ZERO))
                raise BeyondPredecessor(number, processed, feeder, good, left)
    last = by_number[max(reported)]
    if received > last.good:
        raise BelowSuccessor(last.number, last.good, 0, received)


def feeders_of(operations: Sequence[Progress], number: int) -> Sequence[int]:
    """Return the reported operations that come right before one; none before the first."""
    network, reported = _network(operations)
    return list(network.feeders(number, reported))


@exact
def backflush(
    *, per_unit: Decimal | Fraction, units_to_date: Decimal, charged_so_far: Decimal, step: Decimal
) -> Decimal:
    """Return what to charge now so that the total is the standard for all units to date.

    Rounded on the running total, not per report; never below zero, so that a quantity
    issued by hand beforehand is used up first.

    Parameters
    ----------
    per_unit : of the item for one unit worked on [unit/unit]
    units_to_date : with those of this report [unit]
    charged_so_far : net of returns, with what stands in for it [unit]
    step : of the item [unit], > 0

    Source
    ------
    Post-deduction of inventory (backflush costing: Horngren, Datar & Rajan, ch. 20); rounding on
    the running total: worked out here.

    Examples
    --------
    >>> backflush(per_unit=Decimal("0.7"), units_to_date=Decimal(10),
    ...           charged_so_far=Decimal(6), step=Decimal(1))
    Decimal('1')
    """
    whole = decimal_of(Fraction(per_unit) * Fraction(units_to_date))
    return max(ZERO, round_to(whole, step) - charged_so_far)


@exact
def returned_value(*, issued: Decimal, amount: Decimal, quantity: Decimal) -> Decimal:
    """Return the value at which `quantity` of what was issued goes back [money].

    The average value issued; all of it for the last of it.

    Parameters
    ----------
    issued : net of returns so far [unit], > 0
    amount : what that was charged at [money]
    quantity : Decimal [unit], 0 < quantity <= issued

    Source
    ------
    Average of what was issued: common practice.
    """
    return amount if quantity == issued else round_to(amount * quantity / issued, Decimal("0.01"))


@exact
def leftovers(
    needs: Mapping[int, Decimal],
    issued: Mapping[int, Decimal],
    steps: Mapping[int, Decimal],
    mixes: Iterable[Collection[int]] = (),
) -> dict[int, Decimal]:
    """Return per line what was issued beyond the work done, rounded down to the step.

    Parameters
    ----------
    needs : for the work done, by line [unit]
    issued : net of returns, by line [unit]
    steps : of the items, by line [unit], > 0
    mixes : lines that may be exchanged for each other: of them is left what all have beyond the
        need of all, first of the line with most beyond its own

    Source
    ------
    Common practice.

    Examples
    --------
    >>> needs, issued = {1: Decimal(20), 2: Decimal(10)}, {1: Decimal(18), 2: Decimal(14)}
    >>> each = {1: Decimal(1), 2: Decimal(1)}
    >>> leftovers(needs, issued, each), leftovers(needs, issued, each, [(1, 2)])
    ({2: Decimal('4')}, {2: Decimal('2')})
    """
    beyond = {key: quantity - needs[key] for key, quantity in issued.items()}
    for mix in mixes:
        left = sum((beyond[key] for key in mix), ZERO)
        for key in sorted(mix, key=lambda k: (-beyond[k], k)):
            beyond[key] = max(ZERO, min(beyond[key], left))
            left -= beyond[key]
    found: dict[int, Decimal] = {}
    for key, over in beyond.items():
        if over > 0 and (whole := over - over % steps[key]) > 0:
            found[key] = whole
    return found


def remaining(operations: Sequence[Progress], ordered: Decimal) -> dict[int, Fraction]:
    """Return the units that each operation has still to work on for the order quantity, exactly.

    remaining(k) = (remaining(s) + processed(s) − good(k)) / yield(k) for the successor s that
    needs most; an operation that is not reported has those of the one it is reported with.

    Parameters
    ----------
    operations : in working order
    ordered : the order's quantity [unit]

    Source
    ------
    The handbook's forecast of what is left (section 7); the flow as in requirement.
    """
    network, reported = _network(operations)
    wanted: dict[int, Fraction] = {}
    still: dict[int, Fraction] = {}
    for o in reversed([o for o in operations if o.is_report_point]):
        missing = wanted.get(o.number, Fraction(ordered)) - Fraction(o.good + o.rework_pending)
        still[o.number] = max(Fraction(0), missing) / Fraction(o.yield_share)
        need = still[o.number] + Fraction(o.processed())
        for feeder in network.feeders(o.number, reported):
            wanted[feeder] = max(wanted.get(feeder, Fraction(0)), need)
    return {o.number: still[network.reported_with(o.number, reported)] for o in operations}


@exact
def beyond_plan(
    operations: Sequence[Progress], ordered: Decimal, planned: Mapping[int, Decimal], step: Decimal
) -> dict[int, Decimal]:
    """Return the units that each operation has to work on beyond its plan so that the order is made whole.

    What was worked on and what is still to be, less what was planned to enter; rounded up to the
    step, never below 0: the material of so many units is to be released on top.

    Parameters
    ----------
    operations : in working order
    ordered : the order's quantity [unit]
    planned : units entering each for that quantity [unit]
    step : of the item made

    Source
    ------
    Replenishment of what was lost beyond the planned yield: common practice.
    """
    whole = _worked_on(operations, ordered)
    beyond = {n: round_to(whole[n] - planned[n], UNIT_COST_STEP) for n in whole}
    return {n: round_up(max(ZERO, units), step) for n, units in beyond.items()}


@exact
def most_without_more(
    operations: Sequence[Progress], ordered: Decimal, planned: Mapping[int, Decimal], step: Decimal
) -> Decimal:
    """Return the largest quantity that can still be made with the units planned to enter each operation.

    Parameters as of `beyond_plan`.

    Source
    ------
    As of `remaining`: what is lost after operation k can't be made up by what enters it as planned.
    """

    def fits(quantity: Decimal) -> bool:
        whole = _worked_on(operations, quantity)
        beyond = (whole[o.number] - max(planned[o.number], o.processed()) for o in operations)
        return all(round_to(units, UNIT_COST_STEP) <= 0 for units in beyond)

    return most_that_fits(ordered, step, fits)


def _worked_on(operations: Sequence[Progress], ordered: Decimal) -> dict[int, Decimal]:
    """Return the units that each operation will have worked on when the order is made."""
    still = remaining(operations, ordered)
    return {o.number: decimal_of(still[o.number]) + o.processed() for o in operations}


@exact
def due_at(operations: Sequence[Progress], ordered: Decimal, step: Decimal) -> dict[int, Decimal]:
    """Return the units that each reported operation should work on next.

    What is still to be worked on, rounded up to the step, as far as the operations before
    have passed it on.

    Parameters
    ----------
    operations : in working order
    ordered : the order's quantity [unit]
    step : of the item made

    Source
    ------
    Common practice: no more than the operations before have passed on.
    """
    network, reported = _network(operations)
    by_number = {o.number: o for o in operations}
    still = remaining(operations, ordered)
    due: dict[int, Decimal] = {}
    for number in sorted(reported):
        units = round_up(still[number], step)
        for feeder in network.feeders(number, reported):
            units = min(units, by_number[feeder].good - by_number[number].processed())
        due[number] = units
    return due


def next_operation(due: Mapping[int, Decimal]) -> int | None:
    """Return the operation that is to be reported next: of those with units due, the one nearest the end.

    None where no operation has any.

    Parameters
    ----------
    due : as of `due_at`

    Source
    ------
    What is nearest to being done is finished first: common practice.

    Examples
    --------
    >>> next_operation({10: Decimal(4), 20: Decimal(3), 30: Decimal(0)})
    20
    """
    return max((number for number, units in due.items() if units > 0), default=None)


def require_rework_decided(operations: Sequence[Progress]) -> None:
    """Refuse to complete an order with rework pending: ReworkPending (order.rework_pending)."""
    for o in operations:
        if o.rework_pending:
            raise ReworkPending(o.number, o.rework_pending)
