"""What an order has reserved: at its release what is free, until it is issued or the order ends."""

from functools import partial

from django.utils import timezone
from poietic_core.quantity import ZERO

from ...ledger.models import Holding
from ...ledger.transaction import Transaction
from ..models import OrderInput
from ..open_book import OpenBook


def reserve_needs(transaction: Transaction, book: OpenBook) -> None:
    """Reserve what is free of each component, and say what is short; that stops nothing."""
    owner, place = book.order.cost_object, book.order.supply_place
    context = transaction.context
    day = timezone.localdate(context.now)
    components = [(c, c.item) for c in book.components() if c.item and c.still_needed]
    transaction.concern((item.pk for _, item in components), owner)

    def reserve_all() -> None:
        there = _alternates_at_hand(book)
        for c, item in components:
            wanted = c.still_needed
            reserve = partial(transaction.reservations.reserve, owner, c.operation, item, place)
            lot = book.order.lot
            got = reserve(wanted, day, lot.code) if lot and lot.item_id == item.pk else ZERO
            got += reserve(wanted - got, day)
            if got < wanted:
                words = f"short: {wanted.normalize():f} {c.unit} needed, {got.normalize() + ZERO:f} free at {place.name}"
                context.effects.remark(item.code, words + _in_its_place(c, there))

    transaction.at_last(reserve_all)


def release_reserved(transaction: Transaction, book: OpenBook) -> None:
    """Let go of what the order has reserved, once its last issues are posted."""
    owner = book.order.cost_object
    reserved = list(owner.reservations.values_list("item", flat=True))
    transaction.concern([*reserved, *(c.item_id for c in book.components() if c.item_id)], owner)
    if reserved:
        transaction.at_last(lambda: transaction.reservations.let_go(owner))


def _alternates_at_hand(book: OpenBook) -> dict[str, Holding]:
    """Return what is there of the items that may be used in components' places, by code."""
    codes = {a["item"] for c in book.components() for a in c.alternates}
    if not codes:
        return {}
    held = Holding.objects.filter(item__code__in=codes, quantity__gt=0).select_related("item")
    return {h.item.code: h for h in held}


def _in_its_place(c: OrderInput, there: dict[str, Holding]) -> str:
    """Say which items may be used in a component's place and are there."""
    held = [there[a["item"]] for a in c.alternates if a["item"] in there]
    named = [f"{h.quantity.normalize():f} {h.item.unit} of {h.item.code}" for h in held]
    return f"; in its place there are {', '.join(named)}" if named else ""
