"""Purchase orders locked by a command, or read: their lines, what is still to come, their state."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from decimal import Decimal

from django.db.models import QuerySet
from poietic_core.buying.purchase import (
    COMING,
    PurchaseAct,
    PurchaseState,
    require_purchase_state,
    state_of,
    stock_quantity,
)
from poietic_core.quantity import ZERO

from ..catalog.models import Item
from ..catalog.queries import any_of
from ..commanding.registry import Context
from ..orders.open_book import OpenBook
from ..statements.bulk import update_rows
from ..web_api.errors import NotFound
from .models import Purchase, PurchaseLine

#: what is kept of a line as things happen to it
KEPT = ("quantity", "price", "asked_quantity", "asked_for", "comes_on", "place_id", "received", "returned", "invoiced", "not_replaced", "is_ended", "ended_with_order", "coming")  # fmt: skip


@dataclass
class PurchaseBook:
    """A purchase order that a command has locked, with its lines; what changes is saved at the end."""

    context: Context
    purchase: Purchase
    lines: list[PurchaseLine] = field(default_factory=list)

    @classmethod
    def lock(cls, context: Context, number: int) -> "PurchaseBook":
        """Lock a purchase order and load it, or refuse by number."""
        return cls.lock_all(context, [number])[number]

    @classmethod
    def lock_all(cls, context: Context, numbers: Iterable[int]) -> "dict[int, PurchaseBook]":
        """Lock purchase orders in one statement and load them; the first that is not there is refused."""
        wanted = list(dict.fromkeys(numbers))
        rows = Purchase.objects.filter(number__in=any_of(wanted)).select_related("supplier")
        books = {p.number: cls(context, p) for p in context.lock(rows, "purchase")}
        for number in wanted:
            if number not in books:
                raise NotFound("purchase order", str(number))
        by_key = {b.purchase.pk: b for b in books.values()}
        parts = ("item", "place", "order__cost_object", "order__item")
        lines = PurchaseLine.objects.filter(purchase__in=any_of(by_key)).select_related(*parts)
        for line in lines.order_by("number"):
            by_key[line.purchase_id].lines.append(line)
        return books

    @property
    def state(self) -> PurchaseState:
        """Return the state as the core knows it."""
        return PurchaseState(self.purchase.state)

    @property
    def thing(self) -> str:
        """Return its name in consequences."""
        return f"purchase order {self.purchase.number}"

    def require(self, act: PurchaseAct) -> None:
        """Refuse an act that its state does not allow."""
        require_purchase_state(self.purchase.number, self.state, act)

    def line(self, number: int) -> PurchaseLine:
        """Return a line, or refuse by number."""
        for line in self.lines:
            if line.number == number:
                return line
        raise NotFound("line", f"{number} of purchase order {self.purchase.number}")

    def set_state(self, state: PurchaseState) -> None:
        """Move it to another state."""
        self.context.effects.field(self.thing, "state", self.purchase.state, state.value)
        self.purchase.state = state.value

    def finish(self) -> None:
        """Save it with its lines: its state, and of each line what is still to come."""
        if self.state not in (PurchaseState.DRAFT, PurchaseState.CANCELLED):
            stands = [line.stands() for line in self.lines]
            confirmed = self.purchase.confirmed_on is not None
            self.set_state(state_of(stands, is_confirmed=confirmed))
        awaited = self.state in COMING
        for line in self.lines:
            was = line.coming
            line.coming = line.stands().coming if awaited else ZERO
            self.context.effects.field(
                f"{self.thing} line {line.number}", f"to come [{line.item.unit}]", was, line.coming
            )
            if not line.is_work:
                self.context.touched.add(line.item_id)
        self.purchase.change = self.context.change
        self.purchase.save()
        update_rows(
            PurchaseLine,
            ("id", *(name.removesuffix("_id") for name in KEPT)),
            [(n.pk, *(getattr(n, name) for name in KEPT)) for n in self.lines],
        )


def lock_orders(context: Context, work: QuerySet[PurchaseLine]) -> dict[int, OpenBook]:
    """Lock the orders that lines of work are for, by number, before their purchase order, as reports do."""
    numbers = work.order_by("order").values_list("order__number", flat=True).distinct()
    return {n: OpenBook.lock(context, n) for n in numbers if n is not None}


def counted(item: Item, quantity: Decimal, per_unit: Decimal) -> Decimal:
    """Return a quantity of a line's unit in the stock unit of its item, or refuse what can't be counted."""
    name = f"The quantity of {item.code}"
    return stock_quantity(name, quantity, per_unit=per_unit, step=item.step, unit=item.unit)
