"""What needs a decision, and what is promised to whom."""

from dataclasses import replace
from datetime import date, timedelta
from decimal import Decimal

from django.test import SimpleTestCase
from poietic_core.order.attention import (
    AtSupplier,
    Expiring,
    Kind,
    Missing,
    OpenOrder,
    Overdue,
    Threshold,
    of_expiring,
    of_missing,
    of_order,
    of_overdue,
)
from poietic_core.order.states import OrderState
from poietic_core.planning.model import Source, Supply
from poietic_core.planning.promise import coming_first

TODAY = date(2026, 11, 28)
ORDER = OpenOrder(
    number=1,
    name="1 Mirror cell",
    finishes=None,
    days_late=0,
    state=OrderState.STARTED,
    waits_at="",
    fault="",
    wip=Decimal(500),
    charged=Decimal(500),
    variance=Decimal(0),
    largest_cause="yield",
)


class Attentions(SimpleTestCase):
    """One row for a cause, with what it costs to leave it."""

    def test_an_order_in_time_and_as_allowed_needs_nobody(self) -> None:
        self.assertEqual(of_order(ORDER, TODAY), [])

    def test_a_late_order_weighs_what_it_holds_times_its_days(self) -> None:
        late = replace(ORDER, days_late=3, finishes=date(2026, 12, 1), waits_at="4 left at 10 Mill")

        (found,) = of_order(late, TODAY)

        self.assertEqual((found.kind, found.weight(), found.orders), (Kind.LATE, 1500, 1))
        self.assertEqual(found.sentence, "1 Mirror cell finishes 3 days late, Tue 1 Dec: 4 left at 10 Mill")  # fmt: skip

    def test_units_that_are_out_too_long_are_told_with_whom_they_are(self) -> None:
        out = AtSupplier(operation=20, supplier="Example Anodizing", quantity=Decimal("5.00"), unit="pcs", back_on=TODAY)  # fmt: skip
        self.assertEqual(of_order(replace(ORDER, out=(out,)), TODAY), [], "they may come today")
        other = replace(out, operation=40, back_on=TODAY - timedelta(days=8), quantity=Decimal(2))

        (found,) = of_order(replace(ORDER, out=(out, other)), TODAY + timedelta(days=1))

        self.assertEqual((found.kind, found.days, found.money, found.orders), (Kind.OUT, 9, 500, 1))
        (waited,) = of_order(replace(ORDER, out=(other,), waiting=(7, 3)), TODAY)
        self.assertEqual(waited.orders, 3)
        self.assertTrue(waited.sentence.endswith("to be back Fri 20 Nov; 7, 3 wait for it"))
        self.assertEqual(found.sentence, "1 Mirror cell: 5 pcs of operation 20 are still at Example Anodizing, to be back Sat 28 Nov; 2 pcs of operation 40 are still at Example Anodizing, to be back Fri 20 Nov")  # fmt: skip

    def test_what_a_supplier_is_late_with_names_the_orders_that_wait(self) -> None:
        late = Overdue(item="BL-200", unit="pcs", quantity=Decimal("20.0"), comes_on=TODAY - timedelta(days=5), purchase=12, supplier="Example Glass", purchases=1)  # fmt: skip
        told = of_overdue(late, TODAY)
        self.assertEqual((told.kind, told.days, told.orders, told.weight()), (Kind.OVERDUE, 5, 0, 0))  # fmt: skip
        self.assertEqual(told.sentence, "BL-200: 20 pcs of Example Glass, purchase order 12, should have come Mon 23 Nov")  # fmt: skip
        waited = replace(late, purchases=3, waiting=(4, 7, 8, 9, 11), held=Decimal(100))
        told = of_overdue(waited, TODAY)
        self.assertEqual((told.orders, told.weight()), (5, 500))
        self.assertIn("purchase order 12 and 2 more, should", told.sentence)
        self.assertIn("; 4, 7, 8 and 2 others wait for it", told.sentence)
        self.assertTrue(of_overdue(replace(late, waiting=(4,)), TODAY).sentence.endswith("; 4 waits for it"))  # fmt: skip

    def test_a_small_variance_is_not_worth_a_look_and_a_large_one_is(self) -> None:
        self.assertEqual(of_order(replace(ORDER, variance=Decimal("9.99")), TODAY), [])
        share = replace(ORDER, variance=Decimal("10"), charged=Decimal("600"))
        self.assertEqual(of_order(share, TODAY), [], "less than 2 % of what is allowed")

        (found,) = of_order(replace(ORDER, variance=Decimal("60"), charged=Decimal("560")), TODAY)

        self.assertEqual((found.kind, found.money), (Kind.OVER_ALLOWED, 60))
        self.assertIn("60.00 EUR more than allowed, most of it yield", found.sentence)

    def test_a_completed_order_is_to_be_closed_and_nothing_else(self) -> None:
        done = replace(ORDER, state=OrderState.COMPLETED, variance=Decimal("-4"), days_late=2)

        (found,) = of_order(done, TODAY)

        self.assertEqual((found.kind, found.money), (Kind.TO_CLOSE, 4))
        self.assertIn("variance 4.00 EUR F", found.sentence)

    def test_an_order_that_can_not_be_computed_says_why(self) -> None:
        (found,) = of_order(replace(ORDER, fault="its calendar is empty"), TODAY)

        self.assertEqual((found.kind, found.sentence), (Kind.FAULTY, "1 Mirror cell: its calendar is empty"))  # fmt: skip

    def test_a_missing_item_is_one_thing_with_all_that_waits_for_it(self) -> None:
        missing = Missing(item="CS-01", unit="pcs", quantity=Decimal(60), orders=4, days=2, held=Decimal("3216.68"), comes=(Decimal(30), date(2026, 11, 30)))  # fmt: skip

        found = of_missing(missing)

        self.assertEqual(found.sentence, "CS-01 is missing: 60 pcs short, 30 come Mon 30 Nov")
        self.assertEqual((found.orders, found.weight()), (4, Decimal("6433.36")))
        self.assertIn("none is to come", of_missing(replace(missing, comes=None)).sentence)
        self.assertIn("1 comes", of_missing(replace(missing, comes=(Decimal(1), TODAY))).sentence)


class First(SimpleTestCase):
    """What comes next of an item."""

    def test_what_comes_first_is_all_of_the_first_day(self) -> None:
        def supply(number: int, comes: date | None, quantity: int) -> Supply:
            return Supply(source=Source.ORDER, number=number, comes=comes, quantity=Decimal(quantity))  # fmt: skip

        later = TODAY + timedelta(days=1)

        self.assertEqual(coming_first([supply(1, later, 9), supply(2, TODAY, 2), supply(3, TODAY, 3)]), (5, TODAY))  # fmt: skip
        self.assertEqual(coming_first([supply(1, TODAY, 0), supply(2, later, 4)]), (4, later))
        self.assertIsNone(coming_first([supply(1, None, 9)]))


class Expiry(SimpleTestCase):
    """What expires is told before it happens, and after."""

    def test_the_sentence_says_how_much_in_how_many_lots_and_when(self) -> None:
        cement = Expiring(item="AD-02", unit="kg", quantity=Decimal("2.50"), lots=1, last_day=TODAY, worth=Decimal(80))  # fmt: skip

        told = of_expiring(cement, TODAY)
        self.assertEqual(told.sentence, "AD-02: 2.5 kg in one lot expires Sat 28 Nov")
        self.assertEqual((told.kind, told.money, told.weight()), (Kind.EXPIRES, 80, 80))
        self.assertIn("in 3 lots expire, the first Sat 28 Nov", of_expiring(replace(cement, lots=3), TODAY).sentence)  # fmt: skip
        past = of_expiring(cement, TODAY + timedelta(days=1))
        self.assertIn("in one lot expired Sat 28 Nov", past.sentence)

    def test_an_order_by_an_old_revision_says_which_is_in_force(self) -> None:
        told = of_order(replace(ORDER, revision="A", newer="C"), TODAY)
        self.assertEqual([(a.kind, a.sentence) for a in told], [(Kind.REVISED, "1 Mirror cell is made by revision A; C is in force")])  # fmt: skip
        self.assertEqual(of_order(ORDER, TODAY), [])

    def test_an_order_that_nobody_touched_for_two_weeks_is_forgotten_not_late(self) -> None:
        late = replace(ORDER, days_late=9, due=date(2026, 11, 6), finishes=date(2026, 11, 30))
        asleep = replace(late, touched_on=TODAY - timedelta(days=14))
        (found,) = of_order(asleep, TODAY)
        self.assertEqual(found.kind, Kind.STALE)
        self.assertEqual(found.sentence, "1 Mirror cell is forgotten: due Fri 6 Nov, nothing happened since Sat 14 Nov")  # fmt: skip
        self.assertEqual((found.days, found.money), (9, Decimal(500)))
        for awake in (replace(late, touched_on=TODAY - timedelta(days=13)), late):
            self.assertEqual([a.kind for a in of_order(awake, TODAY)], [Kind.LATE])

    def test_one_that_is_kept_is_asked_about_again_on_its_day(self) -> None:
        kept = replace(ORDER, days_late=9, touched_on=TODAY - timedelta(days=40), keep_until=TODAY + timedelta(days=1))  # fmt: skip
        self.assertEqual(of_order(kept, TODAY), [])
        self.assertEqual([a.kind for a in of_order(replace(kept, keep_until=TODAY), TODAY)], [Kind.STALE])  # fmt: skip

    def test_one_that_is_received_in_full_is_to_be_completed(self) -> None:
        (found,) = of_order(replace(ORDER, is_all_received=True, days_late=3), TODAY)
        self.assertEqual((found.kind, found.sentence), (Kind.FINISHED, "1 Mirror cell is received in full and not completed"))  # fmt: skip

    def test_a_late_one_on_hold_says_why(self) -> None:
        (found,) = of_order(replace(ORDER, days_late=2, on_hold="waits for a drawing"), TODAY)
        self.assertIn("(on hold: waits for a drawing)", found.sentence)


class Thresholds(SimpleTestCase):
    """From when on a variance is told of: money and share, by item or by where it is made."""

    def test_both_money_and_share_have_to_be_passed(self) -> None:
        t = Threshold(Decimal(50), Decimal("0.1"))
        for variance, allowed, told in ((50, 500, True), (49, 100, False), (50, 501, False), (-90, 100, False)):  # fmt: skip
            self.assertEqual(t.is_passed(Decimal(variance), Decimal(allowed)), told, (variance, allowed))  # fmt: skip

    def test_the_items_own_goes_before_the_smallest_of_where_it_is_made(self) -> None:
        small, large, own = (Threshold(Decimal(n), Decimal(0)) for n in (5, 80, 200))

        self.assertEqual(Threshold.tightest(own, [small]), own)
        self.assertEqual(Threshold.tightest(None, [large, small]), small)
        self.assertEqual(Threshold.tightest(None, []), Threshold())

    def test_an_order_is_told_of_by_its_own(self) -> None:
        over = replace(ORDER, variance=Decimal(60))
        self.assertIn(Kind.OVER_ALLOWED, {a.kind for a in of_order(over, TODAY)})
        patient = replace(over, threshold=Threshold(Decimal(61), Decimal(0)))
        self.assertNotIn(Kind.OVER_ALLOWED, {a.kind for a in of_order(patient, TODAY)})
