"""Variances: the textbook's, the constructed order's, and the sum that always holds."""

from dataclasses import replace
from decimal import Decimal
from typing import Any

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.cost.model import OUTPUT_KINDS, OVERHEAD_KINDS, InputKind
from poietic_core.quantity import money
from poietic_core.structure.basis import Basis
from poietic_core.structure.flow import Step
from poietic_core.variance.causes import CauseKind
from poietic_core.variance.facts import InputFacts, OperationFacts, OrderFacts, StandIn
from poietic_core.variance.order import method_variance, variance_of
from poietic_core.variance.reasons import yield_by_reason


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
        # and so it is foretold while nothing is done, with pieces waiting for rework
        waiting = [replace(o, rework_pending=Decimal(7)) for o in facts.operations]
        begun = replace(facts, operations=waiting, received=Decimal(0), is_completed=False)
        self.assertEqual(method_variance(begun, Decimal(10_000)), 150_000)
        self.assertEqual(method_variance(begun, Decimal(0)), 0)

    def test_what_is_kept_at_standard_differs_in_price_by_a_change_of_that(self) -> None:
        """The handbook's section 7: (P now − P frozen) × A; 22,200 issued at 32 where 30 is frozen."""
        facts = one_input(
            InputKind.COMPONENT,
            price=Decimal(30),
            allowed=Decimal(2),
            standard=Decimal(2),
            used=Decimal(22_200),
            amount=Decimal(22_200 * 32),
            is_at_standard=True,
        )

        changed = {CauseKind.STANDARD_CHANGE: 44_400, CauseKind.USAGE: 66_000}
        self.assertEqual(by_kind(facts), changed)

    def test_an_alternate_used_in_place_of_a_component_is_a_substitution(self) -> None:
        """By hand: 1 X may be replaced by 1.25 of Y; 2,500 Y at 21 (standard 20) for 2,000 X at 30."""
        facts = one_input(
            InputKind.COMPONENT,
            price=Decimal(30),
            allowed=Decimal(2),
            standard=Decimal(2),
            used=Decimal(18_000),
            amount=Decimal(18_000 * 30),
        )
        instead = replace(
            facts.inputs[0],
            code="Y",
            price=Decimal(20),
            allowed=Decimal(0),
            standard=Decimal(0),
            used=Decimal(2_500),
            amount=Decimal(52_500),
            stands_for=(StandIn(input=0, per=Decimal("1.25")),),
        )

        causes = by_kind(replace(facts, inputs=[*facts.inputs, instead]))

        self.assertEqual(causes, {CauseKind.SUBSTITUTION: -10_000, CauseKind.PRICE: 2_500})

    def test_delpino_ketchup(self) -> None:
        """The same book, ch. 7, appendix: Delpino's tomatoes (from memory, recomputed).

        4,000 t of 1.60 t each, mixed 50/30/20 % at 70/80/90; 3,250/2,275/975 t at 70/82/96.
        """
        told = [("0.80", 70, 3_250, 70), ("0.48", 80, 2_275, 82), ("0.32", 90, 975, 96)]
        inputs = [
            component(code=f"T{n}", price=str(price), allowed=q, standard=q, used=str(used), amount=str(used * paid), mix="T")
            for n, (q, price, used, paid) in enumerate(told)
        ]  # fmt: skip
        facts = order_of_one_operation(*inputs, good=4_000, received_value=Decimal(496_000))

        causes = {(c.kind.value, c.code): c.amount.value for c in variance_of(facts).causes}

        self.assertEqual(
            causes,
            {
                ("price", "T1"): 4_550,
                ("price", "T2"): 5_850,
                ("mix", "T1"): 26_000,
                ("mix", "T2"): -29_250,
                ("mix yield", "T0"): 3_500,
                ("mix yield", "T1"): 2_400,
                ("mix yield", "T2"): 1_800,
            },
        )
        # a mark that nothing else has is none, and what another item stood in for is substitution
        alone = replace(facts, inputs=[replace(i, mix=i.code) for i in inputs])
        self.assertEqual(by_kind(alone), {CauseKind.PRICE: 10_400, CauseKind.USAGE: 4_450})
        instead = component(code="S", price="10", allowed="0", standard="0", used="1", amount="10", stands_for=(StandIn(input=2),))  # fmt: skip
        replaced = by_kind(replace(facts, inputs=[*inputs, instead]))
        self.assertIn(CauseKind.USAGE, replaced)
        self.assertNotIn(CauseKind.MIX, replaced)

    def test_a_mix_of_an_order_in_flight_counts_what_is_worked_in(self) -> None:
        """By hand: 2 A at 3 and 1 B at 6 a piece; 6 A and 6 B for 4 pieces: the third of B is 4 of 12."""
        both = [
            component(code="A", price="3", allowed="2", standard="2", used="6", amount="18", mix="M", required="20", unworked="0"),
            component(code="B", price="6", allowed="1", standard="1", used="9", amount="54", mix="M", required="10", unworked="3"),
        ]  # fmt: skip
        begun = OperationFacts(number=10, yield_share=Decimal(1), good=Decimal(4))
        facts = order_of_one_operation(
            *both, operations=[begun], received=Decimal(0), is_completed=False
        )

        # (6 − 2/3 × 12) × 3 + (6 − 1/3 × 12) × 6; and no more in all than the 12 allowed
        self.assertEqual({k: round(a, 9) for k, a in by_kind(facts).items()}, {CauseKind.MIX: 6})

    def test_what_is_spent_on_rework_is_rework_and_its_rate_is_rate(self) -> None:
        # by hand: 12 h that nothing grants, at 25, standard 20
        facts = one_input(
            InputKind.RUN_LABOUR,
            price=Decimal(20),
            allowed=Decimal(0),
            standard=Decimal(0),
            used=Decimal(12),
            amount=Decimal(300),
            is_rework=True,
        )

        self.assertEqual(by_kind(facts), {CauseKind.REWORK: 240, CauseKind.RATE: 60})

    def test_an_extra_cost_is_a_cause_of_its_own(self) -> None:
        # by hand: a testing fee of 120.50 that nothing grants
        facts = one_input(
            InputKind.EXTRA,
            price=Decimal(0),
            allowed=Decimal(0),
            standard=Decimal(0),
            used=Decimal(0),
            amount=Decimal("120.50"),
        )

        self.assertEqual(by_kind(facts), {CauseKind.EXTRA_COST: Decimal("120.50")})


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
    is_completed = draw(st.booleans())
    for number in numbers:
        worked = draw(st.integers(0, int(passed)).map(Decimal))
        good = draw(st.integers(0, int(worked)).map(Decimal))
        rework = (
            Decimal(0) if is_completed else draw(st.integers(0, int(worked - good)).map(Decimal))
        )
        scrap = worked - good - rework
        operations.append(
            OperationFacts(
                number=number,
                yield_share=draw(yields),
                after=draw(st.sampled_from(WAYS[number])),
                good=good,
                scrap=scrap,
                rework_pending=rework,
                times_set_up=draw(st.none() | st.integers(0, 3).map(Decimal)),
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
            required=draw(st.none() | small),
            amount=draw(rates),
            basis=draw(st.sampled_from(Basis)),
            standard_basis=draw(st.sampled_from(Basis)),
            is_fixed_overhead=draw(st.booleans()),
            mix=draw(st.sampled_from(["", "", "A", "B"])),
        )
        for n in range(draw(st.integers(0, 5)))
    ]
    inputs = [
        replace(i, allowed=Decimal(0)) if i.operation not in numbers else i
        if i.operation in costing else replace(i, standard=Decimal(0))
        for i in inputs
    ]  # fmt: skip
    inputs = [
        i if i.kind in OVERHEAD_KINDS else replace(i, is_fixed_overhead=False) for i in inputs
    ]
    # an extra cost is an amount alone: no structure allows it, and it has no quantity
    bare = {"price": Decimal(0), "allowed": Decimal(0), "standard": Decimal(0), "used": Decimal(0)}
    inputs = [replace(i, **bare) if i.kind is InputKind.EXTRA else i for i in inputs]
    if inputs and draw(st.booleans()):
        replaced = st.integers(0, len(inputs) - 1)
        stands = st.builds(StandIn, input=replaced, times=rates, per=rates)
        nothing = replace(inputs[0], allowed=Decimal(0), standard=Decimal(0))
        kept = replace(nothing, kind=InputKind.COMPONENT, is_fixed_overhead=False)
        listed = draw(st.lists(stands, min_size=1, max_size=3, unique_by=lambda s: s.input))
        inputs.append(replace(kept, code="instead", price=draw(rates), used=draw(small), stands_for=tuple(listed)))  # fmt: skip
    facts = OrderFacts(
        operations=operations,
        standard_operations=[Step(number=n, yield_share=draw(yields)) for n in costing],
        inputs=inputs,
        ordered=Decimal(draw(st.integers(1, 40))),
        received=received,
        standard_lot=Decimal(draw(st.integers(1, 30))),
        received_value=Decimal(0),
        is_completed=is_completed,
    )
    return replace(facts, received_value=money(standard_of_received(facts)))


def standard_of_received(facts: OrderFacts) -> Decimal:
    """Return the costing structure's cost of what was received, by its definition."""
    value = Decimal(0)
    for i in facts.inputs:
        entering = facts.received
        for step in reversed(facts.standard_operations):
            is_own = step.number == i.operation
            if step.number > i.operation or (is_own and i.standard_basis is not Basis.GOOD):
                entering /= step.yield_share
        lots = facts.received / facts.standard_lot
        each = lots if i.standard_basis is Basis.ORDER else entering
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
        decided = [
            replace(o, scrap=o.scrap + o.rework_pending, rework_pending=Decimal(0))
            for o in facts.operations
        ]
        done = replace(facts, operations=decided, is_completed=True)

        held = variance_of(done).wip_at_standard

        absorbed = [i for i in done.inputs if i.basis is Basis.ORDER]
        if not absorbed:
            self.assertTrue(all(abs(v) < Decimal("1e-20") for v in held.values()))
        self.assertLess(abs(sum(held.values(), Decimal(0))), Decimal("1e-20"))

    @given(orders())
    def test_yield_by_reason_adds_up_to_the_yield_cause(self, facts: OrderFacts) -> None:
        by_reason = sum((y.amount for y in yield_by_reason(facts)), Decimal(0))

        self.assertAlmostEqual(
            by_reason, by_kind(facts).get(CauseKind.YIELD, Decimal(0)), places=15
        )


def order_of_one_operation(*inputs: InputFacts, good: int = 10, **facts: Any) -> OrderFacts:
    """Return a completed order with a lot of 10 and one operation at which all of it was good."""
    done = OperationFacts(number=10, yield_share=facts.pop("share", Decimal(1)), good=Decimal(good))
    told = {
        "operations": [done],
        "standard_operations": [
            Step(number=10, yield_share=facts.pop("standard_share", Decimal(1)))
        ],
        "inputs": inputs,
        "ordered": Decimal(good),
        "received": Decimal(good),
        "standard_lot": Decimal(10),
        "received_value": Decimal(0),
        "is_completed": True,
    } | facts
    return OrderFacts(**told)


def component(**numbers: Any) -> InputFacts:
    """Return a component at operation 10 whose numbers are given in words."""
    named = ("code", "mix")
    told = {k: Decimal(v) if type(v) is str and k not in named else v for k, v in numbers.items()}
    return InputFacts(
        **({"operation": 10, "kind": InputKind.COMPONENT, "code": "X", "unit": "u"} | told)
    )


class OneCause(SimpleTestCase):
    """Cases of one cause, each by hand."""

    def test_more_of_a_co_product_than_expected_is_output_mix_alone(self) -> None:
        """1 a piece at 10, price 2; 44 entered, 40 received, 44 came: (1 × 40 − 44) × 2 (handbook, 7)."""
        beside = component(
            kind=InputKind.CO_PRODUCT, price="2", allowed="1", standard="1", used="44", amount="88"
        )
        entered = OperationFacts(
            number=10, yield_share=Decimal(1), good=Decimal(40), scrap=Decimal(4), scrap_by_reason={"crack": Decimal(4)}
        )  # fmt: skip
        facts = order_of_one_operation(
            beside, good=40, operations=[entered], received_value=Decimal(-80)
        )

        self.assertEqual(by_kind(facts), {CauseKind.OUTPUT_MIX: -8})

    def test_each_side_keeps_its_own_basis(self) -> None:
        """1 per unit in the standard, 3 per order in the order, 10 made at 5: (3 − 10) × 5."""
        once = component(
            price="5", allowed="3", standard="1", used="3", amount="15", basis=Basis.ORDER
        )
        facts = order_of_one_operation(once, received_value=Decimal(50))

        self.assertEqual(by_kind(facts), {CauseKind.METHOD: -35})
        self.assertEqual(variance_of(facts).to_date(), -35)

    def test_a_line_per_unit_that_the_standard_has_per_order(self) -> None:
        """3 per order of 10 in the standard, 1 per unit in the order: (10 − 3) × 5."""
        each = component(
            price="5", allowed="1", standard="3", used="10", amount="50", standard_basis=Basis.ORDER
        )
        facts = order_of_one_operation(each, received_value=Decimal(15))

        self.assertEqual(by_kind(facts), {CauseKind.METHOD: 35})

    def test_paid_on_sent_against_on_returned_is_method(self) -> None:
        """A yield of 0.8, 10 good of 12.5 sent: paid on sent 12.5 × 2, in the standard 10 × 2."""
        work = component(
            kind=InputKind.SUBCONTRACT, price="2", allowed="1", standard="1", used="12.5", amount="25",
            standard_basis=Basis.GOOD,
        )  # fmt: skip
        sent = OperationFacts(
            number=10, yield_share=Decimal("0.8"), good=Decimal(10), scrap=Decimal("2.5")
        )
        facts = order_of_one_operation(
            work,
            operations=[sent],
            standard_operations=[Step(number=10, yield_share=Decimal("0.8"))],
            received_value=Decimal(20),
        )

        self.assertEqual(by_kind(facts), {CauseKind.METHOD: 5})
        self.assertEqual([k for k, a in rounded(facts) if a], [CauseKind.METHOD])

    def test_unworked_material_is_measured_by_the_rounded_requirement(self) -> None:
        """Order 40, yield 0.95: 42.1 are needed, 43 required and issued; nothing is done yet."""
        plate = component(
            price="1", allowed="1", standard="1", used="43", amount="43", required="43"
        )
        begun = OperationFacts(number=10, yield_share=Decimal("0.95"))
        facts = order_of_one_operation(
            plate, good=40, operations=[begun], received=Decimal(0), is_completed=False
        )

        self.assertEqual(by_kind(facts), {})
        self.assertEqual(variance_of(facts).to_date(), 0)

    def test_a_second_setup_is_allowed_where_it_is_stated(self) -> None:
        """Set up twice for 1 h at 30 each, a lot of 10, 10 made: allowed 60, absorbed 30: order size."""
        setup = component(
            kind=InputKind.SETUP_LABOUR, price="30", allowed="1", standard="1", used="2", amount="60",
            basis=Basis.ORDER, standard_basis=Basis.ORDER,
        )  # fmt: skip
        twice = OperationFacts(
            number=10, yield_share=Decimal(1), good=Decimal(10), times_set_up=Decimal(2)
        )
        facts = order_of_one_operation(setup, operations=[twice], received_value=Decimal(30))

        self.assertEqual(by_kind(facts), {CauseKind.ORDER_SIZE: 30})
        once = replace(facts, operations=[replace(twice, times_set_up=None)])
        self.assertEqual(by_kind(once), {CauseKind.SETUP: 30})

    def test_what_setup_time_began_counts_for_every_line_per_order(self) -> None:
        """A fixture per order is made once as soon as the setup is reported, before any piece."""
        fixture = component(price="7", allowed="1", standard="1", used="1", amount="7", basis=Basis.ORDER)  # fmt: skip
        setup = component(
            kind=InputKind.SETUP_LABOUR, price="30", allowed="1", standard="1", used="1", amount="30",
            basis=Basis.ORDER,
        )  # fmt: skip
        begun = OperationFacts(number=10, yield_share=Decimal(1), is_finished=True)
        facts = order_of_one_operation(
            fixture, setup, operations=[begun], received=Decimal(0), is_completed=False
        )

        self.assertEqual(by_kind(facts), {})

    def test_rework_is_decided_before_an_order_is_completed(self) -> None:
        waiting = OperationFacts(number=10, yield_share=Decimal(1), rework_pending=Decimal(1))
        with self.assertRaises(ValueError):
            variance_of(order_of_one_operation(operations=[waiting]))

    def test_rounding_never_hides_a_cause(self) -> None:
        """Standard 1 a piece, 10 made and charged; credited 3 cents less than the standard says."""
        plate = component(price="1", allowed="1", standard="1", used="10", amount="10")
        whole = order_of_one_operation(plate, received_value=Decimal("9.98"))
        self.assertEqual(rounded(whole)[-1], (CauseKind.ROUNDING, Decimal("0.02")))
        with self.assertRaises(AssertionError):
            variance_of(replace(whole, received_value=Decimal("9.97"))).rounded_causes()


def rounded(facts: OrderFacts) -> list[tuple[CauseKind, Decimal]]:
    """Return the causes to the cent."""
    return [(c.kind, amount) for c, amount in variance_of(facts).rounded_causes()]
