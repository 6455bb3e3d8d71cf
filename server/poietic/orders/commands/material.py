"""Issuing components to an order and returning them."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Annotated, ClassVar

from poietic_core.cost.model import Base, InputKind
from poietic_core.cost.overhead import amount_of, bases_of
from poietic_core.errors import DomainError
from poietic_core.order.report import returned_value
from poietic_core.order.states import Act
from poietic_core.quantity import ZERO, money
from pydantic import Field

from ...catalog.models import Place
from ...catalog.queries import items_by_code, stock_place
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...costing.basis import split_from_json
from ...ledger.document import Document, Move, Pieces
from ...ledger.models import SET_UP, Account, Posting, Reservation, StockLine
from ...ledger.transaction import Transaction
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
from ..models import OrderInput
from ..open_book import OpenBook
from .standing_in import alternate_of


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


class LotMoved(Strict):
    """Pieces of a lot, or one serial."""

    lot: Reference
    quantity: Quantity


Lots = Annotated[list[LotMoved], Field(max_length=1000)]


class MaterialMove(Strict):
    """One component at one operation; the place defaults to the order's supply place."""

    operation: OperationNumber
    item: Code
    quantity: Quantity
    place: Code | None = None
    #: the component in whose place the item is issued, or comes back
    instead_of: Code | None = None
    #: of a tracked item: which pieces; left out, the first to expire or the latest issued
    lots: Lots = []

    def pieces(self) -> list[Pieces]:
        """Return the pieces that are named."""
        return [Pieces(lot=p.lot, quantity=p.quantity) for p in self.lots]


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
    transaction = Transaction(context)
    add_issue(transaction, book, given)
    transaction.post()
    book.finish()


def add_issue(transaction: Transaction, book: OpenBook, given: IssueMaterial) -> None:
    """Add the issue of components to what is posted, and say what goes beyond the need."""
    document = open_document(transaction, book, Posting.Kind.ISSUE, given)
    lines = _lines(book, given)
    for line, component, place in lines:
        issue(book, document, component, line.quantity, place, line.pieces())
    close_document(book, document)
    for component in {id(c): c for _, c, _ in lines}.values():
        if component.covered > component.need and component.item and not component.stands_for:
            over = f"{(component.covered - component.need).normalize():f} {component.unit} over the need"
            book.context.effects.remark(component.item.code, over)


@command("return-material", "Return material", Role.STOREKEEPER, Role.CONTROLLER)
def return_material(context: Context, given: ReturnMaterial) -> None:
    """Put components back into stock, at the value at which they were issued."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.POST)
    transaction = Transaction(context)
    document = open_document(transaction, book, Posting.Kind.RETURN, given)
    for line, component, place in _lines(book, given):
        back = place or book.order.supply_place
        give_back(book, document, component, line.quantity, back, line.pieces())
    close_document(book, document)
    transaction.post()
    book.finish()


def _lines(
    book: OpenBook, given: IssueMaterial
) -> list[tuple[MaterialMove, OrderInput, Place | None]]:
    named = [c for line in given.lines for c in (line.item, line.instead_of) if c]
    items = items_by_code(named)
    places = {code: stock_place(code) for code in {line.place for line in given.lines} if code}
    found = []
    for line in given.lines:
        component = book.find_input(
            InputKind.COMPONENT, line.operation, items[line.instead_of or line.item]
        )
        if line.instead_of:
            component = alternate_of(book, component, items[line.item])
        found.append((line, component, places.get(line.place or "")))
    return found


def open_document(
    transaction: Transaction, book: OpenBook, kind: Posting.Kind, given: IssueMaterial
) -> Document:
    """Return a document of an order, dated as given."""
    return transaction.open(
        kind,
        happened_at=given.happened_at,
        cost_object=book.order.cost_object,
        reason=given.reason,
    )


def close_document(book: OpenBook, document: Document) -> None:
    """Take what a document says into the order, and charge the overhead of it once it is valued."""
    if document.reverses is None:
        document.follow(lambda: charge_overhead(book, document))
    book.take_in(document)


def charge_overhead(book: OpenBook, document: Document) -> None:
    """Charge the overhead of what a document charges: its bases at the standard's rates."""
    counted: dict[tuple[int, Base, bool, bool], Decimal] = {}

    def count(
        operation: int, base: Base, is_per_order: bool, quantity: Decimal, is_rework: bool = False
    ) -> None:
        key = (operation, base, is_per_order, is_rework)
        counted[key] = counted.get(key, ZERO) + quantity

    once = {(i.operation, i.kind) for i in book.inputs if i.is_per_order and not i.is_rework}
    for time in document.times:
        kind = InputKind(time.kind) if time.kind != SET_UP else None
        for base in bases_of(kind) if kind else ():
            quantity = amount_of(base, time.quantity, time.amount)
            is_once = (time.operation, time.kind) in once and not time.is_rework
            count(time.operation, base, is_once, quantity, time.is_rework)
    for line in document.lines:
        if line.move.part != StockLine.Part.COMPONENT:
            continue
        component = book.find_input(InputKind.COMPONENT, line.move.operation or 0, line.item)
        sign = 1 if line.move.into.kind == Place.Kind.WIP else -1
        at = component.operation
        for base in bases_of(InputKind.COMPONENT, is_made=line.item.is_made):
            amount = amount_of(base, line.quantity, line.worth)
            count(at, base, component.is_per_order, sign * amount)
    before = len(document.times)
    for i in (i for i in book.inputs if i.base):
        quantity = counted.get((i.operation, Base(i.base), i.is_per_order, i.is_rework), ZERO)
        amount = money(quantity * i.price)
        if quantity:
            document.time(
                i.operation, i.kind, quantity, amount, code=i.overhead, is_rework=i.is_rework
            )
            document.charge(i.operation, amount, split_from_json(i.split))
            document.journal(Account.OVERHEAD_ABSORBED, -amount)
    book.take_times(document.times[before:])


def issue(
    book: OpenBook,
    document: Document,
    component: OrderInput,
    quantity: Decimal,
    place: Place | None = None,
    pieces: Sequence[Pieces] = (),
) -> None:
    """Add one issue to a document.

    Where no place is named, what stands ready for the order on the floor goes first, then what is
    kept for it elsewhere, and the rest comes from where it is supplied from.
    """
    assert component.item is not None
    if place is None and not pieces:
        for ready in book.kept_elsewhere(component):
            if part := min(quantity, ready.quantity):
                of_lot = [Pieces(lot=ready.lot.code, quantity=part)] if ready.lot else []
                _issue(book, document, component, part, ready.place, of_lot)
                ready.quantity -= part
                quantity -= part
    if quantity:
        _issue(book, document, component, quantity, place or book.order.supply_place, pieces)


def issue_pieces(book: OpenBook, document: Document, kept: Reservation) -> None:
    """Add the issue of all that is kept somewhere for a component, or for use in its place."""
    lines = [c for c in book.components() if c.operation == kept.operation]
    component = next((c for c in lines if c.item_id == kept.item_id), None)
    if component is None:
        code = kept.item.code
        instead = [c for c in lines if code in {a["item"] for a in c.alternates}]
        component = alternate_of(book, (instead or lines)[0], kept.item)
    of_lot = [Pieces(lot=kept.lot.code, quantity=kept.quantity)] if kept.lot else []
    _issue(book, document, component, kept.quantity, kept.place, of_lot)


def _issue(
    book: OpenBook,
    document: Document,
    component: OrderInput,
    quantity: Decimal,
    place: Place,
    pieces: Sequence[Pieces],
) -> None:
    assert component.item is not None
    split, lot = split_from_json(component.split), book.order.lot
    document.take(
        component.item,
        quantity,
        out_of=place,
        into=book.wip_place,
        part=StockLine.Part.COMPONENT,
        operation=component.operation,
        pieces=pieces,
        then=lambda value: document.charge(component.operation, value, split),
        before=lot.code if lot and lot.item_id == component.item_id else "",
    )


def give_back(
    book: OpenBook,
    document: Document,
    component: OrderInput,
    quantity: Decimal,
    place: Place,
    pieces: Sequence[Pieces] = (),
) -> None:
    """Add one return to a document: at the average issued, of layers at what was taken."""
    assert component.item is not None and document.cost_object is not None
    before = [m for m in document.moves if m.comes_back and _is_of(m, component)]
    issued = component.used - sum((m.quantity for m in before), ZERO)
    if quantity > issued:
        raise MoreThanIssued(
            component.item.code, document.cost_object.number, quantity, issued, component.unit
        )

    def worth() -> Decimal:
        gone = sum((line.worth for line in document.lines if line.move in before), ZERO)
        return returned_value(issued=issued, amount=component.amount - gone, quantity=quantity)

    split = split_from_json(component.split)
    document.put(
        component.item,
        quantity,
        out_of=book.wip_place,
        into=place,
        worth=worth,
        part=StockLine.Part.COMPONENT,
        operation=component.operation,
        pieces=pieces,
        then=lambda worth: document.charge(component.operation, -worth, split),
        comes_back=True,
    )


def _is_of(move: Move, component: OrderInput) -> bool:
    return (move.item.pk, move.operation) == (component.item_id, component.operation)
