"""A supplier: what he is to bring, what he holds of ours, and how he kept his word in the last year."""

from dataclasses import asdict
from datetime import timedelta
from decimal import Decimal
from typing import Literal

from django.db import connection
from django.db.models import F, Sum
from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import Router
from poietic_core.buying.record import Record, Said, record_of
from poietic_core.quantity import ZERO

from ..catalog.models import Partner
from ..catalog.queries import supplier_by_code
from ..commanding.api import Problem
from ..commanding.reading import Cost
from ..engineering.models import SupplierTimes
from ..papers.rows import MEDIA_TYPES, as_csv
from ..web_api.fields import Answer, DecimalText, plain
from .api import PurchasePage, purchases
from .commands.simulating import rules_of
from .held import held_components, held_units, held_value
from .models import Delivery
from .outside_api import OutsideRow, outside_of
from .shipping_papers import statement

router = Router(tags=["buying"])
YEAR = timedelta(days=365)
#: rows on the page, and in the statement
SHOWN, MOST_HELD = 200, 5000


class RecordOut(Answer):
    """What of a year's deliveries came as it was promised; shares in percent, null where nothing came."""

    deliveries: int
    on_time: DecimalText | None
    #: of those that came late, on average [days]
    days_late: DecimalText | None
    #: of what was ordered by lines that are done
    complete: DecimalText | None
    kept: DecimalText | None
    #: invoiced beyond what was ordered [% of that]
    dearer: Cost | None


class HeldPart(Answer):
    """A component of ours that he has, and not built in yet."""

    order: int
    operation: int
    item: str
    name: str
    unit: str
    quantity: DecimalText
    value: Cost


class RulesOut(Answer):
    """How the stand-in plays a supplier [%, days]."""

    late: int
    days: int
    short: int
    missing: int
    dearer: int
    more: int
    seed: int


class SupplierOut(Answer):
    """A supplier's page."""

    supplier: str
    name: str
    #: by which his days out are counted, "": round the clock; and the way to him [days]
    calendar: str
    transport_days: DecimalText
    record: RecordOut
    #: came and is not invoiced [EUR]
    not_invoiced: Cost
    awaited: PurchasePage
    out: list[OutsideRow]
    parts: list[HeldPart]
    #: of all that he holds: units at the standard, components at what they were issued at
    held_value: Cost
    stand_in: RulesOut


#: of a year: how often he came, in time, how late, how much came, went back; of lines that are done how much
#: was ordered and kept; of what was invoiced what it was received at, and what was asked
SAID = """
WITH came AS (
  SELECT d.id, d.quantity, d.returned, n.id AS line,
         greatest(0, (d.came_at AT TIME ZONE %s)::date - n.comes_on) AS late
  FROM buying_delivery d JOIN buying_purchaseline n ON n.id = d.line_id
  JOIN buying_purchase p ON p.id = n.purchase_id
  WHERE p.supplier_id = %s AND d.came_at >= %s AND NOT d.is_undone),
done AS (
  SELECT sum(n.quantity * n.per_unit) AS ordered, sum(least(n.received - n.returned, n.quantity * n.per_unit)) AS kept
  FROM buying_purchaseline n WHERE n.coming = 0 AND n.id IN (SELECT line FROM came)),
asked AS (
  SELECT sum(v.cleared) AS cleared, sum(v.amount) AS amount FROM buying_invoiceline v
  JOIN buying_invoice i ON i.id = v.invoice_id AND NOT i.is_taken_back
  WHERE v.cost = '' AND v.delivery_id IN (SELECT id FROM came))
SELECT count(*), count(*) FILTER (WHERE late = 0), coalesce(sum(late), 0), coalesce(sum(quantity), 0),
       coalesce(sum(returned), 0), (SELECT coalesce(ordered, 0) FROM done), (SELECT coalesce(kept, 0) FROM done),
       (SELECT coalesce(cleared, 0) FROM asked), (SELECT coalesce(amount, 0) FROM asked)
FROM came
"""


@router.get("/suppliers/{code}", response={200: SupplierOut, 404: Problem})
def supplier(request: HttpRequest, code: str) -> SupplierOut:
    """Return a supplier's page."""
    found = supplier_by_code(code)
    times = SupplierTimes.objects.filter(supplier=found).select_related("calendar").first()
    opened = Delivery.objects.filter(is_open=True, line__purchase__supplier=found)
    value = opened.aggregate(sum=Sum(F("value") - F("returned_value") - F("cleared")))["sum"]
    return SupplierOut(
        supplier=found.code,
        name=found.name,
        calendar=times.calendar.code if times and times.calendar else "",
        transport_days=times.transport_days if times else ZERO,
        record=_out(record_of(_said(found))),
        not_invoiced=value or ZERO,
        awaited=purchases(request, "open", found.code),
        out=outside_of(found),
        parts=[HeldPart(**asdict(p)) for p in held_components(found.pk, SHOWN)],
        held_value=held_value(found.pk),
        stand_in=RulesOut(**rules_of(found).model_dump()),
    )


@router.get("/suppliers/{code}/held.{form}", response={200: None, 404: Problem})
def held(request: HttpRequest, code: str, form: Literal["csv", "pdf"]) -> HttpResponse:
    """Return what lies at a supplier, for him to count and confirm, as CSV or PDF."""
    found = supplier_by_code(code)
    units, parts = held_units(found.pk, MOST_HELD), held_components(found.pk, MOST_HELD)
    if form == "pdf":
        made: str | bytes = statement(found, units, parts, timezone.localdate())
        return HttpResponse(made, content_type="application/pdf")
    head = ("order", "operation", "item", "name", "what", "since", "quantity", "unit", "counted")
    rows = [
        *((u.order, u.operation, u.item, u.name, "units", u.since and timezone.localdate(u.since), plain(u.out), u.unit, "") for u in units),
        *((p.order, p.operation, p.item, p.name, "component", None, plain(p.quantity), p.unit, "") for p in parts),
    ]  # fmt: skip
    answer = HttpResponse(as_csv(head, rows), content_type=MEDIA_TYPES["csv"])
    answer["Content-Disposition"] = f'attachment; filename="held-by-{found.code}.csv"'
    return answer


def _said(found: Partner) -> Said:
    zone = timezone.get_current_timezone_name()
    with connection.cursor() as cursor:
        cursor.execute(SAID, [zone, found.pk, timezone.now() - YEAR])
        return Said(*(Decimal(v) for v in cursor.fetchone()))


def _out(record: Record) -> RecordOut:
    return RecordOut(
        deliveries=int(record.deliveries),
        on_time=record.on_time,
        days_late=record.days_late,
        complete=record.complete,
        kept=record.kept,
        dearer=record.dearer,
    )
