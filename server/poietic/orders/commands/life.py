"""Planning, releasing and cancelling orders."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import ClassVar

from django.db import connection
from poietic_core.cost.model import TIME_ELEMENT, CostInput, InputKey, InputKind
from poietic_core.cost.rollup import cost_structure
from poietic_core.errors import DomainError
from poietic_core.order.states import Act, OrderState
from poietic_core.quantity import HOUR_STEP, UNIT_COST_STEP, ZERO, require_step, round_to, round_up
from poietic_core.structure.model import IssueRule, Structure
from poietic_core.structure.requirement import entering

from ...catalog.models import Item
from ...catalog.queries import item_by_code, items_by_code, stock_place
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...costing.basis import split_to_json
from ...costing.models import Standard
from ...costing.queries import standards_in_force
from ...engineering.models import WorkCenter
from ...engineering.queries import rates_by_code, revision_in_force, structure_of
from ...ledger.document import Document, Stock
from ...ledger.models import Holding, Posting
from ...web_api.errors import InvalidInput
from ...web_api.fields import Code, Note, OrderNumber, Quantity, Strict
from ..book import OpenBook
from ..dates import TIME_FIELDS, clock_run, clock_setup, start_day
from ..models import Order, OrderInput, OrderOperation
from .material import close_document, issue


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
    due: date
    supply_place: Code
    receipt_place: Code
    note: Note = ""


class OrderGiven(Strict):
    """An order by its number."""

    order: OrderNumber


@command("plan-order", "Plan an order", Role.CONTROLLER)
def plan_order(context: Context, given: PlanOrder) -> None:
    """Make a planned order; it holds nothing until it is released."""
    item = item_by_code(given.item)
    if not item.is_made:
        raise InvalidInput([f"item: {item.code} is bought, production orders make what is made"])
    require_step("The quantity", given.quantity, step=item.step, unit=item.unit)
    with connection.cursor() as cursor:
        cursor.execute("SELECT nextval('orders_number')")
        number: int = cursor.fetchone()[0]
    Order.objects.create(
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


@command("release-order", "Release an order", Role.CONTROLLER)
def release_order(context: Context, given: OrderGiven) -> None:
    """Take the structure and the standard in force into the order and let it start."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.RELEASE)
    order = book.order
    day = start_day(book, context.now)
    revision = revision_in_force(order.item, day)
    structure = structure_of(revision).on(day) if revision else None
    standards = standards_in_force(_items_of(order.item, structure))
    if blocks := _blocks(order.item, structure, standards):
        raise ReleaseBlocked(str(order.number), blocks)
    assert structure is not None
    order.revision = revision
    order.standard = standards[order.item.code]
    order.released_at = context.now
    book.set_state(OrderState.RELEASED)
    book.operations = _operations(order, structure)
    OrderOperation.objects.bulk_create(book.operations)
    book.inputs = _inputs(order, structure, standards)
    OrderInput.objects.bulk_create(book.inputs)
    _tell_shortages(context, book)
    _issue_at_release(context, book)
    book.finish()


@command("cancel-order", "Cancel an order", Role.CONTROLLER)
def cancel_order(context: Context, given: OrderGiven) -> None:
    """End an order to which nothing is posted."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.CANCEL)
    book.set_state(OrderState.CANCELLED)
    book.finish()


def _items_of(item: Item, structure: Structure | None) -> list[Item]:
    components = [c.item for c in structure.components] if structure else []
    return [item, *items_by_code(components).values()]


def release_blocks(item: Item, day: date) -> list[dict[str, str]]:
    """Return everything that keeps an order of the item from being released."""
    revision = revision_in_force(item, day)
    structure = structure_of(revision).on(day) if revision else None
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
        components = items_by_code(c.item for c in structure.components)
        for code, component in components.items():
            if not component.is_active:
                block(f"item:{code}", f"{code} is inactive.", f"Make {code} active.")
            if code not in standards:
                block(
                    f"standard:{code}",
                    f"The component {code} has no standard cost.",
                    f"Give {code} a price or structure and freeze its standard.",
                )
    return blocks


def _operations(order: Order, structure: Structure) -> list[OrderOperation]:
    enter = entering(structure.operations, order.quantity)
    centers = {w.code: w for w in WorkCenter.objects.all()}
    return [
        OrderOperation(
            order=order,
            number=o.number,
            name=o.name,
            work_center=centers[o.work_center],
            yield_share=o.yield_share,
            is_report_point=o.is_report_point,
            instructions=o.instructions,
            after=None if o.after is None else list(o.after),
            setup_hours=clock_setup(o),
            run_hours=clock_run(o),
            **{name: getattr(o, name) for name in TIME_FIELDS},
            entering=round_to(enter[o.number].value, UNIT_COST_STEP),
        )
        for o in structure.operations
    ]


def _inputs(order: Order, structure: Structure, standards: dict[str, Standard]) -> list[OrderInput]:
    """Return the costed inputs of the order's structure and of its standard's, matched by key.

    Where both have an input it is valued at the standard's price, so that the standard of
    what is received is the sum of its inputs.
    """
    assert order.standard is not None
    outputs = items_by_code(o.item for o in structure.outputs)
    own = cost_structure(
        structure,
        standard_lot=order.item.standard_lot,
        items={c: s.as_item_cost() for c, s in standards.items()},
        rates=rates_by_code(o.work_center for o in structure.operations),
        units={code: item.unit for code, item in outputs.items()},
    )
    ours: dict[InputKey, CostInput] = {i.key(): i for i in own.inputs}
    theirs: dict[InputKey, CostInput] = {i.key(): i for i in order.standard.costed().inputs}
    codes = {i.code for i in (*ours.values(), *theirs.values()) if i.kind not in TIME_ELEMENT}
    items = items_by_code(codes)
    centers = {w.code: w for w in WorkCenter.objects.all()}
    enter = entering(structure.operations, order.quantity)
    rules = {(c.operation, c.item): c.issue_rule.value for c in structure.components}
    rows: list[OrderInput] = []
    for key in [*ours, *(k for k in theirs if k not in ours)]:
        here, there = ours.get(key), theirs.get(key)
        priced = there or here
        assert priced is not None
        allowed = here.quantity if here else ZERO
        item = None if priced.kind in TIME_ELEMENT else items[priced.code]
        whole = allowed if priced.is_per_order or not here else allowed * enter[key[0]].value
        rows.append(
            OrderInput(
                order=order,
                operation=key[0],
                kind=priced.kind.value,
                item=item,
                work_center=centers[(here or priced).code] if item is None else None,
                unit=priced.unit,
                is_per_order=priced.is_per_order,
                issue_rule=rules.get((key[0], priced.code), "")
                if priced.kind is InputKind.COMPONENT
                else "",
                allowed=allowed,
                standard=there.quantity if there else ZERO,
                price=priced.price,
                split=split_to_json(dict(priced.split)),
                need=round_up(whole, item.step) if item else round_to(whole, HOUR_STEP),
            )
        )
    return rows


def _issue_at_release(context: Context, book: OpenBook) -> None:
    """Issue in full what the structure wants issued by the release."""
    lines = [c for c in book.components() if c.issue_rule == IssueRule.AT_RELEASE and c.need]
    if not lines:
        return
    document = Document(
        context=context,
        kind=Posting.Kind.ISSUE,
        stock=Stock.lock(context, [c.item for c in lines if c.item]),
        happened_at=context.now,
        order=book.order,
    )
    for c in lines:
        issue(document, c, c.need, book.order.supply_place)
    close_document(book, document)


def _tell_shortages(context: Context, book: OpenBook) -> None:
    """Say which components are not there in full; that does not stop a release."""
    components = book.components()
    there = dict(
        Holding.objects.filter(item__in=[c.item_id for c in components]).values_list(
            "item_id", "quantity"
        )
    )
    for c in components:
        assert c.item is not None
        on_hand: Decimal = there.get(c.item_id, ZERO)
        if on_hand < c.need:
            context.effects.remark(
                c.item.code,
                f"short: {c.need.normalize():f} {c.unit} needed, {on_hand.normalize():f} on hand",
            )
