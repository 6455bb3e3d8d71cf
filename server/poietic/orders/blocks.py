"""What keeps orders from being released, each thing with the way to put it right."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import ClassVar

from poietic_core.errors import DomainError
from poietic_core.structure.model import OutputKind, Structure

from ..catalog.models import Item
from ..catalog.queries import items_by_code
from ..costing.models import Standard
from ..costing.queries import standards_in_force

#: why, how it is put right, and where the way out leads
Block = dict[str, str]


@dataclass(eq=False)
class ReleaseBlocked(DomainError):
    """Things that keep an order from being released, all of them."""

    order: str
    blocks: list[Block]
    code: ClassVar[str] = "order.release_blocked"
    what: ClassVar[str] = "Order {order} can't be released yet."
    why: ClassVar[str] = "{blocks}"
    fix: ClassVar[str] = "{blocks}"

    def explain(self) -> dict[str, str]:
        """Say every block with the way to fix it."""
        return {
            "what": self.what.format(order=self.order),
            "why": " ".join(b["why"] for b in self.blocks),
            "fix": " ".join(b["fix"] for b in self.blocks),
        }


def items_of(item: Item, structure: Structure | None) -> list[Item]:
    """Return the items that an order of an item needs a standard of."""
    return [item, *items_by_code(_codes_of(structure) if structure else []).values()]


def _codes_of(structure: Structure) -> list[str]:
    """Return the items that need a standard: components, co-products and grades."""
    beside = [o.item for o in structure.outputs if o.kind is OutputKind.CO_PRODUCT]
    return [*(c.item for c in structure.components), *beside, *(g.item for g in structure.grades)]


def blocks_of_many(
    wanted: Mapping[int, tuple[Item, Structure | None]], day: date
) -> dict[int, list[Block]]:
    """Return what keeps orders from being released, by order, in as many statements as for one."""
    codes = {c for _, structure in wanted.values() if structure for c in _codes_of(structure)}
    items = items_by_code(codes)
    standards = standards_in_force([*items.values(), *(item for item, _ in wanted.values())])
    return {key: blocks_of(item, s, items, standards) for key, (item, s) in wanted.items()}


def blocks_of(
    item: Item,
    structure: Structure | None,
    items: Mapping[str, Item],
    standards: Mapping[str, Standard],
) -> list[Block]:
    """Return everything that keeps an order of an item from being released."""
    blocks: list[Block] = []

    def block(place: str, why: str, fix: str) -> None:
        blocks.append({"place": place, "why": why, "fix": fix})

    if not item.is_active:
        block(f"item:{item.code}", f"{item.code} is inactive.", f"Make {item.code} active.")
    if structure is None:
        block(
            f"structure:{item.code}",
            f"{item.code} has no approved structure.",
            f"Draft and approve a structure of {item.code}.",
        )
    if item.code not in standards:
        block(
            f"standard:{item.code}",
            f"{item.code} has no standard cost.",
            f"Freeze the standard of {item.code}.",
        )
    if structure:
        for code in dict.fromkeys(_codes_of(structure)):
            if not items[code].is_active:
                block(f"item:{code}", f"{code} is inactive.", f"Make {code} active.")
            if code not in standards:
                block(
                    f"standard:{code}",
                    f"{code} has no standard cost.",
                    f"Give {code} a price or structure and freeze its standard.",
                )
    return blocks
