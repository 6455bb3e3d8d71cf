"""Invoices matched with what came, further costs spread, and what of a late cost is still in stock."""

from datetime import date
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st
from poietic_core.buying.landed import (
    Landed,
    NothingToSpreadBy,
    SharesDontAddUp,
    SpreadBy,
    spread,
)
from poietic_core.buying.matching import MoreThanReceived, OpenReceipt, differences_of, match
from poietic_core.buying.purchase import (
    LineStands,
    PurchaseAct,
    PurchaseState,
    WrongPurchaseState,
    acts_in,
    require_purchase_state,
    state_of,
    weekdays_after,
)
from poietic_core.buying.record import Said, record_of
from poietic_core.order.outside import MoreThanOut, require_sent, units_to_send
from poietic_core.order.report import Progress
from poietic_core.quantity import ZERO, money
from poietic_core.stock.late import shares_left, still_in_stock

cents = st.integers(-10_000_000, 10_000_000).map(lambda n: Decimal(n) / 100)
paid = st.integers(1, 10_000_000).map(lambda n: Decimal(n) / 100)
counts = st.integers(1, 1000).map(Decimal)


def came(quantity: int, value: str) -> OpenReceipt:
    return OpenReceipt(quantity=Decimal(quantity), value=Decimal(value))


def line(ordered: int, **stands: int | bool) -> LineStands:
    return LineStands(ordered=Decimal(ordered), **{k: v if isinstance(v, bool) else Decimal(v) for k, v in stands.items()})  # type: ignore[arg-type]  # fmt: skip


class Matching(TestCase):
    """An invoice line and the receipts that it is for."""

    def test_the_purchase_price_variance_of_the_webb_example(self) -> None:
        """Horngren, Datar & Rajan, ch. 7 (from memory): 22,200 yards at 28, standard 30: 44,400 F."""
        received = came(22_200, "666000.00")  # at the price that was ordered: the standard
        (found,) = match("cloth", "yd", Decimal(22_200), Decimal("621600.00"), [received])
        self.assertEqual((found.value, found.difference), (Decimal("666000.00"), Decimal("-44400.00")))  # fmt: skip
        why = differences_of(ordered_price=Decimal(30), received=Decimal(22_200), invoiced=Decimal(22_200), amount=Decimal(621_600))  # fmt: skip
        self.assertEqual((why.price, why.quantity), (-44_400, 0))

    def test_receipts_are_cleared_oldest_first_at_their_own_value(self) -> None:
        found = match("A", "pcs", Decimal(5), Decimal("26.00"), [came(3, "12.00"), came(4, "20.00")])  # fmt: skip
        self.assertEqual([(m.receipt, m.quantity, m.value) for m in found], [(0, 3, 12), (1, 2, 10)])  # fmt: skip
        self.assertEqual([m.difference for m in found], [Decimal("2.18"), Decimal("1.82")])

    def test_the_last_piece_takes_what_is_left_of_the_value(self) -> None:
        left = came(3, "10.00")
        values = []
        for _ in range(3):
            (found,) = match("A", "pcs", Decimal(1), Decimal(3), [left])
            values.append(found.value)
            left = OpenReceipt(quantity=left.quantity - 1, value=left.value - found.value)
        self.assertEqual(values, [Decimal("3.33"), Decimal("3.34"), Decimal("3.33")])
        self.assertEqual(left.value, 0)

    def test_more_than_came_is_refused_with_what_is_open(self) -> None:
        with self.assertRaises(MoreThanReceived) as refused:
            match("A", "pcs", Decimal(8), Decimal(80), [came(3, "30.00"), came(4, "40.00")])
        self.assertEqual((refused.exception.invoiced, refused.exception.open), (8, 7))

    def test_a_credit_note_clears_what_went_back_after_it_was_invoiced(self) -> None:
        (found,) = match("A", "pcs", Decimal(-2), Decimal("-21.00"), [came(3, "30.00"), came(-2, "-20.00")])  # fmt: skip
        self.assertEqual((found.receipt, found.value, found.difference), (1, -20, -1))

    @given(st.lists(st.tuples(counts, paid), min_size=1, max_size=6), st.data())  # fmt: skip
    def test_whatever_is_invoiced_in_which_parts_nothing_is_left_open(
        self, receipts: list[tuple[Decimal, Decimal]], data: st.DataObject
    ) -> None:
        left = [OpenReceipt(quantity=q, value=v) for q, v in receipts]
        whole = sum((q for q, _ in receipts), ZERO)
        asked = ZERO
        while whole:
            part = data.draw(st.integers(1, int(whole)).map(Decimal))
            amount = data.draw(paid)
            found = match("A", "pcs", part, amount, left)
            self.assertEqual(sum(m.value + m.difference for m in found), amount)
            for m in found:
                left[m.receipt] = OpenReceipt(
                    quantity=left[m.receipt].quantity - m.quantity,
                    value=left[m.receipt].value - m.value,
                )
            whole -= part
            asked += amount
        self.assertEqual({(r.quantity, r.value) for r in left}, {(ZERO, ZERO)})

    def test_what_differs_is_price_and_quantity(self) -> None:
        why = differences_of(ordered_price=Decimal("4.00"), received=Decimal(90), invoiced=Decimal(100), amount=Decimal(410))  # fmt: skip
        self.assertEqual((why.price, why.quantity), (10, 40))
        self.assertEqual(Decimal(410) - 90 * Decimal(4), why.price + why.quantity)


class Spreading(TestCase):
    """Further costs over what came."""

    def test_the_keys(self) -> None:
        """Worked by hand (common practice): 60 over 100 and 500 of value, 4 and 1 kg, 10 and 20 pieces."""
        goods = [
            Landed(name="A", value=Decimal(100), quantity=Decimal(10), weight=Decimal(4), by_hand=Decimal(59)),
            Landed(name="B", value=Decimal(500), quantity=Decimal(20), weight=Decimal(1), by_hand=Decimal(1)),
        ]  # fmt: skip
        found = {by: spread("freight", Decimal(60), by, goods) for by in SpreadBy}
        self.assertEqual(found, {"value": [10, 50], "quantity": [20, 40], "weight": [48, 12], "by hand": [59, 1]})  # fmt: skip

    def test_what_is_not_known_is_refused_by_name(self) -> None:
        goods = [Landed(name="A", value=Decimal(1), quantity=Decimal(1))]
        with self.assertRaises(NothingToSpreadBy) as refused:
            spread("freight", Decimal(60), SpreadBy.WEIGHT, goods)
        self.assertEqual(refused.exception.lacks, ["A"])
        with self.assertRaises(SharesDontAddUp):
            spread("freight", Decimal(60), SpreadBy.HAND, goods)

    @given(cents, st.lists(st.tuples(counts, counts), min_size=1, max_size=9), st.sampled_from([SpreadBy.VALUE, SpreadBy.QUANTITY]))  # fmt: skip
    def test_shares_add_up_to_the_cent(
        self, amount: Decimal, goods: list[tuple[Decimal, Decimal]], by: SpreadBy
    ) -> None:
        listed = [Landed(name="x", value=v, quantity=q) for v, q in goods]
        shares = spread("duty", amount, by, listed)
        self.assertEqual(sum(shares), amount)
        self.assertEqual(shares, [money(s) for s in shares])


class StillInStock(TestCase):
    """What of a late cost belongs to what is still there."""

    def test_the_handbooks_example(self) -> None:
        """Late cost by hand: 100 received, 60 issued, 200 late: 80 stay with the stock."""
        share = shares_left(Decimal(40), [(1, Decimal(100)), (2, Decimal(-60))], {1})[1]
        self.assertEqual(still_in_stock(Decimal(200), share, Decimal(400)), 80)

    def test_the_pool_is_replayed(self) -> None:
        """Kieso's "Call-Mart" (from memory): 2,000 @ 4.00, 6,000 @ 4.40, 4,000 issued, 2,000 @ 4.75.

        Had the first cost 4.40, the average would have been 4.40 throughout: 400 more of 800 stay.
        """
        moved = [(1, Decimal(2000)), (2, Decimal(6000)), (3, Decimal(-4000)), (4, Decimal(2000))]
        shares = shares_left(Decimal(6000), moved, {1, 2, 4})
        self.assertEqual(shares, {1: Decimal("0.5"), 2: Decimal("0.5"), 4: 1})
        before, after = self.average(Decimal("4.00")), self.average(Decimal("4.40"))
        self.assertEqual(after - before, still_in_stock(Decimal(800), shares[1], before))

    def average(self, first: Decimal) -> Decimal:
        """Return what ends in stock at the moving average."""
        value = 2000 * first + 6000 * Decimal("4.40")
        return value - 4000 * value / 8000 + 2000 * Decimal("4.75")

    def test_what_has_all_gone_keeps_nothing_and_no_stock_comes_below_nothing(self) -> None:
        moved = [(1, Decimal(5)), (2, Decimal(-5)), (3, Decimal(9))]
        self.assertEqual(shares_left(Decimal(9), moved, {1, 3}), {1: 0, 3: 1})
        self.assertEqual(still_in_stock(Decimal(-50), Decimal(1), Decimal(30)), -30)


class States(TestCase):
    """Where a purchase order stands."""

    def test_the_state_follows_from_the_lines(self) -> None:
        cases = {
            "ordered": [line(5), line(3)],
            "partly received": [line(5, received=5), line(3)],
            "received": [line(5, received=5, invoiced=5), line(3, received=3, invoiced=2)],
            "closed": [line(5, received=5, invoiced=5), line(3, received=2, invoiced=2, is_ended=True)],
            "cancelled": [line(5, is_ended=True)],
        }  # fmt: skip
        for expected, lines in cases.items():
            self.assertEqual(state_of(lines, is_confirmed=False), expected)
        self.assertIs(state_of([line(5)], is_confirmed=True), PurchaseState.CONFIRMED)

    def test_what_goes_back_comes_again_unless_it_is_not_replaced(self) -> None:
        self.assertEqual(line(5, received=5, returned=2).coming, 2)
        self.assertEqual(line(5, received=5, returned=2, not_replaced=2).coming, 0)
        gone = line(5, received=5, returned=5, not_replaced=5)
        self.assertIs(state_of([gone], is_confirmed=True), PurchaseState.CLOSED)

    def test_what_a_state_does_not_allow_is_refused_with_those_that_do(self) -> None:
        for state in PurchaseState:
            for act in PurchaseAct:
                if act in acts_in(state):
                    require_purchase_state(1, state, act)
                    continue
                with self.assertRaises(WrongPurchaseState) as refused:
                    require_purchase_state(1, state, act)
                self.assertNotIn(state.value, refused.exception.possible)

    def test_working_days_pass_over_weekends(self) -> None:
        friday = date(2026, 11, 27)
        self.assertEqual(weekdays_after(friday, 0), friday)
        self.assertEqual(weekdays_after(friday, 6), date(2026, 12, 7))


class Kept(TestCase):
    """How a supplier kept his word, worked by hand."""

    def test_shares_in_percent(self) -> None:
        said = Said(*map(Decimal, (4, 3, 6, 100, 2, 50, 48, 200, 208)))
        record = record_of(said)
        self.assertEqual((record.on_time, record.days_late, record.complete, record.kept, record.dearer), (75, 6, 96, 98, 4))  # fmt: skip

    def test_where_nothing_came_nothing_is_said(self) -> None:
        record = record_of(Said(*[ZERO] * 9))
        self.assertEqual({record.on_time, record.days_late, record.complete, record.kept, record.dearer}, {None})  # fmt: skip


class Out(TestCase):
    """Units at a supplier."""

    def steps(self, *good: int) -> list[Progress]:
        return [
            Progress(number=10 * n, good=Decimal(g), scrap=ZERO, is_report_point=True, yield_share=Decimal(1), after=None)
            for n, g in enumerate(good, 1)
        ]  # fmt: skip

    def test_what_stands_before_it_and_was_not_sent_may_go(self) -> None:
        steps = self.steps(9, 2, 0)
        self.assertEqual(units_to_send(steps, 20, Decimal(5), Decimal(12)), 4)
        self.assertEqual(units_to_send(steps, 20, ZERO, Decimal(12)), 7, "two came without being sent")  # fmt: skip
        self.assertEqual(units_to_send(steps, 10, Decimal(10), Decimal(12)), 2, "nothing comes before it")  # fmt: skip

    def test_no_more_comes_back_than_went_once_anything_went(self) -> None:
        _, step, _ = self.steps(9, 6, 0)
        require_sent(1, step, Decimal(6), is_sent=True)
        require_sent(1, step, ZERO, is_sent=False)
        for sent in (5, 0):
            with self.assertRaises(MoreThanOut):
                require_sent(1, step, Decimal(sent), is_sent=True)
