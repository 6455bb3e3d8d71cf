"""How orders stand: dates, delay, cost and what needs a decision, stored when something changes them."""

import json
from collections.abc import Iterable, Mapping
from datetime import date, datetime, timedelta
from decimal import Decimal

from django.db import transaction
from django.utils import timezone
from poietic_core.order.attention import AtSupplier, Attention, OpenOrder, Threshold, of_order
from poietic_core.order.report import due_at, next_operation
from poietic_core.order.states import RUNNING, OrderState
from poietic_core.quantity import ZERO, money
from poietic_core.variance.forecast import forecast_of

from ..catalog.models import Item
from ..catalog.queries import any_of
from ..engineering.models import WorkCenter
from ..statements.bulk import insert_rows, update_rows, upsert_rows
from ..statements.prepared import Prepared, lock_keys
from .book import ORDER_PARTS, STOOD, OrderBook
from .dates import UNRELEASED, Dating, OrderDates
from .faulty import computed
from .models import Order, OrderOperation, Standing, StoredAttention
from .open_book import OpenBook
from .outcomes import FINISHED, as_json, by_kind, keep_outcome
from .planned import NOTHING, Outlook, keep_needs, keep_work, outlooks

#: orders that somebody has to look after
OPEN = [*UNRELEASED, OrderState.RELEASED, OrderState.STARTED, OrderState.COMPLETED]
#: orders stood anew in one transaction
BATCH = 50
FIELDS = ("as_of", "starts", "finishes", "days_late", "waits_at", "blocks", "newer", "fault", "wip", "charged", "forecast", "variance", "touched_on", "causes")  # fmt: skip
KNOWN = Prepared(lambda key: StoredAttention.objects.filter(order=key))


def words_of_day(day: date) -> str:
    """Return a day as it is read: Thu 26 Nov."""
    return f"{day:%a} {day.day} {day:%b}"


def due_units(book: OrderBook) -> dict[int, Decimal]:
    """Return the units that each reported operation should work on next."""
    if book.state not in RUNNING or not book.operations:
        return {}
    return due_at(book.progress(), book.order.quantity, book.order.item.step)


def waiting_operation(book: OrderBook, due: Mapping[int, Decimal]) -> str:
    """Return the operation that is to be reported next with its units, in words; "" if there is none."""
    number = next_operation(due)
    if number is None:
        return ""
    return f"{due[number].normalize():f} left at operation {number} {book.operation(number).name}"


def forecast(book: OrderBook) -> Decimal | None:
    """Return what an order will have been charged at its completion; None: it does not run, or nobody can tell."""
    if book.state not in RUNNING:
        return None
    return computed(lambda: money(forecast_of(book.facts())))[0]


def stand(
    book: OrderBook, now: datetime, dating: Dating | None = None, outlook: Outlook | None = None
) -> set[int]:
    """Store how an order stands whose row is locked; of one that has ended nothing is kept.

    Returns the items of which something else is wanted, or will come, than was known.
    """
    if book.state in FINISHED and isinstance(book, OpenBook):  # of another nothing has changed
        keep_outcome(book)
    if book.state not in OPEN:
        Standing.objects.filter(order=book.order.pk).delete()
        StoredAttention.objects.filter(order=book.order.pk).delete()
        keep_work(book.order.pk, None)
        return {book.order.item_id, *keep_needs({book.order.pk: {}})}
    dating = dating or Dating([book], now)
    day = timezone.localdate(now)
    if outlook is None:
        outlook = outlooks([book], dating.structures, day).get(book.order.pk, NOTHING)
    dates = dating.of(book)
    variance, fault = computed(
        lambda: book.final or (book.variance() if book.order.standard else None)
    )
    due, second = computed(lambda: due_units(book))
    waits = waiting_operation(book, due or {})
    fault = (fault or second or outlook.fault or dating.faults.get(book.order.number, ""))[:400]
    charged = variance.charged if variance else ZERO
    comes_to = forecast(book)
    comes_to = charged if comes_to is None else comes_to
    wip = charged - book.order.received_value
    to_date = variance.to_date() if variance else ZERO
    causes = by_kind(variance) if variance else {}
    largest = max(causes, key=lambda kind: causes[kind], default="")
    was = [book.stood] if isinstance(book, OpenBook) and book.stood else STOOD.of(book.order.pk)
    newer = dating.newer_than(book)
    if newer is None:  # it was not asked; it may have been adopted
        newer = was[0].newer if was else ""
        newer = newer if book.order.revision and book.order.revision.letter != newer else ""
    touched_on = day if isinstance(book, OpenBook) else was[0].touched_on if was else None
    row = (day, *_days_of(dates), waits[:200], outlook.blocks, newer, fault, wip, charged, comes_to, to_date, touched_on, as_json(causes))  # fmt: skip
    if not was or tuple(getattr(was[0], name) for name in FIELDS) != row:
        upsert_rows(Standing, ("order",), FIELDS, [(book.order.pk, *row[:5], json.dumps(row[5]), *row[6:-1], json.dumps(row[-1]))])  # fmt: skip
    _store_times(book, dates, due or {})
    out = tuple(at_suppliers(book))
    order = OpenOrder(
        number=book.order.number,
        name=f"{book.order.number} {book.order.item.name}",
        finishes=dates.finishes if dates else None,
        days_late=dates.days_late if dates else 0,
        state=book.state,
        waits_at=waits,
        fault=fault,
        wip=wip,
        charged=charged,
        variance=to_date,
        largest_cause=largest,
        revision=book.order.revision.letter if book.order.revision else "",
        newer=newer,
        due=book.order.due,
        touched_on=touched_on,
        keep_until=book.order.keep_until,
        is_all_received=book.order.received >= book.order.quantity,
        on_hold=book.order.hold_reason.name if book.order.hold_reason else "",
        threshold=_threshold(book),
        out=out,
        waiting=_made_for(book) if any(a.back_on < day for a in out) else (),
    )
    told = Told()
    told.put(KNOWN.of(book.order.pk), of_order(order, day), order=book.order.pk)
    told.write()
    touched = {book.order.item_id} if not was or was[0].finishes != order.finishes else set()
    if book.state in UNRELEASED:
        touched |= keep_needs({book.order.pk: outlook.needs})
        keep_work(book.order.pk, dates)
    return touched


def _threshold(book: OrderBook) -> Threshold:
    """Return from when on the order's variance is worth a look."""
    own: list[Item | WorkCenter] = [book.order.item, *(o.work_center for o in book.operations)]
    of_item, *centers = (
        Threshold(x.variance_from, x.variance_share)
        if x.variance_from is not None and x.variance_share is not None
        else None
        for x in own
    )
    return Threshold.tightest(of_item, [t for t in centers if t])


def at_suppliers(book: OrderBook) -> list[AtSupplier]:
    """Return which units of an order are out, at whom, and when they are to be back."""
    return [
        AtSupplier(
            operation=o.number,
            supplier=o.supplier.name,
            quantity=o.sent - o.processed,
            unit=book.order.item.unit,
            back_on=timezone.localdate(o.back_at - timedelta(seconds=1)),
        )
        for o in book.operations
        if o.supplier and o.back_at and o.sent > o.processed
    ]


def _made_for(book: OrderBook) -> tuple[int, ...]:
    """Return the order that one is made for, and those that wait for that in turn."""
    found: list[int] = []
    key = book.order.made_for_id
    while key is not None:
        number, key = Order.objects.filter(pk=key).values_list("number", "made_for").get()
        found.append(number)
    return tuple(found)


def _days_of(dates: OrderDates | None) -> tuple[object, ...]:
    if dates is None:
        return (None, None, 0)
    return (timezone.localtime(dates.starts).date(), dates.finishes, dates.days_late)


#: what is kept of an operation of when it runs and what is left of it
LEFT = ("starts_at", "ends_at", "units_due", "hours_left", "days_left")


def _store_times(book: OrderBook, dates: OrderDates | None, due: Mapping[int, Decimal]) -> None:
    moved = []
    for o in book.operations:
        units = ZERO if o.is_finished else due.get(o.number, ZERO)
        left: tuple[object, ...] = (None, None, units, ZERO, ZERO)
        if dates and not o.is_finished:
            at = dates.operations[o.number]
            left = (at.starts, at.ends, left[2], dates.hours[o.number], dates.ahead[o.number])
        if tuple(getattr(o, name) for name in LEFT) != left:
            for name, value in zip(LEFT, left, strict=True):
                setattr(o, name, value)
            moved.append((o.pk, *left))
    update_rows(OrderOperation, ("id", *LEFT), moved)


class Told:
    """What needs a decision, gathered for orders and items, and written in the place of what was known."""

    def __init__(self) -> None:
        self._fresh: list[tuple[object, ...]] = []
        self._changed: list[tuple[object, ...]] = []
        self._gone: list[int] = []

    def put(
        self,
        known: Iterable[StoredAttention],
        found: Iterable[Attention],
        *,
        order: int | None = None,
        item: int | None = None,
    ) -> None:
        """Say what needs a decision at an order, or because of an item, and what was known of it."""
        there = {a.kind: a for a in known}
        for a in found:
            was = there.pop(a.kind.value, None)
            told = (a.sentence[:600], a.orders, a.days, a.money, a.weight())
            if was is None:
                self._fresh.append((a.kind.value, order, item, *told))
            elif (was.sentence, was.orders, was.days, was.money, was.weight) != told:
                self._changed.append((was.pk, *told))
        self._gone += [a.pk for a in there.values()]

    def write(self) -> None:
        """Write all that was said, a statement for each way of changing."""
        said = ("sentence", "orders", "days", "money", "weight")
        insert_rows(StoredAttention, ("kind", "order", "item", *said), self._fresh)
        update_rows(StoredAttention, ("id", *said), self._changed)
        if self._gone:
            StoredAttention.objects.filter(pk__in=any_of(self._gone)).delete()


def stand_all(now: datetime, *, stale_only: bool = False) -> int:
    """Store anew how all open orders stand, a few in each transaction; return how many there were.

    With `stale_only` those that were stood today already are left alone.
    """
    rows = Order.objects.filter(state__in=[s.value for s in OPEN]).order_by("pk")
    if stale_only:
        rows = rows.exclude(standing__as_of__gte=timezone.localdate(now))
    keys = list(rows.values_list("pk", flat=True))
    for begin in range(0, len(keys), BATCH):
        with transaction.atomic():
            locked = lock_keys(Order, "cost_object", keys[begin : begin + BATCH])
            orders = Order.objects.filter(pk__in=locked).select_related(*ORDER_PARTS)
            books = OrderBook.many(orders.order_by("pk"))
            dating = Dating(books, now, asks_revisions=True)
            looked = outlooks(books, dating.structures, timezone.localdate(now))
            for book in books:
                stand(book, now, dating, looked.get(book.order.pk, NOTHING))
    return len(keys)
