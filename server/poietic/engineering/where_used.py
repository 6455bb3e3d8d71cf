"""Where an item is used, at every level, with the quantity in one unit of each structure."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from poietic_core.quantity import ONE, ZERO
from poietic_core.structure.explode import working_order
from poietic_core.structure.model import Structure
from poietic_core.structure.requirement import entering_for_one, need_per_good_unit

from ..catalog.models import Item
from .models import ComponentRow, Revision
from .queries import in_force
from .structures import structures_of


@dataclass(frozen=True, slots=True)
class Use:
    """A structure in force that needs an item."""

    revision: Revision
    #: 1 where it stands in the structure itself; the farthest way counts
    level: int
    #: of the item in one unit of the structure's, over all ways, unrounded
    quantity: Decimal
    #: operations that use it directly
    operations: list[int]


def where_used(item: Item, day: date) -> list[Use]:
    """Return every structure in force that uses an item, nearest first."""
    above = users_above([item.pk], day)
    structures = structures_of(above.values())
    graph = {c: _needs(r, structures[r.pk].on(day)) for c, r in above.items()}
    quantities = {item.code: ONE}
    levels = {item.code: 0}
    for code in reversed(working_order(graph)):
        if code in above:
            below = {c: q for c, q in graph[code].items() if c in quantities}
            quantities[code] = sum((q * quantities[c] for c, q in below.items()), ZERO)
            levels[code] = 1 + max(levels[c] for c in below)
    uses = [
        Use(
            revision,
            levels[code],
            quantities[code],
            sorted(
                {c.operation for c in structures[revision.pk].components if c.item == item.code}
            ),
        )
        for code, revision in above.items()
        if code in levels
    ]
    return sorted(uses, key=lambda u: (u.level, u.revision.item.code))


def users_above(
    items: Iterable[int], day: date, beyond: Callable[[Item], bool] = lambda _: True
) -> dict[str, Revision]:
    """Return the revisions in force that use one of some items at any level, by item, beyond those that hold."""
    found: dict[str, Revision] = {}
    frontier = set(items)
    while frontier:
        users = ComponentRow.objects.filter(item__in=frontier, revision__in=in_force(day))
        revisions = Revision.objects.filter(pk__in=users.values("revision"))
        fresh = [r for r in revisions.select_related("item") if r.item.code not in found]
        found |= {r.item.code: r for r in fresh}
        frontier = {r.item_id for r in fresh if beyond(r.item)}
    return found


def _needs(revision: Revision, structure: Structure) -> dict[str, Decimal]:
    enter = entering_for_one(structure.operations)
    needs: dict[str, Decimal] = {}
    for line in structure.components:
        need = need_per_good_unit(
            structure, line, enter, unit="", standard_lot=revision.item.standard_lot
        )
        needs[line.item] = needs.get(line.item, ZERO) + need.value
    return needs
