"""Costs and costed structures as JSON, decimals as text, and back."""

from collections.abc import Mapping
from decimal import Decimal
from typing import Any

import orjson
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


def split_to_json(split: Mapping[Element, Decimal]) -> dict[str, str]:
    """Return amounts by element as JSON."""
    return {e.value: format(v, "f") for e, v in split.items()}


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


#: what decides all that an input says beside where and how much, where many say it alike
Alike = tuple[InputKind, str, int]


class BasisWriter:
    """Writes costed structures as JSON; what many inputs say alike is written once."""

    def __init__(self) -> None:
        #: with the split that the key names by where it stands, so that it stays there
        self._kept: dict[Alike, tuple[Mapping[Element, Decimal], str]] = {}

    def write(self, costed: CostedStructure) -> str:
        """Return a costed structure as JSON; what is as usual is left out."""
        head = orjson.dumps(
            {
                "item": costed.item,
                "standard_lot": format(costed.standard_lot, "f"),
                "operations": [
                    {
                        "number": o.number,
                        "name": o.name,
                        "work_center": o.work_center,
                        "yield_share": format(o.yield_share, "f"),
                        "after": o.after,
                    }
                    for o in costed.operations
                ],
                "grades": {code: format(factor, "f") for code, factor in costed.grades.items()},
            }
        ).decode()
        inputs = ",".join([self._input(i) for i in costed.inputs])
        return f'{head[:-1]},"inputs":[{inputs}]}}'

    def _input(self, i: CostInput) -> str:
        return f'{{"operation":{i.operation},"quantity":"{i.quantity:f}",{self._rest(i)}'

    def _rest(self, i: CostInput) -> str:
        """Return what an input says beside where and how much, to the closing brace."""
        if i.is_per_order or i.kind not in ALIKE:
            return _told(i)
        key = (i.kind, i.code, id(i.split))
        kept = self._kept.get(key)
        if kept is None:
            kept = self._kept[key] = (i.split, _told(i))
        return kept[1]


ALIKE = (InputKind.COMPONENT, InputKind.RUN_LABOUR, InputKind.RUN_MACHINE)


def _told(i: CostInput) -> str:
    told: Json = {
        "kind": i.kind,
        "code": i.code,
        "unit": i.unit,
        "price": format(i.price, "f"),
        "split": split_to_json(i.split),
    }
    told |= {f: True for f in ("is_per_order", "is_per_good", "is_made") if getattr(i, f)}
    if i.base:
        told["base"] = i.base
    if i.share:
        told["share"] = format(i.share, "f")
    if i.lower:
        told["lower"] = split_to_json(i.lower)
    return orjson.dumps(told).decode()[1:]


def structure_from_json(text: str) -> CostedStructure:
    """Return a costed structure."""
    data: Json = orjson.loads(text)
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
