"""Where an item's money goes, over all levels, and which of its inputs moves it most."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from decimal import Decimal

from ..quantity import ONE, ZERO, exact
from ..structure.explode import working_order
from ..structure.requirement import entering_for_one
from .model import CostedStructure, InputKind
from .sets import CostSet
from .unit import quantity_per_good_unit, unit_cost, with_co_products

#: what a sensitivity is asked for [share]
ONE_PERCENT = Decimal("0.01")


@dataclass(frozen=True, slots=True, kw_only=True)
class Contribution:
    """What one bought item, work center, supplier or output adds to an item's cost [money/unit]."""

    kind: InputKind
    code: str
    #: of it in one unit of the item, in its own unit
    quantity: Decimal
    amount: Decimal


@exact
def contributions(costs: CostSet, item: str) -> list[Contribution]:
    """Return everything that makes up an item's cost, over all levels; largest first.

    Of a changed set, hand over the bases that `reroll` returns: they carry its costs.
    What is not rounded level by level adds up to the standard within rounding: one percent of a
    contribution is what one percent of its price, rate or hours moves.
    """
    opens = _grades(costs)
    found: dict[tuple[InputKind, str], tuple[Decimal, Decimal]] = {}
    for basis, need in _needed(costs, item):
        enter = entering_for_one(basis.operations)
        for i in basis.inputs:
            if i.kind is InputKind.COMPONENT and (i.code in costs.bases or i.code in opens):
                continue
            key = (i.kind, i.code)
            quantity, amount = found.get(key, (ZERO, ZERO))
            each = need * i.signed(quantity_per_good_unit(basis, i, enter).value)
            found[key] = (quantity + each, amount + each * i.price)
    listed = [
        Contribution(kind=kind, code=code, quantity=quantity, amount=amount)
        for (kind, code), (quantity, amount) in found.items()
    ]
    return sorted(listed, key=lambda c: (-abs(c.amount), c.kind, c.code))


@dataclass(frozen=True, slots=True, kw_only=True)
class Sensitivity:
    """What a yield or a standard lot that is one percent larger moves in an item's cost [money/unit]."""

    #: the item whose operation, or lot, it is
    code: str
    #: None: its standard lot
    operation: int | None
    #: yield, or standard lot
    value: Decimal
    moved: Decimal


@exact
def sensitivities(costs: CostSet, item: str) -> list[Sensitivity]:
    """Return what each yield and standard lot moves in an item's cost; what moves it most first.

    A yield of 1 is none; of one that can't be larger the effect of losing one percent is told, with
    its sign changed. Everything else stays as it is, the costs of components too.
    """
    found = []
    for basis, need in _needed(costs, item):
        now = unit_cost(basis).total()
        changed: list[tuple[int | None, Decimal, CostedStructure, int]] = []
        if any(i.is_per_order for i in basis.inputs):
            larger = replace(basis, standard_lot=basis.standard_lot * (ONE + ONE_PERCENT))
            changed.append((None, basis.standard_lot, larger, 1))
        for o in basis.operations:
            if o.yield_share == ONE:
                continue
            sign = 1 if o.yield_share * (ONE + ONE_PERCENT) <= ONE else -1
            share = o.yield_share * (ONE + sign * ONE_PERCENT)
            changed.append((o.number, o.yield_share, _with_yield(basis, o.number, share), sign))
        for operation, value, other, sign in changed:
            moved = sign * need * (unit_cost(with_co_products(other)).total() - now)
            found.append(
                Sensitivity(code=basis.item, operation=operation, value=value, moved=moved)
            )
    return sorted(found, key=lambda s: (-abs(s.moved), s.code, s.operation or 0))


def _with_yield(basis: CostedStructure, number: int, share: Decimal) -> CostedStructure:
    operations = [replace(o, yield_share=share) if o.number == number else o for o in basis.operations]  # fmt: skip
    return replace(basis, operations=tuple(operations))


def _grades(costs: CostSet) -> Mapping[str, tuple[str, Decimal]]:
    """Return the grades of all items: a grade is made as its item is, at its factor."""
    return {g: (code, f) for code, b in costs.bases.items() for g, f in b.grades.items()}


def _needed(costs: CostSet, item: str) -> Iterator[tuple[CostedStructure, Decimal]]:
    """Yield the basis of an item and of every made one below it, with how much of each is in one unit."""
    opens = _grades(costs)
    top, times = opens.get(item, (item, ONE))
    graph: dict[str, dict[str, Decimal]] = {}
    waiting = [top]
    while waiting:
        code = waiting.pop()
        if code in graph or code not in costs.bases:
            continue
        basis = costs.bases[code]
        enter = entering_for_one(basis.operations)
        graph[code] = {}
        for i in basis.inputs:
            main, factor = opens.get(i.code, (i.code, ONE))
            if i.kind is InputKind.COMPONENT and main in costs.bases:
                each = quantity_per_good_unit(basis, i, enter).value * factor
                graph[code][main] = graph[code].get(main, ZERO) + each
                waiting.append(main)
    needs = dict.fromkeys(graph, ZERO) | {top: times}
    for code in working_order(graph):
        for child, each in graph[code].items():
            needs[child] += needs[code] * each
    yield from ((costs.bases[code], needs[code]) for code in working_order(graph))
