"""What an order was allowed, and what it took, each in the form of a structure."""

from collections.abc import Callable
from decimal import Decimal
from typing import Any

from poietic_core.cost.model import OUTPUT_KINDS, RUN_KINDS, InputKind
from poietic_core.quantity import ONE, UNIT_COST_STEP, ZERO, round_to
from poietic_core.structure.model import (
    ComponentLine,
    IssueRule,
    Multiple,
    Operation,
    OutputKind,
    OutputLine,
    PaymentBasis,
    Per,
    ShareRule,
    Structure,
    Subcontract,
)

from ..costing.compare import ComparedOut, compare_costed
from ..engineering.commands.structures import (
    ComponentGiven,
    DraftStructure,
    GradeGiven,
    OperationGiven,
    OutputGiven,
)
from .book import OrderBook
from .models import OrderInput, OrderOperation


class AsBuiltOut(ComparedOut):
    """An order as it was built against what its structure allowed, and a draft that says what was built."""

    draft: DraftStructure


def as_built(book: OrderBook) -> AsBuiltOut:
    """Return what an order took per unit worked on, against what it was allowed.

    Operations that nothing was reported of stand as they were allowed.
    """
    revision = book.order.revision
    allowed = _structure(book, lambda i: i.allowed, lambda o: o.yield_share)
    taken = built(book)
    seen = compare_costed(
        allowed,
        taken,
        item=book.order.item,
        old=f"rev {revision.letter}" if revision else "allowed",
        new=f"order {book.order.number}",
    )
    return AsBuiltOut(**seen.model_dump(), draft=_draft(book, taken))


def built(book: OrderBook) -> Structure:
    """Return an order as a structure that takes what it took per unit worked on."""
    return _structure(book, lambda i: _taken(book, i), _yield_reached)


def _taken(book: OrderBook, i: OrderInput) -> Decimal:
    """Return what an input took per unit worked on, or per order."""
    done = book.done(i)
    if not done and not i.used:
        return i.allowed
    return round_to(i.used / done, UNIT_COST_STEP) if done else i.used


def _yield_reached(o: OrderOperation) -> Decimal:
    processed = o.good + o.scrap
    return round_to(o.good / processed, UNIT_COST_STEP) if o.good else o.yield_share


def _structure(
    book: OrderBook,
    quantity: Callable[[OrderInput], Decimal],
    share: Callable[[OrderOperation], Decimal],
) -> Structure:
    """Return the order's rows as a structure, with quantities and yields as asked."""
    hours = {
        (i.operation, i.kind): quantity(i)
        for i in book.inputs
        if i.work_center and not i.is_rework and not i.is_worked_elsewhere
    }
    materials = [
        (i, q) for i in book.inputs if i.item and (q := round_to(quantity(i), UNIT_COST_STEP))
    ]
    known = {o.number for o in book.operations}
    suppliers = {i.operation: i for i in book.inputs if i.kind == InputKind.SUBCONTRACT}
    #: what an operation does once per order, as one that is put in for a phantom does
    once = {i.operation for i in book.inputs if i.is_per_order and i.kind in RUN_KINDS}
    return Structure(
        item=book.order.item.code,
        operations=tuple(
            Operation(
                number=o.number,
                name=o.name,
                work_center=o.work_center.code,
                setup_labour_hours=hours.get((o.number, InputKind.SETUP_LABOUR.value), ZERO),
                setup_machine_hours=hours.get((o.number, InputKind.SETUP_MACHINE.value), ZERO),
                run_labour_hours=hours.get((o.number, InputKind.RUN_LABOUR.value), ZERO),
                run_machine_hours=hours.get((o.number, InputKind.RUN_MACHINE.value), ZERO),
                yield_share=share(o),
                is_report_point=o.is_report_point,
                after=o.comes_after,
                labour_grade=o.labour_grade.code if o.labour_grade else "",
                subcontract=_subcontract(suppliers.get(o.number), quantity),
                multiple=Multiple(number=ONE, per=Per.ORDER) if o.number in once else None,
            )
            for o in book.operations
        ),
        components=tuple(
            ComponentLine(
                item=i.item.code,
                operation=i.operation,
                quantity=q,
                per=Per.ORDER if i.is_per_order else Per.UNIT,
                issue_rule=IssueRule(i.issue_rule or IssueRule.BY_HAND),
            )
            for i, q in materials
            if i.kind == InputKind.COMPONENT and i.operation in known and i.item
        ),
        outputs=tuple(
            OutputLine(
                item=i.item.code,
                operation=i.operation,
                quantity=q,
                kind=OutputKind(i.kind),
                per=Per.ORDER if i.is_per_order else Per.UNIT,
                credit_price=i.price if i.kind == InputKind.BY_PRODUCT else ZERO,
                weight=_weights(book).get(i.item.code, ZERO),
            )
            for i, q in materials
            if i.kind in OUTPUT_KINDS and i.operation in known and i.item
        ),
    )


def _subcontract(
    i: OrderInput | None, quantity: Callable[[OrderInput], Decimal]
) -> Subcontract | None:
    """Return a supplier's work on one unit: of a phantom's operation that may be several pieces."""
    if i is None or i.supplier is None:
        return None
    price = i.price if i.agreed_price is None else i.agreed_price
    return Subcontract(
        supplier=i.supplier.code,
        price=round_to(price * quantity(i), UNIT_COST_STEP),
        basis=PaymentBasis.RETURNED if i.is_per_good else PaymentBasis.SENT,
    )


def _weights(book: OrderBook) -> dict[str, Decimal]:
    """Return what the order's revision divides a joint cost by, by output."""
    revision = book.order.revision
    rows = revision.outputs.values_list("item__code", "weight") if revision else ()
    return dict(rows)


def six(value: Decimal) -> Decimal:
    """Return a number to the places that a structure keeps."""
    return round_to(value, UNIT_COST_STEP)


def _stated(o: Operation) -> dict[str, Any]:
    """Return hours as a draft can state them: what a phantom ran once per order is set-up."""
    hours = {
        "setup_labour_hours": o.setup_labour_hours,
        "setup_machine_hours": o.setup_machine_hours,
        "run_labour_hours": o.run_labour_hours,
        "run_machine_hours": o.run_machine_hours,
    }
    if o.multiple:
        for kind in ("labour", "machine"):
            hours[f"setup_{kind}_hours"] += hours[f"run_{kind}_hours"]
            hours[f"run_{kind}_hours"] = ZERO
    return {name: six(value) for name, value in hours.items()}


def _draft(book: OrderBook, taken: Structure) -> DraftStructure:
    revision = book.order.revision
    return DraftStructure(
        item=taken.item,
        batch_quantity=ONE,
        share_rule=ShareRule(revision.share_rule) if revision else ShareRule.SALES_VALUE,
        main_weight=revision.main_weight if revision else ZERO,
        grades=[GradeGiven(**g) for g in revision.grades] if revision else [],
        note=f"as built by order {book.order.number}",
        operations=[
            OperationGiven(
                number=o.number,
                name=o.name,
                work_center=o.work_center,
                **_stated(o),
                yield_share=o.yield_share,
                is_report_point=o.is_report_point,
                after=None if o.after is None else list(o.after),
                labour_grade=o.labour_grade or None,
                supplier=o.subcontract.supplier if o.subcontract else None,
                subcontract_price=o.subcontract.price if o.subcontract else ZERO,
                payment_basis=o.subcontract.basis if o.subcontract else PaymentBasis.RETURNED,
            )
            for o in taken.operations
        ],
        components=[
            ComponentGiven(
                item=c.item,
                operation=c.operation,
                quantity=c.quantity,
                per=c.per,
                issue_rule=c.issue_rule,
            )
            for c in taken.components
        ],
        outputs=[
            OutputGiven(
                item=b.item,
                operation=b.operation,
                quantity=b.quantity,
                kind=b.kind,
                credit_price=b.credit_price,
                weight=b.weight,
            )
            for b in taken.outputs
        ],
    )
