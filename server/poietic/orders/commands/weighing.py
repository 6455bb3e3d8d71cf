"""A by-product that is weighed once for many orders, shared over what they worked on since."""

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal
from typing import ClassVar

from django.db.models import Max, Q, Sum
from poietic_core.cost.model import InputKind
from poietic_core.errors import DomainError
from poietic_core.order.attendance import shared_by_standard
from poietic_core.order.states import RUNNING
from poietic_core.quantity import ZERO, require_step

from ...catalog.models import Item
from ...catalog.queries import item_by_code
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.models import StockLine, UnitLine
from ...ledger.transaction import Transaction
from ...statements.prepared import lock_keys
from ...web_api.fields import Code, Moment, Note, Quantity, Strict
from ..models import Order, OrderInput
from ..open_book import OpenBook
from .report_given import ByProductGiven, Report
from .reporting import add_report


@dataclass(eq=False)
class NobodyGave(DomainError):
    """A by-product of which no order that runs gave anything since it was weighed."""

    item: str
    code: ClassVar[str] = "order.nobody_gave"
    what: ClassVar[str] = "{item} can't be shared over orders."
    why: ClassVar[str] = "No order that runs worked on anything that gives it since it was weighed."
    fix: ClassVar[str] = "Report it at the operation of its order, or adjust the stock."


class WeighByProduct(Strict):
    """What was weighed of a by-product for all orders together; the place defaults to each order's."""

    item: Code
    quantity: Quantity
    place: Code | None = None
    happened_at: Moment | None = None
    note: Note = ""


@command("weigh-by-product", "Weigh a by-product for many orders", Role.OPERATOR, Role.CONTROLLER)
def weigh_by_product(context: Context, given: WeighByProduct) -> None:
    """Put into stock what was weighed, from each order by its standard for what it worked on since the last weighing."""
    item = item_by_code(given.item)
    require_step("The quantity", given.quantity, step=item.step, unit=item.unit)
    rows = OrderInput.objects.filter(
        kind=InputKind.BY_PRODUCT.value, item=item, allowed__gt=0, order__state__in=RUNNING, order__hold_reason=None
    )  # fmt: skip
    numbers = set(rows.values_list("order__number", flat=True))
    lock_keys(Order, "number", numbers)
    found = list(rows.filter(order__number__in=numbers).select_related("order").order_by("order__number", "operation"))  # fmt: skip
    since = worked_since(item, {row.order_id for row in found})
    expected = [since.get((row.order_id, row.operation), ZERO) * row.allowed for row in found]
    parts = shared_by_standard(given.quantity, expected, item.step)
    if not any(parts):
        raise NobodyGave(item.code)
    for row, part, due in zip(found, parts, expected, strict=True):
        if not part:
            continue
        book = OpenBook.lock(context, row.order.number)
        gathered = Transaction(context)
        said = Report(
            order=row.order.number,
            operation=row.operation,
            by_products=[ByProductGiven(item=item.code, quantity=part, place=given.place)],
            happened_at=given.happened_at,
            reason=given.note,
        )
        add_report(gathered, book, said)
        gathered.post()
        words = (
            f"{part.normalize():f} {item.unit} of {item.code}, {due.normalize():f} by its standard"
        )
        context.effects.remark(book.thing, words)
        book.finish()


def worked_since(item: Item, orders: Iterable[int]) -> dict[tuple[int, int], Decimal]:
    """Return the units that orders' operations worked on since they last gave a by-product, by order and operation."""
    listed = list(orders)
    gave = StockLine.objects.filter(
        posting__cost_object__in=listed,
        item=item,
        part=StockLine.Part.BY_PRODUCT,
        posting__reverses=None,
        posting__reversal=None,
    )
    latest = gave.values_list("posting__cost_object", "operation").annotate(last=Max("posting"))
    last = {(order, operation): posting for order, operation, posting in latest}
    asked = Q(pk__in=[])
    for order in listed:
        own = {operation: posting for (of, operation), posting in last.items() if of == order}
        rest = Q(posting__cost_object=order) & ~Q(operation__in=list(own))
        asked |= rest
        for operation, posting in own.items():
            asked |= Q(posting__cost_object=order, operation=operation, posting__gt=posting)
    lines = UnitLine.objects.filter(asked).values_list("posting__cost_object", "operation")
    return {(order, operation): units for order, operation, units in lines.annotate(units=Sum("quantity"))}  # fmt: skip
