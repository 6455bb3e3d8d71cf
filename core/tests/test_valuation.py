"""Moving average and standard valuation of stock."""

from decimal import Decimal

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.quantity import money
from poietic_core.stock.valuation import Holding, Method, move


class Valuation(SimpleTestCase):
    """The value of stock follows its movements and never drifts."""

    def test_call_mart_moving_average(self) -> None:
        """Kieso, Weygandt & Warfield, Intermediate Accounting, ch. 8 (from memory, recomputed)."""
        holding = Holding(method=Method.MOVING_AVERAGE)
        for quantity, price in ((2000, "4.00"), (6000, "4.40")):
            worth = Decimal(quantity) * Decimal(price)
            holding = move(holding, Decimal(quantity), worth=worth).after
        self.assertEqual(holding.unit_value(), Decimal("4.3"))

        issued = move(holding, Decimal(-4000))
        holding = move(issued.after, Decimal(2000), worth=Decimal(9500)).after

        self.assertEqual(issued.value, Decimal(-17200))
        self.assertEqual((holding.value, holding.unit_value()), (Decimal(26700), Decimal("4.45")))

    @given(
        st.lists(
            st.tuples(st.integers(1, 50), st.decimals(0, 99, places=2), st.integers(1, 60)),
            max_size=20,
        )
    )
    def test_moving_average_conserves_money_and_the_last_piece_takes_the_rest(
        self, moves: list[tuple[int, Decimal, int]]
    ) -> None:
        holding = Holding(method=Method.MOVING_AVERAGE)
        paid = Decimal(0)
        for quantity, price, out in moves:
            worth = money(quantity * price)
            paid += worth
            holding = move(holding, Decimal(quantity), worth=worth).after
            taken = move(holding, -min(Decimal(out), holding.quantity))
            paid += taken.value
            holding = taken.after
            self.assertEqual(holding.value, paid)
            self.assertGreaterEqual(holding.value, 0)
        if holding.quantity:
            holding = move(holding, -holding.quantity).after
        self.assertEqual(holding.value, 0)

    @given(st.decimals("0.000001", 999, places=6), st.lists(st.integers(-30, 30), max_size=30))
    def test_standard_stock_is_always_worth_quantity_times_standard(
        self, standard: Decimal, moves: list[int]
    ) -> None:
        holding = Holding(method=Method.STANDARD, standard=standard)
        for quantity in moves:
            if holding.quantity + quantity >= 0:
                holding = move(holding, Decimal(quantity)).after
                self.assertEqual(holding.value, money(standard * holding.quantity))

    def test_a_reversal_leaves_at_its_own_worth_unless_that_empties_the_value(self) -> None:
        holding = Holding(method=Method.MOVING_AVERAGE, quantity=Decimal(20), value=Decimal(120))

        self.assertEqual(move(holding, Decimal(-10), worth=Decimal(50)).after.value, 70)
        self.assertEqual(move(holding, Decimal(-10), worth=Decimal(130)).after.value, 60)
