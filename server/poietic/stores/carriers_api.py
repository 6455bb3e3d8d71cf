"""Carriers: where each stands, and what lies on it."""

from django.http import HttpRequest
from ninja import Router

from ..catalog.models import Place
from ..catalog.queries import any_of
from ..ledger.models import StockBalance
from ..web_api.fields import Answer, DecimalText, PageSize, ShortText, Skip

router = Router(tags=["stores"])


class OnCarrierOut(Answer):
    """A quantity that lies on a carrier."""

    item: str
    name: str
    lot: str
    quantity: DecimalText
    unit: str
    #: for orders that it was picked for
    reserved: DecimalText


class CarrierOut(Answer):
    """A carrier, where it stands, and what lies on it."""

    code: str
    name: str
    stands_at: str
    stands_at_name: str
    scan_code: str
    rows: list[OnCarrierOut]


class CarrierPage(Answer):
    """Some carriers, and how many there are."""

    rows: list[CarrierOut]
    whole: int


@router.get("/stores/carriers", response=CarrierPage)
def carriers(
    request: HttpRequest, q: ShortText = "", skip: Skip = 0, limit: PageSize = 50
) -> CarrierPage:
    """Return carriers by code, with what lies on each."""
    rows = Place.objects.filter(kind=Place.Kind.CARRIER, code__icontains=q.strip())
    page = list(rows.select_related("stands_at").order_by("code")[skip : skip + limit])
    there: dict[int, list[StockBalance]] = {p.pk: [] for p in page}
    lying = StockBalance.objects.filter(place__in=any_of(there), quantity__gt=0)
    for b in lying.select_related("item", "lot").order_by("item__code", "lot__pk"):
        there[b.place_id].append(b)
    return CarrierPage(rows=[_carrier(p, there[p.pk]) for p in page], whole=rows.count())


def _carrier(place: Place, there: list[StockBalance]) -> CarrierOut:
    assert place.stands_at is not None
    return CarrierOut(
        code=place.code,
        name=place.name,
        stands_at=place.stands_at.code,
        stands_at_name=place.stands_at.name,
        scan_code=place.scan_code,
        rows=[
            OnCarrierOut(
                item=b.item.code,
                name=b.item.name,
                lot=b.lot.code if b.lot else "",
                quantity=b.quantity,
                unit=b.item.unit,
                reserved=b.reserved,
            )
            for b in there
        ],
    )
