"""How a work center did, month by month: the ratios of ISO 22400-2 with the elements they come from."""

from datetime import date, datetime, timedelta
from decimal import Decimal

from django.db import connection
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from poietic_core.capacity.load import capacity_of
from poietic_core.indicators.iso22400 import Elements, indicators_of
from poietic_core.quantity import HOUR_STEP, ONE, ZERO, round_to

from ..commanding.api import Problem
from ..engineering.models import WorkCenter
from ..engineering.queries import work_center_times
from ..web_api.errors import NotFound
from ..web_api.fields import Answer, DecimalText
from .months import Month

router = Router(tags=["settling"])
MOST_MONTHS = 6
THOUSANDTH = Decimal("0.001")

#: hours of machines, of people where there are none; by month
HOURS = """
SELECT date_trunc('month', p.happened_at AT TIME ZONE %(zone)s)::date,
  sum(t.quantity) FILTER (WHERE t.kind = 'setup machine'), sum(t.quantity) FILTER (WHERE t.kind = 'run machine'),
  sum(t.quantity) FILTER (WHERE t.kind = 'setup labour'), sum(t.quantity) FILTER (WHERE t.kind = 'run labour')
FROM orders_orderoperation o JOIN ledger_posting p ON p.cost_object_id = o.order_id
JOIN ledger_timeline t ON t.posting_id = p.id AND t.operation = o.number
WHERE o.work_center_id = %(center)s AND p.happened_at >= %(since)s GROUP BY 1
"""
#: units by what became of them, and the standard hours that they were allowed; by month
UNITS = """
SELECT date_trunc('month', p.happened_at AT TIME ZONE %(zone)s)::date,
  sum(u.quantity) FILTER (WHERE u.kind = 'good'), sum(u.quantity) FILTER (WHERE u.kind = 'scrap'),
  sum(u.quantity) FILTER (WHERE u.kind = 'rework'),
  sum(u.quantity * coalesce(m.allowed, h.allowed, 0)) FILTER (WHERE u.kind <> 'sent')
FROM orders_orderoperation o JOIN ledger_posting p ON p.cost_object_id = o.order_id
JOIN ledger_unitline u ON u.posting_id = p.id AND u.operation = o.number
LEFT JOIN LATERAL (SELECT sum(allowed) AS allowed FROM orders_orderinput i WHERE i.order_id = o.order_id
  AND i.operation = o.number AND i.kind = 'run machine' AND NOT i.is_rework AND i.basis <> 'order' HAVING sum(allowed) > 0) m ON true
LEFT JOIN LATERAL (SELECT sum(allowed) AS allowed FROM orders_orderinput i WHERE i.order_id = o.order_id
  AND i.operation = o.number AND i.kind = 'run labour' AND NOT i.is_rework AND i.basis <> 'order' HAVING sum(allowed) > 0) h ON true
WHERE o.work_center_id = %(center)s AND p.happened_at >= %(since)s GROUP BY 1
"""


class IndicatorsRow(Answer):
    """A month of a work center: its elements [h, units] and the ratios made of them; null: nothing to divide by."""

    month: date
    name: str
    #: planned busy time by its calendar; production and setup as reported
    pbt: DecimalText
    apt: DecimalText
    aust: DecimalText
    #: of machines, or of people where no machine hours were reported
    of_machines: bool
    pq: DecimalText
    gq: DecimalText
    sq: DecimalText
    rq: DecimalText
    #: standard hours allowed for what was produced
    planned: DecimalText
    availability: DecimalText | None
    effectiveness: DecimalText | None
    quality_ratio: DecimalText | None
    oee: DecimalText | None
    setup_ratio: DecimalText | None
    scrap_ratio: DecimalText | None


class IndicatorsOut(Answer):
    """A work center over the last months, the latest first."""

    code: str
    rows: list[IndicatorsRow]


@router.get("/work-centers/{code}/indicators", response={200: IndicatorsOut, 404: Problem})
def indicators(request: HttpRequest, code: str) -> IndicatorsOut:
    """Return how a work center did in the last months, by ISO 22400-2."""
    center = WorkCenter.objects.filter(code=code).first()
    if center is None:
        raise NotFound("work center", code)
    today = timezone.localdate()
    months = [Month.of(today)]
    while len(months) < MOST_MONTHS:
        months.append(Month.of(months[-1].first - timedelta(days=1)))
    asked: dict[str, int | datetime | str] = {
        "center": center.pk,
        "since": months[-1].begins_at,
        "zone": timezone.get_current_timezone_name(),
    }
    with connection.cursor() as cursor:
        cursor.execute(HOURS, asked)
        hours = {month: row for month, *row in cursor.fetchall()}
        cursor.execute(UNITS, asked)
        units = {month: row for month, *row in cursor.fetchall()}
    times = work_center_times(months[-1].first, today).get(code)
    rows = []
    for month in months:
        last = min(today, month.next.first - timedelta(days=1))
        busy = ZERO
        if times:
            zone = timezone.get_current_timezone()
            days = range((last - month.first).days + 1)
            busy = sum((capacity_of(times.working, zone, month.first + timedelta(days=d), machines=center.machines, efficiency=ONE) for d in days), ZERO)  # fmt: skip
        worked = [h or ZERO for h in hours.get(month.first, [ZERO] * 4)]
        made = [u or ZERO for u in units.get(month.first, [ZERO] * 4)]
        if any(worked) or any(made):
            rows.append(_row(month, busy, worked, made))
    return IndicatorsOut(code=code, rows=rows)


def _row(month: Month, busy: Decimal, worked: list[Decimal], made: list[Decimal]) -> IndicatorsRow:
    of_machines = bool(worked[0] or worked[1])
    aust, apt = worked[:2] if of_machines else worked[2:]
    good, scrap, rework, planned = made
    pq = good + scrap + rework
    e = Elements(
        pbt=busy,
        apt=apt,
        aust=aust,
        pri=planned / pq if pq else ZERO,
        pq=pq,
        gq=good,
        sq=scrap,
        rq=rework,
    )
    found = indicators_of(e)

    def shown(value: Decimal | None) -> Decimal | None:
        return None if value is None else round_to(value, THOUSANDTH)

    return IndicatorsRow(
        month=month.first,
        name=str(month),
        pbt=round_to(busy, HOUR_STEP),
        apt=round_to(apt, HOUR_STEP),
        aust=round_to(aust, HOUR_STEP),
        of_machines=of_machines,
        pq=pq,
        gq=good,
        sq=scrap,
        rq=rework,
        planned=round_to(planned, HOUR_STEP),
        availability=shown(found.availability),
        effectiveness=shown(found.effectiveness),
        quality_ratio=shown(found.quality_ratio),
        oee=shown(found.oee),
        setup_ratio=shown(found.setup_ratio),
        scrap_ratio=shown(found.scrap_ratio),
    )
