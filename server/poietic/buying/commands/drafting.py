"""Drafting purchase orders: by hand, of all that is missing, as a copy; sending them."""

from collections.abc import Sequence
from datetime import date
from decimal import Decimal
from typing import Annotated

from django.db import connection
from django.utils import timezone
from poietic_core.buying.purchase import PurchaseAct, PurchaseState, weekdays_after
from poietic_core.cost.prices import SupplierPrice
from poietic_core.quantity import ZERO
from pydantic import Field

from ...catalog.models import Item, Partner, Place
from ...catalog.queries import any_of, items_by_code, stock_place, supplier_by_code
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...costing.queries import unit_price
from ...orders.models import Order
from ...statements.bulk import insert_rows
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import (
    Code,
    Day,
    Note,
    OperationNumber,
    OrderNumber,
    Price,
    Quantity,
    Strict,
    Text,
)
from ..book import PurchaseBook, counted
from ..models import Purchase, PurchaseLine
from ..prices import first_suppliers, list_prices, units_in

PurchaseNumber = Annotated[int, Field(ge=1, le=2_000_000_000)]
LineNumber = Annotated[int, Field(ge=1, le=9999)]
MOST_LINES = 500


class LineWanted(Strict):
    """An item to buy; what is left out is proposed: price by the lists, day by its lead time."""

    item: Code
    quantity: Quantity
    #: the supplier's; left out, the stock unit
    unit: Annotated[str, Text(20)] = ""
    #: of one such unit
    price: Price | None = None
    comes_on: Day | None = None
    place: Code | None = None
    #: the order that it is for, and its operation
    order: OrderNumber | None = None
    operation: OperationNumber | None = None


class DraftPurchase(Strict):
    """What is to be ordered of a supplier."""

    supplier: Code
    lines: Annotated[list[LineWanted], Field(min_length=1, max_length=MOST_LINES)]
    note: Note = ""
    #: it is sent to the supplier at once
    send: bool = False


class MissingWanted(LineWanted):
    """An item to buy, of the supplier named or of the first in its price list."""

    supplier: Code | None = None


class BuyMissing(Strict):
    """All that is to be bought: a purchase order for each supplier."""

    lines: Annotated[list[MissingWanted], Field(min_length=1, max_length=MOST_LINES)]


class PurchaseGiven(Strict):
    """A purchase order by its number."""

    purchase: PurchaseNumber


class CopyPurchase(Strict):
    """Another purchase order like one that there is, at today's prices."""

    purchase: PurchaseNumber
    comes_on: Day | None = None


@command("draft-purchase", "Draft a purchase order", Role.CONTROLLER)
def draft_purchase(context: Context, given: DraftPurchase) -> None:
    """Put a purchase order together; nothing is expected of it before it is sent."""
    supplier = supplier_by_code(given.supplier)
    book = draft(context, supplier, given.lines, given.note)
    if given.send:
        send(book)
    book.finish()
    context.made["purchase"] = str(book.purchase.number)


@command("buy-missing", "Buy what is missing", Role.CONTROLLER)
def buy_missing(context: Context, given: BuyMissing) -> None:
    """Draft a purchase order for each supplier of what is missing."""
    numbers = list(dict.fromkeys(buy(context, given.lines).values()))
    context.made["purchase"] = numbers[0]
    context.made["purchases"] = ",".join(numbers)


def buy(context: Context, lines: Sequence[MissingWanted]) -> dict[str, str]:
    """Draft a purchase order for each supplier; return the number of each item's."""
    items = items_by_code(n.item for n in lines)
    first = first_suppliers(i.pk for i in items.values())
    by_supplier: dict[str, list[MissingWanted]] = {}
    for line in lines:
        supplier = line.supplier or first.get(items[line.item].pk, (None, ""))[0]
        if supplier is None:
            raise InvalidInput([f"lines: nobody is known to sell {line.item}; name a supplier, or give it a price list"])  # fmt: skip
        by_supplier.setdefault(supplier, []).append(line)
    numbers: dict[str, str] = {}
    for code in sorted(by_supplier):
        book = draft(context, supplier_by_code(code), by_supplier[code], "")
        book.finish()
        numbers |= {n.item: str(book.purchase.number) for n in by_supplier[code]}
    return numbers


@command("copy-purchase", "Copy a purchase order", Role.CONTROLLER)
def copy_purchase(context: Context, given: CopyPurchase) -> None:
    """Draft another purchase order of the same supplier, items and quantities, at today's prices."""
    source = PurchaseBook.lock(context, given.purchase)
    lines = [
        LineWanted(
            item=n.item.code,
            quantity=n.quantity,
            unit=n.unit,
            comes_on=given.comes_on,
            place=n.place.code,
        )
        for n in source.lines
        if not n.is_work
    ]
    if not lines:
        raise InvalidInput([f"purchase: {given.purchase} orders work on units of orders only; it comes with their release"])  # fmt: skip
    book = draft(context, source.purchase.supplier, lines, source.purchase.note)
    book.finish()
    context.made["purchase"] = str(book.purchase.number)


@command("send-purchase", "Send a purchase order", Role.CONTROLLER)
def send_purchase(context: Context, given: PurchaseGiven) -> None:
    """Order what was drafted: from now on it is expected."""
    book = PurchaseBook.lock(context, given.purchase)
    book.require(PurchaseAct.ORDER)
    send(book)
    book.finish()


def send(book: PurchaseBook) -> None:
    """Have a draft be ordered today; what was asked for is kept beside what will be promised."""
    book.purchase.ordered_on = timezone.localdate(book.context.now)
    book.set_state(PurchaseState.ORDERED)
    for line in book.lines:
        line.asked_quantity, line.asked_for = line.quantity, line.comes_on


def begin(context: Context, supplier: Partner, note: str) -> PurchaseBook:
    """Make a draft without lines."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT nextval('buying_number')")
        number: int = cursor.fetchone()[0]
    purchase = Purchase.objects.create(
        number=number,
        supplier=supplier,
        state=PurchaseState.DRAFT.value,
        note=note,
        drafted_at=context.now,
        change=context.change,
    )
    context.effects.field(f"purchase order {number}", "supplier", None, supplier.name)
    return PurchaseBook(context, purchase)


def draft(
    context: Context, supplier: Partner, wanted: Sequence[LineWanted], note: str
) -> PurchaseBook:
    """Make a draft with its lines; whoever asks finishes it."""
    book = begin(context, supplier, note)
    add_lines(book, wanted)
    return book


def add_lines(book: PurchaseBook, wanted: Sequence[LineWanted]) -> None:
    """Add lines to a purchase order that is locked or new, with what is proposed where nothing is said."""
    context, supplier = book.context, book.purchase.supplier
    items = items_by_code(n.item for n in wanted)
    prices = list_prices(supplier, items.values())
    today = timezone.localdate(context.now)
    last = max((n.number for n in book.lines), default=0)
    places = _places(wanted, items)
    orders = _orders(wanted)
    rows = []
    for at, line in enumerate(wanted, last + 1):
        item = items[line.item]
        if item.source == Item.Source.MAKE:
            raise InvalidInput([f"lines: {item.code} is made; plan an order of it"])
        per_unit = units_in(item, line.unit)
        counted(item, line.quantity, per_unit)
        price = _price(item, prices.get(item.pk, []), line, per_unit, today)
        comes_on = line.comes_on or weekdays_after(today, item.lead_time_days or 0)
        unit = line.unit or item.unit
        order = orders[line.order] if line.order else None
        rows.append((book.purchase.pk, at, item.pk, unit, per_unit, line.quantity, price, comes_on, places[at - last - 1].pk, order.pk if order else None, line.operation, ZERO))  # fmt: skip
        words = f"{line.quantity.normalize():f} {unit} of {item.code} at {price.normalize():f}, there on {comes_on}"
        context.effects.field(book.thing, f"line {at}", None, words)
    fields = ("purchase", "number", "item", "unit", "per_unit", "quantity", "price", "comes_on", "place", "order", "operation", "received")  # fmt: skip
    zeros = ("returned", "invoiced", "not_replaced", "coming")
    keys = insert_rows(
        PurchaseLine,
        (*fields, *zeros, "is_ended", "is_work"),
        [(*row, *[ZERO] * len(zeros), False, False) for row in rows],
    )
    made = PurchaseLine.objects.filter(pk__in=any_of(keys)).order_by("number")
    book.lines += made.select_related("item", "place", "order__cost_object")


def _price(
    item: Item, prices: list[SupplierPrice], line: LineWanted, per_unit: Decimal, day: date
) -> Decimal:
    """Return what is said, else what the lists say, for one of the line's units."""
    said: Decimal | None = line.price
    if said is not None:
        return said
    found = unit_price(item, prices, day, line.quantity * per_unit)
    if found is None:
        raise InvalidInput([f"lines: no price of {item.code} is known; say it, or give it a price list"])  # fmt: skip
    return found * per_unit


def _places(wanted: Sequence[LineWanted], items: dict[str, Item]) -> list[Place]:
    """Return where each line is put: as said, else where the item's last purchase went, else the first store."""
    said = {code: stock_place(code) for code in {n.place for n in wanted if n.place}}
    unsaid = {items[n.item].pk for n in wanted if not n.place}
    last: dict[int, Place] = {}
    if unsaid:
        rows = PurchaseLine.objects.filter(item__in=any_of(unsaid), is_work=False).select_related(
            "place"
        )
        last = {n.item_id: n.place for n in rows.order_by("item_id", "-pk").distinct("item_id")}
    store = Place.objects.filter(kind=Place.Kind.STORE).order_by("walk_order", "pk").first()
    places = []
    for line in wanted:
        place = said[line.place] if line.place else last.get(items[line.item].pk) or store
        if place is None:
            raise InvalidInput(["lines: there is no store yet; define one"])
        places.append(place)
    return places


def _orders(wanted: Sequence[LineWanted]) -> dict[int, Order]:
    """Return the orders that lines are for, by number, or refuse by it."""
    numbers = {n.order for n in wanted if n.order}
    for n in wanted:
        if n.order and n.operation is None:
            raise InvalidInput([f"lines: say which operation of order {n.order} {n.item} is for"])
    found = {o.number: o for o in Order.objects.filter(number__in=any_of(numbers))} if numbers else {}  # fmt: skip
    for number in sorted(numbers):
        if number not in found:
            raise NotFound("order", str(number))
    return found
