"""The interleaved structure: operations with the lines that they use, sub-assemblies opening in place.

Each structure is worked out once, for one unit of its item, and placed as often as it occurs;
a derivation is worked out for the one row that is asked for.
"""

from datetime import date
from typing import Any

from poietic_core.cost.unit import cost_per_unit
from poietic_core.derivation import Derivation, given, product, total
from poietic_core.quantity import ONE, UNIT_COST_STEP, round_to
from poietic_core.structure.model import (
    ComponentLine,
)
from poietic_core.structure.requirement import (
    entering_for_one,
)

from ..engineering.models import Revision
from ..web_api.errors import NotFound
from .frozen import costed
from .plant import KnownLine, Plant, needed

ROWS_MOST = 50_000


def without_costs(shown: dict[str, Any]) -> dict[str, Any]:
    """Return a tree's content for those who may not see what things cost."""
    rows = [row | {"cost": None} for row in shown["rows"]]
    return shown | {"standard": None, "rows": rows}


def tree_of(revision: Revision, day: date) -> dict[str, Any]:
    """Return a revision as a TreeOut's content; what lies below it is what is in force on a day."""
    plant = Plant(revision, day)
    item = revision.item
    rows: list[dict[str, Any]] = []
    for key, depth, _, placed, factor in plant.rows(item.code):
        if len(rows) == ROWS_MOST:
            break
        need, cost = placed.values["need"], placed.known.cost
        enough = None
        if need and placed.values["on_hand"] is not None:
            enough = placed.values["on_hand"] // (need * factor)
        rows.append(
            placed.values
            | {
                "key": key,
                "depth": depth,
                "level": None if placed.values["kind"] == "operation" else depth // 2 + 1,
                "need": None if need is None else round_to(need * factor, UNIT_COST_STEP),
                "enough_for": enough,
                "covers_lot": None if enough is None else enough >= item.standard_lot,
                "cost": None if cost is None else round_to(cost * factor, UNIT_COST_STEP),
            }
        )
    standard = plant.standards.get(item.code)
    return {
        "item": item.code,
        "name": item.name,
        "unit": item.unit,
        "letter": revision.letter,
        "state": revision.state_on(day),
        "effective_from": revision.effective_from,
        "effective_to": revision.effective_to,
        "note": revision.note,
        "standard": standard.total if standard else None,
        "standard_lot": item.standard_lot,
        "batch_quantity": revision.batch_quantity,
        "is_cut": len(rows) == ROWS_MOST,
        "rows": rows,
    }


def derivation_of(revision: Revision, day: date, row: str, figure: str) -> Derivation:
    """Return how the cost, or the need, of one row of the tree came about, in one unit of the top item.

    A row that is no longer there is refused: another one may stand in its place by now.
    """
    plant = Plant(revision, day)
    path: list[tuple[int, Derivation]] = []
    for key, depth, block, placed, _ in plant.rows(revision.item.code):
        while path and path[-1][0] >= depth:
            path.pop()
        line = placed.known.line
        if key == row and figure == "need" and isinstance(line, ComponentLine):
            each = needed(plant, block.structure, line, placed.known.need)
            factors = [each, *(above for _, above in path)]
            return product("in one of the top item", factors, unit=plant.items[line.item].unit)
        if key == row and figure == "cost" and block.standard and placed.known.cost is not None:
            basis = costed(block.standard)
            frozen = entering_for_one(basis.operations)
            keys = [k for line in (placed.known, *placed.known.content) for k in line.keys]
            terms = [cost_per_unit(basis, i, frozen) for i in basis.inputs if i.key() in keys]
            inner = (
                terms[0] if len(terms) == 1 else total(_sum_words(placed.known), terms, unit="EUR")
            )
            factors = [each for _, each in path]
            if placed.known.share != ONE:
                factors.append(given("this line's part of the item here", placed.known.share))
            return product("cost in one of the top item", (inner, *factors), unit="EUR")
        if placed.each and isinstance(line, ComponentLine):
            path.append((depth, needed(plant, block.structure, line, placed.each)))
    raise NotFound(f"row with a {figure} in the structure of {revision.item.code}", row)


def _sum_words(known: KnownLine) -> str:
    return "what passes through it" if known.content else "time of the operation"
