"""The actual cost of a month: what standard-costed items differ by, carried to where the goods went."""

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal

from django.db import connection
from poietic_core.quantity import ZERO
from poietic_core.settle.period_cost import ItemActual, ItemPeriod, period_actuals

from ..catalog.models import STOCK_KINDS, Item
from .differing import origins
from .months import Month

#: what moved of standard-costed items in a month: came (new), consumed by orders of another item,
#: went elsewhere; and what it opened with. Returns and what was taken back count against the same.
FLOWS = """
WITH m AS (
  SELECT l.item_id, l.quantity, l.part, p.kind, p.happened_at, o.item_id AS made,
    t.kind AS goes_to, f.kind AS comes_from, (t.kind = ANY(%(stock)s)) AS came
  FROM ledger_stockline l JOIN ledger_posting p ON p.id = l.posting_id
  JOIN catalog_item i ON i.id = l.item_id AND i.valuation = 'standard'
  JOIN catalog_place f ON f.id = l.from_place_id JOIN catalog_place t ON t.id = l.to_place_id
  LEFT JOIN orders_order o ON o.id = p.cost_object_id
  WHERE (f.kind = ANY(%(stock)s)) <> (t.kind = ANY(%(stock)s)) AND p.happened_at < %(until)s)
SELECT item_id, 'opening', 0, sum(CASE WHEN came THEN quantity ELSE -quantity END) FROM m
WHERE happened_at < %(since)s GROUP BY 1
UNION ALL
SELECT item_id, 'received', 0, sum(CASE WHEN came THEN quantity ELSE -quantity END)
FROM m WHERE happened_at >= %(since)s
  AND (part IN ('output', 'by-product', 'co-product') OR (part = '' AND (comes_from = 'supplier' OR goes_to = 'supplier')))
GROUP BY 1
UNION ALL
SELECT item_id, 'consumed', made, sum(CASE WHEN came THEN -quantity ELSE quantity END)
FROM m WHERE happened_at >= %(since)s AND part = 'component' AND made IS NOT NULL GROUP BY 1, 3
UNION ALL
SELECT item_id, CASE WHEN goes_to = 'customer' OR comes_from = 'customer' THEN 'sold' ELSE 'scrapped' END, 0,
  sum(CASE WHEN came THEN -quantity ELSE quantity END)
FROM m WHERE happened_at >= %(since)s AND part = '' AND NOT (comes_from = 'supplier' OR goes_to = 'supplier') GROUP BY 1, 2
"""


@dataclass(frozen=True)
class MonthActuals:
    """What standard-costed items cost in a month, and all that they differ by."""

    items: list[ItemActual]
    known: dict[int, Item]
    quantities: dict[int, Decimal]
    #: of each component, how much each item's orders consumed
    consumed: dict[int, Mapping[int, Decimal]]
    standards: dict[int, Decimal]
    differs: Decimal


def actuals_of(month: Month) -> MonthActuals:
    """Return the actual cost of a month; what is consumed by items at actual cost has gone elsewhere."""
    places = [k.value for k in STOCK_KINDS]
    with connection.cursor() as cursor:
        cursor.execute(FLOWS, {"since": month.begins_at, "until": month.ends_at, "stock": places})
        flows = cursor.fetchall()
    differs: dict[int, Decimal] = {}
    for o in origins(month, places):
        differs[o.item] = differs.get(o.item, ZERO) + o.amount
    there: dict[int, Decimal] = {}
    consumed: dict[int, dict[int, Decimal]] = {}
    ends: dict[int, dict[str, Decimal]] = {}
    for item, kind, made, quantity in flows:
        if kind in ("opening", "received"):
            there[item] = there.get(item, ZERO) + quantity
        elif kind == "consumed":
            consumed.setdefault(item, {})[made] = quantity
        else:
            ends.setdefault(item, {})[kind] = quantity
    keys = sorted({*there, *differs})
    known = Item.objects.select_related("holding").in_bulk(keys)
    standards = {k: known[k].holding.standard or ZERO for k in keys}
    periods = [
        _period(k, there.get(k, ZERO), consumed.get(k, {}), ends.get(k, {}), differs.get(k, ZERO), standards[k])
        for k in keys
    ]  # fmt: skip
    return MonthActuals(
        items=period_actuals(periods),
        known=known,
        quantities={p.item: p.quantity for p in periods},
        consumed={p.item: p.consumed for p in periods},
        standards=standards,
        differs=sum((p.difference for p in periods), ZERO),
    )


def _period(
    item: int,
    there: Decimal,
    consumed: dict[int, Decimal],
    ends: dict[str, Decimal],
    difference: Decimal,
    standard: Decimal,
) -> ItemPeriod:
    """Return an item's month: what is not consumed, sold or scrapped is in stock.

    What came back from another month's order, or was counted more than was there, comes to it.
    """
    went = {k: q for k, q in consumed.items() if q > 0}
    gone = {k: q for k, q in ends.items() if q > 0}
    back = sum((-q for q in (*consumed.values(), *ends.values()) if q < 0), ZERO)
    left = there + back - sum(went.values(), ZERO) - sum(gone.values(), ZERO)
    if left > 0:
        gone["in stock"] = left
    quantity = sum(went.values(), ZERO) + sum(gone.values(), ZERO)
    return ItemPeriod(
        item=item,
        quantity=quantity,
        difference=difference,
        consumed=went,
        ends=gone,
        standard=standard,
    )
