"""Variances: the textbook's, the constructed order's, and the sum that always holds."""

from dataclasses import replace
from decimal import Decimal
from typing import Any

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.cost.model import OUTPUT_KINDS, OVERHEAD_KINDS, InputKind
from poietic_core.cost.variance import (
    CauseKind,
    InputFacts,
    OperationFacts,
    OrderFacts,
    variance_of,
    yield_by_reason,
)
from poietic_core.quantity import money
from poietic_core.structure.flow import Step


def by_kind(facts: OrderFacts) -> dict[CauseKind, Decimal]:
    """Return the exact causes summed by kind."""
    sums: dict[CauseKind, Decimal] = {}
    for cause in variance_of(facts).causes:
        sums[cause.kind] = sums.get(cause.kind, Decimal(0)) + cause.amount.value
    return {kind: amount for kind, amount in sums.items() if amount}


def one_input(kind: InputKind, **numbers: Any) -> OrderFacts:
    """Return a completed order of 10,000 with one operation and one input."""
    i = InputFacts(operation=10, kind=kind, code="X", unit="u", **numbers)
    output = Decimal(10_000)
    return OrderFacts(
        operations=[OperationFacts(number=10, yield_share=Decimal(1), good=output)],
        standard_operations=[Step(number=10)],
        inputs=[i],
        ordered=output,
        received=output,
        standard_lot=Decimal(1),
        received_value=money(output * i.standard * i.price),
        is_completed=True,
    )


class Published(SimpleTestCase):
    """Horngren, Datar & Rajan, Cost Accounting, ch. 7: Webb Company (from memory, recomputed)."""

    def test_webb_material(self) -> None:
        facts = one_input(
            InputKind.COMPONENT,
            price=Decimal(30),
            allowed=Decimal(2),
            standard=Decimal(2),
            used=Decimal(22_200),
            amount=Decimal(22_200 * 28),
        )

        self.assertEqual(by_kind(facts), {CauseKind.PRICE: -44_400, CauseKind.USAGE: 66_000})

    def test_webb_labour(self) -> None:
        facts = one_input(
            InputKind.RUN_LABOUR,
            price=Decimal(20),
            allowed=Decimal("0.8"),
            standard=Decimal("0.8"),
            used=Decimal(9_000),
            amount=Decimal(9_000 * 22),
        )

        self.assertEqual(by_kind(facts), {CauseKind.RATE: 18_000, CauseKind.EFFICIENCY: 20_000})

    def test_a_changed_structure_is_a_method_variance(self) -> None:
        # by hand: the order's structure grants 2.5, the standard 2: 10,000 × 0.5 × 30
        facts = one_input(
            InputKind.COMPONENT,
            price=Decimal(30),
            allowed=Decimal("2.5"),
            standard=Decimal(2),
            used=Decimal(25_000),
            amount=Decimal(25_000 * 30),
        )

        self.assertEqual(by_kind(facts), {CauseKind.METHOD: 150_000})


small = st.integers(0, 40).map(Decimal)
rates = st.decimals("0.5", 40, places=2)
yields = st.sampled_from([Decimal(y) for y in ("1", "0.95", "0.8")])


#: what may come before each operation: in sequence, in parallel, joining
WAYS: dict[int, list[tuple[int, ...] | None]] = {
    10: [None],
    20: [None, ()],
    30: [(10, 20), (20,), (10,)],
}


@st.composite
def orders(draw: st.DrawFn) -> OrderFacts:
    """Draw an order in flight or completed, with any structure of up to three operations."""
    numbers = [10, 20, 30][: draw(st.integers(1, 3))]
    operations: list[OperationFacts] = []
    passed = draw(small)
    for number in numbers:
        worked = draw(st.integers(0, int(passed)).map(Decimal))
        good = draw(st.integers(0, int(worked)).map(Decimal))
        scrap = worked - good
        operations.append(
            OperationFacts(
                number=number,
                yield_share=draw(yields),
                after=draw(st.sampled_from(WAYS[number])),
                good=good,
                scrap=scrap,
                scrap_by_reason={"crack": scrap} if scrap else {},
                is_finished=draw(st.booleans()),
            )
        )
        passed = good
    received = draw(st.integers(0, int(passed)).map(Decimal))
    costing = [n for n in (10, 20, 40) if n in numbers or draw(st.booleans())]
    inputs = [
        InputFacts(
            operation=draw(st.sampled_from(sorted({*numbers, *costing}))),
            kind=draw(st.sampled_from(list(InputKind))),
            code=str(n),
            unit="u",
            price=draw(rates),
            allowed=draw(rates),
            standard=draw(rates),
            used=draw(small),
            amount=draw(rates),
            is_per_order=draw(st.booleans()),
            is_fixed_overhead=draw(st.booleans()),
        )
        for n in range(draw(st.integers(0, 5)))
    ]
    inputs = [
        replace(i, allowed=Decimal(0)) if i.operation not in numbers else i
        if i.operation in costing else replace(i, standard=Decimal(0))
        for i in inputs
    ]  # fmt: skip
    inputs = [
        replace(i, is_per_order=False)
        if i.kind in OUTPUT_KINDS
        else replace(i, is_per_order=False, is_per_good=draw(st.booleans()))
        if i.kind is InputKind.SUBCONTRACT
        else i
        for i in inputs
    ]
    inputs = [
        i if i.kind in OVERHEAD_KINDS else replace(i, is_fixed_overhead=False) for i in inputs
    ]
    facts = OrderFacts(
        operations=operations,
        standard_operations=[Step(number=n, yield_share=draw(yields)) for n in costing],
        inputs=inputs,
        ordered=Decimal(draw(st.integers(1, 40))),
        received=received,
        standard_lot=Decimal(draw(st.integers(1, 30))),
        received_value=Decimal(0),
        is_completed=draw(st.booleans()),
    )
    return replace(facts, received_value=money(standard_of_received(facts)))


def standard_of_received(facts: OrderFacts) -> Decimal:
    """Return the costing structure's cost of what was received, by its definition."""
    value = Decimal(0)
    for i in facts.inputs:
        entering = facts.received
        for step in reversed(facts.standard_operations):
            if step.number > i.operation or (step.number == i.operation and not i.is_per_good):
                entering /= step.yield_share
        each = facts.received / facts.standard_lot if i.is_per_order else entering
        value += (-1 if i.kind in OUTPUT_KINDS else 1) * i.standard * each * i.price
    return value


class Sums(SimpleTestCase):
    """What must hold for every order at every moment."""

    @given(orders())
    def test_causes_add_up_to_charged_minus_allowed(self, facts: OrderFacts) -> None:
        variance = variance_of(facts)

        causes = variance.rounded_causes()

        self.assertEqual(sum(amount for _, amount in causes), variance.to_date())
        rest = causes[-1][0]
        self.assertEqual(rest.kind, CauseKind.ROUNDING)
        # the standard received and the WIP at standard are each rounded to the cent, no more
        self.assertLessEqual(abs(rest.amount.value), Decimal("0.0101"))

    @given(orders())
    def test_a_completed_order_holds_nothing_at_standard(self, facts: OrderFacts) -> None:
        done = replace(facts, is_completed=True)

        held = variance_of(done).wip_at_standard

        absorbed = [i for i in done.inputs if i.is_per_order]
        if not absorbed:
            self.assertTrue(all(abs(v) < Decimal("1e-20") for v in held.values()))
        self.assertLess(abs(sum(held.values(), Decimal(0))), Decimal("1e-20"))

    @given(orders())
    def test_yield_by_reason_adds_up_to_the_yield_cause(self, facts: OrderFacts) -> None:
        by_reason = sum((y.amount for y in yield_by_reason(facts)), Decimal(0))

        self.assertAlmostEqual(
            by_reason, by_kind(facts).get(CauseKind.YIELD, Decimal(0)), places=15
        )
