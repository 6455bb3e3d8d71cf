"""What every form needs of the catalog."""

from django.http import HttpRequest
from django.utils import timezone
from ninja import Router, Schema
from poietic_core.units import UNITS

from .models import Place, Reason

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
