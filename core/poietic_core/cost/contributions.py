"""Where an item's money goes, over all levels, and which of its inputs moves it most."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from decimal import Decimal

from ..quantity import ONE, ZERO, exact
from ..structure.explode import working_order
from ..structure.flow import Network
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
        moves = _Moves(basis)
        if any(i.is_per_order for i in basis.inputs):
            moved = need * moves.by_lot(basis.standard_lot * (ONE + ONE_PERCENT))
            found.append(_sensitivity(basis, None, basis.standard_lot, moved))
        for o in basis.operations:
            if o.yield_share == ONE:
                continue
            sign = 1 if o.yield_share * (ONE + ONE_PERCENT) <= ONE else -1
            share = o.yield_share * (ONE + sign * ONE_PERCENT)
            moved = sign * need * moves.by_yield(o.number, share)
            found.append(_sensitivity(basis, o.number, o.yield_share, moved))
    return sorted(found, key=lambda s: (-abs(s.moved), s.code, s.operation or 0))


def _sensitivity(
    basis: CostedStructure, operation: int | None, value: Decimal, moved: Decimal
) -> Sensitivity:
    return Sensitivity(code=basis.item, operation=operation, value=value, moved=moved)


class _Moves:
    """What another yield or lot moves in the cost of one unit, everything else as it is [money/unit].

    Another yield changes what enters its operation and those before it, and nothing else.
    """

    def __init__(self, basis: CostedStructure) -> None:
        self._basis = basis
        self._network = Network(basis.operations)
        self._enter = {n: d.value for n, d in entering_for_one(basis.operations).items()}
        #: what is paid for each unit entering an operation, and for each good one leaving it
        self._entered, self._left = (dict.fromkeys(self._enter, ZERO) for _ in range(2))
        self._per_order = ZERO
        for i in basis.inputs:
            amount = i.signed(i.quantity) * i.price
            if i.is_per_order:
                self._per_order += amount
            elif i.operation in self._enter:
                paid = self._left if i.is_per_good else self._entered
                paid[i.operation] += amount
        #: a joint cost is divided: what moves it moves its shares too
        self._has_co_products = any(i.kind is InputKind.CO_PRODUCT for i in basis.inputs)

    def by_lot(self, lot: Decimal) -> Decimal:
        """Return what another standard lot moves."""
        if self._has_co_products:
            return self._rolled(replace(self._basis, standard_lot=lot))
        return self._per_order / lot - self._per_order / self._basis.standard_lot

    def by_yield(self, number: int, share: Decimal) -> Decimal:
        """Return what another yield of an operation moves."""
        if self._has_co_products:
            return self._rolled(_with_yield(self._basis, number, share))
        yields, enter, moved = self._network.yields, dict(self._enter), ZERO
        before = self._network.through(number)
        for n in [n for n in reversed(yields) if n in before]:
            leaving = max([enter[s] for s in self._network.following[n]] or [ONE])
            good = share if n == number else yields[n]
            enter[n] = leaving / good
            moved += (enter[n] - self._enter[n]) * self._entered[n]
            moved += (enter[n] * good - self._enter[n] * yields[n]) * self._left[n]
        return moved

    def _rolled(self, other: CostedStructure) -> Decimal:
        return unit_cost(with_co_products(other)).total() - unit_cost(self._basis).total()


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
