"""Which lots and serials went into an order, where an instruction step asks for them."""

from decimal import Decimal
from typing import Any

from poietic_core.quantity import ZERO
from poietic_core.structure.model import StepKind

from ..catalog.models import Place
from ..ledger.models import StockLine
from ..statements.prepared import Prepared
from .book import OrderBook

#: what an order holds of a lot: by operation, item and code of the lot
LotsUsed = dict[tuple[int, int, str], Decimal]

LINES = Prepared(
    lambda key: (
        StockLine.objects.filter(
            posting__cost_object=key, part=StockLine.Part.COMPONENT, lot__isnull=False
        )
        .select_related("lot", "to_place")
        .order_by("pk")
    )
)


def lots_used(book: OrderBook) -> LotsUsed:
    """Return what an order was issued of each lot and did not give back; of none, if no step asks."""
    found: LotsUsed = {}
    if not any(s["kind"] == StepKind.LOT for o in book.operations for s in o.steps):
        return found
    for line in LINES.of(book.order.pk):
        assert line.lot is not None
        key = (line.operation or 0, line.item_id, line.lot.code)
        sign = 1 if line.to_place.kind == Place.Kind.WIP else -1
        found[key] = found.get(key, ZERO) + sign * line.quantity
    return found


def lots_noted(book: OrderBook, operation: int, step: dict[str, Any], used: LotsUsed) -> list[str]:
    """Return the lots that a step notes: of its component, and of what stood in for it, so far."""
    if step["kind"] != StepKind.LOT:
        return []
    asked = {i.pk for i in book.inputs if i.item and i.item.code == step.get("item")}
    items = {
        i.item_id
        for i in book.inputs
        if i.pk in asked or any(f["input"] in asked for f in i.stands_for)
    }
    return [
        lot
        for (number, item, lot), quantity in used.items()
        if quantity > 0 and item in items and number <= operation
    ]
