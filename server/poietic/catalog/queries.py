"""Looking things up by code, each with its own refusal."""

from collections.abc import Iterable

from django.db.models import Model, QuerySet
from django.db.models.expressions import RawSQL
from poietic_core.cost.prices import Form, StockForm

from ..statements.prepared import Prepared, array_of
from ..web_api.errors import Exists, NotFound
from .models import OWN_KINDS, Item, Partner, Place, Reason, Site


def any_of(values: Iterable[str] | Iterable[int]) -> RawSQL:
    """Return what a column is `in` for one of many values: one array, not thousands of places."""
    listed = list(values)
    if listed and isinstance(listed[0], str):
        return RawSQL("SELECT unnest(%s::text[])", [listed])
    return RawSQL("SELECT unnest(%s::bigint[])", [array_of(listed)])


def item_by_code(code: str) -> Item:
    """Return an item, or refuse by name."""
    item = Item.objects.filter(code=code).first()
    if item is None:
        raise NotFound("item", code)
    return item


def items_by_code(codes: Iterable[str]) -> dict[str, Item]:
    """Return items by code in one query; the first that does not exist is refused by name."""
    wanted = list(dict.fromkeys(codes))
    found = {i.code: i for i in Item.objects.filter(code__in=wanted)}
    for code in wanted:
        if code not in found:
            raise NotFound("item", code)
    return found


def stock_place(code: str) -> Place:
    """Return a place that holds stock, or refuse by name."""
    place = Place.objects.filter(code=code, kind__in=OWN_KINDS).first()
    if place is None:
        raise NotFound("store or floor place", code)
    return place


def place_of_kind(kind: Place.Kind) -> Place:
    """Return the one place of a kind that ends movements (supplier, work in process)."""
    if there := PLACES_OF_KIND.of(kind.value):
        return there[0]
    code = kind.value.replace(" ", "-")
    names = {"code": code, "scan_code": code, "name": kind.value.capitalize()}
    return Place.objects.get_or_create(kind=kind, partner=None, defaults=names | {"change": 0})[0]


PLACES_OF_KIND = Prepared(lambda kind: Place.objects.filter(kind=kind, partner=None))


def supplier_by_code(code: str) -> Partner:
    """Return a supplier; refuse by name."""
    found = Partner.objects.filter(code=code, is_supplier=True).first()
    if found is None:
        raise NotFound("supplier", code)
    return found


def supplier_place(code: str | None) -> Place:
    """Return the place of a supplier, or of suppliers in general; refuse by name."""
    if code is None:
        return place_of_kind(Place.Kind.SUPPLIER)
    place = Place.objects.filter(partner__code=code, kind=Place.Kind.SUPPLIER).first()
    if place is None:
        raise NotFound("supplier", code)
    return place


def transit_place(site: Site) -> Place:
    """Return the place of what is on the way to a site."""
    code = f"transit:{site.code}"
    names = {"code": code, "scan_code": code, "name": f"On the way to {site.name}", "change": 0}
    return Place.objects.get_or_create(kind=Place.Kind.TRANSIT, site=site, defaults=names)[0]


def scrap_reasons(codes: Iterable[str]) -> dict[str, Reason]:
    """Return reasons for scrap by code; the first that does not exist is refused by name."""
    return reasons_for(Reason.Use.SCRAP, codes)


def reasons_for(use: Reason.Use, codes: Iterable[str]) -> dict[str, Reason]:
    """Return reasons of one use by code; the first that does not exist is refused by name."""
    listed = list(codes)
    found = {r.code: r for r in Reason.objects.filter(code__in=listed, use=use)}
    for code in listed:
        if code not in found:
            raise NotFound(f"reason for {use.label.lower()}", code)
    return found


def form_of(item: Item) -> StockForm:
    """Return the form in which an item is stocked."""
    return StockForm(
        form=Form(item.form),
        length=item.form_length,
        width=item.form_width,
        thickness=item.form_thickness,
        density=item.density,
    )


def require_free(rows: QuerySet[Model], kind: str, code: str) -> None:
    """Refuse a code that is taken."""
    if rows.filter(code=code).exists():
        raise Exists(kind, code)
