"""The variances of an order against its frozen standard, at any moment of its life.

What is charged is compared with what the standard allows for what has been done; the
difference is split into causes that add up to it exactly.
"""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal

from ..derivation import difference, given, product
from ..quantity import CENT, UNIT_COST_STEP, ZERO, exact
from .causes import Cause, CauseKind, Variance
from .facts import InputFacts, OrderFacts, StandIn, sign_of
from .lines import Line, mixes_of
from .units import flow_of


@exact
def variance_of(facts: OrderFacts) -> Variance:
    """Return what the order was charged and allowed so far, and the causes of the difference.

    The causes are unrounded and each knows its terms. With the order completed the
    standard value of its work in process is zero, so the variance is the balance of the
    order's WIP.

    Raises
    ------
    ValueError
        If the order is completed with rework pending: that is decided before.

    Source
    ------
    Standard costing with flexible allowances: Horngren, Datar & Rajan, Cost Accounting,
    ch. 7; the equivalent units of orders in flight as in ch. 17.
    """
    if facts.is_completed and any(o.rework_pending for o in facts.operations):
        raise ValueError("a completed order has no rework pending")
    flow = flow_of(facts)
    causes: list[Cause] = []
    wip: dict[int, Decimal] = {}
    charged = ZERO
    stand_ins: dict[int, list[tuple[InputFacts, StandIn]]] = {}
    for i in facts.inputs:
        for s in i.stands_for:
            stand_ins.setdefault(s.input, []).append((i, s))
    lines = [Line(i, facts, flow, stand_ins.get(at, ())) for at, i in enumerate(facts.inputs)]
    mixes = mixes_of(lines)
    for at, line in enumerate(lines):
        i, sign = line.i, sign_of(line.i.kind)
        charged += sign * i.amount
        causes += replace(line, mixed_with=mixes.get(at, ())).causes()
        held = ZERO if i.stands_for else line.held().value * i.price
        wip[i.operation] = wip.get(i.operation, ZERO) + sign * held
    for o in facts.operations:
        charged -= o.written_off
        taken_out = given("taken out to scrap expense", -o.written_off, unit="EUR")
        causes.append(Cause(kind=CauseKind.WRITTEN_OFF, operation=o.number, code="", amount=taken_out))  # fmt: skip
    causes += _grading(facts)
    rows = len(facts.inputs) + len(facts.grades) + 1
    return Variance(
        charged=charged,
        received_value=facts.received_value,
        wip_at_standard=wip,
        causes=[c for c in causes if c.amount.value],
        # a cent per line, and what a unit cost of six decimals leaves on so many units
        rounding_most=rows * CENT + facts.received * UNIT_COST_STEP,
    )


@exact
def method_variance(facts: OrderFacts, received: Decimal) -> Decimal:
    """Return what the order's structure costs more than the standard's once so many are received [money].

    The method cause alone, unrounded, whatever was done until now: what a change of the order's
    structure leads to.

    Parameters
    ----------
    received : good output delivered by then [unit]

    Source
    ------
    The method variance of the handbook, section 7: (q × n_o − q* × n_c) × P.
    """
    by_then = replace(
        facts,
        received=received,
        is_completed=True,
        operations=[replace(o, rework_pending=ZERO) for o in facts.operations],
    )
    causes = variance_of(by_then).causes
    return sum((c.amount.value for c in causes if c.kind is CauseKind.METHOD), ZERO)


def _grading(facts: OrderFacts) -> list[Cause]:
    """Return what it cost that the output's grades were others than expected."""
    last = max((o.number for o in facts.operations), default=0)
    whole = given("graded", facts.received)
    causes = []
    for g in facts.grades:
        expected = product("expected of the grade", (given("share", g.share), whole))
        short = difference("fewer than expected", expected, given("received", g.received))
        price = given("standard price", g.price, unit="EUR")
        amount = product("grading", (short, price), unit="EUR")
        causes.append(Cause(kind=CauseKind.GRADING, operation=last, code=g.item, amount=amount))
    return causes
