"""What a scanned code is."""

from typing import Literal

from django.http import HttpRequest
from ninja import Router

from ..catalog.models import OWN_KINDS, Place
from ..commanding.api import Problem
from ..web_api.errors import NotFound
from ..web_api.fields import Answer, ShortText
from .labels import item_scanned, lot_scanned

router = Router(tags=["stores"])


class ScanOut(Answer):
    """A thing that a code stands for."""

    kind: Literal["place", "carrier", "lot", "item"]
    #: of the place, carrier or item; of a lot: its item's
    code: str
    lot: str
    name: str


@router.get("/scan", response={200: ScanOut, 404: Problem})
def scan(request: HttpRequest, code: ShortText) -> ScanOut:
    """Return what a code is: a place, a carrier, a lot or serial, an item."""
    place = Place.objects.filter(scan_code=code, kind__in=OWN_KINDS).first()
    if place:
        is_carrier = place.kind == Place.Kind.CARRIER
        return ScanOut(kind="carrier" if is_carrier else "place", code=place.code, lot="", name=place.name)  # fmt: skip
    if lot := lot_scanned(code):
        return ScanOut(kind="lot", code=lot.item.code, lot=lot.code, name=lot.item.name)
    if item := item_scanned(code):
        return ScanOut(kind="item", code=item.code, lot="", name=item.name)
    raise NotFound("place, carrier, lot or item with the code", code)
