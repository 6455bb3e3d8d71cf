"""Planning, releasing and cancelling orders."""

from dataclasses import dataclass
from datetime import date
from typing import ClassVar

from django.db import connection
from poietic_core.errors import DomainError
from poietic_core.order.states import Act, OrderState
from poietic_core.quantity import require_step
from poietic_core.structure.model import (
    IssueRule,
    OutputKind,
    Structure,
)

from ...catalog.models import Item
from ...catalog.queries import items_by_code, stock_place
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...costing.models import Standard
from ...costing.queries import standards_in_force
from ...engineering.queries import inlined, revision_in_force
from ...ledger.models import CostObject, Posting
from ...ledger.transaction import Transaction
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Day, Note, OrderNumber, Quantity, Strict
from ..dates import start_day
from ..models import Order, OrderGrade, OrderInput, OrderOperation
from ..open_book import OpenBook
from .material import close_document, issue
from .phantom_stock import use_phantom_stock
from .reserving import release_reserved, reserve_needs
from .snapshot import grades_of, inputs_of, operations_of

#: how far away a date can lie that an order is due on
MOST_YEARS = 10


@dataclass(eq=False)
class ReleaseBlocked(DomainError):
    """Things that keep an order from being released, all of them."""

    order: str
    blocks: list[dict[str, str]]
    code: ClassVar[str] = "order.release_blocked"
    what: ClassVar[str] = "Order {order} can't be released yet."
    why: ClassVar[str] = "{blocks}"
    fix: ClassVar[str] = "{blocks}"

    def explain(self) -> dict[str, str]:
        """Say every block with the way to fix it."""
        return {
            "what": self.what.format(order=self.order),
            "why": " ".join(b["why"] for b in self.blocks),
            "fix": " ".join(b["fix"] for b in self.blocks),
        }


class PlanOrder(Strict):
    """A quantity of an item to make by a date."""

    item: Code
    quantity: Quantity
    due: Day
    supply_place: Code
    receipt_place: Code
    note: Note = ""


class OrderGiven(Strict):
    """An order by its number."""

    order: OrderNumber


@command("plan-order", "Plan an order", Role.CONTROLLER)
def plan_order(context: Context, given: PlanOrder) -> None:
    """Make a planned order; it holds nothing until it is released."""
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
    require_step("The quantity", given.quantity, step=item.step, unit=item.unit)
    _require_near(given.due, context.now.date())
    with connection.cursor() as cursor:
        cursor.execute("SELECT nextval('orders_number')")
        number: int = cursor.fetchone()[0]
    order = Order.objects.create(
        cost_object=CostObject.objects.create(
            kind=CostObject.Kind.ORDER, number=number, opened_at=context.now
        ),
        number=number,
        item=item,
        quantity=given.quantity,
        due=given.due,
        state=OrderState.PLANNED.value,
        supply_place=stock_place(given.supply_place),
        receipt_place=stock_place(given.receipt_place),
        note=given.note,
        planned_at=context.now,
        change=context.change,
    )
    context.made["order"] = str(number)
    context.effects.field("new order", "state", None, "planned")
    context.effects.field("new order", "quantity", None, given.quantity)
    context.things.append(OpenBook(order, [], [], context=context))


def _require_near(due: date, today: date) -> None:
    """Refuse a date that nobody plans for."""
    if abs((due - today).days) > MOST_YEARS * 366:
        raise InvalidInput([f"due: {due} is more than {MOST_YEARS} years away"])


@command("release-order", "Release an order", Role.CONTROLLER)
def release_order(context: Context, given: OrderGiven) -> None:
    """Take the structure and the standard in force into the order and let it start."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.RELEASE)
    order = book.order
    day = start_day(book, context.now)
    revision = revision_in_force(order.item, day)
    taken_in = inlined(revision, day) if revision else None
    structure = taken_in.structure if taken_in else None
    standards = standards_in_force(_items_of(order.item, structure))
    if blocks := _blocks(order.item, structure, standards):
        raise ReleaseBlocked(str(order.number), blocks)
    assert structure is not None and taken_in is not None
    order.revision = revision
    order.standard = standards[order.item.code]
    order.released_at = context.now
    book.set_state(OrderState.RELEASED)
    book.operations = operations_of(order, structure)
    OrderOperation.objects.bulk_create(book.operations)
    book.inputs = inputs_of(order, structure, standards, day)
    OrderInput.objects.bulk_create(book.inputs)
    book.grades = grades_of(order, structure, standards)
    OrderGrade.objects.bulk_create(book.grades)
    transaction = Transaction(context)
    use_phantom_stock(transaction, book, taken_in, day)
    _issue_at_release(transaction, book)
    reserve_needs(transaction, book)
    transaction.post()
    book.finish()


@command("cancel-order", "Cancel an order", Role.CONTROLLER)
def cancel_order(context: Context, given: OrderGiven) -> None:
    """End an order to which nothing is posted."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.CANCEL)
    book.set_state(OrderState.CANCELLED)
    transaction = Transaction(context)
    release_reserved(transaction, book)
    transaction.post()
    book.finish()


def _items_of(item: Item, structure: Structure | None) -> list[Item]:
    return [item, *items_by_code(_codes_of(structure) if structure else []).values()]


def _codes_of(structure: Structure) -> list[str]:
    """Return the items that need a standard: components, co-products and grades."""
    beside = [o.item for o in structure.outputs if o.kind is OutputKind.CO_PRODUCT]
    return [*(c.item for c in structure.components), *beside, *(g.item for g in structure.grades)]


def release_blocks(item: Item, day: date) -> list[dict[str, str]]:
    """Return everything that keeps an order of the item from being released."""
    revision = revision_in_force(item, day)
    structure = inlined(revision, day).structure if revision else None
    return _blocks(item, structure, standards_in_force(_items_of(item, structure)))


def _blocks(
    item: Item, structure: Structure | None, standards: dict[str, Standard]
) -> list[dict[str, str]]:
    blocks: list[dict[str, str]] = []

    def block(place: str, why: str, fix: str) -> None:
        blocks.append({"place": place, "why": why, "fix": fix})

    if not item.is_active:
        block(f"item:{item.code}", f"{item.code} is inactive.", f"Make {item.code} active.")
    if structure is None:
        block(
            f"structure:{item.code}",
            f"{item.code} has no approved structure.",
            f"Draft and approve a structure of {item.code}.",
        )
    if item.code not in standards:
        block(
            f"standard:{item.code}",
            f"{item.code} has no standard cost.",
            f"Freeze the standard of {item.code}.",
        )
    if structure:
        components = items_by_code(_codes_of(structure))
        for code, component in components.items():
            if not component.is_active:
                block(f"item:{code}", f"{code} is inactive.", f"Make {code} active.")
            if code not in standards:
                block(
                    f"standard:{code}",
                    f"{code} has no standard cost.",
                    f"Give {code} a price or structure and freeze its standard.",
                )
    return blocks


def _issue_at_release(transaction: Transaction, book: OpenBook) -> None:
    """Issue in full what the structure wants issued by the release."""
    lines = [c for c in book.components() if c.issue_rule == IssueRule.AT_RELEASE]
    lines = [c for c in lines if c.still_needed]
    if not lines:
        return
    document = transaction.open(Posting.Kind.ISSUE, cost_object=book.order.cost_object)
    for c in lines:
        issue(book, document, c, c.still_needed, book.order.supply_place)
    close_document(book, document)
