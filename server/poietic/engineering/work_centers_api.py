"""Queries on work centers, labour grades and overheads, with their rates."""

from datetime import date

from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from poietic_core.cost.model import Base
from poietic_core.cost.overhead import budget_rate
from poietic_core.cost.rates import layered, rate_of
from poietic_core.effectivity import counts_on, latest_begun
from poietic_core.quantity import ZERO

from ..commanding.reading import READ_COSTS, Cost
from ..web_api.derivations import DerivationRow, flatten
from ..web_api.fields import Answer, DecimalText
from .models import LabourGrade, OverheadBudget, WorkCenter, WorkCenterRate
from .rates import layers_of, overhead_rate

router = Router(tags=["engineering"])


class LayerOut(Answer):
    """A part of the machine hour's rate, with what it comes to per hour."""

    name: str
    element: str
    amount: Cost
    percent: DecimalText
    of: str
    per_hour: Cost


class RatesOut(Answer):
    """What an hour at a work center costs from a day on."""

    effective_from: date | None
    is_in_force: bool
    machine_rate: Cost
    labour_rate: Cost
    layers: list[LayerOut]


class WorkCenterOut(Answer):
    """A work center with its rates per hour today and what it can do."""

    code: str
    name: str
    machine_rate: Cost
    labour_rate: Cost
    calendar: str | None
    machines: int
    efficiency: DecimalText
    #: where its material is brought before use
    floor_place: str
    #: the latest first
    rates: list[RatesOut]
    change: int


class GradeRateOut(Answer):
    """What an hour of a labour grade costs from a day on."""

    effective_from: date | None
    rate: Cost


class LabourGradeOut(Answer):
    """A labour grade with its rate today, and all of them."""

    code: str
    name: str
    rate: Cost
    rates: list[GradeRateOut]


class OverheadOut(Answer):
    """A budget of overhead, with the rate that it gives and how."""

    code: str
    name: str
    element: str
    base: str
    work_center: str | None
    effective_from: date
    effective_until: date
    budget: DecimalText
    capacity: DecimalText
    capacity_basis: str
    is_in_force: bool
    rate: DecimalText
    derivation: list[DerivationRow]


@router.get("/work-centers", response=list[WorkCenterOut])
def work_centers(request: HttpRequest) -> list[WorkCenterOut]:
    """Return all work centers."""
    rows = WorkCenter.objects.select_related("calendar").prefetch_related("rates")
    today = timezone.localdate()
    return [
        WorkCenterOut(
            code=w.code,
            name=w.name,
            machine_rate=now.machine_rate if now else ZERO,
            labour_rate=now.labour_rate if now else ZERO,
            calendar=w.calendar.code if w.calendar else None,
            machines=w.machines,
            efficiency=w.efficiency,
            floor_place=w.floor_place.code if w.floor_place else "",
            rates=rates,
            change=w.change,
        )
        for w in rows
        for rates in [_rates(list(w.rates.all()), today)]
        for now in [next((r for r in rates if r.is_in_force), None)]
    ]


def _rates(rows: list[WorkCenterRate], today: date) -> list[RatesOut]:
    """Return the rates of a work center, the latest first, with the one in force told."""
    now = latest_begun(rows, today)
    found = []
    for row in reversed(rows):
        layers = layers_of(row)
        amounts = layered(layers)
        found.append(
            RatesOut(
                effective_from=row.effective_from,
                is_in_force=row is now,
                machine_rate=rate_of(layers).per_hour,
                labour_rate=row.labour_rate,
                layers=[
                    LayerOut(
                        name=layer.name,
                        element=layer.element.value,
                        amount=layer.amount,
                        percent=layer.percent,
                        of=layer.of,
                        per_hour=amounts[layer.name].value,
                    )
                    for layer in layers
                ],
            )
        )
    return found


@router.get("/labour-grades", response=list[LabourGradeOut])
def labour_grades(request: HttpRequest) -> list[LabourGradeOut]:
    """Return all labour grades with their rates."""
    today = timezone.localdate()
    found = []
    for g in LabourGrade.objects.prefetch_related("rates"):
        rows = list(g.rates.all())
        now = latest_begun(rows, today)
        found.append(
            LabourGradeOut(
                code=g.code,
                name=g.name,
                rate=now.rate if now else ZERO,
                rates=[
                    GradeRateOut(effective_from=r.effective_from, rate=r.rate)
                    for r in reversed(rows)
                ],
            )
        )
    return found


@router.get("/overheads", auth=READ_COSTS, response=list[OverheadOut])
def overheads(request: HttpRequest) -> list[OverheadOut]:
    """Return all overhead budgets, the latest of each kind first."""
    today = timezone.localdate()
    return [
        OverheadOut(
            code=o.code,
            name=o.name,
            element=o.element,
            base=o.base,
            work_center=o.work_center.code if o.work_center else None,
            effective_from=o.effective_from,
            effective_until=o.effective_until,
            budget=o.budget,
            capacity=o.capacity,
            capacity_basis=o.capacity_basis,
            is_in_force=counts_on(today, o.effective_from, o.effective_until),
            rate=overhead_rate(o).rate,
            derivation=flatten(budget_rate(o.budget, o.capacity, Base(o.base))),
        )
        for o in OverheadBudget.objects.select_related("work_center")
    ]
