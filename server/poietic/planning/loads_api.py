"""What the plan loads work centers with, week by week, and where that is too much."""

from datetime import date
from decimal import Decimal

from django.http import HttpRequest
from ninja import Router
from poietic_core.capacity.load import week_of
from poietic_core.quantity import ZERO, round_to

from ..commanding.api import Problem
from ..web_api.fields import Answer, DecimalText
from .api import named_run
from .models import PlannedLoad

router = Router(tags=["planning"])
THOUSANDTH = Decimal("0.001")


class PlannedWeek(Answer):
    """A week of a work center [h of one machine at the standard pace]."""

    #: by ISO 8601
    week: str
    first: date
    capacity: DecimalText
    #: by orders, and by what is proposed
    ordered: DecimalText
    proposed: DecimalText
    #: of what it can do; null: it can do nothing
    share: DecimalText | None
    #: hours that are too many
    over: DecimalText
    #: items that load it most where it is too much
    most: list[str]


class PlannedCenter(Answer):
    """A work center and its weeks, as far as anything loads it."""

    code: str
    name: str
    weeks: list[PlannedWeek]
    over: DecimalText


class PlannedLoads(Answer):
    """The load of a run, the work center with the most hours too many first."""

    weeks: list[str]
    centers: list[PlannedCenter]
    over: DecimalText


@router.get("/plan/loads", response={200: PlannedLoads, 404: Problem})
def planned_loads(request: HttpRequest, run: int = 0) -> PlannedLoads:
    """Return what a run and orders load work centers with, the last plan's where none is named."""
    of = named_run(run)
    some = of.loads.exclude(ordered=0, proposed=0) if of else PlannedLoad.objects.none()
    rows = list(some.select_related("work_center"))
    centers: dict[str, list[PlannedLoad]] = {}
    for row in rows:
        centers.setdefault(row.work_center.code, []).append(row)
    shown = [
        PlannedCenter(
            code=code,
            name=own[0].work_center.name,
            weeks=[_week(row) for row in own],
            over=sum((row.over for row in own), ZERO),
        )
        for code, own in centers.items()
    ]
    return PlannedLoads(
        weeks=[week_of(first) for first in sorted({row.first for row in rows})],
        centers=sorted(shown, key=lambda c: (-c.over, c.code)),
        over=sum((c.over for c in shown), ZERO),
    )


def _week(row: PlannedLoad) -> PlannedWeek:
    load = row.ordered + row.proposed
    return PlannedWeek(
        week=week_of(row.first),
        first=row.first,
        capacity=row.capacity,
        ordered=row.ordered,
        proposed=row.proposed,
        share=round_to(load / row.capacity, THOUSANDTH) if row.capacity else None,
        over=row.over,
        most=row.most,
    )
