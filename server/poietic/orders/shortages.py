"""What orders are short of: kept by item, from what is wanted, reserved, free and to come."""

from collections.abc import Iterable
from datetime import date
from decimal import Decimal
from typing import NamedTuple

from django.db.models import Sum
from poietic_core.order.attention import Missing, of_missing
from poietic_core.order.states import OrderState
from poietic_core.planning.model import Demand, Source, Supply
from poietic_core.planning.promise import Lack, coming_first, share
from poietic_core.quantity import ZERO

from ..catalog.models import Item
from ..catalog.queries import any_of
from ..ledger.reserving import FREE, free_stock
from ..statements.bulk import update_rows, upsert_rows
from ..statements.prepared import Prepared, array_of, planned_once
from ..stores.future import on_the_way
from .models import Order, PlannedNeed, Shortage, StoredAttention
from .standing import OPEN, RUNNING, Told

#: of each item: what each running order still wants, what is reserved for it, and what it is said to be
#: short of; with what is free of the item at all
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
free AS ({FREE})
SELECT x.item_id, x.order_id, o.number, o.due, x.still, coalesce(r.reserved, 0), x.known, x.stored,
       coalesce(f.free, 0), coalesce(s.wip, 0), coalesce(s.days_late, 0)
FROM (SELECT item_id, order_id, coalesce(w.still, 0) AS still, coalesce(k.quantity, 0) AS known, k.id AS stored
      FROM wanted w FULL JOIN known k USING (item_id, order_id)) x
JOIN orders_order o ON o.id = x.order_id
LEFT JOIN reserved r ON (r.item_id, r.order_id) = (x.item_id, x.order_id)
LEFT JOIN free f ON f.item_id = x.item_id
LEFT JOIN orders_standing s ON s.order_id = x.order_id
"""
#: of each item: what orders that are not released yet will need, and what they are said to be short of
PLANNED = """
SELECT n.id, n.item_id, n.order_id, o.number, o.due, n.quantity, n.short, n.comes
FROM orders_plannedneed n JOIN orders_order o ON o.id = n.order_id
WHERE n.item_id = ANY(%s::bigint[])
"""
TOLD = Prepared(lambda items: StoredAttention.objects.filter(item__in=any_of(items)))


NO_LACK = Lack(ZERO, None)


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


class Planned(NamedTuple):
    """A row of it."""

    key: int
    item: int
    order: int
    number: int
    due: date
    quantity: Decimal
    short: Decimal
    comes: date | None


def keep_shortages(items: Iterable[int], day: date) -> None:
    """Store anew what orders are short of some items on a day, whose holdings are locked.

    What runs comes before what is planned.
    """
    listed = sorted(set(items))
    if not listed:
        return
    with planned_once() as cursor:
        cursor.execute(WANTED, [*[array_of(listed)] * 3, day, array_of(listed)])
        rows = [Wanted(*row) for row in cursor.fetchall()]
        cursor.execute(PLANNED, [array_of(listed)])
        planned = [Planned(*row) for row in cursor.fetchall()]
    wanted: dict[int, list[Wanted]] = {item: [] for item in listed}
    for row in rows:
        wanted[row.item].append(row)
    lacks = _lacks(wanted, planned, day)
    # an order of which nothing more is wanted may be planned again: then it has a row of its own
    short = {
        item: {
            r.number: lacks[item][r.number].short
            for r in own
            if r.still and r.number in lacks[item]
        }
        for item, own in wanted.items()
    }
    changed: list[tuple[int, int, Decimal]] = []
    gone: list[int] = []
    for row in rows:
        now = short[row.item].get(row.number, ZERO)
        if now and now != row.known:
            changed.append((row.order, row.item, now))
        elif row.stored and not now:
            gone.append(row.stored)
    upsert_rows(Shortage, ("order", "item"), ("quantity",), sorted(changed))
    if gone:
        Shortage.objects.filter(pk__in=any_of(gone)).delete()
    _keep_planned(planned, lacks)
    _tell(wanted, short)


def _lacks(
    wanted: dict[int, list[Wanted]], planned: list[Planned], day: date
) -> dict[int, dict[int, Lack]]:
    """Return what each order is short of, by item and order number; and when enough comes."""
    demands: dict[int, list[Demand]] = {item: [] for item in wanted}
    for row in (r for rows in wanted.values() for r in rows if r.still):
        demands[row.item].append(
            Demand(
                source=Source.ORDER,
                number=row.number,
                due=row.due,
                quantity=row.still,
                reserved=row.reserved,
            )
        )
    for p in planned:
        demands[p.item].append(
            Demand(source=Source.ORDER, number=p.number, due=p.due, quantity=p.quantity, rank=1)
        )
    free = {item: rows[0].free for item, rows in wanted.items() if rows}
    if unknown := [item for item in wanted if item not in free and demands[item]]:
        free |= free_stock(unknown, day)
    found = {item: share(own, free.get(item, ZERO)) for item, own in demands.items()}
    missing = {p.item for p in planned if p.number in found[p.item]}
    if missing:  # who plans asks when it comes
        futures = supplies_of(missing)
        for item in missing:
            found[item] = share(demands[item], free.get(item, ZERO), futures.get(item, []))
    return found


def _keep_planned(planned: list[Planned], lacks: dict[int, dict[int, Lack]]) -> None:
    """Store what planned orders would be short of."""
    changed = []
    for p in planned:
        lack = lacks[p.item].get(p.number, NO_LACK)
        if (lack.short, lack.comes) != (p.short, p.comes):
            changed.append((p.key, lack.short, lack.comes))
    update_rows(PlannedNeed, ("id", "short", "comes"), changed)


def _tell(wanted: dict[int, list[Wanted]], short: dict[int, dict[int, Decimal]]) -> None:
    """Store for each item that it is missing, for all orders that are short of it, or no longer is."""
    missing = [item for item, orders in short.items() if orders]
    things = Item.objects.in_bulk(missing) if missing else {}
    supplies = supplies_of(missing) if missing else {}
    known: dict[int | None, list[StoredAttention]] = {}
    for a in TOLD.of_any(wanted):
        known.setdefault(a.item_id, []).append(a)
    told = Told()
    for item, orders in short.items():
        found = []
        if orders:
            waiting = [row for row in wanted[item] if row.number in orders]
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
        told.put(known.get(item, []), found, item=item)
    told.write()


def supplies_of(items: Iterable[int]) -> dict[int, list[Supply]]:
    """Return what will come of some items, and when, by item: from open orders and on the way."""
    found: dict[int, list[Supply]] = {}
    listed = list(items)
    for item, supply in [*from_orders(listed), *((i, s) for i, s, _ in on_the_way(listed))]:
        found.setdefault(item, []).append(supply)
    return found


def from_orders(items: Iterable[int]) -> list[tuple[int, Supply]]:
    """Return what open orders will bring of some items, with the item."""
    states = [s.value for s in OPEN if s is not OrderState.COMPLETED]
    making = Order.objects.filter(item__in=any_of(items), state__in=states)
    rows = making.values_list("item", "number", "quantity", "received", "standing__finishes")
    return [
        (item, Supply(source=Source.ORDER, number=n, comes=comes, quantity=quantity - received))
        for item, n, quantity, received, comes in rows
    ]


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
