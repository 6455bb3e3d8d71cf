"""The variances of an order against its frozen standard, at any moment of its life.

What is charged is compared with what the standard allows for what has been done; the
difference is split into causes that add up to it exactly.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from enum import StrEnum

from ..derivation import (
    Derivation,
    difference,
    given,
    larger,
    negative,
    product,
    quotient,
    smaller,
    total,
)
from ..quantity import ONE, ZERO, exact, money, round_parts
from ..structure.flow import FlowStep, Network, equivalent_units
from .model import OUTPUT_KINDS, OVERHEAD_KINDS, SETUP_KINDS, TIME_ELEMENT, InputKind

#: what setting up takes, and the overhead that follows from it
MADE_ONCE = (*SETUP_KINDS, InputKind.SETUP_OVERHEAD)


class CauseKind(StrEnum):
    """Why an order cost more or less than its standard, in the order in which ties are broken."""

    PRICE = "price"
    RATE = "rate"
    USAGE = "usage"
    EFFICIENCY = "efficiency"
    YIELD = "yield"
    METHOD = "method"
    SETUP = "setup"
    ORDER_SIZE = "order size"
    BY_PRODUCT_PRICE = "by-product price"
    BY_PRODUCT_QUANTITY = "by-product quantity"
    OUTPUT_MIX = "output mix"
    FIXED_OVERHEAD_VOLUME = "fixed overhead volume"
    GRADING = "grading"
    WRITTEN_OFF = "written off"
    ROUNDING = "rounding"


@dataclass(frozen=True, slots=True, kw_only=True)
class OperationFacts:
    """What an operation of an order has done."""

    number: int
    #: good share of what enters, by the order's structure
    yield_share: Decimal
    #: operations that must come before; None: the one listed before, (): none
    after: tuple[int, ...] | None = None
    good: Decimal = ZERO
    scrap: Decimal = ZERO
    rework_pending: Decimal = ZERO
    #: nothing more will be worked in here
    is_finished: bool = False
    #: value of abnormal scrap that was taken out to expense [money]
    written_off: Decimal = ZERO
    #: scrap by reason, adding up to `scrap`
    scrap_by_reason: Mapping[str, Decimal] = field(default_factory=dict)

    def processed(self) -> Decimal:
        """Return the units worked on, each once."""
        return self.good + self.scrap + self.rework_pending


@dataclass(frozen=True, slots=True, kw_only=True)
class InputFacts:
    """One input of an order: allowed by its structure and by the standard, and used."""

    operation: int
    kind: InputKind
    code: str
    unit: str
    #: standard unit cost frozen with the order; the credit price of a by-product
    price: Decimal
    #: per unit entering (per order, where so stated), by the order's structure
    allowed: Decimal
    #: the same by the costing structure; 0 where it has no such input
    standard: Decimal
    #: actual quantity, net of returns
    used: Decimal
    #: what it was charged at; for a by-product, what was credited
    amount: Decimal
    is_per_order: bool = False
    #: per good unit leaving the operation
    is_per_good: bool = False
    #: overhead that no act of the shop makes more or less
    is_fixed_overhead: bool = False
    #: issued and not yet worked in, where somebody stated it
    unworked: Decimal | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class GradeFacts:
    """A grade that an order's output is sorted into."""

    item: str
    #: expected part of the output
    share: Decimal
    #: standard unit cost frozen with the order
    price: Decimal
    received: Decimal


@dataclass(frozen=True, slots=True, kw_only=True)
class OrderFacts:
    """An order as the variance calculation sees it."""

    #: in working order
    operations: Sequence[OperationFacts]
    #: the costing structure's, in working order
    standard_operations: Sequence[FlowStep]
    inputs: Sequence[InputFacts]
    ordered: Decimal
    received: Decimal
    standard_lot: Decimal
    #: standard value credited for what was received
    received_value: Decimal
    is_completed: bool
    #: empty where all output is the item itself
    grades: Sequence[GradeFacts] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Cause:
    """One cause of variance at one operation; positive is unfavourable."""

    kind: CauseKind
    operation: int
    code: str
    amount: Derivation
    #: the kind of input; None for rounding
    input: InputKind | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class YieldShare:
    """What scrap of one reason at one operation cost, or pieces that nothing accounts for."""

    operation: int
    reason: str
    amount: Decimal


@dataclass(frozen=True, slots=True, kw_only=True)
class Variance:
    """What an order was charged, what it was allowed, and why they differ [money]."""

    charged: Decimal
    received_value: Decimal
    #: standard value of what is still in the order, by operation
    wip_at_standard: Mapping[int, Decimal]
    causes: Sequence[Cause]

    @exact
    def allowed(self) -> Decimal:
        """Return what the standard allows for what was done, to the cent."""
        return self.received_value + money(sum(self.wip_at_standard.values(), ZERO))

    @exact
    def to_date(self) -> Decimal:
        """Return charged minus allowed; unfavourable is positive."""
        return self.charged - self.allowed()

    @exact
    def rounded_causes(self) -> list[tuple[Cause, Decimal]]:
        """Return the causes to the cent, with the rounding cause, adding up to `to_date`."""
        unrounded = [c.amount.value for c in self.causes]
        rest = self.to_date() - sum(unrounded, ZERO)
        kinds = list(CauseKind)
        ranked = sorted(
            range(len(self.causes)), key=lambda i: (kinds.index(self.causes[i].kind), i)
        )
        causes = [self.causes[i] for i in ranked]
        left = Cause(
            kind=CauseKind.ROUNDING,
            operation=0,
            code="",
            amount=given("what rounding left", rest, unit="EUR"),
        )
        # rounding goes first, so that of what ties it takes the cent rather than shows one
        amounts = [c.amount.value for c in (left, *causes)]
        of_left, *parts = round_parts(amounts, self.to_date())
        return [*zip(causes, parts, strict=True), (left, of_left)]


@dataclass(frozen=True, slots=True)
class _Flow:
    """Units per operation that the causes are measured with."""

    enter: Mapping[int, Derivation]  # equivalent units entering, for what was done
    out: Mapping[int, Derivation]  # required for what was received, order's yields
    standard_out: Mapping[int, Derivation]  # the same, costing structure's yields
    per_good: Mapping[int, Derivation]  # entering per good unit
    part_done: Mapping[int, Derivation]  # share of the order quantity
    standard_yields: Mapping[int, Decimal]


@exact
def variance_of(facts: OrderFacts) -> Variance:
    """Return what the order was charged and allowed so far, and the causes of the difference.

    The causes are unrounded and each knows its terms. With the order completed the
    standard value of its work in process is zero, so the variance is the balance of the
    order's WIP.

    Source
    ------
    Standard costing with flexible allowances: Horngren, Datar & Rajan, Cost Accounting,
    ch. 7; the equivalent units of orders in flight as in ch. 17.
    """
    flow = _flow_of(facts)
    causes: list[Cause] = []
    wip: dict[int, Decimal] = {}
    charged = ZERO
    operations = {
        s.number: OperationFacts(number=s.number, yield_share=s.yield_share, is_finished=True)
        for s in facts.standard_operations
    }
    operations |= {o.number: o for o in facts.operations}
    for i in facts.inputs:
        sign = _sign(i.kind)
        charged += sign * i.amount
        causes += _causes_of(i, facts, flow, operations[i.operation])
        held = _held_at_standard(i, facts, flow, operations[i.operation])
        wip[i.operation] = wip.get(i.operation, ZERO) + sign * held
    for o in facts.operations:
        charged -= o.written_off
        taken_out = given("taken out to scrap expense", -o.written_off, unit="EUR")
        causes.append(Cause(kind=CauseKind.WRITTEN_OFF, operation=o.number, code="", amount=taken_out))  # fmt: skip
    causes += _grading(facts)
    return Variance(
        charged=charged,
        received_value=facts.received_value,
        wip_at_standard=wip,
        causes=[c for c in causes if c.amount.value],
    )


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
            if i.operation == number and not i.is_per_order:
                each = i.allowed * (share if i.is_per_good else ONE)
                worth[number][number, at] = _sign(i.kind) * each * i.price
        worth[number] = {cell: amount / share for cell, amount in worth[number].items()}
        carrier = network.carrier[number]
        if carrier is not None:
            for cell, amount in worth[number].items():
                worth[carrier][cell] = worth[carrier].get(cell, ZERO) + amount
    return worth


def _sign(kind: InputKind) -> int:
    return -1 if kind in OUTPUT_KINDS else 1


def _flow_of(facts: OrderFacts) -> _Flow:
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
    return _Flow(
        enter=nothing | enter,
        out=nothing | out,
        standard_out=standard_out,
        per_good=dict.fromkeys(standard, one) | per_good,
        part_done=nothing | part_done,
        standard_yields={s.number: s.yield_share for s in facts.standard_operations},
    )


def _unworked(i: InputFacts, facts: OrderFacts, flow: _Flow, o: OperationFacts) -> Derivation:
    """Return U: issued and not yet worked in."""
    if o.is_finished or facts.is_completed or i.kind is not InputKind.COMPONENT:
        return given("not yet worked in", ZERO, unit=i.unit)
    if i.unworked is not None:
        return given("stated as not yet worked in", i.unworked, unit=i.unit)
    done = _times_made(i, o) if i.is_per_order else o.processed()
    whole = ONE if i.is_per_order else facts.ordered * flow.per_good[i.operation].value
    surplus = min(i.used, whole * i.allowed) - done * i.allowed
    return larger(
        "not yet worked in",
        given("none", ZERO),
        given("issued beyond the work", surplus, unit=i.unit),
    )


def _times_made(i: InputFacts, o: OperationFacts) -> Decimal:
    """Return how often the per-order part was made: once, as soon as the operation began."""
    began = o.processed() > 0 or (i.kind in MADE_ONCE and i.used > 0)
    return ONE if began else ZERO


def _causes_of(i: InputFacts, facts: OrderFacts, flow: _Flow, o: OperationFacts) -> list[Cause]:
    price = given("standard price", i.price, unit=f"EUR/{i.unit}")
    used = given(f"{i.code} used", i.used, unit=i.unit)
    charged = given("credited" if i.kind in OUTPUT_KINDS else "charged", i.amount, unit="EUR")
    at_standard = product("at standard price", (used, price), unit="EUR")
    amounts = [(_kind(CauseKind.PRICE, i), difference("price", charged, at_standard, unit="EUR"))]
    parts = _per_order_causes if i.is_per_order else _per_unit_causes
    for kind, quantity in parts(i, facts, flow, o).items():
        amounts.append((_kind(kind, i), product(str(kind), (quantity, price), unit="EUR")))
    return [
        Cause(
            kind=kind,
            operation=i.operation,
            code=i.code,
            input=i.kind,
            amount=negative(amount) if i.kind in OUTPUT_KINDS else amount,
        )
        for kind, amount in amounts
    ]


def _kind(kind: CauseKind, i: InputFacts) -> CauseKind:
    """Return the name a cause has for this kind of input."""
    if i.kind is InputKind.BY_PRODUCT:
        return {
            CauseKind.PRICE: CauseKind.BY_PRODUCT_PRICE,
            CauseKind.USAGE: CauseKind.BY_PRODUCT_QUANTITY,
        }.get(kind, kind)
    if i.is_fixed_overhead:
        return CauseKind.FIXED_OVERHEAD_VOLUME
    if i.kind is InputKind.CO_PRODUCT and kind is CauseKind.USAGE:
        return CauseKind.OUTPUT_MIX
    if i.kind in MADE_ONCE and kind is CauseKind.USAGE:
        return CauseKind.SETUP
    if i.kind in TIME_ELEMENT or i.kind in OVERHEAD_KINDS:
        return {CauseKind.PRICE: CauseKind.RATE, CauseKind.USAGE: CauseKind.EFFICIENCY}.get(
            kind, kind
        )
    return kind


def _per_unit_causes(
    i: InputFacts, facts: OrderFacts, flow: _Flow, o: OperationFacts
) -> dict[CauseKind, Derivation]:
    """Return usage, yield and method of a per-unit input, as quantities."""
    q = given(f"{i.code} allowed per unit", i.allowed, unit=i.unit)
    q_star = given(f"{i.code} in the standard", i.standard, unit=i.unit)
    n, enter, out, standard_out = _counted(i, flow, o)
    allowed = product("allowed for them", (q, n), unit=i.unit)
    used = given("used", i.used, unit=i.unit)
    unworked = _unworked(i, facts, flow, o)
    return {
        CauseKind.USAGE: total(
            "used beyond allowed", (used, negative(unworked), negative(allowed)), unit=i.unit
        ),
        CauseKind.YIELD: product(
            "for units beyond the yield",
            (q, difference("units beyond", n, enter)),
            unit=i.unit,
        ),
        CauseKind.METHOD: difference(
            "structure against standard",
            product("by the order's structure", (q, out), unit=i.unit),
            product("by the standard's", (q_star, standard_out), unit=i.unit),
            unit=i.unit,
        ),
    }


def _counted(
    i: InputFacts, flow: _Flow, o: OperationFacts
) -> tuple[Derivation, Derivation, Derivation, Derivation]:
    """Return the units an input counts by: done, equivalent, required by either structure.

    Those entering its operation, or the good ones leaving it.
    """
    k = i.operation
    if not i.is_per_good:
        done = given("units processed", o.processed())
        return done, flow.enter[k], flow.out[k], flow.standard_out[k]
    own = given(f"yield of {k}", o.yield_share)
    standard = given(f"yield of {k} in the standard", flow.standard_yields.get(k, o.yield_share))
    return (
        given("good units", o.good),
        product("good ones for what stands", (flow.enter[k], own)),
        product("good ones required", (flow.out[k], own)),
        product("good ones in the standard", (flow.standard_out[k], standard)),
    )


def _per_order_causes(
    i: InputFacts, facts: OrderFacts, flow: _Flow, o: OperationFacts
) -> dict[CauseKind, Derivation]:
    """Return setup (or usage), order size and method of a per-order input, as quantities."""
    k = i.operation
    made = given("times made", _times_made(i, o))
    once = given(f"{i.code} allowed per order", i.allowed, unit=i.unit)
    allowed = product("allowed", (made, once), unit=i.unit)
    used = given("used", i.used, unit=i.unit)
    unworked = _unworked(i, facts, flow, o)
    lot = given("standard lot", facts.standard_lot)
    good = quotient("good units done", flow.enter[k], flow.per_good[k])
    change = difference(
        "structure against standard", once, given("in the standard", i.standard), unit=i.unit
    )
    received = given("received", facts.received)
    return {
        CauseKind.USAGE: total(
            "used beyond allowed", (used, negative(unworked), negative(allowed)), unit=i.unit
        ),
        CauseKind.ORDER_SIZE: difference(
            "made once, absorbed per piece",
            product("due so far", (flow.part_done[k], allowed), unit=i.unit),
            product("absorbed", (once, quotient("lots done", good, lot)), unit=i.unit),
            unit=i.unit,
        ),
        CauseKind.METHOD: product(
            "method", (change, quotient("lots received", received, lot)), unit=i.unit
        ),
    }


def _held_at_standard(i: InputFacts, facts: OrderFacts, flow: _Flow, o: OperationFacts) -> Decimal:
    """Return the standard value of an input that is still in the order."""
    k = i.operation
    unworked = _unworked(i, facts, flow, o).value
    if not i.is_per_order:
        _, enter, out, _ = _counted(i, flow, o)
        return (i.allowed * (enter.value - out.value) + unworked) * i.price
    good = flow.enter[k].value / flow.per_good[k].value
    open_part = (ONE - flow.part_done[k].value) * _times_made(i, o) * i.allowed
    absorbed = i.allowed / facts.standard_lot * (good - facts.received)
    return (open_part + absorbed + unworked) * i.price


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
    # what fixed overhead loses with a scrapped piece is volume, not yield
    inputs = [i for i in facts.inputs if not i.is_fixed_overhead]
    worth = worth_after(replace(facts, inputs=inputs))
    for o in facts.operations:
        value = sum(worth[o.number].values(), ZERO)
        carrier = network.carrier[o.number]
        # what is paid for good pieces alone is not lost with a scrapped one
        paid = sum(
            (
                v
                for (_, at), v in worth[o.number].items()
                if inputs[at].operation == o.number and inputs[at].is_per_good
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
