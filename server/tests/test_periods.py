"""Months of the books: what stands open, WIP at their end, what work centers absorbed; closed, opened again."""

from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from typing import Any

from django.db import IntegrityError, connection, transaction
from django.test import SimpleTestCase, TestCase
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.models import JournalLine, Period, Posting
from poietic.ledger.verify import differences
from poietic.settling.models import PeriodWip
from poietic.settling.months import Month
from poietic_core.settle.absorption import absorption_of

from .client import Caller, make_person

SEPTEMBER, OCTOBER, NOVEMBER = (date(2026, n, 1) for n in (9, 10, 11))


class FourVariances(SimpleTestCase):
    """ "Webb Company", Horngren, Datar & Rajan, ch. 8 (from memory, recomputed): check values, "Variances"."""

    def test_spending_and_volume(self) -> None:
        variable = absorption_of(absorbed=Decimal(4500 * 30), actual=Decimal(130_500))
        fixed = absorption_of(absorbed=Decimal("57.50") * 4000, actual=Decimal(285_000), budget=Decimal(276_000))  # fmt: skip

        self.assertEqual((variable.spending, variable.volume), (-4500, 0))
        self.assertEqual((fixed.spending, fixed.volume), (9000, 46_000))
        # with the efficiency of the orders, 4,500 h for 4,000 allowed: the three-variance analysis
        efficiency = (4500 - 4000) * 30
        self.assertEqual((variable.spending + fixed.spending, efficiency, fixed.volume), (4500, 15_000, 46_000))  # fmt: skip


class Months(SimpleTestCase):
    """Their bounds."""

    def test_december_is_followed_by_january(self) -> None:
        month = Month.of(date(2026, 12, 31))

        self.assertEqual((month.first, month.next.first), (date(2026, 12, 1), date(2027, 1, 1)))
        self.assertEqual(month.ends_at - month.begins_at, timedelta(days=31))


class PeriodTest(TestCase):
    """A works with an order that was begun in September and goes on."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop(now=datetime(2026, 9, 10, 9, tzinfo=UTC))
        mirror_cell.define(cls.shop)
        cls.caller = Caller(make_person())

    def setUp(self) -> None:
        at = self.shop
        at.now = datetime(2026, 9, 10, 9, tzinfo=UTC)
        at.do("define-item", code="PART", name="Part", unit="pcs", source="buy", price="2", valuation="moving average")  # fmt: skip
        at.do("define-item", code="UNIT", name="Unit", unit="pcs", source="make", standard_lot="10")
        mirror_cell.structure(
            at,
            "UNIT",
            [{"number": 10, "name": "Fit", "work_center": "ASSY", "run_labour_hours": "0.5"}],
            [{"item": "PART", "operation": 10, "quantity": "3", "issue_rule": "by hand"}],
        )
        at.do("freeze-standard")
        at.do("receive-material", lines=[{"item": "PART", "quantity": "100", "price": "2", "place": "STORE"}])  # fmt: skip
        self.order = mirror_cell.plan(at, "UNIT", "10")
        at.do("release-order", order=self.order)
        at.do("issue-material", order=self.order, lines=[{"operation": 10, "item": "PART", "quantity": "32"}])  # fmt: skip
        times = {"run_labour_hours": "2.5"}
        at.do("report", order=self.order, operation=10, good="4", **times)
        at.now = datetime(2026, 10, 8, 9, tzinfo=UTC)
        at.do(
            "report", order=self.order, operation=10, good="6", run_labour_hours="3", receive="10"
        )
        at.now = datetime(2026, 11, 5, 9, tzinfo=UTC)

    def tearDown(self) -> None:
        self.assertEqual(differences(), [])

    def must(self, name: str, /, **given: Any) -> Any:
        return self.caller.must(name, given)

    def refused(self, code: str, name: str, /, **given: Any) -> Any:
        said = self.caller.do(name, given)
        self.assertEqual(said.get("code"), code, said)
        return said

    def close(self, month: date, **more: Any) -> Any:
        return self.must("close-period", month=str(month), **more)

    def booked(self, account: str, until: date | None = None) -> Decimal:
        rows = JournalLine.objects.filter(account=account)
        if until:
            rows = rows.filter(posting__happened_at__lt=datetime(until.year, until.month, 1, tzinfo=UTC))  # fmt: skip
        return sum(rows.values_list("amount", flat=True), Decimal(0))


class Closing(PeriodTest):
    """Closed in turn; nothing posts into a closed month."""

    def test_months_are_closed_in_turn_and_only_once_they_are_over(self) -> None:
        self.assertIn("September 2026 is open", self.refused("period.out_of_turn", "close-period", month=str(OCTOBER))["detail"])  # fmt: skip
        self.close(SEPTEMBER)
        self.refused("period.out_of_turn", "close-period", month=str(SEPTEMBER))
        self.close(OCTOBER)
        self.assertIn("not over", self.refused("period.out_of_turn", "close-period", month=str(NOVEMBER))["detail"])  # fmt: skip
        self.assertEqual([r["is_closed"] for r in self.caller.get("periods")["rows"][-2:]], [True, True])  # fmt: skip

    def test_wip_of_the_end_is_kept_by_order_and_operation_though_the_order_went_on(self) -> None:
        self.close(SEPTEMBER)

        (cell,) = PeriodWip.objects.all()
        # 32 pieces at 2 and 2.5 hours; allowed: 4 units of 3 pieces and half an hour, and the 20 pieces not worked in
        hour = self.caller.get(f"orders/{self.order}/as-built")
        self.assertTrue(hour)
        worked = JournalLine.objects.filter(
            account="labour absorbed", posting__happened_at__month=9
        )
        labour = -sum(worked.values_list("amount", flat=True), Decimal(0))
        self.assertEqual(cell.charged, 64 + labour)
        self.assertEqual(cell.allowed, 4 * 3 * 2 + labour * 2 / Decimal("2.5") + 18 * 2)
        shown = self.caller.get(f"periods/{SEPTEMBER}")
        self.assertEqual([(w["order"], Decimal(w["charged"])) for w in shown["wip"]], [(self.order, cell.charged)])  # fmt: skip
        self.assertEqual([w["basis"] for w in shown["wip"]], ["provisional"])
        self.assertEqual(Decimal(shown["charged"]), self.booked("work in process", OCTOBER))

    def test_a_late_entry_goes_into_the_open_month_and_says_where_it_belongs(self) -> None:
        self.close(SEPTEMBER)

        said = self.must("receive-material", lines=[{"item": "PART", "quantity": "5", "price": "2", "place": "STORE"}], happened_at="2026-09-20T08:00:00Z")  # fmt: skip

        posting = Posting.objects.get(pk=said["postings"][0])
        self.assertEqual((posting.happened_at.date(), posting.belongs_on), (OCTOBER, date(2026, 9, 20)))  # fmt: skip
        self.assertIn("its period is closed", str(said["consequences"]))

    def test_the_database_itself_takes_nothing_into_a_closed_month(self) -> None:
        self.close(SEPTEMBER)
        row = Posting.objects.order_by("pk").values("entry_id", "kind").first()
        assert row
        with self.assertRaisesMessage(IntegrityError, "is closed"), transaction.atomic():
            Posting.objects.create(**row, happened_at=datetime(2026, 9, 30, 12, tzinfo=UTC), entered_at=datetime(2026, 11, 1, tzinfo=UTC))  # fmt: skip

    def test_books_that_differ_are_not_closed(self) -> None:
        with connection.cursor() as cursor:
            cursor.execute("UPDATE ledger_wipbalance SET amount = amount + 1")
        said = self.refused("period.books_differ", "close-period", month=str(SEPTEMBER))
        self.assertIn("WIP by cost object", said["detail"])
        with connection.cursor() as cursor:
            cursor.execute("UPDATE ledger_wipbalance SET amount = amount - 1")

    def test_wip_may_be_valued_at_standard_until_the_next_month_begins(self) -> None:
        self.close(SEPTEMBER, at_standard=True)

        cell = PeriodWip.objects.get()
        self.assertEqual(self.booked("variance of open orders", OCTOBER), cell.charged - cell.allowed)  # fmt: skip
        self.assertEqual((self.booked("variance of open orders"), self.booked("work in process beyond standard")), (0, 0))  # fmt: skip


class Absorbed(PeriodTest):
    """What work centers took from orders against what they cost."""

    def test_what_was_absorbed_is_set_against_what_it_cost(self) -> None:
        absorbed = -self.booked("labour absorbed", OCTOBER)
        said = self.must("enter-actual-cost", month=str(SEPTEMBER), costs=[{"work_center": "ASSY", "kind": "labour", "amount": "100"}])  # fmt: skip
        self.assertEqual(self.booked("labour expense"), 100)
        (row,) = [r for r in self.caller.get(f"periods/{SEPTEMBER}")["spending"] if r["kind"] == "labour"]  # fmt: skip
        self.assertEqual((Decimal(row["absorbed"]), Decimal(row["spending"])), (absorbed, 100 - absorbed))  # fmt: skip

        self.close(SEPTEMBER)

        self.assertEqual((self.booked("labour expense", OCTOBER), self.booked("labour absorbed", OCTOBER)), (0, 0))  # fmt: skip
        self.assertEqual(self.booked("labour spending variance"), 100 - absorbed)
        self.refused("period.out_of_turn", "enter-actual-cost", month=str(SEPTEMBER), costs=[{"work_center": "ASSY", "kind": "labour", "amount": "1"}])  # fmt: skip
        self.assertEqual(self.caller.do("take-back", {"posting": said["postings"][0]})["code"], "period.out_of_turn")  # fmt: skip

    def test_what_was_entered_can_be_taken_back_while_the_month_is_open(self) -> None:
        said = self.must("enter-actual-cost", month=str(SEPTEMBER), costs=[{"work_center": "ASSY", "kind": "labour", "amount": "100"}])  # fmt: skip

        self.must("take-back", posting=said["postings"][0])

        (row,) = [r for r in self.caller.get(f"periods/{SEPTEMBER}")["spending"] if r["kind"] == "labour"]  # fmt: skip
        self.assertEqual((row["actual"], self.booked("labour expense")), (None, 0))
        self.refused("input.not_found", "enter-actual-cost", month=str(SEPTEMBER), costs=[{"work_center": "NONE", "kind": "labour", "amount": "1"}])  # fmt: skip


class Reopening(PeriodTest):
    """Only the last one, with a reason; both are kept."""

    def test_opening_again_takes_back_what_closing_posted(self) -> None:
        self.must("enter-actual-cost", month=str(SEPTEMBER), costs=[{"work_center": "ASSY", "kind": "labour", "amount": "100"}])  # fmt: skip
        self.close(SEPTEMBER, at_standard=True)
        self.close(OCTOBER)
        self.refused("period.not_the_last", "reopen-period", month=str(SEPTEMBER), reason="why")
        self.must("reopen-period", month=str(OCTOBER), reason="an invoice is missing")

        self.must("reopen-period", month=str(SEPTEMBER), reason="payroll was wrong")

        self.assertEqual((self.booked("labour expense"), self.booked("labour spending variance")), (100, 0))  # fmt: skip
        self.assertEqual(PeriodWip.objects.count(), 0)
        shown = self.caller.get(f"periods/{SEPTEMBER}")
        self.assertEqual([(e["closes"], e["reason"]) for e in shown["events"]], [(True, ""), (False, "payroll was wrong")])  # fmt: skip
        self.assertFalse(shown["is_closed"])
        self.close(SEPTEMBER)
        self.assertEqual(Period.objects.get(first=SEPTEMBER).events.count(), 3)
        self.refused("posting.not_reversible", "take-back", posting=Posting.objects.filter(kind="period end", reverses=None, reversal=None).latest("pk").pk)  # fmt: skip


class Findings(PeriodTest):
    """Sentences that lead to their place."""

    def test_what_stands_open_is_said_and_what_is_done_too(self) -> None:
        shown = {f["kind"]: f for f in self.caller.get(f"periods/{OCTOBER}")["findings"]}
        self.assertEqual(shown["not closed"]["sentence"], "No order is completed and not closed.")
        self.must("complete-order", order=self.order)

        shown = {f["kind"]: f for f in self.caller.get(f"periods/{NOVEMBER}")["findings"]}

        self.assertEqual(shown["times missing"]["count"], 0)
        self.assertEqual(self.caller.get("periods/verified")["differences"], [])
        self.assertEqual(self.caller.get("periods/1900-01-01")["code"], "input.invalid")
