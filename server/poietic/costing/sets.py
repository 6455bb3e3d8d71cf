"""Cost sets as the core compares them; a set that is frozen never changes, so it is read once."""

from datetime import datetime
from decimal import Decimal
from typing import Any

from poietic_core.cost.sets import Change, ChangeKind, Rolled, beside, changed, reroll
from poietic_core.cost.sets import CostSet as CoreSet

from ..web_api.kept import Kept
from .basis import structure_from_json
from .models import CostSet, Standard

#: a set is told from others by its key and when it was frozen, or written
SetKey = tuple[int, datetime]
_SETS: Kept[SetKey, CoreSet] = Kept(12)
_ROLLED: Kept[SetKey, Rolled] = Kept(12)


def core_set(cost_set: CostSet) -> CoreSet:
    """Return a set as the core takes it; a what-if with its changes made over its base."""
    return _SETS.get_or((cost_set.pk, cost_set.frozen_at), lambda: _read(cost_set))


def rolled_set(cost_set: CostSet) -> Rolled:
    """Return a set's unit costs, and its bases at them."""
    return _ROLLED.get_or((cost_set.pk, cost_set.frozen_at), lambda: reroll(core_set(cost_set)))


def at_its_costs(cost_set: CostSet) -> CoreSet:
    """Return a set whose bases carry the costs that follow from it: a what-if's components are dearer."""
    return CoreSet(rolled_set(cost_set).bases, core_set(cost_set).bought)


def _read(cost_set: CostSet) -> CoreSet:
    if cost_set.base is not None:
        return changed(core_set(cost_set.base), [as_change(c) for c in cost_set.changes])
    bases = {}
    bought = {}
    rows = Standard.objects.filter(cost_set=cost_set)
    for code, total, basis in rows.values_list("item__code", "total", "basis"):
        if basis:
            bases[code] = structure_from_json(basis)
        else:
            bought[code] = total
    made_with = {c for b in bases.values() for c in beside(b)}
    return CoreSet(bases, {c: p for c, p in bought.items() if c not in made_with})


def as_change(kept: dict[str, Any]) -> Change:
    """Return a change of a what-if as it is kept."""
    return Change(
        kind=ChangeKind(kept["kind"]),
        code=kept["code"],
        to=None if kept.get("to") is None else Decimal(kept["to"]),
        by=Decimal(kept.get("by") or 0),
    )
