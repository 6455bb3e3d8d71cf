"""Standards in force, and the roll-up of what stands now."""

from collections.abc import Iterable
from datetime import date
from decimal import Decimal

from django.db.models import Q, QuerySet
from django.utils import timezone
from poietic_core.cost.prices import SupplierPrice, mass_of, price_for
from poietic_core.cost.rollup import ItemFacts, Rolling, RollUp, roll_up
from poietic_core.errors import DomainError
from poietic_core.quantity import UNIT_COST_STEP, round_to
from poietic_core.structure.model import Structure

from ..catalog.models import Item, PriceRow
from ..catalog.queries import form_of
from ..engineering.queries import (
    in_force,
    made_with,
    phantoms_on,
    reached_from,
)
from ..engineering.rates import shop_rates
from ..engineering.structures import Faults, structures_on
from ..web_api.errors import NotFound
from .models import CostSet, Standard


def current_set() -> CostSet | None:
    """Return the set in force."""
    return CostSet.objects.filter(state=CostSet.State.CURRENT).first()


def cost_set_by_number(number: int) -> CostSet:
    """Return a set, or refuse by its number."""
    found = CostSet.objects.select_related("base").filter(pk=number).first()
    if found is None:
        raise NotFound("cost set", str(number))
    return found


def standards_in_force(items: Iterable[Item | int] | None = None) -> dict[str, Standard]:
    """Return the standards in force by item code; of all items where none are named."""
    rows = Standard.objects.filter(cost_set=current_set()).select_related("item")
    if items is not None:
        rows = rows.filter(item__in=list(items))
    return {s.item.code: s for s in rows}


def rolling_now(day: date, only: set[str] | None = None) -> Rolling:
    """Begin the roll-up of all active items as of a day, or of some upon the standards of the others."""
    faults: Faults = {}
    structures = structures_on(in_force(day), day, faults)
    items = Item.objects.filter(is_active=True)
    known = {}
    if only is not None:
        standards = standards_in_force(Item.objects.exclude(code__in=only))
        known = {c: s.as_item_cost() for c, s in standards.items()}
        items = items.filter(code__in=only)
    facts = _facts(items, structures, faults, day)
    return Rolling(facts, shop_rates(day), known, phantoms_on(day, faults))


def roll_up_item(item: Item, day: date) -> RollUp:
    """Return the roll-up of one item and of what it is made of, as of a day."""
    structures = _reached(item, day)
    codes = {c.item for s in structures.values() for c in s.components} | {item.code}
    codes |= {*structures, *(g.item for s in structures.values() for g in s.grades)}
    outputs = {o.item for s in structures.values() for o in s.outputs}
    counting = Q(code__in=codes, is_active=True) | Q(code__in=outputs - codes)
    facts = _facts(Item.objects.filter(counting), structures, {}, day)
    return roll_up(facts, shop_rates(day), {}, phantoms_on(day))


def _reached(item: Item, day: date) -> dict[str, Structure]:
    """Return the structures that an item reaches; of a co-product or a grade, those of its main item."""
    found: dict[str, Structure] = {}
    asked: set[str] = set()
    waiting = {item.code}
    while waiting:
        for revision in in_force(day).filter(item__code__in=waiting):
            found |= reached_from(revision, day)[1]
        named = {c.item for s in found.values() for c in s.components} | {item.code}
        bare = named - found.keys() - asked
        asked |= bare
        made = Item.objects.filter(code__in=bare).exclude(source=Item.Source.BUY)
        waiting = {main for i in made for main in made_with(i, day)} - found.keys()
    return found


def _facts(
    items: QuerySet[Item], structures: dict[str, Structure], faults: Faults, day: date
) -> dict[str, ItemFacts]:
    bought = {i.code: i for i in items.filter(source=Item.Source.BUY)}
    prices = _prices(list(bought.values()))
    found = {}
    for code, unit, lot in items.values_list("code", "unit", "standard_lot"):
        price, fault = None, faults.get(code)
        if item := bought.get(code):
            try:
                price = unit_price(item, prices.get(item.pk, []), day)
            except DomainError as lack:
                fault = fault or lack
        found[code] = ItemFacts(
            code=code,
            unit=unit,
            is_made=item is None,
            standard_lot=lot,
            price=price,
            structure=structures.get(code),
            fault=fault,
        )
    return found


def _prices(items: list[Item]) -> dict[int, list[SupplierPrice]]:
    found: dict[int, list[SupplierPrice]] = {}
    rows = PriceRow.objects.filter(item__source__in=[Item.Source.BUY])
    if len(items) < FEW:
        rows = rows.filter(item__in=items)
    for row in rows.select_related("supplier"):
        found.setdefault(row.item_id, []).append(as_supplier_price(row))
    return found


def price_now(item: Item) -> Decimal | None:
    """Return what a stock unit of an item costs today."""
    rows = item.prices.select_related("supplier")
    return unit_price(item, [as_supplier_price(r) for r in rows], timezone.localdate())


#: items that are asked for by key; of more, all rows are read
FEW = 2_000


def as_supplier_price(row: PriceRow) -> SupplierPrice:
    """Return a row as the core takes it."""
    return SupplierPrice(
        supplier=row.supplier.code,
        price=row.price,
        from_quantity=row.from_quantity,
        effective_from=row.effective_from,
        effective_until=row.effective_until,
    )


def unit_price(
    item: Item, prices: list[SupplierPrice], day: date, quantity: Decimal | None = None
) -> Decimal | None:
    """Return what a stock unit of a bought item costs on a day, bought in a quantity or its standard lot.

    The first supplier's price, else the item's own; of a form priced by mass, times its mass.

    Raises
    ------
    MeasureIncomplete (quantity.measure_incomplete)
        If the form lacks a size or its density.
    """
    found = price_for(prices, quantity or item.standard_lot, day)
    price = found.price if found else item.price
    if price is None or not (item.price_per and item.form):
        return price
    return round_to(price * mass_of(form_of(item), item.code, item.unit).value, UNIT_COST_STEP)
