"""When each operation of an order runs: backward from its due date, else forward from now."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal
from fractions import Fraction
from math import ceil

from ..derivation import (
    Derivation,
    fraction_of,
    given,
    product,
    quotient,
    ratio,
    rounded_up,
    total,
)
from ..errors import OutOfRange
from ..quantity import HOUR_STEP, ONE, ZERO, decimal_of, exact, require_positive, round_to
from ..structure.flow import Network
from .working_time import WorkingTime, require_zone

#: seconds
HOUR = 3600
#: what passes round the clock at most: some twenty years [h]
SPAN_MOST = 200_000
#: what an operation is counted up to [h]
HOURS_MOST = 10**12


@dataclass(frozen=True, slots=True, kw_only=True)
class WorkCenterTime:
    """What scheduling knows of a work center."""

    working: WorkingTime
    #: share of the standard pace that is reached
    efficiency: Decimal = ONE


@dataclass(frozen=True, slots=True, kw_only=True)
class SupplierTime:
    """What scheduling knows of a supplier: when he works, and how far off he is."""

    #: null: his days are counted round the clock
    working: WorkingTime | None = None
    #: each way
    transport_days: Decimal = ZERO


@dataclass(frozen=True, slots=True, kw_only=True)
class DaysOut:
    """What an operation takes that a supplier does: his days, with the way there and back."""

    days: Decimal
    supplier: SupplierTime = SupplierTime()
    #: when what is out already is to be back; null: nothing is
    no_earlier: datetime | None = None

    def back(self, sent: datetime) -> datetime:
        """Return when what is sent at a moment is back.

        His days are days of his calendar, the way passes round the clock (common practice).

        Raises
        ------
        NoWorkingTime (calendar.no_working_time)
        OutOfRange (input.out_of_range)
        """
        there = sent + self._way()
        if self.supplier.working is None:
            back = there + _span(self.days * 24) + self._way()
        else:
            worked = self._seconds(self.supplier.working)
            back = (self.supplier.working.add(there, worked) if worked else there) + self._way()
        return max(back, self.no_earlier) if self.no_earlier else back

    def latest(self, back: datetime) -> datetime:
        """Return the latest moment to send what has to be back by another; refusals as `back`."""
        done = back - self._way()
        if self.supplier.working is None:
            return done - _span(self.days * 24) - self._way()
        worked = self._seconds(self.supplier.working)
        return (self.supplier.working.subtract(done, worked) if worked else done) - self._way()

    def _way(self) -> timedelta:
        return _span(self.supplier.transport_days * 24)

    def _seconds(self, working: WorkingTime) -> int:
        _span(self.days * 24)
        return ceil(Fraction(self.days) * working.seconds_a_day)


@dataclass(frozen=True, slots=True, kw_only=True)
class OperationTime:
    """The times of one operation of an order, in standard hours."""

    number: int
    center: WorkCenterTime
    #: units of the order still to be worked on [unit]
    units: Decimal | Fraction
    #: of its own units in one of the order's: of a phantom's operation there may be more, or fewer
    each: Fraction = Fraction(1)
    setup_hours: Decimal = ZERO
    #: per `run_quantity` of its own units
    run_hours: Decimal = ZERO
    run_quantity: Decimal = ONE
    runs_whole_batches: bool = False
    machines: int = 1
    queue_hours: Decimal = ZERO
    wait_hours: Decimal = ZERO
    move_hours: Decimal = ZERO
    #: null: it is done here
    out: DaysOut | None = None
    #: of its own units
    transfer_quantity: Decimal | None = None

    def is_done(self) -> bool:
        """Tell whether nothing is left to work on: then it takes no time, before or after it either."""
        return self.units <= 0

    def own_units(self) -> Fraction:
        """Return what is left, in units of its own."""
        return Fraction(self.units) * self.each

    def head_seconds(self) -> int:
        """Return the working seconds until the next operation may begin."""
        if self.transfer_quantity is None:
            return _seconds(self.clock())
        return _seconds(self.clock(units=min(Fraction(self.transfer_quantity), self.own_units())))

    def tail_seconds(self, before: OperationTime) -> int:
        """Return the working seconds for the last units that come from `before`, set up already."""
        if before.transfer_quantity is None:
            return 0
        arriving = Fraction(before.transfer_quantity) / before.each * self.each
        return _seconds(self._run(min(arriving, self.own_units())))

    def handed_over(self, ends: datetime) -> datetime:
        """Return when what ends here is where it goes on: after its days out, its wait and its way."""
        if self.is_done():
            return ends
        back = self.out.back(ends) if self.out else ends
        return back + _span(self.wait_hours + self.move_hours)

    def latest_end(self, handed_over: datetime) -> datetime:
        """Return the latest end from which it is handed over by a moment."""
        if self.is_done():
            return handed_over
        back = handed_over - _span(self.wait_hours + self.move_hours)
        return self.out.latest(back) if self.out else back

    def queue_seconds(self) -> int:
        """Return the working seconds that it waits for its turn."""
        return 0 if self.is_done() else _seconds(given("queue", self.queue_hours, unit="h"))

    @exact
    def clock(self, units: Fraction | None = None) -> Derivation:
        """Return setup / efficiency + run × units / (efficiency × machines) [h].

        Whole batches are counted where the operation runs in batches; nothing to do takes
        no time.

        Raises
        ------
        OutOfRange (input.out_of_range)
            If efficiency, run quantity or machines are not above 0.

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
        units = self.own_units() if units is None else units
        if units <= 0:
            return given("nothing to do", ZERO, unit="h")
        pace = given("efficiency", require_positive("The efficiency", self.center.efficiency))
        setup = quotient("setup", given("setup", self.setup_hours, unit="h"), pace, unit="h")
        return total("clock time", (setup, self._run(units)), unit="h")

    def load(self) -> Decimal:
        """Return the hours of one machine at the standard pace that are left: what loads the work center [h]."""
        hours = fraction_of(self.clock()) * Fraction(self.center.efficiency) * self.machines
        if hours >= HOURS_MOST:
            raise OutOfRange("The work left", decimal_of(hours), f"below {HOURS_MOST:,} h")
        return round_to(decimal_of(hours), HOUR_STEP)

    def _run(self, units: Fraction) -> Derivation:
        times = ratio("units", units)
        if self.run_quantity != ONE:
            batch = require_positive("The run quantity", self.run_quantity)
            times = quotient("batches", times, given("units of a batch", batch))
            if self.runs_whole_batches:
                times = rounded_up("whole batches", times, ONE)
        work = product("run", (given("run", self.run_hours, unit="h"), times), unit="h")
        machines = self.center.efficiency * self.machines
        pace = given(
            "efficiency × machines", require_positive("The efficiency × machines", machines)
        )
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

    Queue and clock time pass on the work center's calendar, wait and move round the clock, days
    out on the supplier's calendar.
    An operation with a transfer quantity lets the next begin after its first transfer, and
    end no earlier than the last transfer is worked on there.

    Raises
    ------
    NoWorkingTime (calendar.no_working_time)
    WithoutZone (calendar.without_zone)
    """
    require_zone(due)
    planned: dict[int, Planned] = {}
    for number in reversed(network.yields):
        t = times[number]
        working, clock = t.center.working, _seconds(t.clock())
        followers = [planned[s] for s in network.following[number]]
        if t.is_done():  # it keeps no one waiting
            ends = starts = min([p.arrives for p in followers] or [due])
        elif t.transfer_quantity is None:
            ends = working.subtract(t.latest_end(min([p.arrives for p in followers] or [due])), 0)
            starts = working.subtract(ends, clock) if clock else ends
        else:
            lasts = [_last_arrival(times[p.number], p, t) for p in followers]
            starts = working.subtract(working.subtract(t.latest_end(min(lasts or [due])), 0), clock)
            for p in followers:
                starts = min(starts, working.subtract(t.latest_end(p.arrives), t.head_seconds()))
            ends = working.add(starts, clock) if clock else starts
        queue = t.queue_seconds()
        arrives = working.subtract(starts, queue) if queue else starts
        planned[number] = Planned(
            number=number, arrives=arrives, starts=starts, ends=ends, leaves=t.handed_over(ends)
        )
    return dict(reversed(planned.items()))


def _last_arrival(follower: OperationTime, p: Planned, before: OperationTime) -> datetime:
    """Return the latest moment at which the last units from the operation before may arrive."""
    tail = follower.tail_seconds(before)
    return follower.center.working.subtract(p.ends, tail) if tail else p.ends


def schedule_forward(
    network: Network, times: Mapping[int, OperationTime], start: datetime
) -> dict[int, Planned]:
    """Return the earliest dates with nothing before `start`; rules and refusals as backward."""
    require_zone(start)
    planned: dict[int, Planned] = {}
    for number in network.yields:
        t = times[number]
        working = t.center.working
        clock = _seconds(t.clock())
        arrives, no_earlier = start, start
        for before in network.before[number]:
            p, q = planned[before], times[before]
            if q.transfer_quantity is None or q.is_done():
                arrives = max(arrives, p.leaves)
            else:
                head = q.head_seconds()
                first = q.center.working.add(p.starts, head) if head else p.starts
                arrives = max(arrives, q.handed_over(first))
                tail = t.tail_seconds(q)
                no_earlier = max(no_earlier, working.add(p.leaves, tail) if tail else p.leaves)
        queue = t.queue_seconds()
        ready = working.add(arrives, queue) if queue else arrives
        starts = working.add(ready, 0) if clock else ready
        ends = max(working.add(starts, clock), no_earlier) if clock else max(starts, no_earlier)
        planned[number] = Planned(
            number=number, arrives=arrives, starts=starts, ends=ends, leaves=t.handed_over(ends)
        )
    return planned


@exact
def days_ahead(network: Network, times: Mapping[int, OperationTime]) -> dict[int, Decimal]:
    """Return the working days of work that are left from each operation on, to the last.

    An operation's clock time over the hours of a working day of its work center; where several
    follow, the longest way counts. Waiting is not work.

    Source
    ------
    Work remaining of the critical ratio: Heizer & Render, *Operations Management*, ch.
    "short-term scheduling".
    """
    found: dict[int, Fraction] = {}
    for number in reversed(network.yields):
        t = times[number]
        a_day = t.center.working.seconds_a_day
        own = fraction_of(t.clock()) * HOUR / a_day if a_day else Fraction(0)
        found[number] = own + max((found[s] for s in network.following[number]), default=0)
    return {n: round_to(decimal_of(days), HOUR_STEP) for n, days in found.items()}


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
    can_begin = min(p.arrives for p in backward.values()) >= now
    if can_begin and not _comes_back_late(network, times, backward, due):
        return Dates(operations=backward, is_forward=False)
    return Dates(operations=schedule_forward(network, times, now), is_forward=True)


def _comes_back_late(
    network: Network,
    times: Mapping[int, OperationTime],
    planned: Mapping[int, Planned],
    due: datetime,
) -> bool:
    """Tell whether something that is out is back only after it should go on."""
    for number, p in planned.items():
        out = times[number].out
        if out and out.no_earlier and not times[number].is_done():
            wanted = min([planned[f].arrives for f in network.following[number]] or [due])
            if p.leaves > wanted:
                return True
    return False


def _seconds(hours: Derivation) -> int:
    """Return hours in seconds, rounded up: exactly, since a second more may be a day more."""
    return ceil(fraction_of(hours) * HOUR)


def _span(hours: Decimal) -> timedelta:
    """Return hours round the clock, or refuse more than a calendar holds: OutOfRange (input.out_of_range)."""
    if not 0 <= hours <= SPAN_MOST:
        raise OutOfRange("A wait", hours, f"between 0 and {SPAN_MOST} h")
    return timedelta(seconds=ceil(Fraction(hours) * HOUR))
