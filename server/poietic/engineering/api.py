"""Queries on work centers and structures."""

from decimal import Decimal

from django.http import HttpRequest
from ninja import Router, Schema

from ..catalog.queries import item_by_code
from ..commanding.api import Problem
from ..web_api.errors import NotFound
from ..web_api.fields import DecimalText
from .models import ComponentRow, Revision, WorkCenter
from .queries import with_rows

router = Router(tags=["engineering"])


class WorkCenterOut(Schema):
    """A work center with its rates per hour."""

    code: str
    name: str
    machine_rate: DecimalText
    labour_rate: DecimalText
    change: int


class OperationOut(Schema):
    """An operation of a revision."""

    number: int
    name: str
    work_center: str
    setup_labour_hours: DecimalText
    setup_machine_hours: DecimalText
    run_labour_hours: DecimalText
    run_machine_hours: DecimalText
    yield_share: DecimalText
    is_report_point: bool


class ComponentOut(Schema):
    """A component line; `has_structure` tells whether it opens further."""

    item: str
    name: str
    unit: str
    operation: int
    quantity: DecimalText
    per: str
    allowance: DecimalText
    issue_rule: str
    has_structure: bool


class OutputOut(Schema):
    """A by-product line."""

    item: str
    name: str
    unit: str
    operation: int
    quantity: DecimalText
    credit_price: DecimalText


class RevisionOut(Schema):
    """A revision of an item's structure with all its rows."""

    item: str
    name: str
    letter: str
    state: str
    batch_quantity: DecimalText
    standard_lot: DecimalText
    approved_at: str | None
    note: str
    operations: list[OperationOut]
    components: list[ComponentOut]
    outputs: list[OutputOut]
    change: int


class WhereUsed(Schema):
    """A structure in force that uses an item."""

    item: str
    name: str
    revision: str
    operation: int
    quantity: DecimalText
    per: str


@router.get("/work-centers", response=list[WorkCenterOut])
def work_centers(request: HttpRequest) -> list[WorkCenter]:
    """Return all work centers."""
    return list(WorkCenter.objects.all())


@router.get("/items/{code}/structure", response={200: RevisionOut, 404: Problem})
def structure(request: HttpRequest, code: str, state: str = "approved") -> RevisionOut:
    """Return the revision of an item in a state: approved, draft."""
    item = item_by_code(code)
    revision = with_rows(Revision.objects.filter(item=item, state=state)).first()
    if revision is None:
        raise NotFound(f"{state} structure of", code)
    return revision_out(revision)


def revision_out(revision: Revision) -> RevisionOut:
    """Return a revision as it travels."""
    components = list(revision.components.all())
    made = set(
        Revision.objects.filter(
            item__in=[c.item_id for c in components], state=Revision.State.APPROVED
        ).values_list("item_id", flat=True)
    )
    return RevisionOut(
        item=revision.item.code,
        name=revision.item.name,
        letter=revision.letter,
        state=revision.state,
        batch_quantity=revision.batch_quantity,
        standard_lot=revision.item.standard_lot,
        approved_at=revision.approved_at.isoformat() if revision.approved_at else None,
        note=revision.note,
        operations=[
            OperationOut(
                number=o.number,
                name=o.name,
                work_center=o.work_center.code,
                setup_labour_hours=o.setup_labour_hours,
                setup_machine_hours=o.setup_machine_hours,
                run_labour_hours=o.run_labour_hours,
                run_machine_hours=o.run_machine_hours,
                yield_share=o.yield_share,
                is_report_point=o.is_report_point,
            )
            for o in revision.operations.all()
        ],
        components=[
            ComponentOut(
                item=c.item.code,
                name=c.item.name,
                unit=c.item.unit,
                operation=c.operation,
                quantity=c.quantity,
                per=c.per,
                allowance=c.allowance,
                issue_rule=c.issue_rule,
                has_structure=c.item_id in made,
            )
            for c in components
        ],
        outputs=[
            OutputOut(
                item=o.item.code,
                name=o.item.name,
                unit=o.item.unit,
                operation=o.operation,
                quantity=Decimal(o.quantity),
                credit_price=o.credit_price,
            )
            for o in revision.outputs.all()
        ],
        change=revision.change,
    )


@router.get("/items/{code}/where-used", response={200: list[WhereUsed], 404: Problem})
def where_used(request: HttpRequest, code: str) -> list[WhereUsed]:
    """Return the structures in force that use an item directly."""
    rows = ComponentRow.objects.filter(
        item=item_by_code(code), revision__state=Revision.State.APPROVED
    ).select_related("revision__item")
    return [
        WhereUsed(
            item=r.revision.item.code,
            name=r.revision.item.name,
            revision=r.revision.letter,
            operation=r.operation,
            quantity=r.quantity,
            per=r.per,
        )
        for r in rows
    ]
