"""Queries on items, places and reasons."""

from django.http import HttpRequest
from django.utils import timezone
from ninja import Router, Schema
from poietic_core.quantity import UNITS

from ..web_api.fields import DecimalText
from .models import Item, Place, Reason

router = Router(tags=["catalog"])


class ItemOut(Schema):
    """An item with its stock; `value` is that of all of it."""

    code: str
    name: str
    unit: str
    step: DecimalText
    source: str
    standard_lot: DecimalText
    price: DecimalText | None
    is_active: bool
    on_hand: DecimalText
    value: DecimalText
    standard: DecimalText | None
    change: int


class Named(Schema):
    """A code with its name and kind."""

    code: str
    name: str
    kind: str = ""


class Basics(Schema):
    """What every form needs: the shop's day, units, places, reasons."""

    today: str
    units: list[str]
    places: list[Named]
    reasons: list[Named]


@router.get("/items", response=list[ItemOut])
def items(request: HttpRequest) -> list[ItemOut]:
    """Return all items."""
    rows = Item.objects.select_related("holding")
    return [item_out(i) for i in rows]


def item_out(item: Item) -> ItemOut:
    """Return an item as it travels."""
    holding = item.holding
    return ItemOut(
        code=item.code,
        name=item.name,
        unit=item.unit,
        step=item.step,
        source=item.source,
        standard_lot=item.standard_lot,
        price=item.price,
        is_active=item.is_active,
        on_hand=holding.quantity,
        value=holding.value,
        standard=holding.standard if item.is_made else item.price,
        change=item.change,
    )


@router.get("/basics", response=Basics)
def basics(request: HttpRequest) -> Basics:
    """Return what every form needs."""
    places = Place.objects.filter(kind__in=[Place.Kind.STORE, Place.Kind.FLOOR])
    return Basics(
        today=timezone.localdate().isoformat(),
        units=list(UNITS),
        places=[Named(code=p.code, name=p.name, kind=p.kind) for p in places],
        reasons=[Named(code=r.code, name=r.name) for r in Reason.objects.all()],
    )
