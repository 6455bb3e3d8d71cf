"""What becomes of a purchase order before it has all come: confirmed, changed, finished, cancelled."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Annotated, ClassVar

from django.utils import timezone
from poietic_core.buying.purchase import COMING, PurchaseAct, PurchaseState
from poietic_core.errors import DomainError
from poietic_core.quantity import ZERO
from pydantic import Field

from ...catalog.queries import stock_place
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.transaction import Transaction
from ...orders.commands.report_given import Report, ScrapGiven
from ...orders.commands.reporting import add_report
from ...orders.dates import end_of
from ...orders.models import PlannedNeed, Shortage
from ...orders.open_book import OpenBook
from ...web_api.errors import InvalidInput
from ...web_api.fields import Code, Day, Note, Price, Quantity, Strict, Text
from ..book import PurchaseBook, counted, lock_orders
from ..models import PurchaseLine
from .drafting import (
    MOST_LINES,
    LineNumber,
    LineWanted,
    PurchaseGiven,
    PurchaseNumber,
    add_lines,
)

Their = Annotated[str, Text(40)]
#: orders that are named as waiting
NAMED = 5


@dataclass(eq=False)
class LessThanCame(DomainError):
    """A line would order less than has come of it."""

    purchase: int
    line: int
    quantity: Decimal
    came: Decimal
    unit: str
    code: ClassVar[str] = "purchase.less_than_came"
    what: ClassVar[str] = "Line {line} of purchase order {purchase} can't order {quantity} {unit}."
    why: ClassVar[str] = "{came} {unit} of it have come."
    fix: ClassVar[str] = "Order at least what came, or return the rest first."


class LineConfirmed(Strict):
    """What the supplier confirms of a line otherwise than it was ordered."""

    line: LineNumber
    quantity: Quantity | None = None
    comes_on: Day | None = None
    price: Price | None = None


class ConfirmPurchase(Strict):
    """What the supplier confirms; lines that are not named are confirmed as they stand."""

    purchase: PurchaseNumber
    their_number: Their = ""
    lines: Annotated[list[LineConfirmed], Field(max_length=MOST_LINES)] = []


class LineChanged(LineConfirmed):
    """What is different of a line."""

    place: Code | None = None


class ChangePurchase(Strict):
    """What is different of a purchase order; what is not named stays."""

    purchase: PurchaseNumber
    lines: Annotated[list[LineChanged], Field(max_length=MOST_LINES)] = []
    add: Annotated[list[LineWanted], Field(max_length=MOST_LINES)] = []
    #: lines of which nothing came, left out
    drop: Annotated[list[LineNumber], Field(max_length=MOST_LINES)] = []
    their_number: Their | None = None
    note: Note | None = None


class FinishPurchase(Strict):
    """A purchase order of which no more is waited for, or some of its lines."""

    purchase: PurchaseNumber
    #: left out: all
    lines: Annotated[list[LineNumber], Field(max_length=MOST_LINES)] = []
    #: of work on orders: for what units that are out and do not come back are scrapped
    missing: Code | None = None
    reason: Note = ""


@command("confirm-purchase", "Confirm a purchase order", Role.CONTROLLER)
def confirm_purchase(context: Context, given: ConfirmPurchase) -> None:
    """Take in what the supplier confirms; a later day moves what waits for it, and says which orders."""
    waiting = _orders_waiting(context, given)
    book = PurchaseBook.lock(context, given.purchase)
    book.require(PurchaseAct.CONFIRM)
    today = timezone.localdate(context.now)
    context.effects.field(book.thing, "confirmed on", book.purchase.confirmed_on, today)
    book.purchase.confirmed_on = today
    if given.their_number:
        book.purchase.their_number = given.their_number
    for said in given.lines:
        _change_line(book, book.line(said.line), said)
    book.finish()
    _move_orders(book, waiting)


@command("change-purchase", "Change a purchase order", Role.CONTROLLER)
def change_purchase(context: Context, given: ChangePurchase) -> None:
    """Change lines, add some, leave some out of which nothing has come."""
    waiting = _orders_waiting(context, given)
    book = PurchaseBook.lock(context, given.purchase)
    book.require(PurchaseAct.CHANGE)
    for name in ("their_number", "note"):
        if (said := getattr(given, name)) is not None:
            words = name.replace("_", " ")
            context.effects.field(book.thing, words, getattr(book.purchase, name), said)
            setattr(book.purchase, name, said)
    for change in given.lines:
        line = book.line(change.line)
        if change.place:
            was, line.place = line.place, stock_place(change.place)
            context.effects.field(
                f"{book.thing} line {line.number}", "place", was.name, line.place.name
            )
        _change_line(book, line, change)
    for number in given.drop:
        _drop_line(book, book.line(number))
    if given.add:
        known = len(book.lines)
        add_lines(book, given.add)
        for line in book.lines[known:] if book.state in COMING else ():
            line.asked_quantity, line.asked_for = line.quantity, line.comes_on
    if not book.lines:
        raise InvalidInput(["drop: no line would be left; cancel the purchase order"])
    book.finish()
    _move_orders(book, waiting)


@command("finish-purchase", "Finish a purchase order with what came", Role.CONTROLLER)
def finish_purchase(context: Context, given: FinishPurchase) -> None:
    """Wait no longer for what has not come of all lines, or of some."""
    _scrap_missing(context, given)
    book = PurchaseBook.lock(context, given.purchase)
    book.require(PurchaseAct.FINISH)
    for line in [book.line(n) for n in given.lines] or book.lines:
        line.is_ended = True
    if not any(n.received for n in book.lines) and all(n.is_ended for n in book.lines):
        raise InvalidInput(["purchase: nothing has come of it; cancel it"])
    book.finish()


def _scrap_missing(context: Context, given: FinishPurchase) -> None:
    """Report what is out and does not come back as scrap of its order; without a reason for that it is refused."""
    rows = PurchaseLine.objects.filter(
        purchase__number=given.purchase, is_work=True, is_ended=False
    )
    if given.lines:
        rows = rows.filter(number__in=given.lines)
    orders = lock_orders(context, rows)
    transaction, lacking = Transaction(context), []
    for line in rows.order_by("order", "number").select_related("order"):
        if line.order is None:
            continue
        order = orders[line.order.number]
        operation = order.operation(line.operation or 0)
        out = operation.sent - operation.processed
        if out <= ZERO:
            continue
        if given.missing is None:
            lacking.append(
                f"missing: {out.normalize():f} of order {order.order.number} are out: say for what reason they are scrapped, or receive them first"
            )
            continue
        scrap = [ScrapGiven(reason=given.missing, quantity=out)]
        report = Report(order=order.order.number, operation=operation.number, good=ZERO, scrap=scrap, reason=given.reason or "missing from the supplier")  # fmt: skip
        add_report(transaction, order, report)
    if lacking:
        raise InvalidInput(lacking)
    if transaction.documents:
        transaction.post()
        for order in orders.values():
            order.finish()


@command("cancel-purchase", "Cancel a purchase order", Role.CONTROLLER)
def cancel_purchase(context: Context, given: PurchaseGiven) -> None:
    """Expect nothing of a purchase order of which nothing has come."""
    book = PurchaseBook.lock(context, given.purchase)
    book.require(PurchaseAct.CANCEL)
    book.set_state(PurchaseState.CANCELLED)
    book.finish()


def _orders_waiting(
    context: Context, given: ConfirmPurchase | ChangePurchase
) -> dict[int, OpenBook]:
    """Lock the orders whose units come back on another day, before the purchase order, as their reports do."""
    moved = [n.line for n in given.lines if n.comes_on is not None]
    lines = PurchaseLine.objects.filter(purchase__number=given.purchase, is_work=True, number__in=moved)  # fmt: skip
    return lock_orders(context, lines) if moved else {}


def _move_orders(book: PurchaseBook, waiting: Mapping[int, OpenBook]) -> None:
    """Have the operations whose units are out end when these are promised back."""
    for line in book.lines:
        if not line.is_work or line.order is None or line.order.number not in waiting:
            continue
        order = waiting[line.order.number]
        operation = order.operation(line.operation or 0)
        if operation.sent > operation.processed:
            operation.back_at = end_of(line.comes_on)
    for order in waiting.values():
        order.finish()


def _change_line(book: PurchaseBook, line: PurchaseLine, said: LineConfirmed) -> None:
    """Take in another quantity, day or price of a line."""
    thing, item = f"{book.thing} line {line.number}", line.item
    if line.is_work and (said.quantity is not None or said.price is not None):
        assert line.order is not None
        raise InvalidInput([f"lines: line {line.number} is work on order {line.order.number}: quantity and price follow the order, change that"])  # fmt: skip
    effects = book.context.effects
    if said.quantity is not None:
        stock = counted(item, said.quantity, line.per_unit)
        kept = line.stands().kept
        if stock < kept:
            raise LessThanCame(book.purchase.number, line.number, stock, kept, item.unit)
        effects.field(thing, f"quantity [{line.unit}]", line.quantity, said.quantity)
        line.quantity = said.quantity
    if said.price is not None:
        if line.invoiced:
            raise InvalidInput([f"lines: line {line.number} is invoiced; its price stands, the invoice tells the difference"])  # fmt: skip
        effects.field(thing, "price", line.price, said.price)
        line.price = said.price
    if said.comes_on is not None and said.comes_on != line.comes_on:
        effects.field(thing, "there on", line.comes_on, said.comes_on)
        if said.comes_on > line.comes_on:
            _tell_who_waits(book, line, said.comes_on)
        line.comes_on = said.comes_on


def _tell_who_waits(book: PurchaseBook, line: PurchaseLine, comes_on: date) -> None:
    """Say which orders are short of what comes later, and by how many days."""
    days = (comes_on - line.comes_on).days
    later = f"it comes {days} day{'s' if days > 1 else ''} later"
    if line.is_work and line.order:
        words = f"{later}; order {line.order.number} waits for it"
        book.context.effects.remark(f"{book.thing} line {line.number}", words)
        return
    running = Shortage.objects.filter(item=line.item, quantity__gt=ZERO)
    planned = PlannedNeed.objects.filter(item=line.item, short__gt=ZERO)
    numbers = sorted({*running.values_list("order__number", flat=True)[:NAMED + 1], *planned.values_list("order__number", flat=True)[:NAMED + 1]})  # fmt: skip
    if not numbers:
        return
    named = ", ".join(str(n) for n in numbers[:NAMED])
    others = " and others" if len(numbers) > NAMED else ""
    what, verb = ("orders", "wait") if len(numbers) > 1 else ("order", "waits")
    book.context.effects.remark(line.item.code, f"{later}; {what} {named}{others} {verb} for it")


def _drop_line(book: PurchaseBook, line: PurchaseLine) -> None:
    if line.is_work:
        raise InvalidInput([f"drop: line {line.number} is work on an order; do its operation inside, and it is dropped"])  # fmt: skip
    if line.received:
        raise InvalidInput([f"drop: something of line {line.number} has come; finish it with what came"])  # fmt: skip
    book.context.effects.field(f"{book.thing} line {line.number}", "line", line.item.code, None)
    book.context.touched.add(line.item_id)
    book.lines.remove(line)
    line.delete()
