"""The units that causes are measured with: what was done, what was received, what it required."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal

from ..derivation import Derivation, given, quotient, smaller
from ..quantity import ONE, ZERO
from ..structure.flow import Network, equivalent_units
from .facts import OrderFacts


@dataclass(frozen=True, slots=True)
class Flow:
    """Units per operation that the causes are measured with."""

    enter: Mapping[int, Derivation]  # equivalent units entering, for what was done
    out: Mapping[int, Derivation]  # required for what was received, order's yields
    standard_out: Mapping[int, Derivation]  # the same, costing structure's yields
    per_good: Mapping[int, Derivation]  # entering per good unit
    part_done: Mapping[int, Derivation]  # share of the order quantity
    standard_yields: Mapping[int, Decimal]
    lots: Derivation  # standard lots received


def flow_of(facts: OrderFacts) -> Flow:
    """Return the units of an order at each operation, for what was done and for what was received."""
    network = Network(facts.operations)
    yields = network.yields
    received = given("received", facts.received)
    out = network.required(received)
    standard_out = {n: given("not in the standard", ZERO) for n in yields}
    standard_out |= Network(facts.standard_operations).required(received)
    enter = out
    if not facts.is_completed:
        enter = equivalent_units(
            network,
            standing={o.number: o.good + o.rework_pending for o in facts.operations},
            processed={o.number: o.processed() for o in facts.operations},
        )
    per_good = network.required(given("one good unit", ONE))
    planned = network.required(given("ordered", facts.ordered))
    one = given("all", ONE)
    part_done = {
        n: one
        if facts.is_completed
        else smaller("part done", one, quotient("done of planned", enter[n], planned[n]))
        for n in yields
    }
    standard = [s.number for s in facts.standard_operations]
    nothing = {n: given("no such operation", ZERO) for n in standard}
    return Flow(
        enter=nothing | enter,
        out=nothing | out,
        standard_out=standard_out,
        per_good=dict.fromkeys(standard, one) | per_good,
        part_done=nothing | part_done,
        standard_yields={s.number: s.yield_share for s in facts.standard_operations},
        lots=quotient("lots received", received, given("standard lot", facts.standard_lot)),
    )
