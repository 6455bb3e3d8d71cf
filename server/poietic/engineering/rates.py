"""What an hour and an overhead cost on a day: rows of rates and budgets as the core's objects."""

from collections.abc import Callable, Iterable
from datetime import date
from decimal import Decimal
from itertools import groupby
from typing import TypeVar

from poietic_core.cost.model import Base, Element
from poietic_core.cost.overhead import OverheadRate, budget_rate
from poietic_core.cost.rates import RateLayer, Rates, ShopRates, rate_of
from poietic_core.effectivity import counts_on, latest_begun
from poietic_core.quantity import UNIT_COST_STEP, round_to

from ..catalog.queries import any_of
from ..statements.prepared import Prepared
from .models import GradeRate, OverheadBudget, WorkCenterRate

R = TypeVar("R", WorkCenterRate, GradeRate)

CENTER_RATES = Prepared(
    lambda keys: WorkCenterRate.objects.filter(work_center__in=any_of(keys)).select_related(
        "work_center"
    )
)
GRADE_RATES = Prepared(
    lambda keys: GradeRate.objects.filter(grade__in=any_of(keys)).select_related("grade")
)


def shop_rates(day: date) -> ShopRates:
    """Return the rates of all work centers, labour grades and overheads in force on a day."""
    budgets = list(OverheadBudget.objects.select_related("work_center").order_by("effective_until"))
    charged = [b for b in budgets if counts_on(day, b.effective_from, b.effective_until)]
    ended = {
        b.code: (b.work_center.code if b.work_center else "", b.effective_until)
        for b in budgets
        if b.effective_until < day
    }
    for budget in charged:
        ended.pop(budget.code, None)
    hours = _hours(
        WorkCenterRate.objects.select_related("work_center"),
        GradeRate.objects.select_related("grade"),
        day,
    )
    overheads = [overhead_rate(b) for b in sorted(charged, key=lambda b: b.code)]
    return ShopRates(hours.centers, hours.grades, overheads, ended)


def hourly_rates(day: date, centers: Iterable[int], grades: Iterable[int]) -> ShopRates:
    """Return the rates of some work centers and labour grades in force on a day."""
    return _hours(CENTER_RATES.of_any(centers), GRADE_RATES.of_any(grades), day)


def _hours(centers: Iterable[WorkCenterRate], grades: Iterable[GradeRate], day: date) -> ShopRates:
    return ShopRates(
        {
            r.work_center.code: Rates(labour=r.labour_rate, machine=rate_of(layers_of(r)))
            for r in _counting(centers, lambda r: r.work_center_id, day)
        },
        {r.grade.code: r.rate for r in _counting(grades, lambda r: r.grade_id, day)},
    )


def _counting(rows: Iterable[R], owner: Callable[[R], int], day: date) -> list[R]:
    """Return of each owner the rate that counts on a day."""
    owned = groupby(sorted(rows, key=owner), owner)
    found = (latest_begun(own, day) for _, own in owned)
    return [row for row in found if row is not None]


def overhead_rate(row: OverheadBudget) -> OverheadRate:
    """Return the rate that a budget gives."""
    base = Base(row.base)
    return OverheadRate(
        code=row.code,
        element=Element(row.element),
        base=base,
        rate=round_to(budget_rate(row.budget, row.capacity, base).value, UNIT_COST_STEP),
        work_center=row.work_center.code if row.work_center else "",
    )


def layers_of(row: WorkCenterRate) -> list[RateLayer]:
    """Return the layers of a machine hour."""
    return [
        RateLayer(
            name=layer["name"],
            element=Element(layer["element"]),
            amount=Decimal(layer.get("amount") or 0),
            percent=Decimal(layer.get("percent") or 0),
            of=layer.get("of") or "",
        )
        for layer in row.layers
    ]
