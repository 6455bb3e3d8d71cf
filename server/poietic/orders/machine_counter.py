"""A stand-in for the counters at machines: what each would have counted on a day, as a sheet of a shift.

It counts nothing real: of each work center the order that is due first runs from six o'clock on, at a
pace that is drawn by the day, and always the same for the same day.
"""

import csv
import io
from datetime import date, datetime, time, timedelta
from random import Random

from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import Router
from poietic_core.order.states import RUNNING

from ..web_api.fields import Day
from .models import OrderOperation

router = Router(tags=["stand-ins"])

HEADS = ("order", "op", "good", "scrap", "why", "setup h", "run h", "who", "from", "to")
BEGIN = time(6, 0)
#: pieces that a machine makes on a day
MOST = 12
#: work centers that have a counter
MOST_MACHINES = 50


@router.get("/stand-ins/machine-counter.csv", url_name="machine_counter")
def machine_counter(request: HttpRequest, day: Day | None = None) -> HttpResponse:
    """Return what machines counted on a day, or today until now: order, operation, pieces, from and to (RFC 4180)."""
    text = io.StringIO()
    rows = csv.writer(text)
    rows.writerow(HEADS)
    for o, pieces, begin, end in counted(day or timezone.localdate()):
        rows.writerow((o.order.number, o.number, pieces, "", "", "", "", "", f"{begin:%H:%M}", f"{end:%H:%M}"))  # fmt: skip
    return HttpResponse(text.getvalue(), content_type="text/csv; charset=utf-8")


def counted(day: date) -> list[tuple[OrderOperation, int, datetime, datetime]]:
    """Return operations with the pieces that a machine counted, and from when to when."""
    running = OrderOperation.objects.filter(
        units_due__gte=1,
        is_report_point=True,
        run_hours__gt=0,
        order__hold_reason=None,
        order__state__in=RUNNING,
    )
    first = running.order_by("work_center_id", "order__due", "order__number", "number").distinct("work_center_id")  # fmt: skip
    now, begin = timezone.now(), timezone.make_aware(datetime.combine(day, BEGIN))
    found = []
    for o in first.select_related("order")[:MOST_MACHINES]:
        pace = Random(f"{day} {o.work_center_id}")
        pieces = min(int(o.units_due), pace.randint(2, MOST))
        each = float(o.run_hours / o.run_quantity) * pace.uniform(0.9, 1.25)
        if begin + timedelta(hours=each) > now:
            continue
        pieces = min(pieces, int((now - begin) / timedelta(hours=each)))
        found.append((o, pieces, begin, begin + timedelta(hours=pieces * each)))
    return found
