"""Standards in force, and the roll-up of what stands now."""

from collections.abc import Iterable
from datetime import date

from poietic_core.cost.model import ItemCost
from poietic_core.cost.rollup import ItemFacts, RollUp, roll_up

from ..catalog.models import Item
from ..engineering.queries import rates_by_code, structures_in_force
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
    facts = {
        i.code: ItemFacts(
            code=i.code,
            unit=i.unit,
            is_made=i.is_made,
            standard_lot=i.standard_lot,
            price=i.price,
            structure=structures.get(i.code),
        )
        for i in Item.objects.filter(is_active=True)
    }
    known: dict[str, ItemCost] = {}
    if only is not None:
        known = {c: s.as_item_cost() for c, s in standards_in_force().items() if c not in only}
        facts = {c: f for c, f in facts.items() if c in only}
    return roll_up(facts, rates_by_code(), known)
