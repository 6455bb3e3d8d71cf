"""Half-made units sent to the supplier who does their next operation."""

from datetime import datetime
from decimal import Decimal
from typing import Annotated

from django.utils import timezone
from poietic_core.buying.purchase import PurchaseAct
from poietic_core.cost.unit import standard_cells
from poietic_core.order.outside import MoreThanStands, units_to_send
from poietic_core.order.states import Act
from poietic_core.quantity import ZERO, money, require_step, round_up
from poietic_core.structure.flow import Network
from pydantic import Field

from ...catalog.queries import items_by_code, supplier_place
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.models import Posting, UnitLine
from ...ledger.transaction import Transaction
from ...orders.commands.material import (
    IssueMaterial,
    LotMoved,
    MaterialMove,
    add_issue,
    close_document,
)
from ...orders.dates import back_by, end_of
from ...orders.models import OrderOperation
from ...orders.open_book import OpenBook
from ...web_api.errors import InvalidInput
from ...web_api.fields import (
    Code,
    Moment,
    Note,
    OperationNumber,
    OrderNumber,
    Quantity,
    Reference,
    Strict,
)
from ..book import PurchaseBook
from ..models import PurchaseLine, Shipment, ShippedPart


class PartSent(Strict):
    """A component that goes along, out of stock into the order; the place defaults to its supply place."""

    item: Code
    quantity: Quantity
    place: Code | None = None
    #: of a tracked item; left out, the first to expire; of several lots each is a line
    lot: Reference = ""


class ShipToSupplier(Strict):
    """Units of an order that go to the supplier of an operation."""

    order: OrderNumber
    operation: OperationNumber
    quantity: Quantity
    #: they came back set aside for rework, and go to him again
    again: bool = False
    carrier: Reference = ""
    packages: Annotated[int, Field(ge=1, le=999)] = 1
    #: of all packages [kg]
    weight: Quantity | None = None
    #: lots, serials, whatever stands on the units
    marks: Note = ""
    components: Annotated[list[PartSent], Field(max_length=100)] = []
    happened_at: Moment | None = None
    reason: Note = ""


@command("ship-to-supplier", "Send units to a supplier", Role.STOREKEEPER, Role.CONTROLLER)
def ship_to_supplier(context: Context, given: ShipToSupplier) -> None:
    """Send what stands before a supplier's operation; its value stays in the order."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.POST)
    operation = book.operation(given.operation)
    line = PurchaseLine.objects.filter(order=book.order, operation=given.operation, is_work=True, is_ended=False).select_related("purchase").first()  # fmt: skip
    if line is None:
        raise InvalidInput([f"operation: no supplier does operation {given.operation} of order {given.order}"])  # fmt: skip
    purchase = PurchaseBook.lock(context, line.purchase.number)
    purchase.require(PurchaseAct.RECEIVE)
    line = purchase.line(line.number)
    if line.is_ended:  # since it was looked for
        raise InvalidInput([f"operation: line {line.number} of purchase order {line.purchase.number} has ended"])  # fmt: skip
    item = book.order.item
    require_step("The quantity", given.quantity, step=item.step, unit=item.unit)
    if given.again:
        stands = operation.rework if operation.sent >= operation.processed else ZERO
    else:
        planned = round_up(operation.entering, item.step)
        stands = units_to_send(book.progress(), given.operation, operation.sent, planned)
    if given.quantity > stands:
        raise MoreThanStands(given.order, given.operation, given.quantity, stands)
    transaction = Transaction(context)
    document = transaction.open(
        Posting.Kind.SHIPMENT,
        happened_at=given.happened_at,
        cost_object=book.order.cost_object,
        operation=given.operation,
        reason=given.reason,
    )
    place = supplier_place(purchase.purchase.supplier.code)
    if given.again:  # out once more: neither set aside nor back any longer
        document.units(given.operation, -given.quantity, UnitLine.Kind.REWORK)
    else:
        unsaid = max(ZERO, operation.processed - operation.sent)
        if unsaid:
            words = f"{unsaid.normalize():f} came back that were not entered as sent: they count as sent"
            context.effects.remark(book.thing, words)
        document.units(given.operation, unsaid + given.quantity, UnitLine.Kind.SENT, place=place)
    close_document(book, document)
    if given.components:
        add_issue(transaction, book, _issue_of(given))
    transaction.post()
    shipment = Shipment.objects.create(
        line=line,
        posting_id=document.key,
        sent_at=document.happened_at,
        quantity=given.quantity,
        carrier=given.carrier,
        packages=given.packages,
        weight=given.weight,
        note=given.reason,
        marks=given.marks,
        worth=_worth(book, operation, given.quantity),
    )
    _note_parts(shipment, given.components)
    context.made["shipment"] = str(shipment.pk)
    _expect_back(purchase, line.number, operation, document.happened_at)
    book.finish()


def _issue_of(given: ShipToSupplier) -> IssueMaterial:
    """Return the components that go along as they are issued."""
    lines = [
        MaterialMove(operation=given.operation, item=p.item, quantity=p.quantity, place=p.place, lots=[LotMoved(lot=p.lot, quantity=p.quantity)] if p.lot else [])
        for p in given.components
    ]  # fmt: skip
    reason = given.reason or "sent along to the supplier"
    return IssueMaterial(order=given.order, lines=lines, happened_at=given.happened_at, reason=reason)  # fmt: skip


def _note_parts(shipment: Shipment, sent: list[PartSent]) -> None:
    items = items_by_code({p.item for p in sent})
    ShippedPart.objects.bulk_create(
        ShippedPart(shipment=shipment, item=items[p.item], quantity=p.quantity, lot=p.lot)
        for p in sent
    )


def _worth(book: OpenBook, operation: OrderOperation, quantity: Decimal) -> Decimal:
    """Return what was done so far to units that stand before an operation, at the standard [money]."""
    before = Network(book.progress()).through(operation.number) - {operation.number}
    cells = standard_cells(book.costed())
    each = sum((cost for (number, _), cost in cells.items() if number in before), ZERO)
    entering = operation.entering or book.order.quantity
    return money(each * book.order.quantity / entering * quantity)


def _expect_back(
    purchase: PurchaseBook, number: int, operation: OrderOperation, sent: datetime
) -> None:
    """Wait for what goes out as long as its supplier takes; what he promised for later stands."""
    line = purchase.line(number)
    back = back_by(operation, sent)
    day = timezone.localdate(back)
    if purchase.purchase.confirmed_on and line.comes_on >= timezone.localdate(sent):
        operation.back_at = end_of(line.comes_on)
        return
    operation.back_at = back
    thing = f"{purchase.thing} line {line.number}"
    purchase.context.effects.field(thing, "there on", line.comes_on, day)
    line.comes_on = day
    purchase.finish()
