"""Rounding, steps and shares."""

from decimal import Decimal

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.errors import OutOfRange
from poietic_core.quantity import (
    CENT,
    OffStep,
    UnknownUnit,
    allocate,
    require_positive,
    require_step,
    require_unit,
    round_parts,
    round_up,
)

amounts = st.decimals(-(10**6), 10**6, places=6, allow_nan=False)
steps = st.sampled_from([Decimal(s) for s in ("1", "0.001", "0.5", "12", "0.01")])


class Rounding(SimpleTestCase):
    """The only place that rounds."""

    def test_a_quantity_off_its_step_is_refused_with_the_two_nearest_legal_ones(self) -> None:
        with self.assertRaises(OffStep) as refused:
            require_step("Quantity", Decimal("1.0000001"), step=Decimal(1), unit="pcs")

        self.assertEqual((refused.exception.below, refused.exception.above), (1, 2))
        self.assertIn("Enter 1 or 2 pcs.", str(refused.exception))

    def test_unknown_units_and_numbers_out_of_range_are_refused_by_name(self) -> None:
        with self.assertRaisesMessage(UnknownUnit, "The unit furlong is unknown."):
            require_unit("furlong")
        with self.assertRaisesMessage(OutOfRange, "The lot is 0. It must be above 0."):
            require_positive("The lot", Decimal(0))

    @given(amounts, steps)
    def test_rounding_up_gives_the_least_multiple_not_below(
        self, quantity: Decimal, step: Decimal
    ) -> None:
        result = round_up(quantity, step)

        self.assertEqual(result % step, 0)
        self.assertTrue(quantity <= result < quantity + step)

    @given(st.lists(amounts, min_size=1, max_size=12))
    def test_rounded_parts_add_up_and_none_moves_by_a_step(self, parts: list[Decimal]) -> None:
        total = sum(parts, Decimal(0)).quantize(CENT)

        rounded = round_parts(parts, total)

        self.assertEqual(sum(rounded), total)
        self.assertTrue(all(abs(r - p) <= CENT for r, p in zip(rounded, parts, strict=True)))

    @given(amounts, st.lists(st.decimals(0, 1000, places=4), min_size=1, max_size=8))
    def test_nothing_gets_lost_in_an_allocation(
        self, total: Decimal, weights: list[Decimal]
    ) -> None:
        cents = total.quantize(CENT)

        self.assertEqual(sum(allocate(cents, weights)), cents)
