"""Labels of what lies in stores: lots, serials, places and carriers; and what was scanned."""

from poietic_core.stock.lots import Tracking

from ..catalog.models import OWN_KINDS, Item, Place
from ..catalog.queries import item_by_code
from ..ledger.models import Lot
from ..papers.gs1 import Scanned, as_encoded, element_string, scanned
from ..papers.labels import Label
from ..web_api.errors import NotFound


def of_lot(code: str, of: str) -> Label:
    """Return the label of a lot or serial: a GS1 element string where the item has a GTIN and it fits."""
    found = Lot.objects.select_related("item").filter(item__code=of, code=code).first()
    if found is None:
        raise NotFound(f"lot or serial of {of}", code)
    item = found.item
    lines = [item.name, f"{found.kind} {found.code}"]
    if found.expires_on:
        lines.append(f"use until {found.expires_on:%d %b %Y}")
    elif found.made_on:
        lines.append(f"made on {found.made_on:%d %b %Y}")
    shown = gs1_of(item, found)
    return Label(
        kind=found.kind,
        title=item.code,
        lines=lines,
        code=as_encoded(shown) if shown else plain_code(item, found),
        shown=shown,
        is_gs1=bool(shown),
    )


def of_item(code: str, of: str) -> Label:
    """Return the label of an item, for a bin or a box of pieces that are not told apart."""
    item = item_by_code(code)
    shown = element_string(item.gtin) if item.gtin else ""
    return Label(
        kind="item",
        title=item.code,
        lines=[item.name],
        code=as_encoded(shown) if shown else item.code,
        shown=shown,
        is_gs1=bool(shown),
    )


def of_place(code: str, of: str) -> Label:
    """Return the label of a place or a carrier."""
    rows = Place.objects.select_related("site", "stands_at")
    place = rows.filter(code=code, kind__in=OWN_KINDS).first()
    if place is None:
        raise NotFound("place", code)
    lines = [place.name if place.name != place.code else place.kind]
    if place.site:
        lines.append(place.site.name)
    return Label(kind=place.kind, title=place.code, lines=lines, code=place.scan_code)


def gs1_of(item: Item, lot: Lot) -> str:
    """Return the element string of a lot or serial; "" where there is none."""
    if not item.gtin:
        return ""
    if item.tracking == Tracking.SERIAL:
        return element_string(item.gtin, serial=lot.code)
    return element_string(item.gtin, lot=lot.code)


def plain_code(item: Item, lot: Lot) -> str:
    """Return what is scanned on the label of a lot of an item without a GTIN."""
    return f"{item.code} {lot.code}"


def scans_of_item(item: Item) -> list[str]:
    """Return everything that is taken for an item when it is scanned."""
    found = [item.code]
    if item.gtin:
        shown = element_string(item.gtin)
        found += [item.gtin, shown, as_encoded(shown)]
    return found


def scans_of_lot(item: Item, lot: Lot) -> list[str]:
    """Return everything that is taken for a lot when it is scanned."""
    found = [lot.code, plain_code(item, lot)]
    if shown := gs1_of(item, lot):
        found += [shown, as_encoded(shown)]
    return found


def lot_scanned(text: str) -> Lot | None:
    """Return the lot or serial that a label says."""
    rows = Lot.objects.select_related("item")
    if said := scanned(text):
        return rows.filter(item__gtin__in=_gtins(said), code=said.lot or said.serial).first()
    head, _, tail = text.rpartition(" ")
    return rows.filter(item__code=head, code=tail).first() or rows.filter(code=text).first()


def item_scanned(text: str) -> Item | None:
    """Return the item that a label says."""
    if said := scanned(text):
        return Item.objects.filter(gtin__in=_gtins(said)).first()
    return Item.objects.filter(code=text).first() or Item.objects.filter(gtin=text).exclude(gtin="").first()  # fmt: skip


def _gtins(said: Scanned) -> list[str]:
    """Return a GTIN as it may be written: with and without zeros before it."""
    return [said.gtin, said.gtin.removeprefix("0"), said.gtin.lstrip("0")]
