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
from ..quantity import CENT, ONE, UNIT_COST_STEP, ZERO, exact, money, round_parts
from ..structure.flow import FlowStep, Network, equivalent_units
from .model import OUTPUT_KINDS, OVERHEAD_KINDS, SETUP_KINDS, TIME_ELEMENT, Basis, InputKind

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
    GRADING = "grading"
    OUTPUT_MIX = "output mix"
    WRITTEN_OFF = "written off"
    FIXED_OVERHEAD_VOLUME = "fixed overhead volume"
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
    #: how often it was set up; None: once, as soon as setup time or a unit is reported
    times_set_up: Decimal | None = None
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
    #: by the order's structure, for what `basis` says; 0 where it has no such input
    allowed: Decimal
    #: by the costing structure, for what `standard_basis` says; 0 where it has no such input
    standard: Decimal
    #: actual quantity, net of returns
    used: Decimal
    #: what it was charged at; for a by-product, what was credited
    amount: Decimal
    basis: Basis = Basis.ENTERING
    standard_basis: Basis = Basis.ENTERING
    #: overhead that no act of the shop makes more or less
    is_fixed_overhead: bool = False
    #: what the whole order requires, rounded up as it was issued; None: unrounded
    required: Decimal | None = None
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
    #: what rounding can leave at most [money]
    rounding_most: Decimal

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
        """Return the causes to the cent, with the rounding cause, adding up to `to_date`.

        Raises
        ------
        AssertionError
            If more is left than rounding can leave: the decomposition would hide a cause.
        """
        unrounded = [c.amount.value for c in self.causes]
        rest = self.to_date() - sum(unrounded, ZERO)
        if abs(rest) > self.rounding_most:
            raise AssertionError(f"The causes leave {rest} of {self.to_date()} unexplained.")
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
    lots: Derivation  # standard lots received


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
    flow = _flow_of(facts)
    causes: list[Cause] = []
    wip: dict[int, Decimal] = {}
    charged = ZERO
    for i in facts.inputs:
        line = _Line(i, facts, flow)
        sign = _sign(i.kind)
        charged += sign * i.amount
        causes += line.causes()
        held = line.held().value * i.price
        wip[i.operation] = wip.get(i.operation, ZERO) + sign * held
    for o in facts.operations:
        charged -= o.written_off
        taken_out = given("taken out to scrap expense", -o.written_off, unit="EUR")
        causes.append(Cause(kind=CauseKind.WRITTEN_OFF, operation=o.number, code="", amount=taken_out))  # fmt: skip
    causes += _grading(facts)
    lines = len(facts.inputs) + len(facts.grades) + 1
    return Variance(
        charged=charged,
        received_value=facts.received_value,
        wip_at_standard=wip,
        causes=[c for c in causes if c.amount.value],
        # a cent per line, and what a unit cost of six decimals leaves on so many units
        rounding_most=lines * CENT + facts.received * UNIT_COST_STEP,
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
            if i.operation == number and i.basis is not Basis.ORDER:
                each = i.allowed * (share if i.basis is Basis.GOOD else ONE)
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
        lots=quotient("lots received", received, given("standard lot", facts.standard_lot)),
    )


@dataclass(frozen=True, slots=True)
class _Line:
    """An input of an order with the units that it is measured by."""

    i: InputFacts
    facts: OrderFacts
    flow: _Flow

    def causes(self) -> list[Cause]:
        """Return what the input cost more or less than its standard, by cause."""
        i = self.i
        price = given("standard price", i.price, unit=f"EUR/{i.unit}")
        used = given(f"{i.code} used", i.used, unit=i.unit)
        charged = given("credited" if i.kind in OUTPUT_KINDS else "charged", i.amount, unit="EUR")
        at_standard = product("at standard price", (used, price), unit="EUR")
        kinds = {CauseKind.PRICE: difference("price", charged, at_standard, unit="EUR")}
        for kind, quantity in self._quantities().items():
            kinds[kind] = product(str(kind), (quantity, price), unit="EUR")
        return [
            Cause(
                kind=_kind(kind, i),
                operation=i.operation,
                code=i.code,
                input=i.kind,
                amount=negative(amount) if i.kind in OUTPUT_KINDS else amount,
            )
            for kind, amount in kinds.items()
        ]

    def held(self) -> Derivation:
        """Return how much of the input the standard grants for what is still in the order."""
        standing, out = self._standing(), self._required()
        open_part = given("none is made ahead", ZERO, unit=self.i.unit)
        if self.i.basis is Basis.ORDER:
            open_part = difference(
                "made for what is still to come", self._allowed(), self._due(), unit=self.i.unit
            )
        in_work = difference("in what stands", standing, out, unit=self.i.unit)
        return total("held", (open_part, in_work, self._unworked()), unit=self.i.unit)

    def _quantities(self) -> dict[CauseKind, Derivation]:
        i = self.i
        used = given("used", i.used, unit=i.unit)
        standard = self._standard_required()
        if i.kind is InputKind.CO_PRODUCT:  # more or less of it is one cause, whatever it is due to
            expected = total("expected", (self.held(), standard), unit=i.unit)
            return {CauseKind.OUTPUT_MIX: difference("beyond", used, expected, unit=i.unit)}
        allowed, standing = self._allowed(), self._standing()
        found = {
            CauseKind.USAGE: total(
                "used beyond allowed",
                (used, negative(self._unworked()), negative(allowed)),
                unit=i.unit,
            ),
            CauseKind.METHOD: difference(
                "structure against standard", self._required(), standard, unit=i.unit
            ),
        }
        if i.basis is Basis.ORDER:
            found[CauseKind.ORDER_SIZE] = difference(
                "made once, absorbed per piece", self._due(), standing, unit=i.unit
            )
        else:
            found[CauseKind.YIELD] = difference(
                "for units beyond the yield", allowed, standing, unit=i.unit
            )
        return found

    def _operation(self) -> OperationFacts:
        for o in self.facts.operations:
            if o.number == self.i.operation:
                return o
        share = self.flow.standard_yields[self.i.operation]  # of the costing structure alone
        return OperationFacts(number=self.i.operation, yield_share=share, is_finished=True)

    def _q(self) -> Derivation:
        return given(f"{self.i.code} allowed per {self.i.basis}", self.i.allowed, unit=self.i.unit)

    def _done(self) -> Derivation:
        """Return what was done of what the input is stated for: units, good units, times made."""
        o = self._operation()
        if self.i.basis is Basis.GOOD:
            return given("good units", o.good)
        if self.i.basis is Basis.ENTERING:
            return given("units processed", o.processed())
        if o.times_set_up is not None:
            return given("times set up", o.times_set_up)
        began = o.processed() > 0 or any(
            i.operation == o.number and i.kind in MADE_ONCE and i.used > 0
            for i in self.facts.inputs
        )
        return given("times made", ONE if began else ZERO)

    def _allowed(self) -> Derivation:
        """Return what the order's structure grants for what was done."""
        return product("allowed for it", (self._q(), self._done()), unit=self.i.unit)

    def _due(self) -> Derivation:
        """Return what of a per-order input is due for the part of the order that is done."""
        part = self.flow.part_done[self.i.operation]
        return product("due so far", (part, self._allowed()), unit=self.i.unit)

    def _standing(self) -> Derivation:
        """Return what the order's structure grants for what was received and what stands."""
        k, enter = self.i.operation, self.flow.enter[self.i.operation]
        if self.i.basis is Basis.ENTERING:
            units = enter
        elif self.i.basis is Basis.GOOD:
            o = self._operation()
            good = product(
                "good ones for what stands", (enter, given(f"yield of {k}", o.yield_share))
            )
            # those waiting for rework are not paid for yet
            units = difference("good ones", good, given("waiting for rework", o.rework_pending))
        else:
            done = quotient("good units done", enter, self.flow.per_good[k])
            lot = given("standard lot", self.facts.standard_lot)
            units = quotient("lots done", done, lot)
        return product("allowed for what stands", (self._q(), units), unit=self.i.unit)

    def _required(self) -> Derivation:
        """Return what the order's structure requires for what was received."""
        share = self._operation().yield_share
        units = self._units(self.i.basis, self.flow.out, share)
        return product("by the order's structure", (self._q(), units), unit=self.i.unit)

    def _standard_required(self) -> Derivation:
        """Return what the costing structure requires for what was received."""
        basis = self.i.standard_basis
        q_star = given(
            f"{self.i.code} in the standard, per {basis}", self.i.standard, unit=self.i.unit
        )
        share = self.flow.standard_yields.get(self.i.operation, ONE)
        units = self._units(basis, self.flow.standard_out, share)
        return product("by the standard's", (q_star, units), unit=self.i.unit)

    def _units(self, basis: Basis, out: Mapping[int, Derivation], share: Decimal) -> Derivation:
        if basis is Basis.ORDER:
            return self.flow.lots
        entering = out[self.i.operation]
        if basis is Basis.ENTERING:
            return entering
        good = given(f"yield of {self.i.operation}", share)
        return product("good ones required", (entering, good))

    def _unworked(self) -> Derivation:
        """Return U: issued and not yet worked in."""
        i = self.i
        if self._operation().is_finished or self.facts.is_completed or i.kind is not InputKind.COMPONENT:  # fmt: skip
            return given("not yet worked in", ZERO, unit=i.unit)
        if i.unworked is not None:
            return given("stated as not yet worked in", i.unworked, unit=i.unit)
        whole = i.required
        if whole is None:
            units = self.facts.ordered * self.flow.per_good[i.operation].value
            whole = i.allowed * (ONE if i.basis is Basis.ORDER else units)
        surplus = min(i.used, whole) - self._allowed().value
        return larger(
            "not yet worked in",
            given("none", ZERO),
            given("issued beyond the work", surplus, unit=i.unit),
        )


def _kind(kind: CauseKind, i: InputFacts) -> CauseKind:
    """Return the name a cause has for this kind of input."""
    if i.kind is InputKind.BY_PRODUCT:
        return {
            CauseKind.PRICE: CauseKind.BY_PRODUCT_PRICE,
            CauseKind.USAGE: CauseKind.BY_PRODUCT_QUANTITY,
        }.get(kind, kind)
    if i.is_fixed_overhead:
        return CauseKind.FIXED_OVERHEAD_VOLUME
    if i.kind in MADE_ONCE and kind is CauseKind.USAGE:
        return CauseKind.SETUP
    if i.kind in TIME_ELEMENT or i.kind in OVERHEAD_KINDS:
        return {CauseKind.PRICE: CauseKind.RATE, CauseKind.USAGE: CauseKind.EFFICIENCY}.get(
            kind, kind
        )
    return kind


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
