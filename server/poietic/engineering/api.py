"""Queries on structures: revisions with their rows, and where an item is used."""

from datetime import date
from decimal import Decimal
from typing import Literal

from django.db.models import Count
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from poietic_core.quantity import UNIT_COST_STEP, round_to
from poietic_core.structure.model import (
    IssueRule,
    OutputKind,
    PaymentBasis,
    Per,
    ShareRule,
    StepKind,
)
from poietic_core.units import MeasuredBy

from ..catalog.queries import item_by_code
from ..commanding.api import Problem
from ..commanding.reading import Cost
from ..web_api.fields import MOST_ROWS, Answer, DecimalText
from .models import OWN_LETTER, Revision
from .queries import revision_by_letter
from .where_used import where_used

router = Router(tags=["engineering"])


class StepOut(Answer):
    """An instruction step."""

    kind: StepKind
    text: str
    unit: str = ""
    lower: DecimalText | None = None
    upper: DecimalText | None = None
    picture: str = ""
    item: str = ""


class AlternateOut(Answer):
    """An item that may be used in a component's place."""

    item: str
    ratio: DecimalText


class GradeOut(Answer):
    """An item that a part of the output is sorted into."""

    item: str
    share: DecimalText
    weight: DecimalText


class OperationOut(Answer):
    """An operation of a revision."""

    number: int
    name: str
    work_center: str
    setup_labour_hours: DecimalText
    setup_machine_hours: DecimalText
    run_labour_hours: DecimalText
    run_machine_hours: DecimalText
    run_quantity: DecimalText
    runs_whole_batches: bool
    machines: int
    queue_hours: DecimalText
    wait_hours: DecimalText
    move_hours: DecimalText
    transfer_quantity: DecimalText | None
    yield_share: DecimalText
    is_report_point: bool
    after: list[int] | None
    crew: DecimalText | None
    labour_grade: str | None
    alternate_centers: list[str]
    supplier: str | None
    subcontract_price: Cost
    payment_basis: PaymentBasis | Literal[""]
    days_out: DecimalText
    steps: list[StepOut]


class ComponentOut(Answer):
    """A component line."""

    item: str
    name: str
    unit: str
    operation: int
    quantity: DecimalText
    line_unit: str
    per: Per
    allowance: DecimalText
    issue_rule: IssueRule
    measured_by: MeasuredBy | Literal[""]
    length: DecimalText | None
    width: DecimalText | None
    thickness: DecimalText | None
    mix: str
    reference: str
    alternates: list[AlternateOut]
    effective_from: date | None
    effective_until: date | None


class OutputOut(Answer):
    """A by-product or co-product line."""

    item: str
    name: str
    unit: str
    operation: int
    quantity: DecimalText
    kind: OutputKind
    credit_price: Cost
    weight: DecimalText


class RevisionOut(Answer):
    """A revision of an item's structure with all its rows."""

    item: str
    name: str
    letter: str
    state: str
    batch_quantity: DecimalText
    standard_lot: DecimalText
    share_rule: ShareRule
    main_weight: DecimalText
    grades: list[GradeOut]
    approved_at: str | None
    note: str
    operations: list[OperationOut]
    components: list[ComponentOut]
    outputs: list[OutputOut]
    change: int


class RevisionRow(Answer):
    """A revision in the list of an item's."""

    letter: str
    state: str
    effective_from: date | None
    effective_to: date | None
    approved_at: str | None
    approved_by: str
    note: str
    rows: int


class WhereUsed(Answer):
    """A structure in force that uses an item, with the quantity in one unit of it."""

    item: str
    name: str
    unit: str
    revision: str
    level: int
    operations: list[int]
    quantity: DecimalText


@router.get("/items/{code}/revisions", response={200: list[RevisionRow], 404: Problem})
def revisions(request: HttpRequest, code: str) -> list[RevisionRow]:
    """Return the revisions of an item, the newest first; structures of customers' lines stand with these."""
    rows = Revision.objects.filter(item=item_by_code(code)).select_related("approved_by")
    rows = rows.exclude(letter__startswith=OWN_LETTER)
    counted = rows.annotate(
        lines=Count("components", distinct=True) + Count("operations", distinct=True)
    )
    today = timezone.localdate()
    return [
        RevisionRow(
            letter=r.letter,
            state=r.state_on(today),
            effective_from=r.effective_from,
            effective_to=r.effective_to,
            approved_at=r.approved_at.isoformat() if r.approved_at else None,
            approved_by=str(r.approved_by or ""),
            note=r.note,
            rows=r.lines,
        )
        for r in counted.order_by("-pk")
    ]


@router.get("/items/{code}/revisions/{letter}", response={200: RevisionOut, 404: Problem})
def revision(request: HttpRequest, code: str, letter: str) -> RevisionOut:
    """Return a revision of an item by letter, with its rows."""
    return revision_out(revision_by_letter(code, letter))


def revision_out(revision: Revision) -> RevisionOut:
    """Return a revision as it travels."""
    operation_fields = set(OperationOut.model_fields) - {
        "work_center",
        "labour_grade",
        "supplier",
        "steps",
    }
    line_fields = set(ComponentOut.model_fields) - {"item", "name", "unit", "line_unit"}
    return RevisionOut(
        item=revision.item.code,
        name=revision.item.name,
        letter=revision.letter,
        state=revision.state,
        batch_quantity=revision.batch_quantity,
        standard_lot=revision.item.standard_lot,
        share_rule=ShareRule(revision.share_rule),
        main_weight=revision.main_weight,
        grades=[GradeOut(**g) for g in revision.grades],
        approved_at=revision.approved_at.isoformat() if revision.approved_at else None,
        note=revision.note,
        operations=[
            OperationOut(
                work_center=o.work_center.code,
                labour_grade=o.labour_grade.code if o.labour_grade else None,
                supplier=o.supplier.code if o.supplier else None,
                steps=[StepOut(**s) for s in o.steps],
                **{f: getattr(o, f) for f in operation_fields},
            )
            for o in revision.operations.all()
        ],
        components=[
            ComponentOut(
                item=c.item.code,
                name=c.item.name,
                unit=c.item.unit,
                line_unit=c.unit or c.item.unit,
                **{f: getattr(c, f) for f in line_fields},
            )
            for c in revision.components.all()
        ],
        outputs=[
            OutputOut(
                item=o.item.code,
                name=o.item.name,
                unit=o.item.unit,
                operation=o.operation,
                quantity=Decimal(o.quantity),
                kind=OutputKind(o.kind),
                credit_price=o.credit_price,
                weight=o.weight,
            )
            for o in revision.outputs.all()
        ],
        change=revision.change,
    )


class WhereUsedPage(Answer):
    """The structures in force that use an item, the nearest first; and how many there are."""

    rows: list[WhereUsed]
    whole: int


@router.get("/items/{code}/where-used", response={200: WhereUsedPage, 404: Problem})
def used_in(request: HttpRequest, code: str) -> WhereUsedPage:
    """Return the structures in force that use an item, at every level; 200 at most."""
    uses = where_used(item_by_code(code), timezone.localdate())
    rows = [
        WhereUsed(
            item=u.revision.item.code,
            name=u.revision.item.name,
            unit=u.revision.item.unit,
            revision=u.revision.letter,
            level=u.level,
            operations=u.operations,
            quantity=round_to(u.quantity, UNIT_COST_STEP),
        )
        for u in uses[:MOST_ROWS]
    ]
    return WhereUsedPage(rows=rows, whole=len(uses))
