"""What a good unit is worth after each operation, and what lost ones cost by operation and reason."""

from __future__ import annotations

from dataclasses import dataclass, replace
from decimal import Decimal

from ..cost.model import InputKind
from ..quantity import ONE, ZERO, exact
from ..structure.basis import Basis
from ..structure.flow import Network
from .facts import OrderFacts, sign_of


@dataclass(frozen=True, slots=True, kw_only=True)
class YieldShare:
    """What scrap of one reason at one operation cost, or pieces that nothing accounts for."""

    operation: int
    reason: str
    amount: Decimal


#: an input of an order by its operation and its place among the order's inputs
InputCell = tuple[int, int]


@exact
def worth_after(facts: OrderFacts) -> dict[int, dict[InputCell, Decimal]]:
    """Return V(k) by operation: the standard, without what is per order, of one good unit after it.

    Returns
    -------
    dict of operation to dict of input to Decimal [money]
    """
    network = Network(facts.operations)
    worth: dict[int, dict[InputCell, Decimal]] = {n: {} for n in network.yields}
    for number, share in network.yields.items():
        for at, i in enumerate(facts.inputs):
            if i.operation == number and i.basis is not Basis.ORDER:
                each = i.allowed * (share if i.basis is Basis.GOOD else ONE)
                worth[number][number, at] = sign_of(i.kind) * each * i.price
        worth[number] = {cell: amount / share for cell, amount in worth[number].items()}
        carrier = network.carrier[number]
        if carrier is not None:
            for cell, amount in worth[number].items():
                worth[carrier][cell] = worth[carrier].get(cell, ZERO) + amount
    return worth


@exact
def yield_by_reason(facts: OrderFacts) -> list[YieldShare]:
    """Return the yield cause by operation and reason; the sum is the yield cause, unrounded.

    V(k) is the standard, without what is per order, of one good unit after operation k;
    what an operation lost beyond its yield is divided over its reasons by quantity, and
    good units that went missing before the next operation are *unaccounted*.
    """
    shares: list[YieldShare] = []
    network = Network(facts.operations)
    processed = {o.number: o.processed() for o in facts.operations}
    # what fixed overhead loses with a scrapped piece is volume, what co-products gain output mix
    inputs = [
        i for i in facts.inputs if not i.is_fixed_overhead and i.kind is not InputKind.CO_PRODUCT
    ]
    worth = worth_after(replace(facts, inputs=inputs))
    for o in facts.operations:
        value = sum(worth[o.number].values(), ZERO)
        carrier = network.carrier[o.number]
        # what is paid for good pieces alone is not lost with a scrapped one
        paid = sum(
            (
                v
                for (_, at), v in worth[o.number].items()
                if inputs[at].operation == o.number and inputs[at].basis is Basis.GOOD
            ),
            ZERO,
        )
        lost = value - paid
        lost *= o.processed() * o.yield_share - o.good - o.rework_pending
        if o.scrap:
            shares += [
                YieldShare(operation=o.number, reason=reason, amount=lost * quantity / o.scrap)
                for reason, quantity in o.scrap_by_reason.items()
            ]
        elif lost:
            shares.append(YieldShare(operation=o.number, reason="no scrap", amount=lost))
        if facts.is_completed:
            onward = facts.received if carrier is None else processed[carrier]
            missing = value * (o.good - onward)
            if missing:
                shares.append(YieldShare(operation=o.number, reason="unaccounted", amount=missing))
    return shares
