"""What an order has reserved: by a rule what is free, until it is issued or the order ends."""

from collections.abc import Callable, Iterator, Mapping
from decimal import Decimal
from enum import StrEnum
from typing import Annotated

from django.utils import timezone
from poietic_core.quantity import ZERO
from poietic_core.stock.lots import LotStock, Tracking
from pydantic import Field

from ...catalog.models import Item
from ...ledger.lots import as_core
from ...ledger.models import Holding
from ...ledger.transaction import Transaction
from ...web_api.fields import Code, Reference, Strict
from ..models import OrderInput
from ..open_book import OpenBook


class ReserveRule(StrEnum):
    """Which stock is kept for an order."""

    #: whichever there is; what expires first is taken first
    EXPIRES_FIRST = "expires first"
    #: the lots that came in first
    OLDEST_FIRST = "oldest first"
    #: of each component one lot that is enough for all
    ONE_LOT = "one lot for all"
    #: the lots that are named
    BY_HAND = "by hand"
    NONE = "none"


class LotChosen(Strict):
    """A lot of a component to keep for an order."""

    item: Code
    lot: Reference


class Reserving(Strict):
    """Which stock is kept for what is released."""

    reserve: ReserveRule = ReserveRule.EXPIRES_FIRST
    #: by hand: which lots; of a component of which none is named, what expires first
    lots: Annotated[list[LotChosen], Field(max_length=500)] = []


class Reserver:
    """Reserves what is free of an order's components, by a rule; used once stock is locked."""

    def __init__(self, transaction: Transaction, book: OpenBook, given: Reserving) -> None:
        self.book = book
        self.given = given
        self.transaction = transaction
        self.day = timezone.localdate(transaction.context.now)

    def reserve(self, c: OrderInput, item: Item, wanted: Decimal) -> Decimal:
        """Reserve up to a quantity for a component and return how much."""
        owner, place = self.book.order.cost_object, self.book.order.supply_place
        reserve = self.transaction.reservations.reserve
        got = ZERO
        for lot in self._lots(item, wanted):
            got += reserve(owner, c.operation, item, place, wanted - got, self.day, lot)
        return got

    def _lots(self, item: Item, wanted: Decimal) -> Iterator[str]:
        """Return of which lots to reserve, one after the other; "" for whichever."""
        sized = self.book.order.lot
        if sized and sized.item_id == item.pk:
            yield sized.code
        rule = self.given.reserve
        named = [n.lot for n in self.given.lots if n.item == item.code]
        if rule is ReserveRule.BY_HAND and named:
            yield from named
        elif item.tracking == Tracking.NONE or rule in (
            ReserveRule.EXPIRES_FIRST,
            ReserveRule.BY_HAND,
        ):
            yield ""
        elif rule is ReserveRule.OLDEST_FIRST:
            yield from (lot.code for lot in sorted(self._usable(item), key=lambda lot: lot.age))
        else:
            enough = [lot for lot in self._usable(item) if lot.quantity >= wanted]
            yield from (lot.code for lot in enough[:1])

    def _usable(self, item: Item) -> list[LotStock]:
        """Return what is free of each usable lot where the order is supplied from, the first to expire first."""
        stock = self.transaction.stock
        there = [
            as_core(b.lot, b.quantity - b.reserved)
            for b in stock.at(item, self.book.order.supply_place)
            if b.lot
        ]
        usable = [lot for lot in there if lot.may_be_used(self.day) and lot.quantity > 0]
        return sorted(usable, key=lambda lot: (lot.expires_on is None, lot.expires_on, lot.age))


EVERYTHING = Reserving()


def reserve_needs(
    transaction: Transaction,
    book: OpenBook,
    given: Reserving = EVERYTHING,
    parts: Mapping[int, Decimal] | None = None,
    *,
    tells: bool = True,
) -> None:
    """Reserve what is free of each component, and say what is short; that stops nothing.

    Parameters
    ----------
    given : by which rule
    parts : what is released of each input, by its key; None: all that is still needed
    tells : say what is short
    """
    owner, place = book.order.cost_object, book.order.supply_place
    context = transaction.context
    components = [(c, c.item) for c in book.components() if c.item and c.still_needed]
    if parts is not None:
        components = [(c, item) for c, item in components if parts.get(c.pk)]
    transaction.concern((item.pk for _, item in components), owner)
    if given.reserve is ReserveRule.NONE:
        return

    def reserve_all() -> None:
        there = _alternates_at_hand(book)
        reserver = Reserver(transaction, book, given)
        kept = transaction.reservations.kept_for(owner)
        for c, item in components:
            wanted = c.still_needed - kept.get((c.operation, item.pk), ZERO)
            if parts is not None:
                wanted = min(wanted, parts[c.pk])
            if wanted <= 0:
                continue
            got = reserver.reserve(c, item, wanted)
            if got < wanted and tells:
                words = f"short: {wanted.normalize():f} {c.unit} needed, {got.normalize() + ZERO:f} {_found(given.reserve)} {place.name}"
                context.effects.remark(item.code, words + _in_its_place(c, there))

    transaction.at_last(reserve_all)


def _found(rule: ReserveRule) -> str:
    return "in one lot at" if rule is ReserveRule.ONE_LOT else "free at"


def reserve_again(transaction: Transaction, book: OpenBook) -> None:
    """Keep for an order what comes back from it: on the floor where it lay, else as its release kept it.

    Of one that releases its material in parts only what comes back is kept.
    """
    owner, here = book.order.cost_object, book.order.supply_place
    day = timezone.localdate(transaction.context.now)
    returned: dict[int, Decimal] = {}
    by_key = {(c.operation, c.item_id): c for c in book.components() if not c.stands_for}
    for move in (m for d in transaction.documents for m in d.moves):
        if component := by_key.get((move.operation or 0, move.item.pk)):
            returned[component.pk] = returned.get(component.pk, ZERO) + move.quantity
    transaction.concern((c.item_id for c in by_key.values() if c.item_id), owner)

    def where_it_lay() -> None:
        kept = transaction.reservations.kept_for(owner)
        for line in (n for d in transaction.documents for n in d.lines):
            component = by_key.get((line.move.operation or 0, line.item.pk))
            into = line.move.into
            if component is None or not into.is_stock or into == here:
                continue
            at = (component.operation, line.item.pk)
            wanted = component.still_needed - kept.get(at, ZERO)
            if wanted > 0:
                quantity = min(wanted, line.quantity)
                got = transaction.reservations.reserve(owner, at[0], line.item, into, quantity, day, line.lot)  # fmt: skip
                kept[at] = kept.get(at, ZERO) + got

    transaction.at_last(where_it_lay)
    reserve_needs(transaction, book, parts=returned if book.order.is_in_parts else None, tells=False)  # fmt: skip


#: what else ends when an order holds nothing any more; told whether its release is taken back
ENDINGS: list[Callable[[OpenBook, bool], None]] = []


def release_reserved(
    transaction: Transaction, book: OpenBook, *, is_withdrawn: bool = False
) -> None:
    """Let go of what the order has reserved, once its last issues are posted."""
    for end in ENDINGS:
        end(book, is_withdrawn)
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
