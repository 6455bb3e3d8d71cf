"""Releasing an order's material in parts: for a range of operations and a partial quantity."""

from decimal import Decimal

from poietic_core.order.states import Act
from poietic_core.order.tranche import MoreThanLeft, Part, left_to_release, released_for
from poietic_core.quantity import ZERO, require_step
from poietic_core.structure.requirement import entering

from ...catalog.models import ItemUnit
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.transaction import Transaction
from ...web_api.errors import InvalidInput
from ...web_api.fields import OperationNumber, OrderNumber, Quantity, UnitName
from ..dates import UNRELEASED
from ..models import Tranche, TrancheLine
from ..needs import need_of
from ..open_book import OpenBook
from .life import release_book
from .reserving import Reserving, reserve_needs


class ReleasePart(Reserving):
    """Material for some operations and some of an order's units, in pieces or a unit of the item's own."""

    order: OrderNumber
    #: left out: the first, or the last
    from_operation: OperationNumber | None = None
    to_operation: OperationNumber | None = None
    #: left out: what is left
    quantity: Quantity | None = None
    #: of the item's own, such as a crate; left out, the quantity is in its stock unit
    unit: UnitName | None = None


@command("release-part", "Release a part of an order", Role.CONTROLLER)
def release_part(context: Context, given: ReleasePart) -> None:
    """Release the material of a part; an order that is not released yet is released for it."""
    book = OpenBook.lock(context, given.order)
    if book.state in UNRELEASED:
        book.order.is_in_parts = True
        release_book(context, book)
    book.require(Act.POST)
    order = book.order
    if not order.is_in_parts:
        raise InvalidInput([f"order: all of order {order.number} is released already"])
    operations = _range(book, given)
    known = list(order.tranches.all())
    parts = [Part(first=t.first, last=t.last, quantity=t.quantity) for t in known]
    left = left_to_release(parts, operations, order.quantity)
    quantity = _quantity(book, given) or left
    if quantity > left or not left:
        unit = order.item.unit
        raise MoreThanLeft(str(order.number), quantity, left, unit, operations[0], operations[-1])
    tranche = Tranche.objects.create(
        order=order,
        number=len(known) + 1,
        first=operations[0],
        last=operations[-1],
        quantity=quantity,
        unit=given.unit or "",
        units=given.quantity if given.unit else None,
        released_at=context.now,
    )
    part = Part(first=tranche.first, last=tranche.last, quantity=quantity)
    brought = _brought(book, [*parts, part], operations)
    TrancheLine.objects.bulk_create(
        [TrancheLine(tranche=tranche, input_id=key, quantity=q) for key, q in brought.items()]
    )
    said = f"operations {operations[0]} to {operations[-1]}"
    context.effects.field(
        book.thing, f"released for {said} [{order.item.unit}]", order.quantity - left, order.quantity - left + quantity
    )  # fmt: skip
    for c in book.components():
        if q := brought.get(c.pk):
            assert c.item is not None
            context.effects.remark(c.item.code, f"{q.normalize():f} {c.unit} released for operation {c.operation}")  # fmt: skip
    context.made["tranche"] = f"{order.number}.{tranche.number}"
    transaction = Transaction(context)
    reserve_needs(transaction, book, given, brought)
    transaction.post()
    book.finish()


def _range(book: OpenBook, given: ReleasePart) -> list[int]:
    """Return the operations whose material is released."""
    numbers = [o.number for o in book.operations]
    first = given.from_operation if given.from_operation is not None else numbers[0]
    last = given.to_operation if given.to_operation is not None else numbers[-1]
    for name, number in (("from_operation", first), ("to_operation", last)):
        if number not in numbers:
            raise InvalidInput([f"{name}: order {book.order.number} has no operation {number}"])
    found = [n for n in numbers if first <= n <= last]
    if not found:
        raise InvalidInput([f"to_operation: operation {last} comes before operation {first}"])
    return found


def _quantity(book: OpenBook, given: ReleasePart) -> Decimal | None:
    """Return how many units of the order are meant, in its item's stock unit."""
    item = book.order.item
    quantity: Decimal | None = given.quantity
    if given.unit and quantity is None:
        raise InvalidInput([f"quantity: say how many {given.unit}"])
    if quantity is None:
        return None
    if given.unit:
        size = ItemUnit.objects.filter(item=item, name=given.unit).first()
        if size is None:
            raise InvalidInput([f"unit: {item.code} has no unit {given.unit}; give it one, or say it in {item.unit}"])  # fmt: skip
        quantity = quantity * size.quantity
    require_step("The quantity", quantity, step=item.step, unit=item.unit)
    return quantity


def _brought(book: OpenBook, parts: list[Part], operations: list[int]) -> dict[int, Decimal]:
    """Return what the last of some parts brings of each component, by input.

    Each is rounded on the running total, so that all parts together are what the order needs.
    """
    before: dict[int, Decimal] = {}
    for line in TrancheLine.objects.filter(tranche__order=book.order.pk):
        before[line.input_id] = before.get(line.input_id, ZERO) + line.quantity
    yields = {o.number: o.yield_share for o in book.operations}
    enter = {
        number: entering(book.progress(), released_for(parts, number))[number]
        for number in operations
    }
    found = {}
    for c in book.components(operations):
        if c.item is None or c.stands_for:
            continue
        to_date = min(c.need, need_of(c, enter, yields).value)
        if (now := to_date - before.get(c.pk, ZERO)) > 0:
            found[c.pk] = now
    return found
