"""When an order runs and finishes: what is left of it, on the calendars of its work centers."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from decimal import Decimal

from django.utils import timezone
from poietic_core.calendar.schedule import (
    OperationTime,
    Planned,
    finish_of,
    plan_dates,
)
from poietic_core.calendar.working_time import NoWorkingTime
from poietic_core.order.report import remaining
from poietic_core.order.states import OrderState
from poietic_core.quantity import ZERO
from poietic_core.structure.flow import Network
from poietic_core.structure.model import Operation, Structure
from poietic_core.structure.requirement import entering

from ..engineering.queries import in_force, structures_of, work_center_times
from .book import OrderBook
from .models import OrderOperation

#: how far calendars are laid out around today, and beyond the due dates [days]
BACK, AHEAD = 120, 500
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


def start_day(book: OrderBook, now: datetime) -> date:
    """Return the day by which the lines and the revision of an order to release are chosen.

    Its planned start, today where that has passed or is not known.
    """
    dates = Dating([book], now).of(book)
    today = timezone.localdate(now)
    return max(today, timezone.localdate(dates.starts)) if dates else today


class Dating:
    """The calendars laid out once, for the orders of one request."""

    def __init__(self, books: Iterable[OrderBook], now: datetime) -> None:
        listed = list(books)
        self.now = now
        today = timezone.localdate(now)
        last = max([b.order.due for b in listed if b.state in UNFINISHED] or [today])
        self._span = (today - timedelta(days=BACK), max(last, today) + timedelta(days=AHEAD))
        self._centers = work_center_times(*self._span) if listed else {}
        planned = {b.order.item_id for b in listed if b.state is OrderState.PLANNED}
        revisions = list(in_force(today).filter(item__in=planned)) if planned else []
        structures = structures_of(revisions)
        self._structures = {r.item_id: structures[r.pk].on(today) for r in revisions}

    def of(self, book: OrderBook) -> OrderDates | None:
        """Return the dates of an unfinished order; None where nothing is left or known of it."""
        if book.state not in UNFINISHED:
            return None
        if book.operations:
            network, times = Network(book.progress()), self._left(book)
        elif structure := self._structures.get(book.order.item_id):
            network, times = Network(structure.operations), self._whole(book, structure)
        else:
            return None
        due = book.order.due
        end_of_due = datetime.combine(
            due + timedelta(days=1), time(), timezone.get_current_timezone()
        )
        try:
            planned = plan_dates(network, times, due=end_of_due, now=self.now).operations
        except NoWorkingTime:
            return None
        finish = timezone.localtime(finish_of(planned.values()) - timedelta(seconds=1)).date()
        last = times[network.ends()[-1]].center.working
        return OrderDates(
            starts=min(p.arrives for p in planned.values()),
            finishes=finish,
            days_late=last.days_between(due, finish) if finish > due else 0,
            operations=dict(planned),
        )

    def _left(self, book: OrderBook) -> dict[int, OperationTime]:
        left = remaining(book.progress(), book.order.quantity)
        return {
            o.number: self._time(
                o,
                center=o.work_center.code,
                units=left[o.number],
                setup=ZERO if o.good or o.scrap else o.setup_hours,
                run=o.run_hours,
            )
            for o in book.operations
        }

    def _whole(self, book: OrderBook, structure: Structure) -> dict[int, OperationTime]:
        enter = entering(structure.operations, book.order.quantity)
        return {
            o.number: self._time(
                o,
                center=o.work_center,
                units=enter[o.number].value,
                setup=clock_setup(o),
                run=clock_run(o),
            )
            for o in structure.operations
        }

    def _time(
        self,
        o: Operation | OrderOperation,
        *,
        center: str,
        units: Decimal,
        setup: Decimal,
        run: Decimal,
    ) -> OperationTime:
        same = {name: getattr(o, name) for name in TIME_FIELDS}
        return OperationTime(
            number=o.number,
            center=self._centers[center],
            units=units,
            setup_hours=setup,
            run_hours=run,
            **same,
        )


UNFINISHED = (OrderState.PLANNED, OrderState.RELEASED, OrderState.STARTED)


def clock_setup(o: Operation) -> Decimal:
    """Return the hours that setting up takes: people and machine at once."""
    return max(o.setup_labour_hours, o.setup_machine_hours)


def clock_run(o: Operation) -> Decimal:
    """Return the machine's hours of a run; the people's where no machine sets the pace."""
    return o.run_machine_hours or o.run_labour_hours
