"""What stands beside each material line of an order that runs: free, kept, expected, wanted by others."""

from typing import Any

from django.utils import timezone
from poietic_core.cost.model import InputKind
from poietic_core.order.states import RUNNING
from poietic_core.planning.promise import coming_first
from poietic_core.quantity import ZERO

from ..ledger.reserving import free_stock
from ..statements.prepared import Prepared, array_of, planned_once
from ..stores.future import supplies_of
from .book import OrderBook
from .models import Order

NO_OUTLOOK: dict[str, Any] = {
    "free": None,
    "kept": None,
    "expected": None,
    "comes": None,
    "wanted": None,
}

#: of some items: what is kept for an order at an operation, and what other running orders still want
KEPT = """
SELECT item_id, operation, sum(quantity), NULL FROM ledger_reservation
WHERE cost_object_id = %s AND item_id = ANY(%s::bigint[]) GROUP BY 1, 2
UNION ALL
SELECT item_id, NULL, NULL, sum(still) FROM orders_orderinput
WHERE item_id = ANY(%s::bigint[]) AND still > 0 AND order_id <> %s GROUP BY 1
"""


def outlook_of(book: OrderBook) -> dict[int, dict[str, Any]]:
    """Return what stands beside each component that is still wanted, by input."""
    if book.state not in RUNNING:
        return {}
    lines = [i for i in book.inputs if i.kind == InputKind.COMPONENT and i.item_id and i.still]
    items = sorted({i.item_id or 0 for i in lines})
    if not items:
        return {}
    free = free_stock(items, timezone.localdate())
    comes = {item: coming_first(s) for item, s in supplies_of(items).items()}
    kept, wanted = {}, {}
    with planned_once() as cursor:
        cursor.execute(KEPT, [book.order.pk, *[array_of(items)] * 2, book.order.pk])
        for item, operation, quantity, still in cursor.fetchall():
            if quantity is None:
                wanted[item] = still
            else:
                kept[item, operation] = quantity
    return {
        i.pk: {
            "free": free.get(i.item_id or 0, ZERO),
            "kept": kept.get((i.item_id, i.operation), ZERO),
            "expected": first[0] if (first := comes.get(i.item_id or 0)) else None,
            "comes": first[1] if first else None,
            "wanted": wanted.get(i.item_id, ZERO),
        }
        for i in lines
    }


MAKERS: Prepared[tuple[int, int]] = Prepared(
    lambda key: Order.objects.filter(made_for=key).order_by("number").values_list("item", "number")
)


def makers_of(order: Order) -> dict[int, list[int]]:
    """Return the numbers of the orders that make components for an order, by item."""
    found: dict[int, list[int]] = {}
    for item, number in MAKERS.of(order.pk):
        found.setdefault(item, []).append(number)
    return found
