"""What a run would have sent from site to site."""

from datetime import date

from django.http import HttpRequest
from django.utils import timezone
from ninja import Router

from ..catalog.models import STOCK_KINDS, Place
from ..catalog.queries import any_of
from ..commanding.api import Problem
from ..ledger.models import StockBalance
from ..web_api.fields import Answer, DecimalText, PageSize, Skip
from .api import named_run
from .models import PlannedTransfer
from .works_days import works_days

router = Router(tags=["planning"])


class PlannedTransferRow(Answer):
    """What lies at one site and is wanted at another."""

    item: str
    name: str
    unit: str
    quantity: DecimalText
    from_site: str
    to_site: str
    #: where most of it lies there, and the first store to be walked to here
    from_place: str
    to_place: str
    send_on: date
    there_on: date
    due: date
    #: working days by which it is too late for that
    late: int


class PlannedTransferPage(Answer):
    """What should go between sites, what has to be sent first before the others."""

    rows: list[PlannedTransferRow]
    whole: int


@router.get("/plan/transfers", response={200: PlannedTransferPage, 404: Problem})
def planned_transfers(
    request: HttpRequest, run: int = 0, limit: PageSize = 100, skip: Skip = 0
) -> PlannedTransferPage:
    """Return what a run would have sent from site to site, the last plan where none is named."""
    of = named_run(run)
    rows = of.transfers.all() if of else PlannedTransfer.objects.none()
    page = list(rows.select_related("item", "from_site", "to_site")[skip : skip + limit])
    lies = _lies([t.item_id for t in page])
    stores = _stores([t.to_site_id for t in page])
    days = works_days(timezone.localdate())
    return PlannedTransferPage(
        rows=[
            PlannedTransferRow(
                item=t.item.code,
                name=t.item.name,
                unit=t.item.unit,
                quantity=t.quantity,
                from_site=t.from_site.name,
                to_site=t.to_site.name,
                from_place=lies.get((t.item_id, t.from_site_id), ""),
                to_place=stores.get(t.to_site_id, ""),
                send_on=t.send_on,
                there_on=days.later(t.due, t.late),
                due=t.due,
                late=t.late,
            )
            for t in page
        ],
        whole=rows.count(),
    )


def _lies(items: list[int]) -> dict[tuple[int, int], str]:
    """Return by item and site the place where most of it lies."""
    rows = StockBalance.objects.filter(item__in=any_of(items), quantity__gt=0)
    told = rows.filter(place__kind__in=STOCK_KINDS).order_by("quantity", "-place__code")
    return {
        (item, site): code
        for item, site, code in told.values_list("item", "place__site", "place__code")
    }


def _stores(sites: list[int]) -> dict[int, str]:
    """Return the first store of each site."""
    rows = Place.objects.filter(kind=Place.Kind.STORE, site__in=any_of(sites))
    told = rows.order_by("-walk_order", "-code").values_list("site", "code")
    return dict(told)
