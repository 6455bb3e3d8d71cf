"""What suppliers hold of ours: half-made units, and components issued to the operations that they do."""

from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from django.db import connection
from poietic_core.order.states import RUNNING
from poietic_core.quantity import ZERO
from poietic_core.structure.basis import Basis


@dataclass(frozen=True, slots=True)
class HeldUnits:
    """Units of an order that are out, since when, and what was done to them at the standard [money]."""

    order: int
    item: str
    name: str
    unit: str
    operation: int
    does: str
    out: Decimal
    since: datetime | None
    value: Decimal


@dataclass(frozen=True, slots=True)
class HeldComponent:
    """What of a component that was issued to a supplier's operation is not built in yet, at what it was issued at."""

    order: int
    operation: int
    item: str
    name: str
    unit: str
    quantity: Decimal
    value: Decimal


UNITS = """
SELECT o.number, i.code, i.name, i.unit, p.number, p.name, p.sent - p.good - p.scrap - p.rework,
       h.since, coalesce(round(h.each * (p.sent - p.good - p.scrap - p.rework), 2), 0)
FROM orders_orderoperation p JOIN orders_order o ON o.id = p.order_id
JOIN catalog_item i ON i.id = o.item_id
LEFT JOIN LATERAL (
  SELECT min(h.sent_at) AS since, sum(h.worth) / sum(h.quantity) AS each
  FROM buying_shipment h JOIN buying_purchaseline n ON n.id = h.line_id
  WHERE n.order_id = o.id AND n.operation = p.number
    AND NOT EXISTS (SELECT 1 FROM ledger_posting r WHERE r.reverses_id = h.posting_id)) h ON true
WHERE p.supplier_id = %s AND p.sent > p.good + p.scrap + p.rework
ORDER BY o.number, p.number LIMIT %s
"""
COMPONENTS = """
SELECT number, operation, code, name, unit, held, round(amount * held / used, 2) FROM (
  SELECT o.number, i.operation, c.code, c.name, c.unit, i.amount, i.used,
         CASE WHEN i.basis <> %s THEN i.used - round(i.allowed * (p.good + p.scrap + p.rework), 6)
              WHEN p.good + p.scrap + p.rework < p.entering THEN i.used ELSE 0 END AS held
  FROM orders_orderoperation p JOIN orders_order o ON o.id = p.order_id AND o.state = ANY(%s)
  JOIN orders_orderinput i ON i.order_id = o.id AND i.operation = p.number AND i.kind = 'component' AND i.used > 0
  JOIN catalog_item c ON c.id = i.item_id
  WHERE p.supplier_id = %s) x
WHERE held > 0 ORDER BY number, operation, code LIMIT %s
"""


def held_units(supplier: int, most: int) -> list[HeldUnits]:
    """Return the units of ours at a supplier, by order; `most` of them."""
    with connection.cursor() as cursor:
        cursor.execute(UNITS, [supplier, most])
        return [HeldUnits(*row) for row in cursor.fetchall()]


def held_components(supplier: int, most: int) -> list[HeldComponent]:
    """Return what he should have of our components: issued to his operations, less what units back took."""
    running = [s.value for s in RUNNING]
    with connection.cursor() as cursor:
        cursor.execute(COMPONENTS, [Basis.ORDER.value, running, supplier, most])
        return [HeldComponent(*row) for row in cursor.fetchall()]


def held_value(supplier: int) -> Decimal:
    """Return what all of it is worth [money]."""
    running = [s.value for s in RUNNING]
    units = f"SELECT sum(x.coalesce) FROM ({UNITS}) x"
    parts = f"SELECT sum(y.round) FROM ({COMPONENTS}) y"
    with connection.cursor() as cursor:
        cursor.execute(
            f"SELECT coalesce(({units}), 0) + coalesce(({parts}), 0)",
            [supplier, None, Basis.ORDER.value, running, supplier, None],
        )
        value: Decimal = cursor.fetchone()[0]
        return value or ZERO
