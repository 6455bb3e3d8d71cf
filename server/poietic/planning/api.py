"""What planning proposes, what that serves, and how a what-if differs from it."""

from datetime import date, datetime
from decimal import Decimal
from typing import Literal

from django.db.models import Case, F, Min, Q, QuerySet, Sum, When
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from poietic_core.planning.capable import Step
from poietic_core.planning.model import Source, Supply
from poietic_core.planning.pegging import Peg, peg
from poietic_core.planning.projection import project
from poietic_core.quantity import ZERO, money

from ..buying.prices import first_suppliers
from ..catalog.models import Item
from ..catalog.queries import item_by_code
from ..commanding.api import Problem
from ..commanding.reading import Cost
from ..costing.queries import current_set
from ..costing.storing import totals_of
from ..web_api.errors import NotFound
from ..web_api.fields import MOST_ROWS, Answer, DecimalText, PageSize, Quantity, ShortText, Skip
from .models import Advice, PlanRun, Proposal, ProposalState
from .promising import promise, promises
from .reading import expiries, expiring_stock, future_of_all, usable_stock_of

router = Router(tags=["planning"])
Kind = Literal["all", "make", "buy", "late", "decided"]


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


class PlannedStep(Answer):
    """One thing that changes an item's stock on a day, and what there is after it."""

    day: date
    kind: str
    number: int
    words: str
    change: DecimalText
    projected: DecimalText


class PegOut(Answer):
    """A quantity of a demand, and what covers it."""

    #: "" where nobody wants it
    demand: str
    demand_number: int
    demand_words: str
    wanted_on: date | None
    #: "" for stock; "nothing" where nothing covers it
    supply: str
    supply_number: int
    supply_words: str
    comes_on: date | None
    quantity: DecimalText
    #: it comes after it is wanted
    is_late: bool


class PromiseOut(Answer):
    """What can be promised of a supply that is there from a day on."""

    day: date
    quantity: DecimalText


class PromiseStep(Answer):
    """A part of the way to a promise."""

    item: str
    name: str
    unit: str
    quantity: DecimalText
    day: date
    #: of what is there or comes, or made or bought anew
    how: str


class PromiseMade(Answer):
    """The earliest day for a quantity, with the chain that decides it, the item itself first."""

    item: str
    quantity: DecimalText
    unit: str
    day: date
    path: list[PromiseStep]


class PlannedItem(Answer):
    """An item's future with what the plan proposes: who gets what, and what may be promised."""

    item: str
    name: str
    unit: str
    lot_rule: str
    lead_time_days: int | None
    safety_stock: DecimalText
    today: date
    on_hand: DecimalText
    steps: list[PlannedStep]
    whole: int
    pegs: list[PegOut]
    promises: list[PromiseOut]
    proposals: list[ProposalRow]


class Difference(Answer):
    """What a what-if proposes of an item otherwise than the plan."""

    item: str
    name: str
    unit: str
    planned: DecimalText
    tried: DecimalText
    #: when it is ordered first
    planned_on: date | None
    tried_on: date | None
    cost: Cost | None


class Compared(Answer):
    """A what-if against the plan, what costs most otherwise first."""

    plan: PlanRunOut
    tried: PlanRunOut
    rows: list[Difference]
    whole: int
    cost: Cost


@router.get("/plan", response=PlanOut)
def plan(request: HttpRequest) -> PlanOut:
    """Return the last plan and the what-ifs that are kept."""
    last = PlanRun.last_plan()
    tried = PlanRun.objects.filter(is_what_if=True).select_related("person")
    return PlanOut(
        plan=_run(last) if last else None,
        what_ifs=[_run(r) for r in tried],
        open=last.rows.filter(state=ProposalState.OPEN).count() if last else 0,
    )


@router.get("/plan/proposals", response={200: ProposalPage, 404: Problem})
def proposals(
    request: HttpRequest,
    which: Kind = "all",
    run: int = 0,
    filter: ShortText = "",
    limit: PageSize = 100,
    skip: Skip = 0,
) -> ProposalPage:
    """Return what a run proposes, the last plan where none is named."""
    of = _named(run)
    if of is None:
        return ProposalPage(rows=[], whole=0)
    rows = of.rows.filter(_chosen(which))
    for word in filter.lower().split():
        rows = rows.filter(item__search__contains=word)
    return ProposalPage(
        rows=_proposals(rows.order_by("order_on", "pk")[skip : skip + limit]), whole=rows.count()
    )


def _chosen(which: Kind) -> Q:
    is_open = Q(state=ProposalState.OPEN)
    return {
        "all": is_open,
        "make": is_open & ~Q(item__source=Item.Source.BUY),
        "buy": is_open & Q(item__source=Item.Source.BUY),
        "late": is_open & Q(late__gt=0),
        "decided": ~is_open,
    }[which]


@router.get("/plan/advice", response={200: AdvicePage, 404: Problem})
def advice(request: HttpRequest, run: int = 0, limit: PageSize = 100, skip: Skip = 0) -> AdvicePage:
    """Return what exists and should come another day: what is wanted sooner, then what is not wanted."""
    of = _named(run)
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


@router.get("/plan/items/{code}", response={200: PlannedItem, 404: Problem})
def planned_item(request: HttpRequest, code: str) -> PlannedItem:
    """Return an item's future: each demand and supply, what is proposed, who gets what, what may be promised."""
    item, today = item_by_code(code), timezone.localdate()
    last = PlanRun.last_plan()
    open_rows = list(
        last.rows.filter(item=item, state=ProposalState.OPEN).order_by("due", "pk").select_related("item")
    ) if last else []  # fmt: skip
    future = future_of_all([item.pk])[item.pk]
    told = [(str(d.source), d.number, w) for d, w in future.demands]
    told += [(str(s.source), s.number, w) for s, w in future.supplies]
    words = {(source, number): w for source, number, w in told}
    demands = [d for d, _ in future.demands]
    gone = expiries(expiring_stock(today, [item.pk]).get(item.pk, []), demands)
    words |= {(g.source.value, g.number): "will expire unused" for g in gone}
    demands += gone
    supplies = [s for s, _ in future.supplies]
    for p in open_rows:
        supplies.append(Supply(source=Source.PROPOSAL, number=p.pk, comes=p.due, quantity=p.quantity))  # fmt: skip
        words[Source.PROPOSAL.value, p.pk] = "to be made" if item.is_made else "to be bought"
    on_hand = usable_stock_of(today, [item.pk]).get(item.pk, ZERO)
    steps = project(on_hand, demands, supplies, today)
    shown = steps[:MOST_ROWS]
    return PlannedItem(
        item=item.code,
        name=item.name,
        unit=item.unit,
        lot_rule=item.lot_rule,
        lead_time_days=item.lead_time_days,
        safety_stock=item.safety_stock or ZERO,
        today=today,
        on_hand=on_hand,
        steps=[
            PlannedStep(
                day=s.day,
                kind=s.source.value,
                number=s.number,
                words=words.get((s.source.value, s.number), ""),
                change=s.change,
                projected=s.projected,
            )
            for s in shown
        ],
        whole=len(steps),
        pegs=[_peg(p, words) for p in peg(on_hand, demands, supplies)[:MOST_ROWS]],
        promises=[
            PromiseOut(day=d, quantity=q)
            for d, q in promises(on_hand, demands, supplies, today)[:MOST_ROWS]
        ],
        proposals=_proposals(open_rows),
    )


@router.get("/plan/promise/{item}", response={200: PromiseMade, 404: Problem})
def capable(request: HttpRequest, item: str, quantity: Quantity = Decimal(1)) -> PromiseMade:
    """Return the earliest day on which a quantity of an item can be there, and what decides it."""
    known = item_by_code(item)
    found, days, items = promise(known, quantity, timezone.localdate())
    first = first_suppliers(i.pk for i in items.values())
    return PromiseMade(
        item=known.code,
        quantity=quantity,
        unit=known.unit,
        day=days[min(found.day, len(days) - 1)],
        path=[
            PromiseStep(
                item=s.item,
                name=items[s.item].name,
                unit=items[s.item].unit,
                quantity=s.quantity,
                day=days[min(s.day, len(days) - 1)],
                how=_how(s, items[s.item], first),
            )
            for s in found.path
        ],
    )


def _how(step: Step, item: Item, first: dict[int, tuple[str, str]]) -> str:
    if step.is_free:
        return "there today" if step.day == 0 else "of what comes"
    lead = f"{item.lead_time_days} working days" if item.lead_time_days else "no lead time known"
    if item.is_made:
        return f"made anew: {lead}"
    return f"bought anew of {first.get(item.pk, ('', 'nobody known'))[1]}: {lead}"


def _peg(p: Peg, words: dict[tuple[str, int], str]) -> PegOut:
    wants, comes = p.demand, p.supply
    return PegOut(
        demand=wants.source.value if wants else "",
        demand_number=wants.number if wants else 0,
        demand_words=words.get((wants.source.value, wants.number), "") if wants else "",
        wanted_on=wants.due if wants else None,
        supply="nothing" if p.is_open else comes.source.value if comes else "",
        supply_number=comes.number if comes else 0,
        supply_words=words.get((comes.source.value, comes.number), "") if comes else "",
        comes_on=comes.comes if comes else None,
        quantity=p.quantity,
        is_late=bool(wants and comes and (comes.comes is None or comes.comes > wants.due)),
    )


@router.get("/plan/compare/{run}", response={200: Compared, 404: Problem})
def compare(request: HttpRequest, run: int) -> Compared:
    """Return what a what-if proposes otherwise than the last plan."""
    tried, last = _named(run), PlanRun.last_plan()
    if tried is None or last is None:
        raise NotFound("planning run", str(run))
    sums = {r.pk: _sums(r) for r in (last, tried)}
    keys = [
        k for k in sums[last.pk].keys() | sums[tried.pk].keys()
        if sums[last.pk].get(k) != sums[tried.pk].get(k)
    ]  # fmt: skip
    items = Item.objects.in_bulk(keys)
    standards = totals_of(current_set(), items.values())
    rows = []
    for key in keys:
        item = items[key]
        was, now = (sums[r.pk].get(key, (0, None)) for r in (last, tried))
        more = (now[0] - was[0]) * item.step
        rows.append(
            Difference(
                item=item.code,
                name=item.name,
                unit=item.unit,
                planned=was[0] * item.step,
                tried=now[0] * item.step,
                planned_on=was[1],
                tried_on=now[1],
                cost=money(more * standards[key]) if key in standards else None,
            )
        )
    rows.sort(key=lambda r: (-abs(r.cost or ZERO), r.item))
    return Compared(
        plan=_run(last),
        tried=_run(tried),
        rows=rows[:MOST_ROWS],
        whole=len(rows),
        cost=sum((r.cost or ZERO for r in rows), ZERO),
    )


def _sums(run: PlanRun) -> dict[int, tuple[int, date | None]]:
    """Return what a run proposes of each item in all, and when that is ordered first."""
    rows = run.rows.order_by().values("item").annotate(sum=Sum("steps"), first=Min("order_on"))
    return {r["item"]: (r["sum"], r["first"]) for r in rows}


def _named(run: int) -> PlanRun | None:
    """Return a run by its number, or the last plan; refuse one that there is not."""
    if not run:
        return PlanRun.last_plan()
    found = PlanRun.objects.select_related("person").filter(pk=min(run, 2**62)).first()
    if found is None:
        raise NotFound("planning run", str(run))
    return found


def _run(r: PlanRun) -> PlanRunOut:
    said = []
    if Decimal(r.assumptions["demand"]) != 100:
        said.append(f"demand {Decimal(r.assumptions['demand']).normalize():f} %")
    if r.assumptions["supplier"]:
        said.append(f"nothing from {r.assumptions['supplier']} before {r.assumptions['back_on']}")
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


def _proposals(rows: QuerySet[Proposal] | list[Proposal]) -> list[ProposalRow]:
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
