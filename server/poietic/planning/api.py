"""What planning proposes, what that serves, and how a what-if differs from it."""

from datetime import date, datetime
from decimal import Decimal
from typing import Annotated, Literal

from django.db.models import Case, F, Q, QuerySet, When
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from poietic_core.planning.model import Source
from poietic_core.quantity import money
from pydantic import Field

from ..buying.prices import first_suppliers
from ..catalog.models import Item
from ..commanding.api import Problem
from ..commanding.reading import Cost
from ..costing.queries import current_set
from ..costing.storing import totals_of
from ..engineering.models import OperationRow, Revision
from ..engineering.queries import in_force, work_center_by_code
from ..selling.models import CustomerLine, CustomerOrder
from ..web_api.errors import NotFound
from ..web_api.fields import Answer, DecimalText, PageSize, ShortText, Skip
from .chains import Chains
from .endangered import cause_of, still_endangered
from .models import Advice, PlanRun, Proposal, ProposalState

router = Router(tags=["planning"])
Kind = Literal["all", "make", "buy", "late", "decided"]
CustomerOrderNumber = Annotated[int, Field(ge=0, le=2**31 - 1)]
#: lines of a customer's order that are followed
MOST_LINES = 100


class PlanRunOut(Answer):
    """A planning run."""

    run: int
    is_what_if: bool
    #: what it takes for granted, in words; empty: what is so
    assumes: str
    made_at: datetime
    person: str
    first_day: date
    last_day: date
    proposals: int
    late: int
    moves: int
    told: list[str]


class PlanOut(Answer):
    """The last plan, and the what-ifs beside it."""

    plan: PlanRunOut | None
    what_ifs: list[PlanRunOut]
    #: of the plan, what is not decided
    open: int


class ProposalRow(Answer):
    """A quantity of an item to make or buy by a day."""

    proposal: int
    item: str
    name: str
    unit: str
    is_made: bool
    quantity: DecimalText
    due: date
    order_on: date
    #: working days by which it is too late to order
    late: int
    state: ProposalState
    became: str
    #: of what is bought: who is first in its price list
    supplier: str
    supplier_name: str
    #: at the standard in force
    cost: Cost | None


class ProposalPage(Answer):
    """A part of what a run proposes, what has to be ordered first before the others."""

    rows: list[ProposalRow]
    whole: int


class AdviceRow(Answer):
    """Something that exists and should come another day."""

    item: str
    name: str
    unit: str
    source: str
    number: int
    quantity: DecimalText
    on: date
    #: null: nothing wants it
    to: date | None
    act: Literal["sooner", "later", "not wanted"]


class AdvicePage(Answer):
    """What exists and should come another day, the most urgent first."""

    rows: list[AdviceRow]
    whole: int


class EndangeredRow(Answer):
    """A line of a customer's order that is not there in time, and what it waits for."""

    order: int
    line: int
    customer_name: str
    item: str
    name: str
    unit: str
    quantity: DecimalText
    due: date
    #: when it is there, and by how many working days that is too late; null: nobody knows
    comes: date | None
    late: int | None
    #: the item at the end of the chain, and in words how much of it, and what that is of
    cause: str
    waits_for: str


class EndangeredPage(Answer):
    """What customers will not get in time by the last plan, what is due first before the others."""

    rows: list[EndangeredRow]
    whole: int


@router.get("/plan", response=PlanOut)
def plan(request: HttpRequest) -> PlanOut:
    """Return the last plan and the what-ifs that are kept."""
    last = PlanRun.last_plan()
    tried = PlanRun.objects.filter(is_what_if=True).select_related("person")
    return PlanOut(
        plan=run_out(last) if last else None,
        what_ifs=[run_out(r) for r in tried],
        open=last.rows.filter(state=ProposalState.OPEN).count() if last else 0,
    )


@router.get("/plan/proposals", response={200: ProposalPage, 404: Problem})
def proposals(
    request: HttpRequest,
    which: Kind = "all",
    run: int = 0,
    filter: ShortText = "",
    work_center: ShortText = "",
    serves: CustomerOrderNumber = 0,
    limit: PageSize = 100,
    skip: Skip = 0,
) -> ProposalPage:
    """Return what a run proposes, the last plan where none is named: all of it, what is made at a work center, or what a customer's order waits for."""
    of = named_run(run)
    if of is None:
        return ProposalPage(rows=[], whole=0)
    rows = of.rows.filter(_chosen(which))
    if work_center:
        rows = rows.filter(item__in=_made_at(work_center))
    if serves:
        rows = rows.filter(pk__in=_serving(serves))
    for word in filter.lower().split():
        rows = rows.filter(item__search__contains=word)
    return ProposalPage(
        rows=proposal_rows(rows.order_by("order_on", "pk")[skip : skip + limit]), whole=rows.count()
    )


def _made_at(work_center: str) -> QuerySet[Revision, int]:
    """Return the items that are made at a work center by the structures in force."""
    center = work_center_by_code(work_center)
    made = OperationRow.objects.filter(
        work_center=center, revision__in=in_force(timezone.localdate())
    )
    return Revision.objects.filter(pk__in=made.values("revision")).values_list("item", flat=True)


def _serving(order: int) -> set[int]:
    """Return the proposals that the open lines of a customer's order wait for, over all levels."""
    if not CustomerOrder.objects.filter(number=order).exists():
        raise NotFound("customer order", str(order))
    chains = Chains(timezone.localdate())
    lines = CustomerLine.objects.filter(order__number=order, open__gt=0, is_planned=True)
    found: set[int] = set()
    for line in lines.select_related("item").order_by("number")[:MOST_LINES]:
        links = chains.down(line.item, (Source.CUSTOMER, order, line.number)).links
        found |= {k.supply.number for k in links if k.supply and k.supply.source is Source.PROPOSAL}
    return found


def _chosen(which: Kind) -> Q:
    is_open = Q(state=ProposalState.OPEN)
    return {
        "all": is_open,
        "make": is_open & ~Q(item__source=Item.Source.BUY),
        "buy": is_open & Q(item__source=Item.Source.BUY),
        "late": is_open & Q(late__gt=0),
        "decided": ~is_open,
    }[which]


@router.get("/plan/endangered", response=EndangeredPage)
def endangered(request: HttpRequest, limit: PageSize = 100, skip: Skip = 0) -> EndangeredPage:
    """Return the customers' lines that are not there in time by the last plan, with what each waits for."""
    last = PlanRun.last_plan()
    rows = still_endangered(last, timezone.localdate()) if last else []
    return EndangeredPage(
        rows=[
            EndangeredRow(
                order=late.of.line.order.number,
                line=late.of.line.number,
                customer_name=late.of.line.order.customer.name,
                item=late.of.line.item.code,
                name=late.of.line.item.name,
                unit=late.of.line.item.unit,
                quantity=late.of.line.open,
                due=late.of.line.due,
                comes=late.of.comes,
                late=late.days,
                cause=late.of.cause.code,
                waits_for=cause_of(late.of),
            )
            for late in rows[skip : skip + limit]
        ],
        whole=len(rows),
    )


@router.get("/plan/advice", response={200: AdvicePage, 404: Problem})
def advice(request: HttpRequest, run: int = 0, limit: PageSize = 100, skip: Skip = 0) -> AdvicePage:
    """Return what exists and should come another day: what is wanted sooner, then what is not wanted."""
    of = named_run(run)
    rows = of.advice.select_related("item") if of else Advice.objects.none()
    urgency = Case(When(to__lt=F("on"), then=0), When(to=None, then=1), default=2)
    told = rows.order_by(urgency, F("to").asc(nulls_last=True), "on", "pk")
    return AdvicePage(
        rows=[
            AdviceRow(
                item=a.item.code,
                name=a.item.name,
                unit=a.item.unit,
                source=a.source,
                number=a.number,
                quantity=a.quantity,
                on=a.on,
                to=a.to,
                act="not wanted" if a.to is None else "sooner" if a.to < a.on else "later",
            )
            for a in told[skip : skip + limit]
        ],
        whole=rows.count(),
    )


def named_run(run: int) -> PlanRun | None:
    """Return a run by its number, or the last plan; refuse one that there is not."""
    if not run:
        return PlanRun.last_plan()
    found = PlanRun.objects.select_related("person").filter(pk=min(run, 2**62)).first()
    if found is None:
        raise NotFound("planning run", str(run))
    return found


def run_out(r: PlanRun) -> PlanRunOut:
    said = []
    if Decimal(r.assumptions["demand"]) != 100:
        said.append(f"demand {Decimal(r.assumptions['demand']).normalize():f} %")
    if r.assumptions["supplier"]:
        said.append(f"nothing from {r.assumptions['supplier']} before {r.assumptions['back_on']}")
    if center := r.assumptions.get("work_center"):
        said.append(f"{center} closed up to {r.assumptions['closed_until']}")
    return PlanRunOut(
        run=r.pk,
        is_what_if=r.is_what_if,
        assumes=", ".join(said),
        made_at=r.made_at,
        person=str(r.person or ""),
        first_day=r.first_day,
        last_day=r.last_day,
        proposals=r.proposals,
        late=r.late,
        moves=r.moves,
        told=r.told,
    )


def proposal_rows(rows: QuerySet[Proposal] | list[Proposal]) -> list[ProposalRow]:
    listed = list(rows.select_related("item") if isinstance(rows, QuerySet) else rows)
    items = {p.item_id: p.item for p in listed}
    first = first_suppliers(i.pk for i in items.values())
    standards = totals_of(current_set(), items.values())
    return [
        ProposalRow(
            proposal=p.pk,
            item=p.item.code,
            name=p.item.name,
            unit=p.item.unit,
            is_made=p.item.is_made,
            quantity=p.quantity,
            due=p.due,
            order_on=p.order_on,
            late=p.late,
            state=ProposalState(p.state),
            became=p.became,
            supplier="" if p.item.is_made else first.get(p.item_id, ("", ""))[0],
            supplier_name="" if p.item.is_made else first.get(p.item_id, ("", ""))[1],
            cost=money(p.quantity * standards[p.item_id]) if p.item_id in standards else None,
        )
        for p in listed
    ]
