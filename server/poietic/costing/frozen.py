"""Frozen standards read back as costed structures: what a component costs its own standard says."""

from collections.abc import Iterable
from decimal import Decimal

import orjson
from poietic_core.cost.model import CostedStructure, ItemCost

from ..catalog.queries import any_of
from ..web_api.kept import Kept
from .basis import components_in, structure_from_json
from .models import Standard

#: a standard is told from others by its key and its total; it never changes
StandardKey = tuple[int, Decimal]
_COSTED: Kept[StandardKey, CostedStructure] = Kept(10_000)


def costed(standard: Standard) -> CostedStructure:
    """Return the costed structure of a made item's standard."""
    return costed_structures([standard])[standard.pk]


def costed_structures(standards: Iterable[Standard]) -> dict[int, CostedStructure]:
    """Return the costed structures of the standards that have one, by key, in few statements."""
    found: dict[int, CostedStructure] = {}
    read: list[tuple[Standard, dict[str, object]]] = []
    for standard in standards:
        kept = _COSTED.get((standard.pk, standard.total))
        if kept:
            found[standard.pk] = kept
        elif standard.basis:
            read.append((standard, orjson.loads(standard.basis)))
    named: dict[int, set[str]] = {}
    for standard, basis in read:
        named.setdefault(standard.rolled_in_id, set()).update(components_in(basis))
    costs = {cost_set: _costs_in(cost_set, codes) for cost_set, codes in named.items()}
    for standard, basis in read:
        structure = structure_from_json(basis, costs[standard.rolled_in_id])
        found[standard.pk] = _COSTED.keep((standard.pk, standard.total), structure)
    return found


def _costs_in(cost_set: int, codes: set[str]) -> dict[str, ItemCost]:
    if not codes:
        return {}
    rows = Standard.objects.filter(cost_set=cost_set, item__code__in=any_of(codes))
    return {s.item.code: s.as_item_cost() for s in rows.select_related("item")}
