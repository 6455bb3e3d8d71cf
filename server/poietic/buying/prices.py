"""What a supplier asks for an item, by the price lists, and in which unit he sells it."""

from collections.abc import Iterable
from decimal import Decimal

from poietic_core.cost.prices import SupplierPrice
from poietic_core.quantity import ONE, UNIT_COST_STEP, round_to
from poietic_core.units import conversion_factor

from ..catalog.models import Item, ItemUnit, Partner, PriceRow
from ..catalog.queries import any_of
from ..costing.queries import as_supplier_price


def list_prices(supplier: Partner, items: Iterable[Item]) -> dict[int, list[SupplierPrice]]:
    """Return what a supplier asks for some items, by item, in one statement."""
    found: dict[int, list[SupplierPrice]] = {}
    rows = PriceRow.objects.filter(supplier=supplier, item__in=any_of(i.pk for i in items))
    for row in rows.select_related("supplier"):
        found.setdefault(row.item_id, []).append(as_supplier_price(row))
    return found


def units_in(item: Item, unit: str) -> Decimal:
    """Return how many stock units a unit of an item is, or refuse what does not convert."""
    if unit in ("", item.unit):
        return ONE
    own = dict(ItemUnit.objects.filter(item=item).values_list("name", "quantity"))
    factor = conversion_factor(unit, item.unit, item=item.code, stock_unit=item.unit, own=own)
    return round_to(factor, UNIT_COST_STEP)


def first_suppliers(items: Iterable[int] | None = None) -> dict[int, tuple[str, str]]:
    """Return who stands first in the price list of some items, or of all: code and name, by item."""
    rows = PriceRow.objects.order_by("item_id", "position", "pk").distinct("item_id")
    if items is not None:
        rows = rows.filter(item__in=any_of(items))
    told = rows.values_list("item", "supplier__code", "supplier__name")
    return {item: (code, name) for item, code, name in told}
