"""What orders are short of: kept by item, from what is wanted, reserved, free and to come."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal
from typing import Any, NamedTuple

from django.db.models import Sum
from poietic_core.order.attention import (
    EXPIRES_WITHIN,
    Attention,
    Expiring,
    Kind,
    Missing,
    Overdue,
    of_expiring,
    of_missing,
    of_overdue,
)
from poietic_core.order.states import RUNNING, OrderState
from poietic_core.planning.model import Demand, Source, Supply
from poietic_core.planning.promise import Lack, coming_first, share
from poietic_core.quantity import ZERO

from ..catalog.models import Item
from ..catalog.queries import any_of
from ..ledger.reserving import FREE
from ..statements.bulk import update_rows, upsert_rows
from ..statements.prepared import Prepared, array_of, planned_once
from ..stores.future import supplies_of
from .models import Order, PlannedNeed, Shortage, StoredAttention
from .standing import OPEN, Told

#: of each item: what each running order still wants, what is reserved for it, and what it is said to be
#: short of; what each order that is not released yet will need, and is said to be short of; with what is
#: free of the item at all
WANTED = f"""
WITH wanted AS (
  SELECT i.item_id, i.order_id, sum(i.still) AS still
  FROM orders_orderinput i WHERE i.item_id = ANY(%s::bigint[]) AND i.still > 0
  GROUP BY 1, 2),
reserved AS (
  SELECT item_id, cost_object_id AS order_id, sum(quantity) AS reserved FROM ledger_reservation
  WHERE item_id = ANY(%s::bigint[]) GROUP BY 1, 2),
known AS (
  SELECT id, item_id, order_id, quantity FROM orders_shortage WHERE item_id = ANY(%s::bigint[])),
free AS ({FREE}),
lines AS (
  SELECT item_id, order_id, coalesce(w.still, 0) AS still, coalesce(k.quantity, 0) AS known,
         k.id AS stored, false AS is_planned, NULL::date AS comes
  FROM wanted w FULL JOIN known k USING (item_id, order_id)
  UNION ALL
  SELECT item_id, order_id, quantity, short, id, true, comes
  FROM orders_plannedneed WHERE item_id = ANY(%s::bigint[]))
SELECT x.item_id, x.order_id, o.number, o.due, x.still, coalesce(r.reserved, 0), x.known, x.stored,
       coalesce(f.free, 0), coalesce(s.wip, 0), coalesce(s.days_late, 0), x.is_planned, x.comes
FROM lines x
JOIN orders_order o ON o.id = x.order_id
LEFT JOIN reserved r ON (r.item_id, r.order_id) = (x.item_id, x.order_id)
LEFT JOIN free f ON f.item_id = x.item_id
LEFT JOIN orders_standing s ON s.order_id = x.order_id
"""
#: of each item: what expires by a day or has expired, in how many lots, its first last day, what it is worth
EXPIRING = """
SELECT 'expires', b.item_id, sum(b.quantity), count(DISTINCT l.id), min(l.expires_on),
       round(h.value * sum(b.quantity) / h.quantity, 2), 0, ''
FROM ledger_stockbalance b
JOIN ledger_lot l ON l.id = b.lot_id AND l.state = 'usable' AND l.expires_on <= %s
JOIN ledger_holding h ON h.item_id = b.item_id
WHERE b.item_id = ANY(%s::bigint[]) AND b.quantity > 0 GROUP BY b.item_id, h.value, h.quantity
"""


@dataclass(frozen=True, slots=True)
class Awaited:
    """How an app that brings items in tells what has not come by its day."""

    #: of some items (an array) by a day: 'overdue', item, quantity, how many orders to suppliers, the
    #: first day that was promised, 0, the number of its order, the supplier's name
    overdue: str
    #: returns the items of which something should have come by a day
    late: Callable[[date], Iterable[int]]


AWAITED: list[Awaited] = []


def untold(day: date) -> set[int]:
    """Return the items that are late on a day and not told of, or told of and late no longer."""
    rows = StoredAttention.objects.filter(kind=Kind.OVERDUE.value)
    late = {item for awaited in AWAITED for item in awaited.late(day)}
    return late ^ set(rows.values_list("item_id", flat=True))


#: what is missing, expires or is overdue; promises are told by the plan
TOLD = Prepared(
    lambda items: StoredAttention.objects.filter(item__in=any_of(items)).exclude(
        kind=Kind.PROMISE.value
    )
)


NO_LACK = Lack(ZERO, None)


class Dated(NamedTuple):
    """What of an item expires, or has not come by its day."""

    kind: str
    item: int
    quantity: Decimal
    #: lots, or orders to suppliers
    times: int
    day: date
    worth: Decimal
    #: of what has not come: the first of these orders, and its supplier
    purchase: int
    supplier: str


class Wanted(NamedTuple):
    """A row of it."""

    item: int
    order: int
    number: int
    due: date
    still: Decimal
    reserved: Decimal
    #: what the order is said to be short of
    known: Decimal
    #: key of the row that says so
    stored: int | None
    #: of the item, for all
    free: Decimal
    wip: Decimal
    days_late: int
    #: it is not released yet; and when what it is short of is said to be there
    is_planned: bool
    comes: date | None


def keep_shortages(items: Iterable[int], day: date) -> None:
    """Store anew what orders are short of some items on a day, whose holdings are locked.

    What runs comes before what is planned.
    """
    listed = sorted(set(items))
    if not listed:
        return
    with planned_once() as cursor:
        cursor.execute(WANTED, [*[array_of(listed)] * 3, day, *[array_of(listed)] * 2])
        rows = [Wanted(*row) for row in cursor.fetchall()]
        said: list[Any] = [day + timedelta(days=EXPIRES_WITHIN), array_of(listed)]
        parts = [EXPIRING, *(a.overdue for a in AWAITED)]
        said += [value for _ in AWAITED for value in (array_of(listed), day)]
        cursor.execute(" UNION ALL ".join(parts), said)
        dated = [Dated(*row) for row in cursor.fetchall()]
    wanted: dict[int, list[Wanted]] = {item: [] for item in listed}
    for row in rows:
        wanted[row.item].append(row)
    lacks = {item: _lacks(own) for item, own in wanted.items()}
    if missing := [row.item for row in rows if row.is_planned and row.number in lacks[row.item]]:
        for item, supplies in supplies_of(missing).items():  # who plans asks when it comes
            lacks[item] = _lacks(wanted[item], supplies)
    changed: list[tuple[int, int, Decimal]] = []
    gone: list[int] = []
    planned: list[tuple[int, Decimal, date | None]] = []
    short: dict[int, dict[int, Decimal]] = {item: {} for item in listed}
    for row in rows:
        lack = lacks[row.item].get(row.number, NO_LACK)
        if row.is_planned:
            if (lack.short, lack.comes) != (row.known, row.comes):
                planned.append((row.stored or 0, lack.short, lack.comes))
            continue
        now = lack.short if row.still else ZERO  # it may be planned again, in a row of its own
        if now:
            short[row.item][row.number] = now
        if now and now != row.known:
            changed.append((row.order, row.item, now))
        elif row.stored and not now:
            gone.append(row.stored)
    upsert_rows(Shortage, ("order", "item"), ("quantity",), sorted(changed))
    if gone:
        Shortage.objects.filter(pk__in=any_of(gone)).delete()
    update_rows(PlannedNeed, ("id", "short", "comes"), planned)
    running = {item: [r for r in own if not r.is_planned] for item, own in wanted.items()}
    _tell(running, short, dated, day)


def _lacks(rows: list[Wanted], supplies: Iterable[Supply] = ()) -> dict[int, Lack]:
    """Return what each order is short of an item, by number; what runs comes before what is planned."""
    demands = [
        Demand(
            source=Source.ORDER,
            number=row.number,
            due=row.due,
            quantity=row.still,
            reserved=row.reserved,
            rank=int(row.is_planned),
        )
        for row in rows
        if row.still
    ]
    return share(demands, rows[0].free if rows else ZERO, supplies)


def _tell(
    wanted: dict[int, list[Wanted]],
    short: dict[int, dict[int, Decimal]],
    dated: list[Dated],
    day: date,
) -> None:
    """Store for each item that it is missing, for all orders that are short of it, expires, is late, or no longer."""
    missing = [item for item, orders in short.items() if orders]
    named = {*missing, *(d.item for d in dated)}
    things = Item.objects.in_bulk(named) if named else {}
    supplies = supplies_of(missing) if missing else {}
    known: dict[int | None, list[StoredAttention]] = {}
    for a in TOLD.of_any(wanted):
        known.setdefault(a.item_id, []).append(a)
    of_item: dict[int, list[Dated]] = {}
    for d in dated:
        of_item.setdefault(d.item, []).append(d)
    told = Told()
    for item, orders in short.items():
        found = []
        waiting = [row for row in wanted[item] if row.number in orders]
        if orders:
            found.append(
                of_missing(
                    Missing(
                        item=things[item].code,
                        unit=things[item].unit,
                        quantity=sum(orders.values(), ZERO),
                        orders=len(waiting),
                        days=max(row.days_late for row in waiting),
                        held=sum((row.wip for row in waiting), ZERO),
                        comes=coming_first(supplies.get(item, [])),
                    )
                )
            )
        found += [_of_dated(d, things[item], waiting, day) for d in of_item.get(item, [])]
        told.put(known.get(item, []), found, item=item)
    told.write()


def _of_dated(d: Dated, item: Item, waiting: list[Wanted], day: date) -> Attention:
    if d.kind == "expires":
        expiring = Expiring(item=item.code, unit=item.unit, quantity=d.quantity, lots=d.times, last_day=d.day, worth=d.worth)  # fmt: skip
        return of_expiring(expiring, day)
    late = Overdue(
        item=item.code,
        unit=item.unit,
        quantity=d.quantity,
        comes_on=d.day,
        purchase=d.purchase,
        supplier=d.supplier,
        purchases=d.times,
        waiting=tuple(row.number for row in sorted(waiting, key=lambda r: (r.due, r.number))),
        held=sum((row.wip for row in waiting), ZERO),
    )
    return of_overdue(late, day)


def from_orders(items: list[int]) -> list[tuple[int, Supply, str]]:
    """Return what open orders will bring of some items, with the item."""
    states = [s.value for s in OPEN if s is not OrderState.COMPLETED]
    making = Order.objects.filter(item__in=any_of(items), state__in=states)
    rows = making.values_list("item", "number", "quantity", "received", "standing__finishes", "receipt_place__site")  # fmt: skip
    return [
        (
            item,
            Supply(source=Source.ORDER, number=n, comes=comes, quantity=quantity - received, site=site or 0),
            "makes it",
        )
        for item, n, quantity, received, comes, site in rows
    ]  # fmt: skip


SHORT = Prepared(
    lambda order: Shortage.objects.filter(order=order).select_related("item").order_by("item__code")
)


#: orders that are named as waiting for an item: the first due
NAMED = 20

WAITING: Prepared[tuple[int, str, Decimal, date]] = Prepared(
    lambda item: (
        Order.objects.filter(
            state__in=[s.value for s in RUNNING], inputs__item=item, inputs__still__gt=0
        )
        .order_by("due", "number")
        .values_list("number", "item__name")
        .annotate(Sum("inputs__still"))
        .values_list("number", "item__name", "inputs__still__sum", "due")[: NAMED + 1]
    )
)
