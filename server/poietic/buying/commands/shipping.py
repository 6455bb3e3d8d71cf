"""Half-made units sent to the supplier who does their next operation."""

from datetime import datetime
from typing import Annotated

from django.utils import timezone
from poietic_core.buying.purchase import PurchaseAct
from poietic_core.order.outside import MoreThanStands, units_to_send
from poietic_core.order.states import Act
from poietic_core.quantity import require_step, round_up
from pydantic import Field

from ...catalog.queries import supplier_place
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.models import Posting, UnitLine
from ...ledger.transaction import Transaction
from ...orders.commands.material import close_document
from ...orders.dates import back_by, end_of
from ...orders.models import OrderOperation
from ...orders.open_book import OpenBook
from ...web_api.errors import InvalidInput
from ...web_api.fields import (
    Moment,
    Note,
    OperationNumber,
    OrderNumber,
    Quantity,
    Reference,
    Strict,
)
from ..book import PurchaseBook
from ..models import PurchaseLine, Shipment


class ShipToSupplier(Strict):
    """Units of an order that go to the supplier of an operation."""

    order: OrderNumber
    operation: OperationNumber
    quantity: Quantity
    carrier: Reference = ""
    packages: Annotated[int, Field(ge=1, le=999)] = 1
    #: of all packages [kg]
    weight: Quantity | None = None
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
    item = book.order.item
    require_step("The quantity", given.quantity, step=item.step, unit=item.unit)
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
    document.units(given.operation, given.quantity, UnitLine.Kind.SENT, place=place)
    close_document(book, document)
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
    )
    context.made["shipment"] = str(shipment.pk)
    _expect_back(purchase, line.number, operation, document.happened_at)
    book.finish()


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
