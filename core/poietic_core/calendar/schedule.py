"""When each operation of an order runs: backward from its due date, else forward from now."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import ROUND_CEILING, Decimal

from ..derivation import Derivation, given, product, quotient, rounded_up, total
from ..quantity import ONE, ZERO, exact
from ..structure.flow import Network
from .working_time import WorkingTime

HOUR = Decimal(3600)


@dataclass(frozen=True, slots=True, kw_only=True)
class WorkCenterTime:
    """What scheduling knows of a work center."""

    working: WorkingTime
    #: share of the standard pace that is reached
    efficiency: Decimal = ONE


@dataclass(frozen=True, slots=True, kw_only=True)
class OperationTime:
    """The times of one operation of an order, in standard hours."""

    number: int
    center: WorkCenterTime
    #: units still to be worked on [unit]
    units: Decimal
    setup_hours: Decimal = ZERO
    #: per `run_quantity` units
    run_hours: Decimal = ZERO
    run_quantity: Decimal = ONE
    runs_whole_batches: bool = False
    machines: int = 1
    queue_hours: Decimal = ZERO
    wait_hours: Decimal = ZERO
    move_hours: Decimal = ZERO
    transfer_quantity: Decimal | None = None

    def head_seconds(self) -> int:
        """Return the working seconds until the next operation may begin."""
        if self.transfer_quantity is None:
            return _seconds(self.clock().value)
        first = min(self.transfer_quantity, self.units)
        return _seconds(self.clock(units=first).value)

    def tail_seconds(self, arriving: Decimal) -> int:
        """Return the working seconds for the last `arriving` units, set up already."""
        return _seconds(self._run(min(arriving, self.units)).value)

    @exact
    def clock(self, units: Decimal | None = None) -> Derivation:
        """Return setup / efficiency + run × units / (efficiency × machines) [h].

        Whole batches are counted where the operation runs in batches; nothing to do takes
        no time.

        Source
        ------
        Common practice; handbook, calculations 4.

        Examples
        --------
        60 min setup, 500 min run, efficiency 0.8, two machines: 387.5 min.

        >>> center = WorkCenterTime(working=None, efficiency=Decimal("0.8"))
        >>> o = OperationTime(number=10, center=center, units=Decimal(1), setup_hours=Decimal(1),
        ...                   run_hours=Decimal(500) / 60, machines=2)
        >>> print(round(o.clock().value * 60, 6))
        387.500000
        """
        units = self.units if units is None else units
        if units <= 0:
            return given("nothing to do", ZERO, unit="h")
        pace = given("efficiency", self.center.efficiency)
        setup = quotient("setup", given("setup", self.setup_hours, unit="h"), pace, unit="h")
        return total("clock time", (setup, self._run(units)), unit="h")

    def _run(self, units: Decimal) -> Derivation:
        times = given("units", units)
        if self.run_quantity != ONE:
            times = quotient("batches", times, given("units of a batch", self.run_quantity))
            if self.runs_whole_batches:
                times = rounded_up("whole batches", times, ONE)
        work = product("run", (given("run", self.run_hours, unit="h"), times), unit="h")
        pace = given("efficiency × machines", self.center.efficiency * self.machines)
        return quotient("run", work, pace, unit="h")


@dataclass(frozen=True, slots=True, kw_only=True)
class Planned:
    """When an operation runs: from its queue to the hand-over to the next."""

    number: int
    arrives: datetime
    starts: datetime
    ends: datetime
    leaves: datetime


def schedule_backward(
    network: Network, times: Mapping[int, OperationTime], due: datetime
) -> dict[int, Planned]:
    """Return the latest dates by which the last operation is handed over at `due`.

    Queue and clock time pass on the work center's calendar, wait and move round the clock.
    An operation with a transfer quantity lets the next begin after its first transfer, and
    end no earlier than the last transfer is worked on there.

    Raises
    ------
    NoWorkingTime (calendar.no_working_time)
    """
    planned: dict[int, Planned] = {}
    for number in reversed(network.yields):
        t = times[number]
        working = t.center.working
        clock = _seconds(t.clock().value)
        away = _span(t.wait_hours) + _span(t.move_hours)
        followers = [planned[s] for s in network.following[number]]
        if t.transfer_quantity is None:
            ends = working.subtract(min([p.arrives for p in followers] or [due]) - away, 0)
            starts = working.subtract(ends, clock) if clock else ends
        else:
            limit = min(
                [
                    times[p.number].center.working.subtract(
                        p.ends, times[p.number].tail_seconds(t.transfer_quantity)
                    )
                    for p in followers
                ]
                or [due]
            )
            starts = working.subtract(working.subtract(limit - away, 0), clock)
            for p in followers:
                starts = min(starts, working.subtract(p.arrives - away, t.head_seconds()))
            ends = working.add(starts, clock)
        arrives = working.subtract(starts, _seconds(t.queue_hours)) if t.queue_hours else starts
        planned[number] = Planned(
            number=number, arrives=arrives, starts=starts, ends=ends, leaves=ends + away
        )
    return dict(reversed(planned.items()))


def schedule_forward(
    network: Network, times: Mapping[int, OperationTime], start: datetime
) -> dict[int, Planned]:
    """Return the earliest dates with nothing before `start`; rules as backward."""
    planned: dict[int, Planned] = {}
    for number in network.yields:
        t = times[number]
        working = t.center.working
        clock = _seconds(t.clock().value)
        arrives, no_earlier = start, start
        for before in network.before[number]:
            p, q = planned[before], times[before]
            away = p.leaves - p.ends
            if q.transfer_quantity is None:
                arrives = max(arrives, p.leaves)
            else:
                first = (
                    q.center.working.add(p.starts, q.head_seconds())
                    if q.head_seconds()
                    else p.starts
                )
                arrives = max(arrives, first + away)
                tail = t.tail_seconds(q.transfer_quantity)
                no_earlier = max(no_earlier, working.add(p.leaves, tail))
        ready = working.add(arrives, _seconds(t.queue_hours)) if t.queue_hours else arrives
        starts = working.add(ready, 0) if clock else ready
        ends = max(working.add(starts, clock), no_earlier) if clock else max(starts, no_earlier)
        leaves = ends + _span(t.wait_hours) + _span(t.move_hours) if t.units > 0 else ends
        planned[number] = Planned(
            number=number, arrives=arrives, starts=starts, ends=ends, leaves=leaves
        )
    return planned


def finish_of(planned: Iterable[Planned]) -> datetime:
    """Return the moment at which everything is handed over."""
    return max(p.leaves for p in planned)


@dataclass(frozen=True, slots=True, kw_only=True)
class Dates:
    """The dates of an order: as late as its due date allows, or else as early as possible."""

    operations: Mapping[int, Planned]
    #: it could not be done backward any more and runs from now on
    is_forward: bool


def plan_dates(
    network: Network, times: Mapping[int, OperationTime], *, due: datetime, now: datetime
) -> Dates:
    """Return backward dates from `due`, or forward dates from `now` where those begin before it."""
    backward = schedule_backward(network, times, due)
    if min(p.arrives for p in backward.values()) >= now:
        return Dates(operations=backward, is_forward=False)
    return Dates(operations=schedule_forward(network, times, now), is_forward=True)


def _seconds(hours: Decimal) -> int:
    return int((hours * HOUR).to_integral_value(ROUND_CEILING))


def _span(hours: Decimal) -> timedelta:
    return timedelta(seconds=_seconds(hours))
