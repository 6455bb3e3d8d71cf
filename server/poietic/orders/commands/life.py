"""Planning, releasing and cancelling orders."""

from dataclasses import dataclass
from datetime import date
from fractions import Fraction
from typing import ClassVar

from django.db import connection
from poietic_core.cost.inputs import cost_structure
from poietic_core.cost.joint import grade_factors
from poietic_core.cost.model import ITEM_KINDS, TIME_ELEMENT, CostInput, InputKey, InputKind
from poietic_core.derivation import fraction_of
from poietic_core.errors import DomainError
from poietic_core.order.states import Act, OrderState
from poietic_core.quantity import UNIT_COST_STEP, ZERO, decimal_of, require_step, round_to
from poietic_core.structure.model import (
    ComponentLine,
    InstructionStep,
    IssueRule,
    OutputKind,
    Per,
    Structure,
)
from poietic_core.structure.requirement import entering, quantity_per_unit

from ...catalog.models import Item, Partner
from ...catalog.queries import items_by_code, stock_place
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...costing.basis import split_to_json
from ...costing.frozen import costed
from ...costing.models import Standard
from ...costing.queries import standards_in_force
from ...engineering.models import LabourGrade, WorkCenter
from ...engineering.queries import inlined, revision_in_force, shop_rates
from ...ledger.models import CostObject, Posting
from ...ledger.transaction import Transaction
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Day, Note, OrderNumber, Quantity, Strict, plain
from ..book import OpenBook
from ..dates import passing_times, start_day
from ..models import Order, OrderGrade, OrderInput, OrderOperation
from ..needs import need_of
from .material import close_document, issue
from .reserving import release_reserved, reserve_needs

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
    Order.objects.create(
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
    structure = inlined(revision, day).structure if revision else None
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
    book.inputs = _inputs(order, structure, standards, day)
    OrderInput.objects.bulk_create(book.inputs)
    book.grades = _grades(order, structure, standards)
    OrderGrade.objects.bulk_create(book.grades)
    transaction = Transaction(context)
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


def _operations(order: Order, structure: Structure) -> list[OrderOperation]:
    enter = entering(structure.operations, order.quantity)
    centers = {w.code: w for w in WorkCenter.objects.all()}
    grades = {g.code: g for g in LabourGrade.objects.all()}
    return [
        OrderOperation(
            order=order,
            number=o.number,
            name=o.name,
            work_center=centers[o.work_center],
            yield_share=o.yield_share,
            is_report_point=o.is_report_point,
            steps=[kept_step(s) for s in o.steps],
            labour_grade=grades.get(o.labour_grade),
            alternate_centers=list(o.alternate_centers),
            after=None if o.after is None else list(o.after),
            setup_hours=o.clock_hours()[0],
            run_hours=o.clock_hours()[1],
            each=str(o.multiple.exactly()) if o.multiple else "1",
            each_per=(o.multiple.per if o.multiple else Per.UNIT).value,
            **passing_times(o),
            entering=round_to(enter[o.number].value, UNIT_COST_STEP),
        )
        for o in structure.operations
    ]


def _grades(order: Order, structure: Structure, standards: dict[str, Standard]) -> list[OrderGrade]:
    """Return what the output is sorted into, each grade at its part of the frozen standard."""
    if not structure.grades or order.standard is None:
        return []
    items = items_by_code(g.item for g in structure.grades)
    factors = grade_factors(structure.item, structure.grades)
    return [
        OrderGrade(
            order=order,
            item=items[g.item],
            share=g.share,
            price=round_to(order.standard.total * factors[g.item], UNIT_COST_STEP),
        )
        for g in structure.grades
    ]


def _inputs(
    order: Order, structure: Structure, standards: dict[str, Standard], day: date
) -> list[OrderInput]:
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
        rates=shop_rates(day),
        units={code: item.unit for code, item in outputs.items()},
    )
    ours: dict[InputKey, CostInput] = {i.key(): i for i in own.inputs}
    theirs: dict[InputKey, CostInput] = {i.key(): i for i in costed(order.standard).inputs}
    both = (*ours.values(), *theirs.values())
    codes = {i.code for i in both if i.kind in ITEM_KINDS}
    suppliers = {p.code: p for p in Partner.objects.filter(code__in={i.code for i in both})}
    items = items_by_code(codes)
    centers = {w.code: w for w in WorkCenter.objects.all()}
    enter = entering(structure.operations, order.quantity)
    yields = {o.number: o.yield_share for o in structure.operations}
    lines = {
        (line.operation, kind, line.item): line
        for kind, line in (
            *((InputKind.COMPONENT, c) for c in structure.components),
            *((InputKind(o.kind.value), o) for o in structure.outputs),
        )
    }
    rows: list[OrderInput] = []
    for key in [*ours, *(k for k in theirs if k not in ours)]:
        here, there = ours.get(key), theirs.get(key)
        priced = there or here
        assert priced is not None
        item = items[priced.code] if priced.kind in ITEM_KINDS else None
        line = lines.get(key)
        component = line if isinstance(line, ComponentLine) else None
        allowed = Fraction(here.quantity if here else ZERO)
        if line:
            allowed = fraction_of(quantity_per_unit(line, structure.batch_quantity))
        basis = (here or priced).basis()
        row = OrderInput(
            order=order,
            operation=key[0],
            kind=priced.kind.value,
            item=item,
            work_center=centers[(here or priced).code] if priced.kind in TIME_ELEMENT else None,
            supplier=suppliers[(here or priced).code]
            if priced.kind is InputKind.SUBCONTRACT
            else None,
            unit=order.item.unit if priced.kind is InputKind.SUBCONTRACT else priced.unit,
            basis=basis.value,
            standard_basis=(there or priced).basis().value,
            issue_rule=component.issue_rule.value if component else "",
            alternates=[
                {"item": a.item, "ratio": plain(a.ratio)}
                for a in (component.alternates if component else ())
            ],
            overhead=priced.code if priced.base else "",
            base=priced.base.value if priced.base else "",
            agreed_price=here.price if here and here.kind is InputKind.SUBCONTRACT else None,
            allowed=decimal_of(allowed),
            allowed_exactly=str(allowed),
            standard=there.quantity if there else ZERO,
            price=priced.price,
            split=split_to_json(dict(priced.split)),
        )
        row.need = need_of(row, enter, yields).value
        rows.append(row)
    return rows


def _issue_at_release(transaction: Transaction, book: OpenBook) -> None:
    """Issue in full what the structure wants issued by the release."""
    lines = [c for c in book.components() if c.issue_rule == IssueRule.AT_RELEASE and c.need]
    if not lines:
        return
    document = transaction.open(Posting.Kind.ISSUE, cost_object=book.order.cost_object)
    for c in lines:
        issue(document, c, c.need, book.order.supply_place)
    close_document(book, document)


def kept_step(step: InstructionStep) -> dict[str, str]:
    """Return an instruction step as it is kept: what it does not say is left out."""
    kept = {"kind": step.kind.value, "text": step.text, "unit": step.unit, "picture": step.picture}
    kept |= {k: plain(v) for k in ("lower", "upper") if (v := getattr(step, k)) is not None}
    return {k: v for k, v in kept.items() if v}
