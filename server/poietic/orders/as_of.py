"""Orders as they stood at a moment: what was posted to them since is left out again."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from decimal import Decimal
from typing import NamedTuple

from django.db import connection
from poietic_core.cost.model import InputKind
from poietic_core.order.states import OrderState
from poietic_core.quantity import ZERO

from ..ledger.models import SET_UP, Posting, StockLine
from .book import OrderBook
from .outcomes import FINISHED

#: all that postings say to orders, one row for each line, the latest first
LINES = """
WITH p AS (
  SELECT id, cost_object_id, kind, happened_at, entry_id FROM ledger_posting
  WHERE cost_object_id = ANY(%(orders)s) AND happened_at >= %(since)s)
SELECT p.cost_object_id, p.entry_id, p.happened_at, 'kind', 0, p.kind, 0, '', false, 0, 0, p.id FROM p
UNION ALL
SELECT p.cost_object_id, p.entry_id, p.happened_at, 'stock', coalesce(s.operation, 0), s.part, s.item_id, '', false,
  CASE WHEN (t.kind = 'work in process') = (s.part = 'component') THEN 1 ELSE -1 END * s.quantity,
  CASE WHEN (t.kind = 'work in process') = (s.part = 'component') THEN 1 ELSE -1 END * s.worth, p.id
FROM p JOIN ledger_stockline s ON s.posting_id = p.id JOIN catalog_place t ON t.id = s.to_place_id
WHERE s.part <> ''
UNION ALL
SELECT p.cost_object_id, p.entry_id, p.happened_at, 'stock', h.operation, h.part, h.item_id, '', false, h.quantity, h.amount, p.id
FROM p JOIN ledger_handoverline h ON h.posting_id = p.id
UNION ALL
SELECT p.cost_object_id, p.entry_id, p.happened_at, 'time', t.operation, t.kind, 0, t.code, t.is_rework, t.quantity, t.amount, p.id
FROM p JOIN ledger_timeline t ON t.posting_id = p.id
UNION ALL
SELECT p.cost_object_id, p.entry_id, p.happened_at, 'unit', u.operation, u.kind, 0, '', false, u.quantity, 0, p.id
FROM p JOIN ledger_unitline u ON u.posting_id = p.id
UNION ALL
SELECT p.cost_object_id, p.entry_id, p.happened_at, 'scrap', coalesce(j.operation, 0), '', 0, '', false, 0, j.amount, p.id
FROM p JOIN ledger_journalline j ON j.posting_id = p.id AND j.account = 'scrap expense'
ORDER BY 12 DESC
"""


class Said(NamedTuple):
    """What a line of a posting said to an order."""

    order: int
    entry: int
    happened_at: datetime
    what: str
    operation: int
    name: str
    item: int
    code: str
    is_rework: bool
    quantity: Decimal
    amount: Decimal
    posting: int


def said_since(orders: Iterable[int], since: datetime) -> list[Said]:
    """Return what was posted to orders from a moment on, the latest first."""
    with connection.cursor() as cursor:
        cursor.execute(LINES, {"orders": list(orders), "since": since})
        return [Said(*row) for row in cursor.fetchall()]


def wind_back(books: Mapping[int, OrderBook], moment: datetime) -> None:
    """Have books that were read for this alone show how their orders stood at a moment."""
    for said in said_since(books, moment):
        leave_out(books[said.order], [said])


def leave_out(book: OrderBook, lines: Sequence[Said]) -> None:
    """Take what lines said out of a book again."""
    for said in lines:
        match said.what:
            case "kind":
                if said.name == Posting.Kind.COMPLETION and book.state in FINISHED:
                    book.order.state = OrderState.STARTED.value
            case "stock":
                _leave_out_stock(book, said)
            case "time":
                _leave_out_time(book, said)
            case "unit":
                for o in book.operations:
                    if o.number == said.operation:
                        setattr(o, said.name, getattr(o, said.name) - said.quantity)
            case _:
                for o in book.operations:
                    if o.number == said.operation:
                        o.written_off -= said.amount


def _leave_out_stock(book: OrderBook, said: Said) -> None:
    if said.name == StockLine.Part.OUTPUT:
        book.order.received -= said.quantity
        book.order.received_value -= said.amount
        for g in book.grades:
            if g.item_id == said.item:
                g.received -= said.quantity
                g.received_value -= said.amount
        return
    for i in book.inputs:
        if (i.operation, i.kind, i.item_id) == (said.operation, said.name, said.item):
            i.used -= said.quantity
            i.amount -= said.amount


def _leave_out_time(book: OrderBook, said: Said) -> None:
    if said.name == SET_UP:
        for o in book.operations:
            if o.number == said.operation:
                left = (o.times_set_up or ZERO) - said.quantity
                o.times_set_up = left or None
        return
    for i in book.inputs:
        same = (i.operation, i.kind, i.overhead, i.is_rework)
        if same == (said.operation, said.name, said.code, said.is_rework) and i.kind != InputKind.COMPONENT:  # fmt: skip
            i.used -= said.quantity
            i.amount -= said.amount
