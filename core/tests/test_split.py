"""What goes with units taken out of a running order, against the handbook's formula worked out by hand."""

from decimal import Decimal
from fractions import Fraction
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st
from poietic_core.order.report import Progress
from poietic_core.order.split import (
    Held,
    by_lot,
    needed_after,
    plan_without_loss,
    share_taken,
    standing_after,
    taken,
)
from poietic_core.structure.basis import Basis


def step(number: int, good: int = 0, scrap: int = 0, share: str = "1", after: tuple[int, ...] | None = None) -> Progress:  # fmt: skip
    return Progress(number=number, good=Decimal(good), scrap=Decimal(scrap), is_report_point=True, yield_share=Decimal(share), after=after)  # fmt: skip


def held(used: str, amount: str, allowed: str = "1", basis: Basis = Basis.ENTERING, *, material: bool = False) -> Held:  # fmt: skip
    return Held(basis=basis, allowed=Fraction(allowed), used=Decimal(used), covered=Decimal(used), amount=Decimal(amount), is_component=material)  # fmt: skip


#: twenty ordered; 12 milled of which one was lost, 7 deburred, 3 assembled; nine of ten are good
LINE = [step(10, 12, 1, "0.9"), step(20, 7), step(30, 3, 0, "0.8")]


class Standing(TestCase):
    """Units that can be taken out after an operation."""

    def test_good_and_not_worked_on_further_nor_received(self) -> None:
        self.assertEqual([standing_after(LINE, n, Decimal(2)) for n in (10, 20, 30)], [5, 4, 1])

    def test_what_is_out_at_a_supplier_is_not_there(self) -> None:
        self.assertEqual(standing_after(LINE, 10, Decimal(2), {20: Decimal(9)}), 3)
        self.assertEqual(
            standing_after(LINE, 10, Decimal(2), {20: Decimal(5)}), 5, "all of it is back"
        )

    def test_where_branches_follow_what_any_has_worked_on_is_gone(self) -> None:
        fork = [step(10, 9), step(20, 4, after=(10,)), step(30, 6, after=(10,)), step(40, after=(20, 30))]  # fmt: skip
        self.assertEqual([standing_after(fork, n, Decimal(0)) for n in (10, 20, 30)], [3, 4, 6])

    def test_as_many_as_the_later_yields_ask_for(self) -> None:
        self.assertEqual(
            [needed_after(LINE, n, Decimal(4), Decimal(1)) for n in (10, 20, 30)], [5, 5, 4]
        )

    def test_what_passed_an_operation_needs_no_loss_planned_for_it_any_more(self) -> None:
        # 9 after operation 10 are 10 that entered it; nothing is lost at 20
        self.assertEqual(
            plan_without_loss(LINE, 10, Decimal(9)),
            {10: Decimal(1), 20: Decimal(0), 30: Decimal(0)},
        )
        self.assertEqual(
            plan_without_loss(LINE, 30, Decimal(72)),
            {10: Decimal(28), 20: Decimal(18), 30: Decimal(18)},
        )


class Shares(TestCase):
    """WIP(j) x units taken / live units that passed j; scrap keeps its own."""

    def share(
        self, what: Held, units: int = 3, processed: int = 13, good: int = 12
    ) -> tuple[Decimal, Decimal]:
        share = share_taken(what, processed=Decimal(processed), good=Decimal(good), units=Decimal(units), part=Fraction(1, 4))  # fmt: skip
        return taken(share, what)

    def test_hours_by_units_worked_on(self) -> None:
        # without loss: 26 EUR x 3 / 13; the one lost of thirteen keeps its two
        self.assertEqual(self.share(held("6.5", "26.00")), (Decimal("1.5"), Decimal("6.00")))

    def test_what_is_paid_for_good_ones_by_good_ones(self) -> None:
        self.assertEqual(
            self.share(held("12", "48.00", basis=Basis.GOOD)), (Decimal(3), Decimal("12.00"))
        )

    def test_what_is_fixed_by_the_quantities_ordered(self) -> None:
        self.assertEqual(
            self.share(held("2", "60.00", basis=Basis.ORDER)), (Decimal("0.5"), Decimal("15.00"))
        )

    def test_material_beyond_the_work_stays(self) -> None:
        # 26 are allowed for 13 at 2; of 30 issued 4 are there still
        self.assertEqual(
            self.share(held("30", "300.00", "2", material=True)), (Decimal(6), Decimal("60.00"))
        )
        # fewer than allowed: each unit got as much as the others
        self.assertEqual(
            self.share(held("13", "130.00", "2", material=True)), (Decimal(3), Decimal("30.00"))
        )

    def test_where_nothing_was_worked_on_nothing_goes(self) -> None:
        self.assertEqual(
            self.share(held("5", "50.00"), processed=0, good=0), (Decimal(0), Decimal(0))
        )

    @given(
        st.decimals("0", 1000, places=2), st.decimals("0", 9999, places=2), st.integers(1, 60), st.integers(0, 9),
        st.data(),
    )  # fmt: skip
    def test_all_units_one_after_the_other_take_all_but_what_the_lost_ones_keep(
        self, used: Decimal, amount: Decimal, good: int, lost: int, data: st.DataObject
    ) -> None:
        what = held(str(used), str(amount))
        first = data.draw(st.integers(0, good))
        whole, parts = (self.share(what, good, good + lost, good), (self.share(what, n, good + lost, good) for n in (first, good - first)))  # fmt: skip
        quantities, amounts = zip(*parts, strict=True)
        self.assertLessEqual(abs(sum(quantities) - whole[0]), Decimal("0.000001"))
        self.assertLessEqual(abs(sum(amounts) - whole[1]), Decimal("0.01"))
        self.assertAlmostEqual(whole[1] * (good + lost), amount * good, delta=Decimal("0.01") * (good + lost))  # fmt: skip

    @given(st.lists(st.decimals("0", 50, places=2), max_size=5), st.decimals("0.01", 100, places=2))
    def test_lots_add_up_and_give_no_more_than_was_issued(
        self, issued: list[Decimal], wanted: Decimal
    ) -> None:
        lots = {f"L{n}": quantity for n, quantity in enumerate(issued)}
        found = by_lot(lots, wanted)
        self.assertEqual(sum(found.values()), wanted)
        for lot, quantity in found.items():
            self.assertTrue(quantity > 0 and (lot == "" or quantity <= lots[lot]))
