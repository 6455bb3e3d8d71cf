"""Output that is valued at what it cost: provisional when it is received, settled when its order is closed."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from poietic_core.quantity import ZERO, allocate
from poietic_core.stock.valuation import Method

from ..ledger.document import Document
from ..ledger.models import Account, StockLine
from .models import Order, OrderGrade


@dataclass(frozen=True, slots=True, kw_only=True)
class Received:
    """What an order brought into stock in one line: `weight` is quantity × standard [EUR]."""

    line: StockLine
    weight: Decimal


def received_at_actual(order: Order) -> list[Received]:
    """Return what stands of an order's output, where it is valued at what it cost; else nothing.

    An output at standard keeps its standard: then all that is left is variance.
    """
    if not order.received or order.standard is None:
        return []
    prices = dict(OrderGrade.objects.filter(order=order.pk).values_list("item", "price"))
    lines = StockLine.objects.filter(
        posting__cost_object=order.pk,
        part=StockLine.Part.OUTPUT,
        posting__reverses=None,
        posting__reversal=None,
    )
    found = list(lines.select_related("item").order_by("pk"))
    if any(line.item.method is Method.STANDARD for line in found):
        return []
    whole = order.standard.total
    return [
        Received(line=line, weight=prices.get(line.item_id, whole) * line.quantity)
        for line in found
    ]


def settle_output(document: Document, received: Sequence[Received], amount: Decimal) -> None:
    """Have what an order brought cost so much more; what of it has gone on is late cost."""
    for to, part in zip(received, allocate(amount, [r.weight for r in received]), strict=True):
        if part:
            document.late(to.line.item, to.line.posting_id, part)


def unsettle_output(document: Document, order: Order) -> None:
    """Take out of a closing's mirror what it did to stock: that leaves where it is by now."""
    amount = ZERO
    for key in [k for k in document.money if k[0] in (Account.STOCK, Account.LATE_COST)]:
        amount += document.money.pop(key)
    if amount:
        settle_output(document, received_at_actual(order), amount)
