"""Which lots and serials went into an order, where an instruction step asks for them."""

from decimal import Decimal
from typing import Any

from poietic_core.quantity import ZERO
from poietic_core.structure.model import StepKind

from ..ledger.lots import issued_to
from .book import OrderBook

#: what an order holds of a lot: by operation, item and code of the lot
LotsUsed = dict[tuple[int, int, str], Decimal]


def lots_used(book: OrderBook) -> LotsUsed:
    """Return what an order was issued of each lot and did not give back; of none, if no step asks."""
    found: LotsUsed = {}
    if not any(s["kind"] == StepKind.LOT for o in book.operations for s in o.steps):
        return found
    for _, operation, item, lot, quantity in issued_to([book.order.pk]):
        if lot:
            found[operation, item, lot] = found.get((operation, item, lot), ZERO) + quantity
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
