"""When an order runs and finishes: what is left of it, on the calendars of its work centers."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from fractions import Fraction
from typing import Any

from django.utils import timezone
from poietic_core.calendar.schedule import (
    DaysOut,
    OperationTime,
    Planned,
    SupplierTime,
    days_ahead,
    finish_of,
    plan_dates,
    schedule_forward,
)
from poietic_core.calendar.working_time import NoWorkingTime
from poietic_core.derivation import fraction_of
from poietic_core.errors import OutOfRange
from poietic_core.order.report import remaining
from poietic_core.order.states import OrderState
from poietic_core.quantity import ONE, ZERO
from poietic_core.structure.flow import Network
from poietic_core.structure.model import Multiple, Operation, Per, Structure
from poietic_core.structure.phantom import inline
from poietic_core.structure.requirement import entering

from ..engineering.models import Revision
from ..engineering.queries import (
    LaidOut,
    in_force,
    laid_out,
    phantoms_on,
    structures_in_force,
)
from ..engineering.structures import structures_of
from .book import OrderBook
from .faulty import computed
from .models import OrderOperation

#: how far calendars are laid out around today, and beyond the due dates [days]
BACK, AHEAD = 120, 500
#: the latest due date that calendars are laid out for, from today [days]
DUE_MOST = 3_700
TIME_FIELDS = (
    *("run_quantity", "runs_whole_batches", "machines"),
    *("queue_hours", "wait_hours", "move_hours", "transfer_quantity"),
)


@dataclass(frozen=True, slots=True)
class OrderDates:
    """When what is left of an order runs."""

    starts: datetime
    #: the last day worked on
    finishes: date
    #: working days after the due date
    days_late: int
    operations: dict[int, Planned]
    #: by operation: work center, hours that it loads it with, working days of work from it to the end
    centers: dict[int, str]
    hours: dict[int, Decimal]
    ahead: dict[int, Decimal]


def start_day(dates: OrderDates | None, now: datetime) -> date:
    """Return the day by which the lines and the revision of an order to release are chosen.

    Its planned start, today where that has passed or is not known.
    """
    today = timezone.localdate(now)
    return max(today, timezone.localdate(dates.starts)) if dates else today


class Dating:
    """The calendars laid out once, for the orders of one request."""

    def __init__(
        self, books: Iterable[OrderBook], now: datetime, *, asks_revisions: bool = False
    ) -> None:
        listed = list(books)
        self.now = now
        today = timezone.localdate(now)
        last = max([b.order.due for b in listed if b.state in UNFINISHED] or [today])
        last = min(max(last, today), today + timedelta(days=DUE_MOST))
        steps = -(-(last - today).days // AHEAD)  # few spans, so that calendars are laid out seldom
        self._span = (today - timedelta(days=BACK), today + timedelta(days=(steps + 1) * AHEAD))
        self._laid_out = laid_out(*self._span) if listed else LaidOut()
        #: what is wrong with orders that were asked for, by number
        self.faults: dict[int, str] = {}
        waiting = [b.order for b in listed if b.state in UNRELEASED]
        planned = {o.item_id for o in waiting}
        self._asked = planned | {b.order.item_id for b in listed if asks_revisions}
        #: revisions in force of what orders wait to be made, by item
        self.in_force = {r.item_id: r for r in in_force(today).filter(item__in=self._asked)} if self._asked else {}  # fmt: skip
        revisions = {r.pk: r for item, r in self.in_force.items() if item in planned}
        revisions |= {o.revision.pk: o.revision for o in waiting if o.revision}
        structures = structures_of(list(revisions.values()))
        phantoms = phantoms_on(today) if planned else {}
        made = {key: inline(structures[key].on(today), phantoms).structure for key in revisions}
        #: by order: of a firm one what it was derived from, of a planned one what is in force
        self.structures: dict[int, Structure] = {}
        within = structures_in_force({c for o in waiting for c in o.made_within}, today)
        for o in waiting:
            revision = o.revision or self.in_force.get(o.item_id)
            if revision:
                own = {c: within[c] for c in o.made_within if c in within}
                self.structures[o.pk] = (
                    inline(structures[revision.pk].on(today), phantoms | own).structure
                    if own
                    else made[revision.pk]
                )

    def of(self, book: OrderBook) -> OrderDates | None:
        """Return the dates of an unfinished order; None where nothing is left or known of it."""
        if book.state not in UNFINISHED:
            return None
        dates, fault = computed(lambda: self._dates(book))
        if fault:
            self.faults[book.order.number] = fault
        return dates

    def newer_than(self, book: OrderBook) -> str | None:
        """Return the letter of a revision in force that is not the order's; None where it was not asked."""
        if book.order.item_id not in self._asked:
            return None
        newest, own = self.in_force.get(book.order.item_id), book.order.revision
        if newest is None or own is None or own.state == Revision.State.OWN:
            return ""
        return newest.letter if newest.pk != own.pk else ""

    def _dates(self, book: OrderBook) -> OrderDates | None:
        if book.order.due > self._span[1]:
            raise OutOfRange("It is due", Decimal(book.order.due.year), f"due by {self._span[1]}")
        if book.operations:
            network, times = Network(book.progress()), self._left(book)
            centers = {o.number: o.work_center.code for o in book.operations}
        elif structure := self.structures.get(book.order.pk):
            network = Network(structure.operations)
            times = whole_times(structure, book.order.quantity, self._laid_out)
            centers = {o.number: o.work_center for o in structure.operations}
        else:
            return None
        due = book.order.due
        try:
            planned = plan_dates(network, times, due=end_of(due), now=self.now).operations
        except NoWorkingTime:
            return None
        finish = timezone.localtime(finish_of(planned.values()) - timedelta(seconds=1)).date()
        last = times[network.ends()[-1]].center.working
        return OrderDates(
            starts=min(p.arrives for p in planned.values()),
            finishes=finish,
            days_late=last.days_between(due, finish) if finish > due else 0,
            operations=dict(planned),
            centers=centers,
            hours={n: t.load() for n, t in times.items()},
            ahead=days_ahead(network, times),
        )

    def _left(self, book: OrderBook) -> dict[int, OperationTime]:
        left = remaining(book.progress(), book.order.quantity)
        return {
            o.number: _time(
                o,
                self._laid_out,
                days_out=self._days_out(book, o, left[o.number]),
                units=left[o.number],
                each=Fraction(o.each),
                per=Per(o.each_per),
                setup=ZERO if o.good or o.scrap else o.setup_hours,
                run=o.run_hours,
            )
            for o in book.operations
        }

    def _days_out(self, book: OrderBook, o: OrderOperation, left: Fraction) -> DaysOut | None:
        """Return what an operation takes outside; where all of it is out, until it is to be back."""
        if o.supplier is None:
            return None
        out = o.sent - o.processed
        back_at = o.back_at if out > 0 else None
        step = Fraction(book.order.item.step)
        if back_at and left - Fraction(out) < step:  # no whole piece is left to go
            return DaysOut(days=ZERO, no_earlier=back_at)
        supplier = self._laid_out.suppliers.get(o.supplier.code, SupplierTime())
        return DaysOut(days=o.days_out, supplier=supplier, no_earlier=back_at)


def whole_times(
    structure: Structure, quantity: Decimal, known: LaidOut
) -> dict[int, OperationTime]:
    """Return the times of a whole order of a structure, with its phantoms put in."""
    enter = entering(structure.operations, quantity)
    found = {}
    for o in structure.operations:
        setup, run = o.clock_hours()
        multiple = o.multiple or Multiple(number=ONE)
        found[o.number] = _time(
            o,
            known,
            days_out=_agreed(o, known),
            units=fraction_of(enter[o.number]),
            each=multiple.exactly(),
            per=multiple.per,
            setup=setup,
            run=run,
        )
    return found


def end_of(day: date) -> datetime:
    """Return the moment at which a day ends here."""
    return datetime.combine(day + timedelta(days=1), time(), timezone.get_current_timezone())


def back_by(o: OrderOperation, sent: datetime) -> datetime:
    """Return when what is sent to an operation's supplier at a moment is to be back."""
    assert o.supplier is not None
    day = timezone.localdate(sent)
    known = laid_out(day - timedelta(days=1), day + timedelta(days=AHEAD)).suppliers
    times = known.get(o.supplier.code, SupplierTime())
    return DaysOut(days=o.days_out, supplier=times).back(sent)


def working_days(structure: Structure, quantity: Decimal, day: date) -> int:
    """Return how many working days an order of a quantity takes when it begins on a day."""
    if not structure.operations:
        return 0
    eve = day - timedelta(days=1)
    times = whole_times(structure, quantity, laid_out(eve, day + timedelta(days=AHEAD)))
    network = Network(structure.operations)
    begin = datetime.combine(day, time(), timezone.get_current_timezone())
    finish = finish_of(schedule_forward(network, times, begin).values())
    last = times[network.ends()[-1]].center.working
    return last.days_between(eve, timezone.localtime(finish - timedelta(seconds=1)).date())


def _agreed(o: Operation, known: LaidOut) -> DaysOut | None:
    if o.subcontract is None:
        return None
    supplier = known.suppliers.get(o.subcontract.supplier, SupplierTime())
    return DaysOut(days=o.subcontract.days_out, supplier=supplier)


def _time(
    o: Operation | OrderOperation,
    known: LaidOut,
    *,
    days_out: DaysOut | None,
    units: Fraction,
    each: Fraction,
    per: Per,
    setup: Decimal,
    run: Decimal,
) -> OperationTime:
    if per is Per.ORDER:  # the whole of it, as long as any unit is left
        each = each / units if units else each
    code = o.work_center if isinstance(o, Operation) else o.work_center.code
    if code not in known.centers:
        raise LookupError(f"the calendar of {code} is in no time zone that is known")
    return OperationTime(
        number=o.number,
        center=known.centers[code],
        out=days_out,
        units=units,
        each=each,
        setup_hours=setup,
        run_hours=run,
        **passing_times(o),
    )


#: not released yet
UNRELEASED = (OrderState.PLANNED, OrderState.FIRM)
UNFINISHED = (*UNRELEASED, OrderState.RELEASED, OrderState.STARTED)


def passing_times(o: Operation | OrderOperation) -> dict[str, Any]:
    """Return what besides setup and run decides when an operation ends."""
    return {name: getattr(o, name) for name in TIME_FIELDS}
