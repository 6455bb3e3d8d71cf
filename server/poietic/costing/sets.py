"""Cost sets as the core compares them: all of a set in arrays, what belongs to one item in Decimal.

A set that is frozen never changes, and a what-if is told from its former self by when it was
written, so what is read is kept.
"""

from datetime import datetime
from decimal import Decimal
from typing import Any

from poietic_core.cost.arrays import ArraySet
from poietic_core.cost.model import CostedStructure, InputKind
from poietic_core.cost.sets import Change, ChangeKind, Rolled, beside, changed, reroll
from poietic_core.cost.sets import CostSet as CoreSet

from ..catalog.queries import any_of
from ..web_api.kept import Kept
from .frozen import costed_structures
from .models import CostSet, Standard
from .storing import arrays_of

#: a set by its key and when it was frozen, or written, and an item in it
ItemKey = tuple[int, datetime, str]
_REACHED: Kept[ItemKey, CoreSet] = Kept(200)
_ROLLED: Kept[ItemKey, Rolled] = Kept(200)


def set_in_arrays(cost_set: CostSet) -> ArraySet:
    """Return a whole set in arrays; a what-if with its changes made over its base."""
    if cost_set.base is None:
        return arrays_of(cost_set)
    return set_in_arrays(cost_set.base).changed([as_change(c) for c in cost_set.changes])


def reached_in(cost_set: CostSet, code: str) -> CoreSet:
    """Return what an item is made of in a set, itself included, over all levels.

    A what-if has its changes made; its components keep the costs that its base had: `reroll`
    finds the new ones.
    """
    key = (cost_set.pk, cost_set.frozen_at, code)
    return _REACHED.get_or(key, lambda: _reached(cost_set, code))


def rolled_in(cost_set: CostSet, code: str) -> Rolled:
    """Return the costs of an item and of what it is made of, and their bases at them."""
    key = (cost_set.pk, cost_set.frozen_at, code)
    return _ROLLED.get_or(key, lambda: reroll(reached_in(cost_set, code)))


def at_its_costs(cost_set: CostSet, code: str) -> CoreSet:
    """Return what an item is made of, its bases at the costs that follow from the set."""
    return CoreSet(rolled_in(cost_set, code).bases, reached_in(cost_set, code).bought)


def _reached(cost_set: CostSet, code: str) -> CoreSet:
    if cost_set.base is not None:
        base = reached_in(cost_set.base, code)
        return changed(base, [as_change(c) for c in cost_set.changes])
    bases: dict[str, CostedStructure] = {}
    bought: dict[str, Decimal] = {}
    known: set[str] = set()
    wanted = {code}
    while wanted:
        known |= wanted
        rows = Standard.objects.filter(cost_set=cost_set, item__code__in=any_of(wanted))
        level = list(rows.select_related("item"))
        structures = costed_structures(level)
        wanted = set()
        for standard in level:
            if standard.made_with:
                wanted.add(standard.made_with)
            elif standard.pk in structures:
                basis = bases[standard.item.code] = structures[standard.pk]
                wanted |= {i.code for i in basis.inputs if i.kind is InputKind.COMPONENT}
                known.update(beside(basis))
            else:
                bought[standard.item.code] = standard.total
        wanted -= known
    return CoreSet(bases, bought)


def as_change(kept: dict[str, Any]) -> Change:
    """Return a change of a what-if as it is kept."""
    return Change(
        kind=ChangeKind(kept["kind"]),
        code=kept["code"],
        to=None if kept.get("to") is None else Decimal(kept["to"]),
        by=Decimal(kept.get("by") or 0),
    )
