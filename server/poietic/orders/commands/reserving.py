"""What an order has reserved: at its release what is free, until it is issued or the order ends."""

from poietic_core.quantity import ZERO

from ...ledger.models import Holding
from ...ledger.transaction import Transaction
from ..book import OpenBook
from ..models import OrderInput


def reserve_needs(transaction: Transaction, book: OpenBook) -> None:
    """Reserve what is free of each component, and say what is short; that stops nothing."""
    owner, place = book.order.cost_object, book.order.supply_place
    context = transaction.context
    components = [(c, c.item) for c in book.components() if c.item and c.still_needed]
    transaction.concern((item.pk for _, item in components), owner)

    def reserve() -> None:
        for c, item in components:
            wanted = c.still_needed
            got = transaction.reservations.reserve(
                owner, c.operation, item, place, wanted, context.now.date()
            )
            if got < wanted:
                words = f"short: {wanted.normalize():f} {c.unit} needed, {got.normalize() + ZERO:f} free at {place.name}"
                context.effects.remark(item.code, words + _alternates_at_hand(c))

    transaction.at_last(reserve)


def release_reserved(transaction: Transaction, book: OpenBook) -> None:
    """Let go of what the order has reserved, once its last issues are posted."""
    owner = book.order.cost_object
    reserved = list(owner.reservations.values_list("item", flat=True))
    transaction.concern([*reserved, *(c.item_id for c in book.components() if c.item_id)], owner)
    if reserved:
        transaction.at_last(lambda: transaction.reservations.let_go(owner))


def _alternates_at_hand(c: OrderInput) -> str:
    """Say which items may be used in a component's place and are there."""
    codes = [a["item"] for a in c.alternates]
    held = Holding.objects.filter(item__code__in=codes, quantity__gt=0).select_related("item")
    there = {h.item.code: h for h in held}
    named = [
        f"{there[code].quantity.normalize():f} {there[code].item.unit} of {code}"
        for code in codes
        if code in there
    ]
    return f"; in its place there are {', '.join(named)}" if named else ""
