"""Units of orders at suppliers: what of each operation is ordered, out and back."""

from datetime import date

from django.db import connection
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from poietic_core.buying.purchase import PurchaseState

from ..catalog.models import Partner
from ..web_api.fields import Answer, DecimalText

router = Router(tags=["buying"])
#: rows of an answer
MOST = 200


class OutsideRow(Answer):
    """An operation that a supplier does: what is ordered, out, back."""

    order: int
    item: str
    name: str
    unit: str
    operation: int
    does: str
    supplier: str
    supplier_name: str
    purchase: int
    line: int
    state: PurchaseState
    ordered: DecimalText
    #: sent to him, of that not back, and how long the first of it is out [days]
    sent: DecimalText
    out: DecimalText
    days_out: int
    back: DecimalText
    comes_on: date
    days_late: int
    is_ended: bool
    shipments: list[int]


#: work on orders with what is out of it; of one order, or of all that is out
WORK = """
SELECT o.number, i.code, i.name, i.unit, p.number, p.name, s.code, s.name, u.number, n.number,
       u.state, n.quantity, p.sent, greatest(p.sent - p.good - p.scrap - p.rework, 0), x.first,
       p.good, n.comes_on, n.coming, n.is_ended, coalesce(x.shipments, '{}')
FROM buying_purchaseline n
JOIN buying_purchase u ON u.id = n.purchase_id JOIN catalog_partner s ON s.id = u.supplier_id
JOIN orders_order o ON o.id = n.order_id JOIN catalog_item i ON i.id = o.item_id
JOIN orders_orderoperation p ON p.order_id = o.id AND p.number = n.operation
LEFT JOIN LATERAL (
  SELECT min(h.sent_at) AS first, array_agg(h.id ORDER BY h.id) AS shipments
  FROM buying_shipment h JOIN ledger_posting w ON w.id = h.posting_id
  WHERE h.line_id = n.id AND NOT EXISTS (SELECT 1 FROM ledger_posting r WHERE r.reverses_id = w.id)) x ON true
WHERE n.is_work AND NOT (n.is_ended AND n.received = 0)
"""
OUT = "AND p.sent > p.good + p.scrap + p.rework ORDER BY n.comes_on, o.number, n.operation LIMIT %s"


def _work(condition: str, value: int) -> list[OutsideRow]:
    day, now = timezone.localdate(), timezone.now()
    with connection.cursor() as cursor:
        cursor.execute(WORK + condition, [value])
        rows = cursor.fetchall()
    found = []
    for row in rows:
        *head, state, ordered, sent, out, first, back, comes_on, coming, ended, shipments = row
        names = ("order", "item", "name", "unit", "operation", "does", "supplier", "supplier_name", "purchase", "line")  # fmt: skip
        found.append(
            OutsideRow(
                **dict(zip(names, head, strict=True)),
                state=PurchaseState(state),
                ordered=ordered,
                sent=sent,
                out=out,
                days_out=(now - first).days if first and out else 0,
                back=back,
                comes_on=comes_on,
                days_late=(day - comes_on).days if coming and comes_on < day else 0,
                is_ended=ended,
                shipments=shipments[-20:],
            )
        )
    return found


@router.get("/purchases/out", response=list[OutsideRow])
def out(request: HttpRequest) -> list[OutsideRow]:
    """Return the operations of which units are out at suppliers, those first that are to be back first."""
    return _work(OUT, MOST)


def outside_of(supplier: Partner) -> list[OutsideRow]:
    """Return the operations of which units are out at a supplier."""
    return _work(f"AND s.id = %s AND p.sent > p.good + p.scrap + p.rework ORDER BY n.comes_on, o.number LIMIT {MOST}", supplier.pk)  # fmt: skip


@router.get("/orders/{number}/outside", response=list[OutsideRow])
def outside(request: HttpRequest, number: int) -> list[OutsideRow]:
    """Return the operations of an order that suppliers do."""
    return _work("AND o.number = %s ORDER BY n.operation", number)
