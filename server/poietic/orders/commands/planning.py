"""Planning orders: one, a copy, a whole table; changing them, keeping planning's hands off, re-deriving."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Annotated, ClassVar

from django.db import connection
from django.db.models import Max, Min, Sum
from django.utils import timezone
from poietic_core.errors import DomainError
from poietic_core.order.states import RUNNING, Act, OrderState
from poietic_core.planning.sizing import order_quantity_from
from poietic_core.quantity import ZERO, require_step
from pydantic import Field

from ...catalog.models import OWN_KINDS, Item, Partner, Place
from ...catalog.queries import stock_place
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...engineering.models import Revision
from ...engineering.queries import inlined, revision_for, revision_in_force
from ...ledger.models import CostObject, Lot, StockBalance
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Day, Note, OrderNumber, Quantity, Reference, Strict, Text
from ..dates import Dating
from ..models import Order
from ..open_book import OpenBook
from ..planned import outlooks
from .carrying_down import carry_down
from .foresight import foresee
from .life import OrderGiven
from .rescaling import rescale

#: how far away a date can lie that an order is due on
MOST_YEARS = 10
Their = Annotated[str, Text(40)]
TheirLine = Annotated[str, Text(20)]


class Wanted(Strict):
    """Whom an order is for, as far as it is known."""

    customer: Code | None = None
    #: number and line of the customer's order
    customer_order: Their = ""
    customer_line: TheirLine = ""
    wanted_on: Day | None = None
    note: Note = ""


class PlanOrder(Wanted):
    """A quantity of an item to make by a date; places left out are those used last for the item."""

    item: Code
    #: left out where a lot sets it
    quantity: Quantity | None = None
    due: Day
    #: a lot of a component, and how much of it there is for the order
    lot_of: Code | None = None
    lot: Reference = ""
    lot_quantity: Quantity | None = None
    supply_place: Code | None = None
    receipt_place: Code | None = None


class PlanOrders(Strict):
    """Several orders, as a pasted table has them."""

    orders: Annotated[list[PlanOrder], Field(min_length=1, max_length=200)]


class CopyOrder(Strict):
    """Another order like one that there is."""

    order: OrderNumber
    due: Day
    #: left out, the same
    quantity: Quantity | None = None


class ChangeOrder(Strict):
    """What is different of an order; what is not named stays. One that runs keeps where it is supplied from."""

    order: OrderNumber
    quantity: Quantity | None = None
    due: Day | None = None
    supply_place: Code | None = None
    receipt_place: Code | None = None
    customer: Code | None = None
    customer_order: Their | None = None
    customer_line: TheirLine | None = None
    wanted_on: Day | None = None
    note: Note | None = None
    #: change the orders of its components with it
    carry_down: bool = False


class BeginOrders(Strict):
    """The number that the first order is to have."""

    number: OrderNumber


@dataclass(eq=False)
class NumbersBegun(DomainError):
    """Orders have numbers already, which others would collide with."""

    first: int
    last: int
    code: ClassVar[str] = "order.numbers_begun"
    what: ClassVar[str] = "The number of the first order can't be set any more."
    why: ClassVar[str] = "There are orders from {first} to {last}."
    fix: ClassVar[str] = "Go on with the numbers that there are."


@command("begin-orders-at", "Set the number of the first order", Role.ADMINISTRATOR)
def begin_orders_at(context: Context, given: BeginOrders) -> None:
    """Have orders numbered from a number on, so that a works goes on with those that it has."""
    context.guard("order numbers")
    there = Order.objects.aggregate(first=Min("number"), last=Max("number"))
    if there["first"]:
        raise NumbersBegun(there["first"], there["last"])
    context.effects.field("first order", "number", None, given.number)
    if not context.is_preview:  # a sequence does not go back with a preview
        with connection.cursor() as cursor:
            cursor.execute("SELECT setval('orders_number', %s, false)", [given.number])


@command("plan-order", "Plan an order", Role.CONTROLLER)
def plan_order(context: Context, given: PlanOrder) -> None:
    """Make a planned order; it holds nothing until it is released."""
    book = plan(context, given)
    context.made["order"] = str(book.order.number)
    foresee(context, book, "new order")


@command("plan-orders", "Plan orders", Role.CONTROLLER)
def plan_orders(context: Context, given: PlanOrders) -> None:
    """Make several planned orders, all or none."""
    numbers = []
    for n, one in enumerate(given.orders, 1):
        try:
            numbers.append(plan(context, one).order.number)
        except InvalidInput as err:
            raise InvalidInput([f"orders.{n}.{fault}" for fault in err.faults]) from err
    context.effects.field("new orders", "number", None, len(numbers))
    context.made["orders"] = ",".join(map(str, numbers))


@command("copy-order", "Copy an order", Role.CONTROLLER)
def copy_order(context: Context, given: CopyOrder) -> None:
    """Plan another order of the same item, for the same places and the same customer."""
    was = OpenBook.lock(context, given.order).order
    book = plan(
        context,
        PlanOrder(
            item=was.item.code,
            quantity=given.quantity or was.quantity,
            due=given.due,
            supply_place=was.supply_place.code,
            receipt_place=was.receipt_place.code,
            customer=was.customer.code if was.customer else None,
            customer_order=was.customer_order,
            customer_line=was.customer_line,
            note=was.note,
        ),
    )
    context.made["order"] = str(book.order.number)
    foresee(context, book, "new order")


@command("change-order", "Change an order", Role.CONTROLLER)
def change_order(context: Context, given: ChangeOrder) -> None:
    """Change what is planned, or what runs; a firm order keeps the structure that it was derived from."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.CHANGE)
    order = book.order
    fields = [name for name in type(given).model_fields if name not in ("order", "carry_down")]
    said = {name: v for name in fields if (v := getattr(given, name)) is not None}
    if given.quantity:
        _require_quantity(order.item, given.quantity)
    if given.due:
        _require_near(given.due, context.now.date())
    for name in ("supply_place", "receipt_place"):
        if name in said:
            said[name] = stock_place(said[name])
    if given.customer:
        said["customer"] = _customer(given.customer)
    runs = book.state in RUNNING
    if runs and given.supply_place:
        raise InvalidInput(["supply_place: its material is kept there already; move it instead"])
    if runs and given.quantity and given.quantity != order.quantity:
        context.effects.field(book.thing, "quantity", order.quantity, given.quantity)
        rescale(book, said.pop("quantity"))
    for name, after in said.items():
        before = getattr(order, name)
        context.effects.field(book.thing, name.replace("_", " "), _said(before), _said(after))
        setattr(order, name, after)
    order.save(update_fields=[*said, "quantity"])
    book.finish()
    if not runs:
        foresee(context, book, book.thing)
    if given.carry_down:
        carry_down(context, book)
    elif below := Order.objects.filter(made_for=order.pk).count():
        words = f"{below} order{'s' * (below > 1)} of its components stay as they are"
        context.effects.remark(book.thing, words)


@command("make-firm", "Make an order firm", Role.CONTROLLER)
def make_firm(context: Context, given: OrderGiven) -> None:
    """Keep planning's hands off: it stays as it is, and by the structure in force now."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.FIRM)
    order = book.order
    order.revision = revision_for(order.revision, order.item, context.now.date())
    book.set_state(OrderState.FIRM)
    book.finish()


@command("leave-to-planning", "Leave an order to planning", Role.CONTROLLER)
def leave_to_planning(context: Context, given: OrderGiven) -> None:
    """Let planning change a firm order again; it follows the structure in force, or its customer's line's own."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.LEAVE)
    if book.order.revision and book.order.revision.state != Revision.State.OWN:
        book.order.revision = None
    book.set_state(OrderState.PLANNED)
    book.finish()


@command("rederive-order", "Re-derive an order", Role.CONTROLLER)
def rederive_order(context: Context, given: OrderGiven) -> None:
    """Take the structure in force now into a firm order, and say what it needs otherwise."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.REDERIVE)
    order = book.order
    day = context.now.date()
    before = outlooks([book], Dating([book], context.now).structures, day)[order.pk].needs
    was = order.revision.letter if order.revision else "none"
    order.revision = revision_for(order.revision, order.item, day)
    context.effects.field(book.thing, "revision", was, order.revision.letter if order.revision else "none")  # fmt: skip
    after = outlooks([book], Dating([book], context.now).structures, day)[order.pk].needs
    names = Item.objects.in_bulk(before.keys() | after.keys())
    for item in sorted(names.values(), key=lambda i: i.code):
        old, new = before.get(item.pk, ZERO), after.get(item.pk, ZERO)
        context.effects.field(book.thing, f"need of {item.code} [{item.unit}]", old, new)
    book.finish()


def plan(context: Context, given: PlanOrder) -> OpenBook:
    """Make a planned order."""
    held = context.hold(Item.objects.filter(code=given.item), "item")
    if not held:
        raise NotFound("item", given.item)
    item = held[0]
    if not item.is_made:
        raise InvalidInput([f"item: {item.code} is bought, production orders make what is made"])
    if item.is_phantom:
        raise InvalidInput(
            [f"item: {item.code} is a phantom: orders of its parents make it. Stock it first."]
        )
    lot = _lot(given)
    quantity = given.quantity or _sized(context, item, given, lot)
    _require_quantity(item, quantity)
    _require_near(given.due, context.now.date())
    supply_place, receipt_place = _places(item, given)
    with connection.cursor() as cursor:
        cursor.execute("SELECT nextval('orders_number')")
        number: int = cursor.fetchone()[0]
    order = Order.objects.create(
        cost_object=CostObject.objects.create(
            kind=CostObject.Kind.ORDER, number=number, opened_at=context.now
        ),
        number=number,
        item=item,
        quantity=quantity,
        lot=lot,
        due=given.due,
        state=OrderState.PLANNED.value,
        supply_place=supply_place,
        receipt_place=receipt_place,
        customer=_customer(given.customer) if given.customer else None,
        customer_order=given.customer_order,
        customer_line=given.customer_line,
        wanted_on=given.wanted_on,
        note=given.note,
        planned_at=context.now,
        change=context.change,
    )
    book = OpenBook(order, [], [], context=context)
    context.effects.field("new order", "state", None, "planned")
    context.effects.field("new order", "quantity", None, quantity)
    context.things.append(book)
    return book


def _lot(given: PlanOrder) -> Lot | None:
    """Return the lot that an order is to be made of, if one is named."""
    if not given.lot:
        return None
    if given.lot_of is None:
        raise InvalidInput(["lot_of: say which component the lot is of"])
    found = Lot.objects.select_related("item").filter(item__code=given.lot_of, code=given.lot)
    if (lot := found.first()) is None:
        raise NotFound(f"lot or serial of {given.lot_of}", given.lot)
    return lot


def _sized(context: Context, item: Item, given: PlanOrder, lot: Lot | None) -> Decimal:
    """Return the quantity that a lot sets: all of it that may be used, or as much as is named."""
    if lot is None:
        raise InvalidInput(["quantity: say how many, or name a lot that sets it"])
    day = timezone.localdate(context.now)
    revision = revision_in_force(item, day)
    structure = inlined(revision, day).structure if revision else None
    if structure is None or lot.item.code not in {c.item for c in structure.components}:
        raise InvalidInput([f"lot_of: {item.code} is not made of {lot.item.code}"])
    there = StockBalance.objects.filter(lot=lot, place__kind__in=OWN_KINDS)
    available = given.lot_quantity or there.aggregate(sum=Sum("quantity"))["sum"] or ZERO
    quantity = order_quantity_from(
        structure, lot.item.code, available, step=item.step, component_step=lot.item.step
    )
    if not quantity:
        raise InvalidInput([f"lot_quantity: {available:f} {lot.item.unit} of {lot.code} is not enough for one {item.code}"])  # fmt: skip
    said = f"{available.normalize():f} {lot.item.unit} of lot {lot.code} are enough for {quantity.normalize():f}"
    context.effects.remark(lot.item.code, said)
    return quantity


def _places(item: Item, given: PlanOrder) -> tuple[Place, Place]:
    """Return the places named, else those of the item's last order, else the first store."""
    if given.supply_place and given.receipt_place:
        return stock_place(given.supply_place), stock_place(given.receipt_place)
    last = Order.objects.filter(item=item).select_related("supply_place", "receipt_place")
    found = last.order_by("-pk").first()
    store = Place.objects.filter(kind=Place.Kind.STORE).order_by("walk_order", "pk").first()
    places = []
    for name, known in (("supply_place", found and found.supply_place), ("receipt_place", found and found.receipt_place)):  # fmt: skip
        named = getattr(given, name)
        place = stock_place(named) if named else known or store
        if place is None:
            raise InvalidInput([f"{name}: there is no store yet; define one"])
        places.append(place)
    return places[0], places[1]


def _require_quantity(item: Item, quantity: Decimal) -> None:
    require_step("The quantity", quantity, step=item.step, unit=item.unit)


def _require_near(due: date, today: date) -> None:
    """Refuse a date that nobody plans for."""
    if abs((due - today).days) > MOST_YEARS * 366:
        raise InvalidInput([f"due: {due} is more than {MOST_YEARS} years away"])


def _customer(code: str) -> Partner:
    found = Partner.objects.filter(code=code, is_customer=True).first()
    if found is None:
        raise NotFound("customer", code)
    return found


def _said(value: object) -> object:
    return value.name if isinstance(value, Place | Partner) else value
