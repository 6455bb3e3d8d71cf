"""What an order will have cost at its completion, as things stand."""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal

from ..quantity import ONE, ZERO, exact
from ..structure.basis import Basis
from ..structure.flow import Network
from .facts import InputFacts, OrderFacts, StandIn, sign_of
from .lines import Line
from .units import flow_of

#: how much of its plan an operation has to have done before its own pace is trusted
ENOUGH = Decimal("0.1")


@exact
def units_left(facts: OrderFacts) -> dict[int, Decimal]:
    """Return the units that are still to enter each operation, so that the quantity ordered is good.

    rem(k) = max(0, rem(s) + n(s) - g(k) - r(k)) / y(k) with the successor s that needs most;
    last operation: max(0, Q - g - r) / y.
    """
    network = Network(facts.operations)
    by_number = {o.number: o for o in facts.operations}
    left: dict[int, Decimal] = {}
    for number in reversed(list(network.yields)):
        o = by_number[number]
        wanted = facts.ordered
        if following := network.following[number]:
            wanted = max(left[s] + by_number[s].processed() for s in following)
        missing = max(ZERO, wanted - o.good - o.rework_pending)
        left[number] = ZERO if facts.is_completed or o.is_finished else missing / o.yield_share
    return left


@exact
def forecast_of(facts: OrderFacts, prices: Mapping[int, Decimal] | None = None) -> Decimal:
    """Return what an order will have been charged at its completion [money], unrounded.

    Parameters
    ----------
    prices : what inputs cost now, by their place among the order's inputs; those left out cost
        their standard [money/unit]

    Notes
    -----
    charged + Σ max(0, f × q × rem - U) × price + setups not made × S × price - f × q × rem × credit,
    where f is the order's own pace of consumption, (A - U) / (q × n), once a tenth of an
    operation's plan is done, else 1.

    Source
    ------
    Estimate at completion by performance to date: common practice (earned value analysis); over
    the operations of an order: the handbook's section 7.
    """
    if facts.is_completed:
        return _charged(facts)
    flow = flow_of(facts)
    left = units_left(facts)
    by_number = {o.number: o for o in facts.operations}
    stand_ins: dict[int, list[tuple[InputFacts, StandIn]]] = {}
    for i in facts.inputs:
        for s in i.stands_for:
            stand_ins.setdefault(s.input, []).append((i, s))
    whole = _charged(facts)
    for at, i in enumerate(facts.inputs):
        if not i.allowed or i.stands_for or i.operation not in by_number:
            continue
        line = Line(i, facts, flow, stand_ins.get(at, ()))
        price = (prices or {}).get(at, i.price)
        o = by_number[i.operation]
        if i.basis is Basis.ORDER:
            missing = max(ZERO, ONE - line.times_made()) if left[i.operation] else ZERO
            whole += sign_of(i.kind) * max(ZERO, missing * i.allowed - line.unworked()) * price
            continue
        share = o.yield_share if i.basis is Basis.GOOD else ONE
        done = o.good if i.basis is Basis.GOOD else o.processed()
        planned = flow.per_good[i.operation].value * facts.ordered
        pace = ONE
        if done and o.processed() >= ENOUGH * planned:
            pace = (line.covered() - line.unworked()) / (i.allowed * done)
        needs = pace * i.allowed * left[i.operation] * share
        whole += sign_of(i.kind) * max(ZERO, needs - line.unworked()) * price
    return whole


def _charged(facts: OrderFacts) -> Decimal:
    charged = sum((sign_of(i.kind) * i.amount for i in facts.inputs), ZERO)
    return charged - sum((o.written_off for o in facts.operations), ZERO)
