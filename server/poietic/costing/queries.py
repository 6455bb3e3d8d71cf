"""Standards in force, and the roll-up of what stands now."""

from collections.abc import Iterable
from datetime import date

from poietic_core.cost.rollup import ItemFacts, RollUp, roll_up
from poietic_core.structure.model import Structure

from ..catalog.models import Item
from ..engineering.queries import in_force, rates_by_code, reached_from, structures_in_force
from .models import CostSet, Standard


def current_set() -> CostSet | None:
    """Return the set in force."""
    return CostSet.objects.order_by("-pk").first()


def standards_in_force(items: Iterable[Item] | None = None) -> dict[str, Standard]:
    """Return the standards in force by item code; of all items where none are named."""
    rows = Standard.objects.filter(cost_set=current_set()).select_related("item")
    if items is not None:
        rows = rows.filter(item__in=list(items))
    return {s.item.code: s for s in rows}


def roll_up_now(day: date, only: set[str] | None = None) -> RollUp:
    """Return the roll-up of all active items as of a day, or of some upon the standards of the others."""
    structures = structures_in_force(day)
    items = Item.objects.filter(is_active=True)
    if only is None:
        return roll_up(_facts(items, structures), rates_by_code(), {})
    known = {c: s.as_item_cost() for c, s in standards_in_force().items() if c not in only}
    return roll_up(_facts(items.filter(code__in=only), structures), rates_by_code(), known)


def roll_up_item(item: Item, day: date) -> RollUp:
    """Return the roll-up of one item and of what it is made of, as of a day."""
    revision = in_force(day).filter(item=item).first()
    structures = reached_from(revision, day)[1] if revision else {}
    codes = {c.item for s in structures.values() for c in s.components} | {item.code}
    items = Item.objects.filter(code__in=codes, is_active=True)
    outputs = {o.item for s in structures.values() for o in s.outputs}
    units = Item.objects.filter(code__in=outputs)
    return roll_up(
        _facts([*items, *units.exclude(code__in=codes)], structures), rates_by_code(), {}
    )


def _facts(items: Iterable[Item], structures: dict[str, Structure]) -> dict[str, ItemFacts]:
    return {
        i.code: ItemFacts(
            code=i.code,
            unit=i.unit,
            is_made=i.is_made,
            standard_lot=i.standard_lot,
            price=i.price,
            structure=structures.get(i.code),
        )
        for i in items
    }
