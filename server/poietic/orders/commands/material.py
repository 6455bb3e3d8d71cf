"""Issuing components to an order and returning them."""

from dataclasses import dataclass
from decimal import Decimal
from typing import Annotated, ClassVar

from poietic_core.cost.model import Base, InputKind
from poietic_core.cost.overhead import BASES_OF, COSTS
from poietic_core.errors import DomainError
from poietic_core.order.report import returned_value
from poietic_core.order.states import Act
from poietic_core.quantity import ZERO, money
from pydantic import Field

from ...catalog.models import Place
from ...catalog.queries import items_by_code, place_of_kind, stock_place
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...costing.basis import split_from_json
from ...ledger.document import Document, Stock
from ...ledger.models import SET_UP, Account, Posting, StockLine
from ...web_api.fields import Code, Moment, Note, OperationNumber, OrderNumber, Quantity, Strict
from ..book import OpenBook
from ..models import OrderInput


@dataclass(eq=False)
class MoreThanIssued(DomainError):
    """A return of more than the order holds."""

    item: str
    order: int
    wanted: Decimal
    issued: Decimal
    unit: str
    code: ClassVar[str] = "order.more_than_issued"
    what: ClassVar[str] = "{wanted} {unit} of {item} can't come back from order {order}."
    why: ClassVar[str] = "{issued} {unit} are issued to it."
    fix: ClassVar[str] = "Return {issued} {unit} or less."


class MaterialMove(Strict):
    """One component at one operation; the place defaults to the order's supply place."""

    operation: OperationNumber
    item: Code
    quantity: Quantity
    place: Code | None = None


class IssueMaterial(Strict):
    """Components to charge to an order."""

    order: OrderNumber
    lines: Annotated[list[MaterialMove], Field(min_length=1, max_length=500)]
    happened_at: Moment | None = None
    reason: Note = ""


class ReturnMaterial(IssueMaterial):
    """Components that come back from an order."""


@command("issue-material", "Issue material", Role.STOREKEEPER, Role.CONTROLLER)
def issue_material(context: Context, given: IssueMaterial) -> None:
    """Take components out of stock into an order, at the stock's value."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.POST)
    items = items_by_code(line.item for line in given.lines)
    stock = Stock.lock(context, items.values())
    document = open_document(context, book, Posting.Kind.ISSUE, stock, given)
    for line in given.lines:
        component = book.find_input(InputKind.COMPONENT, line.operation, items[line.item])
        place = stock_place(line.place) if line.place else book.order.supply_place
        issue(document, component, line.quantity, place)
        after = component.used + line.quantity
        if after > component.need:
            over = (after - component.need).normalize()
            context.effects.remark(line.item, f"{over:f} {component.unit} over the need")
    close_document(book, document)
    book.finish()


@command("return-material", "Return material", Role.STOREKEEPER, Role.CONTROLLER)
def return_material(context: Context, given: ReturnMaterial) -> None:
    """Put components back into stock, at the value at which they were issued."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.POST)
    items = items_by_code(line.item for line in given.lines)
    stock = Stock.lock(context, items.values())
    document = open_document(context, book, Posting.Kind.RETURN, stock, given)
    for line in given.lines:
        component = book.find_input(InputKind.COMPONENT, line.operation, items[line.item])
        place = stock_place(line.place) if line.place else book.order.supply_place
        give_back(document, component, line.quantity, place)
    close_document(book, document)
    book.finish()


def open_document(
    context: Context, book: OpenBook, kind: Posting.Kind, stock: Stock, given: IssueMaterial
) -> Document:
    """Return a document of an order, dated as given."""
    return Document(
        context=context,
        kind=kind,
        stock=stock,
        happened_at=given.happened_at or context.now,
        order=book.order,
        reason=given.reason,
    )


def close_document(book: OpenBook, document: Document) -> Posting:
    """Save stock and posting, and take the lines into the order."""
    if document.reverses is None:
        charge_overhead(book, document)
    document.stock.save()
    posting = document.save()
    book.apply(document)
    return posting


def charge_overhead(book: OpenBook, document: Document) -> None:
    """Charge the overhead of what a document charges: its bases at the standard's rates."""
    counted: dict[tuple[int, Base, bool], Decimal] = {}

    def count(operation: int, base: Base, is_per_order: bool, quantity: Decimal) -> None:
        key = (operation, base, is_per_order)
        counted[key] = counted.get(key, ZERO) + quantity

    once = {(i.operation, i.kind) for i in book.inputs if i.is_per_order}
    for time in document.time_lines:
        kind = InputKind(time.kind) if time.kind != SET_UP else None
        for base in BASES_OF.get(kind, ()) if kind else ():
            quantity = time.amount if base in COSTS else time.quantity
            count(time.operation, base, (time.operation, time.kind) in once, quantity)
    for line in document.stock_lines:
        if line.part != StockLine.Part.COMPONENT or line.item.is_made:
            continue
        component = book.find_input(InputKind.COMPONENT, line.operation or 0, line.item)
        sign = 1 if line.to_place.kind == Place.Kind.WIP else -1
        at = component.operation
        count(at, Base.MATERIAL_COST, component.is_per_order, sign * line.worth)
    for i in (i for i in book.inputs if i.overhead):
        quantity = counted.get((i.operation, Base(i.base), i.is_per_order), ZERO)
        amount = money(quantity * i.price)
        if quantity:
            document.time(i.operation, i.kind, quantity, amount, code=i.overhead)
            document.charge(i.operation, amount, split_from_json(i.split))
            document.journal(Account.OVERHEAD_ABSORBED, -amount)


def issue(document: Document, component: OrderInput, quantity: Decimal, place: Place) -> None:
    """Add one issue to a document."""
    assert component.item is not None
    value = document.take(
        component.item,
        quantity,
        out_of=place,
        into=place_of_kind(Place.Kind.WIP),
        part=StockLine.Part.COMPONENT,
        operation=component.operation,
    )
    document.charge(component.operation, value, split_from_json(component.split))


def give_back(document: Document, component: OrderInput, quantity: Decimal, place: Place) -> None:
    """Add one return to a document."""
    assert component.item is not None
    if quantity > component.used:
        raise MoreThanIssued(
            component.item.code, document.order.number, quantity, component.used, component.unit
        )
    worth = returned_value(issued=component.used, amount=component.amount, quantity=quantity)
    document.put(
        component.item,
        quantity,
        out_of=place_of_kind(Place.Kind.WIP),
        into=place,
        worth=worth,
        part=StockLine.Part.COMPONENT,
        operation=component.operation,
    )
    document.charge(component.operation, -worth, split_from_json(component.split))
