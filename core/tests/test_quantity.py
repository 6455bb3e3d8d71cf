"""Rounding, steps and shares."""

from dataclasses import replace
from decimal import Decimal
from fractions import Fraction

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from pint import UnitRegistry
from poietic_core.errors import BeyondDigits, OutOfRange, UnknownUnit
from poietic_core.quantity import (
    CENT,
    OffStep,
    allocate,
    exact,
    money,
    require_positive,
    require_step,
    round_parts,
    round_to,
    round_up,
)
from poietic_core.units import (
    UNITS,
    Measure,
    MeasuredBy,
    MeasureIncomplete,
    NoConversion,
    conversion_factor,
    measured_piece,
    require_unit,
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

    def test_what_has_more_digits_than_are_computed_with_is_refused_by_name(self) -> None:
        tiny = Decimal("0.000001")
        for ask in (
            lambda: require_step("Quantity", Decimal("1e30"), step=tiny, unit="kg"),
            lambda: round_up(Decimal("1e30"), tiny),
            lambda: round_to(Decimal("1e30"), tiny),
            lambda: round_parts([Decimal("1e30")], Decimal("1e30"), tiny),
        ):
            with self.assertRaisesMessage(BeyondDigits, "more than 34 digits"):
                ask()

    @given(st.decimals(-(10**15), 10**15, places=6), st.integers(1, 999))
    def test_money_is_the_nearest_cent(self, value: Decimal, by: int) -> None:
        quotient = exact(lambda: value / by)()
        cents = money(quotient)
        self.assertEqual(str(cents), str(round_to(quotient, CENT)))
        self.assertLessEqual(abs(Fraction(cents) - Fraction(value) / by), Fraction(1, 200))

    def test_money_of_halves_goes_away_from_zero(self) -> None:
        """Whatever a long calculation left of a half: common practice."""
        halves = {"2136.145": "2136.15", "-0.005": "-0.01", "148.6349999999999999999999999999999": "148.64", "7": "7.00"}  # fmt: skip
        self.assertEqual({h: str(money(Decimal(h))) for h in halves}, halves)
        with self.assertRaises(BeyondDigits):
            money(Decimal("1e32"))

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


class Units(SimpleTestCase):
    """Conversions by dimension and by item, and measured pieces."""

    def test_sizes_are_those_of_pint(self) -> None:
        """The reference library pint 0.25, which reads NIST SP 811's exact factors."""
        pint = UnitRegistry(non_int_type=Decimal)
        names = {"gal": "US_liquid_gallon", "in": "inch", "pcs": "count", "t": "metric_ton"}
        base = {"count": "count", "mass": "kg", "length": "m", "area": "m²", "volume": "m³"}
        for symbol, unit in UNITS.items():
            theirs = pint.Quantity(Decimal(1), names.get(symbol, symbol)).to(base[unit.dimension])
            self.assertAlmostEqual(theirs.magnitude, unit.size, places=20, msg=symbol)

    def test_an_item_converts_its_own_units(self) -> None:
        own = {"sheet": Decimal(2), "box": Decimal(24)}

        sheets = conversion_factor("sheet", "ft²", item="SH", stock_unit="m²", own=own)

        self.assertEqual(round(sheets, 6), Decimal("21.527821"))
        with self.assertRaisesMessage(NoConversion, "kg of SH can't be counted in m²."):
            conversion_factor("kg", "m²", item="SH", stock_unit="m²", own=own)

    def test_steel_plate_of_one_inch_weighs_what_the_tables_say(self) -> None:
        """7,850 kg/m³ (EN 1993-1-2; from memory): 40.84 lb/ft² for one inch."""
        foot, inch = Decimal("304.8"), Decimal("25.4")
        plate = Measure(
            by=MeasuredBy.MASS, length=foot, width=foot, thickness=inch, density=Decimal(7850)
        )

        pounds = measured_piece(plate, "PL").value * conversion_factor(
            "kg", "lb", item="PL", stock_unit="kg"
        )

        self.assertEqual(round(pounds, 2), Decimal("40.84"))
        with self.assertRaisesMessage(MeasureIncomplete, "It lacks width, density."):
            measured_piece(replace(plate, width=None, density=None), "PL")
