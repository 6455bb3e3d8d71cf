"""Costs and costed structures as JSON, decimals as text, and back."""

from dataclasses import asdict
from decimal import Decimal
from typing import Any

from poietic_core.cost.model import (
    Base,
    CostedOperation,
    CostedStructure,
    CostInput,
    Element,
    InputKind,
    UnitCost,
)

Json = dict[str, Any]


def _text(value: Any) -> Any:
    if isinstance(value, Decimal):
        return format(value, "f")
    if isinstance(value, dict):
        return {str(k): _text(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [_text(v) for v in value]
    return value


def split_to_json(split: dict[Element, Decimal]) -> Json:
    """Return amounts by element as JSON."""
    return {e.value: format(v, "f") for e, v in split.items()}


def split_from_json(data: Json) -> dict[Element, Decimal]:
    """Return amounts by element."""
    return {Element(e): Decimal(v) for e, v in data.items()}


def cost_to_json(cost: UnitCost) -> Json:
    """Return a unit cost as JSON."""
    return {
        "this_level": split_to_json(dict(cost.this_level)),
        "lower_levels": split_to_json(dict(cost.lower_levels)),
    }


def cost_from_json(data: Json) -> UnitCost:
    """Return a unit cost."""
    return UnitCost(
        this_level=split_from_json(data["this_level"]),
        lower_levels=split_from_json(data["lower_levels"]),
    )


def structure_to_json(costed: CostedStructure) -> Json:
    """Return a costed structure as JSON."""
    return _text(asdict(costed))


def structure_from_json(data: Json) -> CostedStructure:
    """Return a costed structure."""
    return CostedStructure(
        item=data["item"],
        standard_lot=Decimal(data["standard_lot"]),
        operations=tuple(
            CostedOperation(
                **(
                    o
                    | {
                        "yield_share": Decimal(o["yield_share"]),
                        "after": None if o.get("after") is None else tuple(o["after"]),
                    }
                )
            )
            for o in data["operations"]
        ),
        inputs=tuple(
            CostInput(
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
            for i in data["inputs"]
        ),
        grades={code: Decimal(factor) for code, factor in (data.get("grades") or {}).items()},
    )
