"""Rows of structures and work centers as the core's objects."""

from collections.abc import Iterable

from django.db.models import QuerySet
from poietic_core.cost.model import Rates
from poietic_core.structure.model import (
    ComponentLine,
    IssueRule,
    Operation,
    OutputLine,
    Per,
    Structure,
)

from ..catalog.models import Item
from .models import Revision, WorkCenter


def structure_of(revision: Revision) -> Structure:
    """Return a revision with its rows as a structure; rows are best prefetched."""
    return Structure(
        item=revision.item.code,
        batch_quantity=revision.batch_quantity,
        operations=tuple(
            Operation(
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
        ),
        components=tuple(
            ComponentLine(
                item=c.item.code,
                operation=c.operation,
                quantity=c.quantity,
                per=Per(c.per),
                allowance=c.allowance,
                issue_rule=IssueRule(c.issue_rule),
            )
            for c in revision.components.all()
        ),
        outputs=tuple(
            OutputLine(
                item=o.item.code,
                operation=o.operation,
                quantity=o.quantity,
                credit_price=o.credit_price,
            )
            for o in revision.outputs.all()
        ),
    )


def with_rows(revisions: QuerySet[Revision]) -> QuerySet[Revision]:
    """Return revisions with all their rows, in a constant number of statements."""
    return revisions.select_related("item").prefetch_related(
        "operations__work_center", "components__item", "outputs__item"
    )


def approved_revision(item: Item) -> Revision | None:
    """Return the revision in force, with its rows."""
    return with_rows(Revision.objects.filter(item=item, state=Revision.State.APPROVED)).first()


def approved_structures() -> dict[str, Structure]:
    """Return all structures in force by item."""
    rows = with_rows(Revision.objects.filter(state=Revision.State.APPROVED))
    return {r.item.code: structure_of(r) for r in rows}


def rates_by_code(codes: Iterable[str] | None = None) -> dict[str, Rates]:
    """Return the rates of work centers; of all where none are named."""
    rows = WorkCenter.objects.all()
    if codes is not None:
        rows = rows.filter(code__in=set(codes))
    return {w.code: Rates(labour=w.labour_rate, machine=w.machine_rate) for w in rows}
