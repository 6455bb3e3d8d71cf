"""An amount that one order bears beside its structure: a testing fee, an express freight, a broken tool."""

from decimal import Decimal
from typing import Annotated, Literal

from poietic_core.cost.model import Element, InputKind
from poietic_core.order.states import Act
from poietic_core.quantity import ZERO, money

from ...commanding.reading import COST_READERS
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.models import Account, Posting
from ...ledger.transaction import Transaction
from ...web_api.errors import InvalidInput
from ...web_api.fields import Moment, OperationNumber, OrderNumber, Price, Strict, Text
from ..open_book import OpenBook
from ..own_inputs import beside_standard
from .material import close_document

#: where it comes from: an invoice that is to come, or work and overhead of our own
SOURCES = {
    "an invoice to come": Account.GOODS_RECEIVED,
    "labour of our own": Account.LABOUR_ABSORBED,
    "overhead": Account.OVERHEAD_ABSORBED,
}
#: what an order can bear of it; credits have a way of their own
Bears = Literal["material", "run labour", "machine", "variable overhead", "subcontract"]


class ChargeExtra(Strict):
    """An amount to charge to an operation of an order, where it comes from, and why."""

    order: OrderNumber
    operation: OperationNumber
    amount: Price
    element: Bears = "material"
    source: Literal["an invoice to come", "labour of our own", "overhead"] = "an invoice to come"
    reason: Annotated[str, Text(400, 1, lines=True)]
    happened_at: Moment | None = None


@command("charge-extra", "Charge an extra cost", Role.CONTROLLER, Role.COST_ACCOUNTANT, told=COST_READERS)  # fmt: skip
def charge_extra(context: Context, given: ChargeExtra) -> None:
    """Charge an amount to an order; the standard allows nothing for it, and it is a cause of its own."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.POST)
    amount = money(Decimal(given.amount))
    if not amount or amount != given.amount:
        raise InvalidInput([f"amount: {given.amount} is no amount in cents above 0"])
    operation, element = book.operation(given.operation), Element(given.element)
    _row(book, operation.number, element)
    transaction = Transaction(context)
    document = transaction.open(
        Posting.Kind.EXTRA_COST,
        happened_at=given.happened_at,
        cost_object=book.order.cost_object,
        operation=operation.number,
        reason=given.reason,
    )
    document.time(operation.number, InputKind.EXTRA.value, ZERO, amount, code=element.value)
    document.charge(operation.number, amount, {element: amount})
    document.journal(SOURCES[given.source], -amount)
    close_document(book, document)
    transaction.post()
    book.finish()


def _row(book: OpenBook, operation: int, element: Element) -> None:
    """Give an order the input that extra costs of an element are kept by, where it has none yet."""
    at = (operation, InputKind.EXTRA.value, element.value)
    if any((i.operation, i.kind, i.overhead) == at for i in book.inputs):
        return
    book.add_input(
        beside_standard(
            book,
            operation,
            InputKind.EXTRA,
            unit="EUR",
            price=ZERO,
            split={element: Decimal(1)},
            code=element.value,
        )
    )
