"""Lots and serials: which go first, which may not, and how they are numbered."""

from datetime import date
from decimal import Decimal

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.stock.counting import needs_recount
from poietic_core.stock.lots import (
    LotNeeded,
    LotNotUsable,
    LotState,
    LotStock,
    NotTracked,
    SerialIsOnePiece,
    Tracking,
    first_out,
    numbered,
    pieces_of,
    require_lot,
    require_usable,
    stem_of,
)

TODAY = date(2026, 11, 28)
days = st.none() | st.dates(date(2026, 11, 1), date(2027, 1, 31))
lot_lists = st.lists(
    st.tuples(st.integers(0, 20), st.sampled_from(LotState), days), max_size=7
).map(
    lambda rows: [
        LotStock(code=f"L{age}", quantity=Decimal(q), age=age, state=state, expires_on=day)
        for age, (q, state, day) in enumerate(rows)
    ]
)


def lot(**given: object) -> LotStock:
    """Return a lot of five."""
    return LotStock(**({"code": "L1", "quantity": Decimal(5), "age": 1} | given))  # type: ignore[arg-type]


class Lots(SimpleTestCase):
    """What a line may name, and what is taken first."""

    def test_tracked_items_need_a_lot_and_others_have_none(self) -> None:
        for tracking in (Tracking.LOT, Tracking.SERIAL):
            with self.assertRaises(LotNeeded):
                require_lot("BL-200", tracking, "", Decimal(1))
            require_lot("BL-200", tracking, "L1", Decimal(1))
        with self.assertRaises(NotTracked):
            require_lot("AP-20", Tracking.NONE, "L1", Decimal(1))
        require_lot("AP-20", Tracking.NONE, "", Decimal("1.5"))

    def test_a_serial_is_one_piece(self) -> None:
        require_lot("BL-200", Tracking.LOT, "L1", Decimal(2))
        with self.assertRaises(SerialIsOnePiece):
            require_lot("HT-150", Tracking.SERIAL, "H1", Decimal(2))

    def test_a_lot_may_be_used_to_the_end_of_its_last_day(self) -> None:
        require_usable("BL-200", lot(expires_on=TODAY), TODAY)
        with self.assertRaisesMessage(LotNotUsable, "expired since 2026-11-27"):
            require_usable("BL-200", lot(expires_on=date(2026, 11, 27)), TODAY)

    def test_what_is_held_back_is_not_used(self) -> None:
        for state in (LotState.QUARANTINED, LotState.REJECTED):
            with self.assertRaisesMessage(LotNotUsable, state.value):
                require_usable("BL-200", lot(state=state), TODAY)

    @given(lot_lists, st.integers(1, 60))
    def test_first_expired_first_out(self, lots: list[LotStock], wanted: int) -> None:
        taken = first_out(lots, Decimal(wanted), TODAY)

        by_code = {each.code: each for each in lots}
        usable = [each for each in lots if each.may_be_used(TODAY)]
        self.assertEqual(
            sum((q for _, q in taken), Decimal(0)),
            min(Decimal(wanted), sum((each.quantity for each in usable), Decimal(0))),
        )
        for code, quantity in taken:
            self.assertIs(by_code[code].state, LotState.USABLE)
            self.assertTrue(0 < quantity <= by_code[code].quantity)
        left = {each.code: each.quantity for each in usable} | {
            code: by_code[code].quantity - quantity for code, quantity in taken
        }
        last = max((by_code[code].expires_on or date.max for code, _ in taken), default=date.min)
        for each in usable:  # nothing that expires sooner is left behind
            if (each.expires_on or date.max) < last:
                self.assertEqual(left[each.code], 0, each)

    def test_of_lots_that_expire_together_the_oldest_goes(self) -> None:
        lots = [lot(code="NEW", age=9), lot(code="OLD", age=2)]

        self.assertEqual(first_out(lots, Decimal(1), TODAY), [("OLD", Decimal(1))])

    def test_numbers_run_on_within_a_year_and_fill_their_width(self) -> None:
        stem = stem_of("BL{year}-{number:3}", TODAY)

        self.assertEqual([numbered(stem, n) for n in (1, 999, 1000)], ["BL2026-001", "BL2026-999", "BL2026-1000"])  # fmt: skip
        self.assertNotEqual(stem, stem_of("BL{year}-{number:3}", date(2027, 1, 1)))

    def test_a_rule_without_a_number_gets_one_at_its_end(self) -> None:
        self.assertEqual(numbered(stem_of("LOT-", TODAY), 12), "LOT-12")

    @given(st.integers(0, 40))
    def test_serials_are_single_pieces(self, quantity: int) -> None:
        pieces = pieces_of(Tracking.SERIAL, Decimal(quantity))

        self.assertEqual(sum(pieces, Decimal(0)), quantity)
        self.assertLessEqual(set(pieces), {Decimal(1)})


class Counting(SimpleTestCase):
    """When a line is counted again."""

    def test_beyond_the_tolerance_once_at_its_edge_never(self) -> None:
        for on_hand, counted, tolerance, again in (
            ("100", "98", "0.02", False),
            ("100", "97.999", "0.02", True),
            ("100", "102.001", "0.02", True),
            ("0", "1", "0.02", True),
            ("0", "0", "0", False),
            ("7", "0", "1", False),
        ):
            asked = (Decimal(on_hand), Decimal(counted), Decimal(tolerance))
            with self.subTest(asked):
                self.assertEqual(needs_recount(*asked, 1), again)
                self.assertFalse(needs_recount(*asked, 2))
