"""Orders of components changed as the order that they are made for changes."""

from collections.abc import Mapping
from datetime import date, timedelta
from decimal import Decimal

from django.utils import timezone
from poietic_core.order.need import need_of_item
from poietic_core.quantity import ZERO, round_up
from poietic_core.structure.basis import Basis, spread
from poietic_core.structure.model import ComponentLine, Structure
from poietic_core.structure.requirement import entering, quantity_per_unit

from ...catalog.models import Item
from ...catalog.queries import items_by_code
from ...commanding.registry import Context
from ..dates import UNRELEASED, Dating, OrderDates
from ..models import Order
from ..open_book import OpenBook


def carry_down(context: Context, book: OpenBook) -> None:
    """Change the orders that are made for an order as it changed: their quantities and dates, level by level."""
    children = Order.objects.filter(made_for=book.order.pk).order_by("number")
    numbers = list(children.values_list("number", flat=True))
    if not numbers:
        return
    dating = Dating([book], context.now)
    structure, dates = dating.structures.get(book.order.pk), dating.of(book)
    needs: dict[tuple[int | None, str], Decimal] = {}
    if structure:
        items = items_by_code(codes_of(structure))
        for line, need in lines_of(structure, book.order.quantity, items):
            needs[line.operation, line.item] = need
    for number in numbers:
        child = OpenBook.lock(context, number)
        order = child.order
        if child.state not in UNRELEASED:
            context.effects.remark(child.thing, f"is {order.state} and stays as it is")
            continue
        at = (order.made_for_operation, order.item.code)
        due = needed_on(book, dates, order.made_for_operation or 0)
        quantity = lot_of(order.item, needs[at]) if at in needs else order.quantity
        _set(context, child, {"quantity": quantity, "due": due})
        carry_down(context, child)


def _set(context: Context, book: OpenBook, after: Mapping[str, object]) -> None:
    changed = {n: v for n, v in after.items() if getattr(book.order, n) != v}
    for name, value in changed.items():
        context.effects.field(book.thing, name, getattr(book.order, name), value)
        setattr(book.order, name, value)
    if changed:
        book.order.save(update_fields=list(changed))
        book.finish()


def codes_of(structure: Structure) -> set[str]:
    """Return the components of a structure."""
    return {c.item for c in structure.components}


def lines_of(
    structure: Structure, quantity: Decimal, items: Mapping[str, Item]
) -> list[tuple[ComponentLine, Decimal]]:
    """Return the component lines of a structure with what an order of a quantity needs of each."""
    enter = entering(structure.operations, quantity)
    found = []
    for c in structure.components:
        over = spread(Basis.of(c.per), enter.get(c.operation), operation=c.operation)
        allowed = quantity_per_unit(c, structure.batch_quantity)
        found.append((c, need_of_item(allowed, over, step=items[c.item].step).value))
    return found


def lot_of(item: Item, need: Decimal) -> Decimal:
    """Return how much an order of a component makes: at least its smallest lot, in its multiples."""
    quantity = max(need, item.lot_minimum or ZERO)
    if item.lot_multiple:
        quantity = round_up(quantity / item.lot_multiple, Decimal(1)) * item.lot_multiple
    return round_up(quantity, item.step)


def needed_on(book: OpenBook, dates: OrderDates | None, operation: int) -> date:
    """Return the last day on which a component may come: the day before its operation begins."""
    if dates is None or operation not in dates.operations:
        return book.order.due
    return timezone.localtime(dates.operations[operation].arrives).date() - timedelta(days=1)
