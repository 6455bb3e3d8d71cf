"""What every form needs of the catalog."""

from django.http import HttpRequest
from django.utils import timezone
from ninja import Router, Schema
from poietic_core.units import UNITS

from ..commanding.api import Problem
from ..web_api.fields import DecimalText
from .models import Place, Reason, WrittenNote
from .queries import item_by_code

router = Router(tags=["catalog"])


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


class NoteOut(Schema):
    """A note with its author and time."""

    text: str
    person: str
    written_at: str


class OwnUnitOut(Schema):
    """A unit of an item's own, in stock units."""

    name: str
    quantity: DecimalText


@router.get("/items/{code}/units", response={200: list[OwnUnitOut], 404: Problem})
def own_units(request: HttpRequest, code: str) -> list[OwnUnitOut]:
    """Return the units of an item's own."""
    return [
        OwnUnitOut(name=u.name, quantity=u.quantity) for u in item_by_code(code).own_units.all()
    ]


@router.get("/notes/{kind}/{code}", response=list[NoteOut])
def notes(request: HttpRequest, kind: str, code: str) -> list[NoteOut]:
    """Return the notes on a thing, the newest first."""
    rows = WrittenNote.objects.filter(kind=kind, code=code).select_related("person")
    return [
        NoteOut(text=n.text, person=str(n.person or ""), written_at=n.written_at.isoformat())
        for n in rows
    ]


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
