"""Costs and costed structures as JSON, decimals as text, and back."""

from collections.abc import Iterable, Mapping
from decimal import Decimal
from typing import Any

import orjson
from poietic_core.cost.inputs import component
from poietic_core.cost.model import (
    Base,
    CostedOperation,
    CostedStructure,
    CostInput,
    Element,
    InputKind,
    ItemCost,
    UnitCost,
)

Json = dict[str, Any]
#: plain texts: a member of an enumeration takes longer to ask for its own
NAME = {e: e.value for e in Element}


def split_to_json(split: Mapping[Element, Decimal]) -> dict[str, str]:
    """Return amounts by element as JSON."""
    return {NAME[e]: str(v) for e, v in split.items()}


def split_from_json(data: Json) -> dict[Element, Decimal]:
    """Return amounts by element."""
    return {Element(e): Decimal(v) for e, v in data.items()}


def cost_to_json(cost: UnitCost) -> str:
    """Return a unit cost as JSON."""
    return orjson.dumps(
        {
            "this_level": split_to_json(cost.this_level),
            "lower_levels": split_to_json(cost.lower_levels),
        }
    ).decode()


def cost_from_json(data: Json) -> UnitCost:
    """Return a unit cost."""
    return UnitCost(
        this_level=split_from_json(data["this_level"]),
        lower_levels=split_from_json(data["lower_levels"]),
    )


def basis_to_json(
    costed: CostedStructure, components: Iterable[tuple[int, str, Decimal, bool]]
) -> str:
    """Return the basis of a standard as JSON; what is as usual is left out.

    A component is told by operation, item and quantity, and whether it is per order: what it
    costs its own standard says.
    """
    inputs: list[Any] = [
        (operation, code, str(quantity), True) if is_per_order else (operation, code, str(quantity))
        for operation, code, quantity, is_per_order in components
    ]
    inputs += [_told(i) for i in costed.inputs if i.kind is not InputKind.COMPONENT]
    return orjson.dumps(
        {
            "item": costed.item,
            "standard_lot": str(costed.standard_lot),
            "operations": [
                {
                    "number": o.number,
                    "name": o.name,
                    "work_center": o.work_center,
                    "yield_share": str(o.yield_share),
                    "after": o.after,
                }
                for o in costed.operations
            ],
            "grades": {code: str(factor) for code, factor in costed.grades.items()},
            "inputs": inputs,
        }
    ).decode()


def _told(i: CostInput) -> Json:
    told: Json = {
        "operation": i.operation,
        "kind": i.kind,
        "code": i.code,
        "quantity": str(i.quantity),
        "unit": i.unit,
        "price": str(i.price),
        "split": split_to_json(i.split),
    }
    if i.is_per_order:
        told["is_per_order"] = True
    if i.is_per_good:
        told["is_per_good"] = True
    if i.base:
        told["base"] = i.base
    if i.share:
        told["share"] = str(i.share)
    if i.lower:
        told["lower"] = split_to_json(i.lower)
    return told


def components_in(basis: Json) -> set[str]:
    """Return the components that a basis tells without what they cost."""
    return {i[1] for i in basis["inputs"] if isinstance(i, list)}


def structure_from_json(basis: Json, items: Mapping[str, ItemCost]) -> CostedStructure:
    """Return a costed structure, given what the components cost that it tells without."""
    return CostedStructure(
        item=basis["item"],
        standard_lot=Decimal(basis["standard_lot"]),
        operations=tuple(_operation(o) for o in basis["operations"]),
        inputs=tuple(
            _component(items, *i) if isinstance(i, list) else _input(i) for i in basis["inputs"]
        ),
        grades={code: Decimal(factor) for code, factor in (basis.get("grades") or {}).items()},
    )


def _operation(o: Json) -> CostedOperation:
    after = o.get("after")
    return CostedOperation(
        number=o["number"],
        name=o["name"],
        work_center=o["work_center"],
        yield_share=Decimal(o["yield_share"]),
        after=None if after is None else tuple(after),
    )


def _component(
    items: Mapping[str, ItemCost],
    operation: int,
    code: str,
    quantity: str,
    is_per_order: bool = False,
) -> CostInput:
    return component(operation, code, Decimal(quantity), items[code], is_per_order)


def _input(i: Json) -> CostInput:
    return CostInput(
        **(
            i
            | {
                "kind": InputKind(i["kind"]),
                "quantity": Decimal(i["quantity"]),
                "price": Decimal(i["price"]),
                "base": Base(i["base"]) if i.get("base") else None,
                "share": Decimal(i.get("share") or 0),
                "split": split_from_json(i["split"]),
                "lower": split_from_json(i.get("lower") or {}),
            }
        )
    )
