"""Moving stock within the works, putting its quantity right, and scrapping it."""

from decimal import Decimal
from typing import Annotated

from poietic_core.quantity import ZERO
from pydantic import Field

from ...catalog.models import Item, Place, Reason
from ...catalog.queries import item_by_code, items_by_code, place_of_kind, reasons_for, stock_place
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.document import Document, Pieces
from ...ledger.models import Account, Posting
from ...ledger.transaction import Transaction
from ...web_api.errors import InvalidInput
from ...web_api.fields import Code, Moment, Note, Quantity, QuantityOrNone, Reference, Strict


class LotMoved(Strict):
    """Pieces of one lot, or one serial."""

    lot: Reference
    quantity: Quantity


class StockMoved(Strict):
    """A quantity of an item, by lot where that matters; left out, what expires first goes first."""

    item: Code
    quantity: Quantity
    #: all of it, where it is of one lot
    lot: Reference = ""
    lots: Annotated[list[LotMoved], Field(max_length=1000)] = []

    def pieces(self) -> list[Pieces]:
        """Return its lots as the ledger takes them."""
        if self.lot:
            return [Pieces(lot=self.lot, quantity=self.quantity)]
        return [Pieces(lot=p.lot, quantity=p.quantity) for p in self.lots]


class MoveStock(Strict):
    """What is carried from one place to another of the same site."""

    from_place: Code
    to_place: Code
    lines: Annotated[list[StockMoved], Field(min_length=1, max_length=500)]
    happened_at: Moment | None = None
    reason: Note = ""


class ScrapStock(Strict):
    """A quantity that is of no use any more."""

    item: Code
    quantity: Quantity
    place: Code
    #: of a tracked item; left out, what expires first
    lot: Reference = ""
    why: Code
    reason: Note = ""


class AdjustStock(Strict):
    """What is really there of an item at a place, of a lot where it has one."""

    item: Code
    place: Code
    lot: Reference = ""
    on_hand: QuantityOrNone
    why: Code
    reason: Note = ""


@command("move-stock", "Move stock", Role.STOREKEEPER, Role.CONTROLLER)
def move_stock(context: Context, given: MoveStock) -> None:
    """Carry stock to another place of the same site; what is reserved stays reserved there."""
    out_of, into = stock_place(given.from_place), stock_place(given.to_place)
    if out_of == into:
        raise InvalidInput([f"to_place: {into.name} is where it lies already"])
    if out_of.site_id != into.site_id:
        raise InvalidInput([f"to_place: {into.name} is at another site; send a transfer"])
    items = items_by_code(line.item for line in given.lines)
    transaction = Transaction(context)
    document = transaction.open(
        Posting.Kind.MOVE, happened_at=given.happened_at, reason=given.reason
    )
    for line in given.lines:
        item = items[line.item]
        document.shift(item, line.quantity, out_of=out_of, into=into, pieces=line.pieces())
    transaction.post()


@command("scrap-stock", "Scrap stock", Role.STOREKEEPER, Role.CONTROLLER)
def scrap_stock(context: Context, given: ScrapStock) -> None:
    """Take stock away as scrap; its value is an expense."""
    item, place = item_by_code(given.item), stock_place(given.place)
    why = reasons_for(Reason.Use.SCRAP, [given.why])[given.why]
    transaction = Transaction(context)
    document = transaction.open(Posting.Kind.SCRAP, reason=because(why, given.reason))
    document.take(
        item,
        given.quantity,
        out_of=place,
        into=place_of_kind(Place.Kind.SCRAP),
        pieces=[Pieces(lot=given.lot, quantity=given.quantity)] if given.lot else [],
        then=lambda value: document.journal(Account.SCRAP_EXPENSE, value),
    )
    transaction.post()


@command("adjust-stock", "Put stock right", Role.STOREKEEPER, Role.CONTROLLER)
def adjust_stock(context: Context, given: AdjustStock) -> None:
    """Post the difference between what is there and what the books say, with its reason."""
    item, place = item_by_code(given.item), stock_place(given.place)
    why = reasons_for(Reason.Use.ADJUSTMENT, [given.why])[given.why]
    transaction = Transaction(context)
    transaction.concern([item.pk])
    transaction.stock.lots.know(item.pk, given.lot)
    there = [b for b in transaction.stock.at(item, place) if (b.lot.code if b.lot else "") == given.lot]  # fmt: skip
    difference = given.on_hand - sum((b.quantity for b in there), ZERO)
    if not difference:
        raise InvalidInput([f"on_hand: {given.on_hand} of {item.code} is what the books say"])
    document = transaction.open(Posting.Kind.COUNT, reason=because(why, given.reason))
    differ(transaction, document, item, place, given.lot, difference)
    transaction.post()


def differ(
    transaction: Transaction,
    document: Document,
    item: Item,
    place: Place,
    lot: str,
    difference: Decimal,
) -> None:
    """Add what was counted more, or less, than the books say; more comes in at what stock is worth."""
    elsewhere = place_of_kind(Place.Kind.COUNT)
    pieces = [Pieces(lot=lot, quantity=abs(difference))] if lot else []

    def expense(value: Decimal) -> None:
        document.journal(Account.COUNT_DIFFERENCE, value)

    if difference < 0:
        document.take(item, -difference, out_of=place, into=elsewhere, pieces=pieces, then=expense)
        return
    document.put(
        item,
        difference,
        out_of=elsewhere,
        into=place,
        worth=lambda: transaction.stock.worth_of(item, difference),
        pieces=pieces,
        then=lambda worth: expense(-worth),
    )


def because(why: Reason, words: str) -> str:
    """Return why something is posted, in words."""
    return f"{why.name}: {words}"[:400] if words else why.name
