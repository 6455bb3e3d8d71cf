"""What standard-costed items differ by at their own level in a month, posting by posting."""

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from django.db import connection
from poietic_core.quantity import ZERO, exact, round_parts

from ..orders.models import OrderGrade
from .months import Month

#: what was received at another price than the standard: by posting, without an order
PAID = """
SELECT i.id, 'received at another price', p.id, p.happened_at, NULL::bigint, NULL::integer,
  sum(CASE WHEN t.kind = ANY(%(stock)s) THEN l.worth - l.value ELSE l.value - l.worth END)
FROM ledger_stockline l JOIN ledger_posting p ON p.id = l.posting_id
JOIN catalog_item i ON i.id = l.item_id AND i.valuation = 'standard'
JOIN catalog_place f ON f.id = l.from_place_id JOIN catalog_place t ON t.id = l.to_place_id
WHERE (f.kind = ANY(%(stock)s)) <> (t.kind = ANY(%(stock)s)) AND (f.kind = 'supplier' OR t.kind = 'supplier')
  AND p.happened_at >= %(since)s AND p.happened_at < %(until)s AND (%(item)s = 0 OR i.id = %(item)s) GROUP BY i.id, p.id
HAVING sum(l.worth) <> sum(l.value)
"""
#: what invoices asked beyond what was received
ASKED = """
SELECT n.item_id, 'invoiced at another price', p.id, p.happened_at, NULL::bigint, NULL::integer, sum(v.amount - v.cleared)
FROM buying_invoiceline v
JOIN buying_invoice w ON w.id = v.invoice_id JOIN ledger_posting p ON p.id = w.posting_id
JOIN buying_delivery d ON d.id = v.delivery_id JOIN buying_purchaseline n ON n.id = d.line_id
JOIN catalog_item i ON i.id = n.item_id AND i.valuation = 'standard'
WHERE NOT w.is_taken_back AND NOT n.is_work AND p.happened_at >= %(since)s AND p.happened_at < %(until)s
  AND (%(item)s = 0 OR i.id = %(item)s) GROUP BY n.item_id, p.id HAVING sum(v.amount - v.cleared) <> 0
"""
#: what orders that were closed varied by; of graded ones, whoever asks shares it out
VARIED = """
SELECT o.item_id, 'order closed', p.id, p.happened_at, o.id, o.number, sum(j.amount)
FROM ledger_posting p
JOIN ledger_journalline j ON j.posting_id = p.id AND j.account LIKE '%% variance'
JOIN orders_order o ON o.id = p.cost_object_id
JOIN catalog_item i ON i.id = o.item_id AND i.valuation = 'standard'
WHERE p.kind = 'closing' AND p.happened_at >= %(since)s AND p.happened_at < %(until)s
  AND (%(item)s = 0 OR i.id = %(item)s OR EXISTS (SELECT FROM orders_ordergrade g WHERE g.order_id = o.id AND g.item_id = %(item)s))
GROUP BY o.item_id, p.id, o.id, o.number HAVING sum(j.amount) <> 0
"""


@dataclass(frozen=True)
class Origin:
    """One posting's part of what an item differs by at its own level."""

    item: int
    what: str
    posting: int
    at: Any
    order: int | None
    amount: Decimal


def origins(month: Month, stock: list[str], item: int = 0) -> list[Origin]:
    """Return what items differ by in a month, posting by posting; of one item, or of all where it is 0.

    What a graded order varied by is shared over its grades by their worth.
    """
    asked: dict[str, Any] = {
        "since": month.begins_at,
        "until": month.ends_at,
        "stock": stock,
        "item": item,
    }
    rows: list[tuple[Any, ...]] = []
    with connection.cursor() as cursor:
        for question in (PAID, ASKED, VARIED):
            cursor.execute(question, asked)
            rows += cursor.fetchall()
    grades = _grades(row[4] for row in rows if row[4])
    found = []
    for own, what, posting, at, order, number, amount in rows:
        for received, part in _shared(amount, grades.get(order, []) or [(own, ZERO)]):
            if part and item in (0, received):
                found.append(Origin(received, what, posting, at, number, part))
    return found


def _grades(orders: Iterable[int]) -> dict[int, list[tuple[int, Decimal]]]:
    """Return what graded orders were credited for each grade, by order."""
    rows = OrderGrade.objects.filter(order__in=set(orders), received_value__gt=0)
    found: dict[int, list[tuple[int, Decimal]]] = {}
    for order, item, worth in rows.values_list("order", "item", "received_value"):
        found.setdefault(order, []).append((item, worth))
    return found


@exact
def _shared(amount: Decimal, grades: list[tuple[int, Decimal]]) -> list[tuple[int, Decimal]]:
    if len(grades) == 1:
        return [(grades[0][0], amount)]
    whole = sum((worth for _, worth in grades), ZERO)
    parts = round_parts([amount * worth / whole for _, worth in grades], amount)
    return [(item, part) for (item, _), part in zip(grades, parts, strict=True)]
