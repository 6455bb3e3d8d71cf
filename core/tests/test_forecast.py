"""What an order will have cost: as earned value forecasts it, at its beginning, at its end."""

from dataclasses import replace
from decimal import Decimal

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.cost.model import InputKind
from poietic_core.structure.basis import Basis
from poietic_core.structure.flow import Step
from poietic_core.variance.facts import InputFacts, OperationFacts, OrderFacts
from poietic_core.variance.forecast import forecast_of, units_left


def material(**more: object) -> InputFacts:
    """Return two units of a component at 3 for each that enters operation 10."""
    told = {"operation": 10, "kind": InputKind.COMPONENT, "code": "X", "unit": "u", "price": Decimal(3), "allowed": Decimal(2), "standard": Decimal(2), "used": Decimal(0), "amount": Decimal(0)}  # fmt: skip
    return InputFacts(**told | more)  # type: ignore[arg-type]


def order(*inputs: InputFacts, good: int = 0, scrap: int = 0, share: str = "1", **more: object) -> OrderFacts:  # fmt: skip
    """Return an order of a hundred at one operation."""
    step = OperationFacts(number=10, yield_share=Decimal(share), good=Decimal(good), scrap=Decimal(scrap))  # fmt: skip
    told = {"operations": [step], "standard_operations": [Step(number=10)], "inputs": inputs, "ordered": Decimal(100), "received": Decimal(0), "standard_lot": Decimal(100), "received_value": Decimal(0), "is_completed": False}  # fmt: skip
    return OrderFacts(**told | more)  # type: ignore[arg-type]


class Published(SimpleTestCase):
    """Estimate at completion = budget / cost performance index (ANSI/EIA-748; from memory)."""

    def test_it_is_what_earned_value_forecasts(self) -> None:
        facts = order(material(used=Decimal(88), amount=Decimal(264), unworked=Decimal(0)), good=40)
        budget, earned, actual = Decimal(600), Decimal(240), Decimal(264)

        self.assertEqual(forecast_of(facts), budget / (earned / actual))


class ByHand(SimpleTestCase):
    """Each term of the rule."""

    def test_before_a_tenth_is_done_the_standard_is_trusted(self) -> None:
        few = order(material(used=Decimal(36), amount=Decimal(108), unworked=Decimal(0)), good=9)

        self.assertEqual(forecast_of(few), 108 + 91 * 2 * 3)

    def test_what_is_issued_already_is_not_needed_again(self) -> None:
        ahead = order(material(used=Decimal(200), amount=Decimal(640), required=Decimal(200)), good=50)  # fmt: skip

        self.assertEqual(forecast_of(ahead), 640)

    def test_what_is_left_costs_what_it_costs_now(self) -> None:
        facts = order(material(used=Decimal(100), amount=Decimal(300), unworked=Decimal(0)), good=50)  # fmt: skip

        self.assertEqual(forecast_of(facts, {0: Decimal("3.5")}), 300 + 100 * Decimal("3.5"))

    def test_a_setup_is_forecast_until_it_is_made(self) -> None:
        setup = material(kind=InputKind.SETUP_LABOUR, basis=Basis.ORDER, allowed=Decimal(4))
        self.assertEqual(forecast_of(order(setup)), 12)
        made = replace(setup, used=Decimal(5), amount=Decimal(15))
        self.assertEqual(forecast_of(order(made)), 15)

    def test_yield_asks_for_more_and_a_by_product_gives_back(self) -> None:
        swarf = material(kind=InputKind.BY_PRODUCT, allowed=Decimal(1), price=Decimal("0.5"))
        facts = order(material(), swarf, share="0.8")

        self.assertEqual(forecast_of(facts), 125 * (6 - Decimal("0.5")))

    def test_a_join_needs_what_its_hungriest_successor_needs(self) -> None:
        steps = [
            OperationFacts(number=10, yield_share=Decimal(1), good=Decimal(30)),
            OperationFacts(number=20, yield_share=Decimal(1), after=(10,), good=Decimal(10)),
            OperationFacts(number=30, yield_share=Decimal("0.5"), after=(10,), good=Decimal(5)),
            OperationFacts(number=40, yield_share=Decimal(1), after=(20, 30)),
        ]
        left = units_left(replace(order(), operations=steps, ordered=Decimal(20)))

        # 30 needs 15 more good ones at half: 30 more enter; with the 5 it had, 35 of 10's
        self.assertEqual(left, {10: 5, 20: 10, 30: 30, 40: 20})


class AnyOrder(SimpleTestCase):
    """At the beginning it is the plan, at the end what was charged."""

    @given(st.integers(1, 99), st.integers(1, 500), st.integers(1, 500))
    def test_beginning_and_end(self, percent: int, allowed: int, price: int) -> None:
        share = Decimal(percent) / 100
        i = material(allowed=Decimal(allowed), standard=Decimal(allowed), price=Decimal(price))
        facts = order(i, share=str(share))

        self.assertAlmostEqual(forecast_of(facts), 100 / share * allowed * price, places=15)
        done = order(replace(i, used=Decimal(77), amount=Decimal("123.45")), good=100, is_completed=True, received=Decimal(100))  # fmt: skip
        self.assertEqual(forecast_of(done), Decimal("123.45"))
