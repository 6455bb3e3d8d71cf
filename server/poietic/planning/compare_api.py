"""How a what-if differs from the plan."""

from datetime import date
from decimal import Decimal

from django.db.models import Min, Sum
from django.http import HttpRequest
from ninja import Router
from poietic_core.quantity import ZERO, money

from ..catalog.models import Item
from ..commanding.api import Problem
from ..commanding.reading import Cost
from ..costing.queries import current_set
from ..costing.storing import totals_of
from ..web_api.errors import NotFound
from ..web_api.fields import MOST_ROWS, Answer, DecimalText
from .api import PlanRunOut, named_run, run_out
from .models import PlanRun

router = Router(tags=["planning"])


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
    #: hours that are too many for work centers, of each
    planned_over: DecimalText
    tried_over: DecimalText


@router.get("/plan/compare/{run}", response={200: Compared, 404: Problem})
def compare(request: HttpRequest, run: int) -> Compared:
    """Return what a what-if proposes otherwise than the last plan."""
    tried, last = named_run(run), PlanRun.last_plan()
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
        plan=run_out(last),
        tried=run_out(tried),
        rows=rows[:MOST_ROWS],
        whole=len(rows),
        cost=sum((r.cost or ZERO for r in rows), ZERO),
        planned_over=_over(last),
        tried_over=_over(tried),
    )


def _over(run: PlanRun) -> Decimal:
    return sum((load.over for load in run.loads.all()), ZERO)


def _sums(run: PlanRun) -> dict[int, tuple[int, date | None]]:
    """Return what a run proposes of each item in all, and when that is ordered first."""
    rows = run.rows.order_by().values("item").annotate(sum=Sum("steps"), first=Min("order_on"))
    return {r["item"]: (r["sum"], r["first"]) for r in rows}
