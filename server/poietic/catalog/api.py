"""What every form needs of the catalog."""

from datetime import date

from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import File, Router, UploadedFile
from poietic_core.units import UNITS

from ..commanding.api import Problem
from ..commanding.reading import READ_COSTS, READ_MARGINS
from ..people.models import Person
from ..web_api.errors import NotFound
from ..web_api.fields import Answer, DecimalText
from .files import DocumentOut, keep_file, shown
from .models import Partner, Place, PriceRow, Reason, Site, WrittenNote
from .queries import item_by_code

router = Router(tags=["catalog"])


class Named(Answer):
    """A code with its name and kind."""

    code: str
    name: str
    kind: str = ""


class ReasonOut(Answer):
    """A reason with what it is given for."""

    code: str
    name: str
    use: str
    is_written_off: bool


class PartnerOut(Answer):
    """A firm that supplies us or buys from us, with the items that it supplies."""

    code: str
    name: str
    is_supplier: bool
    is_customer: bool
    address: str
    items: list[str]


class PriceOut(Answer):
    """What a supplier asks for an item."""

    supplier: str
    name: str
    price: DecimalText
    from_quantity: DecimalText
    effective_from: date | None
    effective_until: date | None


class ListPriceOut(Answer):
    """What we ask for an item; customer and name are empty where it is for everybody."""

    customer: str
    name: str
    price: DecimalText
    from_quantity: DecimalText
    effective_from: date | None
    effective_until: date | None


class FileOut(Answer):
    """A file that was brought and belongs to nothing yet."""

    file: int
    name: str
    media_type: str


class PlaceOut(Named):
    """A place that holds stock."""

    site: str
    walk_order: int
    scan_code: str


class Basics(Answer):
    """What every form needs: the shop's day, units, sites and places, reasons."""

    today: str
    units: list[str]
    sites: list[Named]
    places: list[PlaceOut]
    reasons: list[ReasonOut]
    partners: list[Named]
    #: who works here
    people: list[Named]


class NoteOut(Answer):
    """A note with its author and time."""

    text: str
    person: str
    written_at: str


class OwnUnitOut(Answer):
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
    kinds = (Place.Kind.STORE, Place.Kind.FLOOR)
    places = Place.objects.filter(kind__in=kinds).order_by("site", "walk_order", "code")
    return Basics(
        today=timezone.localdate().isoformat(),
        units=list(UNITS),
        sites=[Named(code=s.code, name=s.name) for s in Site.objects.all()],
        places=[
            PlaceOut(
                code=p.code,
                name=p.name,
                kind=p.kind,
                site=p.site.name if p.site else "",
                walk_order=p.walk_order,
                scan_code=p.scan_code,
            )
            for p in places.select_related("site")
        ],
        reasons=[
            ReasonOut(code=r.code, name=r.name, use=r.use, is_written_off=r.is_written_off)
            for r in Reason.objects.all()
        ],
        partners=[
            Named(code=p.code, name=p.name, kind="supplier" if p.is_supplier else "customer")
            for p in Partner.objects.all()
        ],
        people=[
            Named(code=p.name, name=p.full_name)
            for p in Person.objects.filter(is_active=True).order_by("full_name")
        ],
    )


@router.get("/partners", response=list[PartnerOut])
def partners(request: HttpRequest) -> list[PartnerOut]:
    """Return all partners."""
    items: dict[str, set[str]] = {}
    rows = PriceRow.objects.values_list("supplier__code", "item__code").distinct()
    for supplier, item in rows:
        items.setdefault(supplier, set()).add(item)
    return [
        PartnerOut(
            code=p.code,
            name=p.name,
            is_supplier=p.is_supplier,
            is_customer=p.is_customer,
            address=p.address,
            items=sorted(items.get(p.code, ())),
        )
        for p in Partner.objects.all()
    ]


@router.get("/items/{code}/prices", auth=READ_COSTS, response={200: list[PriceOut], 404: Problem})
def prices(request: HttpRequest, code: str) -> list[PriceOut]:
    """Return the prices of an item, the supplier that the standard buys from first."""
    rows = item_by_code(code).prices.select_related("supplier")
    return [
        PriceOut(
            supplier=p.supplier.code,
            name=p.supplier.name,
            price=p.price,
            from_quantity=p.from_quantity,
            effective_from=p.effective_from,
            effective_until=p.effective_until,
        )
        for p in rows
    ]


@router.get(
    "/items/{code}/list-prices", auth=READ_MARGINS, response={200: list[ListPriceOut], 404: Problem}
)
def list_prices(request: HttpRequest, code: str) -> list[ListPriceOut]:
    """Return what we ask for an item."""
    rows = item_by_code(code).list_prices.select_related("customer")
    return [
        ListPriceOut(
            customer=p.customer.code if p.customer else "",
            name=p.customer.name if p.customer else "",
            price=p.price,
            from_quantity=p.from_quantity,
            effective_from=p.effective_from,
            effective_until=p.effective_until,
        )
        for p in rows
    ]


@router.post("/files", response={200: FileOut, 403: Problem, 422: Problem})
def bring_file(request: HttpRequest, file: File[UploadedFile]) -> FileOut:
    """Keep a drawing or picture; it belongs to nothing until it is attached."""
    kept = keep_file(file, request.user)
    return FileOut(file=kept.pk, name=kept.name, media_type=kept.media_type)


@router.get("/items/{code}/documents", response={200: list[DocumentOut], 404: Problem})
def documents(request: HttpRequest, code: str) -> list[DocumentOut]:
    """Return the drawings and pictures of an item."""
    rows = item_by_code(code).documents.select_related("kept__person")
    return [DocumentOut.of(d.name, d.kept) for d in rows]


@router.get("/items/{code}/documents/{name}", response={404: Problem})
def document(request: HttpRequest, code: str, name: str) -> HttpResponse:
    """Return a drawing or picture of an item."""
    found = item_by_code(code).documents.filter(name=name).select_related("kept").first()
    if found is None:
        raise NotFound(f"document of {code}", name)
    return shown(found.kept, name, code)
